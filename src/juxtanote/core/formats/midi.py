"""Standard MIDI files: one channel a string, bends as true pitch-bend curves."""

import io

import mido
import numpy as np

from juxtanote.core.errors import ImportFileError
from juxtanote.core.formats.csv_notes import NoteRow
from juxtanote.core.score.lesson import Lesson
from juxtanote.core.score.note import Note
from juxtanote.core.score.time_map import TimeMap

TICKS = 480
BEND_RANGE = 12
PROGRAM = 27  # General MIDI: electric guitar (clean), zero-based
MOST_NOTES = 100_000
_CHANNELS = (0, 1, 2, 3, 4, 5, 6, 7, 8)


def write_midi(lesson: Lesson) -> bytes:
    """Write a lesson's notes as they were played, under a tempo map that follows its beats."""
    midi = mido.MidiFile(ticks_per_beat=TICKS, type=1)
    midi.tracks.append(_conductor(lesson))
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("track_name", name="guitar", time=0))
    midi.tracks.append(track)
    timed: list[tuple[int, int, mido.Message]] = []
    offset = _beats_before(lesson.time_map)
    for string in range(lesson.guitar.string_count):
        timed += [(0, 0, message) for message in _set_up(_CHANNELS[string])]
    seen: set[tuple[float, int]] = set()
    for phrase in lesson.phrases:
        for note in phrase.notes:
            key = (round(note.onset_s, 4), note.written.string)
            if key not in seen:
                seen.add(key)
                timed += _note_messages(note, lesson.time_map, offset)
    now = 0
    for tick, _, message in sorted(timed, key=lambda entry: entry[:2]):
        track.append(message.copy(time=tick - now))
        now = tick
    track.append(mido.MetaMessage("end_of_track", time=TICKS))
    out = io.BytesIO()
    midi.save(file=out)
    return out.getvalue()


def _beats_before(time_map: TimeMap) -> float:
    """Give how many beats before bar 1 the file must start so that second 0 is tick 0."""
    return -float(time_map.to_beats(0.0))


def _ticks_per_beat(time_map: TimeMap) -> int:
    """Give the ticks of a beat; files count in quarters, and a compound beat is a dotted one."""
    return int(TICKS * time_map.quarters_per_beat)


def _conductor(lesson: Lesson) -> mido.MidiTrack:
    """Write title, metre and one tempo a beat."""
    track = mido.MidiTrack()
    time_map = lesson.time_map
    track.append(mido.MetaMessage("track_name", name=_ascii(lesson.title), time=0))
    count, unit = time_map.signature
    track.append(
        mido.MetaMessage(
            "time_signature", numerator=count, denominator=unit, time=0,
        )
    )  # fmt: skip
    offset, now = _beats_before(time_map), 0
    ticks = _ticks_per_beat(time_map)
    times = np.asarray(time_map.beat_times_s)
    beats = time_map.to_beats(times) + offset
    first = max(int(np.ceil(beats[0])), 0)
    points = [(0, float(times[1] - times[0]))]
    points += [
        (int(round(beat * ticks)), float(length))
        for beat, length in zip(beats[:-1], np.diff(times), strict=True)
        if beat > 0 and beat >= first
    ]
    for tick, length in points:
        message = mido.MetaMessage(
            "set_tempo", tempo=int(round(1e6 * length * TICKS / ticks)), time=tick - now
        )
        track.append(message)
        now = tick
    track.append(mido.MetaMessage("end_of_track", time=0))
    return track


def _ascii(text: str) -> str:
    return text.encode("latin-1", "replace").decode("latin-1")


def _set_up(channel: int) -> list[mido.Message]:
    controls = ((101, 0), (100, 0), (6, BEND_RANGE), (38, 0))
    messages = [mido.Message("program_change", channel=channel, program=PROGRAM)]
    return messages + [
        mido.Message("control_change", channel=channel, control=control, value=value)
        for control, value in controls
    ]


def _note_messages(
    note: Note, time_map: TimeMap, offset: float
) -> list[tuple[int, int, mido.Message]]:
    """Give key, bends and release of one note as (tick, rank, message)."""
    channel = _CHANNELS[note.written.string - 1]

    def tick(seconds: float) -> int:
        beats = float(time_map.to_beats(seconds)) + offset
        return max(int(round(beats * _ticks_per_beat(time_map))), 0)

    key = round(note.heard.midi)
    on, off = tick(note.onset_s), tick(note.offset_s)
    level = float(np.clip(90 + 1.5 * (note.heard.level_db + 18), 20, 127))
    messages = [
        (on, 1, mido.Message("pitchwheel", channel=channel, pitch=0)),
        (on, 3, mido.Message("note_on", channel=channel, note=key, velocity=int(level))),
        (max(off, on + 1), 0, mido.Message("note_off", channel=channel, note=key)),
    ]
    last = 0
    for seconds, semitones in bend_points(note):
        value = int(np.clip(round(8192 * semitones / BEND_RANGE), -8192, 8191))
        if value != last:
            when = min(max(tick(note.onset_s + seconds), on), max(off, on + 1))
            messages.append((when, 2, mido.Message("pitchwheel", channel=channel, pitch=value)))
            last = value
    return messages


def bend_points(note: Note) -> list[tuple[float, float]]:
    """Give (seconds from the onset, semitones) of a bent or shaken note.

    The measured curve where there is one, else a plain rise to the written bend.
    """
    tags = note.written.techniques
    if not tags & {"bend", "pre-bend", "vibrato", "release"}:
        return []
    if note.heard.curve:
        return [(t, c / 100.0) for t, c in note.heard.curve]
    amount, length = note.written.bend_semitones, note.heard.duration_s
    if "pre-bend" in tags:
        return [(0.0, amount), (0.4 * length, amount), (0.8 * length, 0.0)]
    rise = [(0.3 * length * k / 8, amount * k / 8) for k in range(9)]
    if "release" in tags:
        rise += [(length * (0.6 + 0.05 * k), amount * (1 - k / 6)) for k in range(7)]
    return rise


def read_midi(data: bytes) -> list[NoteRow]:
    """Read the notes of a MIDI file, channel by channel; drums are left out.

    Raises
    ------
    ImportFileError
        If the file is no MIDI file or is damaged.
    """
    try:
        midi = mido.MidiFile(file=io.BytesIO(data), clip=True)
        return _rows(midi)
    except ImportFileError:
        raise
    except (OSError, EOFError, ValueError, KeyError, IndexError, TypeError) as error:
        raise ImportFileError(
            "The MIDI file could not be read: it is damaged or not a MIDI file. Export it again."
        ) from error


def _rows(midi: mido.MidiFile) -> list[NoteRow]:
    rows: list[NoteRow] = []
    sounding: dict[tuple[int, int], float] = {}
    bends: dict[int, list[tuple[float, float]]] = {}
    ranges: dict[int, float] = {}
    now = 0.0
    for message in midi:
        now += message.time
        if message.is_meta or getattr(message, "channel", 9) == 9:
            continue
        key = (message.channel, getattr(message, "note", -1))
        if message.type == "control_change" and message.control == 6:
            ranges[message.channel] = float(message.value)
        elif message.type == "pitchwheel":
            semitones = message.pitch / 8192 * ranges.get(message.channel, 2.0)
            bends.setdefault(message.channel, []).append((now, semitones))
        elif message.type == "note_on" and message.velocity > 0:
            if key in sounding:
                rows.append(_row(key, sounding.pop(key), now, bends))
            sounding[key] = now
        elif message.type in ("note_off", "note_on") and key in sounding:
            rows.append(_row(key, sounding.pop(key), now, bends))
        if len(rows) > MOST_NOTES:
            raise ImportFileError(f"The MIDI file has more than {MOST_NOTES} notes. Split it.")
    return sorted(rows, key=lambda row: (row.onset_s, row.midi))


def _row(
    key: tuple[int, int], start: float, end: float, bends: dict[int, list[tuple[float, float]]]
) -> NoteRow:
    """Make a row; a bend of at least a third of a semitone inside the note is told."""
    inside = [s for t, s in bends.get(key[0], []) if start < t < end]
    widest = max(inside, default=0.0)
    tags = frozenset({"bend"}) if widest > 0.35 else frozenset()
    return NoteRow(
        start, max(end - start, 0.01), float(key[1]), techniques=tags,
        bend_semitones=round(widest, 2) if tags else 0.0,
    )  # fmt: skip

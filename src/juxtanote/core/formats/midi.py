"""Standard MIDI files: one channel a string, bends as true pitch-bend curves."""

import io
from bisect import bisect_left, bisect_right
from fractions import Fraction

import mido
import numpy as np
from numpy.typing import NDArray

from juxtanote.core.errors import ImportFileError
from juxtanote.core.formats.csv_notes import LATEST_S, SHORTEST_S, NoteRow
from juxtanote.core.formats.read_score import ReadPart, ReadScore
from juxtanote.core.score.lesson import Lesson, Part
from juxtanote.core.score.note import WIDEST_BEND, Note
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timeline import notes_of_part

TICKS = 480  # a beat: divides by every subdivision that is written
BEND_RANGE = 12  # semitones each way, told by RPN 0: the widest bend and a slide's start
PROGRAM = 27  # General MIDI: electric guitar (clean), zero-based
MOST_NOTES = 100_000  # a file with more is no lesson
DRUMS = 9  # channel 10, counted from 0 (General MIDI level 1)
_CHANNELS = (0, 1, 2, 3, 4, 5, 6, 7, 8, 10, 11, 12, 13, 14, 15)  # 9 is for drums


def write_midi(lesson: Lesson) -> bytes:
    """Write a lesson's notes as they were played, under a tempo map that follows its beats."""
    midi = mido.MidiFile(ticks_per_beat=TICKS, type=1)
    midi.tracks.append(_conductor(lesson))
    for number, part in enumerate(lesson.parts):
        midi.tracks.append(_part_track(lesson, part, number))
    out = io.BytesIO()
    midi.save(file=out)
    return out.getvalue()


def _part_track(lesson: Lesson, part: Part, number: int) -> mido.MidiTrack:
    """Write one guitar: a channel a string; parts take the channels that the ones before left."""
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("track_name", name=_ascii(part.name or "guitar"), time=0))
    first = sum(p.guitar.string_count for p in lesson.parts[:number])
    channels = [_CHANNELS[(first + k) % len(_CHANNELS)] for k in range(part.guitar.string_count)]
    timed = [(0, 0, message) for channel in channels for message in _set_up(channel)]
    offset = _beats_before(lesson.time_map)
    for _, note in notes_of_part(lesson, part.ident):
        channel = channels[min(note.written.string, len(channels)) - 1]
        timed += _note_messages(note, lesson.time_map, offset, channel)
    now = 0
    for tick, _, message in sorted(timed, key=lambda entry: entry[:2]):
        track.append(message.copy(time=tick - now))
        now = tick
    track.append(mido.MetaMessage("end_of_track", time=TICKS))
    return track


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
    messages = [
        (tick, mido.MetaMessage("set_tempo", tempo=int(round(1e6 * length * TICKS / ticks))))
        for tick, length in points
    ]
    if offset >= 0.0:  # otherwise bar 1 lies before the recording
        messages.append((round(offset * ticks), mido.MetaMessage("marker", text=BAR_ONE)))
    for tick, message in sorted(messages, key=lambda pair: pair[0]):
        track.append(message.copy(time=tick - now))
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
    note: Note, time_map: TimeMap, offset: float, channel: int
) -> list[tuple[int, int, mido.Message]]:
    """Give key, bends and release of one note as (tick, rank, message)."""

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


def read_midi(data: bytes) -> ReadScore:
    """Read a MIDI file: a part for each track and instrument that has notes, drums left out.

    Times come from its tempo map, and places in beats from bar 1 of the file.

    Raises
    ------
    ImportFileError
        If the file is no MIDI file or is damaged.
    """
    try:
        midi = mido.MidiFile(file=io.BytesIO(data), clip=True)
        return _score(midi)
    except ImportFileError:
        raise
    except FOREIGN as error:
        raise ImportFileError(
            "The MIDI file could not be read: it is damaged or not a MIDI file. Export it again."
        ) from error


# Whatever mido raises over a damaged file.
FOREIGN = (
    OSError, EOFError, ValueError, KeyError, IndexError, TypeError, AttributeError, LookupError,
    OverflowError, ZeroDivisionError, MemoryError, mido.KeySignatureError,
)  # fmt: skip


class _Clock:
    """From ticks to seconds through the tempo map of a file."""

    def __init__(self, midi: mido.MidiFile) -> None:
        self.ticks_per_beat = midi.ticks_per_beat
        if not 0 < self.ticks_per_beat < 32_768:
            raise ImportFileError("The MIDI file counts in film frames, which are not read.")
        changes: dict[int, int] = {0: 500_000}
        for track in midi.tracks:
            now = 0
            for message in track:
                now += message.time
                if message.type == "set_tempo":
                    changes[now] = max(message.tempo, 1)
        self.ticks = np.array(sorted(changes), dtype=np.float64)
        self._per_tick = np.array([changes[int(t)] for t in self.ticks]) / 1e6 / self.ticks_per_beat
        spans = np.diff(self.ticks) * self._per_tick[:-1]
        self._seconds = np.concatenate([[0.0], np.cumsum(spans)])

    def seconds(self, ticks: NDArray[np.float64]) -> NDArray[np.float64]:
        """Give times of ticks."""
        index = np.searchsorted(self.ticks, ticks, side="right") - 1
        return np.asarray(
            self._seconds[index] + (ticks - self.ticks[index]) * self._per_tick[index]
        )


def _score(midi: mido.MidiFile) -> ReadScore:
    clock = _Clock(midi)
    quarters_per_beat, beats_per_bar = _metre(midi)
    bar_one = _bar_one(midi)
    parts: list[ReadPart] = []
    total = 0
    for number, track in enumerate(midi.tracks, start=1):
        name, rows = _track_rows(track, clock, quarters_per_beat, bar_one)
        total += len(rows)
        if total > MOST_NOTES:
            raise ImportFileError(f"The MIDI file has more than {MOST_NOTES} notes. Split it.")
        if rows:
            parts.append(ReadPart(name or f"track {number}", tuple(rows)))
    return ReadScore(tuple(parts), beats_per_bar=beats_per_bar)


def _bar_one(midi: mido.MidiFile) -> int:
    """Give the tick where bar 1 begins: at our own marker, else at the start."""
    for track in midi.tracks:
        now = 0
        for message in track:
            now += int(message.time)
            if message.type == "marker" and message.text == BAR_ONE:
                return now
    return 0


def _metre(midi: mido.MidiFile) -> tuple[Fraction, int]:
    """Give quarters a beat and beats a bar of the first time signature; 4/4 where there is none."""
    for track in midi.tracks:
        for message in track:
            if message.type == "time_signature":
                count, unit = message.numerator, max(message.denominator, 1)
                if unit in (8, 16) and count % 3 == 0 and count > 3:
                    return Fraction(12, unit), count // 3
                return Fraction(4, unit), count
    return Fraction(1), 4


def _track_rows(
    track: mido.MidiTrack, clock: _Clock, quarters_per_beat: Fraction, bar_one: int
) -> tuple[str, list[NoteRow]]:
    """Read the notes of a track, with the bends of their channels."""
    name, now = "", 0
    held: list[tuple[tuple[int, int], int, int]] = []  # (channel, key), from tick, to tick
    sounding: dict[tuple[int, int], int] = {}
    bends: dict[int, list[tuple[int, float]]] = {}
    ranges: dict[int, float] = {}

    def ended(key: tuple[int, int]) -> None:
        held.append((key, sounding.pop(key), now))

    for message in track:
        now += message.time
        kind = message.type
        if kind in ("note_on", "note_off"):
            if message.channel == DRUMS:
                continue
            key = (message.channel, message.note)
            if key in sounding:
                ended(key)
            if kind == "note_on" and message.velocity > 0:
                sounding[key] = now
        elif kind == "pitchwheel":
            semitones = message.pitch / 8192 * ranges.get(message.channel, 2.0)
            bends.setdefault(message.channel, []).append((now, semitones))
        elif kind == "control_change" and message.control == 6:
            ranges[message.channel] = float(message.value)
        elif kind == "track_name":
            name = message.name.strip() or name
    for key in list(sounding):
        ended(key)
    spans = np.array([(begun, end) for _, begun, end in held], dtype=np.float64).reshape(-1, 2)
    times = np.minimum(clock.seconds(spans), LATEST_S)
    per_beat = clock.ticks_per_beat * quarters_per_beat
    rows = [
        _row(note, (float(start), float(end)), bends, per_beat, bar_one)
        for note, (start, end) in zip(held, times, strict=True)
    ]
    return name, sorted(rows, key=lambda row: (row.onset_s, row.midi))


def _row(
    note: tuple[tuple[int, int], int, int],
    span_s: tuple[float, float],
    bends: dict[int, list[tuple[int, float]]],
    ticks_per_beat: Fraction,
    bar_one: int,
) -> NoteRow:
    """Make a row; a bend of at least a third of a semitone inside the note is told."""
    (channel, key), begun, ended = note
    inside = bends.get(channel, [])
    first = bisect_right(inside, begun, key=lambda point: point[0])
    last = bisect_left(inside, ended, key=lambda point: point[0])
    widest = min(max((s for _, s in inside[first:last]), default=0.0), WIDEST_BEND)
    is_bent = widest > 0.35
    start_s = max(span_s[0], 0.0)
    up, down = ticks_per_beat.denominator, ticks_per_beat.numerator
    return NoteRow(
        start_s, min(max(span_s[1] - start_s, SHORTEST_S), LATEST_S), float(key),
        techniques=_BENT if is_bent else _PLAIN,
        bend_semitones=round(widest, 2) if is_bent else 0.0,
        onset_beats=Fraction((begun - bar_one) * up, down),
        duration_beats=Fraction(max(ended - begun, 1) * up, down),
    )  # fmt: skip


# Text of our marker (Standard MIDI Files 1.0, meta event 06) where bar 1 begins.
BAR_ONE = "bar 1"
_BENT, _PLAIN = frozenset({"bend"}), frozenset[str]()

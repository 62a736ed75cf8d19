"""The whole way from a recording to a placed and counted lesson; window and command line use it.

Reference pitch, beats, notes, key, places, written time: each step stands in a package of its own
and can be replaced behind the function it is called by here.
"""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.beats import BeatReading, Pulses, find_beats
from juxtanote.core.analysis.chords import ChordReading, suggest_chords
from juxtanote.core.analysis.key import find_keys, find_scale, pitch_class_weights
from juxtanote.core.analysis.parts import under_the_lead
from juxtanote.core.analysis.perceived import Hints, Listening, PerceivedNote
from juxtanote.core.analysis.reference_pitch import CERTAIN, measure_reference_cents
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.analysis.stretches import hear_all, hear_stretch, mid_side, whole_middle
from juxtanote.core.audio.read import read_sound
from juxtanote.core.audio.sound import Sound
from juxtanote.core.fretboard.candidates import NoteToPlace, find_candidates
from juxtanote.core.fretboard.clues import CLEAR
from juxtanote.core.fretboard.fingers import choose_fingers
from juxtanote.core.fretboard.phrases import places_of
from juxtanote.core.fretboard.solver import Placement, place
from juxtanote.core.fretboard.strokes import choose_strokes
from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.score.lesson import Focus, Lesson, Part, Phrase, Recording
from juxtanote.core.score.note import WIDEST_BEND, Evidence, HeardNote, Note, RunnerUp, WrittenNote
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timing import counted
from juxtanote.core.theory.observed import Chosen, Shows
from juxtanote.core.theory.tuning import STANDARD, Guitar


@dataclass(frozen=True, slots=True)
class Measured:
    """What a recording tells before any phrase is cut."""

    reference_cents: float
    reference_certainty: float
    beats: BeatReading


def measure_recording(
    sound: Sound, *, bpm: float | None = None, progress: Progress = no_progress
) -> Measured:
    """Measure reference pitch and beats of a whole recording."""
    mid = whole_middle(sound)
    cents, certainty = measure_reference_cents(mid, SAMPLE_RATE)
    progress(0.3)
    beats = find_beats(mid, bpm=bpm, progress=part_of(progress, 0.3, 1.0))
    return Measured(cents if certainty > CERTAIN else 0.0, certainty, beats)


def time_map_of(reading: BeatReading | Pulses) -> TimeMap:
    """Lay a time map through measured beats, the likeliest or one of the other readings.

    Parameters
    ----------
    reading : BeatReading or Pulses
        Beats in seconds, and how they make bars.
    """
    beats = reading.best if isinstance(reading, BeatReading) else reading
    return TimeMap(
        tuple(float(t) for t in beats.beat_times_s),
        first_downbeat=beats.first_downbeat,
        beats_per_bar=beats.beats_per_bar,
        division=beats.division,
    )


# A focus is worth choosing where it gives so many times the sure notes of the whole mix, and some more.
BETTER, BETTER_BY = 1.08, 0.5
AROUND_S, LEAST_NOTE_S = 0.05, 0.02  # around the notes of a phrase; the shortest note
LEAD_PAUSE_S, PHRASE_REST_S = 0.8, 1.2  # the lead pauses for so long; phrases are apart so far
# Beats before a bar line that belong to it, and after one that do not.
BEGINS_A_BAR, ENDS_A_BAR = 0.12, 0.3
FOCUS_CHOICES = (
    Focus(),
    Focus(source="middle"),
    Focus(source="sides"),
    Focus(source="middle", low_hz=150.0, high_hz=6000.0),
    Focus(without_drums=True),
)
SURE = 0.8  # notes that tell which focus hears most


def propose_focus(
    sound: Sound,
    start_s: float,
    end_s: float,
    *,
    reference_cents: float = 0.0,
    progress: Progress = no_progress,
) -> Focus:
    """Try a few ways of bringing the guitar forward; take the one that lets most be heard surely.

    The whole mix is kept unless another way gives clearly more: each sure note counts its
    confidence, each doubtful one counts against.

    Parameters
    ----------
    sound : Sound
        The recording.
    start_s, end_s : float
        Seconds in the recording.
    reference_cents : float, optional
        Of A4 against 440 Hz.
    progress : Progress, optional
        Told the share that is done, 0 to 1.
    """
    tried: list[tuple[float, int, Focus]] = []
    count = len(FOCUS_CHOICES)
    for number, focus in enumerate(FOCUS_CHOICES):
        heard = hear_stretch(
            sound, start_s, end_s, reference_cents=reference_cents, focus=focus,
            progress=part_of(progress, number / count, (number + 1) / count),
        )  # fmt: skip
        sure = [n.confidence for n in heard.notes if n.confidence >= SURE]
        doubtful = len(heard.notes) - len(sure)
        tried.append((sum(sure) - 0.5 * doubtful, len(sure), focus))
    whole, best = tried[0], max(tried, key=lambda entry: entry[0])
    if best[0] < BETTER * whole[0] + BETTER_BY:
        best, chosen = whole, Chosen.WHOLE_MIX
    else:
        chosen = Chosen.MOST_NOTES
    return replace(best[2], chosen=chosen, sure_notes=best[1], sure_in_mix=whole[1])


def to_place(note: PerceivedNote) -> NoteToPlace:
    """Give what the placement needs of a heard note."""
    midi = note.midi if "natural-harmonic" in note.techniques else float(round(note.midi))
    return NoteToPlace(
        note.onset_s, note.offset_s, midi, note.techniques, note.bend_semitones, legato=note.legato
    )


def guess_tuning(midi: list[float]) -> tuple[int, ...]:
    """Guess the tuning from the lowest notes heard: standard unless something lies below it.

    Parameters
    ----------
    midi : list of float
        Pitches that were heard, MIDI.
    """
    low = sorted(round(m) for m in midi)
    few = max(len(low) // 100, 1)
    lowest = low[few] if len(low) > few else 40
    if lowest >= 40:
        return STANDARD
    if lowest >= 39:
        return tuple(m - 1 for m in STANDARD)
    if lowest >= 38:
        return (38, *STANDARD[1:])
    return (35, *STANDARD) if lowest >= 35 else tuple(m - 4 for m in STANDARD)


def _keeps_pitch(note: PerceivedNote, guitar: Guitar) -> bool:
    lowest = min(guitar.open_midi(s) for s in range(1, guitar.string_count + 1))
    highest = guitar.open_midi(1) + guitar.last_fret
    return lowest - 0.5 <= note.midi <= highest + 0.5 or "natural-harmonic" in note.techniques


def _on_this_guitar(note: PerceivedNote, guitar: Guitar) -> PerceivedNote:
    """Take the name of a harmonic from a note that no node of these strings can sound."""
    if "natural-harmonic" not in note.techniques or find_candidates(guitar, to_place(note)):
        return note
    kept = tuple(seen for seen in note.evidence if seen.of is not Shows.PURE)
    return replace(note, techniques=note.techniques - {"natural-harmonic"}, evidence=kept)


def to_notes(
    heard: list[PerceivedNote],
    placement: Placement,
    places: list[NoteToPlace],
    guitar: Guitar,
    school: str,
) -> list[Note]:
    """Join what was heard with where it is placed.

    Parameters
    ----------
    heard : list of PerceivedNote
        By onset in seconds.
    placement : Placement
        A string and a fret for each.
    places : list of NoteToPlace
        What was placed, in the same order.
    guitar : Guitar
        Its tuning, capo and frets.
    school : str
        Way of picking, one of `score.lesson.SCHOOLS`.
    """
    fingers = choose_fingers(places, placement, guitar)
    strokes = choose_strokes(places, placement.strings, school)
    notes = []
    for index, note in enumerate(heard):
        seen = HeardNote(
            max(note.onset_s, 0.0), max(note.offset_s, note.onset_s + LEAST_NOTE_S),
            _within(note.midi, 0.0, 127.0),
            _within(note.level_db, -120.0, 20.0), _within(note.confidence, 0.0, 1.0),
            note.curve, note.evidence,
            tuple(
                RunnerUp(
                    _within(o.midi, 0.0, 127.0), _within(o.confidence, 0.0, 1.0), o.differs,
                    max(o.at_s, 0.0),
                )
                for o in note.others
            ),
            note.stiffness, note.strength, note.legato,
        )  # fmt: skip
        written = WrittenNote(
            placement.strings[index], placement.frets[index], note.techniques,
            _within(note.bend_semitones, 0.0, WIDEST_BEND), fingers[index], strokes[index],
        )  # fmt: skip
        notes.append(Note(index + 1, seen, written))
    return notes


def _within(value: float, low: float, high: float) -> float:
    return min(max(float(value), low), high)


def place_heard(
    heard: list[PerceivedNote],
    guitar: Guitar,
    school: str,
    *,
    string: int | None = None,
    progress: Progress = no_progress,
) -> list[Note]:
    """Place heard notes on the neck; what no string can sound is left out.

    With a `string` that the person named all notes are locked there.

    Parameters
    ----------
    heard : list of PerceivedNote
        By onset in seconds.
    guitar : Guitar
        Its tuning, capo and frets.
    school : str
        Way of picking, one of `score.lesson.SCHOOLS`.
    string : int, optional
        The only one, 1 the thinnest; any where None.
    progress : Progress, optional
        Told the share that is done, 0 to 1.
    """
    heard = [_on_this_guitar(note, guitar) for note in heard]
    kept = [note for note in heard if _keeps_pitch(note, guitar)]
    places = [replace(to_place(note), string=string) for note in kept]
    placed = place(guitar, places, school=school, progress=progress)
    first = to_notes(kept, placed, places, guitar, school)
    if string is not None:
        return [note.rewritten("place") for note in first]
    if not any(note.strength > CLEAR for note in kept):
        return first
    told = places_of(first, guitar)
    return to_notes(kept, place(guitar, told, school=school), told, guitar, school)


def evidence_of(heard: Listening) -> Evidence:
    """Keep the frame curves of a listening, thinned to what can be drawn."""
    step = max(len(heard.onset_curve) // 3000, 1)

    def thin(curve: NDArray[np.float64]) -> tuple[float, ...]:
        return tuple(round(float(v), 3) for v in curve[::step])

    return Evidence(
        heard.start_s, heard.hop_s * step, thin(heard.onset_curve), thin(heard.level_curve),
        thin(heard.voices_curve),
    )  # fmt: skip


def choose_key(notes: list[PerceivedNote]) -> tuple[str, str]:
    """Name key and scale of heard notes, or nothing where there are too few."""
    pitched = [n for n in notes if "dead" not in n.techniques]
    if len(pitched) < 5:
        return "", ""
    weights = pitch_class_weights(
        [n.midi for n in pitched], [n.offset_s - n.onset_s for n in pitched]
    )
    best = find_keys(weights, pitched[-1].midi)[0]
    return best.name, find_scale(weights, best)


@dataclass(frozen=True, slots=True)
class Options:
    """What the person gives on the command line."""

    start_s: float = 0.0
    end_s: float | None = None
    tuning: tuple[int, ...] | None = None
    bpm: float | None = None
    learned: bool = True
    every_part: bool = False  # what lies under the lead too, as a part of its own


def transcribe(path: Path, options: Options, progress: Progress = no_progress) -> Lesson:
    """Make a lesson of a recording: one phrase for each stretch where the lead plays.

    Raises
    ------
    SoundFileError
        If the recording cannot be read.
    """
    sound = read_sound(
        path, start_s=options.start_s, end_s=options.end_s, progress=part_of(progress, 0.0, 0.1)
    )
    measured = measure_recording(sound, bpm=options.bpm, progress=part_of(progress, 0.1, 0.2))
    known = Guitar(tuning=options.tuning, fret_count=24) if options.tuning else None
    heard = hear_all(
        sound, reference_cents=measured.reference_cents, learned=options.learned,
        hints=Hints().on_guitar(known) if known else None, progress=part_of(progress, 0.2, 0.9),
    )  # fmt: skip
    below = under_the_lead(heard)
    lead = [n for n, is_under in zip(heard, below, strict=True) if not is_under]
    tuning = options.tuning or guess_tuning([n.midi for n in lead])
    guitar = Guitar(tuning=tuning, fret_count=24)
    notes = place_heard(lead, guitar, "alternate", progress=part_of(progress, 0.9, 1.0))
    key, scale = choose_key(lead)
    time_map = time_map_of(measured.beats)
    lesson = Lesson(
        title=path.stem,
        recording=Recording(str(path), sound.duration_s),
        parts=(Part(guitar=guitar),),
        reference_cents=float(np.clip(measured.reference_cents, -100, 100)),
        time_map=time_map,
        key=key,
        scale=scale,
    )
    for number, stretch in enumerate(split_at_rests(notes), start=1):
        end = max(n.offset_s for n in stretch) + AROUND_S
        phrase = Phrase(number, str(number), max(stretch[0].onset_s - AROUND_S, 0.0), end)
        lesson = lesson.with_phrase(counted(phrase.with_notes(stretch), time_map))
    if options.every_part:
        others = [n for n, is_under in zip(heard, below, strict=True) if is_under]
        lesson = _with_others(lesson, place_heard(others, guitar, "alternate"))
    progress(1.0)
    if options.start_s:
        lesson = shifted(lesson, options.start_s)
    return lesson


def _with_others(lesson: Lesson, notes: list[Note]) -> Lesson:
    """Add what lies under the lead as a second part, a phrase for each stretch of it."""
    if not notes:
        return lesson
    second = Part(2, "Under the lead", "second", lesson.parts[0].guitar)
    lesson = replace(lesson, parts=(*lesson.parts, second))
    for stretch in split_at_rests(notes):
        number = lesson.fresh_phrase_number()
        end = max(n.offset_s for n in stretch) + AROUND_S
        start = max(stretch[0].onset_s - AROUND_S, 0.0)
        phrase = Phrase(number, f"under {number}", start, end, part=second.ident)
        lesson = lesson.with_phrase(counted(phrase.with_notes(stretch), lesson.time_map))
    return lesson


def lead_spans(
    notes: list[tuple[float, float]], gap_s: float = LEAD_PAUSE_S
) -> tuple[tuple[float, float], ...]:
    """Join (onset, offset) pairs, sorted by onset, into the stretches where the lead plays.

    Parameters
    ----------
    notes : list of tuple
        Onset and offset, seconds.
    gap_s : float, optional
        A longer rest parts two stretches, seconds.
    """
    spans: list[tuple[float, float]] = []
    for start, end in notes:
        if spans and start - spans[-1][1] < gap_s:
            spans[-1] = (spans[-1][0], max(spans[-1][1], end))
        else:
            spans.append((start, end))
    return tuple(spans)


def chords_of(
    sound: Sound, start_s: float, end_s: float, time_map: TimeMap, key: str
) -> list[ChordReading]:
    """Suggest chords for the bars that a stretch touches.

    Parameters
    ----------
    sound : Sound
        The recording.
    start_s, end_s : float
        Seconds in the recording.
    time_map : TimeMap
        The beats.
    key : str
        Such as ``"A minor"``; empty for none.
    """
    per_bar = time_map.beats_per_bar
    first = int(np.floor((float(time_map.to_beats(start_s)) + BEGINS_A_BAR) / per_bar))
    last = int(np.ceil((float(time_map.to_beats(end_s)) - ENDS_A_BAR) / per_bar))
    lines = [float(t) for t in time_map.to_seconds(per_bar * np.arange(first, last + 1))]
    low, high = max(lines[0], 0.0), min(lines[-1] + AROUND_S, sound.duration_s)
    rate = sound.sample_rate
    mid, _ = mid_side(sound.audio[:, int(low * rate) : int(high * rate)], rate)
    spans = zip(lines, lines[1:], strict=False)
    bars = [(first + k + 1, a - low, b - low) for k, (a, b) in enumerate(spans) if b > low]
    return suggest_chords(mid, bars, key=key)


def split_at_rests(notes: list[Note], rest_s: float = PHRASE_REST_S) -> list[list[Note]]:
    """Cut notes into stretches where the lead pauses.

    Parameters
    ----------
    notes : list of Note
        By onset in seconds.
    rest_s : float, optional
        From here on a rest parts two stretches, seconds.
    """
    stretches: list[list[Note]] = []
    latest = -10.0
    for note in notes:
        if not stretches or note.onset_s - latest > rest_s:
            stretches.append([])
        stretches[-1].append(note)
        latest = max(latest, note.offset_s)
    return stretches


def shifted(lesson: Lesson, by_s: float) -> Lesson:
    """Move everything in a lesson along the recording.

    Parameters
    ----------
    lesson : Lesson
        That is read; it is not changed.
    by_s : float
        Seconds, below zero for earlier.
    """

    def moved(note: Note) -> Note:
        heard = replace(note.heard, onset_s=note.onset_s + by_s, offset_s=note.offset_s + by_s)
        return replace(note, heard=heard)

    beats = tuple(t + by_s for t in lesson.time_map.beat_times_s)
    phrases = tuple(
        replace(
            p, start_s=p.start_s + by_s, end_s=p.end_s + by_s,
            notes=tuple(moved(n) for n in p.notes),
        )
        for p in lesson.phrases
    )  # fmt: skip
    return replace(lesson, time_map=replace(lesson.time_map, beat_times_s=beats), phrases=phrases)

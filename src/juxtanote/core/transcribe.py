"""The whole way from a recording to a placed and counted lesson; window and command line use it.

Reference pitch, beats, notes, key, places, written time: each step stands in a package of its own
and can be replaced behind the function it is called by here.
"""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from juxtanote.core.analysis.beats import Pulses
from juxtanote.core.analysis.parts import under_the_lead
from juxtanote.core.analysis.perceived import Hints
from juxtanote.core.analysis.stretches import hear_part
from juxtanote.core.audio.read import no_sound_from, read_sound
from juxtanote.core.audio.sound import Sound
from juxtanote.core.measuring import choose_key, measure_recording, time_map_of
from juxtanote.core.placing import guess_tuning, place_heard
from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.score.cuts import split_at_rests
from juxtanote.core.score.edits import shifted
from juxtanote.core.score.lesson import Lesson, Part, Phrase, Recording
from juxtanote.core.score.note import Note
from juxtanote.core.score.timing import counted
from juxtanote.core.theory.tuning import Guitar

AROUND_S = 0.05  # seconds around the notes of a phrase
CONTEXT_S = 12.0  # around a part that is wanted: a few bars
FEWEST_BEATS = 4  # that tell where bars are


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

    Parameters
    ----------
    path : Path
        Of a sound file.
    options : Options
    progress : Progress, optional
        Told the share that is done, 0 to 1.

    Raises
    ------
    SoundFileError
        If the recording cannot be read.
    """
    sound, low_s, start_s, end_s = _read_around(path, options, part_of(progress, 0.0, 0.1))
    measured = measure_recording(sound, bpm=options.bpm, progress=part_of(progress, 0.1, 0.2))
    known = Guitar(tuning=options.tuning, fret_count=24) if options.tuning else None
    heard = hear_part(
        sound, start_s, end_s, reference_cents=measured.reference_cents, learned=options.learned,
        hints=Hints().on_guitar(known) if known else None, progress=part_of(progress, 0.2, 0.9),
    )  # fmt: skip
    below = under_the_lead(heard)
    lead = [n for n, is_under in zip(heard, below, strict=True) if not is_under]
    tuning = options.tuning or guess_tuning([n.midi for n in lead])
    guitar = Guitar(tuning=tuning, fret_count=24)
    notes = place_heard(lead, guitar, "alternate", progress=part_of(progress, 0.9, 1.0))
    key, scale = choose_key(lead)
    time_map = time_map_of(beats_within(measured.beats.best, start_s, end_s))
    lesson = Lesson(
        title=path.stem,
        recording=Recording(str(path), end_s - start_s),
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
    return shifted(lesson, low_s) if low_s else lesson


def _read_around(
    path: Path, options: Options, progress: Progress
) -> tuple[Sound, float, float, float]:
    """Read what is wanted and some sound around it, which tells tempo and tuning.

    Given are the sound, where it begins in the recording, and where in it what is wanted begins and ends.
    """
    high_s = None if options.end_s is None else options.end_s + CONTEXT_S
    sound = read_sound(path, end_s=high_s, progress=progress)
    if sound.duration_s <= options.start_s:
        raise no_sound_from(path, options.start_s)
    low = int(max(options.start_s - CONTEXT_S, 0.0) * sound.sample_rate)
    low_s = low / sound.sample_rate
    end_s = min(options.end_s or np.inf, sound.duration_s)
    part = Sound(sound.audio[:, low:], sound.sample_rate)
    return part, low_s, options.start_s - low_s, end_s - low_s


def beats_within(beats: Pulses, start_s: float, end_s: float) -> Pulses:
    """Leave out the beats before and after a part; bar 1 is the first whole one in it.

    Parameters
    ----------
    beats : Pulses
        Of more than the part.
    start_s, end_s : float
        Seconds; a tenth of a beat before the start is in it.

    Examples
    --------
    >>> whole = Pulses(0.5 * np.arange(20), 2, 4, 2, 120.0, 1.0)
    >>> part = beats_within(whole, 2.0, 6.0)
    >>> part.beat_times_s[0].item(), part.first_downbeat, len(part.beat_times_s)
    (2.0, 2, 9)
    """
    times = beats.beat_times_s
    early = 0.1 * float(np.median(np.diff(times))) if len(times) > 1 else 0.0
    first = int(np.searchsorted(times, start_s - early))
    last = int(np.searchsorted(times, end_s)) + 1
    if last - first < FEWEST_BEATS:
        return beats
    downbeat = (
        (beats.first_downbeat - first) % beats.beats_per_bar if first else beats.first_downbeat
    )
    return replace(beats, beat_times_s=times[first:last], first_downbeat=downbeat)


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

"""The whole way from a recording to a placed and counted lesson; window and command line use it.

Reference pitch, beats, notes, key, places, written time: each step stands in a package of its own
and can be replaced behind the function it is called by here.
"""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from juxtanote.core.analysis.parts import under_the_lead
from juxtanote.core.analysis.perceived import Hints
from juxtanote.core.analysis.stretches import hear_all
from juxtanote.core.audio.read import read_sound
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

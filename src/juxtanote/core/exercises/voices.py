"""Guitars in harmony that were heard as one: sorted into parts by register, named by their interval."""

from dataclasses import replace

import numpy as np

from juxtanote.core.fretboard.phrases import replace_places
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import Lesson
from juxtanote.core.score.note import Note
from juxtanote.core.theory.degrees import scale_of, steps_between
from juxtanote.core.theory.keys import known_key

TOGETHER_S = 0.05  # struck by two hands: as MIREX's tolerance for onsets
FEWEST = 3  # notes of a second voice
NAMES = {
    0: "Unison", 1: "A second", 2: "A third", 3: "A fourth", 4: "A fifth", 5: "A sixth", 6: "A seventh",
    7: "An octave",
}  # fmt: skip
# Steps of a scale that so many semitones mostly are, where no key is known.
SEMITONES_TO_STEPS = (0, 1, 1, 2, 2, 3, 3, 4, 5, 5, 6, 6)


def split_voices(lesson: Lesson, ident: int, progress: Progress = no_progress) -> Lesson:
    """Give every lower note that sounds with a higher one to a part of its own.

    The upper voice stays; the lower one gets a part that is named by the interval it mostly keeps, with
    the same guitar. Both are placed anew where nothing is locked.

    Raises
    ------
    ValueError
        If there is no such phrase, or fewer than three notes of it sound under others.
    """
    phrase = lesson.phrase(ident)
    if phrase is None or phrase.is_variant:
        raise ValueError("choose a phrase of the recording")
    upper, lower = _voices(phrase.notes)
    if len(lower) < FEWEST:
        raise ValueError("hardly any two notes of this phrase are struck together: it is one voice")
    name = _interval(upper, lower, lesson)
    known = next((part for part in lesson.parts if part.name == name), None)
    if known is None:
        guitar = lesson.context(phrase).guitar
        lesson = edits.add_part(lesson, name, "harmony")
        parts = (*lesson.parts[:-1], replace(lesson.parts[-1], guitar=guitar))
        lesson = replace(lesson, parts=parts)
    part = known or lesson.parts[-1]
    lesson = lesson.with_phrase(replace_places(phrase.with_notes(upper), lesson, progress=progress))
    second = replace(
        phrase, ident=lesson.fresh_phrase_number(), part=part.ident, variants=(), breakdown="",
        waived=(), deleted=(), status="placed",
    )  # fmt: skip
    return lesson.with_phrase(replace_places(second.with_notes(lower), lesson, progress=progress))


def _voices(notes: tuple[Note, ...]) -> tuple[list[Note], list[Note]]:
    """Sort notes into those that have none over them, and the others."""
    upper: list[Note] = []
    lower: list[Note] = []
    for note in notes:
        with_it = [
            n for n in notes
            if n is not note and abs(n.onset_s - note.onset_s) <= TOGETHER_S
        ]  # fmt: skip
        over = any(n.heard.midi > note.heard.midi + 0.5 for n in with_it)
        (lower if over else upper).append(note)
    return upper, lower


def _interval(upper: list[Note], lower: list[Note], lesson: Lesson) -> str:
    """Name the interval that the lower voice mostly keeps."""
    key = known_key(lesson.key)
    classes = scale_of(key, lesson.scale, whole=True) if key is not None else None
    steps = []
    for note in lower:
        over = min(upper, key=lambda n: (abs(n.onset_s - note.onset_s), n.heard.midi))
        low, high = round(note.heard.midi), round(over.heard.midi)
        if classes is not None:
            steps.append(steps_between(low, high, classes))
        else:
            steps.append(SEMITONES_TO_STEPS[(high - low) % 12] + 7 * ((high - low) // 12))
    usual = int(np.median(steps))
    return f"{NAMES.get(usual, 'Lower voice')} below" if usual in NAMES else "Lower voice"

"""Moving a phrase: to another key along the neck, or the same notes to other strings.

The phrase itself stays, with what was heard; the moved one is a copy to practise.
"""

from dataclasses import dataclass, replace

from juxtanote.core.score.edits import neighbour_place
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.theory.harmonics import harmonic_midi
from juxtanote.core.theory.tuning import Guitar


@dataclass(frozen=True, slots=True)
class Moved:
    """A moved copy of a phrase, and what of it broke, in words."""

    phrase: Phrase
    problems: tuple[str, ...]


def along_the_neck(lesson: Lesson, phrase: Phrase, semitones: int) -> Moved:
    """Move a phrase to another key by shifting every fret on its string.

    Notes that leave the neck go to a neighbouring string; where there is none they keep their old
    place, an octave is not guessed.
    """
    problems: list[str] = []
    notes = [_shifted(lesson.guitar, note, semitones, problems) for note in phrase.notes]
    step = f"{abs(semitones)} semitone{'s' if abs(semitones) != 1 else ''}"
    name = f"{phrase.name}, {step} {'up' if semitones > 0 else 'down'}"
    return Moved(_copied(lesson, phrase, name, notes), tuple(dict.fromkeys(problems)))


def to_other_strings(lesson: Lesson, phrase: Phrase, step: int) -> Moved:
    """Move every note of a phrase to the neighbouring string at the same pitch; +1 is thicker."""
    problems: list[str] = []
    notes = []
    for note in phrase.notes:
        where = _words(note)
        if "natural-harmonic" in note.written.techniques:
            problems.append(f"the harmonic on {where} sounds only there, and stays")
            notes.append(note)
            continue
        place = neighbour_place(lesson.guitar, note, step)
        if place is None:
            problems.append(f"{where} has no such place on the next string, and stays")
            notes.append(note)
            continue
        if note.written.fret == 0:
            problems.append(f"the open string {note.written.string} becomes fret {place[1]}")
        elif place[1] == 0 and note.written.techniques & {"bend", "vibrato", "pre-bend"}:
            problems.append(f"{where} would be open, where it cannot be bent or shaken")
        notes.append(_moved_to(note, place))
    name = f"{phrase.name}, on {'thicker' if step > 0 else 'thinner'} strings"
    return Moved(_copied(lesson, phrase, name, notes), tuple(dict.fromkeys(problems)))


def _shifted(guitar: Guitar, note: Note, semitones: int, problems: list[str]) -> Note:
    written, where = note.written, _words(note)
    midi = note.heard.midi + semitones
    if not 0.0 <= midi <= 127.0:
        problems.append(f"{where} would leave what can be written")
        return note
    moved = replace(note, heard=note.heard.at_pitch(midi))
    fret = written.fret + semitones
    if "natural-harmonic" in written.techniques:
        here = harmonic_midi(guitar.open_midi(written.string), fret) if fret > 0 else None
        if here is None or abs(here - midi) > 0.5:
            problems.append(f"the harmonic on {where} does not move: play it as a fretted note")
        return moved
    if written.fret == 0 and fret > 0:
        problems.append(f"the open string {written.string} becomes fret {fret}")
    if 0 <= fret <= guitar.last_fret:
        return _moved_to(moved, (written.string, fret))
    step = 1 if fret < 0 else -1
    side = "below the nut" if fret < 0 else f"past fret {guitar.last_fret}"
    string = written.string + step
    if 1 <= string <= guitar.string_count:
        other = guitar.midi_at(written.string, 0) + fret - guitar.open_midi(string)
        if 0 <= other <= guitar.last_fret:
            problems.append(f"{where} would be {side}, and goes to string {string}, fret {other}")
            return _moved_to(moved, (string, other))
    problems.append(f"{where} would be {side}, and no other string has it: it keeps its old pitch")
    return note


def _moved_to(note: Note, place: tuple[int, int]) -> Note:
    return note.rewritten("place", string=place[0], fret=place[1])


def _words(note: Note) -> str:
    return f"string {note.written.string}, fret {note.written.fret}"


def _copied(lesson: Lesson, phrase: Phrase, name: str, notes: list[Note]) -> Phrase:
    number = lesson.fresh_phrase_number()
    copied = replace(phrase, ident=number, name=name, status="placed", waived=(), breakdown="")
    return copied.with_notes(notes)

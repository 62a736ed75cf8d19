"""Variants of a phrase: in another key along the neck, on other strings, slurred, or plain.

The phrase itself stays, with what was heard; the variant hangs under it, to be practised. A variant
that nobody edited follows its phrase (`followed`).
"""

from dataclasses import dataclass, replace

from juxtanote.core.score.lesson import (
    COPIED,
    EXERCISE,
    KEY,
    PLAIN,
    STRINGS,
    Lesson,
    Phrase,
    Variation,
)
from juxtanote.core.score.note import SLURS, Evidence, Note
from juxtanote.core.score.note_edits import neighbour_place
from juxtanote.core.theory.harmonics import harmonic_midi
from juxtanote.core.theory.tuning import Guitar

TOGETHER_S, REST_S = 0.03, 0.1  # as struck together; and the rest that ends a line
NOT_SLURRED = SLURS | {"slide", "dead", "natural-harmonic", "pre-bend", "rake"}


@dataclass(frozen=True, slots=True)
class Moved:
    """A variant of a phrase, and what of it broke, in words."""

    phrase: Phrase
    problems: tuple[str, ...]


def vary(lesson: Lesson, phrase: Phrase, variation: Variation) -> Moved:
    """Make a variant of a phrase; it is not yet hung under it (`edits.add_variant`).

    Parameters
    ----------
    lesson : Lesson
    phrase : Phrase
    variation : Variation
    """
    notes, problems = _varied(lesson.context(phrase).guitar, phrase, variation)
    number = lesson.fresh_phrase_number()
    name = f"{phrase.name}, {_name(variation)}"
    made = replace(
        phrase, ident=number, name=name, status="placed", waived=(), breakdown="", deleted=(),
        variants=(), variation=variation, proposed=False, evidence=Evidence(),
    )  # fmt: skip
    return Moved(made.with_notes(notes), tuple(dict.fromkeys(problems)))


def along_the_neck(lesson: Lesson, phrase: Phrase, semitones: int) -> Moved:
    """Move a phrase to another key by shifting every fret on its string.

    Notes that leave the neck go to a neighbouring string; where there is none they keep their old
    place, an octave is not guessed.

    Parameters
    ----------
    lesson : Lesson
        What it is of.
    phrase : Phrase
        What is moved.
    semitones : int
        Frets up, or down where negative.
    """
    return vary(lesson, phrase, Variation(KEY, semitones))


def to_other_strings(lesson: Lesson, phrase: Phrase, step: int) -> Moved:
    """Move every note of a phrase to the neighbouring string at the same pitch; +1 is thicker.

    Parameters
    ----------
    lesson : Lesson
        What it is of.
    phrase : Phrase
        What is moved.
    step : int
        Strings, towards the thick ones.
    """
    return vary(lesson, phrase, Variation(STRINGS, step))


def followed(before: Lesson, after: Lesson) -> Lesson:
    """Make the variants anew of every phrase whose notes an edit changed.

    A variant that was edited itself, and so is no longer what its phrase gave before, stays as it is.

    Parameters
    ----------
    before, after : Lesson
        An edit between them.
    """
    for phrase in after.phrases:
        old = before.phrase(phrase.ident) if phrase.variants else None
        if old is None or old.notes is phrase.notes:
            continue
        variants = tuple(_following(before, old, after, phrase, v) for v in phrase.variants)
        if any(a is not b for a, b in zip(variants, phrase.variants, strict=True)):
            after = after.with_phrase(replace(phrase, variants=variants))
    return after


def _following(before: Lesson, old: Phrase, after: Lesson, new: Phrase, variant: Phrase) -> Phrase:
    assert variant.variation is not None
    if variant.variation.kind in (EXERCISE, COPIED):
        return variant  # it is its own from then on
    was, _ = _varied(before.context(old).guitar, old, variant.variation)
    if [_played(n) for n in was] != [_played(n) for n in variant.notes]:
        return variant
    notes, _ = _varied(after.context(new).guitar, new, variant.variation)
    return replace(variant.with_notes(notes), evenness=new.evenness, subdivision=new.subdivision)


def _played(note: Note) -> tuple[object, ...]:
    written = note.written
    return (note.ident, note.onset_s, written.string, written.fret, written.techniques)


def _varied(guitar: Guitar, phrase: Phrase, variation: Variation) -> tuple[list[Note], list[str]]:
    problems: list[str] = []
    if variation.kind == KEY:
        notes = [_shifted(guitar, note, variation.amount, problems) for note in phrase.notes]
    elif variation.kind == STRINGS:
        notes = [_on_next(guitar, note, variation.amount, problems) for note in phrase.notes]
    elif variation.kind == PLAIN:
        notes = [_plain(note) for note in phrase.notes]
    else:
        notes = _slurred(phrase.notes, problems)
    return [_without_sound(note) for note in notes], problems


def _without_sound(note: Note) -> Note:
    """Leave out what was measured of the sound: a variant was not played on the recording."""
    heard = replace(note.heard, evidence=(), runner_ups=(), stiffness=0.0, strength=0.0, legato=0.0)
    return note if heard == note.heard else replace(note, heard=heard)


def _name(variation: Variation) -> str:
    size, up = abs(variation.amount), variation.amount > 0
    if variation.kind == KEY:
        return f"{size} semitone{'s' if size != 1 else ''} {'up' if up else 'down'}"
    if variation.kind == STRINGS:
        return f"on {'thicker' if up else 'thinner'} strings"
    return "every note picked" if variation.kind == PLAIN else "slurred"


def _on_next(guitar: Guitar, note: Note, step: int, problems: list[str]) -> Note:
    where = _words(note)
    if "natural-harmonic" in note.written.techniques:
        problems.append(f"the harmonic on {where} sounds only there, and stays")
        return note
    place = neighbour_place(guitar, note, step)
    if place is None:
        problems.append(f"{where} has no such place on the next string, and stays")
        return note
    if note.written.fret == 0:
        problems.append(f"the open string {note.written.string} becomes fret {place[1]}")
    elif place[1] == 0 and note.written.techniques & {"bend", "vibrato", "pre-bend"}:
        problems.append(f"{where} would be open, where it cannot be bent or shaken")
    return _moved_to(note, place)


def _plain(note: Note) -> Note:
    """Pick what was slurred, slid or tapped: the plain version is learned first (common practice)."""
    tags = note.written.techniques - SLURS - {"slide", "grace"}
    return (
        note.rewritten("techniques", techniques=tags) if tags != note.written.techniques else note
    )


def _slurred(notes: tuple[Note, ...], problems: list[str]) -> list[Note]:
    """Slur each note to the one before it where they share a string and follow closely."""
    made: list[Note] = []
    for before, note in zip((None, *notes), notes, strict=False):
        together = before is not None and note.onset_s - before.onset_s < TOGETHER_S
        joined = (
            before is not None
            and not together
            and before.written.string == note.written.string
            and before.written.fret != note.written.fret
            and note.onset_s - before.offset_s < REST_S
            and not note.written.techniques & NOT_SLURRED
        )
        if joined and before is not None:
            word = "pull-off" if note.written.fret < before.written.fret else "hammer-on"
            tags = (note.written.techniques - SLURS) | {word}
            made.append(note.rewritten("techniques", techniques=tags, stroke=""))
        else:
            made.append(note)
    if all(a is b for a, b in zip(made, notes, strict=True)):
        problems.append("no two notes follow each other on one string: nothing can be slurred")
    return made


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

"""Places, fingers and strokes of a lesson's phrases: derived here from pitches and what is locked."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.clues import CLEAR, MOST_READ, HeardString, read_strings, with_clues
from juxtanote.core.fretboard.fingers import choose_fingers
from juxtanote.core.fretboard.solver import Placement, place, solve
from juxtanote.core.fretboard.strokes import choose_strokes
from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.score.lesson import Lesson, Part, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.sounding import sounding_midi
from juxtanote.core.theory.tuning import Guitar

# So many notes are placed while a person waits; more are work for the background.
FEW_NOTES = 12


def note_to_place(note: Note) -> NoteToPlace:
    """Give what the placement needs of a note of a lesson; locked places stay."""
    locked = "place" in note.written.locked
    return NoteToPlace(
        onset_s=note.onset_s,
        offset_s=note.offset_s,
        midi=round(note.heard.midi),
        techniques=note.written.techniques,
        bend_semitones=note.written.bend_semitones,
        string=note.written.string if locked else None,
        fret=note.written.fret if locked else None,
        legato=note.heard.legato,
    )


def places_of(
    notes: Sequence[Note],
    guitar: Guitar,
    beside: Sequence[Note] = (),
    progress: Progress = no_progress,
) -> list[NoteToPlace]:
    """Give what the placement needs of notes of a phrase, with what their sound tells of strings.

    `beside` are other notes of the same recording: all together tell how stiff its strings are.

    Parameters
    ----------
    notes : sequence of Note
        Of one phrase, by onset in seconds.
    guitar : Guitar
        Its tuning, capo and frets.
    beside : sequence of Note, optional
        Others of the same recording.
    progress : Progress
        Told how far it is, 0 to 1.
    """
    places, seen = [note_to_place(note) for note in notes], _seen(notes)
    if not beside:
        progress(0.2)
        return with_clues(guitar, places, seen, progress=progress)
    clear = [note for note in beside if note.heard.strength > CLEAR]
    clear = clear[:: len(clear) // MOST_READ + 1]
    more = [note_to_place(note) for note in clear]
    strings = read_strings(guitar, places + more, seen + _seen(clear))
    progress(0.2)
    return with_clues(guitar, places, seen, strings, progress=progress)


def places_in(
    lesson: Lesson, phrase: Phrase, progress: Progress = no_progress
) -> list[NoteToPlace]:
    """Give what the placement needs of a phrase, beside all others of its part.

    Parameters
    ----------
    lesson : Lesson
    phrase : Phrase
        Of it.
    progress : Progress
        Told how far it is, 0 to 1.
    """
    others = () if phrase.is_variant else lesson.phrases_of(phrase.part)
    beside = [n for p in others if p.ident != phrase.ident for n in p.notes]
    return places_of(phrase.notes, lesson.context(phrase).guitar, beside, progress)


def _seen(notes: Sequence[Note]) -> list[HeardString]:
    seen = []
    for index, note in enumerate(notes):
        later = next(
            (n.onset_s for n in notes[index + 1 :] if n.onset_s > note.onset_s + 0.03), 1e9
        )
        tags = note.written.techniques
        b = note.heard.stiffness
        seen.append(
            HeardString(
                float(np.log2(b)) if b > 0.0 else 0.0, note.heard.strength if b > 0.0 else 0.0,
                note.offset_s - later, bool(tags & {"vibrato", "bend", "pre-bend", "slide"}),
            )
        )  # fmt: skip
    return seen


def replace_places(
    phrase: Phrase,
    lesson: Lesson,
    placement: Placement | None = None,
    progress: Progress = no_progress,
) -> Phrase:
    """Place the notes of a phrase anew around what is locked; fingers and strokes follow.

    Parameters
    ----------
    phrase : Phrase
    lesson : Lesson
    placement : Placement, optional
        Which; the one that is ranked first where None.
    progress : Progress
        Told how far it is, 0 to 1.
    """
    if not phrase.notes:
        return phrase
    around = lesson.context(phrase)
    if placement is None:
        places = places_in(lesson, phrase, part_of(progress, 0.0, 0.2))
        searching = part_of(progress, 0.2, 0.8)
        placement = place(around.guitar, places, school=around.school, progress=searching)
    else:  # fingers and strokes ask nothing of the sound
        places = [note_to_place(note) for note in phrase.notes]
    progress(0.8)
    fingers = choose_fingers(places, placement, around.guitar)
    progress(0.9)
    strokes = choose_strokes(places, placement.strings, around.school)
    progress(0.95)
    notes = []
    for index, note in enumerate(phrase.notes):
        written, locked = note.written, note.written.locked
        fresh = replace(
            written,
            string=placement.strings[index],
            fret=placement.frets[index],
            finger=written.finger if "finger" in locked else fingers[index],
            stroke=written.stroke if "stroke" in locked else strokes[index],
        )
        notes.append(note if fresh == written else replace(note, written=fresh))
    return phrase.with_notes(notes)


def as_written(phrase: Phrase, guitar: Guitar, progress: Progress = no_progress) -> Placement:
    """Give where the hand is for the places of a phrase as they stand.

    Parameters
    ----------
    phrase : Phrase
    guitar : Guitar
    progress : Progress
        Told how far it is, 0 to 1.
    """
    places = [
        replace(note_to_place(n), string=n.written.string, fret=n.written.fret)
        for n in phrase.notes
    ]
    return solve(guitar, places, progress=progress)


def with_guitar(
    lesson: Lesson, part: int, guitar: Guitar, progress: Progress = no_progress
) -> Lesson:
    """Give a part another guitar; where pitches or frets change, what is not locked follows.

    Another finger for the slide bar, or a thumb that may or may not be used, changes fingers alone.
    Locked places that are not on the new guitar are let go.
    """
    old = lesson.part(part).guitar
    changed = _with_part(lesson, replace(lesson.part(part), guitar=guitar))
    phrases = [p for p in lesson.phrases_of(part) if p.notes or p.variants]
    used = max((n.written.fret for p in phrases for n in p.notes), default=0)
    same_frets = (guitar.tuning, guitar.capo) == (old.tuning, old.capo) and used <= guitar.last_fret
    if same_frets and (guitar.bar_finger, guitar.thumb_over) == (old.bar_finger, old.thumb_over):
        return changed
    for number, phrase in enumerate(phrases):
        told = part_of(progress, number / len(phrases), (number + 1) / len(phrases))
        fresh = _on_guitar(phrase, changed, same_frets, told)
        variants = tuple(_on_guitar(v, changed, same_frets, told) for v in phrase.variants)
        changed = changed.with_phrase(replace(fresh, variants=variants))
    return changed


def with_school(lesson: Lesson, part: int, school: str) -> Lesson:
    """Give a part another way of picking: strokes follow where the hand stays.

    Parameters
    ----------
    lesson : Lesson
    part : int
        Its number.
    school : str
        See `strokes.choose_strokes`.
    """
    changed = _with_part(lesson, replace(lesson.part(part), school=school))
    for phrase in lesson.phrases_of(part):
        variants = tuple(_picked_anew(v, changed) for v in phrase.variants)
        changed = changed.with_phrase(replace(_picked_anew(phrase, changed), variants=variants))
    return changed


def _picked_anew(phrase: Phrase, lesson: Lesson) -> Phrase:
    if not phrase.notes:
        return phrase
    return replace_places(phrase, lesson, as_written(phrase, lesson.context(phrase).guitar))


def _with_part(lesson: Lesson, part: Part) -> Lesson:
    parts = tuple(part if p.ident == part.ident else p for p in lesson.parts)
    return replace(lesson, parts=parts)


def _on_guitar(phrase: Phrase, lesson: Lesson, same_frets: bool, progress: Progress) -> Phrase:
    guitar = lesson.context(phrase).guitar
    if same_frets:
        return replace_places(phrase, lesson, as_written(phrase, guitar), progress)
    return replace_places(unlocked_off(phrase, guitar), lesson, None, progress)


def unlocked_off(phrase: Phrase, guitar: Guitar) -> Phrase:
    """Let go of locked places that a guitar does not have."""
    notes = [
        note
        if is_on(note, guitar)
        else replace(
            note, written=replace(note.written, locked=note.written.locked - {"place", "finger"})
        )
        for note in phrase.notes
    ]
    return phrase.with_notes(notes)


def is_on(note: Note, guitar: Guitar) -> bool:
    """Tell whether a guitar has the place where a note is written."""
    on = note.written.string <= guitar.string_count and note.written.fret <= guitar.last_fret
    return on and 0.0 <= sounding_midi(note, guitar) <= 127.0

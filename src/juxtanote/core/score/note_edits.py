"""What a person does to notes: each edit is a function from a lesson to a new lesson.

Everything decided by hand is locked, so that a new listening or placement works around it.
"""

from collections.abc import Callable, Iterable
from dataclasses import replace

from juxtanote.core.score.edits import with_change
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import (
    BENDS,
    SLURS,
    HeardNote,
    Note,
    RunnerUp,
    WrittenNote,
)
from juxtanote.core.score.techniques import TECHNIQUES
from juxtanote.core.theory.observed import Observation, Otherwise, Shows
from juxtanote.core.theory.tuning import Guitar

SHORTEST_NOTE_S = 0.02  # a shorter one has no pitch
MOST_DELETED = 2000  # remembered of a phrase, so that they stay deleted
SAME_ONSET_S = 0.05  # onsets within this are one note's (as MIREX matches)


def each_note(
    lesson: Lesson, phrase: int, notes: Iterable[int], change: Callable[[Note], Note]
) -> Lesson:
    """Change notes of a phrase, one by one.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    notes : iterable of int
        Their numbers.
    change : callable
        From a note to what it becomes.
    """
    chosen = set(notes)
    return with_change(
        lesson,
        phrase,
        lambda p: p.with_notes([change(n) if n.ident in chosen else n for n in p.notes]),
    )


def change_written(
    lesson: Lesson, phrase: int, notes: Iterable[int], lock: str, **fields: object
) -> Lesson:
    """Replace fields of the written side of notes, and lock what was decided.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    notes : iterable of int
        Their numbers.
    lock : str
        What was decided, such as ``"place"``, ``"pitch"``, ``"techniques"`` or ``"time"``.
    **fields
        Of `WrittenNote`.
    """
    return each_note(lesson, phrase, notes, lambda n: n.rewritten(lock, **fields))


def guitar_of(lesson: Lesson, phrase: int) -> Guitar:
    """Give the guitar that a phrase is played on.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    """
    return lesson.context(lesson.phrase(phrase)).guitar


def set_place(lesson: Lesson, phrase: int, note: int, string: int, fret: int) -> Lesson:
    """Put a note on a string and fret. Another pitch than the heard one locks the pitch too.

    Parameters
    ----------
    lesson : Lesson
    phrase, note : int
        Their numbers.
    string : int
        1 is the thinnest.
    fret : int
        0 is the open string.
    """
    guitar = guitar_of(lesson, phrase)
    if not 1 <= string <= guitar.string_count or not 0 <= fret <= guitar.last_fret:
        raise ValueError(f"string {string}, fret {fret} is not on this guitar")

    def placed(old: Note) -> Note:
        new = old.rewritten("place", string=string, fret=fret)
        if "natural-harmonic" in old.written.techniques:
            return new
        midi = guitar.midi_at(string, fret)
        return new if abs(midi - old.heard.midi) < 0.5 else new.rewritten("pitch")

    return each_note(lesson, phrase, [note], placed)


def move_to_neighbour(lesson: Lesson, phrase: int, notes: Iterable[int], step: int) -> Lesson:
    """Move notes to a neighbouring string at the same pitch; `step` +1 is thicker.

    Notes that would leave the neck stay.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    notes : iterable of int
        Their numbers.
    step : int
        In strings.
    """
    guitar = guitar_of(lesson, phrase)

    def moved(note: Note) -> Note:
        place = neighbour_place(guitar, note, step)
        return note if place is None else note.rewritten("place", string=place[0], fret=place[1])

    return each_note(lesson, phrase, notes, moved)


def neighbour_place(guitar: Guitar, note: Note, step: int) -> tuple[int, int] | None:
    """Give the same fretted pitch on the next string, or None where the neck ends.

    Parameters
    ----------
    guitar : Guitar
    note : Note
    step : int
        In strings; +1 is thicker.
    """
    string = note.written.string + step
    if not 1 <= string <= guitar.string_count:
        return None
    fret = guitar.midi_at(note.written.string, note.written.fret) - guitar.open_midi(string)
    return (string, fret) if 0 <= fret <= guitar.last_fret else None


def toggle_technique(lesson: Lesson, phrase: int, notes: Iterable[int], technique: str) -> Lesson:
    """Put a technique on notes, or take it off where all of them have it.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    notes : iterable of int
        Their numbers.
    technique : str
        One of `TECHNIQUES`.
    """
    if technique not in TECHNIQUES:
        raise ValueError(f"unknown technique {technique!r}")
    chosen = set(notes)
    found = lesson.phrase(phrase)
    on = found is not None and not all(
        technique in n.written.techniques for n in found.notes if n.ident in chosen
    )

    def toggled(note: Note) -> Note:
        tags = set(note.written.techniques)
        if on:
            tags -= SLURS if technique in SLURS else set()
            tags |= {technique}
        else:
            tags -= {technique}
        amount = note.written.bend_semitones
        if technique in BENDS:
            amount = (amount or 2.0) if on or tags & BENDS else 0.0
        stroke = "" if tags & SLURS else note.written.stroke
        return note.rewritten(
            "techniques", techniques=frozenset(tags), bend_semitones=amount, stroke=stroke
        )

    return each_note(lesson, phrase, chosen, toggled)


def unlock_notes(lesson: Lesson, phrase: int, notes: Iterable[int]) -> Lesson:
    """Take every lock off notes.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    notes : iterable of int
        Their numbers.
    """
    return each_note(
        lesson,
        phrase,
        notes,
        lambda n: replace(n, written=replace(n.written, locked=frozenset())),
    )


def delete_notes(lesson: Lesson, phrase: int, notes: Iterable[int]) -> Lesson:
    """Take notes out of a phrase; it remembers them, so that no listening brings them back.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    notes : iterable of int
        Their numbers.
    """
    gone = set(notes)

    def without(found: Phrase) -> Phrase:
        marks = [(n.onset_s, n.heard.midi) for n in found.notes if n.ident in gone]
        left = found.with_notes([n for n in found.notes if n.ident not in gone])
        return replace(left, deleted=(*found.deleted, *marks)[-MOST_DELETED:])

    return with_change(lesson, phrase, without)


def add_note(lesson: Lesson, phrase: int, onset_s: float, string: int, fret: int) -> Lesson:
    """Write a note where the machine heard none; it lasts a quarter second or to the next one.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    onset_s : float
        In the recording.
    string, fret : int
        1 is the thinnest string, 0 the open one.
    """

    def added(found: Phrase) -> Phrase:
        number = 1 + max((n.ident for n in found.notes), default=0)
        later = [n.onset_s for n in found.notes if n.onset_s > onset_s + SHORTEST_NOTE_S]
        end = min([onset_s + 0.25, *later])
        pitch = float(guitar_of(lesson, phrase).midi_at(string, fret))
        heard = HeardNote(
            onset_s=onset_s, offset_s=end, midi=pitch, evidence=(Observation(Shows.BY_HAND),)
        )
        written = WrittenNote(
            string=string, fret=fret, locked=frozenset({"pitch", "place", "heard"})
        )
        return found.with_notes([*found.notes, Note(number, heard, written)])

    return with_change(lesson, phrase, added)


def move_note_edge(lesson: Lesson, phrase: int, note: int, edge: str, seconds: float) -> Lesson:
    """Move where a note starts or stops.

    Parameters
    ----------
    lesson : Lesson
    phrase, note : int
        Their numbers.
    edge : str
        ``"onset"``, or else its end.
    seconds : float
        Where to; a note stays 0.02 s long.
    """

    return each_note(lesson, phrase, [note], lambda old: _with_edge_at(old, edge, seconds))


def _with_edge_at(note: Note, edge: str, seconds: float) -> Note:
    heard = note.heard
    if edge == "onset":
        onset = min(max(seconds, 0.0), heard.offset_s - SHORTEST_NOTE_S)
        shift = heard.onset_s - onset
        curve = tuple((t + shift, c) for t, c in heard.curve if t + shift >= 0.0)
        changed = replace(heard, onset_s=onset, curve=curve)
    else:
        changed = replace(heard, offset_s=max(seconds, heard.onset_s + SHORTEST_NOTE_S))
    return replace(note, heard=changed).rewritten("heard")


def shift_note_edges(
    lesson: Lesson, phrase: int, notes: Iterable[int], edge: str, by_s: float
) -> Lesson:
    """Move the onsets or the ends of several notes by the same time.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    notes : iterable of int
        Their numbers.
    edge : str
        ``"onset"``, or else the end of each.
    by_s : float
        Later where positive.
    """

    def shifted(old: Note) -> Note:
        here = old.onset_s if edge == "onset" else old.offset_s
        return _with_edge_at(old, edge, here + by_s)

    return each_note(lesson, phrase, notes, shifted)


def shift_octave(lesson: Lesson, phrase: int, notes: Iterable[int], octaves: int) -> Lesson:
    """Hear notes an octave higher or lower: what was heard is corrected, the place follows it.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    notes : iterable of int
        Their numbers.
    octaves : int
        Up where positive.
    """
    guitar = guitar_of(lesson, phrase)

    def shifted(note: Note) -> Note:
        midi = note.heard.midi + 12.0 * octaves
        place = any_place(guitar, round(midi), near=note.written.string)
        if place is None:
            return note
        before = RunnerUp(
            midi=note.heard.midi, confidence=note.heard.confidence, differs=Otherwise.FIRST
        )
        heard = note.heard.at_pitch(midi, (before,))
        return replace(note, heard=heard).rewritten("pitch", string=place[0], fret=place[1])

    return each_note(lesson, phrase, notes, shifted)


def split_note(lesson: Lesson, phrase: int, note: int, seconds: float) -> Lesson:
    """Make two notes of one at a time inside it.

    Parameters
    ----------
    lesson : Lesson
    phrase, note : int
        Their numbers.
    seconds : float
        In the recording; the middle of the note where it is not inside.
    """

    def split(found: Phrase) -> Phrase:
        old = found.note(note)
        if old is None:
            raise ValueError(f"there is no note number {note}")
        inside = old.onset_s + SHORTEST_NOTE_S < seconds < old.offset_s - SHORTEST_NOTE_S
        at = seconds if inside else 0.5 * (old.onset_s + old.offset_s)
        length = at - old.onset_s
        early = tuple(p for p in old.heard.curve if p[0] < length)
        late = tuple((t - length, c) for t, c in old.heard.curve if t >= length)
        number = 1 + max(n.ident for n in found.notes)
        first = replace(old, heard=replace(old.heard, offset_s=at, curve=early)).rewritten("heard")
        second = Note(
            number,
            replace(old.heard, onset_s=at, curve=late),
            replace(old.written, techniques=frozenset(), bend_semitones=0.0, onset_beats=None),
        ).rewritten("heard")
        return found.with_notes([*(n for n in found.notes if n.ident != note), first, second])

    return with_change(lesson, phrase, split)


def join_notes(lesson: Lesson, phrase: int, notes: Iterable[int]) -> Lesson:
    """Make one note of several: the first, sounding to the end of the last.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    notes : iterable of int
        Their numbers.
    """

    def joined(found: Phrase) -> Phrase:
        chosen = [n for n in found.notes if n.ident in set(notes)]
        if len(chosen) < 2:
            return found
        first, last = chosen[0], max(chosen, key=lambda n: n.offset_s)
        curve = list(first.heard.curve)
        for other in chosen[1:]:
            shift = other.onset_s - first.onset_s
            rise = 100.0 * (other.heard.midi - first.heard.midi)
            curve += [(t + shift, c + rise) for t, c in other.heard.curve]
        heard = replace(first.heard, offset_s=last.offset_s, curve=tuple(sorted(curve)))
        gone = {n.ident for n in chosen}
        kept = [n for n in found.notes if n.ident not in gone]
        return found.with_notes([*kept, replace(first, heard=heard).rewritten("heard")])

    return with_change(lesson, phrase, joined)


def any_place(guitar: Guitar, midi: int, *, near: int) -> tuple[int, int] | None:
    """Give a place of a pitch, on the string nearest to one.

    Parameters
    ----------
    guitar : Guitar
    midi : int
        The pitch.
    near : int
        A string.
    """
    places = [(s, midi - guitar.open_midi(s)) for s in range(1, guitar.string_count + 1)]
    fitting = [place for place in places if 0 <= place[1] <= guitar.last_fret]
    return min(fitting, key=lambda place: abs(place[0] - near), default=None)

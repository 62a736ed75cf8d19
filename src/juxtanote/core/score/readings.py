"""Other readings of a note, and a fresh listening laid into what a person decided."""

from dataclasses import replace

from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import SLURS, Note, RunnerUp
from juxtanote.core.score.note_edits import (
    SAME_ONSET_S,
    any_place,
    each_note,
    guitar_of,
    join_notes,
    split_note,
)
from juxtanote.core.theory.observed import Otherwise
from juxtanote.core.theory.tuning import Guitar


def take_runner_up(lesson: Lesson, phrase: int, note: int) -> Lesson:
    """Read a note as its first runner-up; the old reading becomes the last runner-up.

    Parameters
    ----------
    lesson : Lesson
    phrase, note : int
        Their numbers.
    """
    found = lesson.phrase(phrase)
    old = found.note(note) if found is not None else None
    if found is None or old is None or not old.heard.runner_ups:
        return lesson
    first, *others = old.heard.runner_ups
    if first.differs is Otherwise.TWO_NOTES:
        spent = _with_runner_ups(lesson, phrase, note, tuple(others))
        return split_note(spent, phrase, note, old.onset_s + first.at_s)
    before = next(
        (n for n in reversed(found.notes) if n.onset_s < old.onset_s - 0.03 and _alike(n, old)),
        None,
    )
    if first.differs is Otherwise.ONE_NOTE:
        spent = _with_runner_ups(lesson, phrase, note, tuple(others))
        return join_notes(spent, phrase, [before.ident, note]) if before is not None else spent
    if first.differs in (Otherwise.SLURRED, Otherwise.PICKED):
        return _as_struck(lesson, phrase, old, first.differs)
    return each_note(
        lesson, phrase, [note], lambda n: _at_other_pitch(guitar_of(lesson, phrase), n)
    )


def _alike(a: Note, b: Note) -> bool:
    return abs(a.heard.midi - b.heard.midi) < 0.6


def _with_runner_ups(
    lesson: Lesson, phrase: int, note: int, others: tuple[RunnerUp, ...]
) -> Lesson:
    return each_note(
        lesson, phrase, [note], lambda n: replace(n, heard=replace(n.heard, runner_ups=others))
    )


def _as_struck(lesson: Lesson, phrase: int, note: Note, how: Otherwise) -> Lesson:
    """Read a note as slurred from the note before it, or as picked; the other way comes last."""
    found = lesson.phrase(phrase)
    assert found is not None
    earlier = [n for n in found.notes if n.onset_s < note.onset_s - 0.02]
    tags = set(note.written.techniques) - SLURS
    is_slurred = how is Otherwise.SLURRED
    if is_slurred and earlier:
        tags.add("pull-off" if earlier[-1].heard.midi > note.heard.midi else "hammer-on")
    first, *others = note.heard.runner_ups
    back = replace(
        first,
        differs=Otherwise.PICKED if is_slurred else Otherwise.SLURRED,
        confidence=round(1.0 - first.confidence, 3),
    )
    heard = replace(note.heard, runner_ups=(*others, back))
    changed = replace(note, heard=heard).rewritten(
        "techniques",
        techniques=frozenset(tags),
        stroke="" if is_slurred else note.written.stroke,
    )
    return each_note(lesson, phrase, [note.ident], lambda n: changed)


def _at_other_pitch(guitar: Guitar, old: Note) -> Note:
    """Read a note at the pitch of its first runner-up; at that it is not one with the note before."""
    first, *rest = old.heard.runner_ups
    others = [other for other in rest if other.differs is not Otherwise.ONE_NOTE]
    back = replace(first, midi=old.heard.midi, differs=Otherwise.FIRST)
    heard = old.heard.at_pitch(first.midi, (*others, back))
    fret = old.written.fret + round(first.midi - old.heard.midi)
    place = (old.written.string, fret)
    if not 0 <= fret <= guitar.last_fret:
        place = any_place(guitar, round(first.midi), near=place[0]) or place
    if not 0 <= place[1] <= guitar.last_fret:
        return old
    return replace(old, heard=heard).rewritten("pitch", string=place[0], fret=place[1])


def merge_listening(
    phrase: Phrase, heard: tuple[Note, ...], stretch: tuple[float, float] | None = None
) -> Phrase:
    """Put a new listening into a phrase: notes with any lock stay, what overlaps them is dropped.

    With a stretch, notes that begin outside it stay too. Notes that a person deleted stay deleted.

    Parameters
    ----------
    phrase : Phrase
        As it is.
    heard : tuple of Note
        The new notes, by onset in seconds.
    stretch : tuple, optional
        From and to, seconds of the recording; the whole phrase where None.
    """
    start, end = stretch or (0.0, float("inf"))
    kept = [n for n in phrase.notes if n.written.locked or not start <= n.onset_s < end]
    fresh = []
    number = 1 + max((note.ident for note in phrase.notes), default=0)
    for note in heard:
        beside = [old for old in phrase.notes if abs(note.onset_s - old.onset_s) < 0.05]
        partner = any(_alike(note, old) and old not in kept for old in beside)
        near = (_confused(note, old) and not partner for old in beside if old in kept)
        if any(near) or any(_same_sound(note, old) for old in kept) or _was_deleted(phrase, note):
            continue
        fresh.append(replace(note, ident=number))
        number += 1
    return phrase.with_notes([*kept, *fresh])


def _was_deleted(phrase: Phrase, note: Note) -> bool:
    """Tell whether a person took this note out before."""
    return any(
        abs(onset - note.onset_s) < SAME_ONSET_S and abs(midi - note.heard.midi) < 0.6
        for onset, midi in phrase.deleted
    )


def _confused(new: Note, old: Note) -> bool:
    """Tell whether a new note may be what an old one was corrected from: not a partner in a chord."""
    apart = round(abs(new.heard.midi - old.heard.midi))
    return apart <= 2 or apart == 12


def _same_sound(new: Note, old: Note) -> bool:
    """Tell whether a new note is inside an old one at its pitch."""
    inside = old.onset_s - 0.03 < new.onset_s < old.offset_s - 0.03
    return inside and abs(new.heard.midi - old.heard.midi) < 0.6

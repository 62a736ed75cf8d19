"""What a person does to phrases and parts: each edit is a function from a lesson to a new lesson.

Every edit of notes (`note_edits`) ends with their written time derived anew (`timing.counted`).
"""

from collections.abc import Callable
from dataclasses import replace
from itertools import count

from juxtanote.core.score.lesson import Lesson, Part, Phrase
from juxtanote.core.score.note import (
    Note,
)
from juxtanote.core.score.sections import letter_of
from juxtanote.core.score.timing import counted

SHORTEST_PHRASE_S = 0.1  # a shorter one cannot be looped
COUNTED_AS = frozenset({"grace", "rake", "let-ring"})  # techniques that written time looks at


def with_change(lesson: Lesson, ident: int, change: Callable[[Phrase], Phrase]) -> Lesson:
    """Change one phrase or variant; where its notes or their times differ after that it is counted anew.

    Raises
    ------
    ValueError
        If there is no such phrase.
    """
    phrase = lesson.phrase(ident)
    if phrase is None:
        raise ValueError(f"there is no phrase number {ident}")
    changed = change(phrase)
    if _told_otherwise(phrase, changed):
        changed = counted(changed, lesson.time_map)
    return lesson.with_phrase(changed) if changed is not phrase else lesson


def _told_otherwise(before: Phrase, after: Phrase) -> bool:
    """Whether anything differs that written time is derived from."""
    if (before.evenness, before.subdivision) != (after.evenness, after.subdivision):
        return True
    if before.notes is after.notes:
        return False
    return len(before.notes) != len(after.notes) or any(
        old is not new and _timing_of(old) != _timing_of(new)
        for old, new in zip(before.notes, after.notes, strict=True)
    )


def _timing_of(note: Note) -> tuple[object, ...]:
    written = note.written
    locked = "time" in written.locked
    return (
        note.ident, note.onset_s, note.offset_s, written.techniques & COUNTED_AS,
        (locked, written.onset_beats, written.duration_beats),
    )  # fmt: skip


def _touched(phrase: Phrase, **fields: object) -> Phrase:
    """Change fields of a phrase by hand: it is no proposal any more."""
    return replace(phrase, proposed=False, **fields)  # type: ignore[arg-type]


# Phrases


def cut_phrase(
    lesson: Lesson,
    start_s: float,
    end_s: float,
    name: str = "",
    *,
    part: int | None = None,
    proposed: bool = False,
) -> Lesson:
    """Add an empty phrase over a stretch of the recording, to the first part unless told.

    Parameters
    ----------
    lesson : Lesson
    start_s, end_s : float
        In the recording, in either order.
    name : str
        The next free one where empty.
    part : int, optional
        Its number.
    proposed : bool
        True where the program cuts and nobody has said yes.
    """
    start, end = sorted((max(start_s, 0.0), max(end_s, 0.0)))
    end = max(end, start + SHORTEST_PHRASE_S)
    number = lesson.fresh_phrase_number()
    chosen = lesson.parts[0].ident if part is None else part
    phrase = Phrase(
        number, name or next_phrase_name(lesson), start, end, part=chosen, proposed=proposed
    )
    return lesson.with_phrase(phrase)


def next_phrase_name(lesson: Lesson) -> str:
    """Give the first section letter that no phrase has.

    Parameters
    ----------
    lesson : Lesson
    """
    used = {phrase.name for phrase in lesson.phrases}
    return next(letter for k in count() if (letter := letter_of(k)) not in used)


def move_phrase_edge(lesson: Lesson, ident: int, edge: str, seconds: float) -> Lesson:
    """Move the start or the end of a phrase; its variants take the same time.

    Parameters
    ----------
    lesson : Lesson
    ident : int
        Number of the phrase, or of a variant of it.
    edge : str
        ``"start"`` or ``"end"``.
    seconds : float
        Where to; it stops 0.1 s before the other edge.
    """

    def moved(phrase: Phrase) -> Phrase:
        if edge == "start":
            times = min(max(seconds, 0.0), phrase.end_s - SHORTEST_PHRASE_S), phrase.end_s
        else:
            times = phrase.start_s, max(seconds, phrase.start_s + SHORTEST_PHRASE_S)
        variants = tuple(replace(v, start_s=times[0], end_s=times[1]) for v in phrase.variants)
        return _touched(phrase, start_s=times[0], end_s=times[1], variants=variants)

    source = lesson.source_of(ident)
    return with_change(lesson, source.ident if source else ident, moved)


def change_phrase(lesson: Lesson, ident: int, **fields: object) -> Lesson:
    """Replace fields of a phrase: name, repeats, status, breakdown and the like.

    Parameters
    ----------
    lesson : Lesson
    ident : int
        Number of the phrase.
    **fields
        Of `Phrase`.
    """
    return with_change(lesson, ident, lambda p: _touched(p, **fields))


def delete_phrase(lesson: Lesson, ident: int) -> Lesson:
    """Take a phrase away, or a variant from under its phrase.

    Parameters
    ----------
    lesson : Lesson
    ident : int
        Number of the phrase or variant.
    """
    phrases = tuple(
        replace(p, variants=tuple(v for v in p.variants if v.ident != ident)) if p.variants else p
        for p in lesson.phrases
        if p.ident != ident
    )
    return replace(lesson, phrases=phrases)


def refuse_proposals(lesson: Lesson) -> Lesson:
    """Take away every phrase that the program proposed and nobody touched since."""
    kept = tuple(p for p in lesson.phrases if not p.proposed or p.notes or p.variants)
    return replace(lesson, phrases=kept)


def add_variant(lesson: Lesson, source: int, variant: Phrase) -> Lesson:
    """Hang a variant under the phrase that it comes from.

    Parameters
    ----------
    lesson : Lesson
    source : int
        Number of the phrase that it hangs under.
    variant : Phrase
        With a number that is free.
    """
    return with_change(lesson, source, lambda p: replace(p, variants=(*p.variants, variant)))


# Parts


def add_part(lesson: Lesson, name: str, role: str) -> Lesson:
    """Add a part, with the guitar of the first.

    Parameters
    ----------
    lesson : Lesson
    name : str
        "Guitar" and its number where empty.
    role : str
        Such as ``"lead"``.
    """
    number = 1 + max(part.ident for part in lesson.parts)
    first = lesson.parts[0]
    part = Part(number, name or f"Guitar {number}", role, first.guitar, first.school)
    return replace(lesson, parts=(*lesson.parts, part))


def change_part(lesson: Lesson, ident: int, **fields: object) -> Lesson:
    """Replace name, role or school of a part (its guitar: `fretboard` follows).

    Parameters
    ----------
    lesson : Lesson
    ident : int
        Number of the part.
    **fields
        Of `Part`.
    """
    changed = replace(lesson.part(ident), **fields)  # type: ignore[arg-type]
    return replace(lesson, parts=tuple(changed if p.ident == ident else p for p in lesson.parts))


def delete_part(lesson: Lesson, ident: int) -> Lesson:
    """Take a part and its phrases away; the last part stays.

    Parameters
    ----------
    lesson : Lesson
    ident : int
        Number of the part.
    """
    if len(lesson.parts) < 2:
        raise ValueError("a lesson has at least one part")
    parts = tuple(part for part in lesson.parts if part.ident != ident)
    return replace(lesson, parts=parts, phrases=tuple(p for p in lesson.phrases if p.part != ident))


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

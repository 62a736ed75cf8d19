"""Written values by hand: longer, shorter, dotted, triplet, tied, a rest before. What is set is locked.

A note's onset is where it sounds; its value reaches to the next one. What is tied once more is held over
the next one, which makes it a voice of its own (`voices`).
"""

from collections.abc import Callable, Iterable
from fractions import Fraction

from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.values import BASES, TRIPLET, split_length

LONGER, SHORTER, DOTTED, TRIPLETS, TIED, REST_BEFORE = CHANGES = (
    "longer", "shorter", "dotted", "triplet", "tied", "rest before",
)  # fmt: skip
LADDER = tuple(sorted(length for _, length in BASES[:6]))  # a thirty-second to a whole
LAST_BEATS = Fraction(8)  # what a phrase's last note may be held


def change_values(lesson: Lesson, ident: int, notes: Iterable[int], change: str) -> Lesson:
    """Change the written values of notes, and of those that are struck with them.

    Parameters
    ----------
    lesson : Lesson
        Before the edit.
    ident : int
        Number of the phrase.
    notes : iterable of int
        Their numbers.
    change : str
        ``"longer"``, ``"shorter"`` or another of `CHANGES`.

    Raises
    ------
    ValueError
        If there is no such phrase or change.
    """
    phrase = lesson.phrase(ident)
    if phrase is None or change not in CHANGES:
        raise ValueError(f"no phrase {ident}, or no change {change!r}")
    chosen = set(notes)
    onsets = sorted({_onset(n) for n in phrase.notes if n.written.duration_beats})
    wanted = {_onset(n) for n in phrase.notes if n.ident in chosen and n.written.duration_beats}
    if change == REST_BEFORE:
        wanted = {onsets[at - 1] for o in wanted if (at := onsets.index(o)) > 0}
    after = dict(zip(onsets, onsets[1:], strict=False))

    def room_at(onset: Fraction) -> Fraction:
        return after[onset] - onset if onset in after else LAST_BEATS

    def is_held(note: Note) -> bool:
        length, room = note.written.duration_beats or Fraction(0), room_at(_onset(note))
        return length > room or (change == TIED and length == room)

    # What is held is another voice than what is struck with it.
    held = {_onset(n) for n in phrase.notes if n.ident in chosen and is_held(n)}

    def changed(note: Note) -> Note:
        onset, length = _onset(note), note.written.duration_beats
        if onset not in wanted or not length:
            return note
        room = room_at(onset)
        if onset in held and change != REST_BEFORE:
            if note.ident not in chosen:
                return note
            room = next((o for o in onsets if o > onset + length), onset + LAST_BEATS) - onset
        most = LAST_BEATS if onset in held else room
        fresh = min(_changed(length, room, change, lesson.time_map), most)
        if fresh == length:
            return note
        return note.rewritten("time", onset_beats=onset, duration_beats=fresh)

    return _with(lesson, phrase, changed)


def _with(lesson: Lesson, phrase: Phrase, change: Callable[[Note], Note]) -> Lesson:
    fresh = [change(note) for note in phrase.notes]
    if all(new is old for new, old in zip(fresh, phrase.notes, strict=True)):
        return lesson
    return lesson.with_phrase(phrase.with_notes(fresh))


def _onset(note: Note) -> Fraction:
    return note.written.onset_beats or Fraction(0)


def _changed(length: Fraction, room: Fraction, change: str, time_map: TimeMap) -> Fraction:
    """Give the new length in beats."""
    worth = time_map.quarters_per_beat
    quarters = length * worth
    first = split_length(quarters)[0]
    if change == LONGER:
        return next((v for v in LADDER if v > quarters), LADDER[-1]) / worth
    if change == SHORTER:
        return next((v for v in reversed(LADDER) if v < quarters), LADDER[0]) / worth
    if change == DOTTED:
        return first.quarters * (Fraction(2, 3) if first.dots else Fraction(3, 2)) / worth
    if change == TRIPLETS:
        return (
            first.quarters * (Fraction(3, 2) if first.tuplet == TRIPLET else Fraction(2, 3)) / worth
        )
    if change == TIED:
        return room
    return room if length < room else room / 2

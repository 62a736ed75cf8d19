"""Sections of a lesson: letters for what is written the same, and phrases that sound together."""

import re
from collections.abc import Sequence

from juxtanote.core.score.lesson import Phrase

TOUCH_S = 0.25  # phrases that overlap by less follow each other
_NAMED = re.compile(r"[A-Z]{1,3}['′]{0,2}\d?")


def section_letters(phrases: Sequence[Phrase]) -> dict[int, str]:
    """Give the letter of each phrase with notes, by its number: what is written the same has the same.

    Letters go from A to Z, then AA. Where a person names phrases by letters, those are it.
    """
    named = {phrase.ident: phrase.name for phrase in phrases if phrase.notes}
    if all(_NAMED.fullmatch(name) for name in named.values()):
        return named
    letters: dict[tuple[object, ...], str] = {}
    given = {}
    for phrase in phrases:
        if phrase.notes:
            given[phrase.ident] = letters.setdefault(written_as(phrase), letter_of(len(letters)))
    return given


def letter_of(number: int) -> str:
    """Give a section's letter by its number: after Z come AA, BB and so on (common practice).

    Parameters
    ----------
    number : int
        From 0.

    Examples
    --------
    >>> [letter_of(number) for number in (0, 25, 26, 27, 52)]
    ['A', 'Z', 'AA', 'BB', 'AAA']
    """
    return chr(ord("A") + number % 26) * (1 + number // 26)


def sounding_together(phrases: Sequence[Phrase]) -> list[list[Phrase]]:
    """Group phrases in order of time: those of different parts that overlap are one group."""
    groups: list[list[Phrase]] = []
    until = float("-inf")
    for phrase in sorted(phrases, key=lambda p: p.start_s):
        if groups and phrase.start_s < until - TOUCH_S:
            groups[-1].append(phrase)
        else:
            groups.append([phrase])
        until = max(until, phrase.end_s) if len(groups[-1]) > 1 else phrase.end_s
    return groups


def written_as(phrase: Phrase) -> tuple[object, ...]:
    """Give all of a phrase that a page shows, so that two can be compared wherever they begin."""
    first = phrase.notes[0].written.onset_beats if phrase.notes else None
    notes = []
    for note in phrase.notes:
        w = note.written
        at = None if w.onset_beats is None or first is None else w.onset_beats - first
        bend = round(2 * w.bend_semitones)
        notes.append(
            (w.string, w.fret, w.techniques, bend, at, w.duration_beats, w.stroke, w.finger)
        )
    return phrase.part, phrase.repeats, phrase.ending, phrase.breakdown, tuple(notes)

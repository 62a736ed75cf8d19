"""How written time is shown: what is counted aloud, which notes share a beam, which rests fill a gap."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from juxtanote.core.score.time_map import Metre, TimeMap

COUNT_WORDS = {
    (0, 1): "", (1, 2): "&", (1, 4): "e", (3, 4): "a", (1, 3): "trip", (2, 3): "let",
    (1, 6): "ta", (5, 6): "ta",
}  # fmt: skip


def count_word(onset: Fraction, time_map: TimeMap) -> str:
    """Say an onset as it is counted: "3", "&", "e", "a", "trip", "let"; eighths in compound time.

    Parameters
    ----------
    onset : Fraction
        In beats.
    time_map : TimeMap
        For the metre, and where bar 1 is.

    Examples
    --------
    >>> plain = TimeMap()
    >>> [count_word(Fraction(k, 4), plain) for k in (24, 26, 27)]
    ['3', '&', 'a']
    >>> [count_word(Fraction(k, 6), TimeMap(beats_per_bar=2, division=3)) for k in (6, 8, 9)]
    ['4', '5', '&']
    """
    whole = onset.numerator // onset.denominator
    part = onset - whole
    beat = whole % time_map.beats_per_bar
    if time_map.is_compound:
        eighth, rest = divmod(part, Fraction(1, 3))
        number = 3 * beat + int(eighth) + 1
        return str(number) if rest == 0 else "&" if rest == Fraction(1, 6) else "·"
    if part == 0:
        return str(beat + 1)
    return COUNT_WORDS.get((part.numerator, part.denominator), "·")


def is_on_beat(onset: Fraction) -> bool:
    """Tell whether an onset is on a beat: counts on the beat are drawn stronger."""
    return onset.denominator == 1


@dataclass(frozen=True, slots=True)
class Beams:
    """How the notes of one beat are joined: beams of each, and the number over a tuplet (0: none)."""

    counts: tuple[int, ...]
    tuplet: int


def beams_of(beat: int, onsets: Sequence[Fraction], compound: bool) -> Beams:
    """Give beams for the rising onsets inside one beat, as engraved: one for an eighth.

    Parameters
    ----------
    beat : int
        Its number, from 0.
    onsets : sequence of Fraction
        Inside that beat, in beats.
    compound : bool
        Whether the beat falls into three.
    """
    gaps = [b - a for a, b in zip(onsets, [*onsets[1:], Fraction(beat + 1)], strict=True)]
    worth = Fraction(3, 2) if compound else Fraction(1)
    counts = tuple(_beam_count(gap * worth) for gap in gaps)
    tuplet = 0
    if compound and any(
        (gap * 3).denominator in (2, 4) and gap.denominator in (2, 4) for gap in gaps
    ):
        tuplet = 4 if min(gaps) <= Fraction(1, 4) else 2
    elif not compound and any(gap.denominator % 3 == 0 for gap in gaps):
        tuplet = 6 if min(gaps) <= Fraction(1, 6) else 3
    return Beams(counts, tuplet if len(onsets) > 1 else 0)


def _beam_count(quarters: Fraction) -> int:
    if quarters >= 1:
        return 0
    if quarters > Fraction(1, 4):
        return 1
    return 2 if quarters > Fraction(1, 8) else 3


REST_VALUES = tuple(Fraction(*value) for value in ((4, 1), (2, 1), (1, 1), (1, 2), (1, 4), (1, 8)))
COMPOUND_VALUES = tuple(Fraction(*value) for value in ((1, 1), (2, 3), (1, 3), (1, 6), (1, 12)))
# Where a compound beat falls into halves after all: dotted values.
HALVED_VALUES = tuple(Fraction(*value) for value in ((1, 2), (1, 4), (1, 8), (1, 16)))
TRIPLET_VALUES = tuple(Fraction(*value) for value in ((2, 3), (1, 3), (1, 6)))
# Notes that are written as long as it is to the next, though they stop before: their sign says so.
CLIPPED = frozenset({"staccato", "palm-mute", "dead"})


@dataclass(frozen=True, slots=True)
class Rest:
    """A rest: where it begins, and how long it is, in beats."""

    onset_beats: Fraction
    duration_beats: Fraction


@lru_cache(maxsize=4096)
def fill_with_rests(start: Fraction, end: Fraction, metre: Metre) -> tuple[Rest, ...]:
    """Fill a gap, in beats from the bar, with the largest rests that stand on their own multiples.

    Parameters
    ----------
    start, end : Fraction
        In beats from the bar line.
    metre : Metre
        What the bar is counted in.
    """
    found: list[Rest] = []
    while start < end:
        if metre.is_compound:
            halved = start.denominator % 3 and (end - start).denominator % 3
            values = HALVED_VALUES if halved and start.denominator > 1 else COMPOUND_VALUES
            if halved and end - start < Fraction(1, 3):
                values = HALVED_VALUES
        else:
            third = (start.denominator % 3 == 0) or (
                (end - start).denominator % 3 == 0 and end - start < 1
            )
            values = TRIPLET_VALUES if third else REST_VALUES
        step = next((v for v in values if v <= end - start and _stands(start, v)), None)
        if step is None:
            return tuple(found)
        found.append(Rest(start, step))
        start += step
    return tuple(found)


def _stands(inside: Fraction, value: Fraction) -> bool:
    unit = Fraction(1) if value == Fraction(2, 3) else value  # two thirds only where a beat begins
    return (inside / unit).denominator == 1

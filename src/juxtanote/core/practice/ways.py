"""Ways to practise that the trade uses, and what each of them trains (common practice)."""

from dataclasses import dataclass
from enum import Enum


class Way(Enum):
    """What is done with a phrase."""

    PARTS = "part by part, then joined"
    WEAK_SPOTS = "whole, then its weak spots"
    PICKED = "every note picked"
    SLURRED = "slurred wherever it can be"
    WITH_BAR = "with the slide bar"
    OTHER_STRINGS = "on other strings"
    OTHER_KEYS = "through the keys, a fourth up each time"
    OTHER_BEAT = "from its second beat"
    BACK_BEAT = "click on two and four"
    OFF_BEAT = "click off the beat"
    SILENT_BARS = "click silent every other bar"
    BACKING = "without the lead"


@dataclass(frozen=True, slots=True)
class Told:
    """A way, what it trains, and how to go about it."""

    way: Way
    trains: str


WAYS = (
    Told(Way.PARTS, "memory: each part is sure before it is joined to what came before"),
    Told(Way.WEAK_SPOTS, "the hard bars, so that the easy ones are not all that is played"),
    Told(Way.PICKED, "the picking hand; slurs are put back when it is even"),
    Told(Way.SLURRED, "the fretting hand: hammering on and pulling off as loud as picked notes"),
    Told(Way.WITH_BAR, "pitch by ear over the fret wire, and damping behind the bar"),
    Told(Way.OTHER_STRINGS, "knowing the neck: the same line in another place"),
    Told(Way.OTHER_KEYS, "knowing the line and not the place"),
    Told(Way.OTHER_BEAT, "hearing where the beat is, whatever one begins with"),
    Told(Way.BACK_BEAT, "keeping time by oneself: one and three are yours"),
    Told(Way.OFF_BEAT, "steadiness: the beat is only in the head"),
    Told(Way.SILENT_BARS, "finding out whether one hurries: the click comes back"),
    Told(Way.BACKING, "playing with the band instead of after it"),
)
FOURTH = 5  # semitones


def next_key(semitones: int) -> int:
    """Give how far the next key lies from the phrase's own, from -6 to 6, a fourth further; 0 at the end.

    Parameters
    ----------
    semitones : int
        How far the present key is from the phrase's own.

    Examples
    --------
    >>> steps = [0]
    >>> for _ in range(12):
    ...     steps.append(next_key(steps[-1]))
    >>> steps[-1], len(set(steps[:-1]))
    (0, 12)
    """
    return (semitones + FOURTH + 6) % 12 - 6

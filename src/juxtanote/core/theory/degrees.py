"""Moving through a scale: steps in a key, thirds and sixths that stay in it."""

from juxtanote.core.theory.keys import Key
from juxtanote.core.theory.scales import SCALES

SEVEN = {
    "major": (0, 2, 4, 5, 7, 9, 11), "minor": (0, 2, 3, 5, 7, 8, 10),
}  # fmt: skip


def scale_of(key: Key, scale: str, *, whole: bool = False) -> tuple[int, ...]:
    """Give the pitch classes of a key's scale, rising from its tonic.

    With `whole`, or where no scale is named, that of seven notes which belongs to the key: thirds of a
    pentatonic scale are none.
    """
    steps = SCALES.get(scale, ())
    if whole and len(steps) != 7:
        steps = SCALES.get(key.mode, SEVEN[key.family])
        steps = steps if len(steps) == 7 else SEVEN[key.family]
    if not steps:
        steps = SEVEN[key.family]
    return tuple((key.pitch_class + step) % 12 for step in steps)


def move_in_scale(midi: int, steps: int, classes: tuple[int, ...]) -> int:
    """Move a pitch by steps of a scale; one beside the scale keeps its distance to the note under it.

    Parameters
    ----------
    midi : int
        Where from.
    steps : int
        Of the scale, up or down.
    classes : tuple of int
        Pitch classes of the scale, 0 to 11.

    Examples
    --------
    >>> c_major = (0, 2, 4, 5, 7, 9, 11)
    >>> move_in_scale(60, 2, c_major), move_in_scale(64, 2, c_major), move_in_scale(61, 2, c_major)
    (64, 67, 65)
    """
    inside = set(classes)
    under = midi
    while under % 12 not in inside:
        under -= 1
    beside, left, at = midi - under, abs(steps), under
    way = 1 if steps > 0 else -1
    while left:
        at += way
        left -= at % 12 in inside
    return at + beside


def steps_between(low: int, high: int, classes: tuple[int, ...]) -> int:
    """Count steps of a scale from one pitch to another; a note beside the scale counts as that under it.

    Parameters
    ----------
    low, high : int
        MIDI pitches.
    classes : tuple of int
        Pitch classes of the scale, 0 to 11.

    Examples
    --------
    >>> steps_between(60, 67, (0, 2, 4, 5, 7, 9, 11)), steps_between(67, 60, (0, 2, 4, 5, 7, 9, 11))
    (4, -4)
    """
    if high < low:
        return -steps_between(high, low, classes)
    inside = set(classes)
    return sum(1 for midi in range(low + 1, high + 1) if midi % 12 in inside)

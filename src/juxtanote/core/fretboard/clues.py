"""What the sound suggests of the place: stiffness of the string, and open strings that ring on.

Clues are costs by place that the search adds to its own, never more than a few units: a habit of the
hand can outweigh them. How stiff each string of this guitar is comes from the recording itself, from
locked notes and from where notes lie at first.
"""

from dataclasses import dataclass, replace

import numpy as np

from juxtanote.core.fretboard.candidates import NoteToPlace, find_candidates
from juxtanote.core.theory.tuning import Guitar

PER_FRET = 1.0 / 6.0  # octaves of B a fret: B grows with 1/L²
PER_STRING = 0.25  # octaves of B a string, at the nut, towards the thick side (common practice)
SPREAD = 0.35  # octaves, of one measurement
WEIGHT = 2.0
MOST = 3.0  # a clue costs this much at most
CLEAR = 0.3  # below this a measurement says nothing
LEAN_WEIGHT = 0.5  # of what the colour of the sound suggests: neighbouring notes err together
TRUSTED = 3  # locked notes that the training of the colour is worth
MOST_ONE = 3.0  # one note's sound costs a place this much at most
RINGS_S = 0.2
RINGING = -1.2
SHIFTS = (0.0, -1.07, 1.07, -0.53, 0.53)
"""Octaves of B that the whole guitar may be off when it is judged from one placement: a string."""


@dataclass(frozen=True, slots=True)
class HeardString:
    """What was measured of one note: log2 of B with its clarity, how long it rings under the next."""

    log_b: float = 0.0
    clarity: float = 0.0
    rings_s: float = 0.0
    shaken: bool = False
    lean: tuple[float, ...] = ()


def with_clues(
    guitar: Guitar,
    notes: list[NoteToPlace],
    heard: list[HeardString],
    first: list[tuple[int, int]],
    *,
    shift: float = 0.0,
) -> list[NoteToPlace]:
    """Give the notes with what the sound suggests, as costs by place that the search adds.

    Parameters
    ----------
    first : list of (string, fret)
        Where the notes lie without clues; it tells how stiff each string seems to be.
    """
    stiff = _string_levels(guitar, notes, heard, first)
    weight = LEAN_WEIGHT * _trust(guitar, notes, heard)
    told: list[NoteToPlace] = []
    for note, seen in zip(notes, heard, strict=True):
        places = find_candidates(guitar, note)
        clue = dict.fromkeys(places, 0.0)
        if stiff is not None and seen.clarity > CLEAR and len(places) > 1:
            for string, fret in places:
                off = (
                    seen.log_b - PER_FRET * (fret + guitar.capo) - stiff[string] - shift
                ) / SPREAD
                clue[string, fret] = WEIGHT * seen.clarity * min(0.5 * off * off, MOST)
        if seen.lean and len(places) > 1:
            for place in places:
                clue[place] -= weight * _fit(guitar, seen, place)
        least = min(clue.values(), default=0.0)
        clue = {place: min(cost - least, MOST_ONE) for place, cost in clue.items()}
        if seen.rings_s > RINGS_S and not seen.shaken:
            for place in places:
                if place[1] == 0:
                    clue[place] += RINGING * min(seen.rings_s / 0.5, 1.0)
        kept = (
            tuple(sorted((p, round(c, 2)) for p, c in clue.items())) if any(clue.values()) else ()
        )
        told.append(replace(note, clue=kept))
    return told


def _fit(guitar: Guitar, seen: HeardString, place: tuple[int, int]) -> float:
    """Read how well the sound fits a place, at its fret from the nut."""
    return seen.lean[min(place[1] + guitar.capo, len(seen.lean) - 1)]


def _trust(guitar: Guitar, notes: list[NoteToPlace], heard: list[HeardString]) -> float:
    """Tell from the locked notes how far the colour of this recording can be believed: 0 to 1."""
    right = asked = TRUSTED
    for note, seen in zip(notes, heard, strict=True):
        if note.string is None or note.fret is None or not seen.lean:
            continue
        places = find_candidates(guitar, replace(note, string=None, fret=None))
        if len(places) > 1:
            asked += 1
            best = max(places, key=lambda place: _fit(guitar, seen, place))
            right += best == (note.string, note.fret)
    return right / asked


def _string_levels(
    guitar: Guitar, notes: list[NoteToPlace], heard: list[HeardString], first: list[tuple[int, int]]
) -> dict[int, float] | None:
    """Give log2 of B at the nut for each string: the usual slope, moved by what was measured."""
    sums = {s: [0.0, 0.0] for s in range(1, guitar.string_count + 1)}
    levels, weights = [], []
    for index, (note, seen) in enumerate(zip(notes, heard, strict=True)):
        if seen.clarity <= CLEAR:
            continue
        string, fret = first[index]
        level = seen.log_b - PER_FRET * (fret + guitar.capo)
        weight = seen.clarity * (4.0 if note.string is not None or fret == 0 else 1.0)
        sums[string][0] += weight * level
        sums[string][1] += weight
        levels.append(level - PER_STRING * (string - 1))
        weights.append(weight)
    if len(levels) < 3:
        return None
    order = np.argsort(levels)
    running = np.cumsum(np.array(weights)[order])
    base = float(np.array(levels)[order][np.searchsorted(running, 0.5 * running[-1])])
    usual = 3.0  # measurements that the usual slope is worth
    return {
        s: (total + usual * (base + PER_STRING * (s - 1))) / (count + usual)
        for s, (total, count) in sums.items()
    }

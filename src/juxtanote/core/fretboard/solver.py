"""Where to play a phrase: the best placement, and real alternatives to it."""

import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.costs import (
    IMPOSSIBLE,
    MOVING,
    PROFILES,
    STANDING,
    HandStates,
    Weights,
    forbidden_moves,
    in_time,
    moving_features,
    standing_features,
)
from juxtanote.core.fretboard.even import begins_full, even_placements, runs_of
from juxtanote.core.fretboard.search import Chain, HandPath
from juxtanote.core.fretboard.states import TOGETHER_S, Event, group_events, tables_for
from juxtanote.core.fretboard.strokes import picking_of
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.theory.tuning import Guitar

Way = dict[int, tuple[int, int]]  # string and fret of some notes


@dataclass(frozen=True, slots=True)
class Placement:
    """One way to play a phrase: for each note its place, and the fret under the index finger."""

    strings: tuple[int, ...]
    frets: tuple[int, ...]
    positions: tuple[int, ...]
    cost: float
    favours: str = "best overall"
    problems: tuple[str, ...] = ()


def solve(
    guitar: Guitar,
    notes: list[NoteToPlace],
    *,
    weights: Weights | None = None,
    favours: str = "best overall",
    school: str | None = None,
    progress: Progress = no_progress,
) -> Placement:
    """Find the cheapest placement of a phrase.

    Parameters
    ----------
    notes : list of NoteToPlace
        Sorted by onset; a note with string and fret stays there.
    school : str, optional
        With a school of the pick its inside changes count as well.

    Returns
    -------
    placement : Placement
        Always complete; what could not be obeyed is told in `problems`.
    """
    chosen = {favours: weights or PROFILES[favours]}
    return solve_all(guitar, notes, chosen, school=school, progress=progress)[0]


def solve_all(
    guitar: Guitar,
    notes: list[NoteToPlace],
    profiles: dict[str, Weights],
    *,
    school: str | None = None,
    progress: Progress = no_progress,
) -> list[Placement]:
    """Find the cheapest placement under each of several weightings, in one pass.

    Parameters
    ----------
    guitar : Guitar
    notes : list of NoteToPlace
        By onset.
    profiles : dict of str to Weights
        By name.
    school : str, optional
        Of picking; strokes cost nothing where None.
    progress : Progress
        Told how far it is, 0 to 1.
    """
    paths, problems = _search(guitar, notes, profiles, progress, school)
    return [
        _placement(name, path, problems[which]) for which, (name, path) in enumerate(paths.items())
    ]


def _search(
    guitar: Guitar,
    notes: list[NoteToPlace],
    profiles: dict[str, Weights],
    progress: Progress,
    school: str | None = None,
    ways: Sequence[Way] = (),
) -> tuple[dict[str, HandPath], list[list[str]]]:
    """Find the cheapest path under each weighting, and what it could not obey.

    Strokes that hang on the places, and cost, are searched together with them. With `ways`, one for each
    weighting, some notes have their places.
    """
    if not notes:
        return {name: HandPath((), (), (), 0.0, 0.0) for name in profiles}, [[] for _ in profiles]
    problems: list[str] = []
    events = group_events(notes)
    picking = picking_of(notes, school)
    chain = Chain(tables_for(guitar), notes, list(profiles.values()), picking, ways)
    until = time.monotonic() + LONGEST_S
    for number, event in enumerate(events):
        if not chain.is_hasty and time.monotonic() > until:
            chain.is_hasty = True
            problems.append(
                f"From {event.onset_s:.2f} s on only the likeliest places were weighed: the phrase takes "
                "too long to place whole. Cut it into shorter phrases."
            )
        chain.add(event, problems)
        if number % 8 == 0:
            progress(number / len(events))
    progress(1.0)
    paths = dict(zip(profiles, chain.best_paths(), strict=True))
    progress(1.0)
    told = [
        problems + (chain.broken_rules(path.strings, path.frets) if path.cost >= IMPOSSIBLE else [])
        for path in paths.values()
    ]
    return paths, told


def _placement(name: str, path: HandPath, problems: list[str]) -> Placement:
    cost = path.cost - round(path.cost / IMPOSSIBLE) * IMPOSSIBLE
    return Placement(path.strings, path.frets, path.positions, cost, name, tuple(problems))


# After so many seconds of exact search the rest of a phrase is searched among few places.
LONGEST_S = 8.0
EVEN, MOST_FOR_EVEN = "runs even across the strings", 120
# What such a run may cost more than the cheapest placement and still come first: chosen on composed
# phrases; those kept aside agree.
EVEN_WORTH = 1.2
# Cost of a run that begins in the middle of a string's share.
HALF_BEGUN = 1.0
# Cost of each change in the number of notes a string, where a line runs across the strings.
UNEVEN = 0.7


def unevenness(notes: list[NoteToPlace], placement: Placement) -> float:
    """Count where a run across the strings changes its number of notes a string.

    Hands like patterns: two a string, three a string, one a string (common practice).

    Parameters
    ----------
    notes : list of NoteToPlace
        By onset.
    placement : Placement
        Of them.
    """
    runs: list[list[int]] = []  # string, number of notes
    for index, string in enumerate(placement.strings):
        together = index > 0 and notes[index].onset_s - notes[index - 1].onset_s < TOGETHER_S
        if together:
            return 0.0
        if runs and runs[-1][0] == string:
            runs[-1][1] += 1
        else:
            runs.append([string, 1])
    changes = 0.0
    inner = runs[1:-1]
    for (string, count), (after, following) in zip(inner, inner[1:], strict=False):
        if abs(string - after) == 1 and count != following:
            changes += 1.0
    return changes


def alternatives(
    guitar: Guitar,
    notes: list[NoteToPlace],
    *,
    most: int = 5,
    school: str | None = None,
    progress: Progress = no_progress,
) -> list[Placement]:
    """Give up to five different placements, the best first, each named by what it favours.

    Each is the exact optimum of its own weighting; they are ranked by one common measure, the cost
    of the first weighting with the inside changes of the picking `school`, where one is given, and
    how evenly lines run across the strings.

    Parameters
    ----------
    guitar : Guitar
    notes : list of NoteToPlace
        By onset.
    most : int
        How many at the most.
    school : str, optional
        Of picking.
    progress : Progress
        Told how far it is, 0 to 1.
    """
    paths, problems = _search(guitar, notes, _profiles_for(notes), progress, school)
    ranked: list[tuple[float, Placement]] = []
    for told, (name, path) in zip(problems, paths.items(), strict=True):
        if any(p.strings == path.strings and p.frets == path.frets for _, p in ranked):
            continue
        placement = _placement(name, path, told)
        ranked.append((path.common_cost + UNEVEN * unevenness(notes, placement), placement))
    ranked.sort(key=lambda entry: entry[0])
    even = _even_placement(guitar, notes, school) if len(notes) <= MOST_FOR_EVEN else None
    if even is not None and all(p.strings != even.strings for _, p in ranked):
        first = even.cost <= ranked[0][0] + EVEN_WORTH
        ranked.insert(0 if first else len(ranked), (even.cost, even))
    best = replace(ranked[0][1], favours="best overall")
    if most == 1:
        return [best]
    others = [
        p if p.favours != "best overall" else replace(p, favours="least effort")
        for _, p in ranked[1:]
    ]
    return [best, *_different(best, others)][:most]


def _even_placement(
    guitar: Guitar, notes: list[NoteToPlace], school: str | None
) -> Placement | None:
    """Give the cheapest placement whose runs have as many notes on each string."""
    kept: Way = {}
    found = None
    habit = next(iter(_profiles_for(notes).values()))
    for run in runs_of(notes):
        told = [
            replace(n, string=kept[k][0], fret=kept[k][1]) if k in kept else n
            for k, n in enumerate(notes)
        ]
        ways = even_placements(guitar, told, run)
        if not ways:
            continue
        names = {f"{EVEN} {number}": habit for number in range(len(ways))}
        through = [{**kept, **way} for way in ways]
        paths, problems = _search(guitar, notes, names, no_progress, school, through)
        tried = [
            (path.cost + (0.0 if begins_full(way, run) else HALF_BEGUN), number)
            for number, (path, way) in enumerate(zip(paths.values(), ways, strict=True))
            if path.cost < IMPOSSIBLE
        ]
        if tried:
            _, best = min(tried)
            kept = through[best]
            found = _placement(EVEN, list(paths.values())[best], problems[best])
    return found


def place(
    guitar: Guitar,
    notes: list[NoteToPlace],
    *,
    school: str | None = None,
    progress: Progress = no_progress,
) -> Placement:
    """Give the placement that is ranked first.

    Parameters
    ----------
    guitar : Guitar
    notes : list of NoteToPlace
        By onset.
    school : str, optional
        Of picking.
    progress : Progress
        Told how far it is, 0 to 1.
    """
    return alternatives(guitar, notes, most=1, school=school, progress=progress)[0]


def _different(best: Placement, others: list[Placement]) -> list[Placement]:
    """Order placements so that each differs much from those before it, cheap ones first."""
    chosen = [best, *(p for p in others if p.favours == EVEN)]
    rest = [p for p in others if p.favours != EVEN]
    while rest:

        def gain(item: tuple[int, Placement]) -> float:
            rank, p = item
            return min(_apart(p, c) for c in chosen) - 0.05 * rank

        index, pick = max(enumerate(rest), key=gain)
        chosen.append(pick)
        del rest[index]
    return chosen[1:]


def _apart(a: Placement, b: Placement) -> float:
    """Give the share of notes that sit elsewhere."""
    pairs = zip(a.strings, a.frets, b.strings, b.frets, strict=True)
    return sum((s, f) != (t, g) for s, f, t, g in pairs) / max(len(a.strings), 1)


def _profiles_for(notes: list[NoteToPlace]) -> dict[str, Weights]:
    """Choose the weightings: what a person has locked says more of the place than our habits do."""
    if any(note.string is not None for note in notes):
        return {name: weights.more(**LOCKED) for name, weights in PROFILES.items()}
    return PROFILES


LOCKED = {
    "thick_string": 0.5, "low_position": 0.4, "high_position": 0.4, "top_position": 0.4, "high_fret": 0.5,
    "low_fret": 0.5, "shift": 1.4, "travel": 1.4, "grip_moves": 2.0, "grip_breaks": 2.0,
}  # fmt: skip


def cost_of(
    guitar: Guitar,
    notes: list[NoteToPlace],
    placement: Placement,
    weights: Weights,
) -> float:
    """Cost a placement as it stands under some weighting.

    Parameters
    ----------
    guitar : Guitar
    notes : list of NoteToPlace
        By onset.
    placement : Placement
        Of them.
    weights : Weights
        Of the features.
    """
    standing, moving, forbidden = path_features(guitar, notes, placement)
    return float(weights.standing() @ standing + weights.moving() @ moving + forbidden)


class PathFeatures(NamedTuple):
    """Sums along a placement: where the hand stands, how it moves, and what no hand does."""

    standing: NDArray[np.float64]  # (n_standing,), as `costs.STANDING`
    moving: NDArray[np.float64]  # (n_moving,), as `costs.MOVING`
    forbidden: float


def path_features(
    guitar: Guitar,
    notes: list[NoteToPlace],
    placement: Placement,
) -> PathFeatures:
    """Add up the features along a placement: standing, moving, and what is forbidden.

    Parameters
    ----------
    guitar : Guitar
    notes : list of NoteToPlace
        By onset.
    placement : Placement
        Of them.
    """
    standing, moving, forbidden = np.zeros(len(STANDING)), np.zeros(len(MOVING)), 0.0
    last: tuple[Event, HandStates] | None = None
    for event in group_events(notes):
        states = HandStates(
            np.array([[placement.strings[m] for m in event.notes]]),
            np.array([[placement.frets[m] for m in event.notes]]),
            np.array([placement.positions[event.notes[0]]]),
        )
        standing += standing_features(guitar, states, event.traits)[:, 0]
        if last is not None:
            before, held = last
            gap = event.onset_s - before.onset_s
            features = moving_features(guitar, held, states, before.traits, event.traits)
            moving += features[:, 0, 0] * in_time(np.ones(len(MOVING)), gap)
            forbidden += float(forbidden_moves(held, states, before.traits, event.traits)[0, 0])
        last = event, states
    return PathFeatures(standing, moving, forbidden)

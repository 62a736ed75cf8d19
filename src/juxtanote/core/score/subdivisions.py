"""How each beat of a phrase is divided: the likeliest row of subdivisions, by exact search.

A beat is as likely divided in a way as its onsets lie near that way's places; ways that are seldom
written cost, and so does each kind that the phrase has, and each change from beat to beat.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from functools import lru_cache

from juxtanote.core.later import np

# Subdivisions of a beat, and what their complexity costs.
GRIDS = {1: 0.0, 2: 0.05, 3: 0.16, 4: 0.14, 6: 0.30, 8: 0.55}
# What it costs a phrase to have beats of a kind at all, in log odds.
KIND_COST = {1: 0.0, 2: 0.0, 3: 0.8, 4: 0.8, 6: 3.0, 8: 4.0}
# How many strokes are anywhere; and what a note costs for which there is no place of its own.
ODD_SHARE, ODD_COST = 0.02, 4.0
SUBDIVISIONS = (
    "auto", "eighths", "swung eighths", "triplets", "sixteenths", "sextuplets", "thirty-seconds",
)  # fmt: skip
_FIXED = {
    "eighths": 2,
    "swung eighths": 2,
    "triplets": 3,
    "sixteenths": 4,
    "sextuplets": 6,
    "thirty-seconds": 8,
}
_FIXED_COMPOUND = {"eighths": 3, "swung eighths": 3, "triplets": 9, "sixteenths": 6, "sextuplets": 18,
                   "thirty-seconds": 12}  # fmt: skip


def choose_grids(
    beats: np.ndarray, weights: np.ndarray, spread: float, subdivision: str, compound: bool
) -> dict[int, int]:
    """Choose the subdivision of every beat: the best row of each choice of kinds, of these the best.

    Parameters
    ----------
    beats : ndarray, shape (n_onsets,)
        Onsets in beats, rising; one at least.
    weights : ndarray, shape (n_onsets,)
        How much each counts, 0 to 1.
    spread : float
        How far a player is off, in beats.
    subdivision : str
        One of `SUBDIVISIONS`; all but ``auto`` fix it.
    compound : bool
        The beat falls into three.

    Returns
    -------
    dict of int to int
        By beat: into how many parts it is divided.
    """
    first, last = int(np.floor(beats[0])) - 1, int(np.floor(beats[-1])) + 1
    if subdivision != "auto":
        fixed = _FIXED_COMPOUND if compound else _FIXED
        return dict.fromkeys(range(first, last + 2), fixed[subdivision])
    options = list(GRIDS)
    columns = list(range(first, last + 1))
    own = _beat_costs(beats, weights, first, len(columns), spread, compound)
    heard = np.bincount(np.clip(np.floor(beats + 0.06).astype(int) - first, 0, len(columns) - 1))
    filled = np.zeros(len(columns))
    filled[: len(heard)] = heard > 0
    row = _best_row(own, compound)
    for _ in range(HABIT_ROUNDS):
        again = _best_row(own + _habit(row, filled)[:, None] * filled, compound)
        if np.array_equal(again, row):
            break
        row = again
    return {column: options[state] for column, state in zip(columns, row, strict=True)}


def _habit(row: np.ndarray, filled: np.ndarray) -> np.ndarray:
    """Give what each subdivision costs more, or less, by how often the phrase has it, in log odds.

    A long phrase tells what its player does; in a short one what people write on the whole counts.
    """
    usual = np.exp(-3.0 * np.array(list(GRIDS.values())))
    usual /= usual.sum()
    counts = np.bincount(row[filled > 0], minlength=len(GRIDS))
    share = (counts + HABIT_BEATS * usual) / (counts.sum() + HABIT_BEATS)
    return np.asarray(np.log(usual) - np.log(share))


def _best_row(own: np.ndarray, compound: bool) -> np.ndarray:
    """Find the best row of subdivisions (n_beats) by their costs (n_grids, n_beats), exactly."""
    _, price = _choices(compound)
    totals = _totals(own, compound)
    choice = int(np.argmin(totals[-1].min(axis=1) + price))
    before = totals[:-1, choice]
    cheapest = before.argmin(axis=1)
    stays = before <= before.min(axis=1, keepdims=True) + CHANGE_COST
    state = int(np.argmin(totals[-1, choice]))
    count = own.shape[1]
    row = np.empty(count, dtype=np.int64)
    for column in range(count - 1, -1, -1):
        row[column] = state
        state = state if stays[column, state] else int(cheapest[column])
    return row


@dataclass(frozen=True, slots=True)
class _Searched:
    """A search that was done: costs of beats, and what each way to each beat costs in all."""

    own: np.ndarray
    compound: bool
    totals: np.ndarray


def _totals(own: np.ndarray, compound: bool) -> np.ndarray:
    """Give what the best way to each beat costs, for each choice: (n_beats + 1, n_choices, n_grids).

    An edit changes a beat or two: the search before it is taken up at the first, and followed no
    further than until all ways are as much dearer, or cheaper, as they were.
    """
    allowed, _ = _choices(compound)
    costs = own.T[:, None, :] + np.where(allowed, 0.0, np.inf)
    count = own.shape[1]
    known, differing = _nearest_search(own, compound)
    if known is None:
        totals = np.empty((count + 1, *allowed.shape))
        totals[0] = np.where(allowed, 0.0, np.inf)
    else:
        totals = known.totals.copy()
    first, last = (int(differing[0]), int(differing[-1])) if len(differing) else (count, count)
    for column in range(first, count):
        leaving = np.minimum.reduce(totals[column], axis=1, keepdims=True) + CHANGE_COST
        np.add(np.minimum(totals[column], leaving), costs[column], out=totals[column + 1])
        if known is not None and column >= last:
            more = totals[column + 1] - np.where(allowed, known.totals[column + 1], 0.0)
            least = np.where(allowed, more, np.inf).min(axis=1, keepdims=True)
            if np.all(np.where(allowed, more - least, 0.0) < SAME_COST):
                totals[column + 2 :] += least
                break
    _searched.append(_Searched(own, compound, totals))
    return totals


def _nearest_search(own: np.ndarray, compound: bool) -> tuple[_Searched | None, np.ndarray]:
    """Find an earlier search that differs in few beats, and in which; all where there is none."""
    best, fewest = None, np.arange(own.shape[1])
    for known in reversed(list(_searched)):
        if known.compound == compound and known.own.shape == own.shape:
            differing = np.logical_or.reduce(known.own != own, axis=0).nonzero()[0]
            if best is None or len(differing) < len(fewest):
                best, fewest = known, differing
            if len(fewest) <= FEW_BEATS:
                break
    return best, fewest


_searched: deque[_Searched] = deque(maxlen=12)  # a phrase is searched some six times for one count
SAME_COST = 1e-9
FEW_BEATS = 3  # an edit changes no more: no nearer search is looked for
HABIT_BEATS, HABIT_ROUNDS = 16.0, 3
CHANGE_COST = 0.25  # of another subdivision than in the beat before, in log odds


@lru_cache(maxsize=2)
def _choices(compound: bool) -> tuple[np.ndarray, np.ndarray]:
    """Give every choice of kinds of subdivision, (n_choices, n_grids), and what each costs."""
    costs = [0.0 if compound and grid in (3, 6) else KIND_COST[grid] for grid in GRIDS]
    free = [index for index, cost in enumerate(costs) if cost == 0.0]
    rows = []
    for number in range(1 << len(GRIDS)):
        row = [bool(number >> index & 1) for index in range(len(GRIDS))]
        if all(row[index] for index in free):  # what costs nothing is in every choice
            rows.append(row)
    allowed = np.array(rows)
    return allowed, allowed @ np.array(costs)


def _beat_costs(
    beats: np.ndarray, weights: np.ndarray, first: int, count: int, spread: float, compound: bool
) -> np.ndarray:
    """Cost every subdivision in every beat, (n_grids, n_beats): deviation, complexity, crowding.

    A deviation costs what it is unlikely: normal, but for a share of strokes that are anywhere.
    """
    column = np.clip(np.floor(beats + 0.06).astype(int) - first, 0, count - 1)
    inside = beats - (column + first)
    filled = np.bincount(column, minlength=count) > 0
    costs = np.empty((len(GRIDS), count))
    for row, (grid, plain) in enumerate(GRIDS.items()):
        complexity = plain * 0.3 if compound and grid in (3, 6) else plain
        places = np.rint(inside * grid)
        apart = np.abs(inside - places / grid) / spread
        off = -np.log((1.0 - ODD_SHARE) * np.exp(-0.25 * apart**2) + ODD_SHARE)
        same = (np.diff(column) == 0) & (np.diff(places) == 0)
        crowded = np.append(0.0, np.where(same, np.minimum(weights[:-1], weights[1:]), 0.0))
        full = np.bincount(column, weights * off + ODD_COST * crowded, count) + 3.0 * complexity
        costs[row] = np.where(filled, full, 0.02 * complexity)
    return costs

"""How near two lines are: in any key and at any place, some notes added or left out.

After the key is taken out, an edit distance over notes and ratios of durations (M. Mongeau, D. Sankoff,
"Comparison of musical sequences", Computers and the Humanities 24, 1990): pitch and duration weigh
together, notes may be skipped on both sides, and the shorter line may lie anywhere in the longer one.
Which lines are worth comparing is told by the intervals that they share, rare ones weighing more (inverse
document frequency: K. Spärck Jones, Journal of Documentation 28, 1972).
"""

from collections import Counter
from collections.abc import Sequence

import numpy as np

# Of leaving a note out, of the most a pair costs, and of its rhythm.
SKIP, WORST, RHYTHM = 0.7, 1.0, 0.25
KEYS_TRIED = 3  # transpositions that most pairs agree on
SPAN = 14  # semitones that an interval is told apart in


class Profiles:
    """The intervals of many lines, so that those like a given one are found at once."""

    def __init__(self, lines: Sequence[tuple[int, ...]]) -> None:
        self._columns: dict[tuple[int, ...], int] = {}
        rows, columns = [], []
        for row, line in enumerate(lines):
            for feature in profile(line):
                rows.append(row)
                columns.append(self._columns.setdefault(feature, len(self._columns)))
        self._rows, self._of = np.asarray(rows, dtype=np.int64), np.asarray(columns, dtype=np.int64)
        self._count = len(lines)
        # A long line has something of everything: what it shares counts by the root of what it has.
        self._size = np.sqrt(np.maximum(np.bincount(self._rows, minlength=self._count), 1))
        met = np.bincount(self._of, minlength=len(self._columns)) if len(columns) else np.zeros(0)
        self._weight = np.log((1.0 + len(lines)) / (1.0 + met))

    def likely(self, line: tuple[int, ...], most: int) -> np.ndarray:
        """Give the numbers of the lines that share most of a line's intervals, best first."""
        weights = np.zeros(len(self._columns))
        for feature in profile(line):
            if feature in self._columns:
                weights[self._columns[feature]] = self._weight[self._columns[feature]]
        shared = np.bincount(self._rows, weights[self._of], minlength=self._count) / self._size
        most = min(most, self._count)
        best = np.argpartition(-shared, most - 1)[:most] if most else np.zeros(0, dtype=np.int64)
        return np.asarray(best[np.argsort(-shared[best], kind="stable")])


def profile(pitches: tuple[int, ...]) -> Counter[tuple[int, ...]]:
    """Count rows of two and three intervals, also those over a note between.

    A note that is added or left out breaks few of them: what it parts is joined by the interval over it.
    """
    one, two = _steps(pitches, 1), _steps(pitches, 2)
    counts: Counter[tuple[int, ...]] = Counter(zip(one, one[1:], strict=False))
    counts.update(zip(two, one[2:], strict=False))
    counts.update(zip(one, two[1:], strict=False))
    counts.update(zip(one, one[1:], one[2:], strict=False))
    counts.update(zip(two, one[2:], one[3:], strict=False))
    counts.update(zip(one, two[1:], one[3:], strict=False))
    counts.update(zip(one, one[1:], two[2:], strict=False))
    return counts


def _steps(pitches: tuple[int, ...], reach: int) -> list[int]:
    pairs = zip(pitches, pitches[reach:], strict=False)
    return [max(min(b - a, SPAN), -SPAN) for a, b in pairs]


def resemblance(one: Counter[tuple[int, ...]], other: Counter[tuple[int, ...]]) -> float:
    """Give which share of the first profile is in the other one."""
    return sum((one & other).values()) / max(one.total(), 1)


def nearness(
    wanted: Sequence[int],
    wanted_steps: Sequence[float],
    line: Sequence[int],
    steps: Sequence[float],
) -> float:
    """Give how near a line comes to what is wanted, 0 to 1, in its best key and at its best place."""
    if not wanted or not line:
        return 0.0
    if len(wanted) > len(line):  # the shorter one is looked for in the longer one
        wanted, wanted_steps, line, steps = line, steps, wanted, wanted_steps
    apart = np.subtract.outer(np.asarray(line), np.asarray(wanted))
    keys = Counter(apart.ravel().tolist()).most_common(KEYS_TRIED)
    ratios = np.subtract.outer(_ratios(wanted_steps, len(wanted)), _ratios(steps, len(line)))
    rhythm = RHYTHM * np.nan_to_num(np.minimum(np.abs(ratios), 1.0))
    costs = [_edit(np.abs(apart.T - key), rhythm) for key, _ in keys]
    return 1.0 - min(min(costs) / (SKIP * len(wanted)), 1.0)


def _ratios(steps: Sequence[float], count: int) -> np.ndarray:
    """Give how much longer each duration is than the one before, in octaves; NaN where none is known.

    A ratio is the same at any tempo and in any values.
    """
    known = np.full(count, np.nan)
    inside = np.log2(np.maximum(np.asarray(steps[: count - 1], dtype=float), 1 / 16))
    known[1 : len(inside)] = np.diff(inside)
    return known


def _edit(apart: np.ndarray, rhythm: np.ndarray) -> float:
    """Give the cost of laying what is wanted (rows) somewhere into a line (columns)."""
    pair = np.minimum(0.5 * np.minimum(apart, 2.0), WORST) + rhythm
    rows, columns = pair.shape
    row = np.zeros(columns + 1)  # it may begin anywhere
    slope = SKIP * np.arange(columns + 1)
    for i in range(rows):
        fresh = row + SKIP
        fresh[1:] = np.minimum(fresh[1:], row[:-1] + pair[i])
        row = slope + np.minimum.accumulate(fresh - slope)  # notes of the line that are left out
    return float(row.min())  # and end anywhere

"""How near two lines are: in any key and at any place, some notes added or left out.

After the key is taken out, an edit distance over notes (M. Mongeau, D. Sankoff, "Comparison of musical
sequences", Computers and the Humanities 24, 1990): pitch and duration weigh together, notes may be
skipped on both sides, and the shorter line may lie anywhere in the longer one.
"""

from collections import Counter
from collections.abc import Sequence
from functools import lru_cache

import numpy as np

SKIP, WORST, RHYTHM = 0.7, 1.0, 0.25
KEYS_TRIED = 3
SPAN = 14  # semitones that an interval is told apart in


@lru_cache(maxsize=50_000)
def profile(pitches: tuple[int, ...]) -> Counter[tuple[int, int]]:
    """Count pairs of intervals that follow each other, and pairs with a note between left out."""
    steps = [max(min(b - a, SPAN), -SPAN) for a, b in zip(pitches, pitches[1:], strict=False)]
    over = [max(min(b - a, SPAN), -SPAN) for a, b in zip(pitches, pitches[2:], strict=False)]
    counts: Counter[tuple[int, int]] = Counter(zip(steps, steps[1:], strict=False))
    counts.update((100 + step, 0) for step in over)
    counts.update((200 + step, 0) for step in steps)
    return counts


def resemblance(one: Counter[tuple[int, int]], other: Counter[tuple[int, int]]) -> float:
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
    ratio = _log_steps(wanted_steps, len(wanted))
    other = _log_steps(steps, len(line))
    rhythm = RHYTHM * np.minimum(np.abs(np.subtract.outer(ratio, other)), 1.0)
    costs = [_edit(np.abs(apart.T - key), rhythm) for key, _ in keys]
    return 1.0 - min(min(costs) / (SKIP * len(wanted)), 1.0)


def _log_steps(steps: Sequence[float], count: int) -> np.ndarray:
    """Give durations on a scale of octaves, the usual one of the line taken out."""
    known = np.log2(
        np.maximum(np.asarray([*steps, *[np.nan] * count][:count], dtype=float), 1 / 16)
    )
    known = np.where(np.isnan(known), np.nanmedian(known) if len(steps) else 0.0, known)
    return np.asarray(known - np.median(known))


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

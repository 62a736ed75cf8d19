"""The smallest and largest sample of each stretch, at every zoom, for drawing the strip."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.progress import Progress, no_progress

FINEST = 256  # samples to one pair in the finest level
STEP = 4


@dataclass(frozen=True, slots=True)
class Peaks:
    """Levels of (low, high) pairs, each `STEP` times coarser; `mono` holds the samples."""

    mono: NDArray[np.float32]
    sample_rate: int
    levels: tuple[NDArray[np.float32], ...]  # each (2, n_pairs)

    def between(self, start_s: float, end_s: float, columns: int) -> NDArray[np.float32]:
        """Give (low, high) for each of `columns` equal parts of a stretch, shape (2, columns).

        Down to single samples: where a part is shorter than a sample, the nearest one is given.
        """
        if columns < 1 or end_s <= start_s:
            raise ValueError(f"{columns} columns from {start_s} to {end_s} s")
        per_column = (end_s - start_s) * self.sample_rate / columns
        level = -1
        while level + 1 < len(self.levels) and FINEST * STEP ** (level + 1) <= per_column:
            level += 1
        if level < 0:
            return _reduce(
                self.mono[None], self.mono[None], self.sample_rate, start_s, end_s, columns
            )
        pairs = self.levels[level]
        rate = self.sample_rate / (FINEST * STEP**level)
        return _reduce(pairs[:1], pairs[1:], rate, start_s, end_s, columns)


def _reduce(
    low: NDArray[np.float32],
    high: NDArray[np.float32],
    rate: float,
    start_s: float,
    end_s: float,
    columns: int,
) -> NDArray[np.float32]:
    edges = np.linspace(start_s, end_s, columns + 1) * rate
    first = np.floor(edges[:-1]).astype(np.int64)
    last = np.maximum(np.ceil(edges[1:]).astype(np.int64), first + 1)
    out = np.zeros((2, columns), dtype=np.float32)
    total = low.shape[1]
    inside = (last > 0) & (first < total)
    if not np.any(inside):
        return out
    a = np.clip(first[inside], 0, total - 1)
    b = np.clip(last[inside], a + 1, total)
    # reduceat takes pairs of edges; the odd results, between columns, are thrown away.
    flat = np.stack([a, b], axis=1).ravel()
    pad_low = np.append(low[0], low[0][-1])
    pad_high = np.append(high[0], high[0][-1])
    out[0, inside] = np.minimum.reduceat(pad_low, flat)[::2]
    out[1, inside] = np.maximum.reduceat(pad_high, flat)[::2]
    return out


def build_peaks(
    audio: NDArray[np.float32], sample_rate: int, progress: Progress = no_progress
) -> Peaks:
    """Build every level from stereo (2, n_samples)."""
    mono = audio.mean(axis=0, dtype=np.float32)
    levels: list[NDArray[np.float32]] = []
    block = FINEST
    low = high = mono
    while len(low) > 1 and len(levels) < 8:
        usable = -(-len(low) // block) * block
        padded_low = np.pad(low, (0, usable - len(low)), mode="edge").reshape(-1, block)
        padded_high = np.pad(high, (0, usable - len(high)), mode="edge").reshape(-1, block)
        low, high = padded_low.min(axis=1), padded_high.max(axis=1)
        levels.append(np.stack([low, high]))
        block = STEP
        progress(min(1.0, 0.5 + 0.1 * len(levels)))
    progress(1.0)
    return Peaks(mono, sample_rate, tuple(levels))

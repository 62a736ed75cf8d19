"""The smallest and largest sample of each stretch, at every zoom, for drawing the strip."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from juxtanote.core.later import np
from juxtanote.core.progress import Progress, no_progress

if TYPE_CHECKING:
    from numpy.typing import NDArray

FINEST = 256  # samples to one pair in the finest level
STEP = 4  # of levels: any zoom reads at most four times the pixels
AT_ONCE = FINEST * 8192  # samples that are worked on at a time


@dataclass(frozen=True, slots=True)
class Peaks:
    """Levels of (low, high) pairs of the middle, each `STEP` times coarser.

    `audio` is the recording itself, and not a copy.
    """

    audio: NDArray[np.float32]  # (2, n_samples)
    sample_rate: int
    levels: tuple[NDArray[np.float32], ...]  # each (2, n_pairs)

    def between(self, start_s: float, end_s: float, columns: int) -> NDArray[np.float32]:
        """Give (low, high) for each of `columns` equal parts of a stretch, shape (2, columns).

        Down to single samples: where a part is shorter than a sample, the nearest one is given.

        Parameters
        ----------
        start_s, end_s : float
            The stretch, in seconds.
        columns : int
            How many parts, as many as pixels.
        """
        if columns < 1 or end_s <= start_s:
            raise ValueError(f"{columns} columns from {start_s} to {end_s} s")
        per_column = (end_s - start_s) * self.sample_rate / columns
        level = -1
        while level + 1 < len(self.levels) and FINEST * STEP ** (level + 1) <= per_column:
            level += 1
        if level < 0:
            first = max(int(start_s * self.sample_rate) - 2, 0)
            last = int(end_s * self.sample_rate) + 3
            mono = self.audio[:, first:last].mean(axis=0, dtype=np.float32)[None]
            if not mono.size:
                return np.zeros((2, columns), dtype=np.float32)
            shift_s = first / self.sample_rate
            return _reduce(
                mono, mono, self.sample_rate, start_s - shift_s, end_s - shift_s, columns
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
    begin: int = 0,
) -> NDArray[np.float32]:
    edges = np.linspace(start_s, end_s, columns + 1) * rate - begin
    first = np.floor(edges[:-1] + 1e-6).astype(np.int64)
    last = np.maximum(np.ceil(edges[1:] - 1e-6).astype(np.int64), first + 1)
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
    """Build every level from stereo (2, n_samples).

    Parameters
    ----------
    audio : ndarray of float32, shape (2, n_samples)
    sample_rate : int
        In Hz.
    progress : Progress
        Told the part done, 0 to 1.
    """
    finest = [
        _pairs(audio[:, start : start + AT_ONCE].mean(axis=0, dtype=np.float32), FINEST)
        for start in range(0, audio.shape[1], AT_ONCE)
    ]
    levels = [np.concatenate(finest, axis=1)] if finest else []
    progress(0.6)
    while levels and levels[-1].shape[1] > 1 and len(levels) < 8:
        low, high = _pairs(levels[-1][0], STEP)[0], _pairs(levels[-1][1], STEP)[1]
        levels.append(np.stack([low, high]))
        progress(min(1.0, 0.6 + 0.05 * len(levels)))
    progress(1.0)
    return Peaks(audio, sample_rate, tuple(levels))


def _pairs(values: NDArray[np.float32], block: int) -> NDArray[np.float32]:
    """Give (low, high) of blocks of values, shape (2, n_blocks); the last may be short."""
    whole = np.pad(values, (0, -len(values) % block), mode="edge").reshape(-1, block)
    return np.stack([whole.min(axis=1), whole.max(axis=1)])

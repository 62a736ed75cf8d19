"""The second network's grid: the windows of `spectra`, read down to F♯1, each partial as loud as it is.

A partial between two bins of the transform is not lost: each log bin holds the loudest of all that
lies in it. So a mix looks much alike wherever it is tuned. But for its straight look the first network
reads it, too.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.channels import HIGHEST_MIDI, LOWEST_MIDI
from juxtanote.core.analysis.spectra import (
    BINS_PER_SEMITONE,
    SAMPLE_RATE,
    Grid,
)
from juxtanote.core.units import midi_to_hz

LOWEST_BIN_MIDI = LOWEST_MIDI - 12
N_BINS = BINS_PER_SEMITONE * (HIGHEST_MIDI + 32 - LOWEST_BIN_MIDI)


@dataclass(frozen=True, slots=True)
class _Reading:
    """How the log bins are read from the FFT bins of one window."""

    doublings: tuple["_Doubling", ...]  # of the log bins that have FFT bins of their own
    narrow: NDArray[np.int64]  # the log bins that are read between FFT bins as well
    places: NDArray[np.int64]  # (3, n_narrow): the FFT bin below the lower edge, centre, upper edge
    parts: NDArray[np.float32]  # (3, n_narrow): how far it lies on the way to the next


@dataclass(frozen=True, slots=True)
class _Doubling:
    """Log bins whose FFT bins are read as two runs of 2 ** k that may overlap (k is their place)."""

    bins: NDArray[np.int64]
    firsts: NDArray[np.int64]  # where their first run begins
    lasts: NDArray[np.int64]  # where their last one does


FEW = 7  # FFT bins in a log bin: with more of them no peak at an edge is missed


@lru_cache(maxsize=32)
def _reading(frame_length: int, reference_cents: int) -> _Reading:
    """Lay log bins over FFT bins; each reaches half way to its neighbours."""
    midi = LOWEST_BIN_MIDI + (np.arange(-0.5, N_BINS + 0.5, 0.5) - 1) / BINS_PER_SEMITONE
    hertz = midi_to_hz(midi, 440.0 * 2.0 ** (reference_cents / 1200.0))
    position = np.minimum(hertz * frame_length / SAMPLE_RATE, frame_length / 2 - 1.001)
    edges = np.ceil(position[::2]).astype(np.int64)
    counts = np.diff(edges)
    power = np.frexp(counts)[1] - 1  # the largest power of two that is not more
    doublings = []
    for k in range(int(power.max()) + 1):
        bins = np.flatnonzero((power == k) & (counts > 0))
        doublings.append(_Doubling(bins, edges[bins], edges[bins + 1] - 2**k))
    narrow = np.flatnonzero(counts < FEW)
    read = np.stack([position[2 * narrow + step] for step in (0, 1, 2)])
    places = read.astype(np.int64)
    return _Reading(tuple(doublings), narrow, places, (read - places).astype(np.float32))


def _log_bins(
    magnitude: NDArray[np.float32], frame_length: int, reference_cents: int
) -> NDArray[np.float32]:
    """Read a magnitude spectrogram (n_frames, n_fft_bins) at the log-frequency bins.

    Each log bin holds the loudest of all that lies in it, so that a partial is as loud wherever it
    falls; where FFT bins are wider than log bins, what lies between them is interpolated. Maxima over
    runs are put together from runs half as long, one pass over neighbours each, as in a sparse table
    (M. Bender, M. Farach-Colton, "The LCA problem revisited", LATIN 2000).
    """
    how = _reading(frame_length, reference_cents)
    bins = np.zeros((len(magnitude), N_BINS), dtype=np.float32)
    runs = magnitude  # the loudest of 1, 2, 4 ... FFT bins from each one on
    for k, doubling in enumerate(how.doublings):
        if k:
            runs = np.maximum(runs[:, : -(2 ** (k - 1))], runs[:, 2 ** (k - 1) :])
        bins[:, doubling.bins] = np.maximum(runs[:, doubling.firsts], runs[:, doubling.lasts])
    between = bins[:, how.narrow]
    for place, part in zip(how.places, how.parts, strict=True):
        low = magnitude[:, place]
        np.maximum(between, low + part * (magnitude[:, place + 1] - low), out=between)
    bins[:, how.narrow] = between
    return bins


WIDE = Grid(N_BINS, _log_bins)

"""Log-frequency spectra at several window lengths, stacked on the harmonics of each pitch.

Long windows tell low pitches apart, short ones tell when something is struck; the side signal tells
what is wide in the mix. All are laid on one grid, three bins a semitone, that follows the
recording's own reference pitch.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.spectra import _fill_between, loud_level
from juxtanote.core.units import midi_to_hz

SAMPLE_RATE = 22050
HOP_LENGTH = 256
LOWEST_MIDI, HIGHEST_MIDI = 30, 90  # F♯1 to F♯6
N_PITCHES = HIGHEST_MIDI - LOWEST_MIDI + 1
BINS_PER_SEMITONE = 3
LOWEST_BIN_MIDI = LOWEST_MIDI - 12
N_BINS = BINS_PER_SEMITONE * (HIGHEST_MIDI + 32 - LOWEST_BIN_MIDI)
WINDOWS = (("mid", 8192), ("mid", 2048), ("mid", 768), ("side", 4096))
HARMONICS = (
    (0.5, 1, 2, 3, 4, 5, 6, 8, 10),
    (0.5, 1, 2, 3, 4, 5, 6, 8, 10, 12),
    (1, 3, 6),
    (1, 2, 3),
)
"""For each window the multiples of a pitch that are laid over it; the high ones carry low strings."""
N_CHANNELS = BINS_PER_SEMITONE * sum(len(row) for row in HARMONICS)
FLOOR_DB, RANGE_DB = -70.0, 80.0
FRAMES_AT_ONCE = 512
SLOW_WINDOW = 4096
"""From this length on a window is read at every other frame only, and the frames between are means."""


@dataclass(frozen=True, slots=True)
class _Reading:
    """How the log bins are read from the FFT bins of one window."""

    segments: NDArray[np.int64]  # where each log bin's own FFT bins begin, where it has any
    filled: NDArray[np.int64]  # the log bins that have some
    narrow: NDArray[np.int64]  # the log bins that are read between FFT bins as well
    places: NDArray[np.int64]  # (3, n_narrow): the FFT bin below the lower edge, centre, upper edge
    parts: NDArray[np.float32]  # (3, n_narrow): how far it lies on the way to the next


FEW = 7  # FFT bins in a log bin: with more of them no peak at an edge is missed


@lru_cache(maxsize=32)
def _reading(frame_length: int, reference_cents: int) -> _Reading:
    """Lay log bins over FFT bins; each reaches half way to its neighbours."""
    midi = LOWEST_BIN_MIDI + (np.arange(-0.5, N_BINS + 0.5, 0.5) - 1) / BINS_PER_SEMITONE
    hertz = midi_to_hz(midi, 440.0 * 2.0 ** (reference_cents / 1200.0))
    position = np.minimum(hertz * frame_length / SAMPLE_RATE, frame_length / 2 - 1.001)
    edges = np.ceil(position[::2]).astype(np.int64)
    counts = np.diff(edges)
    filled, narrow = np.flatnonzero(counts > 0), np.flatnonzero(counts < FEW)
    read = np.stack([position[2 * narrow + step] for step in (0, 1, 2)])
    places = read.astype(np.int64)
    return _Reading(
        np.append(edges[filled], edges[filled[-1] + 1]), filled, narrow, places,
        (read - places).astype(np.float32),
    )  # fmt: skip


def _log_bins(
    magnitude: NDArray[np.float32], frame_length: int, reference_cents: int
) -> NDArray[np.float32]:
    """Read a magnitude spectrogram (n_frames, n_fft_bins) at the log-frequency bins.

    Each log bin holds the loudest of all that lies in it, so that a partial is as loud wherever it
    falls; where FFT bins are wider than log bins, what lies between them is interpolated.
    """
    how = _reading(frame_length, reference_cents)
    bins = np.zeros((len(magnitude), N_BINS), dtype=np.float32)
    loudest = np.maximum.reduceat(magnitude, how.segments, axis=1)[:, : len(how.filled)]
    bins[:, how.filled] = loudest
    between = bins[:, how.narrow]
    for place, part in zip(how.places, how.parts, strict=True):
        low = magnitude[:, place]
        np.maximum(between, low + part * (magnitude[:, place + 1] - low), out=between)
    bins[:, how.narrow] = between
    return bins


def log_spectra(
    mid: NDArray[np.float32],
    side: NDArray[np.float32],
    *,
    reference_cents: float = 0.0,
    loud: float | None = None,
) -> NDArray[np.float32]:
    """Measure the spectra that the learned listener reads.

    Parameters
    ----------
    mid, side : ndarray of float32, shape (n_samples,)
        Half sum and half difference of the stereo channels at 22 050 Hz.
    reference_cents : float
        How far the recording sits from A4 = 440 Hz.
    loud : float, optional
        Level of the loud part of the whole recording; of this stretch where it is not known.

    Returns
    -------
    spectra : ndarray of float32, shape (n_windows, N_BINS, n_frames)
        Level from 0 (70 dB below the loud part of the recording, or less) to 1 (10 dB above).
    """
    if mid.ndim != 1 or mid.shape != side.shape:
        raise ValueError(
            f"mid and side need one axis and one length, not {mid.shape}, {side.shape}"
        )
    from scipy.fft import rfft

    n_frames = 1 + len(mid) // HOP_LENGTH
    spectra = np.zeros((len(WINDOWS), N_BINS, n_frames), dtype=np.float32)
    loud = loud_level(mid) if loud is None else loud
    for index, (which, frame_length) in enumerate(WINDOWS):
        source = mid if which == "mid" else side
        if which == "side" and not np.any(source):
            continue
        padded = np.pad(source, (frame_length // 2, frame_length))
        window = np.hanning(frame_length + 1)[:-1].astype(np.float32)
        window *= np.float32(2.0 / window.sum())
        step = 2 if frame_length >= SLOW_WINDOW else 1
        frames = np.lib.stride_tricks.sliding_window_view(padded, frame_length)
        frames = frames[:: step * HOP_LENGTH]
        for start in range(0, n_frames, step * FRAMES_AT_ONCE):
            stop = min(start + step * FRAMES_AT_ONCE, n_frames)
            block = frames[start // step : -(-stop // step)]
            magnitude = np.abs(rfft(block * window, axis=1, workers=2)).astype(np.float32)
            bins = _log_bins(magnitude, frame_length, round(reference_cents))
            level = 20.0 * np.log10(np.maximum(bins / loud, 1e-6))
            scaled = np.clip((level - FLOOR_DB) / RANGE_DB, 0.0, 1.0)
            spectra[index, :, start:stop:step] = scaled.T
        if step == 2:
            _fill_between(spectra[index])
    return spectra


@lru_cache(maxsize=1)
def harmonic_index() -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Give window and bin of every input channel for every pitch, each (N_CHANNELS, N_PITCHES)."""
    windows, bins = [], []
    base = BINS_PER_SEMITONE * (np.arange(N_PITCHES) + LOWEST_MIDI - LOWEST_BIN_MIDI)
    for index, row in enumerate(HARMONICS):
        for harmonic in row:
            shift = round(12 * BINS_PER_SEMITONE * np.log2(harmonic))
            for fine in range(BINS_PER_SEMITONE):
                bins.append(np.clip(base + shift + fine, 0, N_BINS - 1))
                windows.append(np.full(N_PITCHES, index))
    return np.array(windows), np.array(bins)


def stack_harmonics(spectra: NDArray[np.float32]) -> NDArray[np.float32]:
    """Lay the harmonics of each pitch over each other: (N_CHANNELS, N_PITCHES, n_frames)."""
    windows, bins = harmonic_index()
    return spectra[windows, bins]

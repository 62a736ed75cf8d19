"""Log-frequency spectra at several window lengths, stacked on the harmonics of each pitch.

Long windows tell low pitches apart, short ones tell when something is struck; the side signal tells
what is wide in the mix. All are laid on one grid, three bins a semitone, that follows the
recording's own reference pitch.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.units import midi_to_hz

SAMPLE_RATE = 22050  # what a guitar's loudspeaker gives ends at 6 kHz
HOP_LENGTH = 256  # samples: 11.6 ms, finer than players place notes
LOWEST_MIDI, HIGHEST_MIDI = 35, 90  # B1 to F♯6
N_PITCHES = HIGHEST_MIDI - LOWEST_MIDI + 1
BINS_PER_SEMITONE = 3  # so that a bend shows before it has arrived
# An octave under the lowest pitch: what sounds there is no partial of it.
LOWEST_BIN_MIDI = LOWEST_MIDI - 12
N_BINS = BINS_PER_SEMITONE * (HIGHEST_MIDI + 32 - LOWEST_BIN_MIDI)
# Long tells pitches, short tells strokes, the side tells what is wide.
WINDOWS = (("mid", 8192), ("mid", 2048), ("mid", 768), ("side", 4096))
# For each window the multiples of a pitch that are laid over it; the high ones carry low strings.
HARMONICS = (
    (0.5, 1, 2, 3, 4, 5, 6, 8, 10),
    (0.5, 1, 2, 3, 4, 5, 6, 8, 10, 12),
    (1, 3, 6),
    (1, 2, 3),
)
N_CHANNELS = BINS_PER_SEMITONE * sum(len(row) for row in HARMONICS)
# What is 70 dB under the loud part is silence; 10 dB over it clips.
FLOOR_DB, RANGE_DB = -70.0, 80.0
FRAMES_AT_ONCE = 128  # bounds memory; the result does not depend on it
# From this length on a window is read at every other frame only, and the frames between are means.
SLOW_WINDOW = 4096


@lru_cache(maxsize=32)
def _bin_positions(frame_length: int, reference_cents: int) -> NDArray[np.float64]:
    """Give where each log bin lies among the FFT bins, a fraction between two of them."""
    midi = LOWEST_BIN_MIDI + (np.arange(N_BINS) - 1) / BINS_PER_SEMITONE
    centre = midi_to_hz(midi, 440.0 * 2.0 ** (reference_cents / 1200.0))
    return np.minimum(centre * frame_length / SAMPLE_RATE, frame_length / 2 - 1.001)


def _log_bins(
    magnitude: NDArray[np.float32], frame_length: int, reference_cents: int
) -> NDArray[np.float32]:
    """Read a magnitude spectrogram (n_frames, n_fft_bins) at the log-frequency bins.

    Neighbours are interpolated; a peak that falls between two log bins is not lost.
    """
    position = _bin_positions(frame_length, reference_cents)
    low = position.astype(np.int64)
    part = (position - low).astype(np.float32)
    between = magnitude[:, low] * (1.0 - part) + magnitude[:, low + 1] * part
    nearest = np.where(part < 0.5, magnitude[:, low], magnitude[:, low + 1])
    return np.asarray(np.maximum(between, 0.9 * nearest), dtype=np.float32)


@dataclass(frozen=True, slots=True)
class Grid:
    """A grid of log bins, and how a magnitude spectrogram is read at them.

    `read` takes magnitudes (n_frames, n_fft_bins), the frame length, and how many cents the recording
    sits from A4 = 440 Hz; it gives (n_frames, n_bins). `across` is the share of the power, 0 to 1, that
    is the other channel's, side where a window reads the middle and middle where it reads the side: with
    the squared sine of an angle, the mean of the mix turned so far to the left and to the right.
    """

    n_bins: int
    read: Callable[[NDArray[np.float32], int, int], NDArray[np.float32]]
    across: float = 0.0


NARROW = Grid(N_BINS, _log_bins)


def log_spectra(
    mid: NDArray[np.float32],
    side: NDArray[np.float32],
    *,
    reference_cents: float = 0.0,
) -> NDArray[np.float32]:
    """Measure spectra at the log bins of `NARROW`.

    Parameters
    ----------
    mid, side : ndarray of float32, shape (n_samples,)
        Half sum and half difference of the stereo channels at 22 050 Hz.
    reference_cents : float
        How far the recording sits from A4 = 440 Hz.

    Returns
    -------
    spectra : ndarray of float32, shape (n_windows, N_BINS, n_frames)
        Level from 0 (70 dB below the loud part of the recording, or less) to 1 (10 dB above).
    """
    return spectra_on((NARROW,), mid, side, reference_cents=reference_cents)[0]


def spectra_on(
    grids: Sequence[Grid],
    mid: NDArray[np.float32],
    side: NDArray[np.float32],
    *,
    reference_cents: float = 0.0,
    loud: Sequence[float] | None = None,
) -> list[NDArray[np.float32]]:
    """Measure spectra on several grids of log bins, each window of a channel transformed once.

    Parameters
    ----------
    grids : sequence of Grid
        At which bins.
    mid, side : ndarray of float32, shape (n_samples,)
        Half sum and half difference of the stereo channels at 22 050 Hz.
    reference_cents : float
        How far the recording sits from A4 = 440 Hz.
    loud : sequence of float, optional
        Level of the loud part of the whole recording, for each grid; else of this stretch.

    Returns
    -------
    list of ndarray of float32, shape (n_windows, grid.n_bins, n_frames)
        Level from 0 (70 dB below the loud part of the recording, or less) to 1 (10 dB above).

    Raises
    ------
    ValueError
        If `mid` and `side` are not of one axis and one length, or `loud` is not one for each grid.
    """
    if mid.ndim != 1 or mid.shape != side.shape:
        raise ValueError(
            f"mid and side need one axis and one length, not {mid.shape}, {side.shape}"
        )
    n_frames = 1 + len(mid) // HOP_LENGTH
    measured = [np.zeros((len(WINDOWS), g.n_bins, n_frames), dtype=np.float32) for g in grids]
    levels = [loud_level(mid, side, g.across) for g in grids] if loud is None else loud
    for index, (which, frame_length) in enumerate(WINDOWS):
        own, other = (mid, side) if which == "mid" else (side, mid)
        seen = [g for g in grids if np.any(own) or g.across]
        both = any(g.across for g in seen)
        step = 2 if frame_length >= SLOW_WINDOW else 1
        for start in range(0, n_frames if seen else 0, step * FRAMES_AT_ONCE):
            inner = slice(start, min(start + step * FRAMES_AT_ONCE, n_frames), step)
            magnitude = _magnitudes(own, frame_length, inner)
            beside = _magnitudes(other, frame_length, inner) if both else magnitude
            for grid, spectra, level in zip(grids, measured, levels, strict=True):
                if grid in seen:
                    mixed = _mixed(magnitude, beside, grid.across)
                    bins = grid.read(mixed, frame_length, round(reference_cents))
                    spectra[index, :, inner] = _scaled(bins, level).T
        if step == 2:
            for spectra in measured:
                _fill_between(spectra[index])
    return measured


@lru_cache(maxsize=8)
def _window(frame_length: int) -> NDArray[np.float32]:
    """Give a Hann window under which a sine is as loud as its amplitude."""
    window = np.hanning(frame_length + 1)[:-1].astype(np.float32)
    return np.asarray(window * np.float32(2.0 / window.sum()), dtype=np.float32)


def _magnitudes(
    source: NDArray[np.float32], frame_length: int, frames: slice
) -> NDArray[np.float32]:
    """Transform some of a sound's frames: (n_frames, n_fft_bins)."""
    from scipy.fft import rfft

    first = frames.start * HOP_LENGTH - frame_length // 2
    last = (frames.stop - 1) * HOP_LENGTH + frame_length // 2
    part = source[max(first, 0) : last]
    padded = np.pad(part, (max(-first, 0), last - max(first, 0) - len(part)))
    every = np.lib.stride_tricks.sliding_window_view(padded, frame_length)
    cut = every[:: frames.step * HOP_LENGTH] * _window(frame_length)
    magnitudes: NDArray[np.float32] = np.abs(rfft(cut, axis=1)).astype(np.float32)
    return magnitudes


def _mixed(
    own: NDArray[np.float32], other: NDArray[np.float32], across: float
) -> NDArray[np.float32]:
    """Take the magnitudes of so much of the one power and of the other."""
    if not across:
        return own
    ours, theirs = np.float32(1.0 - across), np.float32(across)
    return np.sqrt(ours * own * own + theirs * other * other)


def _scaled(bins: NDArray[np.float32], loud: float) -> NDArray[np.float32]:
    level = 20.0 * np.log10(np.maximum(bins / loud, 1e-6))
    return np.asarray(np.clip((level - FLOOR_DB) / RANGE_DB, 0.0, 1.0), dtype=np.float32)


def _fill_between(spectrum: NDArray[np.float32]) -> None:
    """Set each second frame to the mean of its neighbours, the last to the one before it."""
    after = np.concatenate([spectrum[:, 2::2], spectrum[:, -2:-1]], axis=1)
    spectrum[:, 1::2] = 0.5 * (spectrum[:, 0:-1:2] + after[:, : spectrum.shape[1] // 2])


def loud_level(
    mid: NDArray[np.float32], side: NDArray[np.float32] | None = None, across: float = 0.0
) -> float:
    """Give the root-mean-square level of the loud part of a recording (95th percentile).

    Parameters
    ----------
    mid, side : ndarray of float32, shape (n_samples,)
        At 22 050 Hz; the side counts as in `Grid.across`.
    across : float
        The share of its power, 0 to 1.

    Examples
    --------
    >>> round(float(loud_level(np.full(22_050, 0.5, dtype=np.float32))), 2)
    0.5
    """
    power = _block_power(mid)
    if side is not None and across:
        power = (1.0 - across) * power + across * _block_power(side)
    return max(float(np.sqrt(np.percentile(power, 95))), 1e-4)


def _block_power(mono: NDArray[np.float32]) -> NDArray[np.float64]:
    """Give the power of each tenth of a second; of a shorter sound, of all of it."""
    block = SAMPLE_RATE // 10
    usable = len(mono) // block * block
    if not usable:
        return np.array([np.mean(mono**2) if len(mono) else 0.0], dtype=np.float64)
    blocks = mono[:usable].reshape(-1, block)
    return np.asarray(np.einsum("ij,ij->i", blocks, blocks, dtype=np.float64) / block)


@lru_cache(maxsize=2)
def harmonic_index(n_bins: int = N_BINS) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Give window and bin of every input channel for every pitch, each (N_CHANNELS, n_pitches).

    Parameters
    ----------
    n_bins : int
        Of the grid: every one begins an octave under its lowest pitch and ends at the same bin.
    """
    windows, bins = [], []
    n_pitches = N_PITCHES + (n_bins - N_BINS) // BINS_PER_SEMITONE
    base = BINS_PER_SEMITONE * (np.arange(n_pitches) + LOWEST_MIDI - LOWEST_BIN_MIDI)
    for index, row in enumerate(HARMONICS):
        for harmonic in row:
            shift = round(12 * BINS_PER_SEMITONE * np.log2(harmonic))
            for fine in range(BINS_PER_SEMITONE):
                bins.append(np.clip(base + shift + fine, 0, n_bins - 1))
                windows.append(np.full(n_pitches, index))
    return np.array(windows), np.array(bins)


def stack_harmonics(spectra: NDArray[np.float32], *, lanes: int = 1) -> NDArray[np.float32]:
    """Lay the harmonics of each pitch over each other: (N_CHANNELS, n_pitches, n_frames).

    Parameters
    ----------
    spectra : ndarray of float32, shape (n_windows, n_bins, n_frames)
        As `log_spectra` or `spectra_on` gives them, of either grid; of several looks one after the other,
        then so are the channels.
    lanes : int
        The first channels are laid down once more at the end, up to a whole number of so many.

    Examples
    --------
    >>> stack_harmonics(np.zeros((4, N_BINS, 7), dtype=np.float32)).shape == (N_CHANNELS, N_PITCHES, 7)
    True
    """
    windows, bins = harmonic_index(spectra.shape[1])
    looks = range(0, len(spectra), len(WINDOWS))
    every = np.concatenate([windows + k for k in looks])
    each = np.tile(bins, (len(looks), 1))
    laid = np.arange(-(-len(every) // lanes) * lanes) % len(every)
    return np.asarray(spectra[every[laid], each[laid]])

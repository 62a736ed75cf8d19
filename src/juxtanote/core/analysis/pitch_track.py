"""The pitch of one voice, frame by frame: YIN's difference function and a smooth path through it.

A. de Cheveigné and H. Kawahara, "YIN, a fundamental frequency estimator for speech and music",
J. Acoust. Soc. Am. 111 (4), 2002. The path among each frame's candidates is chosen by dynamic
programming, as in pYIN (M. Mauch and S. Dixon, ICASSP 2014), without its probabilities.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.units import hz_to_midi

N_CANDIDATES = 4  # of pitch in a frame, between which the path chooses
OCTAVE_BIAS = 0.02  # of two equal dips the shorter period is meant
FRAME_LENGTH = 2048  # samples: two periods of the lowest pitch
HOP_LENGTH = 256  # samples: 12 ms, as the listener's frames


@dataclass(frozen=True, slots=True)
class PitchTrack:
    """`midi` (n_frames,), NaN where unvoiced; `clarity` 0 to 1; frames `hop_s` apart."""

    midi: NDArray[np.float64]
    clarity: NDArray[np.float64]
    hop_s: float


def difference_function(frames: NDArray[np.float32], longest: int) -> NDArray[np.float64]:
    """Give YIN's cumulative-mean-normalised difference, shape (n_frames, longest).

    Parameters
    ----------
    frames : ndarray of float32, shape (n_frames, frame_length)
        With frame_length of at least twice `longest`.
    longest : int
        The longest period that is looked for, in samples.

    Examples
    --------
    >>> wave = np.sin(2 * np.pi * np.arange(400) / 50).astype(np.float32)
    >>> int(np.argmin(difference_function(wave[None], 80)[0, 20:])) + 20
    50
    """
    n_frames, size = frames.shape
    if size < 2 * longest:
        raise ValueError(f"frames of {size} samples are too short for lags of {longest}")
    window = size - longest
    fft_size = 1 << int(np.ceil(np.log2(size + window)))
    spectrum = np.fft.rfft(frames, fft_size, axis=1)
    head = np.fft.rfft(frames[:, :window], fft_size, axis=1)
    correlation = np.fft.irfft(spectrum * np.conj(head), fft_size, axis=1)[:, :longest]
    squares = np.cumsum(np.pad(frames.astype(np.float64) ** 2, ((0, 0), (1, 0))), axis=1)
    lags = np.arange(longest)
    energy = squares[:, lags + window] - squares[:, lags]
    difference = np.maximum(energy[:, :1] + energy - 2.0 * correlation, 0.0)
    mean = np.cumsum(difference[:, 1:], axis=1) / lags[1:]
    normalised = np.ones((n_frames, longest))
    normalised[:, 1:] = difference[:, 1:] / np.maximum(mean, 1e-12)
    return normalised


def track_pitch(
    audio: NDArray[np.float32],
    sample_rate: int,
    *,
    lowest_hz: float = 55.0,
    highest_hz: float = 1400.0,
    reference_hz: float = 440.0,
    unvoiced_above: float = 0.35,
) -> PitchTrack:
    """Track the pitch of mono audio that holds one voice.

    Parameters
    ----------
    audio : ndarray of float32, shape (n_samples,)
    sample_rate : int
        In Hz.
    lowest_hz, highest_hz : float
        Between which pitches are looked for.
    reference_hz : float
        Of A4.
    unvoiced_above : float
        From which aperiodicity on (0 to 1) a frame has no pitch.

    Raises
    ------
    ValueError
        If the range does not fit the frame length.
    """
    longest = int(sample_rate / lowest_hz) + 2
    shortest = max(int(sample_rate / highest_hz), 2)
    if 2 * longest > FRAME_LENGTH or shortest >= longest - 2:
        raise ValueError(f"{lowest_hz} to {highest_hz} Hz does not fit {FRAME_LENGTH} samples")
    padded = np.pad(audio, (FRAME_LENGTH // 2, FRAME_LENGTH))
    frames = np.lib.stride_tricks.sliding_window_view(padded, FRAME_LENGTH)[::HOP_LENGTH]
    frames = frames[: 1 + len(audio) // HOP_LENGTH]
    lags = np.ones((len(frames), N_CANDIDATES))
    costs = np.ones((len(frames), N_CANDIDATES))
    for start in range(0, len(frames), 256):
        block = np.ascontiguousarray(frames[start : start + 256])
        found = _candidates(difference_function(block, longest), shortest)
        lags[start : start + 256], costs[start : start + 256] = found
    pitches = hz_to_midi(sample_rate / lags, reference_hz)
    path = _smooth_path(pitches, costs)
    rows = np.arange(len(frames))
    best = costs[rows, path]
    level = np.sqrt(np.mean(np.asarray(frames, np.float64) ** 2, axis=1))
    voiced = (best < unvoiced_above) & (level > max(1e-4, 0.02 * float(level.max(initial=0.0))))
    midi = np.where(voiced, pitches[rows, path], np.nan)
    return PitchTrack(midi, np.clip(1.0 - best, 0.0, 1.0), HOP_LENGTH / sample_rate)


def _candidates(
    normalised: NDArray[np.float64], shortest: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Take the deepest dips of each frame, with parabolic interpolation: (lags, costs)."""
    a, inner, c = normalised[:, :-2], normalised[:, 1:-1], normalised[:, 2:]
    dips = (inner <= a) & (inner < c)
    dips[:, : shortest - 1] = False
    curve = np.maximum(a - 2.0 * inner + c, 1e-9)
    # High notes have few samples to a period: only the parabola tells how deep their dip is.
    depth = np.where(dips, np.maximum(inner - (a - c) ** 2 / (8.0 * curve), 0.0), 1.0)
    lags = np.arange(1, inner.shape[1] + 1)
    ranked = np.where(dips, depth + OCTAVE_BIAS * np.log2(lags / shortest), np.inf)
    order = np.argpartition(ranked, N_CANDIDATES, axis=1)[:, :N_CANDIDATES]
    rows = np.arange(len(normalised))[:, None]
    shift = np.clip(0.5 * (a - c) / curve, -1.0, 1.0)[rows, order]
    found = np.isfinite(ranked[rows, order])
    costs = np.where(found, np.minimum(ranked[rows, order], 1.0), 1.0)
    return np.maximum(order + 1 + shift, 1.0), costs


def _smooth_path(pitches: NDArray[np.float64], costs: NDArray[np.float64]) -> NDArray[np.int64]:
    """Choose one candidate a frame: shallow dips and leaps cost."""
    n_frames = len(pitches)
    total, back = costs[0].copy(), np.zeros((n_frames, N_CANDIDATES), dtype=np.int64)
    for frame in range(1, n_frames):
        leap = np.abs(pitches[frame][None, :] - pitches[frame - 1][:, None])
        moved = total[:, None] + np.minimum(0.04 * leap, 0.3)
        back[frame] = np.argmin(moved, axis=0)
        total = moved[back[frame], np.arange(N_CANDIDATES)] + costs[frame]
    path = np.zeros(n_frames, dtype=np.int64)
    path[-1] = int(np.argmin(total))
    for frame in range(n_frames - 1, 0, -1):
        path[frame - 1] = back[frame, path[frame]]
    return path

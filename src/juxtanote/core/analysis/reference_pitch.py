"""How far a recording sits from A4 = 440 Hz: where its partials fall between the semitones."""

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.units import hz_to_midi

FRAME_LENGTH = 8192  # samples: a third of a second resolves a few cents
LOWEST_HZ, HIGHEST_HZ = 100.0, 1300.0  # where partials are strong and apart
# Cents by which partials of strings lie above the tempered semitones on average: third partials are
# 2 cents wider than a tempered twelfth, and stiff strings stretch all of them (measured on our mixes).
SHARP_PARTIALS = 1.5
# A less certain reference is taken for 440 Hz. Of 27 foreign guitars alone, at 440 Hz or 10 cents flat,
# all were right to 6 cents, the least certain (0.10) too; noise stays under 0.03, talk under 0.01.
CERTAIN = 0.06


def measure_reference_cents(mono: NDArray[np.float32], sample_rate: int) -> tuple[float, float]:
    """Measure the reference pitch of mono audio.

    Peaks of long spectra are interpolated on a parabola of log magnitude, and their distances from
    the tempered semitones are averaged on the circle of 100 cents, then again around the mode.

    Parameters
    ----------
    mono : ndarray of float32, shape (n_samples,)
    sample_rate : int
        In Hz.

    Returns
    -------
    cents : float
        -50 to 50, positive where the recording is sharp of 440 Hz.
    certainty : float
        0 (peaks fall anywhere) to 1 (all agree).
    """
    if len(mono) < FRAME_LENGTH:
        return 0.0, 0.0
    hop = max(FRAME_LENGTH // 4, len(mono) // 1200)
    frames = np.lib.stride_tricks.sliding_window_view(mono, FRAME_LENGTH)[::hop]
    window = np.hanning(FRAME_LENGTH).astype(np.float32)
    deviations, weights = [], []
    for start in range(0, len(frames), 64):
        found = _peak_deviations(frames[start : start + 64] * window, sample_rate)
        deviations.append(found[0])
        weights.append(found[1])
    cents, weight = np.concatenate(deviations), np.concatenate(weights)
    if weight.sum() <= 0.0:
        return 0.0, 0.0
    angle = 2.0 * np.pi * cents / 100.0
    mean = np.sum(weight * np.exp(1j * angle)) / weight.sum()
    certainty = float(np.abs(mean))
    centre = _mode(cents, weight)
    for spread in (12.0, 7.0):
        apart = (cents - centre + 50.0) % 100.0 - 50.0
        near = weight * np.exp(-0.5 * (apart / spread) ** 2)
        centre += float(np.sum(near * apart) / max(near.sum(), 1e-12))
    return float((centre - SHARP_PARTIALS + 50.0) % 100.0 - 50.0), certainty


def reference_to_hear_at(mono: NDArray[np.float32], sample_rate: int) -> float:
    """Give the cents off 440 Hz that a recording is heard at: 0 where nothing tells them.

    Parameters
    ----------
    mono : ndarray of float32, shape (n_samples,)
    sample_rate : int
        In Hz.

    Examples
    --------
    >>> tone = np.sin(2 * np.pi * 445.0 * np.arange(22_050) / 22_050).astype(np.float32)
    >>> round(reference_to_hear_at(tone, 22_050))
    18
    """
    cents, certainty = measure_reference_cents(mono, sample_rate)
    return cents if certainty > CERTAIN else 0.0


def _mode(cents: NDArray[np.float64], weight: NDArray[np.float64]) -> float:
    counts, _ = np.histogram(cents, bins=100, range=(-50, 50), weights=weight)
    kernel = np.exp(-0.5 * (np.arange(-12, 13) / 5.0) ** 2)
    ring = np.concatenate([counts[-12:], counts, counts[:12]])
    return float(np.argmax(np.convolve(ring, kernel, mode="valid")) - 49.5)


def _peak_deviations(
    frames: NDArray[np.float32], sample_rate: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Give cents off the nearest semitone, and a weight, for every clear spectral peak."""
    magnitude = np.abs(np.fft.rfft(frames, axis=1)) + 1e-9
    step = sample_rate / FRAME_LENGTH
    low, high = int(LOWEST_HZ / step), int(HIGHEST_HZ / step)
    part = np.log(magnitude[:, low - 1 : high + 1])
    middle = part[:, 1:-1]
    peak = (middle > part[:, :-2]) & (middle >= part[:, 2:])
    loudest = middle.max(axis=1, keepdims=True)
    peak &= middle > loudest - 3.5
    rows, columns = np.nonzero(peak)
    a, b, c = part[rows, columns], part[rows, columns + 1], part[rows, columns + 2]
    shift = 0.5 * (a - c) / np.minimum(a - 2.0 * b + c, -1e-9)
    midi = hz_to_midi((low + columns + shift) * step)
    cents = 100.0 * (midi - np.rint(midi))
    return cents, np.exp(0.5 * (b - loudest[rows, 0])) * np.exp(loudest[rows, 0] * 0.25)

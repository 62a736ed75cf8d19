"""The fine pitch of a known note inside a mix: harmonic summation on short spectra, smoothly.

Salience of a pitch is the weighted sum of the magnitudes at its harmonics (D. J. Hermes,
"Measurement of pitch by subharmonic summation", J. Acoust. Soc. Am. 83 (1), 1988); the curve is the
best smooth path through it.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.units import midi_to_hz

FRAME_LENGTH = 2048
LONG_FRAME = 4096
HOP_LENGTH = 220  # 10 ms at 22 050 Hz
STEP_SEMITONES = 0.05
BELOW, ABOVE = 1.6, 5.2
HARMONICS = np.arange(1, 9)


@dataclass(frozen=True, slots=True)
class ShortSpectra:
    """Magnitudes (n_frames, n_bins) every 10 ms, long windows for low notes, short for high ones."""

    short: NDArray[np.float32]
    long: NDArray[np.float32]
    sample_rate: int


def measure_spectra(mono: NDArray[np.float32], sample_rate: int) -> ShortSpectra:
    """Take the spectra that pitch curves are read from."""
    from scipy.fft import rfft

    parts = []
    for size in (FRAME_LENGTH, LONG_FRAME):
        padded = np.pad(mono, (size // 2, size))
        frames = np.lib.stride_tricks.sliding_window_view(padded, size)[::HOP_LENGTH]
        frames = frames[: 1 + len(mono) // HOP_LENGTH]
        window = np.hanning(size).astype(np.float32)
        magnitude = np.empty((len(frames), size // 2 + 1), dtype=np.float32)
        for start in range(0, len(frames), 256):
            block = frames[start : start + 256] * window
            spectrum = rfft(block, 2 * size, axis=1, workers=2)
            magnitude[start : start + len(block)] = np.abs(spectrum[:, : size // 2 + 1])
        parts.append(magnitude)
    return ShortSpectra(parts[0], parts[1], sample_rate)


def pitch_curve(
    spectra: ShortSpectra,
    midi: float,
    onset_s: float,
    offset_s: float,
    *,
    reference_hz: float = 440.0,
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Follow the pitch of one note.

    Returns
    -------
    times_s : ndarray, shape (n_points,)
        Seconds from the onset, 10 ms apart.
    cents : ndarray, shape (n_points,)
        Sounding pitch above `midi`.
    level_db : ndarray, shape (n_points,)
        Level of the harmonics followed.
    """
    hop_s = HOP_LENGTH / spectra.sample_rate
    low_note = midi < 52
    magnitude = spectra.long if low_note else spectra.short
    bin_hz = spectra.sample_rate / (2 * (LONG_FRAME if low_note else FRAME_LENGTH))
    # Half a window after the attack the spectrum holds this note alone.
    first = int(np.ceil(onset_s / hop_s)) + 1
    last = min(max(int(offset_s / hop_s), first + 2), len(magnitude))
    first = min(first, max(last - 2, 0))
    if last - first < 2 or offset_s <= onset_s:
        return np.zeros(0), np.zeros(0), np.zeros(0)
    offsets = np.arange(-BELOW, ABOVE, STEP_SEMITONES)
    hz = midi_to_hz(midi + offsets, reference_hz)
    bins = hz[:, None] * HARMONICS[None, :] / bin_hz
    usable = bins < magnitude.shape[1] - 2
    bins = np.where(usable, bins, 0.0)
    floor = bins.astype(np.int64)
    part = (bins - floor).astype(np.float32)
    rows = magnitude[first:last]
    values = rows[:, floor] * (1.0 - part) + rows[:, floor + 1] * part
    weights = np.where(usable, 0.84 ** (HARMONICS - 1), 0.0)
    salience = np.sum(np.sqrt(values) * weights, axis=2)
    salience /= np.maximum(salience.max(axis=1, keepdims=True), 1e-9)
    path = _smooth(salience, int(round(BELOW / STEP_SEMITONES)))
    frames = np.arange(len(path))
    cents = 100.0 * (offsets[path] + STEP_SEMITONES * _fraction(salience, path))
    level = 20.0 * np.log10(np.maximum(values[frames, path].max(axis=1), 1e-6))
    times = np.asarray((first + frames) * hop_s - onset_s, dtype=np.float64)
    return times, np.asarray(cents, np.float64), np.asarray(level, np.float64)


def _smooth(salience: NDArray[np.float64], start: int) -> NDArray[np.int64]:
    """Find the best path; moving costs by distance, up to 60 cents a frame."""
    reach = 12
    n_frames, n_pitches = salience.shape
    steps = np.arange(-reach, reach + 1)
    price = 0.012 * np.abs(steps)
    # Begin near the written pitch, or at a bent one: the prior is weak.
    total = 3.0 * salience[0] - 0.006 * np.abs(np.arange(n_pitches) - start)
    back = np.zeros((n_frames, n_pitches), dtype=np.int64)
    rows = np.arange(n_pitches)
    padded = np.full(n_pitches + 2 * reach, -1e9)
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1)
    for frame in range(1, n_frames):
        padded[reach:-reach] = total
        ways = windows - price
        best = np.argmax(ways, axis=1)
        back[frame] = rows + best - reach
        total = ways[rows, best] + 3.0 * salience[frame]
    path = np.zeros(n_frames, dtype=np.int64)
    path[-1] = int(np.argmax(total))
    for frame in range(n_frames - 1, 0, -1):
        path[frame - 1] = back[frame, path[frame]]
    return path


def _fraction(salience: NDArray[np.float64], path: NDArray[np.int64]) -> NDArray[np.float64]:
    """Refine between steps on a parabola."""
    inner = np.clip(path, 1, salience.shape[1] - 2)
    rows = np.arange(len(path))
    a, b, c = (salience[rows, inner + step] for step in (-1, 0, 1))
    bend = a - 2.0 * b + c
    shift = np.where(bend < -1e-9, 0.5 * (a - c) / np.minimum(bend, -1e-9), 0.0)
    return np.clip(shift, -0.5, 0.5)

"""The fine pitch of a known note inside a mix: harmonic summation on short spectra, smoothly.

Salience of a pitch is the weighted sum of the magnitudes at its harmonics (D. J. Hermes,
"Measurement of pitch by subharmonic summation", J. Acoust. Soc. Am. 83 (1), 1988); the curve is the
best smooth path through it.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.units import midi_to_hz

FRAME_LENGTH = 2048  # samples: 93 ms, two periods and more from E2 on
LONG_FRAME = 4096  # for low notes, whose partials lie nearer
HOP_LENGTH = 220  # 10 ms at 22 050 Hz
STEP_SEMITONES = 0.05  # a twentieth: finer than a bend is played
BELOW, ABOVE = 1.6, 5.2  # semitones that a note may fall under its pitch, and be bent over it
HARMONICS = np.arange(1, 9)  # more of them lie in the noise of the amplifier
BLOCK = 64  # frames
TRACE_WIDTH = 1.6  # semitones


class ShortSpectra:
    """Magnitudes every 10 ms, taken in blocks where they are first asked for."""

    def __init__(self, mono: NDArray[np.float32], sample_rate: int) -> None:
        self.sample_rate = sample_rate
        self.n_frames = 1 + len(mono) // HOP_LENGTH
        self._mono = mono
        self._blocks: dict[tuple[int, int], NDArray[np.float32]] = {}

    def magnitudes(self, frame_length: int, first: int, last: int) -> NDArray[np.float32]:
        """Give the frames from `first` to before `last`, shape (last - first, frame_length // 2 + 1).

        The bins are half as wide as those of `frame_length`, and reach half as high.
        """
        numbers = range(first // BLOCK, (last - 1) // BLOCK + 1)
        rows = np.concatenate([self._block(frame_length, number) for number in numbers])
        return rows[first - numbers[0] * BLOCK : last - numbers[0] * BLOCK]

    def _block(self, frame_length: int, number: int) -> NDArray[np.float32]:
        from scipy.fft import rfft

        known = self._blocks.get((frame_length, number))
        if known is None:
            start = number * BLOCK * HOP_LENGTH - frame_length // 2
            stop = start + (BLOCK - 1) * HOP_LENGTH + frame_length
            part = self._mono[max(start, 0) : max(stop, 0)]
            part = np.pad(part, (max(-start, 0), stop - max(start, 0) - len(part)))
            frames = np.lib.stride_tricks.sliding_window_view(part, frame_length)[::HOP_LENGTH]
            window = np.hanning(frame_length).astype(np.float32)
            spectrum = rfft(frames * window, 2 * frame_length, axis=1)
            known = np.abs(spectrum[:, : frame_length // 2 + 1]).astype(np.float32)
            self._blocks[frame_length, number] = known
        return known


def measure_spectra(mono: NDArray[np.float32], sample_rate: int) -> ShortSpectra:
    """Give the spectra that pitch curves are read from: long windows for low notes, else short.

    Parameters
    ----------
    mono : ndarray of float32, shape (n_samples,)
    sample_rate : int
        In Hz.
    """
    return ShortSpectra(mono, sample_rate)


class Curve(NamedTuple):
    """The pitch of one note as it moves, each of shape (n_points,).

    `times_s` are seconds from its onset, 10 ms apart; `cents` the sounding pitch above the note's own;
    `level_db` how loud the harmonics are that were followed.
    """

    times_s: NDArray[np.float64]
    cents: NDArray[np.float64]
    level_db: NDArray[np.float64]


def pitch_curve(
    spectra: ShortSpectra,
    midi: float,
    onset_s: float,
    offset_s: float,
    *,
    reference_hz: float = 440.0,
    trace: tuple[NDArray[np.float64], float] | None = None,
) -> Curve:
    """Follow the pitch of one note.

    Parameters
    ----------
    spectra : ShortSpectra
        Of the recording.
    midi : float
        The note's own pitch.
    onset_s, offset_s : float
        Seconds of the recording.
    reference_hz : float
        Where A4 is.
    trace : (ndarray, float), optional
        Where the note is known to sound, MIDI at steps of so many seconds from its onset: the curve
        stays within `TRACE_WIDTH` of it, and no other note draws it away.
    """
    hop_s = HOP_LENGTH / spectra.sample_rate
    low_note = midi < 52
    frame_length = LONG_FRAME if low_note else FRAME_LENGTH
    bin_hz = spectra.sample_rate / (2 * frame_length)
    # Half a window after the attack the spectrum holds this note alone.
    first = int(np.ceil(onset_s / hop_s)) + 1
    last = min(max(int(offset_s / hop_s), first + 2), spectra.n_frames)
    first = min(first, max(last - 2, 0))
    if last - first < 2 or offset_s <= onset_s:
        return Curve(np.zeros(0), np.zeros(0), np.zeros(0))
    below, above = BELOW, ABOVE
    if trace is not None and len(trace[0]):
        below = max(midi - float(trace[0].min()), 0.0) + BELOW
        above = max(float(trace[0].max()) - midi, 0.0) + TRACE_WIDTH
    offsets = np.arange(-below, above, STEP_SEMITONES)
    hz = midi_to_hz(midi + offsets, reference_hz)
    bins = hz[:, None] * HARMONICS[None, :] / bin_hz
    usable = bins < frame_length // 2 - 1
    bins = np.where(usable, bins, 0.0)
    floor = bins.astype(np.int64)
    part = (bins - floor).astype(np.float32)
    rows = spectra.magnitudes(frame_length, first, last)
    values = rows[:, floor] * (1.0 - part) + rows[:, floor + 1] * part
    weights = np.where(usable, 0.84 ** (HARMONICS - 1), 0.0).astype(np.float32)
    salience = np.einsum("fph,ph->fp", np.sqrt(values), weights).astype(np.float64)
    if trace is not None and len(trace[0]):
        at = (np.arange(first, last) * hop_s - onset_s) / trace[1]
        near = trace[0][np.clip(np.rint(at).astype(int), 0, len(trace[0]) - 1)] - midi
        salience *= np.abs(offsets[None, :] - near[:, None]) < TRACE_WIDTH
    salience /= np.maximum(salience.max(axis=1, keepdims=True), 1e-9)
    path = _smooth(salience, int(round(below / STEP_SEMITONES)))
    frames = np.arange(len(path))
    cents = 100.0 * (offsets[path] + STEP_SEMITONES * _fraction(salience, path))
    level = 20.0 * np.log10(np.maximum(values[frames, path].max(axis=1), 1e-6))
    times = np.asarray((first + frames) * hop_s - onset_s, dtype=np.float64)
    return Curve(times, np.asarray(cents, np.float64), np.asarray(level, np.float64))


def _smooth(salience: NDArray[np.float64], start: int) -> NDArray[np.int64]:
    """Find the best path; moving costs by distance, up to 60 cents a frame."""
    reach = 12
    n_frames, n_pitches = salience.shape
    steps = np.arange(-reach, reach + 1)
    price = (0.012 * np.abs(steps)).astype(np.float32)
    # Begin near the written pitch, or at a bent one: the prior is weak.
    total = 3.0 * salience[0] - 0.006 * np.abs(np.arange(n_pitches) - start)
    back = np.zeros((n_frames, n_pitches), dtype=np.int64)
    rows = np.arange(n_pitches)
    padded = np.full(n_pitches + 2 * reach, -1e9, dtype=np.float32)
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1)
    ways = np.empty(windows.shape, dtype=np.float32)
    gain = (3.0 * salience).astype(np.float32)
    for frame in range(1, n_frames):
        padded[reach:-reach] = total
        np.subtract(windows, price, out=ways)
        best = ways.argmax(axis=1)
        back[frame] = rows + best - reach
        total = ways[rows, best] + gain[frame]
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

"""Beats and bars: pulses from the periodicity of onsets, followed by dynamic programming.

D. P. W. Ellis, "Beat Tracking by Dynamic Programming", J. New Music Research 36 (1), 2007, with a
tempo that may drift; several pulses are followed, and the one that the band plays on is chosen.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.metre import (
    Curves,
    Pulse,
    measure_pulse,
    weigh_bars,
    weigh_division,
    weigh_pulses,
)
from juxtanote.core.analysis.onsets import superflux
from juxtanote.core.analysis.spectra import (
    BINS_PER_SEMITONE,
    HOP_LENGTH,
    SAMPLE_RATE,
    log_spectra,
)
from juxtanote.core.progress import Progress, no_progress

SLOWEST, FASTEST = 42.0, 210.0  # beats a minute that people tap to
TIGHTNESS = 160.0  # how much a beat off the pulse costs, while its tempo is not known
STEADINESS = 3000.0  # the same, off the tempo around it
AROUND_BEATS = 17  # that tell the tempo
SLIPPED = 0.06  # of a beat: a step that is longer or shorter by more tells of no tempo
CHUNK_S = 60.0  # of sound at once, which bounds memory
FRAME_RATE = SAMPLE_RATE / HOP_LENGTH
MOST_PULSES = 9  # readings that are worth following: half, double, thirds of each other
LATE_S = 0.006  # onset strength peaks this long after the onset


@dataclass(frozen=True, slots=True)
class Pulses:
    """One reading of the time: beats in seconds, the bars over them, and its share of evidence."""

    beat_times_s: NDArray[np.float64]
    first_downbeat: int
    beats_per_bar: int
    division: int
    bpm: float
    share: float


@dataclass(frozen=True, slots=True)
class BarReading:
    """A way to lay bars over the beats of the likeliest pulse, with its share of evidence."""

    beats_per_bar: int
    first_downbeat: int
    share: float
    division: int = 2

    @property
    def signature(self) -> str:
        """Name the metre, as "4/4" or "6/8".

        Examples
        --------
        >>> BarReading(4, 0, 0.9).signature, BarReading(2, 0, 0.9, division=3).signature
        ('4/4', '6/8')
        """
        threes = self.division == 3
        return f"{3 * self.beats_per_bar}/8" if threes else f"{self.beats_per_bar}/4"


@dataclass(frozen=True, slots=True)
class BeatReading:
    """What was found: readings of the pulse, and of the bars of the first, the likeliest first."""

    readings: tuple[Pulses, ...]
    bars: tuple[BarReading, ...]
    threes: float  # share of evidence for beats that fall into three

    @property
    def best(self) -> Pulses:
        """Give the likeliest reading."""
        return self.readings[0]


def find_beats(
    mono: NDArray[np.float32], *, bpm: float | None = None, progress: Progress = no_progress
) -> BeatReading:
    """Find the beats of mono audio at 22 050 Hz.

    Parameters
    ----------
    bpm : float, optional
        A known tempo; the beats then follow it closely.
    """
    duration_s = len(mono) / SAMPLE_RATE
    curves = measure_curves(mono, progress)
    if duration_s < 1.5 or float(curves.onset.max(initial=0.0)) <= 1e-6:
        step = 60.0 / (bpm or 120.0)
        times = np.arange(0.0, max(duration_s, 2.5 * step), step)
        even = Pulses(times, 0, 4, 2, bpm or 120.0, 1.0)
        return BeatReading((even,), (BarReading(4, 0, 1.0),), 0.0)
    periods = candidate_periods(curves.onset) if bpm is None else [60.0 * FRAME_RATE / bpm]
    pulses = follow_pulses(curves, periods)
    shares = weigh_pulses(pulses, FRAME_RATE)
    order = np.argsort(-shares)
    likely = [k for k in order if shares[k] > 0.01] or [order[0]]
    readings = [_reading(pulses[k], float(shares[k])) for k in likely]
    best = pulses[int(order[0])]
    threes = weigh_division(best)
    bars = [
        BarReading(per_bar, first, share * divided, division)
        for division, divided in ((2, 1.0 - threes), (3, threes))
        for share, per_bar, first in weigh_bars(best, float(division == 3))
    ]
    bars.sort(key=lambda reading: -reading.share)
    return BeatReading(tuple(readings[:4]), tuple(bars), threes)


def _reading(pulse: Pulse, share: float) -> Pulses:
    threes = weigh_division(pulse)
    _, per_bar, first = weigh_bars(pulse, threes)[0]
    times = _rising(np.maximum(pulse.beats / FRAME_RATE - LATE_S, 0.0))
    bpm = 60.0 * FRAME_RATE / pulse.period
    return Pulses(times, first, per_bar, 3 if threes > 0.5 else 2, bpm, share)


def _rising(times: NDArray[np.float64]) -> NDArray[np.float64]:
    # Nearer than any tempo has them: two beats that were refined to one onset.
    keep = np.concatenate([[True], np.diff(times) > 0.1])
    kept = times[keep]
    return kept if len(kept) >= 2 else np.array([times[0], times[0] + 0.5])


def measure_curves(mono: NDArray[np.float32], progress: Progress = no_progress) -> Curves:
    """Measure onset strength, low onsets, noise bursts and chroma in bounded memory.

    Parameters
    ----------
    mono : ndarray of float32, shape (n_samples,)
        At 22 050 Hz.

    Returns
    -------
    Curves
        Each with one value every 256 samples.
    """
    rows: list[tuple[NDArray[np.float64], ...]] = []
    size = int(CHUNK_S * SAMPLE_RATE) // HOP_LENGTH * HOP_LENGTH
    for start in range(0, max(len(mono), 1), size):
        part = mono[start : start + size + HOP_LENGTH * 4]
        if len(part) < HOP_LENGTH * 8:
            break
        spectra = log_spectra(part, np.zeros_like(part))
        count = min(size // HOP_LENGTH, spectra.shape[2])
        onset = superflux(spectra[2]) + superflux(spectra[1])
        low = superflux(spectra[1][: BINS_PER_SEMITONE * 22])
        folded = np.zeros((12, count))
        for semitone in range(12, 60):
            row = spectra[0][BINS_PER_SEMITONE * semitone + 1, :count]
            # Below this level lie noise and the skirts of what is louder.
            folded[semitone % 12] += np.maximum(row - 0.35, 0.0)
        rows.append((onset[:count], low[:count], _bursts(spectra[2])[:count], folded))
        progress(min(start / max(len(mono), 1), 1.0))
    if not rows:
        return Curves(np.zeros(1), np.zeros(1), np.zeros(1), np.zeros((12, 1)))
    onset, low, burst, chroma = (
        np.concatenate(parts, axis=-1) for parts in zip(*rows, strict=True)
    )
    onset = np.maximum(onset - _moving_mean(onset, 43), 0.0)
    return Curves(onset / (float(np.std(onset)) + 1e-9), low, burst, chroma)


def _bursts(spectrum: NDArray[np.float32]) -> NDArray[np.float64]:
    """Measure noise bursts: where nearly all of the middle and upper bins rise at once."""
    upper = spectrum[BINS_PER_SEMITONE * 28 :]
    rise = np.maximum(upper[:, 2:] - upper[:, :-2], 0.0)
    strength = np.quantile(rise, 0.4, axis=0)
    return np.pad(strength.astype(np.float64), (1, 1))


def _moving_mean(values: NDArray[np.float64], half: int) -> NDArray[np.float64]:
    from scipy import ndimage

    return np.asarray(ndimage.uniform_filter1d(values, 2 * half + 1))


def candidate_periods(onset: NDArray[np.float64]) -> list[float]:
    """List beat lengths in frames that could be meant: peaks of autocorrelation, and simple ratios.

    Parameters
    ----------
    onset : ndarray of float64, shape (n_frames,)
        Onset strength, one value every 256 samples at 22 050 Hz.

    Examples
    --------
    >>> clicks = np.zeros(2000)
    >>> clicks[::43] = 1.0  # every half second
    >>> any(abs(period - 43.0) < 1.0 for period in candidate_periods(clicks))
    True
    """
    n = len(onset)
    spectrum = np.abs(np.fft.rfft(np.minimum(onset, 6.0), 2 * n)) ** 2
    correlation = np.fft.irfft(spectrum)[:n] / np.maximum(n - np.arange(n), n // 4)
    correlation /= correlation[0] + 1e-12
    bpms = np.exp(np.linspace(np.log(SLOWEST), np.log(FASTEST), 400))
    lags = 60.0 * FRAME_RATE / bpms
    score = np.zeros(len(bpms))
    for multiple, weight in ((1, 1.0), (2, 0.6), (3, 0.25), (4, 0.5), (8, 0.25), (0.5, 0.35)):
        score += weight * np.interp(lags * multiple, np.arange(n), correlation, right=0.0)
    peaks = np.flatnonzero((score[1:-1] >= score[:-2]) & (score[1:-1] > score[2:])) + 1
    if len(peaks) == 0:
        return [0.5 * FRAME_RATE]
    best = [float(lags[b]) for b in peaks[np.argsort(-score[peaks])][:5]]
    kin = [lag * ratio for ratio in (2.0, 0.5, 1.5, 2 / 3, 3.0, 1 / 3) for lag in best[:2]]
    chosen: list[float] = []
    for lag in [*best, *kin]:
        inside = SLOWEST <= 60.0 * FRAME_RATE / lag <= FASTEST
        if inside and all(abs(np.log(lag / other)) > 0.05 for other in chosen):
            chosen.append(lag)
    return chosen[:MOST_PULSES]


def follow_pulses(curves: Curves, periods: list[float]) -> list[Pulse]:
    """Follow each period through the record and measure what falls on its beats.

    Parameters
    ----------
    curves : Curves
        Of the whole stretch, n_frames long.
    periods : list of float
        Beat lengths in frames.
    """
    lines = curves.lines()
    followed = []
    for period in periods:
        first = _track(curves.onset, np.full(len(curves.onset), period), TIGHTNESS)
        # Once its tempo is known, a beat may no longer slip to the off-beat where others play there.
        beats = _track(curves.onset, _local_periods(first, len(curves.onset)), STEADINESS)
        followed.append(measure_pulse(curves, lines, _refined(curves.onset, beats)))
    return followed


def _local_periods(beats: NDArray[np.float64], n_frames: int) -> NDArray[np.float64]:
    """Give the frames a beat around each frame: the mean of the steps that are near their median."""
    from scipy import ndimage

    steps = np.diff(beats)
    around = min(AROUND_BEATS, len(steps))
    usual = ndimage.median_filter(steps, around, mode="nearest")
    is_usual = (np.abs(steps / usual - 1.0) < SLIPPED).astype(np.float64)
    total = ndimage.uniform_filter1d(steps * is_usual, around, mode="nearest")
    count = ndimage.uniform_filter1d(is_usual, around, mode="nearest")
    smooth = np.where(count > 1e-6, total / np.maximum(count, 1e-6), usual)
    return np.asarray(np.interp(np.arange(n_frames), 0.5 * (beats[1:] + beats[:-1]), smooth))


def _track(
    onset: NDArray[np.float64], periods: NDArray[np.float64], tightness: float
) -> NDArray[np.float64]:
    """Find the beats that hit onsets and keep near the tempo, frames a beat around each frame."""
    kernel = np.exp(-0.5 * (np.arange(-3, 4) / 1.2) ** 2)
    local = np.convolve(np.minimum(onset, 5.0), kernel, mode="same")
    # A beat that is missed or struck twice lies outside of these.
    low, high = int(round(0.6 * periods.min())), int(round(1.6 * periods.max()))
    lags = np.arange(low, high + 1)
    log_lags, log_periods = np.log(lags), np.log(periods)
    score, back = local.copy(), np.full(len(local), -1)
    for frame in range(low, len(local)):
        count = min(len(lags), frame - low + 1)
        before = score[frame - low - count + 1 : frame - low + 1][::-1]
        reached = before - tightness * (log_lags[:count] - log_periods[frame]) ** 2
        best = int(reached.argmax())
        if reached[best] > 0.0:
            score[frame] += reached[best]
            back[frame] = frame - lags[best]
    # The last beat is one of the last that could be: from there the way back is known.
    tail = max(len(local) - int(1.2 * periods[-1]), 0)
    frame = tail + int(np.argmax(score[tail:]))
    beats = [frame]
    while back[frame] >= 0:
        frame = int(back[frame])
        beats.append(frame)
    found = np.array(beats[::-1], dtype=np.float64)
    return found if len(found) >= 2 else np.array([0.0, periods[0]])


def _refined(onset: NDArray[np.float64], beats: NDArray[np.float64]) -> NDArray[np.float64]:
    """Put each beat on the centre of the onset under it, a fraction of a frame."""
    fine = beats.copy()
    for index, beat in enumerate(beats):
        low = max(int(beat) - 2, 0)
        part = onset[low : low + 5]
        if part.sum() > 0.5:
            fine[index] = low + float(np.sum(part * np.arange(len(part))) / part.sum())
    # A beat without an onset stays halfway between its neighbours.
    for index in range(1, len(beats) - 1):
        if onset[max(int(beats[index]) - 2, 0) : int(beats[index]) + 3].max(initial=0.0) < 0.4:
            fine[index] = 0.5 * (fine[index - 1] + fine[index + 1])
    return fine

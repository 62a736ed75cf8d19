"""Beats and bars: tempo from the periodicity of onsets, beats by dynamic programming.

D. P. W. Ellis, "Beat Tracking by Dynamic Programming", J. New Music Research 36 (1), 2007, with a
tempo that may drift; bar lines from where low drums, chord changes and accents agree.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.onsets import superflux
from juxtanote.core.analysis.spectra import (
    BINS_PER_SEMITONE,
    HOP_LENGTH,
    SAMPLE_RATE,
    log_spectra,
)
from juxtanote.core.progress import Progress, no_progress

SLOWEST, FASTEST = 40.0, 220.0
LIKELY_BPM = 120.0
TIGHTNESS = 160.0
CHUNK_S = 60.0


@dataclass(frozen=True, slots=True)
class TempoReading:
    """A tempo that could be meant, with its share of the evidence."""

    bpm: float
    share: float


@dataclass(frozen=True, slots=True)
class BeatReading:
    """Beats in seconds, which of them begin bars, and what else it could be."""

    beat_times_s: NDArray[np.float64]
    first_downbeat: int
    beats_per_bar: int
    division: int
    tempos: tuple[TempoReading, ...]


@dataclass(frozen=True, slots=True)
class _Curves:
    onset: NDArray[np.float64]
    low: NDArray[np.float64]
    change: NDArray[np.float64]


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
    curves = _measure(mono, progress)
    if duration_s < 1.5 or float(curves.onset.max(initial=0.0)) <= 1e-6:
        step = 60.0 / (bpm or 120.0)
        times = np.arange(0.0, max(duration_s, 2.5 * step), step)
        return BeatReading(times, 0, 4, 2, (TempoReading(bpm or 120.0, 1.0),))
    tempos = _tempos(curves.onset) if bpm is None else (TempoReading(bpm, 1.0),)
    beats = _track(curves.onset, tempos[0].bpm)
    beats = _refined(curves.onset, beats)
    division = _division(curves.onset, beats)
    per_bar, first = _bars(curves, beats)
    hop_s = HOP_LENGTH / SAMPLE_RATE
    times = np.maximum(beats * hop_s - 0.006, 0.0)
    return BeatReading(_rising(times), first, per_bar, division, tempos)


def _rising(times: NDArray[np.float64]) -> NDArray[np.float64]:
    keep = np.concatenate([[True], np.diff(times) > 0.1])
    kept = times[keep]
    return kept if len(kept) >= 2 else np.array([times[0], times[0] + 0.5])


def _measure(mono: NDArray[np.float32], progress: Progress) -> _Curves:
    """Measure onset strength, low onsets and chord change in bounded memory."""
    onsets, lows, chroma = [], [], []
    size = int(CHUNK_S * SAMPLE_RATE) // HOP_LENGTH * HOP_LENGTH
    for start in range(0, max(len(mono), 1), size):
        part = mono[start : start + size + HOP_LENGTH * 4]
        if len(part) < HOP_LENGTH * 8:
            break
        spectra = log_spectra(part, np.zeros_like(part))
        count = min(size // HOP_LENGTH, spectra.shape[2])
        strength = superflux(spectra[2]) + superflux(spectra[1])
        onsets.append(strength[:count])
        lows.append(superflux(spectra[1][: BINS_PER_SEMITONE * 22])[:count])
        folded = np.zeros((12, count))
        for semitone in range(12, 60):
            row = spectra[0][BINS_PER_SEMITONE * semitone + 1, :count]
            folded[semitone % 12] += np.maximum(row - 0.35, 0.0)
        chroma.append(folded)
        progress(min(start / max(len(mono), 1), 1.0))
    if not onsets:
        return _Curves(np.zeros(1), np.zeros(1), np.zeros((12, 1)))
    onset = np.concatenate(onsets)
    onset = np.maximum(onset - _moving_mean(onset, 43), 0.0)
    return _Curves(
        onset / (float(np.std(onset)) + 1e-9), np.concatenate(lows), np.concatenate(chroma, axis=1)
    )


def _moving_mean(values: NDArray[np.float64], half: int) -> NDArray[np.float64]:
    from scipy import ndimage

    return np.asarray(ndimage.uniform_filter1d(values, 2 * half + 1))


def _tempos(onset: NDArray[np.float64]) -> tuple[TempoReading, ...]:
    """Weigh tempos by autocorrelation with its multiples, under a prior around a walking pace."""
    n = len(onset)
    spectrum = np.abs(np.fft.rfft(np.minimum(onset, 6.0), 2 * n)) ** 2
    correlation = np.fft.irfft(spectrum)[:n] / np.maximum(n - np.arange(n), n // 4)
    correlation /= correlation[0] + 1e-12
    frame_rate = SAMPLE_RATE / HOP_LENGTH
    bpms = np.exp(np.linspace(np.log(SLOWEST), np.log(FASTEST), 400))
    lags = 60.0 * frame_rate / bpms
    score = np.zeros(len(bpms))
    for multiple, weight in ((1, 1.0), (2, 0.6), (3, 0.25), (4, 0.5), (8, 0.25)):
        at = lags * multiple
        score += weight * np.interp(at, np.arange(n), correlation, right=0.0)
    score += 0.35 * np.interp(lags / 2, np.arange(n), correlation)
    score = np.maximum(score, 0.0) * np.exp(-0.5 * (np.log2(bpms / LIKELY_BPM) / 1.0) ** 2)
    peaks = np.flatnonzero((score[1:-1] >= score[:-2]) & (score[1:-1] > score[2:])) + 1
    if len(peaks) == 0:
        return (TempoReading(120.0, 1.0),)
    best = peaks[np.argsort(-score[peaks])][:4]
    total = float(score[best].sum()) or 1.0
    return tuple(TempoReading(float(bpms[b]), float(score[b]) / total) for b in best)


def _track(onset: NDArray[np.float64], bpm: float) -> NDArray[np.float64]:
    """Find the beats that hit onsets and keep near the tempo, which may drift."""
    frame_rate = SAMPLE_RATE / HOP_LENGTH
    period = 60.0 * frame_rate / bpm
    kernel = np.exp(-0.5 * (np.arange(-3, 4) / 1.2) ** 2)
    local = np.convolve(np.minimum(onset, 5.0), kernel, mode="same")
    low, high = int(round(0.6 * period)), int(round(1.6 * period))
    lags = np.arange(low, high + 1)
    penalty = -TIGHTNESS * np.log(lags / period) ** 2
    score, back = local.copy(), np.full(len(local), -1)
    for frame in range(low, len(local)):
        reach = lags[lags <= frame]
        ways = score[frame - reach] + penalty[: len(reach)]
        best = int(np.argmax(ways))
        if ways[best] > 0.0:
            score[frame] += ways[best]
            back[frame] = frame - reach[best]
    tail = max(len(local) - int(1.2 * period), 0)
    frame = tail + int(np.argmax(score[tail:]))
    beats = [frame]
    while back[frame] >= 0:
        frame = int(back[frame])
        beats.append(frame)
    found = np.array(beats[::-1], dtype=np.float64)
    return found if len(found) >= 2 else np.array([0.0, period])


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


def _division(onset: NDArray[np.float64], beats: NDArray[np.float64]) -> int:
    """Tell whether beats fall into two or three: where onsets stand inside them."""
    halves = thirds = 0.0
    positions = np.arange(len(onset))
    for start, end in zip(beats, beats[1:], strict=False):
        part = start + (end - start) * np.array([0.5, 1 / 3, 2 / 3, 0.25, 0.75])
        values = np.interp(part, positions, onset)
        halves += values[0] + 0.3 * (values[3] + values[4])
        thirds += 0.9 * (values[1] + values[2])
    return 3 if thirds > 1.25 * halves else 2


def _bars(curves: _Curves, beats: NDArray[np.float64]) -> tuple[int, int]:
    """Choose beats to a bar, and the first bar line, by low drums, chord change and accent."""
    frames = np.clip(np.rint(beats).astype(np.int64), 0, len(curves.onset) - 1)
    accent = np.array([curves.onset[max(f - 2, 0) : f + 3].max(initial=0.0) for f in frames])
    low = np.array([curves.low[max(f - 2, 0) : f + 3].max(initial=0.0) for f in frames])
    held = []
    for start, end in zip(frames, [*frames[1:], len(curves.onset)], strict=True):
        mean = curves.change[:, start : max(end, start + 1)].mean(axis=1)
        held.append(mean / (float(np.linalg.norm(mean)) + 1e-9))
    change = np.array([0.0, *(1.0 - float(a @ b) for a, b in zip(held, held[1:], strict=False))])
    weight = 0.3 * _unit(accent) + 0.9 * _unit(low) + 1.2 * _unit(change)
    best = (-np.inf, 4, 0)
    for per_bar, prior in ((4, 0.12), (3, 0.0), (2, -0.25)):
        for phase in range(min(per_bar, len(weight))):
            on = weight[phase::per_bar]
            off = np.delete(weight, np.arange(phase, len(weight), per_bar))
            contrast = float(on.mean() - (off.mean() if len(off) else 0.0)) + prior
            best = max(best, (contrast, per_bar, phase), key=lambda entry: entry[0])
    return best[1], best[2]


def _unit(values: NDArray[np.float64]) -> NDArray[np.float64]:
    spread = float(np.std(values))
    return (values - values.mean()) / spread if spread > 1e-9 else np.zeros_like(values)

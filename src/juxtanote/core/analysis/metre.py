"""Which pulse is the beat, which beats begin bars, how beats divide: weighed by what the band does.

Every pulse that fits a record also fits at half, double, and often two thirds of its speed. What
tells them apart is how drums, bass and harmony fall on it: the measures here are taken on each pulse
and weighed as `lab.pulses` has fitted them on generated bands.
"""

import json
from dataclasses import dataclass
from functools import cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
# Beats after which music comes again: bars of two to four, and their halves.
LAGS = 1, 2, 3, 4, 6, 8
BARS = (2, 3, 4)  # beats; longer ones are read as two
# Of a beat, where bands play: the beat, its half, thirds, quarters.
PARTS = (0.0, 0.5, 1 / 3, 2 / 3, 0.25, 0.75)
LIKELY_BPM = 110.0  # of two readings the nearer to it (common practice)


@dataclass(frozen=True, slots=True)
class Curves:
    """What a record does in time, each (n_frames,): onsets, low drums and bass, noise bursts.

    `chroma` (12, n_frames) is the energy by pitch class.
    """

    onset: Array
    low: Array
    burst: Array
    chroma: Array

    def lines(self) -> Array:
        """Give onset, low and burst, levelled and widened by two frames: (3, n_frames)."""
        from scipy import ndimage

        rows = []
        for curve in (self.onset, self.low, self.burst):
            wide = ndimage.maximum_filter1d(np.minimum(curve, np.quantile(curve, 0.995)), 5)
            rows.append(_levelled(wide))
        return np.stack(rows)


def _levelled(values: Array) -> Array:
    spread = float(np.std(values))
    return (values - values.mean()) / spread if spread > 1e-9 else np.zeros_like(values)


@dataclass(frozen=True, slots=True)
class Pulse:
    """A row of beats (frames) measured: `inside` (3, len(PARTS)), `on_beats` (4, n_beats)."""

    beats: Array
    inside: Array
    on_beats: Array  # onset, low, burst, change of harmony; each levelled

    @property
    def period(self) -> float:
        """Give the median beat in frames."""
        return float(np.median(np.diff(self.beats)))


def measure_pulse(curves: Curves, lines: Array, beats: Array) -> Pulse:
    """Measure what happens on beats and inside them.

    Parameters
    ----------
    curves : Curves
        Of the whole stretch.
    lines : ndarray, shape (3, n_frames)
        `Curves.lines`, which is made once for all pulses.
    beats : ndarray, shape (n_beats,)
        Where they are, in frames.
    """
    positions = np.arange(lines.shape[1])
    inside = np.zeros((3, len(PARTS)))
    length = np.diff(beats)
    for column, part in enumerate(PARTS):
        at = beats[:-1] + part * length
        inside[:, column] = [np.interp(at, positions, line).mean() for line in lines]
    frames = np.clip(np.rint(beats).astype(np.int64), 0, lines.shape[1] - 1)
    held = []
    for start, end in zip(frames, [*frames[1:], lines.shape[1]], strict=True):
        mean = curves.chroma[:, start : max(end, start + 1)].mean(axis=1)
        held.append(mean / (float(np.linalg.norm(mean)) + 1e-9))
    change = np.array([0.0, *(1.0 - float(a @ b) for a, b in zip(held, held[1:], strict=False))])
    rows = [_levelled(line[frames]) for line in lines]
    return Pulse(beats, inside, np.stack([*rows, _levelled(change)]))


def _repeats(values: Array, lag: int) -> float:
    """Give how alike a row of beats is to itself some beats later."""
    if len(values) < lag + 4:
        return 0.0
    return float(np.mean(values[lag:] * values[:-lag]))


def pulse_features(pulse: Pulse, frame_rate: float) -> Array:
    """Give what tells a beat from its halves and doubles: (n_features,).

    Parameters
    ----------
    pulse : Pulse
        Measured on its beats.
    frame_rate : float
        Frames a second.
    """
    octaves = float(np.log2(60.0 * frame_rate / pulse.period / LIKELY_BPM))
    steps = np.diff(np.log(np.maximum(np.diff(pulse.beats), 1.0)))
    uneven = float(np.std(steps)) if len(steps) > 1 else 0.0
    repeats = [_repeats(row, lag) for row in pulse.on_beats for lag in LAGS]
    bars = [best for best, _ in (_best_phase(pulse, count) for count in BARS)]
    return np.array([octaves, octaves**2, uneven, *pulse.inside.ravel(), *repeats, *bars])


def _best_phase(pulse: Pulse, per_bar: int) -> tuple[float, int]:
    weight = np.array([0.3, 0.9, 0.0, 1.2]) @ pulse.on_beats
    scores = [float(weight[phase::per_bar].mean()) for phase in range(min(per_bar, len(weight)))]
    return max(scores), int(np.argmax(scores))


def division_features(pulse: Pulse) -> Array:
    """Give what tells halves from thirds inside a beat, shape (n_features,).

    Parameters
    ----------
    pulse : Pulse
        Measured on its beats.
    """
    return np.array([*(pulse.inside[:, 1:] - pulse.inside[:, :1]).ravel(), *pulse.inside.ravel()])


def bar_features(pulse: Pulse, per_bar: int, phase: int) -> Array:
    """Give what happens on each beat of bars laid this way, padded to four beats: (24,).

    Parameters
    ----------
    pulse : Pulse
        Measured on its beats.
    per_bar : int
        Beats to a bar, 2 to 4.
    phase : int
        Index of the first downbeat.
    """
    found = np.zeros((4, 6))
    for beat in range(per_bar):
        on = pulse.on_beats[:, (phase + beat) % per_bar :: per_bar]
        if on.shape[1]:
            found[:, beat] = on.mean(axis=1)
    found[:, 4] = [_repeats(row, per_bar) for row in pulse.on_beats]
    found[:, 5] = [_repeats(row, 2 * per_bar) for row in pulse.on_beats]
    return found.ravel()


@cache
def fitted() -> dict[str, Array]:
    """Read the fitted weights that ship with the program."""
    path = resources.files("juxtanote.core.analysis") / "weights" / "metre.json"
    return {name: np.array(row) for name, row in json.loads(path.read_text())["weights"].items()}


def weigh_pulses(pulses: list[Pulse], frame_rate: float) -> Array:
    """Give the share of evidence of each pulse, shape (n_pulses,), 1 in all.

    Parameters
    ----------
    pulses : list of Pulse
        That could be the beat.
    frame_rate : float
        Frames a second.
    """
    rows = np.stack([pulse_features(pulse, frame_rate) for pulse in pulses])
    return _shares(rows @ fitted()["pulse"])


def weigh_division(pulse: Pulse) -> float:
    """Give the share of evidence for beats that fall into three, 0 to 1.

    Parameters
    ----------
    pulse : Pulse
        Measured on its beats.
    """
    weights = fitted()["division"]
    logit = float(division_features(pulse) @ weights[1:] + weights[0])
    return float(1.0 / (1.0 + np.exp(-np.clip(logit, -30.0, 30.0))))


def weigh_bars(pulse: Pulse, threes: float) -> list[tuple[float, int, int]]:
    """List (share, beats to a bar, index of the first downbeat), the likeliest first.

    Parameters
    ----------
    pulse : Pulse
        Measured on its beats.
    threes : float
        Share of evidence for beats that fall into three, 0 to 1.
    """
    ways, logits = [], []
    for per_bar in BARS:
        weights = fitted()[f"bar {per_bar}"]
        for phase in range(min(per_bar, pulse.on_beats.shape[1])):
            ways.append((per_bar, phase))
            logits.append(
                float(
                    weights[0] + weights[1] * threes + bar_features(pulse, *ways[-1]) @ weights[2:]
                )
            )
    shares = _shares(np.array(logits))
    found = [(float(share), *way) for share, way in zip(shares, ways, strict=True)]
    return sorted(found, reverse=True)


def _shares(logits: Array) -> Array:
    grown = np.exp(logits - logits.max())
    return np.asarray(grown / grown.sum())

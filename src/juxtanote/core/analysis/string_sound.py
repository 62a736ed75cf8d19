"""At which fret a note may have been stopped, from the colour of its sound.

Where a string is plucked and where the pickup sits weigh its partials by |sin(nπp)|, and p grows as the
string is stopped higher up; the partials of thick strings and high frets are stretched more (Fletcher &
Rossing, *The Physics of Musical Instruments*, ch. 2 and 9). One note alone says little of this. All notes
of a stretch come from one guitar, one hand and one amplifier, so each is read beside the others: a small
network (trained by `lab.colour` on modelled strings) tells for every fret how much better it fits the
sound than the pitch alone would suggest.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.shipped import read_weights

Array = NDArray[np.float64]
MOST_FRETS = 25
N_PARTIALS = 24
N_LATER = 10  # partials whose decay is measured
FFT_LENGTH = 16_384
ATTACK_S = 0.02
SHORTEST_S, LONGEST_S = 0.07, 0.35
DECAY_FROM_S = 0.16  # shorter parts are not cut in two
STIFFEST = 4.0e-4
FLOOR_DB, CEILING_DB = -60.0, 10.0
REACH = 0.003
BETWEEN = np.array([-0.5, -0.44, -0.38, -0.32, -0.26, 0.26, 0.32, 0.38, 0.44, 0.5])
"""Where the floor beside a partial is read, in distances between partials."""
LEAST_NOTES = 3

Span = tuple[float, float, float]
"""Onset and end of the stretch in which a note sounds alone, in seconds, and its pitch in hertz."""


def measure_colours(mono: NDArray[np.float32], sample_rate: int, spans: Sequence[Span]) -> Array:
    """Measure the partials of each note: levels, how plainly they show, stretch, decay.

    Returns
    -------
    colours : ndarray, shape (n_notes, n_measures)
        A row of NaN where a note is too short.
    """
    rows = [_colour(mono, sample_rate, *span) for span in spans]
    return np.array(rows).reshape(len(rows), N_MEASURES)


N_MEASURES = 3 * N_PARTIALS + N_LATER + 3
PITCH = N_MEASURES - 3  # where the pitch stands among them


def _colour(
    mono: NDArray[np.float32], sample_rate: int, onset_s: float, until_s: float, f0_hz: float
) -> Array:
    nothing = np.full(N_MEASURES, np.nan)
    start = onset_s + ATTACK_S
    length_s = min(until_s - start, LONGEST_S)
    part = mono[int(max(start, 0.0) * sample_rate) : int((start + length_s) * sample_rate)]
    if length_s < SHORTEST_S or len(part) < int(SHORTEST_S * sample_rate):
        return nothing
    levels, plain, stretch = _partials(part, sample_rate, f0_hz)
    later = np.zeros(N_LATER)
    if length_s >= DECAY_FROM_S:
        half = len(part) // 2
        first, _, _ = _partials(part[:half], sample_rate, f0_hz, N_LATER)
        second, _, _ = _partials(part[half:], sample_rate, f0_hz, N_LATER)
        later = np.clip((second - first)[:N_LATER], -30.0, 15.0) / (0.5 * length_s) / 100.0
    top = float(np.max(levels[:6]))
    if top < -110.0:
        return nothing
    shape = np.clip(levels - top, FLOOR_DB, CEILING_DB) / 20.0
    midi = 69.0 + 12.0 * np.log2(f0_hz / 440.0)
    more = [(midi - 60.0) / 12.0, np.log(length_s / 0.2), float(length_s >= DECAY_FROM_S)]
    return np.concatenate([shape, plain / 20.0, stretch, later, more])


def _partials(
    part: NDArray[np.float32], sample_rate: int, f0_hz: float, most: int = N_PARTIALS
) -> tuple[Array, Array, Array]:
    """Give level in dB, height over what lies between, and stretch in cents/10 of each partial."""
    from scipy.fft import rfft

    window = np.hanning(len(part)).astype(np.float32)
    spectrum = np.abs(rfft(part * window, FFT_LENGTH)) / window.sum()
    per_partial = f0_hz * FFT_LENGTH / sample_rate
    count = int(min(most, 0.46 * FFT_LENGTH / per_partial))
    levels, plain, stretch = np.full(N_PARTIALS, -140.0), np.zeros(N_PARTIALS), np.zeros(N_PARTIALS)
    if count < 1:
        return levels, plain, stretch
    numbers = np.arange(1, count + 1, dtype=np.float64)
    places = numbers * per_partial
    low = (places * (1.0 - REACH) - 1.5).astype(np.int64)
    widest = np.minimum(0.5 * STIFFEST * numbers**2 * places + REACH * places, 0.4 * per_partial)
    high = (places + widest + 2.0).astype(np.int64)
    near = low[:, None] + np.arange(int(np.max(high - low)) + 1)
    heard = np.where(near <= high[:, None], spectrum[np.minimum(near, len(spectrum) - 2)], -1.0)
    top = low + np.argmax(heard, axis=1)
    left, here, right = _db(spectrum[top[:, None] + np.array([-1, 0, 1])]).T
    bend = left - 2.0 * here + right
    peak = (bend < -1e-9) & (here >= np.maximum(left, right))
    fine = top + np.where(peak, 0.5 * (left - right) / np.where(peak, bend, -1.0), 0.0)
    beside = (places[:, None] + per_partial * BETWEEN).astype(np.int64)
    floor = _db(np.median(spectrum[np.clip(beside, 0, len(spectrum) - 1)], axis=1))
    levels[:count], plain[:count] = here, np.clip(here - floor, 0.0, 40.0)
    cents = 1200.0 * np.log2(fine / places)
    stretch[:count] = np.clip(cents - cents[0], -20.0, 60.0) / 10.0
    return levels, plain, stretch * np.minimum(plain / 12.0, 1.0)


def _db(magnitude: Array) -> Array:
    return np.asarray(20.0 * np.log10(magnitude + 1e-7))


def lean_to_frets(colours: Array) -> Array:
    """Tell how much better each fret fits the sound of each note than its pitch alone would suggest.

    Parameters
    ----------
    colours : ndarray, shape (n_notes, n_measures)
        Of one stretch, from `measure_colours`.

    Returns
    -------
    lean : ndarray, shape (n_notes, 25)
        Natural logarithms of likelihood ratios by fret from the nut; only differences between frets
        mean something. Rows of zeros where a note or the whole stretch says nothing.
    """
    lean = np.zeros((len(colours), MOST_FRETS))
    there = np.isfinite(colours[:, 0]) if len(colours) else np.zeros(0, dtype=bool)
    weights = read_weights("colour")
    if weights is None or there.sum() < LEAST_NOTES:
        return lean
    x = np.clip((colours[there] - weights["mean"]) / weights["spread"], -5.0, 5.0)
    pitch_alone = np.zeros_like(x)
    pitch_alone[:, PITCH] = x[:, PITCH]
    lean[there] = _read(weights, x) - _read(weights, pitch_alone)
    return lean


def _read(weights: dict[str, NDArray[np.float32]], x: Array) -> Array:
    """Run the network over the notes of one stretch: log odds by fret."""

    def step(name: str, y: Array) -> Array:
        return np.asarray(y @ weights[f"{name}.weight"].T + weights[f"{name}.bias"])

    each = np.maximum(step("summary", np.maximum(step("note", x), 0.0)), 0.0)
    told = np.concatenate([x, np.tile(each.mean(axis=0), (len(x), 1))], axis=1)
    return step("frets", np.maximum(step("second", np.maximum(step("first", told), 0.0)), 0.0))

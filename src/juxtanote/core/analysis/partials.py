"""How far a string's partials are stretched, which tells something of the string it is.

A stiff string sounds f_n = n·f0·√(1+B·n²) (H. Fletcher, "Normal vibration frequencies of a stiff piano
string", J. Acoust. Soc. Am. 36, 1964). B is larger for thick strings and high frets; an overdriven
amplifier hides it.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
FFT_LENGTH = 16_384  # padded, so that peaks are read to a cent
MOST_PARTIALS = 22  # the stiffness of strings shows in the high ones
SHORTEST_S = 0.05  # less sound does not resolve the partials
LONGEST_S = 0.40  # later the high partials are gone
ATTACK_S = 0.015  # the stroke itself is noise, and sharp
# B: 2.5e-6 to 6.3e-4 holds every guitar string at every fret.
STIFFNESS = np.concatenate([[0.0], np.logspace(-5.6, -3.2, 37)])
CENTS = np.arange(-18.0, 18.1, 3.0)  # how far a string may be out of tune
PLAIN_DB = 12.0  # a partial stands out by this much
FEWEST = 6  # partials that must be found


@dataclass(frozen=True, slots=True)
class Stiffness:
    """A measured B, and how plainly it shows: 0 where harmonic partials fit as well, up to 1."""

    b: float
    strength: float


def measure_stiffness(
    mono: NDArray[np.float32],
    sample_rate: int,
    onset_s: float,
    offset_s: float,
    f0_hz: float,
) -> Stiffness | None:
    """Measure B of one note, or give None where it is too short or has too few partials.

    Parameters
    ----------
    onset_s, offset_s : float
        Where the note is in `mono`, in seconds.
    f0_hz : float
        Its pitch; fine tuning within 18 cents is found here.
    """
    start = onset_s + ATTACK_S
    length = min(offset_s - start, LONGEST_S)
    if length < SHORTEST_S:
        return None
    part = mono[int(start * sample_rate) : int((start + length) * sample_rate)].astype(np.float64)
    count = int(min(MOST_PARTIALS, 0.42 * sample_rate / f0_hz))
    if len(part) < 64 or count < 7:
        return None
    spectrum = np.abs(np.fft.rfft(part * np.hanning(len(part)), FFT_LENGTH))
    level_db = 20.0 * np.log10(spectrum + 1e-9)
    per_hz = FFT_LENGTH / sample_rate
    numbers = np.arange(1, count + 1, dtype=np.float64)
    height = _heights(level_db, numbers, f0_hz, per_hz)
    places = _likeliest_places(level_db, height, numbers, f0_hz, per_hz)
    found, level = _peaks(level_db, places, 0.004)
    plain = level - height > PLAIN_DB
    if plain.sum() < FEWEST:
        return None
    # (f_n / n)² = f0² + f0²·B·n²: a straight line over n², weighed by how far partials stand out.
    squares = numbers[plain] ** 2
    ratios = (found[plain] / per_hz / numbers[plain]) ** 2
    weights = np.minimum(level - height, 40.0)[plain]
    for _ in range(3):
        slope, base, off = _line(squares, ratios, weights)
        spread = float(np.median(np.abs(off))) * 1.5 + 1e-9 * base
        weights = weights / (1.0 + (off / (3.0 * spread)) ** 2)
    b = slope / base
    around = np.average((squares - np.average(squares, weights=weights)) ** 2, weights=weights)
    error = spread / base / np.sqrt(around * plain.sum())
    if b <= 1e-7:
        return Stiffness(0.0, 0.0)
    return Stiffness(float(b), float(np.clip(b / error / 12.0 - 0.2, 0.0, 1.0)))


def _likeliest_places(
    level_db: Array, height: Array, numbers: Array, f0_hz: float, per_hz: float
) -> Array:
    """Find the fundamental and B, on a grid, whose partials hit most peaks: bins of each partial."""
    stretch = np.sqrt(1.0 + STIFFNESS[:, None] * numbers**2)
    tuned = f0_hz * 2.0 ** (CENTS / 1200.0)
    places = tuned[:, None, None] * numbers * stretch * per_hz  # (cents, B, partials)
    below = np.minimum(places.astype(np.int64), len(level_db) - 2)
    part = places - below
    read = level_db[below] * (1.0 - part) + level_db[below + 1] * part
    score = np.clip(read - height, 0.0, 60.0).sum(axis=2)
    cents, b = np.unravel_index(int(np.argmax(score)), score.shape)
    return np.asarray(places[cents, b])


def _peaks(level_db: Array, places: Array, reach: float) -> tuple[Array, Array]:
    """Find the peak near each place, by a parabola through the highest bin and its neighbours."""
    bins, levels = np.zeros(len(places)), np.full(len(places), -200.0)
    for k, place in enumerate(places):
        low = max(int(place * (1.0 - reach)) - 1, 1)
        high = min(int(place * (1.0 + reach)) + 3, len(level_db) - 1)
        if high - low < 3:
            continue
        top = low + int(np.argmax(level_db[low:high]))
        left, here, right = level_db[top - 1 : top + 2]
        bend = left - 2.0 * here + right
        bins[k] = top + (0.5 * (left - right) / bend if bend < 0.0 else 0.0)
        levels[k] = here if low < top < high - 1 else -200.0
    return bins, levels


def _line(x: Array, y: Array, weights: Array) -> tuple[float, float, Array]:
    """Fit a weighted straight line: slope, intercept and what is left over."""
    mean_x, mean_y = np.average(x, weights=weights), np.average(y, weights=weights)
    slope = np.sum(weights * (x - mean_x) * (y - mean_y)) / np.sum(weights * (x - mean_x) ** 2)
    base = mean_y - slope * mean_x
    return float(slope), float(base), np.asarray(y - base - slope * x)


def _heights(level_db: Array, numbers: Array, f0_hz: float, per_hz: float) -> Array:
    """Give what counts as silence around each partial: the median between its neighbours."""
    heights = []
    for number in numbers:
        low, high = (int((number + side) * f0_hz * per_hz) for side in (-0.5, 0.5))
        around = level_db[max(low, 0) : max(min(high, len(level_db)), low + 1)]
        middle = len(around) // 2
        heights.append(float(np.partition(around, middle)[middle]) if len(around) else 0.0)
    return np.array(heights)

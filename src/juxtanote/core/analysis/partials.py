"""How far a string's partials are stretched, which tells something of the string it is.

A stiff string sounds f_n = n·f0·√(1+B·n²) (H. Fletcher, "Normal vibration frequencies of a stiff piano
string", J. Acoust. Soc. Am. 36, 1964). B is larger for thick strings and high frets; an overdriven
amplifier hides it.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
FFT_LENGTH = 32_768
MOST_PARTIALS = 22
SHORTEST_S = 0.11
LONGEST_S = 0.40
ATTACK_S = 0.025
STIFFNESS = np.concatenate([[0.0], np.logspace(-5.6, -3.2, 73)])
CENTS = np.arange(-18.0, 18.1, 2.0)


@dataclass(frozen=True, slots=True)
class Stiffness:
    """A measured B, and how plainly it shows: 0 where harmonic partials fit as well, up to 1."""

    b: float
    clarity: float


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
    stretch = np.sqrt(1.0 + STIFFNESS[:, None] * numbers**2)
    tuned = f0_hz * 2.0 ** (CENTS / 1200.0)
    places = tuned[:, None, None] * numbers * stretch * per_hz  # (cents, B, partials)
    read = np.interp(places, np.arange(len(level_db)), level_db)
    score = np.clip(read - height, 0.0, 30.0).sum(axis=2).max(axis=0)
    best = int(np.argmax(score))
    if score[best] < 5.0 * count or best == 0:
        return Stiffness(0.0, 0.0) if score[0] >= 5.0 * count else None
    clarity = float(np.clip((score[best] - score[0]) / (4.0 * count), 0.0, 1.0))
    return Stiffness(float(STIFFNESS[best]), clarity)


def _heights(level_db: Array, numbers: Array, f0_hz: float, per_hz: float) -> Array:
    """Give what counts as silence around each partial: the median between its neighbours."""
    heights = []
    for number in numbers:
        low, high = (int((number + side) * f0_hz * per_hz) for side in (-0.5, 0.5))
        around = level_db[max(low, 0) : max(min(high, len(level_db)), low + 1)]
        heights.append(float(np.median(around)) if len(around) else 0.0)
    return np.array(heights)

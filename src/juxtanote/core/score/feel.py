"""How a phrase divides the beat: straight, triplets, shuffle, sixteenths, sextuplets, as measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from juxtanote.core.later import np
from juxtanote.core.score.time_map import TimeMap

if TYPE_CHECKING:
    from numpy.typing import NDArray

BINS = 24  # parts of a beat
SPREAD = 0.045  # of a beat: how far players are off, common practice
FEWEST = 4  # notes off the beat that tell how it swings


@dataclass(frozen=True, slots=True)
class Feel:
    """A feel, how well it fits (0 to 1), the swing ratio of a shuffle, and where notes fall.

    `histogram` counts onsets in `BINS` equal parts of the beat, the first centred on the beat.
    """

    name: str
    fit: float
    swing: float
    histogram: tuple[int, ...]


_GRIDS = {
    "straight eighths": ((0.0, 0.5), 0.0),
    "triplets": ((0.0, 1 / 3, 2 / 3), 0.04),
    "sixteenths": ((0.0, 0.25, 0.5, 0.75), 0.06),
    "sextuplets": (tuple(k / 6 for k in range(6)), 0.14),
}


_COMPOUND = {
    "straight eighths": "two to a beat", "triplets": "eighths", "sixteenths": "four to a beat",
    "sextuplets": "sixteenths",
}  # fmt: skip


def measure_feel(onsets_s: Sequence[float], time_map: TimeMap) -> Feel | None:
    """Measure the feel of onsets, or give None where there are too few to tell.

    A shuffle is a phrase whose off-beats gather at one place later than the middle of the beat; its
    swing ratio is the length of the first part of the beat over the second.

    Parameters
    ----------
    onsets_s : sequence of float
        In seconds, rising.
    time_map : TimeMap
        The beats.

    Examples
    --------
    >>> from juxtanote.core.score.time_map import TimeMap
    >>> measure_feel([0.0, 0.25, 0.5, 0.75, 1.0], TimeMap((0.0, 0.5, 1.0))).name
    'straight eighths'
    """
    if len(onsets_s) < FEWEST:
        return None
    beats = time_map.to_beats(np.asarray(onsets_s, dtype=np.float64))
    parts = np.asarray((beats + 0.5 / BINS) % 1.0)
    histogram = np.bincount((parts * BINS).astype(int), minlength=BINS)[:BINS]
    inside = np.asarray(beats % 1.0)
    fits = {
        name: _fit(inside, np.array(places)) - price for name, (places, price) in _GRIDS.items()
    }
    swing, shuffled = _shuffle(inside)
    if swing > 0.0:
        fits["shuffle"] = shuffled - 0.02
    if time_map.is_compound:  # the beat falls into three by itself, and is not swung
        fits.pop("shuffle", None)
        fits = {_COMPOUND[name]: fit for name, fit in fits.items()}
    best = max(fits, key=lambda name: fits[name])
    ratio = swing / (1.0 - swing) if best == "shuffle" else 1.0
    fit = float(np.clip(fits[best], 0.0, 1.0))
    return Feel(best, round(fit, 3), round(ratio, 2), tuple(int(n) for n in histogram))


def _fit(inside: NDArray[np.float64], places: NDArray[np.float64]) -> float:
    """Give the mean closeness of onsets to the places of a grid, 1 at best."""
    gap = np.abs(inside[:, None] - places[None, :])
    nearest = np.min(np.minimum(gap, 1.0 - gap), axis=1)
    return float(np.mean(np.exp(-0.5 * (nearest / SPREAD) ** 2)))


def _shuffle(inside: NDArray[np.float64]) -> tuple[float, float]:
    """Find where swung off-beats gather (0: nowhere), and how well beat and off-beat fit."""
    late = inside[(inside > 0.54) & (inside < 0.8)]
    if len(late) < 2 or len(late) < 0.2 * len(inside):
        return 0.0, 0.0
    middle = float(np.median(late))
    return middle, _fit(inside, np.array([0.0, middle]))


def feel_words(feel: Feel) -> str:
    """Say a feel in a few words.

    Examples
    --------
    >>> feel_words(Feel("shuffle", 0.9, 1.8, ()))
    'shuffle, swing 1.8 to 1'
    """
    return f"shuffle, swing {feel.swing:.1f} to 1" if feel.name == "shuffle" else feel.name

"""Key and scale from the notes heard, weighed by their length.

Profiles: C. L. Krumhansl and E. J. Kessler, "Tracing the dynamic changes in perceived tonal
organization in a spatial representation of musical keys", Psychological Review 89 (4), 1982
(values from memory).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from juxtanote.core.theory.scales import SCALES, spell_tonic

MAJOR = np.array([6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88])
MINOR = np.array([6.33, 2.68, 3.52, 5.38, 2.60, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17])


@dataclass(frozen=True, slots=True)
class KeyReading:
    """A key that could be meant: its name, its mode, and how well it fits (-1 to 1)."""

    tonic: int
    mode: str
    fit: float

    @property
    def name(self) -> str:
        """Spell it, as ``B♭ minor``."""
        return f"{spell_tonic(self.tonic, self.mode)} {self.mode}"


def pitch_class_weights(midi: Sequence[float], durations_s: Sequence[float]) -> np.ndarray:
    """Add up how long each pitch class sounds, shape (12,)."""
    weights = np.zeros(12)
    for pitch, duration in zip(midi, durations_s, strict=True):
        weights[round(pitch) % 12] += min(duration, 1.5) + 0.05
    return weights


def find_keys(weights: np.ndarray, last: float | None = None) -> list[KeyReading]:
    """Rank all 24 keys; the note that closes the phrase counts a little more for its tonic."""
    if weights.shape != (12,):
        raise ValueError(f"weights has shape {weights.shape}; it needs (12,)")
    readings = []
    for mode, profile in (("major", MAJOR), ("minor", MINOR)):
        for tonic in range(12):
            fit = (
                float(np.corrcoef(np.roll(profile, tonic), weights)[0, 1]) if weights.any() else 0.0
            )
            if last is not None and round(last) % 12 == tonic:
                fit += 0.08
            readings.append(KeyReading(tonic, mode, 0.0 if np.isnan(fit) else fit))
    return sorted(readings, key=lambda reading: -reading.fit)


def find_scale(weights: np.ndarray, key: KeyReading) -> str:
    """Name the smallest scale on the key's tonic that holds nearly all of what sounds."""
    third = 4 if key.mode == "major" else 3
    best = (np.inf, "major" if key.mode == "major" else "natural minor")
    total = float(weights.sum()) or 1.0
    for name, steps in SCALES.items():
        if third not in steps:
            continue
        members = [(key.tonic + step) % 12 for step in steps]
        outside = 1.0 - float(weights[members].sum()) / total
        unused = sum(weights[m] <= 0.01 * total for m in members)
        best = min(best, (6.0 * outside + 0.12 * unused + 0.02 * len(steps), name))
    return best[1]

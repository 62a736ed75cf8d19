"""Key and scale from the notes heard, weighed by their length.

Correlation with key profiles (C. L. Krumhansl, *Cognitive Foundations of Musical Pitch*, 1990); the
profiles of major and minor are those of D. Temperley, *Music and Probability*, 2007, counted in the
Kostka-Payne corpus (values from memory, checked against music21). Minor licks without a leading note
have a profile of their own, by common practice: the minor pentatonic.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from juxtanote.core.theory.scales import SCALES, spell_tonic

MAJOR = np.array(
    [0.748, 0.060, 0.488, 0.082, 0.670, 0.460, 0.096, 0.715, 0.104, 0.366, 0.057, 0.400]
)
MINOR = np.array(
    [0.712, 0.084, 0.474, 0.618, 0.049, 0.460, 0.105, 0.747, 0.404, 0.067, 0.133, 0.330]
)
PENTATONIC = np.array([0.80, 0.05, 0.15, 0.55, 0.10, 0.45, 0.15, 0.65, 0.12, 0.10, 0.50, 0.08])
CLOSING = 0.15  # how much the last note speaks for its tonic


@dataclass(frozen=True, slots=True)
class KeyReading:
    """A key that could be meant: its name, its mode, and how well it fits (-1 to 1)."""

    tonic: int
    mode: str
    fit: float

    @property
    def name(self) -> str:
        """Spell it, as ``B♭ minor``.

        Examples
        --------
        >>> KeyReading(10, "minor", 0.9).name
        'B♭ minor'
        """
        return f"{spell_tonic(self.tonic, self.mode)} {self.mode}"


def pitch_class_weights(midi: Sequence[float], durations_s: Sequence[float]) -> np.ndarray:
    """Add up how long each pitch class sounds, shape (12,); one note counts 1.5 s at most.

    Parameters
    ----------
    midi : sequence of float, shape (n_notes,)
        Rounded to semitones.
    durations_s : sequence of float, shape (n_notes,)
        In seconds.

    Examples
    --------
    >>> weights = pitch_class_weights([57.0, 69.1, 60.0], [1.0, 0.5, 1.0])
    >>> int(np.argmax(weights)), weights.shape
    (9, (12,))
    """
    weights = np.zeros(12)
    for pitch, duration in zip(midi, durations_s, strict=True):
        weights[round(pitch) % 12] += min(duration, 1.5) + 0.05
    return weights


def find_keys(weights: np.ndarray, last: float | None = None) -> list[KeyReading]:
    """Rank all 24 keys; the note that closes the phrase counts a little more for its tonic.

    Parameters
    ----------
    weights : ndarray, shape (12,)
        How long each pitch class sounds, in seconds, from C.
    last : float, optional
        The closing note as MIDI.

    Examples
    --------
    >>> find_keys(np.array([2, 0, 1, 0, 2, 1, 0, 2, 0, 1, 0, 1.0]), last=60.0)[0].name
    'C major'
    """
    if weights.shape != (12,):
        raise ValueError(f"weights has shape {weights.shape}; it needs (12,)")
    readings = []
    for mode, profiles in (("major", (MAJOR,)), ("minor", (MINOR, PENTATONIC))):
        for tonic in range(12):
            fit = max(_correlation(np.roll(profile, tonic), weights) for profile in profiles)
            if last is not None and round(last) % 12 == tonic:
                fit += CLOSING
            readings.append(KeyReading(tonic, mode, fit))
    return sorted(readings, key=lambda reading: -reading.fit)


def _correlation(profile: np.ndarray, weights: np.ndarray) -> float:
    return float(np.corrcoef(profile, weights)[0, 1]) if np.ptp(weights) > 0.0 else 0.0


def find_scale(weights: np.ndarray, key: KeyReading) -> str:
    """Name the smallest scale on the key's tonic that holds nearly all of what sounds.

    Parameters
    ----------
    weights : ndarray, shape (12,)
        How long each pitch class sounds, in seconds, from C.
    key : KeyReading
        Whose tonic the scale begins on.

    Examples
    --------
    >>> weights = np.zeros(12)
    >>> weights[[9, 0, 2, 4, 7]] = 1.0
    >>> find_scale(weights, KeyReading(9, "minor", 1.0))
    'minor pentatonic'
    """
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

"""How sure a note is, calibrated: of the notes at 0.9 nine in ten are right.

A logistic curve over what the listener gave for the note, fitted on generated validation mixes
(`lab.calibrate`); its coefficients lie beside the weights.
"""

import math

from juxtanote.core.analysis.decode import FoundNote
from juxtanote.core.analysis.listener import recipe

PLAIN = {"bias": -1.5, "onset": 4.0, "active": 1.5, "length": 0.3, "rival": -1.0}


def traits_of(note: FoundNote) -> dict[str, float]:
    """Give what the confidence is computed from."""
    rival = max((p for _, p in note.rivals), default=0.0)
    return {
        "onset": note.onset_posterior,
        "active": note.active_posterior,
        "length": math.log(max(note.end - note.start, 1.0) / 10.0),
        "rival": rival,
    }


def calibrated(note: FoundNote) -> float:
    """Give the probability that the note is right, 0 to 1."""
    fitted = recipe().get("calibration", PLAIN)
    weights = fitted if isinstance(fitted, dict) else PLAIN
    total = float(weights.get("bias", 0.0))
    for name, value in traits_of(note).items():
        total += float(weights.get(name, 0.0)) * value
    return round(1.0 / (1.0 + math.exp(-max(min(total, 30.0), -30.0))), 3)

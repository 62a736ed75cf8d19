"""How sure a note is, calibrated: of the notes at 0.9 nine in ten are right.

Judged notes carry it (`judge`); for others, such as those of the signal-processing road, it is a plain
logistic curve over what is known of them.
"""

import math

from juxtanote.core.analysis.found import FoundNote

# Weights, for notes that the classifier did not see.
BIAS, ONSET, ACTIVE, LENGTH, RIVAL = -1.5, 4.0, 1.5, 0.3, -1.0


def calibrated(note: FoundNote) -> float:
    """Give the probability that the note is right, 0 to 1.

    Parameters
    ----------
    note : FoundNote
        As the decoder found it; one that was classified has it already.
    """
    if note.confidence >= 0.0:
        return round(note.confidence, 3)
    rival = max((p for _, p in note.rivals), default=0.0)
    length = math.log(max(note.end - note.start, 1.0) / 10.0)
    total = BIAS + ONSET * note.onset_posterior + ACTIVE * note.active_posterior
    total += LENGTH * length + RIVAL * rival
    return round(1.0 / (1.0 + math.exp(-max(min(total, 30.0), -30.0))), 3)


def lowered(confidence: float, by: float) -> float:
    """Take some of the log odds away.

    Parameters
    ----------
    confidence : float
        From 0 to 1.
    by : float
        Log odds.

    Examples
    --------
    >>> lowered(0.5, 0.0), lowered(0.9, 3.0)
    (0.5, 0.309)
    """
    known = min(max(confidence, 0.001), 0.999)
    return round(1.0 / (1.0 + math.exp(by - math.log(known / (1.0 - known)))), 3)

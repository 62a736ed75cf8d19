"""Octaves decided together: a note an octave over another that is struck with it, and nowhere else so.

Driven strings have second partials as strong as a note of their own. Whoever plays in octaves does so
for a whole line; a partial comes and goes. So an octave over a struck note is doubted unless most strokes
around it have theirs.
"""

from dataclasses import replace

import numpy as np

from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE

TOGETHER_S, AROUND_S = 0.045, 1.5  # as strummed; and the time over which a habit of octaves shows
MOSTLY = 0.6  # of the strokes around: from here on it is a line in octaves
DOUBT = 2.0  # log odds; between 1.5 and 4 it makes no difference to speak of
OCTAVE = 12


def doubt_octaves(notes: list[FoundNote], believed: float) -> list[FoundNote]:
    """Lower the confidence of notes that lie an octave over one that is struck with them.

    Parameters
    ----------
    notes : list of FoundNote
        By onset, with their `confidence` from 0 to 1; those that are not classified stay as they are.
    believed : float
        From which `confidence` on a note counts as struck, 0 to 1.

    Returns
    -------
    list of FoundNote
        The same notes in the same order.
    """
    per_s = SAMPLE_RATE / HOP_LENGTH
    struck = [n for n in notes if n.confidence >= believed]
    starts = np.array([n.start for n in struck])
    over = {id(n) for n in struck if _under(n, struck, starts, TOGETHER_S * per_s)}
    if not over:
        return notes
    lines = [n for n in struck if id(n) not in over]
    at = np.array([n.start for n in lines])
    paired = np.array([
        any(id(o) in over for o in _over(n, struck, starts, TOGETHER_S * per_s)) for n in lines
    ])  # fmt: skip
    doubted = []
    for note in notes:
        if id(note) in over:
            near = np.abs(at - note.start) <= AROUND_S * per_s
            if near.any() and float(paired[near].mean()) < MOSTLY:
                note = replace(note, confidence=_less(note.confidence))
        doubted.append(note)
    return doubted


def _near(
    note: FoundNote, struck: list[FoundNote], starts: np.ndarray, reach: float, step: int
) -> list[FoundNote]:
    first, last = np.searchsorted(starts, [note.start - reach, note.start + reach + 1e-9])
    return [n for n in struck[first:last] if n.midi == note.midi + step]


def _under(note: FoundNote, struck: list[FoundNote], starts: np.ndarray, reach: float) -> bool:
    return bool(_near(note, struck, starts, reach, -OCTAVE))


def _over(
    note: FoundNote, struck: list[FoundNote], starts: np.ndarray, reach: float
) -> list[FoundNote]:
    return _near(note, struck, starts, reach, OCTAVE)


def _less(confidence: float) -> float:
    """Take the doubt off a probability, in log odds."""
    kept = min(max(confidence, 1e-4), 1.0 - 1e-4)
    return float(1.0 / (1.0 + (1.0 - kept) / kept * np.exp(DOUBT)))

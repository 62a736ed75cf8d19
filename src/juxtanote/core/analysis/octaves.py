"""Notes that are decided together: octaves over others, and difference tones under them.

Driven strings have second partials as strong as a note of their own. Whoever plays in octaves does so
for a whole line; a partial comes and goes. So an octave over a struck note is doubted unless most strokes
around it have theirs; and where every stroke around has one that begins plainly, all are believed. What
distortion adds under two strings that are struck together is doubted as well.
"""

from dataclasses import replace

import numpy as np

from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.theory.harmonics import difference_tones

TOGETHER_S, AROUND_S = 0.045, 1.5  # as strummed; and the time over which a habit of octaves shows
MOSTLY = 0.6  # of the strokes around: from here on it is a line in octaves
DOUBT = 2.0  # log odds; between 1.5 and 4 it makes no difference to speak of
OCTAVE = 12
# A line in octaves: so many strokes, each with an onset over it that is so plain, or so in the mean.
# Of 1,064 foreign mixes no line without octaves comes so far (the nearest has 92 of 100 strokes).
FEWEST_STROKES, BEGINS, PLAINLY = 4, 0.3, 0.5
# Two strings that are so surely struck explain a tone between or under them, which is doubted so much:
# of such notes under 0.65 sure one in eight was played, of those from 0.8 on nine in ten (foreign mixes).
SURELY_STRUCK, DOUBT_OF_TONE, SAME_PITCH = 0.6, 1.5, 0.6


def decide_octaves(notes: list[FoundNote], believed: float) -> list[FoundNote]:
    """Doubt notes that lie an octave over one that is struck with them, or believe those of a whole line.

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
    notes = _lines_in_octaves(notes, believed)
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
                note = replace(note, confidence=_less(note.confidence, DOUBT))
        doubted.append(note)
    return doubted


def doubt_difference_tones(notes: list[FoundNote]) -> list[FoundNote]:
    """Lower the confidence of notes that two surer ones over them explain, which are struck with them.

    Parameters
    ----------
    notes : list of FoundNote
        By onset, with their `confidence` from 0 to 1; those that are not classified stay as they are.
    """
    reach = TOGETHER_S * SAMPLE_RATE / HOP_LENGTH
    sure = [n for n in notes if n.confidence >= SURELY_STRUCK]
    starts = np.array([n.start for n in sure])
    doubted = []
    for note in notes:
        first, last = np.searchsorted(starts, [note.start - reach, note.start + reach + 1e-9])
        over = [float(n.midi) for n in sure[first:last] if n.midi > note.midi]
        tones = difference_tones(over) if len(over) > 1 and note.confidence > 0.0 else ()
        if any(abs(note.midi - tone) <= SAME_PITCH for tone in tones):
            note = replace(note, confidence=_less(note.confidence, DOUBT_OF_TONE))
        doubted.append(note)
    return doubted


def _lines_in_octaves(notes: list[FoundNote], believed: float) -> list[FoundNote]:
    """Believe the octave over every stroke where all strokes around have one that begins plainly."""
    reach, around = TOGETHER_S * SAMPLE_RATE / HOP_LENGTH, AROUND_S * SAMPLE_RATE / HOP_LENGTH
    starts = np.array([n.start for n in notes])
    struck = [n for n in notes if n.confidence >= believed]
    begins = np.array([n.start for n in struck])
    strokes = [n for n in struck if not _under(n, struck, begins, reach)]
    over = [
        max(_over(n, notes, starts, reach), key=lambda o: o.onset_posterior, default=None)
        for n in strokes
    ]
    plain = np.array([0.0 if o is None else o.onset_posterior for o in over])
    at = np.array([n.start for n in strokes])
    lifted: dict[int, float] = {}
    for stroke, other in zip(strokes, over, strict=True):
        near = plain[np.abs(at - stroke.start) <= around]
        in_octaves = len(near) >= FEWEST_STROKES and near.min() > BEGINS and near.mean() > PLAINLY
        if in_octaves and other is not None:
            lifted[id(other)] = max(other.confidence, other.onset_posterior, believed)
    return (
        [replace(n, confidence=lifted.get(id(n), n.confidence)) for n in notes] if lifted else notes
    )


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


def _less(confidence: float, doubt: float) -> float:
    """Take a doubt, in log odds, off a probability."""
    kept = min(max(confidence, 1e-4), 1.0 - 1e-4)
    return float(1.0 / (1.0 + (1.0 - kept) / kept * np.exp(doubt)))

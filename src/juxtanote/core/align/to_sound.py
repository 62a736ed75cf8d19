"""Finding when the notes of a file are played in a recording: its notes beside those that were heard.

Two rows of pitches are aligned by edit distance (R. A. Wagner and M. J. Fischer, "The String-to-String
Correction Problem", J. ACM 21 (1), 1974); between notes that agree time runs evenly.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

# Of a pair an octave off, of another pitch, of leaving a note out, and of a pair as far off the tempo as
# is believed.
OCTAVE_COST, OTHER_COST, SKIP_COST, FAR_COST = 0.5, 1.6, 0.7, 0.5
FEWEST_FOR_TEMPO = 3  # pairs
TEMPI = np.arange(0.1, 1.0, 0.1)  # quantiles of what two pairs tell, that are tried
FEWEST_SHARE = 0.3  # of the notes that must be found for the alignment to be believed
MOST_CELLS = 4_000_000  # of the table: 2,000 notes against 2,000


@dataclass(frozen=True, slots=True)
class Alignment:
    """When each note is played, seconds of the recording, and which share of them was found."""

    onset_s: tuple[float, ...]
    share: float


def align_to_heard(
    onset_s: Sequence[float],
    midi: Sequence[float],
    heard_onset_s: Sequence[float],
    heard_midi: Sequence[float],
) -> Alignment:
    """Give the times in the recording of notes whose own times are of another tempo.

    Parameters
    ----------
    onset_s, midi : sequence of float, shape (n_notes,)
        The notes of the file, sorted by onset: seconds in its own tempo, MIDI pitch.
    heard_onset_s, heard_midi : sequence of float, shape (n_heard,)
        The notes that were heard, sorted by onset: seconds of the recording, MIDI pitch.

    Raises
    ------
    ValueError
        If either row is empty, or too few notes agree to say where the notes are played.
    """
    if not len(onset_s) or not len(heard_onset_s):
        raise ValueError("there are no notes to align")
    pitches = np.asarray(midi, float), np.asarray(heard_midi, float)
    times = np.asarray(onset_s, float), np.asarray(heard_onset_s, float)
    pairs = _agreeing(*pitches)
    if len(pairs) >= FEWEST_FOR_TEMPO:  # of notes of one pitch the one in time is meant
        pairs = _agreeing(*pitches, off_tempo=_off_tempo(pairs, *times))
    anchors = _steady(pairs, *times)
    share = len(anchors) / len(onset_s)
    if len(anchors) < 2 or share < FEWEST_SHARE:
        raise ValueError(f"only {len(anchors)} of {len(onset_s)} notes were found in the sound")
    own, there = np.array(anchors).T
    played = _interpolated(times[0], own, there)
    return Alignment(tuple(float(max(t, 0.0)) for t in played), share)


def _agreeing(
    midi: NDArray[np.float64],
    heard: NDArray[np.float64],
    off_tempo: NDArray[np.float64] | None = None,
) -> list[tuple[int, int]]:
    """Pair notes of equal pitch along the cheapest alignment of the two rows.

    `off_tempo` (n_notes, n_heard) tells of every pair how far it is off, 1 or more: not to be believed.
    """
    n, m = len(midi), len(heard)
    if n * m > MOST_CELLS:
        raise ValueError("there are too many notes to align at once: choose a shorter stretch")
    apart = np.abs(np.rint(midi)[:, None] - np.rint(heard)[None, :])
    cost = np.where(apart == 0, 0.0, np.where(apart % 12 == 0, OCTAVE_COST, OTHER_COST))
    if off_tempo is not None:
        cost += FAR_COST * np.minimum(off_tempo, 1.0)
    total = np.zeros((n + 1, m + 1))
    total[:, 0] = SKIP_COST * np.arange(n + 1)
    # What was heard before the first note and after the last costs next to nothing.
    total[0, :] = 0.02 * np.arange(m + 1)
    for i in range(1, n + 1):
        skip = SKIP_COST if i < n else 0.02
        best = np.minimum(total[i - 1, :-1] + cost[i - 1], total[i - 1, 1:] + SKIP_COST)
        row = np.concatenate([[total[i, 0]], best]) - skip * np.arange(m + 1)
        total[i] = np.minimum.accumulate(row) + skip * np.arange(m + 1)
    pairs, i, j = [], n, m
    while i and j:
        if np.isclose(total[i, j], total[i - 1, j - 1] + cost[i - 1, j - 1]):
            if apart[i - 1, j - 1] == 0:
                pairs.append((i - 1, j - 1))
            i, j = i - 1, j - 1
        elif np.isclose(total[i, j], total[i - 1, j] + SKIP_COST):
            i -= 1
        else:
            j -= 1
    return pairs[::-1]


def _off_tempo(
    pairs: list[tuple[int, int]], onset_s: NDArray[np.float64], heard_s: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Tell how far every note of the one row and of the other are off the tempo of most pairs.

    One, for a tenth of the line that the pairs span: tempo drifts. The result is (n_notes, n_heard).
    """
    own, there = onset_s[[i for i, _ in pairs]], heard_s[[j for _, j in pairs]]
    far, rise = np.subtract.outer(own, own), np.subtract.outer(there, there)
    slopes = rise[far > 0.3] / far[far > 0.3] if np.any(far > 0.3) else np.ones(1)
    best, most = np.zeros(0), -1.0
    for slope in np.quantile(slopes, TEMPI):  # the one that most pairs keep
        offset = float(np.median(there - slope * own))
        believed = max(0.1 * float(np.ptp(own)) * slope, 0.35)
        kept = np.maximum(1.0 - np.abs(there - slope * own - offset) / believed, 0.0).sum()
        if kept > most:
            late = heard_s[None, :] - (slope * onset_s + offset)[:, None]
            best, most = np.abs(late) / believed, float(kept)
    return best


def _steady(
    pairs: list[tuple[int, int]], onset_s: NDArray[np.float64], heard_s: NDArray[np.float64]
) -> list[tuple[float, float]]:
    """Keep pairs that lie near one tempo, as (own time, time heard), rising in both."""
    if len(pairs) >= FEWEST_FOR_TEMPO:
        off = _off_tempo(pairs, onset_s, heard_s)
        pairs = [pair for pair in pairs if off[pair] < 1.0]
    kept: list[tuple[float, float]] = []
    for i, j in pairs:
        own, there = float(onset_s[i]), float(heard_s[j])
        if not kept or (own > kept[-1][0] + 1e-6 and there > kept[-1][1] + 1e-6):
            kept.append((own, there))
    return kept


def _interpolated(
    x: NDArray[np.float64], own: NDArray[np.float64], there: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Map times through the anchors, and go on at their mean tempo beyond both ends."""
    slope = (there[-1] - there[0]) / (own[-1] - own[0])
    inside = np.interp(x, own, there)
    inside = np.where(x < own[0], there[0] + slope * (x - own[0]), inside)
    return np.asarray(np.where(x > own[-1], there[-1] + slope * (x - own[-1]), inside))

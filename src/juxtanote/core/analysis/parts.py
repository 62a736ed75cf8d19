"""Sorting what is heard into the lead and what lies under it.

Place in the stereo picture, level and loudness do not tell a lead from a second guitar on records
(measured: area under the curve 0.5 to 0.6). What does is register together with doubt: a note that the
listener is not sure of, alone in a register of its own far under a line of many notes, is a bass, a
second guitar, or nothing. A bass line that the guitar plays itself has company, or is sure.
"""

from collections.abc import Sequence

import numpy as np

from juxtanote.core.analysis.perceived import PerceivedNote

AROUND_S = 2.5  # about a bar each way: a line is what goes on
FAR, NEAR = 9.0, 5.0  # semitones
FEWEST_OVER, MOST_BESIDE = 6, 4  # notes of the line, and of its own register
SURE = 0.75  # a surer note is never taken for what lies under the lead


def under_the_lead(notes: Sequence[PerceivedNote]) -> list[bool]:
    """Tell of each note whether it lies under the lead and is no part of it.

    Parameters
    ----------
    notes : sequence of PerceivedNote
        Of one recording or stretch, by onset in seconds; pitches are MIDI.

    Returns
    -------
    list of bool
        One for each note.

    Examples
    --------
    >>> line = [PerceivedNote(0.2 * k, 0.2 * k + 0.2, 64.0, -18.0, 0.9) for k in range(10)]
    >>> under_the_lead([*line[:5], PerceivedNote(0.9, 1.2, 40.0, -18.0, 0.5), *line[5:]])[5]
    True
    """
    onsets = np.array([n.onset_s for n in notes])
    midi = np.array([n.midi for n in notes])
    told = []
    for index, note in enumerate(notes):
        first, last = np.searchsorted(onsets, [note.onset_s - AROUND_S, note.onset_s + AROUND_S])
        over = np.delete(midi[first:last], index - first) - note.midi
        line, beside = int(np.sum(over >= FAR)), int(np.sum(np.abs(over) <= NEAR))
        alone = line >= FEWEST_OVER and beside <= MOST_BESIDE and line > 2 * beside
        told.append(bool(alone and note.confidence < SURE and "dead" not in note.techniques))
    return told


def lead_of(notes: Sequence[PerceivedNote]) -> list[PerceivedNote]:
    """Give the notes of the lead.

    Parameters
    ----------
    notes : sequence of PerceivedNote
        By onset in seconds, with their levels in dB.
    """
    return [n for n, under in zip(notes, under_the_lead(notes), strict=True) if not under]

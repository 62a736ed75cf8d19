"""Sorting what is heard into the lead and what lies under it.

Place in the stereo picture, level and loudness do not tell a lead from a second guitar on records
(measured: area under the curve 0.5 to 0.6). What does is register together with doubt: a note that the
listener is not sure of, alone in a register of its own far under a line of many notes, is a bass, a
second guitar, or nothing. A bass line that the guitar plays itself has company, or is sure.
"""

from collections.abc import Sequence
from itertools import groupby, pairwise

import numpy as np

from juxtanote.core.analysis.perceived import PerceivedNote

AROUND_S = 2.5  # about a bar each way: a line is what goes on
FAR, NEAR = 9.0, 5.0  # semitones
FEWEST_OVER, MOST_BESIDE = 6, 4  # notes of the line, and of its own register
SURE = 0.75  # a surer note is never taken for what lies under the lead
# Two lines in harmony: in thirds or sixths (semitones), from so many strokes and pitches on. What is
# struck together lies so near, and a longer rest ends it (seconds).
HARMONIES = frozenset({3, 4, 8, 9})
FEWEST_STROKES, FEWEST_PITCHES = 6, 4
TOGETHER_S, REST_S = 0.05, 1.2


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


def in_harmony(notes: Sequence[PerceivedNote]) -> list[tuple[float, float]]:
    """Find where two lines go together in thirds or sixths: two guitars, or one that plays both.

    Parameters
    ----------
    notes : sequence of PerceivedNote
        By onset in seconds; pitches are MIDI.

    Returns
    -------
    list of tuple
        Begin and end of each such stretch, in seconds.

    Examples
    --------
    >>> upper = [PerceivedNote(0.3 * k, 0.3 * k + 0.3, 64.0 + 2 * k, -18.0, 0.9) for k in range(6)]
    >>> lower = [PerceivedNote(0.3 * k, 0.3 * k + 0.3, 60.0 + 2 * k, -18.0, 0.9) for k in range(6)]
    >>> [(start, round(end, 1)) for start, end in in_harmony([n for p in zip(lower, upper) for n in p])]
    [(0.0, 1.8)]
    """
    pairs = [_as_pair(stroke) for stroke in _strokes(notes)]
    spans = []
    for is_pair, run in groupby(pairs, bool):
        row = [pair for pair in run if pair is not None]
        begins = [
            0,
            *(k for k, (a, b) in enumerate(pairwise(row), 1) if b[0] - a[1] > REST_S),
            len(row),
        ]
        for first, last in pairwise(begins) if is_pair else ():
            part = row[first:last]
            if len(part) >= FEWEST_STROKES and len({round(p[2]) for p in part}) >= FEWEST_PITCHES:
                spans.append((part[0][0], part[-1][1]))
    return spans


def _strokes(notes: Sequence[PerceivedNote]) -> list[list[PerceivedNote]]:
    """Group what is struck together."""
    strokes: list[list[PerceivedNote]] = []
    for note in notes:
        if strokes and note.onset_s - strokes[-1][0].onset_s <= TOGETHER_S:
            strokes[-1].append(note)
        else:
            strokes.append([note])
    return strokes


def _as_pair(stroke: list[PerceivedNote]) -> tuple[float, float, float] | None:
    """Give onset, offset and upper pitch of two notes a third or a sixth apart, or None."""
    if len(stroke) != 2:
        return None
    lower, upper = sorted(note.midi for note in stroke)
    if round(upper - lower) not in HARMONIES:
        return None
    return stroke[0].onset_s, max(note.offset_s for note in stroke), upper

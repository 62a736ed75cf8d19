"""Runs with the same number of notes on every string: three a string up a scale, two up a box.

Hands like the pattern more than its cost says (common practice), so such ways of playing are built and
offered beside what the search finds.
"""

from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.costs import REACH_MM
from juxtanote.core.fretboard.states import TOGETHER_S
from juxtanote.core.theory.tuning import Guitar

SHORTEST_RUN = 7  # notes
WIDEST_STEP = 4.5  # semitones
WIDEST_DRIFT = 3  # frets that the hand may be carried from string to string
A_STRING = (3, 2, 4)  # notes on a string in runs, the likeliest first (common practice)

Run = tuple[int, ...]


def runs_of(notes: list[NoteToPlace]) -> list[Run]:
    """List the stretches that go one way in steps, as indices; turning notes belong to both."""
    runs: list[Run] = []
    here: list[int] = []
    way = 0.0
    for index, note in enumerate(notes):
        if here:
            before = notes[here[-1]]
            step = note.midi - before.midi
            apart = note.onset_s - before.onset_s >= TOGETHER_S
            goes_on = apart and 0.5 < abs(step) < WIDEST_STEP and "dead" not in note.techniques
            if not goes_on or (way and step * way < 0.0):
                runs.append(tuple(here))
                here, way = ([here[-1]], 0.0) if goes_on else ([], 0.0)
            if goes_on:
                way = step
        here.append(index)
    runs.append(tuple(here))
    return [run for run in runs if len(run) >= SHORTEST_RUN]


def even_placements(
    guitar: Guitar, notes: list[NoteToPlace], run: Run
) -> list[dict[int, tuple[int, int]]]:
    """List the ways to play a run with as many notes on each string: note to (string, fret).

    The first and last string may have fewer. Open strings, locks, the reach of the hand and how far it
    is carried between strings leave few of them.

    Parameters
    ----------
    guitar : Guitar
    notes : list of NoteToPlace
        By onset.
    run : Run
        Which of them.
    """
    rising = notes[run[-1]].midi > notes[run[0]].midi
    ways = []
    for count in A_STRING:
        for phase in range(count):
            for first in range(1, guitar.string_count + 1):
                groups = [(place + phase) // count for place in range(len(run))]
                strings = [first - group if rising else first + group for group in groups]
                way = _frets_of(guitar, notes, run, strings)
                if way is not None and _in_reach(guitar, way, run) and way not in ways:
                    ways.append(way)
    return ways


def begins_full(way: dict[int, tuple[int, int]], run: Run) -> bool:
    """Tell whether the first string of a run has as many notes as the second.

    Parameters
    ----------
    way : dict of int to (int, int)
        Note to string and fret.
    run : Run
        Whose notes they are.
    """
    strings = [way[index][0] for index in run]
    counts = [strings.count(string) for string in dict.fromkeys(strings)]
    return counts[0] == counts[1]


def _frets_of(
    guitar: Guitar, notes: list[NoteToPlace], run: Run, strings: list[int]
) -> dict[int, tuple[int, int]] | None:
    if min(strings) < 1 or max(strings) > guitar.string_count:
        return None
    way = {}
    for index, string in zip(run, strings, strict=True):
        note = notes[index]
        fret = round(note.midi) - guitar.open_midi(string)
        locked = note.string not in (None, string) or note.fret not in (None, fret)
        if locked or not 0 < fret <= guitar.last_fret or "natural-harmonic" in note.techniques:
            return None
        way[index] = (string, fret)
    return way


def _in_reach(guitar: Guitar, way: dict[int, tuple[int, int]], run: Run) -> bool:
    """Tell whether each string lies under one hand, near where it lay on the string before."""
    frets: dict[int, list[int]] = {}
    for index in run:
        string, fret = way[index]
        frets.setdefault(string, []).append(fret)
    if len(frets) < 3:
        return False
    lows = [min(held) for held in frets.values()]
    drift = max(abs(a - b) for a, b in zip(lows, lows[1:], strict=False))
    spans = [guitar.fret_mm(max(held)) - guitar.fret_mm(min(held)) for held in frets.values()]
    return drift <= WIDEST_DRIFT and max(spans) <= REACH_MM

"""A placement in figures, so that whole alternatives can be compared side by side."""

from dataclasses import dataclass

import numpy as np

from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.costs import EASY_MM
from juxtanote.core.fretboard.solver import Placement
from juxtanote.core.fretboard.states import group_events
from juxtanote.core.fretboard.strokes import choose_strokes, count_changes
from juxtanote.core.theory.tuning import Guitar


@dataclass(frozen=True, slots=True)
class Figures:
    """What a placement asks of the hands.

    `shifts` counts moves of the hand by more than a fret, `travel_mm` adds up all its moves,
    `stretches` counts notes beyond four frets at the fifth, `inside` and `outside` are string changes
    of the pick.
    """

    shifts: int
    travel_mm: int
    stretches: int
    string_changes: int
    inside: int
    outside: int
    lowest_fret: int
    highest_fret: int


def measure(guitar: Guitar, notes: list[NoteToPlace], placement: Placement, school: str) -> Figures:
    """Measure a placement under a picking school.

    Parameters
    ----------
    guitar : Guitar
    notes : list of NoteToPlace
        By onset.
    placement : Placement
        Of them.
    school : str
        Of picking, see `strokes.choose_strokes`.
    """
    events = group_events(notes)
    shifts = changes = stretches = 0
    travel = 0.0
    for before, after in zip(events, events[1:], strict=False):
        here, there = placement.positions[before.notes[0]], placement.positions[after.notes[0]]
        shifts += abs(here - there) > 1
        travel += abs(guitar.fret_mm(here) - guitar.fret_mm(there))
        first = np.mean([placement.strings[m] for m in before.notes])
        second = np.mean([placement.strings[m] for m in after.notes])
        changes += bool(abs(first - second) > 0.4)
    for index, note in enumerate(notes):
        fret, position = placement.frets[index], placement.positions[index]
        if fret > position and not note.techniques & {"tap", "natural-harmonic"}:
            stretches += guitar.fret_mm(fret) - guitar.fret_mm(position) > EASY_MM
    strokes = choose_strokes(notes, placement.strings, school)
    outside, inside = count_changes(strokes, placement.strings)
    held = [f for f in placement.frets if f > 0] or [0]
    return Figures(shifts, round(travel), stretches, changes, inside, outside, min(held), max(held))

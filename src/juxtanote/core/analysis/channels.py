"""What the listener tells of every frame: its pitches and kinds, shared with training."""

from enum import IntEnum


class Cell(IntEnum):
    """Outputs for each pitch and frame.

    From `SLURRED` to `TAP` they are told at onsets; `BENDING` and `SHAKING` while a note sounds.
    """

    ONSET = 0
    ACTIVE = 1
    SLURRED = 2
    SLIDE = 3
    MUTED = 4
    HARMONIC = 5
    TAP = 6
    BENDING = 7
    SHAKING = 8


CELL_KINDS = tuple(cell.name.lower() for cell in Cell)
LOWEST_MIDI, HIGHEST_MIDI = 30, 90  # F♯1, the lowest string of eight, to F♯6
N_PITCHES = HIGHEST_MIDI - LOWEST_MIDI + 1  # rows of what the listener tells

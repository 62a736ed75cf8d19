"""A note as the decoder finds it, in frames and semitones."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class FoundNote:
    """A decoded note: `start`, `end` and `sustained` in frames, kinds and posteriors from 0 to 1."""

    start: float
    end: int
    midi: int
    onset_posterior: float
    active_posterior: float
    slurred: float
    slide: float
    muted: float
    harmonic: float
    rivals: tuple[tuple[int, float], ...]  # (midi, onset posterior) of other readings
    dead: bool = False
    tap: float = 0.0
    bending: float = 0.0  # how surely a bend is on its way somewhere in the note
    shaking: float = 0.0
    sustained: int = 0  # the frame up to which it sounds at its own pitch
    goes_on: float = 0.0  # how well a doubted stroke keeps the phase of the note before
    confidence: float = -1.0  # that it is right; below zero: not classified

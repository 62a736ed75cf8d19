"""What shows in the sound of a note, and what else it could be: kinds and numbers, no words.

Whoever shows one of them says it (`juxtanote.app.sayings`); a lesson file keeps it as it is here.
"""

from dataclasses import dataclass
from enum import StrEnum, unique


@unique
class Shows(StrEnum):
    """What was observed of a note; behind each kind what its values are."""

    BENDS = "bends"  # semitones, seconds from the onset until it is there
    LET_DOWN = "let-down"  # semitones from the top of a bend
    PRE_BENT = "pre-bent"  # semitones over where it ends
    SWINGS = "swings"  # times a second, cents from edge to edge, seconds until it begins
    SHAKES = "shakes"  # confidence: too short to be measured
    CLICK = "click"  # no pitch
    DIES_DARK = "dies-dark"  # confidence
    PURE = "pure"  # confidence: hardly more than one partial
    GLIDES_IN = "glides-in"  # confidence
    FROM_NOWHERE = "from-nowhere"  # it glides, and no note comes before
    WEAK_ATTACK = "weak-attack"  # semitones from the note before
    OTHER_HAND = "other-hand"  # confidence: a tap
    AS_MUTED = "as-muted"  # as dark and short as the muted notes around
    AS_OPEN = "as-open"  # rings as the open notes around
    AS_SLURRED = "as-slurred"  # as soft as the slurs around
    AS_PICKED = "as-picked"  # struck as the picked notes around
    LIKE_NO_GUITAR = "like-no-guitar"  # something else plays there by itself
    GOES_ON = "goes-on"  # how well it keeps the phase of the note before, 1 at most
    FROM_FILE = "from-file"  # it was not heard
    BY_HAND = "by-hand"  # a person added it


@dataclass(frozen=True, slots=True)
class Observation:
    """One thing that shows; `values` are in the order and units that its kind tells."""

    of: Shows
    values: tuple[float, ...] = ()


@unique
class Otherwise(StrEnum):
    """In what another reading of a note differs from the one that was taken."""

    PITCH = "pitch"
    SLURRED = "slurred"
    PICKED = "picked"
    TWO_NOTES = "two-notes"
    ONE_NOTE = "one-note"  # with the note before
    FIRST = "first"  # as it was read at first, before a person chose another


@unique
class Chosen(StrEnum):
    """Why it is this part of a mix that is listened to."""

    UNASKED = ""
    BY_HAND = "by-hand"
    MOST_NOTES = "most-notes"  # more sure notes than the whole mix gives
    WHOLE_MIX = "whole-mix"  # nothing else gave more

"""Pitch names: spelling MIDI numbers and reading them back."""

import re

LETTER_SEMITONES = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
SHARP_NAMES = ("C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B")
FLAT_NAMES = ("C", "D♭", "D", "E♭", "E", "F", "G♭", "G", "A♭", "A", "B♭", "B")
_ACCIDENTALS = {"#": 1, "♯": 1, "b": -1, "♭": -1, "x": 2, "𝄪": 2}
_NAME = re.compile(r"([A-Ga-g])([#♯b♭x𝄪]*)(-?\d+)?")


def parse_pitch_class(name: str) -> int:
    """Read a pitch class such as ``B♭`` or ``F#``.

    Parameters
    ----------
    name : str
        A letter with sharps or flats.

    Examples
    --------
    >>> parse_pitch_class("Bb")
    10
    """
    match = _NAME.fullmatch(name.strip())
    if match is None or match.group(3):
        raise ValueError(f"{name!r} is not a note name such as F♯ or Bb")
    return _letter_and_accidentals(match) % 12


def parse_pitch(name: str) -> int:
    """Read a pitch with its octave; C4 is middle C, MIDI 60.

    Parameters
    ----------
    name : str
        A letter with sharps or flats, and the octave.

    Examples
    --------
    >>> parse_pitch("E2"), parse_pitch("B1"), parse_pitch("Eb4")
    (40, 35, 63)
    """
    match = _NAME.fullmatch(name.strip())
    if match is None or not match.group(3):
        raise ValueError(f"{name!r} is not a note with its octave such as E2")
    return _letter_and_accidentals(match) + 12 * (int(match.group(3)) + 1)


def _letter_and_accidentals(match: re.Match[str]) -> int:
    shift = sum(_ACCIDENTALS[sign] for sign in match.group(2))
    return LETTER_SEMITONES[match.group(1).upper()] + shift


def pitch_name(midi: float, *, flats: bool = False) -> str:
    """Spell the nearest pitch with its octave.

    Parameters
    ----------
    midi : float
        The nearest semitone counts.
    flats : bool
        Whether black keys are spelled as flats.

    Examples
    --------
    >>> pitch_name(61), pitch_name(61, flats=True)
    ('C♯4', 'D♭4')
    """
    number = round(midi)
    names = FLAT_NAMES if flats else SHARP_NAMES
    return f"{names[number % 12]}{number // 12 - 1}"

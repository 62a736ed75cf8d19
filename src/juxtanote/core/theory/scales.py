"""Scales, keys and the names of degrees."""

from dataclasses import dataclass

from juxtanote.core.theory.keys import key_of, known_key
from juxtanote.core.theory.pitch import LETTER_SEMITONES, SHARP_NAMES

SCALES: dict[str, tuple[int, ...]] = {
    "minor pentatonic": (0, 3, 5, 7, 10),
    "blues": (0, 3, 5, 6, 7, 10),
    "major pentatonic": (0, 2, 4, 7, 9),
    "major": (0, 2, 4, 5, 7, 9, 11),
    "natural minor": (0, 2, 3, 5, 7, 8, 10),
    "dorian": (0, 2, 3, 5, 7, 9, 10),
    "mixolydian": (0, 2, 4, 5, 7, 9, 10),
    "harmonic minor": (0, 2, 3, 5, 7, 8, 11),
    "phrygian": (0, 1, 3, 5, 7, 8, 10),
    "lydian": (0, 2, 4, 6, 7, 9, 11),
}
DEGREES = ("1", "♭2", "2", "♭3", "3", "4", "♭5", "5", "♭6", "6", "♭7", "7")
OUTSIDE_NAMES = {
    1: "flat ninth", 2: "ninth", 3: "flat third", 4: "major third", 5: "fourth", 6: "flat fifth",
    8: "flat sixth", 9: "sixth", 10: "flat seventh", 11: "major seventh",
}  # fmt: skip
_LETTERS = "CDEFGAB"
_SIGNS = {-2: "♭♭", -1: "♭", 0: "", 1: "♯", 2: "𝄪"}
_DEGREE_LETTER = (0, 1, 1, 2, 2, 3, 4, 4, 5, 5, 6, 6)


def spell_tonic(pitch_class: int, mode: str) -> str:
    """Spell a tonic as key signatures have it: B♭ minor, never A♯ minor.

    Parameters
    ----------
    pitch_class : int
        From 0 (C) to 11.
    mode : str
        Such as minor or dorian.

    Examples
    --------
    >>> spell_tonic(10, "minor"), spell_tonic(6, "major")
    ('B♭', 'F♯')
    """
    return key_of(pitch_class, mode).tonic


def spell_in_key(midi: float, key: str) -> str:
    """Spell a pitch class by its degree in a key, one letter to a degree; by sharps without a key.

    Parameters
    ----------
    midi : float
        The nearest semitone counts.
    key : str
        As a person writes it; empty for none.

    Examples
    --------
    >>> spell_in_key(61, "B♭ minor"), spell_in_key(63, "E minor"), spell_in_key(66, "C minor")
    ('D♭', 'D♯', 'G♭')
    """
    known = known_key(key)
    if known is None:
        return SHARP_NAMES[round(midi) % 12]
    interval = (round(midi) - known.pitch_class) % 12
    steps = _DEGREE_LETTER[interval]
    if interval == 6 and known.family == "major":
        steps = 3
    letter = _LETTERS[(_LETTERS.index(known.tonic[0]) + steps) % 7]
    shift = (round(midi) - LETTER_SEMITONES[letter] + 6) % 12 - 6
    if shift not in _SIGNS:  # a third sign is needed: nobody writes that
        return SHARP_NAMES[round(midi) % 12]
    return letter + _SIGNS[shift]


@dataclass(frozen=True, slots=True)
class SpelledPitch:
    """A pitch as it is written: its letter, semitones beside that, and the octave of the letter."""

    step: str
    alter: int
    octave: int

    @property
    def place(self) -> int:
        """Its place on a staff: letters counted from C0."""
        return 7 * self.octave + _LETTERS.index(self.step)


def spell_pitch(midi: int, key: str) -> SpelledPitch:
    """Spell a pitch in a key, with its octave (C4 is 60).

    Parameters
    ----------
    midi : int
        The pitch.
    key : str
        As a person writes it; empty for none.

    Examples
    --------
    >>> spell_pitch(59, "G♭ major")
    SpelledPitch(step='C', alter=-1, octave=4)
    """
    name = spell_in_key(midi, key)
    signs = name[1:]
    alter = signs.count("♯") - signs.count("♭") + 2 * signs.count("𝄪")
    return SpelledPitch(name[0], alter, (midi - alter) // 12 - 1)


def degree_name(midi: float, tonic: int) -> str:
    """Name the degree of a pitch over a tonic, as ♭3.

    Parameters
    ----------
    midi : float
        The nearest semitone counts.
    tonic : int
        Its pitch class, 0 to 11.
    """
    return DEGREES[(round(midi) - tonic) % 12]


def outside_name(midi: float, tonic: int, scale: str) -> str | None:
    """Name a note outside a scale, or give None where it is inside.

    Parameters
    ----------
    midi : float
        The nearest semitone counts.
    tonic : int
        Its pitch class, 0 to 11.
    scale : str
        One of `SCALES`.
    """
    interval = (round(midi) - tonic) % 12
    if interval in SCALES.get(scale, tuple(range(12))):
        return None
    return OUTSIDE_NAMES.get(interval, DEGREES[interval])

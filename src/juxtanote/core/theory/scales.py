"""Scales, keys and the names of degrees."""

from juxtanote.core.theory.pitch import LETTER_SEMITONES, parse_pitch_class

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
_MAJOR_TONICS = ("C", "D♭", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
_MINOR_TONICS = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "G♯", "A", "B♭", "B")
_SIGNS = {-2: "♭♭", -1: "♭", 0: "", 1: "♯", 2: "𝄪"}
_DEGREE_LETTER = (0, 1, 1, 2, 2, 3, 4, 4, 5, 5, 6, 6)


def spell_tonic(pitch_class: int, mode: str) -> str:
    """Spell a tonic as key signatures have it: B♭ minor, never A♯ minor.

    Examples
    --------
    >>> spell_tonic(10, "minor"), spell_tonic(6, "major")
    ('B♭', 'F♯')
    """
    names = _MINOR_TONICS if mode == "minor" else _MAJOR_TONICS
    return names[pitch_class % 12]


def parse_key(text: str) -> tuple[int, str]:
    """Read a key such as ``B♭ minor`` into its tonic's pitch class and its mode.

    Raises
    ------
    ValueError
        If the text is no key.
    """
    words = text.split()
    if len(words) != 2 or words[1] not in ("major", "minor"):
        raise ValueError(f"{text!r} is not a key such as A minor or B♭ major")
    return parse_pitch_class(words[0]), words[1]


def spell_in_key(midi: float, key: str) -> str:
    """Spell a pitch class by its degree in a key, one letter to a degree.

    Examples
    --------
    >>> spell_in_key(61, "B♭ minor"), spell_in_key(63, "E minor"), spell_in_key(66, "C minor")
    ('D♭', 'D♯', 'G♭')
    """
    tonic, mode = parse_key(key)
    interval = (round(midi) - tonic) % 12
    steps = _DEGREE_LETTER[interval]
    if interval == 6 and mode == "major":
        steps = 3
    letter = _LETTERS[(_LETTERS.index(spell_tonic(tonic, mode)[0]) + steps) % 7]
    shift = (round(midi) - LETTER_SEMITONES[letter] + 6) % 12 - 6
    if abs(shift) > 2:
        raise ValueError(f"pitch {midi} cannot be spelled in {key}")
    return letter + _SIGNS[shift]


def degree_name(midi: float, tonic: int) -> str:
    """Name the degree of a pitch over a tonic, as ♭3."""
    return DEGREES[(round(midi) - tonic) % 12]


def outside_name(midi: float, tonic: int, scale: str) -> str | None:
    """Name a note outside a scale, or give None where it is inside."""
    interval = (round(midi) - tonic) % 12
    if interval in SCALES.get(scale, tuple(range(12))):
        return None
    return OUTSIDE_NAMES.get(interval, DEGREES[interval])

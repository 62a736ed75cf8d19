"""Keys as people write them: A minor, Am, A dorian, A blues, E flat minor, H7, N.C."""

import re
from dataclasses import dataclass
from functools import lru_cache

from juxtanote.core.theory.pitch import parse_pitch_class

MAJOR_TONICS = ("C", "D♭", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
MINOR_TONICS = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "G♯", "A", "B♭", "B")
# Sharps of a mode's signature beside that of the major key on the same tonic (theory).
MODES: dict[str, int] = {
    "major": 0, "minor": -3, "dorian": -2, "phrygian": -4, "lydian": 1, "mixolydian": -1, "aeolian": -3,
    "locrian": -5, "blues": -3,
}  # fmt: skip
# The scale that naming a mode already says.
SCALE_OF_MODE = {
    "dorian": "dorian", "phrygian": "phrygian", "lydian": "lydian", "mixolydian": "mixolydian",
    "aeolian": "natural minor", "blues": "blues",
}  # fmt: skip
NO_KEY = frozenset({"", "n.c.", "nc", "n.c", "none", "no key", "atonal", "-", "–"})
_SHORT = {
    "m": "minor", "min": "minor", "-": "minor", "moll": "minor", "mol": "minor", "maj": "major",
    "dur": "major", "": "major", "M": "major", "7": "mixolydian", "m7": "minor", "dom": "mixolydian",
    "ionian": "major",
}  # fmt: skip
_SHAPE = re.compile(
    r"^(?:([AEae])(s)(?![a-z])|([A-Ha-h])\s*(sharp|flat|is|es|[#♯♭]{1,2}|b{1,2}(?![a-ln-z]))?)[\s-]*(.*)$"
)
_SIGN_WORDS = {"sharp": "♯", "is": "♯", "flat": "♭", "es": "♭", "s": "♭"}


@dataclass(frozen=True, slots=True)
class Key:
    """A tonic as it is spelled, its pitch class, and a mode of `MODES`."""

    tonic: str
    pitch_class: int
    mode: str

    @property
    def name(self) -> str:
        """Give the form that a lesson keeps."""
        return f"{self.tonic} {self.mode}"

    @property
    def family(self) -> str:
        """Give ``minor`` where the third is minor, else ``major``."""
        return "major" if self.mode in ("major", "lydian", "mixolydian") else "minor"

    @property
    def fifths(self) -> int:
        """Give sharps (positive) or flats (negative) of the signature."""
        letters = {"C": 0, "D": 2, "E": 4, "F": -1, "G": 1, "A": 3, "B": 5}
        signs = self.tonic.count("♯") - self.tonic.count("♭")
        return letters[self.tonic[0]] + 7 * signs + MODES[self.mode]


def read_key(text: str) -> Key | None:
    """Read a key; None where the text says that there is none ("N.C.", nothing).

    Examples
    --------
    >>> [read_key(t).name for t in ("Am", "a moll", "A dorian", "A blues", "E flat minor", "H7")]
    ['A minor', 'A minor', 'A dorian', 'A blues', 'E♭ minor', 'B mixolydian']
    >>> read_key("E flat minor").fifths, read_key("A dorian").fifths
    (-6, 1)

    Raises
    ------
    ValueError
        Saying what of it could not be read.
    """
    plain = " ".join(text.replace("-flat", " flat").replace("-sharp", " sharp").split())
    if plain.casefold() in NO_KEY:
        return None
    match = _SHAPE.match(plain)
    if match is None:
        raise ValueError(f"“{text:.40}” does not begin with a note name from A to G")
    letter, sign, rest = match[1] or match[3], match[2] or match[4], match[5]
    sign = _SIGN_WORDS.get(sign or "", (sign or "").replace("#", "♯").replace("b", "♭"))
    mode = _mode(rest.strip(), text)
    if letter == letter.lower() and not rest:
        mode = "minor"  # a small letter alone means minor (common practice)
    name = ("B" if letter in "Hh" else letter.upper()) + sign
    return _spelled(parse_pitch_class(name), name, mode)


def _mode(rest: str, text: str) -> str:
    words = rest.casefold()
    if words in MODES:
        return words
    if rest in _SHORT:
        return _SHORT[rest]
    if words in _SHORT:
        return _SHORT[words]
    known = ", ".join(MODES)
    raise ValueError(f"“{text:.40}”: the mode “{rest:.24}” is not known; write one of {known}")


def _spelled(pitch_class: int, name: str, mode: str) -> Key:
    """Take the spelling as it was written, but where its signature would need over seven signs."""
    key = Key(name, pitch_class, mode)
    return key if abs(key.fifths) <= 7 and len(name) <= 2 else key_of(pitch_class, mode)


def key_of(pitch_class: int, mode: str) -> Key:
    """Give a key as signatures have it: B♭ minor, never A♯ minor.

    Parameters
    ----------
    pitch_class : int
        From 0 (C) to 11.
    mode : str
        Such as minor or dorian.
    """
    family = Key("C", 0, mode).family
    names = MINOR_TONICS if family == "minor" else MAJOR_TONICS
    return Key(names[pitch_class % 12], pitch_class % 12, mode)


@lru_cache(maxsize=256)
def known_key(text: str) -> Key | None:
    """Read a key, or give None where there is none or it is not understood (files may hold any words).

    Parameters
    ----------
    text : str
        What may be a key.
    """
    try:
        return read_key(text)
    except ValueError:
        return None


def transpose_key(text: str, semitones: int) -> str:
    """Move a key; what is no key stays as it is.

    Parameters
    ----------
    text : str
        What may be a key.
    semitones : int
        Up, or down where negative.

    Examples
    --------
    >>> transpose_key("A minor", 1), transpose_key("", 2)
    ('B♭ minor', '')
    """
    key = known_key(text)
    return text if key is None else key_of(key.pitch_class + semitones, key.mode).name

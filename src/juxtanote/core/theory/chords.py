"""Chord symbols: what they sound, and what a note is to them."""

import re
from collections.abc import Iterable
from dataclasses import dataclass

from juxtanote.core.theory.keys import MAJOR_TONICS
from juxtanote.core.theory.pitch import parse_pitch_class

QUALITIES: dict[str, tuple[int, ...]] = {
    "": (0, 4, 7), "m": (0, 3, 7), "5": (0, 7), "7": (0, 4, 7, 10), "maj7": (0, 4, 7, 11),
    "m7": (0, 3, 7, 10), "6": (0, 4, 7, 9), "m6": (0, 3, 7, 9), "9": (0, 4, 7, 10, 2),
    "m9": (0, 3, 7, 10, 2), "add9": (0, 4, 7, 2), "maj9": (0, 4, 7, 11, 2), "13": (0, 4, 7, 10, 2, 9),
    "7♯9": (0, 4, 7, 10, 3), "7♭9": (0, 4, 7, 10, 1), "sus4": (0, 5, 7), "sus2": (0, 2, 7),
    "7sus4": (0, 5, 7, 10), "dim": (0, 3, 6), "dim7": (0, 3, 6, 9), "m7♭5": (0, 3, 6, 10),
    "aug": (0, 4, 8), "m(maj7)": (0, 3, 7, 11),
}  # fmt: skip
_OTHER_SPELLINGS = {
    "min": "m", "-": "m", "M7": "maj7", "Δ": "maj7", "+": "aug", "°": "dim", "ø": "m7♭5", "M": "",
    "maj": "", "min7": "m7", "-7": "m7", "°7": "dim7", "sus": "sus4",
}  # fmt: skip
TONE_NAMES = {
    0: "root", 1: "flat ninth", 2: "ninth", 3: "flat third", 4: "third", 5: "fourth", 6: "flat fifth",
    7: "fifth", 8: "raised fifth", 9: "sixth", 10: "seventh", 11: "major seventh",
}  # fmt: skip
_SHAPE = re.compile(r"^([A-H](?:[#♯b♭]{0,2}))([^/]*)(?:/([A-H][#♯b♭]{0,2}))?$")
NO_CHORD = "N.C."
_NO_CHORD = frozenset({"n.c.", "nc", "n.c"})


@dataclass(frozen=True, slots=True)
class Chord:
    """A chord: pitch class of its root, its quality, and the pitch class in the bass."""

    root: int
    quality: str = ""
    bass: int | None = None

    @property
    def tones(self) -> frozenset[int]:
        """Give the pitch classes that belong to it."""
        return frozenset((self.root + step) % 12 for step in QUALITIES[self.quality])

    def tone_name(self, midi: float) -> str | None:
        """Name what a pitch is in the chord, or give None where it does not belong.

        Parameters
        ----------
        midi : float
            A pitch; the nearest semitone counts.

        Examples
        --------
        >>> parse_chord("Am7").tone_name(60), parse_chord("Am7").tone_name(62)
        ('flat third', None)
        """
        interval = (round(midi) - self.root) % 12
        return TONE_NAMES[interval] if interval in QUALITIES[self.quality] else None


def parse_chord(text: str) -> Chord:
    """Read a chord symbol such as ``Am``, ``F♯m7`` or ``G7/B``.

    Parameters
    ----------
    text : str
        The symbol, sharps and flats as signs or as letters.

    Raises
    ------
    ValueError
        If the symbol is not understood.
    """
    match = _SHAPE.match(text.strip())
    if match is None:
        raise ValueError(f"{text!r} is no chord symbol such as Am, G7 or C/E")
    root, quality, bass = match.groups()
    quality = (
        quality.replace("#", "♯").replace("b", "♭") if quality not in _OTHER_SPELLINGS else quality
    )
    quality = _OTHER_SPELLINGS.get(quality, quality)
    if quality not in QUALITIES:
        raise ValueError(
            f"{text!r}: the kind of chord {quality!r} is not known; write one of "
            + ", ".join(q for q in QUALITIES if q)
        )
    return Chord(_pitch_class(root), quality, _pitch_class(bass) if bass else None)


def quality_of(midi: Iterable[int]) -> tuple[int, str, int] | None:
    """Find the chord that notes struck together are: root, quality, bass; None where they are none.

    The bass is tried as the root first.

    Parameters
    ----------
    midi : iterable of int
        Pitches, the lowest is the bass.

    Examples
    --------
    >>> quality_of([45, 52, 57, 60, 64]), quality_of([43, 50, 55]), quality_of([45, 46, 47])
    ((9, 'm', 9), (7, '5', 7), None)
    """
    pitches = sorted(midi)
    classes = frozenset(m % 12 for m in pitches)
    if len(classes) < 2:
        return None
    bass = pitches[0] % 12
    for root in (bass, *sorted(classes - {bass})):
        for quality, steps in QUALITIES.items():
            if frozenset((root + step) % 12 for step in steps) == classes:
                return root, quality, bass
    return None


def _pitch_class(name: str) -> int:
    return parse_pitch_class(name.replace("H", "B"))  # H: the German name of B


def known_chord(text: str) -> Chord | None:
    """Read a chord symbol, or give None where it is not understood (files may hold any words).

    Parameters
    ----------
    text : str
        What may be a symbol.
    """
    try:
        return parse_chord(text)
    except ValueError:
        return None


def parse_progression(text: str) -> list[str]:
    """Read symbols bar by bar, ``Am | Dm G | E7``: one entry a bar, checked, spaces made even.

    Parameters
    ----------
    text : str
        Symbols between bar lines.

    Raises
    ------
    ValueError
        If a symbol is not understood; an empty bar repeats the one before.
    """
    bars: list[str] = []
    for part in text.strip().strip("|").split("|"):
        symbols = [NO_CHORD if s.casefold() in _NO_CHORD else s for s in part.split()]
        for symbol in symbols:
            if symbol != NO_CHORD:
                parse_chord(symbol)
        bars.append(" ".join(symbols) or (bars[-1] if bars else ""))
    return bars if any(bars) else []


def transpose_symbols(text: str, semitones: int) -> str:
    """Move every chord symbol of a bar; what is no chord stays.

    Parameters
    ----------
    text : str
        Symbols with blanks between them.
    semitones : int
        Up, or down where negative.

    Examples
    --------
    >>> transpose_symbols("Am G/B N.C.", 2)
    'Bm A/C♯ N.C.'
    """
    return " ".join(_transposed(symbol, semitones) for symbol in text.split())


def _transposed(symbol: str, semitones: int) -> str:
    match = _SHAPE.match(symbol)
    if match is None or known_chord(symbol) is None:
        return symbol
    root, quality, bass = match.groups()
    roots = (
        _ROOTS if quality.startswith(("m", "-")) and not quality.startswith("maj") else MAJOR_TONICS
    )
    moved = roots[(_pitch_class(root) + semitones) % 12] + quality
    return moved + (f"/{_ROOTS[(_pitch_class(bass) + semitones) % 12]}" if bass else "")


_ROOTS = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")

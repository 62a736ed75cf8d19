"""The guitar: open strings, capo, frets and scale length."""

from dataclasses import dataclass

from juxtanote.core.errors import TuningError
from juxtanote.core.theory.pitch import parse_pitch, pitch_name

STANDARD = (40, 45, 50, 55, 59, 64)  # E2 A2 D3 G3 B3 E4, equal temperament
PRESETS: dict[str, tuple[int, ...]] = {
    "Standard": STANDARD,
    "Lowest string down a tone": (38, 45, 50, 55, 59, 64),
    "All strings down a semitone": (39, 44, 49, 54, 58, 63),
    "All strings down a tone": (38, 43, 48, 53, 57, 62),
    "Dropped C": (36, 43, 48, 53, 57, 62),
    "Dropped C sharp": (37, 44, 49, 54, 58, 63),
    "Open G": (38, 43, 50, 55, 59, 62),
    "Open D": (38, 45, 50, 54, 57, 62),
    "Open E": (40, 47, 52, 56, 59, 64),
    "Open A": (40, 45, 52, 57, 61, 64),
    "Open C": (36, 43, 48, 55, 60, 64),
    "Open D minor": (38, 45, 50, 53, 57, 62),
    "Open G minor": (38, 43, 50, 55, 58, 62),
    "D A D G A D": (38, 45, 50, 55, 57, 62),
    "Seven strings, low B": (35, *STANDARD),
    "Seven strings, low A": (33, *STANDARD),
    "Eight strings, low F sharp": (30, 35, *STANDARD),
}
# What tunings are for (common practice).
USES = {
    "Standard": "most of what is taught",
    "Lowest string down a tone": "riffs on one finger over the three thickest strings",
    "All strings down a semitone": "the same shapes a little lower; bends are easier",
    "All strings down a tone": "the same shapes lower; bends are easier, strings want to be thicker",
    "Dropped C": "riffs on one finger, lower still; thick strings",
    "Dropped C sharp": "riffs on one finger, lower still",
    "Open G": "slide bar and riffs: a major chord across every fret, its root on the fifth string",
    "Open D": "slide bar: a major chord across every fret, its root on the thickest and thinnest string",
    "Open E": "slide bar: as open D a tone higher; tight strings carry the bar well",
    "Open A": "slide bar: as open G a tone higher; mind the tension",
    "Open C": "fingerstyle with a deep bass, slide bar",
    "Open D minor": "slide bar in minor; one finger makes it major",
    "Open G minor": "slide bar in minor; one finger makes it major",
    "D A D G A D": "drones under a line: neither major nor minor",
    "Seven strings, low B": "riffs below the usual range",
    "Seven strings, low A": "riffs well below the usual range",
    "Eight strings, low F sharp": "riffs in the bass's range",
}
FEWEST_STRINGS, MOST_STRINGS = 4, 9  # what is called a guitar


@dataclass(frozen=True, slots=True)
class Guitar:
    """What the instrument allows.

    `tuning` holds the open strings as MIDI pitch, thickest first, without the capo; frets are
    counted from the capo, and `fret_count` is the number of frets on the bare neck.
    """

    tuning: tuple[int, ...] = STANDARD
    capo: int = 0
    fret_count: int = 22
    scale_length_mm: float = 648.0
    left_handed: bool = False
    bar_finger: int = 3  # that wears the slide bar: 2 to 4
    thumb_over: bool = True  # whether the thumb may fret the thickest string

    def __post_init__(self) -> None:
        strings = len(self.tuning)
        if not FEWEST_STRINGS <= strings <= MOST_STRINGS:
            raise TuningError(
                f"A tuning of {strings} strings cannot be used: give {FEWEST_STRINGS} to "
                f"{MOST_STRINGS} strings, thickest first, for example E2 A2 D3 G3 B3 E4."
            )
        for midi in self.tuning:
            if not 16 <= midi <= 88:
                raise TuningError(
                    f"An open string at {pitch_name(midi)} is outside E0 to E6: check its octave."
                )
        if not 12 <= self.fret_count <= 36:
            raise TuningError(f"{self.fret_count} frets cannot be used: give 12 to 36.")
        if not 0 <= self.capo <= self.fret_count - 5:
            raise TuningError(f"A capo at fret {self.capo} leaves no neck: use a lower fret.")
        if not 300.0 <= self.scale_length_mm <= 900.0:
            raise TuningError(
                f"A scale length of {self.scale_length_mm:g} mm cannot be used: give 300 to 900."
            )

        if self.bar_finger not in (2, 3, 4):
            raise TuningError(
                f"A slide bar on finger {self.bar_finger} cannot be used: give 2, 3 or 4."
            )

    @property
    def string_count(self) -> int:
        """How many strings there are."""
        return len(self.tuning)

    @property
    def last_fret(self) -> int:
        """The highest fret, counted from the capo."""
        return self.fret_count - self.capo

    def open_midi(self, string: int) -> int:
        """Give the sounding pitch of the open string, capo counted; string 1 is the thinnest."""
        if not 1 <= string <= len(self.tuning):
            raise ValueError(f"string is {string}; this guitar has 1 to {len(self.tuning)}")
        return self.tuning[-string] + self.capo

    def midi_at(self, string: int, fret: int) -> int:
        """Give the sounding pitch of a fretted note.

        Parameters
        ----------
        string : int
            From 1, the thinnest.
        fret : int
            From 0, the open string (with a capo: at the capo).
        """
        return self.open_midi(string) + fret

    def fret_mm(self, fret: float) -> float:
        """Give the distance of a fret from the nut (or capo): L·(1 − 2^(−n/12)).

        Examples
        --------
        >>> Guitar(scale_length_mm=648.0).fret_mm(12)
        324.0
        """
        sounding = self.scale_length_mm * 2.0 ** (-self.capo / 12.0)
        return float(sounding * (1.0 - 2.0 ** (-fret / 12.0)))


def parse_tuning(text: str) -> tuple[int, ...]:
    """Read a preset's name or open strings such as ``E2 A2 D3 G3 B3 E4``, thickest first.

    Parameters
    ----------
    text : str
        A name of `PRESETS`, or pitches with their octaves.

    Examples
    --------
    >>> parse_tuning("D2 A2 D3 G3 B3 E4")
    (38, 45, 50, 55, 59, 64)
    """
    for name, tuning in PRESETS.items():
        if text.strip().casefold() == name.casefold():
            return tuning
    try:
        tuning = tuple(parse_pitch(word) for word in text.replace(",", " ").split())
    except ValueError as error:
        raise TuningError(
            f"The tuning “{text}” could not be read: {error}. Write the open strings from the "
            "thickest to the thinnest, each with its octave: E2 A2 D3 G3 B3 E4."
        ) from error
    Guitar(tuning=tuning)
    return tuning


def tuning_name(tuning: tuple[int, ...]) -> str:
    """Write a tuning as its open strings."""
    return " ".join(pitch_name(midi).replace("♯", "#") for midi in tuning)

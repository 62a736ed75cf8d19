"""Where a pitch can sit on the neck: what is physically possible, before any taste."""

from dataclasses import dataclass
from functools import lru_cache

from juxtanote.core.theory.harmonics import PARTIAL_AT_FRET, partial_offset
from juxtanote.core.theory.tuning import Guitar

PITCH_TOLERANCE = 0.5  # semitones: nearer than this it is that fret


@dataclass(frozen=True, slots=True)
class NoteToPlace:
    """What the solver is told of a note. `midi` is the fretted pitch, or the harmonic's sound."""

    onset_s: float
    offset_s: float
    midi: float
    techniques: frozenset[str] = frozenset()
    bend_semitones: float = 0.0
    string: int | None = None  # locked
    fret: int | None = None  # locked
    legato: float = 0.0  # how much it sounds slurred, where it is not marked as such
    clue: tuple[tuple[tuple[int, int], float], ...] = ()  # cost by place, from the sound
    slur_price: float = 0.0  # of leaving the string of a slur that is only heard; 0: it must not be


def find_candidates(guitar: Guitar, note: NoteToPlace) -> list[tuple[int, int]]:
    """List every (string, fret) that gives the note its pitch, thinnest string first.

    A locked string or fret leaves only what agrees with it; a place locked whole is taken as it is.

    Parameters
    ----------
    guitar : Guitar
        Its tuning, capo and frets.
    note : NoteToPlace
        Its pitch in MIDI, and what of its place is locked.

    Examples
    --------
    >>> find_candidates(Guitar(), NoteToPlace(0.0, 0.5, 64.0))
    [(1, 0), (2, 5), (3, 9), (4, 14), (5, 19)]
    """
    if note.string is not None and note.fret is not None:
        return [(note.string, note.fret)]
    return [
        (string, fret)
        for string, fret in _all_places(guitar, note.midi, "natural-harmonic" in note.techniques)
        if note.string in (None, string) and note.fret in (None, fret)
    ]


@lru_cache(maxsize=4096)
def _all_places(guitar: Guitar, midi: float, harmonic: bool) -> tuple[tuple[int, int], ...]:
    return tuple(
        (string, fret)
        for string in range(1, guitar.string_count + 1)
        for fret in _frets_on(guitar, midi, harmonic, string)
    )


def _frets_on(guitar: Guitar, midi: float, harmonic: bool, string: int) -> list[int]:
    open_midi = guitar.open_midi(string)
    if harmonic:
        return [
            fret
            for fret, partial in PARTIAL_AT_FRET.items()
            if fret <= guitar.last_fret
            and abs(open_midi + partial_offset(partial) - midi) < PITCH_TOLERANCE
        ]
    fret = round(midi - open_midi)
    return [fret] if 0 <= fret <= guitar.last_fret else []

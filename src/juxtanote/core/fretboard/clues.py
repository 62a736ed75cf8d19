"""What the sound suggests of the place: stiffness of the string, and open strings that ring on.

Clues are costs by place that the search adds to its own, never more than a few units: a habit of the
hand can outweigh them. How stiff the strings of this guitar are is judged from a usual set and from all
notes of the recording; open strings and locked notes, which can be at one place only, say most.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.fretboard.candidates import NoteToPlace, find_candidates
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.theory.strings import usual_stiffness
from juxtanote.core.theory.tuning import Guitar

PER_FRET = 1.0 / 6.0  # octaves of B a fret: B grows with 1/L²
SPREAD = 0.4  # octaves, of one measurement
OF_GUITARS = 0.35  # octaves by which whole sets differ, light from heavy (common practice)
WORTH = 3.0  # measurements that a usual set is worth
DENSITY = 1.0 / 8.0  # an octave: where a measurement lies that follows something else
ASTRAY = 0.1  # how often one does
WOUND = 0.1  # how many guitars wind the third string (common practice)
MOST_READ = 400  # notes of a long lesson that tell of its strings
FAR = 6.0  # from here on all places are as unlikely as each other
TOLD_EVERY = 32  # notes between two reports
CLEAR = 0.3  # below this a measurement says nothing
MOST = 3.0  # the sound of one note costs a place this much at most
RINGS_S = 0.2  # a note that sounds so far into the next is on another string
RINGING = -1.2  # log odds for one string, where both sound at once
Place = tuple[int, int]
# Octaves of B by which this guitar may differ from a usual one: all are weighed.
SHIFTS = np.arange(-0.8, 0.9, 0.2)


@dataclass(frozen=True, slots=True)
class HeardString:
    """What was measured of one note: log2 of B with its strength, how long it rings under the next."""

    log_b: float = 0.0
    strength: float = 0.0
    rings_s: float = 0.0
    shaken: bool = False


@dataclass(frozen=True, slots=True)
class Strings:
    """What a recording tells of its guitar.

    `levels` is log2 of B of each string at the nut and `belief` how far its measurements can be
    believed, 0 to 1.
    """

    levels: dict[int, float]
    belief: float


def with_clues(
    guitar: Guitar,
    notes: list[NoteToPlace],
    heard: list[HeardString],
    strings: Strings | None = None,
    *,
    progress: Progress = no_progress,
) -> list[NoteToPlace]:
    """Give the notes with what the sound suggests, as costs by place that the search adds.

    What is known of the `strings` of the recording is read from these notes if it is not given.

    Parameters
    ----------
    guitar : Guitar
    notes : list of NoteToPlace
        By onset.
    heard : list of HeardString
        What the sound of each note tells, as many as `notes`.
    strings : Strings, optional
    progress : Progress
        Told how far it is, 0 to 1.
    """
    strings = strings or read_strings(guitar, notes, heard)
    told: list[NoteToPlace] = []
    for number, (note, seen) in enumerate(zip(notes, heard, strict=True)):
        if number % TOLD_EVERY == 0:
            progress(number / len(notes))
        places = find_candidates(guitar, note)
        clue = dict.fromkeys(places, 0.0)
        if seen.strength > CLEAR and len(places) > 1:
            for place in places:
                off = _off(guitar, seen, place, strings.levels) / SPREAD
                clue[place] = strings.belief * min(off * off, FAR)
        least = min(clue.values(), default=0.0)
        clue = {place: min(cost - least, MOST) for place, cost in clue.items()}
        if seen.rings_s > RINGS_S and not seen.shaken:
            for place in places:
                if place[1] == 0:
                    clue[place] += RINGING * min(seen.rings_s / 0.5, 1.0)
        kept = (
            tuple(sorted((p, round(c, 2)) for p, c in clue.items())) if any(clue.values()) else ()
        )
        told.append(replace(note, clue=kept))
    return told


def read_strings(guitar: Guitar, notes: list[NoteToPlace], heard: list[HeardString]) -> Strings:
    """Judge the strings of this guitar from all notes that show a stretch plainly.

    Each way in which it may differ from a usual one (lighter or heavier strings, a third string that
    is wound) is weighed by how well the notes fit some place or other; where they fit none better
    than chance would, the belief is near 0 (samples of one string at every pitch, or a measurement
    that follows something else).

    Parameters
    ----------
    guitar : Guitar
    notes : list of NoteToPlace
        By onset.
    heard : list of HeardString
        As many as `notes`.
    """
    clear = [(n, seen) for n, seen in zip(notes, heard, strict=True) if seen.strength > CLEAR]
    clear = clear[:: len(clear) // MOST_READ + 1]
    told = [(seen, places) for n, seen in clear if (places := find_candidates(guitar, n))]
    plain = _read_set(guitar, told, wound_third=False)
    wound = _read_set(guitar, told, wound_third=True)
    odds = np.array([plain[1] + np.log(1.0 - WOUND), wound[1] + np.log(WOUND)])
    levels = (plain, wound)[int(np.argmax(odds))][0]
    both = float(np.clip(np.logaddexp(*odds), -30.0, 30.0))
    return Strings(levels, float(1.0 / (1.0 + np.exp(-both))))


def _read_set(
    guitar: Guitar, told: list[tuple[HeardString, list[Place]]], *, wound_third: bool
) -> tuple[dict[int, float], float]:
    """Give the levels of one kind of set, and the log odds that it is what sounds."""
    scale = guitar.scale_length_mm
    usual = {
        s: float(np.log2(usual_stiffness(guitar.tuning[-s], scale, wound_third=wound_third)))
        for s in range(1, guitar.string_count + 1)
    }
    # Notes that can sit at one place only show their string as it is.
    only: dict[int, list[float]] = {s: [] for s in usual}
    for seen, places in told:
        if len(places) == 1:
            only[places[0][0]].append(_off(guitar, seen, places[0], usual))
    own = {s: usual[s] + sum(only[s]) / (len(only[s]) + WORTH) for s in usual}
    most = max((len(places) for _, places in told), default=1)
    off = np.full((len(told), most), np.inf)
    for row, (seen, places) in zip(off, told, strict=True):
        row[: len(places)] = [_off(guitar, seen, place, own) for place in places]
    shift, odds = _likeliest_shift(off)
    return {s: own[s] + shift * WORTH / (len(only[s]) + WORTH) for s in usual}, odds


def _likeliest_shift(off: NDArray[np.float64]) -> tuple[float, float]:
    """Weigh how far all strings may differ from usual ones: octaves, and log odds beside chance.

    `off` is, for each note and each of its places, how much stiffer it sounds; not finite where there
    is no further place.
    """
    counts = np.isfinite(off).sum(axis=1)
    fits = np.exp(-0.5 * ((off[:, :, None] - SHIFTS) / SPREAD) ** 2).sum(axis=1)
    fits /= SPREAD * np.sqrt(2.0 * np.pi) * counts[:, None]
    prior = np.exp(-0.5 * (SHIFTS / OF_GUITARS) ** 2)
    ratio = np.log((1.0 - ASTRAY) * fits / DENSITY + ASTRAY).sum(axis=0)
    evidence = ratio + np.log(prior / prior.sum())
    shares = np.exp(evidence - evidence.max())
    odds = float(np.log(np.sum(shares)) + evidence.max())
    return float(np.sum(SHIFTS * shares) / np.sum(shares)), odds


def _off(guitar: Guitar, seen: HeardString, place: Place, levels: dict[int, float]) -> float:
    """Give how much stiffer a note sounds than it would at a place, in octaves of B."""
    return seen.log_b - PER_FRET * (place[1] + guitar.capo) - levels[place[0]]

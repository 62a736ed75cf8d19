"""How notes are struck, as this player does it: slurs, slides, mutes and others, told by the tab itself.

How soft a slur is, and how dark a mute, hangs on hand, amplifier and band: no threshold fits all. But a
tab is right for the most part. So the notes that are written as slurs tell how slurs sound here, and the
others how strokes do; each note is held against the means of both, its own left out (R. A. Fisher, "The
use of multiple measurements in taxonomic problems", Annals of Eugenics 7, 1936). Where few are written
the means lean to those of other players, as if one of theirs stood in the tab as well.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.shipped import read_weights
from juxtanote.core.checks.complaints import Asked
from juxtanote.core.checks.evidence import Evidence

Array = NDArray[np.float64]
Played = tuple[Asked, PerceivedNote]  # as it is written, and as it is heard

SLURS = frozenset({"hammer-on", "pull-off"})
# Kinds that are told, each with the techniques that are written for it.
KINDS: dict[str, frozenset[str]] = {
    "slur": SLURS, "slide": frozenset({"slide"}), "tap": frozenset({"tap"}),
    "palm-mute": frozenset({"palm-mute"}), "natural-harmonic": frozenset({"natural-harmonic"}),
    "vibrato": frozenset({"vibrato"}),
}  # fmt: skip
# What is written over a note leaves open whether it is of a kind as well: such notes tell nothing of it.
_OTHERWISE = frozenset({"dead", "pinch-harmonic", "rake", "grace", "bar"})
_JOINED = SLURS | {"slide", "tap"}
_PURE = frozenset({"palm-mute", "natural-harmonic", "staccato"})
_LEFT_OPEN: dict[str, frozenset[str]] = {
    "slur": _OTHERWISE | _JOINED | _PURE, "slide": _OTHERWISE | {"tap"}, "tap": _OTHERWISE | _JOINED,
    "palm-mute": _OTHERWISE | _PURE, "natural-harmonic": _OTHERWISE | _PURE,
    "vibrato": _OTHERWISE | {"bend", "pre-bend", "slide", "palm-mute"},
}  # fmt: skip
ATTACKS = ("slurred", "slide", "muted", "harmonic", "tap")
SUREST = 0.005  # evidence is believed up to 200 to 1
HIGH_PARTIALS = (5, 6, 7, 8, 9, 10)
WIDE_STEP, GAPS_S = (
    5.0,
    (0.03, 2.0),
)  # semitones, and what is looked at of the time since the last note


def is_of(kind: str, note: Asked) -> bool | None:
    """Tell whether a note is written in a kind; None where what is written leaves it open.

    Parameters
    ----------
    kind : str
        One of `KINDS`.
    note : Asked

    Examples
    --------
    >>> struck = Asked(0, 0.0, 0.5, 60.0, 2, 1)
    >>> is_of("slur", struck), is_of("slide", Asked(0, 0.0, 0.5, 60.0, 2, 1, frozenset({"dead"})))
    (False, None)
    """
    if note.techniques & (_LEFT_OPEN[kind] - KINDS[kind]):
        return None
    return bool(note.techniques & KINDS[kind])


def measures(played: Sequence[Played], evidence: Evidence) -> Array:
    """Measure how each note is struck, beside what is usual in the phrase and beside the one before it.

    What is written does not count.

    Parameters
    ----------
    played : sequence of (Asked, PerceivedNote)
        By onset.
    evidence : Evidence
        What sounds in the stretch.

    Returns
    -------
    ndarray, shape (n_notes, n_measures)
        Log odds of the evidence; levels in tens of dB.
    """
    if not played:
        return np.zeros((0, 0))
    notes = [heard for _, heard in played]
    loud = np.array([_levels(note, evidence) for note in notes]) / 10.0
    before = np.maximum(np.arange(len(notes)) - 1, 0)
    pitches, onsets = np.array([n.midi for n in notes]), np.array([n.onset_s for n in notes])
    return np.column_stack(
        [
            np.array([_told(note, evidence) for note in notes]),
            loud - np.median(loud, axis=0),
            loud[:, :2] - loud[before, :2],
            np.clip((pitches - pitches[before]) / WIDE_STEP, -2.0, 2.0),
            np.log(np.clip(onsets - onsets[before], *GAPS_S)),
        ]
    )


def _told(heard: PerceivedNote, evidence: Evidence) -> list[float]:
    """Give what the listener tells of the kinds of one note."""
    at = heard.onset_s
    until = max(heard.offset_s, at + 0.05)
    odds = [evidence.kind(kind, heard.midi, at) for kind in ATTACKS]
    odds += [
        evidence.moves("shaking", heard.midi, at, until),
        heard.tied,
        evidence.begins(heard.midi, at),
    ]
    named = [float(bool(heard.techniques & tags)) for tags in KINDS.values()]
    return [*_log_odds(np.array(odds)).tolist(), *named]


def _levels(heard: PerceivedNote, evidence: Evidence) -> list[float]:
    """Give levels of one note in dB: in all, its first partials, how they rise and fall, how bright."""

    def at(first: int, last: int, partials: tuple[int, ...] = (1, 2, 3)) -> float:
        return evidence.partials_db(heard.midi, heard.onset_s, first, last, partials)

    struck, later = at(1, 6), at(8, 14)
    return [
        heard.level_db,
        struck,
        struck - at(-5, -1),
        struck - later,
        at(1, 4, HIGH_PARTIALS) - struck,
    ]


def _log_odds(p: Array) -> Array:
    q = np.clip(p, SUREST, 1.0 - SUREST)
    return np.asarray(np.log(q / (1.0 - q)))


@dataclass(frozen=True, slots=True)
class Touch:
    """What tells a kind: weights of the measures, and how others play it.

    `within` and `without` are the usual means of the weighed measures of notes of the kind and of
    others, `spread` their variance in one phrase.
    """

    weights: Array
    within: float
    without: float
    spread: float


USUAL_COUNT = 1.0  # notes of each sort that the means of other players are worth
LEAST_APART = 0.5  # times what it usually is: a phrase in which both sorts sound alike tells less


def read_touch(kind: str) -> Touch | None:
    """Read what tells a kind, as it was fitted by `lab.touch`.

    Parameters
    ----------
    kind : str
        One of `KINDS`.
    """
    stored = read_weights("touch")
    if stored is None or kind not in stored:
        return None
    row = stored[kind].astype(np.float64)
    return Touch(row[3:], *row[:3].tolist())


def likeness(kind: str, notes: Sequence[Asked], measured: Array, touch: Touch) -> Array:
    """Give for each note how much more it is like those of a kind than like the others, in log odds.

    Parameters
    ----------
    kind : str
        One of `KINDS`.
    notes : sequence of Asked
        As they are written, by onset.
    measured : ndarray, shape (n_notes, n_measures)
        As `measures` gives them.
    touch : Touch

    Returns
    -------
    ndarray, shape (n_notes,)
        Over 0 where it is like the kind; what is written of the note itself does not count.
    """
    weighed = measured @ touch.weights
    sorts = [is_of(kind, note) for note in notes]
    within = _means_of_others(weighed, np.array([sort is True for sort in sorts]), touch.within)
    without = _means_of_others(weighed, np.array([sort is False for sort in sorts]), touch.without)
    apart = np.maximum(within - without, LEAST_APART * (touch.within - touch.without))
    return np.asarray(apart / touch.spread * (weighed - 0.5 * (within + without)))


def _means_of_others(values: Array, of_sort: NDArray[np.bool_], usual: float) -> Array:
    """Give for each note the mean of the others of a sort, with what is usual among them."""
    sums = values[of_sort].sum() - np.where(of_sort, values, 0.0)
    counts = np.count_nonzero(of_sort) - of_sort.astype(np.float64)
    return np.asarray((sums + USUAL_COUNT * usual) / (counts + USUAL_COUNT))

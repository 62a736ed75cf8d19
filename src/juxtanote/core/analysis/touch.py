"""How notes are struck, as this player does it: slurs, slides, mutes and others, told by the tab itself.

How soft a slur is, and how dark a mute, hangs on hand, amplifier and band: no threshold fits all. But a
tab is right for the most part. So the notes that are written as slurs tell how slurs sound here, and the
others how strokes do; each note is held against the means of both, its own left out (R. A. Fisher, "The
use of multiple measurements in taxonomic problems", Annals of Eugenics 7, 1936). Where few are written
the means lean to those of other players, as if one of theirs stood in the tab as well.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.naming import slur_into
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.shipped import read_weights
from juxtanote.core.analysis.spectra import FLOOR_DB
from juxtanote.core.theory.observed import Observation, Shows

Array = NDArray[np.float64]

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
    "slur": _OTHERWISE | _JOINED | _PURE, "tap": _OTHERWISE | _JOINED,
    "slide": _OTHERWISE - {"bar"} | {"tap"},
    "palm-mute": _OTHERWISE | _PURE, "natural-harmonic": _OTHERWISE | _PURE,
    "vibrato": _OTHERWISE - {"bar"} | {"bend", "pre-bend", "slide", "palm-mute"},
}  # fmt: skip
ATTACKS = ("slurred", "slide", "muted", "harmonic", "tap")
SUREST = 0.005  # evidence is believed up to 200 to 1
HIGH_PARTIALS = (5, 6, 7, 8, 9, 10)
WIDE_STEP = 5.0  # semitones
GAPS_S = (0.03, 2.0)  # what is looked at of the time since the last note


def is_of(kind: str, techniques: frozenset[str]) -> bool | None:
    """Tell whether a note with these techniques is of a kind; None where they leave it open.

    Parameters
    ----------
    kind : str
        One of `KINDS`.
    techniques : frozenset of str
        As they are written, or named.

    Examples
    --------
    >>> is_of("slur", frozenset()), is_of("slur", frozenset({"pull-off"}))
    (False, True)
    >>> is_of("slide", frozenset({"dead"})) is None
    True
    """
    if techniques & (_LEFT_OPEN[kind] - KINDS[kind]):
        return None
    return bool(techniques & KINDS[kind])


def measures(notes: Sequence[PerceivedNote], evidence: Evidence) -> Array:
    """Measure how each note is struck, beside what is usual in the phrase and beside the one before it.

    Parameters
    ----------
    notes : sequence of PerceivedNote
        By onset.
    evidence : Evidence
        What sounds in the stretch.

    Returns
    -------
    ndarray, shape (n_notes, n_measures)
        Log odds of the evidence; levels in tens of dB.
    """
    if not notes:
        return np.zeros((0, 0))
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
        heard.legato,
        evidence.begins(heard.midi, at),
    ]
    named = [float(bool(heard.techniques & tags)) for tags in KINDS.values()]
    return [*_log_odds(np.array(odds)).tolist(), *named]


def _levels(heard: PerceivedNote, evidence: Evidence) -> list[float]:
    """Give levels of one note in dB: in all, its first partials, how they rise and fall, how bright."""

    def at(first: int, last: int, partials: tuple[int, ...] = (1, 2, 3)) -> float:
        level = evidence.partials_db(heard.midi, heard.onset_s, first, last, partials)
        return FLOOR_DB if level is None else level

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


def likeness(sorts: Sequence[bool | None], measured: Array, touch: Touch) -> Array:
    """Give for each note how much more it is like those of a kind than like the others, in log odds.

    Parameters
    ----------
    sorts : sequence of bool or None
        Whether each note is of the kind, as `is_of` tells it of what is written.
    measured : ndarray, shape (n_notes, n_measures)
        As `measures` gives them.
    touch : Touch

    Returns
    -------
    ndarray, shape (n_notes,)
        Over 0 where it is like the kind; what is written of the note itself does not count.
    """
    weighed = measured @ touch.weights
    within = _means_of_others(weighed, np.array([sort is True for sort in sorts]), touch.within)
    without = _means_of_others(weighed, np.array([sort is False for sort in sorts]), touch.without)
    apart = np.maximum(within - without, LEAST_APART * (touch.within - touch.without))
    return np.asarray(apart / touch.spread * (weighed - 0.5 * (within + without)))


def _means_of_others(values: Array, of_sort: NDArray[np.bool_], usual: float) -> Array:
    """Give for each note the mean of the others of a sort, with what is usual among them."""
    sums = values[of_sort].sum() - np.where(of_sort, values, 0.0)
    counts = np.count_nonzero(of_sort) - of_sort.astype(np.float64)
    return np.asarray((sums + USUAL_COUNT * usual) / (counts + USUAL_COUNT))


# From which log odds on a note is named anew, and to which a name that it has is kept: of the listener's
# names those of slurs and mutes are the least sure. Chosen on leads of our own generator and on foreign
# phrases (`lab.touch`, `bench check`): from 0 on slurs the one lose what the others gain.
RENAMED = {"palm-mute": (9.0, 0.0), "slur": (1.0, -0.5)}
FEWEST_NOTES = 4  # fewer do not tell how a player plays
ALIKE = {"palm-mute": Shows.AS_MUTED, "slur": Shows.AS_SLURRED}
OTHERWISE = {"palm-mute": Shows.AS_OPEN, "slur": Shows.AS_PICKED}


def renamed(notes: Sequence[PerceivedNote], evidence: Evidence) -> list[PerceivedNote]:
    """Name slurs and mutes again, each by what the notes of both sorts sound like here.

    Parameters
    ----------
    notes : sequence of PerceivedNote
        By onset in seconds, with the names that each got by itself.
    evidence : Evidence
        What they were heard in.
    """
    own = [note for note in notes if "dead" not in note.techniques]
    if len(own) < FEWEST_NOTES or evidence.heard.posteriors is None:
        return list(notes)
    measured = measures(own, evidence)
    for kind, edges in RENAMED.items():
        touch = read_touch(kind)
        if touch is not None:
            odds = likeness([is_of(kind, note.techniques) for note in own], measured, touch)
            own = [_named(kind, own, k, float(odds[k]), edges) for k in range(len(own))]
    fresh = iter(own)
    return [note if "dead" in note.techniques else next(fresh) for note in notes]


def _named(
    kind: str, notes: Sequence[PerceivedNote], index: int, odds: float, edges: tuple[float, float]
) -> PerceivedNote:
    note, (named_from, kept_to) = notes[index], edges
    tags = note.techniques
    if tags & KINDS[kind]:
        if odds >= kept_to:
            return note
        shows = OTHERWISE[kind]
        tags = tags - KINDS[kind]
    else:
        name = kind if kind == "palm-mute" else slur_into(notes, index)
        if odds <= named_from or not name or tags & (_JOINED if kind == "slur" else _PURE):
            return note
        shows = ALIKE[kind]
        tags = tags | {name}
    return replace(note, techniques=tags, evidence=(*note.evidence, Observation(shows)))

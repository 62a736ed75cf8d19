"""From measured onsets to written time: the likeliest reading of a whole phrase.

Each beat is written in one of a few subdivisions. What people write is simple, seldom changes, and keeps
to few kinds of subdivision in a phrase; what they play is off by some twenty milliseconds, and now and
then a stroke is off by much more, or is no stroke of theirs. The reading that both make likeliest is
found by exact search: for every choice of kinds the best row of subdivisions (dynamic programming), of
these the best choice (minimum description of score and deviation together: A. T. Cemgil, P. Desain,
B. Kappen, "Rhythm quantization for transcription", Computer Music Journal 24, 2000). Both times stay with
each note.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cache, lru_cache

from juxtanote.core.later import np
from juxtanote.core.score.feel import measure_feel
from juxtanote.core.score.lesson import Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.subdivisions import SUBDIVISIONS, choose_grids
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.voices import DAMPED, Sounding, lower_voice

SPREAD_S = 0.020  # how far a player is off, common practice
GRACE_S = 0.09  # a crushed note stands at most so long before its main note
# Apart at most: on any strings, on different ones (as MIREX matches).
TOGETHER_S, STRUM_S = 0.03, 0.05
LONGEST_LAST = 8.0  # beats
# Parts of a beat that are counted in: every place of every subdivision, and half way to the next one.
TICKS = 144
FINEST = 24  # parts of a beat, where nothing simpler is wished
CRUSHED = frozenset({"grace", "rake"})
HELD_SHARE = 0.62  # of the way to the next note: what sounds so long is written up to it
SAME_PLACE = 1e-9  # beats; places of two subdivisions of one beat are a 24th apart at least
# At most so late together, over so many beats each way.
LEAN_S, LEAN_BEATS, LEAN_CALM = 0.06, 1.5, 2.0


@dataclass(frozen=True, slots=True)
class WrittenTime:
    """Where a note is counted: start and length in beats, exact."""

    onset_beats: Fraction
    duration_beats: Fraction


def quantise(
    onset_beats: Sequence[float],
    *,
    beat_s: float,
    subdivision: str = "auto",
    evenness: float = 1.0,
    compound: bool = False,
    confidence: Sequence[float] | None = None,
) -> list[Fraction]:
    """Write onsets (in beats, rising) as exact fractions.

    Parameters
    ----------
    beat_s : float
        Length of a beat, which tells how much a deviation in beats is in seconds.
    subdivision : str
        One of `SUBDIVISIONS`; ``auto`` chooses beat by beat.
    evenness : float
        1 writes the simplest countable rhythm; 0 keeps 1/24 of a beat.
    compound : bool
        The beat falls into three.
    confidence : sequence of float, optional
        Of each note, 0 to 1: a doubtful one does not decide how a beat is written.
    """
    if subdivision not in SUBDIVISIONS:
        raise ValueError(f"subdivision is {subdivision!r}; it needs one of {SUBDIVISIONS}")
    beats = np.asarray(onset_beats, dtype=np.float64)
    weights = (
        np.ones(len(beats))
        if confidence is None
        else np.clip(np.asarray(confidence, float), 0.05, 1.0)
    )
    places = _places(beats, weights, beat_s, subdivision, evenness, compound)
    return [_in_beats(place) for place in places]


def _places(
    beats: np.ndarray,
    weights: np.ndarray,
    beat_s: float,
    subdivision: str,
    evenness: float,
    compound: bool,
) -> list[int]:
    """Give where each onset is written, in ticks; see `quantise`."""
    if len(beats) == 0:
        return []
    if evenness < 0.15:
        return _distinct((np.rint(beats * FINEST).astype(np.int64) * (TICKS // FINEST)).tolist())
    spread = SPREAD_S / beat_s * (0.5 + 1.0 * evenness)
    chosen = choose_grids(beats, weights, spread, subdivision, compound)
    # Where all are late together, the beat is early there: read again by where they seem to put it.
    steps, grids = _nearest(beats, chosen)
    steadier = beats - _leaning(beats, steps / grids, weights, LEAN_S / beat_s)
    chosen = choose_grids(steadier, weights, spread, subdivision, compound)
    steps, grids = _nearest(steadier, chosen)
    written: list[int] = (steps * (TICKS // grids)).tolist()
    if np.all(np.diff(steps / grids) > SAME_PLACE):
        return written
    return _distinct(written, chosen, weights)


# An edit writes a phrase's hundreds of places again, and they are the same ones.
@lru_cache(maxsize=8192)
def _in_beats(ticks: int) -> Fraction:
    return Fraction(ticks, TICKS)


def _leaning(
    beats: np.ndarray, written: np.ndarray, weights: np.ndarray, most: float
) -> np.ndarray:
    """Give how late the notes around each note are on the whole, in beats."""
    late = weights * np.clip(beats - written, -most, most)
    low = np.searchsorted(beats, beats - LEAN_BEATS)
    high = np.searchsorted(beats, beats + LEAN_BEATS, side="right")
    sums, counts = (np.concatenate([[0.0], np.cumsum(part)]) for part in (late, weights))
    # Few notes tell little: as if there were some more that are on time.
    return np.asarray((sums[high] - sums[low]) / (counts[high] - counts[low] + LEAN_CALM))


def _nearest(beats: np.ndarray, chosen: dict[int, int]) -> tuple[np.ndarray, np.ndarray]:
    """Give each onset's nearest place in its beat's subdivision: in steps, and how many make a beat."""
    whole = np.floor(beats + 0.06).astype(np.int64)
    grids = np.array([chosen.get(beat, 4) for beat in whole.tolist()])
    return whole * grids + np.rint((beats - whole) * grids).astype(np.int64), grids


def _distinct(
    written: list[int],
    chosen: dict[int, int] | None = None,
    weights: np.ndarray | None = None,
) -> list[int]:
    """Keep onsets (in ticks) rising: of two at one place the later goes on half a step.

    Or the one before goes back as much, where that is the doubtful one.
    """
    result: list[int] = []
    for index, place in enumerate(written):
        if result and place <= result[-1]:
            grid = (chosen or {}).get(result[-1] // TICKS, FINEST)
            step = TICKS // (2 * max(grid, 4))
            doubted = weights is not None and weights[index - 1] < weights[index] - 0.05
            if doubted and (len(result) < 2 or result[-2] < place - step):
                result[-1] = place - step
            else:
                place = result[-1] + step
        result.append(place)
    return result


def write_phrase(phrase: Phrase, time_map: TimeMap) -> Phrase:
    """Give every note of a phrase its counted onset and length.

    Notes that start together share an onset; a grace note stands just before its main note and
    takes no time of its own; lengths run to the next onset of their voice unless the note stops clearly
    earlier.

    Parameters
    ----------
    phrase : Phrase
        With what was heard; what is locked in time stays.
    time_map : TimeMap
        The beats.
    """
    if not phrase.notes:
        return phrase
    known = phrase.notes
    spans_s = [(note.heard.onset_s, note.heard.offset_s) for note in known]
    groups, firsts = _groups(known, spans_s)
    swing = swing_of(phrase, time_map)
    spans = time_map.to_beats(spans_s)
    beats = spans[firsts, 0].tolist()
    if swing != 0.5:
        beats = [straightened(beat, swing) for beat in beats]
    sounding = dict(zip((n.ident for n in known), np.diff(spans)[:, 0].tolist(), strict=True))
    graces = _graces(groups)
    counted = [index for index in range(len(groups)) if index not in graces]
    certain = [max(n.heard.confidence for n in groups[i]) for i in counted]
    places = _places(
        np.array([beats[i] for i in counted]),
        np.clip(np.array(certain), 0.05, 1.0),
        60.0 / time_map.tempo_at(spans_s[0][0]),
        "auto" if swing != 0.5 else phrase.subdivision,
        phrase.evenness,
        time_map.division == 3,
    )
    onset_of = dict(zip(counted, places, strict=True))
    ends = (
        [*places[1:], places[-1] + _held([sounding[n.ident] for n in groups[counted[-1]]])]
        if places
        else []
    )
    following = dict(zip(counted, ends, strict=True))
    lower = _lower_voice(groups, counted, beats, sounding)
    fresh: dict[int, Note] = {}
    later: dict[bool, int] = {}  # onset of the next note that is counted, in each voice
    for index in range(len(groups) - 1, -1, -1):
        is_grace = index in graces
        onset = (
            min(later.values(), default=round(beats[index]) * TICKS)
            if is_grace
            else onset_of[index]
        )
        for note in groups[index]:
            until = later.get(note.ident in lower, ends[-1]) if lower else following.get(index)
            room = 0 if is_grace or until is None else until - onset
            length = _length(note, onset, room, sounding[note.ident]) if room else 0
            fresh[note.ident] = _timed(note, _in_beats(onset), _in_beats(length))
        if not is_grace:
            later |= {note.ident in lower: onset for note in groups[index]}
    ordered = tuple(fresh[note.ident] for note in known)
    return phrase if _same(ordered, known) else replace(phrase, notes=ordered)


def _lower_voice(
    groups: list[list[Note]], counted: list[int], beats: list[float], sounding: dict[int, float]
) -> frozenset[int]:
    """Tell which notes are a voice of their own under what moves while they are held, or over them."""
    notes = [(beats[index], note) for index in counted for note in groups[index]]
    lower = lower_voice([
        Sounding(
            note.heard.midi, at, at + sounding[note.ident], not note.written.techniques & DAMPED
        )
        for at, note in notes
    ])  # fmt: skip
    return frozenset(notes[k][1].ident for k in lower)


def _held(sounding: list[float]) -> int:
    """Give the room of the last note of a phrase, in ticks: as long as it sounds, and a beat at least."""
    longest = min(max(sounding), LONGEST_LAST)
    if longest < 1.25:
        return TICKS
    return TICKS * 3 // 2 if longest < 1.75 else TICKS * round(longest)


def _same(notes: tuple[Note, ...], others: tuple[Note, ...]) -> bool:
    return all(a is b for a, b in zip(notes, others, strict=True))


def swing_of(phrase: Phrase, time_map: TimeMap) -> float:
    """Give the part of a beat before the off-beat: 0.5, or as measured where eighths are swung.

    Parameters
    ----------
    phrase : Phrase
        Counted or not.
    time_map : TimeMap
        The beats.
    """
    if phrase.subdivision != "swung eighths" or time_map.is_compound:
        return 0.5
    feel = measure_feel([n.onset_s for n in phrase.notes], time_map)
    ratio = feel.swing if feel is not None and feel.name == "shuffle" else 2.0
    return ratio / (1.0 + ratio)


def straightened(beats: float, swing: float) -> float:
    """Move a swung place in the beat to where it is written.

    Parameters
    ----------
    beats : float
        Where it is played, in beats.
    swing : float
        Where the off-beat is played, 0 to 1.

    Examples
    --------
    >>> round(straightened(3 + 2 / 3, 2 / 3), 6), round(swung(3.5, 2 / 3), 6)
    (3.5, 3.666667)
    """
    whole = float(np.floor(beats))
    part = beats - whole
    inside = 0.5 * part / swing if part < swing else 0.5 + 0.5 * (part - swing) / (1.0 - swing)
    return whole + inside


def swung(beats: float, swing: float) -> float:
    """Move a written place in the beat to where it is played: the inverse of `straightened`.

    Parameters
    ----------
    beats : float
        Where it is written, in beats.
    swing : float
        Where the off-beat is played, 0 to 1.
    """
    whole = float(np.floor(beats))
    part = beats - whole
    inside = 2.0 * part * swing if part < 0.5 else swing + (2.0 * part - 1.0) * (1.0 - swing)
    return whole + inside


def _timed(note: Note, onset: Fraction, length: Fraction) -> Note:
    written = note.written
    if "time" in written.locked and written.onset_beats is not None:
        onset, length = written.onset_beats, written.duration_beats or length
    if _is(written.onset_beats, onset) and _is(written.duration_beats, length):
        return note  # the same value: whoever looks for what changed sees that nothing did
    return replace(note, written=replace(written, onset_beats=onset, duration_beats=length))


def _is(known: Fraction | None, fresh: Fraction) -> bool:
    """Compare; most are one and the same object, and fractions would not look."""
    return known is fresh or known == fresh


def _groups(
    notes: Sequence[Note], spans_s: Sequence[tuple[float, float]]
) -> tuple[list[list[Note]], list[int]]:
    """Sort notes into moments: what is struck together, a strum over several strings among it.

    Beside the moments, the place of each one's first note.
    """
    groups: list[list[Note]] = []
    firsts: list[int] = []
    began = -math.inf
    for index, (note, (onset_s, _)) in enumerate(zip(notes, spans_s, strict=True)):
        late = onset_s - began
        if late < STRUM_S and (
            late < TOGETHER_S or all(n.written.string != note.written.string for n in groups[-1])
        ):
            groups[-1].append(note)
            continue
        groups.append([note])
        firsts.append(index)
        began = onset_s
    return groups, firsts


def _graces(groups: list[list[Note]]) -> frozenset[int]:
    """Find the moments that are crushed into the one after them."""
    marked = {
        index
        for index, group in enumerate(groups[:-1])
        for note in group
        if note.written.techniques and not CRUSHED.isdisjoint(note.written.techniques)
    }
    return frozenset(
        index
        for index in marked
        if groups[index + 1][0].onset_s - groups[index][0].onset_s < 2 * GRACE_S
    )


# Lengths that are written, in ticks, and what their complexity costs.
_LENGTHS = sorted(
    {TICKS * k // d for d in (2, 3, 4, 6) for k in range(1, 4 * d)}
    | {TICKS * k for k in range(4, 9)}
)
_COMPLEXITY = 0.02  # of each part that a length divides the beat into, in beats


@cache
def _written_lengths() -> tuple[np.ndarray, np.ndarray]:
    """Give the lengths that are written in beats, and what their complexity costs."""
    prices = [_COMPLEXITY * Fraction(ticks, TICKS).denominator for ticks in _LENGTHS]
    return np.array(_LENGTHS) / TICKS, np.array(prices)


def _length(note: Note, onset: int, room: int, sounding: float) -> int:
    """Write how long a note is held (`sounding` beats): to the next one, or to a clear stop before it."""
    if sounding > HELD_SHARE * (room / TICKS) or "let-ring" in note.written.techniques:
        return room
    return _stops(onset % TICKS, room, sounding)


@lru_cache(maxsize=8192)  # of a phrase that is edited most notes sound as long as before
def _stops(onset: int, room: int, sounding: float) -> int:
    """Give the length of a note that stops before the next one.

    It stops where its own beat is divided: a note in halves of the beat does not end on a third of it.
    """
    fitting = bisect_right(_LENGTHS, room)
    lengths, prices = _written_lengths()
    costs = np.abs(lengths[:fitting] - sounding) + prices[:fitting]
    for choice in np.argsort(costs, kind="stable"):
        if _divides_alike(onset, _LENGTHS[int(choice)], room):
            return _LENGTHS[int(choice)]
    return room


def _divides_alike(onset: int, length: int, room: int) -> bool:
    end = _parts(onset + length)
    if _parts(onset) % 3 == 0:
        return end in (1, 3, 6)
    if end % 3:
        return True
    return _parts(onset) == 1 and _parts(onset + room) % 3 == 0


def _parts(ticks: int) -> int:
    """Give into how many parts a beat must be divided for a place to be one of them."""
    return TICKS // math.gcd(ticks, TICKS)

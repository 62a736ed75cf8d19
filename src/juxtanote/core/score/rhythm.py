"""From measured onsets to written time: a search that weighs deviation against complexity.

Each beat is written in one of a few subdivisions; the cheapest row of subdivisions is found beat by
beat, and notes snap to distinct places in order. Both times stay with each note.
"""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np

from juxtanote.core.score.feel import measure_feel
from juxtanote.core.score.lesson import Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.time_map import TimeMap

GRIDS = {1: 0.0, 2: 0.05, 3: 0.16, 4: 0.14, 6: 0.30, 8: 0.55}
"""Subdivisions of a beat, and what their complexity costs."""
SUBDIVISIONS = (
    "auto", "eighths", "swung eighths", "triplets", "sixteenths", "sextuplets", "thirty-seconds",
)  # fmt: skip
_FIXED = {
    "eighths": 2,
    "swung eighths": 2,
    "triplets": 3,
    "sixteenths": 4,
    "sextuplets": 6,
    "thirty-seconds": 8,
}
_FIXED_COMPOUND = {"eighths": 3, "swung eighths": 3, "triplets": 9, "sixteenths": 6, "sextuplets": 18,
                   "thirty-seconds": 12}  # fmt: skip
SPREAD_S = 0.020  # how far a player is off, common practice
GRACE_S = 0.09


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
    """
    if subdivision not in SUBDIVISIONS:
        raise ValueError(f"subdivision is {subdivision!r}; it needs one of {SUBDIVISIONS}")
    beats = np.asarray(onset_beats, dtype=np.float64)
    if len(beats) == 0:
        return []
    if evenness < 0.15:
        return _distinct([Fraction(round(b * 24), 24) for b in beats], 24)
    spread = SPREAD_S / beat_s * (0.5 + 1.0 * evenness)
    chosen = _choose_grids(beats, spread, subdivision, compound)
    written = [_nearest(b, chosen) for b in beats]
    return _distinct(written, 24, chosen)


def _choose_grids(
    beats: np.ndarray, spread: float, subdivision: str, compound: bool
) -> dict[int, int]:
    """Choose the subdivision of every beat by dynamic programming over neighbouring beats."""
    first, last = int(np.floor(beats[0])) - 1, int(np.floor(beats[-1])) + 1
    if subdivision != "auto":
        fixed = _FIXED_COMPOUND if compound else _FIXED
        return dict.fromkeys(range(first, last + 2), fixed[subdivision])
    options = list(GRIDS)
    columns = list(range(first, last + 1))
    own = _beat_costs(beats, first, len(columns), spread, compound)
    total = np.zeros(len(options))
    back: list[np.ndarray] = []
    change = 0.25 * (1.0 - np.eye(len(options)))
    for column in range(len(columns)):
        ways = total[:, None] + change
        back.append(np.argmin(ways, axis=0))
        total = ways.min(axis=0) + own[:, column]
    state = int(np.argmin(total))
    chosen: dict[int, int] = {}
    for beat, pointers in zip(reversed(columns), reversed(back), strict=True):
        chosen[beat] = options[state]
        state = int(pointers[state])
    return chosen


def _beat_costs(
    beats: np.ndarray, first: int, count: int, spread: float, compound: bool
) -> np.ndarray:
    """Cost every subdivision in every beat, (n_grids, n_beats): deviation, complexity, crowding."""
    column = np.clip(np.floor(beats + 0.06).astype(int) - first, 0, count - 1)
    inside = beats - (column + first)
    filled = np.bincount(column, minlength=count) > 0
    costs = np.empty((len(GRIDS), count))
    for row, (grid, plain) in enumerate(GRIDS.items()):
        complexity = plain * 0.3 if compound and grid in (3, 6) else plain
        places = np.rint(inside * grid)
        # Half squared deviations in units of the spread: the negative log of a normal density.
        off = 0.25 * (np.abs(inside - places / grid) / spread) ** 2
        pairs = np.unique(column * 64 + places.astype(int) + 8)
        distinct = np.bincount(pairs // 64, minlength=count)
        crowded = np.bincount(column, minlength=count) - distinct[:count]
        full = np.bincount(column, off, count) + 3.0 * complexity + 4.0 * crowded
        costs[row] = np.where(filled, full, 0.02 * complexity)
    return costs


def _nearest(beat: float, chosen: dict[int, int]) -> Fraction:
    whole = int(np.floor(beat + 0.06))
    grid = chosen.get(whole, 4)
    return Fraction(whole) + Fraction(round((beat - whole) * grid), grid)


def _distinct(
    written: list[Fraction], finest: int, chosen: dict[int, int] | None = None
) -> list[Fraction]:
    """Keep onsets rising: of two at one place the later goes on by half a step."""
    result: list[Fraction] = []
    for place in written:
        if result and place <= result[-1]:
            grid = (chosen or {}).get(int(result[-1] // 1), finest)
            place = result[-1] + Fraction(1, 2 * max(grid, 4))
        result.append(place)
    return result


def write_phrase(phrase: Phrase, time_map: TimeMap) -> Phrase:
    """Give every note of a phrase its counted onset and length.

    Notes that start together share an onset; a grace note stands just before its main note and
    takes no time of its own; lengths run to the next onset unless the note stops clearly earlier.
    """
    if not phrase.notes:
        return phrase
    groups = _groups(list(phrase.notes))
    swing = swing_of(phrase, time_map)
    onsets_s = [group[0].onset_s for group in groups]
    beats = [straightened(float(beat), swing) for beat in time_map.to_beats(onsets_s)]
    spans = time_map.to_beats([[n.onset_s, n.offset_s] for n in phrase.notes])
    sounding = dict(
        zip((n.ident for n in phrase.notes), np.diff(spans)[:, 0].tolist(), strict=True)
    )
    counted = [i for i, group in enumerate(groups) if not _is_grace(group, groups, i)]
    beat_s = 60.0 / time_map.tempo_at(groups[0][0].onset_s)
    places = quantise(
        [beats[i] for i in counted],
        beat_s=beat_s,
        subdivision="auto" if swing != 0.5 else phrase.subdivision,
        evenness=phrase.evenness,
        compound=time_map.division == 3,
    )
    onset_of = dict(zip(counted, places, strict=True))
    following = dict(zip(counted, [*places[1:], places[-1] + 1] if places else [], strict=True))
    notes: list[Note] = []
    later: Fraction | None = None  # onset of the next note that is counted
    for index in range(len(groups) - 1, -1, -1):
        if index in onset_of:
            onset = later = onset_of[index]
            room = following[index] - onset
        else:
            onset, room = later if later is not None else Fraction(round(beats[index])), Fraction(0)
        for note in groups[index]:
            length = _length(note, room, sounding[note.ident]) if room else Fraction(0)
            notes.append(_timed(note, onset, length))
    fresh = {note.ident: note for note in notes}
    ordered = tuple(fresh[note.ident] for note in phrase.notes)
    return phrase if _same(ordered, phrase.notes) else replace(phrase, notes=ordered)


def _same(notes: tuple[Note, ...], others: tuple[Note, ...]) -> bool:
    return all(a is b for a, b in zip(notes, others, strict=True))


def swing_of(phrase: Phrase, time_map: TimeMap) -> float:
    """Give the part of a beat before the off-beat: 0.5, or as measured where eighths are swung."""
    if phrase.subdivision != "swung eighths" or time_map.is_compound:
        return 0.5
    feel = measure_feel([n.onset_s for n in phrase.notes], time_map)
    ratio = feel.swing if feel is not None and feel.name == "shuffle" else 2.0
    return ratio / (1.0 + ratio)


def straightened(beats: float, swing: float) -> float:
    """Move a swung place in the beat to where it is written.

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
    """Move a written place in the beat to where it is played: the inverse of `straightened`."""
    whole = float(np.floor(beats))
    part = beats - whole
    inside = 2.0 * part * swing if part < 0.5 else swing + (2.0 * part - 1.0) * (1.0 - swing)
    return whole + inside


def _timed(note: Note, onset: Fraction, length: Fraction) -> Note:
    written = note.written
    if "time" in written.locked and written.onset_beats is not None:
        onset, length = written.onset_beats, written.duration_beats or length
    if written.onset_beats == onset and written.duration_beats == length:
        return note  # the same value: whoever looks for what changed sees that nothing did
    return replace(note, written=replace(written, onset_beats=onset, duration_beats=length))


def _groups(notes: list[Note]) -> list[list[Note]]:
    groups: list[list[Note]] = []
    for note in notes:
        if groups and note.onset_s - groups[-1][0].onset_s < 0.03:
            groups[-1].append(note)
        else:
            groups.append([note])
    return groups


def _is_grace(group: list[Note], groups: list[list[Note]], index: int) -> bool:
    if index + 1 >= len(groups):
        return False
    marked = any(n.written.techniques & {"grace", "rake"} for n in group)
    return marked and groups[index + 1][0].onset_s - group[0].onset_s < 2 * GRACE_S


_LENGTHS = sorted({Fraction(k, d) for d in (2, 3, 4, 6) for k in range(1, 4 * d)})
_LENGTH_VALUES = np.array([float(step) for step in _LENGTHS])
_LENGTH_PRICES = np.array([0.02 * step.denominator for step in _LENGTHS])


def _length(note: Note, room: Fraction, sounding: float) -> Fraction:
    """Write how long a note is held (`sounding` beats): to the next one, or to a clear stop before it."""
    if "let-ring" in note.written.techniques or sounding > 0.62 * float(room):
        return room
    fitting = bisect_right(_LENGTHS, room)
    if not fitting:
        return room
    costs = np.abs(_LENGTH_VALUES[:fitting] - sounding) + _LENGTH_PRICES[:fitting]
    return _LENGTHS[int(np.argmin(costs))]


COUNT_WORDS = {
    (0, 1): "", (1, 2): "&", (1, 4): "e", (3, 4): "a", (1, 3): "trip", (2, 3): "let",
    (1, 6): "ta", (5, 6): "ta",
}  # fmt: skip


def count_word(onset: Fraction, time_map: TimeMap) -> str:
    """Say an onset as it is counted: "3", "&", "e", "a", "trip", "let"; eighths in compound time.

    Examples
    --------
    >>> plain = TimeMap()
    >>> [count_word(Fraction(k, 4), plain) for k in (24, 26, 27)]
    ['3', '&', 'a']
    >>> [count_word(Fraction(k, 6), TimeMap(beats_per_bar=2, division=3)) for k in (6, 8, 9)]
    ['4', '5', '&']
    """
    whole = onset.numerator // onset.denominator
    part = onset - whole
    beat = whole % time_map.beats_per_bar
    if time_map.is_compound:
        eighth, rest = divmod(part, Fraction(1, 3))
        number = 3 * beat + int(eighth) + 1
        return str(number) if rest == 0 else "&" if rest == Fraction(1, 6) else "·"
    if part == 0:
        return str(beat + 1)
    return COUNT_WORDS.get((part.numerator, part.denominator), "·")


def is_on_beat(onset: Fraction) -> bool:
    """Tell whether an onset is on a beat: counts on the beat are drawn stronger."""
    return onset.denominator == 1


@dataclass(frozen=True, slots=True)
class Beams:
    """How the notes of one beat are joined: beams of each, and the number over a tuplet (0: none)."""

    counts: tuple[int, ...]
    tuplet: int


def beams_of(beat: int, onsets: Sequence[Fraction], compound: bool) -> Beams:
    """Give beams for the rising onsets inside one beat, as engraved: one for an eighth."""
    gaps = [b - a for a, b in zip(onsets, [*onsets[1:], Fraction(beat + 1)], strict=True)]
    worth = Fraction(3, 2) if compound else Fraction(1)
    counts = tuple(_beam_count(gap * worth) for gap in gaps)
    tuplet = 0
    if compound and any(
        (gap * 3).denominator in (2, 4) and gap.denominator in (2, 4) for gap in gaps
    ):
        tuplet = 4 if min(gaps) <= Fraction(1, 4) else 2
    elif not compound and any(gap.denominator % 3 == 0 for gap in gaps):
        tuplet = 6 if min(gaps) <= Fraction(1, 6) else 3
    return Beams(counts, tuplet if len(onsets) > 1 else 0)


def _beam_count(quarters: Fraction) -> int:
    if quarters >= 1:
        return 0
    if quarters > Fraction(1, 4):
        return 1
    return 2 if quarters > Fraction(1, 8) else 3

"""Written values: what notes and rests are drawn with, once their times are known.

A length is split where a reader wants to see it: at bar lines, at beats that would be hidden, and at the
edges of tuplets (E. Gould, "Behind Bars", 2011, chapters on metre and ties; from memory). What is split
is tied.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from juxtanote.core.score.beams import CLIPPED, fill_with_rests
from juxtanote.core.score.note import Note
from juxtanote.core.score.time_map import Metre, TimeMap

# Names of note values (MusicXML 4.0, note-type-value) and their lengths in quarters.
BASES = (
    ("whole", Fraction(4)), ("half", Fraction(2)), ("quarter", Fraction(1)),
    ("eighth", Fraction(1, 2)), ("16th", Fraction(1, 4)), ("32nd", Fraction(1, 8)),
    ("64th", Fraction(1, 16)), ("128th", Fraction(1, 32)),
)  # fmt: skip
BEAMS = {"eighth": 1, "16th": 2, "32nd": 3, "64th": 4, "128th": 5}
TRIPLET = (3, 2)
MOST_KEPT = 8192  # answers of the same few questions
ONE = Fraction(1)


@dataclass(frozen=True, slots=True)
class Value:
    """One note value: its length in quarters, and how that is written."""

    quarters: Fraction
    base: str
    dots: int = 0
    tuplet: tuple[int, int] | None = None  # so many in the time of so many

    @property
    def beams(self) -> int:
        """How many beams or flags it has."""
        return BEAMS.get(self.base, 0)


@dataclass(frozen=True, slots=True)
class Moment:
    """What stands at one place of a line: notes that are struck together or held on, or a rest.

    `value` is None for grace notes, which take no time, and for the rest of a bar that is empty.
    `is_held` tells that the notes are tied to the moment before, `holds_on` that they are to the next.
    """

    onset: Fraction  # beats
    length: Fraction  # beats
    value: Value | None
    notes: tuple[Note, ...] = ()
    is_held: bool = False
    holds_on: bool = False

    @property
    def is_rest(self) -> bool:
        """Whether nothing sounds."""
        return not self.notes


@lru_cache(maxsize=MOST_KEPT)
def value_of(quarters: Fraction) -> Value | None:
    """Give the single value of a length in quarters, None where it needs two.

    Examples
    --------
    >>> value_of(Fraction(3, 4))
    Value(quarters=Fraction(3, 4), base='eighth', dots=1, tuplet=None)
    >>> value_of(Fraction(5, 4)) is None
    True
    """
    for name, length in BASES:
        if quarters == length:
            return Value(quarters, name)
        if quarters == length * Fraction(3, 2):
            return Value(quarters, name, 1)
        if quarters == length * Fraction(2, 3):
            return Value(quarters, name, 0, TRIPLET)
    return None


@lru_cache(maxsize=MOST_KEPT)
def split_length(length: Fraction) -> tuple[Value, ...]:
    """Split a length in quarters into writable values, the longest first.

    Examples
    --------
    >>> [(str(v.quarters), v.base, v.dots) for v in split_length(Fraction(5, 4))]
    [('1', 'quarter', 0), ('1/4', '16th', 0)]
    """
    values: list[Value] = []
    left = length
    while left > 0:
        found = value_of(left)
        if found is None:
            fitting = [f * share for _, f in BASES for share in (ONE, Fraction(2, 3))]
            step = max((f for f in fitting if f <= left), default=left)
            found = value_of(step) or Value(left, "128th")
        values.append(found)
        left -= found.quarters
    return tuple(values)


@lru_cache(maxsize=MOST_KEPT)
def pieces_of(onset: Fraction, length: Fraction, metre: Metre) -> tuple[Fraction, ...]:
    """Split a length in beats where a reader wants to see it: the pieces, in beats.

    Parameters
    ----------
    onset, length : Fraction
        In beats; the onset is counted from bar 1.
    metre : Metre
        What bars are counted in.

    Examples
    --------
    >>> plain = Metre()
    >>> [str(p) for p in pieces_of(Fraction(3), Fraction(2), plain)]
    ['1', '1']
    >>> [str(p) for p in pieces_of(Fraction(1, 2), Fraction(1), plain)]
    ['1']
    >>> [str(p) for p in pieces_of(Fraction(3, 4), Fraction(1), plain)]
    ['1/4', '3/4']
    """
    per_bar, end = metre.beats_per_bar, onset + length
    pieces: list[Fraction] = []
    while onset < end:
        bar_end = Fraction((onset // per_bar + 1) * per_bar)
        step = _longest(onset % per_bar, min(end, bar_end) - onset, metre)
        pieces.append(step)
        onset += step
    return tuple(pieces)


def _longest(inside: Fraction, room: Fraction, metre: Metre) -> Fraction:
    """Give the longest piece that may stand at a place in the bar."""
    part = inside % 1
    if part == 0 and room >= 1:
        return _of_whole_beats(int(inside), room, metre)
    to_beat = ONE - part
    if room <= to_beat:
        return _inside_beat(part, room, metre)
    middle = metre.beats_per_bar / 2
    over_middle = float(inside) < middle < float(inside + room) and metre.beats_per_bar % 2 == 0
    plain = not metre.is_compound and part == Fraction(1, 2)
    if plain and room == 1 and not over_middle:
        return room  # eighth, quarter, eighth: read at sight
    return _inside_beat(part, to_beat, metre)


def _of_whole_beats(beat: int, room: Fraction, metre: Metre) -> Fraction:
    """Give the longest piece that begins on a beat and has a value of its own."""
    per_bar, quarters = metre.beats_per_bar, metre.quarters_per_beat
    if room == Fraction(3, 2) and not metre.is_compound:
        return room
    for count in range(int(room), 0, -1):
        value = value_of(count * quarters)
        hides = per_bar == 4 and beat % 2 == 1 and count > 2  # the middle of the bar would not show
        if value is not None and value.tuplet is None and not hides:
            return Fraction(count)
    return ONE


def _inside_beat(part: Fraction, room: Fraction, metre: Metre) -> Fraction:
    """Give the longest piece inside a beat that stands where its value may."""
    quarters = metre.quarters_per_beat
    if value_of(room * quarters) is not None and _may_stand(part, room, metre):
        return room
    steps = sorted({Fraction(k, d) for d in (2, 3, 4, 6, 8, 12) for k in range(1, d)}, reverse=True)
    for step in steps:
        fits = step < room and value_of(step * quarters) is not None
        if fits and _may_stand(part, step, metre):
            return step
    return room


def _may_stand(part: Fraction, length: Fraction, metre: Metre) -> bool:
    """Tell whether a value may begin at a part of the beat: triplets on their own multiples."""
    if metre.is_compound:
        return True
    if length.denominator % 3:
        return part.denominator % 3 != 0  # inside a triplet everything counts in thirds
    unit = Fraction(1, 3) if length == Fraction(2, 3) else length
    return (part / unit).denominator == 1


def written_bars(notes: Sequence[Note], time_map: TimeMap) -> list[tuple[int, list[Moment]]]:
    """Write a phrase bar by bar (0 is bar 1); one that begins late in a bar begins with a pickup.

    Parameters
    ----------
    notes : sequence of Note
        Of one phrase, in any order.
    time_map : TimeMap
        The beats.
    """
    numbers, pickup = bars_taken(notes, time_map)
    written = bars_of(by_onset(notes), numbers, time_map, pickup=pickup)
    return list(zip(numbers, written, strict=True))


def by_onset(notes: Sequence[Note]) -> list[Note]:
    """Sort what is counted by written onset, thick strings first.

    Parameters
    ----------
    notes : sequence of Note
        In any order; those without a written onset are left out.
    """
    counted = [n for n in notes if n.written.onset_beats is not None]
    return sorted(counted, key=lambda n: (n.written.onset_beats or 0, -n.written.string))


def bars_taken(notes: Sequence[Note], time_map: TimeMap) -> tuple[range, Fraction | None]:
    """Give the bars that notes take (0 is bar 1), and where the first begins if it is a pickup.

    Parameters
    ----------
    notes : sequence of Note
        In any order.
    time_map : TimeMap
        For the length of bars.
    """
    spans = [
        (onset, onset + (n.written.duration_beats or Fraction(0)))
        for n in notes
        if (onset := n.written.onset_beats) is not None
    ]
    if not spans:
        return range(0), None
    per_bar = time_map.beats_per_bar
    start, end = min(onset for onset, _ in spans), max(offset for _, offset in spans)
    first = int(start // per_bar)
    last = max(int(max(onset for onset, _ in spans) // per_bar), -int(-end // per_bar) - 1)
    begins = Fraction(start // 1)
    is_late = first < 0 or 2 * (begins - first * per_bar) >= per_bar
    return range(first, last + 1), begins if is_late else None


def bars_of(
    notes: Sequence[Note], bars: range, time_map: TimeMap, *, pickup: Fraction | None = None
) -> list[list[Moment]]:
    """Write the notes of one part bar by bar (0 is bar 1): values, ties and rests that fill each bar.

    `notes` come by onset; a note that is struck ends what sounded before it. Where the first bar is not
    whole it begins at `pickup`, in beats. A bar without notes has one rest, whose value is None: its sign
    is the same in every metre.

    Parameters
    ----------
    notes : sequence of Note
        By written onset.
    bars : range
        Which bars are written; 0 is bar 1.
    time_map : TimeMap
        The beats.
    pickup : Fraction, optional
        Where the first bar begins, in beats.
    """
    per_bar = time_map.beats_per_bar
    by_bar: dict[int, list[Moment]] = {}
    for moment in _sounding(notes, time_map):
        by_bar.setdefault(int(moment.onset // per_bar), []).append(moment)
    written = []
    for index, bar in enumerate(bars):
        start, end = Fraction(bar * per_bar), Fraction((bar + 1) * per_bar)
        if index == 0 and pickup is not None:
            start = max(start, pickup)
        here = by_bar.get(bar, [])
        if not here and end - start == per_bar:
            written.append([Moment(start, end - start, None)])
            continue
        filled = [*here]
        at = start
        for moment in here:
            filled += _rests(at, moment.onset, start, time_map)
            at = max(at, moment.onset + moment.length)
        filled += _rests(at, end, start, time_map)
        written.append(sorted(filled, key=_in_time))
    return written


def _in_time(moment: Moment) -> tuple[float, float]:
    """Give what moments are sorted by; floats tell beats apart, and compare ten times as fast."""
    return float(moment.onset), float(moment.length)


def _rests(start: Fraction, end: Fraction, bar: Fraction, time_map: TimeMap) -> list[Moment]:
    """Fill a gap with rests."""
    made = []
    for rest in fill_with_rests(start - bar, end - bar, time_map.metre):
        at = bar + rest.onset_beats
        for value in split_length(rest.duration_beats * time_map.quarters_per_beat):
            length = value.quarters / time_map.quarters_per_beat
            made.append(Moment(at, length, value))
            at += length
    return made


def _sounding(notes: Sequence[Note], time_map: TimeMap) -> Iterator[Moment]:
    """Give grace notes, and the pieces of every note or grip, tied."""
    struck = struck_together(notes)
    onsets = [onset for onset, full, _ in struck if full]
    at = 0  # of those before `onset`
    for onset, full, graces in struck:
        if graces:
            yield Moment(onset, Fraction(0), None, tuple(graces))
        if not full:
            continue
        at += 1
        following = onsets[at] if at < len(onsets) else None
        until = onset + max(n.written.duration_beats or Fraction(0) for n in full)
        if any(n.written.techniques & CLIPPED for n in full):
            until = max(until, onset + 1 if following is None else min(following, onset + 1))
        if following is not None:
            until = min(until, following)
        yield from _tied(onset, until, tuple(full), time_map)


def _tied(
    onset: Fraction, until: Fraction, notes: tuple[Note, ...], time_map: TimeMap
) -> Iterator[Moment]:
    at = onset
    bar = onset // time_map.beats_per_bar * time_map.beats_per_bar
    for step in pieces_of(onset - bar, until - onset, time_map.metre):
        for value in split_length(step * time_map.quarters_per_beat):
            length = value.quarters / time_map.quarters_per_beat
            yield Moment(at, length, value, notes, at > onset, at + length < until)
            at += length


def struck_together(notes: Sequence[Note]) -> list[tuple[Fraction, list[Note], list[Note]]]:
    """Sort notes by written onset: (onset, those with a length, grace notes), rising."""
    by_onset: dict[Fraction, tuple[list[Note], list[Note]]] = {}
    for note in notes:
        onset = note.written.onset_beats
        if onset is not None:
            by_onset.setdefault(onset, ([], []))[0 if note.written.duration_beats else 1].append(
                note
            )
    return [(onset, *by_onset[onset]) for onset in sorted(by_onset, key=float)]

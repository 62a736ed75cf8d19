"""How near two lines are: in any key and at any place, some notes added or left out.

Lines are compared as a whole, by their intervals, by their contour (up, down or the same: D. Parsons,
"The Directory of Tunes and Musical Themes", 1975) or by their rhythm (ratios of durations). After the key
is taken out, an edit distance over notes and ratios of durations (M. Mongeau, D. Sankoff, "Comparison of
musical sequences", Computers and the Humanities 24, 1990): pitch and duration weigh together, notes may
be skipped on both sides, and the shorter line may lie anywhere in the longer one. Which lines are worth
comparing is told by the intervals that they share, rare ones weighing more (inverse document frequency:
K. Spärck Jones, Journal of Documentation 28, 1972).
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np


class Likeness(StrEnum):
    """What two lines are compared by."""

    LINE = "line"  # intervals and rhythm together
    INTERVALS = "intervals"
    CONTOUR = "contour"
    RHYTHM = "rhythm"


# What leaving a note out costs, and another rhythm.
SKIP, RHYTHM = 0.7, 0.25
OUT_OF_KEY = np.array([0.0, 0.5, 1.0], dtype=np.float32)  # by semitones; two and more cost the most
KEYS_TRIED = 3  # transpositions that most pairs agree on
SPAN = 14  # semitones that an interval is told apart in


class Profiles:
    """What many lines are made of, so that those like a given one are found at once."""

    def __init__(self, lines: "Sequence[Line]", by: Likeness = Likeness.LINE) -> None:
        """Take lines, and what they are compared by."""
        self._count, self._by = len(lines), by
        rows, features = _features_of(lines, by)
        # A long line has something of everything: what it shares counts by the root of what it has.
        self._size = np.sqrt(np.maximum(np.bincount(rows, minlength=self._count), 1))
        order = np.argsort(features, kind="stable")
        self._lines_with = rows[order]  # by feature, from `_begins` on
        met = np.bincount(features, minlength=FEATURES)
        self._begins = np.concatenate([[0], np.cumsum(met)])
        self._weight = np.log((1.0 + self._count) / (1.0 + met))

    def likely(self, line: "Line", most: int) -> np.ndarray:
        """Give the numbers of the lines that share most of what a line is made of, best first."""
        shared = np.zeros(self._count)
        for feature in _features_of([line], self._by)[1].tolist():
            lines = self._lines_with[self._begins[feature] : self._begins[feature + 1]]
            shared[lines] += self._weight[feature]  # each line has a feature once
        shared /= self._size
        most = min(most, self._count)
        best = np.argpartition(-shared, most - 1)[:most] if most else np.zeros(0, dtype=np.int64)
        return np.asarray(best[np.argsort(-shared[best], kind="stable")])


WAYS = 2 * SPAN + 1  # that an interval can be
PAIRS = WAYS * WAYS
FEATURES = PAIRS + PAIRS * WAYS  # rows of two intervals, then those of three; others have fewer
RATIOS = 9  # classes of ratios, from a quarter to four times
CONTOURS, RHYTHMS = (2, 3, 4, 5, 6), (1, 2, 3, 4)  # so many steps, or ratios, in a row
# What rows are made of: for each interval how far on it begins, and how many notes it spans.
ROWS = (
    ((0, 1), (1, 1)), ((0, 2), (2, 1)), ((0, 1), (1, 2)),
    ((0, 1), (1, 1), (2, 1)), ((0, 2), (2, 1), (3, 1)), ((0, 1), (1, 2), (3, 1)),
    ((0, 1), (1, 1), (2, 2)),
)  # fmt: skip


Line = tuple[Sequence[int], Sequence[float]]  # pitches, and beats from each to the next


def _features_of(lines: Sequence[Line], by: Likeness) -> tuple[np.ndarray, np.ndarray]:
    """Number what lines are made of, all together: (line, feature), each pair once."""
    if by in (Likeness.LINE, Likeness.INTERVALS):
        met = _all_features_of([pitches for pitches, _ in lines])
    elif by is Likeness.CONTOUR:
        turns = [np.sign(np.diff(np.asarray(p, dtype=np.int64))) + 1 for p, _ in lines]
        met = _runs_of(turns, 3, CONTOURS)
    else:
        classes = [_rhythm_classes(steps[: max(len(p) - 1, 0)]) for p, steps in lines]
        met = _runs_of(classes, RATIOS, RHYTHMS)
    pairs = np.unique(met)
    return pairs // FEATURES, pairs % FEATURES


def _rhythm_classes(steps: Sequence[float]) -> np.ndarray:
    """Sort the ratios of durations into classes half an octave wide."""
    beats = np.maximum(np.asarray(steps, dtype=np.float64), SHORTEST)
    half_octaves = np.rint(2.0 * np.diff(np.log2(beats))).astype(np.int64)
    return np.clip(half_octaves, -(RATIOS // 2), RATIOS // 2) + RATIOS // 2


def _runs_of(rows: Sequence[np.ndarray], classes: int, lengths: Sequence[int]) -> np.ndarray:
    """Number what comes in a row, for each of some lengths: FEATURES times the row's number, and what."""
    owner = np.repeat(np.arange(len(rows)), [len(row) for row in rows])
    values = np.concatenate([*rows, np.zeros(0, dtype=np.int64)])
    found, base = [np.zeros(0, dtype=np.int64)], 0
    for length in lengths:
        begins = np.arange(max(len(values) - length + 1, 0))
        begins = begins[owner[begins] == owner[begins + length - 1]]
        number = np.zeros(len(begins), dtype=np.int64)
        for k in range(length):
            number = number * classes + values[begins + k]
        found.append(owner[begins] * FEATURES + base + number)
        base += classes**length
    return np.concatenate(found)


def _all_features_of(lines: Sequence[Sequence[int]]) -> np.ndarray:
    """Number rows of two and three intervals, also those over a note between, as often as they come.

    A note that is added or left out breaks few of them: what it parts is joined by the interval over it.
    Each number is FEATURES times the line's, and the row's.
    """
    lengths = np.array([len(line) for line in lines], dtype=np.int64)
    pitches = np.fromiter((p for line in lines for p in line), dtype=np.int64, count=lengths.sum())
    owner = np.repeat(np.arange(len(lines)), lengths)
    left = np.repeat(np.cumsum(lengths), lengths) - np.arange(
        len(pitches)
    )  # notes to the line's end
    found = []
    for row in ROWS:
        reach = max(at + span for at, span in row)
        begins = np.flatnonzero(left > reach)
        number = np.zeros(len(begins), dtype=np.int64)
        for at, span in row:
            step = pitches[begins + at + span] - pitches[begins + at]
            number = number * WAYS + np.clip(step, -SPAN, SPAN) + SPAN
        found.append(owner[begins] * FEATURES + number + (PAIRS if len(row) == 3 else 0))
    return np.concatenate(found)


def nearnesses(
    wanted: Line, lines: Sequence[Line], at_least: float = 0.0, by: Likeness = Likeness.LINE
) -> list[float]:
    """Give how near lines come to what is wanted, 0 to 1, each in its best key and at its best place.

    Parameters
    ----------
    wanted : Line
        What is looked for: pitches (MIDI), and beats from each to the next.
    lines : sequence of Line
        Where it is looked for.
    at_least : float, optional
        Lines that come less near than this are given as 0.
    by : Likeness, optional
        What they are compared by.

    Examples
    --------
    >>> nearnesses(((60, 62, 64), ()), [((65, 67, 69), ()), ((60, 61, 60, 61), ()), ((), ())])
    [1.0, 0.428571, 0.0]
    """
    pairs = [(0, k) for k in range(1, len(lines) + 1)]
    return nearness_of([wanted, *lines], pairs, at_least, by)


def nearness_of(
    lines: Sequence[Line],
    pairs: Sequence[tuple[int, int]],
    at_least: float = 0.0,
    by: Likeness = Likeness.LINE,
) -> list[float]:
    """Give how near the lines of each pair come to each other, 0 to 1, all pairs at once.

    Parameters
    ----------
    lines : sequence of Line
        What is compared.
    pairs : sequence of (int, int)
        Numbers of two lines, in either order: the shorter one is looked for in the longer one.
    at_least : float, optional
        Pairs that come less near than this are given up on the way, and given as 0.
    by : Likeness, optional
        What they are compared by.

    Examples
    --------
    >>> nearness_of([((60, 62, 64), ()), ((65, 67, 69), ()), ((), ())], [(1, 0), (0, 2)])
    [1.0, 0.0]
    """
    near = np.zeros(len(pairs))
    if not pairs:
        return []
    known = _padded(lines)
    told = known.is_told(by)
    lengths, counts = known.is_note.sum(axis=1), told.sum(axis=1)
    both = np.array(pairs, dtype=np.int64).reshape(-1, 2)
    full = np.flatnonzero(np.all(counts[both] > 0, axis=1))
    if len(full):
        first, second = both[full].T
        swapped = lengths[first] > lengths[second]
        shorter, longer = np.where(swapped, second, first), np.where(swapped, first, second)
        most = SKIP * counts[shorter]
        costs = _costs_of(known.rows(shorter), known.rows(longer), (1.0 - at_least) * most, by)
        near[full] = 1.0 - np.minimum(costs / most, 1.0)
    return [round(value, 6) for value in near.tolist()]


def resemblances(lines: Sequence[Sequence[int]]) -> np.ndarray:
    """Give which share of each line's intervals each other line has, (n_lines, n_lines).

    What counts are rows of two and three intervals; one that comes again counts again.

    Parameters
    ----------
    lines : sequence of tuple of int
        Pitches of each by onset, MIDI.

    Examples
    --------
    >>> resemblances([(60, 62, 64, 65), (60, 62, 64)]).round(2).tolist()
    [[1.0, 0.2], [1.0, 1.0]]
    """
    met = np.sort(_all_features_of(lines))
    # What comes for the second time is another thing than what comes once: so that sets will do.
    is_new = np.ones(len(met), dtype=bool)
    is_new[1:] = met[1:] != met[:-1]
    again = np.arange(len(met)) - np.flatnonzero(is_new)[np.cumsum(is_new) - 1]
    owners = met // FEATURES
    _, columns = np.unique(met % FEATURES + FEATURES * again, return_inverse=True)
    has = np.zeros((len(lines), int(columns.max(initial=-1)) + 1), dtype=np.float32)
    has[owners, columns] = 1.0
    shares = has @ has.T / np.maximum(has.sum(axis=1, keepdims=True), 1.0)
    return np.asarray(shares, dtype=np.float64)


@dataclass(frozen=True, slots=True)
class _Padded:
    """Lines side by side, (n_lines, longest): pitches, which are there, and how durations change.

    A change is the ratio to the duration before, in octaves: the same at any tempo and in any values.
    """

    pitches: np.ndarray
    is_note: np.ndarray
    ratios: np.ndarray

    def is_told(self, by: Likeness) -> np.ndarray:
        """Mark the notes that tell something, (n_lines, longest): a contour begins with the second."""
        if by is Likeness.RHYTHM:
            return np.asarray(~np.isnan(self.ratios))
        if by is Likeness.CONTOUR:
            return np.asarray(self.is_note & (np.arange(self.is_note.shape[1]) > 0))
        return self.is_note

    def rows(self, numbers: np.ndarray) -> "_Padded":
        """Take lines by number, as long as the longest of them."""
        is_note = self.is_note[numbers]
        longest = int(is_note.sum(axis=1).max(initial=0))
        return _Padded(
            self.pitches[numbers, :longest], is_note[:, :longest], self.ratios[numbers, :longest]
        )


def _padded(lines: Sequence[Line]) -> _Padded:
    count = max(len(line) for line, _ in lines)
    pitches = np.zeros((len(lines), count), dtype=np.int64)
    beats = np.full((len(lines), count), np.nan)
    for k, (line, steps) in enumerate(lines):
        pitches[k, : len(line)] = line
        known = steps[: max(len(line) - 1, 0)]
        beats[k, : len(known)] = known
    lengths = np.array([len(line) for line, _ in lines])
    ratios = np.full((len(lines), count), np.nan)
    ratios[:, 1:] = np.diff(np.log2(np.maximum(beats, SHORTEST)), axis=1)
    return _Padded(pitches, np.arange(count) < lengths[:, None], ratios.astype(np.float32))


def _costs_of(ours: _Padded, theirs: _Padded, most: np.ndarray, by: Likeness) -> np.ndarray:
    """Give the least cost of laying each of our lines into theirs beside it, in their likeliest keys.

    What costs more than `most`, (n_lines,), may be told as infinite.
    """
    is_row = ours.is_told(by)
    outside = ~(theirs.is_told(by)[:, None, :] & is_row[:, :, None])
    best = np.full(len(is_row), np.inf)
    for pair in _pairings(ours, theirs, by):
        pair[outside] = BESIDE  # past the end of a line nothing fits
        best = np.minimum(best, _edit_all(pair, is_row, most + ROUNDING))
    return best


def _pairings(ours: _Padded, theirs: _Padded, by: Likeness) -> Iterator[np.ndarray]:
    """Give what each of our notes costs with each of theirs, (n_lines, rows, columns), key by key."""
    ratios = np.abs(ours.ratios[:, :, None] - theirs.ratios[:, None, :])
    rhythm = np.nan_to_num(np.minimum(ratios, 1.0), copy=False)
    if by is Likeness.RHYTHM:
        yield rhythm
        return
    if by is Likeness.CONTOUR:
        turns = [np.sign(np.diff(p.pitches, axis=1, prepend=0)) for p in (ours, theirs)]
        yield (turns[0][:, :, None] != turns[1][:, None, :]).astype(np.float32)
        return
    apart = theirs.pitches[:, None, :] - ours.pitches[:, :, None]
    is_pair = theirs.is_note[:, None, :] & ours.is_note[:, :, None]
    share = np.float32(RHYTHM if by is Likeness.LINE else 0.0)
    for keys in _likeliest_keys(apart, is_pair).T:
        out_of_key = np.minimum(np.abs(apart - keys[:, None, None]), len(OUT_OF_KEY) - 1)
        yield OUT_OF_KEY[out_of_key] + share * rhythm


def _likeliest_keys(apart: np.ndarray, is_pair: np.ndarray) -> np.ndarray:
    """Give the keys that most pairs of notes agree on, (n_lines, KEYS_TRIED), first met first.

    `apart` is (n_lines, rows, columns); columns are gone through one after the other.
    """
    count, rows, columns = apart.shape
    places = np.arange(columns)[None, :] * rows + np.arange(rows)[:, None]
    numbers = np.arange(count)[:, None, None] * RANGE + apart + RANGE // 2
    met = np.bincount(numbers[is_pair], minlength=count * RANGE)
    first = np.full(count * RANGE, columns * rows)
    np.minimum.at(first, numbers[is_pair], np.broadcast_to(places, apart.shape)[is_pair])
    order = (first - met * (columns * rows + 1)).reshape(count, RANGE)
    keys = np.argpartition(order, np.arange(KEYS_TRIED), axis=1)[:, :KEYS_TRIED]
    known = np.take_along_axis(met.reshape(count, RANGE), keys, axis=1) > 0
    return np.where(known, keys, keys[:, :1]) - RANGE // 2


RANGE = 256  # of differences between two MIDI pitches, both ways
BESIDE = 1e3  # costs more than any line
ROUNDING = 1e-4  # more than costs are off
LOOK = 3  # notes on, whether what a line costs so far is too much already
SHORTEST = 1 / 16  # of a beat: what is shorter has no rhythm


def _edit_all(pair: np.ndarray, is_row: np.ndarray, most: np.ndarray) -> np.ndarray:
    """Give the cost of laying what is wanted (rows) somewhere into a line (columns), for many lines.

    `pair` is what each costs with each, (n_lines, rows, columns), `is_row` (n_lines, rows); a line that
    costs more than `most`, (n_lines,), is given up, as infinite.
    """
    count, rows, columns = pair.shape
    row = np.zeros((count, columns + 1), dtype=np.float32)  # it may begin anywhere
    slope = np.float32(SKIP) * np.arange(columns + 1, dtype=np.float32)
    costs = np.full(count, np.inf)
    going = np.arange(count)
    for i in range(rows):
        fresh = row + np.float32(SKIP)
        np.minimum(fresh[:, 1:], row[:, :-1] + pair[going, i], out=fresh[:, 1:])
        # Notes of the line that are left out.
        after = slope + np.minimum.accumulate(fresh - slope, axis=1)
        row = np.where(is_row[going, i, None], after, row)
        if i % LOOK == LOOK - 1:
            may = row.min(axis=1) <= most[going]
            row, going = row[may], going[may]
    costs[going] = row.min(axis=1)  # and end anywhere
    return costs

"""What comes again: bars and phrases that are alike, exactly, nearly, elsewhere, or in rhythm only.

Two rows of notes are aligned by edit distance (R. A. Wagner and M. J. Fischer, "The String-to-String
Correction Problem", J. ACM 21 (1), 1974) over pitch and place in time, under every transposition.
"""

from collections import Counter
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.time_map import TimeMap

ALIKE = 0.72  # share of notes that must agree
FEWEST = 3  # notes that make a phrase known again
FARTHEST = 24  # semitones that a row is moved at most
COLOURS = frozenset({"bend", "pre-bend", "release", "vibrato", "pull-off", "hammer-on", "slide", "tap",
                     "palm-mute", "staccato", "dead", "natural-harmonic", "let-ring"})  # fmt: skip
_DONE = {
    "bend": "bent", "pre-bend": "pre-bent", "release": "released", "vibrato": "with vibrato",
    "pull-off": "pulled", "hammer-on": "hammered", "slide": "slid", "tap": "tapped",
    "palm-mute": "muted", "staccato": "short", "dead": "dead", "natural-harmonic": "as harmonics",
    "let-ring": "ringing",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Step:
    """A note as it is compared: place in time from the start of its row, pitch, place, techniques."""

    onset: Fraction
    midi: int
    string: int
    fret: int
    techniques: frozenset[str]


@dataclass(frozen=True, slots=True)
class Likeness:
    """How a row of notes comes from an earlier one.

    `kind` is ``exact``, ``near``, ``moved`` (to another key), ``strings`` (same notes elsewhere on
    the neck) or ``motif`` (the same rhythm with other notes).
    """

    kind: str
    share: float
    words: str


def steps_of(notes: list[Note], start: Fraction) -> tuple[Step, ...]:
    """Give notes as they are compared, timed from `start` (beats)."""
    return tuple(
        Step(
            (note.written.onset_beats or Fraction(0)) - start, round(note.heard.midi),
            note.written.string, note.written.fret, note.written.techniques & COLOURS,
        )
        for note in notes
        if note.written.duration_beats
    )  # fmt: skip


def compare(earlier: tuple[Step, ...], later: tuple[Step, ...]) -> Likeness | None:
    """Tell how a later row repeats an earlier one, or give None where it does not."""
    if min(len(earlier), len(later)) < FEWEST:
        return None
    shift = _likeliest_shift(earlier, later)
    if _most_alike(earlier, later, shift) >= ALIKE:
        pairs = _aligned(earlier, later, shift)
        share = 2.0 * len(pairs) / (len(earlier) + len(later))
        if share >= ALIKE:
            return _described(earlier, later, pairs, shift, share)
    if _same_rhythm(earlier, later) and len({s.onset for s in later}) >= FEWEST + 1:
        return Likeness("motif", 1.0, "the same rhythm with other notes")
    return None


def _most_alike(earlier: tuple[Step, ...], later: tuple[Step, ...], shift: int) -> float:
    """Give a bound on the share of notes that can agree: by their pitches, whatever their order."""
    known = Counter(step.midi + shift for step in earlier)
    shared = known & Counter(step.midi for step in later)
    return 2.0 * shared.total() / (len(earlier) + len(later))


def _same_rhythm(earlier: tuple[Step, ...], later: tuple[Step, ...]) -> bool:
    """Tell whether every note of one row stands where a note of the other does."""
    return len(earlier) == len(later) and all(
        abs(a.onset - b.onset) <= Fraction(1, 4) for a, b in zip(earlier, later, strict=True)
    )


def _likeliest_shift(earlier: tuple[Step, ...], later: tuple[Step, ...]) -> int:
    """Give the transposition, in semitones, under which most notes agree."""
    at: dict[Fraction, list[int]] = {}
    for step in earlier:
        at.setdefault(step.onset, []).append(step.midi)
    votes: Counter[int] = Counter()
    for step in later:
        for midi in at.get(step.onset, ()):
            votes[step.midi - midi] += 1
    if not votes:
        return 0
    most = max(votes.values())
    return min((s for s, n in votes.items() if n == most), key=abs)


def _aligned(
    earlier: tuple[Step, ...], later: tuple[Step, ...], shift: int
) -> list[tuple[int, int]]:
    """Pair notes of equal pitch and time by the longest common row, in order."""
    n, m = len(earlier), len(later)
    best = [[0] * (m + 1) for _ in range(n + 1)]
    for i in range(n - 1, -1, -1):
        for j in range(m - 1, -1, -1):
            same = _same(earlier[i], later[j], shift)
            best[i][j] = max(best[i + 1][j], best[i][j + 1], same + best[i + 1][j + 1])
    pairs, i, j = [], 0, 0
    while i < n and j < m:
        if _same(earlier[i], later[j], shift) and best[i][j] == 1 + best[i + 1][j + 1]:
            pairs.append((i, j))
            i, j = i + 1, j + 1
        elif best[i + 1][j] >= best[i][j + 1]:
            i += 1
        else:
            j += 1
    return pairs


def _same(a: Step, b: Step, shift: int) -> int:
    return int(a.midi + shift == b.midi and abs(a.onset - b.onset) <= Fraction(1, 4))


def _described(
    earlier: tuple[Step, ...],
    later: tuple[Step, ...],
    pairs: list[tuple[int, int]],
    shift: int,
    share: float,
) -> Likeness:
    """Say what stays and what differs."""
    kind, words = "exact", ""
    moved = [earlier[i].string != later[j].string for i, j in pairs]
    if shift:
        kind = "moved"
        up = "up" if shift > 0 else "down"
        words = f"{abs(shift)} semitone{'s' if abs(shift) > 1 else ''} {up}"
    elif sum(moved) > 0.5 * len(moved):
        kind, words = "strings", "the same notes on other strings"
    told = [words] if words else []
    told += _colour_differences(earlier, later, pairs)
    matched_later = {j for _, j in pairs}
    matched_earlier = {i for i, _ in pairs}
    added = [j for j in range(len(later)) if j not in matched_later]
    dropped = [i for i in range(len(earlier)) if i not in matched_earlier]
    told += _count_differences(added, dropped, len(later), len(earlier))
    if kind == "exact" and told:
        kind = "near"
    return Likeness(kind, share, ", ".join(told) or "exactly")


def _colour_differences(
    earlier: tuple[Step, ...], later: tuple[Step, ...], pairs: list[tuple[int, int]]
) -> list[str]:
    """Say which notes are played another way, grouped by what changed."""
    changes: dict[tuple[str, str], list[int]] = {}
    for i, j in pairs:
        before, after = earlier[i].techniques, later[j].techniques
        if before != after:
            old = " and ".join(_DONE[t] for t in sorted(before - after))
            new = " and ".join(_DONE[t] for t in sorted(after - before))
            changes.setdefault((new, old), []).append(j)
    said = []
    for (new, old), places in changes.items():
        where = _which(places, len(later))
        if new and old:
            said.append(f"{where} {new} instead of {old}")
        elif new:
            said.append(f"{where} {new}")
        else:
            said.append(f"{where} not {old}")
    return said


def _count_differences(
    added: list[int], dropped: list[int], n_later: int, n_earlier: int
) -> list[str]:
    if added and len(added) == len(dropped) and added == dropped:
        return [f"{_which(added, n_later)} another pitch"]
    said = []
    if added:
        said.append(f"{_number(len(added))} more {_plural(len(added))}{_at(added, n_later)}")
    if dropped:
        said.append(f"{_number(len(dropped))} fewer{_at(dropped, n_earlier)}")
    return said


def _at(places: list[int], total: int) -> str:
    if places == list(range(len(places))):
        return " at the start"
    return " at the end" if places == list(range(total - len(places), total)) else ""


def _which(places: list[int], total: int) -> str:
    """Name notes by their place in the row: "last three notes", "note 4"."""
    count = len(places)
    if count == total:
        return "all notes"
    if places == list(range(total - count, total)):
        return "last note" if count == 1 else f"last {_number(count)} notes"
    if places == list(range(count)):
        return "first note" if count == 1 else f"first {_number(count)} notes"
    if count == 1:
        return f"note {places[0] + 1}"
    if places == list(range(places[0], places[0] + count)):
        return f"notes {places[0] + 1} to {places[-1] + 1}"
    return f"{_number(count)} notes"


def _plural(count: int) -> str:
    return "note" if count == 1 else "notes"


def _number(count: int) -> str:
    words = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
    return words[count] if count < len(words) else str(count)


# Phrases and bars


def phrase_steps(phrase: Phrase, time_map: TimeMap) -> tuple[Step, ...]:
    """Give a counted phrase as it is compared, timed from the bar line before its first note.

    Parameters
    ----------
    phrase : Phrase
    time_map : TimeMap
        Beats and metre.
    """
    if not phrase.notes:
        return ()
    first = phrase.notes[0].written.onset_beats or Fraction(0)
    per_bar = time_map.beats_per_bar
    return steps_of(list(phrase.notes), Fraction(first // per_bar * per_bar))


def phrase_repeats(
    lesson: Lesson, progress: Progress = no_progress
) -> dict[int, tuple[int, Likeness]]:
    """For each phrase that repeats an earlier one of its part: that one's number, and how.

    The closest of the earlier ones counts.

    Parameters
    ----------
    lesson : Lesson
    progress : Progress
        Told how far it is, 0 to 1.
    """
    rows = [(phrase, phrase_steps(phrase, lesson.time_map)) for phrase in lesson.phrases]
    likely = _Likely([steps for _, steps in rows])
    found: dict[int, tuple[int, Likeness]] = {}
    for index, (phrase, steps) in enumerate(rows):
        progress(index / len(rows))
        for at in likely.before(index):
            earlier, others = rows[at]
            likeness = compare(others, steps) if earlier.part == phrase.part else None
            known = found.get(phrase.ident)
            if likeness and (known is None or _rank(likeness) > _rank(known[1])):
                found[phrase.ident] = earlier.ident, likeness
                if likeness.kind == "exact":  # nothing can be closer
                    break
    return found


class _Likely:
    """Tells quickly which earlier rows can be alike at all: few of many are compared note by note."""

    def __init__(self, rows: list[tuple[Step, ...]]) -> None:
        self._counts = np.zeros((len(rows), 128 + 2 * FARTHEST), dtype=np.int16)
        self._lengths = np.array([len(row) for row in rows])
        self._onsets = [np.array([float(step.onset) for step in row]) for row in rows]
        for at, row in enumerate(rows):
            for step in row:
                self._counts[at, FARTHEST + min(max(step.midi, 0), 127)] += 1

    def before(self, index: int) -> list[int]:
        """List the earlier rows that share enough pitches under some transposition, or the rhythm."""
        length = int(self._lengths[index])
        if length < FEWEST or index == 0:
            return []
        earlier, own = self._counts[:index], self._counts[index]
        best = np.zeros(index)
        for shift in range(-FARTHEST, FARTHEST + 1):
            best = np.maximum(best, np.minimum(earlier, np.roll(own, shift)).sum(axis=1))
        alike = 2.0 * best >= ALIKE * (self._lengths[:index] + length)
        for at in np.flatnonzero((self._lengths[:index] == length) & ~alike):
            alike[at] = bool(np.all(np.abs(self._onsets[at] - self._onsets[index]) <= 0.25))
        return [int(at) for at in np.flatnonzero(alike)]


def _rank(likeness: Likeness) -> tuple[int, float]:
    order = ("motif", "moved", "strings", "near", "exact")
    return order.index(likeness.kind), likeness.share


def bar_repeats(phrase: Phrase, lesson: Lesson) -> list[tuple[int, int, Likeness]]:
    """Inside a phrase: (bar, earlier bar, likeness), by the numbers that bars have in the lesson."""
    per_bar = lesson.time_map.beats_per_bar
    bars: dict[int, list[Note]] = {}
    for note in phrase.notes:
        bars.setdefault(int((note.written.onset_beats or Fraction(0)) // per_bar), []).append(note)
    rows = [(bar, steps_of(notes, Fraction(bar * per_bar))) for bar, notes in sorted(bars.items())]
    found = []
    for index, (bar, steps) in enumerate(rows):
        ways = [
            (likeness, earlier)
            for earlier, others in rows[:index]
            if (likeness := compare(others, steps)) is not None
        ]
        if ways:
            likeness, earlier = max(ways, key=lambda way: _rank(way[0]))
            found.append((bar + 1, earlier + 1, likeness))
    return found


def repeat_words(name: str, likeness: Likeness) -> str:
    """Say a repeat in a few words.

    Examples
    --------
    >>> repeat_words("bar 1", Likeness("near", 0.9, "last three notes bent instead of pulled"))
    'as bar 1, last three notes bent instead of pulled'
    """
    if likeness.kind == "exact":
        return f"as {name}"
    if likeness.kind == "motif":
        return f"the rhythm of {name} with other notes"
    return f"as {name}, {likeness.words}"


def order_of_parts(lesson: Lesson, repeats: dict[int, tuple[int, Likeness]] | None = None) -> str:
    """Number phrases by likeness in the order they are played, as "1-2-1-3"; repeat counts included.

    `repeats` are those of `phrase_repeats`, where they are known already.
    """
    known = phrase_repeats(lesson) if repeats is None else repeats
    same = {
        ident: earlier
        for ident, (earlier, likeness) in known.items()
        if likeness.kind in ("exact", "near")
    }
    numbers: dict[int, int] = {}
    order = []
    for phrase in lesson.phrases:
        root = phrase.ident
        while root in same:
            root = same[root]
        numbers.setdefault(root, len(numbers) + 1)
        order += [str(numbers[root])] * phrase.repeats
    return "-".join(order)

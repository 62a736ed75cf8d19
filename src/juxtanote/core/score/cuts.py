"""Where a teacher would cut: at rests, after long notes, at bar lines, where something comes again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from juxtanote.core.later import np
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import Lesson
from juxtanote.core.score.note import Note
from juxtanote.core.score.time_map import TimeMap

# What one can keep in mind at once (common practice: two to eight bars).
SHORTEST_S, LONGEST_S = 1.2, 9.0
PAUSE_S = 0.35  # a rest that is heard as one
MOST_TAKEN_S = 1.5  # at either end of a phrase, of notes too doubtful to cut by
SILENCE_S = 4.0  # a rest over which no phrase goes, however short what lies beside it
LONE_S = 1.0  # a note by itself and shorter than this is no phrase
TOUCH_S = 0.15  # phrases may meet, and share so much
FIGURE = 5  # notes that make a figure known again
RETURNS_S = 2.0  # shorter figures that come again belong to one phrase


# What speaks for a cut, and how much of it is enough (weights set by hand).
REST, LONG_NOTE, BAR_LINE, REPETITION, ENOUGH = 2.5, 0.8, 0.8, 2.5, 2.4
LONG_FROM = 1.6  # times the usual distance of two onsets
USUAL_GAP_S, LEAST_GAP_S = (
    0.3,
    0.05,
)  # where there are too few notes to tell, and where they are a grip
AT_BAR_LINE = 0.06  # of a bar
UNLIKE, UNLIKE_S = 0.15, 0.02  # by so much of it, and so many seconds, may a figure's rhythm differ
# Seconds around the notes of a phrase, before the next one's, and the least of one.
BEFORE_S, AFTER_S, BEFORE_NEXT_S, LEAST_CUT_S = 0.06, 0.08, 0.02, 0.2
LEAD_PAUSE_S, PHRASE_REST_S = 0.8, 1.2  # the lead pauses for so long; phrases are apart so far


@dataclass(frozen=True, slots=True)
class Cut:
    """A stretch that could be one phrase, and why it ends where it does."""

    start_s: float
    end_s: float
    why: str


def propose_cuts(
    onsets_s: Sequence[float],
    offsets_s: Sequence[float],
    time_map: TimeMap,
    midi: Sequence[float] | None = None,
    *,
    from_s: float = 0.0,
) -> list[Cut]:
    """Cut a row of notes, sorted by onset, into phrases.

    Every gap is weighed: a pause counts most, then a held note, a repetition that begins (where
    `midi` is given: the same steps in the same rhythm, in any key), a bar line; stretches that
    would be shorter than a breath or longer than one can keep in mind are not cut, or cut where
    the weight is largest. A short note with silence around it is in none.

    Parameters
    ----------
    onsets_s, offsets_s : sequence of float
        In seconds.
    time_map : TimeMap
        Bars: cuts are likelier at their lines.
    midi : sequence of float, optional
        Pitches of the notes, in semitones.
    from_s : float
        What begins before is cut already, in seconds; it tells what comes again.
    """
    onsets, offsets = np.asarray(onsets_s, float), np.asarray(offsets_s, float)
    if len(onsets) == 0:
        return []
    again = _repetitions(onsets, np.asarray(midi, float)) if midi is not None else set()
    weights, reasons = _weigh(onsets, offsets, time_map, again)
    cuts: list[Cut] = []
    silences = np.flatnonzero(onsets[1:] - np.maximum.accumulate(offsets)[:-1] >= SILENCE_S) + 1
    begin = int(np.searchsorted(onsets, from_s))
    edges = (begin, *silences[silences > begin].tolist(), len(onsets))
    for first, last in pairwise(edges):
        if last - first > 1 or (last > first and offsets[first] - onsets[first] >= LONE_S):
            _divide(onsets, offsets, weights, reasons, first, last, cuts)
    return cuts


def taking_in(
    cuts: Sequence[Cut], onsets_s: Sequence[float], offsets_s: Sequence[float], from_s: float = 0.0
) -> list[Cut]:
    """Move the edges of cuts outwards over notes between them that follow without a rest.

    Notes that are too doubtful to cut by are mostly the first and last ones of phrases all the same.

    Parameters
    ----------
    cuts : sequence of Cut
        By their starts; they overlap no more than `TOUCH_S`.
    onsets_s, offsets_s : sequence of float
        Of the notes, by onset, in seconds.
    from_s : float
        Before this nothing is taken, in seconds.

    Examples
    --------
    >>> [(c.start_s, c.end_s) for c in taking_in([Cut(2.0, 3.0, "the end")], [1.8, 3.2], [1.9, 3.5])]
    [(1.74, 3.58)]
    """
    notes = list(zip(onsets_s, offsets_s, strict=True))
    starts, ends = [cut.start_s for cut in cuts], [cut.end_s for cut in cuts]
    for k in range(len(cuts) + 1):
        left = ends[k - 1] if k else -np.inf
        right = starts[k] if k < len(cuts) else np.inf
        between = [n for n in notes if max(left, from_s) <= n[0] < right - BEFORE_NEXT_S]
        after, before = _nearer(between, left, right)
        if before:
            least = after[-1][0] + BEFORE_S if after else max(left, from_s)
            starts[k] = right = max(before[0][0] - BEFORE_S, least)
        if after:
            until = max(offset for _, offset in after) + AFTER_S
            ends[k - 1] = max(min(until, right - BEFORE_NEXT_S), left)
    return [replace(c, start_s=s, end_s=e) for c, s, e in zip(cuts, starts, ends, strict=True)]


Spans = list[tuple[float, float]]


def _nearer(notes: Spans, left: float, right: float) -> tuple[Spans, Spans]:
    """Sort notes between two phrases to the one that each follows, or leads to, without a rest."""
    after: Spans = []
    before: Spans = []
    first, last, begins, ends = 0, len(notes), right, left
    while first < last:
        to_left, to_right = notes[first][0] - ends, begins - notes[last - 1][1]
        if min(to_left, to_right) > PAUSE_S:
            break
        if to_left <= to_right and notes[first][1] <= left + MOST_TAKEN_S:
            after.append(notes[first])
            ends, first = max(ends, notes[first][1]), first + 1
        elif to_right <= PAUSE_S and notes[last - 1][0] >= right - MOST_TAKEN_S:
            before.insert(0, notes[last - 1])
            begins, last = notes[last - 1][0], last - 1
        else:
            break
    return after, before


def _weigh(
    onsets: np.ndarray, offsets: np.ndarray, time_map: TimeMap, again: set[int]
) -> tuple[np.ndarray, list[str]]:
    """Weigh the gap before each note but the first, and name the strongest reason."""
    ends = np.maximum.accumulate(offsets)
    usual = float(np.median(np.diff(onsets))) if len(onsets) > 2 else USUAL_GAP_S
    weights, reasons = np.zeros(len(onsets)), [""] * len(onsets)
    beats = time_map.to_beats(onsets)
    for k in range(1, len(onsets)):
        pause = onsets[k] - ends[k - 1]
        held = (onsets[k] - onsets[k - 1]) / max(usual, LEAST_GAP_S)
        near_bar = abs(beats[k] / time_map.beats_per_bar - round(beats[k] / time_map.beats_per_bar))
        scores = {
            "a rest": REST * min(max(pause / PAUSE_S, 0.0), 3.0),
            "a long note": LONG_NOTE * min(max(held - LONG_FROM, 0.0), 4.0),
            "a bar line": BAR_LINE if near_bar < AT_BAR_LINE else 0.0,
            "a repetition": REPETITION if k in again else 0.0,
        }
        weights[k] = sum(scores.values())
        reasons[k] = max(scores, key=lambda name: scores[name])
    return weights, reasons


def _repetitions(onsets: np.ndarray, midi: np.ndarray) -> set[int]:
    """Find where a figure of `FIGURE` notes begins again: its notes, and where it began first."""
    steps, gaps = np.rint(np.diff(midi)), np.diff(onsets)
    found: set[int] = set()
    width = FIGURE - 1
    known: dict[tuple[float, ...], list[int]] = {}  # where figures of the same steps began
    for later in range(width, len(steps) - width + 1):
        before = later - width
        known.setdefault(tuple(steps[before : before + width].tolist()), []).append(before)
        figure = tuple(steps[later : later + width].tolist())
        for earlier in known.get(figure, ()) if any(figure) else ():
            if onsets[later] - onsets[earlier] < RETURNS_S:
                break
            here, there = slice(later, later + width), slice(earlier, earlier + width)
            if np.all(np.abs(gaps[here] - gaps[there]) < UNLIKE * gaps[there] + UNLIKE_S):
                starts_before = later and earlier and (
                    steps[later - 1] == steps[earlier - 1]
                    and abs(gaps[later - 1] - gaps[earlier - 1])
                    < UNLIKE * gaps[earlier - 1] + UNLIKE_S
                )  # fmt: skip
                if not starts_before:
                    found |= {later} if earlier == 0 else {earlier, later}
    return found


def _divide(
    onsets: np.ndarray,
    offsets: np.ndarray,
    weights: np.ndarray,
    reasons: list[str],
    first: int,
    last: int,
    cuts: list[Cut],
) -> None:
    """Cut a stretch at its heaviest gap while that is heavy enough or the stretch is too long."""
    start, ends = float(onsets[first]), np.maximum.accumulate(offsets[first:last])
    end = float(ends[-1])
    inside = [  # what sounds on both sides is long enough: a stab before a rest is no phrase
        k
        for k in range(first + 1, last)
        if ends[k - first - 1] - start >= SHORTEST_S and end - onsets[k] >= SHORTEST_S
    ]
    best = max(inside, key=lambda k: weights[k], default=None)
    too_long = end - start > LONGEST_S
    if best is None or (weights[best] < ENOUGH and not too_long):
        why = reasons[last] if last < len(reasons) else "the end"
        limit = float(onsets[last]) - BEFORE_NEXT_S if last < len(onsets) else end + AFTER_S
        until = max(min(end + AFTER_S, limit), start + LEAST_CUT_S)
        cuts.append(Cut(max(start - BEFORE_S, 0.0), until, why))
        return
    _divide(onsets, offsets, weights, reasons, first, best, cuts)
    _divide(onsets, offsets, weights, reasons, best, last, cuts)


def with_cuts(lesson: Lesson, cuts: Sequence[Cut]) -> Lesson:
    """Add proposed phrases beside those that are there: a person's own are never touched.

    Two proposals that follow each other without a rest are both kept.

    Parameters
    ----------
    lesson : Lesson
        With the phrases that a person cut.
    cuts : sequence of Cut
        Proposals; those that lie over a phrase are left out.
    """
    taken = [(p.start_s, p.end_s) for p in lesson.phrases]
    for cut in cuts:
        if not any(
            start < cut.end_s - TOUCH_S and cut.start_s + TOUCH_S < end for start, end in taken
        ):
            lesson = edits.cut_phrase(lesson, cut.start_s, cut.end_s, proposed=True)
    return lesson


def lead_spans(
    notes: list[tuple[float, float]], gap_s: float = LEAD_PAUSE_S
) -> tuple[tuple[float, float], ...]:
    """Join (onset, offset) pairs, sorted by onset, into the stretches where the lead plays.

    Parameters
    ----------
    notes : list of tuple
        Onset and offset, seconds.
    gap_s : float, optional
        A longer rest parts two stretches, seconds.
    """
    spans: list[tuple[float, float]] = []
    for start, end in notes:
        if spans and start - spans[-1][1] < gap_s:
            spans[-1] = (spans[-1][0], max(spans[-1][1], end))
        else:
            spans.append((start, end))
    return tuple(spans)


def split_at_rests(notes: list[Note], rest_s: float = PHRASE_REST_S) -> list[list[Note]]:
    """Cut notes into stretches where the lead pauses.

    Parameters
    ----------
    notes : list of Note
        By onset in seconds.
    rest_s : float, optional
        From here on a rest parts two stretches, seconds.
    """
    stretches: list[list[Note]] = []
    latest = -10.0
    for note in notes:
        if not stretches or note.onset_s - latest > rest_s:
            stretches.append([])
        stretches[-1].append(note)
        latest = max(latest, note.offset_s)
    return stretches

"""Where a teacher would cut: at rests, after long notes, at bar lines, where something comes again."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from juxtanote.core.score import edits
from juxtanote.core.score.lesson import Lesson
from juxtanote.core.score.time_map import TimeMap

# What one can keep in mind at once (common practice: two to eight bars).
SHORTEST_S, LONGEST_S = 1.2, 9.0
PAUSE_S = 0.35  # a rest that is heard as one
TOUCH_S = 0.15  # phrases may meet, and share so much
FIGURE = 5  # notes that make a figure known again
RETURNS_S = 2.0  # shorter figures that come again belong to one phrase


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
) -> list[Cut]:
    """Cut a row of notes, sorted by onset, into phrases.

    Every gap is weighed: a pause counts most, then a held note, a repetition that begins (where
    `midi` is given: the same steps in the same rhythm, in any key), a bar line; stretches that
    would be shorter than a breath or longer than one can keep in mind are not cut, or cut where
    the weight is largest.

    Parameters
    ----------
    onsets_s, offsets_s : sequence of float
        In seconds.
    time_map : TimeMap
        Bars: cuts are likelier at their lines.
    midi : sequence of float, optional
        Pitches of the notes, in semitones.
    """
    onsets, offsets = np.asarray(onsets_s, float), np.asarray(offsets_s, float)
    if len(onsets) == 0:
        return []
    again = _repetitions(onsets, np.asarray(midi, float)) if midi is not None else set()
    weights, reasons = _weigh(onsets, offsets, time_map, again)
    cuts: list[Cut] = []
    _divide(onsets, offsets, weights, reasons, 0, len(onsets), cuts)
    return cuts


def _weigh(
    onsets: np.ndarray, offsets: np.ndarray, time_map: TimeMap, again: set[int]
) -> tuple[np.ndarray, list[str]]:
    """Weigh the gap before each note but the first, and name the strongest reason."""
    ends = np.maximum.accumulate(offsets)
    usual = float(np.median(np.diff(onsets))) if len(onsets) > 2 else 0.3
    weights, reasons = np.zeros(len(onsets)), [""] * len(onsets)
    beats = time_map.to_beats(onsets)
    for k in range(1, len(onsets)):
        pause = onsets[k] - ends[k - 1]
        held = (onsets[k] - onsets[k - 1]) / max(usual, 0.05)
        near_bar = abs(beats[k] / time_map.beats_per_bar - round(beats[k] / time_map.beats_per_bar))
        scores = {
            "a rest": 2.5 * min(max(pause / PAUSE_S, 0.0), 3.0),
            "a long note": 0.8 * min(max(held - 1.6, 0.0), 4.0),
            "a bar line": 0.8 if near_bar < 0.06 else 0.0,
            "a repetition": 2.5 if k in again else 0.0,
        }
        weights[k] = sum(scores.values())
        reasons[k] = max(scores, key=lambda name: scores[name])
    return weights, reasons


def _repetitions(onsets: np.ndarray, midi: np.ndarray) -> set[int]:
    """Find where a figure of `FIGURE` notes begins again: its notes, and where it began first."""
    steps, gaps = np.rint(np.diff(midi)), np.diff(onsets)
    found: set[int] = set()
    width = FIGURE - 1
    for later in range(width, len(steps) - width + 1):
        for earlier in range(later - width + 1):
            if onsets[later] - onsets[earlier] < RETURNS_S:
                break
            here, there = slice(later, later + width), slice(earlier, earlier + width)
            alike = np.array_equal(steps[here], steps[there]) and np.any(steps[here])
            if alike and np.all(np.abs(gaps[here] - gaps[there]) < 0.15 * gaps[there] + 0.02):
                starts_before = later and earlier and (
                    steps[later - 1] == steps[earlier - 1]
                    and abs(gaps[later - 1] - gaps[earlier - 1]) < 0.15 * gaps[earlier - 1] + 0.02
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
    start, end = float(onsets[first]), float(offsets[first:last].max())
    inside = [
        k
        for k in range(first + 1, last)
        if onsets[k] - start >= SHORTEST_S and end - onsets[k] >= SHORTEST_S
    ]
    best = max(inside, key=lambda k: weights[k], default=None)
    too_long = end - start > LONGEST_S
    if best is None or (weights[best] < 2.4 and not too_long):
        why = reasons[last] if last < len(reasons) else "the end"
        limit = float(onsets[last]) - 0.02 if last < len(onsets) else end + 0.1
        cuts.append(Cut(max(start - 0.06, 0.0), max(min(end + 0.08, limit), start + 0.2), why))
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

"""Speed steps and joined chunks: what a session of practice plays."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum

import numpy as np

from juxtanote.core.audio.player import SpeedStep
from juxtanote.core.score.kept import Spot, StepPlan
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.time_map import TimeMap

MOST_CHUNKS = 400  # rows that a person could still go through
GAP_S = 0.3  # a shorter one between two phrases sounds: it is their rest
SHORTEST_PART_S = 0.15  # a shorter part is a slip of the hand
BAR_LINE = 0.05  # of a bar: what begins so near to a bar line begins on it
NAMED_PARTS = 6  # from more on, first and last are said


@dataclass(frozen=True, slots=True)
class Chunk:
    """A part, or the first parts joined: of which phrases, and the stretches that loop, in seconds."""

    phrases: tuple[int, ...]
    name: str
    spans_s: tuple[tuple[float, float], ...]

    @property
    def length_s(self) -> float:
        """How long one pass is at full speed.

        Examples
        --------
        >>> Chunk((1, 2), "A + B", ((0.0, 2.0), (5.0, 6.0))).length_s
        3.0
        """
        return sum(end - start for start, end in self.spans_s)


class Parted(Enum):
    """What the parts are that are learned one by one and joined."""

    PHRASES = "phrases"
    BARS = "bars of this phrase"
    TWO_BARS = "two bars at a time"
    SPOTS = "from mark to mark"


def speed_steps(plan: StepPlan) -> tuple[SpeedStep, ...]:
    """List every speed of a plan with its repeats; the last is the goal.

    Examples
    --------
    >>> [s.speed for s in speed_steps(StepPlan(0.5, 0.25, 1.0, 2))]
    [0.5, 0.75, 1.0]
    """
    up = 1 if plan.goal >= plan.start else -1
    count = int(abs(plan.goal - plan.start) / plan.step - 1e-9) + 1
    speeds = [round(plan.start + up * plan.step * k, 4) for k in range(count)]
    if abs(plan.goal - plan.start) < 1e-9:
        speeds = [plan.start]
    elif speeds[-1] != plan.goal:
        speeds.append(plan.goal)
    return tuple(SpeedStep(speed, plan.repeats) for speed in speeds)


def assigned_chunks(lesson: Lesson) -> list[Chunk]:
    """Give what a teacher assigned, in order, with the speed to reach; nothing in other lessons."""
    chunks = []
    for assigned in lesson.kept.assigned:
        phrase = lesson.phrase(assigned.phrase)
        if phrase is not None:
            name = f"{phrase.name}, up to {100 * assigned.goal:.0f} %"
            chunks.append(Chunk((phrase.ident,), name, ((phrase.start_s, phrase.end_s),)))
    return chunks


def joined_chunks(phrases: Sequence[Phrase]) -> list[Chunk]:
    """Plan phrase by phrase, joined from the start: 1, 2, 1+2, 3, 1+2+3.

    What lies between two phrases that are joined is left out, unless it is no more than their rest.

    Examples
    --------
    >>> a, b = Phrase(1, "A", 0.0, 1.0), Phrase(2, "B", 4.0, 5.0)
    >>> [chunk.name for chunk in joined_chunks([a, b])], joined_chunks([a, b])[-1].spans_s
    (['A', 'B', 'A + B'], ((0.0, 1.0), (4.0, 5.0)))
    """
    ordered = sorted(phrases, key=lambda phrase: phrase.start_s)
    return _joined([Chunk((p.ident,), p.name, ((p.start_s, p.end_s),)) for p in ordered])


def chunks_within(
    phrase: Phrase, time_map: TimeMap, parted: Parted, spots: Sequence[Spot] = ()
) -> list[Chunk]:
    """Plan the parts of one phrase, joined from the start.

    Parameters
    ----------
    phrase : Phrase
        That is to be learned.
    time_map : TimeMap
        Where its bars are.
    parted : Parted
        By one or two bars, or at marked spots.
    spots : sequence of Spot
        The marks of the lesson; those of other phrases do not count.

    Returns
    -------
    list of Chunk
        Empty where there is nothing to cut it at: a phrase of one bar, or without marks.
    """
    cuts = sorted(s.at_s for s in spots if s.phrase == phrase.ident)
    if parted is not Parted.SPOTS:
        cuts = _bar_lines(phrase, time_map, 2 if parted is Parted.TWO_BARS else 1)
    edges = [phrase.start_s]
    for cut in cuts:
        if edges[-1] + SHORTEST_PART_S < cut < phrase.end_s - SHORTEST_PART_S:
            edges.append(cut)
    if len(edges) == 1:
        return []
    spans = list(zip(edges, [*edges[1:], phrase.end_s], strict=True))
    names = [_part_name(time_map, parted, number, span) for number, span in enumerate(spans)]
    return _joined([
        Chunk((phrase.ident,), name, (span,)) for name, span in zip(names, spans, strict=True)
    ])  # fmt: skip


def marked(spots: Sequence[Spot], spot: Spot) -> tuple[Spot, ...]:
    """Add a mark, or take away the one that is there already.

    Parameters
    ----------
    spots : sequence of Spot
    spot : Spot
        With its phrase and its time in seconds.

    Examples
    --------
    >>> once = marked((), Spot(1, 2.0))
    >>> len(once), len(marked(once, Spot(1, 2.05))), len(marked(once, Spot(1, 3.0)))
    (1, 0, 2)
    """
    others = tuple(
        s for s in spots if s.phrase != spot.phrase or abs(s.at_s - spot.at_s) >= SHORTEST_PART_S
    )
    return others if len(others) < len(spots) else (*spots, spot)


def _bar_lines(phrase: Phrase, time_map: TimeMap, every: int) -> list[float]:
    """Give the bar lines inside a phrase, after every so many; a pickup stays with what it leads to."""
    first, last = time_map.to_beats([phrase.start_s, phrase.end_s]) / time_map.beats_per_bar
    begins = np.round(first) if first % 1 > 0.5 or first % 1 < BAR_LINE else np.floor(first)
    lines = np.arange(begins + every, last - BAR_LINE, every)
    return [float(time_map.to_seconds(bar * time_map.beats_per_bar)) for bar in lines]


def _part_name(time_map: TimeMap, parted: Parted, number: int, span: tuple[float, float]) -> str:
    if parted is Parted.SPOTS:
        return f"part {number + 1}"
    inside = time_map.to_beats([span[0] + 0.02, span[1] - 0.02])
    first, last = (time_map.bar_and_beat(float(beat))[0] for beat in inside)
    return f"bar {first}" if first == last else f"bars {first} and {last}"


def _joined(parts: Sequence[Chunk]) -> list[Chunk]:
    """Put after each part from the second on all that there is up to it."""
    plan: list[Chunk] = []
    spans: list[tuple[float, float]] = []
    for index, part in enumerate(parts):
        plan.append(part)
        start, end = part.spans_s[0]
        if spans and start - spans[-1][1] < GAP_S:
            spans[-1] = spans[-1][0], max(spans[-1][1], end)
        else:
            spans.append((start, end))
        if index and len(plan) < MOST_CHUNKS:
            inside = parts[: index + 1]
            name = (
                " + ".join(p.name for p in inside)
                if index < NAMED_PARTS
                else f"{parts[0].name} to {part.name}"
            )
            idents = dict.fromkeys(ident for p in inside for ident in p.phrases)
            plan.append(Chunk(tuple(idents), name, tuple(spans)))
    return plan

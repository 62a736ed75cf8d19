"""Speed steps and joined chunks: what a session of practice plays."""

from dataclasses import dataclass

from juxtanote.core.audio.player import SpeedStep
from juxtanote.core.score.kept import StepPlan
from juxtanote.core.score.lesson import Lesson, Phrase

MOST_CHUNKS = 400


@dataclass(frozen=True, slots=True)
class Chunk:
    """A phrase, or the first phrases joined: which they are, and the stretch that is looped."""

    phrases: tuple[int, ...]
    name: str
    start_s: float
    end_s: float


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
            chunks.append(Chunk((phrase.ident,), name, phrase.start_s, phrase.end_s))
    return chunks


def joined_chunks(phrases: list[Phrase]) -> list[Chunk]:
    """Plan part by part, joined from the start: 1, 2, 1+2, 3, 1+2+3.

    Examples
    --------
    >>> a, b = Phrase(1, "A", 0.0, 1.0), Phrase(2, "B", 1.0, 2.0)
    >>> [chunk.name for chunk in joined_chunks([a, b])]
    ['A', 'B', 'A + B']
    """
    ordered = sorted(phrases, key=lambda phrase: phrase.start_s)
    plan: list[Chunk] = []
    end = 0.0
    for index, phrase in enumerate(ordered):
        end = max(end, phrase.end_s)
        plan.append(Chunk((phrase.ident,), phrase.name, phrase.start_s, phrase.end_s))
        if index and len(plan) < MOST_CHUNKS:
            inside = ordered[: index + 1]
            name = (
                " + ".join(p.name for p in inside)
                if index < 6
                else (f"{ordered[0].name} to {phrase.name}")
            )
            plan.append(Chunk(tuple(p.ident for p in inside), name, ordered[0].start_s, end))
    return plan

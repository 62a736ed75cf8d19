"""Speed steps and joined chunks: what a session of practice plays."""

from dataclasses import dataclass

from juxtanote.core.audio.player import FASTEST, SLOWEST, SpeedStep
from juxtanote.core.score.lesson import Phrase


@dataclass(frozen=True, slots=True)
class StepPlan:
    """Start at one speed, play so many repeats, go up a step, until the goal."""

    start: float = 0.5
    step: float = 0.05
    goal: float = 1.0
    repeats: int = 4

    def __post_init__(self) -> None:
        if not SLOWEST <= self.start <= FASTEST or not SLOWEST <= self.goal <= FASTEST:
            raise ValueError(f"speeds go from {SLOWEST} to {FASTEST}")
        if not 0.005 <= self.step <= 0.5 or not 1 <= self.repeats <= 100:
            raise ValueError("a step is 0.005 to 0.5, repeats 1 to 100")

    def steps(self) -> tuple[SpeedStep, ...]:
        """List every speed with its repeats; the last is the goal.

        Examples
        --------
        >>> [s.speed for s in StepPlan(0.5, 0.25, 1.0, 2).steps()]
        [0.5, 0.75, 1.0]
        """
        up = 1 if self.goal >= self.start else -1
        count = int(abs(self.goal - self.start) / self.step - 1e-9) + 1
        speeds = [round(self.start + up * self.step * k, 4) for k in range(count)]
        if abs(self.goal - self.start) < 1e-9:
            speeds = [self.start]
        elif speeds[-1] != self.goal:
            speeds.append(self.goal)
        return tuple(SpeedStep(speed, self.repeats) for speed in speeds)


def joined_chunks(phrases: list[Phrase]) -> list[tuple[str, float, float]]:
    """Plan part by part, joined from the start: 1, 2, 1+2, 3, 1+2+3, as (name, start, end).

    Examples
    --------
    >>> a, b = Phrase(1, "A", 0.0, 1.0), Phrase(2, "B", 1.0, 2.0)
    >>> [name for name, _, _ in joined_chunks([a, b])]
    ['A', 'B', 'A + B']
    """
    ordered = sorted(phrases, key=lambda phrase: phrase.start_s)
    plan: list[tuple[str, float, float]] = []
    for index, phrase in enumerate(ordered):
        plan.append((phrase.name, phrase.start_s, phrase.end_s))
        if index:
            name = " + ".join(p.name for p in ordered[: index + 1])
            plan.append((name, ordered[0].start_s, max(p.end_s for p in ordered[: index + 1])))
    return plan

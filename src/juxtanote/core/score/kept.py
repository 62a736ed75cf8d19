"""What is kept with a lesson and is no part of undo: the practice log, the plan, where the person was."""

from dataclasses import dataclass, field

SLOWEST, FASTEST = 0.25, 1.25
"""Part of the recording's speed that can be practised at."""


@dataclass(frozen=True, slots=True)
class LogEntry:
    """One stretch of practice; `phrases` are numbers, `name` what they were called then."""

    date: str  # ISO 8601, day
    phrases: tuple[int, ...]
    name: str
    speed: float  # part of the recording's speed
    repeats: int
    note: str = ""

    def __post_init__(self) -> None:
        if not 0.05 <= self.speed <= 2.0 or not 0 <= self.repeats <= 100_000:
            raise ValueError(f"practice at {self.speed} times the speed, {self.repeats} repeats")


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


@dataclass(frozen=True, slots=True)
class Checked:
    """A phrase in which the program found nothing left to say, when, and as it was then."""

    phrase: int
    date: str  # ISO 8601, day
    mark: str  # of what was written, see `checks.findings.mark_of`


@dataclass(frozen=True, slots=True)
class Kept:
    """What is saved with the lesson beside what can be undone.

    `found_at` is where the recording was found after it had been moved; `desk`, `phrase` (0: none)
    and `position_s` are where the person was.
    """

    log: tuple[LogEntry, ...] = ()
    plan: StepPlan = field(default_factory=StepPlan)
    desk: str = ""
    phrase: int = 0
    position_s: float = 0.0
    found_at: str = ""
    checked: tuple[Checked, ...] = ()

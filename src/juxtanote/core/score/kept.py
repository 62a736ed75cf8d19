"""What is kept with a lesson and is no part of undo: the practice log, the plan, where the person was."""

from dataclasses import dataclass, field

# Part of the recording's speed that can be practised at.
SLOWEST, FASTEST = 0.25, 1.25
CLEAN_SHARE, CLEAN_MS = 0.95, 30.0  # of the notes, and off the beat: a take that went well


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
class BarOfTake:
    """A bar of a take: how many notes are written, how many were played, how late (median, ms)."""

    bar: int
    written: int
    played: int
    late_ms: float


@dataclass(frozen=True, slots=True)
class TakeEntry:
    """A take that was compared: when, how fast, where its sound is, and how it went.

    `share` of the notes were played, `spread_ms` is how far they were off the take's own beat (median).
    """

    phrase: int
    date: str  # ISO 8601, to the second
    speed: float
    file: str  # its name among this machine's takes; empty where it came from elsewhere
    share: float
    spread_ms: float
    findings: int = 0
    bars: tuple[BarOfTake, ...] = ()

    def __post_init__(self) -> None:
        if not 0.05 <= self.speed <= 4.0 or not 0.0 <= self.share <= 1.0:
            raise ValueError(f"a take at {self.speed} times the speed, {self.share} of its notes")

    @property
    def is_clean(self) -> bool:
        """Whether it may go up a step: nearly every note, near the beat."""
        return self.share >= CLEAN_SHARE and self.spread_ms <= CLEAN_MS


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
class Assigned:
    """A phrase that a teacher chose for a student, in the teacher's order, and the speed to reach."""

    phrase: int
    goal: float = 1.0

    def __post_init__(self) -> None:
        if not SLOWEST <= self.goal <= FASTEST:
            raise ValueError(f"a goal of {self.goal}: {SLOWEST} to {FASTEST}")


@dataclass(frozen=True, slots=True)
class Spot:
    """A place that a person marked in a phrase, to learn it from mark to mark."""

    phrase: int
    at_s: float  # of the recording

    def __post_init__(self) -> None:
        if not 0.0 <= self.at_s < 1e6:
            raise ValueError(f"a mark at {self.at_s} s")


@dataclass(frozen=True, slots=True)
class StudentLog:
    """What a student practised, as it came back."""

    name: str
    log: tuple[LogEntry, ...] = ()
    takes: tuple[TakeEntry, ...] = ()


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
    assigned: tuple[Assigned, ...] = ()
    students: tuple[StudentLog, ...] = ()
    spots: tuple[Spot, ...] = ()
    takes: tuple[TakeEntry, ...] = ()

"""Which speed comes next: up after what was clean, back after what was missed, else where it is."""

from juxtanote.core.score.kept import CLEAN_MS, CLEAN_SHARE, StepPlan, TakeEntry

MISSED_SHARE = 0.8  # a take with fewer of its notes goes back a step
RULE = (
    "After a clean take ({clean:.0f} % of the notes, within {ms:.0f} ms of the beat) it goes up a step; "
    "after one with less than {missed:.0f} % of the notes back a step; else it stays."
)


def rule() -> str:
    """Say the rule as it is shown."""
    return RULE.format(clean=100 * CLEAN_SHARE, ms=CLEAN_MS, missed=100 * MISSED_SHARE)


def next_speed(plan: StepPlan, speed: float, take: TakeEntry) -> float:
    """Give the speed to go on with after a take that was played at `speed` (1 is the recording's).

    Examples
    --------
    >>> plan = StepPlan(0.5, 0.1, 1.0)
    >>> next_speed(plan, 0.6, TakeEntry(1, "", 0.6, "", 1.0, 12.0))
    0.7
    >>> next_speed(plan, 0.6, TakeEntry(1, "", 0.6, "", 0.5, 12.0))
    0.5
    """
    low, high = sorted((plan.start, plan.goal))
    if take.is_clean:
        speed += plan.step
    elif take.share < MISSED_SHARE:
        speed -= plan.step
    return round(min(max(speed, low), high), 4)

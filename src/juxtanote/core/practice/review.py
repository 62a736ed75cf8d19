"""When a phrase comes back: after gaps that double while it goes well (S. Leitner, "So lernt man lernen",
1972: each success moves a card one box on, a failure moves it to the first)."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from juxtanote.core.score.kept import Kept, LogEntry, TakeEntry
from juxtanote.core.score.lesson import Lesson

GAPS_DAYS = (1, 2, 4, 8, 16, 32)  # doubling
NEAR_GOAL = 0.9  # of the goal's speed: from here on a day went well


@dataclass(frozen=True, slots=True)
class Review:
    """A phrase, which box it is in (0 is the first), and the day from which on it is due."""

    phrase: int
    box: int
    due: date


def reviews(lesson: Lesson) -> list[Review]:
    """Give for every phrase that was practised when it is due, the most overdue first."""
    kept = lesson.kept
    found = []
    for phrase in lesson.phrases:
        days = _days(kept, phrase.ident)
        if days:
            found.append(_review(phrase.ident, days))
    return sorted(found, key=lambda review: (review.due, review.phrase))


def due_on(lesson: Lesson, day: date) -> list[Review]:
    """Give the phrases that are due on a day.

    Parameters
    ----------
    lesson : Lesson
    day : date
    """
    return [review for review in reviews(lesson) if review.due <= day]


def _days(kept: Kept, phrase: int) -> list[tuple[date, bool]]:
    """Give the days on which a phrase was practised, and whether each went well."""
    well: dict[date, bool] = {}
    for entry in kept.log:
        day = _day(entry)
        if phrase in entry.phrases and day is not None:
            good = entry.speed >= NEAR_GOAL * kept.plan.goal
            well[day] = well.get(day, False) or good
    for take in kept.takes:
        day = _day(take)
        if take.phrase == phrase and day is not None:  # a take says more than a count of passes
            well[day] = take.is_clean
    return sorted(well.items())


def _day(entry: LogEntry | TakeEntry) -> date | None:
    try:
        return date.fromisoformat(entry.date[:10])
    except ValueError:
        return None


def _review(phrase: int, days: Sequence[tuple[date, bool]]) -> Review:
    """Go through the days: a good one that was due moves the phrase on, a bad one back."""
    box, due = 0, days[0][0]
    for day, good in days:
        if not good:
            box = 0
        elif day >= due and day > days[0][0]:
            box = min(box + 1, len(GAPS_DAYS) - 1)
        if not good or day >= due:
            due = day + timedelta(days=GAPS_DAYS[box])
    return Review(phrase, box, due)

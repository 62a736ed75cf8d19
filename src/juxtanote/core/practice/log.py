"""The practice log: what was played, how often, how fast, and how it went up."""

from dataclasses import dataclass, replace

from juxtanote.core.score.lesson import Lesson, LogEntry

SAME_SPEED = 0.005


@dataclass(frozen=True, slots=True)
class Point:
    """One day of one phrase, for the plot."""

    date: str
    phrase: str
    best_speed: float
    repeats: int


def add_practice(lesson: Lesson, date: str, phrase: str, speed: float, repeats: int) -> Lesson:
    """Log practice; repeats at the same speed on the same day add up in one entry."""
    if repeats < 1:
        return lesson
    entries = list(lesson.log)
    for index, entry in enumerate(entries):
        same = entry.date == date and entry.phrase == phrase
        if same and abs(entry.speed - speed) < SAME_SPEED and not entry.note:
            entries[index] = replace(entry, repeats=entry.repeats + repeats)
            return replace(lesson, log=tuple(entries))
    entries.append(LogEntry(date, phrase, round(speed, 3), repeats))
    return replace(lesson, log=tuple(entries))


def daily_points(log: tuple[LogEntry, ...], phrase: str | None = None) -> list[Point]:
    """Give for each day and phrase the best speed and all repeats, by date."""
    days: dict[tuple[str, str], list[LogEntry]] = {}
    for entry in log:
        if phrase is None or entry.phrase == phrase:
            days.setdefault((entry.date, entry.phrase), []).append(entry)
    return [
        Point(date, name, max(e.speed for e in entries), sum(e.repeats for e in entries))
        for (date, name), entries in sorted(days.items())
    ]

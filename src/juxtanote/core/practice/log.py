"""The practice log: what was played, how often, how fast, and how it went up."""

import csv
import io
from dataclasses import dataclass, replace

from juxtanote.core.score.kept import Kept, LogEntry
from juxtanote.core.score.lesson import Lesson

SAME_SPEED = 0.005  # speeds so near are one row of a day
LOG_COLUMNS = (
    "date", "kind", "phrase", "speed_percent", "repeats", "notes_percent", "spread_ms", "note"
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Point:
    """One day of one phrase (or of phrases joined), for the plot."""

    date: str
    phrases: tuple[int, ...]
    name: str
    best_speed: float
    repeats: int


def add_practice(
    kept: Kept, date: str, phrases: tuple[int, ...], name: str, speed: float, repeats: int
) -> Kept:
    """Log practice; repeats at the same speed on the same day add up in one entry.

    Parameters
    ----------
    kept : Kept
        With the log as it is.
    date : str
        The day, ISO 8601.
    phrases : tuple of int
        Their numbers.
    name : str
        What they are called.
    speed : float
        1.0 is as recorded.
    repeats : int
        Passes that were played.
    """
    if repeats < 1:
        return kept
    entries = list(kept.log)
    for index, entry in enumerate(entries):
        same = entry.date == date and entry.phrases == phrases and not entry.note
        if same and abs(entry.speed - speed) < SAME_SPEED and (phrases or entry.name == name):
            entries[index] = replace(entry, repeats=entry.repeats + repeats)
            return replace(kept, log=tuple(entries))
    entries.append(LogEntry(date, phrases, name, round(speed, 3), repeats))
    return replace(kept, log=tuple(entries))


def log_csv(lesson: Lesson) -> str:
    """Write log and takes as CSV: day, what, speed in per cent, repeats, and how a take went."""
    held = io.StringIO()
    writer = csv.writer(held, lineterminator="\n")
    writer.writerow(LOG_COLUMNS)
    for entry in lesson.kept.log:
        writer.writerow([entry.date, "passes", name_of(entry, lesson), f"{100 * entry.speed:g}",
                         entry.repeats, "", "", entry.note])  # fmt: skip
    for take in lesson.kept.takes:
        name = current_name((take.phrase,), "", lesson)
        writer.writerow([take.date, "take", name, f"{100 * take.speed:g}", 1,
                         f"{100 * take.share:g}", f"{take.spread_ms:g}", take.file])  # fmt: skip
    return held.getvalue()


def name_of(entry: LogEntry, lesson: Lesson) -> str:
    """Give what the phrases of an entry are called now, or what they were called where they are gone.

    Parameters
    ----------
    entry : LogEntry
    lesson : Lesson
    """
    return current_name(entry.phrases, entry.name, lesson)


def current_name(phrases: tuple[int, ...], name: str, lesson: Lesson) -> str:
    """Join the present names of phrases; `name` where one of them is gone.

    Parameters
    ----------
    phrases : tuple of int
        Their numbers.
    name : str
        What they were called.
    lesson : Lesson
    """
    found = [lesson.phrase(ident) for ident in phrases]
    names = [phrase.name for phrase in found if phrase is not None]
    return " + ".join(names) if names and len(names) == len(found) else name


def daily_points(lesson: Lesson, phrase: int | None = None) -> list[Point]:
    """Give for each day and phrase the best speed and all repeats, by date.

    Parameters
    ----------
    lesson : Lesson
    phrase : int, optional
        The number of the one that is wanted.
    """
    days: dict[tuple[str, tuple[int, ...], str], list[LogEntry]] = {}
    for entry in lesson.kept.log:
        if phrase is None or entry.phrases == (phrase,):
            name = name_of(entry, lesson)
            days.setdefault((entry.date, entry.phrases, name), []).append(entry)
    return [
        Point(date, idents, name, max(e.speed for e in entries), sum(e.repeats for e in entries))
        for (date, idents, name), entries in sorted(days.items())
    ]

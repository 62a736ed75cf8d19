"""A lesson as plain JSON values and back; docs/format.md describes it, lesson.schema.json checks it."""

import math
from dataclasses import fields
from fractions import Fraction
from typing import Any

from juxtanote.core.errors import JuxtanoteError, LessonFileError
from juxtanote.core.score.lesson import Focus, Lesson, LogEntry, Phrase, Recording
from juxtanote.core.score.note import Evidence, HeardNote, Note, RunnerUp, WrittenNote
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.theory.tuning import Guitar

VERSION = 1
Json = Any


def lesson_to_json(lesson: Lesson) -> dict[str, Json]:
    """Give a lesson as JSON values."""
    body: dict[str, Json] = {"format": "juxtanote-lesson", "version": VERSION}
    for name in ("title", "teacher", "reference_cents", "key", "scale", "feel", "school"):
        body[name] = getattr(lesson, name)
    body["recording"] = _plain(lesson.recording)
    body["guitar"] = _plain(lesson.guitar)
    body["time_map"] = _plain(lesson.time_map)
    body["phrases"] = [_phrase_to_json(phrase) for phrase in lesson.phrases]
    body["log"] = [_plain(entry) for entry in lesson.log]
    body["chords"] = [list(chord) for chord in lesson.chords]
    body["form_bars"] = lesson.form_bars
    return body


def _plain(value: object) -> dict[str, Json]:
    """Give the fields of a frozen value; tuples and sets become lists, fractions text."""
    return {f.name: _value(getattr(value, f.name)) for f in fields(value)}  # type: ignore[arg-type]


def _value(value: object) -> Json:
    if isinstance(value, Fraction):
        return f"{value.numerator}/{value.denominator}"
    if isinstance(value, frozenset):
        return sorted(value)
    if isinstance(value, tuple):
        return [_value(item) for item in value]
    return value


def _phrase_to_json(phrase: Phrase) -> dict[str, Json]:
    body = {
        f.name: _value(getattr(phrase, f.name))
        for f in fields(phrase)
        if f.name not in ("notes", "focus", "evidence")
    }
    body["focus"] = _plain(phrase.focus)
    body["evidence"] = _plain(phrase.evidence)
    body["notes"] = [
        {
            "ident": note.ident,
            "heard": _plain(note.heard)
            | {"runner_ups": [_plain(other) for other in note.heard.runner_ups]},
            "written": _plain(note.written),
        }
        for note in phrase.notes
    ]
    return body


def lesson_from_json(body: Json) -> Lesson:
    """Build a lesson from JSON values.

    Raises
    ------
    LessonFileError
        If the version is unknown, a field is missing or a value is out of range.
    """
    if not isinstance(body, dict) or body.get("format") != "juxtanote-lesson":
        raise LessonFileError("This is not a lesson of Juxtanote. Choose a .juxta file.")
    version = body.get("version")
    if version != VERSION:
        raise LessonFileError(
            f"The lesson was written in format version {version!r}, and this program reads version "
            f"{VERSION}. Update the program, or export the lesson again."
        )
    try:
        return _lesson(body)
    except JuxtanoteError as error:
        raise LessonFileError(f"The lesson holds a value that cannot be used: {error}") from error
    except (KeyError, TypeError, ValueError, AttributeError, ZeroDivisionError) as error:
        raise LessonFileError(
            f"The lesson is damaged ({type(error).__name__}: {error}). Open an earlier copy."
        ) from error


def _lesson(body: dict[str, Json]) -> Lesson:
    _check_numbers(body)
    guitar = dict(body["guitar"])
    guitar["tuning"] = tuple(int(m) for m in guitar["tuning"])
    time_map = dict(body["time_map"])
    time_map["beat_times_s"] = tuple(float(t) for t in time_map["beat_times_s"])
    return Lesson(
        title=_text(body["title"]),
        teacher=_text(body["teacher"]),
        recording=Recording(**body["recording"]),
        guitar=Guitar(**guitar),
        reference_cents=float(body["reference_cents"]),
        time_map=TimeMap(**time_map),
        key=_text(body["key"]),
        scale=_text(body["scale"]),
        feel=_text(body["feel"]),
        school=_text(body["school"]),
        phrases=tuple(_phrase(item) for item in body["phrases"]),
        log=tuple(LogEntry(**entry) for entry in body["log"]),
        chords=tuple((int(bar), _text(symbol)) for bar, symbol in body["chords"]),
        form_bars=int(body.get("form_bars", 0)),
    )


def _text(value: Json) -> str:
    if not isinstance(value, str) or len(value) > 200_000:
        raise ValueError(f"{value!r:.40} is not a text")
    return value


def _check_numbers(value: Json, depth: int = 0) -> None:
    """Refuse numbers that are not finite, and nesting without end."""
    if depth > 12:
        raise ValueError("nested too deeply")
    if isinstance(value, float) and not math.isfinite(value):
        raise ValueError("a number is not finite")
    items = value.values() if isinstance(value, dict) else value if isinstance(value, list) else ()
    for item in items:
        _check_numbers(item, depth + 1)


def _pairs(value: Json) -> tuple[tuple[float, float], ...]:
    return tuple((float(a), float(b)) for a, b in value)


def _phrase(body: dict[str, Json]) -> Phrase:
    known = dict(body)
    known["focus"] = Focus(**known["focus"])
    evidence = known["evidence"]
    curves = {name: tuple(map(float, evidence[name])) for name in ("onset", "level", "voices")}
    known["evidence"] = Evidence(float(evidence["start_s"]), float(evidence["hop_s"]), **curves)
    known["waived"] = tuple(_text(key) for key in known["waived"])
    known["notes"] = tuple(_note(item) for item in known["notes"])
    return Phrase(**known)


def _note(body: dict[str, Json]) -> Note:
    heard = dict(body["heard"])
    heard["curve"] = _pairs(heard["curve"])
    heard.pop("lean", None)  # of lessons that an earlier version wrote
    heard["evidence"] = tuple(_text(line) for line in heard["evidence"])
    heard["runner_ups"] = tuple(RunnerUp(**other) for other in heard["runner_ups"])
    written = dict(body["written"])
    written["techniques"] = frozenset(written["techniques"])
    written["locked"] = frozenset(written["locked"])
    for name in ("onset_beats", "duration_beats"):
        if written[name] is not None:
            written[name] = Fraction(written[name])
    return Note(int(body["ident"]), HeardNote(**heard), WrittenNote(**written))

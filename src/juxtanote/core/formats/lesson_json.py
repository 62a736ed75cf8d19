"""A lesson as JSON text and back, through one typed boundary: see `lesson_wire` and docs/format.md."""

import re
from dataclasses import fields, replace
from fractions import Fraction
from typing import Any

import msgspec
import numpy as np

from juxtanote.core.errors import JuxtanoteError, LessonFileError
from juxtanote.core.formats import lesson_wire as wire
from juxtanote.core.formats.migrate import OLDEST, VERSION, migrate
from juxtanote.core.fretboard.phrases import is_on, replace_places, unlocked_off
from juxtanote.core.score.kept import (
    Assigned,
    BarOfTake,
    Checked,
    Kept,
    LogEntry,
    Spot,
    StepPlan,
    StudentLog,
    TakeEntry,
)
from juxtanote.core.score.lesson import Focus, Lesson, Part, Phrase, Recording, Variation
from juxtanote.core.score.limits import Limits
from juxtanote.core.score.note import Evidence, HeardNote, Note, RunnerUp, WrittenNote
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timing import recounted
from juxtanote.core.theory.keys import read_key
from juxtanote.core.theory.tuning import Guitar

_VALUES: dict[type, type] = {
    wire.RunnerUpW: RunnerUp, wire.HeardW: HeardNote, wire.WrittenW: WrittenNote, wire.NoteW: Note,
    wire.FocusW: Focus, wire.EvidenceW: Evidence, wire.VariationW: Variation, wire.PhraseW: Phrase,
    wire.GuitarW: Guitar, wire.PartW: Part, wire.RecordingW: Recording, wire.TimeMapW: TimeMap,
    wire.LogEntryW: LogEntry, wire.StepPlanW: StepPlan, wire.KeptW: Kept, wire.LessonW: Lesson,
    wire.AssignedW: Assigned, wire.StudentLogW: StudentLog, wire.SpotW: Spot,
    wire.BarOfTakeW: BarOfTake, wire.TakeEntryW: TakeEntry, wire.CheckedW: Checked, wire.LimitsW: Limits,
}  # fmt: skip
_BEATS = frozenset({"onset_beats", "duration_beats"})
_DEEPEST = 40  # of brackets in brackets: ours have fewer


class _Refused(ValueError):
    """A value that types allow and sense does not; the text begins with where it stands."""


def lesson_text(lesson: Lesson) -> bytes:
    """Write a lesson as JSON, UTF-8."""
    body: dict[str, object] = {"format": "juxtanote-lesson", "version": VERSION}
    body |= {field.name: getattr(lesson, field.name) for field in fields(lesson)}
    return msgspec.json.encode(body, enc_hook=_plain, order="deterministic") + b"\n"


def _plain(value: object) -> object:
    if isinstance(value, Fraction):
        return f"{value.numerator}/{value.denominator}"
    if isinstance(value, np.generic):  # a number that came out of an array
        return value.item()
    raise NotImplementedError(f"{type(value).__name__} has no form in a lesson file")


def lesson_from_text(data: bytes) -> Lesson:
    """Build a lesson from JSON text.

    Parameters
    ----------
    data : bytes
        UTF-8.

    Raises
    ------
    LessonFileError
        If it is no lesson, of an unknown version, or holds a value that makes no sense; the message
        gives the path of that value and the reason.
    """
    try:
        body = msgspec.json.decode(data)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError, ValueError) as error:
        raise LessonFileError(
            f"The lesson could not be read: it is damaged or no lesson ({_short(error)}). Open an "
            "earlier copy."
        ) from error
    return lesson_from_body(body)


def lesson_from_body(body: Any) -> Lesson:
    """Build a lesson from JSON values, those of an earlier version included."""
    if not isinstance(body, dict) or body.get("format") != "juxtanote-lesson":
        raise LessonFileError("This is not a lesson of Juxtanote. Choose a .juxta file.")
    version = body.get("version")
    if not isinstance(version, int) or not OLDEST <= version <= VERSION:
        raise LessonFileError(
            f"The lesson was written in format version {str(version)[:20]}, and this program reads "
            f"versions {OLDEST} to {VERSION}. Update the program, or export the lesson again."
        )
    try:
        checked = msgspec.convert(migrate(body), wire.LessonW, strict=True)
        lesson = _built(checked, "$")
        assert isinstance(lesson, Lesson)
        return _sensible(lesson) if version == VERSION else _repaired(lesson)
    except (msgspec.ValidationError, _Refused) as error:
        raise LessonFileError(
            f"The lesson holds a value that cannot be used: {_where(str(error))}. Open an earlier copy."
        ) from error
    except JuxtanoteError as error:
        raise LessonFileError(f"The lesson holds a value that cannot be used: {error}") from error
    except (
        KeyError,
        TypeError,
        ValueError,
        AttributeError,
        RecursionError,
        OverflowError,
    ) as error:
        raise LessonFileError(
            f"The lesson is damaged ({type(error).__name__}: {_short(error)}). Open an earlier copy."
        ) from error


def _short(error: Exception) -> str:
    return str(error)[:160]


def _where(text: str) -> str:
    """Turn "reason - at `$.path`" around: the path stands first."""
    match = re.match(r"(.*) - at `\$\.?(.*)`$", text, re.DOTALL)
    return f"{match[2] or 'lesson.json'}: {match[1]}"[:300] if match else text[:300]


def _built(value: Any, path: str, depth: int = 0) -> Any:
    """Give the program's own value of what was read; what it refuses is told with its path."""
    if depth > _DEEPEST:
        raise _Refused(f"{path}: nested too deeply")
    kind = type(value)
    if kind in _VALUES:
        known = {}
        for name in value.__struct_fields__:
            if kind is wire.LessonW and name in ("format", "version"):
                continue
            inner = getattr(value, name)
            if name in _BEATS and inner is not None:
                known[name] = _fraction(inner, f"{path}.{name}")
            else:
                known[name] = _built(inner, f"{path}.{name}", depth + 1)
        try:
            return _VALUES[kind](**known)
        except (ValueError, JuxtanoteError) as error:
            raise _Refused(f"{path[2:] or 'lesson.json'}: {error}") from error
    if kind is tuple and value and isinstance(value[0], msgspec.Struct):
        return tuple(_built(item, f"{path}[{k}]", depth + 1) for k, item in enumerate(value))
    return value


def _fraction(text: str, path: str) -> Fraction:
    try:
        return Fraction(text)
    except (ValueError, ZeroDivisionError) as error:
        raise _Refused(f"{path[2:]}: {text!r} is no fraction") from error


def _sensible(lesson: Lesson) -> Lesson:
    """Refuse what no single field tells: notes off their guitar, a key that is none."""
    for number, phrase in enumerate(lesson.phrases):
        guitar = lesson.part(phrase.part).guitar
        for under, variant in enumerate((phrase, *phrase.variants)):
            for count, note in enumerate(variant.notes):
                if not is_on(note, guitar):
                    inner = f".variants[{under - 1}]" if under else ""
                    raise _Refused(
                        f"phrases[{number}]{inner}.notes[{count}].written: string {note.written.string}, "
                        f"fret {note.written.fret} is not on a guitar of {guitar.string_count} strings "
                        f"and {guitar.last_fret} frets"
                    )
    return _keyed(lesson)


def _keyed(lesson: Lesson) -> Lesson:
    try:
        key = read_key(lesson.key)
    except ValueError as error:
        raise _Refused(f"key: {error}") from error
    return replace(lesson, key=key.name if key is not None else "")


def _repaired(lesson: Lesson) -> Lesson:
    """Make right what earlier versions could leave stale: counts, and places off the guitar."""
    for phrase in lesson.phrases:
        guitar = lesson.part(phrase.part).guitar
        if not all(is_on(note, guitar) for note in phrase.notes):
            lesson = lesson.with_phrase(replace_places(unlocked_off(phrase, guitar), lesson))
    return recounted(_keyed(lesson))


def practice_report(title: str, student: StudentLog) -> bytes:
    """Write what a student practised as the small file that goes back to the teacher, UTF-8.

    Parameters
    ----------
    title : str
        Of the lesson.
    student : StudentLog
    """
    body = {"format": "juxtanote-practice", "version": 1, "title": title, "student": student}
    return msgspec.json.encode(body, enc_hook=_plain, order="deterministic") + b"\n"


def read_practice_report(data: bytes) -> tuple[str, StudentLog]:
    """Read a practice report: the lesson's title, and what was practised.

    Parameters
    ----------
    data : bytes
        UTF-8.

    Raises
    ------
    LessonFileError
        If it is none, or holds a value that makes no sense.
    """
    try:
        read = msgspec.json.decode(data, type=wire.PracticeReportW, strict=True)
        student = _built(read.student, "$.student")
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError, _Refused) as error:
        raise LessonFileError(
            f"This is no practice report of Juxtanote, or it is damaged ({_where(str(error))}). Ask for "
            "it again."
        ) from error
    assert isinstance(student, StudentLog)
    return read.title, student


def schema() -> dict[str, Any]:
    """Give the JSON Schema (draft 2020-12) of lesson.json, as it ships beside this module."""
    made = msgspec.json.schema(wire.LessonW)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "A lesson"} | made

"""A lesson as JSON text and back, through one typed boundary: see `lesson_wire` and docs/format.md."""

import re
from dataclasses import fields, replace
from fractions import Fraction
from functools import cache, lru_cache
from typing import Any

import msgspec
import numpy as np

from juxtanote.core.errors import JuxtanoteError, LessonFileError
from juxtanote.core.formats import lesson_wire as wire
from juxtanote.core.formats.migrate import OLDEST, VERSION, migrate
from juxtanote.core.fretboard.phrases import is_on, replace_places, unlocked_off
from juxtanote.core.progress import Progress, no_progress
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
from juxtanote.core.theory.observed import Observation
from juxtanote.core.theory.tuning import Guitar

_VALUES: dict[type, type] = {
    wire.RunnerUpW: RunnerUp, wire.HeardW: HeardNote, wire.WrittenW: WrittenNote, wire.NoteW: Note,
    wire.ObservationW: Observation, wire.FocusW: Focus, wire.EvidenceW: Evidence,
    wire.VariationW: Variation, wire.PhraseW: Phrase,
    wire.GuitarW: Guitar, wire.PartW: Part, wire.RecordingW: Recording, wire.TimeMapW: TimeMap,
    wire.LogEntryW: LogEntry, wire.StepPlanW: StepPlan, wire.KeptW: Kept, wire.LessonW: Lesson,
    wire.AssignedW: Assigned, wire.StudentLogW: StudentLog, wire.SpotW: Spot,
    wire.BarOfTakeW: BarOfTake, wire.TakeEntryW: TakeEntry, wire.CheckedW: Checked, wire.LimitsW: Limits,
}  # fmt: skip
_BEATS = frozenset({"onset_beats", "duration_beats"})
TOLD_EVERY = 64  # notes between two reports
_PLAIN = frozenset({float, int, str, bool, type(None)})
_DEEPEST = 40  # of brackets in brackets: ours have fewer


class _Refused(ValueError):
    """A value that types allow and sense does not; the text begins with where it stands."""

    def __init__(self, reason: str, path: str = "") -> None:
        super().__init__(f"{path.removeprefix('.') or 'lesson.json'}: {reason}")
        self._reason, self._path = reason, path

    def within(self, step: str) -> "_Refused":
        """Give the same of the value that this one is part of."""
        return _Refused(self._reason, step + self._path)


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


def lesson_from_text(data: bytes, progress: Progress = no_progress) -> Lesson:
    """Build a lesson from JSON text.

    Parameters
    ----------
    data : bytes
        UTF-8.
    progress : Progress
        Told how far it is, 0 to 1.

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
    return lesson_from_body(body, progress)


def lesson_from_body(body: Any, progress: Progress = no_progress) -> Lesson:
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
        notes = sum(len(phrase.notes) for phrase in checked.phrases)
        lesson = _Builder(notes, progress).built(checked)
        assert isinstance(lesson, Lesson)
        return _repaired(lesson) if version == OLDEST else _sensible(lesson)
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


@cache
def _fields_of(kind: Any) -> tuple[str, ...]:
    about_the_file = {"format", "version"} if kind is wire.LessonW else set()
    return tuple(name for name in kind.__struct_fields__ if name not in about_the_file)


class _Builder:
    """Makes the program's own values of what was read; what they refuse is told with its path."""

    def __init__(self, notes: int = 0, progress: Progress = no_progress) -> None:
        self._progress, self._notes, self._made = progress, notes, 0

    def built(self, value: Any, depth: int = 0) -> Any:
        """Give the own value of anything that was read."""
        if depth > _DEEPEST:
            raise _Refused("nested too deeply")
        kind = type(value)
        if kind in _VALUES:
            known = {}
            for name in _fields_of(kind):  # type: ignore[arg-type]
                inner = getattr(value, name)
                is_plain = type(inner) in _PLAIN and name not in _BEATS  # most of a lesson
                known[name] = inner if is_plain else self._field(inner, name, depth)
            try:
                return _VALUES[kind](**known)
            except (ValueError, JuxtanoteError) as error:
                raise _Refused(str(error)) from error
        if kind is tuple and value and isinstance(value[0], msgspec.Struct):
            return tuple(self._item(item, number, depth) for number, item in enumerate(value))
        return value

    def _field(self, value: object, name: str, depth: int) -> Any:
        try:
            if name in _BEATS and value is not None:
                return _fraction(value)
            return self.built(value, depth + 1)
        except _Refused as error:
            raise error.within(f".{name}") from error

    def _item(self, value: object, number: int, depth: int) -> Any:
        if isinstance(value, wire.NoteW):
            self._made += 1
            if self._made % TOLD_EVERY == 0:
                self._progress(min(self._made / max(self._notes, 1), 1.0))
        try:
            return self.built(value, depth + 1)
        except _Refused as error:
            raise error.within(f"[{number}]") from error


@lru_cache(maxsize=4096)  # a lesson counts in the same few hundred places
def _fraction(text: object) -> Fraction:
    try:
        return Fraction(str(text))
    except (ValueError, ZeroDivisionError) as error:
        raise _Refused(f"{text!r} is no fraction") from error


def _sensible(lesson: Lesson) -> Lesson:
    """Refuse what no single field tells: notes off their guitar, a key that is none."""
    for number, phrase in enumerate(lesson.phrases):
        guitar = lesson.part(phrase.part).guitar
        for under, variant in enumerate((phrase, *phrase.variants)):
            for count, note in enumerate(variant.notes):
                if not is_on(note, guitar):
                    inner = f".variants[{under - 1}]" if under else ""
                    raise _Refused(
                        f"string {note.written.string}, fret {note.written.fret} is not on a guitar of "
                        f"{guitar.string_count} strings and {guitar.last_fret} frets",
                        f"phrases[{number}]{inner}.notes[{count}].written",
                    )
    return _keyed(lesson)


def _keyed(lesson: Lesson) -> Lesson:
    try:
        key = read_key(lesson.key)
    except ValueError as error:
        raise _Refused(str(error), "key") from error
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
        student = _student_of(read.student)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError, _Refused) as error:
        raise LessonFileError(
            f"This is no practice report of Juxtanote, or it is damaged ({_where(str(error))}). Ask for "
            "it again."
        ) from error
    assert isinstance(student, StudentLog)
    return read.title, student


def _student_of(read: wire.StudentLogW) -> Any:
    try:
        return _Builder().built(read)
    except _Refused as error:
        raise error.within("student") from error


def schema() -> dict[str, Any]:
    """Give the JSON Schema (draft 2020-12) of lesson.json, as it ships beside this module."""
    made = msgspec.json.schema(wire.LessonW)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "A lesson"} | made

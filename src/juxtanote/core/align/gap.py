"""Where the written and the heard differ, note by note: pitch, time, bend."""

import statistics
from dataclasses import dataclass

import numpy as np

from juxtanote.core.score.lesson import Context, Lesson, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.rhythm import swing_of, swung
from juxtanote.core.score.sounding import sounding_midi


@dataclass(frozen=True, slots=True)
class Gap:
    """Differences of one note; positive is sharp, late, too far. None: nothing to compare."""

    ident: int
    pitch_cents: float | None
    late_s: float | None
    bend_cents: float | None  # reached less asked
    reached_s: float | None  # from the onset to the bend's target


def measure_gap(note: Note, context: Context, swing: float = 0.5) -> Gap:
    """Compare one note's two descriptions; `swing` is where the off-beat of its phrase falls.

    Parameters
    ----------
    note : Note
        Heard and written.
    context : Context
        The lesson as its part sees it.
    swing : float
        From 0 to 1 of a beat; 0.5 is straight.
    """
    late = _late(note, context, swing)
    return Gap(note.ident, _pitch(note, context), late, *_bend(note, context))


def measure_gaps(phrase: Phrase, lesson: Lesson) -> list[Gap]:
    """Compare every note of a phrase.

    Parameters
    ----------
    phrase : Phrase
        What is compared.
    lesson : Lesson
        The lesson that it is of.
    """
    swing, context = swing_of(phrase, lesson.time_map), lesson.context(phrase)
    counted = [
        swung(float(onset), swing) if (onset := n.written.onset_beats) is not None else 0.0
        for n in phrase.notes
    ]
    seconds = lesson.time_map.to_seconds(counted) if counted else np.zeros(0)
    return [
        Gap(
            note.ident, _pitch(note, context),
            note.onset_s - at if _is_counted(note) else None, *_bend(note, context),
        )
        for note, at in zip(phrase.notes, seconds.tolist(), strict=True)
    ]  # fmt: skip


def _pitch(note: Note, context: Context) -> float | None:
    """Give how far what sounded before any bend is from what is written, in cents."""
    if "dead" in note.written.techniques:
        return None
    written = sounding_midi(note, context.guitar)
    base = 100.0 * (note.heard.midi - written)
    tags = note.written.techniques
    if not note.heard.curve or tags & {"bend", "pre-bend", "vibrato", "slide"}:
        return base
    cents = [c for _, c in note.heard.curve]
    settled = cents[len(cents) // 4 : max(3 * len(cents) // 4, len(cents) // 4 + 1)]
    return base + statistics.median(settled)


def _is_counted(note: Note) -> bool:
    return note.written.onset_beats is not None and bool(note.written.duration_beats)


def _late(note: Note, context: Context, swing: float) -> float | None:
    if not _is_counted(note) or note.written.onset_beats is None:
        return None
    counted = float(context.time_map.to_seconds(swung(float(note.written.onset_beats), swing)))
    return note.onset_s - counted


def _bend(note: Note, context: Context) -> tuple[float | None, float | None]:
    """Give how far the bend went beyond its target, and when it got there."""
    tags = note.written.techniques
    if "bend" not in tags or len(note.heard.curve) < 6 or note.written.bend_semitones <= 0:
        return None, None
    times = np.array([t for t, _ in note.heard.curve])
    base = 100.0 * (note.heard.midi - sounding_midi(note, context.guitar))
    cents = np.array([c for _, c in note.heard.curve]) + base
    width = min(15, len(cents))
    steady = np.convolve(cents, np.ones(width) / width, mode="valid")
    reached = float(np.max(steady))
    target = 100.0 * note.written.bend_semitones
    there = np.flatnonzero(cents >= 0.9 * reached)
    return reached - target, float(times[there[0]]) if len(there) else None

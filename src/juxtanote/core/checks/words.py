"""Findings in words: what is said of each kind, for desks, files and handouts alike."""

import csv
import io
from collections.abc import Sequence

from juxtanote.core.checks.complaints import BEND, EXTRA, MISSING, TIME, WRONG_PITCH
from juxtanote.core.checks.findings import Finding, Problem
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.theory.pitch import pitch_name

FINDING_COLUMNS = (
    "phrase", "onset_s", "bar", "string", "fret", "finding", "detail", "severity", "confidence"
)  # fmt: skip
_HEARD_AGAIN = {
    MISSING: "a note is not written", EXTRA: "nothing sounds here", WRONG_PITCH: "another pitch sounds",
    TIME: "sounds at another time", BEND: "the bend sounds otherwise",
}  # fmt: skip
_PLAYED = {"tap": "tapped", "hammer-on": "hammered", "pull-off": "pulled"}


def say_what(finding: Finding) -> str:
    """Say in a few words what is wrong."""
    values = finding.values
    match finding.kind:
        case Problem.BEND:
            return "bend falls short" if values[1] < values[0] else "bend goes too far"
        case Problem.PITCH:
            return "written is not what was heard"
        case Problem.SLUR:
            return f"{finding.technique} changes string"
        case Problem.TWICE:
            return "two notes on one string"
        case Problem.TIME:
            return "late" if values[0] > 0 else "early"
        case Problem.QUIET:
            return f"{_PLAYED[finding.technique]} note too quiet"
        case Problem.BLEED:
            return "rings into the next note"
        case Problem.SHAKE:
            return "vibrato before the pitch is reached"
        case Problem.EAR:
            assert finding.complaint is not None
            return _HEARD_AGAIN.get(finding.complaint.kind, finding.complaint.detail)


def say_how_far(finding: Finding) -> str:
    """Say how far apart written and heard are."""
    values = finding.values
    match finding.kind:
        case Problem.BEND:
            return f"asked {values[0]:.0f}, reached {values[1]:.0f} cents"
        case Problem.PITCH:
            return f"heard {values[0]:+.0f} cents from what is written"
        case Problem.SLUR:
            return f"from string {values[0]:.0f} to string {values[1]:.0f}"
        case Problem.TWICE:
            return f"string {values[0]:.0f} cannot sound twice"
        case Problem.TIME:
            side = "behind" if values[0] > 0 else "ahead of"
            return f"{1000 * abs(values[0]):.0f} ms {side} the count"
        case Problem.QUIET:
            return f"{values[0]:.1f} dB under the picked ones"
        case Problem.BLEED:
            interval = "a semitone" if values[1] < 1.5 else "a tone"
            return f"{1000 * values[0]:.0f} ms, {interval} apart"
        case Problem.SHAKE:
            return "reach it first"
        case Problem.EAR:
            return _heard_again(finding)


def _heard_again(finding: Finding) -> str:
    """Say what the second ear heard, and how sure it is."""
    complaint = finding.complaint
    assert complaint is not None
    words = [pitch_name(round(complaint.midi))] if complaint.midi is not None else []
    if complaint.kind in _HEARD_AGAIN:
        words.append(complaint.detail)
    told, sure = ", ".join(words), f"confidence {complaint.confidence:.2f}"
    return f"{told} ({sure})" if told else sure


def findings_csv(found: Sequence[Finding], phrase: Phrase, lesson: Lesson) -> str:
    """Write findings as CSV, worst first: where, what, how much it weighs, and how sure it is.

    Parameters
    ----------
    found : sequence of Finding
    phrase : Phrase
    lesson : Lesson
        That it is of.
    """
    held = io.StringIO()
    writer = csv.writer(held, lineterminator="\n")
    writer.writerow(FINDING_COLUMNS)
    for finding in found:
        note = phrase.note(finding.notes[0]) if finding.notes else None
        confidence = finding.complaint.confidence if finding.complaint is not None else ""
        place = (note.written.string, note.written.fret) if note else ("", "")
        writer.writerow([
            phrase.name, f"{finding.onset_s:.3f}", _bar_of(finding.onset_s, lesson), *place,
            say_what(finding), say_how_far(finding), f"{finding.severity:.2f}",
            f"{confidence:.2f}" if confidence != "" else "",
        ])  # fmt: skip
    return held.getvalue()


def _bar_of(seconds: float, lesson: Lesson) -> int:
    return lesson.time_map.bar_and_beat(float(lesson.time_map.to_beats(seconds)) + 0.12)[0]

"""Findings: real measurements that a careful ear would complain about, worst first."""

import hashlib
from dataclasses import dataclass, replace
from enum import StrEnum, unique

import numpy as np

from juxtanote.core.align.gap import Gap, measure_gaps
from juxtanote.core.checks.complaints import Complaint
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score.kept import Checked, Kept
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.limits import Limits
from juxtanote.core.score.note import SLURS, Note

MOST_IN_ORDER = 0.75  # with fewer of them in tune, pitches are not in order
CURL_SEMITONES = 0.75  # up to here a bend is a curl that need not be in tune (common practice)
RINGS_S = 0.12  # a note may ring so long into the next one before it is told
# Seconds within which notes are one stroke, and between which one note comes after another.
TOGETHER_S, JUST_BEFORE_S, LONG_AGO_S = 0.03, 0.02, 1.5
# How bad it is, 0 to 1: what no hand can do; how late and how soft is as bad as can be told; the most of
# each, and a vibrato that comes before its pitch.
SURE_OF_STRINGS, EARLY_SHAKE = 0.95, 0.4
VERY_LATE_S, MOST_OF_TIME, VERY_SOFT_DB, MOST_OF_SOFT, MOST_OF_BLEED = 0.15, 0.8, 20.0, 0.7, 0.6
REACHED_AT = 0.85  # of a bend


@unique
class Problem(StrEnum):
    """What a finding is about; behind each what its values are."""

    BEND = "bend"  # cents that are asked, and reached
    PITCH = "pitch"  # cents from what is written
    SLUR = "slur"  # strings that it comes from and goes to
    TWICE = "twice"  # string
    TIME = "time"  # seconds behind the count
    QUIET = "quiet"  # dB under the picked notes
    BLEED = "bleed"  # seconds, semitones to the next note
    SHAKE = "shake"
    EAR = "ear"  # told by the complaint


@dataclass(frozen=True, slots=True)
class Finding:
    """One complaint, said by `checks.words`: `notes` are idents, `key` stays the same over time."""

    key: str
    kind: Problem
    severity: float  # 0 to 1
    notes: tuple[int, ...]
    onset_s: float
    values: tuple[float, ...] = ()
    technique: str = ""
    complaint: Complaint | None = None  # of the second ear, with what would mend it


def mark_of(phrase: Phrase) -> str:
    """Give a mark of what a phrase says: it changes with any note, place, technique or time."""
    said = [
        (n.onset_s, w.string, w.fret, sorted(w.techniques), w.bend_semitones, str(w.onset_beats))
        for n in phrase.notes
        for w in (n.written,)
    ]
    return hashlib.sha256(repr((phrase.start_s, phrase.end_s, said)).encode()).hexdigest()[:16]


def checked_on(phrase: Phrase, lesson: Lesson) -> str:
    """Give the day on which nothing was left to say of a phrase as it is now; "" if there was none.

    Parameters
    ----------
    phrase : Phrase
    lesson : Lesson
        That it is of.
    """
    known = next((c for c in lesson.kept.checked if c.phrase == phrase.ident), None)
    return known.date if known is not None and known.mark == mark_of(phrase) else ""


def as_checked(kept: Kept, phrase: Phrase, date: str) -> Kept:
    """Note that nothing is left to say of a phrase.

    Parameters
    ----------
    kept : Kept
        As it is.
    phrase : Phrase
        Of that lesson.
    date : str
        The day, ISO 8601.
    """
    others = [c for c in kept.checked if c.phrase != phrase.ident]
    return replace(kept, checked=(*others, Checked(phrase.ident, date, mark_of(phrase))))


def find_problems(phrase: Phrase, lesson: Lesson) -> list[Finding]:
    """Check a phrase; what the instructor waived is left out.

    Parameters
    ----------
    phrase : Phrase
    lesson : Lesson
        That it is of.
    """
    return list(examine(phrase, lesson).found)


@dataclass(frozen=True, slots=True)
class Examined:
    """All that checking a phrase gives: what is wrong, what was let pass, and what is fine."""

    found: tuple[Finding, ...]
    waived: tuple[Finding, ...]
    in_order: tuple[str, ...]


def examine(phrase: Phrase, lesson: Lesson, progress: Progress = no_progress) -> Examined:
    """Check a phrase once for everything that is said of it.

    Parameters
    ----------
    phrase : Phrase
    lesson : Lesson
        That it is of.
    progress : Progress
        Told how far it is, 0 to 1.
    """
    gaps = measure_gaps(phrase, lesson)
    progress(0.5)
    every = _all(phrase, gaps, lesson.limits)
    progress(0.9)
    found = [f for f in every if f.key not in phrase.waived]
    waived = [f for f in every if f.key in phrase.waived]
    return Examined(tuple(found), tuple(waived), tuple(_fine(phrase, gaps, found, lesson.limits)))


def _all(phrase: Phrase, gaps: list[Gap], limits: Limits) -> list[Finding]:
    found = [
        *_strings(phrase),
        *([] if phrase.is_variant else _against_the_sound(phrase, gaps, limits)),
    ]
    return sorted(found, key=lambda finding: (-finding.severity, finding.onset_s))


def _against_the_sound(phrase: Phrase, gaps: list[Gap], limits: Limits) -> list[Finding]:
    """Compare with what was heard: a variant was not played on the recording."""
    return [
        *_bends(phrase, gaps, limits),
        *_pitches(phrase, gaps, limits),
        *_timing(phrase, gaps, limits),
        *_quiet_slurs(phrase, limits),
        *_bleed(phrase),
        *_early_vibrato(phrase),
    ]


def _bends(phrase: Phrase, gaps: list[Gap], limits: Limits) -> list[Finding]:
    found = []
    for note, gap in zip(phrase.notes, gaps, strict=True):
        asked = note.written.bend_semitones
        if (
            gap.bend_cents is None
            or asked < CURL_SEMITONES
            or abs(gap.bend_cents) < limits.bend_cents
        ):
            continue
        values = 100.0 * asked, 100.0 * asked + gap.bend_cents
        found.append(_finding(note, Problem.BEND, abs(gap.bend_cents) / 100.0, values))
    return found


def _pitches(phrase: Phrase, gaps: list[Gap], limits: Limits) -> list[Finding]:
    found = []
    for note, gap in zip(phrase.notes, gaps, strict=True):
        if gap.pitch_cents is None or abs(gap.pitch_cents) < limits.pitch_cents:
            continue
        severity = abs(gap.pitch_cents) / 150.0
        found.append(_finding(note, Problem.PITCH, severity, (gap.pitch_cents,)))
    return found


def _strings(phrase: Phrase) -> list[Finding]:
    """Find slurs that change string, and notes at once on one string."""
    found = []
    for index, note in enumerate(phrase.notes):
        earlier = phrase.notes[:index]
        tags = note.written.techniques
        if tags & (SLURS - {"tap"}):
            before = [n for n in earlier if JUST_BEFORE_S < note.onset_s - n.onset_s < LONG_AGO_S]
            source = before[-1] if before else None
            same = [n for n in before[-4:] if n.written.string == note.written.string]
            if source is not None and not same:
                strings = float(source.written.string), float(note.written.string)
                slur = _finding(note, Problem.SLUR, SURE_OF_STRINGS, strings)
                found.append(replace(slur, technique=sorted(tags & SLURS)[0]))
        for other in earlier[-8:]:
            together = abs(other.onset_s - note.onset_s) < TOGETHER_S
            if together and other.written.string == note.written.string:
                string = (float(note.written.string),)
                found.append(_finding(note, Problem.TWICE, 1.0, string, other))
    return found


def _timing(phrase: Phrase, gaps: list[Gap], limits: Limits) -> list[Finding]:
    found = []
    for note, gap in zip(phrase.notes, gaps, strict=True):
        if gap.late_s is None or 1000.0 * abs(gap.late_s) < limits.late_ms:
            continue
        severity = min(abs(gap.late_s) / VERY_LATE_S, MOST_OF_TIME)
        found.append(_finding(note, Problem.TIME, severity, (gap.late_s,)))
    return found


def _quiet_slurs(phrase: Phrase, limits: Limits) -> list[Finding]:
    picked = [
        n.heard.level_db for n in phrase.notes if not n.written.techniques & (SLURS | {"dead"})
    ]
    if len(picked) < 2:
        return []
    usual = float(np.median(picked))
    found = []
    for note in phrase.notes:
        under = usual - note.heard.level_db
        if note.written.techniques & SLURS and under > limits.quiet_db:
            tags = note.written.techniques
            slur = next(tag for tag in ("tap", "hammer-on", "pull-off") if tag in tags)
            severity = min(under / VERY_SOFT_DB, MOST_OF_SOFT)
            quiet = _finding(note, Problem.QUIET, severity, (under,))
            found.append(replace(quiet, technique=slur))
    return found


def _bleed(phrase: Phrase) -> list[Finding]:
    """Find notes that ring into the next on another string, a semitone or a tone apart."""
    found = []
    for note, after in zip(phrase.notes, phrase.notes[1:], strict=False):
        over = note.offset_s - after.onset_s
        apart = abs(note.heard.midi - after.heard.midi)
        wanted = "let-ring" in note.written.techniques
        if over > RINGS_S and 0.5 < apart < 2.5 and note.written.string != after.written.string:
            if not wanted and after.onset_s - note.onset_s > TOGETHER_S:
                severity = min(over, MOST_OF_BLEED)
                found.append(_finding(note, Problem.BLEED, severity, (over, apart)))
    return found


def _early_vibrato(phrase: Phrase) -> list[Finding]:
    """Find vibrato that begins before a bend has reached its pitch."""
    found = []
    for note in phrase.notes:
        tags = note.written.techniques
        if not {"bend", "vibrato"} <= tags or len(note.heard.curve) < 10:
            continue
        cents = np.array([c for _, c in note.heard.curve])
        top = float(np.percentile(cents, 90))
        first = int(np.argmax(cents > REACHED_AT * top))
        turns = np.diff(np.sign(np.diff(cents[:first]))) if first > 4 else np.zeros(1)
        swings = [
            i
            for i in np.flatnonzero(turns).tolist()
            if abs(cents[i + 1] - cents[i - 3 if i > 3 else 0]) > 25
        ]
        if len(swings) >= 2:
            found.append(_finding(note, Problem.SHAKE, EARLY_SHAKE))
    return found


def _finding(
    note: Note, kind: Problem, severity: float, values: tuple[float, ...] = (), *others: Note
) -> Finding:
    idents = (note.ident, *(other.ident for other in others))
    bad = float(min(max(severity, 0.0), 1.0))
    return Finding(f"{kind}:{note.ident}", kind, bad, idents, note.onset_s, values)


def in_order(phrase: Phrase, lesson: Lesson) -> list[str]:
    """Say what was checked and is fine.

    Parameters
    ----------
    phrase : Phrase
    lesson : Lesson
        That it is of.
    """
    return list(examine(phrase, lesson).in_order)


def _fine(phrase: Phrase, gaps: list[Gap], found: list[Finding], limits: Limits) -> list[str]:
    if not phrase.notes:
        return []
    problems = {finding.kind for finding in found}
    pitched = [gap for gap in gaps if gap.pitch_cents is not None]
    near = sum(1 for gap in pitched if abs(gap.pitch_cents or 0.0) < 15)
    lines = []
    if pitched and near >= MOST_IN_ORDER * len(pitched):
        lines.append(f"{near} of {len(pitched)} pitches within 15 cents")
    if Problem.TWICE not in problems:
        lines.append("no two notes share a string")
    if Problem.SLUR not in problems:
        lines.append("slurs, slides and bends stay on one string")
    if Problem.BEND not in problems and any("bend" in n.written.techniques for n in phrase.notes):
        lines.append("every bend reaches its pitch")
    if Problem.TIME not in problems:
        lines.append(f"every note within {limits.late_ms:g} ms of the count")
    frets = [n.written.fret for n in phrase.notes if n.written.fret]
    if frets:
        low, high = min(frets), max(frets)
        lines.append(f"frets {low} to {high}" if low < high else f"fret {low}")
    return lines

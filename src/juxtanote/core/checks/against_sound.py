"""A phrase held against its recording by the second ear: findings, each with what would mend it."""

from dataclasses import replace

from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.checks.complaints import (
    BEND,
    EXTRA,
    MISSING,
    TECHNIQUE,
    TIME,
    WRONG_PITCH,
    Asked,
    Complaint,
)
from juxtanote.core.checks.findings import Examined, Finding, Problem
from juxtanote.core.checks.second_ear import second_ear
from juxtanote.core.score import note_edits
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.limits import Limits
from juxtanote.core.score.note import Note
from juxtanote.core.theory.harmonics import harmonic_midi

# What the phrase's own measurements say as well: it is not said twice of a note.
SAID_ALREADY = {WRONG_PITCH: "pitch", BEND: "bend", TIME: "time"}


def asked_of(phrase: Phrase, lesson: Lesson) -> list[Asked]:
    """Give what is written, as it is held against the sound.

    Parameters
    ----------
    phrase : Phrase
    lesson : Lesson
        That it is of.
    """
    guitar = lesson.part(phrase.part).guitar
    rows = []
    for note in phrase.notes:
        written = note.written
        midi = float(guitar.midi_at(written.string, written.fret))
        if "natural-harmonic" in written.techniques:
            midi = harmonic_midi(guitar.open_midi(written.string), written.fret) or note.heard.midi
        rows.append(
            Asked(
                note.ident, note.onset_s, note.offset_s, midi, written.string, written.fret,
                written.techniques, written.bend_semitones,
            )
        )  # fmt: skip
    return rows


def with_second_ear(
    examined: Examined, phrase: Phrase, lesson: Lesson, evidence: Evidence
) -> Examined:
    """Add what the second ear complains of to what was measured; worst first.

    Parameters
    ----------
    examined : Examined
        What the phrase alone tells.
    phrase : Phrase
    lesson : Lesson
        That it is of.
    evidence : Evidence
        Of the stretch of sound that the phrase is on.
    """
    if phrase.is_variant or not phrase.notes:
        return examined
    mends: dict[str, Complaint] = {}
    told = []
    said = {f.key for f in (*examined.found, *examined.waived)}
    for complaint in second_ear(asked_of(phrase, lesson), evidence):
        twin = f"{SAID_ALREADY.get(complaint.kind, '')}:{complaint.row}"
        if complaint.kind not in KINDS or not _is_worth_saying(complaint, lesson.limits):
            continue
        if twin in said:
            mends[twin] = complaint
        else:
            told.append(_finding(complaint, phrase))
    found = [replace(f, complaint=mends.get(f.key)) for f in examined.found]
    found += [f for f in told if f.key not in phrase.waived]
    waived = [f for f in told if f.key in phrase.waived]
    found.sort(key=lambda f: (-f.severity, f.onset_s))
    return replace(examined, found=tuple(found), waived=(*examined.waived, *waived))


KINDS = frozenset({MISSING, EXTRA, WRONG_PITCH, TIME, BEND, TECHNIQUE})


def _is_worth_saying(complaint: Complaint, limits: Limits) -> bool:
    is_doubt = complaint.kind == TECHNIQUE and 100.0 * complaint.confidence < limits.doubt_percent
    return complaint.is_told and not is_doubt


def _finding(complaint: Complaint, phrase: Phrase) -> Finding:
    """Give a complaint as a finding, with a key that stays the same over time."""
    near = min(phrase.notes, key=lambda n: abs(n.onset_s - complaint.onset_s))
    ident = complaint.row if complaint.row is not None else near.ident
    key = f"ear-{complaint.kind}:{ident}"
    if complaint.kind == MISSING:
        key = f"ear-missing:{complaint.midi:.0f}@{complaint.onset_s:.2f}"
    severity = min(complaint.confidence, 0.95)
    at = complaint.onset_s
    return Finding(key, Problem.EAR, severity, (ident,), at, complaint=complaint)


def mended(lesson: Lesson, phrase: int, finding: Finding) -> Lesson | None:
    """Write what sounds, as a finding has it; None where the program would change nothing.

    Parameters
    ----------
    lesson : Lesson
    phrase : int
        Its number.
    finding : Finding
        Of it.
    """
    complaint, found = finding.complaint, lesson.phrase(phrase)
    if complaint is None or found is None:
        return None
    if complaint.kind == MISSING and complaint.midi is not None:
        place = _place_for(complaint.midi, found, lesson, finding.notes[0])
        if place is None:
            return None
        return note_edits.add_note(lesson, phrase, complaint.onset_s, *place)
    note = found.note(complaint.row) if complaint.row is not None else None
    if note is None:
        return None
    if complaint.kind == EXTRA:
        return note_edits.delete_notes(lesson, phrase, [note.ident])
    if complaint.kind == WRONG_PITCH and complaint.midi is not None:
        place = _place_for(complaint.midi, found, lesson, note.ident)
        if place is None:
            return None
        return note_edits.change_written(
            lesson, phrase, [note.ident], "place", string=place[0], fret=place[1]
        )
    if complaint.kind == TIME and complaint.sounds_s is not None:
        return note_edits.move_note_edge(lesson, phrase, note.ident, "onset", complaint.sounds_s)
    if complaint.kind == BEND and complaint.bend_semitones is not None:
        return _bent(lesson, phrase, note, complaint.bend_semitones)
    if complaint.kind == TECHNIQUE and complaint.technique:
        return note_edits.toggle_technique(lesson, phrase, [note.ident], complaint.technique)
    return None


def _bent(lesson: Lesson, phrase: int, note: Note, semitones: float) -> Lesson:
    """Write a bend as far as it goes, to a quarter tone; none where it does not move."""
    rounded = round(2.0 * semitones) / 2.0
    tags = note.written.techniques - {"bend", "pre-bend", "release"}
    if rounded > 0.0:
        tags = note.written.techniques | (
            set() if "pre-bend" in note.written.techniques else {"bend"}
        )
    return note_edits.change_written(
        lesson, phrase, [note.ident], "techniques", techniques=frozenset(tags),
        bend_semitones=min(rounded, 5.0),
    )  # fmt: skip


def _place_for(midi: float, phrase: Phrase, lesson: Lesson, near: int) -> tuple[int, int] | None:
    """Give the string and fret of a pitch that are nearest to a note's place."""
    guitar, beside = lesson.part(phrase.part).guitar, phrase.note(near)
    places = [
        (string, round(midi) - guitar.open_midi(string))
        for string in range(1, guitar.string_count + 1)
        if 0 <= round(midi) - guitar.open_midi(string) <= guitar.last_fret
    ]
    if beside is None or not places:
        return places[0] if places else None
    here = beside.written
    return min(places, key=lambda p: abs(p[1] - here.fret) + 0.5 * abs(p[0] - here.string))

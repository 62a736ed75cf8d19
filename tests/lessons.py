"""Small lessons for tests, and `hypothesis` strategies for any lesson."""

from dataclasses import replace
from fractions import Fraction

from hypothesis import strategies as st

from juxtanote.core.score.kept import Kept, StepPlan
from juxtanote.core.score.lesson import (
    ROLES,
    SCHOOLS,
    STATUSES,
    Focus,
    Lesson,
    LogEntry,
    Part,
    Phrase,
    Recording,
    Variation,
)
from juxtanote.core.score.note import (
    FINGERS,
    LOCKABLE,
    STROKES,
    TECHNIQUES,
    Evidence,
    HeardNote,
    Note,
    RunnerUp,
    WrittenNote,
)
from juxtanote.core.score.rhythm import write_phrase
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.theory.observed import Observation, Otherwise, Shows
from juxtanote.core.theory.tuning import Guitar


def note(
    ident: int,
    onset_s: float,
    string: int,
    fret: int,
    *techniques: str,
    length_s: float = 0.4,
    bend: float = 0.0,
    confidence: float = 0.95,
    level_db: float = -18.0,
) -> Note:
    """Make a note whose heard pitch is that of its place in standard tuning."""
    midi = float(Guitar().midi_at(string, fret))
    heard = HeardNote(onset_s, onset_s + length_s, midi, level_db=level_db, confidence=confidence)
    return Note(ident, heard, WrittenNote(string, fret, frozenset(techniques), bend))


def bent(plain: Note, reached_cents: float, rise_s: float = 0.15) -> Note:
    """Give a note a curve that rises to `reached_cents` and stays."""
    length = plain.heard.duration_s
    times = [0.01 * k for k in range(int(length / 0.01))]
    curve = tuple((t, reached_cents * min(t / rise_s, 1.0)) for t in times)
    return replace(plain, heard=replace(plain.heard, curve=curve))


def small_lesson() -> Lesson:
    """Two phrases in A minor at 120 beats a minute, counted."""
    times = tuple(0.5 * k for k in range(33))
    lesson = Lesson(
        title="Two lines", key="A minor", scale="minor pentatonic",
        time_map=TimeMap(times, first_downbeat=4),
    )  # fmt: skip
    first = Phrase(1, "A", 2.0, 4.1).with_notes(
        [
            note(1, 2.0, 3, 5), note(2, 2.5, 3, 7, "hammer-on"), note(3, 3.0, 2, 8, "bend", bend=2.0),
            note(4, 3.5, 2, 5, "vibrato"),
        ]
    )  # fmt: skip
    second = Phrase(2, "B", 4.0, 6.2, repeats=2).with_notes(
        [
            note(1, 4.0, 2, 5), note(2, 4.0, 1, 5), note(3, 4.5, 4, 7), note(4, 4.75, 4, 5, "pull-off"),
            note(5, 5.0, 5, 0, "let-ring", length_s=1.0), note(6, 5.5, 3, 12, "natural-harmonic"),
        ]
    )  # fmt: skip
    for phrase in (first, second):
        lesson = lesson.with_phrase(write_phrase(phrase, lesson.time_map))
    return lesson


_seconds = st.floats(0.0, 500.0).map(lambda x: round(x, 4))
_texts = st.text(max_size=20)
_shows, _otherwise = st.sampled_from(list(Shows)), st.sampled_from(list(Otherwise))
_numbers = st.lists(st.floats(-1e4, 1e4), max_size=3)


@st.composite
def notes(draw: st.DrawFn, ident: int = 1) -> Note:
    """Draw any note that the program can hold."""
    onset = draw(_seconds)
    curve = draw(st.lists(st.tuples(st.floats(0, 2), st.floats(-200, 500)), max_size=4))
    heard = HeardNote(
        onset,
        onset + draw(st.floats(0.02, 4.0)),
        draw(st.floats(20, 110)),
        draw(st.floats(-90, 0)),
        draw(st.floats(0, 1)),
        tuple(sorted(curve)),
        tuple(
            Observation(kind, tuple(values))
            for kind, values in draw(st.lists(st.tuples(_shows, _numbers), max_size=2))
        ),
        tuple(
            RunnerUp(m, c, differs)
            for m, c, differs in draw(
                st.lists(st.tuples(st.floats(20, 110), st.floats(0, 1), _otherwise), max_size=2)
            )
        ),
    )
    written = WrittenNote(
        draw(st.integers(1, 6)),
        draw(st.integers(0, 22)),
        frozenset(draw(st.sets(st.sampled_from(TECHNIQUES), max_size=3))),
        draw(st.sampled_from([0.0, 0.5, 1.0, 2.0, 3.0])),
        draw(st.sampled_from(FINGERS)),
        draw(st.sampled_from(STROKES)),
        draw(st.none() | st.fractions(-8, 400, max_denominator=48)),
        draw(st.none() | st.fractions(0, 8, max_denominator=48)),
        frozenset(draw(st.sets(st.sampled_from(sorted(LOCKABLE)), max_size=3))),
    )
    return Note(ident, heard, written)


@st.composite
def phrases(draw: st.DrawFn, ident: int = 1) -> Phrase:
    """Draw a phrase with up to six notes."""
    count = draw(st.integers(0, 6))
    start = draw(_seconds)
    phrase = Phrase(
        ident,
        draw(st.text(min_size=1, max_size=12)),
        start,
        start + draw(st.floats(0.2, 30.0)),
        repeats=draw(st.integers(1, 9)),
        ending=draw(st.integers(0, 2)),
        place_in_form=draw(_texts),
        status=draw(st.sampled_from(STATUSES)),
        evenness=draw(st.sampled_from([0.0, 0.5, 1.0])),
        breakdown=draw(_texts),
        focus=Focus(source="middle", low_hz=100.0, high_hz=5000.0),
        evidence=Evidence(0.0, 0.01, (0.1, 0.5), (-20.0, -10.0), (1.0, 2.0)),
        waived=tuple(draw(st.lists(_texts, max_size=2))),
        part=draw(st.sampled_from((1, 2))),
        proposed=draw(st.booleans()),
        deleted=tuple(draw(st.lists(st.tuples(st.floats(0, 500), st.floats(0, 127)), max_size=2))),
    )
    phrase = phrase.with_notes([draw(notes(ident=i + 1)) for i in range(count)])
    kind = draw(st.sampled_from(("", "key", "strings", "plain")))
    if kind:
        hung = replace(
            phrase, ident=ident + 100, name="v", deleted=(), variation=Variation(kind, 1)
        )
        phrase = replace(phrase, variants=(hung,))
    return phrase


@st.composite
def lessons(draw: st.DrawFn) -> Lesson:
    """Draw a lesson with up to three phrases."""
    count = draw(st.integers(0, 3))
    log = tuple(
        LogEntry("2026-11-02", (1, 2), name, speed, repeats)
        for name, speed, repeats in draw(
            st.lists(st.tuples(_texts, st.floats(0.25, 1.25), st.integers(0, 50)), max_size=3)
        )
    )
    lesson = Lesson(
        title=draw(_texts),
        teacher=draw(_texts),
        reference_cents=draw(st.floats(-50, 50)),
        key=draw(st.sampled_from(["", "A minor", "B♭ major", "C♯ dorian"])),
        performer=draw(_texts),
        notes=draw(_texts),
        recording=Recording(draw(_texts), draw(st.floats(0, 900))),
        parts=(
            Part(1, "Lead", "lead", school=draw(st.sampled_from(SCHOOLS))),
            Part(2, draw(_texts), draw(st.sampled_from(ROLES)), Guitar(capo=0, fret_count=24)),
        ),
        kept=Kept(log, StepPlan(0.5, 0.1, 0.9, 3), draw(st.sampled_from(("", "place"))), 1, 2.5),
        chords=((1, "Am"), (2, "D7")),
    )
    for index in range(count):
        lesson = lesson.with_phrase(draw(phrases(ident=index + 1)))
    return lesson


QUARTER = Fraction(1, 4)

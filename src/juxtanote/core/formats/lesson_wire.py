"""What a lesson file may hold: every field of lesson.json with its range, version 3.

The JSON Schema that ships (`lesson.schema.json`) is made from these types, so a range stands once.
"""

from typing import Annotated, Literal

from msgspec import Meta, Struct

from juxtanote.core.score.kept import FASTEST, SLOWEST
from juxtanote.core.score.lesson import MOST_PHRASES
from juxtanote.core.score.limits import LOOSEST, STRICTEST
from juxtanote.core.score.note import LATEST_S, WIDEST_BEND
from juxtanote.core.theory.observed import Chosen, Otherwise, Shows
from juxtanote.core.theory.tuning import FEWEST_STRINGS, MOST_STRINGS

Ident = Annotated[int, Meta(ge=1, le=1_000_000_000)]  # numbers that any program reads exactly
Seconds = Annotated[float, Meta(ge=0.0, le=LATEST_S)]
Midi = Annotated[float, Meta(ge=0.0, le=127.0)]
Part01 = Annotated[float, Meta(ge=0.0, le=1.0)]
# DB: softer than any microphone, louder than full scale by far.
Level = Annotated[float, Meta(ge=-200.0, le=60.0)]
Cents = Annotated[float, Meta(ge=-20_000.0, le=20_000.0)]
Line = Annotated[str, Meta(max_length=1000)]  # letters of a title or name
Text = Annotated[str, Meta(max_length=200_000)]  # letters of a breakdown or notes
Beats = Annotated[str, Meta(pattern=r"^-?[0-9]{1,9}/[0-9]{1,6}$", max_length=20)]
Technique = Literal[
    "hammer-on", "pull-off", "slide", "bend", "pre-bend", "release", "vibrato", "tap",
    "natural-harmonic", "pinch-harmonic", "dead", "palm-mute", "rake", "staccato", "let-ring", "grace",
    "bar",
]  # fmt: skip
Lock = Literal["heard", "pitch", "place", "techniques", "time", "finger", "stroke"]
Measured = Annotated[float, Meta(ge=-1e6, le=1e6)]
Point = tuple[Annotated[float, Meta(ge=-10.0, le=LATEST_S)], Cents]


class _Wire(Struct, forbid_unknown_fields=True, frozen=True):
    """A JSON object with these fields and no others."""


class RunnerUpW(_Wire, frozen=True):
    """Another reading of a note."""

    midi: Midi
    confidence: Part01
    differs: Otherwise = Otherwise.PITCH
    at_s: Seconds = 0.0


class ObservationW(_Wire, frozen=True):
    """What shows of a note, with its numbers."""

    of: Shows
    values: Annotated[tuple[Measured, ...], Meta(max_length=8)] = ()


class HeardW(_Wire, frozen=True):
    """What was measured of a note."""

    onset_s: Seconds
    offset_s: Seconds
    midi: Midi
    level_db: Level = -18.0
    confidence: Part01 = 1.0
    curve: Annotated[tuple[Point, ...], Meta(max_length=100_000)] = ()
    evidence: Annotated[tuple[ObservationW, ...], Meta(max_length=100)] = ()
    runner_ups: Annotated[tuple[RunnerUpW, ...], Meta(max_length=100)] = ()
    stiffness: Part01 = 0.0
    strength: Part01 = 0.0
    legato: Part01 = 0.0


class WrittenW(_Wire, frozen=True):
    """What was decided of a note."""

    string: Annotated[int, Meta(ge=1, le=MOST_STRINGS)]
    fret: Annotated[int, Meta(ge=0, le=36)]
    techniques: frozenset[Technique] = frozenset()
    bend_semitones: Annotated[float, Meta(ge=0.0, le=WIDEST_BEND)] = 0.0
    finger: Literal["", "0", "1", "2", "3", "4", "T"] = ""
    stroke: Literal["", "down", "up", "thumb", "index", "middle", "ring"] = ""
    onset_beats: Beats | None = None
    duration_beats: Beats | None = None
    locked: frozenset[Lock] = frozenset()


class NoteW(_Wire, frozen=True):
    """A note with its two sides."""

    ident: Ident
    heard: HeardW
    written: WrittenW


class FocusW(_Wire, frozen=True):
    """How the guitar is brought forward."""

    source: Literal["mix", "middle", "sides", "left", "right"] = "mix"
    low_hz: Annotated[float, Meta(ge=10.0, le=24_000.0)] = 40.0
    high_hz: Annotated[float, Meta(ge=10.0, le=24_000.0)] = 10_000.0
    without_drums: bool = False
    chosen: Chosen = Chosen.UNASKED
    sure_notes: Annotated[int, Meta(ge=0, le=1_000_000)] = 0
    sure_in_mix: Annotated[int, Meta(ge=0, le=1_000_000)] = 0


class EvidenceW(_Wire, frozen=True):
    """Frame curves of the last listening."""

    start_s: Seconds = 0.0
    hop_s: Annotated[float, Meta(ge=0.0, le=10.0)] = 0.0
    onset: Annotated[
        tuple[Annotated[float, Meta(ge=-1e6, le=1e6)], ...], Meta(max_length=20_000)
    ] = ()
    level: Annotated[
        tuple[Annotated[float, Meta(ge=-1e6, le=1e6)], ...], Meta(max_length=20_000)
    ] = ()
    voices: Annotated[
        tuple[Annotated[float, Meta(ge=-1e6, le=1e6)], ...], Meta(max_length=20_000)
    ] = ()


class VariationW(_Wire, frozen=True):
    """How a variant comes from its phrase."""

    kind: Literal["key", "strings", "plain", "slurred", "exercise", "copied"]
    amount: Annotated[int, Meta(ge=-24, le=24)] = 0


class PhraseW(_Wire, frozen=True):
    """A phrase, or a variant under one."""

    ident: Ident
    name: Line
    start_s: Seconds
    end_s: Seconds
    notes: Annotated[tuple[NoteW, ...], Meta(max_length=100_000)] = ()
    repeats: Annotated[int, Meta(ge=1, le=99)] = 1
    ending: Literal[0, 1, 2] = 0
    place_in_form: Line = ""
    status: Literal["heard", "placed", "checked", "taught"] = "heard"
    evenness: Part01 = 1.0
    subdivision: Literal[
        "auto", "eighths", "swung eighths", "triplets", "sixteenths", "sextuplets", "thirty-seconds"
    ] = "auto"
    breakdown: Text = ""
    focus: FocusW = FocusW()
    evidence: EvidenceW = EvidenceW()
    waived: Annotated[tuple[Line, ...], Meta(max_length=10_000)] = ()
    part: Ident = 1
    proposed: bool = False
    deleted: Annotated[tuple[tuple[Seconds, Midi], ...], Meta(max_length=10_000)] = ()
    variants: Annotated[tuple["PhraseW", ...], Meta(max_length=1000)] = ()
    variation: VariationW | None = None


class GuitarW(_Wire, frozen=True):
    """An instrument."""

    tuning: Annotated[
        tuple[Annotated[int, Meta(ge=16, le=88)], ...],
        Meta(min_length=FEWEST_STRINGS, max_length=MOST_STRINGS),
    ]
    capo: Annotated[int, Meta(ge=0, le=31)] = 0
    fret_count: Annotated[int, Meta(ge=12, le=36)] = 22
    scale_length_mm: Annotated[float, Meta(ge=300.0, le=900.0)] = 648.0
    left_handed: bool = False
    bar_finger: Literal[2, 3, 4] = 3
    thumb_over: bool = True


class PartW(_Wire, frozen=True):
    """One guitar of the recording."""

    ident: Ident
    name: Line
    role: Literal["lead", "second", "rhythm", "harmony", "bass", "other"]
    guitar: GuitarW
    school: Literal["alternate", "down", "economy", "hybrid", "fingers"]
    is_muted: bool = False


class RecordingW(_Wire, frozen=True):
    """Which sound the lesson is about."""

    path: Annotated[str, Meta(max_length=10_000)] = ""
    duration_s: Seconds = 0.0
    inside: bool = False
    may_share: bool = False
    fingerprint: Line = ""


class TimeMapW(_Wire, frozen=True):
    """Beats in seconds, and bars over them."""

    beat_times_s: Annotated[
        tuple[Annotated[float, Meta(ge=-LATEST_S, le=LATEST_S)], ...],
        Meta(min_length=2, max_length=200_000),
    ]
    first_downbeat: Annotated[int, Meta(ge=-100_000, le=100_000)] = 0
    beats_per_bar: Annotated[int, Meta(ge=1, le=16)] = 4
    beat_unit: Literal[2, 4, 8, 16] = 4
    division: Literal[2, 3] = 2


class LogEntryW(_Wire, frozen=True):
    """One stretch of practice."""

    date: Annotated[str, Meta(max_length=40)]
    phrases: Annotated[tuple[Ident, ...], Meta(max_length=MOST_PHRASES)]
    name: Text
    speed: Annotated[float, Meta(ge=0.05, le=2.0)]
    repeats: Annotated[int, Meta(ge=0, le=100_000)]
    note: Text = ""


class StepPlanW(_Wire, frozen=True):
    """Speed steps."""

    start: Annotated[float, Meta(ge=SLOWEST, le=FASTEST)] = 0.5
    step: Annotated[float, Meta(ge=0.005, le=0.5)] = 0.05
    goal: Annotated[float, Meta(ge=SLOWEST, le=FASTEST)] = 1.0
    repeats: Annotated[int, Meta(ge=1, le=100)] = 4


class CheckedW(_Wire, frozen=True):
    """A phrase in which nothing was left to say."""

    phrase: Ident
    date: Annotated[str, Meta(max_length=40)]
    mark: Annotated[str, Meta(max_length=64)]


class LimitsW(_Wire, frozen=True):
    """From where on a difference is a finding."""

    bend_cents: Annotated[float, Meta(ge=STRICTEST, le=LOOSEST)] = 25.0
    pitch_cents: Annotated[float, Meta(ge=STRICTEST, le=LOOSEST)] = 40.0
    late_ms: Annotated[float, Meta(ge=STRICTEST, le=LOOSEST)] = 30.0
    quiet_db: Annotated[float, Meta(ge=STRICTEST, le=LOOSEST)] = 6.0
    doubt_percent: Annotated[float, Meta(ge=STRICTEST, le=LOOSEST)] = 20.0


class BarOfTakeW(_Wire, frozen=True):
    """A bar of a take."""

    bar: Annotated[int, Meta(ge=-100_000, le=1_000_000)]
    written: Annotated[int, Meta(ge=0, le=100_000)]
    played: Annotated[int, Meta(ge=0, le=100_000)]
    late_ms: Annotated[float, Meta(ge=-1e5, le=1e5)]


class TakeEntryW(_Wire, frozen=True):
    """A take that was compared."""

    phrase: Ident
    date: Annotated[str, Meta(max_length=40)]
    speed: Annotated[float, Meta(ge=0.05, le=4.0)]
    file: Line
    share: Part01
    spread_ms: Annotated[float, Meta(ge=0.0, le=1e5)]
    findings: Annotated[int, Meta(ge=0, le=100_000)] = 0
    bars: Annotated[tuple[BarOfTakeW, ...], Meta(max_length=10_000)] = ()


class AssignedW(_Wire, frozen=True):
    """A phrase that a teacher chose, and the speed to reach."""

    phrase: Ident
    goal: Annotated[float, Meta(ge=SLOWEST, le=FASTEST)] = 1.0


class SpotW(_Wire, frozen=True):
    """A marked place in a phrase."""

    phrase: Ident
    at_s: Seconds


class StudentLogW(_Wire, frozen=True):
    """What a student practised."""

    name: Line
    log: Annotated[tuple[LogEntryW, ...], Meta(max_length=100_000)] = ()
    takes: Annotated[tuple[TakeEntryW, ...], Meta(max_length=100_000)] = ()


class PracticeReportW(_Wire, frozen=True):
    """The whole of a practice report: the file that comes back to the teacher."""

    format: Literal["juxtanote-practice"]
    version: Literal[1]
    title: Line
    student: StudentLogW


class KeptW(_Wire, frozen=True):
    """What no edit changes: the log, the plan, and where the person was."""

    log: Annotated[tuple[LogEntryW, ...], Meta(max_length=100_000)] = ()
    plan: StepPlanW = StepPlanW()
    desk: Literal["", "hear", "place", "check", "teach", "practise"] = ""
    phrase: Annotated[int, Meta(ge=0, le=1_000_000_000)] = 0
    position_s: Seconds = 0.0
    found_at: Annotated[str, Meta(max_length=10_000)] = ""
    checked: Annotated[tuple[CheckedW, ...], Meta(max_length=MOST_PHRASES)] = ()
    assigned: Annotated[tuple[AssignedW, ...], Meta(max_length=MOST_PHRASES)] = ()
    students: Annotated[tuple[StudentLogW, ...], Meta(max_length=1000)] = ()
    spots: Annotated[tuple[SpotW, ...], Meta(max_length=100_000)] = ()
    takes: Annotated[tuple[TakeEntryW, ...], Meta(max_length=100_000)] = ()


class LessonW(_Wire, frozen=True):
    """The whole of lesson.json."""

    format: Literal["juxtanote-lesson"]
    version: Literal[3]
    title: Line
    recording: RecordingW
    parts: Annotated[tuple[PartW, ...], Meta(min_length=1, max_length=100)]
    time_map: TimeMapW
    phrases: Annotated[tuple[PhraseW, ...], Meta(max_length=MOST_PHRASES)]
    performer: Line = ""
    teacher: Line = ""
    notes: Text = ""
    reference_cents: Annotated[float, Meta(ge=-100.0, le=100.0)] = 0.0
    key: Line = ""
    scale: Line = ""
    feel: Line = ""
    chords: Annotated[
        tuple[tuple[Annotated[int, Meta(ge=-100_000, le=1_000_000)], Line], ...],
        Meta(max_length=100_000),
    ] = ()
    form_bars: Annotated[int, Meta(ge=0, le=999)] = 0
    limits: LimitsW = LimitsW()
    kept: KeptW = KeptW()

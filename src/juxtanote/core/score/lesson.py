"""The lesson: one recording, its guitar, its time, its phrases and its practice log."""

from dataclasses import dataclass, field, replace

from juxtanote.core.score.note import Evidence, Note
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.theory.tuning import Guitar

STATUSES = ("heard", "placed", "checked", "taught")
SCHOOLS = ("alternate", "down", "economy", "hybrid", "fingers")


@dataclass(frozen=True, slots=True)
class Recording:
    """Which sound file a lesson is about."""

    path: str = ""
    duration_s: float = 0.0
    inside: bool = False  # whether the lesson file carries the sound
    may_share: bool = False  # whether the user said that they may hand it out


@dataclass(frozen=True, slots=True)
class Focus:
    """How the guitar is brought forward before listening."""

    source: str = "mix"  # mix, middle, sides, left, right
    low_hz: float = 40.0
    high_hz: float = 10_000.0
    without_drums: bool = False
    why: str = ""

    def __post_init__(self) -> None:
        if self.source not in ("mix", "middle", "sides", "left", "right"):
            raise ValueError(f"source is {self.source!r}")
        if not 10.0 <= self.low_hz < self.high_hz <= 24_000.0:
            raise ValueError(f"a band from {self.low_hz} to {self.high_hz} Hz")


@dataclass(frozen=True, slots=True)
class Phrase:
    """A stretch of the recording that is learned as one chunk; phrases may overlap."""

    ident: int
    name: str
    start_s: float
    end_s: float
    notes: tuple[Note, ...] = ()
    repeats: int = 1
    ending: int = 0  # 1 or 2 for first and second endings
    place_in_form: str = ""
    status: str = "heard"
    evenness: float = 1.0  # 0 writes time as played, 1 as counted
    subdivision: str = "auto"
    breakdown: str = ""  # typed words; empty: generated
    focus: Focus = field(default_factory=Focus)
    evidence: Evidence = field(default_factory=Evidence)
    waived: tuple[str, ...] = ()  # keys of findings that the instructor let pass

    def __post_init__(self) -> None:
        if not 0.0 <= self.start_s < self.end_s:
            raise ValueError(f"a phrase from {self.start_s} to {self.end_s} s has no length")
        if not 1 <= self.repeats <= 99 or not 0.0 <= self.evenness <= 1.0:
            raise ValueError("repeats go from 1 to 99, evenness from 0 to 1")
        if self.status not in STATUSES or self.ending not in (0, 1, 2):
            raise ValueError(f"unknown status {self.status!r} or ending {self.ending}")
        onsets = [note.onset_s for note in self.notes]
        if onsets != sorted(onsets) or len({n.ident for n in self.notes}) != len(self.notes):
            raise ValueError("the notes of a phrase come by onset, each with its own number")

    def note(self, ident: int) -> Note | None:
        """Find a note by its number."""
        return next((note for note in self.notes if note.ident == ident), None)

    def with_notes(self, notes: "list[Note] | tuple[Note, ...]") -> "Phrase":
        """Give the phrase with other notes, sorted by onset."""
        ordered = sorted(notes, key=lambda note: (note.onset_s, -note.written.string))
        return replace(self, notes=tuple(ordered))


@dataclass(frozen=True, slots=True)
class LogEntry:
    """One stretch of practice."""

    date: str  # ISO 8601, day
    phrase: str
    speed: float  # part of the recording's speed
    repeats: int
    note: str = ""

    def __post_init__(self) -> None:
        if not 0.05 <= self.speed <= 2.0 or not 0 <= self.repeats <= 100_000:
            raise ValueError(f"practice at {self.speed} times the speed, {self.repeats} repeats")


@dataclass(frozen=True, slots=True)
class Lesson:
    """Everything that is saved. Frozen: an edit makes a new one."""

    title: str = "Untitled lesson"
    teacher: str = ""
    recording: Recording = field(default_factory=Recording)
    guitar: Guitar = field(default_factory=Guitar)
    reference_cents: float = 0.0
    time_map: TimeMap = field(default_factory=TimeMap)
    key: str = ""  # such as "A minor"; empty: not settled
    scale: str = ""
    feel: str = ""
    school: str = "alternate"
    phrases: tuple[Phrase, ...] = ()
    log: tuple[LogEntry, ...] = ()
    chords: tuple[tuple[int, str], ...] = ()  # (bar, symbols of that bar)
    form_bars: int = 0  # length of the form; 0: none

    def __post_init__(self) -> None:
        if not -100.0 <= self.reference_cents <= 100.0:
            raise ValueError(
                f"the reference pitch is {self.reference_cents} cents off: -100 to 100"
            )
        if not 0 <= self.form_bars <= 999:
            raise ValueError(f"a form of {self.form_bars} bars: 1 to 999, or 0 for none")
        if self.school not in SCHOOLS:
            raise ValueError(f"unknown picking school {self.school!r}")
        if len({phrase.ident for phrase in self.phrases}) != len(self.phrases):
            raise ValueError("two phrases have the same number")

    def phrase(self, ident: int) -> Phrase | None:
        """Find a phrase by its number."""
        return next((phrase for phrase in self.phrases if phrase.ident == ident), None)

    def with_phrase(self, phrase: Phrase) -> "Lesson":
        """Give the lesson with one phrase replaced or added, in order of time."""
        others = [p for p in self.phrases if p.ident != phrase.ident]
        ordered = sorted([*others, phrase], key=lambda p: (p.start_s, p.end_s, p.ident))
        return replace(self, phrases=tuple(ordered))

    def fresh_phrase_number(self) -> int:
        """Give a number that no phrase has."""
        return 1 + max((phrase.ident for phrase in self.phrases), default=0)

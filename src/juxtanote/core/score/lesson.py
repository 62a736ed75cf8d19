"""The lesson: one recording, its time, its guitars as parts, its phrases, and what is kept with it."""

from dataclasses import dataclass, field, replace

from juxtanote.core.score.kept import Kept, LogEntry
from juxtanote.core.score.limits import Limits
from juxtanote.core.score.note import Evidence, Note
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.theory.chords import transpose_symbols
from juxtanote.core.theory.keys import transpose_key
from juxtanote.core.theory.observed import Chosen
from juxtanote.core.theory.tuning import Guitar

__all__ = [
    "ROLES", "SCHOOLS", "STATUSES", "VARIATIONS", "Context", "Focus", "Kept", "Lesson", "LogEntry",
    "Part", "Phrase", "Recording", "Variation",
]  # fmt: skip
STATUSES = ("heard", "placed", "checked", "taught")
SCHOOLS = ("alternate", "down", "economy", "hybrid", "fingers")
ROLES = ("lead", "second", "rhythm", "harmony", "bass", "other")
KEY, STRINGS, PLAIN, SLURRED, EXERCISE, COPIED = VARIATIONS = (
    "key", "strings", "plain", "slurred", "exercise", "copied",
)  # fmt: skip
MOST_PHRASES = 5000


@dataclass(frozen=True, slots=True)
class Recording:
    """Which sound file a lesson is about."""

    path: str = ""
    duration_s: float = 0.0
    inside: bool = False  # whether the lesson file carries the sound
    may_share: bool = False  # whether the user said that they may hand it out
    fingerprint: str = ""  # course of its loudness; tells it from another recording


@dataclass(frozen=True, slots=True)
class Focus:
    """How the guitar is brought forward before listening."""

    source: str = "mix"  # mix, middle, sides, left, right
    low_hz: float = 40.0
    high_hz: float = 10_000.0
    without_drums: bool = False
    chosen: Chosen = Chosen.UNASKED
    sure_notes: int = 0  # heard so, beside those of the whole mix
    sure_in_mix: int = 0

    def __post_init__(self) -> None:
        if self.source not in ("mix", "middle", "sides", "left", "right"):
            raise ValueError(f"source is {self.source!r}")
        if not 10.0 <= self.low_hz < self.high_hz <= 24_000.0:
            raise ValueError(f"a band from {self.low_hz} to {self.high_hz} Hz")

    @property
    def is_whole_mix(self) -> bool:
        """Whether nothing is done: all is heard as it was recorded."""
        band = self.low_hz, self.high_hz
        return self.source == "mix" and band == (40.0, 10_000.0) and not self.without_drums


@dataclass(frozen=True, slots=True)
class Part:
    """One guitar of the recording: what it is, and how its player picks."""

    ident: int = 1
    name: str = "Lead"
    role: str = "lead"
    guitar: Guitar = field(default_factory=Guitar)
    school: str = "alternate"
    is_muted: bool = False  # left out where parts sound together

    def __post_init__(self) -> None:
        if self.school not in SCHOOLS:
            raise ValueError(f"unknown picking school {self.school!r}")
        if self.role not in ROLES:
            raise ValueError(f"unknown role of a part {self.role!r}")


@dataclass(frozen=True, slots=True)
class Variation:
    """How a variant comes from its phrase: moved by semitones, by strings, slurred or plain."""

    kind: str
    amount: int = 0  # semitones of `KEY`; strings of `STRINGS`, +1 the next thicker

    def __post_init__(self) -> None:
        if self.kind not in VARIATIONS or not -24 <= self.amount <= 24:
            raise ValueError(f"unknown variation {self.kind!r} by {self.amount}")

    @property
    def semitones(self) -> int:
        """How far the key moves."""
        return self.amount if self.kind == KEY else 0


@dataclass(frozen=True, slots=True)
class Phrase:
    """A stretch of the recording that is learned as one chunk; phrases of a lesson may overlap.

    Variants hang under the phrase they come from: they take its time and stand on no time axis of
    their own. `deleted` holds (onset in seconds, MIDI) of notes that a person took out.
    """

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
    part: int = 1
    proposed: bool = False  # cut by the program and not touched by a person since
    deleted: tuple[tuple[float, float], ...] = ()
    variants: tuple["Phrase", ...] = ()
    variation: Variation | None = None  # of a variant

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
        if any(v.variation is None or v.variants for v in self.variants):
            raise ValueError(
                "what hangs under a phrase is a variant of it, and has none of its own"
            )

    @property
    def is_variant(self) -> bool:
        """Whether it hangs under another phrase."""
        return self.variation is not None

    def note(self, ident: int) -> Note | None:
        """Find a note by its number.

        Parameters
        ----------
        ident : int
        """
        return next((note for note in self.notes if note.ident == ident), None)

    def with_notes(self, notes: "list[Note] | tuple[Note, ...]") -> "Phrase":
        """Give the phrase with other notes, sorted by onset."""
        ordered = sorted(notes, key=lambda note: (note.onset_s, -note.written.string))
        return replace(self, notes=tuple(ordered))


@dataclass(frozen=True, slots=True)
class Context:
    """What a phrase is read in: its guitar and school, and time, key and chords as they are for it."""

    part: Part
    time_map: TimeMap
    key: str
    scale: str
    chords: tuple[tuple[int, str], ...]
    form_bars: int
    reference_cents: float

    @property
    def guitar(self) -> Guitar:
        """The guitar of its part."""
        return self.part.guitar

    @property
    def school(self) -> str:
        """How its player picks."""
        return self.part.school


@dataclass(frozen=True, slots=True)
class Lesson:
    """Everything that is saved. Frozen: an edit makes a new one.

    `kept` is no part of undo: the log, the plan, and where the person was.
    """

    title: str = "Untitled lesson"
    performer: str = ""
    teacher: str = ""
    notes: str = ""
    recording: Recording = field(default_factory=Recording)
    parts: tuple[Part, ...] = (Part(),)
    reference_cents: float = 0.0
    time_map: TimeMap = field(default_factory=TimeMap)
    key: str = ""  # such as "A minor", see `theory.keys`; empty: not settled
    scale: str = ""
    feel: str = ""
    phrases: tuple[Phrase, ...] = ()
    chords: tuple[tuple[int, str], ...] = ()  # (bar, symbols of that bar)
    form_bars: int = 0  # length of the form; 0: none
    limits: Limits = field(default_factory=Limits)
    kept: Kept = field(default_factory=Kept)

    def __post_init__(self) -> None:
        if not -100.0 <= self.reference_cents <= 100.0:
            raise ValueError(
                f"the reference pitch is {self.reference_cents} cents off: -100 to 100"
            )
        if not 0 <= self.form_bars <= 999:
            raise ValueError(f"a form of {self.form_bars} bars: 1 to 999, or 0 for none")
        if len(self.phrases) > MOST_PHRASES:
            raise ValueError(f"a lesson has at most {MOST_PHRASES} phrases")
        idents = [p.ident for phrase in self.phrases for p in (phrase, *phrase.variants)]
        if len(set(idents)) != len(idents):
            raise ValueError("two phrases have the same number")
        parts = {part.ident for part in self.parts}
        if not parts or len(parts) != len(self.parts):
            raise ValueError("a lesson has one or more parts, each with its own number")
        if any(phrase.part not in parts for phrase in self.phrases):
            raise ValueError("a phrase belongs to a part that is not there")

    # Phrases

    def phrase(self, ident: int) -> Phrase | None:
        """Find a phrase, or a variant of one, by its number.

        Parameters
        ----------
        ident : int
        """
        for phrase in self.phrases:
            if phrase.ident == ident:
                return phrase
        return next((v for p in self.phrases for v in p.variants if v.ident == ident), None)

    def beside(self, phrase: Phrase) -> tuple[Phrase, ...]:
        """Give the phrases of other parts that sound while a phrase does.

        Parameters
        ----------
        phrase : Phrase
            On the recording's time axis; seconds of it count.
        """
        return tuple(
            p
            for p in self.phrases
            if p.part != phrase.part and p.start_s < phrase.end_s and p.end_s > phrase.start_s
        )

    def source_of(self, ident: int) -> Phrase | None:
        """Give the phrase on the recording's time axis: itself, or the one a variant hangs under.

        Parameters
        ----------
        ident : int
            Of the phrase or the variant.
        """
        return next(
            (
                p
                for p in self.phrases
                if p.ident == ident or any(v.ident == ident for v in p.variants)
            ),
            None,
        )

    def with_phrase(self, phrase: Phrase) -> "Lesson":
        """Give the lesson with one phrase (or variant) replaced or a phrase added, in order of time."""
        if phrase.is_variant:
            source = self.source_of(phrase.ident)
            if source is None:
                raise ValueError(f"variant {phrase.ident} hangs under no phrase")
            variants = tuple(phrase if v.ident == phrase.ident else v for v in source.variants)
            return self.with_phrase(replace(source, variants=variants))
        others = [p for p in self.phrases if p.ident != phrase.ident]
        ordered = sorted([*others, phrase], key=lambda p: (p.start_s, p.end_s, p.ident))
        return replace(self, phrases=tuple(ordered))

    def fresh_phrase_number(self) -> int:
        """Give a number that no phrase, no variant and no entry of the log has."""
        idents = [p.ident for phrase in self.phrases for p in (phrase, *phrase.variants)]
        logged = [ident for entry in self.kept.log for ident in entry.phrases]
        return 1 + max([*idents, *logged], default=0)

    # Parts

    def part(self, ident: int) -> Part:
        """Find a part by its number.

        Parameters
        ----------
        ident : int
        """
        found = next((part for part in self.parts if part.ident == ident), None)
        if found is None:
            raise ValueError(f"there is no part number {ident}")
        return found

    def phrases_of(self, part: int) -> tuple[Phrase, ...]:
        """List the phrases of a part."""
        return tuple(phrase for phrase in self.phrases if phrase.part == part)

    def context(self, phrase: Phrase | None = None) -> Context:
        """Give what a phrase is read in; without one, that of the first part.

        Key and chords of a variant in another key are moved with it.
        """
        part = self.parts[0] if phrase is None else self.part(phrase.part)
        steps = phrase.variation.semitones if phrase and phrase.variation else 0
        key, chords = self.key, self.chords
        if steps:
            key = transpose_key(key, steps)
            chords = tuple((bar, transpose_symbols(text, steps)) for bar, text in chords)
        return Context(
            part, self.time_map, key, self.scale, chords, self.form_bars, self.reference_cents
        )

    def alone(self, phrase: Phrase) -> "Lesson":
        """Give the lesson with only this phrase; a variant becomes the phrase, in its own key."""
        around = self.context(phrase)
        only = replace(phrase, variation=None, variants=())
        return replace(
            self, key=around.key, chords=around.chords, parts=(around.part,), phrases=(only,)
        )

"""One note, twice: as it was heard and as it is written."""

from dataclasses import dataclass, field, replace
from fractions import Fraction

from juxtanote.core.score.techniques import TECHNIQUES
from juxtanote.core.theory.observed import Observation, Otherwise

SLURS = frozenset({"hammer-on", "pull-off", "tap"})
BENDS = frozenset({"bend", "pre-bend", "release"})
FINGERS = ("", "0", "1", "2", "3", "4", "T")
STROKES = ("", "down", "up", "thumb", "index", "middle", "ring")
# ``heard``: onset and offset were set by hand; ``time``: the written time was.
LOCKABLE = frozenset({"heard", "pitch", "place", "techniques", "time", "finger", "stroke"})
_KNOWN = frozenset(TECHNIQUES)  # made once: notes are made by the thousand
WIDEST_BEND = 5.0  # semitones: two and a half tones, with the bar a string more
LATEST_S = 1e6  # eleven days: nothing is longer, and sums stay exact


@dataclass(frozen=True, slots=True)
class RunnerUp:
    """Another reading of what was heard: another pitch, or another kind of note at the same one.

    `at_s` is where a note would be split, in seconds from its onset.
    """

    midi: float
    confidence: float
    differs: Otherwise = Otherwise.PITCH
    at_s: float = 0.0

    def __post_init__(self) -> None:
        if not 0.0 <= self.midi <= 127.0 or not 0.0 <= self.confidence <= 1.0 or self.at_s < 0.0:
            raise ValueError(
                f"a runner-up at midi {self.midi}, confidence {self.confidence}, {self.at_s} s in"
            )


@dataclass(frozen=True, slots=True)
class HeardNote:
    """What was measured. Times are seconds of the recording, pitch is MIDI at its own reference.

    `curve` holds (seconds from the onset, sounding pitch in cents above `midi`) points.
    """

    onset_s: float
    offset_s: float
    midi: float
    level_db: float = -18.0
    confidence: float = 1.0
    curve: tuple[tuple[float, float], ...] = ()
    evidence: tuple[Observation, ...] = ()
    runner_ups: tuple[RunnerUp, ...] = ()
    stiffness: float = 0.0  # B of its partials; 0: not measured
    strength: float = 0.0  # how plainly that shows, 0 to 1
    legato: float = 0.0  # the probability that it is slurred, by its sound

    def __post_init__(self) -> None:
        if not 0.0 <= self.onset_s < self.offset_s <= LATEST_S:
            raise ValueError(f"a note from {self.onset_s} to {self.offset_s} s has no length")
        if not 0.0 <= self.midi <= 127.0:
            raise ValueError(f"midi is {self.midi}; it needs 0 to 127")
        if not 0.0 <= self.confidence <= 1.0:
            raise ValueError(f"confidence is {self.confidence}; it needs 0 to 1")
        if not -200.0 <= self.level_db <= 60.0:
            raise ValueError(f"a level of {self.level_db} dB; it needs -200 to 60")

    @property
    def duration_s(self) -> float:
        """How long it sounds."""
        return self.offset_s - self.onset_s

    def at_pitch(self, midi: float, runner_ups: tuple[RunnerUp, ...] = ()) -> "HeardNote":
        """Give the note at another pitch, without what was measured of its string at this one.

        Parameters
        ----------
        midi : float
            The other pitch, MIDI.
        runner_ups : tuple of RunnerUp, optional
            What else it could be then.
        """
        return replace(self, midi=midi, runner_ups=runner_ups, stiffness=0.0, strength=0.0)


@dataclass(frozen=True, slots=True)
class WrittenNote:
    """What was decided. String 1 is the thinnest; fret 0 is open; beats count from bar 1."""

    string: int
    fret: int
    techniques: frozenset[str] = frozenset()
    bend_semitones: float = 0.0
    finger: str = ""
    stroke: str = ""
    onset_beats: Fraction | None = None
    duration_beats: Fraction | None = None
    locked: frozenset[str] = frozenset()

    def __post_init__(self) -> None:
        if not 1 <= self.string <= 9 or not 0 <= self.fret <= 36:
            raise ValueError(f"string {self.string}, fret {self.fret} is on no neck")
        if not (self.techniques <= _KNOWN and self.locked <= LOCKABLE):
            unknown = self.techniques - _KNOWN | self.locked - LOCKABLE
            raise ValueError(f"unknown words on a note: {', '.join(sorted(unknown))}")
        if not 0.0 <= self.bend_semitones <= WIDEST_BEND:
            raise ValueError(f"a bend of {self.bend_semitones} semitones: 0 to {WIDEST_BEND}")
        if self.finger not in FINGERS or self.stroke not in STROKES:
            raise ValueError(f"unknown finger {self.finger!r} or stroke {self.stroke!r}")
        if self.duration_beats is not None and self.duration_beats < 0:
            raise ValueError(f"a written length of {self.duration_beats} beats")


@dataclass(frozen=True, slots=True)
class Note:
    """A note of a phrase; `ident` stays the same through every edit."""

    ident: int
    heard: HeardNote
    written: WrittenNote

    @property
    def onset_s(self) -> float:
        """When it was heard."""
        return self.heard.onset_s

    @property
    def offset_s(self) -> float:
        """When it stopped."""
        return self.heard.offset_s

    @property
    def is_doubtful(self) -> bool:
        """Whether a person should look at it."""
        return self.heard.confidence < DOUBTFUL_BELOW and "pitch" not in self.written.locked

    def rewritten(self, *lock: str, **changes: object) -> "Note":
        """Give the note with fields of its written side replaced and locked."""
        written = replace(self.written, **changes)  # type: ignore[arg-type]
        return replace(self, written=replace(written, locked=written.locked | set(lock)))


DOUBTFUL_BELOW = 0.6  # a note less sure than this is marked to be looked at


@dataclass(frozen=True, slots=True)
class Evidence:
    """Frame curves of one listening, drawn under the heard row; one value a frame."""

    start_s: float = 0.0
    hop_s: float = 0.0
    onset: tuple[float, ...] = field(default=())
    level: tuple[float, ...] = field(default=())
    voices: tuple[float, ...] = field(default=())

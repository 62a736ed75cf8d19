"""What is held against the sound, and what is said of it: written notes, and complaints."""

import math
from dataclasses import dataclass, replace

WRONG_PITCH, MISSING, EXTRA, TIME, BEND, TECHNIQUE, QUIET, BLEED = (
    "wrong-pitch", "missing", "extra", "time", "bend", "technique", "quiet", "bleed",
)  # fmt: skip

# What is more likely wrong than right is kept back; of how a note is struck all is told that passes the
# edges of its kind, with how sure it is: nobody hears it surely, and a teacher looks at it once.
TOLD_FROM, ALL = 0.5, 0.0


@dataclass(frozen=True, slots=True)
class Asked:
    """A written note, as it is held against the sound: times in seconds of the recording."""

    row: int
    onset_s: float
    offset_s: float
    midi: float  # before a bend
    string: int
    fret: int
    techniques: frozenset[str] = frozenset()
    bend_semitones: float = 0.0

    @property
    def bends(self) -> float:
        """How far it is bent, 0 where it is not."""
        return self.bend_semitones if self.techniques & {"bend", "pre-bend"} else 0.0


@dataclass(frozen=True, slots=True)
class Complaint:
    """One thing that differs: `row` is None where nothing is written."""

    kind: str
    onset_s: float
    row: int | None
    string: int | None
    fret: int | None
    written: str
    heard: str
    confidence: float
    detail: str
    midi: float | None = None  # what sounds instead, or what is missing
    bend_semitones: float | None = None
    technique: str = ""
    sounds_s: float | None = None  # when it sounds, where it is written at another time

    @property
    def is_told(self) -> bool:
        """Whether it is sure enough to be told."""
        return self.confidence >= (ALL if self.kind == TECHNIQUE else TOLD_FROM)


# What becomes of the part over one half of a confidence, so that it is right as often as it says
# (`bench check`: seen on both halves, better on each).
HONEST = {TIME: 1.2, WRONG_PITCH: 1.25, EXTRA: 1.25}
# Notes that are not written are told rightly where the listener is sure of the others around: log odds,
# of the confidence itself and of how much the others lack of being sure (fitted on each half; the mean).
BY_OTHERS = {MISSING: (-6.9, 4.85, -0.88)}
MOST_TOLD = 0.97  # of a note that is left out: one in thirty is wrong where all seems plain
# A note that does not sound leaves hardly a trace of an onset; one that a band covers leaves a hundred
# times as much: log odds that it does not sound, and what each tenth of that evidence adds (likewise).
NO_TRACE, A_TENTH, LEAST_TRACE = -3.8, 0.97, 1e-6


def honest(kind: str, confidence: float) -> float:
    """Give what is left of a confidence (0 to 1) in a kind of complaint.

    Examples
    --------
    >>> honest(TIME, 0.75), honest(TIME, 0.4)
    (0.8, 0.4)
    """
    over = confidence - 0.5
    return 0.5 + HONEST.get(kind, 1.0) * over if over > 0.0 else confidence


def nothing_sounds(begins: float) -> float:
    """Give how likely nothing of a pitch sounds, by the evidence that a note of it begins.

    Parameters
    ----------
    begins : float
        As `Evidence.begins` gives it, 0 to 1.

    Examples
    --------
    >>> [round(nothing_sounds(evidence), 2) for evidence in (1e-6, 1e-4, 1e-2)]
    [0.88, 0.52, 0.13]
    """
    odds = NO_TRACE - A_TENTH * math.log10(max(begins, LEAST_TRACE))
    return 1.0 / (1.0 + math.exp(-odds))


def by_others(complaint: Complaint, clear: float) -> Complaint:
    """Make a complaint as sure as it is where the notes around are heard so clearly.

    Parameters
    ----------
    complaint : Complaint
        Of any kind; only a note that is not written changes.
    clear : float
        Mean confidence of the notes that are written and heard, 0 to 1.

    Examples
    --------
    >>> left_out = Complaint(MISSING, 1.0, None, None, None, "nothing", "60.0", 0.75, "")
    >>> by_others(left_out, 0.99).confidence > 0.8 > by_others(left_out, 0.8).confidence
    True
    """
    if complaint.kind not in BY_OTHERS:
        return complaint
    bias, own, lacking = BY_OTHERS[complaint.kind]
    confidence = min(max(complaint.confidence, 0.01), 0.99)
    odds = (
        bias
        + own * math.log(confidence / (1.0 - confidence))
        + lacking * math.log(max(1.0 - clear, 0.003))
    )
    return replace(complaint, confidence=round(min(1.0 / (1.0 + math.exp(-odds)), MOST_TOLD), 3))


def complaint_of(
    note: Asked, kind: str, heard: str, confidence: float, detail: str, **more: object
) -> Complaint:
    """Complain of a written note.

    Parameters
    ----------
    note : Asked
        As it is written.
    kind, heard, detail : str
        What differs, what sounds instead, and how.
    confidence : float
        Before it is made `honest`, 0 to 1.
    **more
        Further fields of `Complaint`.
    """
    confidence = honest(kind, confidence)
    made = Complaint(
        kind, note.onset_s, note.row, note.string, note.fret, _told(note), heard,
        round(min(max(confidence, 0.0), 1.0), 3), detail,
    )  # fmt: skip
    return replace(made, **more)  # type: ignore[arg-type]


def _told(note: Asked) -> str:
    words = f"string {note.string} fret {note.fret}"
    return words + (f", {', '.join(sorted(note.techniques))}" if note.techniques else "")

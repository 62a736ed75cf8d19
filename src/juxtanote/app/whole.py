"""A recording heard as a whole: phrases to begin with, and what its key and tuning may be."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol, cast

from PyQt6.QtCore import QObject, pyqtSignal

from juxtanote.app.document import Document, Ticket
from juxtanote.app.jobs.runner import Job, Then
from juxtanote.app.results import Results
from juxtanote.core.progress import Progress
from juxtanote.core.score.lesson import Lesson

if TYPE_CHECKING:
    from collections.abc import Callable

    from juxtanote.core.analysis.perceived import PerceivedNote
    from juxtanote.core.audio.sound import Sound
    from juxtanote.core.score.cuts import Cut

SURE_ENOUGH = 0.6  # notes that phrases are cut by: doubtful ones make rests where there are none


@dataclass(frozen=True, slots=True)
class Heard:
    """What was heard of a recording at a reference pitch; `sound` is kept to know it by."""

    sound: Sound
    reference_cents: float
    notes: tuple[PerceivedNote, ...]  # those that are sure enough
    others: bool  # mostly what does not sound like a guitar

    def is_of(self, sound: Sound | None, reference_cents: float) -> bool:
        """Tell whether it is of this sound at this reference."""
        return self.sound is sound and self.reference_cents == reference_cents


@dataclass(frozen=True, slots=True)
class Proposed:
    """Phrases that would be cut, and where the lead plays."""

    heard: Heard
    cuts: tuple[Cut, ...]
    lead: tuple[tuple[float, float], ...]


class Start(Protocol):
    """Starts a job of a name, which does its work and hands over what comes of it."""

    def __call__(
        self, name: str, work: Callable[[Progress], object], then: Then, *, behind: bool = False
    ) -> Job | None: ...


class Whole(QObject):
    """Listens to the whole recording behind all else, and cuts it into phrases."""

    told = pyqtSignal(str)
    found = pyqtSignal(object)  # Proposed

    def __init__(
        self, document: Document, results: Results, start: Start, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._results, self._start = document, results, start
        self._heard: Heard | None = None
        self._job: Job | None = None
        self._is_wished = False  # somebody asked for phrases
        self._begun: Sound | None = None  # what was listened to without being asked
        document.sound_changed.connect(self._on_sound_changed)

    def listen(self) -> None:
        """Listen to a recording that was opened, behind all else; where no phrase is, cut some."""
        sound = self._document.sound
        if sound is None or sound is self._begun or self._document.lesson.phrases:
            return
        self._begun = sound
        self._begin(sound, "Listening to the recording", behind=True)

    def propose(self) -> None:
        """Listen to the whole recording and cut it where the lead breathes; one step to undo."""
        sound = self._document.sound
        if sound is None:
            self.told.emit("Open a recording first.")
            return
        self._is_wished = True
        if self._job is not None and not self._job.was_cancelled:
            self.told.emit("It is being listened to: phrases come when that is done.")
        else:
            self._begin(sound, "Looking for phrases", behind=False)

    def _begin(self, sound: Sound, name: str, *, behind: bool) -> None:
        ticket, known = self._document.ticket(), self._heard

        def work(progress: Progress) -> object:
            return _proposed(sound, ticket.lesson, known, progress)

        def then(result: object) -> None:
            self._on_proposed(ticket, cast(Proposed, result))

        job = self._job = self._start(name, work, then, behind=behind)
        if job is not None:
            job.ended.connect(lambda: self._on_ended(job))

    def _on_ended(self, job: Job) -> None:
        if self._job is job:
            self._job, self._is_wished = None, False

    def _on_sound_changed(self) -> None:
        """Stop listening to a recording that is not open any more."""
        if self._job is not None:
            self._job.cancel()
        if self._heard is not None and self._heard.sound is not self._document.sound:
            self._heard = None

    def _on_proposed(self, ticket: Ticket, result: Proposed) -> None:
        wished, heard = self._is_wished, result.heard
        self._is_wished = False
        if self._results.fits(ticket, "The proposal", quiet=True):
            self._heard = heard
            self.found.emit(result)
        if not wished and self._document.is_open(ticket) and self._document.lesson.phrases:
            self.told.emit("The recording was listened to: Ctrl+P proposes phrases at once.")
            return
        before = len(self._document.lesson.phrases)

        def merge(lesson: Lesson) -> Lesson:
            from juxtanote.core.score.cuts import with_cuts

            return with_cuts(lesson, list(result.cuts))

        if self._results.take(ticket, "The proposal of phrases", merge, text="Propose phrases"):
            self.told.emit(_said(len(self._document.lesson.phrases) - before, heard.others))


def _proposed(sound: Sound, lesson: Lesson, known: Heard | None, progress: Progress) -> Proposed:
    """Hear what is not known yet, and cut it under the lesson's beats."""
    from juxtanote.core.score.cuts import lead_spans, propose_cuts

    if known is None or not known.is_of(sound, lesson.reference_cents):
        known = _heard(sound, lesson.reference_cents, progress)
    spans = [(n.onset_s, n.offset_s) for n in known.notes]
    cuts = propose_cuts(
        [s for s, _ in spans], [e for _, e in spans], lesson.time_map, [n.midi for n in known.notes]
    )  # fmt: skip
    return Proposed(known, tuple(cuts), lead_spans(spans))


def _heard(sound: Sound, reference_cents: float, progress: Progress) -> Heard:
    from juxtanote.core.analysis.instruments import mostly_others
    from juxtanote.core.analysis.stretches import hear_all

    notes = hear_all(sound, reference_cents=reference_cents, progress=progress)
    sure = tuple(n for n in notes if n.confidence > SURE_ENOUGH)
    return Heard(sound, reference_cents, sure, mostly_others([n.evidence for n in notes]))


def _said(count: int, others: bool) -> str:
    """Say what became of a proposal."""
    if count:
        words = f"{count} phrases proposed; Ctrl+Z takes them back, Del refuses one, "
        return words + "Shift+Del all."
    if others:
        return "What plays does not sound like a guitar. Cut a phrase to listen all the same."
    return "Nothing was found to propose beside the phrases that are cut."

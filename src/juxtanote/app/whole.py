"""A recording heard as a whole: phrases to begin with, its notes, what its key and tuning may be."""

from __future__ import annotations

from contextlib import nullcontext
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Protocol, cast

from PyQt6.QtCore import QObject, pyqtSignal

from juxtanote.app.document import Document, Ticket
from juxtanote.app.folders import cache_folder
from juxtanote.app.jobs.runner import Job, Then
from juxtanote.app.results import Results
from juxtanote.app.settings import LISTEN_OPENED
from juxtanote.app.transport.controller import Transport
from juxtanote.core.progress import Progress
from juxtanote.core.score.lesson import Lesson

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from juxtanote.core.analysis.perceived import Listening, PerceivedNote
    from juxtanote.core.audio.sound import Sound
    from juxtanote.core.score.cuts import Cut

ON_OPENING = "Recordings that are opened are listened to, and phrases proposed."
ON_WISH = "Recordings are listened to only when asked from now on: Ctrl+P proposes phrases."


def heard_folder() -> Path:
    """Where it is kept what was heard of whole recordings."""
    return cache_folder() / "heard"


@dataclass(frozen=True, slots=True)
class Heard:
    """What was heard of a recording at a reference pitch; `sound` is kept to know it by."""

    sound: Sound
    reference_cents: float
    notes: tuple[PerceivedNote, ...]  # of the lead: those that are sure enough
    others: bool  # mostly what does not sound like a guitar
    is_all: bool = True  # False while the rest is listened to
    doubtful: tuple[PerceivedNote, ...] = ()  # of the lead, not sure enough to cut by
    listening: Listening | None = None  # all that was heard

    def is_of(self, sound: Sound, reference_cents: float) -> bool:
        """Tell whether it is of this sound at this reference."""
        return self.sound is sound and self.reference_cents == reference_cents


@dataclass(frozen=True, slots=True)
class Proposed:
    """Phrases that would be cut, and where the lead plays."""

    heard: Heard
    cuts: tuple[Cut, ...]
    lead: tuple[tuple[float, float], ...]


@dataclass(slots=True)
class Adding:
    """What became of the proposals of one listening: they come bit by bit, and are one step to undo."""

    step: int
    quiet: bool = False  # nobody waits to be told
    cuts: list[Cut] = field(default_factory=list)
    taken: int = 0  # so many of them
    numbers: set[int] = field(default_factory=set)  # of phrases that were made of them
    count: int = 0


class Start(Protocol):
    """Starts a job of a name, which does its work and hands over what comes of it."""

    def __call__(
        self, name: str, work: Callable[[Progress], object], then: Then, *, behind: bool = False
    ) -> Job | None: ...


class Whole(QObject):
    """Listens to the whole recording behind all else, and cuts it into phrases."""

    told = pyqtSignal(str)
    found = pyqtSignal(object)  # Proposed
    ended = pyqtSignal(bool)  # whether it was stopped
    _partly = pyqtSignal(object, object, object)  # ticket, Adding, Proposed: from the job's thread

    def __init__(
        self,
        document: Document,
        transport: Transport,
        results: Results,
        start: Start,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self._results, self._start = results, start
        self._heard: Heard | None = None  # up to where it was listened to
        self._job: Job | None = None
        self._is_wished = False  # somebody asked for phrases
        self._begun: Sound | None = None  # what was listened to without being asked
        self._stopped: Sound | None = None  # what a person did not want to be listened to
        document.sound_changed.connect(self._on_sound_changed)
        self._partly.connect(self._on_partly)

    def listen(self) -> None:
        """Listen to a recording that was opened, behind all else; where no phrase is, cut some."""
        sound = self._document.sound
        if sound is None or sound is self._begun or self._document.lesson.phrases:
            return
        if not LISTEN_OPENED.read():
            return
        self._begun = sound
        self._begin(sound, "Listening to the recording", behind=True)

    def listen_behind(self) -> None:
        """Listen behind all else where a phrase was asked for: others will be, and are known then."""
        sound = self._document.sound
        if sound is not self._stopped and LISTEN_OPENED.read():
            self.hear(behind=True)

    def hear(self, *, behind: bool) -> None:
        """Listen to the recording where that was not done, and is not under way; nothing is told."""
        sound = self._document.sound
        if sound is None or self.is_listening or self.heard_up_to(sound.duration_s) is not None:
            return
        self._begin(sound, "Listening to the recording", behind=behind, quiet=True)

    @property
    def is_listening(self) -> bool:
        """Whether the recording is being listened to."""
        return self._job is not None and not self._job.was_cancelled

    def heard_up_to(self, end_s: float) -> Listening | None:
        """Give what was heard of the recording that is open, where it was listened to up to a time."""
        heard, sound = self._heard, self._document.sound
        cents = self._document.lesson.reference_cents
        if heard is None or sound is None or not heard.is_of(sound, cents):
            return None
        listening = heard.listening
        if listening is None or not (heard.is_all or end_s <= listening.end_s):
            return None
        return listening

    def toggle_opened(self) -> None:
        """Listen to recordings that are opened, or from now on only when asked."""
        LISTEN_OPENED.write(not LISTEN_OPENED.read())
        self.told.emit(ON_OPENING if LISTEN_OPENED.read() else ON_WISH)
        self.listen()

    def propose(self) -> None:
        """Listen to the whole recording and cut it where the lead breathes; one step to undo."""
        sound = self._document.sound
        if sound is None:
            self.told.emit("Open a recording first.")
            return
        self._is_wished = True
        if self.is_listening:
            self.told.emit("It is being listened to: phrases come when that is done.")
        else:
            self._begin(sound, "Looking for phrases", behind=False)

    def _begin(self, sound: Sound, name: str, *, behind: bool, quiet: bool = False) -> None:
        ticket, known = self._document.ticket(), self._heard
        known = known if known is not None and known.is_all else None
        adding = Adding(self._document.fresh_merge(), quiet)

        def work(progress: Progress) -> object:
            return _proposed(
                sound,
                ticket.lesson,
                known,
                progress,
                lambda p: self._partly.emit(ticket, adding, p),
                heard_folder(),
            )

        def then(result: object) -> None:
            self._on_proposed(ticket, adding, cast(Proposed, result))

        job = self._job = self._start(name, work, then, behind=behind)
        if job is not None:
            job.ended.connect(lambda: self._on_ended(job, sound))

    def _on_ended(self, job: Job, sound: Sound) -> None:
        if self._job is job:
            self._job, self._is_wished = None, False
            if job.was_cancelled and sound is self._document.sound:
                self._stopped = sound  # by a person; another recording stops it, too
            self.ended.emit(job.was_cancelled)

    def _on_sound_changed(self) -> None:
        """Stop listening to a recording that is not open any more."""
        if self._job is not None:
            self._job.cancel()
        if self._heard is not None and self._heard.sound is not self._document.sound:
            self._heard = None
        if self._begun is not self._document.sound:
            self._begun = None  # a recording that was closed is not kept
        if self._stopped is not self._document.sound:
            self._stopped = None

    def _on_partly(self, ticket: Ticket, adding: Adding, result: Proposed) -> None:
        """Take the first phrases while the rest is listened to."""
        if self._results.fits(ticket, "The proposal", quiet=True):
            self._heard = result.heard
            self.found.emit(result)
            if result.cuts:
                self._add(ticket, adding, result)

    def _on_proposed(self, ticket: Ticket, adding: Adding, result: Proposed) -> None:
        if self._results.fits(ticket, "The proposal", quiet=True):
            self._heard = result.heard
            self.found.emit(result)
        added = self._add(ticket, adding, result)
        self._is_wished = False
        if added:
            is_cut = bool(self._document.lesson.phrases)
            self.told.emit(_said(adding.count, is_cut=is_cut, others=result.heard.others))
        elif self._document.is_open(ticket) and not adding.quiet:
            self.told.emit(
                "The recording was listened to: L, Alt+L and Ctrl+P need not do so again."
            )

    def _add(self, ticket: Ticket, adding: Adding, result: Proposed) -> bool:
        """Add what is proposed, all of one listening as one step of undo; False where it may not."""
        adding.cuts += result.cuts
        lesson = self._document.lesson
        ours = {p.ident for p in lesson.phrases if p.proposed} & adding.numbers
        if self._is_wished and not ours:
            adding.taken = adding.count = 0  # taken back, or not wanted before: all of them now
        elif not ours and (adding.numbers or lesson.phrases):
            return False  # a person took them back, or cuts for himself
        cuts = adding.cuts[adding.taken :]

        def merge(lesson: Lesson) -> Lesson:
            from juxtanote.core.score.cuts import with_cuts

            return with_cuts(lesson, cuts)

        before = {p.ident for p in lesson.phrases}
        what, text = "The proposal of phrases", "Propose phrases"
        with nullcontext() if self._is_wished else self._transport.left_alone():
            if not self._results.take(ticket, what, merge, text=text, step=adding.step):
                return False
        fresh = {p.ident for p in self._document.lesson.phrases} - before
        adding.taken = len(adding.cuts)
        adding.count += len(fresh)
        adding.numbers |= fresh
        if fresh:
            self._is_wished = False  # who takes these back while the rest comes has had his wish
        return True


def _proposed(
    sound: Sound,
    lesson: Lesson,
    known: Heard | None,
    progress: Progress,
    partly: Callable[[Proposed], None],
    folder: Path,
) -> Proposed:
    """Hear what is not known yet, and cut it under the lesson's beats; first phrases come first.

    What was heard in an earlier session is in the folder.
    """
    cents, from_s = lesson.reference_cents, 0.0
    if known is not None and known.is_of(sound, cents):
        return _cut(known, lesson, 0.0)
    from juxtanote.core.analysis.instruments import mostly_others
    from juxtanote.core.analysis.stretches import hear_whole
    from juxtanote.core.remembered import recall, remember

    def so_far(listening: Listening) -> None:
        nonlocal from_s
        found = _cut(_lead(sound, cents, listening, is_all=False), lesson, from_s)
        ready = found.cuts[:-1]  # the last may go on
        if ready:
            from_s = ready[-1].end_s
        partly(replace(found, cuts=ready))

    listening = recall(sound, cents, folder)
    if listening is None:
        listening = hear_whole(sound, reference_cents=cents, progress=progress, so_far=so_far)
        remember(listening, sound, cents, folder)
    others = mostly_others([n.evidence for n in listening.notes])
    heard = replace(_lead(sound, cents, listening, is_all=True), others=others)
    return _cut(heard, lesson, from_s)


def _lead(sound: Sound, cents: float, listening: Listening, *, is_all: bool) -> Heard:
    """Keep the lead, and all that was heard."""
    from juxtanote.core.proposing import lead_among

    lead = lead_among(listening.notes)
    return Heard(sound, cents, lead.sure, False, is_all, lead.doubtful, listening)


def _cut(heard: Heard, lesson: Lesson, from_s: float) -> Proposed:
    """Cut what was heard from a time on."""
    from juxtanote.core.proposing import Lead, propose_phrases
    from juxtanote.core.score.cuts import lead_spans

    cuts = propose_phrases(Lead(heard.notes, heard.doubtful), lesson.time_map, from_s)
    return Proposed(heard, tuple(cuts), lead_spans([(n.onset_s, n.offset_s) for n in heard.notes]))


def _said(count: int, *, is_cut: bool, others: bool) -> str:
    """Say what became of a proposal."""
    if count:
        if count == 1:
            return "One phrase proposed; Ctrl+Z takes it back, Del refuses it."
        words = f"{count} phrases proposed; Ctrl+Z takes them back, Del refuses one, "
        return words + "Shift+Del all."
    if others:
        return "What plays does not sound like a guitar. Cut a phrase to listen all the same."
    where = " beside the phrases that are cut" if is_cut else ": drag over the recording to cut one"
    return f"Nothing was found to propose{where}."

"""Long work on the lesson: measuring, listening, placing; each as a job with a ticket.

What a job gives goes through `Results`, which checks that it still fits.
"""

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, TypeAlias, cast

from PyQt6.QtCore import QObject, pyqtSignal

from juxtanote.app.document import Document, Ticket
from juxtanote.app.folders import cache_folder
from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.app.listening import PhraseListening
from juxtanote.app.long_edits import LongEdits
from juxtanote.app.placing import Placing
from juxtanote.app.results import Outdated, Results
from juxtanote.app.sayings import say_focus
from juxtanote.app.transport.controller import Transport
from juxtanote.app.transport.rate import RATE
from juxtanote.app.whole import Whole
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import Focus, Lesson, Phrase

if TYPE_CHECKING:
    from pathlib import Path

    import numpy as np
    from numpy.typing import NDArray

    from juxtanote.core.analysis.chords import ChordReading
    from juxtanote.core.measuring import Measured
    from juxtanote.core.score.note import Evidence, Note

    Heard: TypeAlias = tuple[tuple[Note, ...], Evidence, Phrase, int]

Span = tuple[float, float]


class Tasks(QObject):
    """Starts jobs with frozen values and hands their results over."""

    measured = pyqtSignal(object)  # Measured
    compared = pyqtSignal(object, object)  # Compared, and where its take is
    told = pyqtSignal(str)
    failed = pyqtSignal(str)

    def __init__(
        self,
        document: Document,
        transport: Transport,
        runner: JobRunner,
        results: Results,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._transport, self._runner = document, transport, runner
        self._results = results
        self.placing = Placing(document, runner, results, lambda *job: self._start(*job), self)
        self.placing.told.connect(self.told)
        self.long_edits = LongEdits(document, results, lambda *job: self._start(*job), self)
        self.long_edits.told.connect(self.told)
        self.whole = Whole(
            document, transport, results,
            lambda *job, behind=False: self._start(*job, behind=behind), self,
        )  # fmt: skip
        self.whole.told.connect(self.told)
        self.listening = PhraseListening(
            document, results, self.placing, self.whole, lambda *job: self._start(*job), self
        )
        self.listening.told.connect(self.told)
        self.measured.connect(lambda _: self.whole.listen())

    def _start(
        self,
        name: str,
        work: Callable[[Progress], object],
        then: Callable[[object], None],
        *,
        behind: bool = False,
    ) -> Job:
        job = Job(name, work, then, self._on_failed, behind=behind)
        self._runner.start(job)
        return job

    def _on_failed(self, error: Exception) -> None:
        known = isinstance(error, JuxtanoteError)
        self.failed.emit(
            str(error) if known else f"Something went wrong ({error}). Your lesson is as it was."
        )
        if not known:
            raise error

    # Measuring

    def measure(self, *, apply: bool) -> None:
        """Measure reference pitch and beats; `apply` also sets them in the lesson."""
        sound, ticket = self._document.sound, self._document.ticket()
        if sound is None:
            self.told.emit("Open a recording first.")
            return

        def work(progress: Progress) -> object:
            from juxtanote.core.measured import measured_before

            return measured_before(sound, cache_folder() / "measured", progress=progress)

        self._start(
            "Measuring the recording",
            work,
            lambda r: self._on_measured(ticket, cast("Measured", r), apply),
        )

    def _on_measured(self, ticket: Ticket, measured: "Measured", apply: bool) -> None:
        what = "What was measured"

        def merge(lesson: Lesson, progress: Progress = no_progress) -> Lesson:
            from juxtanote.core.measuring import time_map_of
            from juxtanote.core.score.timing import with_time_map

            if lesson.time_map is not ticket.lesson.time_map:
                raise Outdated(
                    "The beats were changed by hand meanwhile: they stay. Measure again to replace them."
                )
            cents = round(min(max(measured.reference_cents, -100.0), 100.0), 1)
            return with_time_map(
                replace(lesson, reference_cents=cents), time_map_of(measured.beats), progress
            )

        if apply and self._results.fits(ticket, what):
            text = "Measure the recording"
            if self.long_edits.is_long:
                self.long_edits.edit_in_background(text, what, merge)
            else:
                self._results.take(ticket, what, merge, text=text)
        if self._results.fits(ticket, what, quiet=True):
            self.measured.emit(measured)

    # Chords

    def suggest_chords(self) -> None:
        """Suggest a chord for each bar of the current phrase; one step to undo."""
        phrase, sound = self._document.phrase, self._document.sound
        if phrase is None or sound is None:
            self.told.emit("Open a recording and cut a phrase first.")
            return
        phrase = self._document.lesson.source_of(phrase.ident) or phrase
        ticket = self._document.ticket(phrase)
        lesson, span = ticket.lesson, (phrase.start_s, phrase.end_s)

        def work(progress: Progress) -> object:
            from juxtanote.core.measuring import chords_of

            return chords_of(sound, *span, lesson.time_map, lesson.key)

        self._start(
            f"Looking for the chords of {phrase.name}",
            work,
            lambda r: self._on_chords(ticket, cast("list[ChordReading]", r)),
        )

    def _on_chords(self, ticket: Ticket, readings: "list[ChordReading]") -> None:
        def merge(lesson: Lesson) -> Lesson:
            from juxtanote.core.score.form import set_chords

            now, began = lesson.phrase(ticket.phrase.ident), ticket.phrase  # type: ignore[union-attr]
            if lesson.time_map is not ticket.lesson.time_map or (
                now is None or began is None or now.start_s != began.start_s
            ):
                raise Outdated("Bars or phrase were moved meanwhile: suggest the chords again.")
            symbols = [reading.symbol for reading in readings]
            return replace(lesson, chords=set_chords(lesson, readings[0].bar, symbols))

        if not readings:
            self.told.emit("The phrase holds no whole bar. Check where bar 1 is.")
        elif self._results.take(ticket, "The chords", merge, text="Suggest chords"):
            weak = sum(reading.lead < 0.05 for reading in readings)
            self.told.emit(
                f"{len(readings)} bars; {weak} of them could as well be another chord: trust your ear."
            )

    # Focus

    def propose_focus(self) -> None:
        """Choose how the guitar is brought forward for the current phrase, and say why."""
        phrase, sound = self._document.phrase, self._document.sound
        if phrase is None or sound is None or phrase.is_variant:
            self.told.emit("Open a recording and choose a phrase of it first.")
            return
        ticket = self._document.ticket(phrase)
        cents, span = ticket.lesson.reference_cents, (phrase.start_s, phrase.end_s)

        def work(progress: Progress) -> object:
            from juxtanote.core.focusing import propose_focus

            return propose_focus(sound, *span, reference_cents=cents, progress=progress)

        self._start(
            f"Bringing the guitar forward in {phrase.name}", work,
            lambda r: self._on_focus_proposed(ticket, cast(Focus, r)),
        )  # fmt: skip

    def _on_focus_proposed(self, ticket: Ticket, focus: Focus) -> None:
        began = ticket.phrase
        assert began is not None

        def merge(lesson: Lesson) -> Lesson:
            now = lesson.phrase(began.ident)
            if now is None or now.focus != began.focus:
                raise Outdated("The focus was set by hand meanwhile: it stays.")
            return edits.change_phrase(lesson, began.ident, focus=focus)

        if self._results.take(ticket, "The focus", merge, text="Set focus"):
            self.told.emit(f"Guitar forward: {say_focus(focus)}.")

    def audition(self, on: bool) -> None:
        """Play the recording as it is brought forward for the current phrase, or as it is."""
        phrase, sound = self._document.phrase, self._document.sound
        if sound is None:
            return
        if not on or phrase is None:
            self._transport.audition(sound.audio)
            return
        focus, ticket = phrase.focus, self._document.ticket(phrase)

        def work(progress: Progress) -> object:
            from juxtanote.core.audio.focus import bring_forward

            return bring_forward(
                sound.audio, sound.sample_rate, source=focus.source, low_hz=focus.low_hz,
                high_hz=focus.high_hz, without_drums=focus.without_drums,
            )  # fmt: skip

        def then(audio: object) -> None:
            if self._results.fits(ticket, "The guitar brought forward", quiet=True):
                self._transport.audition(audio)  # type: ignore[arg-type]

        self._start("Bringing the guitar forward", work, then)

    def compare_take(self, path: "Path", fresh: "NDArray[np.float32] | None" = None) -> None:
        """Listen to a take of the current phrase, and hold it against what is written.

        A `fresh` one (mono, at `RATE`) is written to `path` first.
        """
        phrase = self._document.phrase
        if phrase is None or not phrase.notes:
            self.told.emit("Choose a phrase with notes first.")
            return
        ticket = self._document.ticket(phrase)

        def work(progress: Progress) -> object:
            from juxtanote.core.audio.read import read_sound
            from juxtanote.core.checks.against_sound import asked_of
            from juxtanote.core.practice.takes import compare

            if fresh is not None:
                from juxtanote.core.audio.write import write_sound

                path.parent.mkdir(parents=True, exist_ok=True)
                write_sound(path, fresh[None], RATE)
            take = read_sound(path)
            return compare(asked_of(phrase, ticket.lesson), take, progress=progress)

        def done(compared: object) -> None:
            now = self._document.phrase
            if not self._results.fits(ticket, f"“{path.name}”"):
                return
            if now is None or now.ident != phrase.ident:
                self.told.emit(
                    f"“{path.name}” was compared with {phrase.name}: choose it to see more."
                )
                return
            self.compared.emit(compared, path)

        self._start(f"Listening to {path.name}", work, done)

"""Long work on the lesson: measuring, listening, rendering; each as a job that can be stopped."""

from dataclasses import replace

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from juxtanote.app.document import Document
from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.app.transport.controller import Transport
from juxtanote.app.transport.devices import RATE
from juxtanote.core.analysis.chords import ChordReading
from juxtanote.core.analysis.listen import Hints
from juxtanote.core.audio.focus import bring_forward
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.progress import Progress
from juxtanote.core.score.cuts import Cut, propose_cuts
from juxtanote.core.score.edits import change_phrase, cut_phrase, merge_listening
from juxtanote.core.score.form import set_chords
from juxtanote.core.score.lesson import Focus, Lesson, Phrase
from juxtanote.core.score.note import Evidence, Note
from juxtanote.core.score.rhythm import write_phrase
from juxtanote.core.synth.render import Rendered, render_phrase
from juxtanote.core.transcribe import (
    Measured,
    chords_of,
    evidence_of,
    hear_all,
    hear_stretch,
    lead_spans,
    measure_recording,
    place_heard,
    propose_focus,
    replace_places,
    time_map_of,
)

RENDER_DELAY_MS = 250
SURE_ENOUGH = 0.6


class Tasks(QObject):
    """Starts jobs with frozen values and puts their results into the document."""

    measured = pyqtSignal(object)  # Measured
    tab_rendered = pyqtSignal(object)  # Rendered
    lead_found = pyqtSignal(object)  # ((start, end), …) in seconds
    told = pyqtSignal(str)
    failed = pyqtSignal(str)

    def __init__(
        self,
        document: Document,
        transport: Transport,
        runner: JobRunner,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._transport, self._runner = document, transport, runner
        self._rendered_for: tuple[Phrase, float] | None = None
        self._render_timer = QTimer(self)
        self._render_timer.setSingleShot(True)
        self._render_timer.setInterval(RENDER_DELAY_MS)
        self._render_timer.timeout.connect(self._render)
        document.lesson_changed.connect(self._render_timer.start)
        document.phrase_changed.connect(self._render_timer.start)
        document.sound_changed.connect(self._on_sound_changed)

    # Measuring

    def measure(self, *, apply: bool) -> None:
        """Measure reference pitch and beats; `apply` also sets them in the lesson."""
        sound = self._document.sound
        if sound is None:
            self.told.emit("Open a recording first.")
            return

        def work(progress: Progress) -> object:
            return measure_recording(sound, progress=progress), apply

        job = Job("Measuring the recording", work)
        job.succeeded.connect(self._on_measured)
        job.failed.connect(self._on_failed)
        self._runner.start(job)

    def _on_measured(self, result: tuple[Measured, bool]) -> None:
        measured, apply = result
        if apply:
            self._document.change(
                "Measure the recording", lambda lesson: _with_measured(lesson, measured)
            )
        self.measured.emit(measured)

    # Listening

    def listen(
        self,
        hints: Hints | None = None,
        stretch: tuple[float, float] | None = None,
        string: int | None = None,
    ) -> None:
        """Listen to the current phrase, or a stretch of it, in the background.

        With a `string` all is heard and placed there.
        """
        document = self._document
        phrase, lesson, sound = document.phrase, document.lesson, document.sound
        if phrase is None or sound is None:
            self.told.emit("Open a recording and cut a phrase first.")
            return

        start, end = stretch or (phrase.start_s, phrase.end_s)
        kept = [n for n in phrase.notes if "pitch" in n.written.locked]
        certain = tuple((n.onset_s, n.offset_s, n.heard.midi) for n in kept)
        guitar = lesson.guitar
        known = replace(hints or Hints(), certain=certain)
        if string:
            known = known.on_string(guitar, string)
        elif hints:  # what the guitar can sound counts where the person was told of it
            known = known.on_guitar(guitar)

        def work(progress: Progress) -> object:
            heard = hear_stretch(
                sound, start, end, reference_cents=lesson.reference_cents, focus=phrase.focus,
                hints=known, progress=progress,
            )  # fmt: skip
            notes = place_heard(list(heard.notes), guitar, lesson.school, string=string)
            evidence = evidence_of(heard) if stretch is None else phrase.evidence
            return phrase, tuple(notes), evidence, stretch

        job = Job(f"Listening to {phrase.name}", work)
        job.succeeded.connect(self._on_heard)
        job.failed.connect(self._on_failed)
        self._runner.start(job)

    def _on_heard(
        self,
        result: tuple[Phrase, tuple[Note, ...], Evidence, tuple[float, float] | None],
    ) -> None:
        began, notes, evidence, stretch = result
        now = self._document.lesson.phrase(began.ident)
        if now is None or (now.start_s, now.end_s) != (began.start_s, began.end_s):
            self.told.emit("The phrase was changed meanwhile; listen again.")
            return

        def edit(lesson: Lesson) -> Lesson:
            merged = replace(merge_listening(now, notes, stretch), evidence=evidence)
            if merged.notes:
                merged = write_phrase(replace_places(merged, lesson), lesson.time_map)
                status = "placed" if merged.status == "heard" else merged.status
                merged = replace(merged, status=status)
            return lesson.with_phrase(merged)

        self._document.change("Listen to phrase", edit)
        after = self._document.lesson.phrase(began.ident)
        count = len(after.notes) if after else 0
        doubtful = sum(n.is_doubtful for n in after.notes) if after else 0
        words = f"{count} notes heard" + (f", {doubtful} to look at: press D." if doubtful else ".")
        if count == 0:
            words = "No guitar was heard here. Bring it forward on the Hear desk, or cut another stretch."
        self.told.emit(words)

    def propose(self) -> None:
        """Listen to the whole recording and cut it where the lead breathes; one step to undo."""
        document = self._document
        lesson, sound = document.lesson, document.sound
        if sound is None:
            self.told.emit("Open a recording first.")
            return

        def work(progress: Progress) -> object:
            notes = hear_all(sound, reference_cents=lesson.reference_cents, progress=progress)
            sure = [n for n in notes if n.confidence > SURE_ENOUGH]
            spans = [(n.onset_s, n.offset_s) for n in sure]
            cuts = propose_cuts(
                [s for s, _ in spans],
                [e for _, e in spans],
                lesson.time_map,
                [n.midi for n in sure],
            )
            return cuts, lead_spans(spans)

        job = Job("Looking for phrases", work)
        job.succeeded.connect(self._on_proposed)
        job.failed.connect(self._on_failed)
        self._runner.start(job)

    def _on_proposed(self, result: tuple[list[Cut], tuple[tuple[float, float], ...]]) -> None:
        cuts, lead = result
        self.lead_found.emit(lead)

        def edit(lesson: Lesson) -> Lesson:
            for cut in cuts:
                taken = any(p.start_s < cut.end_s and cut.start_s < p.end_s for p in lesson.phrases)
                if not taken:
                    lesson = cut_phrase(lesson, cut.start_s, cut.end_s)
            return lesson

        before = len(self._document.lesson.phrases)
        self._document.change("Propose phrases", edit)
        count = len(self._document.lesson.phrases) - before
        self.told.emit(f"{count} phrases proposed; Ctrl+Z takes them back, Del refuses one.")

    # Chords

    def suggest_chords(self) -> None:
        """Suggest a chord for each bar of the current phrase; one step to undo."""
        phrase, lesson, sound = self._document.phrase, self._document.lesson, self._document.sound
        if phrase is None or sound is None:
            self.told.emit("Open a recording and cut a phrase first.")
            return

        def work(progress: Progress) -> object:
            return chords_of(sound, phrase.start_s, phrase.end_s, lesson.time_map, lesson.key)

        job = Job(f"Looking for the chords of {phrase.name}", work)
        job.succeeded.connect(self._on_chords)
        job.failed.connect(self._on_failed)
        self._runner.start(job)

    def _on_chords(self, readings: list[ChordReading]) -> None:
        if not readings:
            self.told.emit("The phrase holds no whole bar. Check where bar 1 is.")
            return
        symbols = [reading.symbol for reading in readings]
        self._document.change(
            "Suggest chords", lambda l: replace(l, chords=set_chords(l, readings[0].bar, symbols))
        )
        weak = sum(reading.lead < 0.05 for reading in readings)
        self.told.emit(
            f"{len(readings)} bars; {weak} of them could as well be another chord: trust your ear."
        )

    # Focus

    def propose_focus(self) -> None:
        """Choose how the guitar is brought forward for the current phrase, and say why."""
        phrase, lesson, sound = self._document.phrase, self._document.lesson, self._document.sound
        if phrase is None or sound is None:
            self.told.emit("Open a recording and cut a phrase first.")
            return

        def work(progress: Progress) -> object:
            return phrase.ident, propose_focus(
                sound, phrase.start_s, phrase.end_s, reference_cents=lesson.reference_cents,
                progress=progress,
            )  # fmt: skip

        job = Job(f"Bringing the guitar forward in {phrase.name}", work)
        job.succeeded.connect(self._on_focus_proposed)
        job.failed.connect(self._on_failed)
        self._runner.start(job)

    def _on_focus_proposed(self, result: tuple[int, Focus]) -> None:
        ident, focus = result
        if self._document.lesson.phrase(ident) is not None:
            self._document.change(
                "Set focus", lambda lesson: change_phrase(lesson, ident, focus=focus)
            )
            self.told.emit(f"Guitar forward: {focus.why}.")

    def audition(self, on: bool) -> None:
        """Play the recording as it is brought forward for the current phrase, or as it is."""
        phrase, sound = self._document.phrase, self._document.sound
        if sound is None:
            return
        if not on or phrase is None:
            self._transport.audition(sound.audio)
            return
        focus = phrase.focus

        def work(progress: Progress) -> object:
            return bring_forward(
                sound.audio, sound.sample_rate, source=focus.source, low_hz=focus.low_hz,
                high_hz=focus.high_hz, without_drums=focus.without_drums,
            )  # fmt: skip

        job = Job("Bringing the guitar forward", work)
        job.succeeded.connect(self._transport.audition)
        job.failed.connect(self._on_failed)
        self._runner.start(job)

    # Rendering

    def _on_sound_changed(self) -> None:
        self._rendered_for = None
        self._render_timer.start()

    def _render(self) -> None:
        """Render the current phrase's tab where it changed."""
        phrase, lesson = self._document.phrase, self._document.lesson
        if phrase is None or self._document.sound is None:
            return
        key = (phrase, lesson.reference_cents)
        if key == self._rendered_for:
            return
        self._rendered_for = key

        def work(progress: Progress) -> object:
            return phrase.ident, render_phrase(phrase, lesson, RATE, progress)

        job = Job("Rendering the tab", work)
        job.succeeded.connect(self._on_rendered)
        job.failed.connect(self._on_failed)
        self._runner.start(job)

    def _on_rendered(self, result: tuple[int, Rendered]) -> None:
        ident, rendered = result
        phrase = self._document.phrase
        if phrase is not None and phrase.ident == ident:
            self._transport.player.set_tab(rendered.audio, rendered.start_s)
            self.tab_rendered.emit(rendered)

    def _on_failed(self, error: Exception) -> None:
        known = isinstance(error, JuxtanoteError)
        self.failed.emit(
            str(error) if known else f"Something went wrong ({error}). Your lesson is as it was."
        )


def _with_measured(lesson: Lesson, measured: Measured) -> Lesson:
    return replace(
        lesson,
        reference_cents=round(measured.reference_cents, 1),
        time_map=time_map_of(measured.beats),
    )

"""The written tab as sound beside the recording: rendered anew where it changed, a little after."""

from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from juxtanote.app.document import Change, Document, Ticket
from juxtanote.app.jobs.runner import JobRunner, Latest
from juxtanote.app.results import Results
from juxtanote.app.transport.controller import Transport
from juxtanote.app.transport.rate import RATE
from juxtanote.core.progress import Progress

if TYPE_CHECKING:
    from juxtanote.core.score.lesson import Phrase
    from juxtanote.core.synth.render import Rendered

DELAY_MS = 250  # after an edit: what is typed meanwhile is rendered once
LONGEST_JOINED_S = 240.0  # as sound 42 MB


class TabRendering(QObject):
    """Renders the current phrase, or those that are practised joined, and gives them to the player."""

    rendered_anew = pyqtSignal(object)  # Rendered, or None where there is no tab any more

    def __init__(
        self,
        document: Document,
        transport: Transport,
        runner: JobRunner,
        results: Results,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._transport, self._results = document, transport, results
        self.rendered: Rendered | None = None  # for desks that are built later
        self._joined: tuple[int, ...] = ()
        self.plays_others = False  # what other parts play under the phrase sounds too
        self._rendered_for: tuple[object, ...] = ()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(DELAY_MS)
        self._timer.timeout.connect(self._render)
        self._rendering = Latest(runner, "Rendering the tab", self, long=True)
        document.lesson_changed.connect(self._on_lesson_changed)
        document.phrase_changed.connect(self._on_phrase_changed)
        document.sound_changed.connect(self._on_sound_changed)

    def join(self, phrases: tuple[int, ...]) -> None:
        """Let these phrases sound as tab, until another one becomes current."""
        self._joined = phrases
        self._timer.start()

    def play_others(self, on: bool) -> None:
        """Let other parts sound under the current phrase, those that are muted left out; or not."""
        self.plays_others = on
        self._timer.start()

    def _on_phrase_changed(self) -> None:
        self._joined = ()
        self._timer.start()

    def _on_lesson_changed(self, change: Change) -> None:
        if any(change.touches(phrase.ident) for phrase in self._phrases()) or change.whole:
            self._timer.start()

    def _on_sound_changed(self) -> None:
        self._rendered_for = ()
        self._timer.start()

    def _phrases(self) -> "tuple[Phrase, ...]":
        """Give what should sound: what is joined, or the current phrase, as long as there are notes."""
        lesson, current = self._document.lesson, self._document.phrase
        joined = [p for i in self._joined if (p := lesson.phrase(i)) is not None and p.notes]
        if len(joined) > 1:
            length = max(p.end_s for p in joined) - min(p.start_s for p in joined)
            if length <= LONGEST_JOINED_S:
                return tuple(joined)
        if current is None or not current.notes:
            return ()
        if not self.plays_others or current.is_variant:
            return (current,)
        others = [p for p in lesson.beside(current) if p.notes and not lesson.part(p.part).is_muted]
        return (current, *others)

    def _render(self) -> None:
        """Render what sounds where it changed."""
        lesson, sound = self._document.lesson, self._document.sound
        phrases = self._phrases()
        if sound is None:
            return
        if not phrases:
            if self._rendered_for != (None,):
                self._rendered_for = (None,)
                self._rendering.forget()
                self._transport.player.set_tab(None)
                self._show(None)
            return
        key: tuple[object, ...] = (self._document.number, lesson.reference_cents)
        for phrase in phrases:
            key += (phrase.notes, phrase.start_s, phrase.end_s, lesson.context(phrase).guitar)
        if len(key) == len(self._rendered_for) and all(
            a is b or a == b for a, b in zip(key, self._rendered_for, strict=True)
        ):
            return
        self._rendered_for = key
        ticket = self._document.ticket(phrases[0])

        def work(progress: Progress) -> object:
            from juxtanote.core.synth.match import matched
            from juxtanote.core.synth.render import render_phrases

            rendered = render_phrases(phrases, lesson, RATE, progress)
            begin, end = (int(s * sound.sample_rate) for s in (rendered.start_s, rendered.end_s))
            if phrases[0].is_variant or sound.sample_rate != RATE:
                return rendered
            beside = matched(rendered.audio, sound.audio[:, begin:end], RATE)
            return replace(rendered, audio=beside)

        self._rendering.ask(work, lambda rendered: self._on_rendered(ticket, key, rendered))  # type: ignore[arg-type]

    def _on_rendered(self, ticket: Ticket, key: tuple[object, ...], rendered: "Rendered") -> None:
        if self._results.fits(ticket, "The rendered tab", quiet=True) and key is self._rendered_for:
            self._transport.player.set_tab(rendered.audio, rendered.start_s)
            self._show(rendered)

    def _show(self, rendered: "Rendered | None") -> None:
        self.rendered = rendered
        self.rendered_anew.emit(rendered)

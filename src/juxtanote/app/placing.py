"""Places of notes worked out anew: at once where a phrase is short, else in the background."""

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QObject, pyqtSignal

from juxtanote.app.document import Document, Ticket
from juxtanote.app.jobs.runner import JobRunner, Latest
from juxtanote.app.results import Results
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score.lesson import Lesson, Phrase

if TYPE_CHECKING:
    from juxtanote.core.fretboard.figures import Figures
    from juxtanote.core.fretboard.solver import Placement

    Measured = tuple[Placement, Figures]

Starts = Callable[[str, Callable[[Progress], object], Callable[[object], None]], object]


class Placing(QObject):
    """Places phrases around what is locked; `start` starts a job that the person waits for."""

    placed_around = pyqtSignal(int, object)  # phrase, numbers of the notes that moved
    told = pyqtSignal(str)

    def __init__(
        self,
        document: Document,
        runner: JobRunner,
        results: Results,
        start: Starts,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._runner, self._results = document, runner, results
        self._start = start
        self._asked: dict[int, Latest] = {}  # by phrase: one does not push another aside
        self._unplaced: set[int] = set()  # phrases whose places are being worked out

    def around(self, ident: int, text: str, merge: int = -1) -> None:
        """Place a phrase anew around what is locked: at once where it is short, else in the background.

        With the number of an edit's `merge` both are one step of undo.
        """
        from juxtanote.core.fretboard.phrases import FEW_NOTES

        phrase = self._document.lesson.phrase(ident)
        if phrase is None or not phrase.notes:
            return
        ticket = self._document.ticket(phrase)
        if len(phrase.notes) <= FEW_NOTES:
            self._put_places(ticket, place_anew(ticket.lesson, phrase), text, merge)
            return
        self._unplaced.add(ident)
        latest = self._asked.setdefault(ident, Latest(self._runner, "Placing notes", self))
        latest.ask(
            lambda progress: place_anew(ticket.lesson, ticket.phrase, progress),  # type: ignore[arg-type]
            lambda placed: self._put_places(ticket, placed, text, merge),  # type: ignore[arg-type]
        )

    def is_placing(self, ident: int) -> bool:
        """Whether the places of a phrase are being worked out."""
        return ident in self._unplaced

    def _put_places(self, ticket: Ticket, placed: Phrase, text: str, step: int) -> None:
        began = ticket.phrase
        assert began is not None
        self._unplaced.discard(began.ident)
        now = self._document.lesson.phrase(began.ident)
        if not self._document.is_open(ticket) or now is None or now.notes is not began.notes:
            return  # edited or undone since: whoever did so has asked again, or does not want it

        def merge(lesson: Lesson) -> Lesson:
            return lesson.with_phrase(replace(now, notes=placed.notes))

        if self._results.take(ticket, "The placement", merge, text=text, step=step):
            before = {n.ident: n.written for n in began.notes}
            moved = frozenset(
                n.ident
                for n in placed.notes
                if (n.written.string, n.written.fret)
                != (before[n.ident].string, before[n.ident].fret)
            )
            self.placed_around.emit(began.ident, moved)

    def find_placements(self, then: Callable[[Phrase, "list[Measured]"], None]) -> None:
        """Look for whole placements of the current phrase, and hand them over with it, measured."""
        phrase = self._document.phrase
        if phrase is None or not phrase.notes:
            return
        ticket = self._document.ticket(phrase)

        def work(progress: Progress) -> object:
            from juxtanote.core.fretboard.figures import measure
            from juxtanote.core.fretboard.phrases import places_in
            from juxtanote.core.fretboard.solver import alternatives

            around, places = ticket.lesson.context(phrase), places_in(ticket.lesson, phrase)
            guitar, school = around.guitar, around.school
            found = alternatives(guitar, places, school=school, progress=progress)
            return [(placement, measure(guitar, places, placement, school)) for placement in found]

        def done(placements: object) -> None:
            now = self._document.phrase
            if not self._results.fits(ticket, "The other placements"):
                return
            if now is None or now.ident != phrase.ident or now.notes is not phrase.notes:
                self.told.emit(
                    f"{phrase.name} was edited meanwhile: ask for another placement again."
                )
                return
            then(phrase, cast("list[Measured]", placements))

        self._start(f"Other placements of {phrase.name}", work, done)


def place_anew(lesson: Lesson, phrase: Phrase, progress: Progress = no_progress) -> Phrase:
    """Give a phrase with the notes that are not locked on the best places around those that are."""
    from juxtanote.core.fretboard.phrases import replace_places

    return replace_places(phrase, lesson, None, progress)

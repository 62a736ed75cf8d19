"""The one place where results of jobs enter the lesson: what fits is merged, the rest is told."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from juxtanote.app.document import Document, Ticket
from juxtanote.core.score.lesson import Lesson


class Outdated(Exception):
    """The lesson is not any more what a result was worked out for; the text says how."""


class Results(QObject):
    """Checks the ticket of each result."""

    told = pyqtSignal(str)

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document

    def fits(self, ticket: Ticket, what: str, *, quiet: bool = False) -> bool:
        """Tell whether a result may be shown: its lesson is open, and its phrase is there."""
        why = ""
        if not self._document.is_open(ticket):
            why = f"{what} was for a lesson that is not open any more, and was dropped."
        elif (
            ticket.phrase is not None and self._document.lesson.phrase(ticket.phrase.ident) is None
        ):
            why = f"{what} was for {ticket.phrase.name}, which is gone, and was dropped."
        if why and not quiet:
            self.told.emit(why)
        return not why

    def take(
        self,
        ticket: Ticket,
        what: str,
        merge: Callable[[Lesson], Lesson],
        *,
        text: str,
        step: int = -1,
    ) -> bool:
        """Put a result into the lesson as one step of undo; False where it was dropped.

        `merge` makes the new lesson from the one that is open now, which may have been edited since,
        and raises `Outdated` where the result does not fit it any more.
        """
        if not self.fits(ticket, what):
            return False
        try:
            self._document.change(text, merge, merge=step)
        except Outdated as reason:
            self.told.emit(str(reason))
            return False
        return True

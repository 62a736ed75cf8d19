"""Edits that take long: made in the background, and made anew where the lesson was edited meanwhile."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from juxtanote.app.document import Document
from juxtanote.app.results import Outdated, Results
from juxtanote.core.progress import Progress
from juxtanote.core.score.lesson import Lesson

if TYPE_CHECKING:
    from juxtanote.core.formats.importing import ImportPlan
    from juxtanote.core.score.time_map import TimeMap
    from juxtanote.core.theory.tuning import Guitar

MOST_AT_ONCE = 200  # notes that the window's thread counts anew: 20 to 30 ms
MOST_TRIES = 3  # an edit that another one overtook is made again so often
Start = Callable[[str, Callable[[Progress], object], Callable[[object], None]], object]


class LongEdits(QObject):
    """Other beats, another guitar, another way of picking, notes of a file: each one step of undo."""

    told = pyqtSignal(str)

    def __init__(
        self, document: Document, results: Results, start: Start, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._results, self._start = document, results, start

    @property
    def is_long(self) -> bool:
        """Whether counting every note of the lesson anew would hold up the window."""
        phrases = self._document.lesson.phrases
        readings = (reading for phrase in phrases for reading in (phrase, *phrase.variants))
        return sum(len(reading.notes) for reading in readings) > MOST_AT_ONCE

    def change_guitar(self, part: int, guitar: "Guitar") -> None:
        """Give a part another guitar; what is not locked follows."""

        def edit(lesson: Lesson, progress: Progress) -> Lesson:
            from juxtanote.core.fretboard.phrases import with_guitar

            return with_guitar(lesson, part, guitar, progress)

        self.edit_in_background("Change the guitar", "The guitar", edit)

    def change_beats(self, text: str, change: "Callable[[TimeMap], TimeMap]") -> None:
        """Bend the time map, under which every phrase is counted; few notes are counted at once."""
        from juxtanote.core.score.timing import change_time_map, with_time_map

        def edit(lesson: Lesson, progress: Progress) -> Lesson:
            return with_time_map(lesson, change(lesson.time_map), progress)

        if self.is_long:
            self.edit_in_background(text, "The beats", edit)
        else:
            self._document.change(text, lambda lesson: change_time_map(lesson, change))

    def change_school(self, part: int, school: str) -> None:
        """Give a part another way of picking."""

        def edit(lesson: Lesson, progress: Progress) -> Lesson:
            from juxtanote.core.fretboard.phrases import with_school

            return with_school(lesson, part, school)

        self.edit_in_background("Change picking school", "The picking school", edit)

    def import_notes(self, plan: "ImportPlan") -> None:
        """Lay notes of a file into the lesson as the person said."""
        sound = self._document.sound

        def edit(lesson: Lesson, progress: Progress) -> Lesson:
            from juxtanote.core.formats.importing import laid_in

            return laid_in(lesson, plan, sound, progress)

        def told() -> None:
            count = sum(len(part.rows) for part in plan.parts)
            self.told.emit(f"{count} notes came in from “{plan.name}”.")

        self.edit_in_background("Import notes", "The import", edit, told)

    def edit_in_background(
        self,
        text: str,
        what: str,
        edit: Callable[[Lesson, Progress], Lesson],
        then: Callable[[], None] | None = None,
        tries: int = MOST_TRIES,
    ) -> None:
        """Make an edit that takes long; where the lesson was edited meanwhile it is made anew on that."""
        ticket = self._document.ticket()

        def work(progress: Progress) -> object:
            try:
                return edit(ticket.lesson, progress)
            except Outdated as reason:
                return reason

        def done(after: object) -> None:
            if isinstance(after, Outdated):
                self.told.emit(str(after))
                return
            if not self._results.fits(ticket, what):
                return
            if self._document.revision != ticket.revision:
                if tries > 1:
                    self.edit_in_background(text, what, edit, then, tries - 1)
                else:
                    self.told.emit(
                        f"{what} was not changed: the lesson is being edited. Try again."
                    )
                return
            self._results.take(ticket, what, lambda _: after, text=text)  # type: ignore[arg-type, return-value]
            if then is not None:
                then()

        self._start(text, work, done)

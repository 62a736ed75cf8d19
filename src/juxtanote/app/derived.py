"""What is worked out of the current phrase beside the window's thread: its findings."""

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from juxtanote.app.document import Change, Document
from juxtanote.app.jobs.runner import JobRunner, Latest
from juxtanote.core.progress import Progress
from juxtanote.core.score.lesson import Lesson, Phrase

PAUSE_MS = 160


class Findings(QObject):
    """Finds the problems of the current phrase, once for everybody who shows them."""

    changed = pyqtSignal()

    def __init__(
        self, document: Document, runner: JobRunner, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document = document
        self._latest = Latest(runner, "Checking the phrase", self)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(PAUSE_MS)
        self._timer.timeout.connect(self._ask)
        self.phrase: Phrase | None = None  # what the findings are of
        self.found: list = []  # type: ignore[type-arg]  # Finding, worst first
        self.waived: list = []  # type: ignore[type-arg]  # those that were let pass
        self.in_order: list[str] = []
        document.lesson_changed.connect(self._on_lesson_changed)
        document.phrase_changed.connect(self._timer.start)

    @property
    def is_current(self) -> bool:
        """Whether they are of the phrase as it is now."""
        return self.phrase is self._document.phrase

    def _on_lesson_changed(self, change: Change) -> None:
        phrase = self._document.phrase
        if change.touches(phrase.ident if phrase else None):
            self._timer.start()

    def _ask(self) -> None:
        phrase, lesson = self._document.phrase, self._document.lesson
        if phrase is None:
            self._latest.forget()
            self._show((None, [], [], []))
            return
        self._latest.ask(lambda progress: _found(phrase, lesson, progress), self._show)

    def _show(self, result: object) -> None:
        self.phrase, self.found, self.waived, self.in_order = result  # type: ignore[misc]
        self.changed.emit()


def _found(phrase: Phrase, lesson: Lesson, progress: Progress) -> tuple:  # type: ignore[type-arg]
    from juxtanote.core.checks.findings import examine

    checked = examine(phrase, lesson, progress)
    return phrase, list(checked.found), list(checked.waived), list(checked.in_order)

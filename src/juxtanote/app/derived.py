"""What is worked out of the current phrase beside the window's thread: its findings."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from juxtanote.app.document import Change, Document
from juxtanote.app.jobs.runner import JobRunner, Latest
from juxtanote.core.progress import Progress, part_of
from juxtanote.core.score.lesson import Lesson, Phrase

if TYPE_CHECKING:
    from juxtanote.core.analysis.evidence import Evidence
    from juxtanote.core.audio.sound import Sound

PAUSE_MS = 160  # after an edit, before it is checked: keys that follow each other are one wait
MOST_KEPT = 5  # phrases whose findings are remembered, to page back and forth
LONGEST_S = 29.0  # what is listened to at once; a longer phrase is checked by its own measurements


class Findings(QObject):
    """Finds the problems of the current phrase, once for everybody who shows them."""

    changed = pyqtSignal()

    def __init__(
        self, document: Document, runner: JobRunner, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document = document
        # Listening again takes seconds: what other desks work out does not wait for it.
        self._latest = Latest(runner, "Checking the phrase", self, long=True)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(PAUSE_MS)
        self._timer.timeout.connect(self._ask)
        self.phrase: Phrase | None = None  # what the findings are of
        self.found: list = []  # type: ignore[type-arg]  # Finding, worst first
        self.waived: list = []  # type: ignore[type-arg]  # those that were let pass
        self.in_order: list[str] = []
        self.listens = False
        self.listened = False  # whether the sound was listened to for what was found
        self._ears = Ears()
        document.lesson_changed.connect(self._on_lesson_changed)
        document.phrase_changed.connect(self._timer.start)
        document.sound_changed.connect(self._on_sound_changed)

    @property
    def is_current(self) -> bool:
        """Whether they are of the phrase as it is now."""
        return self.phrase is self._document.phrase

    def _on_lesson_changed(self, change: Change) -> None:
        phrase = self._document.phrase
        if change.touches(phrase.ident if phrase else None):
            self._timer.start()

    def _on_sound_changed(self) -> None:
        """Forget what was heard: it was another recording, even if its phrases lie at the same times."""
        self._ears = Ears()
        self._timer.start()

    def _ask(self) -> None:
        phrase, lesson = self._document.phrase, self._document.lesson
        if phrase is None:
            self._latest.forget()
            self._show((None, [], [], [], False))
            return
        sound, ears = (self._document.sound if self.listens else None), self._ears
        waits = sound is not None and not ears.know(phrase, lesson)

        def work(progress: Progress) -> object:
            return _found(phrase, lesson, sound, ears, progress)

        def measured(progress: Progress) -> object:
            return _found(phrase, lesson, None, ears, progress)

        def show_measured(result: object) -> None:
            self._show(result)
            self._latest.ask(work, self._show)

        if waits:  # what the phrase tells of itself is shown before it is listened to
            self._latest.ask(measured, show_measured)
        else:
            self._latest.ask(work, self._show)

    def listen_too(self, on: bool) -> None:
        """Hold phrases against the sound as well: asked for while somebody looks at the findings."""
        if on and not self.listens:
            self._timer.start()
        self.listens = on

    def _show(self, result: object) -> None:
        self.phrase, self.found, self.waived, self.in_order, self.listened = result  # type: ignore[misc]
        self.changed.emit()


class Ears:
    """Keeps what was heard of one recording's last phrases: an edit has nothing listened to again."""

    def __init__(self) -> None:
        self._kept: list[tuple[tuple[object, ...], Evidence]] = []

    def know(self, phrase: Phrase, lesson: Lesson) -> bool:
        """Tell whether a phrase's stretch was listened to."""
        return any(known == _stretch(phrase, lesson) for known, _ in self._kept)

    def of(
        self, phrase: Phrase, lesson: Lesson, sound: "Sound", progress: Progress
    ) -> "Evidence | None":
        """Give the evidence of a phrase's stretch of the recording."""
        from juxtanote.core.checks.evidence import listen_again

        key = _stretch(phrase, lesson)
        for known, heard in self._kept:
            if known == key:
                return heard
        if phrase.end_s - phrase.start_s > LONGEST_S:
            return None
        parts = listen_again(
            sound, phrase.start_s, phrase.end_s, reference_cents=lesson.reference_cents, progress=progress
        )  # fmt: skip
        evidence = next(parts, None)
        if evidence is not None:
            self._kept = [*self._kept[-MOST_KEPT:], (key, evidence)]
        return evidence


def _stretch(phrase: Phrase, lesson: Lesson) -> tuple[object, ...]:
    return phrase.start_s, phrase.end_s, lesson.reference_cents


def _found(
    phrase: Phrase, lesson: Lesson, sound: "Sound | None", ears: Ears, progress: Progress
) -> tuple:  # type: ignore[type-arg]
    from juxtanote.core.checks.findings import examine

    listened = False
    checked = examine(phrase, lesson, part_of(progress, 0.0, 0.2))
    if sound is not None and phrase.notes and not phrase.is_variant:
        from juxtanote.core.checks.against_sound import with_second_ear

        evidence = ears.of(phrase, lesson, sound, part_of(progress, 0.2, 1.0))
        if evidence is not None:
            checked, listened = with_second_ear(checked, phrase, lesson, evidence), True
    return phrase, list(checked.found), list(checked.waived), list(checked.in_order), listened

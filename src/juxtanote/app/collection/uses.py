"""What the collection does with a phrase: opens its lesson, hangs a copy under this one, hands out."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog

from juxtanote.app.collection import labels
from juxtanote.app.collection.window import CollectionWindow
from juxtanote.app.jobs.runner import Job
from juxtanote.core.progress import Progress
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import Lesson, Phrase

if TYPE_CHECKING:
    from juxtanote.app.main_window import MainWindow


class CollectionUses(QObject):
    """Joins the collection's window to the lesson that is open."""

    def __init__(self, window: "MainWindow") -> None:
        super().__init__(window)
        self._window, self._wanted = window, 0
        self.view = CollectionWindow(window.document, window.runner, window)
        self.view.open_wanted.connect(self._open)
        self.view.copy_wanted.connect(self._copy)
        self.view.exercise_wanted.connect(self._exercise)
        self.view.hand_out_wanted.connect(self._hand_out)
        window.files.opened.connect(self._on_opened)

    def show(self) -> None:
        """Show the window and read what is new."""
        self.view.show()
        self.view.raise_()
        self.view.search.setFocus()
        self.view.follow()

    def _open(self, path: str, ident: int) -> None:
        self.view.preview.stop()

        def go() -> None:
            self._wanted = ident
            self._window.files.open_lesson(Path(path))

        self._window.asking.when_free(go)

    def _on_opened(self) -> None:
        document, ident = self._window.document, self._wanted
        self._wanted = 0
        if ident and document.lesson.phrase(ident) is not None:
            document.choose_phrase(ident)

    def _exercise(self, path: str, ident: int) -> None:
        """Hang a copy under the phrase, then ask which exercise is to be made of it."""

        def ask() -> None:
            self._window.asking.move_phrase(exercise_of=self._window.document.phrase)

        self._copy(path, ident, ask)

    def _copy(self, path: str, ident: int, after: Callable[[], None] | None = None) -> None:
        document = self._window.document
        here = document.phrase
        source = document.lesson.source_of(here.ident) if here is not None else None
        if source is None:
            self._window.tell(labels.COPY_WHERE)
            return
        lesson, ticket = document.lesson, document.ticket(source)

        def work(progress: Progress) -> object:
            from juxtanote.core.exercises.copying import copied
            from juxtanote.core.formats.lesson_file import load_lesson

            other = load_lesson(Path(path))
            phrase = other.phrase(ident)
            return copied(lesson, source, other, phrase, progress) if phrase is not None else None

        def then(made: object) -> None:
            if made is not None and self._window.results.fits(ticket, "The copy"):
                self._hang(source, made)  # type: ignore[arg-type]
                if after is not None:
                    after()

        self._window.runner.start(Job("Copying a phrase", work, then, self._on_failed))

    def _hang(self, source: Phrase, made: Phrase) -> None:
        document = self._window.document

        def edit(lesson: Lesson) -> Lesson:
            number = lesson.fresh_phrase_number()
            return edits.add_variant(lesson, source.ident, replace(made, ident=number))

        number = document.lesson.fresh_phrase_number()
        if document.change("Copy a phrase", edit):
            document.choose_phrase(number)
            self._window.tell(labels.COPIED.format(name=made.name, under=source.name))

    def _hand_out(self, chosen: list[tuple[str, int]]) -> None:
        if not chosen:
            return
        name, kind = QFileDialog.getSaveFileName(
            self.view, "Hand out", "handout", labels.HAND_OUT_KINDS
        )
        if not name:
            return
        suffix = ".html" if "html" in kind else ".pdf"
        known = name.lower().endswith((".pdf", ".html"))
        target = Path(name if known else f"{name}{suffix}")
        if not known and target.exists():  # the dialog has asked about another name
            self._window.complain(labels.IS_THERE.format(name=target.name))
            return
        choices = self._window.teach.look.choices()

        def work(progress: Progress) -> object:
            from juxtanote.app.look.engraved import measure_words
            from juxtanote.app.teach.paper import write_pdf
            from juxtanote.core.collection.lists import by_lesson
            from juxtanote.core.formats.lesson_file import load_lesson
            from juxtanote.core.handing_out import hand_out_several

            runs = by_lesson(chosen)
            read = {path: load_lesson(Path(path)) for path in dict.fromkeys(p for p, _ in runs)}
            lessons = [(read[path], idents) for path, idents in runs]
            hand_out_several(
                lessons,
                target,
                write_pdf,
                measure=measure_words,
                choices=choices,
                progress=progress,
            )
            return target

        def then(_: object) -> None:
            self._window.tell(f"Wrote “{target.name}”: {len(chosen)} phrases.")

        self._window.runner.start(Job(f"Writing {target.name}", work, then, self._on_failed))

    def _on_failed(self, error: Exception) -> None:
        self._window.complain(str(error))

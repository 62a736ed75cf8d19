"""What leaves the program and what comes into the lesson: dialogs around the formats."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QDialog, QFileDialog, QWidget

from juxtanote.app.document import Document, Ticket
from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.app.results import Results
from juxtanote.app.tasks import Tasks
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.names import IMPORTS
from juxtanote.core.progress import Progress

if TYPE_CHECKING:
    from juxtanote.app.teach.desk import TeachDesk
    from juxtanote.app.teach.handing_out import HandOutForm
    from juxtanote.core.formats.read_score import ReadScore
    from juxtanote.core.handing_out import Wish


class Outputs(QObject):
    """Asks for names, writes files, tells what happened."""

    told = pyqtSignal(str)
    failed = pyqtSignal(str)

    def __init__(
        self,
        document: Document,
        tasks: Tasks,
        runner: JobRunner,
        results: Results,
        window: QWidget,
    ) -> None:
        super().__init__(window)
        self._document, self._tasks, self._runner = document, tasks, runner
        self._results, self._window = results, window
        self._teach: TeachDesk | None = None

    def serve(self, teach: "TeachDesk") -> None:
        """Do what the Teach desk asks for."""
        self._teach = teach
        teach.pdf_wanted.connect(self._on_pdf_wanted)
        teach.print_wanted.connect(self._on_print_wanted)
        teach.export_wanted.connect(self._on_export_wanted)
        teach.hand_out_wanted.connect(self._on_hand_out_wanted)

    def _ask(self, suffix: str) -> Path | None:
        safe = "".join(
            c if c.isalnum() or c in " -_.,()'" else "-" for c in self._document.lesson.title
        )
        start = f"{safe[:80].strip() or 'lesson'}{suffix}"
        name, _ = QFileDialog.getSaveFileName(self._window, "Hand out", start, f"*{suffix}")
        if not name:
            return None
        path = Path(name)
        return path if path.suffix.lower() == suffix else path.with_name(path.name + suffix)

    # Out

    def export(self, path: Path, wish: "Wish | None" = None) -> None:
        """Write in the format that the suffix names, in the background; by default what Teach shows."""
        if self._teach is None:
            return
        from juxtanote.core.handing_out import Wish

        lesson, sound, suffix = self._document.lesson, self._document.sound, path.suffix.lower()
        if wish is None:
            lesson, wish = self._teach.chosen_lesson(), Wish(choices=self._teach.look.choices())
        wanted = wish

        def work(progress: Progress) -> object:
            from juxtanote.app.look.engraved import measure_words
            from juxtanote.app.teach.paper import write_pdf
            from juxtanote.core.handing_out import hand_out

            hand_out(
                lesson, path, wanted, sound=sound, write_pages=write_pdf, measure=measure_words,
                progress=progress,
            )  # fmt: skip
            return path

        def done(_: object) -> None:
            heard = suffix in (".html", ".wav", ".flac", ".ogg", ".mp3") and wanted.source != "tab"
            inside = heard and sound is not None and lesson.recording.may_share
            what = (
                "The recording of these phrases is in it."
                if inside
                else "The recording is not in it."
            )
            self.told.emit(f"Wrote “{path.name}”. {what}")

        self._runner.start(Job(f"Writing {path.name}", work, done, self._on_failed))

    def _on_hand_out_wanted(self) -> None:
        from juxtanote.app.teach.handing_out import HandOutForm

        if self._teach is None:
            return
        document = self._document
        form = HandOutForm(
            document.lesson, document.phrase, self._teach.look.choices(),
            document.sound is not None, self._window,
        )  # fmt: skip
        form.accepted.connect(lambda: self._hand_out(form))
        form.finished.connect(form.deleteLater)
        form.open()
        self.form: QDialog = form

    def _hand_out(self, form: "HandOutForm") -> None:
        suffix, wish = form.suffix, form.wish()

        def ask() -> None:
            path = self._ask(suffix)
            if path is not None:
                self.export(path, wish)

        QTimer.singleShot(0, ask)  # once the form is gone

    def _on_failed(self, error: Exception) -> None:
        if not isinstance(error, JuxtanoteError):
            self.failed.emit(f"Something went wrong ({error}). Nothing was written.")
            raise error
        self.failed.emit(str(error))

    def _on_pdf_wanted(self) -> None:
        path = self._ask(".pdf")
        if path is not None:
            self.export(path)

    def _on_export_wanted(self, suffix: str) -> None:
        path = self._ask(suffix)
        if path is not None:
            self.export(path)

    def _on_print_wanted(self) -> None:
        from PyQt6.QtGui import QPainter
        from PyQt6.QtPrintSupport import QPrintDialog, QPrinter

        from juxtanote.app.teach.paper import paint_page

        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        printer.setFullPage(True)
        if not printer.isValid():
            self.failed.emit("No printer is set up here. Hand out a PDF and print that.")
            return
        if QPrintDialog(printer, self._window).exec() != QPrintDialog.DialogCode.Accepted:
            return
        painter = QPainter()
        if not painter.begin(printer):
            self.failed.emit(
                "The printer did not begin. Look whether it is on and has paper, or hand out a PDF."
            )
            return
        scale = printer.resolution() / 25.4
        for number, page in enumerate(self._teach.laid_out() if self._teach else []):
            if number:
                printer.newPage()
            paint_page(painter, page, page.paper.large * scale)
        painter.end()

    # In

    def import_notes(self) -> None:
        """Ask for a file of notes; what is in it is shown, and asked about."""
        filters = "Notes (" + " ".join(f"*{suffix}" for suffix in IMPORTS) + ")"
        name, _ = QFileDialog.getOpenFileName(self._window, "Import notes", "", filters)
        if name:
            self.import_file(Path(name))

    def import_file(self, path: Path) -> None:
        """Read a file of notes, then ask where it goes."""
        phrase = self._document.phrase
        chosen = None if phrase is None or phrase.is_variant else phrase
        ticket = self._document.ticket(chosen)

        def work(_: Progress) -> object:
            from juxtanote.core.formats.exports import read_score

            return read_score(path)

        def done(score: object) -> None:
            self._ask_where(path, score, ticket)  # type: ignore[arg-type]

        self._runner.start(Job(f"Reading {path.name}", work, done, self._on_failed))

    def _ask_where(self, path: Path, score: "ReadScore", ticket: Ticket) -> None:
        from juxtanote.app.lesson_forms import ImportForm

        if not self._results.fits(ticket, f"“{path.name}”"):
            return
        if not score.parts:
            self.failed.emit(f"“{path.name}” has no notes in it.")
            return
        now = self._document.lesson.phrase(ticket.phrase.ident) if ticket.phrase else None
        form = ImportForm(path.name, score, now, self._document.sound is not None, self._window)
        form.accepted.connect(lambda: self._tasks.long_edits.import_notes(form.plan()))
        form.finished.connect(form.deleteLater)
        form.open()
        self.form = form

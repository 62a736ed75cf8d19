"""What leaves the program and what comes into a phrase: dialogs around the formats."""

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import QFileDialog, QWidget

from juxtanote.app.document import Document
from juxtanote.app.teach.desk import TeachDesk
from juxtanote.app.teach.paper import paint_page, write_pdf
from juxtanote.app.transport.devices import RATE
from juxtanote.core.audio.write import write_sound
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.exports import IMPORTS, export_lesson, import_into_phrase, read_notes
from juxtanote.core.score.rhythm import write_phrase
from juxtanote.core.synth.render import render_phrase


class Outputs(QObject):
    """Asks for names, writes files, tells what happened."""

    told = pyqtSignal(str)
    failed = pyqtSignal(str)

    def __init__(self, document: Document, teach: TeachDesk, window: QWidget) -> None:
        super().__init__(window)
        self._document, self._teach, self._window = document, teach, window
        teach.pdf_wanted.connect(self._on_pdf_wanted)
        teach.print_wanted.connect(self._on_print_wanted)
        teach.export_wanted.connect(self._on_export_wanted)

    def _ask(self, suffix: str) -> Path | None:
        start = f"{self._document.lesson.title}{suffix}"
        name, _ = QFileDialog.getSaveFileName(self._window, "Hand out", start, f"*{suffix}")
        if not name:
            return None
        path = Path(name)
        return path if path.suffix.lower() == suffix else path.with_name(path.name + suffix)

    def export(self, path: Path) -> None:
        """Write in the format that the suffix names."""
        try:
            if path.suffix.lower() == ".pdf":
                write_pdf(self._teach.laid_out(), path, self._document.lesson.title)
            elif path.suffix.lower() == ".wav":
                self._write_tab_sound(path)
            else:
                export_lesson(self._teach.chosen_lesson(), path)
        except JuxtanoteError as error:
            self.failed.emit(str(error))
            return
        self.told.emit(f"Wrote “{path.name}”. The recording is not in it.")

    def _write_tab_sound(self, path: Path) -> None:
        phrase = self._document.phrase
        if phrase is None:
            raise JuxtanoteError("There is no phrase to render. Cut one on the Hear desk.")
        rendered = render_phrase(phrase, self._document.lesson, RATE)
        write_sound(path, rendered.audio[None], RATE)

    def import_notes(self) -> None:
        """Ask for a file of notes and lay it into the phrase."""
        phrase = self._document.phrase
        if phrase is None:
            self.told.emit("Cut a phrase first, on the Hear desk.")
            return
        filters = "Notes (" + " ".join(f"*{suffix}" for suffix in IMPORTS) + ")"
        name, _ = QFileDialog.getOpenFileName(self._window, "Import notes", "", filters)
        if name:
            self.import_file(Path(name))

    def import_file(self, path: Path) -> None:
        """Lay a file of notes into the current phrase."""
        phrase, lesson = self._document.phrase, self._document.lesson
        if phrase is None:
            return
        try:
            filled = import_into_phrase(phrase, read_notes(path), lesson.guitar)
        except JuxtanoteError as error:
            self.failed.emit(str(error))
            return
        counted = write_phrase(filled, lesson.time_map)
        self._document.change("Import notes", lambda l: l.with_phrase(counted))
        self.told.emit(f"{len(counted.notes)} notes from “{path.name}”.")

    def _on_pdf_wanted(self) -> None:
        path = self._ask(".pdf")
        if path is not None:
            self.export(path)

    def _on_export_wanted(self, suffix: str) -> None:
        path = self._ask(suffix)
        if path is not None:
            self.export(path)

    def _on_print_wanted(self) -> None:
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        printer.setFullPage(True)
        if QPrintDialog(printer, self._window).exec() != QPrintDialog.DialogCode.Accepted:
            return
        painter = QPainter(printer)
        scale = printer.resolution() / 25.4
        for number, page in enumerate(self._teach.laid_out()):
            if number:
                printer.newPage()
            paint_page(painter, page, scale)
        painter.end()

"""The Teach desk: pages as they will print, the spoken breakdown, exports."""

from dataclasses import replace

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.document import Document
from juxtanote.app.look.theme import colour, pen
from juxtanote.app.teach import labels
from juxtanote.app.teach.paper import measure_words, paint_page
from juxtanote.app.widgets.parts import Panel, heading, soft
from juxtanote.core.formats.breakdown import breakdown, generate_breakdown
from juxtanote.core.formats.pages import HEIGHT, WIDTH, Page, lay_out
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import Lesson

GAP = 16
TYPING_PAUSE_MS = 500


class Pages(QWidget):
    """Shows every page under the other, as wide as there is room."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._pages: list[Page] = []
        self.setAccessibleName("Handout")

    def show_pages(self, pages: list[Page]) -> None:
        """Show these pages."""
        self._pages = pages
        self.setFixedHeight(self._height())
        self.update()

    @property
    def scale(self) -> float:
        """Pixels to the millimetre."""
        return max(self.width() - 2 * GAP, 200) / WIDTH

    def _height(self) -> int:
        return int(len(self._pages) * (HEIGHT * self.scale + GAP) + GAP)

    def resizeEvent(self, event: object) -> None:
        self.setFixedHeight(self._height())

    def sizeHint(self) -> QSize:
        return QSize(620, 800)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        seen = event.rect() if event is not None else self.rect()
        for number, page in enumerate(self._pages):
            top = GAP + number * (HEIGHT * self.scale + GAP)
            if top > seen.bottom() or top + HEIGHT * self.scale < seen.top():
                continue
            painter.save()
            painter.translate(GAP, top)
            painter.setPen(pen("rule", 1))
            painter.setBrush(Qt.GlobalColor.white)
            painter.drawRect(0, 0, int(WIDTH * self.scale), int(HEIGHT * self.scale))
            painter.setClipRect(0, 0, int(WIDTH * self.scale), int(HEIGHT * self.scale))
            paint_page(painter, page, self.scale)
            painter.restore()


class TeachDesk(QWidget):
    """Handing out."""

    pdf_wanted = pyqtSignal()
    print_wanted = pyqtSignal()
    export_wanted = pyqtSignal(str)  # suffix
    share_changed = pyqtSignal(bool)

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._stale = True
        self.pages = Pages()
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(labels.BREAKDOWN)
        self.text.setTabChangesFocus(True)
        self.only_phrase, self.share = QCheckBox(labels.ONLY_PHRASE), QCheckBox(labels.SHARE)
        self.again = QPushButton(labels.AGAIN)
        self.pdf, self.print = QPushButton(labels.PDF), QPushButton(labels.PRINT)
        self.pdf.setProperty("main", True)
        self.exports = {suffix: QPushButton(words) for suffix, words in labels.FORMATS.items()}
        self._origin = soft()
        self._scroll = QScrollArea()
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(TYPING_PAUSE_MS)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 12, 20, 12)
        row.setSpacing(16)
        self._scroll.setWidget(self.pages)
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setStyleSheet(
            f"QScrollArea, QScrollArea > QWidget > QWidget {{ background: {colour('paper').name()}; }}"
        )
        row.addWidget(self._scroll, 3)
        panel = Panel()
        panel.column.addWidget(heading(labels.BREAKDOWN))
        line = QHBoxLayout()
        line.addWidget(self._origin)
        line.addStretch(1)
        line.addWidget(self.again)
        panel.column.addLayout(line)
        panel.column.addWidget(self.text, 1)
        panel.column.addSpacing(6)
        panel.column.addWidget(heading(labels.EXPORT))
        top = QHBoxLayout()
        top.addWidget(self.pdf)
        top.addWidget(self.print)
        top.addStretch(1)
        panel.column.addLayout(top)
        grid = QGridLayout()
        for index, button in enumerate(self.exports.values()):
            grid.addWidget(button, index // 3, index % 3)
        panel.column.addLayout(grid)
        panel.column.addWidget(self.only_phrase)
        panel.column.addWidget(self.share)
        side = QVBoxLayout()
        side.addWidget(panel)
        row.addLayout(side, 2)

    def _connect(self) -> None:
        self.pdf.clicked.connect(self.pdf_wanted)
        self.print.clicked.connect(self.print_wanted)
        for suffix, button in self.exports.items():
            button.setObjectName(suffix)
            button.clicked.connect(self._on_export)
        self.again.clicked.connect(self._on_again)
        self.text.textChanged.connect(self._pause.start)
        self._pause.timeout.connect(self._on_typed)
        self.only_phrase.toggled.connect(self._on_lesson_changed)
        self.share.clicked.connect(self.share_changed)
        self._document.lesson_changed.connect(self._on_lesson_changed)
        self._document.phrase_changed.connect(self._on_lesson_changed)

    def showEvent(self, event: object) -> None:
        if self._stale:
            self.refresh()

    def _on_lesson_changed(self, *_: object) -> None:
        self._stale = True
        if self.isVisible():
            self.refresh()

    def chosen_lesson(self) -> Lesson:
        """Give the lesson, or only its current phrase where that is asked."""
        lesson, phrase = self._document.lesson, self._document.phrase
        if self.only_phrase.isChecked() and phrase is not None:
            return replace(lesson, phrases=(phrase,))
        return lesson

    def laid_out(self) -> list[Page]:
        """Lay out what would print now."""
        return lay_out(self.chosen_lesson(), measure=measure_words)

    def refresh(self) -> None:
        """Lay out the pages and show the words."""
        self._stale = False
        self.pages.show_pages(self.laid_out())
        phrase, lesson = self._document.phrase, self._document.lesson
        words = breakdown(phrase, lesson) if phrase is not None else ""
        if words != self.text.toPlainText() and not self._pause.isActive():
            self.text.blockSignals(True)
            self.text.setPlainText(words)
            self.text.blockSignals(False)
        typed = phrase is not None and bool(phrase.breakdown.strip())
        self._origin.setText(labels.TYPED if typed else labels.GENERATED)
        self.again.setEnabled(typed)
        self.text.setEnabled(phrase is not None)
        self.share.setChecked(lesson.recording.may_share)

    def _on_typed(self) -> None:
        phrase, lesson = self._document.phrase, self._document.lesson
        if phrase is None:
            return
        words = self.text.toPlainText()
        own = "" if words == generate_breakdown(phrase, lesson) else words
        if own != phrase.breakdown:
            self._document.change(
                "Type breakdown",
                lambda l: edits.change_phrase(l, phrase.ident, breakdown=own),
                merge=800_000 + phrase.ident,
            )

    def _on_again(self) -> None:
        phrase = self._document.phrase
        if phrase is not None:
            self._document.change(
                "Generate breakdown", lambda l: edits.change_phrase(l, phrase.ident, breakdown="")
            )

    def _on_export(self) -> None:
        sender = self.sender()
        if sender is not None:
            self.export_wanted.emit(sender.objectName())

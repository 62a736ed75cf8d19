"""The line on top: whose lesson, the five desks as the way of work, what is left to do."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QWidget

from juxtanote.app.document import Document
from juxtanote.app.look.theme import LARGE, TEXT, colour, font, pen
from juxtanote.core.checks.findings import find_problems

DESKS = ("Hear", "Place", "Check", "Teach", "Practise")


class Header(QWidget):
    """Shows title and phrase, and changes the desk."""

    desk_chosen = pyqtSignal(int)

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.setFixedHeight(44)
        self._title, self._phrase, self._left = QLabel(), QLabel(), QLabel()
        self._title.setFont(font(LARGE, 600))
        for label in (self._phrase, self._left):
            label.setFont(font(TEXT))
            label.setStyleSheet(f"color: {colour('soft').name()};")
        self.buttons = QButtonGroup(self)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 0, 20, 0)
        row.setSpacing(8)
        row.addWidget(self._title)
        row.addWidget(self._phrase)
        row.addStretch(1)
        for index, name in enumerate(DESKS):
            if index:
                mark = QLabel("›")
                mark.setStyleSheet(f"color: {colour('rule').name()}; font-size: 15px;")
                row.addWidget(mark)
            button = QPushButton(name)
            button.setCheckable(True)
            button.setProperty("desk", True)
            button.setAccessibleName(f"{name} desk")
            self.buttons.addButton(button, index)
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self._left)
        self.buttons.idClicked.connect(self.desk_chosen)
        document.lesson_changed.connect(self.refresh)
        document.phrase_changed.connect(self.refresh)
        document.undo_stack.cleanChanged.connect(self.refresh)
        self.refresh()

    def show_desk(self, index: int) -> None:
        """Mark the current desk."""
        button = self.buttons.button(index)
        if button is not None:
            button.setChecked(True)

    def refresh(self, *_: object) -> None:
        """Show title, phrase, and what is left to look at."""
        lesson, phrase = self._document.lesson, self._document.phrase
        unsaved = "" if self._document.undo_stack.isClean() else " •"
        self._title.setText(lesson.title + unsaved)
        if phrase is None:
            self._phrase.setText("")
            self._left.setText("no phrases yet")
            return
        where = f" ({phrase.place_in_form})" if phrase.place_in_form else ""
        words = f"· {phrase.name}{where}"
        self._phrase.setText(
            self._phrase.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, 210)
        )
        doubtful = sum(note.is_doubtful for note in phrase.notes)
        locked = sum(bool(note.written.locked) for note in phrase.notes)
        findings = len(find_problems(phrase, lesson))
        self._left.setText(f"{doubtful} doubtful   {locked} locked   {findings} findings")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("panel"))
        painter.setPen(pen("rule", 1))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)

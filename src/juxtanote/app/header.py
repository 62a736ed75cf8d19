"""The line on top: whose lesson, the five desks as the way of work, what is left to do."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QWidget

from juxtanote.app.derived import Findings
from juxtanote.app.desks import DESKS
from juxtanote.app.document import Change, Document
from juxtanote.app.look.theme import LARGE, TEXT, colour, font, pen, px
from juxtanote.app.widgets.parts import Elided


class Header(QWidget):
    """Shows title and phrase, and changes the desk."""

    desk_chosen = pyqtSignal(int)

    def __init__(
        self, document: Document, findings: Findings, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._findings = document, findings
        self.setFixedHeight(px(44))
        self._title, self._phrase, self._left = Elided(), Elided(), Elided()
        self._title.setFont(font(LARGE, 600))
        for label in (self._phrase, self._left):
            label.setFont(font(TEXT))
            label.setStyleSheet(f"color: {colour('soft').name()};")
        self._left.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.buttons = QButtonGroup(self)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 0, 20, 0)
        row.setSpacing(px(8))
        row.addWidget(self._title, 5)
        row.addWidget(self._phrase, 4)
        for index, name in enumerate(DESKS):
            if index:
                mark = QLabel("›")
                mark.setStyleSheet(f"color: {colour('rule').name()}; font-size: {px(15)}px;")
                row.addWidget(mark)
            button = QPushButton(name)
            button.setCheckable(True)
            button.setProperty("desk", True)
            button.setAccessibleName(f"{name} desk")
            button.setToolTip(f"F{index + 1}")
            self.buttons.addButton(button, index)
            row.addWidget(button)
        row.addWidget(self._left, 7)
        self.buttons.idClicked.connect(self.desk_chosen)
        document.lesson_changed.connect(self._on_lesson_changed)
        document.phrase_changed.connect(self.refresh)
        document.modified_changed.connect(self.refresh)
        findings.changed.connect(self.refresh)
        self.refresh()

    def show_desk(self, index: int) -> None:
        """Mark the current desk."""
        button = self.buttons.button(index)
        if button is not None:
            button.setChecked(True)

    def _on_lesson_changed(self, change: Change) -> None:
        phrase = self._document.phrase
        if change.touches(phrase.ident if phrase else None):
            self.refresh()

    def refresh(self) -> None:
        """Show title, phrase, and what is left to look at."""
        lesson, phrase = self._document.lesson, self._document.phrase
        self._title.setText(lesson.title + (" •" if self._document.is_modified else ""))
        if phrase is None:
            self._phrase.setText("")
            self._left.setText("no phrases yet")
            return
        where = f" ({phrase.place_in_form})" if phrase.place_in_form else ""
        part = f" · {lesson.part(phrase.part).name}" if len(lesson.parts) > 1 else ""
        self._phrase.setText(f"· {phrase.name}{where}{part}")
        doubtful = sum(note.is_doubtful for note in phrase.notes)
        locked = sum(bool(note.written.locked) for note in phrase.notes)
        words = f"{doubtful} doubtful   {locked} locked"
        known = self._findings.phrase
        if known is not None and known.ident == phrase.ident:
            count = len(self._findings.found)
            words += f"   {count} finding{'' if count == 1 else 's'}"
        self._left.setText(words)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("panel"))
        painter.setPen(pen("rule", 1))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)

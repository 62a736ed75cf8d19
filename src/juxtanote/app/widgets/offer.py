"""An empty place that says what to do first, and offers it."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from juxtanote.app.look.theme import TEXT, px
from juxtanote.app.widgets.parts import soft


class Offer(QWidget):
    """Words in the middle, with buttons under them."""

    def __init__(self, *buttons: QPushButton, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.words: QLabel = soft("", TEXT, wrap=True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.words.setFixedWidth(px(340))
        column = QVBoxLayout(self)
        column.addStretch(1)
        above = QHBoxLayout()
        above.addStretch(1)
        above.addWidget(self.words)
        above.addStretch(1)
        column.addLayout(above)
        column.addSpacing(px(6))
        row = QHBoxLayout()
        row.addStretch(1)
        for button in buttons:
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(1)

    def say(self, words: str) -> None:
        """Say what to do first."""
        self.words.setText(words)
        self.words.setMinimumHeight(max(self.words.heightForWidth(self.words.width()), 0))

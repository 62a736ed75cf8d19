"""The first thing on the screen: the empty table, while the desks are carried in.

It needs nothing but Qt, so that it is there at once; the window takes its place.
"""

from PyQt6.QtCore import QRect, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from juxtanote.app.look.theme import LARGE, TEXT, colour, font, pen

DESK_WORDS = "Hear   ›   Place   ›   Check   ›   Teach   ›   Practise"


class Shell(QWidget):
    """Paints the window's frame once, and then asks for the window."""

    painted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Juxtanote")
        self.resize(1280, 800)
        self._told = False

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("paper"))
        top = QRect(0, 22, self.width(), 44)
        painter.fillRect(QRect(0, 0, self.width(), 66), colour("panel"))
        painter.setPen(pen("rule", 1))
        painter.drawLine(0, 66, self.width(), 66)
        painter.setPen(colour("ink"))
        painter.setFont(font(LARGE, 600))
        painter.drawText(top.adjusted(20, 0, 0, 0), int(Qt.AlignmentFlag.AlignVCenter), "Juxtanote")
        painter.setPen(colour("soft"))
        painter.setFont(font(LARGE))
        painter.drawText(top, int(Qt.AlignmentFlag.AlignCenter), DESK_WORDS)
        painter.setFont(font(TEXT))
        painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), "opening…")
        if not self._told:
            self._told = True
            QTimer.singleShot(0, self._on_painted)

    def _on_painted(self) -> None:
        self.painted.emit()

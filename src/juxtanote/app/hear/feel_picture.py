"""Where notes fall inside the beat, as a row of small bars."""

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from juxtanote.app.look.theme import colour, pen
from juxtanote.core.score.feel import BINS


class FeelPicture(QWidget):
    """Draws the histogram of a feel; the beat itself is the bar on the left."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._counts: tuple[int, ...] = ()
        self.setFixedSize(BINS * 5 + 2, 24)
        self.setAccessibleName("Where notes fall inside the beat")
        self.setToolTip("Where the notes of this phrase fall inside the beat")

    def show_counts(self, counts: tuple[int, ...]) -> None:
        """Show these counts, or nothing."""
        self._counts = counts
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        base = self.height() - 3
        painter.setPen(pen("rule", 1))
        painter.drawLine(0, base, self.width(), base)
        most = max(self._counts, default=0)
        for index, count in enumerate(self._counts):
            if count and most:
                height = max((base - 2) * count / most, 2.0)
                painter.fillRect(QRectF(1 + 5 * index, base - height, 4, height), colour("heard"))

"""What stands still under a moving playhead, kept as one picture.

A frame of playing then costs one copy of two narrow columns, instead of all that is painted: the less
Python runs in it, the less the window waits for threads that listen meanwhile.
"""

from PyQt6.QtCore import QPointF, QRect, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPixmap, QShowEvent
from PyQt6.QtWidgets import QWidget

from juxtanote.app.look.theme import colour, pen, px

BESIDE = 3  # pixels beside the playhead that its line may touch


class UnderPlayhead(QWidget):
    """Paints what stands still when `update` is called, and moves the playhead over it."""

    line_width = 1.8

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._still: QPixmap | None = None
        self._still_of: object = None  # size, colours and the like that it was painted with
        self._line_x: float | None = None

    def paint_still(self, painter: QPainter) -> None:
        """Paint all but the playhead."""
        raise NotImplementedError

    def playhead(self) -> tuple[float, float, float] | None:
        """Give x, top and bottom of the playhead, or None where it is not seen."""
        raise NotImplementedError

    def update(self, *_: object) -> None:
        """Paint anew what stands still: something of it has changed."""
        self._still = None
        super().update()

    def move_playhead(self) -> None:
        """Paint only where the playhead was and is."""
        line = self.playhead()
        for x in (self._line_x, None if line is None else line[0]):
            if x is not None:
                super().update(QRect(int(x) - BESIDE, 0, 2 * BESIDE + 1, self.height()))

    def showEvent(self, event: QShowEvent | None) -> None:
        self._still = None  # what is hidden need not say what changes
        super().showEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        ratio = self.devicePixelRatioF()
        kind = self.size(), ratio, self.hasFocus(), colour("paper").name(), px(100)
        if self._still is None or kind != self._still_of:
            self._still_of, self._still = kind, QPixmap(self.size() * ratio)
            self._still.setDevicePixelRatio(ratio)
            self._still.fill(Qt.GlobalColor.transparent)
            still = QPainter(self._still)
            self.paint_still(still)
            still.end()
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._still)
        line = self.playhead()
        self._line_x = None if line is None else line[0]
        if line is not None:
            x, top, bottom = line
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(pen("ink", self.line_width))
            painter.drawLine(QPointF(x, top), QPointF(x, bottom))

"""A plain slider drawn as a line with a dot, with words under it."""

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from juxtanote.app.look.theme import SMALL, colour, font, pen, px

PAD = 9  # pixels: half of the handle


class LineSlider(QWidget):
    """Chooses a value between two ends; `filled` colours the part up to the dot."""

    changed = pyqtSignal(float)

    def __init__(
        self,
        lowest: float,
        highest: float,
        value: float,
        *,
        name: str,
        step: float = 0.01,
        marks: tuple[tuple[float, str], ...] = (),
        filled: str = "ink",
        ceiling: float | None = None,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._lowest, self._highest, self._value, self._step = lowest, highest, value, step
        self._marks, self._filled, self._ceiling = marks, filled, ceiling
        self.setAccessibleName(name)
        self.setToolTip(name)
        self.setMinimumSize(90, 20 + px(14))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    @property
    def value(self) -> float:
        """Where the dot is."""
        return self._value

    def set_value(self, value: float) -> None:
        """Move the dot without telling anybody."""
        self._value = min(max(value, self._lowest), self._highest)
        self.setAccessibleDescription(f"{self._value:.2f}")
        self.update()

    def _choose(self, value: float) -> None:
        rounded = round(value / self._step) * self._step
        self.set_value(rounded)
        self.changed.emit(self._value)

    def _x(self, value: float) -> float:
        part = (value - self._lowest) / (self._highest - self._lowest)
        return PAD + part * (self.width() - 2 * PAD)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = 11.0
        painter.setPen(pen("rule", 3))
        painter.drawLine(QPointF(PAD, y), QPointF(self.width() - PAD, y))
        x = self._x(self._value)
        if self._filled:
            painter.setPen(pen(self._filled, 3))
            painter.drawLine(QPointF(PAD, y), QPointF(x, y))
        painter.setFont(font(SMALL))
        painter.setPen(colour("soft"))
        free = 0.0
        for value, word in self._marks:
            width = painter.fontMetrics().horizontalAdvance(word)
            left = min(max(self._x(value) - width / 2, 0), self.width() - width)
            if left >= free:  # a number that would run into the one before is left out
                painter.drawText(QPointF(left, y + 8 + px(12)), word)
                free = left + width + 4
        if self._ceiling is not None:
            painter.setPen(pen("doubt", 2))
            at = self._x(self._ceiling)
            painter.drawLine(QPointF(at, y - 7), QPointF(at, y + 7))
        painter.setBrush(colour("ink"))
        painter.setPen(pen("paper", 2) if not self.hasFocus() else pen("heard", 3))
        painter.drawEllipse(QPointF(x, y), 7, 7)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._follow(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.buttons():
            self._follow(event.position().x())

    def _follow(self, x: float) -> None:
        part = (x - PAD) / max(self.width() - 2 * PAD, 1)
        self._choose(self._lowest + min(max(part, 0.0), 1.0) * (self._highest - self._lowest))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._choose(self._value + self._step * (1 if event.angleDelta().y() > 0 else -1))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1}
        if event.key() in steps:
            self._choose(self._value + self._step * steps[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)

"""Labels and panels in the program's hand."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QScrollArea, QSizePolicy, QSpinBox, QVBoxLayout, QWidget

from juxtanote.app.look.theme import SMALL, TEXT, TITLE, colour, font, pen


class Elided(QLabel):
    """A line that ends in dots where it has no room; all of it stands in its tool tip."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(text, parent)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def setText(self, text: str | None) -> None:
        """Show a text."""
        if text != self.text():
            super().setText(text)
            self.setToolTip(text)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        room = self.contentsRect()
        shown = self.fontMetrics().elidedText(
            self.text(), Qt.TextElideMode.ElideRight, room.width()
        )
        painter.drawText(room, int(self.alignment()), shown)


def heading(text: str, pixels: int = TITLE) -> QLabel:
    """Make a heading."""
    label = QLabel(text)
    label.setFont(font(pixels, 600))
    return label


def soft(text: str = "", pixels: int = SMALL + 1, *, wrap: bool = False) -> QLabel:
    """Make a quiet line of text."""
    label = QLabel(text)
    label.setFont(font(pixels))
    label.setStyleSheet(f"color: {colour('soft').name()};")
    label.setWordWrap(wrap)
    return label


def soft_line(text: str = "") -> Elided:
    """Make a quiet line that takes what room there is."""
    label = Elided(text)
    label.setFont(font(SMALL + 1))
    label.setStyleSheet(f"color: {colour('soft').name()};")
    return label


def strong(text: str = "", pixels: int = TEXT) -> QLabel:
    """Make a line of text with weight."""
    label = QLabel(text)
    label.setFont(font(pixels, 600))
    return label


def number_box(
    lowest: int, highest: int, step: int, value: int, suffix: str, name: str
) -> QSpinBox:
    """Make a field for a whole number; `name` is what a screen reader says."""
    box = QSpinBox()
    box.setRange(lowest, highest)
    box.setSingleStep(step)
    box.setValue(value)
    box.setSuffix(suffix)
    box.setAccessibleName(name)
    return box


class Panel(QWidget):
    """A sheet of paper lying on the desk."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(18, 14, 18, 14)
        self.column.setSpacing(6)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, False)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(colour("panel"))
        painter.setPen(pen("rule", 1))
        painter.drawRoundedRect(self.rect().adjusted(0, 0, -1, -1), 8, 8)


def scrolled(widget: QWidget) -> QScrollArea:
    """Put a widget that may need more height than there is into an area that scrolls."""
    area = QScrollArea()
    area.setWidget(widget)
    area.setWidgetResizable(True)
    area.setFrameShape(QScrollArea.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setObjectName("scrolled")
    area.setStyleSheet("#scrolled, #scrolled > QWidget > QWidget { background: transparent; }")
    return area

"""Room for the desks: where text is so large that they have none, they scroll."""

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QWidget

from juxtanote.app.look.theme import px

LEAST = 960, 450  # what a desk needs at the usual text size


class Roomy(QScrollArea):
    """As large as it may be, and never smaller inside than a desk can be used."""

    def __init__(self, held: QWidget, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setWidget(held)

    def to_top(self) -> None:
        """Show the upper left corner."""
        for bar in (self.horizontalScrollBar(), self.verticalScrollBar()):
            if bar is not None:
                bar.setValue(0)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        held = self.widget()
        if held is not None:
            least = QSize(px(LEAST[0]), px(LEAST[1]))
            held.resize(self.maximumViewportSize().expandedTo(least))

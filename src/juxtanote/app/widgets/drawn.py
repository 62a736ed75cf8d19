"""Widgets that paint by hand, in units that grow with the desktop's text size."""

from PyQt6.QtCore import QPointF, QRect
from PyQt6.QtGui import QPaintDevice, QPainter, QSinglePointEvent
from PyQt6.QtWidgets import QWidget

from juxtanote.app.look.theme import scale


class Drawn(QWidget):
    """Paints in units of a pixel at the usual text size, so that nothing it draws can be too tight."""

    @property
    def across(self) -> int:
        """Width in units."""
        return round(self.width() / scale())

    @property
    def down(self) -> int:
        """Height in units."""
        return round(self.height() / scale())

    def area(self) -> QRect:
        """Give the whole of it, in units."""
        return QRect(0, 0, self.across, self.down)

    def painter_on(self, device: QPaintDevice) -> QPainter:
        """Give a painter that draws in units; fonts come from `drawn_font`."""
        painter = QPainter(device)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(scale(), scale())
        return painter

    @staticmethod
    def spot_of(event: QSinglePointEvent) -> QPointF:
        """Give where the pointer is, in units."""
        return event.position() / scale()

"""The neck as it is built: frets where physics puts them, the phrase on it in playing order."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from juxtanote.app.look.theme import SMALL, colour, drawn_font, pen, px
from juxtanote.app.widgets.drawn import Drawn
from juxtanote.core.theory.tuning import Guitar

# Pixels around the neck, for names and fret numbers.
LEFT, RIGHT, TOP, BOTTOM = 16.0, 8.0, 14.0, 22.0
NUMBERED = (3, 5, 7, 9, 12, 15, 17, 19, 21, 24)  # frets with a dot on most guitars, and the last
SHOWN_FRETS = 17  # at least; more where something is played there


class Neck(Drawn):
    """Draws places on the neck; a click asks to put the selected note there."""

    place_clicked = pyqtSignal(int, int)  # string, fret

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._guitar = Guitar()
        self._path: tuple[tuple[int, int], ...] = ()
        self._chosen: tuple[int, int] | None = None
        self._others: tuple[tuple[int, int], ...] = ()
        self._window: tuple[int, int] | None = None
        self._last_fret = SHOWN_FRETS
        self._whole = self._guitar.fret_mm(SHOWN_FRETS)  # millimetres that are shown
        self.setMinimumHeight(px(112))
        self.setAccessibleName("Neck")
        self.setToolTip("Click a dashed place to move the selected note there.")

    def show_phrase(
        self,
        guitar: Guitar,
        path: tuple[tuple[int, int], ...],
        chosen: tuple[int, int] | None,
        others: tuple[tuple[int, int], ...],
        window: tuple[int, int] | None,
    ) -> None:
        """Show places in playing order, the chosen one, its alternatives and the hand."""
        shown = guitar, path, chosen, others, window
        if shown == (self._guitar, self._path, self._chosen, self._others, self._window):
            return
        self._guitar, self._path, self._chosen, self._others, self._window = shown
        highest = max([fret for _, fret in {*path, *others}], default=12)
        self._last_fret = min(max(SHOWN_FRETS, highest + 1), guitar.last_fret)
        self._whole = guitar.fret_mm(self._last_fret)
        self.update()

    def fret_x(self, fret: float) -> float:
        """Give the pixel of a fret wire; mirrored for left-handed players."""
        part = self._guitar.fret_mm(fret) / self._whole
        x = LEFT + part * (self.across - LEFT - RIGHT)
        return self.across - x if self._guitar.left_handed else x

    def string_y(self, string: int) -> float:
        """Give the height of a string; the thinnest is on top, as on the sheet."""
        gap = (self.down - TOP - BOTTOM) / max(self._guitar.string_count - 1, 1)
        return TOP + gap * (string - 1)

    def spot(self, string: int, fret: int) -> QPointF:
        """Give where a finger goes: behind the wire, or at the nut for an open string."""
        if fret == 0:
            side = 8 if self._guitar.left_handed else -8
            return QPointF(self.fret_x(0) + side, self.string_y(string))
        return QPointF(0.5 * (self.fret_x(fret - 1) + self.fret_x(fret)), self.string_y(string))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self.painter_on(self)
        top, bottom = self.string_y(1), self.string_y(self._guitar.string_count)
        if self._window is not None:
            low, high = (self.fret_x(f) for f in (self._window[0] - 1, self._window[1]))
            box = QRectF(min(low, high), top - 8, abs(high - low), bottom - top + 16)
            painter.fillRect(box, colour("written", 22))
            painter.setPen(pen("written", 1.0, Qt.PenStyle.DashLine))
            painter.drawRect(box)
        painter.setFont(drawn_font(SMALL))
        numbered_at = -100.0
        for fret in range(self._last_fret + 1):
            x = self.fret_x(fret)
            painter.setPen(pen("ink", 3.0) if fret == 0 else pen("rule", 1.4))
            painter.drawLine(QPointF(x, top), QPointF(x, bottom))
            middle = 0.5 * (self.fret_x(max(fret - 1, 0)) + x)
            if fret in NUMBERED and abs(middle - numbered_at) > 17:
                numbered_at = middle
                painter.setPen(colour("soft"))
                area = QRectF(middle - 12, bottom + 5, 24, 14)
                painter.drawText(area, Qt.AlignmentFlag.AlignCenter, str(fret))
        for string in range(1, self._guitar.string_count + 1):
            painter.setPen(pen("soft", 0.7 + 0.22 * string))
            y = self.string_y(string)
            painter.drawLine(QPointF(self.fret_x(0), y), QPointF(self.fret_x(self._last_fret), y))
        self._paint_places(painter)

    def _paint_places(self, painter: QPainter) -> None:
        spots = {place: self.spot(*place) for place in dict.fromkeys(self._path)}
        painter.setPen(pen("written", 0.9))
        steps = max(len(self._path) - 1, 1)
        # Each way from place to place once, as strong as its latest move is drawn.
        moves = {pair: at for at, pair in enumerate(zip(self._path, self._path[1:], strict=False))}
        for (before, after), at in moves.items():
            painter.setOpacity(0.12 + 0.6 * at / steps)
            painter.drawLine(spots[before], spots[after])
        painter.setOpacity(1.0)
        painter.setBrush(colour("panel"))
        painter.setPen(pen("written", 1.8))
        for spot in spots.values():
            painter.drawEllipse(spot, 4.2, 4.2)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(pen("ink", 1.2, Qt.PenStyle.DashLine))
        for place in self._others:
            painter.drawEllipse(self.spot(*place), 7, 7)
        if self._chosen is not None:
            painter.setBrush(colour("written"))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(self.spot(*self._chosen), 6.5, 6.5)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        places = [*self._others, *([self._chosen] if self._chosen else [])]
        near = [
            (
                abs(self.spot(*p).x() - self.spot_of(event).x())
                + abs(self.spot(*p).y() - self.spot_of(event).y()),
                p,
            )
            for p in places
        ]
        if near and min(near)[0] < 18:
            self.place_clicked.emit(*min(near)[1])

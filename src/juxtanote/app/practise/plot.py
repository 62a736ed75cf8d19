"""The log as a picture: speed over the days, repeats as the size of the dot."""

from datetime import date

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from juxtanote.app.document import Document
from juxtanote.app.look.theme import SMALL, colour, drawn_font, pen, px
from juxtanote.app.practise import labels
from juxtanote.app.widgets.drawn import Drawn
from juxtanote.core.practice.log import Point, daily_points

# Pixels around the plot; names of phrases stand on the right.
LEFT, RIGHT, TOP, BOTTOM = 46, 90, 12, 26
# Fmt: skip.
_STYLES = Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine


class LogPlot(Drawn):
    """Draws the log; the current phrase stands out."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.setMinimumHeight(px(190))
        self.setAccessibleName(labels.PLOT)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self.painter_on(self)
        points = [p for p in daily_points(self._document.lesson) if _day(p.date) is not None]
        left, bottom = LEFT, BOTTOM
        area = QRectF(left, TOP, self.across - left - RIGHT, self.down - TOP - bottom)
        painter.setFont(drawn_font(SMALL))
        if not points:
            painter.setPen(colour("soft"))
            painter.drawText(self.area(), int(Qt.AlignmentFlag.AlignCenter), labels.NO_LOG)
            return
        days = [_day(p.date) or 0 for p in points]
        first, last = min(days), max(max(days), min(days) + 1)
        for percent in (25, 50, 75, 100, 125):
            y = _y(area, percent / 100)
            painter.setPen(pen("ink" if percent == 100 else "rule", 1.0))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(colour("soft"))
            box = QRectF(0, y - 8, left - 8, 16)
            painter.drawText(
                box,
                int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                f"{percent} %",
            )
        self._paint_days(painter, area, points)
        kinds = list(dict.fromkeys((p.phrases, p.name) for p in points))
        phrase = self._document.phrase
        chosen = (phrase.ident,) if phrase is not None else ()
        taken: list[float] = []
        for index, kind in enumerate(sorted(kinds, key=lambda k: k[0] == chosen)):
            line = [p for p in points if (p.phrases, p.name) == kind]
            own = bool(chosen) and kind[0] == chosen
            self._paint_line(painter, area, line, (first, last), index, own, taken)

    def _paint_days(self, painter: QPainter, area: QRectF, points: list[Point]) -> None:
        painter.setPen(colour("soft"))
        painter.drawText(QPointF(area.left(), self.down - 6), points[0].date)
        width = painter.fontMetrics().horizontalAdvance(points[-1].date)
        if points[-1].date != points[0].date:
            painter.drawText(QPointF(area.right() - width, self.down - 6), points[-1].date)

    def _paint_line(
        self,
        painter: QPainter,
        area: QRectF,
        line: list[Point],
        span: tuple[int, int],
        index: int,
        chosen: bool,
        taken: list[float],
    ) -> None:
        hue = "heard" if chosen else "soft"

        def spot(point: Point) -> QPointF:
            part = ((_day(point.date) or span[0]) - span[0]) / (span[1] - span[0])
            return QPointF(area.left() + part * area.width(), _y(area, point.best_speed))

        painter.setPen(pen(hue, 2.4 if chosen else 1.3, _STYLES[0 if chosen else index % 4]))
        painter.drawPolyline(QPolygonF([spot(p) for p in line]))
        painter.setBrush(colour("panel"))
        for point in line:
            size = 2.5 + min(point.repeats, 40) / 9.0
            painter.setPen(pen(hue, 1.6))
            painter.drawEllipse(spot(point), size, size)
        end = spot(line[-1])
        y = end.y() + 4
        while any(abs(y - other) < 13 for other in taken):
            y += 13
        taken.append(y)
        painter.setFont(drawn_font(SMALL, 600 if chosen else 400))
        painter.setPen(colour("heard" if chosen else "soft"))
        room = int(self.across - end.x() - 12)
        text = painter.fontMetrics().elidedText(
            line[-1].name, Qt.TextElideMode.ElideRight, max(room, 30)
        )
        painter.drawText(QPointF(end.x() + 9, y), text)


def _day(text: str) -> int | None:
    try:
        return date.fromisoformat(text).toordinal()
    except ValueError:
        return None


def _y(area: QRectF, speed: float) -> float:
    return area.bottom() - (speed - 0.2) / 1.1 * area.height()

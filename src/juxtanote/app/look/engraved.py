"""Painting what the core has drawn: the same lines, shapes and words on pages, the sheet and cards."""

import threading
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen, QPolygonF

from juxtanote.app.look.theme import FAMILY
from juxtanote.core.engrave.paper import POINT, Block


@dataclass(frozen=True)
class Inks:
    """What a drawing is painted with."""

    ink: QColor
    soft: QColor
    paper: QColor


PRINT = Inks(QColor("#16181B"), QColor("#5B5F63"), QColor("#FFFFFF"))
MOST_FONTS = 256  # kept made: more than a page needs
FINE = 20.0  # device units to the millimetre at which text is measured


class _OfThread(threading.local):
    """Fonts of one thread, gone when its work ends: one that outlives its thread points at nothing."""

    def __init__(self) -> None:
        self.fonts: dict[tuple[float, bool, float], QFont] = {}
        self.metrics: dict[tuple[float, bool], QFontMetricsF] = {}


_kept = _OfThread()


def _font(size: float, bold: bool, scale: float) -> QFont:
    made = _kept.fonts.get((size, bold, scale))
    if made is None:
        if len(_kept.fonts) > MOST_FONTS:
            _kept.fonts.clear()
        made = QFont(FAMILY)
        made.setFamilies([FAMILY, "Noto Music", "Noto Sans", "DejaVu Sans"])
        made.setPixelSize(max(round(size * POINT * scale), 1))
        made.setWeight(QFont.Weight(600 if bold else 400))
        _kept.fonts[size, bold, scale] = made
    return made


def measure_words(text: str, size: float, bold: bool) -> float:
    """Give the width of text in millimetres in the program's own font."""
    metrics = _kept.metrics.get((size, bold))
    if metrics is None:
        metrics = QFontMetricsF(_font(size, bold, FINE))
        _kept.metrics[size, bold] = metrics
    return metrics.horizontalAdvance(text) / FINE


def paint_block(
    painter: QPainter, block: Block, top: float, scale: float, inks: Inks = PRINT
) -> None:
    """Paint a block with `scale` device units to the millimetre, its top so many millimetres down."""
    pens: dict[tuple[bool, float], QPen] = {}
    for stroke in block.strokes:
        key = (stroke.soft, stroke.width)
        if key not in pens:
            pen = QPen(inks.soft if stroke.soft else inks.ink, stroke.width * scale)
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            pens[key] = pen
        pen = pens[key]
        if stroke.dashed:
            pen = QPen(pen)
            pen.setDashPattern([5.0, 5.0])
        painter.setPen(pen)
        points = [QPointF(x * scale, (y + top) * scale) for x, y in stroke.points]
        painter.drawPolyline(QPolygonF(points))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(inks.ink)
    for shape in block.shapes:
        path = QPainterPath()
        path.setFillRule(Qt.FillRule.OddEvenFill)
        for outline in shape.outlines:
            corners = [QPointF(x * scale, (y + top) * scale) for x, y in outline]
            path.addPolygon(QPolygonF([*corners, corners[0]]))
        painter.drawPath(path)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for words in block.words:
        painter.setFont(_font(words.size, words.bold, scale))
        metrics = QFontMetricsF(painter.font())
        width = metrics.horizontalAdvance(words.text)
        shift = {"left": 0.0, "middle": 0.5, "right": 1.0}[words.anchor] * width
        at = QPointF(words.x * scale - shift, (words.y + top) * scale)
        if words.cleared:
            box = metrics.tightBoundingRect(words.text).translated(at)
            painter.fillRect(
                box.adjusted(-0.4 * scale, -0.2 * scale, 0.4 * scale, 0.2 * scale), inks.paper
            )
        painter.setPen(inks.soft if words.soft else inks.ink)
        painter.drawText(at, words.text)

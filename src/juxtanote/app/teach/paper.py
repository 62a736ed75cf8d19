"""Painting pages: the same strokes and words on the screen, on paper and in a PDF."""

import threading
from pathlib import Path

from PyQt6.QtCore import QMarginsF, QPointF, QSizeF, Qt
from PyQt6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QImage,
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
    QPen,
    QPolygonF,
)

from juxtanote.app.look.theme import FAMILY
from juxtanote.core.audio.write import write_whole
from juxtanote.core.engrave.paper import A4, POINT, Block, Page

INK, SOFT, PAPER = QColor("#16181B"), QColor("#5B5F63"), QColor("#FFFFFF")


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


MOST_FONTS = 256
FINE = 20.0  # device units to the millimetre at which text is measured


def paint_page(painter: QPainter, page: Page, scale: float) -> None:
    """Paint one page with `scale` device units to the millimetre."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for top, block in page.blocks:
        _paint_block(painter, block, top, scale)


def _paint_block(painter: QPainter, block: Block, top: float, scale: float) -> None:
    pens: dict[tuple[bool, float], QPen] = {}
    for stroke in block.strokes:
        key = (stroke.soft, stroke.width)
        if key not in pens:
            pen = QPen(SOFT if stroke.soft else INK, stroke.width * scale)
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
    painter.setBrush(INK)
    for shape in block.shapes:
        corners = [QPointF(x * scale, (y + top) * scale) for x, y in shape.points]
        painter.drawPolygon(QPolygonF(corners), Qt.FillRule.WindingFill)
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
                box.adjusted(-0.4 * scale, -0.2 * scale, 0.4 * scale, 0.2 * scale), PAPER
            )
        painter.setPen(SOFT if words.soft else INK)
        painter.drawText(at, words.text)


def write_pdf(pages: list[Page], path: Path, title: str) -> None:
    """Write pages as a PDF on their own paper, whole or not at all."""
    paper = pages[0].paper if pages else A4

    def fill(partial: Path) -> None:
        writer = QPdfWriter(str(partial))
        size = QPageSize(
            QSizeF(paper.full_width, paper.full_height), QPageSize.Unit.Millimeter, paper.name
        )
        layout = QPageLayout(size, QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0))
        writer.setPageLayout(layout)
        writer.setResolution(600)
        writer.setTitle(title)
        writer.setCreator("Juxtanote")
        painter = QPainter(writer)
        if not painter.isActive():
            raise OSError("the PDF could not be begun")
        for number, page in enumerate(pages):
            if number:
                writer.newPage()
            paint_page(painter, page, paper.large * 600 / 25.4)
        painter.end()

    write_whole(path, fill)


def page_image(page: Page, scale: float) -> QImage:
    """Give a page as a picture, `scale` pixels to the millimetre."""
    paper = page.paper
    size = QSizeF(paper.full_width * scale, paper.full_height * scale).toSize()
    image = QImage(size, QImage.Format.Format_RGB32)
    image.fill(PAPER)
    painter = QPainter(image)
    paint_page(painter, page, paper.large * scale)
    painter.end()
    return image

"""Painting pages: the same strokes and words on the screen, on paper and in a PDF."""

from pathlib import Path

from PyQt6.QtCore import QMarginsF, QSizeF
from PyQt6.QtGui import QImage, QPageLayout, QPageSize, QPainter, QPdfWriter

from juxtanote.app.look.engraved import PRINT, paint_block
from juxtanote.core.audio.write import write_whole
from juxtanote.core.engrave.paper import A4, Page


def paint_page(painter: QPainter, page: Page, scale: float) -> None:
    """Paint one page with `scale` device units to the millimetre."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for top, block in page.blocks:
        paint_block(painter, block, top, scale)


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
    image.fill(PRINT.paper)
    painter = QPainter(image)
    paint_page(painter, page, paper.large * scale)
    painter.end()
    return image

"""A recording's wave: peaks column by column, or its curve where single samples can be told apart."""

from __future__ import annotations

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPixmap, QPolygonF

from juxtanote.app.look.theme import colour, pen
from juxtanote.core.audio.peaks import Peaks
from juxtanote.core.later import np

QUIETEST = 0.05  # of full scale: what is softer throughout is not drawn as loud as what is loud


def paint_wave(
    painter: QPainter,
    area: QRectF,
    peaks: Peaks,
    view_s: tuple[float, float],
    chosen_s: tuple[float, float] | None = None,
) -> None:
    """Paint a stretch over the width of an area, or only what is chosen of it (seconds)."""
    columns = int(area.width())
    low, high = peaks.between(*view_s, columns)
    per_pixel = (view_s[1] - view_s[0]) * peaks.sample_rate / columns
    middle = area.center().y()
    loudest = float(np.max(np.abs(peaks.levels[-1]))) if peaks.levels else 1.0
    scale = 0.5 * area.height() / max(loudest, QUIETEST)
    if per_pixel < 1.0:
        if chosen_s is not None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(pen("heard", 1.4))
        line = 0.5 * (low + high)
        painter.drawPolyline(
            QPolygonF([QPointF(x, middle - float(v) * scale) for x, v in enumerate(line)])
        )
        return
    xs = np.arange(columns) + 0.5
    tops = middle - high * scale
    bottoms = np.maximum(middle - low * scale, tops + 1.0)
    seconds = view_s[0] + xs / max(columns, 1) * (view_s[1] - view_s[0])
    part = np.ones(columns, dtype=bool)
    if chosen_s is not None:
        part = (seconds >= chosen_s[0]) & (seconds < chosen_s[1])
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.setPen(colour("wave") if chosen_s is None else colour("heard", 150))
    rows = zip(xs[part].tolist(), tops[part].tolist(), bottoms[part].tolist(), strict=True)
    painter.drawLines([QLineF(x, top, x, bottom) for x, top, bottom in rows])  # type: ignore[call-overload]


class WavePictures:
    """The wave as a picture that is kept: of the view alone, and over it what is chosen."""

    def __init__(self) -> None:
        self._plain: tuple[object, QPixmap] | None = None
        self._whole: tuple[object, QPixmap] | None = None

    def picture(
        self,
        surface: tuple[QSize, float],
        area: QRectF,
        peaks: Peaks | None,
        view_s: tuple[float, float],
        chosen_s: tuple[float, float] | None,
    ) -> QPixmap:
        """Give the picture for a surface (size, and how dense its pixels are); empty without peaks."""
        size, ratio = surface
        key = (view_s, size, ratio, id(peaks), colour("wave").name())
        seen = peaks is not None and size.width() > 1
        if self._plain is None or self._plain[0] != key:
            plain = QPixmap(size * ratio)
            plain.setDevicePixelRatio(ratio)
            plain.fill(Qt.GlobalColor.transparent)
            if seen and peaks is not None:
                painter = QPainter(plain)
                paint_wave(painter, area, peaks, view_s)
                painter.end()
            self._plain = key, plain
        if peaks is None or not seen or chosen_s is None:
            return self._plain[1]
        if self._whole is None or self._whole[0] != (key, chosen_s):
            whole = QPixmap(self._plain[1])
            painter = QPainter(whole)
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Source)
            paint_wave(painter, area, peaks, view_s, chosen_s)
            painter.end()
            self._whole = (key, chosen_s), whole
        return self._whole[1]

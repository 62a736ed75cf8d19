"""A recording's wave: peaks column by column, or its curve where single samples can be told apart."""

from __future__ import annotations

from PyQt6.QtCore import QLineF, QPointF, QRectF
from PyQt6.QtGui import QPainter, QPolygonF

from juxtanote.app.look.theme import colour, pen
from juxtanote.core.audio.peaks import Peaks
from juxtanote.core.later import np

QUIETEST = 0.05  # of full scale: what is softer throughout is not drawn as loud as what is loud


def paint_wave(
    painter: QPainter,
    area: QRectF,
    peaks: Peaks,
    view_s: tuple[float, float],
    chosen_s: tuple[float, float] | None,
) -> None:
    """Paint a stretch over the width of an area; what is chosen of it, in seconds, stands out."""
    columns = int(area.width())
    low, high = peaks.between(*view_s, columns)
    per_pixel = (view_s[1] - view_s[0]) * peaks.sample_rate / columns
    middle = area.center().y()
    loudest = float(np.max(np.abs(peaks.levels[-1]))) if peaks.levels else 1.0
    scale = 0.5 * area.height() / max(loudest, QUIETEST)
    if per_pixel < 1.0:
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
    inside = np.zeros(columns, dtype=bool)
    if chosen_s is not None:
        inside = (seconds >= chosen_s[0]) & (seconds < chosen_s[1])
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    for part, hue in ((inside, colour("heard", 150)), (~inside, colour("wave"))):
        painter.setPen(hue)
        rows = zip(xs[part].tolist(), tops[part].tolist(), bottoms[part].tolist(), strict=True)
        painter.drawLines([QLineF(x, top, x, bottom) for x, top, bottom in rows])  # type: ignore[call-overload]

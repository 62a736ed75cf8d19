"""Where phrases are in the recording: a line and a name over each, kept as a picture."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPixmap

from juxtanote.app.look.theme import SMALL, colour, font, pen, px
from juxtanote.core.score.lesson import Phrase

OVERLAP = 4  # pixels that the second row stands over the first


@dataclass(frozen=True, slots=True)
class Shown:
    """What the picture is painted of: equal where nothing of it has changed."""

    phrases: tuple[Phrase, ...]
    repeats: dict[int, str]  # what stands behind a phrase's name, by number
    view_s: tuple[float, float]
    size: QSize
    ratio: float  # how dense the surface's pixels are

    def x_of(self, seconds: float) -> float:
        """Give the pixel of a time."""
        start, end = self.view_s
        return (seconds - start) / (end - start) * self.size.width()

    def equals(self, other: Shown | None) -> bool:
        """Tell whether another one looks the same: most edits touch notes, and no name."""
        return (
            other is not None
            and (self.repeats, self.view_s) == (other.repeats, other.view_s)
            and (self.size, self.ratio) == (other.size, other.ratio)
            and (self.phrases is other.phrases or _seen(self.phrases) == _seen(other.phrases))
        )


class PhraseNames:
    """Lines and names of all phrases as a picture, and the current one over it."""

    def __init__(self) -> None:
        self._shown: Shown | None = None
        self._look: tuple[str, int] = ("", 0)
        self._picture = QPixmap()
        self._rows: dict[int, int] = {}  # in which row each phrase that is seen has its name

    def paint(self, painter: QPainter, area: QRectF, shown: Shown, chosen: Phrase | None) -> None:
        """Paint all phrases, and the chosen one so that it stands out down to the foot of an area."""
        look = colour("soft").name(), px(100)
        if not shown.equals(self._shown) or look != self._look:
            self._look = look
            self._picture = self._painted(shown)
        self._shown = shown  # its phrases, if they are other ones, are known next time
        painter.drawPixmap(0, 0, self._picture)
        if chosen is not None and chosen.ident in self._rows:
            self._paint_chosen(painter, area, shown, chosen)

    def _painted(self, shown: Shown) -> QPixmap:
        picture = QPixmap(shown.size * shown.ratio)
        picture.setDevicePixelRatio(shown.ratio)
        picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(SMALL))
        painter.setPen(colour("soft"))
        ends, least = [-1e9, -1e9], px(9)
        lines: dict[bool, list[QLineF]] = {False: [], True: []}
        self._rows = {}
        for phrase in shown.phrases:
            left, right = shown.x_of(phrase.start_s), shown.x_of(phrase.end_s)
            if right < 0 or left > shown.size.width():
                continue
            row = 0 if left >= ends[0] - 1 else 1
            ends[row], self._rows[phrase.ident] = right, row
            lines[phrase.proposed].append(_over(left, right, row))
            if _room(shown, left, right) >= least:  # else a name that would be dots only
                _paint_name(painter, shown, phrase, row)
        for proposed, made in lines.items():
            painter.setPen(pen("soft", 1.4, _style(proposed)))
            painter.drawLines(made)  # type: ignore[call-overload]
        painter.end()
        return picture

    def _paint_chosen(self, painter: QPainter, area: QRectF, shown: Shown, chosen: Phrase) -> None:
        row, height = self._rows[chosen.ident], label_height()
        left, right = shown.x_of(chosen.start_s), shown.x_of(chosen.end_s)
        begins, room = max(left, 0.0), max(_room(shown, left, right), px(9))
        top = _line_y(row) - 2.0
        # Its name stands there already, not so bold.
        painter.fillRect(QRectF(begins, top - height, room + 4.0, height), colour("panel"))
        painter.fillRect(QRectF(left, area.top(), right - left, area.height()), colour("heard", 22))
        painter.setPen(pen("ink", 3, _style(chosen.proposed)))
        painter.drawLine(_over(left, right, row))
        painter.setFont(font(SMALL, 600))
        painter.setPen(colour("ink"))
        _paint_name(painter, shown, chosen, row)


def _seen(phrases: tuple[Phrase, ...]) -> list[tuple[object, ...]]:
    """Give what is seen of phrases."""
    return [(p.ident, p.name, p.start_s, p.end_s, p.repeats, p.proposed) for p in phrases]


def label_height() -> int:
    """Give the height that names take, pixels."""
    return px(16)


def _line_y(row: int) -> int:
    """Give the height of a phrase's line: phrases that overlap stand in two rows."""
    return label_height() + 2 - OVERLAP * row


def _over(left: float, right: float, row: int) -> QLineF:
    y = _line_y(row)
    return QLineF(left + 1, y, max(right - 2, left + 1), y)


def _style(proposed: bool) -> Qt.PenStyle:
    return Qt.PenStyle.DashLine if proposed else Qt.PenStyle.SolidLine


def _room(shown: Shown, left: float, right: float) -> int:
    """Give how wide a phrase's name may be, pixels."""
    return int(min(right, shown.size.width()) - max(left, 0)) - 4


def _paint_name(painter: QPainter, shown: Shown, phrase: Phrase, row: int) -> None:
    left, right = shown.x_of(phrase.start_s), shown.x_of(phrase.end_s)
    room = max(_room(shown, left, right), px(9))
    label = phrase.name + (f" ×{phrase.repeats}" if phrase.repeats > 1 else "")
    label += shown.repeats.get(phrase.ident, "")
    text = painter.fontMetrics().elidedText(label, Qt.TextElideMode.ElideRight, room)
    painter.drawText(QPointF(max(left, 0) + 2, _line_y(row) - 4), text)

"""Takes of a phrase: a list, and bar by bar how each of them went."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from juxtanote.app.look.theme import SMALL, colour, font, pen, px
from juxtanote.app.practise import labels
from juxtanote.core.score.kept import BarOfTake, TakeEntry

LEFT, TOP, ROW = 86, 20, 20  # pixels: names on the left, bar numbers above
MOST_SHOWN = 12  # takes; older ones are in the log
LATE_MS = 60.0  # as wide as a mark may lie beside the middle of its cell


def told(take: TakeEntry) -> str:
    """Say a take in one line."""
    return labels.TAKE_LINE.format(
        date=take.date[:16].replace("T", " "), speed=100 * take.speed, share=100 * take.share,
        spread=take.spread_ms,
    )  # fmt: skip


class TakeGrid(QWidget):
    """A row a take, a column a bar: filled as far as its notes were played, a mark for early and late."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._takes: tuple[TakeEntry, ...] = ()
        self.setMinimumHeight(px(110))
        self.setAccessibleName(labels.GRID)

    def show_takes(self, takes: tuple[TakeEntry, ...]) -> None:
        """Show takes of one phrase, the latest at the foot."""
        self._takes = takes[-MOST_SHOWN:]
        words = "; ".join(told(take) for take in self._takes) or labels.NO_GRID
        self.setAccessibleDescription(words)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(SMALL))
        painter.setPen(colour("soft"))
        bars = sorted({bar.bar for take in self._takes for bar in take.bars})
        if not bars:
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(self.rect(), int(flags), labels.NO_GRID)
            return
        wide = (self.width() - LEFT - 8) / len(bars)
        for column, bar in enumerate(bars):
            name = str(bar) if bar >= 1 else labels.PICKUP
            painter.drawText(QRectF(LEFT + column * wide, 0, wide, TOP - 4), 4, name)
        room = max(min((self.height() - TOP) / len(self._takes), ROW), 8.0)
        for row, take in enumerate(self._takes):
            y = TOP + row * room
            painter.setPen(colour("soft"))
            words = f"{take.date[5:10]}  {100 * take.speed:.0f} %"
            painter.drawText(
                QRectF(0, y, LEFT - 8, room), int(Qt.AlignmentFlag.AlignVCenter), words
            )
            known = {bar.bar: bar for bar in take.bars}
            for column, bar in enumerate(bars):
                cell = QRectF(LEFT + column * wide + 2, y + 2, wide - 4, room - 4)
                if bar in known:
                    self._cell(painter, cell, known[bar])

    @staticmethod
    def _cell(painter: QPainter, cell: QRectF, bar: BarOfTake) -> None:
        painter.fillRect(cell, colour("rule", 90))
        share = bar.played / max(bar.written, 1)
        filled = QRectF(cell)
        filled.setWidth(cell.width() * share)
        painter.fillRect(filled, colour("heard" if share >= 1.0 else "doubt", 120))
        middle = cell.center().x()
        off = max(min(bar.late_ms / LATE_MS, 1.0), -1.0) * 0.45 * cell.width()
        painter.setPen(pen("ink", 1.6))
        painter.drawLine(int(middle + off), int(cell.top()), int(middle + off), int(cell.bottom()))

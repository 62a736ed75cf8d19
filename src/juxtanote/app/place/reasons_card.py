"""The reasons card: every place a note could sit, what each costs, why it is where it is."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from juxtanote.app.look.theme import LARGE, MIDDLE, SMALL, TEXT, colour, drawn_font, pen, px
from juxtanote.app.place import labels
from juxtanote.app.widgets.drawn import Drawn

if TYPE_CHECKING:
    from juxtanote.core.fretboard.reasons import Candidate, Reasons

ROW = 26.0  # pixels of a row of the card
UNDER, LINE, HEADING = 27.0, 19.0, 22.0  # pixels of the lines under the rows
WRAPPED = int(Qt.TextFlag.TextWordWrap)


class ReasonsCard(Drawn):
    """Paints the reasons, as high as they need; a click on a row asks for that place."""

    place_clicked = pyqtSignal(int, int)  # string, fret

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._title, self._under = labels.NO_NOTE, labels.PICK_ONE
        self._reasons: Reasons | None = None
        self._rows: list[tuple[QRectF, Candidate]] = []
        self.setMinimumWidth(px(200))
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Reasons")

    def show_reasons(self, title: str, under: str, reasons: "Reasons | None") -> None:
        """Show a note's reasons, or only words."""
        self._title, self._under, self._reasons = title, under, reasons
        spoken = (
            [f"string {c.string} fret {c.fret}: {c.words}" for c in reasons.candidates]
            if reasons
            else []
        )
        self.setAccessibleDescription(". ".join([title, under, *spoken]))
        self._fit()
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _under_box(self) -> QRectF:
        metrics = QFontMetricsF(drawn_font(SMALL + 1))
        return metrics.boundingRect(QRectF(0, UNDER, self.across, 4000), WRAPPED, self._under)

    def _fit(self) -> None:
        """Ask for the height that all of it needs; the scroll area around gives it."""
        height = self._under_box().bottom()
        if self._reasons is not None:
            why = len(self._reasons.why)
            height += 14 + (HEADING + LINE * why + 8 if why else 0)
            height += HEADING + ROW * len(self._reasons.candidates)
        self.setMinimumHeight(px(height + 2))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self.painter_on(self)
        self._rows = []
        width = float(self.across)
        painter.setFont(drawn_font(LARGE + 2, 600))
        painter.setPen(colour("ink"))
        painter.drawText(QRectF(0, 0, width, 26), Qt.AlignmentFlag.AlignVCenter, self._title)
        painter.setFont(drawn_font(SMALL + 1))
        painter.setPen(colour("soft"))
        box = self._under_box()
        painter.drawText(QRectF(0, box.top(), width, box.height() + 2), WRAPPED, self._under)
        if self._reasons is None:
            return
        y = box.bottom() + 14
        if self._reasons.why:
            y = self._paint_why(painter, y, width)
        painter.setFont(drawn_font(TEXT, 600))
        painter.setPen(colour("ink"))
        painter.drawText(QRectF(0, y, width, 20), Qt.AlignmentFlag.AlignVCenter, labels.ALSO)
        painter.setFont(drawn_font(SMALL))
        painter.setPen(colour("soft"))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, y, width, 20), right, "cost")
        y += HEADING
        for candidate in self._reasons.candidates:
            self._paint_row(painter, QRectF(0, y, width, ROW - 3), candidate)
            y += ROW

    def _paint_why(self, painter: QPainter, y: float, width: float) -> float:
        assert self._reasons is not None
        painter.setFont(drawn_font(TEXT, 600))
        painter.setPen(colour("ink"))
        painter.drawText(QRectF(0, y, width, 20), Qt.AlignmentFlag.AlignVCenter, labels.WHY)
        y += HEADING
        for line in self._reasons.why:
            painter.setBrush(colour("written"))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QRectF(1, y + 6, 5, 5))
            painter.setPen(colour("ink"))
            painter.setFont(drawn_font(SMALL + 1))
            painter.drawText(QRectF(13, y, width - 13, 18), Qt.AlignmentFlag.AlignVCenter, line)
            y += LINE
        return y + 8

    def _paint_row(self, painter: QPainter, box: QRectF, candidate: "Candidate") -> None:
        self._rows.append((box, candidate))
        ink = "ink" if candidate.possible else "soft"
        painter.setPen(colour("soft"))
        painter.setFont(drawn_font(MIDDLE))
        painter.drawText(
            QRectF(0, box.top(), 16, 20), Qt.AlignmentFlag.AlignVCenter, str(candidate.string)
        )
        painter.setPen(colour(ink))
        painter.setFont(drawn_font(MIDDLE, 600 if candidate.possible else 400))
        words = f"fret {candidate.fret}" if candidate.fret else "open"
        painter.drawText(QRectF(16, box.top(), 60, 20), Qt.AlignmentFlag.AlignVCenter, words)
        painter.setFont(drawn_font(SMALL))
        painter.setPen(colour("soft"))
        room = QRectF(80, box.top(), box.width() - 118, 20)
        text = painter.fontMetrics().elidedText(
            candidate.words, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)
        cost = f"{candidate.cost:.1f}" if candidate.possible else "—"
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, box.top(), box.width(), 20), right, cost)
        length = min(candidate.cost / 6.0, 1.0) * (box.width() - 80)
        painter.setPen(pen("written" if candidate.chosen else "rule", 2))
        if candidate.possible:
            y = int(box.top() + 21)
            painter.drawLine(80, y, int(80 + length), y)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        for box, candidate in self._rows:
            if box.contains(self.spot_of(event)):
                self.place_clicked.emit(candidate.string, candidate.fret)

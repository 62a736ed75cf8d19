"""The findings as a list that the view asks row by row, painted as cards."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from juxtanote.app.check import labels
from juxtanote.app.look.theme import MIDDLE, SMALL, colour, font, pen, px

if TYPE_CHECKING:
    from juxtanote.core.checks.findings import Finding

FINDING, TITLE, DETAIL, WHERE, WAIVED = (Qt.ItemDataRole.UserRole + k for k in range(5))
_NONE = QModelIndex()


class FindingModel(QAbstractListModel):
    """Findings with where they are, worst first; those that were let pass come last."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._rows: list[tuple[Finding, str, bool]] = []
        self._said: list[tuple[str, str]] = []  # of each its title and detail

    def show_rows(self, rows: "list[tuple[Finding, str, bool]]") -> None:
        """Show other findings."""
        from juxtanote.core.checks.words import say_how_far, say_what

        self.beginResetModel()
        self._rows = rows
        self._said = [(say_what(finding), say_how_far(finding)) for finding, _, _ in rows]
        self.endResetModel()

    def keys(self) -> list[str]:
        """List the keys of the findings, in order."""
        return [finding.key for finding, _, _ in self._rows]

    def rowCount(self, parent: QModelIndex = _NONE) -> int:
        return 0 if parent.isValid() else len(self._rows)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not 0 <= index.row() < len(self._rows):
            return None
        finding, where, waived = self._rows[index.row()]
        title, detail = self._said[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return f"{title}: {detail}"
        known = {FINDING: finding, TITLE: title, DETAIL: detail, WHERE: where, WAIVED: waived}
        return known.get(Qt.ItemDataRole(role))


class FindingPainter(QStyledItemDelegate):
    """Paints a finding as a card: title, where, figures, and a bar for how bad it is."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(px(280), px(84))

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        if painter is None:
            return
        finding: Finding = index.data(FINDING)
        where, waived = str(index.data(WHERE)), bool(index.data(WAIVED))
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(1, 2, -6, -8)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.setBrush(colour("panel") if chosen else colour("paper"))
        style = Qt.PenStyle.DashLine if waived else Qt.PenStyle.SolidLine
        painter.setPen(pen("ink", 1.6, style) if chosen else pen("rule", 1.2, style))
        painter.drawRoundedRect(box, 6, 6)
        left, width = box.left() + 15, box.width() - 26
        title = str(index.data(TITLE)) + (f" ({labels.WAIVED})" if waived else "")
        ink = "soft" if waived else "ink"
        self._line(painter, title, QRectF(left, box.top() + px(7), width, px(20)), ink, MIDDLE, 600)
        self._line(
            painter, where, QRectF(left, box.top() + px(28), width, px(18)), "soft", SMALL + 1, 400
        )
        room = QRectF(left, box.top() + px(47), width - px(100), px(18))
        self._line(
            painter, str(index.data(DETAIL)), room, "soft" if waived else "doubt", SMALL + 1, 600
        )
        right, y = int(box.right() - 14), int(box.top() + px(57))
        long = px(86)
        painter.setPen(pen("rule", 4))
        painter.drawLine(right - long, y, right, y)
        painter.setPen(pen("rule" if waived else "doubt", 4))
        painter.drawLine(right - long, y, int(right - long + long * finding.severity), y)
        painter.restore()

    @staticmethod
    def _line(painter: QPainter, text: str, room: QRectF, hue: str, size: int, weight: int) -> None:
        painter.setPen(colour(hue))
        painter.setFont(font(size, weight))
        mode = Qt.TextElideMode.ElideRight
        shown = painter.fontMetrics().elidedText(text, mode, int(room.width()))
        painter.drawText(room, 0, shown)


class FindingList(QListView):
    """Return loops the spot of a finding."""

    loop_wanted = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.loop_wanted.emit()
        else:
            super().keyPressEvent(event)

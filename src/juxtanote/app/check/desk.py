"""The Check desk: findings beside the picture of heard over written, and both to the ear."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.check import labels
from juxtanote.app.check.picture import GapPicture
from juxtanote.app.document import Document
from juxtanote.app.look.theme import MIDDLE, SMALL, colour, font, pen
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.parts import heading, soft, strong
from juxtanote.core.checks.findings import Finding, find_problems, in_order

AROUND_S = 0.35


class _FindingPainter(QStyledItemDelegate):
    """Paints a finding as a card: title, where, figures, and a bar for how bad it is."""

    def sizeHint(self, option: QStyleOptionViewItem, index) -> QSize:  # type: ignore[no-untyped-def]
        return QSize(300, 84)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index) -> None:  # type: ignore[no-untyped-def]
        if painter is None:
            return
        finding: Finding = index.data(Qt.ItemDataRole.UserRole)
        where: str = index.data(Qt.ItemDataRole.UserRole + 1)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(1, 2, -6, -8)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.setBrush(colour("panel") if chosen else colour("paper"))
        painter.setPen(pen("ink", 1.6) if chosen else pen("rule", 1.2))
        painter.drawRoundedRect(box, 6, 6)
        left = box.left() + 15
        painter.setPen(colour("ink"))
        painter.setFont(font(MIDDLE, 600))
        painter.drawText(QRectF(left, box.top() + 7, box.width() - 26, 20), 0, finding.title)
        painter.setPen(colour("soft"))
        painter.setFont(font(SMALL + 1))
        painter.drawText(QRectF(left, box.top() + 28, box.width() - 26, 18), 0, where)
        painter.setPen(colour("doubt"))
        painter.setFont(font(SMALL + 1, 600))
        painter.drawText(QRectF(left, box.top() + 47, box.width() - 120, 18), 0, finding.detail)
        right = box.right() - 14
        y = box.top() + 57
        painter.setPen(pen("rule", 4))
        painter.drawLine(int(right - 90), int(y), int(right), int(y))
        painter.setPen(pen("doubt", 4))
        painter.drawLine(int(right - 90), int(y), int(right - 90 + 90 * finding.severity), int(y))
        painter.restore()


class FindingList(QListWidget):
    """Enter loops the spot of a finding."""

    loop_wanted = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.loop_wanted.emit()
        else:
            super().keyPressEvent(event)


class CheckDesk(QWidget):
    """Lists findings of the current phrase and shows where they come from."""

    told = pyqtSignal(str)

    def __init__(
        self, document: Document, transport: Transport, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self._stale = True
        self.list = FindingList()
        self.list.setItemDelegate(_FindingPainter(self.list))
        self.list.setAccessibleName("Findings")
        self.list.setSpacing(0)
        self.picture = GapPicture(document, transport)
        self._order_title = strong(labels.IN_ORDER)
        self._order = soft(wrap=True)
        self._order.setMinimumHeight(110)
        self._order.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._empty = soft(labels.NOTHING, wrap=True)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 12, 20, 12)
        row.setSpacing(20)
        side = QWidget()
        side.setFixedWidth(380)
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        head = QHBoxLayout()
        head.addWidget(heading(labels.FINDINGS))
        head.addWidget(soft(labels.HINT, SMALL))
        head.addStretch(1)
        column.addLayout(head)
        column.addWidget(self._empty)
        column.addWidget(self.list, 1)
        column.addWidget(self._order_title)
        column.addWidget(self._order)
        row.addWidget(side)
        row.addWidget(self.picture, 1)
        self.list.currentRowChanged.connect(self._on_row)
        self.list.loop_wanted.connect(self.loop_spot)
        self.list.itemDoubleClicked.connect(self._on_double_click)
        document.lesson_changed.connect(self._on_changed)
        document.phrase_changed.connect(self._on_changed)
        self.refresh()

    @property
    def finding(self) -> Finding | None:
        """The finding under the cursor."""
        item = self.list.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    def showEvent(self, event: object) -> None:
        if self._stale:
            self.refresh()

    def _on_changed(self) -> None:
        self._stale = True
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Measure the phrase anew."""
        self._stale = False
        phrase, lesson = self._document.phrase, self._document.lesson
        kept = self.finding.key if self.finding is not None else ""
        self.list.blockSignals(True)
        self.list.clear()
        findings = find_problems(phrase, lesson) if phrase is not None else []
        for finding in findings:
            item = QListWidgetItem(f"{finding.title}: {finding.detail}")
            item.setData(Qt.ItemDataRole.UserRole, finding)
            item.setData(Qt.ItemDataRole.UserRole + 1, self._where(finding))
            self.list.addItem(item)
            if finding.key == kept:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        if self.list.currentRow() < 0 and findings:
            self.list.setCurrentRow(0)
        has_notes = phrase is not None and bool(phrase.notes)
        self._empty.setText(labels.NOTHING if has_notes else labels.NO_NOTES)
        self._empty.setVisible(not findings)
        lines = in_order(phrase, lesson) if phrase is not None else []
        self._order_title.setVisible(bool(lines))
        self._order.setText("\n".join(f"✓  {line}" for line in lines))
        self.picture.show_finding(self.finding)

    def _where(self, finding: Finding) -> str:
        phrase = self._document.phrase
        note = phrase.note(finding.notes[0]) if phrase is not None else None
        if note is None:
            return ""
        time_map = self._document.lesson.time_map
        onset = note.written.onset_beats
        bar, beat = time_map.bar_and_beat(
            float(onset) if onset is not None else float(time_map.to_beats(note.onset_s))
        )
        where = f"bar {bar}" if bar >= 1 else "pickup"
        return f"{where}, beat {beat:.3g} · string {note.written.string}, fret {note.written.fret}"

    def show_tab(self, audio: NDArray[np.float32], sample_rate: int) -> None:
        """Show the rendered tab."""
        self.picture.show_tab(audio, sample_rate)

    def loop_spot(self) -> None:
        """Loop around the finding's notes, and play."""
        finding, phrase = self.finding, self._document.phrase
        if finding is None or phrase is None:
            return
        notes = [n for i in finding.notes if (n := phrase.note(i)) is not None]
        start = max(min(n.onset_s for n in notes) - AROUND_S, 0.0)
        end = max(n.offset_s for n in notes) + AROUND_S
        self._transport.set_loop(start, end)
        self._transport.play()

    def waive(self) -> None:
        """Let the finding pass."""
        finding, phrase = self.finding, self._document.phrase
        if finding is None or phrase is None:
            self.told.emit("Select a finding first.")
            return
        waived = (*phrase.waived, finding.key)
        self._document.change(
            "Waive finding",
            lambda lesson: lesson.with_phrase(replace(phrase, waived=waived)),
        )

    def _on_row(self, _: int) -> None:
        finding = self.finding
        self.picture.show_finding(finding)
        if finding is not None:
            self._document.select(finding.notes)

    def _on_double_click(self, _: QListWidgetItem) -> None:
        self.loop_spot()

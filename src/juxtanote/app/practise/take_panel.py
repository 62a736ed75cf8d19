"""A take that was recorded: what is said of it, and its spots to loop."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QWidget,
)

from juxtanote.app.practise import labels
from juxtanote.app.widgets.parts import Panel, soft, strong

if TYPE_CHECKING:
    from juxtanote.core.practice.takes import Compared

AROUND_S = 0.6
SLOWER = 0.1  # of the speed of the take: what it shows to be safe
SLOWEST = 0.25


class TakePanel(Panel):
    """Asks for a take of the phrase, and shows what was heard in it."""

    wanted = pyqtSignal()
    record_toggled = pyqtSignal()
    spot_wanted = pyqtSignal(float, float, float)  # start, end, speed

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.button, self.record = QPushButton(labels.COMPARE), QPushButton(labels.RECORD)
        self.words = soft(labels.NO_TAKE, wrap=True)
        self.spots = QListWidget()
        self.spots.setAccessibleName(labels.SPOTS)
        self._compared: Compared | None = None
        self.column.addWidget(strong(labels.TAKE))
        self.column.addWidget(self.words)
        self.column.addWidget(self.spots)
        row = QHBoxLayout()
        row.addWidget(self.record)
        row.addWidget(self.button)
        self.column.addLayout(row)
        self.spots.hide()
        self.record.clicked.connect(self.record_toggled)
        self.button.clicked.connect(self.wanted)
        self.spots.itemActivated.connect(self._on_spot)

    def show_compared(self, compared: "Compared | None", name: str = "") -> None:
        """Show what was heard in a take; None where there is none of this phrase."""
        self._compared = compared
        self.spots.clear()
        self.spots.setVisible(compared is not None and bool(compared.findings))
        if compared is None:
            self.words.setText(labels.NO_TAKE)
            return
        self.words.setText(f"{name}: {compared.summary}")
        for found in compared.findings:
            late = labels.KINDS.get(found.kind, found.kind)
            item = QListWidgetItem(f"{late}: {found.detail}")
            item.setData(Qt.ItemDataRole.UserRole, found.onset_s)
            item.setToolTip(labels.LOOP_SPOT)
            self.spots.addItem(item)
        if compared.findings:
            self.spots.setCurrentRow(0)

    def show_recording(self, on: bool) -> None:
        """Show whether a take is recorded now."""
        self.record.setText(labels.END if on else labels.RECORD)

    def _on_spot(self, item: QListWidgetItem) -> None:
        if self._compared is None:
            return
        at = float(item.data(Qt.ItemDataRole.UserRole))
        speed = max(self._compared.speed - SLOWER, SLOWEST)
        self.spot_wanted.emit(max(at - AROUND_S, 0.0), at + AROUND_S, round(speed, 2))

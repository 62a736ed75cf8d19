"""Whole placements side by side: what each favours, and its figures."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from juxtanote.app.look.theme import px

if TYPE_CHECKING:
    from juxtanote.core.fretboard.figures import Figures

COLUMNS = (
    "placement", "other places", "frets", "shifts", "travel", "stretches", "string changes",
    "inside / outside",
)  # fmt: skip


class PlacementTable(QTableWidget):
    """One row a placement; choosing a row takes it."""

    chosen = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(0, len(COLUMNS), parent)
        self.setHorizontalHeaderLabels(list(COLUMNS))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setShowGrid(False)
        self.setAccessibleName("Whole placements")
        self.setStyleSheet(
            "QTableWidget { border: none; background: transparent; }"
            "QTableWidget::item { padding: 0 4px; }"
        )
        rows, columns = self.verticalHeader(), self.horizontalHeader()
        if rows is not None:
            rows.hide()
            rows.setDefaultSectionSize(px(20))
        if columns is not None:
            columns.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            columns.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
            columns.setFixedHeight(px(20) + 2)
            columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self._filling = False
        self.currentCellChanged.connect(self._on_row)
        self.hide()

    def show_placements(self, rows: "list[tuple[str, int, Figures]]", here: int) -> None:
        """Show what each favours, how many notes lie elsewhere than now, and its figures."""
        self._filling = True
        self.setRowCount(len(rows))
        for line, (name, others, figures) in enumerate(rows):
            cells = (
                name, "–" if others == 0 else f"{others} note{'s' if others > 1 else ''}",
                f"{figures.lowest_fret}–{figures.highest_fret}", str(figures.shifts),
                f"{figures.travel_mm} mm", str(figures.stretches), str(figures.string_changes),
                f"{figures.inside} / {figures.outside}",
            )  # fmt: skip
            for column, text in enumerate(cells):
                item = self.item(line, column)
                if item is None:
                    self.setItem(line, column, QTableWidgetItem(text))
                elif item.text() != text:  # a cell that is set measures its column anew
                    item.setText(text)
        self.selectRow(here)
        self.setFixedHeight(px(20) * (len(rows) + 1) + 8)
        self.setVisible(bool(rows))
        self._filling = False

    def _on_row(self, row: int, *_: int) -> None:
        if row >= 0 and not self._filling:
            self.chosen.emit(row)

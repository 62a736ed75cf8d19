"""Lists of phrases beside the cards: for a student, a workshop, an evening."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.collection import labels
from juxtanote.app.widgets.parts import heading, soft
from juxtanote.core.collection.lists import Entry, Lists, moved, read_lists, write_lists
from juxtanote.core.errors import JuxtanoteError


class ListsPane(QWidget):
    """One list at a time, by its name; what is changed is kept at once."""

    hand_out_wanted = pyqtSignal(list)  # pairs of lesson file and phrase, in order
    open_wanted = pyqtSignal(str, int)
    told = pyqtSignal(str)

    def __init__(self, path: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._path = path
        self._lists: Lists = {}
        self._read()
        self.names = QComboBox()
        self.names.setEditable(True)
        self.names.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.names.setAccessibleName("Name of the list")
        self.names.setToolTip(labels.LIST_NAME)
        self.list = QListWidget()
        self.list.setAccessibleName("Phrases of the list, in order")
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.said = soft(labels.LIST_EMPTY, wrap=True)
        self.up, self.down = QPushButton(labels.UP), QPushButton(labels.DOWN)
        self.away = QPushButton(labels.AWAY)
        self.hand_out = QPushButton(labels.HAND_OUT_LIST)
        self._lay_out()
        self._connect()
        self.names.addItems(list(self._lists) or [labels.FIRST_LIST])
        self._show()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(heading(labels.LISTS))
        column.addWidget(self.names)
        column.addWidget(self.said)
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        for button in (self.up, self.down, self.away):
            button.setAutoDefault(False)
            row.addWidget(button)
        column.addLayout(row)
        self.hand_out.setAutoDefault(False)
        column.addWidget(self.hand_out)

    def _connect(self) -> None:
        self.names.currentTextChanged.connect(self._show)
        self.list.currentRowChanged.connect(self._show_buttons)
        self.list.itemActivated.connect(self._on_open)
        self.up.clicked.connect(lambda: self._move(-1))
        self.down.clicked.connect(lambda: self._move(1))
        self.away.clicked.connect(self._take_away)
        self.hand_out.clicked.connect(self._on_hand_out)
        rows = self.list.model()
        if rows is not None:
            rows.rowsMoved.connect(self._on_dragged)

    def _read(self) -> str:
        """Take the lists as they are on disk; where they cannot be read, say why."""
        try:
            self._lists = read_lists(self._path)
        except JuxtanoteError as error:
            return str(error)
        return ""

    @property
    def entries(self) -> tuple[Entry, ...]:
        """What the list holds, in order."""
        return self._lists.get(self._name, ())

    @property
    def _name(self) -> str:
        return self.names.currentText().strip() or labels.FIRST_LIST

    def add(self, entries: Sequence[Entry]) -> None:
        """Put phrases at the end of the list; one that is there already stays where it is."""
        known = {(entry.lesson, entry.ident) for entry in self.entries}
        fresh = [e for e in entries if (e.lesson, e.ident) not in known]
        trouble = self._keep((*self.entries, *fresh), len(self.entries) + len(fresh) - 1)
        self.told.emit(trouble or labels.ADDED.format(count=len(fresh), name=self._name))

    def _move(self, by: int) -> None:
        row = self.list.currentRow()
        if 0 <= row + by < len(self.entries):
            self._tell(self._keep(moved(self.entries, row, by), row + by))

    def _on_dragged(self, _: object, first: int, __: int, ___: object, onto: int) -> None:
        by = (onto - 1 if onto > first else onto) - first
        self._tell(self._keep(moved(self.entries, first, by), -1))

    def _take_away(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self.entries):
            left = tuple(e for k, e in enumerate(self.entries) if k != row)
            self._tell(self._keep(left, min(row, len(left) - 1)))

    def _tell(self, trouble: str) -> None:
        if trouble:
            self.told.emit(trouble)

    def _keep(self, entries: tuple[Entry, ...], row: int) -> str:
        """Keep what a list holds now, and choose a row of it; where it cannot be kept, say why."""
        name = self._name
        # Read anew: another window may have changed its lists. What is damaged is not written over.
        trouble = self._read()
        self._lists[name] = entries
        if not entries:
            del self._lists[name]
        if self.names.findText(name) < 0:
            self.names.addItem(name)
        try:
            if not trouble:
                write_lists(self._path, self._lists)
        except (JuxtanoteError, OSError) as error:
            trouble = labels.LIST_LOST.format(why=error)
        if row >= 0 or not entries:
            self._show()
            self.list.setCurrentRow(row)
        self._show_buttons()
        return trouble

    def _show(self, *_: object) -> None:
        self.list.clear()
        self.list.addItems([entry.name for entry in self.entries])
        self.said.setVisible(not self.entries)
        self._show_buttons()

    def _show_buttons(self, *_: object) -> None:
        row, count = self.list.currentRow(), len(self.entries)
        for button, can in (
            (self.up, row > 0), (self.down, 0 <= row < count - 1), (self.away, row >= 0),
            (self.hand_out, count > 0),
        ):  # fmt: skip
            button.setEnabled(can)
            empty = labels.LIST_EMPTY if not count else labels.CHOOSE_ROW
            button.setToolTip("" if can else empty)

    def _on_open(self, *_: object) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self.entries):
            entry = self.entries[row]
            self.open_wanted.emit(entry.lesson, entry.ident)

    def _on_hand_out(self) -> None:
        self.hand_out_wanted.emit([(entry.lesson, entry.ident) for entry in self.entries])

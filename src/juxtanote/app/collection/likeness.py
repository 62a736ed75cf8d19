"""What music is looked for, and what it is compared by."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QStandardItemModel
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from juxtanote.app.collection import labels
from juxtanote.app.document import Document
from juxtanote.app.folders import take_file
from juxtanote.core.collection.music import Likeness, Line

ALL, NOTES, TAKE = range(3)
NO_LINE: Line = ((), ())


@dataclass(frozen=True, slots=True)
class Wanted:
    """Music that is looked for: a line that is known, or the take that it is heard in."""

    line: Line
    by: Likeness
    take: Path | None = None

    @property
    def is_music(self) -> bool:
        """Whether anything is looked for."""
        return bool(self.line[0]) or self.take is not None


class LikenessRow(QWidget):
    """Two choices side by side; what cannot be chosen says why."""

    changed = pyqtSignal()

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.source, self.by = QComboBox(), QComboBox()
        self.source.addItems([labels.LIKE_ALL, labels.LIKE_NOTES, labels.LIKE_TAKE])
        self.source.setAccessibleName("Which phrases")
        for likeness, text in labels.COMPARED_BY.items():
            self.by.addItem(text, likeness)
        self.by.setAccessibleName("What music is compared by")
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.source)
        line.addWidget(self.by)
        self.source.currentIndexChanged.connect(self._on_change)
        self.by.currentIndexChanged.connect(self._on_change)
        self.show_choices()

    def wanted(self) -> Wanted:
        """Give what is looked for, as things stand."""
        by: Likeness = self.by.currentData()
        if self.source.currentIndex() == TAKE:
            return Wanted(NO_LINE, by, self.latest_take())
        if self.source.currentIndex() != NOTES:
            return Wanted(NO_LINE, by)
        notes = self._document.selected_notes
        beats = [float(n.written.onset_beats or 0) for n in notes]
        steps = tuple(b - a for a, b in zip(beats, beats[1:], strict=False))
        return Wanted((tuple(round(n.heard.midi) for n in notes), steps), by)

    def latest_take(self) -> Path | None:
        """Find the sound of the take that was played last, if it is on this machine."""
        takes = self._document.lesson.kept.takes
        return take_file(takes[-1].file) if takes else None

    def show_choices(self) -> None:
        """Let be chosen what there is: notes that are selected, a take that was played."""
        there: dict[int, Callable[[], bool]] = {
            NOTES: lambda: len(self._document.selected_notes) > 1,
            TAKE: lambda: self.latest_take() is not None,
        }
        why = {NOTES: labels.LIKE_NONE, TAKE: labels.NO_TAKE}
        rows = self.source.model()
        assert isinstance(rows, QStandardItemModel)
        for row, is_there in there.items():
            item = rows.item(row)
            if item is not None:
                item.setEnabled(is_there() or self.source.currentIndex() == row)
                item.setToolTip("" if item.isEnabled() else why[row])

    def _on_change(self, *_: object) -> None:
        self.show_choices()
        self.changed.emit()

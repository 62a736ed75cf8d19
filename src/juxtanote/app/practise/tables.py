"""The log and the joined parts as models: the view asks for what it shows."""

from PyQt6.QtCore import QAbstractListModel, QAbstractTableModel, QModelIndex, QObject, Qt

from juxtanote.app.practise import labels
from juxtanote.core.practice.log import name_of
from juxtanote.core.practice.plan import Chunk
from juxtanote.core.score.kept import LogEntry
from juxtanote.core.score.lesson import Lesson

_NONE = QModelIndex()


class LogModel(QAbstractTableModel):
    """Entries of the log, the latest first, under the names that phrases have now."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._lesson = Lesson()
        self._entries: tuple[tuple[str, LogEntry], ...] = ()  # whose it is; "" for one's own

    def show_lesson(self, lesson: Lesson) -> None:
        """Show the log of a lesson."""
        self.beginResetModel()
        own = [("", entry) for entry in lesson.kept.log]
        theirs = [(student.name, e) for student in lesson.kept.students for e in student.log]
        everything = sorted([*own, *theirs], key=lambda row: row[1].date)
        self._lesson, self._entries = lesson, tuple(reversed(everything))
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = _NONE) -> int:
        return 0 if parent.isValid() else len(self._entries)

    def columnCount(self, parent: QModelIndex = _NONE) -> int:
        return 0 if parent.isValid() else len(labels.LOG_COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return labels.LOG_COLUMNS[section]
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        whose, entry = self._entries[index.row()]
        name = name_of(entry, self._lesson)
        cells = (
            entry.date, f"{whose}: {name}" if whose else name, f"{100 * entry.speed:.0f} %",
            str(entry.repeats),
        )  # fmt: skip
        return cells[index.column()]


class ChunkModel(QAbstractListModel):
    """Phrases and what joins them."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._chunks: list[Chunk] = []

    def show_chunks(self, chunks: list[Chunk]) -> None:
        """Show other chunks; the view keeps its row where they are the same."""
        if chunks != self._chunks:
            self.beginResetModel()
            self._chunks = chunks
            self.endResetModel()

    def chunk(self, row: int) -> Chunk | None:
        """Give the chunk of a row."""
        return self._chunks[row] if 0 <= row < len(self._chunks) else None

    def rowCount(self, parent: QModelIndex = _NONE) -> int:
        return 0 if parent.isValid() else len(self._chunks)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        chunk = self.chunk(index.row())
        if chunk is None:
            return None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return f"{chunk.name}   {chunk.length_s:.1f} s"
        return None

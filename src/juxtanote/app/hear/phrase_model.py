"""The phrases of a lesson as a table that the view asks cell by cell; nothing is filled."""

from collections.abc import Callable

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from juxtanote.app.document import Change, Document
from juxtanote.app.hear import labels
from juxtanote.core.score.form import form_position
from juxtanote.core.score.lesson import STATUSES, Lesson, Phrase

NAME, FROM, LENGTH, BAR, PLACE, PART, AGAIN, TIMES, ENDING, STATUS = range(10)
_FIELDS = {
    NAME: "name",
    PLACE: "place_in_form",
    TIMES: "repeats",
    ENDING: "ending",
    STATUS: "status",
}
_NONE = QModelIndex()
# Asked hundreds of times a page turn: flags and roles are made once.
_EDITABLE = frozenset({*_FIELDS, BAR, PART})
_SHOWN = Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemNeverHasChildren
_EDITED = _SHOWN | Qt.ItemFlag.ItemIsEditable
_WORDS = frozenset({Qt.ItemDataRole.DisplayRole.value, Qt.ItemDataRole.EditRole.value})
_TIP, _NUMBER = Qt.ItemDataRole.ToolTipRole.value, Qt.ItemDataRole.UserRole.value


class PhraseModel(QAbstractTableModel):
    """Rows are phrases in order of time; an edited cell is handed to `edited` (number, field, value)."""

    def __init__(
        self,
        document: Document,
        edited: Callable[[int, str, object], None],
        refused: Callable[[str], None],
    ) -> None:
        super().__init__(document)
        self._document, self._edited, self._refused = document, edited, refused
        self._phrases: tuple[Phrase, ...] = ()
        self._rows: dict[int, int] = {}
        self.repeats: dict[int, str] = {}

    @property
    def _lesson(self) -> Lesson:
        return self._document.lesson

    def show_change(self, change: Change) -> None:
        """Tell the view which rows differ."""
        before, self._phrases = self._phrases, self._lesson.phrases
        if change.whole or change.order or len(before) != len(self._phrases):
            self.beginResetModel()
            self._rows = {phrase.ident: row for row, phrase in enumerate(self._phrases)}
            self.endResetModel()
            return
        if change.time or change.about or change.parts:
            self._tell(0, len(self._phrases) - 1)
            return
        for row in sorted({self._rows[i] for i in change.phrases if i in self._rows}):
            self._tell(row, row)

    def _tell(self, first: int, last: int) -> None:
        if last >= first:
            self.dataChanged.emit(self.index(first, 0), self.index(last, len(labels.COLUMNS) - 1))

    def show_repeats(self, repeats: dict[int, str]) -> None:
        """Show what each phrase repeats."""
        self.repeats = repeats
        if self._phrases:
            self.dataChanged.emit(self.index(0, AGAIN), self.index(len(self._phrases) - 1, AGAIN))

    def row_of(self, ident: int) -> int:
        """Give the row of a phrase, or of the one that a variant hangs under; -1 where there is none."""
        if ident in self._rows:
            return self._rows[ident]
        source = self._lesson.source_of(ident)
        return self._rows.get(source.ident, -1) if source is not None else -1

    def phrase_at(self, row: int) -> Phrase | None:
        """Give the phrase of a row."""
        return self._phrases[row] if 0 <= row < len(self._phrases) else None

    # What Qt asks

    def rowCount(self, parent: QModelIndex = _NONE) -> int:
        return 0 if parent.isValid() else len(self._phrases)

    def columnCount(self, parent: QModelIndex = _NONE) -> int:
        return 0 if parent.isValid() else len(labels.COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return labels.COLUMNS[section]
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        if not index.isValid():
            return Qt.ItemFlag.NoItemFlags
        return _EDITED if index.column() in _EDITABLE else _SHOWN

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in _WORDS and role != _TIP and role != _NUMBER:
            return None  # colours, fonts and the like are as the view has them
        phrase = self.phrase_at(index.row())
        if phrase is None:
            return None
        if role == _NUMBER:
            return phrase.ident
        text = self._text(phrase, index.column())
        return f"{text}\n{labels.PROPOSED}" if role == _TIP and phrase.proposed else text

    def _text(self, phrase: Phrase, column: int) -> str:
        lesson = self._lesson
        if column == NAME:
            under = len(phrase.variants)
            return phrase.name + (f"  (+{under})" if under else "")
        if column == FROM:
            return clock(phrase.start_s)
        if column == LENGTH:
            return f"{phrase.end_s - phrase.start_s:.2f} s"
        if column == BAR:
            beats = float(lesson.time_map.to_beats(phrase.start_s + 0.1))
            bar, beat = lesson.time_map.bar_and_beat(beats)
            return f"{bar if bar >= 1 else 'pickup'} · {int(beat)}"
        if column == PLACE:
            return phrase.place_in_form or form_position(lesson, phrase.start_s + 0.1)
        if column == PART:
            return lesson.part(phrase.part).name
        if column == AGAIN:
            return self.repeats.get(phrase.ident, "")
        if column == TIMES:
            return str(phrase.repeats)
        if column == ENDING:
            return str(phrase.ending) if phrase.ending else ""
        from juxtanote.core.checks.findings import checked_on  # not before there is a phrase

        return "checked" if checked_on(phrase, lesson) else phrase.status

    def setData(
        self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole
    ) -> bool:
        phrase = self.phrase_at(index.row())
        if phrase is None or role != Qt.ItemDataRole.EditRole:
            return False
        text, column = str(value).strip(), index.column()
        if text == self._text(phrase, column):
            return False
        field, wanted = self._read(column, text, phrase)
        if wanted is None:
            self._refused(labels.REFUSED.get(column, ""))
            return False
        self._edited(phrase.ident, field, wanted)
        return True

    def _read(self, column: int, text: str, phrase: Phrase) -> tuple[str, object | None]:
        """Read what was typed into a cell: a field and its value, None where it cannot be read."""
        if column == BAR:
            number = text.split("·")[0].strip()
            plain = number.lstrip("-").isdecimal() and len(number) < 6
            return "bar", int(number) if plain else None
        if column == PART:
            named = [p.ident for p in self._lesson.parts if p.name.casefold() == text.casefold()]
            return "part", named[0] if named else None
        field = _FIELDS[column]
        if column == NAME:
            under = f"  (+{len(phrase.variants)})"
            return field, text.removesuffix(under).removesuffix(under.strip()).strip()[
                :1000
            ] or None
        if column == TIMES:
            return field, int(text) if text.isdecimal() and 1 <= int(text[:4]) <= 99 else None
        if column == ENDING:
            return field, int(text or 0) if text in ("", "0", "1", "2") else None
        if column == STATUS:
            return field, text if text in STATUSES else None
        return field, text[:1000]


def clock(seconds: float) -> str:
    """Write a time as minutes and seconds."""
    return f"{int(seconds // 60)}:{seconds % 60:05.2f}"

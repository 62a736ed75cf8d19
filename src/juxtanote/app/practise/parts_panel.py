"""What is learned part by part and joined: phrases, bars of one, or from mark to mark."""

from PyQt6.QtCore import QModelIndex, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QListView,
    QPushButton,
    QWidget,
)

from juxtanote.app import settings
from juxtanote.app.look.theme import LARGE, px
from juxtanote.app.practise import labels
from juxtanote.app.practise.tables import ChunkModel
from juxtanote.app.widgets.parts import Panel, soft, strong
from juxtanote.core.practice.plan import (
    Chunk,
    Parted,
    assigned_chunks,
    chunks_within,
    joined_chunks,
)
from juxtanote.core.score.kept import Spot
from juxtanote.core.score.lesson import Lesson, Phrase


class PartsPanel(Panel):
    """A list of parts; Return or a click loops one."""

    chosen = pyqtSignal(object)  # Chunk
    mark_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._lesson = Lesson()
        self._phrase: Phrase | None = None
        self.model = ChunkModel(self)
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setAccessibleName(labels.CHUNKS)
        self.list.setUniformItemSizes(True)
        self.list.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.list.setMinimumHeight(px(120))
        self.parted = QComboBox()
        self.parted.setAccessibleName(labels.PARTED)
        for parted in Parted:
            self.parted.addItem(parted.value, parted)
        self.parted.setCurrentIndex(max(self.parted.findText(settings.PARTED.read()), 0))
        self.mark = QPushButton(labels.MARK)
        self.due, self.empty = soft(wrap=True), soft(wrap=True)
        row = QHBoxLayout()
        row.addWidget(soft(labels.PARTED))
        row.addWidget(self.parted, 1)
        row.addWidget(self.mark)
        for widget in (strong(labels.CHUNKS, LARGE), self.due):
            self.column.addWidget(widget)
        self.column.addLayout(row)
        self.column.addWidget(self.empty)
        self.column.addWidget(self.list)
        self.list.activated.connect(self._on_row)
        self.list.clicked.connect(self._on_row)
        self.parted.currentIndexChanged.connect(self._on_parted)
        self.mark.clicked.connect(self.mark_wanted)

    @property
    def marks(self) -> tuple[Spot, ...]:
        """The marks that are shown: every pass is logged, and moves none of them."""
        return self._lesson.kept.spots

    def show_lesson(self, lesson: Lesson, phrase: Phrase | None) -> None:
        """Show the parts of a lesson or of its current phrase."""
        self._lesson, self._phrase = lesson, phrase
        parted = self.parted.currentData()
        if parted is not Parted.PHRASES:
            chunks = (
                chunks_within(phrase, lesson.time_map, parted, lesson.kept.spots) if phrase else []
            )
        else:
            part = phrase.part if phrase is not None else lesson.parts[0].ident
            chunks = assigned_chunks(lesson) or joined_chunks(lesson.phrases_of(part))
        self.model.show_chunks(chunks)
        why = labels.NO_PARTS[parted if phrase is not None else Parted.PHRASES]
        self.empty.setText("" if chunks else why)
        self.empty.setVisible(not chunks)
        self.mark.setVisible(parted is Parted.SPOTS)

    def begin(self) -> None:
        """Go to the first part and loop it."""
        self.list.setCurrentIndex(self.model.index(0))
        self.list.setFocus()
        self._on_row(self.model.index(0))

    def _on_parted(self) -> None:
        settings.PARTED.write(self.parted.currentText())
        self.show_lesson(self._lesson, self._phrase)

    def _on_row(self, index: QModelIndex) -> None:
        chunk: Chunk | None = self.model.chunk(index.row())
        if chunk is not None:
            self.chosen.emit(chunk)

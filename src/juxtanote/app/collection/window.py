"""The window of the collection: a line to search in, cards, and what can be done with one."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QItemSelection, QSize, QStringListModel, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCompleter,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app import settings
from juxtanote.app.collection import labels
from juxtanote.app.collection.likeness import LikenessRow, Wanted
from juxtanote.app.collection.lists_pane import ListsPane
from juxtanote.app.collection.model import FAMILY, CardModel, CardPainter
from juxtanote.app.document import Document
from juxtanote.app.folders import cache_folder, state_folder
from juxtanote.app.jobs.runner import Job, JobRunner, Latest
from juxtanote.app.look.theme import px
from juxtanote.app.transport.preview import Preview
from juxtanote.app.widgets.parts import soft_line
from juxtanote.core.collection.lists import Entry
from juxtanote.core.collection.music import Line
from juxtanote.core.collection.search import EXAMPLES, Hit, families
from juxtanote.core.collection.shelf import Shelf
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.progress import Progress
from juxtanote.core.score.techniques import TECHNIQUES

if TYPE_CHECKING:
    from juxtanote.app.transport.devices import SoundOut

PAUSE_MS = 120  # of typing, before it is searched
BASE, LISTS = "collection.sqlite", "collection-lists.json"


class WordCompleter(QCompleter):
    """Completes the last word of a line, not the line."""

    def pathFromIndex(self, index) -> str:  # type: ignore[no-untyped-def]
        line = self.widget()
        before = line.text().rpartition(" ")[0] if isinstance(line, QLineEdit) else ""
        chosen = super().pathFromIndex(index)
        return f"{before} {chosen}" if before else chosen

    def splitPath(self, path: str | None) -> list[str]:
        return [(path or "").rpartition(" ")[2]]


class CollectionWindow(QDialog):
    """Finds phrases in folders of lessons; lessons are never written to."""

    open_wanted = pyqtSignal(str, int)  # lesson file, phrase
    copy_wanted = pyqtSignal(str, int)
    exercise_wanted = pyqtSignal(str, int)
    hand_out_wanted = pyqtSignal(list)  # pairs of lesson file and phrase

    def __init__(
        self,
        document: Document,
        runner: JobRunner,
        parent: QWidget | None = None,
        out: "SoundOut | None" = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(labels.TITLE)
        screen = self.screen()
        size = QSize(px(1140), px(700))
        self.resize(size.boundedTo(screen.availableSize()) if screen is not None else size)
        self._document, self._runner = document, runner
        self._shelf = Shelf(cache_folder() / BASE)
        self._finding = Latest(runner, "Searching", self)
        self._reading: Job | None = None
        self._is_stale = False
        self._left_out: list[str] = []  # lessons that could not be read, and why
        self.preview = Preview(runner, self, out)
        self.search = QLineEdit()
        self.search.setPlaceholderText(labels.SEARCH)
        self.search.setAccessibleName("Search")
        self.search.setClearButtonEnabled(True)
        completer = WordCompleter(
            QStringListModel([*EXAMPLES, *(f"uses:{t}" for t in TECHNIQUES), *TECHNIQUES], self)
        )
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.search.setCompleter(completer)
        self.like = LikenessRow(document)
        self._heard: dict[Path, Line] = {}  # takes that were listened to
        self.folders_button = QPushButton(labels.FOLDERS)
        self.folders_menu = QMenu(self)
        self.folders_button.setMenu(self.folders_menu)
        self.model = CardModel(self)
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(CardPainter(self.list))
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setUniformItemSizes(True)
        self.list.setAccessibleName("Phrases that were found")
        self.said = soft_line(labels.NO_FOLDERS)
        self.lists = ListsPane(state_folder() / LISTS)
        self.play = QPushButton(labels.PLAY)
        self.play_recording = QPushButton(labels.PLAY_RECORDING)
        self.open_button = QPushButton(labels.OPEN)
        self.copy = QPushButton(labels.COPY)
        self.exercise = QPushButton(labels.EXERCISE)
        self.to_list = QPushButton(labels.TO_LIST)
        self.hand_out = QPushButton(labels.HAND_OUT)
        self._lay_out()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(PAUSE_MS)
        self._timer.timeout.connect(self._find)
        self._connect()
        self._fill_folders()
        self._show_buttons()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 14)
        head = QHBoxLayout()
        head.addWidget(self.search, 1)
        head.addWidget(self.like)
        head.addWidget(self.folders_button)
        column.addLayout(head)
        column.addWidget(self.said)
        middle = QHBoxLayout()
        middle.setSpacing(18)
        middle.addWidget(self.list, 1)
        self.lists.setFixedWidth(px(250))
        middle.addWidget(self.lists)
        column.addLayout(middle, 1)
        foot = QHBoxLayout()
        for button in (
            self.play_recording, self.play, self.open_button, self.copy, self.exercise,
            self.to_list, self.hand_out,
        ):  # fmt: skip
            button.setAutoDefault(False)
            foot.addWidget(button)
        self.folders_button.setAutoDefault(False)
        foot.addStretch(1)
        column.addLayout(foot)

    def _connect(self) -> None:
        self.search.textChanged.connect(self._timer.start)
        self.like.changed.connect(self._timer.start)
        self.list.activated.connect(lambda _: self._act(self.open_wanted))
        selection = self.list.selectionModel()
        if selection is not None:
            selection.selectionChanged.connect(self._on_selection)
        self.play.clicked.connect(self._on_play)
        self.open_button.clicked.connect(lambda: self._act(self.open_wanted))
        self.copy.clicked.connect(lambda: self._act(self.copy_wanted))
        self.exercise.clicked.connect(lambda: self._act(self.exercise_wanted))
        self.play_recording.clicked.connect(self._on_play_recording)
        self.to_list.clicked.connect(self._on_to_list)
        self.hand_out.clicked.connect(self._on_hand_out)
        self.lists.hand_out_wanted.connect(self.hand_out_wanted)
        self.lists.open_wanted.connect(self.open_wanted)
        self.lists.told.connect(self.said.setText)
        self.preview.playing_changed.connect(self._on_playing)
        self._document.selection_changed.connect(self._on_notes_chosen)
        self._document.phrase_changed.connect(self._on_phrase)

    # Folders

    def folders(self) -> list[Path]:
        """Give the folders that are looked through."""
        return [Path(name) for name in settings.COLLECTION_FOLDERS.read().split("\n") if name]

    def set_folders(self, folders: list[Path]) -> None:
        """Look through these folders from now on."""
        settings.COLLECTION_FOLDERS.write("\n".join(map(str, folders)))
        self._fill_folders()
        self.follow()

    def _fill_folders(self) -> None:
        self.folders_menu.clear()
        add = self.folders_menu.addAction(labels.ADD)
        if add is not None:
            add.triggered.connect(self._on_add)
        self.folders_menu.addSeparator()
        for folder in self.folders():
            away = self.folders_menu.addAction(f"{labels.TAKE_AWAY}: {folder}")
            if away is not None:
                away.triggered.connect(
                    lambda _=False, f=folder: self.set_folders(
                        [g for g in self.folders() if g != f]
                    )
                )

    def _on_add(self) -> None:
        name = QFileDialog.getExistingDirectory(self, labels.ADD)
        if name:
            self.set_folders(list(dict.fromkeys([*self.folders(), Path(name)])))

    def follow(self) -> None:
        """Read what is new in the folders, with progress in the status line."""
        folders, shelf = self.folders(), self._shelf
        if not folders:
            self.said.setText(labels.NO_FOLDERS)
            self.model.show_families([])
            self._show_buttons()
            return
        if self._reading is not None:
            self._is_stale = True
            return
        self.said.setText(labels.READING)

        def work(progress: Progress) -> object:
            return shelf.follow(folders, progress)

        self._reading = Job(labels.READING, work, self._on_read, self._on_failed)
        self._reading.ended.connect(self._on_reading_ended)
        self._runner.start(self._reading)

    def _on_reading_ended(self) -> None:
        self._reading = None
        if self._is_stale:
            self._is_stale = False
            self.follow()

    def _on_read(self, problems: object) -> None:
        self._left_out = list(problems)  # type: ignore[call-overload]
        self._find()
        shelf = self._shelf  # after the words, which are looked for first
        self._runner.start(Job("Music", lambda _: shelf.prepare_music(), quiet=True, long=True))

    def _on_failed(self, error: Exception) -> None:
        self.said.setText(str(error))

    # Finding

    def _find(self) -> None:
        folders, shelf, text = self.folders(), self._shelf, self.search.text().strip()
        if not folders:
            return
        wanted = self.like.wanted()
        if wanted.take is not None and wanted.take not in self._heard:
            self.said.setText(labels.LISTENING)

        def work(progress: Progress) -> object:
            try:
                pitches, steps = self._line_of(wanted, progress)
                hits = shelf.find(text, folders, like=pitches, like_steps=steps, by=wanted.by)
            except JuxtanoteError as error:
                return str(error)
            is_music = wanted.is_music or "frets:" in text
            return families(hits) if is_music else [[hit] for hit in hits]

        self._finding.ask(work, self._show_found)

    def _line_of(self, wanted: Wanted, progress: Progress) -> Line:
        """Give the line that is looked for; a take is listened to once."""
        if wanted.take is None:
            return wanted.line
        if wanted.take not in self._heard:
            from juxtanote.core.audio.read import read_sound
            from juxtanote.core.collection.heard import line_of

            self._heard[wanted.take] = line_of(read_sound(wanted.take), progress)
        return self._heard[wanted.take]

    def _show_found(self, found: object) -> None:
        if isinstance(found, str):
            self.said.setText(found)
            return
        groups: list[list[Hit]] = found  # type: ignore[assignment]
        self.model.show_families(groups)
        count = sum(map(len, groups))
        words = labels.FOUND if count == len(groups) else labels.FAMILIES
        told = words.format(count=count, families=len(groups)) if groups else labels.NOTHING
        if self._left_out:
            told += " " + labels.LEFT_OUT.format(names="; ".join(self._left_out[:3]))
        self.said.setText(told)
        if groups:
            self.list.setCurrentIndex(self.model.index(0))
        self._show_buttons()

    def _on_notes_chosen(self) -> None:
        if self.isVisible():
            if self.like.wanted().line[0]:
                self._timer.start()
            self._show_buttons()

    def _on_phrase(self) -> None:
        if self.isVisible():  # it looks again whenever it is shown
            self._show_buttons()

    # Using

    def chosen(self) -> list[Hit]:
        """Give the phrases that are selected, from the top."""
        rows = sorted(self.list.selectedIndexes(), key=lambda index: index.row())
        return [row.data(FAMILY)[0] for row in rows]

    def _on_selection(self, *_: QItemSelection) -> None:
        self._show_buttons()

    def _show_buttons(self, *_: object) -> None:
        chosen = bool(self.chosen())
        for button in (
            self.play, self.play_recording, self.open_button, self.to_list, self.hand_out,
        ):  # fmt: skip
            button.setEnabled(chosen)
            button.setToolTip("" if chosen else labels.CHOOSE)
        has_phrase = self._document.phrase is not None
        for button in (self.copy, self.exercise):
            button.setEnabled(chosen and has_phrase)
            why = labels.COPY_WHERE if chosen else labels.CHOOSE
            button.setToolTip("" if chosen and has_phrase else why)
        self.like.show_choices()

    def _act(self, wanted) -> None:  # type: ignore[no-untyped-def]
        chosen = self.chosen()
        if chosen:
            wanted.emit(chosen[0].card.lesson, chosen[0].card.ident)

    def _on_hand_out(self) -> None:
        self.hand_out_wanted.emit([(hit.card.lesson, hit.card.ident) for hit in self.chosen()])

    def _on_to_list(self) -> None:
        cards = [hit.card for hit in self.chosen()]
        self.lists.add([Entry(c.lesson, c.ident, f"{c.phrase}, {c.title}") for c in cards])

    def _on_play(self) -> None:
        chosen = self._stopped()
        if chosen is not None:
            card = chosen.card
            self.with_lesson(card.lesson, lambda lesson: self._sound(lesson, card.ident))

    def _on_play_recording(self) -> None:
        chosen = self._stopped()
        if chosen is None:
            return
        card, folder = chosen.card, cache_folder() / "recordings"

        def then(lesson) -> None:  # type: ignore[no-untyped-def]
            phrase = lesson.phrase(card.ident)
            if phrase is None or phrase.variation is not None:
                self.said.setText(labels.NOT_ON_RECORDING)
                return
            self.preview.play_place(
                lesson, phrase, Path(card.lesson), folder, settings.LEVEL.read(),
                lambda: self.said.setText(labels.NO_RECORDING),
            )  # fmt: skip

        self.with_lesson(card.lesson, then)

    def _stopped(self) -> Hit | None:
        """Stop what plays; where nothing did, give what is to be played."""
        if self.preview.is_playing:
            self.preview.stop()
            return None
        chosen = self.chosen()
        return chosen[0] if chosen else None

    def _on_playing(self, on: bool) -> None:
        self.play.setText(labels.STOP if on else labels.PLAY)
        self.play_recording.setText(labels.STOP if on else labels.PLAY_RECORDING)

    def _sound(self, lesson, ident: int) -> None:  # type: ignore[no-untyped-def]
        phrase = lesson.phrase(ident)
        if phrase is not None:
            self.preview.play(lesson, phrase, settings.LEVEL.read())

    def with_lesson(self, path: str, then: Callable[[object], None]) -> None:
        """Read a lesson beside the window's thread, then go on with it."""

        def work(_: Progress) -> object:
            from juxtanote.core.formats.lesson_file import load_lesson

            return load_lesson(Path(path))

        self._runner.start(Job("Reading a lesson", work, then, self._on_failed, quiet=True))

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.preview.stop()
        super().closeEvent(event)

    def reject(self) -> None:
        self.preview.stop()
        super().reject()

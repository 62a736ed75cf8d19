"""The window: five desks over one lesson, the strip above them, the transport below."""

import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
)
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app import desk_making, settings
from juxtanote.app.actions import ACTIONS, BY_KEYS, BY_NAME, MENUS
from juxtanote.app.asking import Asking
from juxtanote.app.commands import Commands
from juxtanote.app.conditions import Conditions
from juxtanote.app.derived import Findings
from juxtanote.app.desks import CHECK, DESK_NAMES, DESKS, HEAR, PLACE, PRACTISE, TEACH
from juxtanote.app.document import Document
from juxtanote.app.errors import install_hook
from juxtanote.app.files import Files
from juxtanote.app.focus_keys import FocusKeys
from juxtanote.app.header import Header
from juxtanote.app.jobs.runner import JobRunner
from juxtanote.app.look.theme import TEXT, colour, font, px
from juxtanote.app.outputs import Outputs
from juxtanote.app.rendering import TabRendering
from juxtanote.app.results import Results
from juxtanote.app.tasks import Tasks
from juxtanote.app.transport.bar import TransportBar
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.busy import BusyLine
from juxtanote.app.widgets.roomy import Roomy
from juxtanote.app.widgets.strip import Strip

if TYPE_CHECKING:
    from juxtanote.app.check.desk import CheckDesk
    from juxtanote.app.collection.uses import CollectionUses
    from juxtanote.app.hear.desk import HearDesk
    from juxtanote.app.place.desk import PlaceDesk
    from juxtanote.app.practise.desk import PractiseDesk
    from juxtanote.app.teach.desk import TeachDesk
    from juxtanote.app.transport.devices import SoundOut

TOLD_MS = 8000  # long enough to read two lines twice
SWITCH_S = 0.0005  # how long work on another thread may hold up the window's


class MainWindow(QMainWindow):
    """Wires desks, document and transport together. A desk is built when it is first shown."""

    def __init__(self, out: "SoundOut | None" = None) -> None:
        super().__init__()
        install_hook()
        sys.setswitchinterval(SWITCH_S)
        self.setWindowTitle("Juxtanote")
        self.resize(1280, 800)
        self.setMinimumSize(960, 620)
        self.setAcceptDrops(True)
        self.document = Document(self)
        self.runner = JobRunner(self)
        self.transport = Transport(self.document, self, out)
        self.results = Results(self.document, self)
        self.findings = Findings(self.document, self.runner, self)
        self.files = Files(self.document, self.runner, self)
        self.tasks = Tasks(self.document, self.transport, self.runner, self.results, self)
        self.rendering = TabRendering(
            self.document, self.transport, self.runner, self.results, self
        )
        self.header = Header(self.document, self.findings)
        self.strip = Strip(self.document, self.transport)
        self.outputs = Outputs(self.document, self.tasks, self.runner, self.results, self)
        self.bar = TransportBar(self.document, self.transport)
        self.busy = BusyLine(self.runner)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        self._focus_keys = FocusKeys(application, self)
        self._told = QLabel()
        self._forgetting = QTimer(self)
        self._forgetting.setSingleShot(True)
        self._forgetting.setInterval(TOLD_MS)
        self._forgetting.timeout.connect(self._forget)
        self._desks = QStackedWidget()
        self.desks_area = Roomy(self._desks)
        self._built: dict[int, QWidget] = {}
        self._is_evidence_due = False
        self.asking, self.commands = Asking(self), Commands(self)
        self.actions_by_name: dict[str, QAction] = {}
        self._bound: list[tuple[QAbstractButton, str]] = []
        self.collection: CollectionUses | None = None
        self._closing = False
        self._lay_out()
        self._make_actions()
        self.conditions = Conditions(self.document, self.transport, self)
        self._connect()
        self.update_actions()
        self.show_desk(HEAR)
        geometry = settings.read_geometry()
        if not geometry.isEmpty():
            self.restoreGeometry(geometry)

    def _lay_out(self) -> None:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for _ in DESKS:
            self._desks.addWidget(QWidget())
        self.strip.setFixedHeight(px(64))
        column.addWidget(self.header)
        column.addWidget(self.strip)
        column.addWidget(self.desks_area, 1)
        column.addWidget(self.bar)
        self.setCentralWidget(middle)
        status = self.statusBar()
        assert status is not None
        status.setSizeGripEnabled(False)
        status.setFixedHeight(px(24))
        status.setStyleSheet(
            f"QStatusBar {{ background: {colour('panel').name()}; }} QStatusBar::item {{ border: none; }}"
        )
        self._told.setFont(font(TEXT - 1))
        self._told.setStyleSheet(f"color: {colour('soft').name()}; padding-left: 12px;")
        self._told.setMinimumWidth(1)
        status.addWidget(self._told, 1)
        status.addPermanentWidget(self.busy)

    # Desks, each built once

    def _desk(self, index: int) -> QWidget:
        if index not in self._built:
            desk = self._built[index] = desk_making.MAKERS[index](self)
            empty = self._desks.widget(index)
            self._desks.insertWidget(index, desk)
            if empty is not None:
                self._desks.removeWidget(empty)
                empty.deleteLater()
        return self._built[index]

    @property
    def hear(self) -> "HearDesk":
        """The Hear desk."""
        return cast("HearDesk", self._desk(HEAR))

    @property
    def place(self) -> "PlaceDesk":
        """The Place desk."""
        return cast("PlaceDesk", self._desk(PLACE))

    @property
    def check(self) -> "CheckDesk":
        """The Check desk."""
        return cast("CheckDesk", self._desk(CHECK))

    @property
    def teach(self) -> "TeachDesk":
        """The Teach desk."""
        return cast("TeachDesk", self._desk(TEACH))

    @property
    def practise(self) -> "PractiseDesk":
        """The Practise desk."""
        return cast("PractiseDesk", self._desk(PRACTISE))

    def bind(self, button: QAbstractButton, name: str) -> None:
        """Let a button do an action, and look as that may be done."""
        action = self.actions_by_name[name]
        button.clicked.connect(action.trigger)
        self._bound.append((button, name))
        self._show_bound(button, name)

    def _show_bound(self, button: QAbstractButton, name: str) -> None:
        why = self.conditions.why_not(BY_NAME[name])
        button.setEnabled(not why)
        button.setToolTip(why or BY_NAME[name].tip)

    # Actions

    def show_dialog(self, name: str) -> None:
        from juxtanote.app import dialogs

        getattr(dialogs, name)(self).open()

    def _make_actions(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        menus = {name: QMenu(f"&{name}", self) for name in MENUS}
        handlers = self.commands.handlers()
        # Held here: the stack hands them over to Python, which would let them go.
        self._undo = self.document.undo_stack.createUndoAction(self, "&Undo")
        self._redo = self.document.undo_stack.createRedoAction(self, "&Redo")
        for action, keys in ((self._undo, "Ctrl+Z"), (self._redo, "Ctrl+Shift+Z")):
            if action is not None:
                action.setShortcut(QKeySequence(keys))
                menus["Edit"].addAction(action)
        for spec in ACTIONS:
            action = QAction(spec.words, self)
            if spec.keys:
                action.setShortcut(QKeySequence(spec.keys))
            action.setStatusTip(spec.help)
            handler = handlers[spec.name]
            action.triggered.connect(lambda _=False, handler=handler: handler())
            menus[spec.menu].addAction(action)
            self.actions_by_name[spec.name] = action
        self._recent = QMenu("&Recent lessons", self)
        self._recent.aboutToShow.connect(self._fill_recent)
        menus["File"].insertMenu(self.actions_by_name["save"], self._recent)
        for name in MENUS:
            bar.addMenu(menus[name])

    def update_actions(self, *_: object) -> None:
        """Enable what can be done with what is there; nothing is touched where nothing differs."""
        for name in self.conditions.changed(ACTIONS):
            spec, action = BY_NAME[name], self.actions_by_name[name]
            why = self.conditions.why_not(spec)
            action.setEnabled(not why)
            action.setStatusTip(why or spec.help)
        for button, name in self._bound:
            self._show_bound(button, name)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """A key whose action cannot be done here says why; the rest is left to Qt."""
        if event is None or self._swaps(event, on=True):
            return
        if event.key() == Qt.Key.Key_Escape and HEAR in self._built:
            self.hear.strip.forget_mark()
        spec = BY_KEYS.get(QKeySequence(event.keyCombination()).toString())
        why = self.conditions.why_not(spec) if spec is not None else ""
        if why:
            self.tell(why)
            event.accept()
        else:
            super().keyPressEvent(event)

    def _swaps(self, event: QKeyEvent, *, on: bool) -> bool:
        """Let the other of recording and tab be heard while Z is held."""
        if event.key() != Qt.Key.Key_Z or event.modifiers() != Qt.KeyboardModifier.NoModifier:
            return False
        if not event.isAutoRepeat():
            self.transport.swap(on)
        event.accept()
        return True

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and not self._swaps(event, on=False):
            super().keyReleaseEvent(event)

    def changeEvent(self, event: QEvent | None) -> None:
        """A window that is left while Z is held never hears of its release."""
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.ActivationChange:
            self.transport.swap(False)

    def _connect(self) -> None:
        self.header.desk_chosen.connect(self.show_desk)
        for part in (self.files, self.tasks, self.transport, self.outputs, self.results):
            part.told.connect(self.tell)
        for failing in (self.files, self.tasks, self.outputs):
            failing.failed.connect(self.complain)
        self.files.sound_ready.connect(self._on_sound_ready)
        self.files.opened.connect(self._on_opened)
        self.files.other_recording.connect(self._on_other_recording)
        document = self.document
        document.touched.connect(self.runner.give_way)
        document.lesson_changed.connect(self.update_actions)
        for signal in (
            document.phrase_changed, document.selection_changed, document.sound_changed,
            document.kept_changed,
            self.findings.changed,
        ):  # fmt: skip
            signal.connect(self.update_actions)

    def show_collection(self) -> None:
        """Show the window of the collection; it is built once."""
        if self.collection is None:
            from juxtanote.app.collection.uses import CollectionUses

            self.collection = CollectionUses(self)
        self.collection.show()

    # Desks

    def show_desk(self, index: int) -> None:
        """Go to a desk; phrase, playhead and loop stay."""
        desk = self._desk(index)
        self._desks.setCurrentIndex(index)
        self.desks_area.to_top()
        self.strip.setVisible(index != HEAR)
        self.header.show_desk(index)
        self.update_actions()
        self._measure_evidence()
        self.findings.listen_too(index == CHECK)
        # Not a field: there letters would be typed instead of doing what the keys say.
        first = getattr(desk, "first_focus", desk)
        first.setFocus()

    @property
    def desk(self) -> int:
        """Which desk is shown."""
        return self._desks.currentIndex()

    # Telling

    def tell(self, text: str) -> None:
        """Say something in the status line."""
        self._told.setText(text)
        self._told.setToolTip(text)
        self._forgetting.start()

    def _forget(self) -> None:
        self._told.setText("")

    def complain(self, text: str) -> None:
        """Say what went wrong and what to do; nothing was changed."""
        self.tell(text)
        box = QMessageBox(
            QMessageBox.Icon.Warning, "Juxtanote", text, QMessageBox.StandardButton.Ok, self
        )
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()

    # Files

    def _fill_recent(self) -> None:
        self._recent.clear()
        for path in settings.recent_files():
            action = QAction(Path(path).name, self._recent)
            action.setToolTip(path)
            action.triggered.connect(lambda _=False, path=path: self.asking.open_recent(path))
            self._recent.addAction(action)
        self._recent.setEnabled(True)
        if self._recent.isEmpty():
            nothing = QAction("none yet", self._recent)
            nothing.setEnabled(False)
            self._recent.addAction(nothing)

    def show_cautions_once(self) -> None:
        """Say the cautions in the status line the first time the program runs."""
        from juxtanote.core.practice import care

        if not settings.CAUTIONS_SHOWN.read():
            settings.CAUTIONS_SHOWN.write(True)
            self.tell(f"{care.EARS} More under Help.")

    # Slots

    def measure_anew(self) -> None:
        """Measure the recording, and take what was found."""
        self.tasks.measure(apply=True)

    def _on_sound_ready(self, fresh: bool) -> None:
        if fresh:
            self.show_desk(HEAR)
        else:
            kept = self.document.lesson.kept
            if kept.position_s and not self.transport.is_playing:
                self.transport.seek(kept.position_s)
        # What a saved lesson measures is evidence for the Hear desk: it waits until that is shown.
        self._is_evidence_due = not fresh
        if fresh:
            self.tasks.measure(apply=True)
        else:
            self._measure_evidence()

    def _measure_evidence(self) -> None:
        if self._is_evidence_due and self.desk == HEAR and self.document.sound is not None:
            self._is_evidence_due = False
            self.tasks.measure(apply=False)

    def _on_opened(self) -> None:
        desk = self.document.lesson.kept.desk
        if desk in DESK_NAMES:
            self.show_desk(DESK_NAMES.index(desk))
        self.update_actions()

    def _on_other_recording(self, why: str, accept: Callable[[], None]) -> None:
        buttons = QMessageBox.StandardButton
        box = QMessageBox(
            QMessageBox.Icon.Question, "Juxtanote",
            f"{why} Use it for this lesson all the same?", buttons.Yes | buttons.No, self,
        )  # fmt: skip
        box.setDefaultButton(buttons.No)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.accepted.connect(accept)
        box.open()

    def set_share(self, may: bool) -> None:
        """Keep with the lesson whether its recording may be handed out."""
        self.document.change(
            "Change sharing",
            lambda lesson: replace(lesson, recording=replace(lesson.recording, may_share=may)),
        )

    # Window events

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and any(u.isLocalFile() for u in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        paths = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()] if data else []
        if paths:
            self.asking.when_free(lambda: self.files.open_any(paths[0]))

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if self.document.is_modified and not self._closing:
            self._closing = False
            self.asking.when_free(self._close_now)
            if not self._closing:  # cancelled, or closed once it is saved
                event.ignore()
                return
        settings.write_geometry(self.saveGeometry())
        self.shut_down()
        event.accept()

    def _close_now(self) -> None:
        self._closing = True
        QTimer.singleShot(0, self.close)

    def shut_down(self) -> None:
        """Stop sound and jobs."""
        self.transport.pause()
        if self.collection is not None:
            self.collection.view.preview.stop()
        self.runner.stop()
        self.files.close()
        # Qt takes the stack away before its listeners, and it speaks once more as it goes.
        self.document.undo_stack.blockSignals(True)

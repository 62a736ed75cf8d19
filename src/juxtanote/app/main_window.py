"""The window: five desks over one lesson, the strip above them, the transport below."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PyQt6.QtWidgets import (
    QFileDialog,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app import dialogs, settings
from juxtanote.app.actions import ACTIONS, MENUS, TECHNIQUE_OF
from juxtanote.app.check.desk import CheckDesk
from juxtanote.app.document import Document
from juxtanote.app.files import Files, Rescue
from juxtanote.app.forms import GuitarForm, HintsForm, MoveForm
from juxtanote.app.header import Header
from juxtanote.app.hear.desk import HearDesk
from juxtanote.app.jobs.runner import JobRunner
from juxtanote.app.look.theme import TEXT, colour, font
from juxtanote.app.outputs import Outputs
from juxtanote.app.place.desk import PlaceDesk
from juxtanote.app.practise.desk import PractiseDesk
from juxtanote.app.tasks import Tasks
from juxtanote.app.teach.desk import TeachDesk
from juxtanote.app.transport.bar import TransportBar
from juxtanote.app.transport.controller import Transport
from juxtanote.app.transport.devices import SoundOut
from juxtanote.app.widgets.busy import BusyLine
from juxtanote.app.widgets.strip import Strip
from juxtanote.core.audio.read import SUFFIXES
from juxtanote.core.formats.lesson_file import SUFFIX
from juxtanote.core.practice import care
from juxtanote.core.score import edits
from juxtanote.core.synth.render import Rendered
from juxtanote.core.transcribe import with_guitar

HEAR, PLACE, CHECK, TEACH, PRACTISE = range(5)
TOLD_MS = 8000
SOUND_FILTER = "Sound (" + " ".join(f"*{suffix}" for suffix in SUFFIXES) + ");;All files (*)"
LESSON_FILTER = f"Lessons (*{SUFFIX})"


class MainWindow(QMainWindow):
    """Wires desks, document and transport together."""

    def __init__(self, out: SoundOut | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Juxtanote")
        self.resize(1280, 800)
        self.setMinimumSize(980, 640)
        self.setAcceptDrops(True)
        self.document = Document(self)
        self.runner = JobRunner(self)
        self.transport = Transport(self.document, self, out)
        self.files = Files(self.document, self.runner, self)
        self.tasks = Tasks(self.document, self.transport, self.runner, self)
        self.header = Header(self.document)
        self.strip = Strip(self.document, self.transport)
        self.hear = HearDesk(self.document, self.transport)
        self.place = PlaceDesk(self.document, self.transport)
        self.check = CheckDesk(self.document, self.transport)
        self.teach = TeachDesk(self.document)
        self.practise = PractiseDesk(self.document, self.transport)
        self.outputs = Outputs(self.document, self.teach, self)
        self.bar = TransportBar(self.document, self.transport)
        self.busy = BusyLine(self.runner)
        self._told = QLabel()
        self._forgetting = QTimer(self)
        self._forgetting.setSingleShot(True)
        self._forgetting.setInterval(TOLD_MS)
        self._forgetting.timeout.connect(self._forget)
        self._desks = QStackedWidget()
        self.actions_by_name: dict[str, QAction] = {}
        self._lay_out()
        self._make_actions()
        self._connect()
        self.show_desk(HEAR)
        geometry = settings.read_geometry()
        if not geometry.isEmpty():
            self.restoreGeometry(geometry)

    def _lay_out(self) -> None:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for desk in (self.hear, self.place, self.check, self.teach, self.practise):
            self._desks.addWidget(desk)
        self.strip.setFixedHeight(64)
        column.addWidget(self.header)
        column.addWidget(self.strip)
        column.addWidget(self._desks, 1)
        column.addWidget(self.bar)
        self.setCentralWidget(middle)
        status = self.statusBar()
        assert status is not None
        status.setSizeGripEnabled(False)
        status.setFixedHeight(22)
        status.setStyleSheet(
            f"QStatusBar {{ background: {colour('panel').name()}; }} QStatusBar::item {{ border: none; }}"
        )
        self._told.setFont(font(TEXT - 1))
        self._told.setStyleSheet(f"color: {colour('soft').name()}; padding-left: 12px;")
        status.addWidget(self._told, 1)
        status.addPermanentWidget(self.busy)

    # Actions

    def _handlers(self) -> dict[str, Callable[[], object]]:
        place, transport, document = self.place, self.transport, self.document
        handlers: dict[str, Callable[[], object]] = {
            "open_recording": self.ask_recording, "open_lesson": self.ask_lesson,
            "save": self.save, "save_as": self.save_as, "import_notes": self.outputs.import_notes,
            "quit": self.close, "select_all": self._select_all, "delete": self._delete,
            "play": transport.toggle, "play_phrase": self._play_phrase, "loop": self._toggle_loop,
            "slower": lambda: transport.set_speed(transport.speed - 0.05),
            "faster": lambda: transport.set_speed(transport.speed + 0.05),
            "only_recording": lambda: transport.set_balance(-1.0),
            "both": lambda: transport.set_balance(0.0),
            "only_tab": lambda: transport.set_balance(1.0),
            "click": lambda: transport.set_click(not transport.player.click),
            "next_phrase": lambda: document.step_phrase(1),
            "previous_phrase": lambda: document.step_phrase(-1),
            "listen": self.tasks.listen, "listen_again": self.listen_again,
            "move_phrase": self.move_phrase, "guitar": self.choose_guitar,
            "place_again": place.place_again,
            "alternative": place.next_alternative,
            "propose": self.tasks.propose,
            "next_pulse": self.hear.time.take_next_pulse, "next_bars": self.hear.time.take_next_bars,
            "next_note": lambda: document.step_selection(1),
            "previous_note": lambda: document.step_selection(-1),
            "extend_next": lambda: document.step_selection(1, extend=True),
            "extend_previous": lambda: document.step_selection(-1, extend=True),
            "thinner": lambda: place.move(-1), "thicker": lambda: place.move(1),
            "next_doubtful": place.next_doubtful, "take_runner_up": place.take_runner_up,
            "keep": place.keep, "unlock": place.unlock, "add_note": place.add,
            "split": place.split, "join": place.join,
            "wider_bend": lambda: place.widen_bend(0.5),
            "narrower_bend": lambda: place.widen_bend(-0.5),
            "finger": place.next_finger, "stroke": place.next_stroke,
            "zoom_in": lambda: self._zoom(1.5), "zoom_out": lambda: self._zoom(1 / 1.5),
            "zoom_all": self._zoom_all, "waive": self.check.waive,
            "keys": lambda: dialogs.keys_dialog(self).exec(),
            "care": lambda: dialogs.care_dialog(self).exec(),
            "about": lambda: dialogs.about_dialog(self).exec(),
        }  # fmt: skip
        for index, name in enumerate(("hear", "place", "check", "teach", "practise")):
            handlers[f"desk_{name}"] = lambda index=index: self.show_desk(index)
        for action, technique in TECHNIQUE_OF.items():
            handlers[action] = lambda technique=technique: place.toggle(technique)
        return handlers

    def _make_actions(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        menus = {name: QMenu(f"&{name}", self) for name in MENUS}
        handlers = self._handlers()
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

    def _connect(self) -> None:
        self.header.desk_chosen.connect(self.show_desk)
        for part in (
            self.hear,
            self.place,
            self.check,
            self.practise,
            self.files,
            self.tasks,
            self.transport,
            self.outputs,
        ):
            part.told.connect(self.tell)
        for part in (self.files, self.tasks, self.outputs):
            part.failed.connect(self.complain)
        self.hear.measure_wanted.connect(self._on_measure_wanted)
        self.place.listen_wanted.connect(self.tasks.listen)
        self.hear.propose_wanted.connect(self.tasks.propose)
        self.hear.focus_wanted.connect(self.tasks.propose_focus)
        self.hear.chords_wanted.connect(self.tasks.suggest_chords)
        self.hear.audition_wanted.connect(self.tasks.audition)
        self.files.sound_ready.connect(self._on_sound_ready)
        self.tasks.measured.connect(self.hear.show_measured)
        self.tasks.lead_found.connect(self.hear.show_lead)
        self.tasks.tab_rendered.connect(self._on_tab_rendered)
        self.teach.share_changed.connect(self._on_share)

    # Windows that ask

    def listen_again(self) -> None:
        """Ask what the person knows, and listen again to the phrase or the selected notes."""
        phrase, notes = self.document.phrase, self.document.selected_notes
        if phrase is None or self.document.sound is None:
            self.tell("Open a recording and cut a phrase first.")
            return
        form = HintsForm(self.document.lesson, phrase, len(notes), self)
        if form.exec():
            stretch = None
            if form.only_selected.isChecked() and len(notes) > 1:
                stretch = notes[0].onset_s - 0.04, max(n.offset_s for n in notes) + 0.02
            self.tasks.listen(form.hints(), stretch, form.string.currentData())

    def move_phrase(self) -> None:
        """Ask where the phrase moves, and make a moved copy."""
        phrase = self.document.phrase
        if phrase is None or not phrase.notes:
            self.tell("Choose a phrase that has notes.")
            return
        form = MoveForm(self.document.lesson, phrase, self)
        if form.exec():
            moved = form.moved()
            self.document.change("Move the phrase", lambda l: l.with_phrase(moved.phrase))
            self.document.choose_phrase(moved.phrase.ident)
            broken = f" {len(moved.problems)} things changed on the way." if moved.problems else ""
            self.tell(
                f"{moved.phrase.name} is a copy; what was heard stays with the first.{broken}"
            )

    def choose_guitar(self) -> None:
        """Ask which guitar it is."""
        form = GuitarForm(self.document.lesson.guitar, self)
        if form.exec():
            guitar = form.result_guitar
            self.document.change("Change the guitar", lambda l: with_guitar(l, guitar))

    # Desks

    def show_desk(self, index: int) -> None:
        """Go to a desk; phrase, playhead and loop stay."""
        self._desks.setCurrentIndex(index)
        self.strip.setVisible(index != HEAR)
        self.header.show_desk(index)
        on_sheet = index == PLACE
        for spec in ACTIONS:
            if spec.menu in ("Note", "Technique") and spec.keys in ("Up", "Down", "Left", "Right"):
                self.actions_by_name[spec.name].setEnabled(on_sheet)
        # Not a field: there letters would be typed instead of doing what the keys say.
        first = (self.hear.strip, self.place.sheet, self.check.list, self.teach, self.practise)
        first[index].setFocus()

    @property
    def desk(self) -> int:
        """Which desk is shown."""
        return self._desks.currentIndex()

    def _zoom(self, factor: float) -> None:
        if self.desk == HEAR:
            self.hear.strip.zoom(factor)
        else:
            self.place.sheet.zoom(factor)

    def _zoom_all(self) -> None:
        if self.desk == HEAR:
            self.hear.strip.show_all()
        else:
            self.place.sheet.fit()

    # Telling

    def tell(self, text: str) -> None:
        """Say something in the status line."""
        self._told.setText(text)
        self._forgetting.start()

    def _forget(self) -> None:
        self._told.setText("")

    def complain(self, text: str) -> None:
        """Say what went wrong and what to do; nothing was changed."""
        box = QMessageBox(
            QMessageBox.Icon.Warning, "Juxtanote", text, QMessageBox.StandardButton.Ok, self
        )
        box.open()

    # Files

    def ask_recording(self) -> None:
        """Ask for a sound file."""
        name, _ = QFileDialog.getOpenFileName(self, "Open recording", "", SOUND_FILTER)
        if name and self._may_close_lesson():
            self.files.open_recording(Path(name))

    def ask_lesson(self) -> None:
        """Ask for a lesson file."""
        name, _ = QFileDialog.getOpenFileName(self, "Open lesson", "", LESSON_FILTER)
        if name and self._may_close_lesson():
            self.files.open_lesson(Path(name))

    def save(self) -> bool:
        """Save where the lesson came from, or ask."""
        path = self.document.path
        return self.files.save(path) if path is not None else self.save_as()

    def save_as(self) -> bool:
        """Ask where to save."""
        start = f"{self.document.lesson.title}{SUFFIX}"
        name, _ = QFileDialog.getSaveFileName(self, "Save lesson", start, LESSON_FILTER)
        if not name:
            return False
        path = Path(name)
        return self.files.save(
            path if path.suffix == SUFFIX else path.with_name(path.name + SUFFIX)
        )

    def _fill_recent(self) -> None:
        self._recent.clear()
        for path in settings.recent_files():
            action = QAction(Path(path).name, self._recent)
            action.setToolTip(path)
            action.triggered.connect(lambda _=False, path=path: self._open_recent(path))
            self._recent.addAction(action)
        self._recent.setEnabled(True)
        if self._recent.isEmpty():
            nothing = QAction("none yet", self._recent)
            nothing.setEnabled(False)
            self._recent.addAction(nothing)

    def _open_recent(self, path: str) -> None:
        if self._may_close_lesson():
            self.files.open_lesson(Path(path))

    def _may_close_lesson(self) -> bool:
        """Ask to save unsaved work; False keeps the lesson open."""
        if self.document.undo_stack.isClean():
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self, "Juxtanote", f"Save changes to “{self.document.lesson.title}”?",
            buttons.Save | buttons.Discard | buttons.Cancel, buttons.Save,
        )  # fmt: skip
        if answer == buttons.Save:
            return self.save()
        if answer == buttons.Discard:
            self.files.rescue.drop()
            return True
        return False

    def offer_recovery(self) -> None:
        """After a kill: offer what was left behind."""
        left = Rescue.left_behind()
        if not left:
            return
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self, "Juxtanote", "The last session ended without saving. Recover its work?",
            buttons.Yes | buttons.No, buttons.Yes,
        )  # fmt: skip
        if answer == buttons.Yes:
            self.files.recover(left[0])
        else:
            left[0].unlink(missing_ok=True)

    def show_cautions_once(self) -> None:
        """Say the cautions in the status line the first time the program runs."""
        if not settings.CAUTIONS_SHOWN.read():
            settings.CAUTIONS_SHOWN.write(True)
            self.tell(f"{care.EARS} More under Help.")

    # Slots

    def _on_measure_wanted(self) -> None:
        self.tasks.measure(apply=True)

    def _on_sound_ready(self, fresh: bool) -> None:
        if fresh:
            self.show_desk(HEAR)
        self.tasks.measure(apply=fresh)

    def _on_tab_rendered(self, rendered: Rendered) -> None:
        self.check.show_tab(rendered.audio, self.transport.player.sample_rate)

    def _on_share(self, may: bool) -> None:
        self.document.change(
            "Change sharing",
            lambda lesson: replace(lesson, recording=replace(lesson.recording, may_share=may)),
        )

    def _select_all(self) -> None:
        phrase = self.document.phrase
        if phrase is not None:
            self.document.select(tuple(note.ident for note in phrase.notes))

    def _delete(self) -> None:
        phrase = self.document.phrase
        if self.desk == HEAR and phrase is not None:
            self.document.change("Delete phrase", lambda l: edits.delete_phrase(l, phrase.ident))
        elif self.desk == PLACE:
            self.place.delete()

    def _play_phrase(self) -> None:
        phrase = self.document.phrase
        self.transport.pause()
        self.transport.loop_phrase(phrase)
        self.transport.seek(phrase.start_s if phrase is not None else 0.0)
        self.transport.play()

    def _toggle_loop(self) -> None:
        looping = self.transport.loop_s is not None
        self.transport.loop_phrase(None if looping else self.document.phrase)

    # Window events

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and any(u.isLocalFile() for u in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        paths = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()] if data else []
        if paths and self._may_close_lesson():
            self.files.open_any(paths[0])

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if not self._may_close_lesson():
            event.ignore()
            return
        settings.write_geometry(self.saveGeometry())
        self.shut_down()
        event.accept()

    def shut_down(self) -> None:
        """Stop sound and jobs."""
        self.transport.pause()
        self.runner.stop()
        self.files.rescue.drop()
        # Qt takes the stack away before its listeners, and it speaks once more as it goes.
        self.document.undo_stack.blockSignals(True)

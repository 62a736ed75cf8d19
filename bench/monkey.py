"""A monkey at the real window: seeded keys, clicks, drags, desks, jobs, files and undo.

``python -m bench window monkey [STEPS] [SEED]`` prints what left a slot as an exception, what Qt warned of,
whether every edit can be undone, done again and saved, and the stalls of the window's own work.
"""

import os
import sys
import tempfile
import time
import traceback
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
LONGEST_MS = 200.0  # of own work in one step: a stall
NOT_PRESSED = ("quit", "open_recording", "open_lesson", "save", "save_as")
WORDS = ("12", "7", "Am", "blue", "-", "1e9", "4/4", "0:03.5", "E flat minor", "é", "")
KNOWN = (
    "propagateSizeHints",
    "grabbing the keyboard",
    "QFontDatabase",
    "raise()",
    "pipewire",
    "load va",
    "symbols",
    "PulseAudio",
    "resolving",
)


def type_into(widget, text: str) -> None:  # type: ignore[no-untyped-def]
    """Type any text: the test library of Qt ends the process at a letter outside ASCII."""
    from PyQt6.QtCore import QEvent, Qt
    from PyQt6.QtGui import QKeyEvent, QKeySequence
    from PyQt6.QtWidgets import QApplication

    for letter in text:
        known = QKeySequence(letter.upper())[0].key() if letter.isascii() else Qt.Key.Key_unknown
        for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
            event = QKeyEvent(kind, known, Qt.KeyboardModifier.NoModifier, letter)
            QApplication.sendEvent(widget, event)


@dataclass
class Report:
    """What came of a run."""

    steps: int = 0
    errors: list[str] = field(default_factory=list)
    lost: list[str] = field(default_factory=list)
    stalls_ms: list[tuple[float, str]] = field(default_factory=list)
    done: Counter[str] = field(default_factory=Counter)


class Monkey:
    """Acts on a window at random; the same seed acts alike as long as the window answers alike."""

    def __init__(self, window, folder: Path, seed: int = 1) -> None:  # type: ignore[no-untyped-def]
        from PyQt6.QtCore import QTimer

        self.window, self.folder = window, folder
        self.random = np.random.default_rng(seed)
        self.report = Report()
        self._answering = QTimer(window)
        self._answering.timeout.connect(self._answer)
        self._answering.start(30)
        self._files = self._make_files()

    def run(self, steps: int) -> Report:
        """Act so many times, then see whether anything was lost."""
        from PyQt6.QtCore import qInstallMessageHandler
        from PyQt6.QtWidgets import QApplication

        hook, sys.excepthook = sys.excepthook, self._on_escaped
        handler = qInstallMessageHandler(self._on_message)
        try:
            acts = (
                (0.40, self._key), (0.15, self._text), (0.18, self._click), (0.10, self._drag),
                (0.05, self._desk), (0.05, self._undo), (0.05, self._job), (0.02, self._open),
            )  # fmt: skip
            weights = np.array([weight for weight, _ in acts])
            for _ in range(steps):
                act = acts[self.random.choice(len(acts), p=weights / weights.sum())][1]
                began = time.thread_time()
                what = act()
                QApplication.processEvents()
                took = 1000.0 * (time.thread_time() - began)
                if took > LONGEST_MS:
                    self.report.stalls_ms.append((took, what))
                self.report.done[act.__name__] += 1
                self.report.steps += 1
            self._see_what_is_left()
        finally:
            self._answering.stop()
            sys.excepthook = hook
            qInstallMessageHandler(handler)
        return self.report

    def _key(self) -> str:
        from PyQt6.QtGui import QKeySequence
        from PyQt6.QtTest import QTest

        from juxtanote.app.actions import ACTIONS

        specs = [s for s in ACTIONS if s.keys and s.name not in NOT_PRESSED]
        spec = specs[self.random.integers(len(specs))]
        combination = QKeySequence(spec.keys)[0]
        QTest.keyClick(self._target(), combination.key(), combination.keyboardModifiers())
        return f"{spec.name} on {self._where()}"

    def _text(self) -> str:
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest

        if self.random.random() < 0.5:
            keys = (Qt.Key.Key_Tab, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Space,
                    Qt.Key.Key_Down, Qt.Key.Key_Up, Qt.Key.Key_F2, Qt.Key.Key_Backtab)  # fmt: skip
            QTest.keyClick(self._target(), keys[self.random.integers(len(keys))])
            return f"key on {self._where()}"
        type_into(self._target(), WORDS[self.random.integers(len(WORDS))])
        return f"text on {self._where()}"

    def _click(self) -> str:
        from PyQt6.QtCore import QPoint, Qt
        from PyQt6.QtTest import QTest

        widget = self._any_widget()
        if widget is None:
            return "nothing to click"
        at = QPoint(
            int(self.random.integers(max(widget.width(), 1))),
            int(self.random.integers(max(widget.height(), 1))),
        )
        twice = self.random.random() < 0.15
        (QTest.mouseDClick if twice else QTest.mouseClick)(
            widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at
        )
        name = getattr(widget, "text", lambda: "")() or widget.accessibleName()
        return f"click on {type(widget).__name__} “{name}” of {self._where()}"

    def _drag(self) -> str:
        from PyQt6.QtCore import QPoint, Qt
        from PyQt6.QtTest import QTest

        from juxtanote.app.sheet.sheet import Sheet
        from juxtanote.app.widgets.strip import Strip

        shown = [w for w in self.window.findChildren((Strip, Sheet)) if w.isVisible()]
        if not shown:
            return "nothing to drag"
        widget = shown[self.random.integers(len(shown))]
        ends = [
            QPoint(
                int(self.random.integers(widget.width())),
                int(self.random.integers(widget.height())),
            )
            for _ in range(2)
        ]
        left, plain = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        QTest.mousePress(widget, left, plain, ends[0])
        QTest.mouseMove(widget, ends[1])
        QTest.mouseRelease(widget, left, plain, ends[1])
        return f"drag on {type(widget).__name__} of {self._where()}"

    def _desk(self) -> str:
        index = int(self.random.integers(5))
        self.window.show_desk(index)
        return f"desk {index}"

    def _undo(self) -> str:
        stack = self.window.document.undo_stack
        for _ in range(int(self.random.integers(1, 4))):
            (stack.undo if self.random.random() < 0.6 else stack.redo)()
        return "undo"

    def _job(self) -> str:
        names = ("listen", "propose", "place_again", "alternative", "next_pulse", "next_bars")
        name = names[self.random.integers(len(names))]
        self.window.actions_by_name[name].trigger()
        return name

    def _open(self) -> str:
        if self.window.runner.is_working and self.random.random() < 0.5:
            return "opening put off"
        path = self._files[self.random.integers(len(self._files))]
        if path.suffix == ".juxta":
            self.window.files.open_lesson(path)
        else:
            self.window.files.open_recording(path)
        return f"open {path.name}"

    def _target(self):  # type: ignore[no-untyped-def]
        return self.window.focusWidget() or self.window

    def _where(self) -> str:
        from juxtanote.app.desks import DESKS

        return f"{DESKS[self.window._desks.currentIndex()]}, {type(self.window.focusWidget()).__name__}"

    def _any_widget(self):  # type: ignore[no-untyped-def]
        from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QLineEdit, QWidget

        from juxtanote.app.sheet.sheet import Sheet
        from juxtanote.app.widgets.strip import Strip

        kinds = (QAbstractButton, QLineEdit, QAbstractItemView, Sheet, Strip)
        shown = [
            w for w in self.window.findChildren(QWidget) if isinstance(w, kinds) and w.isVisible()
        ]
        shown = [w.viewport() if isinstance(w, QAbstractItemView) else w for w in shown]
        return shown[self.random.integers(len(shown))] if shown else None

    def _answer(self) -> None:
        """Type into a form that waits, and close it one way or the other."""
        from PyQt6.QtPrintSupport import QPrintDialog
        from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QLineEdit, QMessageBox

        waiting = QApplication.activeModalWidget() or QApplication.activePopupWidget()
        if waiting is None:
            return
        if isinstance(waiting, QMessageBox):
            buttons = waiting.buttons()
            buttons[self.random.integers(len(buttons))].click()
        elif isinstance(waiting, (QFileDialog, QPrintDialog)) or not isinstance(waiting, QDialog):
            waiting.close()
        elif self.random.random() < 0.5:
            fields = waiting.findChildren(QLineEdit)
            if fields:
                text = WORDS[self.random.integers(len(WORDS))]
                type_into(fields[self.random.integers(len(fields))], text)
        else:
            (waiting.accept if self.random.random() < 0.6 else waiting.reject)()

    def _see_what_is_left(self) -> None:
        """Save and load; undo everything, do it all again: the lesson must be the same each time."""
        from juxtanote.core.formats.lesson_file import load_lesson, save_lesson

        document = self.window.document
        until = time.monotonic() + 60.0
        while self.window.runner.is_busy and time.monotonic() < until:
            self._turn()
        last, stack = document.lesson, document.undo_stack
        path = self.folder / "after.juxta"
        save_lesson(last, path)
        if load_lesson(path) != last:
            self.report.lost.append("what was saved is not what is opened")
        index = stack.index()
        while stack.canUndo():
            stack.undo()
        while stack.index() < index:
            stack.redo()
        if document.lesson != last:
            self.report.lost.append("undoing and doing again gives another lesson")
        self._turn()

    def _turn(self) -> None:
        from PyQt6.QtWidgets import QApplication

        QApplication.processEvents()
        time.sleep(0.002)

    def _on_escaped(self, kind, error, trace) -> None:  # type: ignore[no-untyped-def]
        self.report.errors.append("".join(traceback.format_exception(kind, error, trace)))

    def _on_message(self, kind, _, text) -> None:  # type: ignore[no-untyped-def]
        from PyQt6.QtCore import QtMsgType

        worse = kind in (QtMsgType.QtWarningMsg, QtMsgType.QtCriticalMsg)
        if worse and not any(word in (text or "") for word in KNOWN):
            self.report.errors.append(f"Qt: {text}")

    def _make_files(self) -> list[Path]:
        """Two short recordings of our own making and the demo."""
        import soundfile

        from juxtanote.app.main import demo_lesson

        made = []
        for seconds, pitch in ((3.0, 196.0), (7.0, 330.0)):
            times = np.arange(int(44_100 * seconds)) / 44_100
            tone = 0.3 * np.sin(2 * np.pi * pitch * times) * np.exp(-3.0 * (times % 0.5))
            path = self.folder / f"tone-{seconds:.0f}.wav"
            soundfile.write(path, np.stack([tone, tone], axis=1).astype(np.float32), 44_100)
            made.append(path)
        return [*made, Path(str(demo_lesson()))]


def main(arguments: list[str]) -> None:
    """Let it act 10,000 times, or as many as are asked for."""
    from PyQt6.QtWidgets import QApplication

    from juxtanote.app.collecting import Collector
    from juxtanote.app.look import theme
    from juxtanote.app.main import demo_lesson
    from juxtanote.app.main_window import MainWindow
    from juxtanote.app.transport.devices import SimulatedSoundCard

    steps = int(arguments[0]) if arguments else 10_000
    seed = int(arguments[1]) if len(arguments) > 1 else 1
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    Collector(application)
    theme.apply(application, False)
    with tempfile.TemporaryDirectory() as folder:
        window = MainWindow(SimulatedSoundCard(by_hand=True))
        window.resize(1280, 800)
        window.show()
        window.files.open_lesson(demo_lesson())
        report = Monkey(window, Path(folder), seed).run(steps)
        window.shut_down()
    print(f"monkey, seed {seed}: {report.steps} steps {dict(report.done)}")
    print(f"exceptions and warnings: {len(report.errors)}; lost: {report.lost or 'nothing'}")
    for text, count in Counter(report.errors).most_common(20):
        print(f"--- {count} times\n{text}")
    worst = sorted(report.stalls_ms, reverse=True)[:12]
    print(f"stalls over {LONGEST_MS:.0f} ms of own work: {len(report.stalls_ms)}")
    for took, what in worst:
        print(f"  {took:.0f} ms: {what}")

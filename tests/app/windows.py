"""Windows for tests: with a recording, with the demo, with a sound card moved by hand."""

import sys
import tempfile
import traceback
import unittest
from pathlib import Path
from types import TracebackType

import numpy as np
from PyQt6.QtCore import (
    QCoreApplication,
    QEvent,
    QMessageLogContext,
    Qt,
    QtMsgType,
    qInstallMessageHandler,
)
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox, QWidget

from juxtanote.app import settings
from juxtanote.app.main import demo_lesson
from juxtanote.app.main_window import MainWindow
from juxtanote.app.transport.devices import SimulatedSoundCard
from juxtanote.core.audio.peaks import build_peaks
from juxtanote.core.audio.read import Sound
from juxtanote.core.score.lesson import Lesson, Recording
from tests.app import wait_until
from tests.lessons import small_lesson

RATE = 44_100


QUIET = (
    "propagateSizeHints",
    "QFontDatabase",
    "does not support raise()",
    "pipewire",
    "load va",
    "symbols",
    "va(in plugin)",
    "PulseAudio",
    "resolving",
    "grabbing the keyboard",
)


class Watched(unittest.TestCase):
    """Fails where an exception leaves a slot, or Qt warns."""

    def setUp(self) -> None:
        self.escaped: list[str] = []
        self._hook, sys.excepthook = sys.excepthook, self._on_escaped
        self._handler = qInstallMessageHandler(self._on_message)

    def doCleanups(self) -> bool | None:  # type: ignore[override]
        sys.excepthook = self._hook
        qInstallMessageHandler(self._handler)
        return super().doCleanups()

    def _on_escaped(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        self.escaped.append("".join(traceback.format_exception(kind, error, trace)))

    def _on_message(self, kind: QtMsgType, _: QMessageLogContext, text: str | None) -> None:
        worse = kind in (QtMsgType.QtWarningMsg, QtMsgType.QtCriticalMsg)
        if worse and not any(word in (text or "") for word in QUIET):
            self.escaped.append(f"Qt: {text}")

    def nothing_escaped(self) -> None:
        """Fail with what left a slot, or what Qt warned of."""
        self.assertEqual(self.escaped, [], "\n".join(self.escaped))


def close_for_good(window: MainWindow) -> None:
    """Close a window and have Qt drop it now: outside an event loop it would keep it for ever."""
    window.shut_down()
    wait_until(lambda: True)
    window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    wait_until(lambda: True)


class WindowTest(Watched):
    """Opens a window for each test and closes it after."""

    def setUp(self) -> None:
        super().setUp()
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        settings.forget()  # what another test, or the monkey, chose
        self.card = SimulatedSoundCard(by_hand=True)
        self.window = MainWindow(self.card)
        self.window.resize(1280, 800)
        self.window.show()
        wait_until(self.window.isActiveWindow, 2000)
        self.document = self.window.document
        self.complaints: list[str] = []
        self.window.files.failed.connect(self.complaints.append)

    def tearDown(self) -> None:
        for box in self.window.findChildren(QMessageBox):
            box.close()
        close_for_good(self.window)
        self.nothing_escaped()

    def open_small(self, seconds: float = 8.0) -> None:
        """Open the small lesson with a quiet tone as its recording."""
        times = np.arange(int(seconds * RATE)) / RATE
        tone = (0.2 * np.sin(2 * np.pi * 220 * times)).astype(np.float32)
        audio = np.stack([tone, tone])
        self.document.open(small_lesson(), None)
        self.give_sound(audio)
        self.assertTrue(wait_until(lambda: not self.window.runner.is_busy))

    def give_sound(self, audio: np.ndarray) -> None:
        """Have a recording open, stereo at 44.1 kHz."""
        path = self.folder / "tone.wav"
        self.document.set_sound(Sound(audio, RATE), build_peaks(audio, RATE), path)

    def open_recording(self, audio: np.ndarray) -> None:
        """Open a bare recording, stereo at 44.1 kHz."""
        lesson = Lesson(title="new", recording=Recording("x.wav", audio.shape[1] / RATE))
        self.document.open(lesson, None)
        self.document.set_sound(Sound(audio, RATE), build_peaks(audio, RATE), self.folder / "x.wav")

    def open_demo(self) -> None:
        """Open the demo lesson and wait for its sound."""
        self.window.files.open_lesson(demo_lesson())
        self.assertTrue(wait_until(lambda: self.document.sound is not None, 60_000))
        self.settle()

    def cell(self, row: int, column: int) -> str:
        """Give the text of a cell of the table of phrases."""
        model = self.window.hear.model
        return str(model.data(model.index(row, column)))

    def type_cell(self, row: int, column: int, text: str) -> None:
        """Type into a cell of the table of phrases."""
        model = self.window.hear.model
        model.setData(model.index(row, column), text)

    def settle(self) -> None:
        """Wait until nothing is under way."""
        wait_until(lambda: False, 450)
        self.assertTrue(wait_until(lambda: not self.window.runner.is_busy, 60_000))

    def press(
        self,
        key: Qt.Key,
        modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
        on: QWidget | None = None,
    ) -> None:
        """Press a key."""
        QTest.keyClick(on or self.window, key, modifier)

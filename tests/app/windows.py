"""Windows for tests: with a recording, with the demo, with a sound card moved by hand."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox, QWidget

from juxtanote.app.main import demo_lesson
from juxtanote.app.main_window import MainWindow
from juxtanote.app.transport.devices import SimulatedSoundCard
from juxtanote.core.audio.peaks import build_peaks
from juxtanote.core.audio.read import Sound
from juxtanote.core.score.lesson import Lesson, Recording
from tests.app import wait_until
from tests.lessons import small_lesson

RATE = 44_100


class WindowTest(unittest.TestCase):
    """Opens a window for each test and closes it after."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
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
        self.window.shut_down()
        self.window.deleteLater()
        wait_until(lambda: True)

    def open_small(self, seconds: float = 8.0) -> None:
        """Open the small lesson with a quiet tone as its recording."""
        times = np.arange(int(seconds * RATE)) / RATE
        tone = (0.2 * np.sin(2 * np.pi * 220 * times)).astype(np.float32)
        audio = np.stack([tone, tone])
        self.document.open(small_lesson(), None)
        path = self.folder / "tone.wav"
        self.document.set_sound(Sound(audio, RATE), build_peaks(audio, RATE), path)
        self.assertTrue(wait_until(lambda: not self.window.runner.is_busy))

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

    def settle(self) -> None:
        """Wait until nothing is under way."""
        QTest.qWait(300) if hasattr(QTest, "qWait") else wait_until(lambda: False, 300)
        self.assertTrue(wait_until(lambda: not self.window.runner.is_busy, 60_000))

    def press(
        self,
        key: Qt.Key,
        modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
        on: QWidget | None = None,
    ) -> None:
        """Press a key."""
        QTest.keyClick(on or self.window, key, modifier)

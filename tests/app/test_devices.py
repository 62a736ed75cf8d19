"""Sound goes out and comes in on a thread of its own: the window may stand still meanwhile."""

import sys
import time
import unittest
from threading import Event
from unittest import mock

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QIODevice, QObject, QThread, QTimer

from juxtanote.app import errors
from juxtanote.app.transport import controller, devices
from juxtanote.app.transport.devices import (
    BLOCK,
    RATE,
    DesktopMicrophone,
    DesktopSound,
    SimulatedSoundCard,
    open_sound_out,
)
from juxtanote.core.errors import SoundDeviceError
from tests.app import wait_until
from tests.app.windows import Watched, WindowTest

WAIT_S = 5.0


class FakeSink(QObject):
    """Pulls blocks as a device does, by a timer of the thread it was made on."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._timer, self._pulled = QTimer(self), 0
        self._timer.timeout.connect(self._pull)
        self._pump: QIODevice | None = None

    def start(self, pump: QIODevice) -> None:
        self._pump, self._pulled = pump, 0
        self._timer.start(1)

    def stop(self) -> None:
        self._timer.stop()

    def processedUSecs(self) -> int:
        return self._pulled * 1_000_000 // RATE

    def _pull(self) -> None:
        assert self._pump is not None
        self._pulled += len(self._pump.read(8 * 4 * BLOCK)) // 8


class FakeStream(QIODevice):
    """Gives what came in."""

    came = b""

    def readData(self, maxlen: int) -> bytes:
        read, self.came = self.came[:maxlen], self.came[maxlen:]
        return read

    def writeData(self, data: object) -> int:
        return 0

    def isSequential(self) -> bool:
        return True

    def bytesAvailable(self) -> int:
        return len(self.came)


class FakeSource(QObject):
    """Two samples come in again and again, by a timer of its thread."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._timer, self._stream = QTimer(self), FakeStream(self)
        self._stream.open(QIODevice.OpenModeFlag.ReadOnly | QIODevice.OpenModeFlag.Unbuffered)
        self._timer.timeout.connect(self._on_tick)

    def _on_tick(self) -> None:
        self._stream.came += np.array([0.25, -0.5], dtype=np.float32).tobytes()
        self._stream.readyRead.emit()

    def start(self) -> QIODevice:
        self._timer.start(1)
        return self._stream

    def stop(self) -> None:
        self._timer.stop()


class TestSoundOut(Watched):
    def setUp(self) -> None:
        super().setUp()
        self.threads: set[QThread | None] = set()
        self.came, self.blocks = Event(), 0
        self.out = DesktopSound(FakeSink, b"fake")  # type: ignore[arg-type]

    def render(self, count: int) -> NDArray[np.float32]:
        self.threads.add(QThread.currentThread())
        self.blocks += 1
        self.came.set()
        return np.zeros((2, count), np.float32)

    def test_blocks_are_pulled_while_the_window_stands_still(self) -> None:
        self.assertEqual(self.out.played, 0)
        self.out.start(self.render)
        self.assertTrue(self.came.wait(WAIT_S))  # this thread's loop does not turn
        self.assertNotIn(QThread.currentThread(), self.threads)
        self.out.stop()
        self.assertGreater(self.out.played, 0)

    def test_after_a_stop_nothing_is_pulled(self) -> None:
        self.out.stop()  # before a start
        self.out.start(self.render)
        self.assertTrue(self.came.wait(WAIT_S))
        self.out.stop()
        blocks = self.blocks
        time.sleep(0.05)
        self.assertEqual(self.blocks, blocks)
        again = Event()
        self.out.start(lambda count: (again.set(), np.zeros((2, count), np.float32))[1])
        self.assertTrue(again.wait(WAIT_S))
        self.out.stop()
        self.assertEqual(self.blocks, blocks)


class Gone:
    """A device that was unplugged: it takes what it is given to take, and nothing more."""

    name, played, is_open = "gone", 0, False

    def start(self, render: object) -> None:
        self.is_open = True

    def stop(self) -> None:
        self.is_open = False


class TestADeviceThatGoesAway(WindowTest):
    def test_it_is_told_and_another_is_looked_for(self) -> None:
        self.open_small()
        transport, gone, told = self.window.transport, Gone(), []
        transport.told.connect(told.append)
        transport._finds_out = True
        with mock.patch.object(devices, "open_sound_out", return_value=(gone, "")) as opened:
            transport.play()
            for played in (0, 512):
                gone.played = played
                for _ in range(controller.STUCK_FRAMES):
                    transport._on_frame()
                self.assertTrue(transport.is_playing)
            for _ in range(2):
                transport._on_frame()
            self.assertFalse(gone.is_open)
            self.assertEqual(told, [controller.STUCK])
            transport.play()
            self.assertEqual(opened.call_args.args[1], None)
            transport.pause()


class TestWhatGoesWrong(WindowTest):
    def test_in_rendering_is_told_once_on_the_window_s_thread(self) -> None:
        told: list[tuple[str, bool]] = []
        here = QThread.currentThread()

        def complain(words: str) -> None:
            told.append((words, QThread.currentThread() is here))

        self.window.complain = complain  # type: ignore[method-assign]

        def render(count: int) -> NDArray[np.float32]:
            raise ValueError("no block")

        out = DesktopSound(FakeSink, b"fake")  # type: ignore[arg-type]
        with mock.patch.object(sys, "excepthook", errors._hook):
            out.start(render)
            self.assertTrue(wait_until(lambda: bool(told), 5_000))
            wait_until(lambda: False, 50)
            out.stop()
        self.assertEqual(len(told), 1)
        self.assertIn("no block", told[0][0])
        self.assertTrue(told[0][1])


class TestSoundIn(Watched):
    def test_what_comes_in_while_the_window_stands_still_is_kept(self) -> None:
        microphone = DesktopMicrophone(make_source=FakeSource)  # type: ignore[arg-type]
        microphone.start()
        until = time.monotonic() + WAIT_S
        while microphone.level() == 0.0 and time.monotonic() < until:
            time.sleep(0.005)  # and no loop turns
        take = microphone.stop()
        self.assertGreater(len(take), 0)
        self.assertEqual(set(take.tolist()), {0.25, -0.5})
        time.sleep(0.05)
        self.assertEqual(len(microphone.stop()), 0)  # it holds nothing any more

    def test_what_goes_missing_is_counted_from_the_first_sample_on(self) -> None:
        microphone = DesktopMicrophone(make_source=FakeSource)  # type: ignore[arg-type]
        self.assertEqual(microphone.lost, 0)
        microphone.start()
        until = time.monotonic() + WAIT_S
        while microphone.lost == 0 and time.monotonic() < until:
            time.sleep(0.005)
        self.assertGreater(microphone.lost, 0)  # two samples a millisecond are few
        microphone.stop()
        microphone.start()
        self.assertEqual(microphone.lost, 0)
        microphone.stop()


class TestWhichDevice(Watched):
    def setUp(self) -> None:
        super().setUp()
        patch = mock.patch("PyQt6.QtMultimedia.QMediaDevices")
        self.system = patch.start()
        self.addCleanup(patch.stop)
        self.system.audioInputs.return_value = []
        self.system.defaultAudioInput().isNull.return_value = True

    def plays_on(self, name: bytes) -> None:
        device = self.system.defaultAudioOutput()
        device.isNull.return_value = not name
        device.isFormatSupported.return_value = True
        device.id().data.return_value = name

    def test_without_one_it_says_so_once(self) -> None:
        self.plays_on(b"")
        card, why = open_sound_out()
        self.assertIsInstance(card, SimulatedSoundCard)
        self.assertIn("no sound device", why)
        self.assertEqual(open_sound_out(before=card), (card, ""))
        with self.assertRaisesRegex(SoundDeviceError, "no microphone"):
            DesktopMicrophone()
        self.assertEqual(devices.microphones(), [devices.SIMULATED])

    def test_what_takes_nothing_is_not_opened_again(self) -> None:
        self.addCleanup(setattr, DesktopSound, "is_lost", False)
        self.plays_on(b"speakers")
        speakers, _ = open_sound_out()
        devices.give_up(SimulatedSoundCard())
        self.assertIs(open_sound_out(before=speakers)[0], speakers)
        devices.give_up(speakers)
        card, why = open_sound_out()
        self.assertIsInstance(card, SimulatedSoundCard)
        self.assertIn("started again", why)

    def test_headphones_that_come_later_are_played_on(self) -> None:
        self.plays_on(b"")
        card, _ = open_sound_out()
        self.plays_on(b"speakers")
        speakers, why = open_sound_out(before=card)
        self.assertIsInstance(speakers, DesktopSound)
        self.assertEqual(why, "")
        self.assertIs(open_sound_out(before=speakers)[0], speakers)
        self.plays_on(b"headphones")
        self.assertIsNot(open_sound_out(before=speakers)[0], speakers)


if __name__ == "__main__":
    unittest.main()

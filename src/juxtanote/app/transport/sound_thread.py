"""The thread that sound goes out and comes in on: the window may stand still meanwhile.

Measured with a sound server and a song that is listened to behind: pulled by the window's own thread
what was played had 31 and 95 gaps (1.5, 3.9 s) in 48 and 69 s, pulled here 4 and 13 (0.07, 0.26 s).
"""

import atexit
from collections.abc import Callable
from functools import cache
from threading import Lock
from time import monotonic
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QIODevice, QObject, Qt, QThread, pyqtSignal, pyqtSlot

from juxtanote.app.transport.rate import RATE

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QAudioSink, QAudioSource

Render = Callable[[int], NDArray[np.float32]]
BLOCK = 512  # samples: 12 ms, the delay that a change is heard with
ON_ITS_WAY_S = 0.2  # what a device may hold back more than at first before something counts as lost


def _silence(count: int) -> NDArray[np.float32]:
    return np.zeros((2, count), dtype=np.float32)


class _Pump(QIODevice):
    """Hands blocks to Qt when it asks."""

    def __init__(self, render: Render, parent: QObject | None) -> None:
        super().__init__(parent)
        self._render = render

    def readData(self, maxlen: int) -> bytes:
        frames = min(maxlen // 8, BLOCK)  # little at a time keeps the device's buffer full
        if frames <= 0:
            return b""
        try:
            block = self._render(frames)
        except Exception:
            self._render = _silence  # it is told once, not with every block
            raise
        return np.ascontiguousarray(block.T, dtype="<f4").tobytes()

    def writeData(self, data: object) -> int:
        return 0

    def isSequential(self) -> bool:
        return True

    def bytesAvailable(self) -> int:
        return 8 * BLOCK * 16 + super().bytesAvailable()


class OnSoundThread(QObject):
    """Opens and closes a device on the thread for sound: the window may stand still meanwhile."""

    begin_wanted = pyqtSignal()
    end_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.moveToThread(_sound_thread())
        # Whoever asks waits: after the end nothing is pulled or taken any more.
        waits = Qt.ConnectionType.BlockingQueuedConnection
        self.begin_wanted.connect(self.begin, waits)  # type: ignore[call-arg]
        self.end_wanted.connect(self.end, waits)  # type: ignore[call-arg]

    @pyqtSlot()
    def begin(self) -> None:
        """Open the device."""
        raise NotImplementedError

    @pyqtSlot()
    def end(self) -> None:
        """Close it."""
        raise NotImplementedError


class Speaker(OnSoundThread):
    """Owns what plays."""

    def __init__(self, make_sink: "Callable[[QObject], QAudioSink]") -> None:
        super().__init__()
        self._make_sink = make_sink
        self._sink: QAudioSink | None = None
        self._pump: _Pump | None = None
        self.render: Render | None = None

    @property
    def played(self) -> int:
        """Samples that left the device's buffer."""
        return 0 if self._sink is None else int(self._sink.processedUSecs() * RATE // 1_000_000)

    @pyqtSlot()
    def begin(self) -> None:
        """Open the device and let it pull."""
        assert self.render is not None
        if self._sink is None:
            self._sink = self._make_sink(self)
        self._pump = _Pump(self.render, self)
        self._pump.open(QIODevice.OpenModeFlag.ReadOnly)
        self._sink.start(self._pump)

    @pyqtSlot()
    def end(self) -> None:
        """Close the device."""
        if self._sink is not None:
            self._sink.stop()
        if self._pump is not None:
            self._pump.deleteLater()
            self._pump = None


class Ear(OnSoundThread):
    """Owns what listens, and holds what came in."""

    def __init__(self, make_source: "Callable[[QObject], QAudioSource]") -> None:
        super().__init__()
        self._make_source = make_source
        self._source: QAudioSource | None = None
        self._stream: QIODevice | None = None
        self._lock = Lock()
        self._held = bytearray()
        self._began: float | None = None  # when the first of it was played

    def samples(self, since: int = 0) -> NDArray[np.float32]:
        """Give what came in from a sample on."""
        with self._lock:
            return np.frombuffer(
                bytes(self._held[4 * since : len(self._held) // 4 * 4]), np.float32
            )

    def handed_over(self) -> NDArray[np.float32]:
        """Give all that came in, and hold it no longer."""
        came = self.samples().copy()
        with self._lock:
            self._held.clear()
        return came

    @property
    def count(self) -> int:
        """Samples that came in."""
        return len(self._held) // 4

    @property
    def lost(self) -> int:
        """Samples that went missing since the first ones came: a device may take its time to begin."""
        began, count = self._began, self.count
        due = 0.0 if began is None else RATE * (monotonic() - began - ON_ITS_WAY_S)
        return max(round(due) - count, 0)

    @pyqtSlot()
    def begin(self) -> None:
        """Open the device, with nothing held."""
        with self._lock:
            self._held.clear()
        self._began = None
        if self._source is None:
            self._source = self._make_source(self)
        self._stream = self._source.start()
        if self._stream is not None:
            self._stream.readyRead.connect(self._take)

    @pyqtSlot()
    def _take(self) -> None:
        if self._stream is not None:
            came = self._stream.readAll().data()
            with self._lock:
                self._held += came
            if self._began is None and came:
                self._began = monotonic() - len(came) / (4 * RATE)

    @pyqtSlot()
    def end(self) -> None:
        """Take what is left and close the device."""
        self._take()
        if self._source is not None:
            self._source.stop()
        self._stream = None


@cache
def _sound_thread() -> QThread:
    """Give the one thread that sound is pulled on; it ends with the program."""
    thread = QThread()
    thread.setObjectName("sound")
    thread.start(QThread.Priority.TimeCriticalPriority)

    def end() -> None:
        thread.quit()
        thread.wait()

    atexit.register(end)
    return thread

"""The one interface to sound going out and coming in, and its makers.

`SoundOut` pulls blocks from a function; `played` counts the samples that have sounded. The simulated
card keeps time by the clock and records what it was given; the desktop's sound goes through Qt.
"""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QElapsedTimer, QObject, QTimer

from juxtanote.app.transport.rate import RATE
from juxtanote.app.transport.sound_thread import BLOCK, Ear, Render, Speaker
from juxtanote.core.audio.read import read_sound, to_rate
from juxtanote.core.errors import SoundDeviceError

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QAudioSource

BUFFER_S = 0.09  # of the desktop's device: changes are heard within a tenth
RECORDS_S = 60  # what the simulated card remembers, for tests
SIMULATED = "simulated: a take of the demo"


class SoundOut(Protocol):
    """What plays."""

    name: str

    def start(self, render: Render) -> None:
        """Begin to pull blocks (2, n) from `render`."""

    def stop(self) -> None:
        """Stop pulling."""

    @property
    def played(self) -> int:
        """Samples that have sounded since `start`."""


class SimulatedSoundCard(QObject):
    """Plays to nobody in real time and remembers the last minute it was given."""

    name = "simulated sound card"

    def __init__(self, parent: QObject | None = None, *, by_hand: bool = False) -> None:
        super().__init__(parent)
        self._by_hand = by_hand
        self._clock = QElapsedTimer()
        self._timer = QTimer(self)
        self._timer.setInterval(10)
        self._timer.timeout.connect(self._on_tick)
        self._render: Render | None = None
        self._played = 0
        self._blocks: list[NDArray[np.float32]] = []

    def start(self, render: Render) -> None:
        """Begin to keep time."""
        self._render, self._played, self._blocks = render, 0, []
        self._clock.start()
        if not self._by_hand:
            self._timer.start()

    def stop(self) -> None:
        """Stop the clock."""
        self._timer.stop()
        self._render = None

    @property
    def played(self) -> int:
        """Samples given so far."""
        return self._played

    @property
    def recorded(self) -> NDArray[np.float32]:
        """What was given since `start`, at most the last minute, (2, n)."""
        if not self._blocks:
            return np.zeros((2, 0), dtype=np.float32)
        return np.concatenate(self._blocks, axis=1)

    def advance(self, samples: int) -> None:
        """Let time pass by hand."""
        while samples > 0 and self._render is not None:
            count = min(BLOCK, samples)
            self._blocks.append(self._render(count))
            self._played += count
            samples -= count
        excess = len(self._blocks) - RECORDS_S * RATE // BLOCK
        if excess > 0:
            del self._blocks[:excess]

    def _on_tick(self) -> None:
        due = self._clock.elapsed() * RATE // 1000 - self._played
        # After a long stall the card goes on from here instead of racing to catch up.
        if due > RATE:
            self._clock.start()
            self._played, due = 0, BLOCK
        self.advance(int(due))


MakeSink = Callable[[QObject], "QAudioSink"]


class DesktopSound(QObject):
    """The desktop's sound system, through QtMultimedia."""

    name = "desktop sound"
    is_lost = False  # of any: see `give_up`

    def __init__(self, make_sink: MakeSink, device: bytes, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.device = device  # by which the desktop knows it
        self._speaker = Speaker(make_sink)

    def start(self, render: Render) -> None:
        """Open the device and let it pull."""
        self._speaker.render = render
        self._speaker.begin_wanted.emit()

    def stop(self) -> None:
        """Close the device."""
        self._speaker.end_wanted.emit()

    @property
    def played(self) -> int:
        """Samples that left the device's buffer."""
        return self._speaker.played


def _format(channels: int) -> "QAudioFormat":
    from PyQt6.QtMultimedia import QAudioFormat

    form = QAudioFormat()
    form.setSampleRate(RATE)
    form.setChannelCount(channels)
    form.setSampleFormat(QAudioFormat.SampleFormat.Float)
    return form


def _desktop_sink() -> tuple[MakeSink, bytes]:
    """Give what opens the device that the desktop plays on now, and its name; or say that none is."""
    from PyQt6.QtMultimedia import QAudioSink, QMediaDevices

    if DesktopSound.is_lost:
        raise SoundDeviceError(
            "The sound device is gone until Juxtanote is started again; playing goes to a simulated one."
        )
    device = QMediaDevices.defaultAudioOutput()
    if device.isNull():
        raise SoundDeviceError("There is no sound device; playing goes to a simulated one.")
    form = _format(2)
    if not device.isFormatSupported(form):
        raise SoundDeviceError(
            "The sound device does not play 44.1 kHz stereo; playing goes to a simulated one."
        )

    def make(parent: QObject) -> "QAudioSink":
        sink = QAudioSink(device, form, parent)
        sink.setBufferSize(8 * round(BUFFER_S * RATE))
        return sink

    return make, device.id().data()


def open_sound_out(
    parent: QObject | None = None, before: SoundOut | None = None
) -> tuple[SoundOut, str]:
    """Open what the desktop plays on now, or the simulated card with a word on why.

    `before` is what was opened last: it stays while the desktop plays on it still, and where there is no
    device yet nothing is said again.
    """
    try:
        make_sink, device = _desktop_sink()
    except (SoundDeviceError, ImportError) as error:
        if isinstance(before, SimulatedSoundCard):
            return before, ""
        return SimulatedSoundCard(parent), str(error)
    if isinstance(before, DesktopSound) and before.device == device:
        return before, ""
    return DesktopSound(make_sink, device, parent), ""


def give_up(out: SoundOut) -> None:
    """Open the desktop's sound no more, for it takes nothing.

    Where a sound server has died, Qt 6.11 ends the program when it is asked for another device.
    """
    if isinstance(out, DesktopSound):
        DesktopSound.is_lost = True


class SoundIn(Protocol):
    """What listens."""

    name: str

    def level(self) -> float:
        """Give the largest sample since it was asked last, 0 to 1 and over."""

    @property
    def lost(self) -> int:
        """Give how many samples went missing on the way."""

    @property
    def came(self) -> int:
        """Give how many samples came in since the start; 0 for one that needs no clock."""

    def start(self) -> None:
        """Begin to listen."""

    def stop(self) -> NDArray[np.float32]:
        """Stop; give what came in, mono at `RATE`."""


class SimulatedMicrophone:
    """Plays a take from a file as if it came through a microphone while it was listened to."""

    name = "simulated microphone"

    def __init__(self, path: Path) -> None:
        sound = read_sound(path, sample_rate=RATE)
        self._mono = to_rate(sound.audio, sound.sample_rate, RATE).mean(axis=0)
        self._at = 0

    lost = came = 0

    def start(self) -> None:
        """Begin the take from its start."""
        self._at = 0

    def level(self) -> float:
        """Give the largest sample of the next sixteenth of a second."""
        return float(np.abs(self.record(RATE // 16)).max(initial=0.0))

    def stop(self) -> NDArray[np.float32]:
        """Give the whole take."""
        return np.asarray(self._mono, dtype=np.float32)

    def record(self, samples: int) -> NDArray[np.float32]:
        """Give the next mono samples; silence after the take's end."""
        part = self._mono[self._at : self._at + samples]
        self._at += samples
        return np.pad(part, (0, samples - len(part))).astype(np.float32)


class DesktopMicrophone(QObject):
    """The desktop's microphone, through QtMultimedia."""

    name = "microphone"

    def __init__(
        self,
        parent: QObject | None = None,
        wanted: str = "",
        make_source: "Callable[[QObject], QAudioSource] | None" = None,
    ) -> None:
        super().__init__(parent)
        self._ear = Ear(make_source or _desktop_source(wanted))
        self._looked = 0

    def start(self) -> None:
        """Open the device."""
        self._looked = 0
        self._ear.begin_wanted.emit()

    def level(self) -> float:
        """Give the largest sample since it was asked last."""
        fresh = self._ear.samples(self._looked)
        self._looked += len(fresh)
        return float(np.abs(fresh).max(initial=0.0))

    @property
    def lost(self) -> int:
        """Samples that went missing on the way."""
        return self._ear.lost

    @property
    def came(self) -> int:
        """Samples that came in."""
        return self._ear.count

    def stop(self) -> NDArray[np.float32]:
        """Close the device; give what came in."""
        self._ear.end_wanted.emit()
        return self._ear.handed_over()


def _desktop_source(wanted: str) -> "Callable[[QObject], QAudioSource]":
    """Give what opens a microphone of this name, or the desktop's own, or say why there is none."""
    from PyQt6.QtMultimedia import QAudioSource, QMediaDevices

    named = [d for d in QMediaDevices.audioInputs() if d.description() == wanted]
    device = named[0] if named else QMediaDevices.defaultAudioInput()
    if device.isNull():
        raise SoundDeviceError(
            "There is no microphone here. Plug one in, or compare a take that was recorded elsewhere."
        )
    form = _format(1)
    if not device.isFormatSupported(form):
        raise SoundDeviceError(
            "The microphone does not give 44.1 kHz: record with another program."
        )
    return lambda parent: QAudioSource(device, form, parent)


def microphones() -> list[str]:
    """Name the microphones of this machine, and the simulated one, which plays a take of the demo."""
    try:
        from PyQt6.QtMultimedia import QMediaDevices
    except ImportError:
        return [SIMULATED]
    return [*(device.description() for device in QMediaDevices.audioInputs()), SIMULATED]

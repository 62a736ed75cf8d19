"""Recording a take while the phrase loops: kept on this machine, and compared at once."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from juxtanote.app.document import Document
from juxtanote.app.folders import DEMO_TAKES, take_file, takes_folder
from juxtanote.app.practise import labels
from juxtanote.app.settings import LATENCY_MS, MICROPHONE
from juxtanote.app.transport.controller import Transport
from juxtanote.app.transport.devices import (
    SIMULATED,
    DesktopMicrophone,
    SimulatedMicrophone,
    SoundIn,
    SoundOut,
    open_sound_out,
)
from juxtanote.app.transport.rate import RATE
from juxtanote.core.audio.player import LoopPlayer
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.practice import latency

SHORTEST_S = 0.5  # a shorter take was a slip of the hand
CLIPPED = 0.99  # of full scale: a sample there was cut off
METER_MS = 60  # between two looks at the level: about as fast as one can see
PROBE_LEVEL = 0.5  # of full scale, loud enough for a microphone at a small speaker
COMPARE_MS, MOST_COMPARED = 10, 150
PROBE_MS = int(1000 * (latency.LENGTH_S + latency.LONGEST_S))
SLOWEST_MS = 4000  # so long may devices take to begin
LEAST_LOST_S = 0.02  # less than this is the clock of the card, not a lost block


class TakeRecorder(QObject):
    """Starts the loop and the microphone together; what came in is handed on, to be kept and heard."""

    told = pyqtSignal(str)
    changed = pyqtSignal(bool)  # whether it records
    recorded = pyqtSignal(object, object)  # where it is to be kept, and its samples
    level_changed = pyqtSignal(float)
    latency_changed = pyqtSignal(float)  # milliseconds

    def __init__(
        self, document: Document, transport: Transport, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self.open_microphone: Callable[[], SoundIn] = self._open_chosen
        self.is_probing = False
        self._meter = QTimer(self)
        self._meter.setInterval(METER_MS)
        self._meter.timeout.connect(self._on_meter)
        self._probing = QTimer(self)
        self._probing.setSingleShot(True)
        self._probing.timeout.connect(self._end_probe)
        self._comparing = QTimer(self)
        self._comparing.setInterval(COMPARE_MS)
        self._comparing.timeout.connect(self._on_compare)
        self._apart: list[int] = []  # samples that had come in more than were played
        self._before = 0  # samples that were played before the take
        self._probe_out: SoundOut | None = None
        self._microphone: SoundIn | None = None
        self._name = ""
        document.phrase_changed.connect(self.give_up)

    @property
    def is_recording(self) -> bool:
        """Whether a take is under way."""
        return self._microphone is not None and not self.is_probing

    def toggle(self) -> None:
        """Begin a take, or end it."""
        if self.is_recording:
            self.end()
        else:
            self.begin()

    def begin(self) -> None:
        """Loop the phrase and listen."""
        phrase = self._document.phrase
        if phrase is None or not phrase.notes:
            self.told.emit(labels.NO_NOTES)
            self.changed.emit(False)
            return
        try:
            self._microphone = self.open_microphone()
            self._microphone.start()
        except JuxtanoteError as error:
            self._microphone = None
            self.told.emit(str(error))
            self.changed.emit(False)
            return
        speed = round(100 * self._transport.speed)
        now = datetime.now().strftime("%Y-%m-%d %H-%M-%S")
        safe = "".join(c if c.isalnum() or c in " -_" else "-" for c in phrase.name)[:40]
        self._name = f"{now} {safe} {speed}.flac"
        self._apart = []
        if self._document.sound is not None:
            playing = self._transport.device if self._transport.is_playing else None
            self._transport.loop_phrase(phrase)
            self._transport.seek(phrase.start_s)
            self._compare(playing.played if playing is not None else 0)
            self._transport.play()
        self._meter.start()
        self.told.emit(labels.RECORDING)
        self.changed.emit(True)

    def end(self) -> None:
        """Stop, and hand the take on."""
        microphone, self._microphone = self._microphone, None
        if microphone is None:
            return
        self._transport.pause()
        self._meter.stop()
        self.changed.emit(False)
        lost = microphone.lost
        take = latency.began_together(microphone.stop(), self._apart)
        take = latency.taken_back(take, LATENCY_MS.read() / 1000.0, RATE)
        if len(take) < SHORTEST_S * RATE:
            self.told.emit(labels.TOO_SHORT)
            return
        if float(np.max(np.abs(take), initial=0.0)) > CLIPPED:
            self.told.emit(labels.TOO_LOUD)
        if lost > LEAST_LOST_S * RATE:
            self.told.emit(labels.LOST.format(ms=1000 * lost / RATE))
        self.recorded.emit(self.folder() / self._name, take)

    def give_up(self) -> None:
        """Stop without keeping anything: another phrase was chosen."""
        microphone, self._microphone = self._microphone, None
        if microphone is not None:
            microphone.stop()
            self._meter.stop()
            self.changed.emit(False)
            self.told.emit(labels.GIVEN_UP)

    def file_of(self, name: str) -> Path | None:
        """Find the sound of a take: among this machine's, or those of the demo."""
        return take_file(name)

    def _open_chosen(self) -> SoundIn:
        if MICROPHONE.read() == SIMULATED:
            return SimulatedMicrophone(sorted(DEMO_TAKES.glob("*.ogg"))[-1])
        return DesktopMicrophone(self, MICROPHONE.read())

    def _compare(self, before: int) -> None:
        """Look for a while how far apart what comes in and what is played are: neither begins at once.

        `before` are samples that were played already.
        """
        self._apart, self._before = [], before
        self._comparing.start()

    def _on_compare(self) -> None:
        out = self._probe_out if self.is_probing else self._transport.device
        if self._microphone is None or out is None or len(self._apart) >= MOST_COMPARED:
            self._comparing.stop()
        elif self._microphone.came and out.played > self._before:
            if self.is_probing and not self._apart:
                self._probing.start(PROBE_MS)  # both run now: it need not wait longer
            self._apart.append(self._microphone.came - (out.played - self._before))

    def _on_meter(self) -> None:
        if self._microphone is not None:
            self.level_changed.emit(self._microphone.level())

    # The delay of sound

    def measure_latency(self, out: "SoundOut | None" = None) -> None:
        """Play clicks and listen for them: how late they come in is taken back from every take."""
        if self.is_recording or self.is_probing:
            return
        self._transport.pause()
        try:
            self._microphone = self.open_microphone()
            self._microphone.start()
        except JuxtanoteError as error:
            self._microphone = None
            self.told.emit(str(error))
            return
        if out is None:
            out, _ = open_sound_out(self)
        player = LoopPlayer(RATE)
        sound = latency.probe(RATE)
        player.set_recording(np.stack([sound, sound]))
        player.set_level(PROBE_LEVEL)
        player.play()
        self._probe_out, self.is_probing = out, True
        out.start(player.render)
        self._compare(0)
        self._meter.start()
        self.told.emit(labels.MEASURING)
        waits = isinstance(self._microphone, DesktopMicrophone)
        self._probing.start(PROBE_MS + (SLOWEST_MS if waits else 0))

    def _end_probe(self) -> None:
        microphone, self._microphone = self._microphone, None
        self.is_probing = False
        self._meter.stop()
        if self._probe_out is not None:
            self._probe_out.stop()
        if microphone is None:
            return
        try:
            take = latency.began_together(microphone.stop(), self._apart)
            found = 1000.0 * latency.latency_of(take, RATE)
        except JuxtanoteError as error:
            self.told.emit(str(error))
            return
        LATENCY_MS.write(round(found, 1))
        self.latency_changed.emit(found)
        self.told.emit(labels.MEASURED.format(ms=found))

    @staticmethod
    def folder() -> Path:
        """Give where takes are kept: on this machine only."""
        return takes_folder()

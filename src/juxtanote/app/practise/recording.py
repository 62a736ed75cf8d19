"""Recording a take while the phrase loops: kept on this machine, and compared at once."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from juxtanote.app.document import Document
from juxtanote.app.folders import state_folder
from juxtanote.app.practise import labels
from juxtanote.app.transport.controller import Transport
from juxtanote.app.transport.devices import DesktopMicrophone, SoundIn
from juxtanote.app.transport.rate import RATE
from juxtanote.core.errors import JuxtanoteError

SHORTEST_S = 0.5
CLIPPED = 0.99


class TakeRecorder(QObject):
    """Starts the loop and the microphone together; what came in is handed on, to be kept and heard."""

    told = pyqtSignal(str)
    changed = pyqtSignal(bool)  # whether it records
    recorded = pyqtSignal(object, object)  # where it is to be kept, and its samples

    def __init__(
        self, document: Document, transport: Transport, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self.open_microphone: Callable[[], SoundIn] = lambda: DesktopMicrophone(self)
        self._microphone: SoundIn | None = None
        self._name = ""
        document.phrase_changed.connect(self.give_up)

    @property
    def is_recording(self) -> bool:
        """Whether a take is under way."""
        return self._microphone is not None

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
        if self._document.sound is not None:
            self._transport.loop_phrase(phrase)
            self._transport.seek(phrase.start_s)
            self._transport.play()
        self.told.emit(labels.RECORDING)
        self.changed.emit(True)

    def end(self) -> None:
        """Stop, and hand the take on."""
        microphone, self._microphone = self._microphone, None
        if microphone is None:
            return
        self._transport.pause()
        self.changed.emit(False)
        take = microphone.stop()
        if len(take) < SHORTEST_S * RATE:
            self.told.emit(labels.TOO_SHORT)
            return
        if float(np.max(np.abs(take), initial=0.0)) > CLIPPED:
            self.told.emit(labels.TOO_LOUD)
        self.recorded.emit(self.folder() / self._name, take)

    def give_up(self) -> None:
        """Stop without keeping anything: another phrase was chosen."""
        microphone, self._microphone = self._microphone, None
        if microphone is not None:
            microphone.stop()
            self.changed.emit(False)
            self.told.emit(labels.GIVEN_UP)

    @staticmethod
    def folder() -> Path:
        """Give where takes are kept: on this machine only."""
        return state_folder() / "takes"

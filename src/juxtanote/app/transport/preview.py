"""Playing a phrase or a take once, apart from the recording that is open."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from juxtanote.app.jobs.runner import JobRunner, Latest
from juxtanote.app.transport.rate import RATE
from juxtanote.core.audio.player import LoopPlayer
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.progress import Progress
from juxtanote.core.score.lesson import Lesson, Phrase

if TYPE_CHECKING:
    from juxtanote.app.transport.devices import SoundOut
    from juxtanote.core.synth.render import Rendered

LOOK_MS = 60  # between two looks whether it has ended


class Preview(QObject):
    """Gets a sound beside the window's thread and plays it once."""

    playing_changed = pyqtSignal(bool)

    def __init__(
        self, runner: JobRunner, parent: QObject | None = None, out: "SoundOut | None" = None
    ) -> None:
        super().__init__(parent)
        self.player = LoopPlayer(RATE)
        self._latest = Latest(runner, "Rendering a phrase", self, long=True)
        self._out, self._finds_out = out, out is None
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self._on_tick)

    @property
    def is_playing(self) -> bool:
        """Whether sound goes out."""
        return self._timer.isActive()

    def play(self, lesson: Lesson, phrase: Phrase, level: float) -> None:
        """Play a phrase of a lesson."""
        self.stop()
        self.player.set_level(level)

        def work(progress: Progress) -> object:
            from juxtanote.core.synth.render import render_phrase

            return render_phrase(phrase, lesson, RATE, progress)

        self._latest.ask(work, self._on_rendered)  # type: ignore[arg-type]

    def play_place(
        self,
        lesson: Lesson,
        phrase: Phrase,
        lesson_file: Path,
        folder: Path,
        level: float,
        nothing: Callable[[], None],
    ) -> None:
        """Play a phrase out of its lesson's recording, or say that there is nothing to play.

        `folder` takes what has to be unpacked.
        """
        self.stop()
        self.player.set_level(level)

        def work(progress: Progress) -> object:
            from juxtanote.core.audio.read import read_sound, to_rate
            from juxtanote.core.formats.lesson_file import find_recording

            place = find_recording(lesson, lesson_file, folder)
            if place is None:
                return None
            try:
                sound = read_sound(place, progress=progress)
            except JuxtanoteError:
                return None
            first, last = (round(t * sound.sample_rate) for t in (phrase.start_s, phrase.end_s))
            return to_rate(sound.audio[:, first:last], sound.sample_rate, RATE)

        def then(audio: object) -> None:
            if isinstance(audio, np.ndarray) and audio.shape[-1]:
                self._start(audio)
            else:
                nothing()

        self._latest.ask(work, then)

    def play_file(self, path: Path, level: float) -> None:
        """Play a sound file; nothing where it cannot be read."""
        self.stop()
        self.player.set_level(level)

        def work(progress: Progress) -> object:
            from juxtanote.core.audio.read import read_sound, to_rate

            try:
                sound = read_sound(path, progress=progress)
            except JuxtanoteError:
                return None
            return to_rate(sound.audio, sound.sample_rate, RATE)

        self._latest.ask(work, lambda audio: audio is not None and self._start(audio))  # type: ignore[arg-type, func-returns-value]

    def _on_rendered(self, rendered: "Rendered") -> None:
        self._start(np.stack([rendered.audio, rendered.audio]))

    def _start(self, audio: NDArray[np.float32]) -> None:
        if self._finds_out or self._out is None:
            from juxtanote.app.transport.devices import open_sound_out

            self._out, _ = open_sound_out(self, self._out)
        self.player.set_recording(audio)
        self.player.seek(0.0)
        self.player.play()
        self._out.start(self.player.render)
        self._timer.start()
        self.playing_changed.emit(True)

    def stop(self) -> None:
        """Be quiet."""
        self._latest.forget()
        if self._timer.isActive():
            self._timer.stop()
            if self._out is not None:
                self._out.stop()
            self.player.stop()
            self.playing_changed.emit(False)

    def _on_tick(self) -> None:
        if not self.player.is_playing:
            self.stop()

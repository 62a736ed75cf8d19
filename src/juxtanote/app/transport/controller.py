"""What the transport bar and the desks steer: one player, one sound device, one playhead."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from juxtanote.app.document import Change, Document
from juxtanote.app.settings import COUNT_IN_BEATS, LEVEL
from juxtanote.app.transport.rate import RATE
from juxtanote.core.later import np
from juxtanote.core.score.lesson import Phrase

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from juxtanote.app.transport.devices import SoundOut
    from juxtanote.core.audio.player import LoopPlayer

FRAME_MS = 16  # one picture of a 60 Hz screen
STUCK_FRAMES = 250  # 4 s: no device takes so long to begin, or to go on
STUCK = "The sound device takes nothing any more. Save, and start Juxtanote again to hear it."


class Transport(QObject):
    """Plays the document's sound; the playhead follows what has sounded."""

    moved = pyqtSignal(float)  # playhead, seconds of the recording
    playing_changed = pyqtSignal(bool)
    settings_changed = pyqtSignal()
    pass_ended = pyqtSignal(int, float)  # passes done, speed of the one that ended
    told = pyqtSignal(str)

    def __init__(
        self, document: Document, parent: QObject | None = None, out: SoundOut | None = None
    ) -> None:
        super().__init__(parent)
        self.document = document
        self._player: LoopPlayer | None = None
        self._out, self._finds_out = out, out is None
        self._speed, self._balance = 1.0, 0.0
        self._level, self._count_in = LEVEL.read(), COUNT_IN_BEATS.read()
        self._position_s = 0.0
        self._passes, self._pass_speed = 0, 1.0
        self.looped_name = ""  # of what loops, where it is not the current phrase or a part of it
        self._looped = 0  # the phrase whose loop is set, 0 for another stretch
        self.is_left_alone = False  # a phrase becomes current by itself: see `left_alone`
        self._render_base = 0
        self._last = (0, 0)  # how much was played, and for how many frames it was no more
        self._attacks: dict[
            int, tuple[object, NDArray[np.float64]]
        ] = {}  # by phrase, with its notes
        self._timer = QTimer(self)
        self._timer.setInterval(FRAME_MS)
        self._timer.timeout.connect(self._on_frame)
        document.sound_changed.connect(self._on_sound_changed)
        document.lesson_changed.connect(self._on_lesson_changed)
        document.phrase_changed.connect(self._on_phrase_changed)

    @property
    def player(self) -> LoopPlayer:
        """What loops and mixes; made when there is something to sound, or to be set."""
        if self._player is None:
            from juxtanote.core.audio.player import LoopPlayer

            self._player = LoopPlayer(RATE)
            self._player.set_level(self._level)
            self._player.count_in_beats = self._count_in
        return self._player

    # State

    @property
    def is_playing(self) -> bool:
        """Whether sound goes out."""
        return self._timer.isActive()

    @property
    def position_s(self) -> float:
        """The playhead."""
        return self._position_s

    @property
    def speed(self) -> float:
        """Part of the recording's speed."""
        return self._player.speed if self._player is not None else self._speed

    @property
    def balance(self) -> float:
        """-1 recording, +1 tab."""
        return self._balance

    @property
    def level(self) -> float:
        """Loudness, 0 to 1."""
        return self._level

    @property
    def loop_s(self) -> tuple[float, float] | None:
        """The loop."""
        return self._player.loop_s if self._player is not None else None

    @property
    def passes_done(self) -> int:
        """How often the loop was played."""
        return self._player.passes_done if self._player is not None else 0

    @property
    def clicks(self) -> bool:
        """Whether beats are clicked."""
        return self._player.click if self._player is not None else False

    @property
    def count_in_beats(self) -> int:
        """How many beats are counted before playing."""
        return self._count_in

    @property
    def device(self) -> SoundOut | None:
        """The sound device, once one was opened."""
        return self._out

    # Steering

    def toggle(self) -> None:
        """Play or pause; what waits for the next pass goes on."""
        if self.player.is_waiting:
            self.player.play()
        elif self.is_playing:
            self.pause()
        else:
            self.play()

    def play(self) -> None:
        """Start from the playhead."""
        if self.is_playing or self.document.sound is None:
            return
        if self._finds_out or self._out is None:  # headphones may have come meanwhile
            from juxtanote.app.transport.devices import open_sound_out

            self._out, why = open_sound_out(self, self._out)
            if why:
                self.told.emit(why)
        self._render_base = self.player.rendered
        self._last = (0, 0)
        self._passes = self.player.passes_done
        self.player.play()
        self._out.start(self.player.render)
        self._timer.start()
        self.playing_changed.emit(True)

    def pause(self) -> None:
        """Stop where the sound is."""
        if not self.is_playing:
            return
        self._timer.stop()
        if self._out is not None:
            self._out.stop()
        self.player.stop()
        self.player.seek(self._position_s)
        self.playing_changed.emit(False)

    def seek(self, seconds: float) -> None:
        """Go to a time."""
        self.player.seek(max(seconds, 0.0))
        self._move(max(seconds, 0.0))
        self.settings_changed.emit()

    def set_speed(self, speed: float) -> None:
        """Change the speed while playing."""
        self.player.set_speed(speed)
        self._speed = self.player.speed
        self.settings_changed.emit()

    def set_balance(self, balance: float) -> None:
        """Mix recording and tab."""
        self._balance = min(max(balance, -1.0), 1.0)
        self.player.set_balance(self._balance)
        self.settings_changed.emit()

    def swap(self, on: bool) -> None:
        """While held, let the other of recording and tab be heard alone: the one that is not louder."""
        if self._player is None:  # nothing can sound yet
            return
        other = -1.0 if self._balance > 0.0 else 1.0
        self._player.set_balance(other if on else self._balance)

    def set_apart(self, on: bool) -> None:
        """Put the recording on the left and the tab on the right, or both in the middle."""
        self.player.sides_apart = on
        self.settings_changed.emit()

    def set_level(self, level: float) -> None:
        """Set the loudness."""
        self._level = min(max(level, 0.0), 1.0)
        if self._player is not None:
            self._player.set_level(self._level)
        LEVEL.write(self._level)
        self.settings_changed.emit()

    def set_click(self, on: bool) -> None:
        """Turn the click on or off."""
        self.player.click = on
        self.settings_changed.emit()

    def set_count_in(self, beats: int) -> None:
        """Set how many beats are counted before playing."""
        self._count_in = max(0, min(beats, 16))
        COUNT_IN_BEATS.write(self._count_in)
        if self._player is not None:
            self._player.count_in_beats = self._count_in
        self.settings_changed.emit()

    def loop_phrase(self, phrase: Phrase | None) -> None:
        """Loop a phrase, or nothing."""
        if phrase is None:
            if self._player is not None:
                self._player.clear_loop()
            self.looped_name = ""
        else:
            self.set_loop(phrase.start_s, phrase.end_s)
        self._looped = phrase.ident if phrase is not None else 0
        self.settings_changed.emit()

    def set_loop(self, start_s: float, end_s: float) -> None:
        """Loop a stretch."""
        self.set_spans(((start_s, end_s),))

    def set_spans(self, spans_s: tuple[tuple[float, float], ...], name: str = "") -> None:
        """Loop stretches one after the other; what lies between them does not sound.

        The `name` is what is said to loop, where that is more than a part of the current phrase.
        """
        self.looped_name = name
        self.player.set_spans(spans_s)
        self._passes, self._looped = 0, 0
        if not self.is_playing:
            self._move(self.player.position_s)
        self.settings_changed.emit()

    @property
    def looped_phrase(self) -> int:
        """The phrase that loops as a whole; 0 where another stretch does, or none."""
        return self._looped if self.loop_s is not None else 0

    @contextmanager
    def left_alone(self) -> Iterator[None]:
        """Let a phrase become current that nobody asked for: who plays or stands somewhere stays."""
        self.is_left_alone = True
        try:
            yield
        finally:
            self.is_left_alone = False

    def audition(self, audio: NDArray[np.float32]) -> None:
        """Sound another version of the recording, such as the guitar brought forward."""
        self.player.replace_recording(audio)

    # Following

    def _on_frame(self) -> None:
        if self._out is None:
            return
        played = self._out.played
        if self._finds_out and self._is_stuck(played):
            self._give_up_device(self._out)
            return
        place = self.player.position_at(self._render_base + played)
        if place is not None:
            self._move(place)
        done = self.player.passes_done
        if done > self._passes:
            self.pass_ended.emit(done, self._pass_speed)
        self._passes, self._pass_speed = done, self.player.speed
        if not self.player.is_playing:
            self.pause()

    def _give_up_device(self, out: SoundOut) -> None:
        from juxtanote.app.transport.devices import give_up

        self.pause()
        give_up(out)
        self._out = None
        self.told.emit(STUCK)

    def _is_stuck(self, played: int) -> bool:
        """Whether the device took nothing for a while: it was unplugged, or its server is gone."""
        before, frames = (
            self._last
        )  # frames, no clock: while the window stands still nothing is stuck
        self._last = (played, 0) if played != before else (before, frames + 1)
        return self._last[1] > STUCK_FRAMES

    def _move(self, seconds: float) -> None:
        self._position_s = seconds
        self.moved.emit(seconds)

    def _on_sound_changed(self) -> None:
        self.pause()
        if self.document.sound is not None:
            self.player.set_recording(self.document.sound.audio)
            self._tell_beats()
            self._tell_attacks()
            self._on_phrase_changed()
        else:
            if self._player is not None:
                self._player.clear_recording()
            self._move(0.0)

    def _on_lesson_changed(self, change: Change) -> None:
        if self.document.sound is None:
            return
        if change.time:
            self._tell_beats()
        if change.phrases or change.whole:
            self._tell_attacks()
            self._follow_edges(change)

    def _tell_beats(self) -> None:
        length = self.document.sound.duration_s if self.document.sound else 0.0
        beats = self.document.lesson.time_map.beats_between(0.0, length)
        self.player.set_beats(np.array([(t, float(beat == 1)) for t, _, beat in beats]))

    def _tell_attacks(self) -> None:
        """Tell where notes begin; only phrases whose notes changed are read again."""
        known, self._attacks = self._attacks, {}
        for phrase in self.document.lesson.phrases:
            before = known.get(phrase.ident)
            if before is None or before[0] is not phrase.notes:
                before = phrase.notes, np.array([note.onset_s for note in phrase.notes])
            self._attacks[phrase.ident] = before
        rows = [onsets for _, onsets in self._attacks.values()]
        self.player.set_attacks(np.concatenate(rows) if rows else np.zeros(0))

    def _follow_edges(self, change: Change) -> None:
        """Let the loop of the current phrase move with its edges."""
        phrase, loop = self.document.phrase, self.loop_s
        if phrase is None or loop is None or phrase.ident not in change.phrases:
            return
        if (
            self._looped == phrase.ident
            and abs(loop[0] - phrase.start_s) + abs(loop[1] - phrase.end_s) > 1e-3
        ):
            self.set_loop(phrase.start_s, phrase.end_s)
            self._looped = phrase.ident

    def _on_phrase_changed(self) -> None:
        phrase = self.document.phrase
        if phrase is None or self.document.sound is None:
            return
        if self.is_left_alone and (self.is_playing or self.position_s > 0.0):
            return
        self.loop_phrase(phrase)
        if not self.is_playing:
            self.seek(phrase.start_s)

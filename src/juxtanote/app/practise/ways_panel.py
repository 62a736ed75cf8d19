"""The ways to practise as a list: what each trains, and Return begins it."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from juxtanote.app.document import Document
from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.app.look.theme import LARGE, px
from juxtanote.app.practise import labels
from juxtanote.app.practise.runs import Runs
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.parts import Panel, soft, strong
from juxtanote.core.audio.clicks import Clicked
from juxtanote.core.audio.sound import Sound
from juxtanote.core.checks.difficulty import difficulty_of, hardest
from juxtanote.core.practice.ways import WAYS, Way, next_key
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import KEY, PLAIN, SLURRED, STRINGS, Lesson, Phrase, Variation
from juxtanote.core.score.transpose import vary

LEAST_AT_SIDES = 0.03  # of the middle's level: less is no band


def sides_of(sound: Sound) -> NDArray[np.float32] | None:
    """Give what is not in the middle of a recording, shape (2, n_samples); None where that is nothing."""
    sides = np.float32(0.5) * (sound.audio[0] - sound.audio[1])
    middle = np.float32(0.5) * (sound.audio[0] + sound.audio[1])
    if float(np.std(sides)) < LEAST_AT_SIDES * float(np.std(middle)):
        return None
    return np.stack([sides, -sides])


class WaysPanel(Panel):
    """Begins a way to practise the current phrase."""

    told = pyqtSignal(str)
    parts_wanted = pyqtSignal()

    def __init__(
        self,
        document: Document,
        transport: Transport,
        runs: Runs,
        runner: JobRunner,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._transport, self._runs = document, transport, runs
        self._runner = runner
        self._spot = (0, 0)  # phrase, and which of its hardest bars comes next
        self._backs: Sound | None = None  # the recording that sounds without its middle
        self.list = QListWidget()
        self.list.setAccessibleName(labels.WAYS)
        for told in WAYS:
            item = QListWidgetItem(told.way.value.capitalize())
            item.setData(Qt.ItemDataRole.UserRole, told.way)
            item.setToolTip(f"Trains {told.trains}.")
            self.list.addItem(item)
        self.list.setMinimumHeight(px(120))
        self.trains = soft(wrap=True)
        self.column.addWidget(strong(labels.WAYS, LARGE))
        self.column.addWidget(self.list)
        self.column.addWidget(self.trains)
        self.list.currentRowChanged.connect(self._on_row)
        self.list.itemActivated.connect(
            lambda item: self.begin(item.data(Qt.ItemDataRole.UserRole))
        )
        self.list.setCurrentRow(0)

    def _on_row(self, row: int) -> None:
        if 0 <= row < len(WAYS):
            self.trains.setText(labels.TRAINS.format(words=WAYS[row].trains))

    def begin(self, way: Way) -> None:
        """Begin a way; what it needs and does not have is told."""
        phrase = self._document.phrase
        if phrase is None or not phrase.notes:
            self.told.emit(labels.NO_NOTES)
            return
        clicks = {
            Way.BACK_BEAT: Clicked.BACK, Way.OFF_BEAT: Clicked.OFF, Way.SILENT_BARS: Clicked.OTHER_BARS,
        }  # fmt: skip
        if way in clicks:
            self._runs.clicked.setCurrentIndex(self._runs.clicked.findData(clicks[way]))
            self._transport.set_click(True)
            self.told.emit(labels.CLICKS.format(where=clicks[way].value))
        elif way is Way.PARTS:
            self.parts_wanted.emit()
        elif way is Way.WEAK_SPOTS:
            self._weak_spot(phrase)
        elif way is Way.BACKING:
            self._backing()
        else:
            self._variant(way, phrase)

    def _weak_spot(self, phrase: Phrase) -> None:
        """Loop the next of the hardest bars, those that takes missed first; then the whole phrase."""
        lesson = self._document.lesson
        missed = {
            bar.bar: bar.written - bar.played
            for take in lesson.kept.takes[-3:]
            if take.phrase == phrase.ident
            for bar in take.bars
        }
        bars = difficulty_of(phrase, self._document.context, self._transport.speed)
        worst = sorted(hardest(bars), key=lambda bar: -missed.get(bar.bar, 0))
        ident, at = self._spot if self._spot[0] == phrase.ident else (phrase.ident, 0)
        if at >= len(worst):
            self._spot = (ident, 0)
            self._transport.loop_phrase(phrase)
            self.told.emit(labels.WHOLE_AGAIN)
            return
        self._spot = (ident, at + 1)
        starts = [max(bar.start_s, phrase.start_s) for bar in worst]
        self._transport.set_loop(starts[at], min(worst[at].end_s, phrase.end_s))
        self._transport.seek(starts[at])
        self.told.emit(labels.WEAK_SPOT.format(bar=worst[at].bar, figure=worst[at].figure))

    def _backing(self) -> None:
        """Sound what is not in the middle, where the lead mostly is; or all of it again."""
        sound = self._document.sound
        if sound is None:
            self.told.emit(labels.NO_SOUND)
            return
        if self._backs is sound:
            self._backs = None
            self._transport.audition(sound.audio)
            self.told.emit(labels.AS_IT_IS)
            return

        def then(sides: object) -> None:
            if self._document.sound is not sound:
                return
            if sides is None:
                self.told.emit(labels.NO_SIDES)
                return
            self._backs = sound
            self._transport.audition(sides)  # type: ignore[arg-type]
            self.told.emit(labels.SIDES)

        self._runner.start(
            Job("Taking the lead out", lambda _: sides_of(sound), then, quiet=True, long=True)
        )

    def _variant(self, way: Way, phrase: Phrase) -> None:
        source = self._document.lesson.source_of(phrase.ident)
        if source is None:
            return
        lesson = self._document.lesson
        makers: dict[Way, Callable[[], Phrase]] = {
            Way.PICKED: lambda: vary(lesson, source, Variation(PLAIN)).phrase,
            Way.SLURRED: lambda: vary(lesson, source, Variation(SLURRED)).phrase,
            Way.OTHER_STRINGS: lambda: vary(lesson, source, Variation(STRINGS, 1)).phrase,
            Way.OTHER_KEYS: lambda: (
                vary(lesson, source, Variation(KEY, self._key_after(phrase))).phrase
            ),
            Way.WITH_BAR: lambda: self._exercise(lesson, source, "WITH_BAR"),
            Way.OTHER_BEAT: lambda: self._exercise(lesson, source, "FROM_BEAT"),
        }
        if way is Way.OTHER_KEYS and self._key_after(phrase) == 0:
            self._document.choose_phrase(source.ident)
            self.told.emit(labels.ALL_KEYS)
            return
        made = makers[way]()
        known = next((v for v in source.variants if v.name == made.name), None)
        if known is None:
            self._document.change(
                "Make a variant", lambda l: edits.add_variant(l, source.ident, made)
            )
        chosen = known or made
        self._document.choose_phrase(chosen.ident)
        self.told.emit(labels.WAY_BEGUN.format(name=chosen.name))

    @staticmethod
    def _key_after(phrase: Phrase) -> int:
        return next_key(phrase.variation.semitones if phrase.variation is not None else 0)

    @staticmethod
    def _exercise(lesson: Lesson, source: Phrase, kind: str) -> Phrase:
        from juxtanote.core.exercises.kinds import Kind
        from juxtanote.core.exercises.make import exercise

        return exercise(lesson, source, Kind[kind]).phrase

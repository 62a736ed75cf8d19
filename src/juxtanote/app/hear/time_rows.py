"""Rows of the Hear desk that bend the time map: tempo, metre, form and chords."""

import re
from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QLineEdit, QPushButton, QWidget

from juxtanote.app.document import Document
from juxtanote.app.look.theme import px
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.parts import Elided, number_box, soft_line
from juxtanote.core.score.form import bar_at, set_chords
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.theory.chords import parse_progression

if TYPE_CHECKING:
    from juxtanote.core.analysis.beats import BarReading, BeatReading, Pulses

METRES = ("4/4", "3/4", "2/4", "6/8", "12/8", "9/8", "5/4", "7/8")
_BUTTONS = (
    ("half", "½", "Half as many beats"),
    ("double", "×2", "Twice as many beats"),
    ("tap", "tap", "Tap four beats or more while it plays"),
    ("steady", "even", "A constant tempo inside the phrase"),
    ("bar one", "bar 1", "The beat nearest the playhead is the first of bar 1"),
    ("back", "‹", "Bar lines one beat earlier"),
    ("on", "›", "Bar lines one beat later"),
    ("pulse", "next reading", "Take the next reading of the beat"),
    ("bars", "next reading", "Take the next reading of the bars"),
    ("chords", "suggest", "Suggest a chord for each bar of the phrase"),
)


T = TypeVar("T")


class TimeRows(QObject):
    """The widgets of those rows, and what they change; the desk lays them out."""

    told = pyqtSignal(str)
    chords_wanted = pyqtSignal()
    readings_changed = pyqtSignal()
    beats_wanted = pyqtSignal(str, object)  # words for undo, and from the time map to the new one

    def __init__(
        self, document: Document, transport: Transport, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self._beats: BeatReading | None = None
        self._taken, self._bars_taken = 0, 0
        self._taps: list[float] = []
        self._filling = False
        self.tempo = QDoubleSpinBox()
        self.tempo.setRange(20.0, 400.0)
        self.tempo.setDecimals(1)
        self.tempo.setAccessibleName("Tempo in beats a minute")
        self.tempo.setSuffix(" a minute")
        self.tempo.setFixedWidth(px(128))
        self.metre = QComboBox()
        self.metre.setEditable(True)
        self.metre.addItems(METRES)
        self.metre.setAccessibleName("Metre")
        self.metre.setMaximumWidth(px(100))
        self.form = number_box(0, 999, 1, 0, " bars", "Length of the form")
        self.form.setSpecialValueText("no form")
        self.form.setMaximumWidth(px(100))
        self.chords = QLineEdit()
        self.chords.setAccessibleName("Chords of the phrase, bar by bar")
        self.chords.setPlaceholderText("such as Am | Dm G | E7")
        self.pulse_evidence, self.bar_evidence = soft_line(), soft_line()
        self.buttons: dict[str, QPushButton] = {}
        for name, words, tip in _BUTTONS:
            button = QPushButton(words)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.setStyleSheet("padding: 4px 7px;")
            self.buttons[name] = button
        self._connect()

    # Rows for the desk

    def tempo_row(self) -> QWidget:
        """Give tempo and what bends the beats."""
        return row(self.tempo, *(self.buttons[n] for n in ("half", "double", "tap", "steady")))

    def pulse_row(self) -> QWidget:
        """Give what was measured of the beat, and the way to its next reading."""
        return row(self.buttons["pulse"], self.pulse_evidence)

    def metre_row(self) -> QWidget:
        """Give metre and what moves bar lines."""
        return row(self.metre, *(self.buttons[n] for n in ("bar one", "back", "on")))

    def bar_row(self) -> QWidget:
        """Give what was measured of the bars."""
        return row(self.buttons["bars"], self.bar_evidence)

    def chord_row(self) -> QWidget:
        """Give the form and the chords of the phrase."""
        return row(self.form, self.chords, self.buttons["chords"])

    def _connect(self) -> None:
        self.tempo.editingFinished.connect(self._on_tempo)
        self.metre.activated.connect(self._on_metre)
        line = self.metre.lineEdit()
        if line is not None:
            line.editingFinished.connect(self._on_metre)
        self.form.editingFinished.connect(self._on_form)
        self.chords.editingFinished.connect(self._on_chords)
        for name, slot in (
            ("half", lambda: self.change_beats("Halve the beats", lambda m: m.halved())),
            ("double", lambda: self.change_beats("Double the beats", lambda m: m.doubled())),
            ("tap", self._on_tap), ("steady", self._on_steady), ("bar one", self._on_bar_one),
            ("back", lambda: self.change_beats("Shift bar lines", lambda m: m.shifted_by_a_beat(-1))),
            ("on", lambda: self.change_beats("Shift bar lines", lambda m: m.shifted_by_a_beat(1))),
            ("pulse", self.take_next_pulse), ("bars", self.take_next_bars),
            ("chords", self.chords_wanted.emit),
        ):  # fmt: skip
            self.buttons[name].clicked.connect(slot)

    # Showing

    def show_readings(self, beats: "BeatReading") -> None:
        """Show what was measured, and what else it could be."""
        self._beats, self._taken, self._bars_taken = beats, 0, 0
        self._show_evidence()
        self.readings_changed.emit()

    def forget_readings(self) -> None:
        """Know nothing of the recording that is open now."""
        self._beats, self._taps = None, []
        for label in (self.pulse_evidence, self.bar_evidence):
            label.setText("")
        self._show_evidence()
        self.readings_changed.emit()

    @property
    def has_readings(self) -> bool:
        """Whether there is another reading to take."""
        return self._beats is not None and len(self._beats.readings) > 1

    def _show_evidence(self) -> None:
        beats = self._beats
        for name in ("pulse", "bars"):
            self.buttons[name].setVisible(beats is not None)
        if beats is None:
            return
        first, *others = _turned(beats.readings, self._taken)
        self.pulse_evidence.setText(_listed(_pulse_words(first), [_pulse_words(r) for r in others]))
        bars = _turned(beats.bars[:4], self._bars_taken)
        self.bar_evidence.setToolTip(f"The beats fall into threes: {100 * beats.threes:.0f} %")
        words = [_bar_words(reading) for reading in bars]
        self.bar_evidence.setText(_listed(words[0], words[1:2]))

    def show_lesson(self, lesson: Lesson, phrase: Phrase | None) -> None:
        """Show what is set."""
        self._filling = True
        self.tempo.setValue(lesson.time_map.tempo_at(phrase.start_s if phrase else 0.0))
        self.metre.setEditText("{}/{}".format(*lesson.time_map.signature))
        self.form.setValue(lesson.form_bars)
        self.chords.setEnabled(phrase is not None)
        self.buttons["chords"].setEnabled(phrase is not None and self._document.sound is not None)
        for name in ("bar one", "tap"):
            self.buttons[name].setEnabled(self._document.sound is not None)
        self.buttons["steady"].setEnabled(phrase is not None)
        known = dict(lesson.context(phrase).chords)
        self.chords.setReadOnly(phrase is not None and phrase.is_variant)
        self.chords.setText("")
        if phrase is not None:
            texts = [known.get(bar, "") for bar in self._bars_of(lesson, phrase)]
            self.chords.setText(" | ".join(texts) if any(texts) else "")
        self._show_evidence()
        self._filling = False

    @staticmethod
    def _bars_of(lesson: Lesson, phrase: Phrase) -> range:
        return range(bar_at(lesson, phrase.start_s), bar_at(lesson, phrase.end_s - 0.15) + 1)

    # Changing

    def _change(self, text: str, edit: Callable[[Lesson], Lesson]) -> None:
        if self._filling:
            return
        try:
            self._document.change(text, edit)
        except ValueError as error:
            self.told.emit(f"{error}.")

    def change_beats(self, text: str, change: Callable[[TimeMap], TimeMap]) -> None:
        """Change the time map; what makes no map is told and left."""
        if self._filling:
            return
        try:
            change(self._document.lesson.time_map)
        except ValueError as error:
            self.told.emit(f"{error}.")
        else:
            self.beats_wanted.emit(text, change)

    def take_next_pulse(self) -> None:
        """Lay the map through the next reading of the beat."""
        if self._beats is None or len(self._beats.readings) < 2:
            self.told.emit("There is no other reading of the beat. Measure the recording first.")
            return
        self._taken = (self._taken + 1) % len(self._beats.readings)
        reading = self._beats.readings[self._taken]
        from juxtanote.core.measuring import time_map_of

        self.change_beats(f"Take {reading.bpm:.0f} beats a minute", lambda m: time_map_of(reading))
        self._show_evidence()

    def take_next_bars(self) -> None:
        """Lay the bars as the next reading of them has it."""
        if self._beats is None or len(self._beats.bars) < 2:
            self.told.emit("There is no other reading of the bars. Measure the recording first.")
            return
        self._bars_taken = (self._bars_taken + 1) % min(len(self._beats.bars), 4)
        reading = self._beats.bars[self._bars_taken]
        times = self._beats.best.beat_times_s
        one_s = float(times[min(reading.first_downbeat, len(times) - 1)])

        def laid(time_map: TimeMap) -> TimeMap:
            # By time: the beats may be other ones by now than those that were measured.
            metre = replace(
                time_map, beats_per_bar=reading.beats_per_bar, division=reading.division
            )
            return metre.with_bar_one_at(one_s)

        self.change_beats("Take other bars", laid)
        self._show_evidence()

    def _on_tempo(self) -> None:
        bpm, phrase = self.tempo.value(), self._document.phrase
        time_map = self._document.lesson.time_map
        if abs(bpm - time_map.tempo_at(phrase.start_s if phrase else 0.0)) < 0.06:
            return
        bar_one = float(time_map.to_seconds(0.0))
        length = max(time_map.beat_times_s[-1], self._document.lesson.recording.duration_s)
        self.change_beats("Set tempo", lambda m: m.with_constant_tempo(bpm, bar_one, length))

    def _on_steady(self) -> None:
        phrase = self._document.phrase
        if phrase is None:
            self.told.emit("Choose a phrase: its beats are spaced evenly.")
            return
        self.change_beats(
            "Even out beats", lambda m: m.with_steady_tempo(phrase.start_s, phrase.end_s)
        )

    def _on_metre(self, *_: object) -> None:
        text = self.metre.currentText().strip()
        match = re.fullmatch(r"(\d{1,2})\s*/\s*(2|4|8|16)", text)
        if match is None:
            self.told.emit(f"{text!r} is no metre such as 4/4 or 6/8.")
            self.show_lesson(self._document.lesson, self._document.phrase)
            return
        count, unit = int(match[1]), int(match[2])
        if (count, unit) != self._document.lesson.time_map.signature:
            self.change_beats("Set metre", lambda m: m.with_signature(count, unit))

    def _on_bar_one(self) -> None:
        here = self._transport.position_s
        self.change_beats("Set bar 1", lambda m: m.with_bar_one_at(here))

    def _on_tap(self) -> None:
        here = self._transport.position_s
        if self._taps and not 0.15 < here - self._taps[-1] < 3.0:
            self._taps = []
        self._taps.append(here)
        if len(self._taps) >= 4:
            taps = tuple(self._taps)
            self.change_beats("Tap beats", lambda m: m.tapped(taps))

    def _on_form(self) -> None:
        bars = self.form.value()
        if bars != self._document.lesson.form_bars:
            self._change("Set the form", lambda l: replace(l, form_bars=bars))

    def _on_chords(self) -> None:
        phrase, lesson = self._document.phrase, self._document.lesson
        if phrase is None or self._filling or phrase.is_variant:
            return
        try:
            symbols = parse_progression(self.chords.text())
        except ValueError as error:
            self.told.emit(f"{error}.")
            return
        bars = self._bars_of(lesson, phrase)
        symbols += [""] * (len(bars) - len(symbols))
        chords = set_chords(lesson, bars.start, symbols)
        if chords != lesson.chords:
            self._change("Set chords", lambda l: replace(l, chords=chords))


def row(*widgets: QWidget) -> QWidget:
    """Put widgets beside each other without margins; the last text takes what room is left."""
    holder = QWidget()
    layout = QHBoxLayout(holder)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(4)
    for widget in widgets:
        layout.addWidget(widget, 1 if isinstance(widget, Elided) else 0)
    if not any(isinstance(w, (QLineEdit, Elided)) for w in widgets):
        layout.addStretch(1)
    return holder


def _turned(items: tuple[T, ...], first: int) -> list[T]:
    """Give the items with one of them first."""
    return [items[first], *(item for k, item in enumerate(items) if k != first)]


def _pulse_words(reading: "Pulses") -> str:
    return f"{reading.bpm:.1f} ({100 * reading.share:.0f} %)"


def _bar_words(reading: "BarReading") -> str:
    first = reading.first_downbeat % reading.beats_per_bar
    return f"{reading.signature} from beat {first + 1} ({100 * reading.share:.0f} %)"


def _listed(first: str, others: list[str]) -> str:
    return first + (", or " + ", ".join(others) if others else "")

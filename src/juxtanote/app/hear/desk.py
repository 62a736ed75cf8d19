"""The Hear desk: the whole recording, what it is, and where its phrases are."""

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.document import Document
from juxtanote.app.hear import labels
from juxtanote.app.hear.feel_picture import FeelPicture
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.parts import Panel, heading, number_box, soft
from juxtanote.app.widgets.strip import Strip
from juxtanote.core.errors import TuningError
from juxtanote.core.score import edits
from juxtanote.core.score.feel import feel_words, measure_feel
from juxtanote.core.score.lesson import STATUSES, Lesson, Phrase
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.theory.pitch import pitch_name
from juxtanote.core.theory.scales import parse_key
from juxtanote.core.theory.tuning import PRESETS, parse_tuning, tuning_name
from juxtanote.core.transcribe import Measured, guess_tuning


class HearDesk(QWidget):
    """Cutting, naming and measuring."""

    measure_wanted = pyqtSignal()
    propose_wanted = pyqtSignal()
    focus_wanted = pyqtSignal()
    audition_wanted = pyqtSignal(bool)
    told = pyqtSignal(str)

    def __init__(
        self, document: Document, transport: Transport, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self._measured: Measured | None = None
        self._filling = False
        self._taps: list[float] = []
        self.strip = Strip(document, transport, detailed=True)
        self.phrases = QTableWidget(0, len(labels.COLUMNS))
        self.phrases.setHorizontalHeaderLabels(list(labels.COLUMNS))
        self._set_up_table()
        self.tempo = QDoubleSpinBox()
        self.tempo.setRange(20.0, 400.0)
        self.tempo.setDecimals(1)
        self.tempo.setAccessibleName("Tempo")
        self.beats_per_bar, self.reference = QSpinBox(), QDoubleSpinBox()
        self.beats_per_bar.setRange(1, 16)
        self.beats_per_bar.setAccessibleName("Beats to a bar")
        self.reference.setRange(-100.0, 100.0)
        self.reference.setDecimals(1)
        self.reference.setAccessibleName("Reference pitch in cents")
        self.tuning = QComboBox()
        self.tuning.setEditable(True)
        self.tuning.addItems(list(PRESETS))
        self.tuning.setAccessibleName("Tuning")
        self.key, self.feel = QLineEdit(), QLineEdit()
        self.key.setPlaceholderText("such as A minor")
        self.key.setAccessibleName("Key")
        self.feel.setPlaceholderText("such as straight sixteenths")
        self.feel.setAccessibleName("Feel")
        self.feel_picture = FeelPicture()
        self.evidence = {name: soft() for name in ("tempo", "metre", "reference", "tuning", "key")}
        self.measure = QPushButton(labels.MEASURE)
        self.propose = QPushButton(labels.PROPOSE)
        self.source = QComboBox()
        self.source.setAccessibleName("Part of the stereo picture")
        for key, words in labels.SOURCES.items():
            self.source.addItem(words, key)
        self.low = number_box(20, 16_000, 20, 40, " Hz", "Lowest frequency")
        self.high = number_box(20, 16_000, 20, 10_000, " Hz", "Highest frequency")
        self.no_drums = QCheckBox("without drums")
        self.choose = QPushButton(labels.CHOOSE)
        self.audition = QCheckBox(labels.AUDITION)
        self.focus_why = soft()
        self._lay_out()
        self._connect()
        self._on_lesson_changed()

    def _set_up_table(self) -> None:
        table = self.phrases
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setShowGrid(False)
        table.setAccessibleName("Phrases")
        table.setStyleSheet("QTableWidget { border: none; background: transparent; }")
        rows, columns = table.verticalHeader(), table.horizontalHeader()
        if rows is not None:
            rows.hide()
        if columns is not None:
            columns.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            columns.setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
            columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 12, 20, 12)
        column.setSpacing(8)
        column.addWidget(self.strip, 3)
        column.addWidget(soft(labels.DRAG))
        lower = QHBoxLayout()
        lower.setSpacing(14)
        left = Panel()
        head = QHBoxLayout()
        head.addWidget(heading(labels.PHRASES))
        head.addStretch(1)
        head.addWidget(self.propose)
        left.column.addLayout(head)
        left.column.addWidget(self.phrases)
        lower.addWidget(left, 3)
        lower.addWidget(self._facts_panel(), 2)
        column.addLayout(lower, 5)

    def _facts_panel(self) -> Panel:
        panel = Panel()
        top = QHBoxLayout()
        top.addWidget(heading(labels.FACTS))
        top.addStretch(1)
        top.addWidget(self.measure)
        panel.column.addLayout(top)
        grid = QGridLayout()
        grid.setVerticalSpacing(4)
        grid.setHorizontalSpacing(10)
        rows: list[tuple[str, QWidget, QLabel | None]] = [
            ("tempo", self._tempo_row(), self.evidence["tempo"]),
            ("beats to a bar", self.beats_per_bar, self.evidence["metre"]),
            ("reference pitch", self.reference, self.evidence["reference"]),
            ("tuning", self.tuning, self.evidence["tuning"]),
            ("key", self.key, self.evidence["key"]),
            ("feel", self._feel_row(), None),
            ("guitar forward", self._focus_row(), None),
            ("", self._choose_row(), None),
        ]
        self.reference.setSuffix(" cents")
        self.tempo.setSuffix(" beats a minute")
        line = 0
        for words, widget, note in rows:
            grid.addWidget(soft(words), line, 0)
            grid.addWidget(widget, line, 1)
            line += 1
            if note is not None:
                grid.addWidget(note, line, 1)
                line += 1
        grid.setColumnStretch(1, 1)
        panel.column.addLayout(grid)
        panel.column.addStretch(1)
        return panel

    def _tempo_row(self) -> QWidget:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.tempo, 1)
        self.map_buttons: dict[str, QPushButton] = {}
        for name, words, tip in (
            ("half", "½", "Half as many beats"),
            ("double", "×2", "Twice as many beats"),
            ("bar one", "bar 1", "The beat nearest the playhead is the first of bar 1"),
            ("tap", "tap", "Tap four beats or more while it plays"),
        ):
            button = QPushButton(words)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.setStyleSheet("padding: 4px 7px;")
            self.map_buttons[name] = button
            layout.addWidget(button)
        return row

    def _focus_row(self) -> QWidget:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        for part in (self.source, self.low, self.high, self.no_drums):
            layout.addWidget(part)
        return row

    def _feel_row(self) -> QWidget:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.feel, 1)
        layout.addWidget(self.feel_picture)
        return row

    def _choose_row(self) -> QWidget:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.choose)
        layout.addWidget(self.audition)
        layout.addWidget(self.focus_why, 1)
        return row

    def _connect(self) -> None:
        self.measure.clicked.connect(self.measure_wanted)
        self.propose.clicked.connect(self.propose_wanted)
        self.tempo.editingFinished.connect(self._on_tempo)
        self.beats_per_bar.editingFinished.connect(self._on_metre)
        self.reference.editingFinished.connect(self._on_reference)
        self.tuning.activated.connect(self._on_tuning)
        tuning_line = self.tuning.lineEdit()
        if tuning_line is not None:
            tuning_line.editingFinished.connect(self._on_tuning)
        self.key.editingFinished.connect(self._on_key)
        self.feel.editingFinished.connect(self._on_feel)
        self.map_buttons["half"].clicked.connect(self._on_half)
        self.map_buttons["double"].clicked.connect(self._on_double)
        self.map_buttons["bar one"].clicked.connect(self._on_bar_one)
        self.map_buttons["tap"].clicked.connect(self._on_tap)
        self.source.activated.connect(self._on_focus)
        self.low.editingFinished.connect(self._on_focus)
        self.high.editingFinished.connect(self._on_focus)
        self.no_drums.clicked.connect(self._on_focus)
        self.choose.clicked.connect(self.focus_wanted)
        self.audition.toggled.connect(self.audition_wanted)
        self.phrases.itemChanged.connect(self._on_cell)
        self.phrases.currentCellChanged.connect(self._on_row)
        self.strip.play_here.connect(self._on_play_here)
        self._document.lesson_changed.connect(self._on_lesson_changed)
        self._document.phrase_changed.connect(self._on_lesson_changed)
        self._document.phrase_changed.connect(self._end_audition)

    # Showing

    def show_measured(self, measured: Measured) -> None:
        """Show what was measured beside what is set."""
        self._measured = measured
        tempos = measured.beats.tempos
        others = ", ".join(f"{t.bpm:.0f}" for t in tempos[1:3])
        share = tempos[0].share if tempos else 1.0
        self.evidence["tempo"].setText(
            f"measured {tempos[0].bpm:.1f}, {100 * share:.0f} % of the evidence"
            + (f"; or {others}" if others else "")
        )
        parts = "threes" if measured.beats.division == 3 else "halves"
        self.evidence["metre"].setText(f"measured {measured.beats.beats_per_bar}, beats in {parts}")
        self.evidence["reference"].setText(
            f"measured {measured.reference_cents:+.1f}, sure {measured.reference_certainty:.2f}"
        )

    def _on_lesson_changed(self) -> None:
        if self._filling:
            return
        self._filling = True
        lesson = self._document.lesson
        where = self._document.phrase.start_s if self._document.phrase else 0.0
        self.tempo.setValue(lesson.time_map.tempo_at(where))
        self.beats_per_bar.setValue(lesson.time_map.beats_per_bar)
        self.reference.setValue(lesson.reference_cents)
        names = {tuning: name for name, tuning in PRESETS.items()}
        self.tuning.setEditText(names.get(lesson.guitar.tuning, tuning_name(lesson.guitar.tuning)))
        self.tuning.setToolTip(tuning_name(lesson.guitar.tuning))
        self.evidence["tuning"].setText(_tuning_evidence(lesson))
        self.key.setText(lesson.key)
        self.evidence["key"].setText(lesson.scale and f"scale: {lesson.scale}")
        self.feel.setText(lesson.feel)
        self._show_feel(lesson)
        self._show_focus()
        self._fill_table(lesson)
        self._filling = False

    def _show_feel(self, lesson: Lesson) -> None:
        """Show where the current phrase's notes fall, and what that is called."""
        phrase = self._document.phrase
        onsets = [n.onset_s for n in phrase.notes] if phrase is not None else []
        feel = measure_feel(onsets, lesson.time_map)
        self.feel_picture.show_counts(feel.histogram if feel is not None else ())
        words = (
            f"{phrase.name}: {feel_words(feel)}" if feel is not None and phrase is not None else ""
        )
        self.feel.setPlaceholderText(words or "such as straight sixteenths")
        self.feel_picture.setToolTip(words and f"{words} (fit {feel.fit:.2f})" if feel else "")

    def _show_focus(self) -> None:
        phrase = self._document.phrase
        parts: tuple[QWidget, ...] = (
            self.source, self.low, self.high, self.no_drums, self.choose, self.audition,
        )  # fmt: skip
        for part in parts:
            part.setEnabled(phrase is not None)
        if phrase is not None:
            self.source.setCurrentIndex(self.source.findData(phrase.focus.source))
            self.low.setValue(int(phrase.focus.low_hz))
            self.high.setValue(int(phrase.focus.high_hz))
            self.no_drums.setChecked(phrase.focus.without_drums)
        why = phrase.focus.why if phrase is not None else ""
        self.focus_why.setText(why)
        self.focus_why.setToolTip(why)

    def _fill_table(self, lesson: Lesson) -> None:
        table = self.phrases
        table.setRowCount(len(lesson.phrases))
        for row, phrase in enumerate(lesson.phrases):
            for column, text in enumerate(self._cells(lesson, phrase)):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, phrase.ident)
                if column in (1, 2):
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                table.setItem(row, column, item)
            if self._document.phrase is not None and phrase.ident == self._document.phrase.ident:
                table.selectRow(row)

    def _cells(self, lesson: Lesson, phrase: Phrase) -> tuple[str, ...]:
        beats = float(lesson.time_map.to_beats(phrase.start_s + 0.1))
        bar, beat = lesson.time_map.bar_and_beat(beats)
        where = f"{bar}" if bar >= 1 else "pickup"
        return (
            phrase.name, _clock(phrase.start_s), _clock(phrase.end_s),
            f"{where} · {int(beat)}", phrase.place_in_form, str(phrase.repeats), phrase.status,
        )  # fmt: skip

    # Editing

    def _on_cell(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        ident, text = item.data(Qt.ItemDataRole.UserRole), item.text().strip()
        if item.column() == 3:
            self._set_bar(ident, text)
            return
        name = {0: "name", 4: "place_in_form", 5: "repeats", 6: "status"}.get(item.column())
        value: object = text
        if name == "repeats":
            value = int(text) if text.isdigit() and 1 <= int(text) <= 99 else None
        if name == "status" and text not in STATUSES:
            value = None
            self.told.emit(f"A status is one of {', '.join(STATUSES)}.")
        if name is None or value is None or (name == "name" and not text):
            self._on_lesson_changed()
            return
        self._change(
            f"Change {name.replace('_', ' ')}",
            lambda lesson: edits.change_phrase(lesson, ident, **{name: value}),
        )

    def _set_bar(self, ident: int, text: str) -> None:
        """Count bars so that a phrase begins in the bar that was typed."""
        phrase, time_map = self._document.lesson.phrase(ident), self._document.lesson.time_map
        number = text.split("·")[0].strip()
        if phrase is None or not number.lstrip("-").isdigit() or abs(int(number)) > 9999:
            self._on_lesson_changed()
            return
        here, _ = time_map.bar_and_beat(float(time_map.to_beats(phrase.start_s + 0.1)))
        beats = (here - int(number)) * time_map.beats_per_bar
        if beats:
            self._map("Set bar number", lambda m: m.shifted_by_a_beat(beats))
        else:
            self._on_lesson_changed()

    def _on_row(self, row: int, *_: int) -> None:
        item = self.phrases.item(row, 0)
        if item is not None and not self._filling:
            self._document.choose_phrase(item.data(Qt.ItemDataRole.UserRole))

    def _change(self, text: str, edit: Callable[[Lesson], Lesson]) -> None:
        if not self._filling:
            self._document.change(text, edit)

    def _map(self, text: str, change: Callable[[TimeMap], TimeMap]) -> None:
        """Change the time map; what makes no map is told and left."""

        def edit(lesson: Lesson) -> Lesson:
            return replace(lesson, time_map=change(lesson.time_map))

        try:
            self._change(text, edit)
        except ValueError as error:
            self.told.emit(f"{error}.")

    def _on_tempo(self) -> None:
        bpm = self.tempo.value()
        time_map = self._document.lesson.time_map
        where = self._document.phrase.start_s if self._document.phrase else 0.0
        if abs(bpm - time_map.tempo_at(where)) < 0.06:
            return
        bar_one = float(time_map.to_seconds(0.0))
        self._map("Set tempo", lambda m: m.with_constant_tempo(bpm, bar_one, self.strip.duration_s))

    def _on_metre(self) -> None:
        beats = self.beats_per_bar.value()
        self._map("Set metre", lambda m: replace(m, beats_per_bar=beats))

    def _on_half(self) -> None:
        self._map("Halve the beats", lambda m: m.halved())

    def _on_double(self) -> None:
        self._map("Double the beats", lambda m: m.doubled())

    def _on_bar_one(self) -> None:
        here = self._transport.position_s
        self._map("Set bar 1", lambda m: m.with_bar_one_at(here))

    def _on_tap(self) -> None:
        here = self._transport.position_s
        if self._taps and not 0.15 < here - self._taps[-1] < 3.0:
            self._taps = []
        self._taps.append(here)
        if len(self._taps) >= 4:
            taps = tuple(self._taps)
            self._map("Tap beats", lambda m: m.tapped(taps))

    def _on_reference(self) -> None:
        cents = self.reference.value()
        if abs(cents - self._document.lesson.reference_cents) > 0.05:
            self._change("Set reference pitch", lambda l: replace(l, reference_cents=cents))

    def _on_tuning(self, *_: object) -> None:
        text = self.tuning.currentText()
        try:
            tuning = parse_tuning(text)
        except TuningError as error:
            self.told.emit(str(error))
            self._on_lesson_changed()
            return
        if tuning != self._document.lesson.guitar.tuning:
            self._change(
                "Set tuning", lambda l: replace(l, guitar=replace(l.guitar, tuning=tuning))
            )

    def _on_key(self) -> None:
        text = self.key.text().strip()
        if text == self._document.lesson.key:
            return
        try:
            if text:
                parse_key(text)
        except ValueError as error:
            self.told.emit(f"{error}.")
            self._on_lesson_changed()
            return
        self._change("Set key", lambda l: replace(l, key=text))

    def _on_feel(self) -> None:
        text = self.feel.text().strip()
        if text != self._document.lesson.feel:
            self._change("Set feel", lambda l: replace(l, feel=text))

    def _end_audition(self) -> None:
        """Go back to the recording as it is: another focus than the one that sounds is shown."""
        self.audition.setChecked(False)

    def _on_focus(self, *_: object) -> None:
        phrase = self._document.phrase
        low, high = float(self.low.value()), float(self.high.value())
        if phrase is None or low >= high:
            return
        focus = replace(
            phrase.focus, source=str(self.source.currentData()), low_hz=low, high_hz=high,
            without_drums=self.no_drums.isChecked(), why="chosen by hand",
        )  # fmt: skip
        if replace(focus, why=phrase.focus.why) != phrase.focus:
            self._end_audition()
            self._change("Set focus", lambda l: edits.change_phrase(l, phrase.ident, focus=focus))

    def _on_play_here(self, seconds: float) -> None:
        self._transport.seek(seconds)
        self._transport.play()


def _tuning_evidence(lesson: Lesson) -> str:
    """Say which tuning the notes heard so far would need."""
    midi = [n.heard.midi for p in lesson.phrases for n in p.notes]
    if not midi:
        return "listen to a phrase to estimate it"
    guess = guess_tuning(midi)
    names = {tuning: name for name, tuning in PRESETS.items()}
    return f"lowest note heard {pitch_name(min(midi))}: {names.get(guess, tuning_name(guess))} would do"


def _clock(seconds: float) -> str:
    return f"{int(seconds // 60)}:{seconds % 60:05.2f}"

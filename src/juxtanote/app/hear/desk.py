"""The Hear desk: the whole recording, what it is, and where its phrases are."""

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.document import Document
from juxtanote.app.hear import labels
from juxtanote.app.hear.feel_picture import FeelPicture
from juxtanote.app.hear.time_rows import TimeRows, row
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.parts import Panel, heading, number_box, soft
from juxtanote.app.widgets.strip import Strip
from juxtanote.core.analysis.key import find_keys, pitch_class_weights
from juxtanote.core.errors import TuningError
from juxtanote.core.score import edits
from juxtanote.core.score.feel import feel_words, measure_feel
from juxtanote.core.score.form import form_position
from juxtanote.core.score.lesson import STATUSES, Lesson, Phrase
from juxtanote.core.score.repeats import order_of_parts, phrase_repeats, repeat_words
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.theory.pitch import pitch_name
from juxtanote.core.theory.scales import parse_key
from juxtanote.core.theory.tuning import PRESETS, parse_tuning, tuning_name
from juxtanote.core.transcribe import Measured, guess_tuning, lead_spans, with_guitar


class HearDesk(QWidget):
    """Cutting, naming and measuring."""

    measure_wanted = pyqtSignal()
    propose_wanted = pyqtSignal()
    focus_wanted = pyqtSignal()
    chords_wanted = pyqtSignal()
    audition_wanted = pyqtSignal(bool)
    told = pyqtSignal(str)

    def __init__(
        self, document: Document, transport: Transport, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self._measured: Measured | None = None
        self._lead: tuple[tuple[float, float], ...] | None = None
        self._filling = False
        self._stale = False
        self.strip = Strip(document, transport, detailed=True)
        self._repeats: dict[int, str] = {}
        self.order = soft()
        self.phrases = QTableWidget(0, len(labels.COLUMNS))
        self.phrases.setHorizontalHeaderLabels(list(labels.COLUMNS))
        self._set_up_table()
        self.time = TimeRows(document, transport, self)
        self.reference = QDoubleSpinBox()
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
        self.evidence = {name: soft() for name in ("reference", "tuning", "key")}
        self.measure = QPushButton(labels.MEASURE)
        self.propose = QPushButton(labels.PROPOSE)
        self.source = QComboBox()
        self.source.setAccessibleName("Part of the stereo picture")
        for key, words in labels.SOURCES.items():
            self.source.addItem(words, key)
        self.low = number_box(20, 16_000, 20, 40, " Hz", "Lowest frequency")
        self.high = number_box(20, 16_000, 20, 10_000, " Hz", "Highest frequency")
        self.source.setMinimumWidth(112)
        self.low.setFixedWidth(84)
        self.high.setFixedWidth(96)
        self.no_drums = QCheckBox("no drums")
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
            for stretched in (4, 5):
                columns.setSectionResizeMode(stretched, QHeaderView.ResizeMode.Stretch)
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
        left.column.addWidget(self.order)
        lower.addWidget(left, 1)
        facts = self._facts_panel()
        facts.setFixedWidth(530)
        lower.addWidget(facts)
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
        self.reference.setSuffix(" cents")
        self.reference.setMaximumWidth(96)
        self.tuning.setMinimumWidth(150)
        self.key.setFixedWidth(96)
        rows: list[tuple[str, QWidget]] = [
            ("tempo", self.time.tempo_row()),
            ("", self.time.pulse_row()),
            ("metre", self.time.metre_row()),
            ("", self.time.bar_row()),
            ("form, chords", self.time.chord_row()),
            ("reference pitch", row(self.reference, self.evidence["reference"])),
            ("tuning", row(self.tuning, self.evidence["tuning"])),
            ("key", row(self.key, self.evidence["key"])),
            ("feel", row(self.feel, self.feel_picture)),
            ("guitar forward", self._focus_row()),
            ("", row(self.choose, self.audition, self.focus_why)),
        ]
        for line, (words, widget) in enumerate(rows):
            grid.addWidget(soft(words), line, 0)
            grid.addWidget(widget, line, 1)
        grid.setColumnStretch(1, 1)
        panel.column.addLayout(grid)
        panel.column.addStretch(1)
        return panel

    def _focus_row(self) -> QWidget:
        return row(self.source, self.low, self.high, self.no_drums)

    def _connect(self) -> None:
        self.measure.clicked.connect(self.measure_wanted)
        self.propose.clicked.connect(self.propose_wanted)
        self.time.told.connect(self.told)
        self.time.chords_wanted.connect(self.chords_wanted)
        self.reference.editingFinished.connect(self._on_reference)
        self.tuning.activated.connect(self._on_tuning)
        tuning_line = self.tuning.lineEdit()
        if tuning_line is not None:
            tuning_line.editingFinished.connect(self._on_tuning)
        self.key.editingFinished.connect(self._on_key)
        self.feel.editingFinished.connect(self._on_feel)
        self.source.activated.connect(self._on_focus)
        self.low.editingFinished.connect(self._on_focus)
        self.high.editingFinished.connect(self._on_focus)
        self.no_drums.clicked.connect(self._on_focus)
        self.choose.clicked.connect(self.focus_wanted)
        self.audition.toggled.connect(self.audition_wanted)
        self.phrases.itemChanged.connect(self._on_cell)
        self.phrases.currentCellChanged.connect(self._on_row)
        self.strip.play_here.connect(self._on_play_here)
        self._document.sound_changed.connect(self._forget_lead)
        self._document.lesson_changed.connect(self._on_lesson_changed)
        self._document.phrase_changed.connect(self._on_lesson_changed)
        self._document.phrase_changed.connect(self._end_audition)

    # Showing

    def show_measured(self, measured: Measured) -> None:
        """Show what was measured beside what is set."""
        self._measured = measured
        self.time.show_readings(measured.beats)
        self.evidence["reference"].setText(
            f"measured {measured.reference_cents:+.1f}, sure {measured.reference_certainty:.2f}"
        )

    def show_lead(self, spans: tuple[tuple[float, float], ...]) -> None:
        """Show where the lead was heard to play in the whole recording."""
        self._lead = spans
        self.strip.show_lead(spans)

    def _forget_lead(self) -> None:
        self._lead = None

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._stale:
            self._on_lesson_changed()

    def _on_lesson_changed(self) -> None:
        if self._filling:
            return
        window = self.window()
        self._stale = window is not None and window.isVisible() and not self.isVisible()
        if self._stale:  # another desk is in front: this one is filled when it is shown
            return
        self._filling = True
        lesson = self._document.lesson
        self.time.show_lesson(lesson, self._document.phrase)
        self.reference.setValue(lesson.reference_cents)
        names = {tuning: name for name, tuning in PRESETS.items()}
        self.tuning.setEditText(names.get(lesson.guitar.tuning, tuning_name(lesson.guitar.tuning)))
        self.tuning.setToolTip(tuning_name(lesson.guitar.tuning))
        self.evidence["tuning"].setText(_tuning_evidence(lesson))
        self.key.setText(lesson.key)
        self.evidence["key"].setText(_key_evidence(lesson))
        self.feel.setText(lesson.feel)
        self._show_feel(lesson)
        self._show_focus()
        self._fill_table(lesson)
        if self._lead is None:  # not looked for yet: where the notes of the phrases are
            notes = sorted((n.onset_s, n.offset_s) for p in lesson.phrases for n in p.notes)
            self.strip.show_lead(lead_spans(notes))
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
        names = {phrase.ident: phrase.name for phrase in lesson.phrases}
        self._repeats = {
            ident: repeat_words(names[earlier], likeness)
            for ident, (earlier, likeness) in phrase_repeats(lesson).items()
        }
        self.strip.show_repeats({ident: f" {words}" for ident, words in self._repeats.items()})
        self.order.setText(labels.ORDER + order_of_parts(lesson) if self._repeats else "")
        for line, phrase in enumerate(lesson.phrases):
            for column, text in enumerate(self._cells(lesson, phrase)):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, phrase.ident)
                item.setToolTip(text)
                if column in (1, 2, 5):
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                table.setItem(line, column, item)
            if self._document.phrase is not None and phrase.ident == self._document.phrase.ident:
                table.selectRow(line)

    def _cells(self, lesson: Lesson, phrase: Phrase) -> tuple[str, ...]:
        beats = float(lesson.time_map.to_beats(phrase.start_s + 0.1))
        bar, beat = lesson.time_map.bar_and_beat(beats)
        where = f"{bar}" if bar >= 1 else "pickup"
        return (
            phrase.name, _clock(phrase.start_s), f"{phrase.end_s - phrase.start_s:.2f} s",
            f"{where} · {int(beat)}",
            phrase.place_in_form or form_position(lesson, phrase.start_s + 0.1),
            self._repeats.get(phrase.ident, ""), str(phrase.repeats),
            str(phrase.ending) if phrase.ending else "", phrase.status,
        )  # fmt: skip

    # Editing

    def _on_cell(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        ident, text = item.data(Qt.ItemDataRole.UserRole), item.text().strip()
        if item.column() == 3:
            self._set_bar(ident, text)
            return
        name = {
            0: "name", 4: "place_in_form", 6: "repeats", 7: "ending", 8: "status",
        }.get(item.column())  # fmt: skip
        value: object = text
        if name == "repeats":
            value = int(text) if text.isdigit() and 1 <= int(text) <= 99 else None
        if name == "ending":
            value = int(text or 0) if text in ("", "0", "1", "2") else None
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
            self._change("Set tuning", lambda l: with_guitar(l, replace(l.guitar, tuning=tuning)))

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


def _key_evidence(lesson: Lesson) -> str:
    """Say the scale that is set, and which keys the notes heard so far would fit."""
    notes = sorted((n for p in lesson.phrases for n in p.notes), key=lambda n: n.onset_s)
    pitched = [n for n in notes if "dead" not in n.written.techniques]
    words = [lesson.scale] if lesson.scale else []
    if len(pitched) >= 5:
        weights = pitch_class_weights(
            [n.heard.midi for n in pitched], [n.heard.duration_s for n in pitched]
        )
        best, other = find_keys(weights, pitched[-1].heard.midi)[:2]
        words.append(f"heard {best.name} {best.fit:.2f}, or {other.name} {other.fit:.2f}")
    return "; ".join(words)


def _clock(seconds: float) -> str:
    return f"{int(seconds // 60)}:{seconds % 60:05.2f}"

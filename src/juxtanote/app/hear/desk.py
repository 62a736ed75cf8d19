"""The Hear desk: the whole recording, what it is, and where its phrases are."""

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QItemSelectionModel, QModelIndex, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.document import Document
from juxtanote.app.hear import labels
from juxtanote.app.hear.facts import facts_panel
from juxtanote.app.hear.feel_picture import FeelPicture
from juxtanote.app.hear.phrase_model import PART, PLACE, PhraseModel
from juxtanote.app.hear.time_rows import TimeRows
from juxtanote.app.jobs.runner import JobRunner, Latest
from juxtanote.app.look.theme import px
from juxtanote.app.sayings import say_focus
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.desk import Desk, News
from juxtanote.app.widgets.offer import Offer
from juxtanote.app.widgets.parts import Panel, heading, number_box, scrolled, soft, soft_line
from juxtanote.app.widgets.strip import Strip
from juxtanote.core.errors import TuningError
from juxtanote.core.progress import Progress
from juxtanote.core.score import edits
from juxtanote.core.score.feel import feel_words, measure_feel
from juxtanote.core.score.lesson import Lesson
from juxtanote.core.theory.keys import SCALE_OF_MODE, read_key
from juxtanote.core.theory.observed import Chosen
from juxtanote.core.theory.scales import SCALES
from juxtanote.core.theory.tuning import PRESETS, parse_tuning, tuning_name

if TYPE_CHECKING:
    from juxtanote.app.hear.evidence import HeardSoFar
    from juxtanote.app.whole import Proposed
    from juxtanote.core.measuring import Measured

EVIDENCE_PAUSE_MS = 250  # paging through phrases measures nothing until one stops
LEAST_FACTS_WIDTH, FACTS_WIDTH = 530, 540  # pixels: below the least the fields would be cut off


class HearDesk(Desk):
    """Cutting, naming and measuring."""

    measure_wanted = pyqtSignal()
    focus_wanted = pyqtSignal()
    chords_wanted = pyqtSignal()
    audition_wanted = pyqtSignal(bool)
    guitar_wanted = pyqtSignal(int, object)  # part, Guitar
    told = pyqtSignal(str)

    def __init__(
        self,
        document: Document,
        transport: Transport,
        runner: JobRunner,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(document, parent)
        self._transport = transport
        self._whole: Proposed | None = None
        self._filling = False
        self._evidence = Latest(runner, "Looking at what was heard", self)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(EVIDENCE_PAUSE_MS)
        self.strip = Strip(document, transport, detailed=True)
        self.order = soft_line()
        self.model = PhraseModel(document, self._on_edited, self.told.emit)
        self.phrases = QTableView()
        self._set_up_table()
        self.time = TimeRows(document, transport, self)
        self.reference = QDoubleSpinBox()
        self.tuning, self.scale, self.source = QComboBox(), QComboBox(), QComboBox()
        self.key, self.feel = QLineEdit(), QLineEdit()
        self.feel_picture = FeelPicture()
        self.evidence = {name: soft_line() for name in ("reference", "tuning", "key", "parts")}
        self.measure, self.propose = QPushButton(labels.MEASURE), QPushButton(labels.PROPOSE)
        self.refuse, self.listen = QPushButton(labels.REFUSE), QPushButton(labels.LISTEN)
        self.open_offer, self.lesson_offer = (
            QPushButton("Open recording…"),
            QPushButton("Open lesson…"),
        )
        self.open_offer.setProperty("main", True)
        self._offer = Offer(self.open_offer, self.lesson_offer)
        self._shown = QStackedWidget()
        self.low = number_box(20, 16_000, 20, 40, " Hz", "Lowest frequency")
        self.high = number_box(20, 16_000, 20, 10_000, " Hz", "Highest frequency")
        self.no_drums, self.audition = QCheckBox("no drums"), QCheckBox(labels.AUDITION)
        self.choose = QPushButton(labels.CHOOSE)
        self.focus_why = soft_line()
        self._set_up_fields()
        self._lay_out()
        self._connect()

    @property
    def first_focus(self) -> QWidget:
        return self.strip

    def _set_up_fields(self) -> None:
        self.reference.setRange(-100.0, 100.0)
        self.reference.setDecimals(1)
        self.reference.setAccessibleName("Reference pitch in cents")
        self.reference.setSuffix(" cents")
        self.reference.setMaximumWidth(px(104))
        self.tuning.setEditable(True)
        self.tuning.addItems(list(PRESETS))
        self.tuning.setAccessibleName("Tuning")
        self.tuning.setMinimumWidth(px(150))
        self.key.setPlaceholderText("such as Am")
        self.key.setAccessibleName("Key")
        self.key.setFixedWidth(px(92))
        self.scale.setAccessibleName("Scale")
        self.scale.addItem("scale: not settled", "")
        for name in SCALES:
            self.scale.addItem(name, name)
        self.feel.setPlaceholderText("such as straight sixteenths")
        self.feel.setAccessibleName("Feel")
        self.source.setAccessibleName("Part of the stereo picture")
        for key, words in labels.SOURCES.items():
            self.source.addItem(words, key)
        self.source.setMinimumWidth(px(112))
        self.low.setFixedWidth(px(84))
        self.high.setFixedWidth(px(96))

    def _set_up_table(self) -> None:
        table = self.phrases
        table.setModel(self.model)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setShowGrid(False)
        table.setTabKeyNavigation(False)
        table.setWordWrap(False)
        table.setAccessibleName("Phrases")
        rows, columns = table.verticalHeader(), table.horizontalHeader()
        if rows is not None:
            rows.hide()
            rows.setDefaultSectionSize(px(26))
        if columns is not None:
            # Fixed widths: asking every row for its width would be slow at 300 phrases.
            for column, width in enumerate((56, 58, 58, 72, 96, 64, 84, 44, 52, 56)):
                table.setColumnWidth(column, px(width))
            columns.setSectionResizeMode(PLACE, QHeaderView.ResizeMode.Stretch)
            columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
            columns.setHighlightSections(False)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 12, 20, 12)
        column.setSpacing(8)
        column.addWidget(self.strip, 3)
        hint = soft(labels.DRAG, wrap=True)
        column.addWidget(hint)
        lower = QHBoxLayout()
        lower.setSpacing(14)
        left = Panel()
        head = QHBoxLayout()
        head.addWidget(heading(labels.PHRASES))
        head.addStretch(1)
        head.addWidget(self.refuse)
        head.addWidget(self.propose)
        head.addWidget(self.listen)
        left.column.addLayout(head)
        self._shown.addWidget(self.phrases)
        self._shown.addWidget(self._offer)
        left.column.addWidget(self._shown, 1)
        left.column.addWidget(self.order)
        left.column.addWidget(self.evidence["parts"])
        lower.addWidget(left, 1)
        facts = facts_panel(self)
        area = scrolled(facts)
        area.setMinimumWidth(px(LEAST_FACTS_WIDTH))
        area.setMaximumWidth(px(FACTS_WIDTH))
        lower.addWidget(area, 1)
        column.addLayout(lower, 5)

    def _connect(self) -> None:
        self.measure.clicked.connect(self.measure_wanted)
        self.time.told.connect(self.told)
        self.time.chords_wanted.connect(self.chords_wanted)
        self.reference.editingFinished.connect(self._on_reference)
        self.tuning.activated.connect(self._on_tuning)
        tuning_line = self.tuning.lineEdit()
        if tuning_line is not None:
            tuning_line.editingFinished.connect(self._on_tuning)
        self.key.editingFinished.connect(self._on_key)
        self.scale.activated.connect(self._on_scale)
        self.feel.editingFinished.connect(self._on_feel)
        self.source.activated.connect(self._on_focus)
        self.low.editingFinished.connect(self._on_focus)
        self.high.editingFinished.connect(self._on_focus)
        self.no_drums.clicked.connect(self._on_focus)
        self.choose.clicked.connect(self.focus_wanted)
        self.audition.toggled.connect(self.audition_wanted)
        selection = self.phrases.selectionModel()
        if selection is not None:
            selection.currentRowChanged.connect(self._on_row)
        self.strip.play_here.connect(self._on_play_here)
        self._pause.timeout.connect(self._ask_for_evidence)
        self._document.sound_changed.connect(self._forget_lead)
        self._document.phrase_changed.connect(self._end_audition)

    # Showing

    def show_measured(self, measured: "Measured") -> None:
        """Show what was measured beside what is set."""
        self.time.show_readings(measured.beats)
        self.evidence["reference"].setText(
            f"measured {measured.reference_cents:+.1f}, confidence {measured.reference_certainty:.2f}"
        )

    def show_whole(self, found: "Proposed") -> None:
        """Show where the lead plays, and what the whole recording tells."""
        self._whole = found
        self.strip.show_lead(found.lead)
        self._ask_for_evidence()

    def _forget_lead(self) -> None:
        self._whole = None
        self.time.forget_readings()
        for name in ("reference", "parts"):
            self.evidence[name].setText("")
        if self._document.sound is None:
            self.strip.show_lead(())

    def heed(self, news: News) -> None:
        """Show what changed, and only that."""
        change, phrase = news.change, self._document.phrase
        here = change.touches(phrase.ident if phrase is not None else None)
        self._filling = True
        self.model.show_change(change)
        if change.whole or change.order or news.phrase or news.sound:
            self._show_current()
        if here or news.phrase or news.sound:
            self._show_time_and_feel()
        if change.whole or change.about or change.parts or news.phrase:
            self._show_about()
        if here or news.phrase or news.sound:
            self._show_focus()
        self._filling = False
        if change.phrases or change.time or change.whole or change.parts:
            self._pause.start()

    def _show_current(self) -> None:
        """Select the row of the current phrase, or offer what to begin with."""
        phrase = self._document.phrase
        selection = self.phrases.selectionModel()
        row_of = self.model.row_of(phrase.ident) if phrase is not None else -1
        if selection is not None and row_of >= 0:
            index = self.model.index(row_of, 0)
            both = QItemSelectionModel.SelectionFlag
            selection.setCurrentIndex(index, both.ClearAndSelect | both.Rows)
            self.phrases.scrollTo(index)
        is_empty = not self._document.lesson.phrases
        has_sound = self._document.sound is not None
        self._offer.say(labels.NO_PHRASES if has_sound else labels.NO_RECORDING)
        for button in (self.open_offer, self.lesson_offer):
            button.setVisible(not has_sound)
        self._shown.setCurrentIndex(1 if is_empty else 0)
        self.phrases.setColumnHidden(PART, len(self._document.lesson.parts) < 2)
        self.measure.setEnabled(has_sound)
        self.measure.setToolTip(
            "Reference pitch, beats and bars" if has_sound else "Open a recording first (Ctrl+O)."
        )

    def _show_time_and_feel(self) -> None:
        lesson, phrase = self._document.lesson, self._document.phrase
        self.time.show_lesson(lesson, phrase)
        onsets = [n.onset_s for n in phrase.notes] if phrase is not None else []
        feel = measure_feel(onsets, lesson.time_map)
        self.feel_picture.show_counts(feel.histogram if feel is not None else ())
        words = f"{phrase.name}: {feel_words(feel)}" if feel is not None and phrase else ""
        self.feel.setPlaceholderText(words or "such as straight sixteenths")
        self.feel_picture.setToolTip(words if words and feel else "")

    def _show_about(self) -> None:
        lesson, guitar = self._document.lesson, self._document.context.guitar
        self.reference.setValue(lesson.reference_cents)
        names = {tuning: name for name, tuning in PRESETS.items()}
        self.tuning.setEditText(names.get(guitar.tuning, tuning_name(guitar.tuning)))
        self.tuning.setToolTip(tuning_name(guitar.tuning))
        self.key.setText(lesson.key)
        self.scale.setCurrentIndex(max(self.scale.findData(lesson.scale), 0))
        self.feel.setText(lesson.feel)
        self.phrases.setColumnHidden(PART, len(lesson.parts) < 2)

    def _show_focus(self) -> None:
        phrase = self._document.phrase
        original = phrase is not None and not phrase.is_variant
        has_sound = self._document.sound is not None
        parts: tuple[QWidget, ...] = (
            self.source, self.low, self.high, self.no_drums, self.choose, self.audition,
        )  # fmt: skip
        for part in parts:
            needs_sound = part in (self.choose, self.audition)
            part.setEnabled(original and (has_sound or not needs_sound))
            part.setToolTip("" if part.isEnabled() else "Choose a phrase of an open recording.")
        if phrase is not None:
            self.source.setCurrentIndex(self.source.findData(phrase.focus.source))
            self.low.setValue(int(phrase.focus.low_hz))
            self.high.setValue(int(phrase.focus.high_hz))
            self.no_drums.setChecked(phrase.focus.without_drums)
        why = say_focus(phrase.focus) if phrase is not None else ""
        self.focus_why.setText(why)
        self.focus_why.setToolTip(why)

    def _ask_for_evidence(self) -> None:
        """Let what the notes tell be worked out; hidden, this desk wants nothing."""
        if not self.isVisible():
            return
        lesson, number = self._document.lesson, self._document.number
        whole = self._whole.heard if self._whole is not None else None

        def work(progress: Progress) -> object:
            from juxtanote.app.hear.evidence import heard_so_far

            return heard_so_far(lesson, progress, whole)

        def then(heard: object) -> None:
            if number == self._document.number:
                self._show_evidence(heard)  # type: ignore[arg-type]

        self._evidence.ask(work, then)

    def _show_evidence(self, heard: "HeardSoFar") -> None:
        for name, words in (("tuning", heard.tuning), ("key", heard.key), ("parts", heard.parts)):
            self.evidence[name].setText(words)
            self.evidence[name].setToolTip(words)
        self.model.show_repeats(heard.repeats)
        self.strip.show_repeats({ident: f" {words}" for ident, words in heard.repeats.items()})
        self.order.setText(labels.ORDER + heard.order if heard.order else "")
        if self._whole is None:  # not looked for yet: where the notes of the phrases are
            self.strip.show_lead(heard.lead)

    # Editing

    def _on_edited(self, ident: int, field: str, value: object) -> None:
        if field == "bar":
            self._set_bar(ident, int(str(value)))
        else:
            name = field.replace("_", " ")
            self._document.change(
                f"Change {name}", lambda l: edits.change_phrase(l, ident, **{field: value})
            )

    def _set_bar(self, ident: int, number: int) -> None:
        """Count bars so that a phrase begins in the bar that was typed."""
        phrase, time_map = self._document.lesson.phrase(ident), self._document.lesson.time_map
        if phrase is None:
            return
        here, _ = time_map.bar_and_beat(float(time_map.to_beats(phrase.start_s + 0.1)))
        beats = (here - number) * time_map.beats_per_bar
        if beats:
            self.time.change_beats("Set bar number", lambda m: m.shifted_by_a_beat(beats))

    def _on_row(self, current: QModelIndex, _: QModelIndex) -> None:
        phrase, here = self.model.phrase_at(current.row()), self._document.phrase
        if phrase is None or self._filling:
            return
        source = self._document.lesson.source_of(here.ident) if here is not None else None
        if source is None or source.ident != phrase.ident:
            self._document.choose_phrase(phrase.ident)

    def _change(self, text: str, edit: Callable[[Lesson], Lesson]) -> None:
        if self._filling:
            return
        try:
            self._document.change(text, edit)
        except ValueError as error:
            self.told.emit(f"{error}.")

    def _on_reference(self) -> None:
        cents = self.reference.value()
        if abs(cents - self._document.lesson.reference_cents) > 0.05:
            self._change("Set reference pitch", lambda l: replace(l, reference_cents=cents))

    def _on_tuning(self, *_: object) -> None:
        part = self._document.context.part
        try:
            tuning = parse_tuning(self.tuning.currentText())
            guitar = replace(part.guitar, tuning=tuning)
        except TuningError as error:
            self.told.emit(str(error))
            self._show_about()
            return
        if tuning != part.guitar.tuning:
            self.guitar_wanted.emit(part.ident, guitar)

    def _on_key(self) -> None:
        text = self.key.text().strip()
        if self._filling or text == self._document.lesson.key:
            return
        try:
            key = read_key(text)
        except ValueError as error:
            self.told.emit(f"{error}.")
            self.key.setText(self._document.lesson.key)
            return
        name = key.name if key is not None else ""
        said = SCALE_OF_MODE.get(key.mode, "") if key is not None else ""
        self._change("Set key", lambda l: replace(l, key=name, scale=said or l.scale))
        self.key.setText(name)

    def _on_scale(self, *_: object) -> None:
        scale = str(self.scale.currentData() or "")
        if scale != self._document.lesson.scale:
            self._change("Set scale", lambda l: replace(l, scale=scale))

    def _on_feel(self) -> None:
        text = self.feel.text().strip()[:1000]
        if text != self._document.lesson.feel:
            self._change("Set feel", lambda l: replace(l, feel=text))

    def _end_audition(self) -> None:
        """Go back to the recording as it is: another focus than the one that sounds is shown."""
        self.audition.setChecked(False)

    def _on_focus(self, *_: object) -> None:
        phrase = self._document.phrase
        low, high = float(self.low.value()), float(self.high.value())
        if phrase is None or self._filling or phrase.is_variant:
            return
        if low >= high:
            self.told.emit("The lowest frequency must lie under the highest.")
            return
        focus = replace(
            phrase.focus, source=str(self.source.currentData()), low_hz=low, high_hz=high,
            without_drums=self.no_drums.isChecked(), chosen=Chosen.BY_HAND,
        )  # fmt: skip
        if replace(focus, chosen=phrase.focus.chosen) != phrase.focus:
            self._end_audition()
            self._change("Set focus", lambda l: edits.change_phrase(l, phrase.ident, focus=focus))

    def _on_play_here(self, seconds: float) -> None:
        self._transport.seek(seconds)
        self._transport.play()

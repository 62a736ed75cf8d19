"""Windows that ask: what the person knows before a listening, which variant, which guitar."""

from dataclasses import replace

from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFormLayout,
    QRadioButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.widgets.parts import number_box, soft
from juxtanote.core.analysis.perceived import Hints
from juxtanote.core.errors import TuningError
from juxtanote.core.exercises.kinds import Kind
from juxtanote.core.score.lesson import (
    KEY,
    PLAIN,
    SLURRED,
    STRINGS,
    Context,
    Lesson,
    Phrase,
    Variation,
)
from juxtanote.core.score.transpose import Moved, vary
from juxtanote.core.theory.keys import known_key
from juxtanote.core.theory.pitch import pitch_name
from juxtanote.core.theory.scales import SCALES
from juxtanote.core.theory.tuning import PRESETS, USES, Guitar, parse_tuning, tuning_name


class Form(QDialog):
    """A window with rows, a line for what is wrong, and two buttons."""

    def __init__(self, title: str, accept: str, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        self.rows = QFormLayout()
        self.rows.setHorizontalSpacing(14)
        column.addLayout(self.rows)
        self.said = soft(wrap=True)
        self.said.setMinimumWidth(400)
        column.addWidget(self.said)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.accept_button = buttons.addButton(accept, QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self.try_accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)

    def try_accept(self) -> None:
        """Close where everything can be used."""
        self.accept()


class HintsForm(Form):
    """What the person knows: number of notes, scale, voices. The stretch is the selection or phrase."""

    def __init__(
        self, lesson: Context, phrase: Phrase, selected: int, parent: QWidget | None = None
    ) -> None:
        super().__init__(f"Listen again to {phrase.name}", "Listen", parent)
        self._lesson = lesson
        self.count = number_box(0, 400, 1, 0, " notes", "Number of notes")
        self.count.setSpecialValueText("I do not know")
        self.in_scale = QCheckBox()
        key = known_key(lesson.key)
        has_scale = key is not None and lesson.scale in SCALES
        self.in_scale.setEnabled(has_scale)
        words = (
            f"{key.tonic} {lesson.scale}"
            if key is not None and has_scale
            else "set key and scale first"
        )
        self.in_scale.setText(f"only notes of {words}" if has_scale else words)
        self.one_voice = QCheckBox("one note at a time")
        self._ticked = False
        guitar = lesson.guitar
        self.string = QComboBox()
        self.string.addItem("on any string", None)
        for number in range(1, guitar.string_count + 1):
            name = pitch_name(guitar.open_midi(number))
            self.string.addItem(f"all of it on string {number}, {name}", number)
        self.string.setAccessibleName("On which string")
        self.string.currentIndexChanged.connect(self._on_string)
        several = selected > 1
        self.only_selected = QCheckBox(
            f"only the stretch of the {selected} selected notes"
            if several
            else "only a stretch of it"
        )
        self.only_selected.setToolTip("" if several else "Select two notes or more first.")
        self.only_selected.setEnabled(several)
        self.only_selected.setChecked(several)
        self.rows.addRow(soft("it has"), self.count)
        self.rows.addRow(soft("scale"), self.in_scale)
        self.rows.addRow(soft("voices"), self.one_voice)
        self.rows.addRow(soft("string"), self.string)
        self.rows.addRow(soft("where"), self.only_selected)
        lowest = pitch_name(min(guitar.open_midi(s) for s in range(1, guitar.string_count + 1)))
        self.said.setText(
            "Notes that you have locked stay, and nothing is written over them. Nothing below "
            f"{lowest}, the lowest of this guitar, is heard. A string that you name is locked."
        )

    def _on_string(self, row: int) -> None:
        """One string sounds one note at a time; taken back, what was ticked before counts again."""
        if row > 0 and self.one_voice.isEnabled():
            self._ticked = self.one_voice.isChecked()
        self.one_voice.setChecked(row > 0 or self._ticked)
        self.one_voice.setDisabled(row > 0)

    def hints(self) -> Hints:
        """Give what was said."""
        scale = None
        if self.in_scale.isChecked():
            key = known_key(self._lesson.key)
            tonic = key.pitch_class if key is not None else 0
            scale = frozenset((tonic + step) % 12 for step in SCALES[self._lesson.scale])
        return Hints(
            expected_notes=self.count.value() or None, scale=scale,
            one_voice=self.one_voice.isChecked(),
        )  # fmt: skip


class MoveForm(Form):
    """Which variant hangs under a phrase: another key, other strings, picked, slurred, an exercise."""

    def __init__(self, lesson: Lesson, phrase: Phrase, parent: QWidget | None = None) -> None:
        super().__init__(f"A variant of {phrase.name}", "Make the variant", parent)
        self._lesson, self._phrase = lesson, phrase
        self.along = QRadioButton("in another key, along the neck")
        self.across = QRadioButton("the same notes, on other strings")
        self.plain = QRadioButton("plain: every note picked")
        self.slurred = QRadioButton("slurred wherever notes follow on one string")
        self.exercise = QRadioButton("an exercise from it")
        self.kind = QComboBox()
        for kind in Kind:
            self.kind.addItem(kind.value, kind)
        self.kind.setAccessibleName("Which exercise")
        self.along.setChecked(True)
        self.semitones = QSpinBox()
        self.semitones.setRange(-12, 12)
        self.semitones.setValue(2)
        self.semitones.setSuffix(" semitones")
        self.semitones.setAccessibleName("Semitones, up or down")
        self.side = QComboBox()
        self.side.addItems(["one string thicker", "one string thinner"])
        self.side.setAccessibleName("Which strings")
        self.rows.addRow(self.along, self.semitones)
        self.rows.addRow(self.across, self.side)
        self.rows.addRow(self.plain)
        self.rows.addRow(self.slurred)
        self.rows.addRow(self.exercise, self.kind)
        for button in (self.along, self.across, self.plain, self.slurred, self.exercise):
            button.toggled.connect(self._preview)
        self.semitones.valueChanged.connect(self._preview)
        self.side.activated.connect(self._preview)
        self.kind.currentIndexChanged.connect(self._preview)
        self._preview()

    def _variation(self) -> Variation:
        if self.along.isChecked():
            return Variation(KEY, self.semitones.value())
        if self.across.isChecked():
            return Variation(STRINGS, 1 if self.side.currentIndex() == 0 else -1)
        return Variation(PLAIN if self.plain.isChecked() else SLURRED)

    def moved(self) -> Moved:
        """Give the variant.

        Raises
        ------
        ValueError
            Where the exercise cannot be made; the text says what is missing.
        """
        if self.exercise.isChecked():
            from juxtanote.core.exercises.make import exercise

            return exercise(self._lesson, self._phrase, self.kind.currentData())
        return vary(self._lesson, self._phrase, self._variation())

    def _preview(self, *_: object) -> None:
        self.semitones.setEnabled(self.along.isChecked())
        self.side.setEnabled(self.across.isChecked())
        self.kind.setEnabled(self.exercise.isChecked())
        going = not self.along.isChecked() or self.semitones.value() != 0
        if self.accept_button is not None:
            self.accept_button.setEnabled(going)
        if not going:
            self.said.setText("Choose how many semitones up or down.")
            return
        try:
            problems = self.moved().problems
        except ValueError as error:
            if self.accept_button is not None:
                self.accept_button.setEnabled(False)
            self.said.setText(str(error))
            return
        shown = "; ".join(problems[:4]) + ("; and more" if len(problems) > 4 else "")
        self.said.setText(f"What changes: {shown}." if problems else "Every note keeps its shape.")


class GuitarForm(Form):
    """Tuning, capo, frets, scale length, and what the hands use."""

    def __init__(self, guitar: Guitar, parent: QWidget | None = None) -> None:
        super().__init__("The guitar", "Use this guitar", parent)
        self._guitar = guitar
        self.tuning = QComboBox()
        self.tuning.setEditable(True)
        self.tuning.addItems(list(PRESETS))
        names = {tuning: name for name, tuning in PRESETS.items()}
        self.tuning.setEditText(names.get(guitar.tuning, tuning_name(guitar.tuning)))
        self.tuning.setAccessibleName("Tuning")
        self.capo = number_box(0, 12, 1, guitar.capo, "", "Capo at fret")
        self.capo.setSpecialValueText("none")
        self.frets = number_box(12, 36, 1, guitar.fret_count, " frets", "Number of frets")
        self.scale = QDoubleSpinBox()
        self.scale.setRange(300.0, 900.0)
        self.scale.setDecimals(0)
        self.scale.setSuffix(" mm")
        self.scale.setValue(guitar.scale_length_mm)
        self.scale.setAccessibleName("Scale length")
        self.left = QCheckBox("left-handed: draw the nut on the right")
        self.left.setChecked(guitar.left_handed)
        self.rows.addRow(soft("tuning"), self.tuning)
        self.rows.addRow(soft("capo at fret"), self.capo)
        self.rows.addRow(soft("neck"), self.frets)
        self.rows.addRow(soft("scale length"), self.scale)
        self.thumb = QCheckBox("the thumb may reach over the thickest string")
        self.thumb.setChecked(guitar.thumb_over)
        self.bar = QComboBox()
        self.bar.addItems(["middle finger", "ring finger", "little finger"])
        self.bar.setCurrentIndex(guitar.bar_finger - 2)
        self.bar.setAccessibleName("Slide bar on")
        self.rows.addRow(soft("hand"), self.left)
        self.rows.addRow(soft("thumb"), self.thumb)
        self.rows.addRow(soft("slide bar on"), self.bar)
        self.tuning.editTextChanged.connect(self._say_use)
        self._say_use(self.tuning.currentText())
        self.result_guitar = guitar

    def _say_use(self, name: str) -> None:
        """Say what a tuning is for."""
        use = USES.get(name)
        self.said.setText(
            f"{name}, {tuning_name(PRESETS[name])}: {use}."
            if use
            else "A tuning of four to nine strings, thickest first: E2 A2 D3 G3 B3 E4."
        )

    def try_accept(self) -> None:
        try:
            self.result_guitar = replace(
                self._guitar, tuning=parse_tuning(self.tuning.currentText()),
                capo=self.capo.value(), fret_count=self.frets.value(),
                scale_length_mm=self.scale.value(), left_handed=self.left.isChecked(),
                thumb_over=self.thumb.isChecked(), bar_finger=self.bar.currentIndex() + 2,
            )  # fmt: skip
        except (TuningError, ValueError) as error:
            self.said.setText(str(error))
            return
        self.accept()

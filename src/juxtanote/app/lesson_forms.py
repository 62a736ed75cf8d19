"""Windows that ask about the whole lesson: what is said of it, its parts, what comes in from a file."""

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QPushButton,
    QRadioButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.forms import Form
from juxtanote.app.look.theme import px
from juxtanote.app.widgets.parts import number_box, soft
from juxtanote.core.formats.importing import BARS, SECONDS, SOUND, START, ImportPlan
from juxtanote.core.formats.read_score import ReadScore
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import ROLES, Lesson, Phrase
from juxtanote.core.score.limits import Limits
from juxtanote.core.theory.keys import SCALE_OF_MODE, read_key
from juxtanote.core.theory.scales import SCALES

MOST_LISTED = 200  # phrases shown in a list; the rest is told as a number


class AboutForm(Form):
    """Title, performer, teacher, key, scale and notes of a lesson."""

    def __init__(self, lesson: Lesson, parent: QWidget | None = None) -> None:
        super().__init__("About this lesson", "Keep", parent)
        self.title = QLineEdit(lesson.title)
        self.performer, self.teacher = QLineEdit(lesson.performer), QLineEdit(lesson.teacher)
        self.key = QLineEdit(lesson.key)
        self.key.setPlaceholderText("such as Am, A dorian, E flat minor, N.C.")
        self.scale = QComboBox()
        self.scale.addItem("not settled", "")
        for name in SCALES:
            self.scale.addItem(name, name)
        self.scale.setCurrentIndex(max(self.scale.findData(lesson.scale), 0))
        self.notes = QPlainTextEdit(lesson.notes)
        self.notes.setTabChangesFocus(True)
        self.notes.setFixedHeight(px(120))
        for words, field in (
            ("title", self.title), ("performer", self.performer), ("teacher", self.teacher),
            ("key", self.key), ("scale", self.scale), ("notes", self.notes),
        ):  # fmt: skip
            field.setAccessibleName(words.capitalize())
            self.rows.addRow(soft(words), field)
        self.said.setText("Title, performer and notes stand on the handout.")
        self._key = lesson.key

    def try_accept(self) -> None:
        """Keep it where the key can be read."""
        try:
            key = read_key(self.key.text())
        except ValueError as error:
            self.said.setText(f"{error}.")
            self.key.setFocus()
            return
        self._key = key.name if key is not None else ""
        if key is not None and not self.scale.currentData():
            self.scale.setCurrentIndex(max(self.scale.findData(SCALE_OF_MODE.get(key.mode, "")), 0))
        self.accept()

    def changed(self, lesson: Lesson) -> Lesson:
        """Give the lesson with what was written."""
        return replace(
            lesson, title=self.title.text().strip()[:1000] or "Untitled lesson",
            performer=self.performer.text().strip()[:1000],
            teacher=self.teacher.text().strip()[:1000], key=self._key,
            scale=str(self.scale.currentData() or ""), notes=self.notes.toPlainText()[:200_000],
        )  # fmt: skip


class LimitsForm(Form):
    """From where on a difference between written and heard is a finding."""

    def __init__(self, lesson: Lesson, parent: QWidget | None = None) -> None:
        super().__init__("How strict", "Keep", parent)
        limits = lesson.limits
        self.fields: dict[str, QSpinBox] = {}
        for name, words, value, most, suffix in (
            ("bend_cents", "a bend that misses its pitch by", limits.bend_cents, 100, " cents"),
            ("pitch_cents", "a pitch that is off by", limits.pitch_cents, 100, " cents"),
            ("late_ms", "an onset early or late by", limits.late_ms, 200, " ms"),
            ("quiet_db", "a slurred note quieter by", limits.quiet_db, 30, " dB"),
            ("doubt_percent", "a doubted technique surer than", limits.doubt_percent, 100, " %"),
        ):
            box = number_box(1, most, 1, round(value), suffix, words)
            self.fields[name] = box
            self.rows.addRow(soft(words), box)
        self.again = QPushButton("As usual")
        self.again.clicked.connect(self._on_again)
        self.rows.addRow(self.again)
        self.said.setText("What is less is not told. This holds for the whole lesson.")

    def _on_again(self) -> None:
        for name, box in self.fields.items():
            box.setValue(round(getattr(Limits(), name)))

    def changed(self, lesson: Lesson) -> Lesson:
        """Give the lesson with these limits."""
        values = {name: float(box.value()) for name, box in self.fields.items()}
        return replace(lesson, limits=Limits(**values))


INTERVALS = (
    ("a third above", 2), ("a third below", -2), ("a sixth above", 5), ("a sixth below", -5),
    ("a fourth above", 3), ("an octave above", 7),
)  # fmt: skip


class HarmonyForm(Form):
    """Which interval a second guitar plays, in the lesson's key."""

    def __init__(self, lesson: Lesson, phrase: Phrase, parent: QWidget | None = None) -> None:
        super().__init__(f"A harmony for {phrase.name}", "Write it", parent)
        self._lesson, self._phrase = lesson, phrase
        self.made: Lesson | None = None
        self.interval = QComboBox()
        for words, steps in INTERVALS:
            self.interval.addItem(words, steps)
        self.interval.setAccessibleName("Interval")
        self.rows.addRow(soft("the second guitar plays"), self.interval)
        self.said.setText(
            "It gets a part of that name, with the same guitar; edit it like any other."
        )

    def try_accept(self) -> None:
        """Write it where the key allows."""
        from juxtanote.core.exercises.make import harmony_part

        name = self.interval.currentText().capitalize()
        known = next((p for p in self._lesson.parts if p.name == name), None)
        lesson = self._lesson if known else edits.add_part(self._lesson, name, "harmony")
        part = known or lesson.parts[-1]
        try:
            made = harmony_part(lesson, self._phrase, self.interval.currentData(), part.ident)
        except ValueError as error:
            self.said.setText(str(error))
            return
        self.made = lesson.with_phrase(made)
        self.accept()


class PartLine(QWidget):
    """One guitar: its name and role, whether it is heard, and what can be done with it."""

    def __init__(self, ident: int, name: str, role: str, is_muted: bool) -> None:
        super().__init__()
        self.ident = ident
        self.name, self.role, self.heard = QLineEdit(name), QComboBox(), QCheckBox("heard")
        self.swap, self.away = QPushButton("Swap with the next"), QPushButton("Take away")
        self.name.setAccessibleName("Name of the part")
        self.name.setMinimumWidth(px(170))
        self.role.setAccessibleName("Role of the part")
        self.role.addItems(list(ROLES))
        self.role.setCurrentText(role)
        self.heard.setChecked(not is_muted)
        self.heard.setToolTip("Whether it sounds where parts are heard together (Alt+P)")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for widget in (self.name, self.role, self.heard, self.swap, self.away):
            row.addWidget(widget)

    def swap_with(self, other: "PartLine") -> None:
        """Exchange names and roles: each plays what the other one did."""
        (name, role), (theirs, their_role) = (
            (line.name.text(), line.role.currentText()) for line in (self, other)
        )
        self.name.setText(theirs)
        self.role.setCurrentText(their_role)
        other.name.setText(name)
        other.role.setCurrentText(role)


class PartsForm(Form):
    """The guitars of a recording: names and roles, more of them, fewer of them."""

    def __init__(self, lesson: Lesson, parent: QWidget | None = None) -> None:
        super().__init__("Parts", "Keep", parent)
        self._lesson = lesson
        self._column = QVBoxLayout()
        self.rows.addRow(self._column)
        self.lines: list[PartLine] = []
        for part in lesson.parts:
            self._add_line(PartLine(part.ident, part.name, part.role, part.is_muted))
        self.more = QPushButton("Add a part")
        self.more.clicked.connect(self._on_more)
        self.rows.addRow(self.more)
        self.said.setText(
            "Each part has a guitar of its own (Ctrl+G on one of its phrases). A part that is taken away "
            "takes its phrases with it."
        )

    def _add_line(self, line: PartLine) -> None:
        line.away.clicked.connect(lambda: self._on_away(line))
        line.swap.clicked.connect(lambda: self._on_swap(line))
        self._column.addWidget(line)
        self.lines.append(line)
        self._refresh()

    def _refresh(self) -> None:
        for line in self.lines:
            for button, can, why in (
                (line.away, len(self.lines) > 1, "A lesson has at least one part."),
                (line.swap, line is not self.lines[-1], "There is no part below."),
            ):
                button.setEnabled(can)
                button.setToolTip("" if can else why)

    def _on_more(self) -> None:
        highest = max([line.ident for line in self.lines] + [p.ident for p in self._lesson.parts])
        number = len(self.lines) + 1
        self._add_line(PartLine(highest + 1, f"Guitar {number}", "second", False))

    def _on_away(self, line: PartLine) -> None:
        self.lines.remove(line)
        line.deleteLater()
        self._refresh()

    def _on_swap(self, line: PartLine) -> None:
        line.swap_with(self.lines[self.lines.index(line) + 1])

    def changed(self, lesson: Lesson) -> Lesson:
        """Give the lesson with the parts as they are written."""
        wanted = {line.ident: line for line in self.lines}
        for ident in [p.ident for p in lesson.parts]:
            if ident not in wanted and len(lesson.parts) > 1:
                lesson = edits.delete_part(lesson, ident)
        for ident, line in wanted.items():
            name = line.name.text().strip()[:200] or f"Guitar {ident}"
            role, is_muted = line.role.currentText(), not line.heard.isChecked()
            if all(part.ident != ident for part in lesson.parts):
                lesson = edits.add_part(lesson, name, role)
                ident = lesson.parts[-1].ident
            lesson = edits.change_part(lesson, ident, name=name, role=role, is_muted=is_muted)
        return lesson


class ImportForm(Form):
    """What is in a file of notes, and where it goes."""

    def __init__(
        self,
        name: str,
        score: ReadScore,
        phrase: Phrase | None,
        has_sound: bool,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(f"Import “{name}”", "Import", parent)
        self._name, self._score, self._phrase = name, score, phrase
        self.parts = QListWidget()
        self.parts.setAccessibleName("Parts of the file")
        self.parts.setMinimumHeight(px(96))
        for number, part in enumerate(score.parts[:MOST_LISTED]):
            item = QListWidgetItem(_words_of(score, number))
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if number == 0 else Qt.CheckState.Unchecked)
            item.setToolTip(part.name)
            self.parts.addItem(item)
        self.rows.addRow(soft("in the file"), self.parts)
        self.onto = QButtonGroup(self)
        has_bars = all(part.has_beats for part in score.parts)
        self._ways: dict[str, QRadioButton] = {}
        for way, words, possible, why in (
            (SECONDS, "at its own seconds in the recording", True, ""),
            (BARS, "bars to bars, in the lesson's tempo", has_bars, "That file has no bars."),
            (START, "from the start of the phrase on", phrase is not None, "There is no phrase."),
            (SOUND, "where it is heard in the recording", has_sound, "There is no recording."),
        ):
            button = QRadioButton(words)
            button.setEnabled(possible)
            button.setToolTip("" if possible else why)
            self._ways[way] = button
            self.onto.addButton(button)
            self.rows.addRow(soft("onto" if way == SECONDS else ""), button)
        own_times = not has_bars or phrase is None
        self._ways[SECONDS if own_times else START].setChecked(True)
        self.into = QComboBox()
        self.into.setAccessibleName("Into which phrase")
        if phrase is not None:
            self.into.addItem(f"into {phrase.name}", phrase.ident)
        self.into.addItem("into new phrases", None)
        self.in_place = QCheckBox("in place of the notes that are there")
        self.in_place.setChecked(True)
        self.rows.addRow(soft("where"), self.into)
        self.rows.addRow(soft(""), self.in_place)
        self.parts.itemChanged.connect(self._refresh)
        self._refresh()

    def _chosen(self) -> tuple[int, ...]:
        checked = Qt.CheckState.Checked
        rows = [self.parts.item(k) for k in range(self.parts.count())]
        return tuple(
            k for k, item in enumerate(rows) if item is not None and item.checkState() == checked
        )

    def _refresh(self, *_: object) -> None:
        chosen = self._chosen()
        if self.accept_button is not None:
            self.accept_button.setEnabled(bool(chosen))
        words = "Choose at least one part." if not chosen else "Ctrl+Z takes it back."
        if len(chosen) > 1:
            words = (
                "The second and every further part of the file becomes a part of the lesson. "
                + words
            )
        self.said.setText(words)

    def plan(self) -> ImportPlan:
        """Give what was chosen."""
        onto = next(way for way, button in self._ways.items() if button.isChecked())
        return ImportPlan(
            self._name, tuple(self._score.parts[k] for k in self._chosen()), onto,
            self.into.currentData(), self.in_place.isChecked(),
        )  # fmt: skip


def _words_of(score: ReadScore, number: int) -> str:
    part = score.parts[number]
    first, last = part.rows[0].onset_s, max(r.onset_s + r.duration_s for r in part.rows)
    placed = sum(row.string is not None and row.fret is not None for row in part.rows)
    words = f"{part.name:.60}: {len(part.rows)} notes, {first:.1f} to {last:.1f} s"
    return words + (f", {placed} with string and fret" if placed else "")

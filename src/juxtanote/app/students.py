"""A student's copy goes out; what was practised comes back as a small file and stands beside others."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.forms import Form
from juxtanote.app.jobs.runner import Job
from juxtanote.app.settings import STUDENT
from juxtanote.app.widgets.parts import number_box, soft
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.names import SUFFIX
from juxtanote.core.progress import Progress
from juxtanote.core.score.kept import Assigned
from juxtanote.core.score.lesson import Lesson

if TYPE_CHECKING:
    from juxtanote.app.main_window import MainWindow

REPORT_SUFFIX = ".practice.json"
MOST_BYTES = 50_000_000  # a larger file is no practice log


class StudentForm(Form):
    """Which phrases a student gets, in which order, and the speed to reach in each."""

    def __init__(self, lesson: Lesson, parent: QWidget | None = None) -> None:
        super().__init__("A student's copy", "Write it", parent)
        self.list = QListWidget()
        self.list.setAccessibleName("Phrases")
        for phrase in lesson.phrases:
            if phrase.notes:
                item = QListWidgetItem(phrase.name)
                item.setData(Qt.ItemDataRole.UserRole, (phrase.ident, 100))
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(Qt.CheckState.Checked)
                self.list.addItem(item)
        self.goal: QSpinBox = number_box(25, 125, 5, 100, " %", "Speed to reach")
        self.earlier, self.later = QPushButton("Earlier"), QPushButton("Later")
        row = QHBoxLayout()
        for widget in (soft("speed to reach"), self.goal, self.earlier, self.later):
            row.addWidget(widget)
        column = QVBoxLayout()
        column.addWidget(self.list)
        column.addLayout(row)
        self.rows.addRow(column)
        self.earlier.clicked.connect(lambda: self._move(-1))
        self.later.clicked.connect(lambda: self._move(1))
        self.goal.valueChanged.connect(self._on_goal)
        self.list.currentItemChanged.connect(self._on_item)
        self.list.setCurrentRow(0)
        shares = lesson.recording.may_share
        self.said.setText(
            "It opens on Practise with these phrases in this order. "
            + ("Your recording goes into it: you said that you may share it." if shares else
               "The recording stays out of it: tick on Teach that you may share it.")
        )  # fmt: skip

    def _move(self, step: int) -> None:
        row = self.list.currentRow()
        if 0 <= row + step < self.list.count():
            self.list.insertItem(row + step, self.list.takeItem(row))
            self.list.setCurrentRow(row + step)

    def _on_item(self, item: QListWidgetItem | None, *_: object) -> None:
        if item is not None:
            self.goal.setValue(item.data(Qt.ItemDataRole.UserRole)[1])

    def _on_goal(self, value: int) -> None:
        item = self.list.currentItem()
        if item is not None:
            item.setData(Qt.ItemDataRole.UserRole, (item.data(Qt.ItemDataRole.UserRole)[0], value))

    def assigned(self) -> tuple[Assigned, ...]:
        """Give what is ticked, in order."""
        items = [self.list.item(k) for k in range(self.list.count())]
        rows = [
            i.data(Qt.ItemDataRole.UserRole)
            for i in items
            if i and i.checkState() == Qt.CheckState.Checked
        ]
        return tuple(Assigned(ident, goal / 100) for ident, goal in rows)

    def try_accept(self) -> None:
        """Go on where something is ticked."""
        if self.assigned():
            self.accept()
        else:
            self.said.setText("Tick at least one phrase.")


class NameForm(Form):
    """Whose practice it is."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("Send the practice back", "Write it", parent)
        self.name = QLineEdit(STUDENT.read())
        self.name.setAccessibleName("Your name")
        self.rows.addRow(soft("your name"), self.name)
        self.said.setText("The file holds days, speeds and how takes went: no sound.")


class Students:
    """Asks, writes and reads; the lesson that is open changes only in what is kept beside it."""

    def __init__(self, window: "MainWindow") -> None:
        self._window = window

    def copy(self) -> None:
        """Write a student's copy of the lesson."""
        from juxtanote.core.practice.student import student_copy

        window, lesson = self._window, self._window.document.lesson
        form = StudentForm(lesson, window)
        if not form.list.count():
            window.tell("No phrase of this lesson has notes yet.")
            return
        if not form.exec():
            return
        name, _ = QFileDialog.getSaveFileName(
            window, "A student's copy", f"{lesson.title}, to practise{SUFFIX}", f"*{SUFFIX}"
        )
        if not name:
            return
        path = Path(name if name.endswith(SUFFIX) else f"{name}{SUFFIX}")
        copy, audio = student_copy(lesson, form.assigned()), window.document.sound_path
        inside = audio if lesson.recording.may_share and audio is not None else None

        def work(_: Progress) -> object:
            from dataclasses import replace

            from juxtanote.core.formats.lesson_file import save_lesson

            with_sound = replace(copy.recording, inside=inside is not None)
            save_lesson(replace(copy, recording=with_sound), path, inside)
            return path

        def then(_: object) -> None:
            window.tell(f"Wrote “{path.name}”: {len(copy.phrases)} phrases to practise.")

        window.runner.start(Job(f"Writing {path.name}", work, then, self._on_failed))

    def send(self) -> None:
        """Write what was practised as the small file that goes back to the teacher."""
        from juxtanote.core.audio.write import write_bytes
        from juxtanote.core.formats.lesson_json import practice_report
        from juxtanote.core.practice.student import report_of

        window, lesson = self._window, self._window.document.lesson
        form = NameForm(window)
        if not form.exec():
            return
        STUDENT.write(form.name.text().strip())
        report = report_of(lesson, form.name.text())
        name, _ = QFileDialog.getSaveFileName(
            window, "Send the practice back", f"{report.name}{REPORT_SUFFIX}", f"*{REPORT_SUFFIX}"
        )
        if not name:
            return
        path = Path(name if name.endswith(REPORT_SUFFIX) else f"{name}{REPORT_SUFFIX}")
        try:
            write_bytes(path, practice_report(lesson.title, report))
        except (OSError, JuxtanoteError) as error:
            self._on_failed(error)
            return
        window.tell(f"Wrote “{path.name}”: give it to your teacher.")

    def bring(self) -> None:
        """Read what a student sent, and keep it beside the others."""
        from juxtanote.core.formats.lesson_json import read_practice_report
        from juxtanote.core.practice.student import with_report

        window, document = self._window, self._window.document
        name, _ = QFileDialog.getOpenFileName(
            window, "Bring in what a student practised", "", f"*{REPORT_SUFFIX}"
        )
        if not name:
            return
        try:
            path = Path(name)
            if path.stat().st_size > MOST_BYTES:
                raise JuxtanoteError(f"“{path.name}” is too large for a practice report.")
            title, report = read_practice_report(path.read_bytes())
        except (OSError, JuxtanoteError) as error:
            self._on_failed(error)
            return
        document.keep(with_report(document.lesson, report))
        other = "" if title == document.lesson.title else f" It is of a lesson called “{title}”."
        days = len({entry.date[:10] for entry in report.log})
        window.tell(f"{report.name} practised on {days} days.{other} See the log on Practise (F5).")

    def _on_failed(self, error: Exception) -> None:
        self._window.complain(str(error))

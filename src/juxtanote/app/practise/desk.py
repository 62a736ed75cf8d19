"""The Practise desk: loops, speed steps, joined parts, and the log."""

from datetime import date

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.document import Document
from juxtanote.app.look.theme import LARGE
from juxtanote.app.practise import labels
from juxtanote.app.practise.plot import LogPlot
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.parts import Panel, heading, number_box, soft, strong
from juxtanote.core.practice import care
from juxtanote.core.practice.log import add_practice
from juxtanote.core.practice.plan import StepPlan, joined_chunks

USER_ROLE = 256


class PractiseDesk(QWidget):
    """Getting it into the hands."""

    told = pyqtSignal(str)

    def __init__(
        self, document: Document, transport: Transport, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self._played_s = 0.0
        self._chunk = ""
        self.start = number_box(25, 125, 5, 50, " %", "Start speed")
        self.goal = number_box(25, 125, 5, 100, " %", "Goal speed")
        self.step = number_box(1, 50, 5, 5, " %", "Step")
        self.repeats = number_box(1, 100, 1, 4, "", "Repeats a step")
        self.begin = QPushButton(labels.BEGIN)
        self.begin.setProperty("main", True)
        self.chunks = QListWidget()
        self.chunks.setAccessibleName(labels.CHUNKS)
        self.table = QTableWidget(0, len(labels.LOG_COLUMNS))
        self.plot = LogPlot(document)
        self._plan, self._rest = soft(wrap=True), soft(wrap=True)
        self._lay_out()
        self.begin.clicked.connect(self.begin_steps)
        self.chunks.itemActivated.connect(self._on_chunk)
        self.chunks.itemClicked.connect(self._on_chunk)
        for box in (self.start, self.step, self.goal, self.repeats):
            box.valueChanged.connect(self.refresh)
        transport.pass_ended.connect(self._on_pass)
        document.lesson_changed.connect(self.refresh)
        document.phrase_changed.connect(self._on_phrase)
        self.refresh()

    def _lay_out(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 12, 20, 12)
        row.setSpacing(16)
        left = QVBoxLayout()
        steps = Panel()
        steps.column.addWidget(heading(labels.STEPS))
        grid = QGridLayout()
        names = (labels.START, labels.STEP, labels.GOAL, labels.REPEATS)
        for index, (name, box) in enumerate(
            zip(names, (self.start, self.step, self.goal, self.repeats), strict=True)
        ):
            grid.addWidget(soft(name), 2 * (index // 2), index % 2)
            grid.addWidget(box, 2 * (index // 2) + 1, index % 2)
        steps.column.addLayout(grid)
        steps.column.addWidget(self._plan)
        steps.column.addWidget(self.begin)
        left.addWidget(steps)
        parts = Panel()
        parts.column.addWidget(strong(labels.CHUNKS, LARGE))
        parts.column.addWidget(self.chunks)
        left.addWidget(parts, 1)
        cautions = Panel()
        cautions.column.addWidget(strong(labels.CARE))
        cautions.column.addWidget(soft(care.HANDS, wrap=True))
        cautions.column.addWidget(self._rest)
        left.addWidget(cautions)
        row.addLayout(left, 2)
        right = Panel()
        right.column.addWidget(heading(labels.PLOT))
        right.column.addWidget(self.plot, 3)
        right.column.addWidget(strong(labels.LOG, LARGE))
        right.column.addWidget(self.table, 2)
        row.addWidget(right, 3)
        self.table.setHorizontalHeaderLabels(list(labels.LOG_COLUMNS))
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setAccessibleName(labels.LOG)
        self.table.setStyleSheet("QTableWidget { border: none; background: transparent; }")
        rows, columns = self.table.verticalHeader(), self.table.horizontalHeader()
        if rows is not None:
            rows.hide()
        if columns is not None:
            columns.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)

    def plan(self) -> StepPlan:
        """Give the plan as it is set."""
        return StepPlan(
            self.start.value() / 100,
            self.step.value() / 100,
            self.goal.value() / 100,
            self.repeats.value(),
        )

    def refresh(self, *_: object) -> None:
        """Show plan, parts and log."""
        steps = self.plan().steps()
        passes = sum(step.repeats for step in steps)
        self._plan.setText(
            f"{len(steps)} speeds, {passes} passes, then on at {100 * steps[-1].speed:.0f} %"
        )
        self.begin.setEnabled(
            self._document.sound is not None and self._document.phrase is not None
        )
        self.chunks.clear()
        for name, start, end in joined_chunks(list(self._document.lesson.phrases)):
            item = QListWidgetItem(f"{name}   {end - start:.1f} s")
            item.setData(USER_ROLE, (name, start, end))
            self.chunks.addItem(item)
        log = list(reversed(self._document.lesson.log))
        self.table.setRowCount(len(log))
        for row, entry in enumerate(log):
            texts = (entry.date, entry.phrase, f"{100 * entry.speed:.0f} %", str(entry.repeats))
            for column, text in enumerate(texts):
                self.table.setItem(row, column, QTableWidgetItem(text))

    def begin_steps(self) -> None:
        """Loop the phrase from the slowest step on."""
        phrase = self._document.phrase
        if phrase is None:
            return
        self._chunk = phrase.name
        self._transport.pause()
        self._transport.set_loop(phrase.start_s, phrase.end_s)
        self._transport.seek(phrase.start_s)
        self._transport.player.set_speed_steps(self.plan().steps())
        self._transport.play()

    def _on_chunk(self, item: QListWidgetItem) -> None:
        name, start, end = item.data(USER_ROLE)
        self._chunk = name
        self._transport.set_loop(start, end)
        self._transport.seek(start)

    def _on_phrase(self) -> None:
        self._chunk = self._document.phrase.name if self._document.phrase else ""
        self.refresh()

    def _on_pass(self, _: int, speed: float) -> None:
        """Log one repeat, but only here: a loop that runs while tab is written is no practice."""
        loop = self._transport.loop_s
        if loop is None or not self._chunk or not self.isVisible():
            return
        today = date.today().isoformat()
        self._document.change(
            "Practise", lambda l: add_practice(l, today, self._chunk, speed, 1), merge=700_000
        )
        self._played_s += (loop[1] - loop[0]) / max(speed, 0.1)
        if care.needs_break(self._played_s, 0.0):
            self._played_s = 0.0
            self._rest.setText(care.BREAK)
            self.told.emit(care.BREAK)

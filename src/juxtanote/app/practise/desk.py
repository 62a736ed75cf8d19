"""The Practise desk: loops, speed steps, joined parts, and the log."""

from dataclasses import replace
from datetime import date, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.document import Document
from juxtanote.app.jobs.runner import JobRunner
from juxtanote.app.look.theme import LARGE, px
from juxtanote.app.practise import labels
from juxtanote.app.practise.history import TakeGrid
from juxtanote.app.practise.parts_panel import PartsPanel
from juxtanote.app.practise.plot import LogPlot
from juxtanote.app.practise.recording import TakeRecorder
from juxtanote.app.practise.runs import Runs
from juxtanote.app.practise.tables import LogModel
from juxtanote.app.practise.take_panel import TakePanel
from juxtanote.app.practise.ways_panel import WaysPanel
from juxtanote.app.transport.controller import Transport
from juxtanote.app.transport.preview import Preview
from juxtanote.app.widgets.desk import Desk, News
from juxtanote.app.widgets.parts import Panel, heading, number_box, scrolled, soft, strong
from juxtanote.core.practice import care
from juxtanote.core.practice.climb import next_speed
from juxtanote.core.practice.log import add_practice, current_name
from juxtanote.core.practice.plan import Chunk, Parted, marked, speed_steps
from juxtanote.core.practice.review import due_on
from juxtanote.core.score.kept import Spot, StepPlan, TakeEntry

if TYPE_CHECKING:
    from juxtanote.core.practice.takes import Compared


class PractiseDesk(Desk):
    """Getting it into the hands."""

    told = pyqtSignal(str)
    joined = pyqtSignal(object)  # the phrases that sound together, by ident

    def __init__(
        self,
        document: Document,
        transport: Transport,
        runner: JobRunner,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(document, parent)
        self._transport = transport
        self._played_s = 0.0
        self._practised: tuple[int, ...] = ()  # phrases that are practised now
        self._filling = False
        self.start = number_box(25, 125, 5, 50, " %", "Start speed")
        self.goal = number_box(25, 125, 5, 100, " %", "Goal speed")
        self.step = number_box(1, 50, 5, 5, " %", "Step")
        self.repeats = number_box(1, 100, 1, 4, "", "Repeats a step")
        self.begin = QPushButton(labels.BEGIN)
        self.begin.setProperty("main", True)
        self.log_model, self.table = LogModel(self), QTableView()
        self.parts = PartsPanel()
        self.plot = LogPlot(document)
        self.take = TakePanel()
        self.recorder = TakeRecorder(document, transport, self)
        self.preview = Preview(runner, self)
        self.grid = TakeGrid()
        self.runs = Runs(transport)
        self.ways = WaysPanel(document, transport, self.runs, runner)
        self.write_log = QPushButton(labels.WRITE_LOG)
        self._plan, self._rest = soft(wrap=True), soft(wrap=True)
        self._lay_out()
        self.begin.clicked.connect(self.begin_steps)
        self.parts.chosen.connect(self._on_chunk)
        self.parts.mark_wanted.connect(self.mark_playhead)
        for box in (self.start, self.step, self.goal, self.repeats):
            box.valueChanged.connect(self._on_plan)
        self.take.spot_wanted.connect(self._loop_spot)
        self.take.record_toggled.connect(self.recorder.toggle)
        self.recorder.changed.connect(self.take.show_recording)
        self.ways.told.connect(self.told)
        self.ways.parts_wanted.connect(self.parts.begin)
        self.recorder.told.connect(self.told)
        self.recorder.level_changed.connect(self.take.meter.show_level)
        self.recorder.latency_changed.connect(self.take.show_latency)
        self.take.measure_wanted.connect(lambda: self.recorder.measure_latency())
        self.take.play_wanted.connect(self._play_take)
        self.take.forget_wanted.connect(self._forget_take)
        self.preview.playing_changed.connect(
            lambda on: self.take.play.setText(labels.STOP_TAKE if on else labels.PLAY_TAKE)
        )
        transport.pass_ended.connect(self._on_pass)

    @property
    def first_focus(self) -> QWidget:
        return self.parts.list

    def _lay_out(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 12, 20, 12)
        row.setSpacing(16)
        inner = QWidget()
        left = QVBoxLayout(inner)
        left.setContentsMargins(0, 0, 0, 0)
        steps = Panel()
        steps.column.addWidget(heading(labels.STEPS))
        grid = QGridLayout()
        names = (labels.START, labels.STEP, labels.GOAL, labels.REPEATS)
        for index, (name, box) in enumerate(
            zip(names, (self.start, self.step, self.goal, self.repeats), strict=True)
        ):
            box.setMinimumHeight(px(28))
            box.setMinimumWidth(px(76))
            grid.addWidget(soft(name), 0, index)
            grid.addWidget(box, 1, index)
        steps.column.addLayout(grid)
        steps.column.addWidget(self._plan)
        steps.column.addWidget(self.runs)
        steps.column.addWidget(self.begin)
        left.addWidget(steps)
        left.addWidget(self.take)
        left.addWidget(self.ways)
        left.addWidget(self.parts, 1)
        cautions = Panel()
        cautions.column.addWidget(strong(labels.CARE))
        cautions.column.addWidget(soft(care.HANDS, wrap=True))
        cautions.column.addWidget(self._rest)
        self._rest.hide()
        left.addWidget(cautions)
        area = scrolled(inner)
        area.setMinimumWidth(px(404))
        row.addWidget(area, 2)
        right = Panel()
        right.column.addWidget(heading(labels.PLOT))
        right.column.addWidget(self.plot, 3)
        right.column.addWidget(strong(labels.GRID, LARGE))
        right.column.addWidget(self.grid, 2)
        log = QHBoxLayout()
        log.addWidget(strong(labels.LOG, LARGE))
        log.addStretch(1)
        log.addWidget(self.write_log)
        right.column.addLayout(log)
        right.column.addWidget(self.table, 2)
        self.plot.setMinimumHeight(px(150))
        self.table.setMinimumHeight(px(90))
        row.addWidget(scrolled(right), 3)
        self.table.setModel(self.log_model)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setAccessibleName(labels.LOG)
        rows, columns = self.table.verticalHeader(), self.table.horizontalHeader()
        if rows is not None:
            rows.hide()
            rows.setDefaultSectionSize(px(24))
        if columns is not None:
            columns.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
            columns.setHighlightSections(False)

    # The plan

    def plan(self) -> StepPlan:
        """Give the plan as it is set."""
        return StepPlan(
            self.start.value() / 100,
            self.step.value() / 100,
            self.goal.value() / 100,
            self.repeats.value(),
        )

    def _on_plan(self, *_: object) -> None:
        """Keep the plan with the lesson."""
        if not self._filling:
            self._document.keep(replace(self._document.lesson.kept, plan=self.plan()))

    def _show_plan(self) -> None:
        plan = self._document.lesson.kept.plan
        self._filling = True
        for box, value in (
            (self.start, 100 * plan.start), (self.step, 100 * plan.step), (self.goal, 100 * plan.goal),
            (self.repeats, plan.repeats),
        ):  # fmt: skip
            if box.value() != round(value):
                box.setValue(round(value))
        self._filling = False
        steps = speed_steps(self.plan())
        passes = sum(step.repeats for step in steps)
        self._plan.setText(
            f"{len(steps)} speeds, {passes} passes, then on at {100 * steps[-1].speed:.0f} %"
        )

    # Showing

    def heed(self, news: News) -> None:
        """Show plan, parts and log, each where it changed."""
        change, lesson = news.change, self._document.lesson
        are_marks_new = news.kept and self.parts.marks is not lesson.kept.spots
        phrase = self._document.phrase
        if news.kept or change.whole:
            self._show_plan()
        if news.kept or change.whole or change.phrases:
            self.log_model.show_lesson(lesson)
            self.plot.update()
        if (
            change.whole
            or change.phrases
            or change.order
            or change.time
            or news.phrase
            or are_marks_new
        ):
            self.parts.show_lesson(lesson, phrase)
        if news.phrase or change.whole:
            self._practised = (phrase.ident,) if phrase is not None else ()
            self.plot.update()
        if news.phrase or change.whole:
            self.take.show_compared(None)
        if news.phrase or news.kept or change.whole:
            self._show_takes()
        has_notes = phrase is not None and bool(phrase.notes)
        for button in (self.take.button, self.take.record):
            button.setEnabled(has_notes)
            button.setToolTip("" if has_notes else labels.NO_NOTES)
        has_sound = self._document.sound is not None
        why = (
            ""
            if has_sound and phrase is not None
            else (labels.NO_PHRASE if has_sound else labels.NO_SOUND)
        )
        self.begin.setEnabled(not why)
        self.begin.setToolTip(why)

    def _show_takes(self) -> None:
        lesson, phrase = self._document.lesson, self._document.phrase
        mine = tuple(
            t for t in lesson.kept.takes if phrase is not None and t.phrase == phrase.ident
        )
        self.take.show_takes(mine)
        self.grid.show_takes(mine)
        due = due_on(lesson, date.today())
        names = [p.name for r in due if (p := lesson.phrase(r.phrase)) is not None]
        self.parts.due.setText(labels.DUE_TODAY.format(names=", ".join(names)) if names else "")
        self.parts.due.setVisible(bool(names))

    def show_compared(self, compared: "Compared", path: Path) -> None:
        """Show what was heard in a take, keep how it went, and let the speed follow."""
        phrase, lesson = self._document.phrase, self._document.lesson
        if phrase is None:
            return
        from juxtanote.core.checks.against_sound import asked_of
        from juxtanote.core.practice.takes import entry_of

        time_map = lesson.time_map
        at = time_map.to_beats([n.onset_s + 0.03 for n in asked_of(phrase, lesson)]).tolist()
        bars = [time_map.bar_and_beat(beat)[0] for beat in at]
        name = path.name if path.parent == self.recorder.folder() else ""
        now = datetime.now().isoformat(timespec="seconds")
        entry = entry_of(compared, phrase.ident, bars, now, name)
        kept = self._document.lesson.kept
        self._document.keep(replace(kept, takes=(*kept.takes, entry)))
        self.take.show_compared(compared, path.name)
        if self.runs.follows.isChecked():
            self._follow(entry)

    def _follow(self, entry: TakeEntry) -> None:
        """Go up a step after a clean take, back after a missed one."""
        speed = self._transport.speed
        after = next_speed(self.plan(), speed, entry)
        if abs(after - speed) > 1e-6:
            self._transport.set_speed(after)
            words = labels.FASTER if after > speed else labels.SLOWER
            self.told.emit(words.format(speed=100 * after))

    def _play_take(self, take: TakeEntry) -> None:
        if self.preview.is_playing:
            self.preview.stop()
            return
        path = self.recorder.file_of(take.file)
        if path is None:
            self.told.emit(labels.NO_FILE)
            return
        self._transport.pause()
        self.preview.play_file(path, self._transport.level)

    def _forget_take(self, take: TakeEntry) -> None:
        """Take a take out of the lesson, and its sound off this machine."""
        self.preview.stop()
        kept = self._document.lesson.kept
        self._document.keep(replace(kept, takes=tuple(t for t in kept.takes if t != take)))
        if take.file:
            (self.recorder.folder() / Path(take.file).name).unlink(missing_ok=True)
        self.told.emit(labels.FORGOTTEN)

    def begin_steps(self) -> None:
        """Loop the phrase from the slowest step on."""
        phrase = self._document.phrase
        if phrase is None or self._document.sound is None:
            return
        self._practised = (phrase.ident,)
        self._transport.pause()
        self._transport.loop_phrase(phrase)
        self._transport.seek(phrase.start_s)
        self._transport.player.set_speed_steps(speed_steps(self.plan()))
        self._transport.play()

    def _loop_spot(self, start_s: float, end_s: float, speed: float) -> None:
        """Loop where a take went wrong, a little slower than it was played."""
        if self._document.sound is None:
            self.told.emit(labels.NO_SOUND)
            return
        self._transport.pause()
        self._transport.set_speed(speed)
        self._transport.set_loop(start_s, end_s)
        self._transport.seek(start_s)
        self._transport.play()

    def _on_chunk(self, chunk: Chunk) -> None:
        self._practised = chunk.phrases
        self.joined.emit(chunk.phrases)
        several = len(chunk.phrases) > 1
        self._transport.set_spans(chunk.spans_s, chunk.name if several else "")
        self._transport.seek(chunk.spans_s[0][0])
        self.told.emit(labels.LOOPS.format(name=chunk.name))

    def mark_playhead(self) -> None:
        """Mark the playhead, to learn the phrase from mark to mark; or take the mark away."""
        phrase, at = self._document.phrase, self._transport.position_s
        if phrase is None or not phrase.start_s < at < phrase.end_s:
            self.told.emit(labels.NO_MARK)
            return
        kept = self._document.lesson.kept
        spots = marked(kept.spots, Spot(phrase.ident, at))
        self._document.keep(replace(kept, spots=spots))
        words = labels.MARKED if len(spots) > len(kept.spots) else labels.UNMARKED
        self.told.emit(words.format(at=at - phrase.start_s))
        self.parts.parted.setCurrentIndex(self.parts.parted.findData(Parted.SPOTS))

    def _on_pass(self, _: int, speed: float) -> None:
        """Log one repeat, but only here: a loop that runs while tab is written is no practice."""
        length_s, lesson = self._transport.player.loop_length_s, self._document.lesson
        if not length_s or not self._practised or not self.isVisible():
            return
        today = date.today().isoformat()
        name = current_name(self._practised, "", lesson)
        self._document.keep(add_practice(lesson.kept, today, self._practised, name, speed, 1))
        self._played_s += length_s / max(speed, 0.1)
        if care.needs_break(self._played_s, 0.0):
            self._played_s = 0.0
            self._rest.setText(care.BREAK)
            self._rest.show()
            self.told.emit(care.BREAK)

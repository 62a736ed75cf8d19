"""A line that shows long work, with a way to stop it."""

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.app.look.theme import px


class BusyLine(QWidget):
    """Follows the newest job of a runner, then those that still go on; hidden where none is under way."""

    def __init__(self, runner: JobRunner, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._jobs: list[tuple[Job, int]] = []  # under way, the newest last, and how far (of 1000)
        self._name = QLabel()
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setFixedWidth(140)
        self._stop = QPushButton("Stop")
        self._stop.setFixedHeight(px(18))
        self._stop.setStyleSheet(f"padding: 0 8px; font-size: {px(11)}px;")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, px(8), 0)
        for part in (self._name, self._bar, self._stop):
            layout.addWidget(part)
        self._stop.clicked.connect(self._on_stop)
        runner.started.connect(self._on_started)
        self.hide()

    def _on_started(self, job: Job) -> None:
        if job.quiet:
            return
        self._jobs.append((job, 0))
        job.progressed.connect(lambda part_done: self._on_progressed(job, part_done))
        job.ended.connect(lambda: self._on_ended(job))
        self._show_newest()

    def _show_newest(self) -> None:
        self.setVisible(bool(self._jobs))
        if self._jobs:
            job, done = self._jobs[-1]
            self._name.setText("Stopping…" if job.was_cancelled else job.name)
            self._bar.setValue(done)

    def _on_progressed(self, job: Job, part_done: float) -> None:
        done = int(1000 * part_done)
        self._jobs = [(j, done if j is job else before) for j, before in self._jobs]
        self._show_newest()

    def _on_stop(self) -> None:
        if self._jobs:
            self._jobs[-1][0].cancel()
            self._show_newest()

    def _on_ended(self, job: Job) -> None:
        self._jobs = [(j, done) for j, done in self._jobs if j is not job]
        self._show_newest()

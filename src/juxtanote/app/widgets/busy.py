"""A line that shows long work, with a way to stop it."""

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.app.look.theme import px


class BusyLine(QWidget):
    """Follows the newest job of a runner; hidden where nothing is under way."""

    def __init__(self, runner: JobRunner, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._job: Job | None = None
        self._name = QLabel()
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setFixedWidth(140)
        self._stop = QPushButton("Stop")
        self._stop.setFixedHeight(px(18))
        self._stop.setStyleSheet(f"padding: 0 8px; font-size: {px(11)}px;")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        for part in (self._name, self._bar, self._stop):
            layout.addWidget(part)
        self._stop.clicked.connect(self._on_stop)
        runner.started.connect(self._on_started)
        self.hide()

    def _on_started(self, job: Job) -> None:
        if job.quiet:
            return
        self._job = job
        self._name.setText(job.name)
        self._bar.setValue(0)
        job.progressed.connect(self._on_progressed)
        job.ended.connect(self._on_ended)
        self.show()

    def _on_progressed(self, part_done: float) -> None:
        self._bar.setValue(int(1000 * part_done))

    def _on_stop(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self._name.setText("Stopping…")

    def _on_ended(self) -> None:
        if self.sender() is self._job:
            self._job = None
            self.hide()

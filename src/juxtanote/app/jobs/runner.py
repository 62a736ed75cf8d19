"""One piece of long work on a pool thread, with progress and cancel."""

import threading
from collections.abc import Callable

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

from juxtanote.core.progress import Cancelled, Progress


class Job(QObject):
    """Connect to its signals before it is started; its work may touch no widget."""

    progressed = pyqtSignal(float)  # part done, 0 to 1
    succeeded = pyqtSignal(object)  # what the work returned
    failed = pyqtSignal(Exception)
    ended = pyqtSignal()  # always, and last

    def __init__(self, name: str, work: Callable[[Progress], object]) -> None:
        super().__init__()
        self.name = name
        self._work, self._stop = work, threading.Event()

    @property
    def was_cancelled(self) -> bool:
        """Whether someone asked it to stop."""
        return self._stop.is_set()

    def cancel(self) -> None:
        """Ask the work to stop at its next report."""
        self._stop.set()

    def run(self) -> None:
        """Do the work; called on a pool thread."""
        try:
            result = self._work(self._report)
        except Cancelled:
            pass
        except Exception as error:
            self.failed.emit(error)
        else:
            if not self._stop.is_set():
                self.succeeded.emit(result)

    def _report(self, part_done: float) -> None:
        if self._stop.is_set():
            raise Cancelled
        self.progressed.emit(part_done)


class _Runnable(QRunnable):
    def __init__(self, job: Job, finished: Callable[[Job], None]) -> None:
        super().__init__()
        self._job, self._finished = job, finished

    def run(self) -> None:
        self._job.run()
        self._finished(self._job)


class JobRunner(QObject):
    """Keeps jobs alive until their last signal has arrived on the window's thread."""

    started = pyqtSignal(object)  # Job
    _finished = pyqtSignal(object)  # Job, from the pool thread

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._jobs: set[Job] = set()
        self._stopped = False
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(2)
        self._finished.connect(self._on_finished)

    @property
    def is_busy(self) -> bool:
        """Whether any job is under way."""
        return bool(self._jobs)

    def start(self, job: Job) -> None:
        """Run a job on the pool; after `stop` nothing is started any more."""
        if self._stopped:
            return
        job.setParent(self)
        self._jobs.add(job)
        self.started.emit(job)
        self._pool.start(_Runnable(job, self._finished.emit))

    def cancel_all(self) -> None:
        """Ask every job to stop."""
        for job in self._jobs:
            job.cancel()

    def stop(self, timeout_ms: int = 5000) -> None:
        """Cancel all, start no more, and wait: a thread must not outlive its window."""
        self._stopped = True
        self.cancel_all()
        self._pool.waitForDone(timeout_ms)

    def _on_finished(self, job: Job) -> None:
        job.ended.emit()
        self._jobs.discard(job)
        job.deleteLater()

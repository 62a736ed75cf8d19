"""One piece of long work on a pool thread, with progress and cancel."""

import threading
from collections.abc import Callable

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, QTimer, pyqtSignal

from juxtanote.core.progress import Cancelled, Progress

Then = Callable[[object], None]
LONGEST_WAIT_S = 0.25  # work that gives way to a key goes on after so long, whatever comes


class Job(QObject):
    """Its work may touch no widget; what comes of it is told on the window's thread."""

    progressed = pyqtSignal(float)  # part done, 0 to 1
    ended = pyqtSignal()  # always, and last

    def __init__(
        self,
        name: str,
        work: Callable[[Progress], object],
        then: Then | None = None,
        failed: Callable[[Exception], None] | None = None,
        *,
        quiet: bool = False,
        long: bool = False,
        behind: bool = False,
    ) -> None:
        """Make a job; `quiet` work is of no interest to the person, and shown nowhere.

        It is short, unless it is said to be `long`: then no other quiet work waits for it. Work `behind`
        all else stands still while anything is done that the person asked for.
        """
        super().__init__()
        self.name, self.quiet, self.long, self.behind = name, quiet, long, behind
        self._work, self._then, self._failed = work, then, failed
        self._stop = threading.Event()
        self.gate: threading.Event | None = None  # closed while the window handles and paints
        self.front: threading.Event | None = None  # closed while what was asked for is done
        self._result: object = None
        self._error: Exception | None = None
        self._is_done = False

    @property
    def was_cancelled(self) -> bool:
        """Whether someone asked it to stop."""
        return self._stop.is_set()

    def cancel(self) -> None:
        """Ask the work to stop at its next report."""
        self._stop.set()

    def run(self) -> None:
        """Do the work; called on a pool thread. Nothing leaves it as an exception."""
        try:
            self._give_way()  # a key that asks for work is painted before that begins
            self._result = self._work(self._report)
            self._is_done = True
        except Cancelled:
            pass
        except Exception as error:
            self._error = error

    def finish(self) -> None:
        """Hand over what came of it; called on the window's thread."""
        if self._error is not None and self._failed is not None:
            self._failed(self._error)
        elif self._error is not None and not self._stop.is_set():
            raise self._error
        elif self._is_done and not self._stop.is_set() and self._then is not None:
            self._then(self._result)

    def let_go(self) -> None:
        """Forget what it held, here: the thread that worked may be the last to drop the job itself."""
        self._then = self._failed = self._result = self._error = None
        self._work = _nothing

    def _report(self, part_done: float) -> None:
        if self._stop.is_set():
            raise Cancelled
        self._give_way()
        while self.behind and self.front is not None and not self.front.wait(LONGEST_WAIT_S):
            if self._stop.is_set():
                raise Cancelled
        try:
            self.progressed.emit(part_done)
        except (RuntimeError, AttributeError):
            raise Cancelled from None  # the window is gone

    def _give_way(self) -> None:
        if self.gate is not None and not self.gate.is_set():
            self.gate.wait(LONGEST_WAIT_S)


def _nothing(_: Progress) -> None:
    return None


class _Runnable(QRunnable):
    def __init__(self, job: Job, finished: Callable[[Job], None]) -> None:
        super().__init__()
        self._job, self._finished = job, finished

    def run(self) -> None:
        self._job.run()
        try:
            self._finished(self._job)
        except (RuntimeError, AttributeError):
            return  # the window is gone, and with it whoever waited


class JobRunner(QObject):
    """Keeps jobs alive until what came of them was handed over on the window's thread.

    Quiet work has a thread of its own, so that it does not wait for a listening to end, and what of it is
    long another one, so that a search does not wait for a rendering. All work stands
    still at its next report while the window handles a key and paints: two threads of Python take turns,
    and the window's must not wait for its.
    """

    started = pyqtSignal(object)  # Job
    _finished = pyqtSignal(object)  # Job, from the pool thread

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._jobs: set[Job] = set()
        self._stopped = False
        self._pool, self._quick, self._long, self._behind = (QThreadPool(self) for _ in range(4))
        self._pool.setMaxThreadCount(2)
        self._quick.setMaxThreadCount(1)
        self._behind.setMaxThreadCount(1)
        # Pages, the tab's sound and a check do not wait for each other.
        self._long.setMaxThreadCount(3)
        self._finished.connect(self._on_finished)
        self._gate = threading.Event()
        self._gate.set()
        self._front = threading.Event()
        self._front.set()
        self._opening = QTimer(self)
        self._opening.setSingleShot(True)
        self._opening.setInterval(0)  # runs out when all that was to be painted is painted
        self._opening.timeout.connect(self._gate.set)

    def give_way(self) -> None:
        """Let work stand still until the window has painted what is asked of it now."""
        self._gate.clear()
        self._opening.start()

    @property
    def is_busy(self) -> bool:
        """Whether any job is under way."""
        return bool(self._jobs)

    @property
    def is_working(self) -> bool:
        """Whether a job that the person knows of is under way."""
        return any(not job.quiet for job in self._jobs)

    def start(self, job: Job) -> None:
        """Run a job on the pool; after `stop` nothing is started any more."""
        if self._stopped:
            return
        job.setParent(self)
        job.gate, job.front = self._gate, self._front
        self._jobs.add(job)
        self._open_front()
        self.started.emit(job)
        quiet = self._long if job.long else self._quick
        pool = quiet if job.quiet else self._behind if job.behind else self._pool
        pool.start(_Runnable(job, self._finished.emit))

    def _open_front(self) -> None:
        """Let what is behind go on, unless something is done that the person asked for."""
        if any(not job.quiet and not job.behind for job in self._jobs):
            self._front.clear()
        else:
            self._front.set()

    def cancel_all(self) -> None:
        """Ask every job to stop."""
        for job in self._jobs:
            job.cancel()

    def stop(self, timeout_ms: int = 5000) -> None:
        """Cancel all, start no more, and wait: a thread must not outlive its window."""
        self._stopped = True
        self.cancel_all()
        self._gate.set()
        self._front.set()
        for pool in (self._pool, self._quick, self._long, self._behind):
            pool.waitForDone(timeout_ms)

    def _on_finished(self, job: Job) -> None:
        try:
            if not self._stopped:
                job.finish()
        finally:
            job.ended.emit()
            self._jobs.discard(job)
            self._open_front()
            job.let_go()
            job.deleteLater()


class Latest(QObject):
    """Quiet work of which only the latest wish counts: asked again while busy, it goes on with that."""

    def __init__(
        self, runner: JobRunner, name: str, parent: QObject | None = None, *, long: bool = False
    ) -> None:
        super().__init__(parent)
        self._runner, self._name, self._long = runner, name, long
        self._job: Job | None = None
        self._next: tuple[Callable[[Progress], object], Then] | None = None

    def ask(self, work: Callable[[Progress], object], then: Then) -> None:
        """Do this work next; an earlier wish that has not begun is forgotten, one under way stopped."""
        if self._job is not None:
            self._job.cancel()
            self._next = work, then
            return
        job = Job(self._name, work, then, quiet=True, long=self._long)
        job.ended.connect(self._on_ended)
        self._job = job
        self._runner.start(job)

    def forget(self) -> None:
        """Want nothing any more."""
        self._next = None
        if self._job is not None:
            self._job.cancel()

    def _on_ended(self) -> None:
        self._job = None
        if self._next is not None:
            (work, then), self._next = self._next, None
            self.ask(work, then)

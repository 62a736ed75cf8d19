"""Unsaved work that survives a kill: written beside the lesson every few seconds, under a lock."""

import contextlib
import os
import uuid
from pathlib import Path

from PyQt6.QtCore import QLockFile, QObject, QTimer, pyqtSignal

from juxtanote.app.document import Document
from juxtanote.app.folders import state_folder
from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.names import SUFFIX
from juxtanote.core.progress import Cancelled, Progress, no_progress
from juxtanote.core.score.lesson import Lesson

RESCUE_EVERY_MS = 2000  # the most work that a kill may take
# A lock whose owner has not touched it for so long is nobody's, whatever process has its number now.
STALE_LOCK_MS = 30_000


class Rescue(QObject):
    """Writes unsaved work beside the saved file every few seconds, and finds it after a kill.

    Each session holds a lock for its file and touches it as it goes: the files of dead sessions are
    found by their locks. Work that was taken back stays on disk until it is written anew.
    """

    told = pyqtSignal(str)

    def __init__(
        self, document: Document, runner: JobRunner, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self._written: Lesson | None = None
        self._is_writing = False
        self._has_failed = False
        self._name = f"work-{uuid.uuid4().hex[:12]}"
        self._lock: QLockFile | None = None
        self._inherited: list[tuple[Path, QLockFile]] = []
        self._timer = QTimer(self)
        self._timer.setInterval(RESCUE_EVERY_MS)
        self._timer.timeout.connect(self._on_time)
        self._timer.start()

    @property
    def file(self) -> Path:
        """Where this session's unsaved work is written."""
        return state_folder() / f"{self._name}{SUFFIX}"

    def _on_time(self) -> None:
        for lock in [self._lock, *(held for _, held in self._inherited)]:
            if lock is not None:
                with contextlib.suppress(OSError):
                    os.utime(lock.fileName())
        if self._is_due():
            self._begin()

    def _is_due(self) -> bool:
        if self._is_writing or not self._document.is_modified:
            return False
        return self._document.lesson is not self._written

    def _begin(self) -> None:
        lesson, where = self._document.lesson, self._where()
        self._is_writing = True

        def work(progress: Progress) -> object:
            self._put(lesson, where, _never_stopped(progress))
            return lesson

        self._runner.start(
            Job("Keeping work safe", work, self._on_written, self._on_failed, quiet=True)
        )

    def _where(self) -> str:
        return f"{self._document.path or ''}\n{self._document.sound_path or ''}"

    def _put(self, lesson: Lesson, where: str, progress: Progress = no_progress) -> None:
        """Write a lesson and where it came from; each whole or not at all."""
        from juxtanote.core.audio.write import write_text
        from juxtanote.core.formats.lesson_file import save_lesson

        try:
            self.file.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise JuxtanoteError(
                f"“{self.file.parent}” cannot be made: {error.strerror}."
            ) from error
        self._hold()
        write_text(self.file.with_suffix(".where"), where)
        save_lesson(lesson, self.file, progress=progress)

    def _hold(self) -> None:
        if self._lock is None:
            self._lock = _lock_for(self.file)
            self._lock.tryLock(0)

    def _on_written(self, lesson: object) -> None:
        self._is_writing = False
        if self._has_failed:
            self._has_failed = False
            self.told.emit("Unsaved work is kept safe again.")
        if self._document.is_modified:
            self._written = lesson  # type: ignore[assignment]
            self._let_go_of_inherited()
        else:  # saved meanwhile
            self.drop()

    def _on_failed(self, error: Exception) -> None:
        """Go on trying, and say it once."""
        self._is_writing = False
        if not self._has_failed:
            self._has_failed = True
            self.told.emit(
                f"Unsaved work cannot be kept safe: {error} It is tried again; save soon."
            )

    def write(self) -> bool:
        """Write now, on this thread; False where there is nothing to write or it failed."""
        if not self._document.is_modified:
            return False
        try:
            self._put(self._document.lesson, self._where())
        except JuxtanoteError as error:
            self._on_failed(error)
            return False
        self._on_written(self._document.lesson)
        return True

    def inherit(self, path: Path) -> None:
        """Keep a dead session's file, and its lock, until this session has written its own."""
        lock = _lock_for(path)
        lock.tryLock(0)
        self._inherited.append((path, lock))

    def _let_go_of_inherited(self) -> None:
        for path, lock in self._inherited:
            _forget_file(path, lock)
        self._inherited = []

    def drop(self) -> None:
        """Forget the rescue file: the work is saved or given up."""
        self._written = None
        self._let_go_of_inherited()
        if self._lock is not None:
            _forget_file(self.file, self._lock)
            self._lock = None

    def stop(self) -> None:
        """Write no more."""
        self._timer.stop()

    @staticmethod
    def left_behind() -> list[Path]:
        """List rescue files of sessions that are not running any more, the newest first."""
        found = []
        for path in state_folder().glob(f"work-*{SUFFIX}"):
            lock = _lock_for(path)
            if lock.tryLock(0):
                lock.unlock()
                found.append(path)
        return sorted(found, key=lambda path: -path.stat().st_mtime)

    @staticmethod
    def give_up(path: Path) -> None:
        """Throw away what a session left behind: the person does not want it."""
        lock = _lock_for(path)
        if lock.tryLock(0):
            _forget_file(path, lock)


def _lock_for(path: Path) -> QLockFile:
    lock = QLockFile(str(path.with_suffix(".lock")))
    lock.setStaleLockTime(STALE_LOCK_MS)
    return lock


def _forget_file(path: Path, lock: QLockFile) -> None:
    path.unlink(missing_ok=True)
    path.with_suffix(".where").unlink(missing_ok=True)
    lock.unlock()


def _never_stopped(progress: Progress) -> Progress:
    """Let work give way to the window, and go on where a person cancels all that is under way."""

    def told(part_done: float) -> None:
        with contextlib.suppress(Cancelled):
            progress(part_done)

    return told

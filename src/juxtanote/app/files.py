"""Opening, saving, recent lessons, recordings that moved, and work that survives a kill."""

import contextlib
import hashlib
import os
import uuid
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLockFile, QObject, QTimer, pyqtSignal

from juxtanote.app.document import Document, Ticket
from juxtanote.app.folders import cache_folder, state_folder
from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.app.settings import recent_files, remember_file
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.names import IMPORTS, SUFFIX
from juxtanote.core.progress import Progress, part_of
from juxtanote.core.score.lesson import Lesson, Recording

if TYPE_CHECKING:
    from juxtanote.core.audio.peaks import Peaks
    from juxtanote.core.audio.sound import Sound

RESCUE_EVERY_MS = 2000
STALE_LOCK_MS = 30_000
"""A lock whose owner has not touched it for so long is nobody's, whatever process has its number now."""
OTHER_LENGTH_S = 1.0


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

        def work(_: Progress) -> object:
            self._put(lesson, where)
            return lesson

        self._runner.start(
            Job("Keeping work safe", work, self._on_written, self._on_failed, quiet=True)
        )

    def _where(self) -> str:
        return f"{self._document.path or ''}\n{self._document.sound_path or ''}"

    def _put(self, lesson: Lesson, where: str) -> None:
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
        save_lesson(lesson, self.file)

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


class Files(QObject):
    """Brings lessons and recordings in and out, as jobs; what no longer fits is dropped."""

    told = pyqtSignal(str)
    failed = pyqtSignal(str)
    opened = pyqtSignal()  # another lesson
    sound_ready = pyqtSignal(bool)  # whether it is a new recording that nobody measured yet
    other_recording = pyqtSignal(str, object)  # why, and what to do if it is wanted all the same

    def __init__(
        self, document: Document, runner: JobRunner, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self.rescue = Rescue(document, runner, self)
        self.rescue.told.connect(self.told)
        self._taken: QLockFile | None = None  # of the lesson file that is open here
        self._wanted = 0  # the latest file that was asked for

    # Opening

    def open_any(self, path: Path) -> None:
        """Open a lesson or a recording, by what it is."""
        if path.suffix.lower() in (SUFFIX, ".json"):
            self.open_lesson(path)
        elif path.suffix.lower() in IMPORTS:
            self.failed.emit(
                f"“{path.name}” holds notes: open a lesson, then import it with Ctrl+I."
            )
        else:
            self.open_recording(path)

    def _start(
        self, name: str, work: Callable[[Progress], object], then: Callable[[object], None]
    ) -> None:
        self._runner.start(Job(name, work, then, self._on_failed))

    def _on_failed(self, error: Exception) -> None:
        if not isinstance(error, JuxtanoteError):
            self.failed.emit(f"Reading failed ({error}). Your lesson is as it was.")
            raise error
        self.failed.emit(str(error))

    def open_lesson(self, path: Path) -> None:
        """Open a lesson; one that cannot be read leaves the open one as it is."""
        self._wanted += 1
        wanted = self._wanted

        def work(progress: Progress) -> object:
            from juxtanote.core.formats.lesson_file import load_lesson

            return load_lesson(path)

        def then(lesson: object) -> None:
            if wanted == self._wanted:  # no other file was asked for since
                self._on_lesson_read(lesson, path)  # type: ignore[arg-type]

        self._start(f"Opening {path.name}", work, then)

    def _on_lesson_read(self, lesson: Lesson, path: Path) -> None:
        self._document.open(lesson, path if path.suffix == SUFFIX else None)
        remember_file(str(path.resolve()))
        self._take_file(path)
        self.opened.emit()
        self._find_recording(lesson, path)

    def _take_file(self, path: Path) -> None:
        """Mark the lesson file as open here, and tell where another window has it open."""
        if self._taken is not None:
            self._taken.unlock()
        digest = hashlib.sha256(str(path.resolve()).encode()).hexdigest()[:24]
        state_folder().mkdir(parents=True, exist_ok=True)
        self._taken = QLockFile(str(state_folder() / f"open-{digest}.lock"))
        self._taken.setStaleLockTime(0)
        if not self._taken.tryLock(0):
            self.told.emit(
                f"“{path.name}” is open in another window too: what is saved last stays. Close one."
            )

    def recover(self, path: Path) -> None:
        """Open what a killed session left behind, as unsaved work; its file stays until ours is whole."""

        def work(progress: Progress) -> object:
            from juxtanote.core.formats.lesson_file import load_lesson

            lesson = load_lesson(path)
            where = path.with_suffix(".where")
            lines = where.read_text("utf-8", "replace").split("\n") if where.is_file() else []
            saved = Path(lines[0]) if lines and lines[0] else None
            before: Lesson | None = None
            if saved is not None and saved.is_file():
                try:
                    before = load_lesson(saved)
                except JuxtanoteError:
                    saved = None
            sound = Path(lines[1]) if len(lines) > 1 and lines[1] else None
            return lesson, before, saved, sound

        self._start("Taking work back", work, lambda result: self._on_recovered(path, result))

    def _on_recovered(self, path: Path, result: object) -> None:
        lesson, before, saved, sound = result  # type: ignore[misc]
        self.rescue.inherit(path)
        self._document.open(before if before is not None else replace(lesson, phrases=()), saved)
        self._document.change("Recover work", lambda _: lesson)
        self._document.keep(lesson.kept)
        if not self._document.is_modified:  # what was left behind is what was saved
            self._document.undo_stack.resetClean()
        self.rescue.write()
        self.opened.emit()
        if sound is not None and sound.is_file():
            self._load(sound, fresh=False)
        else:
            self._find_recording(self._document.lesson, saved or path)

    # Recordings

    def _find_recording(self, lesson: Lesson, path: Path) -> None:
        """Find the sound: inside the lesson, where it was found last, where it was, or beside it."""
        ticket = self._document.ticket()
        recording = lesson.recording

        def work(progress: Progress) -> object:
            from juxtanote.core.formats.lesson_file import find_recording

            return find_recording(lesson, path, cache_folder() / "recordings")

        def then(found: object) -> None:
            if not self._document.is_open(ticket):
                return
            if isinstance(found, Path):
                self._load(found, fresh=False)
            elif recording.path:
                self.told.emit("The recording of this lesson was not found. Open it with Ctrl+O.")

        if recording.path or recording.inside or lesson.kept.found_at:
            self._start("Looking for the recording", work, then)

    def open_recording(self, path: Path, *, as_new: bool = False) -> None:
        """Load a sound file: a new lesson, or the missing recording of the open one."""
        lesson = self._document.lesson
        missing = self._document.sound is None and bool(lesson.phrases) and not as_new
        self._load(path, fresh=not missing, by_hand=True)

    def _load(self, path: Path, *, fresh: bool, by_hand: bool = False) -> None:
        self._wanted += fresh
        wanted, ticket = self._wanted, self._document.ticket()

        def work(progress: Progress) -> object:
            from juxtanote.core.audio.peaks import build_peaks
            from juxtanote.core.audio.read import read_sound
            from juxtanote.core.audio.sound import fingerprint

            sound = read_sound(path, progress=part_of(progress, 0.0, 0.8))
            print_ = fingerprint(sound)
            peaks = build_peaks(sound.audio, sound.sample_rate, part_of(progress, 0.85, 1.0))
            return sound, peaks, print_

        def then(result: object) -> None:
            if fresh and wanted == self._wanted:
                self._on_fresh(path, result)
            elif not fresh and self._document.is_open(ticket):
                self._on_known(path, result, ticket, by_hand)
            else:
                self.told.emit(f"“{path.name}” was read, but another lesson is open by now.")

        self._start(f"Reading {path.name}", work, then)

    def _on_fresh(self, path: Path, result: object) -> None:
        sound, peaks, print_ = result  # type: ignore[misc]
        recording = Recording(str(path), sound.duration_s, fingerprint=print_)
        self._document.open(Lesson(title=path.stem, recording=recording), None)
        self._document.set_sound(sound, peaks, path)
        self.opened.emit()
        self.sound_ready.emit(True)

    def _on_known(self, path: Path, result: object, ticket: Ticket, by_hand: bool) -> None:
        from juxtanote.core.audio.sound import is_alike

        sound, peaks, print_ = result  # type: ignore[misc]
        known = self._document.lesson.recording

        def accept() -> None:
            if self._document.is_open(ticket):
                self._accept(path, (sound, peaks), print_, by_hand)

        longer = sound.duration_s - known.duration_s
        if known.duration_s and abs(longer) > OTHER_LENGTH_S:
            word = "longer" if longer > 0 else "shorter"
            why = f"“{path.name}” is {abs(longer):.1f} s {word} than the recording that was taught."
            self.other_recording.emit(why, accept)
        elif not is_alike(known.fingerprint, print_):
            why = (
                f"“{path.name}” sounds unlike the recording that was taught, though it is as long."
            )
            self.other_recording.emit(why, accept)
        else:
            accept()

    def _accept(self, path: Path, heard: "tuple[Sound, Peaks]", print_: str, by_hand: bool) -> None:
        """Take the recording of the open lesson; one that a person found is found there again."""
        document = self._document
        kept, known = document.lesson.kept, document.lesson.recording
        if by_hand and str(path) != known.path:
            document.keep(replace(kept, found_at=str(path)))
        if not known.fingerprint:  # a file of an earlier version: know it from now on
            length = known.duration_s or heard[0].duration_s
            fresh = replace(known, fingerprint=print_, duration_s=length)
            document.lesson = replace(document.lesson, recording=fresh)
        document.set_sound(*heard, path)
        self.sound_ready.emit(False)

    # Saving

    def save(self, path: Path, then: Callable[[bool], None] | None = None) -> None:
        """Save the lesson; the recording goes inside only where the user may share it.

        `then` is told whether it is saved.
        """
        document = self._document
        lesson = document.lesson
        sound = document.sound_path if lesson.recording.may_share else None
        written = replace(lesson, recording=replace(lesson.recording, inside=sound is not None))
        ticket = document.ticket()

        def work(progress: Progress) -> object:
            from juxtanote.core.formats.lesson_file import save_lesson

            save_lesson(written, path, sound)
            return True

        def done(_: object) -> None:
            if document.is_open(ticket):
                document.saved(lesson, path)
                if not document.is_modified:
                    self.rescue.drop()
                self._take_file(path)
            remember_file(str(path.resolve()))
            self.told.emit(f"Saved “{path.name}”.")
            if then is not None:
                then(True)

        def failed(error: Exception) -> None:
            self._on_failed(error)
            if then is not None:
                then(False)

        self._runner.start(Job(f"Saving {path.name}", work, done, failed))

    def clear_half_written(self) -> None:
        """Take away what kills left half written, here and beside the lessons that were opened last."""
        from juxtanote.core.audio.write import clear_partial

        folders = {state_folder(), cache_folder() / "recordings"}
        folders |= {Path(name).parent for name in recent_files()}

        def work(_: Progress) -> object:
            return sum(clear_partial(folder) for folder in folders if folder.is_dir())

        self._runner.start(Job("Clearing up", work, quiet=True))

    def close(self) -> None:
        """Let go of locks; unsaved work was saved or given up."""
        self.rescue.stop()
        self.rescue.drop()
        if self._taken is not None:
            self._taken.unlock()

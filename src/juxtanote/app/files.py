"""Opening, saving, recent lessons, and work that survives a kill."""

import os
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from juxtanote.app.document import Document
from juxtanote.app.folders import cache_folder, state_folder
from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.app.settings import remember_file
from juxtanote.core.audio.peaks import build_peaks
from juxtanote.core.audio.read import read_sound
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.lesson_file import SUFFIX, load_lesson, save_lesson, unpack_recording
from juxtanote.core.progress import Progress, part_of
from juxtanote.core.score.lesson import Lesson, Recording

RESCUE_EVERY_MS = 3000


class Rescue(QObject):
    """Writes unsaved work beside the saved file every few seconds, and finds it after a kill."""

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._written: Lesson | None = None
        self._file = state_folder() / f"work-{os.getpid()}{SUFFIX}"
        self._timer = QTimer(self)
        self._timer.setInterval(RESCUE_EVERY_MS)
        self._timer.timeout.connect(self.write)
        self._timer.start()

    def write(self) -> None:
        """Write the lesson if it changed and is not saved."""
        lesson = self._document.lesson
        if self._document.undo_stack.isClean() or lesson is self._written:
            return
        try:
            self._file.parent.mkdir(parents=True, exist_ok=True)
            save_lesson(lesson, self._file)
            note = str(self._document.path or "") + "\n" + str(self._document.sound_path or "")
            self._file.with_suffix(".where").write_text(note, "utf-8")
            self._written = lesson
        except (OSError, JuxtanoteError):
            self._timer.stop()  # a full or missing disk is told when the person saves

    def drop(self) -> None:
        """Forget the rescue file: the work is saved or given up."""
        self._written = None
        self._file.unlink(missing_ok=True)
        self._file.with_suffix(".where").unlink(missing_ok=True)

    @staticmethod
    def left_behind() -> list[Path]:
        """List rescue files of sessions that are not running any more, the newest first."""
        found = []
        for path in state_folder().glob(f"work-*{SUFFIX}"):
            number = path.stem.split("-")[-1]
            if number.isdigit() and not Path("/proc", number).exists():
                found.append(path)
        return sorted(found, key=lambda path: -path.stat().st_mtime)


class Files(QObject):
    """Brings lessons and recordings in and out; loading sound runs as a job."""

    told = pyqtSignal(str)
    failed = pyqtSignal(str)
    sound_ready = pyqtSignal(bool)  # whether it is a new recording that nobody measured yet

    def __init__(
        self, document: Document, runner: JobRunner, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self._fresh = False
        self.rescue = Rescue(document, self)

    def open_any(self, path: Path) -> None:
        """Open a lesson or a recording, by what it is."""
        if path.suffix.lower() in (SUFFIX, ".json"):
            self.open_lesson(path)
        else:
            self.open_recording(path)

    def open_lesson(self, path: Path) -> bool:
        """Open a lesson; one that cannot be read leaves the open one as it is."""
        try:
            lesson = load_lesson(path)
            sound = self._find_recording(lesson, path)
        except JuxtanoteError as error:
            self.failed.emit(str(error))
            return False
        self._document.open(lesson, path if path.suffix == SUFFIX else None)
        remember_file(str(path.resolve()))
        if sound is not None:
            self._load(sound, fresh=False)
        elif lesson.recording.path:
            self.told.emit("The recording of this lesson was not found. Open it with Ctrl+O.")
        return True

    def recover(self, path: Path) -> bool:
        """Open what a killed session left behind, as unsaved work."""
        try:
            lesson = load_lesson(path)
        except JuxtanoteError as error:
            self.failed.emit(str(error))
            return False
        where = path.with_suffix(".where")
        lines = where.read_text("utf-8").split("\n") if where.is_file() else ["", ""]
        saved = Path(lines[0]) if lines[0] else None
        before = lesson
        if saved is not None and saved.is_file():
            try:
                before = load_lesson(saved)
            except JuxtanoteError:
                saved = None
        self._document.open(before, saved)
        self._document.change("Recover work", lambda _: replace(lesson, title=lesson.title))
        if before == lesson:
            self._document.undo_stack.resetClean()
        if len(lines) > 1 and lines[1] and Path(lines[1]).is_file():
            self._load(Path(lines[1]), fresh=False)
        path.unlink(missing_ok=True)
        where.unlink(missing_ok=True)
        return True

    def _find_recording(self, lesson: Lesson, path: Path) -> Path | None:
        """Find the sound: inside the lesson file, where it was, or beside the lesson."""
        if lesson.recording.inside and path.suffix == SUFFIX:
            unpacked = unpack_recording(path, cache_folder() / path.stem)
            if unpacked is not None:
                return unpacked
        if not lesson.recording.path:
            return None
        known = Path(lesson.recording.path)
        for candidate in (known, path.parent / known, path.parent / known.name):
            if candidate.is_file():
                return candidate
        return None

    def open_recording(self, path: Path) -> None:
        """Load a sound file: a new lesson, or the missing recording of the open one."""
        lesson = self._document.lesson
        missing = self._document.sound is None and bool(lesson.phrases)
        self._load(path, fresh=not missing)

    def _load(self, path: Path, *, fresh: bool) -> None:
        def work(progress: Progress) -> object:
            sound = read_sound(path, progress=part_of(progress, 0.0, 0.8))
            return (
                path,
                fresh,
                sound,
                build_peaks(sound.audio, sound.sample_rate, part_of(progress, 0.8, 1.0)),
            )

        job = Job(f"Reading {path.name}", work)
        job.succeeded.connect(self._on_loaded)
        job.failed.connect(self._on_failed)
        self._runner.start(job)

    def _on_loaded(self, result: tuple) -> None:  # type: ignore[type-arg]
        path, fresh, sound, peaks = result
        if fresh:
            recording = Recording(str(path), sound.duration_s)
            self._document.open(Lesson(title=path.stem, recording=recording), None)
        self._document.set_sound(sound, peaks, path)
        self.sound_ready.emit(fresh)

    def _on_failed(self, error: Exception) -> None:
        self.failed.emit(
            str(error) if isinstance(error, JuxtanoteError) else f"Reading failed: {error}."
        )

    def save(self, path: Path) -> bool:
        """Save the lesson; the recording goes inside only where the user may share it."""
        lesson = self._document.lesson
        sound = self._document.sound_path if lesson.recording.may_share else None
        saved = replace(lesson, recording=replace(lesson.recording, inside=sound is not None))
        try:
            save_lesson(saved, path, sound)
        except JuxtanoteError as error:
            self.failed.emit(str(error))
            return False
        self._document.path = path
        self._document.undo_stack.setClean()
        self.rescue.drop()
        remember_file(str(path.resolve()))
        self.told.emit(f"Saved “{path.name}”.")
        return True

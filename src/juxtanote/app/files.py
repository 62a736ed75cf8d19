"""Opening, saving, recent lessons, recordings that moved."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QLockFile, QObject, pyqtSignal

from juxtanote.app.document import Document, Ticket
from juxtanote.app.folders import cache_folder, state_folder
from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.app.rescue import Rescue
from juxtanote.app.settings import recent_files, remember_file
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.names import IMPORTS, SUFFIX
from juxtanote.core.progress import Progress, part_of
from juxtanote.core.score.lesson import Lesson, Recording

if TYPE_CHECKING:
    from juxtanote.core.audio.peaks import Peaks
    from juxtanote.core.audio.sound import Sound

OTHER_LENGTH_S = 1.0  # a recording whose length differs by more is another one


@dataclass(frozen=True, slots=True)
class Recovered:
    """Work that was left behind, and the lesson and the recording that it belongs to."""

    lesson: Lesson
    before: Lesson | None
    saved: Path | None
    sound: Path | None


@dataclass(frozen=True, slots=True)
class Loaded:
    """A recording that was read."""

    sound: "Sound"
    peaks: "Peaks"
    fingerprint: str


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

            return load_lesson(path, progress)

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
            return Recovered(lesson, before, saved, sound)

        self._start(
            "Taking work back", work, lambda r: self._on_recovered(path, cast(Recovered, r))
        )

    def _on_recovered(self, path: Path, found: "Recovered") -> None:
        lesson, before, saved, sound = found.lesson, found.before, found.saved, found.sound
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
            return Loaded(sound, peaks, print_)

        def then(result: object) -> None:
            loaded = cast(Loaded, result)
            if fresh and wanted == self._wanted:
                self._on_fresh(path, loaded)
            elif not fresh and self._document.is_open(ticket):
                self._on_known(path, loaded, ticket, by_hand)
            else:
                self.told.emit(f"“{path.name}” was read, but another lesson is open by now.")

        self._start(f"Reading {path.name}", work, then)

    def _on_fresh(self, path: Path, loaded: "Loaded") -> None:
        sound, peaks = loaded.sound, loaded.peaks
        recording = Recording(str(path), sound.duration_s, fingerprint=loaded.fingerprint)
        self._document.open(Lesson(title=path.stem, recording=recording), None)
        self._document.set_sound(sound, peaks, path)
        self.opened.emit()
        self.sound_ready.emit(True)

    def _on_known(self, path: Path, loaded: "Loaded", ticket: Ticket, by_hand: bool) -> None:
        from juxtanote.core.audio.sound import is_alike

        sound, peaks, print_ = loaded.sound, loaded.peaks, loaded.fingerprint
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

            save_lesson(written, path, sound, progress=progress)
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

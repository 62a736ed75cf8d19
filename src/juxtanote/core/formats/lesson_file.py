"""Lesson files: NAME.juxta, a zip with lesson.json and, if wanted, the recording."""

import hashlib
import lzma
import struct
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path, PurePosixPath
from typing import IO

from juxtanote.core.audio.write import write_bytes, write_whole
from juxtanote.core.errors import LessonFileError
from juxtanote.core.formats.lesson_json import lesson_from_text, lesson_text
from juxtanote.core.formats.names import SUFFIX
from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.score.lesson import Lesson

__all__ = [
    "SUFFIX",
    "load_lesson",
    "save_lesson",
    "save_lesson_json",
    "trim_cache",
    "unpack_recording",
]
MOST_JSON_BYTES = 200_000_000  # unpacked: more than any lesson needs
MOST_AUDIO_BYTES = 2_000_000_000  # unpacked: three hours of stereo
MOST_CACHED_BYTES = 2_000_000_000  # of unpacked recordings; the oldest go first
AUDIO_FOLDER = "audio/"


def save_lesson(
    lesson: Lesson, path: Path, audio: Path | None = None, *, progress: Progress = no_progress
) -> None:
    """Save a lesson, with the recording inside if `audio` is given; whole or not at all.

    Parameters
    ----------
    lesson : Lesson
    path : Path
        Where to.
    audio : Path, optional
        The recording.
    progress : Progress
        Told how far it is, 0 to 1.

    Raises
    ------
    LessonFileError
        If it holds what could not be opened again; the file stays as it was.
    """
    text = lesson_text(lesson)
    progress(0.1)
    try:
        lesson_from_text(text, part_of(progress, 0.1, 0.8))
    except LessonFileError as error:
        raise LessonFileError(
            f"The lesson was not saved, it would not open again. {error} Or undo the last step."
        ) from error

    def fill(partial: Path) -> None:
        with zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("lesson.json", text)
            if audio is not None:
                archive.write(audio, AUDIO_FOLDER + audio.name, zipfile.ZIP_STORED)

    write_whole(path, fill)


def save_lesson_json(lesson: Lesson, path: Path) -> None:
    """Save only the lesson's JSON.

    Parameters
    ----------
    lesson : Lesson
    path : Path
        Where to.
    """
    write_bytes(path, lesson_text(lesson))


def load_lesson(path: Path, progress: Progress = no_progress) -> Lesson:
    """Read a lesson file (or its bare JSON).

    Parameters
    ----------
    path : Path
    progress : Progress
        Told how far it is, 0 to 1.

    Raises
    ------
    LessonFileError
        If it is missing, damaged, hostile or of an unknown version.
    """
    name = f"“{path.name}”"
    try:
        if path.suffix.lower() == ".json":
            data = path.read_bytes()
        else:
            with zipfile.ZipFile(path) as archive:
                _check_names(archive, name)
                data = _read_bounded(archive, "lesson.json", MOST_JSON_BYTES)
    except FOREIGN as error:
        raise _unreadable(error, name) from error
    return lesson_from_text(data, progress)


# Whatever `zipfile` and the file system raise over a damaged archive.
FOREIGN = (
    OSError, zipfile.BadZipFile, zlib.error, KeyError, RecursionError, NotImplementedError, RuntimeError,
    EOFError, ValueError, MemoryError, OverflowError, struct.error, lzma.LZMAError,
)  # fmt: skip


def _unreadable(error: BaseException, name: str) -> LessonFileError:
    if isinstance(error, OSError) and error.strerror:
        return LessonFileError(f"{name} could not be opened: {error.strerror}.")
    return LessonFileError(
        f"{name} could not be read: it is damaged or not a lesson file. Open an earlier copy."
    )


def _check_names(archive: zipfile.ZipFile, name: str) -> None:
    """Refuse entries that would leave the folder they are unpacked to."""
    for entry in archive.namelist():
        path = PurePosixPath(entry)
        if path.is_absolute() or ".." in path.parts or "\\" in entry:
            raise LessonFileError(f"{name} holds a file with an unsafe name and was not opened.")


def _read_bounded(archive: zipfile.ZipFile, entry: str, most: int) -> bytes:
    """Read an entry, but not more than `most` bytes whatever its header says."""
    with archive.open(entry) as handle:
        data = handle.read(most + 1)
    if len(data) > most:
        raise LessonFileError("The lesson file is far larger than a lesson can be; not opened.")
    return data


def unpack_recording(path: Path, folder: Path) -> Path | None:
    """Unpack the recording inside a lesson file into a folder, if there is one.

    It is named by its contents (SHA-256), so that two lessons never take each other's sound; of what
    the folder holds the latest `MOST_CACHED_BYTES` stay.

    Parameters
    ----------
    path : Path
        The lesson file.
    folder : Path
        Where to.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            _check_names(archive, f"“{path.name}”")
            inside = [n for n in archive.namelist() if n.startswith(AUDIO_FOLDER) and n[-1] != "/"]
            if not inside:
                return None
            digest = hashlib.sha256()
            with archive.open(inside[0]) as handle:
                for block in _blocks(handle, MOST_AUDIO_BYTES):
                    digest.update(block)
            suffix = PurePosixPath(inside[0]).suffix[:12]
            target = folder / f"{digest.hexdigest()[:32]}{suffix}"
            if not target.is_file():
                folder.mkdir(parents=True, exist_ok=True)
                write_whole(target, lambda partial: _copy_out(archive, inside[0], partial))
    except FOREIGN as error:
        raise LessonFileError(
            f"The recording inside “{path.name}” could not be unpacked."
        ) from error
    target.touch()
    trim_cache(folder, keep=target)
    return target


def find_recording(lesson: Lesson, path: Path, folder: Path) -> Path | None:
    """Find a lesson's sound: inside its file (unpacked into `folder`), where it was, or beside it.

    Parameters
    ----------
    lesson : Lesson
    path : Path
        Its file.
    folder : Path
        Where to.
    """
    if lesson.recording.inside and path.suffix == SUFFIX:
        unpacked = unpack_recording(path, folder)
        if unpacked is not None:
            return unpacked
    known = Path(lesson.recording.path) if lesson.recording.path else None
    candidates = [Path(lesson.kept.found_at)] if lesson.kept.found_at else []
    candidates += [known, path.parent / known, path.parent / known.name] if known else []
    return next((place for place in candidates if place.is_file()), None)


def _blocks(handle: IO[bytes], most: int) -> Iterator[bytes]:
    done = 0
    while block := handle.read(1 << 20):
        done += len(block)
        if done > most:
            raise LessonFileError("The recording inside the lesson is far too large; not opened.")
        yield block


def _copy_out(archive: zipfile.ZipFile, entry: str, target: Path) -> None:
    with archive.open(entry) as handle, target.open("wb") as out:
        for block in _blocks(handle, MOST_AUDIO_BYTES):
            out.write(block)


def trim_cache(folder: Path, *, keep: Path | None = None, most: int | None = None) -> None:
    """Take the oldest unpacked recordings away while the folder holds too much.

    Parameters
    ----------
    folder : Path
    keep : Path, optional
        Which stays in any case.
    most : int, optional
        Bytes.
    """
    limit = MOST_CACHED_BYTES if most is None else most
    files = sorted(
        (p for p in folder.iterdir() if p.is_file()), key=lambda p: -p.stat().st_mtime_ns
    )
    held = 0
    for path in files:
        held += path.stat().st_size
        if held > limit and path != keep:
            path.unlink(missing_ok=True)

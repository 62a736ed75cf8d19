"""Lesson files: NAME.juxta, a zip with lesson.json and, if wanted, the recording."""

import json
import zipfile
import zlib
from pathlib import Path, PurePosixPath

from juxtanote.core.audio.write import write_text, write_whole
from juxtanote.core.errors import LessonFileError
from juxtanote.core.formats.lesson_json import lesson_from_json, lesson_to_json
from juxtanote.core.score.lesson import Lesson

SUFFIX = ".juxta"
MOST_JSON_BYTES = 200_000_000
MOST_AUDIO_BYTES = 2_000_000_000
AUDIO_FOLDER = "audio/"


def lesson_text(lesson: Lesson) -> str:
    """Write a lesson as JSON text."""
    return json.dumps(lesson_to_json(lesson), ensure_ascii=False, separators=(",", ":")) + "\n"


def save_lesson(lesson: Lesson, path: Path, audio: Path | None = None) -> None:
    """Save a lesson, with the recording inside if `audio` is given; whole or not at all."""

    def fill(partial: Path) -> None:
        with zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("lesson.json", lesson_text(lesson))
            if audio is not None:
                archive.write(audio, AUDIO_FOLDER + audio.name, zipfile.ZIP_STORED)

    write_whole(path, fill)


def save_lesson_json(lesson: Lesson, path: Path) -> None:
    """Save only the lesson's JSON."""
    write_text(path, lesson_text(lesson))


def load_lesson(path: Path) -> Lesson:
    """Read a lesson file (or its bare JSON).

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
        body = json.loads(data.decode("utf-8"))
    except OSError as error:
        raise LessonFileError(f"{name} could not be opened: {error.strerror or error}.") from error
    except (
        zipfile.BadZipFile,
        zlib.error,
        KeyError,
        UnicodeDecodeError,
        json.JSONDecodeError,
    ) as error:
        raise LessonFileError(
            f"{name} could not be read: it is damaged or not a lesson file. Open an earlier copy."
        ) from error
    except (RecursionError, NotImplementedError, RuntimeError, EOFError, ValueError) as error:
        raise LessonFileError(f"{name} could not be read: its contents make no sense.") from error
    return lesson_from_json(body)


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
    """Unpack the recording inside a lesson file into a folder, if there is one."""
    try:
        with zipfile.ZipFile(path) as archive:
            _check_names(archive, f"“{path.name}”")
            inside = [n for n in archive.namelist() if n.startswith(AUDIO_FOLDER)]
            if not inside:
                return None
            data = _read_bounded(archive, inside[0], MOST_AUDIO_BYTES)
    except (
        OSError,
        zipfile.BadZipFile,
        zlib.error,
        KeyError,
        NotImplementedError,
        EOFError,
    ) as error:
        raise LessonFileError(
            f"The recording inside “{path.name}” could not be unpacked."
        ) from error
    folder.mkdir(parents=True, exist_ok=True)
    target = folder / PurePosixPath(inside[0]).name
    write_whole(target, lambda partial: partial.write_bytes(data))
    return target

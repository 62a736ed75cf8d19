"""Notes of any file that has some, lessons included, as rows to be checked."""

from pathlib import Path

from juxtanote.core.errors import ImportFileError
from juxtanote.core.formats.csv_notes import NoteRow, note_to_row
from juxtanote.core.formats.exports import read_score
from juxtanote.core.formats.lesson_file import load_lesson
from juxtanote.core.formats.names import SUFFIX
from juxtanote.core.score.timeline import notes_of_part
from juxtanote.core.theory.tuning import Guitar


def rows_of(path: Path, *, phrase: str = "") -> tuple[list[NoteRow], Guitar]:
    """Read the notes of a file by onset, and the guitar that they are for; of one phrase by its name.

    Parameters
    ----------
    path : Path
        Of a lesson, or of notes in another format.
    phrase : str
        All of them where empty.

    Raises
    ------
    ImportFileError, LessonFileError
        If it cannot be read, or has no notes.
    """
    guitar = Guitar()
    if path.suffix.lower() in (SUFFIX, ".json"):
        lesson = load_lesson(path)
        guitar = lesson.parts[0].guitar
        rows = [
            note_to_row(note, lesson.time_map)
            for part in lesson.parts
            for owner, note in notes_of_part(lesson, part.ident)
            if not phrase or owner.name.casefold() == phrase.casefold()
        ]
    else:
        rows = [row for part in read_score(path).parts for row in part.rows]
    if not rows:
        raise ImportFileError(f"“{path.name}” has no notes to check.")
    return sorted(rows, key=lambda row: (row.onset_s, row.midi)), guitar

"""One door to every format: the suffix of the file chooses."""

from pathlib import Path

from juxtanote.core.audio.write import write_bytes, write_text
from juxtanote.core.errors import ImportFileError, JuxtanoteError
from juxtanote.core.formats.csv_notes import NoteRow, read_rows, write_lesson_notes, write_rows
from juxtanote.core.formats.names import EXPORTS, IMPORTS
from juxtanote.core.formats.read_score import ReadPart, ReadScore
from juxtanote.core.score.lesson import Lesson, Part, Phrase
from juxtanote.core.score.note import WIDEST_BEND, HeardNote, Note, WrittenNote
from juxtanote.core.score.timing import counted
from juxtanote.core.theory.observed import Observation, Shows
from juxtanote.core.theory.tuning import Guitar

MOST_BYTES = 60_000_000  # of a sound file that is read at once


def export_lesson(lesson: Lesson, path: Path) -> None:
    """Write a lesson in the format that the suffix names.

    Parameters
    ----------
    lesson : Lesson
    path : Path
        Where to.
    """
    suffix = path.suffix.lower()
    if suffix == ".csv":
        write_text(path, write_lesson_notes(lesson))
    elif suffix == ".json":
        from juxtanote.core.formats.lesson_file import save_lesson_json

        save_lesson_json(lesson, path)
    elif suffix == ".jams":
        from juxtanote.core.formats.jams import write_jams

        write_text(path, write_jams(lesson))
    elif suffix == ".mid":
        from juxtanote.core.formats.midi import write_midi

        write_bytes(path, write_midi(lesson))
    elif suffix == ".musicxml":
        from juxtanote.core.formats.musicxml import write_musicxml

        write_text(path, write_musicxml(lesson))
    elif suffix == ".txt":
        from juxtanote.core.formats.text_tab import write_text_tab

        write_text(path, write_text_tab(lesson))
    else:
        raise JuxtanoteError(
            f"“{path.name}”: there is no such export. Choose {', '.join(EXPORTS)}."
        )


def read_score(path: Path) -> ReadScore:
    """Read a file of notes, every part of it: CSV, MIDI or MusicXML.

    Raises
    ------
    ImportFileError
        If there is no such file, its suffix is unknown, or it cannot be read.
    """
    suffix = path.suffix.lower()
    if suffix not in IMPORTS:
        raise ImportFileError(f"“{path.name}”: notes are read from {', '.join(IMPORTS)}.")
    try:
        if path.stat().st_size > MOST_BYTES:
            raise ImportFileError(f"“{path.name}” is too large to be a lick. Export a part of it.")
        data = path.read_bytes()
    except OSError as error:
        raise ImportFileError(
            f"“{path.name}” could not be opened: {error.strerror or error}."
        ) from error
    if suffix == ".csv":
        rows = read_rows(data.decode("utf-8-sig", errors="replace"))
        names = list(dict.fromkeys(row.part for row in rows))
        return ReadScore(
            tuple(
                ReadPart(name or path.stem, tuple(row for row in rows if row.part == name))
                for name in names
            )
        )
    if suffix in (".mid", ".midi"):
        from juxtanote.core.formats.midi import read_midi

        return read_midi(data)
    from juxtanote.core.formats.musicxml_read import read_musicxml

    return read_musicxml(data)


def read_notes(path: Path) -> list[NoteRow]:
    """Read the notes of all parts of a file, by onset."""
    rows = [row for part in read_score(path).parts for row in part.rows]
    return sorted(rows, key=lambda row: (row.onset_s, -(row.string or 0), row.midi))


def export_rows(rows: list[NoteRow], guitar: Guitar, path: Path) -> None:
    """Write placed rows; formats other than CSV go through a lesson of one phrase.

    Parameters
    ----------
    rows : list of NoteRow
    guitar : Guitar
    path : Path
        Where to.
    """
    if path.suffix.lower() == ".csv":
        write_text(path, write_rows(rows))
        return
    lesson = Lesson(title=path.stem, parts=(Part(guitar=guitar),))
    end = max((row.onset_s + row.duration_s for row in rows), default=1.0) + 0.1
    phrase = Phrase(1, "1", 0.0, end).with_notes(rows_to_notes(rows))
    export_lesson(lesson.with_phrase(counted(phrase, lesson.time_map)), path)


def rows_to_notes(rows: list[NoteRow], *, first_ident: int = 1, shift_s: float = 0.0) -> list[Note]:
    """Make notes of rows that have a string and a fret; what the file said is locked.

    Parameters
    ----------
    rows : list of NoteRow
        With string and fret; times in seconds.
    first_ident : int, optional
        Number of the first note.
    shift_s : float, optional
        Added to every time, seconds.
    """
    notes = []
    for number, row in enumerate(rows, start=first_ident):
        onset = row.onset_s + shift_s
        heard = HeardNote(
            onset_s=max(onset, 0.0),
            offset_s=max(onset, 0.0) + row.duration_s,
            midi=row.midi,
            level_db=row.level_db,
            confidence=row.confidence,
            evidence=(Observation(Shows.FROM_FILE),),
        )
        written = WrittenNote(
            string=row.string or 1, fret=row.fret or 0, techniques=row.techniques,
            bend_semitones=min(max(row.bend_semitones, 0.0), WIDEST_BEND),
            locked=frozenset({"place", "pitch"}) if row.string and row.fret is not None else frozenset(),
        )  # fmt: skip
        notes.append(Note(number, heard, written))
    return notes

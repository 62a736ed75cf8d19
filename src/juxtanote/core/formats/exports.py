"""One door to every format: the suffix of the file chooses."""

from dataclasses import replace
from pathlib import Path

from juxtanote.core.audio.write import write_bytes, write_text
from juxtanote.core.errors import ImportFileError, JuxtanoteError
from juxtanote.core.formats.csv_notes import NoteRow, read_rows, write_lesson_notes, write_rows
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import HeardNote, Note, WrittenNote
from juxtanote.core.score.rhythm import write_phrase
from juxtanote.core.theory.tuning import Guitar

EXPORTS = {
    ".musicxml": "MusicXML 4.0", ".mid": "MIDI", ".txt": "Text tab", ".csv": "Notes as CSV",
    ".jams": "JAMS", ".json": "Lesson as JSON",
}  # fmt: skip
IMPORTS = (".csv", ".mid", ".midi", ".musicxml", ".xml", ".mxl")


def export_lesson(lesson: Lesson, path: Path) -> None:
    """Write a lesson in the format that the suffix names."""
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


def read_notes(path: Path) -> list[NoteRow]:
    """Read notes from CSV, MIDI or MusicXML.

    Raises
    ------
    ImportFileError
        If there is no such file, its suffix is unknown, or it cannot be read.
    """
    suffix = path.suffix.lower()
    if suffix not in IMPORTS:
        raise ImportFileError(f"“{path.name}”: notes are read from {', '.join(IMPORTS)}.")
    try:
        data = path.read_bytes()
    except OSError as error:
        raise ImportFileError(
            f"“{path.name}” could not be opened: {error.strerror or error}."
        ) from error
    if suffix == ".csv":
        return read_rows(data.decode("utf-8-sig", errors="replace"))
    if suffix in (".mid", ".midi"):
        from juxtanote.core.formats.midi import read_midi

        return read_midi(data)
    from juxtanote.core.formats.musicxml_read import read_musicxml

    return read_musicxml(data)


def export_rows(rows: list[NoteRow], guitar: Guitar, path: Path) -> None:
    """Write placed rows; formats other than CSV go through a lesson of one phrase."""
    if path.suffix.lower() == ".csv":
        write_text(path, write_rows(rows))
        return
    lesson = Lesson(title=path.stem, guitar=guitar)
    end = max((row.onset_s + row.duration_s for row in rows), default=1.0) + 0.1
    phrase = Phrase(1, "1", 0.0, end).with_notes(rows_to_notes(rows))
    export_lesson(lesson.with_phrase(write_phrase(phrase, lesson.time_map)), path)


def rows_to_notes(rows: list[NoteRow], *, first_ident: int = 1, shift_s: float = 0.0) -> list[Note]:
    """Make notes of rows that have a string and a fret; what the file said is locked."""
    notes = []
    for number, row in enumerate(rows, start=first_ident):
        onset = row.onset_s + shift_s
        heard = HeardNote(
            onset, onset + row.duration_s, row.midi, row.level_db, row.confidence,
            evidence=("from a file",),
        )  # fmt: skip
        written = WrittenNote(
            row.string or 1, row.fret or 0, row.techniques, min(row.bend_semitones, 5.0),
            locked=frozenset({"place", "pitch"}) if row.string and row.fret is not None else frozenset(),
        )  # fmt: skip
        notes.append(Note(number, heard, written))
    return notes


def import_into_phrase(phrase: Phrase, rows: list[NoteRow], guitar: Guitar) -> Phrase:
    """Lay imported notes into a phrase, the first at its start; missing places are solved."""
    from juxtanote.core.fretboard.solver import place

    if not rows:
        raise ImportFileError("There are no notes in that file.")
    shift = phrase.start_s - min(row.onset_s for row in rows)
    placement = place(guitar, [row.to_place() for row in rows])
    placed = [
        replace(row, string=string, fret=fret)
        for row, string, fret in zip(rows, placement.strings, placement.frets, strict=True)
    ]
    notes = rows_to_notes(placed, shift_s=shift)
    end = max(note.offset_s for note in notes)
    return replace(phrase, end_s=max(phrase.end_s, end)).with_notes(notes)

"""Notes and beats as CSV: the columns other programs and our own measurements rely on."""

import csv
import io
import math
from dataclasses import dataclass, field, replace
from fractions import Fraction

from juxtanote.core.errors import ImportFileError
from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.score.lesson import Lesson
from juxtanote.core.score.note import Note
from juxtanote.core.score.techniques import TECHNIQUES
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timeline import notes_of_part

COLUMNS = (
    "onset_s", "duration_s", "midi", "string", "fret", "techniques", "bend_semitones", "level_db",
    "confidence", "bar", "beat",
)  # fmt: skip
MOST_ROWS = 100_000  # a file with more is no lesson
LATEST_S = 1e6  # eleven days: nothing is longer, and sums stay exact
SHORTEST_S = 0.01  # a note of no length is given this


@dataclass(frozen=True, slots=True)
class NoteRow:
    """One row as read; string, fret and the like may be empty."""

    onset_s: float
    duration_s: float
    midi: float
    string: int | None = None
    fret: int | None = None
    techniques: frozenset[str] = frozenset()
    bend_semitones: float = 0.0
    level_db: float = -18.0
    confidence: float = 1.0
    bar: str = ""
    beat: str = ""
    part: str = ""
    onset_beats: Fraction | None = None  # where a file writes it, beats from bar 1
    duration_beats: Fraction | None = None
    number: int | None = field(default=None, compare=False)  # its place in the file, from 0

    def __post_init__(self) -> None:
        times = self.onset_s, self.duration_s, self.midi, self.bend_semitones, self.level_db
        if not all(map(math.isfinite, times)):
            raise ValueError(f"a note with numbers that are not finite: {times}")
        if not 0.0 <= self.onset_s <= LATEST_S or not 0.0 < self.duration_s <= LATEST_S:
            raise ValueError(f"a note at {self.onset_s:g} s that lasts {self.duration_s:g} s")
        if not 0.0 <= self.midi <= 127.0:
            raise ValueError(f"a note at pitch {self.midi:g}: MIDI pitches are 0 to 127")

    def to_place(self) -> NoteToPlace:
        """Give what the placement solver needs; what is filled in counts as locked."""
        return NoteToPlace(
            onset_s=self.onset_s,
            offset_s=self.onset_s + self.duration_s,
            midi=self.midi,
            techniques=self.techniques,
            bend_semitones=self.bend_semitones,
            string=self.string,
            fret=self.fret,
        )


def note_to_row(note: Note, time_map: TimeMap) -> NoteRow:
    """Describe a note as a row; bar and beat are the written ones where there are any.

    Parameters
    ----------
    note : Note
    time_map : TimeMap
        Beats and metre.
    """
    written, heard = note.written, note.heard
    onset = written.onset_beats
    beats = float(onset) if onset is not None else float(time_map.to_beats(heard.onset_s))
    bar, beat = time_map.bar_and_beat(beats)
    return NoteRow(
        heard.onset_s, heard.duration_s, heard.midi, written.string, written.fret,
        written.techniques, written.bend_semitones, heard.level_db, heard.confidence,
        str(bar), f"{beat:.4g}",
    )  # fmt: skip


def write_rows(rows: list[NoteRow], *, with_parts: bool = False) -> str:
    """Write rows with their header line, sorted by onset; `with_parts` adds the column ``part``."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow((*COLUMNS, "part") if with_parts else COLUMNS)
    for row in sorted(rows, key=lambda r: (r.onset_s, r.midi)):
        tags = ";".join(word for word in TECHNIQUES if word in row.techniques)
        bend = f"{row.bend_semitones:.2f}" if row.bend_semitones else ""
        cells = [
            f"{row.onset_s:.4f}", f"{row.duration_s:.4f}", f"{row.midi:.2f}",
            "" if row.string is None else row.string, "" if row.fret is None else row.fret,
            tags, bend, f"{row.level_db:.1f}", f"{row.confidence:.3f}", row.bar, row.beat,
        ]  # fmt: skip
        writer.writerow([*cells, row.part] if with_parts else cells)
    return out.getvalue()


def write_lesson_notes(lesson: Lesson, *, with_parts: bool = False) -> str:
    """Write every note of every part once.

    The column ``part`` (``lead``, or 2, 3, … for others) stands where there are several, or where it is
    asked for `with_parts`.

    Parameters
    ----------
    lesson : Lesson
    with_parts : bool
        True for a column that names the part.
    """
    rows = []
    for number, part in enumerate(lesson.parts):
        name = "lead" if number == 0 else str(number + 1)
        for _, note in notes_of_part(lesson, part.ident):
            rows.append(replace(note_to_row(note, lesson.time_map), part=name))
    return write_rows(rows, with_parts=with_parts or len(lesson.parts) > 1)


def read_rows(text: str) -> list[NoteRow]:
    """Read rows, sorted by onset.

    Raises
    ------
    ImportFileError
        Naming the line, if the header or a value cannot be read.
    """
    plain = text.replace("\r\n", "\n").replace("\r", "\n")
    try:
        return _read_table(csv.DictReader(io.StringIO(plain)))
    except csv.Error as error:
        raise ImportFileError(f"The table of notes could not be read: {error}.") from error


def _read_table(reader: "csv.DictReader[str]") -> list[NoteRow]:
    missing = {"onset_s", "duration_s", "midi"} - set(reader.fieldnames or ())
    if missing:
        raise ImportFileError(
            f"The table of notes lacks the columns {', '.join(sorted(missing))}: its first line "
            f"must name them ({','.join(COLUMNS)})."
        )
    rows = []
    for line, record in enumerate(reader, start=2):
        if line > MOST_ROWS:
            raise ImportFileError(f"The table has more than {MOST_ROWS} notes. Split it.")
        try:
            rows.append(replace(_read_row(record), number=line - 2))
        except (ValueError, TypeError, KeyError, AttributeError) as error:
            raise ImportFileError(
                f"Line {line} of the table could not be read: {error}."
            ) from error
    return sorted(rows, key=lambda row: (row.onset_s, -(row.string or 0)))


def _read_row(record: dict[str, str | None]) -> NoteRow:
    def text(name: str) -> str:
        return (record.get(name) or "").strip()

    def number(name: str, default: float | None, low: float, high: float) -> float:
        if not text(name):
            if default is None:
                raise ValueError(f"{name} is empty")
            return default
        value = float(text(name))
        if not math.isfinite(value) or not low <= value <= high:
            raise ValueError(f"{name} is {text(name)}; it needs {low:g} to {high:g}")
        return value

    tags = frozenset(word.strip() for word in text("techniques").split(";") if word.strip())
    unknown = tags - set(TECHNIQUES)
    if unknown:
        raise ValueError(f"unknown technique {', '.join(sorted(unknown))}")
    return NoteRow(
        onset_s=number("onset_s", None, 0.0, 1e6),
        duration_s=max(number("duration_s", None, 0.0, 1e4), SHORTEST_S),
        midi=number("midi", None, 0.0, 127.0),
        string=int(number("string", None, 1, 9)) if text("string") else None,
        fret=int(number("fret", None, 0, 36)) if text("fret") else None,
        techniques=tags,
        bend_semitones=number("bend_semitones", 0.0, 0.0, 12.0),
        level_db=number("level_db", -18.0, -200.0, 60.0),
        confidence=number("confidence", 1.0, 0.0, 1.0),
        bar=text("bar"),
        beat=text("beat"),
        part=text("part"),
    )


def write_beats(time_map: TimeMap, start_s: float, end_s: float) -> str:
    """Write one row a beat: time, bar (0 and below before bar 1 count as the pickup, 0), beat.

    Parameters
    ----------
    time_map : TimeMap
        The beats.
    start_s : float
        From here, seconds.
    end_s : float
        Up to here, seconds.
    """
    lines = ["time_s,bar,beat"]
    for seconds, bar, beat in time_map.beats_between(start_s, end_s):
        if seconds >= 0.0:
            lines.append(f"{seconds:.4f},{max(bar, 0)},{beat}")
    return "\n".join(lines) + "\n"

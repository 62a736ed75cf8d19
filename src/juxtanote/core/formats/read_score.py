"""What a file of notes holds once it is read: its parts, and where they stand in bars."""

from dataclasses import dataclass

from juxtanote.core.formats.csv_notes import NoteRow


@dataclass(frozen=True, slots=True)
class ReadPart:
    """A part (or track) of a file: its notes by onset, and its open strings where it tells them."""

    name: str
    rows: tuple[NoteRow, ...]
    tuning: tuple[int, ...] | None = None

    @property
    def has_beats(self) -> bool:
        """Whether every note has a place in bars."""
        return bool(self.rows) and all(row.onset_beats is not None for row in self.rows)


@dataclass(frozen=True, slots=True)
class ReadScore:
    """Everything that was read; beats count from bar 1."""

    parts: tuple[ReadPart, ...]
    beats_per_bar: int = 4

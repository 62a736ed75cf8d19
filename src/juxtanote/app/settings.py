"""Everything that is remembered between sessions; this module alone names QSettings."""

from dataclasses import dataclass
from typing import Generic, TypeVar

from PyQt6.QtCore import QByteArray, QSettings

T = TypeVar("T", bool, int, float, str)


@dataclass(frozen=True, slots=True)
class Setting(Generic[T]):
    """One remembered value: a damaged one gives the default, one out of bounds the nearest bound."""

    key: str
    default: T
    lowest: float | None = None
    highest: float | None = None

    def read(self) -> T:
        """Give the remembered value."""
        text = str(_store().value(self.key, ""))
        return self._checked(text)

    def _checked(self, text: str) -> T:
        kind = type(self.default)
        if kind is bool:
            known = {"true": True, "false": False}
            return known.get(text, self.default)
        if kind is str:
            return text or self.default  # type: ignore[return-value]
        try:
            value = float(text)
        except ValueError:
            return self.default
        if value != value:
            return self.default
        if self.lowest is not None:
            value = max(value, self.lowest)
        if self.highest is not None:
            value = min(value, self.highest)
        return kind(value)

    def write(self, value: T) -> None:
        """Remember a value."""
        text = str(value).lower() if isinstance(value, bool) else str(value)
        _store().setValue(self.key, text)


def forget() -> None:
    """Forget everything that was remembered: the next window begins as the first one did."""
    _store().clear()


def _store() -> QSettings:
    return QSettings("juxtanote", "juxtanote")


COUNT_IN_BEATS = Setting("transport/count_in_beats", 4, 0, 16)
LISTEN_OPENED = Setting("hear/listen_opened", True)
LEVEL = Setting("transport/level", 0.25, 0.0, 1.0)
MICROPHONE = Setting("practise/microphone", "")
LATENCY_MS = Setting("practise/round_trip_ms", 0.0, 0.0, 600.0)
COUNT_EACH = Setting("practise/count_each", False)
BREATH_BEATS = Setting("practise/breath_beats", 0, 0, 16)
WAIT_EACH = Setting("practise/wait_each", False)
FOLLOW_TAKES = Setting("practise/follow_takes", True)
CLICKED = Setting("practise/clicked", "every beat")
STUDENT = Setting("practise/student", "")
PARTED = Setting("practise/parted", "phrases")
COLLECTION_FOLDERS = Setting("collection/folders", "")
PAPER = Setting("pages/paper", "A4")
PAGE_LARGE = Setting("pages/large", False)
PAGE_COUNTS = Setting("pages/counts", True)
PAGE_STROKES = Setting("pages/strokes", True)
PAGE_FINGERS = Setting("pages/fingers", True)
PAGE_WORDS = Setting("pages/words", True)
PAGE_STAFF = Setting("pages/staff", False)
PAGE_FINDINGS = Setting("pages/findings", False)
PAGE_TOGETHER = Setting("pages/together", True)
HAND_FORMAT = Setting("hand_out/format", ".html")
HAND_SOURCE = Setting("hand_out/source", "both")
HAND_SPEED = Setting("hand_out/speed", 100, 25, 200)
HAND_COUNT_IN = Setting("hand_out/count_in", 4, 0, 16)
CAUTIONS_SHOWN = Setting("care/shown", False)
RECENT = Setting("files/recent", "")
MOST_RECENT = 8  # names that fit a menu


def recent_files() -> list[str]:
    """Give the lessons opened last, the latest first."""
    return [path for path in RECENT.read().split("\n") if path]


def remember_file(path: str) -> None:
    """Put a lesson first in the list."""
    others = [known for known in recent_files() if known != path]
    RECENT.write("\n".join([path, *others][:MOST_RECENT]))


def read_geometry() -> QByteArray:
    """Give the window's remembered place, empty where there is none."""
    value = _store().value("window/geometry")
    return value if isinstance(value, QByteArray) else QByteArray()


def write_geometry(geometry: QByteArray) -> None:
    """Remember the window's place."""
    _store().setValue("window/geometry", geometry)

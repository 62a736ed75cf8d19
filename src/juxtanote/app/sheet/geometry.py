"""Where things are on the sheet: seconds to pixels, pitches and strings to heights."""

from dataclasses import dataclass
from functools import cached_property

from juxtanote.core.score.lesson import Phrase
from juxtanote.core.score.note import BENDS
from juxtanote.core.theory.tuning import Guitar

LEFT = 74  # pixels for the names of strings
RIGHT = 18  # pixels after the last note
HEARD_TOP = 30  # pixels of the row of bars and chords
LEVEL_HEIGHT = 24  # pixels of how loud it is
EVIDENCE_HEIGHT = 18  # pixels of how sure it is
STRING_GAP_LEAST, STRING_GAP_MOST = 18.0, 30.0  # pixels between strings: a fret number is 13 high
COUNTED_HEIGHT = 80  # pixels of stems, beams, rests and counts
MARKS_HEIGHT = 38  # pixels over the strings for signs of techniques
WRITTEN_HEAD = 46  # pixels between what is heard and what is written
SLOWEST_PX, FASTEST_PX = 20.0, 4000.0  # pixels a second, zoomed out and in as far as it goes


@dataclass(frozen=True)
class Geometry:
    """One layout of the three rows."""

    width: int
    height: int
    start_s: float
    pixels_per_s: float
    low_midi: float
    high_midi: float
    strings: int

    @cached_property
    def string_gap(self) -> float:
        """Pixels from string to string."""
        room = 0.215 * self.height / max(self.strings - 1, 1)
        return min(max(room, STRING_GAP_LEAST), STRING_GAP_MOST)

    @cached_property
    def counted_top(self) -> float:
        """Upper edge of the counted row."""
        return self.height - COUNTED_HEIGHT

    @cached_property
    def strings_bottom(self) -> float:
        """Height of the thickest string."""
        return self.counted_top - MARKS_HEIGHT - 12

    @cached_property
    def strings_top(self) -> float:
        """Height of the thinnest string."""
        return self.strings_bottom - self.string_gap * (self.strings - 1)

    @cached_property
    def written_top(self) -> float:
        """Upper edge of the written row."""
        return self.strings_top - WRITTEN_HEAD

    @cached_property
    def heard_bottom(self) -> float:
        """Where the pitch lines of the heard row end."""
        return self.written_top - LEVEL_HEIGHT - EVIDENCE_HEIGHT - 8

    def x(self, seconds: float) -> float:
        """Give the pixel of a time."""
        return LEFT + (seconds - self.start_s) * self.pixels_per_s

    def seconds(self, x: float) -> float:
        """Give the time of a pixel."""
        return self.start_s + (x - LEFT) / self.pixels_per_s

    @cached_property
    def end_s(self) -> float:
        """Time at the right edge."""
        return self.seconds(self.width - RIGHT)

    def pitch_y(self, midi: float) -> float:
        """Give the height of a pitch in the heard row."""
        part = (midi - self.low_midi) / max(self.high_midi - self.low_midi, 1.0)
        return self.heard_bottom - part * (self.heard_bottom - HEARD_TOP)

    def string_y(self, string: int) -> float:
        """Give the height of a string."""
        return self.strings_top + self.string_gap * (string - 1)

    @cached_property
    def semitone_height(self) -> float:
        """Height of one semitone of a drawn bend."""
        return self.string_gap * 0.55


def pitch_range(phrase: Phrase | None, guitar: Guitar) -> tuple[float, float]:
    """Give the pitches that the heard row must show."""
    if phrase is None or not phrase.notes:
        return guitar.open_midi(guitar.string_count) - 1.0, guitar.open_midi(1) + 13.0
    lows = [note.heard.midi for note in phrase.notes]
    highs = [
        note.heard.midi + (note.written.bend_semitones if note.written.techniques & BENDS else 0.0)
        for note in phrase.notes
    ]
    low, high = min(lows) - 1.5, max(highs) + 1.5
    spare = max(9.0 - (high - low), 0.0) / 2.0
    return low - spare, high + spare

"""How wide bars are, and where lines of them break.

Room grows with a length, but less than in proportion (common practice), and never below what stands there
needs. Lines break where all of them together are filled best: total least squares over all ways to break
(D. E. Knuth, M. F. Plass, "Breaking Paragraphs into Lines", Software: Practice and Experience 11, 1981).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from juxtanote.core.engrave.paper import Measure
from juxtanote.core.score.beams import count_word
from juxtanote.core.score.note import Note
from juxtanote.core.score.signs import bend_name
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.values import Moment
from juxtanote.core.score.voices import Ring

SIXTEENTH, GROWTH = 5.0, 0.56  # millimetres of a sixteenth; power of the length
LEAD, TAIL = 3.8, 0.4  # after a bar line, and before the next
GRACE = 3.8  # millimetres: it takes no time, but room
EMPTY_BAR = 14.0  # millimetres for a bar's rest
FRET_SIZE, GRACE_SIZE, SMALL = 8.5, 6.5, 6.5  # points
FEWEST_OF_A_GRIP = 4  # notes
AIR = 1.3  # between one thing and the next
# Of the room that bars need: pressed, filled up, and the last line.
TIGHTEST, FILLED, LAST = 1.0, 1.75, 1.4
LONELY = 0.6  # what a line of one bar costs


@dataclass(frozen=True, slots=True)
class Bar:
    """A bar as it is set: its number from 0, what stands in it, and how wide each of that is.

    `voices` has what the upper and the lower voice play where there are two, `rings` what is held while
    others are struck.
    """

    number: int
    moments: tuple[Moment, ...]
    widths: tuple[float, ...]
    lead: float = LEAD
    tail: float = TAIL
    voices: tuple[tuple[Moment, ...], ...] = ()
    rings: tuple[Ring, ...] = ()

    @property
    def natural(self) -> float:
        """How wide it is when nothing is stretched."""
        return self.lead + sum(self.widths) + self.tail


def fret_text(note: Note, *, held: bool = False) -> str:
    """Write a note as it stands on its string.

    Parameters
    ----------
    note : Note
    held : bool
        True where it is tied to from the bar before.
    """
    tags = note.written.techniques
    text = "×" if "dead" in tags else str(note.written.fret)
    if "natural-harmonic" in tags:
        text = f"‹{text}›"
    return f"({text})" if held else text


def width_of(moment: Moment, time_map: TimeMap, measure: Measure, *, counts: bool = True) -> float:
    """Give the least room of a moment: by its length, and by what stands there.

    Parameters
    ----------
    moment : Moment
    time_map : TimeMap
        Beats and metre.
    measure : Measure
        Of text, in millimetres.
    counts : bool
        True where counts stand under it.
    """
    if moment.value is None:
        return GRACE if moment.notes else EMPTY_BAR
    quarters = float(moment.value.quarters)
    natural = float(SIXTEENTH * (4.0 * quarters) ** GROWTH)
    if moment.is_rest:
        return max(natural, 4.4)
    texts = [fret_text(n, held=moment.is_held) for n in moment.notes]
    needs = [measure(text, FRET_SIZE, True) + AIR for text in texts]
    if counts and not moment.is_held:
        needs.append(measure(count_word(moment.onset, time_map), SMALL, True) + AIR)
    needs += [measure(finger, SMALL, False) + AIR for finger in fingers_of(moment.notes)]
    if not moment.is_held:
        needs.append(room_of_marks(moment.notes, measure))
    return max(natural, *needs)


def fingers_of(notes: Sequence[Note]) -> list[str]:
    """Name the fingers of what is struck together: under each other, the thinnest string first.

    A grip is one line, from the thickest string on, as chords are fingered (common practice).

    Parameters
    ----------
    notes : sequence of Note
    """
    placed = sorted(notes, key=lambda n: n.written.string)
    fingers = [n.written.finger for n in placed if n.written.finger]
    return fingers if len(fingers) < FEWEST_OF_A_GRIP else ["".join(reversed(fingers))]


def bend_label(notes: Sequence[Note]) -> str:
    """Write how far notes that are struck together are bent: each size once, from the thinnest string."""
    bent = sorted(
        (n for n in notes if n.written.techniques & {"bend", "pre-bend"}),
        key=lambda n: n.written.string,
    )
    return " / ".join(dict.fromkeys(bend_name(n.written.bend_semitones) for n in bent))


def room_of_marks(notes: Sequence[Note], measure: Measure) -> float:
    """Give the room that the signs of notes ask for beside them.

    Parameters
    ----------
    notes : sequence of Note
        Of one moment.
    measure : Measure
        Of text, in millimetres.
    """
    tags = frozenset().union(*(n.written.techniques for n in notes))
    room, label = 0.0, bend_label(notes)
    if label:
        wide = measure(label, SMALL, False)
        room = max(4.6 + 0.5 * wide + AIR, wide + AIR)
        room += 3.4 if "release" in tags else 0.0
        room += 4.0 if "vibrato" in tags else 0.0
    elif "vibrato" in tags:
        room = 6.0
    return room


def bar_of(
    number: int, moments: list[Moment], time_map: TimeMap, measure: Measure, counts: bool
) -> Bar:
    """Give a bar with the room of each moment; a slide needs to be seen between its two notes.

    Parameters
    ----------
    number : int
        Of the bar.
    moments : list of Moment
        By onset in beats.
    time_map : TimeMap
        The beats.
    measure : Measure
        Gives the width of text in millimetres.
    counts : bool
        Whether counted values are drawn.
    """
    widths = [width_of(m, time_map, measure, counts=counts) for m in moments]
    for index, moment in enumerate(moments[1:], start=1):
        if not moment.is_held and any("slide" in n.written.techniques for n in moment.notes):
            widths[index - 1] = max(widths[index - 1], 7.0)
    halves = [_half(m, measure) for m in moments]
    for index, (left, right) in enumerate(zip(halves, halves[1:], strict=False)):
        widths[index] = max(widths[index], left + right + AIR)
    return Bar(number, tuple(moments), tuple(widths), max(LEAD, halves[0] + 1.4))


def _half(moment: Moment, measure: Measure) -> float:
    """Give half the width of what stands on the strings."""
    if moment.is_rest:
        return 1.9
    texts = [fret_text(n, held=moment.is_held) for n in moment.notes]
    return 0.5 * max(measure(text, FRET_SIZE, True) for text in texts)


def lines_of(bars: list[Bar], room: float) -> list[list[Bar]]:
    """Break bars into lines that are filled as evenly as they can be, and no bar alone at the end.

    Parameters
    ----------
    bars : list of Bar
        In order.
    room : float
        Width of a line, mm.
    """
    count = len(bars)
    naturals = [bar.natural for bar in bars]
    best = [0.0] + [math.inf] * count
    came = [0] * (count + 1)
    for end in range(1, count + 1):
        used = 0.0
        for start in range(end - 1, -1, -1):
            used += naturals[start]
            if used * TIGHTEST > room and end - start > 1:
                break
            cost = best[start] + _cost(
                used, room, end - start, is_last=end == count, is_first=start == 0
            )
            if cost < best[end]:
                best[end], came[end] = cost, start
    lines, end = [], count
    while end:
        lines.append(bars[came[end] : end])
        end = came[end]
    return lines[::-1]


def _cost(used: float, room: float, bars: int, *, is_last: bool, is_first: bool) -> float:
    apart = math.log2(room / used)
    cost = 0.05 + apart * apart
    if is_last:
        cost = 0.05 + min(apart * apart, 0.15)
        cost += LONELY if bars == 1 and not is_first else 0.0
    return cost


def stretch_of(line: list[Bar], room: float, *, is_last: bool) -> float:
    """Give how much wider than natural a line is set: filled, the last one only where it nearly is.

    Parameters
    ----------
    line : list of Bar
        Its bars.
    room : float
        Width of the line, mm.
    is_last : bool
        Whether no line follows.
    """
    ratio = room / sum(bar.natural for bar in line)
    return LAST if is_last and ratio > FILLED else ratio

"""Several parts under each other: what sounds together stands together."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from juxtanote.core.engrave.line import Frame, Rows, draw_lines
from juxtanote.core.engrave.paper import Block, Measure, Paper, Sketch, lowered
from juxtanote.core.engrave.spacing import Bar, bar_of
from juxtanote.core.engrave.voiced import with_voices
from juxtanote.core.score.lesson import Context
from juxtanote.core.score.note import Note
from juxtanote.core.score.values import Moment, bars_of, bars_taken, by_onset

NEXT = 1.2  # the least room between two moments of different parts
NAME_ROW = 3.6  # millimetres for the name of a part
BRACKET_WIDTH = 0.7  # millimetres
Column = tuple[Fraction, bool]  # where in time, and whether it is more than a grace note


@dataclass(frozen=True, slots=True)
class PartLine:
    """One part of a system: its name, its notes by onset, and what they are read in."""

    name: str
    notes: tuple[Note, ...]
    context: Context


def draw_systems(
    parts: Sequence[PartLine], paper: Paper, measure: Measure, rows: Rows, frame: Frame
) -> list[Block]:
    """Draw parts under each other, a block for each line of all of them.

    Parameters
    ----------
    parts : sequence of PartLine
        From the top.
    paper : Paper
    measure : Measure
        Of text, in millimetres.
    rows : Rows
        What stands beside the tab.
    frame : Frame
        Repeat signs.
    """
    everything = [note for part in parts for note in part.notes]
    numbers, pickup = bars_taken(everything, parts[0].context.time_map)
    each = []
    for part in parts:
        time_map = part.context.time_map
        ordered = by_onset(part.notes)
        written = bars_of(ordered, numbers, time_map, pickup=pickup)
        bars = [
            bar_of(number, moments, time_map, measure, rows.counts)
            for number, moments in zip(numbers, written, strict=True)
        ]
        each.append(with_voices(bars, ordered, time_map, pickup))
    columns = [aligned(list(column)) for column in zip(*each, strict=True)]
    lines = []
    for index, part in enumerate(parts):
        context = part.context if index == 0 else replace(part.context, chords=())
        bars = [column[index] for column in columns]
        lines.append(draw_lines(bars, context, paper, measure, rows, frame))
    names = [part.name for part in parts]
    return [_stacked(list(system), names, paper) for system in zip(*lines, strict=True)]


def aligned(bars: list[Bar]) -> list[Bar]:
    """Give the same bar of several parts with what sounds together at the same place.

    Every moment keeps the room that it asks for; where another part moves in between, it gets more: the
    longest way through all moments in order.

    Parameters
    ----------
    bars : list of Bar
        One of each part.
    """
    columns = sorted({_column(m) for bar in bars for m in bar.moments if not _is_empty(m)})
    if not columns:
        widest = max(bars, key=lambda bar: bar.natural)
        return [replace(b, widths=widest.widths, lead=widest.lead, tail=widest.tail) for b in bars]
    at = {columns[0]: 0.0}
    end = 0.0
    for before, column in zip([None, *columns], [*columns, None], strict=True):
        least = at[before] + NEXT if before is not None else 0.0
        for bar in bars:
            least = max(least, _needed(bar, column, at))
        if column is None:
            end = least
        else:
            at[column] = least
    lead, tail = max(bar.lead for bar in bars), max(bar.tail for bar in bars)
    made = []
    for bar in bars:
        if _is_empty(bar.moments[0]):
            made.append(replace(bar, widths=(end,), lead=lead, tail=tail))
            continue
        places = [at[_column(m)] for m in bar.moments] + [end]
        widths = tuple(b - a for a, b in zip(places, places[1:], strict=False))
        made.append(replace(bar, widths=widths, lead=lead + places[0], tail=tail))
    return made


def _needed(bar: Bar, column: Column | None, at: dict[Column, float]) -> float:
    """Give where a column may stand so that what comes before it in a bar has its room."""
    if _is_empty(bar.moments[0]):
        return bar.widths[0] if column is None else 0.0
    least = 0.0
    for index, (moment, width) in enumerate(zip(bar.moments, bar.widths, strict=True)):
        following = bar.moments[index + 1] if index + 1 < len(bar.moments) else None
        arrives = column is None if following is None else _column(following) == column
        if arrives:
            least = at[_column(moment)] + width
    return least


def _column(moment: Moment) -> Column:
    return moment.onset, moment.value is not None


def _is_empty(moment: Moment) -> bool:
    return moment.value is None and moment.is_rest


def _stacked(blocks: list[Block], names: list[str], paper: Paper) -> Block:
    """Put lines under each other, with their names, and join them at the left."""
    sketch, down = Sketch(), 0.0
    top = bottom = None
    for block, name in zip(blocks, names, strict=True):
        sketch.say(paper.margin + 1.6, down + NAME_ROW - 0.6, name, 7, bold=True)
        placed = lowered(block, down + NAME_ROW)
        sketch.strokes += placed.strokes
        sketch.words += placed.words
        sketch.shapes += placed.shapes
        sketch.places += placed.places
        down = placed.height
        if placed.places:
            top = placed.places[0][2] if top is None else top
            bottom = placed.places[0][3]
    if top is not None and bottom is not None:
        x = paper.margin + 0.5 * BRACKET_WIDTH
        sketch.line((x, top), (x, bottom), width=BRACKET_WIDTH)
    return sketch.block(down)

"""One line of tab: strings, bars, notes, what stands over and under them."""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from juxtanote.core.engrave import marks, staff
from juxtanote.core.engrave.beams import dot, draw_rest, draw_values
from juxtanote.core.engrave.marks import FEWEST_OF_GRIP, LINE_GAP, Spot
from juxtanote.core.engrave.paper import Block, Measure, Paper, Sketch
from juxtanote.core.engrave.spacing import (
    LEAD,
    SMALL,
    Bar,
    bend_label,
    fingers_of,
    lines_of,
    stretch_of,
)
from juxtanote.core.engrave.voiced import draw_rings, voice_rows
from juxtanote.core.score.beams import count_word, is_on_beat
from juxtanote.core.score.lesson import Context
from juxtanote.core.score.note import SLURS, WrittenNote
from juxtanote.core.score.signs import STROKE_SIGNS
from juxtanote.core.score.values import Moment
from juxtanote.core.theory.chords import quality_of
from juxtanote.core.theory.pitch import pitch_name
from juxtanote.core.theory.scales import spell_in_key

NAMES = 6.0  # room of the strings' names
CHORDS_ROW, WORDS_ROW, MARKS_ROW, ARCS_ROW, BARE_ROW = 4.6, 3.2, 6.6, 3.2, 1.8  # mm over the staff
COUNT_Y, STROKE_Y, FINGER_Y = 12.0, 15.0, 17.8  # millimetres under the staff
FOOT = 3.4  # millimetres after the last row
FINGER_STEP = 2.4  # millimetres between fingers of notes that are struck together
DOTS = 2.0  # more room where a repeat sign stands
STAFF_GAP = 2.0  # between the staff and what stands over the tab


@dataclass(frozen=True, slots=True)
class Rows:
    """What is drawn with the strings: a staff over them, and what stands under them."""

    counts: bool = True
    strokes: bool = True
    fingers: bool = True
    staff: bool = False


@dataclass(frozen=True, slots=True)
class Frame:
    """What stands at the edges of a phrase: repeat signs, how often, and its ending."""

    begins: bool = False
    times: int = 0
    ending: int = 0


@dataclass(slots=True)
class _Line:
    """A line that is being drawn: where its strings are, and its notes."""

    sketch: Sketch
    context: Context
    measure: Measure
    spots: list[Spot] = field(default_factory=list)
    rows: list[list[tuple[Moment, float]]] = field(default_factory=list)
    bars: list[Bar] = field(default_factory=list)
    edges: list[float] = field(default_factory=list)
    last: dict[int, tuple[float, int]] = field(default_factory=dict)

    def placed(self) -> Iterator[tuple[Bar, list[tuple[Moment, float]], tuple[float, float]]]:
        """Go through the bars: what stands in each, and between which edges."""
        edges = zip(self.edges, self.edges[1:], strict=False)
        yield from zip(self.bars, self.rows, edges, strict=True)


def draw_lines(
    bars: list[Bar], context: Context, paper: Paper, measure: Measure, rows: Rows, frame: Frame
) -> list[Block]:
    """Draw bars in lines that fill the paper."""
    room = paper.room - NAMES
    if bars and rows.staff:
        room -= staff.room_before(context.key)
        bars = [replace(bars[0], lead=bars[0].lead + staff.METRE_ROOM), *bars[1:]]
    if bars and frame.begins:
        bars = [replace(bars[0], lead=bars[0].lead + DOTS), *bars[1:]]
    if bars and frame.times > 1:
        bars = [*bars[:-1], replace(bars[-1], tail=bars[-1].tail + DOTS)]
    lines = lines_of(bars, room)
    blocks = []
    for number, line in enumerate(lines):
        is_first, is_last = number == 0, number + 1 == len(lines)
        here = Frame(
            frame.begins and is_first,
            frame.times if is_last else 0,
            frame.ending if is_first else 0,
        )
        stretch = stretch_of(line, room, is_last=is_last)
        blocks.append(_drawn(line, context, paper, measure, rows, here, stretch, is_first=is_first))
    return blocks


def _drawn(
    bars: list[Bar], context: Context, paper: Paper, measure: Measure, rows: Rows, frame: Frame,
    stretch: float, *, is_first: bool,
) -> Block:  # fmt: skip
    line = _Line(Sketch(), context, measure)
    left = paper.margin + NAMES
    _place(line, bars, left + (staff.room_before(context.key) if rows.staff else 0.0), stretch)
    over = marks.labels_of(line.spots, _grips(line), measure)
    arcs_room = ARCS_ROW if marks.has_arc_over(line.spots) else BARE_ROW
    marks_room = MARKS_ROW if marks.has_marks(line.spots) else arcs_room
    words_room = WORDS_ROW * len(over)
    head = CHORDS_ROW + (4.4 if frame.ending else 0.0)
    top = head + words_room + marks_room
    if rows.staff:
        top += _staff_over(line, bars, left, head, is_first=is_first)
    line.spots = [replace(spot, y=top + spot.y) for spot in line.spots]
    bottom = top + LINE_GAP * (context.guitar.string_count - 1)
    _strings(line, left, top)
    _edges(line, bars, frame, head, (top, bottom))
    for number, labels in enumerate(over):
        for label in labels:
            marks.draw_label(line.sketch, label, top - marks_room - WORDS_ROW * number - 0.6)
    for bar, row, edges in line.placed():
        draw_rings(line.sketch, bar, row, edges, top)
    _notes(line, top, bottom)
    for row in line.rows:
        for moment, x in row:
            if moment.is_rest:
                draw_rest(line.sketch, moment, x, 0.5 * (top + bottom), LINE_GAP)
        draw_values(line.sketch, row, bottom, context.time_map)
    foot = _under(line, bottom, rows)
    return line.sketch.block(bottom + foot)


def _staff_over(line: _Line, bars: list[Bar], left: float, head: float, *, is_first: bool) -> float:
    """Draw the staff under the row of chords; give the room that it takes."""
    rows = [voice_rows(bar, row, edges[1]) for bar, row, edges in line.placed()]
    made = staff.staff_of(rows, line.context.guitar, line.context.key)
    top = head + made.over
    staff.draw_staff(line.sketch, made, left, line.edges[-1], top, line.context.time_map)
    if is_first and bars:
        x = line.edges[0] + 0.5 * staff.METRE_ROOM
        staff.draw_metre(line.sketch, x, top, line.context.time_map.signature)
    for x in (left, *line.edges[1:]):
        staff.draw_bar_line(line.sketch, x, top)
    return made.height + STAFF_GAP


def _notes(line: _Line, top: float, bottom: float) -> None:
    """Draw frets with their marks, held notes, and strums."""
    damped = _damped(line)
    for spot in line.spots:
        if id(spot.note) not in damped:
            marks.draw_number(line.sketch, spot)
        if spot.is_held:
            if spot.before is not None:
                marks.arc(line.sketch, spot.before, spot.x, spot.y - 1.5)
        else:
            marks.draw_marks(line.sketch, spot, top, line.measure)
            line.sketch.places.append((spot.note.ident, spot.x, top, bottom))
    for struck in _struck(line):
        if id(struck[0].note) in damped:
            marks.draw_slash(line.sketch, struck)
        else:
            marks.draw_strum(line.sketch, struck, line.measure)


def _struck(line: _Line) -> list[list[Spot]]:
    """Give the notes of each moment, from the thinnest string."""
    by_x: dict[float, list[Spot]] = {}
    for spot in line.spots:
        if not spot.is_held:
            by_x.setdefault(spot.x, []).append(spot)
    return [sorted(spots, key=lambda spot: spot.y) for spots in by_x.values()]


def _damped(line: _Line) -> set[int]:
    """Find the notes of damped strums."""
    return {
        id(spot.note)
        for struck in _struck(line)
        if marks.strum_kind([spot.note for spot in struck]) == "damped"
        for spot in struck
    }


def _place(line: _Line, bars: list[Bar], begin: float, stretch: float) -> None:
    """Find where everything stands from left to right."""
    x = begin
    line.edges.append(x)
    for bar in bars:
        row = []
        at = x + bar.lead * max(stretch, 1.0)
        for moment, width in zip(bar.moments, bar.widths, strict=True):
            if moment.value is None and moment.is_rest:
                at = x + 0.5 * bar.natural * stretch
            row.append((moment, at))
            _spots(line, moment, at, at + width * stretch)
            at += width * stretch
        x += bar.natural * stretch
        line.rows.append(row)
        line.bars.append(bar)
        line.edges.append(x)


def _spots(line: _Line, moment: Moment, x: float, end: float) -> None:
    label = "" if moment.is_held else bend_label(moment.notes)
    for note in moment.notes:
        before = line.last.get(note.written.string)
        rises = before is None or before[1] < note.written.fret
        y = LINE_GAP * (note.written.string - 1)
        bent = bool(note.written.techniques & {"bend", "pre-bend"})
        said, label = (label, "") if bent else ("", label)
        line.spots.append(Spot(note, x, end, y, before and before[0], rises, moment.is_held, said))
    for note in moment.notes:
        line.last[note.written.string] = x, note.written.fret


def string_names(tuning: tuple[int, ...]) -> list[str]:
    """Name strings from the thinnest; with the octave where a letter comes twice.

    Parameters
    ----------
    tuning : tuple of int
        MIDI pitches of open strings, thickest first.
    """
    names = [pitch_name(midi) for midi in reversed(tuning)]
    letters = [name.rstrip("-0123456789") for name in names]
    return [
        name if letters.count(letter) > 1 else letter
        for name, letter in zip(names, letters, strict=True)
    ]


def _grips(line: _Line) -> list[tuple[float, str]]:
    """Name grips of three strings and more, each until another one is struck."""
    named, last = [], ""
    guitar, key = line.context.guitar, line.context.key
    for moment, x in (placed for row in line.rows for placed in row):
        notes = [n.written for n in moment.notes if "dead" not in n.written.techniques]
        if moment.is_held or len(notes) < FEWEST_OF_GRIP:
            continue
        found = quality_of(guitar.midi_at(w.string, w.fret) for w in notes)
        name = ""
        if found is not None:
            root, quality, bass = found
            name = spell_in_key(root, key) + quality
            name += f"/{spell_in_key(bass, key)}" if bass != root else ""
        if name and name != last:
            named.append((x, name))
        last = name
    return named


def _strings(line: _Line, left: float, top: float) -> None:
    right = line.edges[-1]
    for index, name in enumerate(string_names(line.context.guitar.tuning)):
        y = top + LINE_GAP * index
        line.sketch.line((left, y), (right, y), width=0.12, soft=True)
        line.sketch.say(left - 1.6, y + 0.8, name, 6, anchor="right", soft=True)


def _edges(
    line: _Line, bars: list[Bar], frame: Frame, head: float, staff: tuple[float, float]
) -> None:
    """Draw bar lines, repeat signs and brackets; write bar numbers and chords."""
    sketch, (top, bottom) = line.sketch, staff
    chords = dict(line.context.chords)
    y = head - 1.0
    for index, x in enumerate(line.edges):
        sketch.line((x, top), (x, bottom), width=0.25)
        if index == len(bars):
            break
        bar = bars[index]
        label = str(bar.number + 1) if bar.number >= 0 else "pickup"
        sketch.say(x + 0.4, y, label, 6, soft=True)
        wide = line.measure(label, 6, False)
        symbols = chords.get(bar.number + 1, "").split() if bar.number >= 0 else []
        room = line.edges[index + 1] - x
        at = x + wide + 1.8
        for step, symbol in enumerate(symbols):
            at = max(at, x + LEAD - 1.0 + room * step / len(symbols))
            sketch.say(at, y, symbol, 8, bold=True)
            at += line.measure(symbol, 8, True) + 1.2
    if frame.begins:
        _repeat(sketch, line.edges[0], staff, 1)
    if frame.times > 1:
        _repeat(sketch, line.edges[-1], staff, -1)
        if frame.times > 2:
            sketch.say(line.edges[-1], y, f"×{frame.times}", 8, bold=True, anchor="right")
    if frame.ending:
        sketch.line((line.edges[0], 4.2), (line.edges[0], 0.8), (line.edges[-1], 0.8), width=0.2)
        sketch.say(line.edges[0] + 1.0, 3.8, f"{frame.ending}.", 7, bold=True)


def _repeat(sketch: Sketch, x: float, staff: tuple[float, float], way: int) -> None:
    top, bottom = staff
    sketch.fill((x - 0.45, top), (x + 0.45, top), (x + 0.45, bottom), (x - 0.45, bottom))
    sketch.line((x + 1.1 * way, top), (x + 1.1 * way, bottom), width=0.25)
    middle = 0.5 * (top + bottom)
    for y in (middle - 0.5 * LINE_GAP, middle + 0.5 * LINE_GAP):
        dot(sketch, x + 2.0 * way, y, 0.45)


def _under(line: _Line, bottom: float, rows: Rows) -> float:
    """Write counts, strokes and fingers under each moment; give the room that all of it takes."""
    sketch = line.sketch
    wanted = {"counts": rows.counts, "strokes": False, "fingers": False}
    texts: list[
        tuple[str, float, str, bool, int]
    ] = []  # the last: lines below the first of its row
    for moment, x in (placed for row in line.rows for placed in row):
        if moment.value is None or moment.is_rest or moment.is_held:
            continue
        count = count_word(moment.onset, line.context.time_map)
        texts.append(("counts", x, count, is_on_beat(moment.onset), 0))
        stroke = next((n.written.stroke for n in moment.notes if n.written.stroke), "")
        if stroke and rows.strokes:
            wanted["strokes"] = True
            texts.append(("strokes", x, STROKE_SIGNS[stroke], False, 0))
        fingers = fingers_of(moment.notes) if rows.fingers else []
        wanted["fingers"] = wanted["fingers"] or bool(fingers)
        texts += [("fingers", x, finger, False, k) for k, finger in enumerate(fingers)]
    sweeps = _sweeps(line) if rows.strokes else []
    inside = {x for xs in sweeps for x in xs[1:]}
    texts = [t for t in texts if t[0] != "strokes" or t[1] not in inside]
    y, at = bottom + COUNT_Y - 3.0, {}
    for name in ("counts", "strokes", "fingers"):
        if wanted[name]:
            y += 3.0
            at[name] = y
    for name, x, text, bold, below in texts:
        if name in at:
            size, under = SMALL if name == "counts" else 6.0, at[name] + FINGER_STEP * below
            sketch.say(x, under, text, size, bold=bold, anchor="middle", soft=name == "fingers")
    for xs in sweeps:
        height = at["strokes"] - 0.8
        sketch.line((xs[0] + 1.6, height), (xs[-1] + 0.6, height), width=0.18)
        sketch.fill((xs[-1] + 1.2, height), (xs[-1], height - 0.55), (xs[-1], height + 0.55))
    return y + FINGER_STEP * max((below for *_, below in texts), default=0) - bottom + FOOT


def _sweeps(line: _Line) -> list[list[float]]:
    """Find single notes on neighbouring strings that one stroke goes over: their places in order."""
    found: list[list[float]] = []
    before: tuple[float, WrittenNote] | None = None
    for struck in _struck(line):
        x, note = struck[0].x, struck[0].note.written
        if before is not None and len(struck) == 1 and _goes_over(before[1], note):
            if found and found[-1][-1] == before[0]:
                found[-1].append(x)
            else:
                found.append([before[0], x])
        before = (x, note) if len(struck) == 1 else None
    return [xs for xs in found if len(xs) >= FEWEST_OF_GRIP]


def _goes_over(before: WrittenNote, after: WrittenNote) -> bool:
    """Tell whether a stroke goes on from one string to the next as the hand moves."""
    step = {"down": -1, "up": 1}.get(after.stroke)
    is_picked = not after.techniques & SLURS
    return is_picked and before.stroke == after.stroke and after.string - before.string == step

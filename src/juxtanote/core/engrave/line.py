"""One line of tab: strings, bars, notes, what stands over and under them."""

from dataclasses import dataclass, field, replace

from juxtanote.core.engrave import marks
from juxtanote.core.engrave.beams import dot, draw_rest, draw_values
from juxtanote.core.engrave.marks import LINE_GAP, Spot
from juxtanote.core.engrave.paper import Block, Measure, Paper, Sketch
from juxtanote.core.engrave.spacing import LEAD, SMALL, Bar, bend_label, lines_of, stretch_of
from juxtanote.core.score.lesson import Context
from juxtanote.core.score.rhythm import count_word, is_on_beat
from juxtanote.core.score.signs import STROKE_SIGNS
from juxtanote.core.score.values import Moment
from juxtanote.core.theory.chords import quality_of
from juxtanote.core.theory.pitch import pitch_name
from juxtanote.core.theory.scales import spell_in_key

NAMES = 6.0  # room of the strings' names
CHORDS_ROW, WORDS_ROW, MARKS_ROW = 4.6, 3.2, 6.6
COUNT_Y, STROKE_Y, FINGER_Y = 12.0, 15.0, 17.8
FOOT = 3.4
FEWEST_OF_GRIP = 3
DOTS = 2.0  # more room where a repeat sign stands


@dataclass(frozen=True, slots=True)
class Rows:
    """What is drawn under the strings."""

    counts: bool = True
    strokes: bool = True
    fingers: bool = True


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
    edges: list[float] = field(default_factory=list)
    last: dict[int, tuple[float, int]] = field(default_factory=dict)


def draw_lines(
    bars: list[Bar], context: Context, paper: Paper, measure: Measure, rows: Rows, frame: Frame
) -> list[Block]:
    """Draw bars in lines that fill the paper."""
    room = paper.room - NAMES
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
        blocks.append(_drawn(line, context, paper, measure, rows, here, stretch))
    return blocks


def _drawn(
    bars: list[Bar], context: Context, paper: Paper, measure: Measure, rows: Rows, frame: Frame,
    stretch: float,
) -> Block:  # fmt: skip
    line = _Line(Sketch(), context, measure)
    left = paper.margin + NAMES
    _place(line, bars, left, stretch)
    over = marks.labels_of(line.spots, _grips(line), measure)
    marks_room = MARKS_ROW if marks.has_marks(line.spots) else 1.8
    words_room = WORDS_ROW * len(over)
    head = CHORDS_ROW + (4.4 if frame.ending else 0.0)
    top = head + words_room + marks_room
    line.spots = [replace(spot, y=top + spot.y) for spot in line.spots]
    bottom = top + LINE_GAP * (context.guitar.string_count - 1)
    _strings(line, left, top)
    _edges(line, bars, frame, head, (top, bottom))
    for number, labels in enumerate(over):
        for label in labels:
            marks.draw_label(line.sketch, label, top - marks_room - WORDS_ROW * number - 0.6)
    for spot in line.spots:
        marks.draw_number(line.sketch, spot)
        if spot.is_held:
            if spot.before is not None:
                marks.arc(line.sketch, spot.before, spot.x, spot.y - 1.5)
        else:
            marks.draw_marks(line.sketch, spot, top, measure)
            line.sketch.places.append((spot.note.ident, spot.x, top, bottom))
    for row in line.rows:
        for moment, x in row:
            if moment.is_rest:
                draw_rest(line.sketch, moment, x, 0.5 * (top + bottom), LINE_GAP)
        draw_values(line.sketch, row, bottom, context.time_map)
    foot = _under(line, bottom, rows)
    return line.sketch.block(bottom + foot)


def _place(line: _Line, bars: list[Bar], left: float, stretch: float) -> None:
    """Find where everything stands from left to right."""
    x = left
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
    """Name strings from the thinnest; with the octave where a letter comes twice."""
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
    texts: list[tuple[str, float, str, bool]] = []
    for moment, x in (placed for row in line.rows for placed in row):
        if moment.value is None or moment.is_rest or moment.is_held:
            continue
        count = count_word(moment.onset, line.context.time_map)
        texts.append(("counts", x, count, is_on_beat(moment.onset)))
        stroke = next((n.written.stroke for n in moment.notes if n.written.stroke), "")
        if stroke and rows.strokes:
            wanted["strokes"] = True
            texts.append(("strokes", x, STROKE_SIGNS[stroke], False))
        fingers = "".join(n.written.finger for n in moment.notes)
        if fingers and rows.fingers:
            wanted["fingers"] = True
            texts.append(("fingers", x, fingers, False))
    y, at = bottom + COUNT_Y - 3.0, {}
    for name in ("counts", "strokes", "fingers"):
        if wanted[name]:
            y += 3.0
            at[name] = y
    for name, x, text, bold in texts:
        if name in at:
            size = SMALL if name == "counts" else 6.0
            sketch.say(x, at[name], text, size, bold=bold, anchor="middle", soft=name == "fingers")
    return y - bottom + FOOT

"""Techniques as they are drawn on and over the strings."""

from collections.abc import Sequence
from dataclasses import dataclass

from juxtanote.core.engrave.paper import Measure, Sketch
from juxtanote.core.engrave.spacing import FRET_SIZE, GRACE_SIZE, SMALL, fret_text
from juxtanote.core.score.note import SLURS, Note
from juxtanote.core.score.techniques import TABLE

LINE_GAP = 3.0  # millimetres between strings
FEWEST_OF_GRIP = 3  # notes: two at once are not strummed
PEAK = 3.2  # how far over the strings bends reach
WORDS = tuple((t.name, t.word) for t in TABLE if t.word)
SIGNS = tuple((t.name, t.sign) for t in TABLE if t.sign)
WIDEST_MEASURED_S = 30.0  # a longer shape would be a straight line


@dataclass(frozen=True, slots=True)
class Spot:
    """Where a note stands: `x`, how far its room goes, and the note that its string sounded before."""

    note: Note
    x: float
    end: float
    y: float
    before: float | None = None  # x of the note before on its string
    rises: bool = True  # whether that one lay lower
    is_held: bool = False
    label: str = ""  # how far it and those struck with it are bent; of one of them


def half_width(spot: Spot, measure: Measure) -> float:
    """Give half the width of a fret number, with a little air.

    Parameters
    ----------
    spot : Spot
    measure : Measure
        Of text, in millimetres.
    """
    size = FRET_SIZE if spot.note.written.duration_beats else GRACE_SIZE
    return 0.5 * measure(fret_text(spot.note, held=spot.is_held), size, True) + 0.4


def draw_number(sketch: Sketch, spot: Spot) -> None:
    """Write the fret on its string."""
    size = FRET_SIZE if spot.note.written.duration_beats else GRACE_SIZE
    text = fret_text(spot.note, held=spot.is_held)
    sketch.say(spot.x, spot.y + 1.05, text, size, bold=True, anchor="middle", cleared=True)


def draw_marks(sketch: Sketch, spot: Spot, top: float, measure: Measure) -> None:
    """Draw what belongs to one note: slur, slide, bend, vibrato.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    spot : Spot
        The note and where it stands.
    top : float
        Of the strings, mm.
    measure : Measure
        Gives the width of text in millimetres.
    """
    tags, half = spot.note.written.techniques, half_width(spot, measure)
    if tags & SLURS and spot.before is not None:
        arc(sketch, spot.before, spot.x, spot.y - 1.5)
    if "slide" in tags:
        slide(sketch, spot, half)
    reach = spot.x + half
    if tags & {"bend", "pre-bend"}:
        reach = bend(sketch, spot, half, top - PEAK, measure)
    if "vibrato" in tags:
        wave(sketch, reach, max(spot.end - 0.8, reach + 3.0), top - PEAK)


def arc(sketch: Sketch, start: float, end: float, y: float) -> None:
    """Draw an arc from one place to another.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    start : float
        Where it begins, mm.
    end : float
        Where it ends, mm.
    y : float
        Of both ends, mm.
    """
    height = min(1.5, 0.25 * max(end - start, 1.0))
    points = []
    for step in range(13):
        part = step / 12
        points.append((start + (end - start) * part, y - 4 * height * part * (1 - part)))
    sketch.line(*points, width=0.2)


def slide(sketch: Sketch, spot: Spot, half: float) -> None:
    """Draw the way that the finger goes, from the note before or from nowhere.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    spot : Spot
        The note and where it stands.
    half : float
        Half the width of the number, mm.
    """
    start = spot.x - half - 3.2 if spot.before is None else spot.before + 2.0
    end = spot.x - half
    tilt = 0.9 if spot.rises else -0.9
    sketch.line((min(start, end - 1.6), spot.y + tilt), (end, spot.y - tilt), width=0.25)


def bend(sketch: Sketch, spot: Spot, half: float, peak: float, measure: Measure) -> float:
    """Draw a bend with its size over it, as it was measured where it was; give where its drawing ends.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    spot : Spot
        The note and where it stands.
    half : float
        Half the width of the number, mm.
    peak : float
        Where its arrow points at, mm from the top.
    measure : Measure
        Gives the width of text in millimetres.
    """
    written, y = spot.note.written, spot.y
    start = spot.x + half
    if "pre-bend" in written.techniques:
        sketch.line((start, y - 0.4), (start, peak), width=0.22)
        tip = end = start
    else:
        tip, end = _rise(sketch, spot, start, peak)
    sketch.fill((tip, peak - 0.3), (tip - 0.75, peak + 1.1), (tip + 0.75, peak + 1.1))
    wide = 0.5 * measure(spot.label, SMALL, False)
    if spot.label:
        sketch.say(max(tip, spot.x + wide - 0.5), peak - 0.7, spot.label, SMALL, anchor="middle")
    if "release" in written.techniques and end == tip:
        low, end = y - 1.0, tip + 3.0
        fall = [(tip + 3.0 * t, peak + (low - peak) * t * t) for t in (0, 0.25, 0.5, 0.75, 1)]
        sketch.line(*fall, width=0.22)
        sketch.fill((end, low + 0.3), (end - 0.95, low - 0.9), (end + 0.35, low - 1.1))
    return max(end, tip + wide) + 0.8


def _rise(sketch: Sketch, spot: Spot, start: float, peak: float) -> tuple[float, float]:
    """Draw the rise; with a measured curve it takes its time. Give where it arrives and ends."""
    room = max(min(spot.end - 1.0, start + 12.0) - start, 2.4)
    arrival = _measured_arrival(spot.note)
    wide = 2.4 if arrival is None else min(max(arrival * room, 1.6), room)
    low = spot.y - 0.2
    rise = [(start + wide * t, low + (peak + 0.6 - low) * t * t) for t in (0, 0.25, 0.5, 0.75, 1)]
    sketch.line(*rise, width=0.22)
    return start + wide, start + wide


def _measured_arrival(note: Note) -> float | None:
    """Give when a bend arrived, as a part of the note: nine tenths of the way up its curve."""
    target = 100.0 * note.written.bend_semitones
    length = min(note.heard.duration_s, WIDEST_MEASURED_S)
    if target < 30.0 or length <= 0.0:
        return None
    arrived = next((at for at, cents in note.heard.curve if cents >= 0.9 * target), None)
    return None if arrived is None else arrived / length


STRUM_S = 0.012  # between the first and the last string: less is struck at once
ROLLED_S = 0.035  # common practice: from about here one hears the strings one by one


def strum_kind(notes: Sequence[Note]) -> str:
    """Tell how notes of one moment are struck: ``damped``, ``rolled``, ``strummed``, or ``""``."""
    if len(notes) < FEWEST_OF_GRIP:
        return ""
    if all("dead" in note.written.techniques for note in notes):
        return "damped"
    onsets = [note.onset_s for note in notes]
    spread = max(onsets) - min(onsets)
    return "rolled" if spread >= ROLLED_S else "strummed" if spread >= STRUM_S else ""


def draw_strum(sketch: Sketch, struck: list[Spot], measure: Measure) -> None:
    """Draw an arrow beside a grip, the way the hand goes; wavy where the strings are heard one by one.

    `struck` comes from the thinnest string. Nothing is drawn where all sound at once.

    Parameters
    ----------
    sketch : Sketch
    struck : list of Spot
    measure : Measure
        Of text, in millimetres.
    """
    kind = strum_kind([spot.note for spot in struck])
    if kind not in ("strummed", "rolled"):
        return
    onsets = [spot.note.onset_s for spot in struck]
    # Tab stands with the thin string on top: a stroke down begins on the thick one and goes up the page.
    goes_up = onsets[0] > onsets[-1]
    x = struck[0].x - max(half_width(spot, measure) for spot in struck) - 1.0
    ends = (struck[-1].y + 0.6, struck[0].y - 0.6)
    start, tip = ends if goes_up else ends[::-1]
    if kind == "rolled":
        steps = max(int(abs(tip - start) / 0.8), 4)
        path = [
            (x + (0.35 if k % 2 else -0.35), start + (tip - start) * k / steps)
            for k in range(steps + 1)
        ]
        sketch.line(*path, width=0.2)
    else:
        sketch.line((x, start), (x, tip), width=0.22)
    back = 1.2 if goes_up else -1.2
    sketch.fill((x, tip - 0.25 * back), (x - 0.65, tip + back), (x + 0.65, tip + back))


def draw_slash(sketch: Sketch, struck: list[Spot]) -> None:
    """Draw a damped strum: a slash over the strings that are struck, with a cross at its middle."""
    x, top, low = struck[0].x, struck[0].y, struck[-1].y
    sketch.fill((x - 1.7, low), (x - 0.7, low), (x + 1.7, top), (x + 0.7, top))
    middle = 0.5 * (top + low)
    sketch.say(x, middle + 1.05, "×", FRET_SIZE, bold=True, anchor="middle", cleared=True)


def wave(sketch: Sketch, start: float, end: float, y: float) -> None:
    """Draw a wavy line as long as the vibrato.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    start : float
        Where it begins, mm.
    end : float
        Where it ends, mm.
    y : float
        Its middle, mm.
    """
    count = max(int((end - start) / 0.9), 3)
    points = [(start + 0.9 * k, y + (0.6 if k % 2 else -0.6)) for k in range(count + 1)]
    sketch.line(*points, width=0.2)


@dataclass(frozen=True, slots=True)
class Label:
    """Something that is written over the strings: a sign, or a word with a dashed line."""

    text: str
    left: float
    right: float
    line_from: float | None = None  # where its dashed line begins


def labels_of(
    spots: list[Spot], grips: list[tuple[float, str]], measure: Measure
) -> list[list[Label]]:
    """Give what is written over the strings in rows from the strings up, so that nothing collides.

    What holds for several notes is written once, with a dashed line over them. `grips` are the names of
    chords that are struck, and where.

    Parameters
    ----------
    spots : list of Spot
        Of a line, by place.
    grips : list of tuple
        Place (mm) and name of chords that are struck.
    measure : Measure
        Gives the width of text in millimetres.
    """
    rows: list[list[Label]] = []
    for x, name in grips:
        wide = 0.5 * measure(name, 6, False)
        _lay(rows, Label(name, x - wide, x + wide))
    for tag, sign in SIGNS:
        wide = 0.5 * measure(sign, 6, False)
        places = sorted({s.x for s in spots if tag in s.note.written.techniques and not s.is_held})
        for x in places:
            _lay(rows, Label(sign, x - wide, x + wide))
    for tag, word in WORDS:
        for first, last in _runs(spots, tag):
            left = first.x - 0.8
            begin = left + measure(word, 6, False) + 0.9
            end = max(last.x + 1.6, begin)
            has_line = end - begin > 2.0
            _lay(rows, Label(word, left, end, begin if has_line else None))
    return rows


def _lay(rows: list[list[Label]], label: Label) -> None:
    for row in rows:
        if all(label.left > other.right + 0.8 or label.right < other.left - 0.8 for other in row):
            row.append(label)
            return
    rows.append([label])


def draw_label(sketch: Sketch, label: Label, y: float) -> None:
    """Write a label at a baseline.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    label : Label
        What is written, and from where to where.
    y : float
        Of its baseline, mm.
    """
    sketch.say(label.left, y, label.text, 6)
    if label.line_from is not None:
        sketch.line((label.line_from, y - 0.6), (label.right, y - 0.6), width=0.18, dashed=True)
        sketch.line((label.right, y - 0.6), (label.right, y + 0.5), width=0.18)


def _runs(spots: list[Spot], tag: str) -> list[tuple[Spot, Spot]]:
    """Find stretches of moments in which a struck note has a technique."""
    runs: list[tuple[Spot, Spot]] = []
    going = False
    for x in sorted({spot.x for spot in spots}):
        here = [spot for spot in spots if spot.x == x]
        if any(tag in spot.note.written.techniques for spot in here):
            runs = [*runs[:-1], (runs[-1][0], here[0])] if going else [*runs, (here[0], here[0])]
            going = True
        else:
            going = False
    return runs


def has_arc_over(spots: list[Spot]) -> bool:
    """Tell whether a slur or a tie goes over the thinnest string, where words would stand.

    Parameters
    ----------
    spots : list of Spot
    """
    first = [s for s in spots if s.note.written.string == 1 and s.before is not None]
    return any(spot.is_held or spot.note.written.techniques & SLURS for spot in first)


def has_marks(spots: list[Spot]) -> bool:
    """Tell whether anything is drawn right over the strings: bends, vibrato."""
    return any(spot.note.written.techniques & {"bend", "pre-bend", "vibrato"} for spot in spots)

"""What stands under the strings: stems, beams, flags, dots, tuplets; and rests between the strings."""

from collections.abc import Sequence
from fractions import Fraction

from juxtanote.core.engrave.paper import Sketch
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.values import Moment

STEM_TOP, STEM_END = 2.2, 6.6  # under the lowest string
BEAM, BEAM_STEP = 0.6, 1.3  # millimetres: how thick, and from beam to beam
TUPLET_Y = 8.9  # millimetres under the staff
UP, DOWN = 1.0, -1.0  # which way a stem goes; its beams lie towards the head
Placed = tuple[Moment, float]


def draw_values(sketch: Sketch, row: list[Placed], bottom: float, time_map: TimeMap) -> None:
    """Draw stems, beams and tuplets of one bar under its strings, and dots.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    row : list of Placed
        What is struck in the bar, by onset.
    bottom : float
        Of the strings, mm.
    time_map : TimeMap
        The beats.
    """
    beats: dict[int, list[Placed]] = {}
    for moment, x in row:
        if moment.value is None:
            continue
        if not moment.is_rest:
            _stem(sketch, moment, x, bottom)
        if _is_inside_beat(moment):
            beats.setdefault(int(moment.onset // 1), []).append((moment, x))
    for group in beamed_groups(row):
        levels = [_beams(moment) for moment, _ in group]
        if len(group) > 1:
            draw_joined(sketch, [x for _, x in group], levels, bottom + STEM_END, DOWN)
        elif levels[0]:
            draw_flags(sketch, group[0][1], bottom + STEM_END, levels[0], DOWN)
    for beat in sorted(beats):
        _tuplet(sketch, beats[beat], bottom + TUPLET_Y, time_map)


def beamed_groups(row: Sequence[Placed]) -> list[list[Placed]]:
    """Group what is struck in a bar: the short notes of one beat together, everything else alone.

    A rest parts what it stands between; grace notes and rests are in no group.
    """
    groups: list[list[Placed]] = []
    beat: int | None = None
    for moment, x in row:
        if moment.value is None and moment.notes:
            continue  # a grace note parts nothing
        short = _is_inside_beat(moment) and bool(_beams(moment)) and not moment.is_rest
        here = int(moment.onset // 1) if short else None
        if here is not None and here == beat:
            groups[-1].append((moment, x))
        elif not moment.is_rest:
            groups.append([(moment, x)])
        beat = here
    return groups


def _is_inside_beat(moment: Moment) -> bool:
    if moment.value is None:
        return False
    return moment.length <= 1 and moment.onset + moment.length <= moment.onset // 1 + 1


def _stem(sketch: Sketch, moment: Moment, x: float, bottom: float) -> None:
    """A half note has half a stem, a whole note none (common practice in tab)."""
    value = moment.value
    assert value is not None
    top, end = bottom + STEM_TOP, bottom + STEM_END
    if value.base == "half":
        top = 0.5 * (top + end)
    if value.base != "whole":
        sketch.line((x, top), (x, end), width=0.2)
    if value.dots:
        at = end - 0.9 if not value.beams else bottom + STEM_TOP + 0.9
        dot(sketch, x + 1.1, at)


def dot(sketch: Sketch, x: float, y: float, size: float = 0.35) -> None:
    """Fill a dot.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    x, y : float
        Its middle, mm.
    size : float, optional
        Half its width, mm.
    """
    steps = ((1, 0), (0.7, 0.7), (0, 1), (-0.7, 0.7), (-1, 0), (-0.7, -0.7), (0, -1), (0.7, -0.7))
    sketch.fill(*((x + size * dx, y + size * dy) for dx, dy in steps))


def _beams(moment: Moment) -> int:
    return moment.value.beams if moment.value is not None else 0


def draw_flags(sketch: Sketch, x: float, y: float, count: int, way: float) -> None:
    """Draw flags at the end of a stem; `way` is `DOWN` or `UP`, as the stem goes.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    x : float
        Of the stem, mm.
    y : float
        Of the stem's end, mm.
    count : int
        How many: 1 for an eighth.
    way : float
        `DOWN` or `UP`.
    """
    for level in range(count):
        at = y + way * BEAM_STEP * level
        sketch.line((x, at), (x + 0.9, at + 0.7 * way), (x + 1.3, at + 1.9 * way), width=0.32)


def draw_joined(
    sketch: Sketch, xs: Sequence[float], levels: Sequence[int], y: float, way: float
) -> None:
    """Draw the beams of stems that end at `y`: `levels` says how many each has.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    xs : sequence of float
        Of the stems, mm.
    levels : sequence of int
        Of each stem: 1 for an eighth, 2 for a sixteenth.
    y : float
        Of their ends, mm.
    way : float
        `DOWN` or `UP`.
    """
    for level in range(max(levels)):
        at = y + way * BEAM_STEP * level
        for index, count in enumerate(levels):
            if count <= level:
                continue
            if index + 1 < len(xs) and levels[index + 1] > level:
                _bar(sketch, xs[index], xs[index + 1], at)
            elif not (index and levels[index - 1] > level):
                step = -1.6 if index else 1.6
                left, right = sorted((xs[index], xs[index] + step))
                _bar(sketch, left, right, at)


def _bar(sketch: Sketch, left: float, right: float, y: float) -> None:
    half = 0.5 * BEAM
    sketch.fill(
        (left - 0.1, y - half),
        (right + 0.1, y - half),
        (right + 0.1, y + half),
        (left - 0.1, y + half),
    )


def _tuplet(sketch: Sketch, group: list[Placed], y: float, time_map: TimeMap) -> None:
    """Number what is in threes; a bracket where no beam shows what belongs together."""
    inside = [p for p in group if p[0].value is not None and p[0].value.tuplet]
    if not inside or time_map.is_compound:
        return
    xs = [x for _, x in inside]
    least = min(m.length for m, _ in inside)
    number = "6" if least <= Fraction(1, 6) else "3"
    middle = 0.5 * (xs[0] + xs[-1])
    sketch.say(middle, y + 0.7, number, 5.5, anchor="middle")
    if len(inside) > 1 and not all(_beams(m) and not m.is_rest for m, _ in inside):
        for left, right, edge in ((xs[0] - 0.6, middle - 1.2, 0), (middle + 1.2, xs[-1] + 0.8, 1)):
            tip = (left, y - 0.9) if edge == 0 else (right, y - 0.9)
            line = ((left, y), (right, y))
            sketch.line(*((tip, *line) if edge == 0 else (*line, tip)), width=0.15)


def draw_rest(sketch: Sketch, moment: Moment, x: float, middle: float, gap: float) -> None:
    """Draw a rest between the strings; `x` is its middle, `middle` the height of the strings' middle.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    moment : Moment
        That is silent.
    x : float
        Of the rest's middle, mm.
    middle : float
        Of the strings, mm.
    gap : float
        Between two strings, mm.
    """
    base = moment.value.base if moment.value is not None else "whole"
    if base in ("whole", "half"):
        top = middle if base == "half" else middle - 0.5 * gap
        low = top - 0.9 if base == "half" else top + 0.9
        sketch.fill((x - 1.2, top), (x + 1.2, top), (x + 1.2, low), (x - 1.2, low))
        sketch.line((x - 1.9, top), (x + 1.9, top), width=0.25)
    elif base == "quarter":
        y = middle - 2.7
        sketch.fill(
            (x - 0.5, y), (x + 0.75, y + 1.5), (x + 0.15, y + 2.6), (x + 0.95, y + 4.0),
            (x + 0.1, y + 3.75), (x - 0.15, y + 4.3), (x + 0.35, y + 5.3), (x - 0.75, y + 4.3),
            (x - 0.35, y + 3.5), (x + 0.1, y + 3.35), (x - 0.75, y + 2.3), (x - 0.05, y + 1.2),
        )  # fmt: skip
    else:
        hooks = moment.value.beams if moment.value is not None else 1
        y = middle - 1.4 - 0.6 * (hooks - 1)
        foot = (x - 0.35, y + 3.0 + 1.2 * (hooks - 1))
        sketch.line((x + 0.85, y - 0.1), foot, width=0.25)
        for hook in range(hooks):
            at = y + 1.2 * hook
            right = x + 0.8 - 0.36 * hook
            dot(sketch, right - 1.4, at + 0.25, 0.45)
            sketch.line((right - 1.4, at + 0.65), (right - 0.6, at + 0.65), (right, at), width=0.22)
    if moment.value is not None and moment.value.dots:
        dot(sketch, x + 1.7, middle - 0.4)

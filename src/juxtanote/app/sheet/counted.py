"""The counted row: syllables, values with rests and ties as pages write them, early and late."""

from collections.abc import Iterator, Sequence
from fractions import Fraction
from functools import lru_cache

from PyQt6.QtCore import QPointF, QRect
from PyQt6.QtGui import QFontMetricsF, QPainter

from juxtanote.app.look.engraved import Inks, paint_block
from juxtanote.app.look.theme import SMALL, TEXT, colour, drawn_font, pen
from juxtanote.app.sheet.geometry import LEFT, RIGHT
from juxtanote.app.sheet.ground import paint_row_names
from juxtanote.app.sheet.rows import Looks
from juxtanote.app.sheet.scene import Scene
from juxtanote.core.engrave.beams import STEM_END, STEM_TOP, draw_rest, draw_values
from juxtanote.core.engrave.marks import arc
from juxtanote.core.engrave.paper import Sketch
from juxtanote.core.score.beams import count_word, is_on_beat
from juxtanote.core.score.note import Note
from juxtanote.core.score.rhythm import swing_of, swung
from juxtanote.core.score.values import Moment, bars_of

SCALE = 5.45  # pixels to the millimetre that values are drawn in
STEMS = 30  # pixels under the row's edge where stems begin
LATE_SHOWN_S = 0.012  # less is hardly heard (common practice), and is not drawn
LATE_Y, LATE_WORDS_Y = 64, 77  # pixels under the top of the counted row
SHORT_REST = 2.4  # millimetres between the strings that a rest is drawn for
Placed = tuple[Moment, float]


def counted_looks(scene: Scene) -> Looks:
    """Give all that the counted row is painted of."""
    notes = [(n.onset_s, n.written.onset_beats, n.written.duration_beats) for n in scene.visible()]
    swing = swing_of(scene.phrase, scene.context.time_map)
    return Looks((scene.geometry, scene.context.time_map, swing, notes))


def paint_counted(painter: QPainter, scene: Scene, _: Sequence[Note], __: Looks) -> None:
    """Draw count syllables, values, and how early or late each note was."""
    g, top = scene.geometry, scene.geometry.counted_top
    painter.setPen(pen("rule", 1.0))
    painter.drawLine(QPointF(12, top), QPointF(g.width - RIGHT, top))
    painter.drawLine(QPointF(12, g.written_top), QPointF(g.width - RIGHT, g.written_top))
    sketch = Sketch()
    last_word = -1e9
    for bar in _bars(scene):
        for moment, x in bar:
            if moment.value is not None and not moment.is_rest and not moment.is_held:
                last_word = _word(painter, scene, moment, SCALE * x, last_word)
                _late(painter, scene, moment, SCALE * x)
        _values(sketch, bar, scene)
    painter.save()
    painter.translate(0.0, top + STEMS - STEM_TOP * SCALE)
    inks = Inks(colour("ink"), colour("soft"), colour("paper"))
    paint_block(painter, sketch.block(10.0), 0.0, SCALE, inks)
    painter.restore()
    painter.fillRect(QRect(0, 0, 4, g.height), colour("paper"))
    paint_row_names(painter, g)


def _bars(scene: Scene) -> Iterator[list[Placed]]:
    """Give what is written in each bar that is seen, with its place in millimetres."""
    g, time_map = scene.geometry, scene.context.time_map
    per_bar, phrase = time_map.beats_per_bar, scene.phrase
    timed = [
        (float(w.onset_beats), float(w.onset_beats + (w.duration_beats or 0)), note)
        for note in phrase.notes
        if (w := note.written).onset_beats is not None
    ]
    if not timed:
        return
    first, last = (int(float(time_map.to_beats(s)) // per_bar) for s in (g.start_s, g.end_s))
    onsets = [onset for onset, _, _ in timed]
    first = max(first, int(min(onsets) // per_bar))
    last = min(last, int(max(onsets) // per_bar) + 1)
    # From the bar before: what is held over the bar line began there.
    near = [n for onset, _, n in timed if first - 1 <= onset // per_bar <= last]
    near.sort(key=lambda n: (float(n.written.onset_beats or 0), -n.written.string))
    numbers = range(min(first, last + 1), last + 1)
    swing = swing_of(phrase, time_map)
    begins, ends = min(onsets), max(end for _, end, _ in timed)
    for bar in bars_of(near, numbers, time_map):
        shown = [m for m in bar if m.value is not None and begins <= float(m.onset) < ends]
        seconds = time_map.to_seconds([swung(float(_middle(m)), swing) for m in shown]).tolist()
        placed = [(m, g.x(s) / SCALE) for m, s in zip(shown, seconds, strict=True)]
        yield [(m, x) for m, x in placed if LEFT - 4 <= SCALE * x <= g.width]


def _middle(moment: Moment) -> Fraction:
    """Give where a moment stands: a rest a little into its time, as it is set on paper."""
    return moment.onset + (moment.length / 4 if moment.is_rest else 0)


def _values(sketch: Sketch, bar: list[Placed], scene: Scene) -> None:
    draw_values(sketch, bar, 0.0, scene.context.time_map)
    before: float | None = None
    for moment, x in bar:
        if moment.is_rest:
            draw_rest(sketch, moment, x, 0.5 * (STEM_TOP + STEM_END), SHORT_REST)
        elif moment.is_held and before is not None:
            arc(sketch, before, x, STEM_TOP - 0.2)
        before = x if moment.notes else before


def _word(painter: QPainter, scene: Scene, moment: Moment, x: float, last: float) -> float:
    """Write a count; words that would lie over each other are left out. Give where the last one ends."""
    word = count_word(moment.onset, scene.context.time_map)
    weight = 600 if is_on_beat(moment.onset) else 400
    half = 0.5 * _width(word, weight)
    if not word or x - half < last + 3:
        return last
    painter.setFont(drawn_font(TEXT, weight))
    painter.setPen(colour("ink"))
    painter.drawText(QPointF(x - half, scene.geometry.counted_top + 22), word)
    return x + half


@lru_cache(maxsize=256)
def _width(word: str, weight: int) -> float:
    return QFontMetricsF(drawn_font(TEXT, weight)).horizontalAdvance(word)


def _late(painter: QPainter, scene: Scene, moment: Moment, x: float) -> None:
    """Draw how far a stroke is off its count."""
    y = scene.geometry.counted_top + LATE_Y
    for note in moment.notes:
        heard_x = scene.geometry.x(note.onset_s)
        if abs(heard_x - x) > LATE_SHOWN_S * scene.geometry.pixels_per_s:
            painter.setPen(pen("doubt", 2.2))
            painter.drawLine(QPointF(x, y), QPointF(heard_x, y))


def paint_how_late(painter: QPainter, scene: Scene, notes: Sequence[Note]) -> None:
    """Write beside selected notes how many milliseconds they are off their count."""
    time_map, g = scene.context.time_map, scene.geometry
    swing = swing_of(scene.phrase, time_map)
    painter.setFont(drawn_font(SMALL, 500))
    painter.setPen(colour("doubt"))
    for note in notes:
        onset = note.written.onset_beats
        if note.ident not in scene.selected or onset is None or not note.written.duration_beats:
            continue
        counted_s = float(time_map.to_seconds(swung(float(onset), swing)))
        late, x = note.onset_s - counted_s, g.x(counted_s)
        if abs(late) > LATE_SHOWN_S and x >= LEFT - 4:
            painter.drawText(QPointF(x + 4, g.counted_top + LATE_WORDS_Y), f"{1000 * late:+.0f} ms")

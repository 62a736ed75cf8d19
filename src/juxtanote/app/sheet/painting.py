"""Painting the three rows: each function draws one of them from frozen values."""

import math
from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPolygonF

from juxtanote.app.look.theme import MIDDLE, SMALL, TEXT, colour, drawn_font, pen
from juxtanote.app.sheet.geometry import EVIDENCE_HEIGHT, LEFT, LEVEL_HEIGHT, RIGHT, Geometry
from juxtanote.core.score.lesson import Context, Phrase
from juxtanote.core.score.note import SLURS, Note
from juxtanote.core.score.signs import STROKE_SIGNS, bend_name
from juxtanote.core.theory.keys import known_key
from juxtanote.core.theory.pitch import SHARP_NAMES, pitch_name
from juxtanote.core.theory.scales import spell_in_key

NATURAL = {
    0,
    2,
    4,
    5,
    7,
    9,
    11,
}  # pitch classes of white keys: the heard rows of the others are darker
LATE_SHOWN_S = 0.012  # less is hardly heard (common practice), and is not drawn
LONGEST_RING_S = 20.0  # a note that is damped by nothing still ends
SMALLEST_SHARE = 0.5  # fret numbers do not shrink further
FEW_SELECTED = 8  # what was measured of so many selected notes is written, however short they are


@dataclass(frozen=True, slots=True)
class Scene:
    """What one painting of the sheet needs."""

    context: Context
    phrase: Phrase
    geometry: Geometry
    selected: frozenset[int]
    changed: frozenset[int] = frozenset()  # notes that just moved by themselves
    others: tuple[Phrase, ...] = ()  # of other parts, drawn pale
    before: dict[int, Note] = field(default_factory=dict)  # the note before on the same string
    loudest_db: float = -12.0

    def visible(self) -> list[Note]:
        """List notes that are on screen; the phrase is sorted by onset."""
        g, notes = self.geometry, self.phrase.notes
        first = bisect_left(notes, g.start_s - LONGEST_RING_S, key=lambda n: n.onset_s)
        last = bisect_left(notes, g.end_s + 0.5, key=lambda n: n.onset_s)
        return [n for n in notes[first:last] if n.offset_s >= g.start_s - 0.5]


def paint_grid(painter: QPainter, scene: Scene) -> None:
    """Draw bar and beat lines through all rows."""
    g = scene.geometry
    top, bottom = 18.0, g.height - 22.0
    beats = scene.context.time_map.beats_between(max(g.start_s, 0.0), g.end_s)
    close = g.pixels_per_s * 60.0 / scene.context.time_map.tempo_at(g.start_s)
    for seconds, bar, beat in beats:
        x = g.x(seconds)
        if x < LEFT - 1:
            continue
        if beat == 1:
            painter.setPen(pen("soft", 1.2))
            painter.drawLine(QPointF(x, top), QPointF(x, bottom))
            painter.setFont(drawn_font(SMALL))
            painter.setPen(colour("soft"))
            painter.drawText(QPointF(x + 4, top - 5), str(bar) if bar >= 1 else "pickup")
        elif close > 9:
            painter.setPen(pen("rule", 1.0, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, top + 4), QPointF(x, bottom))


def paint_others(painter: QPainter, scene: Scene) -> None:
    """Draw what other guitars play, pale: their pitch, and their frets where they have the string."""
    g = scene.geometry
    painter.setFont(drawn_font(SMALL))
    for phrase in scene.others:
        for note in phrase.notes:
            if note.offset_s < g.start_s or note.onset_s > g.end_s:
                continue
            left, right = max(g.x(note.onset_s), LEFT), g.x(note.offset_s) - 2
            painter.setPen(pen("rule", 2.0))
            if g.low_midi <= note.heard.midi <= g.high_midi:
                y = g.pitch_y(note.heard.midi)
                painter.drawLine(QPointF(left, y), QPointF(right, y))
            if note.written.string <= g.strings:
                y = g.string_y(note.written.string)
                painter.setPen(colour("faint"))
                box = QRectF(left - 10, y - 20, 20, 12)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, fret_text(note))


Lines = list[tuple[Note, list[QPointF]]]


def ground_key(scene: Scene) -> tuple[object, ...]:
    """Give all that lies under the heard notes and does not move with them."""
    return (
        scene.geometry, scene.phrase.evidence, scene.context.time_map, scene.context.key,
        scene.others, _used(scene),
    )  # fmt: skip


def heard_key(scene: Scene) -> tuple[object, ...]:
    """Give all that the heard notes are painted of: where it is the same, they are."""
    notes = [(n.heard, n.is_doubtful, "dead" in n.written.techniques) for n in scene.visible()]
    return scene.geometry, scene.loudest_db, notes


def _used(scene: Scene) -> frozenset[int]:
    return frozenset(round(n.heard.midi) for n in scene.visible())


def written_key(scene: Scene) -> tuple[object, ...]:
    """Give all that the written row is painted of."""
    notes = [
        (
            n.onset_s, n.offset_s, n.is_doubtful, n.written.string, n.written.fret,
            n.written.techniques, n.written.bend_semitones, n.written.finger, n.written.stroke,
            "place" in n.written.locked,
            n.heard if n.written.techniques & SHAPED else None,
            (before.onset_s, before.written.fret, before.written.techniques)
            if (before := scene.before.get(n.ident)) is not None
            else None,
        )
        for n in scene.visible()
    ]  # fmt: skip
    return scene.geometry, scene.context.guitar, notes


SHAPED = frozenset({"bend", "pre-bend", "vibrato"})


def paint_ground(painter: QPainter, scene: Scene) -> None:
    """Draw the lines of pitches, and the evidence under them."""
    _pitch_lines(painter, scene)
    _evidence(painter, scene)


def paint_heard(painter: QPainter, scene: Scene) -> Lines:
    """Draw pitch curves, and onsets by loudness.

    Gives the line of each note, so that words can stand beside them.
    """
    g, notes = scene.geometry, scene.visible()
    lines = [(note, _pitch_curve(painter, scene, note)) for note in notes]
    base = g.heard_bottom + LEVEL_HEIGHT
    for note in notes:
        part = min(max(1.0 + (note.heard.level_db - scene.loudest_db) / 24.0, 0.15), 1.0)
        x = g.x(note.onset_s)
        painter.setPen(pen("doubt" if note.is_doubtful else "heard", 2.0))
        painter.drawLine(QPointF(x, base), QPointF(x, base - (LEVEL_HEIGHT - 6) * part))
    return lines


def paint_marks(painter: QPainter, scene: Scene, lines: Lines) -> None:
    """Draw over the rows what hangs on the selection: boxes, and what was measured of notes."""
    others = [line for _, line in lines]
    for note, line in lines:
        _measured(painter, scene, note, line, others)
    marked = [n for n, _ in lines if n.ident in scene.selected or n.ident in scene.changed]
    share = crowding(scene, [note for note, _ in lines]) if marked else {}
    for note in marked:
        _fret_number(painter, scene, note, share[note.ident])


def _pitch_lines(painter: QPainter, scene: Scene) -> None:
    g, used = scene.geometry, _used(scene)
    painter.setFont(drawn_font(SMALL))
    last = 1e9
    for midi in range(math.ceil(g.low_midi), math.floor(g.high_midi) + 1):
        y = g.pitch_y(midi)
        shown = midi in used or (midi % 12 in NATURAL and not used)
        painter.setPen(pen("rule", 1.0))
        if shown:
            painter.drawLine(QPointF(LEFT, y), QPointF(g.width - RIGHT, y))
            if last - y >= 11:
                painter.setPen(colour("soft"))
                name = _name(midi, scene.context.key)
                painter.drawText(
                    QRectF(0, y - 8, LEFT - 10, 16),
                    int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                    name,
                )
                last = y


def _name(midi: int, key: str) -> str:
    if known_key(key) is None:
        return f"{SHARP_NAMES[midi % 12]}{midi // 12 - 1}"
    spelled = spell_in_key(midi, key)
    shift = spelled.count("♯") - spelled.count("♭")
    return f"{spelled}{(midi - shift) // 12 - 1}"


def _pitch_curve(painter: QPainter, scene: Scene, note: Note) -> list[QPointF]:
    """Draw the pitch of one note as it moved; give the points of the line."""
    g = scene.geometry
    name = "doubt" if note.is_doubtful else "heard"
    style = Qt.PenStyle.DashLine if note.is_doubtful else Qt.PenStyle.SolidLine
    painter.setPen(pen(name, 2.4, style))
    left, level = g.x(note.onset_s), g.pitch_y(note.heard.midi)
    if "dead" in note.written.techniques:
        for rise in (-3, 3):
            painter.drawLine(QPointF(left - 3, level - rise), QPointF(left + 3, level + rise))
        return [QPointF(left - 3, level), QPointF(left + 3, level)]
    per_cent = (g.pitch_y(note.heard.midi + 1.0) - level) / 100.0
    length = note.heard.duration_s
    curve = note.heard.curve
    # No more points than pixels: a long curve far out would be work that nobody sees.
    step = max(int(len(curve) / max(length * g.pixels_per_s * 0.5, 2.0)), len(curve) // 200, 1)
    points = [
        QPointF(left + t * g.pixels_per_s, level + c * per_cent)
        for t, c in curve[::step]
        if t <= length
    ]
    if len(points) < 2:
        points = [QPointF(left, level), QPointF(g.x(note.offset_s) - 2, level)]
    painter.drawPolyline(QPolygonF(points))
    return points


def _measured(
    painter: QPainter, scene: Scene, note: Note, line: list[QPointF], others: list[list[QPointF]]
) -> None:
    """Write what was measured of a note beside its line, where no other line runs."""
    shown = note.ident in scene.selected or len(scene.selected) == 0
    words = [said for said in note.heard.evidence if "glide of" in said or "Hz" in said]
    if note.is_doubtful and note.heard.runner_ups:
        words = [f"or {note.heard.runner_ups[0].why}?"]
    room = scene.geometry.pixels_per_s * note.heard.duration_s
    asked = note.ident in scene.selected and len(scene.selected) <= FEW_SELECTED
    if not words or not shown or (room <= 70 and not asked):
        return
    painter.setFont(drawn_font(SMALL, 500))
    metrics = painter.fontMetrics()
    text = metrics.elidedText(" · ".join(words), Qt.TextElideMode.ElideRight, int(max(room, 220)))
    right = line[0].x() + metrics.horizontalAdvance(text)
    near = [o for o in others if o[0].x() <= right and o[-1].x() >= line[0].x()]
    above, below = min(p.y() for p in line) - 6, max(p.y() for p in line) + 15
    grounds = []
    for y in (above, below, above - 12, below + 12, above - 24):
        at = QPointF(line[0].x(), min(max(y, 14), scene.geometry.heard_bottom - 4))
        ground = QRectF(metrics.tightBoundingRect(text)).translated(at).adjusted(-2, -1, 2, 1)
        grounds.append((sum(_crosses(ground, other) for other in near), len(grounds), at, ground))
    _, _, at, ground = min(grounds, key=lambda place: place[:2])
    painter.fillRect(ground, colour("paper"))
    painter.setPen(colour("doubt" if note.is_doubtful else "heard"))
    painter.drawText(at, text)


def _crosses(ground: QRectF, line: list[QPointF]) -> bool:
    return any(
        QRectF(a, b).normalized().adjusted(-1, -2, 1, 2).intersects(ground)
        for a, b in zip(line, line[1:], strict=False)
    )


def _evidence(painter: QPainter, scene: Scene) -> None:
    """Draw onset evidence as a filled line, so that one sees why a note was heard or missed."""
    g, evidence = scene.geometry, scene.phrase.evidence
    if not evidence.onset or evidence.hop_s <= 0:
        return
    base = g.heard_bottom + LEVEL_HEIGHT + EVIDENCE_HEIGHT + 2
    first = max(int((g.start_s - evidence.start_s) / evidence.hop_s), 0)
    last = min(int((g.end_s - evidence.start_s) / evidence.hop_s) + 2, len(evidence.onset))
    step = max((last - first) // max(g.width, 1), 1)
    path = QPainterPath(QPointF(LEFT, base))
    for index in range(first, last, step):
        x = g.x(evidence.start_s + index * evidence.hop_s)
        if x >= LEFT:
            value = max(evidence.onset[index : index + step])
            path.lineTo(QPointF(x, base - (EVIDENCE_HEIGHT - 4) * min(max(value, 0.0), 1.0)))
    path.lineTo(QPointF(path.currentPosition().x(), base))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.fillPath(path, colour("heard", 60))


def paint_written(painter: QPainter, scene: Scene) -> None:
    """Draw string lines, fret numbers at their onsets and techniques in their measured shape."""
    g = scene.geometry
    painter.setFont(drawn_font(TEXT - 1))
    for string in range(1, g.strings + 1):
        y = g.string_y(string)
        painter.setPen(pen("rule", 1.0 + 0.13 * string))
        painter.drawLine(QPointF(LEFT, y), QPointF(g.width - RIGHT, y))
        painter.setPen(colour("soft"))
        name = pitch_name(scene.context.guitar.tuning[-string])[:-1]
        painter.drawText(
            QRectF(0, y - 9, LEFT - 10, 18),
            int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
            name,
        )
    notes = scene.visible()
    for note in notes:
        _sounding_line(painter, scene, note)
    taken: list[QRectF] = []
    for note in notes:
        _techniques(painter, scene, note, scene.before.get(note.ident), taken)
    share = crowding(scene, notes)
    bare = replace(scene, selected=frozenset(), changed=frozenset())
    for note in notes:
        _fret_number(painter, bare, note, share[note.ident])
    _hands(painter, scene, notes)


def notes_before(phrase: Phrase) -> dict[int, Note]:
    """Find for every note the one before it on the same string."""
    found: dict[int, Note] = {}
    last: dict[int, Note] = {}
    for note in phrase.notes:
        earlier = last.get(note.written.string)
        if earlier is not None and earlier.onset_s < note.onset_s - 1e-9:
            found[note.ident] = earlier
        last[note.written.string] = note
    return found


def _sounding_line(painter: QPainter, scene: Scene, note: Note) -> None:
    g = scene.geometry
    y = g.string_y(note.written.string)
    if "dead" in note.written.techniques:
        return
    style = Qt.PenStyle.DashLine if note.is_doubtful else Qt.PenStyle.SolidLine
    painter.setPen(pen("doubt" if note.is_doubtful else "written", 1.7, style))
    painter.drawLine(QPointF(g.x(note.onset_s), y), QPointF(g.x(note.offset_s) - 2, y))


def crowding(scene: Scene, notes: Sequence[Note]) -> dict[int, float]:
    """Give for every note the share of its number's width that its neighbours on the string leave it."""
    share = dict.fromkeys((note.ident for note in notes), 1.0)
    last: dict[int, Note] = {}
    for note in notes:
        before = last.get(note.written.string)
        last[note.written.string] = note
        if before is None:
            continue
        boxes = fret_box(scene, before), fret_box(scene, note)
        apart = boxes[1].center().x() - boxes[0].center().x()
        left = max(apart, 1.0) / (0.5 * (boxes[0].width() + boxes[1].width()))
        for crowded in (before, note):
            share[crowded.ident] = max(min(share[crowded.ident], left), SMALLEST_SHARE)
    return share


def fret_text(note: Note) -> str:
    """Give what stands in the break of the string line."""
    if "dead" in note.written.techniques:
        return "×"
    text = str(note.written.fret)
    return f"⟨{text}⟩" if "natural-harmonic" in note.written.techniques else text


def fret_box(scene: Scene, note: Note, painter: QPainter | None = None) -> QRectF:
    """Give the box of a fret number, centred on its onset and string."""
    g = scene.geometry
    width = 7.0 + 9.5 * len(fret_text(note))
    return QRectF(g.x(note.onset_s) - width / 2, g.string_y(note.written.string) - 10, width, 20)


def _fret_number(painter: QPainter, scene: Scene, note: Note, share: float) -> None:
    whole = fret_box(scene, note)
    narrower = 0.5 * (1.0 - share) * whole.width()
    box = whole.adjusted(narrower, 0.0, -narrower, 0.0)
    chosen = note.ident in scene.selected
    painter.setBrush(colour("panel") if chosen else colour("paper"))
    painter.setPen(pen("ink", 1.6) if chosen else Qt.PenStyle.NoPen)
    painter.drawRoundedRect(box, 4, 4)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    grace = "grace" in note.written.techniques
    painter.setFont(drawn_font(round((MIDDLE if grace else MIDDLE + 3) * share), 600))
    painter.setPen(colour("doubt" if note.is_doubtful else "ink"))
    painter.drawText(whole, Qt.AlignmentFlag.AlignCenter, fret_text(note))
    if "place" in note.written.locked:
        painter.setPen(pen("ink", 1.6))
        painter.drawLine(
            QPointF(box.left() + 3, box.bottom() + 1), QPointF(box.right() - 3, box.bottom() + 1)
        )
    if note.ident in scene.changed:
        painter.setPen(pen("written", 1.2, Qt.PenStyle.DotLine))
        painter.drawRoundedRect(box.adjusted(-2, -2, 2, 2), 5, 5)


def _techniques(
    painter: QPainter, scene: Scene, note: Note, before: Note | None, taken: list[QRectF]
) -> None:
    g, tags = scene.geometry, note.written.techniques
    x, y = g.x(note.onset_s), g.string_y(note.written.string)
    painter.setPen(pen("written", 1.6))
    if tags & SLURS and before is not None:
        _slur(painter, g.x(before.onset_s), x, y - 11, "T" if "tap" in tags else "")
    elif "tap" in tags:
        _label(painter, "T", x, y - 14, taken)
    if "slide" in tags:
        start = max(g.x(before.onset_s) + 12, x - 34) if before is not None else x - 24
        up = before is None or before.written.fret < note.written.fret
        tilt = 6 if up else -6
        painter.setPen(pen("written", 1.8))
        painter.drawLine(QPointF(start, y + tilt), QPointF(x - 11, y - tilt))
    if tags & {"bend", "pre-bend", "vibrato"}:
        _shape(painter, scene, note, taken)
    for word, sign in (
        ("palm-mute", "P.M."),
        ("let-ring", "l.r."),
        ("rake", "rake"),
        ("pinch-harmonic", "P.H."),
    ):
        if word in tags and (before is None or word not in before.written.techniques):
            _label(painter, sign, x, g.strings_top - 14, taken)
    if "staccato" in tags:
        painter.setBrush(colour("written"))
        painter.drawEllipse(QPointF(x, y - 14), 1.8, 1.8)
        painter.setBrush(Qt.BrushStyle.NoBrush)
    if "bar" in tags:
        _label(painter, "S", x, y - 14, taken)


def _slur(painter: QPainter, start: float, end: float, y: float, sign: str) -> None:
    height = min(10.0, 0.28 * (end - start))
    path = QPainterPath(QPointF(start + 2, y))
    path.quadTo(QPointF(0.5 * (start + end), y - 2 * height), QPointF(end - 2, y))
    painter.drawPath(path)
    if sign:
        painter.setFont(drawn_font(SMALL, 600))
        painter.drawText(QPointF(0.5 * (start + end) - 3, y - height - 2), sign)


def _label(
    painter: QPainter, text: str, x: float, y: float, taken: list[QRectF], *, weight: int = 500
) -> None:
    """Write a small label, moved up until it stands clear of the others."""
    painter.setFont(drawn_font(SMALL, weight))
    width = painter.fontMetrics().horizontalAdvance(text)
    box = QRectF(x - width / 2, y - 10, width, 12)
    for _ in range(4):
        if not any(box.intersects(other) for other in taken):
            break
        box.translate(0, -12)
    taken.append(box)
    painter.setPen(colour("written"))
    painter.drawText(QPointF(box.left(), box.bottom() - 2), text)


def _shape(painter: QPainter, scene: Scene, note: Note, taken: list[QRectF]) -> None:
    """Draw bend, release and vibrato as they were measured, a semitone a fixed height."""
    g, tags = scene.geometry, note.written.techniques
    y = g.string_y(note.written.string)
    height = g.semitone_height
    lift = 4.0
    base = note.heard.midi
    points = [
        QPointF(g.x(note.onset_s + t), y - lift - max(c / 100.0, -0.6) * height)
        for t, c in note.heard.curve
        if note.onset_s + t <= note.offset_s and g.x(note.onset_s + t) > g.x(note.onset_s) + 9
    ]
    amount = note.written.bend_semitones
    if len(points) < 3:
        x, end = g.x(note.onset_s) + 10, g.x(note.offset_s) - 2
        peak = y - lift - amount * height
        points = [QPointF(x, y - lift), QPointF(0.6 * x + 0.4 * end, peak), QPointF(end, peak)]
    if not tags & {"bend", "pre-bend"}:
        # A shake on a plain note is drawn over the string, where no number can cover it.
        shift = y - 13 - (sum(p.y() for p in points) / len(points))
        points = [QPointF(p.x(), p.y() + shift) for p in points]
    painter.setPen(pen("written", 1.8))
    step = max(len(points) // 160, 1)
    painter.drawPolyline(QPolygonF(points[::step]))
    if tags & {"bend", "pre-bend"} and base:
        peak_point = min(points, key=lambda p: p.y())
        _label(painter, bend_name(amount), peak_point.x(), peak_point.y() - 4, taken, weight=600)


def _hands(painter: QPainter, scene: Scene, notes: list[Note]) -> None:
    """Write strokes and fingers under the strings."""
    g = scene.geometry
    stroke_y, finger_y = g.strings_bottom + 27, g.strings_bottom + 43
    painter.setFont(drawn_font(SMALL))
    painter.setPen(colour("soft"))
    right = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    painter.drawText(QRectF(0, stroke_y - 12, LEFT - 10, 16), right, "stroke")
    painter.drawText(QRectF(0, finger_y - 12, LEFT - 10, 16), right, "finger")
    last_x = -1e9
    for note in notes:
        x = g.x(note.onset_s)
        if x < LEFT - 6 or x - last_x < 8:
            continue
        last_x = x
        sign = STROKE_SIGNS.get(note.written.stroke, "")
        painter.drawText(QPointF(x - 4, stroke_y), sign)
        painter.drawText(QPointF(x - 3, finger_y), note.written.finger)


def paint_row_names(painter: QPainter, geometry: Geometry) -> None:
    """Name the three rows in their colours."""
    painter.setFont(drawn_font(TEXT, 600))
    for name, y, hue in (
        ("heard", 20.0, "heard"),
        ("written", geometry.written_top + 20, "written"),
        ("counted", geometry.counted_top + 22, "ink"),
    ):
        painter.setPen(colour(hue))
        painter.drawText(QPointF(12, y), name)

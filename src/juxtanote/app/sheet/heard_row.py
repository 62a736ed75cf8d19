"""The heard row: what was heard of each note as it moved, its loudness, and what was measured of it."""

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPolygonF

from juxtanote.app.look.theme import SMALL, colour, drawn_font, pen
from juxtanote.app.sayings import say_observation, say_otherwise
from juxtanote.app.sheet.geometry import LEVEL_HEIGHT
from juxtanote.app.sheet.ground import keep_off_names
from juxtanote.app.sheet.rows import Looks, NoteLook
from juxtanote.app.sheet.scene import Scene
from juxtanote.core.score.note import Note
from juxtanote.core.theory.observed import Shows

WIDEST_WORDS, WORDS_APART = 220, 6  # pixels
NEAR_PITCH = 3.0  # semitones between lines whose words would stand in one row
FEW_SELECTED = 8  # what was measured of so many selected notes is written, however short they are
ROUND_NOTE = 8.0  # pixels beside its onset and its end that a note's line may take
# What moves is measured: how far, how fast.
WRITTEN_BESIDE = frozenset({Shows.BENDS, Shows.SWINGS})

Line = list[QPointF]


def heard_looks(scene: Scene) -> Looks:
    """Give all that the heard row is painted of."""
    g = scene.geometry
    notes = {
        n.ident: NoteLook(
            (n.heard, n.is_doubtful, "dead" in n.written.techniques),
            g.x(n.onset_s) - ROUND_NOTE,
            g.x(n.offset_s) + ROUND_NOTE,
        )
        for n in scene.visible()
    }
    return Looks((g, scene.loudest_db), notes)


def paint_heard(painter: QPainter, scene: Scene, notes: Sequence[Note], _: Looks) -> None:
    """Draw pitch curves, and onsets by loudness."""
    g = scene.geometry
    keep_off_names(painter, g)
    for note in notes:
        _pitch_curve(painter, scene, note)
    base = g.heard_bottom + LEVEL_HEIGHT
    for note in notes:
        part = min(max(1.0 + (note.heard.level_db - scene.loudest_db) / 24.0, 0.15), 1.0)
        x = g.x(note.onset_s)
        painter.setPen(pen("doubt" if note.is_doubtful else "heard", 2.0))
        painter.drawLine(QPointF(x, base), QPointF(x, base - (LEVEL_HEIGHT - 6) * part))


def _pitch_curve(painter: QPainter, scene: Scene, note: Note) -> None:
    """Draw the pitch of one note as it moved."""
    name = "doubt" if note.is_doubtful else "heard"
    style = Qt.PenStyle.DashLine if note.is_doubtful else Qt.PenStyle.SolidLine
    painter.setPen(pen(name, 2.4, style))
    line = line_of(scene, note)
    if "dead" in note.written.techniques:
        for rise in (-3, 3):
            painter.drawLine(line[0] - QPointF(0, rise), line[1] + QPointF(0, rise))
        return
    painter.drawPolyline(QPolygonF(line))


def line_of(scene: Scene, note: Note) -> Line:
    """Give the points that a note's line runs through, two at least."""
    g = scene.geometry
    left, level = g.x(note.onset_s), g.pitch_y(note.heard.midi)
    if "dead" in note.written.techniques:
        return [QPointF(left - 3, level), QPointF(left + 3, level)]
    per_cent = (g.pitch_y(note.heard.midi + 1.0) - level) / 100.0
    length, curve = note.heard.duration_s, note.heard.curve
    # No more points than pixels: a long curve far out would be work that nobody sees.
    step = max(int(len(curve) / max(length * g.pixels_per_s * 0.5, 2.0)), len(curve) // 200, 1)
    points = [
        QPointF(left + t * g.pixels_per_s, level + c * per_cent)
        for t, c in curve[::step]
        if t <= length
    ]
    if len(points) < 2:
        points = [QPointF(left, level), QPointF(g.x(note.offset_s) - 2, level)]
    return points


def _words(scene: Scene, note: Note) -> list[str]:
    """Give what is written beside a note's line."""
    words = [say_observation(seen) for seen in note.heard.evidence if seen.of in WRITTEN_BESIDE]
    if note.is_doubtful and note.heard.runner_ups:
        words = [f"or {say_otherwise(note.heard, note.heard.runner_ups[0])}?"]
    chosen = note.ident in scene.selected
    asked = chosen and len(scene.selected) <= FEW_SELECTED
    room = scene.geometry.pixels_per_s * note.heard.duration_s
    is_shown = (chosen or not scene.selected) and (room > 70 or asked)
    return words if is_shown else []


def paint_words(painter: QPainter, scene: Scene, note: Note, notes: Sequence[Note]) -> None:
    """Write what was measured of a note beside its line, where no other line runs."""
    words = _words(scene, note)
    if not words:
        return
    line, room = line_of(scene, note), scene.geometry.pixels_per_s * note.heard.duration_s
    painter.setFont(drawn_font(SMALL, 500))
    metrics = painter.fontMetrics()
    room = min(max(room, WIDEST_WORDS), _until_other_words(scene, note, notes))
    text = metrics.elidedText(" · ".join(words), Qt.TextElideMode.ElideRight, int(room))
    right = line[0].x() + metrics.horizontalAdvance(text)
    near = [line_of(scene, other) for other in notes if _overlaps(scene, other, line[0].x(), right)]
    above, below = min(p.y() for p in line) - 6, max(p.y() for p in line) + 15
    grounds: list[tuple[int, int, QPointF, QRectF]] = []
    for y in (above, below, above - 12, below + 12, above - 24):
        at = QPointF(line[0].x(), min(max(y, 14), scene.geometry.heard_bottom - 4))
        ground = QRectF(metrics.tightBoundingRect(text)).translated(at).adjusted(-2, -1, 2, 1)
        grounds.append((sum(_crosses(ground, other) for other in near), len(grounds), at, ground))
    _, _, at, ground = min(grounds, key=lambda place: place[:2])
    painter.fillRect(ground, colour("paper"))
    painter.setPen(colour("doubt" if note.is_doubtful else "heard"))
    painter.drawText(at, text)


def _until_other_words(scene: Scene, note: Note, notes: Sequence[Note]) -> float:
    """Give the pixels to where words of a later note near this pitch begin."""
    left = scene.geometry.x(note.onset_s)
    begins = [
        begin
        for other in notes
        if 0.0 < (begin := scene.geometry.x(other.onset_s) - left) < WIDEST_WORDS
        and abs(other.heard.midi - note.heard.midi) < NEAR_PITCH
        and _words(scene, other)
    ]
    return min(begins, default=float("inf")) - WORDS_APART


def _overlaps(scene: Scene, note: Note, left: float, right: float) -> bool:
    g = scene.geometry
    return g.x(note.onset_s) - ROUND_NOTE <= right and g.x(note.offset_s) + ROUND_NOTE >= left


def _crosses(ground: QRectF, line: list[QPointF]) -> bool:
    return any(
        QRectF(a, b).normalized().adjusted(-1, -2, 1, 2).intersects(ground)
        for a, b in zip(line, line[1:], strict=False)
    )

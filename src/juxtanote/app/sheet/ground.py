"""The sheet's ground: bars and beats, other parts, lines of pitches, evidence, and the rows' names."""

import math
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath

from juxtanote.app.look.theme import SMALL, TEXT, colour, drawn_font, pen
from juxtanote.app.sheet.geometry import EVIDENCE_HEIGHT, LEFT, LEVEL_HEIGHT, RIGHT, Geometry
from juxtanote.app.sheet.rows import Looks
from juxtanote.app.sheet.scene import Scene, fret_text
from juxtanote.core.score.note import Note
from juxtanote.core.theory.keys import known_key
from juxtanote.core.theory.pitch import SHARP_NAMES
from juxtanote.core.theory.scales import spell_in_key

NATURAL = frozenset({0, 2, 4, 5, 7, 9, 11})  # pitch classes of white keys


def _grid(painter: QPainter, scene: Scene) -> None:
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


def _others(painter: QPainter, scene: Scene) -> None:
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


def ground_looks(scene: Scene) -> Looks:
    """Give all that lies under the heard notes and does not move with them."""
    return Looks(
        (
            scene.geometry, scene.phrase.evidence, scene.context.time_map, scene.context.key,
            scene.others, _used(scene),
        )
    )  # fmt: skip


def _used(scene: Scene) -> frozenset[int]:
    return frozenset(round(n.heard.midi) for n in scene.visible())


def keep_off_names(painter: QPainter, g: Geometry) -> None:
    """Let what is scrolled out of sight at the left not be painted over the names there."""
    area = QRect(LEFT - 12, 0, g.width - LEFT - RIGHT + 26, g.height)
    painter.setClipRect(area, Qt.ClipOperation.IntersectClip)


def paint_ground(painter: QPainter, scene: Scene, _: Sequence[Note], __: Looks) -> None:
    """Draw bars and beats, what other parts play, the lines of pitches, and the evidence under them."""
    keep_off_names(painter, scene.geometry)
    _grid(painter, scene)
    _others(painter, scene)
    painter.setClipping(False)
    _pitch_lines(painter, scene)
    _evidence(painter, scene)


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

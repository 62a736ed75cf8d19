"""Pitch over time: what was heard of each note over what is written of it, and the gap between them."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from statistics import median

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPolygonF

from juxtanote.app.look.theme import colour, pen
from juxtanote.core.score.lesson import Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.sounding import sounding_midi
from juxtanote.core.synth.render import written_curve
from juxtanote.core.theory.tuning import Guitar

HATCH_CENTS = 18.0  # a smaller gap is no gap: a fretted note is never nearer than this
FINEST_PIXELS = 1.0  # from point to point of a curve: what lies nearer is not seen
Curve = Sequence[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class Plot:
    """Pitch over time in an area: seconds run to the right, MIDI upwards.

    A curve has some twenty points: plain numbers are drawn sooner than arrays of them.
    """

    area: QRectF
    start_s: float
    end_s: float
    low: float
    high: float

    @property
    def second(self) -> float:
        """How wide a second is, pixels."""
        return self.area.width() / (self.end_s - self.start_s)

    @property
    def semitone(self) -> float:
        """How high a semitone is, pixels."""
        return self.area.height() / (self.high - self.low)

    def x(self, seconds: float) -> float:
        """Give the pixel of a time."""
        return self.area.left() + (seconds - self.start_s) * self.second

    def y(self, midi: float) -> float:
        """Give the height of a pitch, pixels."""
        return self.area.bottom() - (midi - self.low) * self.semitone

    def line(self, onset_s: float, midi: float, curve: Curve) -> list[QPointF]:
        """Give the points of a curve of (seconds from an onset, semitones above a pitch)."""
        left, bottom, second, semitone = self.x(onset_s), self.y(midi), self.second, self.semitone
        return [QPointF(left + t * second, bottom - v * semitone) for t, v in self._seen(curve)]

    def _seen(self, curve: Curve) -> Curve:
        """Leave out points that lie on each other, in phrases of hundreds of notes."""
        count = len(curve)
        if count < 4:
            return curve
        apart = (curve[-1][0] - curve[0][0]) * self.second / (count - 1)
        step = max(int(FINEST_PIXELS / max(apart, 1e-3)), 1)
        return curve if step == 1 else [*curve[: count - 1 : step], curve[-1]]


@dataclass(frozen=True, slots=True)
class Curves:
    """A note as lines: what is written, what was heard, and around the gap where there is one."""

    written: list[QPointF]
    heard: list[QPointF]
    gap: list[QPointF]


def curves_of(note: Note, following: Note | None, guitar: Guitar, plot: Plot) -> Curves:
    """Give the lines of a note; the one that follows on its string says where a slide goes."""
    base, lasts_s = sounding_midi(note, guitar), note.heard.duration_s
    asked = written_curve(note, following) or ((0.0, 0.0), (lasts_s, 0.0))
    measured = [(t, cents / 100.0) for t, cents in note.heard.curve if t <= lasts_s]
    written = plot.line(note.onset_s, base, asked)
    heard = plot.line(note.onset_s, note.heard.midi, measured)
    around: list[QPointF] = []
    if len(measured) > 2:
        wanted = _at_times(asked, [t for t, _ in measured])
        above = note.heard.midi - base
        gaps = [abs(v + above - w) for (_, v), (_, w) in zip(measured, wanted, strict=True)]
        if 100.0 * median(gaps) >= HATCH_CENTS:
            around = [*heard, *plot.line(note.onset_s, base, wanted)[::-1]]
    return Curves(written, heard, around)


def pitched(notes: Iterable[Note]) -> Iterator[tuple[Note, Note | None]]:
    """Give each note that has a pitch, the last first, and the next one on its string."""
    following: dict[int, Note] = {}
    for note in reversed(list(notes)):
        if "dead" not in note.written.techniques:
            yield note, following.get(note.written.string)
        following[note.written.string] = note


def paint_curves(painter: QPainter, phrase: Phrase, guitar: Guitar, plot: Plot) -> None:
    """Paint all gaps, over them what is written, and over that what was heard."""
    made = [curves_of(note, after, guitar, plot) for note, after in pitched(phrase.notes)]
    tint = colour("doubt", 150)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QBrush(tint, Qt.BrushStyle.BDiagPattern))
    for curves in made:
        if curves.gap:
            painter.drawPolygon(QPolygonF(curves.gap))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(pen("written", 2.0))
    for curves in made:
        painter.drawPolyline(QPolygonF(curves.written))
    painter.setPen(pen("heard", 2.6))
    for curves in made:
        if len(curves.heard) > 1:
            painter.drawPolyline(QPolygonF(curves.heard))


def paint_box(painter: QPainter, note: Note, curves: Curves, plot: Plot) -> None:
    """Paint a dashed box around a note."""
    painter.setPen(pen("doubt", 1.6, Qt.PenStyle.DashLine))
    left, right = plot.x(note.onset_s) - 4, plot.x(note.offset_s) + 4
    ys = [point.y() for point in (*curves.written, *curves.heard)]
    box = QRectF(left, min(ys) - 8, right - left, max(ys) - min(ys) + 16)
    painter.drawRoundedRect(box, 5, 5)


def _at_times(curve: Curve, times: list[float]) -> list[tuple[float, float]]:
    """Give a curve at other times; most written ones are level."""
    first = curve[0][1]
    if all(value == first for _, value in curve):
        return [(t, first) for t in times]
    xs, ys = zip(*curve, strict=True)
    return list(zip(times, np.interp(times, xs, ys).tolist(), strict=True))

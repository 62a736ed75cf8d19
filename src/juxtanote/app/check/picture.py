"""Heard over written: two pitch curves, their gap hatched, loudness, and both sounds."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QPainter,
    QPen,
    QPixmap,
)
from PyQt6.QtWidgets import QWidget

from juxtanote.app.check import labels
from juxtanote.app.check.curves import Plot, curves_of, paint_box, paint_curves, pitched
from juxtanote.app.document import Document
from juxtanote.app.look.theme import SMALL, TEXT, colour, font, pen
from juxtanote.app.sheet.geometry import pitch_range
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.under_playhead import UnderPlayhead
from juxtanote.core.checks.difficulty import difficulty_of, hardest
from juxtanote.core.checks.findings import Finding
from juxtanote.core.score.lesson import Phrase
from juxtanote.core.score.note import SLURS, Note
from juxtanote.core.score.sounding import sounding_midi
from juxtanote.core.theory.pitch import pitch_name

LEFT, RIGHT = 44, 16  # pixels beside the picture, for names and numbers
LOUD_HEIGHT, WAVE_HEIGHT, HARD_HEIGHT = 84, 42, 58  # pixels of the rows under the picture
WORDS_IN = 6.0  # pixels from the line at which the phrase begins
MOST_HARD, LABEL_HEIGHT = 10.0, 18.0  # the top of the difficulty's scale
WAVE_STEP = 2.0  # pixels from one line of a wave to the next


def _with_edges(area: QRectF) -> QRectF:
    """Give an area with room for what stands at its edges."""
    return area.adjusted(-2, -8, 2, 8)


class Layer:
    """A part of the picture that is kept until what it is painted of differs."""

    def __init__(self) -> None:
        self._key: tuple[object, ...] | None = None
        self._picture = QPixmap()

    def forget(self) -> None:
        """Paint it anew when it is wanted next."""
        self._key = None

    def picture(
        self, widget: QWidget, key: tuple[object, ...], paint: Callable[[QPainter], None]
    ) -> QPixmap:
        """Give the picture, as large as a widget, of what a key holds."""
        ratio = widget.devicePixelRatioF()
        key = *key, widget.size(), ratio, colour("paper").name()
        if key != self._key:
            self._key, self._picture = key, QPixmap(widget.size() * ratio)
            self._picture.setDevicePixelRatio(ratio)
            self._picture.fill(Qt.GlobalColor.transparent)
            painter = QPainter(self._picture)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            paint(painter)
            painter.end()
        return self._picture


@dataclass(frozen=True, slots=True)
class Areas:
    """Where things stand: pitch over time, loudness, how hard each bar is, both waves."""

    pitch: QRectF
    loud: QRectF
    hard: QRectF
    waves: QRectF

    @classmethod
    def of(cls, width: int, height: int) -> "Areas":
        """Share out a widget of so many pixels."""
        across = width - LEFT - RIGHT
        rest = LOUD_HEIGHT + HARD_HEIGHT + 2 * WAVE_HEIGHT
        pitch = QRectF(LEFT, 30, across, height - 34 - rest - 44)
        loud = QRectF(LEFT, pitch.bottom() + 30, across, LOUD_HEIGHT - 24)
        hard = QRectF(LEFT, loud.bottom() + 22, across, HARD_HEIGHT - 22)
        return cls(pitch, loud, hard, QRectF(LEFT, hard.bottom() + 14, across, WAVE_HEIGHT))


class GapPicture(UnderPlayhead):
    """Paints the current phrase: what was heard beside what is written."""

    def __init__(
        self, document: Document, transport: Transport, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self._finding: Finding | None = None
        self._differs: list[Finding] = []  # what the second ear found
        self._tab: NDArray[np.float32] | None = None
        self._tab_rate = 44_100
        self.setMinimumSize(420, 400)
        self.setAccessibleName("Heard over written")
        self._notes, self._marks, self._hard, self._waves = (Layer() for _ in range(4))
        transport.moved.connect(self._on_moved)
        transport.settings_changed.connect(self._on_speed)
        self._speed = transport.speed

    def show_tab(self, audio: NDArray[np.float32] | None, sample_rate: int) -> None:
        """Show the rendered tab's waveform."""
        self._tab, self._tab_rate = audio, sample_rate
        self.forget_waves()

    def forget_waves(self) -> None:
        """Paint both waves anew: there is another sound."""
        self._waves.forget()
        self.update()

    def _on_moved(self, _: float) -> None:
        if self.isVisible():
            self.move_playhead()

    def _on_speed(self) -> None:
        """How hard it is depends on the speed."""
        if self.isVisible() and self._transport.speed != self._speed:
            self._speed = self._transport.speed
            self.update()

    def show_findings(self, found: list[Finding]) -> None:
        """Show what the second ear found: notes that are missing, and notes that do not sound."""
        differs = [f for f in found if f.complaint is not None]
        if differs != self._differs:
            self._differs = differs
            self.update()

    def show_finding(self, finding: Finding | None) -> None:
        """Mark the notes of one finding."""
        self._finding = finding
        self.update()

    def x_of(self, seconds: float) -> float:
        """Give the pixel of a time in the phrase."""
        phrase = self._document.phrase
        if phrase is None:
            return LEFT
        part = (seconds - phrase.start_s) / (phrase.end_s - phrase.start_s)
        return LEFT + part * (self.width() - LEFT - RIGHT)

    def paint_still(self, painter: QPainter) -> None:
        phrase = self._document.phrase
        if phrase is None:
            painter.setPen(colour("soft"))
            painter.setFont(font(TEXT))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), labels.NO_PHRASE)
            return
        for picture in self._pictures(phrase):
            painter.drawPixmap(0, 0, picture)

    def playhead(self) -> tuple[float, float, float] | None:
        """Give where the phrase plays."""
        x = self.x_of(self._transport.position_s)
        is_seen = self._document.phrase is not None and LEFT <= x <= self.width() - RIGHT
        return (x, 24.0, self.height() - 8.0) if is_seen else None

    def _pictures(self, phrase: Phrase) -> tuple[QPixmap, ...]:
        """Give all but the playhead; each part is painted anew where it shows something else."""
        areas, context = Areas.of(self.width(), self.height()), self._document.context
        plot = self._plot(phrase, areas.pitch)
        # What is waived, checked or said of a phrase is not seen here.
        played = phrase.notes, phrase.start_s, phrase.end_s, context.guitar, plot.low, plot.high

        def notes(painter: QPainter) -> None:
            self._paint_words(painter, areas.pitch, areas.loud)
            self._paint_beats(painter, phrase, areas.pitch.top(), areas.loud.bottom())
            self._paint_pitches(painter, phrase, plot)
            painter.setClipRect(_with_edges(plot.area))
            paint_curves(painter, phrase, context.guitar, plot)
            painter.setClipping(False)
            self._paint_loudness(painter, phrase, areas.loud)

        return (
            self._notes.picture(self, (*played, context.time_map), notes),
            self._marks.picture(
                self,
                (*played, self._finding, tuple(self._differs)),
                lambda painter: self._paint_marks(painter, phrase, plot),
            ),
            self._hard.picture(
                self,
                (*played, context, self._transport.speed),
                lambda painter: self._paint_difficulty(painter, phrase, areas.hard),
            ),
            self._waves.picture(
                self,
                (phrase.start_s, phrase.end_s),
                lambda painter: self._paint_waves(painter, phrase, areas.waves),
            ),
        )

    def _plot(self, phrase: Phrase, area: QRectF) -> Plot:
        """Give room to every pitch, those that are not written too."""
        low, high = pitch_range(phrase, self._document.context.guitar)
        missing = [f.complaint.midi for f in self._differs if f.complaint and f.complaint.midi]
        low = min([low, *(m - 1.5 for m in missing)])
        high = max([high, *(m + 1.5 for m in missing)])
        return Plot(area, phrase.start_s, phrase.end_s, low, high)

    def _paint_marks(self, painter: QPainter, phrase: Phrase, plot: Plot) -> None:
        """Draw what the second ear tells, and boxes around the notes of the chosen finding."""
        guitar = self._document.context.guitar
        painter.setClipRect(_with_edges(plot.area))
        for finding in self._differs:
            self._paint_difference(painter, phrase, finding, plot)
        for note, following in pitched(phrase.notes):
            if self._is_marked(note):
                paint_box(painter, note, curves_of(note, following, guitar, plot), plot)

    def _paint_words(self, painter: QPainter, pitch: QRectF, loud: QRectF) -> None:
        painter.setFont(font(TEXT, 600))
        for word, x, hue in (
            ("heard", LEFT, "heard"),
            ("over", LEFT + 48, "soft"),
            ("written", LEFT + 84, "written"),
        ):
            painter.setPen(colour(hue))
            painter.setFont(font(TEXT, 400 if hue == "soft" else 600))
            painter.drawText(QPointF(x, 16), word)
        painter.setFont(font(SMALL))
        painter.setPen(colour("soft"))
        right = int(Qt.AlignmentFlag.AlignRight)
        painter.drawText(QRectF(LEFT, 5, pitch.width(), 16), right, labels.SHADED)
        painter.drawText(QRectF(LEFT, loud.top() - 22, pitch.width(), 16), right, labels.LOUD_HINT)
        painter.setFont(font(TEXT, 600))
        painter.setPen(colour("ink"))
        painter.drawText(QPointF(LEFT + WORDS_IN, loud.top() - 9), labels.LOUDNESS)

    def _paint_beats(self, painter: QPainter, phrase: Phrase, top: float, bottom: float) -> None:
        for seconds, _, beat in self._document.lesson.time_map.beats_between(
            phrase.start_s, phrase.end_s
        ):
            x = self.x_of(seconds)
            style = Qt.PenStyle.SolidLine if beat == 1 else Qt.PenStyle.DotLine
            painter.setPen(pen("soft" if beat == 1 else "rule", 1.0, style))
            painter.drawLine(QPointF(x, top), QPointF(x, bottom))

    def _paint_pitches(self, painter: QPainter, phrase: Phrase, plot: Plot) -> None:
        """Draw a line at each semitone that has room or is played, with the names of those."""
        used = {round(n.heard.midi) for n in phrase.notes}
        area = plot.area
        painter.setFont(font(SMALL))
        spacing = area.height() / (plot.high - plot.low)
        for midi in range(int(np.ceil(plot.low)), int(plot.high) + 1):
            y = plot.y(midi)
            if midi in used or spacing > 16:
                painter.setPen(pen("rule", 1.0))
                painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            if midi in used and (spacing > 10 or midi % 2 == 0):
                painter.setPen(colour("soft"))
                box = QRectF(0, y - 8, LEFT - 8, 16)
                painter.drawText(
                    box,
                    int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                    pitch_name(midi),
                )

    def _paint_difference(
        self, painter: QPainter, phrase: Phrase, finding: Finding, plot: Plot
    ) -> None:
        """Draw what is not written as an empty bar with a plus; cross out what does not sound."""
        complaint = finding.complaint
        assert complaint is not None
        chosen = self._finding is not None and self._finding.key == finding.key
        painter.setPen(pen("doubt", 2.4 if chosen else 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        note = phrase.note(complaint.row) if complaint.row is not None else None
        if complaint.midi is not None:
            x, y = self.x_of(complaint.onset_s), plot.y(complaint.midi)
            end = max(self.x_of(complaint.onset_s + 0.2), x + 16.0)
            painter.drawRoundedRect(QRectF(x, y - 5, end - x, 10), 5, 5)
            for across, down in ((3.5, 0.0), (0.0, 3.5)):
                middle = QPointF(x + 8, y)
                step = QPointF(across, down)
                painter.drawLine(middle - step, middle + step)
        elif complaint.kind == "extra" and note is not None:
            x = self.x_of(note.onset_s) + 4
            y = plot.y(sounding_midi(note, self._document.context.guitar))
            painter.drawLine(QPointF(x - 5, y - 5), QPointF(x + 5, y + 5))
            painter.drawLine(QPointF(x - 5, y + 5), QPointF(x + 5, y - 5))

    def _is_marked(self, note: Note) -> bool:
        """Tell whether the chosen finding is about a note, and not about one that is not written."""
        finding = self._finding
        if finding is None or note.ident not in finding.notes:
            return False
        return finding.complaint is None or finding.complaint.row is not None

    def _paint_loudness(self, painter: QPainter, phrase: Phrase, area: QRectF) -> None:
        painter.setPen(pen("rule", 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        picked = [
            n.heard.level_db for n in phrase.notes if not n.written.techniques & (SLURS | {"dead"})
        ]
        usual = float(np.median(picked)) if picked else -18.0
        for note in phrase.notes:
            part = min(max((note.heard.level_db - usual + 18.0) / 27.0, 0.04), 1.0)
            x = self.x_of(note.onset_s)
            quiet = usual - note.heard.level_db > 6.0
            bar = QRectF(x, area.bottom() - part * area.height(), 7, part * area.height())
            painter.fillRect(bar, colour("doubt" if quiet else "heard"))
            painter.setPen(QPen(colour("written"), 2))
            y = area.bottom() - 18.0 / 27.0 * area.height()
            painter.drawLine(QPointF(x - 3, y), QPointF(x + 10, y))

    def _paint_difficulty(self, painter: QPainter, phrase: Phrase, area: QRectF) -> None:
        """Draw a block for each bar, as high as it is hard, with its figure and what makes it so."""
        painter.setFont(font(TEXT, 600))
        painter.setPen(colour("ink"))
        painter.drawText(QPointF(LEFT + WORDS_IN, area.top() - 6), labels.HARD)
        painter.setFont(font(SMALL))
        painter.setPen(colour("soft"))
        hint = QRectF(LEFT, area.top() - 19, area.width(), 16)
        painter.drawText(hint, int(Qt.AlignmentFlag.AlignRight), labels.HARD_HINT)
        painter.setPen(pen("rule", 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        bars = difficulty_of(phrase, self._document.context, self._transport.speed)
        worst = hardest(bars)
        for bar in bars:
            left, right = self.x_of(bar.start_s), self.x_of(bar.end_s)
            high = max(bar.figure / MOST_HARD * area.height(), 1.5)
            block = QRectF(left + 1, area.bottom() - high, right - left - 2, high)
            painter.fillRect(block, colour("doubt" if bar in worst else "soft", 90))
            words = f"{bar.figure:g}"
            if bar.shares:
                longer = f"{words}  {labels.SHORT_DEMANDS[bar.shares[0].demand]}"
                fits = painter.fontMetrics().horizontalAdvance(longer) < block.width() - 8
                words = longer if fits else words
            painter.setPen(colour("ink"))
            inside = high > LABEL_HEIGHT
            y = area.bottom() - (5.0 if inside else high + 4.0)
            painter.drawText(QPointF(left + 6, y), words)

    def _paint_waves(self, painter: QPainter, phrase: Phrase, area: QRectF) -> None:
        for row, (name, hue) in enumerate(((labels.RECORDING, "heard"), (labels.TAB, "written"))):
            box = QRectF(area.left(), area.top() + row * WAVE_HEIGHT, area.width(), WAVE_HEIGHT - 8)
            painter.setPen(colour(hue))
            painter.setFont(font(SMALL + 1, 600))
            width = painter.fontMetrics().horizontalAdvance(name)
            painter.drawText(QPointF(area.right() - width, box.top() + 2), name)
            low, high = self._peaks(row, phrase, max(int(box.width() / WAVE_STEP), 1))
            top = max(float(np.max(np.abs([low, high]))), 1e-3)
            painter.setPen(QPen(colour(hue, 95), WAVE_STEP))
            scale, middle = 0.5 * box.height() / top, box.center().y()
            left = box.left() + WAVE_STEP * np.arange(len(low))
            ends = left, middle - high * scale, left, middle - low * scale + 1.0
            lines = list(map(QLineF, *(part.tolist() for part in ends)))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            painter.drawLines(lines)  # type: ignore[call-overload]
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    def _peaks(
        self, row: int, phrase: Phrase, columns: int
    ) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        none = np.zeros(columns, dtype=np.float32)
        if row == 0:
            peaks = self._document.peaks
            if peaks is None:
                return none, none
            found = peaks.between(phrase.start_s, phrase.end_s, columns)
            return found[0], found[1]
        if self._tab is None:
            return none, none
        count = int((phrase.end_s - phrase.start_s) * self._tab_rate)
        part = np.pad(self._tab[:count], (0, max(count - len(self._tab), 0)))
        usable = len(part) // columns * columns
        blocks = (
            part[:usable].reshape(columns, -1) if usable else np.zeros((columns, 1), np.float32)
        )
        return blocks.min(axis=1), blocks.max(axis=1)

"""The strip: the recording as peaks with its phrases; on the Hear desk it zooms and is cut."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPixmap,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from juxtanote.app.document import Change, Document
from juxtanote.app.look.theme import SMALL, colour, font, pen, px
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.names import PhraseNames, Shown, label_height
from juxtanote.app.widgets.under_playhead import UnderPlayhead
from juxtanote.app.widgets.wave import WavePictures
from juxtanote.core.later import np
from juxtanote.core.score import edits
from juxtanote.core.score.kept import Spot
from juxtanote.core.score.timing import change_time_map

EDGE_PIXELS = 5  # so near to an edge the mouse takes hold of it
BEAT_ZONE = 13  # pixels above the bottom where beats are dragged
SHORTEST_VIEW_SAMPLES = 24  # of the peaks: zoomed in further there is nothing to see
DRAG_STARTS = 4  # pixels: less is a click with an unsteady hand


class Strip(UnderPlayhead):
    """Shows a stretch of the recording; `detailed` adds beats, zooming and cutting."""

    line_width = 1.6

    view_changed = pyqtSignal(float, float)  # start and end of what is shown, seconds
    play_here = pyqtSignal(float)

    def __init__(
        self,
        document: Document,
        transport: Transport,
        parent: QWidget | None = None,
        *,
        detailed: bool = False,
    ) -> None:
        super().__init__(parent)
        self._document, self._transport, self._detailed = document, transport, detailed
        self._start_s, self._end_s = 0.0, 1.0
        self._dragging = ""
        self._drag_from = 0.0
        self._beat = -1
        self._lead: tuple[tuple[float, float], ...] = ()
        self._cut: tuple[float, float] | None = None
        self._mark_s: float | None = None  # where a phrase that is cut by keys begins
        self._merge = -1
        self._wave = WavePictures()
        self._names = PhraseNames()
        self.setMinimumHeight(150 if detailed else 62)
        self.setMouseTracking(True)
        self.setAccessibleName("Recording")
        if detailed:
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            self.setToolTip(
                "Drag to cut a phrase, or a beat mark to move it. Wheel zooms, with Shift moves along."
            )
        document.sound_changed.connect(self.show_all)
        self._repeats: dict[int, str] = {}
        document.lesson_changed.connect(self._on_lesson_changed)
        document.phrase_changed.connect(self._on_phrase_changed)
        document.kept_changed.connect(self._on_kept_changed)
        self._spots: tuple[Spot, ...] = ()
        transport.moved.connect(self._on_moved)

    def _on_lesson_changed(self, change: Change) -> None:
        if change.phrases or change.time or change.about or change.whole:
            self.update()

    def _on_kept_changed(self) -> None:
        if self._spots is not self._document.lesson.kept.spots:  # else a pass was logged
            self._spots = self._document.lesson.kept.spots
            self.update()

    def _on_phrase_changed(self) -> None:
        phrase = self._document.phrase
        follows = self._detailed and not self._transport.is_left_alone
        if phrase is not None and follows and self._document.sound is not None:
            inside = self._start_s <= phrase.start_s and phrase.end_s <= self._end_s
            if not inside and self._end_s - self._start_s < self.duration_s - 1e-6:
                length = max(self._end_s - self._start_s, 1.2 * (phrase.end_s - phrase.start_s))
                self.show_stretch(phrase.start_s - 0.1 * length, phrase.start_s + 0.9 * length)
        self.update()

    def show_repeats(self, words: dict[int, str]) -> None:
        """Show beside a phrase's name what it repeats."""
        self._repeats = words
        self.update()

    # View

    @property
    def duration_s(self) -> float:
        """Length of the recording, or of the lesson where its sound is missing."""
        if self._document.sound is not None:
            return self._document.sound.duration_s
        ends = [phrase.end_s for phrase in self._document.lesson.phrases]
        return max([self._document.lesson.recording.duration_s, 1.0, *ends])

    @property
    def view_s(self) -> tuple[float, float]:
        """What is shown."""
        return self._start_s, self._end_s

    def show_all(self) -> None:
        """Show the whole recording."""
        self.show_stretch(0.0, self.duration_s)

    def show_stretch(self, start_s: float, end_s: float) -> None:
        """Show a stretch, down to single samples."""
        rate = self._document.sound.sample_rate if self._document.sound else 44_100
        length = max(end_s - start_s, SHORTEST_VIEW_SAMPLES / rate)
        length = min(length, self.duration_s)
        start = min(max(start_s, 0.0), self.duration_s - length)
        self._start_s, self._end_s = start, start + length
        self.update()
        self.view_changed.emit(self._start_s, self._end_s)

    def zoom(self, factor: float, around_s: float | None = None) -> None:
        """Zoom in (factor above 1) around a time, the playhead by default."""
        centre = self._transport.position_s if around_s is None else around_s
        if not self._start_s <= centre <= self._end_s:
            centre = 0.5 * (self._start_s + self._end_s)
        length = (self._end_s - self._start_s) / factor
        part = (centre - self._start_s) / (self._end_s - self._start_s)
        self.show_stretch(centre - part * length, centre + (1.0 - part) * length)

    def x_of(self, seconds: float) -> float:
        """Give the pixel of a time."""
        return (seconds - self._start_s) / (self._end_s - self._start_s) * self.width()

    def seconds_at(self, x: float) -> float:
        """Give the time under a pixel."""
        return self._start_s + x / max(self.width(), 1) * (self._end_s - self._start_s)

    def show_lead(self, spans: tuple[tuple[float, float], ...]) -> None:
        """Show where the lead was heard to play, as (start, end) in seconds."""
        self._lead = spans
        self.update()

    # Painting

    def paint_still(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), colour("panel"))
        area = QRectF(0, label_height() + 4, self.width(), self.height() - label_height() - 10)
        if self._document.sound is None:
            self._paint_empty(painter, area)
        self._paint_phrases(painter, area)
        painter.drawPixmap(0, 0, self._wave_picture(area))
        self._paint_spots(painter, area)
        if self._detailed:
            self._paint_lead(painter, area)
            if self._document.sound is not None or self._document.lesson.phrases:
                self._paint_beats(painter, area)  # of a lesson that is empty they would say nothing
        if self._mark_s is not None:
            painter.setPen(pen("written", 1.6, Qt.PenStyle.DashLine))
            at = self.x_of(self._mark_s)
            painter.drawLine(QPointF(at, 2), QPointF(at, self.height() - 3))
        if self._cut is not None:
            left, right = sorted(self.x_of(s) for s in self._cut)
            painter.fillRect(
                QRectF(left, area.top(), right - left, area.height()), colour("written", 45)
            )
        if self.hasFocus():
            painter.setPen(pen("ink", 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def playhead(self) -> tuple[float, float, float]:
        """Give where the recording plays."""
        return self.x_of(self._transport.position_s), 2.0, self.height() - 3.0

    def _paint_empty(self, painter: QPainter, area: QRectF) -> None:
        painter.setPen(colour("soft"))
        painter.setFont(font(SMALL + 1))
        words = "No recording yet. Press Ctrl+O to open one, or drop a sound file here."
        if self._document.lesson.recording.path:
            words = "The recording of this lesson is missing. Open it again with Ctrl+O."
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, words)

    def _wave_picture(self, area: QRectF) -> QPixmap:
        phrase = self._document.phrase
        chosen = (phrase.start_s, phrase.end_s) if phrase is not None else None
        view = self._start_s, self._end_s
        surface = self.size(), self.devicePixelRatioF()
        return self._wave.picture(surface, area, self._document.peaks, view, chosen)

    def _paint_phrases(self, painter: QPainter, area: QRectF) -> None:
        lesson, here = self._document.lesson, self._document.phrase
        shown = Shown(
            lesson.phrases, self._repeats, self.view_s, self.size(), self.devicePixelRatioF()
        )
        chosen = lesson.source_of(here.ident) if here is not None else None
        self._names.paint(painter, area, shown, chosen)

    def _paint_spots(self, painter: QPainter, area: QRectF) -> None:
        """Draw where the current phrase is marked to be practised from."""
        phrase = self._document.phrase
        painter.setPen(pen("ink", 1.4, Qt.PenStyle.DotLine))
        for spot in self._document.lesson.kept.spots:
            if phrase is not None and spot.phrase == phrase.ident:
                at = self.x_of(spot.at_s)
                painter.drawLine(QPointF(at, area.top()), QPointF(at, area.bottom()))

    def _paint_lead(self, painter: QPainter, area: QRectF) -> None:
        """Underline where the lead plays."""
        for start_s, end_s in self._lead:
            left, right = self.x_of(start_s), self.x_of(end_s)
            if right >= 0 and left <= self.width():
                painter.fillRect(
                    QRectF(left, area.top() + 1, right - left, 3), colour("heard", 170)
                )

    def _paint_beats(self, painter: QPainter, area: QRectF) -> None:
        lesson = self._document.lesson
        time_map = lesson.time_map
        count = float(np.ptp(time_map.to_beats([self._start_s, self._end_s])))
        width = self.width() / max(count, 1.0)  # of a beat, in pixels
        per_bar, chords = time_map.beats_per_bar, dict(lesson.chords)
        painter.setFont(font(SMALL))
        every = self._numbered_every(width * per_bar)
        if width >= 7:
            rows = time_map.beats_between(self._start_s, self._end_s)
        else:  # bars alone; where they would be a grey, those with a number
            rows = self._bars(1 if width * per_bar >= 4 else every)
        free = -1e9
        for seconds, bar, beat in rows:
            x, first = self.x_of(seconds), beat == 1
            painter.setPen(pen("soft" if first else "rule", 1.2 if first else 1.0))
            painter.drawLine(
                QPointF(x, area.bottom() - (12 if first else 6)), QPointF(x, area.bottom())
            )
            if first and bar >= 1 and (bar - 1) % every == 0 and x >= free:
                painter.setPen(colour("soft"))
                painter.drawText(QPointF(x + 3, area.bottom() - 2), str(bar))
                free = x + 9 + painter.fontMetrics().horizontalAdvance(str(bar))
            if first and bar in chords and width * per_bar > px(34):
                painter.setPen(colour("ink"))
                room = int(width * per_bar) - 4
                shown = painter.fontMetrics().elidedText(
                    chords[bar], Qt.TextElideMode.ElideRight, room
                )
                painter.drawText(QPointF(x + 3, area.bottom() - 2 - px(12)), shown)

    @staticmethod
    def _numbered_every(bar_width: float) -> int:
        """Give how many bars apart numbers have room."""
        return next((step for step in (1, 2, 4, 8, 16, 32, 64) if step * bar_width > px(30)), 128)

    def _bars(self, every: int) -> list[tuple[float, int, int]]:
        time_map = self._document.lesson.time_map
        per_bar = time_map.beats_per_bar
        first, last = (float(b) / per_bar for b in time_map.to_beats([self._start_s, self._end_s]))
        bars = np.arange(int(np.floor(first / every)) * every, int(last) + 1, every)
        times = time_map.to_seconds(bars * per_bar)
        return [(float(t), int(bar) + 1, 1) for t, bar in zip(times, bars, strict=True)]

    # Mouse

    def _edge_at(self, x: float) -> str:
        """Tell whether an edge of the current phrase is under a pixel."""
        phrase = self._document.phrase
        if phrase is None or not self._detailed:
            return ""
        if abs(self.x_of(phrase.start_s) - x) <= EDGE_PIXELS:
            return "start"
        return "end" if abs(self.x_of(phrase.end_s) - x) <= EDGE_PIXELS else ""

    def _beat_at(self, x: float, y: float) -> int:
        """Give the index of the beat whose mark is under a point, or -1."""
        if not self._detailed or y < self.height() - 6 - BEAT_ZONE:
            return -1
        index, seconds = self._document.lesson.time_map.nearest_beat(self.seconds_at(x))
        return index if abs(self.x_of(seconds) - x) <= EDGE_PIXELS else -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        x = event.position().x()
        y = event.position().y()
        self._beat = self._beat_at(x, y)
        self._dragging = "beat" if self._beat >= 0 else self._edge_at(x)
        self._dragging = self._dragging or ("label" if y < label_height() else "new")
        self._drag_from = x
        self._merge = self._document.fresh_merge()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        x = event.position().x()
        over_edge = bool(self._edge_at(x)) or self._dragging in ("start", "end", "beat")
        over_edge = over_edge or self._beat_at(x, event.position().y()) >= 0
        self.setCursor(Qt.CursorShape.SizeHorCursor if over_edge else Qt.CursorShape.ArrowCursor)
        phrase = self._document.phrase
        if self._dragging in ("start", "end") and phrase is not None:
            edge, seconds, ident = self._dragging, self.seconds_at(x), phrase.ident
            self._document.change(
                "Move phrase edge",
                lambda lesson: edits.move_phrase_edge(lesson, ident, edge, seconds),
                merge=self._merge,
            )
        elif self._dragging == "beat" and abs(x - self._drag_from) > 1:
            index, seconds = self._beat, self.seconds_at(x)
            self._document.change(
                "Move beat",
                lambda l: change_time_map(l, lambda m: m.with_beat_at(index, seconds)),
                merge=self._merge,
            )
        elif self._dragging == "new" and self._detailed and abs(x - self._drag_from) > DRAG_STARTS:
            self._cut = (self.seconds_at(self._drag_from), self.seconds_at(x))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._cut is not None:
            start, end = sorted(self._cut)
            self.cut(start, end)
        elif self._dragging in ("new", "label"):
            self._click(self.seconds_at(event.position().x()))
        self._dragging, self._cut = "", None
        self.update()

    def cut_here(self) -> str:
        """Begin a phrase at the playhead, or end the one that was begun; say which."""
        here = self._transport.position_s
        begun, self._mark_s = self._mark_s, None
        self.update()
        if begun is None or here <= begun + 0.05:
            self._mark_s = here
            return "The phrase begins here: go to its end and press C again."
        self.cut(begun, here)
        return "Cut."

    def forget_mark(self) -> None:
        """Give up a phrase that was begun."""
        self._mark_s = None
        self.update()

    def cut(self, start_s: float, end_s: float) -> None:
        """Cut a new phrase and make it current."""
        number = self._document.lesson.fresh_phrase_number()
        self._document.change("Cut phrase", lambda lesson: edits.cut_phrase(lesson, start_s, end_s))
        self._document.choose_phrase(number)

    def _click(self, seconds: float) -> None:
        for phrase in self._document.lesson.phrases:
            if phrase.start_s <= seconds < phrase.end_s:
                self._document.choose_phrase(phrase.ident)
                break
        self._transport.seek(seconds)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.play_here.emit(self.seconds_at(event.position().x()))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or not self._detailed:
            return
        step = event.angleDelta().y() or event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or event.angleDelta().x():
            shift = -step / 120.0 * 0.1 * (self._end_s - self._start_s)
            self.show_stretch(self._start_s + shift, self._end_s + shift)
        else:
            self.zoom(1.25 ** (step / 120.0), self.seconds_at(event.position().x()))
        event.accept()

    # Keys

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = event.key()
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(1.5)
        elif key == Qt.Key.Key_Minus:
            self.zoom(1 / 1.5)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = (-1 if key == Qt.Key.Key_Left else 1) * 0.02 * (self._end_s - self._start_s)
            self._transport.seek(self._transport.position_s + step)
        else:
            super().keyPressEvent(event)

    def _on_moved(self, seconds: float) -> None:
        if (
            self._detailed
            and self._transport.is_playing
            and not self._start_s <= seconds < self._end_s
        ):
            length = self._end_s - self._start_s
            self.show_stretch(seconds - 0.05 * length, seconds + 0.95 * length)
        self.move_playhead()

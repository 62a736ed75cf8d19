"""The sheet: heard, written and counted on one time axis, edited in place."""

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPixmap, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from juxtanote.app.document import Change, Document
from juxtanote.app.look.theme import colour, pen, px, scale
from juxtanote.app.sheet import counted, ground
from juxtanote.app.sheet.geometry import (
    FASTEST_PX,
    LEFT,
    RIGHT,
    SLOWEST_PX,
    Geometry,
    pitch_range,
)
from juxtanote.app.sheet.heard_row import heard_looks, paint_heard, paint_words
from juxtanote.app.sheet.rows import Row, Surface
from juxtanote.app.sheet.scene import Scene, fret_box, note_under, notes_before
from juxtanote.app.sheet.written_row import paint_fret_number, paint_written, shares, written_looks
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.drawn import Drawn
from juxtanote.app.widgets.under_playhead import UnderPlayhead
from juxtanote.core.score import note_edits
from juxtanote.core.score.lesson import Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.theory.tuning import Guitar

FOLLOW_PART = 0.85  # of the width: where the playhead turns the page
EMPTY = "No notes here yet. Press L to listen to this phrase, or N to add a note at the playhead."
NO_PHRASE = "No phrase is cut yet. Go to the Hear desk (F1) and drag over the recording."
READABLE_PX = 15.0  # from number to number at the zoom that a phrase begins with
COUNTED_AFTER_MS = (
    40  # what is counted follows an edit so much later: keys that repeat do not wait for it
)
CLOSEST_FIT = 500.0  # pixels a second that it begins with at most


@dataclass(frozen=True, slots=True)
class _Known:
    phrase: Phrase | None
    guitar: Guitar
    pitches: tuple[float, float]
    before: dict[int, Note]
    loudest_db: float


class Sheet(UnderPlayhead, Drawn):
    """Shows and edits the current phrase."""

    fret_typed = pyqtSignal(int)  # a digit, for the selected notes
    view_changed = pyqtSignal(
        float, float, float
    )  # left edge, shown length, phrase length: seconds

    def __init__(
        self, document: Document, transport: Transport, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self._start_s, self._scale = 0.0, 120.0
        self._changed: frozenset[int] = frozenset()
        self._written = Row(written_looks, paint_written)
        self._counted = Row(counted.counted_looks, counted.paint_counted)
        self._rows = (
            Row(ground.ground_looks, ground.paint_ground),
            Row(heard_looks, paint_heard),
            self._written,
            self._counted,
        )
        self._has_scene = False
        self._are_rows_old, self._size_painted = True, QSize()
        self._view_painted: object = None  # place, phrase and colours of the rows
        self._is_count_due = False
        self._count_later = QTimer(self)
        self._count_later.setSingleShot(True)
        self._count_later.setInterval(COUNTED_AFTER_MS)
        self._count_later.timeout.connect(self._count_now)
        self._marks: QPixmap | None = None  # what hangs on the selection, over them
        self._drag: tuple[int, str] | None = None
        self._rubber: QRectF | None = None
        self._merge = -1
        self._once: _Known | None = None
        self._fits = True  # the zoom is ours; a person who zoomed keeps theirs
        self.shows_others = False
        self.setMinimumSize(px(500), px(370))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Sheet")
        document.lesson_changed.connect(self._on_lesson_changed)
        document.phrase_changed.connect(self.fit)
        document.selection_changed.connect(self._on_selection_changed)
        transport.moved.connect(self._on_moved)

    def sizeHint(self) -> QSize:
        return QSize(px(900), px(560))

    # View

    def geometry_now(self) -> Geometry:
        """Give the layout as it is."""
        low, high = self._known().pitches
        return Geometry(
            self.across, self.down, self._start_s, self._scale, low, high,
            self._document.context.guitar.string_count,
        )  # fmt: skip

    def _known(self) -> "_Known":
        """Give what is worked out once for each phrase, however often it is painted."""
        phrase, guitar = self._document.phrase, self._document.context.guitar
        once = self._once
        if once is None or once.phrase is not phrase or once.guitar is not guitar:
            before = notes_before(phrase) if phrase is not None else {}
            levels = [n.heard.level_db for n in phrase.notes] if phrase is not None else []
            pitches = pitch_range(phrase, guitar)
            once = _Known(phrase, guitar, pitches, before, max(levels, default=-12.0))
            self._once = once
        return once

    def fit(self) -> None:
        """Show the whole phrase, or as much of a long one as stays readable."""
        phrase = self._document.phrase
        if phrase is not None:
            length = phrase.end_s - phrase.start_s + 0.15
            room = max(self.across - LEFT - RIGHT, 100)
            self._scale = min(max(room / length, self._readable(phrase)), FASTEST_PX)
            self._start_s = phrase.start_s - 0.1
            self._fits = True
        self._changed = frozenset()
        self._redraw()

    @staticmethod
    def _readable(phrase: Phrase) -> float:
        """Give the zoom at which numbers of a phrase stand clear of each other, pixels a second."""
        onsets = sorted({round(n.onset_s, 2) for n in phrase.notes})
        gaps = sorted(b - a for a, b in zip(onsets, onsets[1:], strict=False) if b - a > 0.03)
        if not gaps:
            return 60.0
        return min(max(READABLE_PX / gaps[len(gaps) // 10], 60.0), CLOSEST_FIT)

    def zoom(self, factor: float, around_x: float | None = None) -> None:
        """Zoom along time around a pixel."""
        g = self.geometry_now()
        x = 0.5 * (LEFT + self.across) if around_x is None else around_x
        seconds = g.seconds(x)
        self._scale = min(max(self._scale * factor, SLOWEST_PX), FASTEST_PX)
        self._start_s = seconds - (x - LEFT) / self._scale
        self._fits = False
        self._redraw()

    def scroll_to(self, start_s: float) -> None:
        """Show from a time on."""
        self._start_s = start_s
        self._redraw()

    def _redraw(self) -> None:
        self._are_rows_old, self._marks = True, None
        if not self.isVisible():  # painted when it is shown
            return
        phrase = self._document.phrase
        shown = (self.across - LEFT - RIGHT) / self._scale
        length = phrase.end_s - phrase.start_s if phrase else 1.0
        self.view_changed.emit(self._start_s, shown, length)
        self.update()

    def mark_changed(self, idents: frozenset[int]) -> None:
        """Show which notes moved because of the last decision."""
        if idents != self._changed:
            self._changed = idents
            self._marks = None
            self.update()

    # Painting

    def scene(self) -> Scene | None:
        """Give what is to be painted, or None without a phrase."""
        phrase = self._document.phrase
        if phrase is None:
            return None
        return Scene(
            self._document.context, phrase, self.geometry_now(),
            frozenset(self._document.selected), self._changed, self._others(phrase),
            self._known().before, self._known().loudest_db,
        )  # fmt: skip

    def _others(self, phrase: Phrase) -> tuple[Phrase, ...]:
        """Give what other parts play under the phrase, where that is wished."""
        return self._document.lesson.beside(phrase) if self.shows_others else ()

    def paint_still(self, painter: QPainter) -> None:
        if self._are_rows_old or self._size_painted != self.size():
            self._paint_rows()
        if self._marks is None:
            self._marks = self._paint_marks()
        painter.fillRect(self.rect(), colour("paper"))
        for row in self._rows:
            if self._has_scene and row.picture is not None:
                painter.drawPixmap(0, 0, row.picture)
        painter.drawPixmap(0, 0, self._marks)
        painter.scale(scale(), scale())
        if self._rubber is not None:
            painter.setPen(pen("written", 1, Qt.PenStyle.DashLine))
            painter.drawRect(self._rubber)
        if self.hasFocus():
            painter.setPen(pen("rule", 1))
            painter.drawRect(self.area().adjusted(0, 0, -1, -1))

    def playhead(self) -> tuple[float, float, float] | None:
        """Give where the recording plays."""
        x = self.geometry_now().x(self._transport.position_s)
        if not LEFT <= x <= self.across:
            return None
        return x * scale(), 4.0 * scale(), (self.down - 8.0) * scale()

    def _surface(self) -> Surface:
        kind = colour("paper").name(), self.devicePixelRatioF(), self.size()
        return Surface(self._blank, self.painter_on, kind)

    def _blank(self) -> QPixmap:
        ratio = self.devicePixelRatioF()
        picture = QPixmap(self.size() * ratio)
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.transparent)
        return picture

    def _count_now(self) -> None:
        self._are_rows_old = self._is_count_due = True
        self.update()

    def _paint_rows(self) -> None:
        """Paint in each row what differs: a fret that changes leaves the heard row as it is.

        After an edit the counted row follows a moment later; in a view of another place it comes at once.
        """
        self._are_rows_old, self._size_painted = False, self.size()
        scene = self.scene()
        self._has_scene = scene is not None
        if scene is None:
            return
        surface = self._surface()
        view = scene.geometry, scene.phrase.ident, surface.kind
        is_edit = view == self._view_painted and not self._is_count_due
        self._view_painted, self._is_count_due = view, False
        for row in self._rows:
            if row is self._counted and is_edit and row.picture is not None:
                if not self._count_later.isActive() and row.is_old(scene, surface):
                    self._count_later.start()
            elif row.refresh(scene, surface):
                self._marks = None

    def _paint_marks(self) -> QPixmap:
        """Paint over the rows what hangs on the selection: boxes, and what was measured of notes."""
        picture = self._blank()
        scene = self.scene()
        if scene is None:
            return picture
        painter = self.painter_on(picture)
        ground.keep_off_names(painter, scene.geometry)
        notes = scene.visible()
        for note in notes:
            paint_words(painter, scene, note, notes)
        share = shares(self._written.looks)
        for note in notes:
            if note.ident in scene.selected or note.ident in scene.changed:
                paint_fret_number(painter, scene, note, share.get(note.ident, 1.0), marked=True)
        if scene.selected:
            counted.paint_how_late(painter, scene, notes)
        painter.end()
        return picture

    # Mouse

    def note_at(self, position: QPointF) -> tuple[Note, str] | None:
        """Find the note under a point, and whether its onset, its end or the whole of it is meant."""
        scene = self.scene()
        if scene is None:
            return None
        return note_under(scene, position)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        found = self.note_at(self.spot_of(event))
        more = event.modifiers() & (
            Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier
        )
        if found is None:
            self._rubber = QRectF(self.spot_of(event), self.spot_of(event))
            if not more:
                self._document.select(())
            return
        note, part = found
        if part in ("onset", "offset"):
            self._drag = (note.ident, part)
            self._merge = self._document.fresh_merge()
        if more:
            chosen = set(self._document.selected) ^ {note.ident}
            self._document.select(tuple(chosen))
        elif note.ident not in self._document.selected:
            self._document.select((note.ident,))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._drag is not None:
            self._drag_edge(self.spot_of(event).x())
        elif self._rubber is not None:
            self._rubber = QRectF(self._rubber.topLeft(), self.spot_of(event))
            self.update()
        else:
            found = self.note_at(self.spot_of(event))
            on_edge = found is not None and found[1] != "note"
            self.setCursor(Qt.CursorShape.SizeHorCursor if on_edge else Qt.CursorShape.ArrowCursor)

    def _drag_edge(self, x: float) -> None:
        phrase = self._document.phrase
        if phrase is None or self._drag is None:
            return
        ident, edge = self._drag
        seconds = self.geometry_now().seconds(x)
        self._document.change(
            "Move note edge",
            lambda lesson: note_edits.move_note_edge(lesson, phrase.ident, ident, edge, seconds),
            merge=self._merge,
        )

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._rubber is not None:
            self._choose_in(self._rubber.normalized(), self.spot_of(event))
        elif event is not None and event.modifiers() == Qt.KeyboardModifier.NoModifier:
            found = self.note_at(self.spot_of(event))
            if found is not None and self._drag is None:
                self._document.select((found[0].ident,))
        self._rubber, self._drag = None, None
        self.update()

    def _choose_in(self, area: QRectF, position: QPointF) -> None:
        scene = self.scene()
        if scene is None:
            return
        if area.width() < 4 and area.height() < 4:
            self._transport.seek(max(scene.geometry.seconds(position.x()), 0.0))
            return
        inside = [n.ident for n in scene.visible() if fret_box(scene, n).intersects(area)]
        self._document.select(tuple({*self._document.selected, *inside}))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        delta = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(1.2 ** (delta.y() / 120.0), self.spot_of(event).x())
        else:
            self.scroll_to(self._start_s - (delta.y() or delta.x()) / 120.0 * 80.0 / self._scale)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        text = event.text()
        plain = event.modifiers() in (
            Qt.KeyboardModifier.NoModifier,
            Qt.KeyboardModifier.KeypadModifier,
        )
        if text.isdigit() and plain and self._document.selected:
            self.fret_typed.emit(int(text))
        else:
            super().keyPressEvent(event)

    # Following

    def empty_words(self) -> str:
        """Say what to do first, "" where there is something to see."""
        phrase = self._document.phrase
        return NO_PHRASE if phrase is None else "" if phrase.notes else EMPTY

    def _on_lesson_changed(self, change: Change) -> None:
        phrase = self._document.phrase
        ident = phrase.ident if phrase is not None else None
        shown = change.touches(ident) or (self.shows_others and bool(change.phrases))
        if not shown:
            return
        if self.isVisible():
            self._update_description()
        if self._fits and phrase is not None and self._once is not None:
            before = self._once.phrase
            if (
                before is not None
                and before.ident == phrase.ident
                and (
                    (before.start_s, before.end_s, bool(before.notes))
                    != (phrase.start_s, phrase.end_s, bool(phrase.notes))
                )
            ):
                self.fit()
                return
        self._redraw()

    def _on_selection_changed(self) -> None:
        notes, before = self._document.selected_notes, self._start_s
        if notes:
            self._bring_into_view(notes[0])
        self._marks = None
        if self.isVisible():
            self._update_description()
        if self._start_s != before:
            self._redraw()
        self.update()

    def _update_description(self) -> None:
        """Tell a screen reader what is selected."""
        notes = self._document.selected_notes
        words = [
            f"string {n.written.string} fret {n.written.fret} {' '.join(sorted(n.written.techniques))}"
            for n in notes[:4]
        ]
        self.setAccessibleDescription("; ".join(words) or "no note selected")

    def _bring_into_view(self, note: Note) -> None:
        g = self.geometry_now()
        if not LEFT + 10 <= g.x(note.onset_s) <= self.across - RIGHT - 30:
            shown = (self.across - LEFT - RIGHT) / self._scale
            self._start_s = note.onset_s - 0.25 * shown

    def _on_moved(self, seconds: float) -> None:
        g = self.geometry_now()
        x = g.x(seconds)
        if not self.isVisible():
            return
        if self._transport.is_playing and (x > self.across * FOLLOW_PART or x < LEFT):
            phrase = self._document.phrase
            if phrase is not None and phrase.start_s <= seconds <= phrase.end_s:
                shown = (self.across - LEFT - RIGHT) / self._scale
                if shown < phrase.end_s - phrase.start_s:
                    self.scroll_to(max(seconds - 0.1 * shown, phrase.start_s - 0.1))
        self.move_playhead()

    def resizeEvent(self, event: object) -> None:
        if self._fits:
            self.fit()
        else:
            self._redraw()

    def showEvent(self, event: object) -> None:
        self._redraw()

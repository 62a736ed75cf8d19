"""A take that was recorded: what is said of it, and its spots to loop."""

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QWidget,
)

from juxtanote.app.look.theme import SMALL, colour, font, pen, px
from juxtanote.app.practise import labels
from juxtanote.app.practise.history import told
from juxtanote.app.settings import LATENCY_MS, MICROPHONE
from juxtanote.app.widgets.parts import Panel, soft, strong

if TYPE_CHECKING:
    from juxtanote.core.practice.takes import Compared
    from juxtanote.core.score.kept import TakeEntry

AROUND_S = 0.6  # played before and after the spot that loops
SLOWER = 0.1  # of the speed of the take: what it shows to be safe
SLOWEST = 0.25  # of the recording's speed
CLIPPED, SHOWN_DB = 0.99, 54.0  # full scale, and how far down the meter reaches in dB


class LevelMeter(QWidget):
    """A bar as long as what comes in is loud; it says where that is too loud."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._level, self._peak = 0.0, 0.0
        self.setFixedHeight(px(14))
        self.setAccessibleName(labels.LEVEL)

    def show_level(self, level: float) -> None:
        """Show the largest sample of the last moment; the peak falls slowly."""
        self._level, self._peak = level, max(level, 0.94 * self._peak)
        self.setAccessibleDescription(labels.CLIPPING if self._peak >= CLIPPED else f"{level:.2f}")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        room = QRectF(self.rect()).adjusted(0, 4, -px(64), -4)
        painter.fillRect(room, colour("rule", 110))

        def along(level: float) -> float:
            decibels = 20.0 * math.log10(max(level, 1e-4))
            return room.width() * min(max(1.0 + decibels / SHOWN_DB, 0.0), 1.0)

        hue = "doubt" if self._peak >= CLIPPED else "heard"
        painter.fillRect(
            QRectF(room.left(), room.top(), along(self._level), room.height()), colour(hue)
        )
        painter.setPen(pen(hue, 2))
        at = room.left() + along(self._peak)
        painter.drawLine(QPointF(at, room.top() - 2), QPointF(at, room.bottom() + 2))
        if self._peak >= CLIPPED:
            painter.setFont(font(SMALL))
            painter.drawText(QPointF(room.right() + 8, room.bottom() + 2), labels.CLIPPING)


class TakePanel(Panel):
    """Asks for a take of the phrase, and shows what was heard in it."""

    wanted = pyqtSignal()
    record_toggled = pyqtSignal()
    measure_wanted = pyqtSignal()
    play_wanted = pyqtSignal(object)  # TakeEntry
    forget_wanted = pyqtSignal(object)
    spot_wanted = pyqtSignal(float, float, float)  # start, end, speed

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.button, self.record = QPushButton(labels.COMPARE), QPushButton(labels.RECORD)
        self.words = soft(labels.NO_TAKE, wrap=True)
        self.spots = QListWidget()
        self.spots.setAccessibleName(labels.SPOTS)
        self._compared: Compared | None = None
        self._takes: tuple[TakeEntry, ...] = ()
        self.meter = LevelMeter()
        self.microphone = QPushButton(labels.MICROPHONE)
        self.microphone_menu = QMenu(self)
        self.microphone.setMenu(self.microphone_menu)
        self.microphone_menu.aboutToShow.connect(self._list_microphones)
        self.measure = QPushButton(labels.MEASURE)
        self.delay = soft(labels.DELAY.format(ms=LATENCY_MS.read()))
        self.takes = QListWidget()
        self.takes.setAccessibleName(labels.TAKES)
        self.play, self.forget = QPushButton(labels.PLAY_TAKE), QPushButton(labels.FORGET_TAKE)
        self.column.addWidget(strong(labels.TAKE))
        self.column.addWidget(self.words)
        self.column.addWidget(self.spots)
        row = QHBoxLayout()
        row.addWidget(self.record)
        row.addWidget(self.button)
        self.column.addLayout(row)
        self.column.addWidget(self.meter)
        under = QHBoxLayout()
        under.addWidget(self.microphone)
        under.addWidget(self.measure)
        under.addWidget(self.delay)
        under.addStretch(1)
        self.column.addLayout(under)
        self.column.addWidget(self.takes)
        foot = QHBoxLayout()
        foot.addWidget(self.play)
        foot.addWidget(self.forget)
        foot.addStretch(1)
        self.column.addLayout(foot)
        self.takes.setFixedHeight(px(76))
        self.spots.hide()
        self.measure.clicked.connect(self.measure_wanted)
        self.play.clicked.connect(lambda: self._with_take(self.play_wanted))
        self.forget.clicked.connect(lambda: self._with_take(self.forget_wanted))
        self.takes.itemActivated.connect(lambda _: self._with_take(self.play_wanted))
        self.takes.currentRowChanged.connect(lambda _: self._show_buttons())
        self.show_takes(())
        self.record.clicked.connect(self.record_toggled)
        self.button.clicked.connect(self.wanted)
        self.spots.itemActivated.connect(self._on_spot)

    def show_compared(self, compared: "Compared | None", name: str = "") -> None:
        """Show what was heard in a take; None where there is none of this phrase."""
        self._compared = compared
        self.spots.clear()
        self.spots.setVisible(compared is not None and bool(compared.findings))
        if compared is None:
            self.words.setText(labels.NO_TAKE)
            return
        self.words.setText(f"{name}: {compared.summary}")
        for found in compared.findings:
            late = labels.KINDS.get(found.kind, found.kind)
            item = QListWidgetItem(f"{late}: {found.detail}")
            item.setData(Qt.ItemDataRole.UserRole, found.onset_s)
            item.setToolTip(labels.LOOP_SPOT)
            self.spots.addItem(item)
        if compared.findings:
            self.spots.setCurrentRow(0)

    def show_takes(self, takes: "tuple[TakeEntry, ...]") -> None:
        """List takes of the phrase, the latest first."""
        self._takes = tuple(reversed(takes))
        self.takes.clear()
        for take in self._takes:
            self.takes.addItem(told(take))
        for widget in (self.takes, self.play, self.forget):
            widget.setVisible(bool(takes))
        if takes:
            self.takes.setCurrentRow(0)
        self._show_buttons()

    def _show_buttons(self) -> None:
        take = self.take
        has_file = take is not None and bool(take.file)
        self.play.setEnabled(has_file)
        self.play.setToolTip("" if has_file else labels.NO_FILE)

    @property
    def take(self) -> "TakeEntry | None":
        """The take that is chosen."""
        row = self.takes.currentRow()
        return self._takes[row] if 0 <= row < len(self._takes) else None

    def _with_take(self, wanted) -> None:  # type: ignore[no-untyped-def]
        if self.take is not None:
            wanted.emit(self.take)

    def show_latency(self, milliseconds: float) -> None:
        """Show how long sound takes out and in."""
        self.delay.setText(labels.DELAY.format(ms=milliseconds))

    def _list_microphones(self) -> None:
        """Name them when they are asked for: looking takes a moment."""
        from juxtanote.app.transport.devices import microphones

        self.microphone_menu.clear()
        for name in ("", *microphones()):
            action = self.microphone_menu.addAction(name or labels.DEFAULT_MICROPHONE)
            if action is not None:
                action.setCheckable(True)
                action.setChecked(name == MICROPHONE.read())
                action.triggered.connect(lambda _=False, name=name: MICROPHONE.write(name))

    def show_recording(self, on: bool) -> None:
        """Show whether a take is recorded now."""
        self.record.setText(labels.END if on else labels.RECORD)

    def _on_spot(self, item: QListWidgetItem) -> None:
        if self._compared is None:
            return
        at = float(item.data(Qt.ItemDataRole.UserRole))
        speed = max(self._compared.speed - SLOWER, SLOWEST)
        self.spot_wanted.emit(max(at - AROUND_S, 0.0), at + AROUND_S, round(speed, 2))

"""The bar under every desk: play, loop, speed, balance, count-in, click, level."""

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import (
    QAbstractButton,
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.document import Change, Document
from juxtanote.app.look.theme import MIDDLE, SMALL, colour, font, pen, px
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.slider import LineSlider
from juxtanote.core.score.kept import FASTEST, SLOWEST


class PlayButton(QAbstractButton):
    """A triangle, or two bars while playing."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setCheckable(True)
        self.setAccessibleName("Play")
        self.setToolTip("Play or pause (Space)")

    def sizeHint(self) -> QSize:
        return QSize(44, 44)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(colour("ink" if self.isEnabled() else "rule"))
        painter.setPen(Qt.PenStyle.NoPen)
        if self.isChecked():
            painter.drawRoundedRect(12, 10, 8, 24, 2, 2)
            painter.drawRoundedRect(25, 10, 8, 24, 2, 2)
        else:
            corners = [QPointF(12, 8), QPointF(12, 36), QPointF(37, 22)]
            painter.drawPolygon(QPolygonF(corners))
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(pen("rule", 1.5))
            painter.drawRoundedRect(1, 1, 42, 42, 6, 6)


class TransportBar(QWidget):
    """Shows and steers the transport."""

    def __init__(
        self, document: Document, transport: Transport, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self.setAutoFillBackground(False)
        self.setFixedHeight(px(80))
        self.play = PlayButton()
        self.loop = QCheckBox("loop")
        self.loop.setToolTip("Loop the phrase (O)")
        self._what, self._passes = _value(""), _small("")
        self.speed = LineSlider(
            SLOWEST, FASTEST, 1.0, name="Speed", step=0.05,
            marks=tuple((v, f"{100 * v:.0f}") for v in (0.25, 0.5, 0.75, 1.0, 1.25)),
        )  # fmt: skip
        self._speed_value = _value("100 %")
        self.balance = LineSlider(
            -1.0, 1.0, 0.0, name="Balance of recording and tab", step=0.1, filled="",
            marks=((0.0, "both"),),
        )  # fmt: skip
        self.level = LineSlider(
            0.0, 1.0, transport.level, name="Level", filled="heard", ceiling=0.94,
            marks=((0.94, "ceiling"),),
        )  # fmt: skip
        self.count_in = QSpinBox()
        self.count_in.setRange(0, 16)
        self.count_in.setSuffix(" beats")
        self.count_in.setAccessibleName("Count-in")
        self.click = QCheckBox("click")
        self.click.setToolTip("Click on every beat (K)")
        self._clock = _value("0:00.0")
        self._lay_out()
        self.play.clicked.connect(transport.toggle)
        self.loop.toggled.connect(self._on_loop)
        self.speed.changed.connect(transport.set_speed)
        self.balance.changed.connect(transport.set_balance)
        self.level.changed.connect(transport.set_level)
        self.count_in.valueChanged.connect(transport.set_count_in)
        self.click.toggled.connect(transport.set_click)
        transport.playing_changed.connect(self._on_playing)
        transport.settings_changed.connect(self.refresh)
        transport.moved.connect(self._on_moved)
        transport.pass_ended.connect(self.refresh)
        document.phrase_changed.connect(self.refresh)
        document.lesson_changed.connect(self._on_lesson_changed)
        document.sound_changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(22, 8, 20, 2)
        row.setSpacing(20)
        row.addWidget(self.play)
        row.addLayout(_column(self._what, self._passes))
        row.addLayout(_column(_small("speed"), _beside(self.speed, self._speed_value)), 3)
        names = QHBoxLayout()
        names.addWidget(_small("recording", "heard"))
        names.addStretch(1)
        names.addWidget(_small("tab", "written"))
        row.addLayout(_column(names, self.balance), 3)
        row.addLayout(_column(_small("count-in"), self.count_in))
        row.addLayout(_column(self.loop, self.click))
        row.addLayout(_column(_small("level"), self.level), 2)
        row.addWidget(self._clock)
        self._what.setMinimumWidth(px(100))
        self._clock.setMinimumWidth(px(66))
        self._speed_value.setMinimumWidth(px(48))
        self._clock.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("panel"))
        painter.setPen(pen("rule", 1))
        painter.drawLine(0, 0, self.width(), 0)

    def _on_lesson_changed(self, change: Change) -> None:
        phrase = self._document.phrase
        if change.whole or (phrase is not None and phrase.ident in change.phrases):
            self.refresh()

    def refresh(self, *_: object) -> None:
        """Show the transport as it is."""
        transport, phrase = self._transport, self._document.phrase
        has_sound = self._document.sound is not None
        self.play.setEnabled(has_sound)
        self.play.setToolTip(
            "Play or pause (Space)" if has_sound else "Open a recording first (Ctrl+O)."
        )
        self.loop.setEnabled(has_sound and phrase is not None)
        looping = transport.loop_s is not None
        name = phrase.name if phrase is not None else ""
        what = name if transport.looped_phrase or not name else f"a part of {name}"
        what = transport.looped_name or what
        text = f"loop {what}" if looping and name else ("no loop" if has_sound else "no recording")
        metrics = self._what.fontMetrics()
        self._what.setText(metrics.elidedText(text, Qt.TextElideMode.ElideRight, px(118)))
        self._what.setToolTip(text)
        done = transport.passes_done
        wanted = phrase.repeats if phrase is not None else 1
        part = f"pass {done + 1}" + (f" of {wanted}" if wanted > 1 and done < wanted else "")
        self._passes.setText(part if looping else "plays to the end")
        self._speed_value.setText(f"{100 * transport.speed:.0f} %")
        for slider, value in (
            (self.speed, transport.speed), (self.balance, transport.balance),
            (self.level, transport.level),
        ):  # fmt: skip
            slider.set_value(value)
        for box, on in ((self.loop, looping), (self.click, transport.clicks)):
            box.blockSignals(True)
            box.setChecked(on)
            box.blockSignals(False)
        self.count_in.blockSignals(True)
        self.count_in.setValue(transport.count_in_beats)
        self.count_in.blockSignals(False)

    def _on_loop(self, on: bool) -> None:
        self._transport.loop_phrase(self._document.phrase if on else None)

    def _on_playing(self, playing: bool) -> None:
        self.play.setChecked(playing)
        self.play.update()

    def _on_moved(self, seconds: float) -> None:
        self._clock.setText(f"{int(seconds // 60)}:{seconds % 60:04.1f}")


def _small(text: str, hue: str = "soft") -> QLabel:
    label = QLabel(text)
    label.setFont(font(SMALL, 500 if hue != "soft" else 400))
    label.setStyleSheet(f"color: {colour(hue).name()};")
    return label


def _value(text: str) -> QLabel:
    label = QLabel(text)
    label.setFont(font(MIDDLE, 600))
    return label


def _column(*parts: QWidget | QHBoxLayout) -> QVBoxLayout:
    column = QVBoxLayout()
    column.setSpacing(3)
    column.addStretch(1)
    for part in parts:
        column.addLayout(part) if isinstance(part, QHBoxLayout) else column.addWidget(part)
    column.addStretch(1)
    return column


def _beside(*parts: QWidget) -> QHBoxLayout:
    row = QHBoxLayout()
    for index, part in enumerate(parts):
        row.addWidget(part, 1 if index == 0 else 0)
    return row

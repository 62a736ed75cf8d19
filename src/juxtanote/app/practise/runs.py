"""How the loop runs: counts, breaths, waiting, where the click falls, and whether the speed follows."""

from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QWidget

from juxtanote.app import settings
from juxtanote.app.practise import labels
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.parts import number_box, soft
from juxtanote.core.audio.clicks import Clicked
from juxtanote.core.practice.climb import rule


class Runs(QWidget):
    """Fields that steer the player; remembered."""

    def __init__(self, transport: Transport, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._player = transport.player
        self.count_each = QCheckBox(labels.COUNT_EACH)
        self.wait_each = QCheckBox(labels.WAIT_EACH)
        self.follows = QCheckBox(labels.FOLLOWS)
        self.breath = number_box(0, 16, 1, settings.BREATH_BEATS.read(), " beats", labels.BREATH)
        self.clicked = QComboBox()
        for where in Clicked:
            self.clicked.addItem(where.value, where)
        self.clicked.setAccessibleName(labels.CLICK_ON)
        self.count_each.setChecked(settings.COUNT_EACH.read())
        self.wait_each.setChecked(settings.WAIT_EACH.read())
        self.follows.setChecked(settings.FOLLOW_TAKES.read())
        self.follows.setToolTip(rule())
        self.clicked.setCurrentIndex(max(self.clicked.findText(settings.CLICKED.read()), 0))
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 4, 0, 4)
        grid.addWidget(self.count_each, 0, 0, 1, 2)
        grid.addWidget(self.wait_each, 0, 2, 1, 2)
        grid.addWidget(soft(labels.BREATH), 1, 0)
        grid.addWidget(self.breath, 1, 1)
        grid.addWidget(soft(labels.CLICK_ON), 1, 2)
        grid.addWidget(self.clicked, 1, 3)
        grid.addWidget(self.follows, 2, 0, 1, 4)
        for box in (self.count_each, self.wait_each, self.follows):
            box.toggled.connect(self._on_changed)
        self.breath.valueChanged.connect(self._on_changed)
        self.clicked.currentIndexChanged.connect(self._on_changed)
        self._on_changed()

    def _on_changed(self, *_: object) -> None:
        player = self._player
        player.counts_each_pass = self.count_each.isChecked()
        player.waits_each_pass = self.wait_each.isChecked()
        player.breath_beats = self.breath.value()
        player.clicked = self.clicked.currentData()
        settings.COUNT_EACH.write(player.counts_each_pass)
        settings.WAIT_EACH.write(player.waits_each_pass)
        settings.BREATH_BEATS.write(player.breath_beats)
        settings.CLICKED.write(player.clicked.value)
        settings.FOLLOW_TAKES.write(self.follows.isChecked())

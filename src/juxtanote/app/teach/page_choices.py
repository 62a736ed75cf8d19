"""How pages are wanted: paper, large print, what stands under the strings, words. Remembered."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QWidget

from juxtanote.app import settings
from juxtanote.app.teach import labels
from juxtanote.core.engrave.line import Rows
from juxtanote.core.engrave.paper import PAPERS
from juxtanote.core.formats.pages import Choices


class PageChoices(QWidget):
    """Fields for `Choices`."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.paper = QComboBox()
        self.paper.addItems(list(PAPERS))
        self.paper.setCurrentText(settings.PAPER.read())
        self.paper.setAccessibleName(labels.PAPER)
        self.boxes = {
            setting: QCheckBox(words)
            for setting, words in (
                (settings.PAGE_LARGE, labels.LARGE), (settings.PAGE_COUNTS, labels.COUNTS),
                (settings.PAGE_STROKES, labels.STROKES), (settings.PAGE_FINGERS, labels.FINGERS),
                (settings.PAGE_WORDS, labels.WORDS), (settings.PAGE_STAFF, labels.STAFF),
                (settings.PAGE_TOGETHER, labels.TOGETHER), (settings.PAGE_FINDINGS, labels.FINDINGS),
            )
        }  # fmt: skip
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        for index, field in enumerate((self.paper, *self.boxes.values())):
            grid.addWidget(field, index // 3, index % 3)
        for setting, box in self.boxes.items():
            box.setChecked(setting.read())
            box.setToolTip(labels.HELP.get(box.text(), ""))
            box.toggled.connect(self._on_changed)
        self.paper.currentTextChanged.connect(self._on_changed)

    def _on_changed(self, *_: object) -> None:
        settings.PAPER.write(self.paper.currentText())
        for setting, box in self.boxes.items():
            setting.write(box.isChecked())
        self.changed.emit()

    def choices(self) -> Choices:
        """Give what is chosen."""
        on = {setting: box.isChecked() for setting, box in self.boxes.items()}
        rows = Rows(
            on[settings.PAGE_COUNTS], on[settings.PAGE_STROKES], on[settings.PAGE_FINGERS],
            on[settings.PAGE_STAFF],
        )  # fmt: skip
        return Choices(
            self.paper.currentText(), on[settings.PAGE_LARGE], rows, on[settings.PAGE_WORDS],
            on[settings.PAGE_TOGETHER], on[settings.PAGE_FINDINGS],
        )  # fmt: skip

"""The window that asks how to hand out; what was chosen is remembered."""

from PyQt6.QtWidgets import QComboBox, QWidget

from juxtanote.app import settings
from juxtanote.app.forms import Form
from juxtanote.app.teach import labels
from juxtanote.app.widgets.parts import number_box
from juxtanote.core.audio.write import SOUND_SUFFIXES
from juxtanote.core.formats.pages import Choices
from juxtanote.core.handing_out import SOURCES, TAB, Wish
from juxtanote.core.score.lesson import Lesson, Phrase

WITH_SPEED = (".html", *SOUND_SUFFIXES)


class HandOutForm(Form):
    """Which format, which phrases, and for sound its speed, count-in and what is heard."""

    def __init__(
        self, lesson: Lesson, phrase: Phrase | None, choices: Choices, has_sound: bool,
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__(labels.EXPORT, labels.CHOOSE_NAME, parent)
        self._choices = choices
        self._can_share = has_sound and lesson.recording.may_share
        self.format, self.scope, self.source = QComboBox(), QComboBox(), QComboBox()
        for suffix, words in labels.FORMATS.items():
            self.format.addItem(words, suffix)
        self.scope.addItem(labels.EVERYTHING, (0, ""))
        if phrase is not None:
            self.scope.addItem(f"only “{phrase.name}”", (phrase.ident, ""))
        if len(lesson.parts) > 1:
            for part in lesson.parts:
                self.scope.addItem(f"only the part “{part.name}”", (0, part.name))
        for source in SOURCES:
            self.source.addItem(labels.SOURCES[source], source)
        self.speed = number_box(25, 200, 5, 0, " %", labels.SPEED)
        self.count_in = number_box(0, 16, 1, 0, " beats", labels.COUNT_IN)
        for words, field in (
            (labels.FORMAT, self.format), (labels.SCOPE, self.scope), (labels.SPEED, self.speed),
            (labels.COUNT_IN, self.count_in), (labels.SOUND, self.source),
        ):  # fmt: skip
            field.setAccessibleName(words)
            self.rows.addRow(words, field)
        self._recall()
        self.format.currentIndexChanged.connect(self._show)
        self.source.currentIndexChanged.connect(self._show)
        self._show()

    def _recall(self) -> None:
        self.format.setCurrentIndex(max(self.format.findData(settings.HAND_FORMAT.read()), 0))
        self.source.setCurrentIndex(max(self.source.findData(settings.HAND_SOURCE.read()), 0))
        self.speed.setValue(settings.HAND_SPEED.read())
        self.count_in.setValue(settings.HAND_COUNT_IN.read())

    @property
    def suffix(self) -> str:
        """What is written."""
        return str(self.format.currentData())

    def _show(self) -> None:
        """Enable what the format has, and say what will be in the file."""
        heard = self.suffix in WITH_SPEED
        self.speed.setEnabled(heard)
        self.count_in.setEnabled(self.suffix in SOUND_SUFFIXES)
        self.count_in.setToolTip("" if self.count_in.isEnabled() else labels.ONLY_SOUND)
        self.source.setEnabled(heard)
        said = labels.ABOUT[self.suffix]
        if heard and self.source.currentData() != TAB:
            said += " " + (labels.WITH_RECORDING if self._can_share else labels.WITHOUT_RECORDING)
        self.said.setText(said)

    def wish(self) -> Wish:
        """Give what was chosen."""
        ident, part = self.scope.currentData()
        source = str(self.source.currentData())
        return Wish(
            "", part, self.speed.value() / 100.0 if self.speed.isEnabled() else 1.0,
            self.count_in.value() if self.count_in.isEnabled() else 0, source, self._choices, ident,
        )  # fmt: skip

    def try_accept(self) -> None:
        """Remember, and go on."""
        settings.HAND_FORMAT.write(self.suffix)
        settings.HAND_SOURCE.write(str(self.source.currentData()))
        settings.HAND_SPEED.write(self.speed.value())
        settings.HAND_COUNT_IN.write(self.count_in.value())
        self.accept()

"""What every desk is: hidden it does nothing, and shown it is told once what changed meanwhile."""

from dataclasses import dataclass, field

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QWidget

from juxtanote.app.document import EVERYTHING, Change, Document


@dataclass(frozen=True, slots=True)
class News:
    """What a desk has not shown yet."""

    change: Change = field(default_factory=Change)
    phrase: bool = False  # another one is current
    selection: bool = False
    sound: bool = False
    kept: bool = False

    def __or__(self, other: "News") -> "News":
        return News(
            self.change | other.change, self.phrase or other.phrase,
            self.selection or other.selection, self.sound or other.sound, self.kept or other.kept,
        )  # fmt: skip


ALL_NEWS = News(EVERYTHING, True, True, True, True)


class Desk(QWidget):
    """Collects news of the document; `heed` shows them, now or when the desk is shown."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._news: News | None = ALL_NEWS
        document.lesson_changed.connect(self._on_lesson_changed)
        document.phrase_changed.connect(self._on_phrase_changed)
        document.selection_changed.connect(self._on_selection_changed)
        document.sound_changed.connect(self._on_sound_changed)
        document.kept_changed.connect(self._on_kept_changed)

    @property
    def first_focus(self) -> QWidget:
        """What has the keys when the desk is shown: no field, where letters would be text."""
        return self

    def heed(self, news: News) -> None:
        """Show what is new; each desk has its own."""
        raise NotImplementedError

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        news, self._news = self._news, None
        if news is not None:
            self.heed(news)

    def _hear_of(self, news: News) -> None:
        if self.isVisible():
            self.heed(news)
        else:
            self._news = news if self._news is None else self._news | news

    def _on_lesson_changed(self, change: Change) -> None:
        self._hear_of(News(change))

    def _on_phrase_changed(self) -> None:
        self._hear_of(News(phrase=True))

    def _on_selection_changed(self) -> None:
        self._hear_of(News(selection=True))

    def _on_sound_changed(self) -> None:
        self._hear_of(News(sound=True))

    def _on_kept_changed(self) -> None:
        self._hear_of(News(kept=True))

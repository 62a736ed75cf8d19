"""The lesson under the window: every edit passes here, can be undone, and tells the views."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from juxtanote.core.audio.peaks import Peaks
from juxtanote.core.audio.read import Sound
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import Note


class _ReplaceLesson(QUndoCommand):
    """Holds the lesson before and after; steps of one drag merge into one."""

    def __init__(self, document: "Document", after: Lesson, text: str, merge: int) -> None:
        super().__init__(text)
        self._document, self._before, self._after = document, document.lesson, after
        self._merge = merge

    def id(self) -> int:
        return self._merge

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        if not isinstance(other, _ReplaceLesson) or other.id() != self.id() or self._merge < 0:
            return False
        self._after = other._after
        return True

    def redo(self) -> None:
        self._document.show(self._after)

    def undo(self) -> None:
        self._document.show(self._before)


class Document(QObject):
    """One lesson with its sound, its current phrase and the selected notes."""

    lesson_changed = pyqtSignal()
    phrase_changed = pyqtSignal()  # another phrase is current
    selection_changed = pyqtSignal()
    sound_changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.lesson = Lesson()
        self.path: Path | None = None
        self.sound: Sound | None = None
        self.sound_path: Path | None = None
        self.peaks: Peaks | None = None
        self.undo_stack = QUndoStack(self)
        self._phrase_ident: int | None = None
        self._selected: tuple[int, ...] = ()
        self._drag = 0

    # The lesson

    def open(self, lesson: Lesson, path: Path | None) -> None:
        """Take another lesson; its history begins here."""
        self.lesson, self.path = lesson, path
        self.sound, self.peaks, self.sound_path = None, None, None
        self.undo_stack.clear()
        first = lesson.phrases[0].ident if lesson.phrases else None
        self._phrase_ident, self._selected = first, ()
        self.sound_changed.emit()
        self.lesson_changed.emit()
        self.phrase_changed.emit()

    def change(self, text: str, edit: Callable[[Lesson], Lesson], *, merge: int = -1) -> None:
        """Make an edit that can be undone; `text` is what the Edit menu shows after Undo."""
        after = edit(self.lesson)
        if after != self.lesson:
            self.undo_stack.push(_ReplaceLesson(self, after, text, merge))

    def begin_drag(self) -> int:
        """Give a number under which the steps of one drag merge."""
        self._drag += 1
        return self._drag

    def show(self, lesson: Lesson) -> None:
        """Put a lesson before the views (called by the undo stack)."""
        self.lesson = lesson
        if self.phrase is None:
            self._phrase_ident = lesson.phrases[0].ident if lesson.phrases else None
            self.phrase_changed.emit()
        self._selected = tuple(i for i in self._selected if self.note(i) is not None)
        self.lesson_changed.emit()
        self.selection_changed.emit()

    # Phrase and selection

    @property
    def phrase(self) -> Phrase | None:
        """The current phrase."""
        return None if self._phrase_ident is None else self.lesson.phrase(self._phrase_ident)

    def choose_phrase(self, ident: int) -> None:
        """Make a phrase current."""
        if ident != self._phrase_ident and self.lesson.phrase(ident) is not None:
            self._phrase_ident, self._selected = ident, ()
            self.phrase_changed.emit()
            self.selection_changed.emit()

    def step_phrase(self, step: int) -> None:
        """Go to the next or previous phrase."""
        idents = [phrase.ident for phrase in self.lesson.phrases]
        if not idents:
            return
        here = idents.index(self._phrase_ident) if self._phrase_ident in idents else 0
        self.choose_phrase(idents[min(max(here + step, 0), len(idents) - 1)])

    def note(self, ident: int) -> Note | None:
        """Find a note of the current phrase."""
        return None if self.phrase is None else self.phrase.note(ident)

    @property
    def selected(self) -> tuple[int, ...]:
        """Idents of the selected notes, in the order of the phrase."""
        return self._selected

    @property
    def selected_notes(self) -> list[Note]:
        """The selected notes."""
        return [note for i in self._selected if (note := self.note(i)) is not None]

    def select(self, idents: tuple[int, ...]) -> None:
        """Select notes of the current phrase."""
        phrase = self.phrase
        known = tuple(n.ident for n in phrase.notes if n.ident in set(idents)) if phrase else ()
        if known != self._selected:
            self._selected = known
            self.selection_changed.emit()

    def step_selection(self, step: int, *, extend: bool = False) -> None:
        """Select the next or previous note."""
        phrase = self.phrase
        if phrase is None or not phrase.notes:
            return
        idents = [note.ident for note in phrase.notes]
        if not self._selected:
            self.select((idents[0 if step > 0 else -1],))
            return
        edge = self._selected[-1] if step > 0 else self._selected[0]
        new = idents[min(max(idents.index(edge) + step, 0), len(idents) - 1)]
        self.select((*self._selected, new) if extend else (new,))

    # Sound

    def set_sound(self, sound: Sound, peaks: Peaks, path: Path) -> None:
        """Take decoded sound."""
        self.sound, self.peaks, self.sound_path = sound, peaks, path
        self.sound_changed.emit()

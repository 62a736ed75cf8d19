"""The lesson under the window: every edit passes here, can be undone, and says what changed."""

from collections.abc import Callable
from dataclasses import dataclass, fields, replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from juxtanote.core.audio.peaks import Peaks
from juxtanote.core.audio.sound import Sound
from juxtanote.core.score.kept import Kept
from juxtanote.core.score.lesson import Context, Lesson, Phrase
from juxtanote.core.score.note import Note

_ABOUT = (
    "title", "performer", "teacher", "notes", "key", "scale", "feel", "reference_cents", "chords",
    "form_bars", "limits",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Change:
    """What differs between two lessons: a view looks here whether it has anything to do.

    `phrases` are numbers of phrases and variants that came, went or differ.
    """

    whole: bool = False  # another lesson
    phrases: frozenset[int] = frozenset()
    order: bool = False  # which phrases there are, or their order
    time: bool = False
    parts: bool = False
    about: bool = False
    recording: bool = False

    @classmethod
    def between(cls, before: Lesson, after: Lesson) -> "Change":
        """Compare two lessons; values that an edit left alone are the same objects, so this is quick."""
        old, new = _by_ident(before), _by_ident(after)
        differing = {ident for ident, phrase in new.items() if old.get(ident) is not phrase}
        return cls(
            phrases=frozenset(differing | (old.keys() - new.keys())),
            order=list(old) != list(new),
            time=before.time_map is not after.time_map,
            parts=before.parts is not after.parts,
            about=any(getattr(before, name) is not getattr(after, name) for name in _ABOUT),
            recording=before.recording is not after.recording,
        )

    def __or__(self, other: "Change") -> "Change":
        """Give what two changes after each other touch."""
        flags = {
            f.name: getattr(self, f.name) or getattr(other, f.name)
            for f in fields(self)
            if f.name != "phrases"
        }
        return Change(phrases=self.phrases | other.phrases, **flags)

    def touches(self, ident: int | None) -> bool:
        """Whether what is shown of one phrase may differ: it, its time, its guitar or its key."""
        return self.whole or self.time or self.parts or self.about or ident in self.phrases


EVERYTHING = Change(whole=True, order=True, time=True, parts=True, about=True, recording=True)


def _by_ident(lesson: Lesson) -> dict[int, Phrase]:
    return {p.ident: p for phrase in lesson.phrases for p in (phrase, *phrase.variants)}


@dataclass(frozen=True, slots=True)
class Ticket:
    """What a job was started for: which document, which phrase as it was then, at which revision."""

    document: int
    revision: int
    lesson: Lesson
    phrase: Phrase | None


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

    touched = pyqtSignal()  # something is about to change, and views with it
    lesson_changed = pyqtSignal(object)  # Change
    phrase_changed = pyqtSignal()  # another phrase is current
    selection_changed = pyqtSignal()
    sound_changed = pyqtSignal()
    kept_changed = pyqtSignal()  # log, plan
    modified_changed = pyqtSignal()  # whether there is unsaved work

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.lesson = Lesson()
        self.path: Path | None = None
        self.sound: Sound | None = None
        self.sound_path: Path | None = None
        self.peaks: Peaks | None = None
        self.undo_stack = QUndoStack(self)
        self.number = 0  # of the lesson that is open: jobs of another one are dropped
        self.revision = 0
        self._kept_saved = Kept()
        self._phrase_ident: int | None = None
        self._selected: tuple[int, ...] = ()
        self._phrase_known: tuple[Lesson, int, Phrase | None] | None = None
        self._merge = 0
        self.undo_stack.cleanChanged.connect(self._on_clean_changed)

    # The lesson

    def open(self, lesson: Lesson, path: Path | None) -> None:
        """Take another lesson; its history begins here."""
        self.number += 1
        self.revision += 1
        self.lesson, self.path = lesson, path
        self.sound, self.peaks, self.sound_path = None, None, None
        self._kept_saved = lesson.kept
        self.undo_stack.clear()
        kept = lesson.phrase(lesson.kept.phrase) if lesson.kept.phrase else None
        first = lesson.phrases[0].ident if lesson.phrases else None
        self._phrase_ident, self._selected = kept.ident if kept else first, ()
        self.sound_changed.emit()
        self.lesson_changed.emit(EVERYTHING)
        self.phrase_changed.emit()
        self.selection_changed.emit()
        self.kept_changed.emit()
        self.modified_changed.emit()

    def ticket(self, phrase: Phrase | None = None) -> Ticket:
        """Give what a job that starts now is for."""
        return Ticket(self.number, self.revision, self.lesson, phrase)

    def is_open(self, ticket: Ticket) -> bool:
        """Whether the lesson of a ticket is still the one that is open."""
        return ticket.document == self.number

    def change(self, text: str, edit: Callable[[Lesson], Lesson], *, merge: int = -1) -> bool:
        """Make an edit that can be undone; `text` is what the Edit menu shows after Undo.

        Variants that nobody edited follow their phrases. False where nothing changed.
        """
        from juxtanote.core.score.transpose import followed

        self.touched.emit()
        before = self.lesson
        edited = edit(before)
        if edited is before or edited == before:
            return False
        after = replace(followed(before, edited), kept=before.kept)
        self.undo_stack.push(_ReplaceLesson(self, after, text, merge))
        return True

    def fresh_merge(self) -> int:
        """Give a number under which edits that belong together merge into one step."""
        self._merge += 1
        return self._merge

    def show(self, lesson: Lesson) -> None:
        """Put a lesson before the views (called by the undo stack); what is kept stays as it is."""
        self.touched.emit()
        before, self.lesson = self.lesson, replace(lesson, kept=self.lesson.kept)
        self.revision += 1
        gone = self.phrase is None
        if gone:
            near = before.source_of(self._phrase_ident) if self._phrase_ident else None
            self._phrase_ident = self._neighbour_of(near)
        self._selected = tuple(i for i in self._selected if self.note(i) is not None)
        self.lesson_changed.emit(Change.between(before, self.lesson))
        if gone:
            self.phrase_changed.emit()
        self.selection_changed.emit()

    def _neighbour_of(self, gone: Phrase | None) -> int | None:
        """Give the phrase that becomes current when one is taken away: its source, or the nearest."""
        phrases = self.lesson.phrases
        if not phrases:
            return None
        if gone is None:
            return phrases[0].ident
        return min(
            phrases, key=lambda p: (p.ident != gone.ident, abs(p.start_s - gone.start_s))
        ).ident

    # What is kept, outside undo

    def keep(self, kept: Kept) -> None:
        """Replace log, plan or where the person was; no step of undo."""
        if kept != self.lesson.kept:
            self.lesson = replace(self.lesson, kept=kept)
            self.kept_changed.emit()
            self.modified_changed.emit()

    @property
    def is_modified(self) -> bool:
        """Whether there is work that is not saved: edits, practice or another plan."""
        kept, saved = self.lesson.kept, self._kept_saved
        practised = (kept.log, kept.plan, kept.found_at) != (saved.log, saved.plan, saved.found_at)
        return practised or not self.undo_stack.isClean()

    def saved(self, lesson: Lesson, path: Path) -> None:
        """Note that a lesson was written to a file; edits made since are still unsaved."""
        self.path = path
        self._kept_saved = lesson.kept
        if replace(lesson, recording=self.lesson.recording, kept=self.lesson.kept) == self.lesson:
            self.undo_stack.setClean()
        self.modified_changed.emit()

    def _on_clean_changed(self, _: bool) -> None:
        self.modified_changed.emit()

    # Phrase and selection

    @property
    def phrase(self) -> Phrase | None:
        """The current phrase, or the variant of one."""
        if self._phrase_ident is None:
            return None
        known = self._phrase_known  # looked for once: painting asks for it thousands of times
        if known is None or known[0] is not self.lesson or known[1] != self._phrase_ident:
            found = self.lesson.phrase(self._phrase_ident)
            known = self._phrase_known = self.lesson, self._phrase_ident, found
        return known[2]

    @property
    def context(self) -> Context:
        """What the current phrase is read in: guitar, school, key, chords."""
        return self.lesson.context(self.phrase)

    def choose_phrase(self, ident: int) -> None:
        """Make a phrase (or a variant) current."""
        if ident != self._phrase_ident and self.lesson.phrase(ident) is not None:
            self.touched.emit()
            self._phrase_ident, self._selected = ident, ()
            self.phrase_changed.emit()
            self.selection_changed.emit()

    def step_phrase(self, step: int) -> bool:
        """Go to the next or previous phrase; False where there is none."""
        idents = [phrase.ident for phrase in self.lesson.phrases]
        here = self.lesson.source_of(self._phrase_ident) if self._phrase_ident else None
        if here is None:
            return False
        at = min(max(idents.index(here.ident) + step, 0), len(idents) - 1)
        moved = idents[at] != self._phrase_ident
        self.choose_phrase(idents[at])
        return moved

    def note(self, ident: int) -> Note | None:
        """Find a note of the current phrase."""
        phrase = self.phrase
        return None if phrase is None else phrase.note(ident)

    @property
    def selected(self) -> tuple[int, ...]:
        """Idents of the selected notes, in the order of the phrase."""
        return self._selected

    @property
    def selected_notes(self) -> list[Note]:
        """The selected notes."""
        phrase, chosen = self.phrase, set(self._selected)
        return [note for note in phrase.notes if note.ident in chosen] if phrase and chosen else []

    def select(self, idents: tuple[int, ...]) -> None:
        """Select notes of the current phrase."""
        phrase, wanted = self.phrase, set(idents)
        known = tuple(n.ident for n in phrase.notes if n.ident in wanted) if phrase else ()
        if known != self._selected:
            self.touched.emit()
            self._selected = known
            self.selection_changed.emit()

    def step_selection(self, step: int, *, extend: bool = False) -> bool:
        """Select the next or previous note; False where there are no notes."""
        phrase = self.phrase
        if phrase is None or not phrase.notes:
            return False
        idents = [note.ident for note in phrase.notes]
        if not self._selected:
            self.select((idents[0 if step > 0 else -1],))
            return True
        edge = self._selected[-1] if step > 0 else self._selected[0]
        new = idents[min(max(idents.index(edge) + step, 0), len(idents) - 1)]
        self.select((*self._selected, new) if extend else (new,))
        return True

    # Sound

    def set_sound(self, sound: Sound, peaks: Peaks, path: Path) -> None:
        """Take decoded sound."""
        self.sound, self.peaks, self.sound_path = sound, peaks, path
        self.sound_changed.emit()

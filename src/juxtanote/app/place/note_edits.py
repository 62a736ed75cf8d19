"""Every edit of the selected notes: each method makes one step that can be undone."""

from collections.abc import Callable, Iterable

from PyQt6.QtCore import QElapsedTimer, QObject, pyqtSignal

from juxtanote.app.document import Document
from juxtanote.app.placing import Placing
from juxtanote.app.sheet.sheet import Sheet
from juxtanote.app.transport.controller import Transport
from juxtanote.core.score import note_edits, readings
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import FINGERS, STROKES
from juxtanote.core.score.value_edits import change_values

TYPING_MS = 900  # two digits within this are one number


class NoteEdits(QObject):
    """Edits what is selected on the sheet; the window's actions call its methods."""

    told = pyqtSignal(str)

    def __init__(
        self, document: Document, transport: Transport, placing: Placing, sheet: Sheet
    ) -> None:
        super().__init__(sheet)
        self._document, self._transport = document, transport
        self._placing, self._sheet = placing, sheet
        self._typed, self._typing, self._typing_step = "", QElapsedTimer(), -1

    def _edit(
        self,
        text: str,
        edit: Callable[[Lesson, int, Iterable[int]], Lesson],
        *,
        follow: bool = False,
        step: int = -1,
    ) -> bool:
        """Edit the selected notes; with `follow` the unlocked rest is placed around them."""
        phrase, chosen = self._document.phrase, self._document.selected
        if phrase is None or not chosen:
            self.told.emit("Select a note first.")
            return False
        follow = follow or self._placing.is_placing(phrase.ident)
        merge = self._document.fresh_merge() if follow and step < 0 else step
        self._sheet.mark_changed(frozenset())
        changed = self._document.change(text, lambda l: edit(l, phrase.ident, chosen), merge=merge)
        if changed and follow:
            self._placing.around(phrase.ident, text, merge)
        return changed

    def put(self, string: int, fret: int) -> None:
        """Put the selected note on a place; the rest follows."""
        notes = self._document.selected
        if len(notes) == 1:
            self._edit(
                "Place note",
                lambda l, p, ns: note_edits.set_place(l, p, next(iter(ns)), string, fret),
                follow=True,
            )

    def move(self, step: int) -> None:
        """Move the selected notes to the neighbouring string."""
        moved = self._edit(
            "Move to string",
            lambda l, p, ns: note_edits.move_to_neighbour(l, p, ns, step),
            follow=True,
        )
        if not moved:
            side = "thicker" if step > 0 else "thinner"
            self.told.emit(f"The {side} string does not have this pitch.")

    def shift(self, edge: str, by_s: float) -> None:
        """Move onsets or ends of the selected notes in time."""
        what = "Move onset" if edge == "onset" else "Change length"
        self._edit(what, lambda l, p, ns: note_edits.shift_note_edges(l, p, ns, edge, by_s))

    def change_value(self, change: str) -> None:
        """Write the selected notes with another value."""
        if not self._edit("Change value", lambda l, p, ns: change_values(l, p, ns, change)):
            self.told.emit("There is no room for that value before the next note.")

    def octave(self, octaves: int) -> None:
        """Correct the selected notes by an octave."""
        moved = self._edit(
            "Other octave", lambda l, p, ns: note_edits.shift_octave(l, p, ns, octaves), follow=True
        )
        if not moved:
            self.told.emit("This guitar does not have that octave.")

    def type_digit(self, digit: int) -> None:
        """Type a fret: two digits in quick succession make one number, and one step of undo."""
        notes = self._document.selected_notes
        if not notes:
            return
        quick = self._typing.isValid() and self._typing.elapsed() < TYPING_MS
        typed = (self._typed if quick else "") + str(digit)
        if int(typed) > self._document.context.guitar.last_fret:
            typed, quick = str(digit), False
        if not quick:
            self._typing_step = self._document.fresh_merge()
        self._typed = typed
        self._typing.start()
        fret, string = int(typed), notes[0].written.string
        if fret > self._document.context.guitar.last_fret:
            self.told.emit(f"This neck ends at fret {self._document.context.guitar.last_fret}.")
            return
        self._edit(
            "Type fret",
            lambda l, p, ns: note_edits.set_place(l, p, next(iter(ns)), string, fret),
            step=self._typing_step,
        )

    def toggle(self, technique: str) -> None:
        """Toggle a technique of the selected notes, and change nothing else."""
        self._edit(
            f"Toggle {technique}",
            lambda l, p, ns: note_edits.toggle_technique(l, p, ns, technique),
        )

    def widen_bend(self, by: float) -> None:
        """Make a bend wider or narrower by a quarter tone."""
        notes = self._document.selected_notes
        if notes and notes[0].written.techniques & {"bend", "pre-bend"}:
            amount = min(max(notes[0].written.bend_semitones + by, 0.5), 5.0)
            amount = round(amount * 2) / 2
            self._edit(
                "Change bend",
                lambda l, p, ns: note_edits.change_written(
                    l, p, ns, "techniques", bend_semitones=amount
                ),
            )

    def next_finger(self) -> None:
        """Go through the fingers."""
        self._cycle("finger", FINGERS)

    def next_stroke(self) -> None:
        """Go through the strokes."""
        self._cycle("stroke", STROKES)

    def _cycle(self, field: str, values: tuple[str, ...]) -> None:
        notes = self._document.selected_notes
        if notes:
            here = values.index(getattr(notes[0].written, field))
            value = values[(here + 1) % len(values)]
            self._edit(
                f"Change {field}",
                lambda l, p, ns: note_edits.change_written(l, p, ns, field, **{field: value}),
            )

    def delete(self) -> None:
        """Delete the selected notes."""
        self._edit("Delete notes", note_edits.delete_notes)

    def join(self) -> None:
        """Join the selected notes."""
        self._edit("Join notes", note_edits.join_notes)

    def split(self) -> None:
        """Split the selected note at the playhead."""
        here = self._transport.position_s
        self._edit("Split note", lambda l, p, ns: note_edits.split_note(l, p, next(iter(ns)), here))

    def add(self) -> None:
        """Add a note at the playhead, on the string of the selected one."""
        phrase = self._document.phrase
        if phrase is None:
            self.told.emit("Cut a phrase first, on the Hear desk.")
            return
        near = self._document.selected_notes or list(phrase.notes[-1:])
        string, fret = (near[0].written.string, near[0].written.fret) if near else (3, 5)
        here = min(max(self._transport.position_s, phrase.start_s), phrase.end_s - 0.05)
        number = 1 + max((n.ident for n in phrase.notes), default=0)
        self._document.change(
            "Add note", lambda l: note_edits.add_note(l, phrase.ident, here, string, fret)
        )
        self._document.select((number,))

    def take_runner_up(self) -> None:
        """Read the selected note as its runner-up."""
        self._edit(
            "Take other reading",
            lambda l, p, ns: readings.take_runner_up(l, p, next(iter(ns))),
            follow=True,
        )

    def keep(self) -> None:
        """Lock the selected notes as they are."""
        self._edit(
            "Keep notes",
            lambda l, p, ns: note_edits.change_written(
                note_edits.change_written(l, p, ns, "place"), p, ns, "pitch"
            ),
        )

    def unlock(self) -> None:
        """Take the locks off the selected notes."""
        self._edit("Unlock notes", note_edits.unlock_notes)

    def next_doubtful(self) -> None:
        """Go to the next note that should be looked at, in another phrase where none of this is."""
        phrase = self._document.phrase
        doubtful = _doubtful(phrase) if phrase else ()
        if not doubtful and (other := self._next_with_doubtful()):
            self._document.choose_phrase(other.ident)
            self._document.select(_doubtful(other)[:1])
            return
        if not doubtful or phrase is None:
            self.told.emit("No note is doubtful.")
            return
        order = [n.ident for n in phrase.notes]
        here = order.index(self._document.selected[-1]) if self._document.selected else -1
        later = [i for i in doubtful if order.index(i) > here]
        self._document.select(((later or doubtful)[0],))

    def select_doubtful(self) -> None:
        """Select all notes of the phrase that should be looked at: to keep, or to take out."""
        phrase = self._document.phrase
        if phrase is not None:
            self._document.select(_doubtful(phrase))

    def _next_with_doubtful(self) -> Phrase | None:
        """Give the next phrase, from this one on and around, that has doubtful notes."""
        lesson, phrase = self._document.lesson, self._document.phrase
        source = lesson.source_of(phrase.ident) if phrase is not None else None
        at = lesson.phrases.index(source) if source in lesson.phrases else -1
        order = (*lesson.phrases[at + 1 :], *lesson.phrases[: at + 1])
        return next((other for other in order if _doubtful(other)), None)


def _doubtful(phrase: Phrase) -> tuple[int, ...]:
    return tuple(note.ident for note in phrase.notes if note.is_doubtful)

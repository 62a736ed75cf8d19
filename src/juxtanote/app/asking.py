"""What the window asks a person: which file, whether to save, what is known of a phrase or guitar."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QMessageBox

from juxtanote.app.desks import DESK_NAMES
from juxtanote.app.jobs.runner import Job
from juxtanote.app.rescue import Rescue
from juxtanote.core.audio.sound import SUFFIXES
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.names import SUFFIX
from juxtanote.core.progress import Progress
from juxtanote.core.score import edits

if TYPE_CHECKING:
    from juxtanote.app.main_window import MainWindow
    from juxtanote.app.students import Students
    from juxtanote.core.score.lesson import Phrase

SOUND_FILTER = "Sound (" + " ".join(f"*{suffix}" for suffix in SUFFIXES) + ");;All files (*)"
LESSON_FILTER = f"Lessons (*{SUFFIX})"


class Asking:
    """Forms and file choices over the window; what is answered is done as one step."""

    def __init__(self, window: "MainWindow") -> None:
        self._window = window
        self.document, self.files, self.tasks = window.document, window.files, window.tasks
        self._students: Students | None = None

    @property
    def students(self) -> "Students":
        """What goes out to students and comes back."""
        if self._students is None:
            from juxtanote.app.students import Students

            self._students = Students(self._window)
        return self._students

    # Of the lesson

    def listen_again(self) -> None:
        """Ask what the person knows, and listen again to the phrase or the selected notes."""
        from juxtanote.app.forms import HintsForm

        phrase, notes = self.document.phrase, self.document.selected_notes
        if phrase is None:
            return
        form = HintsForm(self.document.context, phrase, len(notes), self._window)
        if form.exec():
            stretch = None
            if form.only_selected.isChecked() and len(notes) > 1:
                stretch = notes[0].onset_s - 0.04, max(n.offset_s for n in notes) + 0.02
            self.tasks.listening.listen(form.hints(), stretch, form.string.currentData())

    def compare_take(self) -> None:
        """Ask for the file of a take."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Compare a take", "", SOUND_FILTER)
        if name:
            self.tasks.compare_take(Path(name))

    def move_phrase(self, *, exercise_of: "Phrase | None" = None) -> None:
        """Ask for a variant of the phrase, and hang it under it.

        `exercise_of` is another one that hangs there, which an exercise is to be made of.
        """
        from juxtanote.app.forms import MoveForm

        phrase = self.document.phrase
        source = self.document.lesson.source_of(phrase.ident) if phrase is not None else None
        varied = exercise_of or source
        if source is None or varied is None or not varied.notes:
            return
        form = MoveForm(self.document.lesson, varied, self._window)
        form.exercise.setChecked(exercise_of is not None)
        if form.exec():
            moved = form.moved()
            self.document.change(
                "Make a variant", lambda l: edits.add_variant(l, source.ident, moved.phrase)
            )
            self.document.choose_phrase(moved.phrase.ident)
            broken = f" {len(moved.problems)} things changed on the way." if moved.problems else ""
            self._window.tell(
                f"{moved.phrase.name} hangs under {source.name}: Shift+PgUp goes back.{broken}"
            )

    def make_harmony(self) -> None:
        """Ask for an interval, and write the phrase that far away for another part."""
        from juxtanote.app.lesson_forms import HarmonyForm

        phrase = self.document.phrase
        if phrase is None:
            return
        form = HarmonyForm(self.document.lesson, phrase, self._window)
        if form.exec() and form.made is not None:
            made = form.made
            self.document.change("Write a harmony", lambda _: made)
            self._window.tell(
                f"The harmony of {phrase.name} is part “{made.parts[-1].name}”: Shift+P shows it behind."
            )

    def split_voices(self) -> None:
        """Sort the voices of the phrase into parts, beside the window's thread."""
        phrase, document = self.document.phrase, self.document
        if phrase is None:
            return
        ticket, lesson, ident = document.ticket(phrase), document.lesson, phrase.ident

        def work(progress: Progress) -> object:
            from juxtanote.core.exercises.voices import split_voices

            try:
                return split_voices(lesson, ident, progress)
            except ValueError as error:
                return str(error)

        def then(made: object) -> None:
            if isinstance(made, str):
                self._window.tell(f"{made[0].upper()}{made[1:]}.")
            elif self._window.results.fits(ticket, "The parts") and document.lesson is lesson:
                document.change("Sort voices into parts", lambda _: made)  # type: ignore[arg-type, return-value]
                self._window.tell("The lower voice is a part of its own: Shift+P shows it behind.")

        self._window.runner.start(Job("Sorting voices", work, then))

    def choose_guitar(self) -> None:
        """Ask which guitar the current part has."""
        from juxtanote.app.forms import GuitarForm

        part = self.document.context.part
        form = GuitarForm(part.guitar, self._window)
        if form.exec() and form.result_guitar != part.guitar:
            self.tasks.long_edits.change_guitar(part.ident, form.result_guitar)

    def choose_parts(self) -> None:
        """Ask which guitars the recording has."""
        from juxtanote.app.lesson_forms import PartsForm

        form = PartsForm(self.document.lesson, self._window)
        if form.exec():
            self.document.change("Change the parts", form.changed)

    def about_lesson(self) -> None:
        """Ask for title, people, key, scale and notes."""
        from juxtanote.app.lesson_forms import AboutForm

        form = AboutForm(self.document.lesson, self._window)
        if form.exec():
            self.document.change("Change what is said of the lesson", form.changed)

    def ask_limits(self) -> None:
        """Ask how strict the findings of this lesson are."""
        from juxtanote.app.lesson_forms import LimitsForm

        form = LimitsForm(self.document.lesson, self._window)
        if form.exec():
            self.document.change("Change how strict findings are", form.changed)

    def save_findings(self) -> None:
        """Ask where the findings of this phrase go, and write them."""
        from juxtanote.core.checks.words import findings_csv

        phrase, found = self.document.phrase, self._window.findings
        if phrase is None or found.phrase is not phrase:
            self._window.tell("The phrase is being checked: try again in a moment.")
            return
        text = findings_csv(found.found, phrase, self.document.lesson)
        self._write_csv("Write findings", f"{phrase.name} findings.csv", text)

    def save_log(self) -> None:
        """Ask where the practice log goes, and write it."""
        from juxtanote.core.practice.log import log_csv

        self._write_csv("Write the log", "practice.csv", log_csv(self.document.lesson))

    def _write_csv(self, title: str, start: str, text: str) -> None:
        from juxtanote.core.audio.write import write_text

        name, _ = QFileDialog.getSaveFileName(self._window, title, start, "CSV (*.csv)")
        if not name:
            return
        path = Path(name if name.lower().endswith(".csv") else f"{name}.csv")
        try:
            write_text(path, text)
        except (OSError, JuxtanoteError) as error:
            self._window.complain(f"“{path.name}” could not be written: {error}")
            return
        self._window.tell(f"Wrote “{path.name}”.")

    # Files

    def ask_recording(self) -> None:
        """Ask for a sound file."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Open recording", "", SOUND_FILTER)
        if name:
            self.when_free(lambda: self.files.open_recording(Path(name)))

    def ask_lesson(self) -> None:
        """Ask for a lesson file."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Open lesson", "", LESSON_FILTER)
        if name:
            self.when_free(lambda: self.files.open_lesson(Path(name)))

    def _keep_place(self) -> None:
        """Note where the person is, to be saved with the lesson."""
        document, phrase = self.document, self.document.phrase
        kept = replace(
            document.lesson.kept, desk=DESK_NAMES[self._window.desk],
            phrase=phrase.ident if phrase is not None else 0,
            position_s=round(max(self._window.transport.position_s, 0.0), 3),
        )  # fmt: skip
        document.lesson = replace(document.lesson, kept=kept)

    def save(self, then: Callable[[bool], None] | None = None) -> None:
        """Save where the lesson came from, or ask; `then` is told whether it is saved."""
        path = self.document.path
        if path is None:
            self.save_as(then)
            return
        self._keep_place()
        self.files.save(path, then)

    def save_as(self, then: Callable[[bool], None] | None = None) -> None:
        """Ask where to save."""
        safe = "".join(
            c if c.isalnum() or c in " -_.,()'" else "-" for c in self.document.lesson.title
        )
        start = f"{safe[:80].strip() or 'lesson'}{SUFFIX}"
        name, _ = QFileDialog.getSaveFileName(self._window, "Save lesson", start, LESSON_FILTER)
        if not name:
            if then is not None:
                then(False)
            return
        path = Path(name)
        self._keep_place()
        self.files.save(path if path.suffix == SUFFIX else path.with_name(path.name + SUFFIX), then)

    def open_recent(self, path: str) -> None:
        """Open a lesson that was open before."""
        self.when_free(lambda: self.files.open_lesson(Path(path)))

    def when_free(self, go_on: Callable[[], None]) -> None:
        """Ask to save unsaved work, and go on once it is saved or given up."""
        if not self.document.is_modified:
            go_on()
            return
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window, "Juxtanote", f"Save changes to “{self.document.lesson.title:.120}”?",
            buttons.Save | buttons.Discard | buttons.Cancel, buttons.Save,
        )  # fmt: skip
        if answer == buttons.Save:
            self.save(lambda saved: go_on() if saved else None)
        elif answer == buttons.Discard:
            self.files.rescue.drop()
            go_on()

    def offer_recovery(self) -> None:
        """After a kill: offer what was left behind."""
        left = Rescue.left_behind()
        if not left:
            return
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window, "Juxtanote", "The last session ended without saving. Recover its work?",
            buttons.Yes | buttons.No, buttons.Yes,
        )  # fmt: skip
        if answer == buttons.Yes:
            self.files.recover(left[0])
        else:
            Rescue.give_up(left[0])

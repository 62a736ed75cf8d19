"""The Place desk: the sheet, the reasons card, and whole placements."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QPushButton,
    QScrollBar,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.document import Document
from juxtanote.app.jobs.runner import JobRunner, Latest
from juxtanote.app.look.theme import TEXT, px
from juxtanote.app.place import labels
from juxtanote.app.place.note_edits import NoteEdits
from juxtanote.app.place.placement_table import PlacementTable
from juxtanote.app.place.reasons_card import ReasonsCard
from juxtanote.app.sheet.sheet import Sheet
from juxtanote.app.tasks import Tasks
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.desk import Desk, News
from juxtanote.app.widgets.neck import Neck
from juxtanote.app.widgets.offer import Offer
from juxtanote.app.widgets.parts import Panel, scrolled, soft, strong
from juxtanote.app.widgets.slider import LineSlider
from juxtanote.core.progress import Progress
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import SCHOOLS, Phrase
from juxtanote.core.score.subdivisions import SUBDIVISIONS

if TYPE_CHECKING:
    from juxtanote.app.place.reading import Reading
    from juxtanote.app.placing import Measured

READ_PAUSE_MS = 90  # after a selection, before its reasons are worked out


class PlaceDesk(Desk):
    """Shows the current phrase: its sheet, its reasons, its whole placements."""

    told = pyqtSignal(str)

    def __init__(
        self,
        document: Document,
        transport: Transport,
        runner: JobRunner,
        tasks: Tasks,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(document, parent)
        self._transport, self._tasks = transport, tasks
        self.sheet = Sheet(document, transport)
        self.notes = NoteEdits(document, transport, tasks.placing, self.sheet)
        self.card, self.neck = ReasonsCard(), Neck()
        self.listen, self.offer = QPushButton(labels.LISTEN), QPushButton(labels.LISTEN)
        for button in (self.listen, self.offer):
            button.setProperty("main", True)
        self._empty = Offer(self.offer)
        self.school = QComboBox()
        self.school.addItems(list(SCHOOLS))
        self.school.setAccessibleName("Picking school")
        self.evenness = LineSlider(
            0.0, 1.0, 1.0, name="From as played to as counted", step=0.1, filled=""
        )
        self.subdivision = QComboBox()
        self.subdivision.addItems(list(SUBDIVISIONS))
        self.subdivision.setAccessibleName("Subdivision of the beat")
        self.placements = PlacementTable()
        self._scroll = QScrollBar(Qt.Orientation.Horizontal)
        self._sentence, self._facts = soft(wrap=True), soft()
        self._placements: list[Measured] = []
        self._placements_school = ""
        self._placements_of: Phrase | None = None
        self._taken = 0
        self._reading = Latest(runner, "Reading the placement", self)
        self._here: tuple[int | None, tuple[int, ...]] = (
            None,
            (),
        )  # phrase and notes that are shown
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(READ_PAUSE_MS)
        self._lay_out()
        self._connect()

    @property
    def first_focus(self) -> QWidget:
        return self.sheet

    def _lay_out(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 10, 20, 10)
        row.setSpacing(16)
        left = QVBoxLayout()
        left.setSpacing(4)
        holder = QWidget()
        stack = QStackedLayout(holder)
        stack.setStackingMode(QStackedLayout.StackingMode.StackAll)
        stack.addWidget(self.sheet)
        stack.addWidget(self._empty)
        left.addWidget(holder, 1)
        left.addWidget(self._scroll)
        foot = QHBoxLayout()
        foot.addWidget(soft(labels.AS_PLAYED))
        self.evenness.setFixedWidth(px(150))
        foot.addWidget(self.evenness)
        foot.addWidget(soft(labels.AS_COUNTED))
        foot.addSpacing(12)
        foot.addWidget(soft(labels.SUBDIVISION))
        foot.addWidget(self.subdivision)
        foot.addStretch(1)
        foot.addWidget(self._facts)
        left.addLayout(foot)
        left.addWidget(self.placements)
        row.addLayout(left, 1)
        panel = Panel()
        panel.setFixedWidth(px(318))
        top = QHBoxLayout()
        top.addWidget(self.listen)
        top.addStretch(1)
        top.addWidget(self.school)
        panel.column.addLayout(top)
        panel.column.addSpacing(6)
        panel.column.addWidget(scrolled(self.card), 1)
        panel.column.addWidget(strong(labels.NECK, TEXT))
        panel.column.addWidget(self.neck)
        panel.column.addWidget(self._sentence)
        panel.column.addWidget(soft(labels.KEYS, 11, wrap=True))
        row.addWidget(panel)

    def _connect(self) -> None:
        self.school.activated.connect(self._on_school)
        self.evenness.changed.connect(self._on_evenness)
        self.subdivision.activated.connect(self._on_subdivision)
        self.notes.told.connect(self.told)
        self.card.place_clicked.connect(self.notes.put)
        self.neck.place_clicked.connect(self.notes.put)
        self.sheet.fret_typed.connect(self.notes.type_digit)
        self.sheet.view_changed.connect(self._on_view)
        self.placements.chosen.connect(self._take_placement)
        self._scroll.valueChanged.connect(self._on_scrolled)
        self._pause.timeout.connect(self._read)
        self._tasks.placing.placed_around.connect(self._on_placed_around)

    # Showing

    def heed(self, news: News) -> None:
        """Show what changed of the current phrase or selection; what takes long follows by itself."""
        phrase = self._document.phrase
        if news.phrase or news.change.whole:
            self._forget_placements()
        if (
            news.phrase
            or news.selection
            or news.sound
            or news.change.touches(phrase.ident if phrase is not None else None)
        ):
            # After an edit the neck comes with the reading of the hand: the sheet is painted first.
            here = phrase.ident if phrase is not None else None, self._document.selected
            self._show_now(with_neck=news.change.whole or here != self._here)
            self._here = here
            self._pause.start()

    def _show_now(self, *, with_neck: bool) -> None:
        """Show at once what needs no working out."""
        phrase, around = self._document.phrase, self._document.context
        self.school.setCurrentText(around.school)
        for part in (self.evenness, self.subdivision):
            part.setEnabled(phrase is not None)
        self._empty.say(self.sheet.empty_words())
        self._empty.setVisible(bool(self.sheet.empty_words()))
        self.offer.setVisible(phrase is not None)
        if self._empty.isVisible():
            self._empty.raise_()
        if phrase is None or not phrase.notes:
            words = "" if phrase is None else "It has no notes yet."
            self.card.show_reasons(
                phrase.name if phrase else labels.NO_NOTE, words or labels.PICK_ONE, None
            )
            self.neck.show_phrase(around.guitar, (), None, (), None)
            self._sentence.setText("")
            self._facts.setText("")
            return
        self.evenness.set_value(phrase.evenness)
        self.subdivision.setCurrentText(phrase.subdivision)
        tempo = around.time_map.tempo_at(phrase.start_s)
        self._facts.setText(f"{len(phrase.notes)} notes · {tempo:.0f} beats a minute")
        notes = self._document.selected_notes
        path = tuple((n.written.string, n.written.fret) for n in phrase.notes)
        here = path[phrase.notes.index(notes[0])] if len(notes) == 1 else None
        if len(notes) != 1:
            words = f"{len(notes)} notes are selected" if notes else labels.NO_NOTE
            self.card.show_reasons(words, labels.PICK_ONE, None)
        if with_neck:
            self.neck.show_phrase(around.guitar, path, here, (), None)

    def _read(self) -> None:
        """Let the hand and the reasons of the selected note be worked out."""
        phrase, lesson = self._document.phrase, self._document.lesson
        if phrase is None or not phrase.notes or not self.isVisible():
            self._reading.forget()
            return
        chosen = self._document.selected_notes
        note = chosen[0] if len(chosen) == 1 else None

        def work(progress: Progress) -> object:
            from juxtanote.app.place.reading import read

            return read(phrase, lesson, note, progress)

        self._reading.ask(work, self._show_reading)  # type: ignore[arg-type]

    def _show_reading(self, reading: "Reading") -> None:
        """Show what was worked out, where it is still of what is shown."""
        chosen = self._document.selected_notes
        note = chosen[0] if len(chosen) == 1 else None
        if reading.phrase is not self._document.phrase or reading.note is not note:
            return
        self._sentence.setText(reading.sentence)
        if note is not None:
            self.card.show_reasons(reading.title, reading.under, reading.reasons)
        self.neck.show_phrase(
            self._document.context.guitar,
            reading.path,
            reading.here,
            reading.others,
            reading.window,
        )

    def _forget_placements(self) -> None:
        self._placements, self._placements_of = [], None
        self.placements.hide()

    def _on_view(self, start_s: float, shown_s: float, length_s: float) -> None:
        phrase = self._document.phrase
        base = phrase.start_s if phrase is not None else 0.0
        self._scroll.blockSignals(True)
        self._scroll.setRange(-100, max(int(1000 * (length_s - shown_s)) + 100, -100))
        self._scroll.setPageStep(max(int(1000 * shown_s), 1))
        self._scroll.setValue(int(1000 * (start_s - base)))
        self._scroll.blockSignals(False)
        self._scroll.setVisible(length_s > shown_s)

    def _on_scrolled(self, milliseconds: int) -> None:
        phrase = self._document.phrase
        if phrase is not None:
            self.sheet.scroll_to(phrase.start_s + milliseconds / 1000.0)

    def _on_placed_around(self, ident: int, moved: frozenset[int]) -> None:
        """Show which other notes moved because of the last decision."""
        phrase = self._document.phrase
        if phrase is None or phrase.ident != ident or not self.isVisible():
            return
        moved = moved - set(self._document.selected)
        self.sheet.mark_changed(moved)
        if moved:
            count = len(moved)
            self.told.emit(f"{count} other note{'s' if count > 1 else ''} followed.")

    def toggle_other_parts(self) -> None:
        """Show the other guitars pale behind this one, or not."""
        self.sheet.shows_others = not self.sheet.shows_others
        self.sheet.scroll_to(self.sheet.geometry_now().start_s)
        on = self.sheet.shows_others
        self.told.emit("The other parts are shown pale." if on else "Only this part is shown.")

    # Whole placements

    def next_alternative(self) -> None:
        """Swap to the next whole placement, and show all of them side by side."""
        phrase = self._document.phrase
        if phrase is None or not phrase.notes:
            return
        if self._placements and self._placements_fit(phrase):
            self._take_placement((self._taken + 1) % len(self._placements))
            return
        self._tasks.placing.find_placements(self._on_placements)

    def _placements_fit(self, phrase: Phrase) -> bool:
        """Whether the placements at hand are of the notes as they are, wherever those sit."""
        was = self._placements_of
        return (
            was is not None
            and was.ident == phrase.ident
            and self._placements_school == self._document.context.school
            and [(n.ident, n.onset_s, n.heard.midi, n.written.techniques) for n in was.notes]
            == [(n.ident, n.onset_s, n.heard.midi, n.written.techniques) for n in phrase.notes]
        )

    def _on_placements(self, phrase: Phrase, placements: "list[Measured]") -> None:
        self._placements, self._placements_of, self._taken = placements, phrase, 0
        self._placements_school = self._document.context.school
        self._take_placement(1 % len(placements))

    def _take_placement(self, number: int) -> None:
        """Put the phrase as one of the whole placements has it."""
        from juxtanote.core.fretboard.phrases import replace_places

        phrase = self._document.phrase
        if phrase is None or number >= len(self._placements) or not self._placements_fit(phrase):
            self._forget_placements()
            return
        self._taken, (placement, _) = number, self._placements[number]
        self._document.change(
            "Another placement", lambda l: l.with_phrase(replace_places(phrase, l, placement))
        )
        self._show_placements()
        self.told.emit(f"Placement {number + 1} of {len(self._placements)}: {placement.favours}.")

    def _show_placements(self) -> None:
        here, _ = self._placements[self._taken]
        rows = []
        for placement, figures in self._placements:
            pairs = zip(placement.strings, placement.frets, here.strings, here.frets, strict=True)
            others = sum((s, f) != (t, g) for s, f, t, g in pairs)
            rows.append((placement.favours, others, figures))
        self.placements.show_placements(rows, self._taken)

    def _on_school(self, *_: object) -> None:
        part, school = self._document.context.part, self.school.currentText()
        if school != part.school:
            self._tasks.long_edits.change_school(part.ident, school)

    def _on_subdivision(self, *_: object) -> None:
        phrase, name = self._document.phrase, self.subdivision.currentText()
        if phrase is not None and name != phrase.subdivision:
            self._document.change(
                f"Count in {name}",
                lambda l: edits.change_phrase(l, phrase.ident, subdivision=name),
            )

    def _on_evenness(self, value: float) -> None:
        phrase = self._document.phrase
        if phrase is not None:
            self._document.change(
                "Even out the time",
                lambda l: edits.change_phrase(l, phrase.ident, evenness=value),
                merge=EVENNESS_STEP + phrase.ident,
            )


# Steps of one slide merge: a number that no other edit has, with that of the phrase.
EVENNESS_STEP = 1_000_000_000

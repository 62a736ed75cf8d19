"""The Place desk: the sheet, the reasons card, and every edit of a note."""

from collections.abc import Callable, Iterable
from dataclasses import replace

from PyQt6.QtCore import QElapsedTimer, Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QScrollBar, QVBoxLayout, QWidget

from juxtanote.app.document import Document
from juxtanote.app.look.theme import TEXT
from juxtanote.app.place import labels
from juxtanote.app.place.reasons_card import ReasonsCard
from juxtanote.app.place.ways_table import WaysTable
from juxtanote.app.sheet.sheet import Sheet
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.neck import Neck
from juxtanote.app.widgets.parts import Panel, scrolled, soft, strong
from juxtanote.app.widgets.slider import LineSlider
from juxtanote.core.formats.breakdown import note_name, note_role
from juxtanote.core.formats.text_tab import bend_name
from juxtanote.core.fretboard.figures import measure
from juxtanote.core.fretboard.reasons import Reasons, explain, phrase_sentence
from juxtanote.core.fretboard.silence import strings_to_silence
from juxtanote.core.fretboard.solver import Placement, alternatives, place
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import SCHOOLS, Lesson, Phrase
from juxtanote.core.score.note import FINGERS, STROKES, Note
from juxtanote.core.score.rhythm import SUBDIVISIONS, write_phrase
from juxtanote.core.transcribe import note_to_place, places_in, replace_places

TYPING_MS = 900


class PlaceDesk(QWidget):
    """Edits the current phrase; the window's actions call its methods."""

    listen_wanted = pyqtSignal()
    told = pyqtSignal(str)

    def __init__(
        self, document: Document, transport: Transport, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._transport = document, transport
        self.sheet = Sheet(document, transport)
        self.card, self.neck = ReasonsCard(), Neck()
        self.listen = QPushButton(labels.LISTEN)
        self.listen.setProperty("main", True)
        self.school = QComboBox()
        self.school.addItems(list(SCHOOLS))
        self.school.setAccessibleName("Picking school")
        self.evenness = LineSlider(
            0.0, 1.0, 1.0, name="From as played to as counted", step=0.1, filled=""
        )
        self.subdivision = QComboBox()
        self.subdivision.addItems(list(SUBDIVISIONS))
        self.subdivision.setAccessibleName("Subdivision of the beat")
        self.ways = WaysTable()
        self._scroll = QScrollBar(Qt.Orientation.Horizontal)
        self._sentence = soft(wrap=True)
        self._facts = soft()
        self._typed, self._typing = "", QElapsedTimer()
        self._ways: list[Placement] = []
        self._way = 0
        self._placements: dict[int, Placement] = {}
        self._lay_out()
        self._connect()
        self.refresh()

    def _lay_out(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 10, 20, 10)
        row.setSpacing(16)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addWidget(self.sheet, 1)
        left.addWidget(self._scroll)
        foot = QHBoxLayout()
        foot.addWidget(soft(labels.AS_PLAYED))
        self.evenness.setFixedWidth(150)
        foot.addWidget(self.evenness)
        foot.addWidget(soft(labels.AS_COUNTED))
        foot.addSpacing(12)
        foot.addWidget(soft(labels.SUBDIVISION))
        foot.addWidget(self.subdivision)
        foot.addStretch(1)
        foot.addWidget(self._facts)
        left.addLayout(foot)
        left.addWidget(self.ways)
        row.addLayout(left, 1)
        panel = Panel()
        panel.setFixedWidth(318)
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
        self.listen.clicked.connect(self.listen_wanted)
        self.school.activated.connect(self._on_school)
        self.evenness.changed.connect(self._on_evenness)
        self.subdivision.activated.connect(self._on_subdivision)
        self.card.place_clicked.connect(self.put)
        self.neck.place_clicked.connect(self.put)
        self.sheet.fret_typed.connect(self._on_digit)
        self.sheet.view_changed.connect(self._on_view)
        self.ways.chosen.connect(self._take_way)
        self._scroll.valueChanged.connect(self._on_scrolled)
        self._document.lesson_changed.connect(self.refresh)
        self._document.phrase_changed.connect(self._on_phrase)
        self._document.selection_changed.connect(self.refresh)

    # Showing

    def refresh(self) -> None:
        """Show the reasons of the selected note and the phrase on the neck."""
        phrase, lesson = self._document.phrase, self._document.lesson
        self.school.setCurrentText(lesson.school)
        self.listen.setEnabled(phrase is not None and self._document.sound is not None)
        self.evenness.setEnabled(phrase is not None)
        self.subdivision.setEnabled(phrase is not None)
        if phrase is None or not phrase.notes:
            words = "" if phrase is None else "It has no notes yet."
            self.card.show_reasons(
                phrase.name if phrase else labels.NO_NOTE, words or labels.PICK_ONE, None
            )
            self.neck.show_phrase(lesson.guitar, (), None, (), None)
            self._sentence.setText("")
            self._facts.setText("")
            return
        self.evenness.set_value(phrase.evenness)
        self.subdivision.setCurrentText(phrase.subdivision)
        placement = self._placement(phrase)
        used = [n.written.string for n in phrase.notes]
        quiet = strings_to_silence(used, lesson.guitar.string_count)
        self._sentence.setText(f"{phrase_sentence(placement)} {quiet}")
        tempo = lesson.time_map.tempo_at(phrase.start_s)
        self._facts.setText(f"{len(phrase.notes)} notes · {tempo:.0f} beats a minute")
        notes = self._document.selected_notes
        path = tuple((n.written.string, n.written.fret) for n in phrase.notes)
        if len(notes) != 1:
            words = f"{len(notes)} notes are selected" if notes else labels.NO_NOTE
            self.card.show_reasons(words, labels.PICK_ONE, None)
            self.neck.show_phrase(lesson.guitar, path, None, (), _window(placement, None))
            return
        self._show_note(phrase, notes[0], placement, path)

    def _show_note(
        self, phrase: Phrase, note: Note, placement: Placement, path: tuple[tuple[int, int], ...]
    ) -> None:
        lesson = self._document.lesson
        index = [n.ident for n in phrase.notes].index(note.ident)
        places = places_in(lesson, phrase)
        reasons: Reasons = explain(lesson.guitar, places, placement, index, school=lesson.school)
        here = (note.written.string, note.written.fret)
        title = f"String {here[0]}, fret {here[1]}" if here[1] else f"String {here[0]}, open"
        words = [w for w in (note_name(note, lesson), note_role(note, lesson)) if w]
        if note.written.techniques & {"bend", "pre-bend"}:
            words.append(f"bent {bend_name(note.written.bend_semitones)}")
        words += sorted(note.written.techniques - {"bend", "pre-bend"})
        words.append(f"sure\u00a0{note.heard.confidence:.2f}")
        if note.written.locked:
            words.append("locked: " + ", ".join(sorted(note.written.locked)))
        under = " · ".join(words)
        if note.heard.evidence:
            under += "\nHeard: " + "; ".join(note.heard.evidence)
        if note.heard.runner_ups:
            other = note.heard.runner_ups[0]
            under += f"\nOr {other.why} ({other.confidence:.2f}): press R"
        self.card.show_reasons(title, under, reasons)
        others = tuple(
            (c.string, c.fret) for c in reasons.candidates if not c.chosen and c.possible
        )
        self.neck.show_phrase(lesson.guitar, path, here, others, _window(placement, index))

    def _placement(self, phrase: Phrase) -> Placement:
        """Give where the hand is for the places as they are written."""
        key = hash(phrase.notes)
        if key not in self._placements:
            places = [
                replace(note_to_place(n), string=n.written.string, fret=n.written.fret)
                for n in phrase.notes
            ]
            self._placements = {key: place(self._document.lesson.guitar, places)}
        return self._placements[key]

    def _on_phrase(self) -> None:
        self._ways = []
        self.ways.hide()
        self.refresh()

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

    # Editing: every method makes one step that can be undone

    def _edit(
        self,
        text: str,
        edit: Callable[[Lesson, int, Iterable[int]], Lesson],
        *,
        follow: bool = False,
    ) -> None:
        """Edit the selected notes; with `follow` the unlocked rest is placed around them."""
        phrase, chosen = self._document.phrase, self._document.selected
        if phrase is None or not chosen:
            self.told.emit("Select a note first.")
            return

        def whole(lesson: Lesson) -> Lesson:
            edited = edit(lesson, phrase.ident, chosen)
            return self._settled(edited, phrase.ident, follow)

        self._change(text, whole, phrase)

    def _settled(self, lesson: Lesson, ident: int, follow: bool) -> Lesson:
        """Count the phrase anew, and place it anew where asked."""
        phrase = lesson.phrase(ident)
        if phrase is None:
            return lesson
        if follow:
            phrase = replace_places(phrase, lesson)
        return lesson.with_phrase(write_phrase(phrase, lesson.time_map))

    def _change(self, text: str, edit: Callable[[Lesson], Lesson], phrase: Phrase) -> None:
        """Make an edit and show which other notes moved because of it."""
        before = {n.ident: (n.written.string, n.written.fret) for n in phrase.notes}
        self._document.change(text, edit)
        after = self._document.lesson.phrase(phrase.ident)
        if after is None:
            return
        chosen = set(self._document.selected)
        moved = frozenset(
            n.ident
            for n in after.notes
            if n.ident in before
            and before[n.ident] != (n.written.string, n.written.fret)
            and n.ident not in chosen
        )
        self.sheet.mark_changed(moved)
        if moved:
            count = len(moved)
            self.told.emit(f"{count} other note{'s' if count > 1 else ''} followed.")

    def put(self, string: int, fret: int) -> None:
        """Put the selected note on a place; the rest follows."""
        notes = self._document.selected
        if len(notes) == 1:
            self._edit(
                "Place note",
                lambda l, p, ns: edits.set_place(l, p, next(iter(ns)), string, fret),
                follow=True,
            )

    def move(self, step: int) -> None:
        """Move the selected notes to the neighbouring string."""
        self._edit(
            "Move to string", lambda l, p, ns: edits.move_to_neighbour(l, p, ns, step), follow=True
        )

    def _on_digit(self, digit: int) -> None:
        """Type a fret: two digits in quick succession make one number."""
        notes = self._document.selected_notes
        if not notes:
            return
        quick = self._typing.isValid() and self._typing.elapsed() < TYPING_MS
        self._typed = (self._typed if quick else "") + str(digit)
        if int(self._typed) > self._document.lesson.guitar.last_fret:
            self._typed = str(digit)
        self._typing.start()
        fret, string = int(self._typed), notes[0].written.string
        self._edit(
            "Type fret", lambda l, p, ns: edits.set_place(l, p, next(iter(ns)), string, fret)
        )

    def toggle(self, technique: str) -> None:
        """Toggle a technique of the selected notes."""
        self._edit(
            f"Toggle {technique}",
            lambda l, p, ns: edits.toggle_technique(l, p, ns, technique),
            follow=True,
        )

    def widen_bend(self, by: float) -> None:
        """Make a bend wider or narrower by a quarter tone."""
        notes = self._document.selected_notes
        if notes and "bend" in notes[0].written.techniques:
            amount = min(max(notes[0].written.bend_semitones + by, 0.5), 5.0)
            amount = round(amount * 2) / 2
            self._edit(
                "Change bend",
                lambda l, p, ns: edits.change_written(
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
                lambda l, p, ns: edits.change_written(l, p, ns, field, **{field: value}),
            )

    def delete(self) -> None:
        """Delete the selected notes."""
        self._edit("Delete notes", edits.delete_notes)

    def join(self) -> None:
        """Join the selected notes."""
        self._edit("Join notes", edits.join_notes)

    def split(self) -> None:
        """Split the selected note at the playhead."""
        here = self._transport.position_s
        self._edit("Split note", lambda l, p, ns: edits.split_note(l, p, next(iter(ns)), here))

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
        self._change(
            "Add note",
            lambda l: self._settled(
                edits.add_note(l, phrase.ident, here, string, fret), phrase.ident, False
            ),
            phrase,
        )
        self._document.select((number,))

    def take_runner_up(self) -> None:
        """Read the selected note as its runner-up."""
        self._edit(
            "Take other reading",
            lambda l, p, ns: edits.take_runner_up(l, p, next(iter(ns))),
            follow=True,
        )

    def keep(self) -> None:
        """Lock the selected notes as they are."""
        self._edit(
            "Keep notes",
            lambda l, p, ns: edits.change_written(
                edits.change_written(l, p, ns, "place"), p, ns, "pitch"
            ),
        )

    def unlock(self) -> None:
        """Take the locks off the selected notes."""
        phrase, chosen = self._document.phrase, set(self._document.selected)
        if phrase is None or not chosen:
            return
        notes = [
            replace(n, written=replace(n.written, locked=frozenset())) if n.ident in chosen else n
            for n in phrase.notes
        ]
        self._document.change("Unlock notes", lambda l: l.with_phrase(phrase.with_notes(notes)))

    def next_doubtful(self) -> None:
        """Go to the next note that should be looked at."""
        phrase = self._document.phrase
        doubtful = [n.ident for n in phrase.notes if n.is_doubtful] if phrase else []
        if not doubtful or phrase is None:
            self.told.emit("No doubtful notes in this phrase.")
            return
        order = [n.ident for n in phrase.notes]
        here = order.index(self._document.selected[-1]) if self._document.selected else -1
        later = [i for i in doubtful if order.index(i) > here]
        self._document.select(((later or doubtful)[0],))

    def place_again(self) -> None:
        """Choose places anew around what is locked."""
        phrase = self._document.phrase
        if phrase is not None and phrase.notes:
            self._change("Place again", lambda l: self._settled(l, phrase.ident, True), phrase)

    def next_alternative(self) -> None:
        """Swap to the next whole placement, and show all of them side by side."""
        phrase, lesson = self._document.phrase, self._document.lesson
        if phrase is None or not phrase.notes:
            return
        if len(self._ways) == 0 or len(self._ways[0].strings) != len(phrase.notes):
            places = places_in(lesson, phrase)
            self._ways = alternatives(lesson.guitar, places, school=lesson.school)
            self._way = 0
        self._take_way((self._way + 1) % len(self._ways))

    def _take_way(self, number: int) -> None:
        """Put the phrase as one of the whole placements has it."""
        phrase = self._document.phrase
        if phrase is None or number >= len(self._ways):
            return
        if len(self._ways[number].strings) != len(phrase.notes):
            self._ways = []
            self.ways.hide()
            return
        self._way, way, ways = number, self._ways[number], self._ways
        self._change(
            "Another placement", lambda l: l.with_phrase(replace_places(phrase, l, way)), phrase
        )
        self._ways = ways
        self._show_ways()
        self.told.emit(f"Placement {number + 1} of {len(ways)}: {way.favours}.")

    def _show_ways(self) -> None:
        phrase, lesson = self._document.phrase, self._document.lesson
        if phrase is None:
            return
        places = [note_to_place(n) for n in phrase.notes]
        here = self._ways[self._way]
        rows = []
        for way in self._ways:
            pairs = zip(way.strings, way.frets, here.strings, here.frets, strict=True)
            others = sum((s, f) != (t, g) for s, f, t, g in pairs)
            rows.append((way.favours, others, measure(lesson.guitar, places, way, lesson.school)))
        self.ways.show_ways(rows, self._way)

    def _on_school(self, *_: object) -> None:
        school = self.school.currentText()

        def edit(lesson: Lesson) -> Lesson:
            changed = replace(lesson, school=school)
            for phrase in lesson.phrases:
                placed = (
                    replace_places(phrase, changed, self._placement(phrase))
                    if phrase.notes
                    else phrase
                )
                changed = changed.with_phrase(placed)
            return changed

        if school != self._document.lesson.school:
            self._document.change("Change picking school", edit)

    def _on_subdivision(self, *_: object) -> None:
        phrase, name = self._document.phrase, self.subdivision.currentText()
        if phrase is not None and name != phrase.subdivision:
            self._document.change(
                f"Count in {name}",
                lambda l: self._settled(
                    edits.change_phrase(l, phrase.ident, subdivision=name), phrase.ident, False
                ),
            )

    def _on_evenness(self, value: float) -> None:
        phrase = self._document.phrase
        if phrase is not None:
            merge = 900_000 + phrase.ident
            self._document.change(
                "Even out the time",
                lambda l: self._settled(
                    edits.change_phrase(l, phrase.ident, evenness=value), phrase.ident, False
                ),
                merge=merge,
            )


def _window(placement: Placement, index: int | None) -> tuple[int, int] | None:
    """Give the frets under the hand at a note, or those of the whole phrase."""
    if index is not None:
        position = placement.positions[index]
        return position, position + 3
    frets = [fret for fret in placement.frets if fret > 0]
    return (min(frets), max(frets)) if frets and max(frets) - min(frets) <= 5 else None

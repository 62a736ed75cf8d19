"""The Check desk: findings beside the picture of heard over written, and both to the ear."""

from datetime import date
from typing import TYPE_CHECKING

from PyQt6.QtCore import QModelIndex, Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from juxtanote.app.check import labels
from juxtanote.app.check.finding_list import FINDING, FindingList, FindingModel, FindingPainter
from juxtanote.app.check.picture import GapPicture
from juxtanote.app.derived import Findings
from juxtanote.app.document import Document
from juxtanote.app.look.theme import SMALL, px
from juxtanote.app.transport.controller import Transport
from juxtanote.app.widgets.desk import Desk, News
from juxtanote.app.widgets.parts import heading, soft, strong
from juxtanote.core.checks.difficulty import difficulty_of, hardest
from juxtanote.core.checks.findings import as_checked, checked_on
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import Phrase

if TYPE_CHECKING:
    from juxtanote.core.checks.findings import Finding
    from juxtanote.core.synth.render import Rendered

UNWRITTEN_S = 0.4  # how long a note that is not written is looped
AROUND_S = 0.35  # sound before and after the spot of a finding, so that one hears where one is
SAME_S = 0.03  # two findings so near belong to one note


class CheckDesk(Desk):
    """Lists findings of the current phrase and shows where they come from."""

    told = pyqtSignal(str)
    finding_chosen = pyqtSignal()

    def __init__(
        self,
        document: Document,
        transport: Transport,
        findings: Findings,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(document, parent)
        self._transport, self._findings = transport, findings
        self.model, self.list = FindingModel(self), FindingList()
        self.list.setModel(self.model)
        self.list.setItemDelegate(FindingPainter(self.list))
        self.list.setAccessibleName("Findings")
        self.picture = GapPicture(document, transport)
        self.mend_button = QPushButton(labels.MEND)
        self.waive_button = QPushButton(labels.WAIVE)
        self.strict_button, self.write_button = (
            QPushButton(labels.STRICT),
            QPushButton(labels.WRITE),
        )
        self.with_waived = QCheckBox(labels.SHOW_WAIVED)
        self._order_title = strong(labels.IN_ORDER)
        self._order, self._empty = soft(wrap=True), soft(labels.NOTHING, wrap=True)
        self._order.setMinimumHeight(px(96))
        self._order.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._lay_out()
        selection = self.list.selectionModel()
        if selection is not None:
            selection.currentChanged.connect(self._on_row)
        self.list.loop_wanted.connect(self.loop_spot)
        self.list.doubleClicked.connect(self._on_double_click)
        self.with_waived.toggled.connect(self._show_findings)
        findings.changed.connect(self._on_found)

    @property
    def first_focus(self) -> QWidget:
        return self.list

    def _lay_out(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 12, 20, 12)
        row.setSpacing(20)
        side = QWidget()
        side.setFixedWidth(px(340))
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        head = QHBoxLayout()
        head.addWidget(heading(labels.FINDINGS))
        head.addWidget(soft(labels.HINT, SMALL))
        head.addStretch(1)
        column.addLayout(head)
        column.addWidget(self._empty)
        column.addWidget(self.list, 1)
        foot = QHBoxLayout()
        foot.addWidget(self.waive_button)
        foot.addWidget(self.mend_button)
        foot.addStretch(1)
        column.addLayout(foot)
        under = QHBoxLayout()
        under.addWidget(self.with_waived)
        under.addStretch(1)
        under.addWidget(self.strict_button)
        under.addWidget(self.write_button)
        column.addLayout(under)
        column.addWidget(self._order_title)
        column.addWidget(self._order)
        row.addWidget(side)
        row.addWidget(self.picture, 1)

    @property
    def finding(self) -> "Finding | None":
        """The finding under the cursor."""
        found: Finding | None = self.list.currentIndex().data(FINDING)
        return found

    def heed(self, news: News) -> None:
        """Show the phrase anew; its findings come by themselves."""
        phrase = self._document.phrase
        touched = news.change.touches(phrase.ident if phrase is not None else None)
        if news.sound:
            self.picture.forget_waves()
        if touched or news.phrase:
            self.picture.update()
        if news.change.whole or news.phrase or self._findings.is_current:
            self._show_findings()

    def _on_found(self) -> None:
        if self.isVisible():
            self._show_findings()

    def _show_findings(self, *_: object) -> None:
        phrase, found = self._document.phrase, self._findings
        known = (
            found.phrase is not None and phrase is not None and found.phrase.ident == phrase.ident
        )
        kept = self.finding.key if self.finding is not None else ""
        rows = [(f, self._where(f), False) for f in found.found] if known else []
        if known and self.with_waived.isChecked():
            rows += [(f, self._where(f), True) for f in found.waived]
        self.model.show_rows(rows)
        self.picture.show_findings(found.found if known else [])
        if rows:
            keys = self.model.keys()
            at = keys.index(kept) if kept in keys else 0
            self.list.setCurrentIndex(self.model.index(at))
        has_notes = phrase is not None and bool(phrase.notes)
        self._empty.setText(self._nothing(phrase) if has_notes and phrase else labels.NO_NOTES)
        self._empty.setVisible(not rows)
        count = len(found.waived) if known else 0
        self.with_waived.setText(f"{labels.SHOW_WAIVED} ({count})" if count else labels.SHOW_WAIVED)
        self.with_waived.setEnabled(bool(count) or self.with_waived.isChecked())
        self.with_waived.setToolTip("" if self.with_waived.isEnabled() else labels.NONE_WAIVED)
        lines = found.in_order if known else []
        self._order_title.setVisible(bool(lines))
        self._order.setText("\n".join(f"✓  {line}" for line in lines))
        self._show_chosen()

    def _nothing(self, phrase: Phrase) -> str:
        """Say that nothing is left to say; note the day, where the sound was listened to as well."""
        lesson, found = self._document.lesson, self._findings
        doubtful = sum(note.is_doubtful for note in phrase.notes)
        if doubtful:  # nobody has said yet what these are
            return labels.DOUBTFUL.format(count=doubtful)
        if found.is_current and found.listened and not found.found:
            today = date.today().isoformat()
            if not checked_on(phrase, lesson):
                self._document.keep(as_checked(lesson.kept, phrase, today))
        day = checked_on(phrase, self._document.lesson)
        return labels.CHECKED.format(date=day) if day else labels.NOTHING

    def _show_chosen(self) -> None:
        self.picture.show_finding(self.finding)
        phrase, finding = self._document.phrase, self.finding
        is_waived = phrase is not None and finding is not None and finding.key in phrase.waived
        self.waive_button.setText(labels.TAKE_BACK if is_waived else labels.WAIVE)
        self.finding_chosen.emit()

    def _where(self, finding: "Finding") -> str:
        phrase = self._document.phrase
        note = phrase.note(finding.notes[0]) if phrase is not None else None
        if note is None:
            return ""
        if finding.complaint is not None and finding.complaint.row is None:
            at = float(self._document.lesson.time_map.to_beats(finding.onset_s))
            bar, beat = self._document.lesson.time_map.bar_and_beat(at)
            return f"{f'bar {bar}' if bar >= 1 else 'pickup'}, beat {beat:.2g}"
        time_map = self._document.lesson.time_map
        onset = note.written.onset_beats
        bar, beat = time_map.bar_and_beat(
            float(onset) if onset is not None else float(time_map.to_beats(note.onset_s))
        )
        where = f"bar {bar}" if bar >= 1 else "pickup"
        return f"{where}, beat {beat:.3g} · string {note.written.string}, fret {note.written.fret}"

    def show_tab(self, rendered: "Rendered | None") -> None:
        """Show the rendered tab."""
        self.picture.show_tab(rendered.audio if rendered is not None else None, self._rate)

    @property
    def _rate(self) -> int:
        return self._transport.player.sample_rate

    def loop_spot(self) -> None:
        """Loop around the finding's notes, and play."""
        finding, phrase = self.finding, self._document.phrase
        if finding is None or phrase is None or self._document.sound is None:
            self.told.emit("There is no sound to loop: open the recording with Ctrl+O.")
            return
        notes = [n for i in finding.notes if (n := phrase.note(i)) is not None]
        if not notes:
            return
        first, last = min(n.onset_s for n in notes), max(n.offset_s for n in notes)
        if finding.complaint is not None and finding.complaint.row is None:
            first, last = finding.onset_s, finding.onset_s + UNWRITTEN_S
        start, end = max(first - AROUND_S, 0.0), last + AROUND_S
        self._transport.set_loop(start, end)
        self._transport.play()

    def next_hard_spot(self) -> None:
        """Loop the hardest bar of the phrase; asked again, the next of the three hardest."""
        phrase = self._document.phrase
        bars = (
            difficulty_of(phrase, self._document.context, self._transport.speed) if phrase else ()
        )
        worst = [bar for bar in hardest(bars) if bar.figure > 0.0]
        if phrase is None or not worst:
            self.told.emit(labels.NO_SPOTS)
            return
        loop = self._transport.loop_s
        starts = [max(bar.start_s, phrase.start_s) for bar in worst]
        here = next((k for k, s in enumerate(starts) if loop and abs(loop[0] - s) < SAME_S), -1)
        bar = worst[(here + 1) % len(worst)]
        self._transport.set_loop(starts[(here + 1) % len(worst)], min(bar.end_s, phrase.end_s))
        inside = [n.ident for n in phrase.notes if bar.start_s - SAME_S <= n.onset_s < bar.end_s]
        self._document.select(tuple(inside))
        name = bar.bar if bar.bar >= 1 else "before 1"
        self.told.emit(labels.AT_SPOT.format(bar=name, figure=bar.figure, why=labels.why_hard(bar)))

    def waive(self) -> None:
        """Let the finding pass, or take it back."""
        finding, phrase = self.finding, self._document.phrase
        if finding is None or phrase is None:
            self.told.emit("Select a finding first.")
            return
        if finding.key in phrase.waived:
            left = tuple(key for key in phrase.waived if key != finding.key)
            text, waived = "Take finding back", left
        else:
            text, waived = "Waive finding", (*phrase.waived, finding.key)
        self._document.change(text, lambda l: edits.change_phrase(l, phrase.ident, waived=waived))

    def mend(self) -> None:
        """Write what the finding says that sounds; it can be undone."""
        finding, phrase = self.finding, self._document.phrase
        if finding is None or phrase is None:
            self.told.emit("Select a finding first.")
            return
        from juxtanote.core.checks.against_sound import mended

        changed = self._document.change(
            "Mend as it sounds", lambda l: mended(l, phrase.ident, finding) or l
        )
        if not changed:
            self.told.emit(labels.NO_MEND)

    def _on_row(self, *_: QModelIndex) -> None:
        finding = self.finding
        self._show_chosen()
        if finding is not None and self.isVisible():
            self._document.select(finding.notes)

    def _on_double_click(self, _: QModelIndex) -> None:
        self.loop_spot()

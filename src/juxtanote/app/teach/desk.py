"""The Teach desk: pages as they will print, the spoken breakdown, exports."""

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from juxtanote.app.document import Document
from juxtanote.app.jobs.runner import JobRunner, Latest
from juxtanote.app.look.engraved import measure_words
from juxtanote.app.look.theme import colour, pen, px
from juxtanote.app.teach import labels
from juxtanote.app.teach.page_choices import PageChoices
from juxtanote.app.teach.paper import paint_page
from juxtanote.app.widgets.desk import Desk, News
from juxtanote.app.widgets.parts import Panel, heading, soft
from juxtanote.core.engrave.paper import A4, Page, Paper
from juxtanote.core.formats.pages import PhraseBlocks, lay_out
from juxtanote.core.progress import Progress
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import Lesson, Phrase

GAP = 16  # pixels between pages
TYPING_PAUSE_MS = 500  # a breakdown is one step of undo for each pause of typing
# Words typed into one breakdown merge into one step: a number no other edit has, with the phrase's.
TYPING_STEP = 2_000_000_000


class Pages(QWidget):
    """Shows every page under the other, as wide as there is room."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._pages: list[Page] = []
        self.setAccessibleName("Handout")

    def show_pages(self, pages: list[Page]) -> None:
        """Show these pages."""
        self._pages = pages
        self.setFixedHeight(self._height())
        self.update()

    @property
    def paper(self) -> Paper:
        """What the pages are printed on."""
        return self._pages[0].paper if self._pages else A4

    @property
    def scale(self) -> float:
        """Pixels to the millimetre."""
        return max(self.width() - 2 * GAP, 200) / self.paper.full_width

    def _height(self) -> int:
        return int(len(self._pages) * (self.paper.full_height * self.scale + GAP) + GAP)

    def resizeEvent(self, event: object) -> None:
        self.setFixedHeight(self._height())

    def sizeHint(self) -> QSize:
        return QSize(620, 800)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        seen = event.rect() if event is not None else self.rect()
        scale, paper = self.scale, self.paper
        across, down = int(paper.full_width * scale), int(paper.full_height * scale)
        height = paper.full_height * scale + GAP
        first = max(int((seen.top() - GAP) / height), 0)
        for number in range(first, min(int((seen.bottom() - GAP) / height) + 1, len(self._pages))):
            painter.save()
            painter.translate(GAP, GAP + number * height)
            painter.setPen(pen("rule", 1))
            painter.setBrush(Qt.GlobalColor.white)
            painter.drawRect(0, 0, across, down)
            painter.setClipRect(0, 0, across, down)
            paint_page(painter, self._pages[number], paper.large * scale)
            painter.restore()


class TeachDesk(Desk):
    """Handing out."""

    pdf_wanted = pyqtSignal()
    print_wanted = pyqtSignal()
    export_wanted = pyqtSignal(str)  # suffix
    hand_out_wanted = pyqtSignal()
    share_changed = pyqtSignal(bool)

    def __init__(
        self, document: Document, runner: JobRunner, parent: QWidget | None = None
    ) -> None:
        super().__init__(document, parent)
        self._blocks = PhraseBlocks(measure_words)
        self._laying = Latest(runner, "Setting pages", self, long=True)
        self._wording = Latest(runner, "Wording", self)
        self._generated = ""  # of the phrase whose words are shown
        self._worded: Phrase | None = None  # whose words are in the field
        self.pages, self.text = Pages(), QPlainTextEdit()
        self.text.setAccessibleName(labels.BREAKDOWN)
        self.text.setTabChangesFocus(True)
        self.only_phrase, self.share = QCheckBox(labels.ONLY_PHRASE), QCheckBox(labels.SHARE)
        self.again = QPushButton(labels.AGAIN)
        self.pdf, self.print = QPushButton(labels.PDF), QPushButton(labels.PRINT)
        self.pdf.setToolTip("")
        self.hand_out, self.page = QPushButton(labels.HAND_OUT), QPushButton(labels.PAGE)
        self.look = PageChoices()
        self._origin = soft()
        self._scroll = QScrollArea()
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(TYPING_PAUSE_MS)
        self._lay_out()
        self._connect()

    @property
    def ways(self) -> tuple[QPushButton, ...]:
        """Every button that hands out."""
        return self.hand_out, self.page, self.pdf, self.print

    @property
    def first_focus(self) -> QWidget:
        return self._scroll

    def _lay_out(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 12, 20, 12)
        row.setSpacing(16)
        self._scroll.setWidget(self.pages)
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._scroll.setStyleSheet(
            f"QScrollArea, QScrollArea > QWidget > QWidget {{ background: {colour('paper').name()}; }}"
        )
        row.addWidget(self._scroll, 3)
        panel = Panel()
        panel.column.addWidget(heading(labels.BREAKDOWN))
        line = QHBoxLayout()
        line.addWidget(self._origin)
        line.addStretch(1)
        line.addWidget(self.again)
        panel.column.addLayout(line)
        panel.column.addWidget(self.text, 1)
        panel.column.addSpacing(6)
        panel.column.addWidget(heading(labels.PAGES))
        panel.column.addWidget(self.look)
        panel.column.addWidget(self.only_phrase)
        panel.column.addSpacing(6)
        panel.column.addWidget(heading(labels.EXPORT))
        self.hand_out.setProperty("main", True)
        grid = QGridLayout()
        for index, button in enumerate(self.ways):
            button.setMinimumWidth(px(96))
            grid.addWidget(button, index // 2, index % 2)
        panel.column.addLayout(grid)
        panel.column.addWidget(self.share)
        panel.setMinimumWidth(px(380))
        side = QVBoxLayout()
        side.addWidget(panel)
        row.addLayout(side, 2)

    def _connect(self) -> None:
        self.pdf.clicked.connect(self.pdf_wanted)
        self.print.clicked.connect(self.print_wanted)
        self.page.clicked.connect(lambda: self.export_wanted.emit(".html"))
        self.hand_out.clicked.connect(self.hand_out_wanted)
        self.look.changed.connect(self._set_pages)
        self.again.clicked.connect(self._on_again)
        self.text.textChanged.connect(self._pause.start)
        self._pause.timeout.connect(self._on_typed)
        self.only_phrase.toggled.connect(self._set_pages)
        self.share.clicked.connect(self.share_changed)

    # Showing

    def heed(self, news: News) -> None:
        """Set the pages anew in the background, and show the words of the current phrase."""
        change, phrase = news.change, self._document.phrase
        differs = change.phrases or change.time or change.about or change.parts or change.whole
        if differs or (news.phrase and self.only_phrase.isChecked()):
            self._set_pages()
        if news.phrase or change.touches(phrase.ident if phrase is not None else None):
            self._show_words()
        self.share.setChecked(self._document.lesson.recording.may_share)
        has_phrases = bool(self._document.lesson.phrases)
        for button in self.ways:
            button.setEnabled(has_phrases)
            button.setToolTip("" if has_phrases else labels.NOTHING)

    def chosen_lesson(self) -> Lesson:
        """Give the lesson, or only its current phrase where that is asked (a variant in its own key)."""
        lesson, phrase = self._document.lesson, self._document.phrase
        if self.only_phrase.isChecked() and phrase is not None:
            return lesson.alone(phrase)
        return lesson

    def laid_out(self) -> list[Page]:
        """Lay out what would print now."""
        lesson, choices = self.chosen_lesson(), self.look.choices()
        from juxtanote.core.handing_out import left_to_say

        said = left_to_say(lesson, choices)
        return lay_out(lesson, measure=measure_words, choices=choices, appendix=said)

    def _set_pages(self, *_: object) -> None:
        lesson, blocks, number = self.chosen_lesson(), self._blocks, self._document.number
        choices = self.look.choices()

        def work(progress: Progress) -> object:
            from juxtanote.core.handing_out import left_to_say

            said = left_to_say(lesson, choices)
            return lay_out(lesson, blocks=blocks, choices=choices, appendix=said, progress=progress)

        def then(pages: object) -> None:
            if number == self._document.number:
                self.pages.show_pages(pages)  # type: ignore[arg-type]

        self._laying.ask(work, then)

    def _show_words(self) -> None:
        """Show the words of the current phrase; what was typed for another one is kept first."""
        phrase, lesson = self._document.phrase, self._document.lesson
        before = self._worded.ident if self._worded is not None else None
        if self._pause.isActive() and before != (phrase.ident if phrase is not None else None):
            self._on_typed()
            phrase, lesson = self._document.phrase, self._document.lesson
        self.text.setEnabled(phrase is not None)
        if phrase is None:
            self._worded = None
            self._put_words("")
            return

        def work(_: object) -> object:
            from juxtanote.core.formats.breakdown import generate_breakdown

            return generate_breakdown(phrase, lesson)

        def then(words: object) -> None:
            if self._document.phrase is not phrase:
                return
            self._generated = str(words)
            self._worded = phrase
            if not self._pause.isActive():
                self._put_words(phrase.breakdown if phrase.breakdown.strip() else self._generated)

        typed = bool(phrase.breakdown.strip())
        self._origin.setText(labels.TYPED if typed else labels.GENERATED)
        self.again.setEnabled(typed)
        self.again.setToolTip("" if typed else labels.AS_GENERATED)
        self._wording.ask(work, then)

    def _put_words(self, words: str) -> None:
        if words != self.text.toPlainText():
            self.text.blockSignals(True)
            self.text.setPlainText(words)
            self.text.blockSignals(False)

    # Editing

    def _on_typed(self) -> None:
        """Keep what was typed with the phrase that it was typed for, whatever is current now."""
        self._pause.stop()
        worded = self._worded
        if worded is None or self._document.lesson.phrase(worded.ident) is None:
            return
        words = self.text.toPlainText()[:200_000]
        own = "" if words == self._generated else words
        self._document.change(
            "Type breakdown",
            lambda l: edits.change_phrase(l, worded.ident, breakdown=own),
            merge=TYPING_STEP + worded.ident,
        )

    def _on_again(self) -> None:
        phrase = self._document.phrase
        if phrase is not None:
            self._pause.stop()
            self._document.change(
                "Generate breakdown", lambda l: edits.change_phrase(l, phrase.ident, breakdown="")
            )

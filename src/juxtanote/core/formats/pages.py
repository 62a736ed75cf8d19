"""The handout as it will print: heading, list of phrases, the phrases with their words, and the signs.

Nothing here knows how it is painted; the window paints the same pages on screen and as PDF.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from juxtanote.core.engrave.legend import legend
from juxtanote.core.engrave.line import Frame, Rows, draw_lines, string_names
from juxtanote.core.engrave.paper import (
    A4,
    PAPERS,
    Block,
    Measure,
    Page,
    Paper,
    Sketch,
    paginated,
    paragraph,
    roughly,
    together,
)
from juxtanote.core.engrave.spacing import Bar, bar_of
from juxtanote.core.engrave.system import PartLine, draw_systems
from juxtanote.core.engrave.voiced import with_voices
from juxtanote.core.formats.breakdown import breakdown
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score.form import heading_of
from juxtanote.core.score.lesson import Context, Lesson, Phrase
from juxtanote.core.score.sections import section_letters, sounding_together, written_as
from juxtanote.core.score.values import bars_of, bars_taken, by_onset

LARGE = 1.3  # of the usual size, for large print
CAUTION = (
    "Begin slowly, stop when a hand hurts, keep headphones low; see a professional if pain stays. "
    "For study: mind the rights in music and recording."
)
LIST_COLUMNS, LIST_ROW = 2, 4.4  # columns of the list of phrases, and millimetres of a row


@dataclass(frozen=True, slots=True)
class Choices:
    """How a handout is wanted."""

    paper: str = "A4"
    large: bool = False
    rows: Rows = field(default_factory=Rows)
    breakdown: bool = True
    together: bool = False  # parts that sound at the same time stand under each other
    findings: bool = False  # what is left to say of the phrases stands at the end

    @property
    def sheet(self) -> Paper:
        """The paper, in the size that is drawn in."""
        return replace(PAPERS.get(self.paper, A4), large=LARGE if self.large else 1.0)


@dataclass(frozen=True, slots=True)
class _Set:
    """A phrase as it was set, and what it was read in."""

    phrase: Phrase
    read_in: tuple[object, ...]
    blocks: list[Block]
    holds: bool


class PhraseBlocks:
    """Sets phrases, and keeps what is set for as long as a phrase and what it is read in stay."""

    def __init__(self, measure: Measure = roughly) -> None:
        self.measure = measure
        self._kept: dict[int, _Set] = {}

    def of(
        self,
        phrase: Phrase,
        lesson: Lesson,
        choices: Choices | None = None,
        *,
        frame: Frame | None = None,
        like: str = "",
        letter: str = "",
    ) -> list[Block]:
        """Give the blocks of a phrase; `like` names an earlier one that is written the same.

        Parameters
        ----------
        phrase : Phrase
        lesson : Lesson
            That it is of.
        choices : Choices, optional
            What is printed; the usual where None.
        frame : Frame, optional
            Repeat signs; its own where None.
        like : str
        letter : str
            Of its section.
        """
        choices = choices or Choices()
        context = lesson.context(phrase)
        frame = frame or frame_of(phrase, None)
        is_name = bool(letter) and letter == phrase.name
        read_in = (context, choices, frame, like, is_name)
        known = self._kept.get(phrase.ident)
        if known is not None and known.phrase is phrase and known.read_in == read_in:
            return self._lettered(known.blocks, letter, choices)
        name = f"{context.part.name}: {phrase.name}" if len(lesson.parts) > 1 else phrase.name
        bars = bars_in(phrase, context, self.measure, counts=choices.rows.counts)
        name = name.removesuffix(phrase.name).rstrip(": ") if is_name else name
        blocks = _title(phrase, name, context, choices, self.measure, like=like)
        if not like:
            lines = draw_lines(bars, context, choices.sheet, self.measure, choices.rows, frame)
            blocks = [*together(blocks, lines[0] if lines else None), *lines]
        if choices.breakdown and not like:
            blocks = _with_words(blocks, breakdown(phrase, lesson), choices.sheet, self.measure)
        blocks.append(Block(4.0))
        holds = any(moment.is_held for bar in bars for moment in bar.moments)
        self._kept[phrase.ident] = _Set(phrase, read_in, blocks, holds)
        return self._lettered(blocks, letter, choices)

    def _lettered(self, blocks: list[Block], letter: str, choices: Choices) -> list[Block]:
        """Box a section's letter into a title; it is not kept, as an edit elsewhere may change it."""
        if not letter:
            return blocks
        return [_boxed(blocks[0], letter, choices.sheet, self.measure), *blocks[1:]]

    def of_several(
        self, phrases: Sequence[Phrase], lesson: Lesson, choices: Choices, letter: str
    ) -> list[Block]:
        """Give the blocks of phrases of different parts that sound together, under each other.

        Parameters
        ----------
        phrases : sequence of Phrase
            From the top.
        lesson : Lesson
        choices : Choices
        letter : str
            Of their section.
        """
        parts = []
        for part in lesson.parts:
            mine = [p for p in phrases if p.part == part.ident]
            if mine:
                notes = tuple(n for p in mine for n in p.notes)
                parts.append(PartLine(part.name, notes, lesson.context(mine[0])))
        frames = {frame_of(phrase, None) for phrase in phrases}
        frame = frames.pop() if len(frames) == 1 else Frame()
        sheet, measure = choices.sheet, self.measure
        names = " · ".join(dict.fromkeys(p.name for p in phrases if p.name != letter))
        first = lesson.context(phrases[0])
        blocks = self._lettered(_title(phrases[0], names, first, choices, measure), letter, choices)
        lines = draw_systems(parts, sheet, measure, choices.rows, frame)
        blocks = [*together(blocks, lines[0] if lines else None), *lines]
        if choices.breakdown:
            for phrase in phrases:
                name = f"{lesson.part(phrase.part).name}: "
                blocks = _with_words(blocks, name + breakdown(phrase, lesson), sheet, measure)
        return [*blocks, Block(4.0)]

    @property
    def holds(self) -> bool:
        """Whether a note is tied in any phrase that is set."""
        return any(kept.holds for kept in self._kept.values())

    def forget(self, lesson: Lesson) -> None:
        """Let go of phrases that a lesson does not have."""
        there = {p.ident for phrase in lesson.phrases for p in (phrase, *phrase.variants)}
        self._kept = {ident: kept for ident, kept in self._kept.items() if ident in there}


def lay_out(
    lesson: Lesson,
    *,
    measure: Measure = roughly,
    phrases: tuple[Phrase, ...] | None = None,
    choices: Choices | None = None,
    blocks: PhraseBlocks | None = None,
    appendix: Sequence[str] = (),
    progress: Progress = no_progress,
) -> list[Page]:
    """Set a handout of the given phrases (all of them by default), each followed by its variants.

    Phrases that nobody has filled yet are left out, unless there are no others. One that is written as
    an earlier one was is only named. With `blocks` what was set before is not set again. `appendix` are
    lines for the end: what is left to say of the phrases.
    """
    choices = choices or Choices()
    setter = blocks or PhraseBlocks(measure)
    paper = choices.sheet
    wanted = phrases if phrases is not None else lesson.phrases
    chosen = tuple(p for p in wanted if p.notes or any(v.notes for v in p.variants)) or wanted
    flow = _heading(lesson, paper, setter.measure)
    letters = section_letters(chosen) if len(chosen) > 1 else {}
    if len(chosen) > 1:
        flow += _list(chosen, lesson, letters, paper, setter.measure)
    groups = sounding_together(chosen) if choices.together else [[phrase] for phrase in chosen]
    written: dict[tuple[object, ...], str] = {}
    for number, group in enumerate(groups):
        progress(number / max(len(groups), 1))
        phrase, letter = group[0], letters.get(group[0].ident, "")
        if len({p.part for p in group}) > 1:
            flow += setter.of_several(group, lesson, choices, letter)
        else:
            for phrase in group:
                flow += _alone(phrase, chosen, lesson, choices, setter, written, letters)
        for variant in (v for p in group for v in p.variants):
            flow += setter.of(variant, lesson, choices)
    setter.forget(lesson)
    shown = [p for phrase in chosen for p in (phrase, *phrase.variants)]
    flow += together(_signs(shown, paper, setter))
    if appendix:
        told = paragraph("\n".join(appendix), 8.5, paper, setter.measure)
        flow += [*paragraph("Left to say", 11, paper, setter.measure, bold=True, before=4.0), *told]
    pages = paginated(flow, paper)
    for number, page in enumerate(pages, start=1):
        sketch = Sketch()
        sketch.say(paper.margin, 0.0, lesson.title, 7, soft=True)
        count = f"{number} of {len(pages)}"
        sketch.say(paper.width - paper.margin, 0.0, count, 7, anchor="right", soft=True)
        page.blocks.append((paper.height - paper.margin + 4, sketch.block(0.0)))
    return pages


def _alone(
    phrase: Phrase, chosen: Sequence[Phrase], lesson: Lesson, choices: Choices, setter: PhraseBlocks,
    written: dict[tuple[object, ...], str], letters: dict[int, str],
) -> list[Block]:  # fmt: skip
    """Set a phrase for itself; what is `written` already is only named."""
    following = next(
        (p for p in chosen if p.part == phrase.part and p.start_s > phrase.start_s), None
    )
    like = written.setdefault(written_as(phrase), phrase.name) if phrase.notes else phrase.name
    return setter.of(
        phrase, lesson, choices, frame=frame_of(phrase, following),
        like=like if like != phrase.name else "", letter=letters.get(phrase.ident, ""),
    )  # fmt: skip


def _with_words(blocks: list[Block], words: str, sheet: Paper, measure: Measure) -> list[Block]:
    """Add a breakdown; it stays with the last line of its music."""
    if not words:
        return blocks
    told = paragraph(words, 8.5, sheet, measure, before=1.0)
    with_music = sum(b.height for b in told[:3]) + blocks[-1].height
    last = replace(blocks[-1], room=max(blocks[-1].room, with_music))
    return [*blocks[:-1], last, *told]


def frame_of(phrase: Phrase, following: Phrase | None) -> Frame:
    """Give the repeat signs of a phrase: its own, or those that a first ending after it asks for.

    Parameters
    ----------
    phrase : Phrase
    following : Phrase, optional
        The one after it.
    """
    if phrase.ending:
        return Frame(times=2 if phrase.ending == 1 else 0, ending=phrase.ending)
    if following is not None and following.ending == 1:
        return Frame(begins=True)
    return Frame(phrase.repeats > 1, phrase.repeats if phrase.repeats > 1 else 0)


def _heading(lesson: Lesson, paper: Paper, measure: Measure) -> list[Block]:
    blocks = paragraph(lesson.title, 20, paper, measure, bold=True, before=4.0)
    if lesson.performer:
        blocks += paragraph(lesson.performer, 10, paper, measure)
    facts = []
    for part in lesson.parts:
        tuning = "tuning " + " ".join(reversed(string_names(part.guitar.tuning)))
        facts.append(f"{part.name}: {tuning}" if len(lesson.parts) > 1 else tuning)
        if part.guitar.capo:
            facts.append(f"capo at fret {part.guitar.capo}")
    start = lesson.phrases[0].start_s if lesson.phrases else 0.0
    time_map = lesson.time_map
    facts.append(f"{time_map.tempo_at(start):.0f} beats a minute")
    facts.append("/".join(map(str, time_map.signature)))
    if lesson.feel:
        facts.append(lesson.feel)
    if lesson.key:
        facts.append(lesson.key + (f" ({lesson.scale})" if lesson.scale else ""))
    if abs(lesson.reference_cents) >= 3:
        facts.append(f"the record sits {lesson.reference_cents:+.0f} cents off A = 440 Hz")
    blocks += paragraph(" · ".join(facts), 9, paper, measure, soft=True)
    if lesson.teacher:
        blocks += paragraph(lesson.teacher, 9, paper, measure, soft=True)
    if lesson.notes:
        blocks += paragraph(lesson.notes, 9, paper, measure, before=1.0)
    blocks += paragraph(CAUTION, 7, paper, measure, soft=True, before=1.0)
    return [*blocks, Block(3.0)]


def _list(
    phrases: Sequence[Phrase],
    lesson: Lesson,
    letters: dict[int, str],
    paper: Paper,
    measure: Measure,
) -> list[Block]:
    """List phrases in two columns: where in the recording, and the speed to begin with."""
    speed = f"begin at {100 * lesson.kept.plan.start:.0f} %"
    rows = -(-len(phrases) // LIST_COLUMNS)
    blocks, column = [], paper.room / LIST_COLUMNS
    for row in range(rows):
        sketch = Sketch()
        for k in range(LIST_COLUMNS):
            index = row + k * rows
            if index >= len(phrases):
                continue
            phrase = phrases[index]
            x = paper.margin + column * k
            letter = letters.get(phrase.ident, "")
            name = phrase.name if letter == phrase.name else f"{letter}  {phrase.name}".strip()
            while measure(name, 8, True) > column - 48 and len(name) > 2:
                name = name[:-2] + "…"
            sketch.say(x, 3.4, name, 8, bold=True)
            minutes, seconds = divmod(phrase.start_s, 60.0)
            sketch.say(x + column - 32, 3.4, f"{minutes:.0f}:{seconds:04.1f}", 8, anchor="right")
            sketch.say(x + column - 29, 3.4, speed, 7.5, soft=True)
        blocks.append(sketch.block(LIST_ROW))
    return [*together(blocks[:40]), *blocks[40:], Block(2.0)]


def _signs(shown: list[Phrase], paper: Paper, setter: PhraseBlocks) -> list[Block]:
    entries = legend(shown, paper, holds=setter.holds)
    if not entries:
        return []
    return [*paragraph("Signs", 9, paper, setter.measure, bold=True, before=2.0), *entries]


def _title(
    phrase: Phrase, name: str, context: Context, choices: Choices, measure: Measure, *,
    like: str = "",
) -> list[Block]:  # fmt: skip
    """Set a phrase's name, and what stands under it."""
    paper = choices.sheet
    under = heading_of(phrase, context)
    if phrase.is_variant and context.key:
        under = ", ".join(filter(None, (under, f"in {context.key}")))
    if like:
        under = ", ".join(filter(None, (under, f"written as “{like}”")))
    title = paragraph(name, 13, paper, measure, bold=True, before=3.0)
    if under:
        title += paragraph(under, 8.5, paper, measure, soft=True)
    return together(title)


def _boxed(title: Block, letter: str, paper: Paper, measure: Measure) -> Block:
    """Put a letter in a box before a name."""
    sketch, y = Sketch(), title.words[0].y
    wide = measure(letter, 12, True) + 2.2
    left, top, bottom = paper.margin, y - 4.1, y + 1.2
    sketch.say(left + 0.5 * wide, y, letter, 12, bold=True, anchor="middle")
    corners = ((left, top), (left + wide, top), (left + wide, bottom), (left, bottom), (left, top))
    sketch.line(*corners, width=0.3)
    moved = [replace(words, x=words.x + wide + 2.0) for words in title.words]
    return replace(title, words=(*moved, *sketch.words), strokes=(*title.strokes, *sketch.strokes))


def bars_in(phrase: Phrase, context: Context, measure: Measure, *, counts: bool) -> list[Bar]:
    """Give a phrase's bars with the room that each asks for.

    Parameters
    ----------
    phrase : Phrase
    context : Context
        Beats and metre.
    measure : Measure
        Of text, in millimetres.
    counts : bool
        True where counts stand under the tab.
    """
    time_map, ordered = context.time_map, by_onset(phrase.notes)
    numbers, pickup = bars_taken(ordered, time_map)
    written = bars_of(ordered, numbers, time_map, pickup=pickup)
    bars = [
        bar_of(number, moments, time_map, measure, counts)
        for number, moments in zip(numbers, written, strict=True)
    ]
    return with_voices(bars, ordered, time_map, pickup)

"""The handout as it will print: pages of lines, curves and text in millimetres.

Nothing here knows how it is painted; the window paints the same pages on screen and as PDF.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from fractions import Fraction

from juxtanote.core.formats.breakdown import breakdown
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score.form import heading_of
from juxtanote.core.score.lesson import Context, Lesson, Phrase
from juxtanote.core.score.note import SLURS, Note
from juxtanote.core.score.rhythm import Rest, beams_of, count_word, is_on_beat, rests_of
from juxtanote.core.score.signs import STROKE_SIGNS, bend_name
from juxtanote.core.theory.pitch import pitch_name

WIDTH, HEIGHT, MARGIN = 210.0, 297.0, 16.0  # A4, ISO 216
LINE_GAP = 3.0
BEAT_WIDTH_LEAST, BEAT_WIDTH_MOST = 13.0, 26.0
HEAD_ROOM, FOOT_ROOM = 12.0, 19.0
POINT = 0.3528  # millimetres
Measure = Callable[[str, float, bool], float]


@dataclass(frozen=True, slots=True)
class Stroke:
    """A line or curve through points, `width` in millimetres."""

    points: tuple[tuple[float, float], ...]
    width: float = 0.15
    soft: bool = False


@dataclass(frozen=True, slots=True)
class Words:
    """Text at a baseline; `anchor` is left, middle or right; size in points."""

    x: float
    y: float
    text: str
    size: float = 8.0
    bold: bool = False
    anchor: str = "left"
    soft: bool = False
    cleared: bool = False  # with the paper's colour behind it


@dataclass(frozen=True, slots=True)
class Block:
    """A piece that stays whole: its drawing from its own top, its height, and the room it asks for.

    `room` is how much must be left on the page for it to begin there: a heading asks for its music too.
    """

    height: float
    strokes: tuple[Stroke, ...] = ()
    words: tuple[Words, ...] = ()
    room: float = 0.0


@dataclass(slots=True)
class Page:
    """One sheet of paper: blocks with the height at which each begins."""

    blocks: list[tuple[float, Block]] = field(default_factory=list)

    @property
    def strokes(self) -> list[Stroke]:
        """Every stroke where it stands on the page."""
        return [
            replace(stroke, points=tuple((x, y + top) for x, y in stroke.points))
            for top, block in self.blocks
            for stroke in block.strokes
        ]

    @property
    def words(self) -> list[Words]:
        """Every piece of text where it stands on the page."""
        return [replace(w, y=w.y + top) for top, block in self.blocks for w in block.words]


@dataclass(slots=True)
class _Sketch:
    """A block being drawn."""

    strokes: list[Stroke] = field(default_factory=list)
    words: list[Words] = field(default_factory=list)

    def block(self, height: float, room: float = 0.0) -> Block:
        return Block(height, tuple(self.strokes), tuple(self.words), max(height, room))


def roughly(text: str, size: float, bold: bool) -> float:
    """Estimate the width of text in millimetres where no fonts are at hand."""
    return len(text) * size * POINT * (0.56 if bold else 0.52)


def wrap(text: str, width: float, size: float, bold: bool, measure: Measure) -> list[str]:
    """Break a line of text between words so that every part fits."""
    parts: list[str] = []
    current = ""
    for word in text.split():
        longer = f"{current} {word}".strip()
        if current and measure(longer, size, bold) > width:
            parts.append(current)
            current = word
        else:
            current = longer
    return [*parts, current] if current or not parts else parts


def _paragraph(
    text: str,
    size: float,
    measure: Measure,
    *,
    bold: bool = False,
    soft: bool = False,
    before: float = 0.0,
    room: float = 0.0,
) -> list[Block]:
    """Set text in lines that fit, each a block; the first begins `before` lower and asks for `room`."""
    blocks: list[Block] = []
    height = size * POINT * 1.45
    for line in text.split("\n"):
        for part in wrap(line, WIDTH - 2 * MARGIN, size, bold, measure):
            lead = 0.0 if blocks else before
            words = Words(MARGIN, lead + height, part, size, bold, soft=soft)
            blocks.append(Block(lead + height, (), (words,), 0.0 if blocks else room))
    return blocks


class PhraseBlocks:
    """Sets phrases, and keeps what is set for as long as a phrase and what it is read in stay."""

    def __init__(self, measure: Measure = roughly) -> None:
        self.measure = measure
        self._kept: dict[int, tuple[Phrase, Context, bool, list[Block]]] = {}

    def of(self, phrase: Phrase, lesson: Lesson, with_breakdown: bool = True) -> list[Block]:
        """Give the blocks of a phrase."""
        context = lesson.context(phrase)
        known = self._kept.get(phrase.ident)
        if known is not None and known[0] is phrase and known[1:3] == (context, with_breakdown):
            return known[3]
        name = f"{context.part.name}: {phrase.name}" if len(lesson.parts) > 1 else phrase.name
        blocks = _phrase(phrase, name, context, self.measure)
        if with_breakdown:
            words = breakdown(phrase, lesson)
            blocks += _paragraph(words, 8.5, self.measure, before=1.0)
        blocks.append(Block(5.0))
        self._kept[phrase.ident] = phrase, context, with_breakdown, blocks
        return blocks

    def forget(self, lesson: Lesson) -> None:
        """Let go of phrases that a lesson does not have."""
        there = {p.ident for phrase in lesson.phrases for p in (phrase, *phrase.variants)}
        self._kept = {ident: kept for ident, kept in self._kept.items() if ident in there}


def lay_out(
    lesson: Lesson,
    *,
    measure: Measure = roughly,
    phrases: tuple[Phrase, ...] | None = None,
    with_breakdown: bool = True,
    blocks: PhraseBlocks | None = None,
    progress: Progress = no_progress,
) -> list[Page]:
    """Set a handout of the given phrases (all of them by default), each followed by its variants.

    With `blocks` what was set before is not set again.
    """
    setter = blocks or PhraseBlocks(measure)
    chosen = phrases if phrases is not None else lesson.phrases
    flow = _heading(lesson, setter.measure)
    for number, phrase in enumerate(chosen):
        progress(number / max(len(chosen), 1))
        for inside in (phrase, *phrase.variants):
            flow += setter.of(inside, lesson, with_breakdown)
    setter.forget(lesson)
    pages = _paginated(flow)
    for number, page in enumerate(pages, start=1):
        foot = Words(MARGIN, 0.0, lesson.title, 7, soft=True)
        count = Words(
            WIDTH - MARGIN, 0.0, f"{number} of {len(pages)}", 7, anchor="right", soft=True
        )
        page.blocks.append((HEIGHT - MARGIN + 4, Block(0.0, (), (foot, count))))
    return pages


def _paginated(flow: list[Block]) -> list[Page]:
    """Fill pages from the top; a block that has no room begins the next page."""
    pages, y = [Page()], MARGIN
    for block in flow:
        if y + max(block.room, block.height) > HEIGHT - MARGIN - 6 and pages[-1].blocks:
            pages.append(Page())
            y = MARGIN
        pages[-1].blocks.append((y, block))
        y += block.height
    return pages


def _heading(lesson: Lesson, measure: Measure) -> list[Block]:
    blocks = _paragraph(lesson.title, 20, measure, bold=True, before=4.0)
    if lesson.performer:
        blocks += _paragraph(lesson.performer, 10, measure)
    facts = []
    for part in lesson.parts:
        tuning = " ".join(pitch_name(m) for m in part.guitar.tuning)
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
    blocks += _paragraph(" · ".join(facts), 9, measure, soft=True)
    if lesson.teacher:
        blocks += _paragraph(lesson.teacher, 9, measure, soft=True)
    if lesson.notes:
        blocks += _paragraph(lesson.notes, 9, measure, before=1.0)
    return [*blocks, Block(4.0)]


def _phrase(phrase: Phrase, name: str, context: Context, measure: Measure) -> list[Block]:
    """Set a phrase's title and its lines of tab."""
    height = _system_height(context)
    title = name + (f"  ×{phrase.repeats}" if phrase.repeats > 1 else "")
    blocks = _paragraph(title, 13, measure, bold=True, before=3.0, room=14.0 + height)
    under = heading_of(phrase, context)
    if phrase.is_variant and context.key:
        under = ", ".join(filter(None, (under, f"in {context.key}")))
    if under:
        blocks += _paragraph(under, 8.5, measure, soft=True)
    return blocks + [_system(bars, context) for bars in _systems(phrase, context)]


def _system_height(context: Context) -> float:
    return HEAD_ROOM + LINE_GAP * (context.guitar.string_count - 1) + FOOT_ROOM


@dataclass(frozen=True, slots=True)
class _Bar:
    number: int  # from 0
    notes: tuple[Note, ...]
    beat_width: float
    first_beat: int = 0  # a pickup begins with its first note
    beats: int = 4
    rests: tuple[Rest, ...] = ()


def _systems(phrase: Phrase, lesson: Context) -> list[list[_Bar]]:
    """Break a phrase into lines of bars by how wide they must be."""
    if not phrase.notes:
        return []
    per_bar = lesson.time_map.beats_per_bar
    by_bar: dict[int, list[Note]] = {}
    for note in phrase.notes:
        by_bar.setdefault(int((note.written.onset_beats or Fraction(0)) // per_bar), []).append(
            note
        )
    bars = []
    for number in range(min(by_bar), max(by_bar) + 1):
        notes = tuple(by_bar.get(number, ()))
        first = 0
        if number < 0 and notes:
            first = int((notes[0].written.onset_beats or Fraction(0)) - number * per_bar)
        start = Fraction(number * per_bar + first)
        rests = rests_of(phrase.notes, start, Fraction((number + 1) * per_bar), lesson.time_map)
        bars.append(
            _Bar(number, notes, _beat_width(notes, rests), first, per_bar - first, tuple(rests))
        )
    lines: list[list[_Bar]] = [[]]
    room = WIDTH - 2 * MARGIN - 6
    used = 0.0
    for bar in bars:
        width = bar.beat_width * bar.beats
        if lines[-1] and used + width > room:
            lines.append([])
            used = 0.0
        lines[-1].append(bar)
        used += width
    return lines


def _beat_width(notes: tuple[Note, ...], rests: list[Rest]) -> float:
    """Give each beat room for its closest notes and rests."""
    onsets = sorted(
        {n.written.onset_beats or Fraction(0) for n in notes} | {r.onset_beats for r in rests}
    )
    gaps = [float(b - a) for a, b in zip(onsets, onsets[1:], strict=False)]
    least = min(gaps, default=1.0)
    return min(max(5.4 / max(least, 0.1), BEAT_WIDTH_LEAST), BEAT_WIDTH_MOST)


def _system(bars: list[_Bar], lesson: Context) -> Block:
    """Draw one line of tab."""
    page, strings = _Sketch(), lesson.guitar.string_count
    per_bar = lesson.time_map.beats_per_bar
    top = HEAD_ROOM
    bottom = top + LINE_GAP * (strings - 1)
    left = MARGIN + 6
    natural = sum(bar.beat_width * bar.beats for bar in bars)
    room = WIDTH - MARGIN - left
    scale = room / natural if natural > 0.6 * room else 1.0
    right = left + natural * scale
    for string in range(strings):
        y = top + LINE_GAP * string
        page.strokes.append(Stroke(((left, y), (right, y)), 0.12, soft=True))
        name = pitch_name(lesson.guitar.tuning[-1 - string])[:-1]
        page.words.append(Words(left - 2, y + 0.9, name, 6, anchor="right", soft=True))
    x, chords = left, dict(lesson.chords)
    page.strokes.append(Stroke(((x, top), (x, bottom)), 0.25))
    place: dict[int, float] = {}
    for bar in bars:
        width = bar.beat_width * scale
        label = str(bar.number + 1) if bar.number >= 0 else "pickup"
        page.words.append(Words(x + 0.6, top - 9.0, label, 6, soft=True))
        if bar.number + 1 in chords:
            page.words.append(Words(x + 5.0, top - 9.0, chords[bar.number + 1], 8, True))
        for note in bar.notes:
            inside = float((note.written.onset_beats or Fraction(0)) - bar.number * per_bar)
            inside -= bar.first_beat
            shift = -2.6 if not note.written.duration_beats else 0.0
            place[note.ident] = x + 2.4 + inside * (width - 2.4 / bar.beats) + shift
        for rest in bar.rests:
            inside = float(rest.onset_beats - bar.number * per_bar) - bar.first_beat
            at = x + 2.4 + inside * (width - 2.4 / bar.beats)
            _rest(page, rest, at, 0.5 * (top + bottom), lesson.time_map.is_compound)
        _rhythm(page, bar, place, bottom, lesson)
        x += width * bar.beats
        page.strokes.append(Stroke(((x, top), (x, bottom)), 0.25))
    notes = [note for bar in bars for note in bar.notes]
    for index, note in enumerate(notes):
        _note(page, note, notes, index, place, top)
    return page.block(bottom + FOOT_ROOM)


RESTS = {
    Fraction(4): "\U0001d13b", Fraction(2): "\U0001d13c", Fraction(1): "\U0001d13d",
    Fraction(2, 3): "\U0001d13d", Fraction(1, 2): "\U0001d13e", Fraction(1, 3): "\U0001d13e",
    Fraction(1, 4): "\U0001d13f", Fraction(1, 6): "\U0001d13f",
}  # fmt: skip
"""Signs of rests by their length in beats (Unicode, Musical Symbols)."""


def _rest(page: _Sketch, rest: Rest, x: float, y: float, compound: bool) -> None:
    """Draw a rest in the middle of the strings, dotted where it fills a compound beat."""
    sign = RESTS.get(rest.duration_beats, "\U0001d140")
    page.words.append(Words(x, y + 1.6, sign, 14, anchor="middle"))
    if compound and rest.duration_beats == 1:
        page.words.append(Words(x + 1.6, y + 0.6, "·", 9, True))


def _note(
    page: _Sketch, note: Note, notes: list[Note], index: int, place: dict[int, float], top: float
) -> None:
    """Draw a fret number and its techniques."""
    written, tags = note.written, note.written.techniques
    x, y = place[note.ident], top + LINE_GAP * (note.written.string - 1)
    text = "×" if "dead" in tags else str(written.fret)
    if "natural-harmonic" in tags:
        text = f"⟨{text}⟩"
    size = 8.5 if written.duration_beats else 6.5
    page.words.append(Words(x, y + 1.05, text, size, True, "middle", cleared=True))
    before = next((n for n in reversed(notes[:index]) if n.written.string == written.string), None)
    if tags & SLURS and before is not None:
        _slur(page, place[before.ident], x, y - 1.5, "t" if "tap" in tags else "")
    if "slide" in tags:
        start = place[before.ident] + 1.6 if before is not None else x - 4.5
        rising = before is None or before.written.fret < written.fret
        tilt = 0.9 if rising else -0.9
        page.strokes.append(Stroke(((start, y + tilt), (x - 1.7, y - tilt)), 0.2))
    if tags & {"bend", "pre-bend"}:
        _bend(page, x, y, top, written.bend_semitones, tags)
    if "vibrato" in tags:
        start = x + (5.5 if tags & {"bend", "pre-bend"} else 0.0)
        wave = [(start + 0.9 * k, top - 3.2 + (0.7 if k % 2 else -0.7)) for k in range(11)]
        page.strokes.append(Stroke(tuple(wave), 0.2))
    for word, sign in (("palm-mute", "P.M."), ("let-ring", "l.r."), ("tap", "T"), ("rake", "rake")):
        earlier = notes[index - 1].written.techniques if index else frozenset()
        if word in tags and (word not in earlier or word == "tap"):
            page.words.append(Words(x, top - 5.6, sign, 6, anchor="middle"))
    if "staccato" in tags:
        page.words.append(Words(x, y - 1.7, "·", 9, True, "middle"))


def _slur(page: _Sketch, start: float, end: float, y: float, sign: str) -> None:
    """Draw an arc between two notes of a string."""
    height = min(1.6, 0.25 * max(end - start, 1.0))
    points = []
    for step in range(13):
        part = step / 12
        points.append((start + (end - start) * part, y - 4 * height * part * (1 - part)))
    page.strokes.append(Stroke(tuple(points), 0.2))
    if sign:
        page.words.append(Words(0.5 * (start + end), y - height - 0.4, sign, 5, anchor="middle"))


def _bend(
    page: _Sketch, x: float, y: float, top: float, semitones: float, tags: frozenset[str]
) -> None:
    """Draw a bend as it rises, with its amount over it."""
    peak = top - 3.4
    if "pre-bend" in tags:
        rise = [(x + 1.6, y - 0.4), (x + 1.6, peak)]
    else:
        rise = [(x + 1.6 + 2.4 * t, y - 0.2 + (peak - y) * t * t) for t in (0, 0.25, 0.5, 0.75, 1)]
    tip = rise[-1]
    page.strokes.append(Stroke(tuple(rise), 0.22))
    page.strokes.append(
        Stroke(((tip[0] - 0.7, tip[1] + 1.1), tip, (tip[0] + 0.7, tip[1] + 1.1)), 0.22)
    )
    page.words.append(Words(tip[0], peak - 0.7, bend_name(semitones), 6.5, anchor="middle"))
    if "release" in tags:
        low = y - 1.0
        fall = [(tip[0] + 3.0 * t, peak + (low - peak) * t * t) for t in (0, 0.25, 0.5, 0.75, 1)]
        page.strokes.append(Stroke(tuple(fall), 0.22))
        end = fall[-1]
        page.strokes.append(
            Stroke(((end[0] - 0.9, end[1] - 0.9), end, (end[0] + 0.4, end[1] - 1.2)), 0.22)
        )


def _rhythm(
    page: _Sketch, bar: _Bar, place: dict[int, float], bottom: float, lesson: Context
) -> None:
    """Draw stems, beams, dots, tuplets, counts, fingers and strokes under a bar."""
    stops: dict[Fraction, list[Note]] = {}
    for note in bar.notes:
        if note.written.duration_beats:
            stops.setdefault(note.written.onset_beats or Fraction(0), []).append(note)
    stem_top, stem_end = bottom + 2.2, bottom + 6.6
    groups: dict[int, list[Fraction]] = {}
    for onset, notes in stops.items():
        x = place[notes[0].ident]
        length = max(n.written.duration_beats or Fraction(0) for n in notes)
        if length < 4:  # a half note has half a stem, a whole note none
            begin = stem_top if length < 2 else 0.5 * (stem_top + stem_end)
            page.strokes.append(Stroke(((x, begin), (x, stem_end)), 0.2))
        if length.numerator == 3 and length.denominator in (1, 2, 4, 8):
            page.words.append(Words(x + 0.8, stem_end - 0.6, "·", 9, True))
        groups.setdefault(int(onset // 1), []).append(onset)
        page.words.append(
            Words(
                x,
                bottom + 10.6,
                count_word(onset, lesson.time_map),
                6.5,
                is_on_beat(onset),
                "middle",
            )
        )
        note = notes[0]
        if note.written.stroke:
            sign = STROKE_SIGNS[note.written.stroke]
            page.words.append(Words(x, bottom + 13.6, sign, 6, anchor="middle"))
        fingers = "".join(n.written.finger for n in notes)
        if fingers:
            page.words.append(Words(x, bottom + 16.4, fingers, 6, anchor="middle", soft=True))
    for beat, onsets in groups.items():
        _beams(page, beat, onsets, stops, place, stem_end, lesson.time_map.is_compound)


def _beams(
    page: _Sketch,
    beat: int,
    onsets: list[Fraction],
    stops: dict[Fraction, list[Note]],
    place: dict[int, float],
    y: float,
    compound: bool,
) -> None:
    """Join the stems of one beat; single short notes get flags."""
    onsets.sort()
    xs = [place[stops[o][0].ident] for o in onsets]
    joined = beams_of(beat, onsets, compound)
    counts = joined.counts
    for level in range(3):
        inset = y - 1.3 * level
        for index, count in enumerate(counts):
            if count <= level:
                continue
            if index + 1 < len(xs) and (counts[index + 1] > level or level == 0):
                page.strokes.append(Stroke(((xs[index], inset), (xs[index + 1], inset)), 0.6))
            elif index and counts[index - 1] > level:
                continue
            elif index:
                page.strokes.append(Stroke(((xs[index] - 1.6, inset), (xs[index], inset)), 0.6))
            else:
                page.strokes.append(Stroke(((xs[index], inset), (xs[index] + 1.4, inset - 1)), 0.3))
    if joined.tuplet:
        number = str(joined.tuplet)
        page.words.append(Words(0.5 * (xs[0] + xs[-1]), y + 2.4, number, 5.5, anchor="middle"))

"""Paper, what is drawn on it, and blocks that flow over pages. Nothing here knows how it is painted."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

POINT = 0.3528  # millimetres
LINE_HEIGHT = 1.45  # of the size of letters
FOOT_ROOM = 6.0  # millimetres for the page number
Measure = Callable[[str, float, bool], float]
Points = tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class Paper:
    """A size of paper in millimetres; `large` prints everything so many times as large."""

    name: str = "A4"
    full_width: float = 210.0  # ISO 216
    full_height: float = 297.0
    margin: float = 16.0
    large: float = 1.0

    @property
    def width(self) -> float:
        """How wide it is in the units that are drawn in."""
        return self.full_width / self.large

    @property
    def height(self) -> float:
        """How high it is in the units that are drawn in."""
        return self.full_height / self.large

    @property
    def room(self) -> float:
        """How wide what is printed may be."""
        return self.width - 2.0 * self.margin


A4 = Paper()
LETTER = Paper("Letter", 215.9, 279.4)  # ANSI/ASME Y14.1, size A
PAPERS = {paper.name: paper for paper in (A4, LETTER)}


@dataclass(frozen=True, slots=True)
class Stroke:
    """A line or curve through points, `width` in millimetres."""

    points: Points
    width: float = 0.15
    soft: bool = False
    dashed: bool = False


@dataclass(frozen=True, slots=True)
class Shape:
    """A filled outline, and further ones: what lies in an even number of them is empty."""

    points: Points
    others: tuple[Points, ...] = ()

    @property
    def outlines(self) -> tuple[Points, ...]:
        """All of its outlines."""
        return (self.points, *self.others)


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
    `places` tells where notes stand: (number of the note, x, top and bottom of their line).
    """

    height: float
    strokes: tuple[Stroke, ...] = ()
    words: tuple[Words, ...] = ()
    room: float = 0.0
    shapes: tuple[Shape, ...] = ()
    places: tuple[tuple[int, float, float, float], ...] = ()


@dataclass(slots=True)
class Page:
    """One sheet of paper: blocks with the height at which each begins."""

    paper: Paper = A4
    blocks: list[tuple[float, Block]] = field(default_factory=list)

    @property
    def strokes(self) -> list[Stroke]:
        """Every stroke where it stands on the page."""
        return [
            replace(stroke, points=moved(stroke.points, top))
            for top, block in self.blocks
            for stroke in block.strokes
        ]

    @property
    def words(self) -> list[Words]:
        """Every piece of text where it stands on the page."""
        return [replace(w, y=w.y + top) for top, block in self.blocks for w in block.words]


@dataclass(slots=True)
class Sketch:
    """A block being drawn."""

    strokes: list[Stroke] = field(default_factory=list)
    words: list[Words] = field(default_factory=list)
    shapes: list[Shape] = field(default_factory=list)
    places: list[tuple[int, float, float, float]] = field(default_factory=list)

    def line(
        self,
        *points: tuple[float, float],
        width: float = 0.15,
        soft: bool = False,
        dashed: bool = False,
    ) -> None:
        """Draw a line through points."""
        self.strokes.append(Stroke(points, width, soft, dashed))

    def fill(self, *points: tuple[float, float]) -> None:
        """Fill an outline."""
        self.shapes.append(Shape(points))

    def fill_all(self, outlines: Sequence[Points]) -> None:
        """Fill what lies in an odd number of outlines."""
        self.shapes.append(Shape(outlines[0], tuple(outlines[1:])))

    def say(self, x: float, y: float, text: str, size: float = 8.0, **how: bool | str) -> None:
        """Write at a baseline.

        Parameters
        ----------
        x : float
            Where it begins, or its middle, mm.
        y : float
            Of the baseline, mm.
        text : str
            In one line.
        size : float, optional
            Height of its font, points.
        """
        self.words.append(Words(x, y, text, size, **how))  # type: ignore[arg-type]

    def block(self, height: float, room: float = 0.0) -> Block:
        """Give what was drawn.

        Parameters
        ----------
        height : float
            How much of the page it takes, mm.
        room : float, optional
            That must be left on the page for it to begin there, mm.
        """
        return Block(
            height, tuple(self.strokes), tuple(self.words), max(height, room), tuple(self.shapes),
            tuple(self.places),
        )  # fmt: skip


def moved(points: Points, down: float) -> Points:
    """Give points that lie so much lower.

    Parameters
    ----------
    points : Points
        Places (x, y), mm.
    down : float
        Millimetres.
    """
    return tuple((x, y + down) for x, y in points)


def lowered(block: Block, down: float) -> Block:
    """Give a block whose drawing lies so much lower.

    Parameters
    ----------
    block : Block
    down : float
        Millimetres.
    """
    return replace(
        block,
        height=block.height + down,
        room=block.room + down,
        strokes=tuple(replace(s, points=moved(s.points, down)) for s in block.strokes),
        words=tuple(replace(w, y=w.y + down) for w in block.words),
        shapes=tuple(
            Shape(moved(s.points, down), tuple(moved(o, down) for o in s.others))
            for s in block.shapes
        ),
        places=tuple((n, x, top + down, low + down) for n, x, top, low in block.places),
    )


def roughly(text: str, size: float, bold: bool) -> float:
    """Estimate the width of text in millimetres where no fonts are at hand.

    Parameters
    ----------
    text : str
        In one line.
    size : float
        Height of its font, points.
    bold : bool
        Whether it is bold.
    """
    return len(text) * size * POINT * (0.56 if bold else 0.52)


def wrap(text: str, width: float, size: float, bold: bool, measure: Measure) -> list[str]:
    """Break a line of text between words so that every part fits.

    Parameters
    ----------
    text : str
        Of any length.
    width : float
        Room for each line, mm.
    size : float
        Height of the font, points.
    bold : bool
        Whether it is bold.
    measure : Measure
        Gives the width of text in millimetres.
    """
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


def paragraph(
    text: str,
    size: float,
    paper: Paper,
    measure: Measure,
    *,
    bold: bool = False,
    soft: bool = False,
    before: float = 0.0,
    room: float = 0.0,
) -> list[Block]:
    """Set text in lines that fit, each a block; the first begins `before` lower and asks for `room`.

    Parameters
    ----------
    text : str
        Of any length.
    size : float
        Height of the font, points.
    paper : Paper
        Size and margins in millimetres.
    measure : Measure
        Gives the width of text in millimetres.
    bold : bool, optional
        Whether it is bold.
    soft : bool, optional
        Whether it is paler.
    before : float, optional
        Space over the first line, mm.
    room : float, optional
        That must be left on the page for it to begin there, mm.
    """
    blocks: list[Block] = []
    height = size * POINT * LINE_HEIGHT
    for line in text.split("\n"):
        for part in wrap(line, paper.room, size, bold, measure):
            lead = 0.0 if blocks else before
            words = Words(paper.margin, lead + height, part, size, bold, soft=soft)
            blocks.append(Block(lead + height, (), (words,), 0.0 if blocks else room))
    return blocks


def together(blocks: Sequence[Block], after: Block | None = None) -> list[Block]:
    """Have blocks stay on one page where a page has room for them all, with the one they belong to.

    Parameters
    ----------
    blocks : sequence of Block
    after : Block, optional
        The one that they belong to.
    """
    if not blocks:
        return []
    whole = sum(b.height for b in blocks) + (after.height if after is not None else 0.0)
    first, *others = blocks
    return [replace(first, room=max(first.room, whole)), *others]


def paginated(flow: Sequence[Block], paper: Paper) -> list[Page]:
    """Fill pages from the top; a block that has no room begins the next page.

    Parameters
    ----------
    flow : sequence of Block
        In order.
    paper : Paper
    """
    pages, y = [Page(paper)], paper.margin
    for block in flow:
        bottom = paper.height - paper.margin - FOOT_ROOM
        if y + max(block.room, block.height) > bottom and pages[-1].blocks:
            pages.append(Page(paper))
            y = paper.margin
        pages[-1].blocks.append((y, block))
        y += block.height
    return pages

"""What the signs mean: of those that are used, and of no others."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from juxtanote.core.engrave import marks
from juxtanote.core.engrave.paper import Block, Paper, Sketch
from juxtanote.core.engrave.voiced import RING_FOOT, RING_WIDTH
from juxtanote.core.score.lesson import Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.techniques import TABLE
from juxtanote.core.score.values import by_onset, struck_together
from juxtanote.core.score.voices import rings

COLUMNS, ROW = 3, 5.6  # columns, and millimetres of a row
SIGN_ROOM = 17.0  # millimetres left of the words
Draw = Callable[[Sketch, float, float], None]


@dataclass(frozen=True, slots=True)
class _Entry:
    means: str
    draw: Draw
    is_used: Callable[[Note], bool]


def _has(*tags: str) -> Callable[[Note], bool]:
    return lambda note: bool(note.written.techniques & set(tags))


def _word(text: str, size: float = 7.0, bold: bool = False) -> Draw:
    return lambda s, x, y: s.say(x, y, text, size, bold=bold)


def _arc(s: Sketch, x: float, y: float) -> None:
    for at, fret in ((x + 1, "5"), (x + 9, "7")):
        s.say(at, y, fret, 8, bold=True, anchor="middle")
    marks.arc(s, x + 1, x + 9, y - 2.6)


def _slide(s: Sketch, x: float, y: float) -> None:
    for at, fret in ((x + 1, "5"), (x + 9, "7")):
        s.say(at, y, fret, 8, bold=True, anchor="middle")
    s.line((x + 3, y - 0.2), (x + 7, y - 1.8), width=0.25)


def _bend(s: Sketch, x: float, y: float) -> None:
    s.line(*((x + 1 + 2.4 * t, y - 2.8 * t * t) for t in (0, 0.25, 0.5, 0.75, 1)), width=0.22)
    s.fill((x + 3.4, y - 3.5), (x + 2.7, y - 2.2), (x + 4.1, y - 2.2))
    s.say(x + 5.0, y - 0.8, "full", 6)


def _pre_bend(s: Sketch, x: float, y: float) -> None:
    s.line((x + 2, y), (x + 2, y - 2.8), width=0.22)
    s.fill((x + 2, y - 3.5), (x + 1.3, y - 2.2), (x + 2.7, y - 2.2))


def _release(s: Sketch, x: float, y: float) -> None:
    s.line(*((x + 1 + 3.0 * t, y - 3.0 + 2.4 * t * t) for t in (0, 0.25, 0.5, 0.75, 1)), width=0.22)
    s.fill((x + 4.0, y - 0.1), (x + 3.1, y - 1.3), (x + 4.4, y - 1.4))


def _dashed(word: str) -> Draw:
    def draw(s: Sketch, x: float, y: float) -> None:
        s.say(x, y, word, 6)
        begin = x + 1.2 * len(word) + 0.8
        s.line((begin, y - 0.6), (begin + 4.0, y - 0.6), width=0.18, dashed=True)

    return draw


HANDS = (
    _Entry("pick down, up", _word("⊓  ∨"), lambda n: n.written.stroke in ("down", "up")),
    _Entry(
        "thumb, index, middle, ring", _word("p i m a"),
        lambda n: n.written.stroke in ("thumb", "index", "middle", "ring"),
    ),
    _Entry("fingers of the fretting hand", _word("1 2 3 4"), lambda n: bool(n.written.finger)),
)  # fmt: skip
SLURRED = ("hammer-on", "pull-off")  # have one sign
DRAWINGS: dict[str, Draw] = {
    "hammer-on": _arc, "slide": _slide, "bend": _bend, "pre-bend": _pre_bend, "release": _release,
    "vibrato": lambda s, x, y: marks.wave(s, x, x + 9, y - 1.0), "dead": _word("×", 8.5, True),
    "natural-harmonic": _word("‹12›", 8.0, True), "grace": _word("5", 6.5, True),
}  # fmt: skip
ENTRIES = HANDS + tuple(
    _Entry(
        t.means,
        DRAWINGS.get(t.name) or (_dashed(t.word) if t.word else _word(t.sign)),
        _has(*(SLURRED if t.name in SLURRED else (t.name,))),
    )
    for t in TABLE
    if t.name != "pull-off"
)
STRUMS = {
    "strummed": "strummed, the way of the arrow", "rolled": "strings one after the other",
    "damped": "strum over damped strings",
}  # fmt: skip
HELD = "held on, not struck again"
RINGS = "sounds on to the end of the line"


def _arrow(wavy: bool) -> Draw:
    def draw(s: Sketch, x: float, y: float) -> None:
        shift = (0.35, -0.35) if wavy else (0.0, 0.0)
        s.line(*((x + 1 + shift[k % 2], y - 0.6 * k) for k in range(6)), width=0.22)
        s.fill((x + 1, y - 4.0), (x + 0.4, y - 2.8), (x + 1.6, y - 2.8))

    return draw


def _slash(s: Sketch, x: float, y: float) -> None:
    s.fill((x, y), (x + 1, y), (x + 3.4, y - 3.2), (x + 2.4, y - 3.2))


def _ring(s: Sketch, x: float, y: float) -> None:
    s.say(x + 1, y, "3", 8, bold=True, anchor="middle")
    s.line((x + 2.6, y - 1.1), (x + 10, y - 1.1), width=RING_WIDTH)
    s.line((x + 10, y - 1.1 - RING_FOOT), (x + 10, y - 1.1 + RING_FOOT), width=0.2)


def _of_strums(phrases: Iterable[Phrase]) -> list[tuple[Draw, str]]:
    """Give the signs of strums that are used."""
    struck = [full for phrase in phrases for _, full, _ in struck_together(phrase.notes)]
    kinds = {marks.strum_kind(notes) for notes in struck}
    signs = {"strummed": _arrow(False), "rolled": _arrow(True), "damped": _slash}
    return [(draw, STRUMS[kind]) for kind, draw in signs.items() if kind in kinds]


def legend(phrases: Iterable[Phrase], paper: Paper, *, holds: bool) -> list[Block]:
    """Set what the signs in these phrases mean; nothing where none is used.

    Parameters
    ----------
    phrases : iterable of Phrase
        Whose signs.
    paper : Paper
    holds : bool
        True where a fret stands in brackets for what is held over from before.
    """
    phrases = list(phrases)
    notes = [note for phrase in phrases for note in phrase.notes]
    used = [entry for entry in ENTRIES if any(entry.is_used(note) for note in notes)]
    drawn: list[tuple[Draw, str]] = [(entry.draw, entry.means) for entry in used]
    drawn += _of_strums(phrases)
    if holds:
        drawn.append((_word("(5)", 8.0, True), HELD))
    if any(rings(by_onset(phrase.notes)) for phrase in phrases):
        drawn.append((_ring, RINGS))
    column = paper.room / COLUMNS
    blocks = []
    for start in range(0, len(drawn), COLUMNS):
        sketch = Sketch()
        for k, (draw, means) in enumerate(drawn[start : start + COLUMNS]):
            x = paper.margin + column * k
            draw(sketch, x, ROW - 1.2)
            sketch.say(x + SIGN_ROOM, ROW - 1.2, means, 7, soft=True)
        blocks.append(sketch.block(ROW))
    return blocks

"""A card's small picture: its tab as it lies on the strings, without the words of a page."""

from collections.abc import Sequence

from juxtanote.core.collection.cards import Card, Drawn
from juxtanote.core.engrave.paper import Block, Sketch

GAP, LEFT, TOP = 1.7, 1.6, 1.0  # millimetres of a card's small staff
FRET_SIZE = 5.6  # points
LEAST_STEP = 3.1  # millimetres between two moments
HELD_TOGETHER = 0.02  # beats


def small_tab(card: Card, width: float) -> Block:
    """Draw as much of a card's tab as fits into `width` millimetres, its moments spread by time.

    Examples
    --------
    >>> from juxtanote.core.collection.cards import Card
    >>> card = Card("", "", 1, 0.0, "", "", 90.0, 0, (1,), (), "", (64,), (), picture="0,1,5")
    >>> [words.text for words in small_tab(card, 40.0).words]
    ['5']
    """
    sketch, drawn = Sketch(), card.drawn
    strings = max([card.string_count, *(row[1] for row in drawn)])
    bottom = TOP + GAP * (strings - 1)
    for index in range(strings):
        y = TOP + GAP * index
        sketch.line((0.0, y), (width, y), width=0.1, soft=True)
    places = _places(drawn, width)
    last: dict[int, float] = {}
    for (_, string, fret, words), x in zip(drawn, places, strict=False):
        y = TOP + GAP * (string - 1)
        if string in last and {"hammer-on", "pull-off"} & set(words):
            sketch.line((last[string] + 0.4, y - 1.0), (0.5 * (x + last[string]), y - 1.6),
                        (x - 0.4, y - 1.0), width=0.15)  # fmt: skip
        if "slide" in words and string in last:
            sketch.line((last[string] + 1.0, y + 0.5), (x - 1.0, y - 0.5), width=0.18)
        if {"bend", "pre-bend"} & set(words):
            sketch.line((x + 1.0, y), (x + 1.8, y - 2.0), width=0.18)
            sketch.fill((x + 1.8, y - 2.5), (x + 1.35, y - 1.7), (x + 2.25, y - 1.7))
        text = "×" if "dead" in words else str(fret)
        sketch.say(x, y + 0.7, text, FRET_SIZE, bold=True, anchor="middle", cleared=True)
        last[string] = x
    return sketch.block(bottom + TOP)


def _places(drawn: Sequence[Drawn], width: float) -> list[float]:
    """Spread the moments of a card over a width; those that have no room are left out."""
    if not drawn:
        return []
    end = max(drawn[-1][0], 1e-6)
    moments = 1 + sum(b[0] - a[0] > HELD_TOGETHER for a, b in zip(drawn, drawn[1:], strict=False))
    scale = max((width - 2 * LEFT - 2.0) / end, 0.0) if moments > 1 else 0.0
    places, x, before = [], LEFT, None
    for beats, *_ in drawn:
        if before is not None and beats - before > HELD_TOGETHER:
            x = max(x + LEAST_STEP, LEFT + beats * scale)
        if x > width - LEFT:
            break
        places.append(x)
        before = beats
    return places

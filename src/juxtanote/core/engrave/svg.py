"""Blocks as Scalable Vector Graphics (W3C, SVG 2), one picture a line; the page's styles colour them."""

from collections.abc import Sequence
from html import escape

from juxtanote.core.engrave.paper import POINT, Block, Paper, Words

ANCHORS = {"left": "start", "middle": "middle", "right": "end"}
SPOT_WIDTH = 4.2  # millimetres of what lights up while a note sounds


def block_svg(
    block: Block, paper: Paper, moments: Sequence[tuple[int, float, float, float]], line: int
) -> str:
    """Draw a block; `moments` are (number, x, top, bottom) of what can light up.

    Parameters
    ----------
    block : Block
        As drawn, mm.
    paper : Paper
        Size and margins in millimetres.
    moments : sequence of tuple
        Number, x, top and bottom (mm) of what can light up.
    line : int
        Its number on the page.
    """
    left, width = paper.margin - 8.0, paper.room + 16.0
    parts = [
        f'<svg viewBox="0 0 {_n(width)} {_n(block.height)}" data-line="{line}" aria-hidden="true" '
        f'focusable="false"><g transform="translate({_n(-left)} 0)">'
    ]
    for number, x, top, bottom in moments:
        parts.append(
            f'<rect class="spot" data-k="{number}" x="{_n(x - 0.5 * SPOT_WIDTH)}" y="{_n(top - 2)}" '
            f'width="{_n(SPOT_WIDTH)}" height="{_n(bottom - top + 4)}" rx="1"/>'
        )
    for stroke in block.strokes:
        dashes = ' stroke-dasharray="0.9 0.9"' if stroke.dashed else ""
        soft = ' class="s"' if stroke.soft else ""
        parts.append(
            f'<path{soft} stroke-width="{_n(stroke.width)}"{dashes} d="{_path(stroke.points)}"/>'
        )
    for shape in block.shapes:
        outlines = "".join(f"{_path(points)}Z" for points in shape.outlines)
        parts.append(f'<path class="f" fill-rule="evenodd" d="{outlines}"/>')
    parts += [_text(words) for words in block.words]
    if block.places:
        top, bottom = block.places[0][2:]
        parts.append(f'<path class="cursor" d="M0 {_n(top - 2)}V{_n(bottom + 2)}"/>')
    return "".join([*parts, "</g></svg>"])


def _text(words: Words) -> str:
    classes = " ".join(name for name, on in (("s", words.soft), ("c", words.cleared)) if on)
    named = f' class="{classes}"' if classes else ""
    bold = ' font-weight="600"' if words.bold else ""
    return (
        f'<text{named} x="{_n(words.x)}" y="{_n(words.y)}" font-size="{_n(words.size * POINT)}"{bold} '
        f'text-anchor="{ANCHORS[words.anchor]}">{escape(words.text)}</text>'
    )


def _path(points: Sequence[tuple[float, float]]) -> str:
    return "M" + "L".join(f"{_n(x)} {_n(y)}" for x, y in points)


def _n(value: float) -> str:
    return f"{value:.2f}".rstrip("0").rstrip(".")

"""Writes the outlines of the signs that stand on a staff, taken from the Noto Music font (OFL).

    python packaging/outlines.py

Needs fontTools. Curves become corners close enough that print does not show them; units are staff spaces,
down is positive, the origin is at the left on the line or space that the sign belongs to.
"""

import json
from pathlib import Path

from fontTools.pens.recordingPen import DecomposingRecordingPen
from fontTools.ttLib import TTFont

DATA = Path(__file__).resolve().parents[1] / "src" / "juxtanote" / "data"
FONT = DATA / "fonts" / "NotoMusic-Regular.ttf"
SIGNS = {"clef": 0x1D120, "sharp": 0x266F, "flat": 0x266D, "natural": 0x266E}
HEIGHTS = {"clef": 8.4, "sharp": 2.8, "flat": 2.45, "natural": 2.9}
"""In staff spaces; of the clef with its figure (common practice)."""
LINES = {"clef": 0.2, "flat": 0.55}
"""How far under its middle the line lies that a sign belongs to."""
STEPS = 6
Corners = list[tuple[float, float]]


def outlines(name: int, font: TTFont) -> list[Corners]:
    """Give the contours of a glyph, in the font's own units."""
    glyphs = font.getGlyphSet()
    pen = DecomposingRecordingPen(glyphs)
    glyphs[font.getBestCmap()[name]].draw(pen)
    contours: list[Corners] = []
    for operation, points in pen.value:
        if operation == "moveTo":
            contours.append([points[0]])
        elif operation == "lineTo":
            contours[-1].append(points[0])
        elif operation == "qCurveTo":
            _quadratic(contours[-1], list(points))
        elif operation == "curveTo":
            _cubic(contours[-1], *points)
    return contours


def _quadratic(contour: Corners, points: list[tuple[float, float]]) -> None:
    *offs, end = points
    for index, off in enumerate(offs):
        last = index + 1 == len(offs)
        nxt = (
            end if last else ((off[0] + offs[index + 1][0]) / 2, (off[1] + offs[index + 1][1]) / 2)
        )
        start = contour[-1]
        for k in range(1, STEPS + 1):
            t = k / STEPS
            contour.append(tuple(  # type: ignore[arg-type]
                (1 - t) ** 2 * a + 2 * t * (1 - t) * b + t * t * c
                for a, b, c in zip(start, off, nxt, strict=True)
            ))  # fmt: skip


def _cubic(contour: Corners, one: tuple, two: tuple, end: tuple) -> None:
    start = contour[-1]
    for k in range(1, STEPS + 1):
        t = k / STEPS
        contour.append(tuple(  # type: ignore[arg-type]
            (1 - t) ** 3 * a + 3 * t * (1 - t) ** 2 * b + 3 * t * t * (1 - t) * c + t**3 * d
            for a, b, c, d in zip(start, one, two, end, strict=True)
        ))  # fmt: skip


def main() -> None:
    """Write all of them."""
    font = TTFont(FONT)
    made = {}
    for name, number in SIGNS.items():
        contours = outlines(number, font)
        xs = [x for contour in contours for x, _ in contour]
        ys = [y for contour in contours for _, y in contour]
        scale = HEIGHTS[name] / (max(ys) - min(ys))
        middle = 0.5 * (max(ys) + min(ys)) - LINES.get(name, 0.0) / scale
        made[name] = [
            [(round((x - min(xs)) * scale, 3), round((middle - y) * scale, 3)) for x, y in contour]
            for contour in contours
        ]
    target = DATA / "engrave" / "outlines.json"
    target.parent.mkdir(exist_ok=True)
    target.write_text(json.dumps(made, separators=(",", ":")) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()

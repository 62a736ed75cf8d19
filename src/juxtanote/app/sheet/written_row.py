"""The written row: strings, fret numbers at their onsets, techniques in their measured shape, hands."""

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetrics, QPainter, QPainterPath, QPolygonF

from juxtanote.app.look.theme import MIDDLE, SMALL, TEXT, colour, drawn_font, pen
from juxtanote.app.sheet.geometry import LEFT, RIGHT
from juxtanote.app.sheet.ground import keep_off_names
from juxtanote.app.sheet.rows import Looks, NoteLook
from juxtanote.app.sheet.scene import LONGEST_RING_S, Scene, fret_box, fret_text, fret_width
from juxtanote.core.score.note import SLURS, Note
from juxtanote.core.score.signs import STROKE_SIGNS, bend_name
from juxtanote.core.score.sounding import cents_over_wire
from juxtanote.core.score.techniques import TABLE
from juxtanote.core.theory.pitch import pitch_name

SMALLEST_SHARE = 0.5  # fret numbers do not shrink further
ROUND_NOTE = 40.0  # pixels beside its line that a note's number and signs may take
HANDS_APART = 8  # pixels between two fingers or strokes: nearer ones are left out
STROKE_UNDER, FINGER_UNDER = 27, 43  # pixels under the last string
BENT = frozenset({"bend", "pre-bend"})
SHAPED = BENT | {"vibrato", "bar"}
JOINED = SLURS | {"slide"}  # drawn from the note before on the string
OFF_WIRE_CENTS, OTHER_FRET_CENTS = 8.0, 100.0  # less is in tune; more is another fret
FAR_UNDER = 2.0  # semitones that a glide from below is drawn
WORDS = tuple((t.name, t.brief) for t in TABLE if t.brief)  # over the strings, where it begins
SAID = frozenset(word for word, _ in WORDS)
LABELLED = frozenset({"tap", "bar", *BENT, *SAID})
TOGETHER_S = 0.03  # onsets so near are one stroke
MOST_AT_ONCE = 10  # notes of one stroke


@dataclass(frozen=True, slots=True)
class Label:
    """A small word and where it found room."""

    text: str
    weight: int
    left: float
    bottom: float
    until: float  # a dashed line goes there, if it is beyond the word


@dataclass(frozen=True, slots=True)
class Written:
    """What is drawn of one note; the last three hang on its neighbours as well."""

    own: tuple[object, ...]
    share: float  # of the room that its number would like
    labels: tuple[Label, ...]
    has_hands: bool  # whether its stroke and finger are shown


def written_looks(scene: Scene) -> Looks:
    """Give all that the written row is painted of."""
    g, notes = scene.geometry, scene.visible()
    share, labels, hands = crowding(scene, notes), _labels(scene, notes), _with_hands(scene, notes)
    looks = {}
    for n in notes:
        w = n.written
        before = scene.before.get(n.ident) if w.techniques & JOINED else None
        own = (
            n.onset_s, n.offset_s, n.is_doubtful, w.string, w.fret, w.techniques, w.bend_semitones,
            w.finger, w.stroke, "place" in w.locked, n.heard if w.techniques & SHAPED else None,
            (before.onset_s, before.written.fret) if before is not None else None,
        )  # fmt: skip
        begin = min(n.onset_s, before.onset_s) if before is not None else n.onset_s
        words = labels.get(n.ident, ())
        look = Written(own, share[n.ident], words, n.ident in hands)
        end = max([g.x(n.offset_s), *(word.until for word in words)])
        looks[n.ident] = NoteLook(look, g.x(begin) - ROUND_NOTE, end + ROUND_NOTE)
    return Looks((g, scene.context.guitar), looks)


def paint_written(painter: QPainter, scene: Scene, notes: Sequence[Note], looks: Looks) -> None:
    """Draw string lines, fret numbers at their onsets and techniques in their measured shape."""
    _strings(painter, scene)
    _hand_names(painter, scene)
    keep_off_names(painter, scene.geometry)
    known: dict[int, Written] = {i: look.values for i, look in looks.notes.items()}  # type: ignore[misc]
    for note in notes:
        _sounding_line(painter, scene, note)
    for note in notes:
        _techniques(painter, scene, note, scene.before.get(note.ident))
        for label in known[note.ident].labels:
            _label(painter, label)
    for note in notes:
        paint_fret_number(painter, scene, note, known[note.ident].share)
    _hands(painter, scene, [note for note in notes if known[note.ident].has_hands])


def shares(looks: Looks) -> dict[int, float]:
    """Give for every note the share of its room that its number has in a row painted of these looks."""
    return {
        ident: look.values.share
        for ident, look in looks.notes.items()
        if isinstance(look.values, Written)
    }


def _strings(painter: QPainter, scene: Scene) -> None:
    g = scene.geometry
    painter.setFont(drawn_font(TEXT - 1))
    for string in range(1, g.strings + 1):
        y = g.string_y(string)
        painter.setPen(pen("rule", 1.0 + 0.13 * string))
        painter.drawLine(QPointF(LEFT, y), QPointF(g.width - RIGHT, y))
        painter.setPen(colour("soft"))
        name = pitch_name(scene.context.guitar.tuning[-string])[:-1]
        painter.drawText(
            QRectF(0, y - 9, LEFT - 10, 18),
            int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
            name,
        )


def _sounding_line(painter: QPainter, scene: Scene, note: Note) -> None:
    g = scene.geometry
    y = g.string_y(note.written.string)
    if "dead" in note.written.techniques:
        return
    style = Qt.PenStyle.DashLine if note.is_doubtful else Qt.PenStyle.SolidLine
    painter.setPen(pen("doubt" if note.is_doubtful else "written", 1.7, style))
    painter.drawLine(QPointF(g.x(note.onset_s), y), QPointF(g.x(note.offset_s) - 2, y))


def crowding(scene: Scene, notes: Sequence[Note]) -> dict[int, float]:
    """Give for every note the share of its number's width that its neighbours on the string leave it."""
    share = dict.fromkeys((note.ident for note in notes), 1.0)
    last: dict[int, tuple[int, float, float]] = {}  # by string: note, where it stands and how wide
    for note in notes:
        here = note.ident, scene.geometry.x(note.onset_s), fret_width(note)
        before = last.get(note.written.string)
        last[note.written.string] = here
        if before is None:
            continue
        left = max(here[1] - before[1], 1.0) / (0.5 * (before[2] + here[2]))
        if left < 1.0:
            for ident in (before[0], note.ident):
                share[ident] = max(min(share[ident], left), SMALLEST_SHARE)
    return share


def paint_fret_number(
    painter: QPainter, scene: Scene, note: Note, share: float, *, marked: bool = False
) -> None:
    """Draw a fret number in the break of its string; marked, with what hangs on the selection."""
    whole = fret_box(scene, note)
    narrower = 0.5 * (1.0 - share) * whole.width()
    box = whole.adjusted(narrower, 0.0, -narrower, 0.0)
    chosen = marked and note.ident in scene.selected
    painter.setBrush(colour("panel") if chosen else colour("paper"))
    painter.setPen(pen("ink", 1.6) if chosen else Qt.PenStyle.NoPen)
    painter.drawRoundedRect(box, 4, 4)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    grace = "grace" in note.written.techniques
    painter.setFont(drawn_font(round((MIDDLE if grace else MIDDLE + 3) * share), 600))
    painter.setPen(colour("doubt" if note.is_doubtful else "ink"))
    painter.drawText(whole, Qt.AlignmentFlag.AlignCenter, fret_text(note))
    if "place" in note.written.locked:
        painter.setPen(pen("ink", 1.6))
        painter.drawLine(
            QPointF(box.left() + 3, box.bottom() + 1), QPointF(box.right() - 3, box.bottom() + 1)
        )
    if marked and note.ident in scene.changed:
        painter.setPen(pen("written", 1.2, Qt.PenStyle.DotLine))
        painter.drawRoundedRect(box.adjusted(-2, -2, 2, 2), 5, 5)


def _techniques(painter: QPainter, scene: Scene, note: Note, before: Note | None) -> None:
    g, tags = scene.geometry, note.written.techniques
    x, y = g.x(note.onset_s), g.string_y(note.written.string)
    painter.setPen(pen("written", 1.6))
    if tags & SLURS and before is not None:
        _slur(painter, g.x(before.onset_s), x, y - 11, "T" if "tap" in tags else "")
    if "slide" in tags:
        start = max(g.x(before.onset_s) + 12, x - 34) if before is not None else x - 24
        up = before is None or before.written.fret < note.written.fret
        tilt = 6 if up else -6
        painter.setPen(pen("written", 1.8))
        painter.drawLine(QPointF(start, y + tilt), QPointF(x - 11, y - tilt))
    if tags & SHAPED:
        points = _shape(scene, note)
        painter.setPen(pen("written", 1.8))
        painter.drawPolyline(QPolygonF(points[:: max(len(points) // 160, 1)]))
    if "staccato" in tags:
        painter.setBrush(colour("written"))
        painter.drawEllipse(QPointF(x, y - 14), 1.8, 1.8)
        painter.setBrush(Qt.BrushStyle.NoBrush)


def _slur(painter: QPainter, start: float, end: float, y: float, sign: str) -> None:
    height = min(10.0, 0.28 * (end - start))
    path = QPainterPath(QPointF(start + 2, y))
    path.quadTo(QPointF(0.5 * (start + end), y - 2 * height), QPointF(end - 2, y))
    painter.drawPath(path)
    if sign:
        painter.setFont(drawn_font(SMALL, 600))
        painter.drawText(QPointF(0.5 * (start + end) - 3, y - height - 2), sign)


def _labels(scene: Scene, notes: Sequence[Note]) -> dict[int, tuple[Label, ...]]:
    """Find room for every small word: each stands clear of those of the notes before it."""
    taken: list[QRectF] = []
    found: dict[int, tuple[Label, ...]] = {}
    begun = words_begun(scene.phrase.notes, notes)
    for note in notes:
        if not note.written.techniques & LABELLED:
            continue
        wanted = _wanted(scene, note, begun.get(note.ident, {}))
        labels = tuple(placed(*word, taken) for word in wanted)
        if labels:
            found[note.ident] = labels
    return found


def words_begun(every: Sequence[Note], shown: Sequence[Note]) -> dict[int, dict[str, float]]:
    """Find which words are said over the notes that are shown, and up to which onset they hold.

    A word is said once a stroke, where the one before goes without it, on whatever string; one that began
    before what is shown, at its first note there. Both are by onset, and what is shown is a part of
    every note.
    """
    if not shown:
        return {}
    found: dict[int, dict[str, float]] = {}
    holding: dict[str, dict[str, float]] = {}  # of each word that was said: up to when it holds
    wanted, last = {note.ident for note in shown}, shown[-1].onset_s
    first = bisect_left(every, shown[0].onset_s - LONGEST_RING_S, key=lambda n: n.onset_s)
    earlier, current, began_s = frozenset[str](), frozenset[str](), -1e9
    for note in every[max(first - MOST_AT_ONCE, 0) :]:
        if note.onset_s > last:
            break
        if note.onset_s - began_s >= TOGETHER_S:
            earlier, current, began_s = current, frozenset(), note.onset_s
        words = note.written.techniques & SAID
        for word in words - earlier - current:
            holding.pop(word, None)
        for word in words:
            if word not in holding and note.ident in wanted:
                holding[word] = found.setdefault(note.ident, {})
            if word in holding:
                holding[word][word] = note.onset_s
        current |= words
    return found


def _wanted(
    scene: Scene, note: Note, begun: dict[str, float]
) -> list[tuple[str, int, float, float, float]]:
    """List the small words of a note: text, weight, where it would like to stand, how far it holds."""
    g, tags, before = scene.geometry, note.written.techniques, scene.before.get(note.ident)
    x, y = g.x(note.onset_s), g.string_y(note.written.string)
    wanted = []
    if "tap" in tags and before is None:
        wanted.append(("T", 500, x, y - 14, x))
    if tags & BENT and note.heard.midi:
        peak = min(_shape(scene, note), key=lambda p: p.y())
        wanted.append((bend_name(note.written.bend_semitones), 600, peak.x(), peak.y() - 4, x))
    for word, sign in WORDS:
        if word in begun:  # scrolled into its middle, it stands at the edge
            at, until = (
                max(x, LEFT + 0.5 * _width(sign, 500)),
                min(g.x(begun[word]), g.width - RIGHT),
            )
            if until >= LEFT:
                wanted.append((sign, 500, at, g.strings_top - 14, until))
    if "bar" in tags:
        off = cents_over_wire(note, scene.context.guitar)
        word = f"S {off:+.0f} ¢" if OFF_WIRE_CENTS <= abs(off) < OTHER_FRET_CENTS else "S"
        wanted.append((word, 500, x, y - 14, x))
    return wanted


def placed(text: str, weight: int, x: float, y: float, until: float, taken: list[QRectF]) -> Label:
    """Place a small word, moved up with its line until it stands clear of the others, which it joins."""
    width = _width(text, weight)
    box = QRectF(x - width / 2, y - 10, width, 12)
    box.setRight(max(box.right(), until))
    for _ in range(4):
        if not any(box.intersects(other) for other in taken):
            break
        box.translate(0, -12)
    taken.append(box)
    return Label(text, weight, box.left(), box.bottom() - 2, until)


@lru_cache(maxsize=256)
def _width(text: str, weight: int) -> int:
    return QFontMetrics(drawn_font(SMALL, weight)).horizontalAdvance(text)


def _label(painter: QPainter, label: Label) -> None:
    painter.setFont(drawn_font(SMALL, label.weight))
    painter.setPen(colour("written"))
    painter.drawText(QPointF(label.left, label.bottom), label.text)
    begins, y = label.left + _width(label.text, label.weight) + 4, label.bottom - 4
    if label.until > begins:
        painter.setPen(pen("written", 1.0, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(begins, y), QPointF(label.until, y))
        painter.drawLine(QPointF(label.until, y), QPointF(label.until, y + 4))


def _shape(scene: Scene, note: Note) -> list[QPointF]:
    """Give the line of bend, release and vibrato as they were measured, a semitone a fixed height."""
    g, tags = scene.geometry, note.written.techniques
    y = g.string_y(note.written.string)
    height = g.semitone_height
    lift, lowest = 4.0, -FAR_UNDER if "bar" in tags else -0.6
    points = [
        QPointF(g.x(note.onset_s + t), y - lift - max(c / 100.0, lowest) * height)
        for t, c in note.heard.curve
        if note.onset_s + t <= note.offset_s and g.x(note.onset_s + t) > g.x(note.onset_s) + 9
    ]
    amount = note.written.bend_semitones
    if len(points) < 3:
        x, end = g.x(note.onset_s) + 10, g.x(note.offset_s) - 2
        peak = y - lift - amount * height
        points = [QPointF(x, y - lift), QPointF(0.6 * x + 0.4 * end, peak), QPointF(end, peak)]
    if not tags & {"bend", "pre-bend"}:
        # A shake on a plain note is drawn over the string, where no number can cover it.
        # A bar glides from where it comes to where it stays.
        stays = points[len(points) // 2 :] if "bar" in tags else points
        shift = y - 13 - (sum(p.y() for p in stays) / len(stays))
        points = [QPointF(p.x(), p.y() + shift) for p in points]
    return points


def _with_hands(scene: Scene, notes: Sequence[Note]) -> frozenset[int]:
    """Find the notes whose stroke and finger are shown: those of a chord would lie over each other."""
    shown, last_x = set(), -1e9
    for note in notes:
        x = scene.geometry.x(note.onset_s)
        if x >= LEFT - 6 and x - last_x >= HANDS_APART:
            shown.add(note.ident)
            last_x = x
    return frozenset(shown)


def _hand_names(painter: QPainter, scene: Scene) -> None:
    painter.setFont(drawn_font(SMALL))
    painter.setPen(colour("soft"))
    right = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    for name, under in (("stroke", STROKE_UNDER), ("finger", FINGER_UNDER)):
        y = scene.geometry.strings_bottom + under
        painter.drawText(QRectF(0, y - 12, LEFT - 10, 16), right, name)


def _hands(painter: QPainter, scene: Scene, notes: Sequence[Note]) -> None:
    """Write strokes and fingers under the strings."""
    g = scene.geometry
    painter.setFont(drawn_font(SMALL))
    painter.setPen(colour("soft"))
    for note in notes:
        x, y = g.x(note.onset_s), g.strings_bottom
        painter.drawText(
            QPointF(x - 4, y + STROKE_UNDER), STROKE_SIGNS.get(note.written.stroke, "")
        )
        painter.drawText(QPointF(x - 3, y + FINGER_UNDER), note.written.finger)

"""What one painting of the sheet needs, and where numbers of notes stand."""

from bisect import bisect_left
from dataclasses import dataclass, field

from PyQt6.QtCore import QPointF, QRectF

from juxtanote.app.sheet.geometry import Geometry
from juxtanote.core.score.lesson import Context, Phrase
from juxtanote.core.score.note import Note

LONGEST_RING_S = 20.0  # a note that is damped by nothing still ends


@dataclass(frozen=True, slots=True)
class Scene:
    """What one painting of the sheet needs."""

    context: Context
    phrase: Phrase
    geometry: Geometry
    selected: frozenset[int]
    changed: frozenset[int] = frozenset()  # notes that just moved by themselves
    others: tuple[Phrase, ...] = ()  # of other parts, drawn pale
    before: dict[int, Note] = field(default_factory=dict)  # the note before on the same string
    loudest_db: float = -12.0

    def visible(self) -> list[Note]:
        """List notes that are on screen; the phrase is sorted by onset."""
        g, notes = self.geometry, self.phrase.notes
        first = bisect_left(notes, g.start_s - LONGEST_RING_S, key=lambda n: n.onset_s)
        last = bisect_left(notes, g.end_s + 0.5, key=lambda n: n.onset_s)
        return [n for n in notes[first:last] if n.offset_s >= g.start_s - 0.5]


def fret_text(note: Note) -> str:
    """Give what stands in the break of the string line."""
    if "dead" in note.written.techniques:
        return "×"
    text = str(note.written.fret)
    return f"⟨{text}⟩" if "natural-harmonic" in note.written.techniques else text


def fret_width(note: Note) -> float:
    """Give how wide a fret number would like to be, in pixels."""
    return 7.0 + 9.5 * len(fret_text(note))


def fret_box(scene: Scene, note: Note) -> QRectF:
    """Give the box of a fret number, centred on its onset and string."""
    g, width = scene.geometry, fret_width(note)
    return QRectF(g.x(note.onset_s) - width / 2, g.string_y(note.written.string) - 10, width, 20)


def notes_before(phrase: Phrase) -> dict[int, Note]:
    """Find for every note the one before it on the same string."""
    found: dict[int, Note] = {}
    last: dict[int, Note] = {}
    for note in phrase.notes:
        earlier = last.get(note.written.string)
        if earlier is not None and earlier.onset_s < note.onset_s - 1e-9:
            found[note.ident] = earlier
        last[note.written.string] = note
    return found


EDGE_PIXELS = 6  # so near to an edge of a note the mouse takes hold of it


def note_under(scene: Scene, position: QPointF) -> tuple[Note, str] | None:
    """Find the note under a point, and whether its onset, its end or the whole of it is meant."""
    g = scene.geometry
    for note in reversed(scene.visible()):
        box = fret_box(scene, note)
        if box.contains(position):
            return note, "note"
    for note in reversed(scene.visible()):
        y = g.string_y(note.written.string)
        heard = abs(g.pitch_y(note.heard.midi) - position.y()) < 8 and position.y() < g.heard_bottom
        if abs(y - position.y()) < 10 or heard:
            if abs(g.x(note.offset_s) - position.x()) <= EDGE_PIXELS:
                return note, "offset"
            if abs(g.x(note.onset_s) - position.x()) <= EDGE_PIXELS and heard:
                return note, "onset"
            if g.x(note.onset_s) <= position.x() <= g.x(note.offset_s):
                return note, "note"
    return None

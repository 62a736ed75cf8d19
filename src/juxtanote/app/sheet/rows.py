"""Pictures of the sheet's rows: an edit paints only the stripe in which notes look otherwise."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPixmap

from juxtanote.app.sheet.scene import Scene
from juxtanote.core.score.note import Note

WIDE_PART = 0.6  # of the sheet: a stripe wider than this is as much work as all of it


@dataclass(frozen=True, slots=True)
class NoteLook:
    """All that one row draws of one note, and the edges of what it may take, in pixels."""

    values: object
    left: float
    right: float


@dataclass(frozen=True, slots=True)
class Looks:
    """All that a row is painted of: what its notes share, and each note's own by its ident."""

    shared: object
    notes: dict[int, NoteLook] = field(default_factory=dict)

    def differing(self, other: "Looks") -> list[NoteLook]:
        """List the looks that one of two rows has and the other has not."""
        idents = self.notes.keys() | other.notes.keys()
        pairs = [(other.notes.get(ident), self.notes.get(ident)) for ident in idents]
        return [look for pair in pairs if pair[0] != pair[1] for look in pair if look is not None]


@dataclass(frozen=True, slots=True)
class Surface:
    """What pictures are painted on: how to begin one, and what all of them depend on."""

    blank: Callable[[], QPixmap]
    painter_on: Callable[[QPixmap], QPainter]
    kind: object  # colours, size and density: where they differ, no picture holds


Paint = Callable[[QPainter, Scene, Sequence[Note], Looks], None]


class Row:
    """One row of the sheet, as a picture that is kept until what it shows differs."""

    def __init__(self, look_at: Callable[[Scene], Looks], paint: Paint) -> None:
        """Make a row of what tells how notes look, and what paints those that it is given."""
        self._look_at, self._paint = look_at, paint
        self._kind: object = None
        self.picture: QPixmap | None = None
        self.looks = Looks(None)

    def refresh(self, scene: Scene, surface: Surface) -> bool:
        """Paint what differs from the picture; tell whether anything did."""
        looks, before = self._look_at(scene), self.looks
        stands = self.picture is not None and self._kind == surface.kind
        if stands and looks.shared == before.shared:
            differing = looks.differing(before)
            if not differing:
                return False
            left = math.floor(min(look.left for look in differing))
            right = math.ceil(max(look.right for look in differing))
            self.looks = looks
            if right - left < WIDE_PART * scene.geometry.width:
                self._paint_stripe(scene, surface, left, right)
                return True
        self._kind, self.looks = surface.kind, looks
        self.picture = surface.blank()
        painter = surface.painter_on(self.picture)
        self._paint(painter, scene, scene.visible(), looks)
        painter.end()
        return True

    def is_old(self, scene: Scene, surface: Surface) -> bool:
        """Tell whether the picture shows something else than the scene."""
        return (
            self.picture is None or self._kind != surface.kind or self.looks != self._look_at(scene)
        )

    def _paint_stripe(self, scene: Scene, surface: Surface, left: int, right: int) -> None:
        assert self.picture is not None
        notes = [
            note
            for note in scene.visible()
            if (look := self.looks.notes[note.ident]).left <= right and look.right >= left
        ]
        painter = surface.painter_on(self.picture)
        stripe = QRectF(left, 0.0, right - left, scene.geometry.height)
        painter.setClipRect(stripe)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Clear)
        painter.fillRect(stripe.adjusted(-2.0, -2.0, 2.0, 2.0), Qt.GlobalColor.transparent)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        self._paint(painter, scene, notes, self.looks)
        painter.end()

"""What stands still under the playhead is painted once, and never shown when it is old."""

import unittest

import numpy as np
from PyQt6.QtGui import QImage, QPainter

from juxtanote.app.desks import CHECK, HEAR, PLACE
from juxtanote.app.widgets.under_playhead import UnderPlayhead
from tests.app import wait_until
from tests.app.windows import RATE, WindowTest


class Counted(UnderPlayhead):
    """Counts how often it is painted."""

    def __init__(self) -> None:
        super().__init__()
        self.painted, self.at = 0, 10.0

    def paint_still(self, painter: QPainter) -> None:
        self.painted += 1
        painter.fillRect(self.rect(), 0xFFFFFF)

    def playhead(self) -> tuple[float, float, float] | None:
        return (self.at, 0.0, float(self.height())) if self.at >= 0.0 else None


def dark_columns(image: QImage) -> set[int]:
    """Give the columns that a line goes down in."""
    row = [image.pixelColor(x, image.height() // 2).lightness() for x in range(image.width())]
    return {x for x, light in enumerate(row) if light < 128}


class TestThePlayhead(WindowTest):
    def test_it_moves_over_a_picture_that_is_kept(self) -> None:
        widget = Counted()
        widget.resize(100, 40)
        widget.show()
        self.assertTrue(wait_until(lambda: widget.painted > 0, 5_000))
        painted = widget.painted
        for at in (20.5, 50.5, 80.5, -1.0, 30.5):
            widget.at = at
            widget.move_playhead()
            self.settle()
            seen = dark_columns(widget.grab().toImage())
            self.assertEqual(seen, {int(at)} if at >= 0.0 else set())
        self.assertEqual(widget.painted, painted)
        widget.update()
        self.assertTrue(wait_until(lambda: widget.painted > painted, 5_000))
        widget.close()


class TestNothingOldIsShown(WindowTest):
    """After whatever is done, a desk looks as if all of it were painted anew."""

    ACTIONS = (
        "next_note", "vibrato", "zoom_in", "next_phrase", "thicker", "undo", "zoom_all", "end_later",
        "beat_later", "previous_phrase", "select_all", "bend", "delete", "undo", "mark_spot", "faster",
        "only_tab", "keep",
    )  # fmt: skip

    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        rng = np.random.default_rng(4)
        self.give_sound(0.1 * rng.standard_normal((2, 8 * RATE)).astype(np.float32))
        self.settle()

    def test_on_the_desks(self) -> None:
        window = self.window
        for desk in (HEAR, PLACE, CHECK):
            window.show_desk(desk)
            self.settle()
            widgets = {HEAR: [window.hear.strip], PLACE: [window.place.sheet, window.strip]}
            shown = widgets.get(desk) or [window.check.picture, window.strip]
            for name in self.ACTIONS:
                with self.subTest(desk=desk, action=name):
                    if name == "undo":
                        self.document.undo_stack.undo()
                    elif window.actions_by_name[name].isEnabled():
                        window.actions_by_name[name].trigger()
                    window.transport.seek(1.0 + 0.1 * len(name))
                    wait_until(lambda: False, 60)
                    for widget in shown:
                        kept = widget.grab().toImage()
                        widget._still = None  # as if it were painted for the first time
                        self.assertEqual(kept, widget.grab().toImage(), type(widget).__name__)


if __name__ == "__main__":
    unittest.main()

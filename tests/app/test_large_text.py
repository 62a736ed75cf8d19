"""Text twice as large, and recordings ten minutes long: nothing is cut off or lies over each other."""

import unittest

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from juxtanote.app.desks import DESKS, PLACE
from juxtanote.app.look import theme
from juxtanote.app.widgets.roomy import LEAST
from juxtanote.app.widgets.strip import Strip
from tests.app import application
from tests.app.windows import WindowTest


class TestLargeText(WindowTest):
    def setUp(self) -> None:
        theme.apply(application, False, text_scale=2.0)
        super().setUp()

    def doCleanups(self) -> bool | None:  # type: ignore[override]
        theme.apply(application, False, text_scale=1.0)
        return super().doCleanups()

    def test_a_desk_has_twice_the_room_and_scrolls_for_it(self) -> None:
        self.window.resize(1280, 800)
        for index, name in enumerate(DESKS):
            with self.subTest(desk=name):
                self.window.show_desk(index)
                size = self.window.desks_area.widget().size()  # type: ignore[union-attr]
                self.assertGreaterEqual(size.width(), 2 * LEAST[0])
                self.assertGreaterEqual(size.height(), 2 * LEAST[1])
                bar = self.window.desks_area.verticalScrollBar()
                assert bar is not None
                self.assertGreater(bar.maximum(), 0)

    def test_a_click_meets_the_note_that_is_drawn_there(self) -> None:
        self.open_small()
        self.window.show_desk(PLACE)
        sheet = self.window.place.sheet
        phrase = self.window.document.phrase
        assert phrase is not None
        g, note = sheet.geometry_now(), phrase.notes[1]
        spot = QPointF(g.x(note.onset_s), g.string_y(note.written.string)) * theme.scale()
        QTest.mouseClick(sheet, Qt.MouseButton.LeftButton, pos=spot.toPoint())
        self.assertEqual(self.window.document.selected, (note.ident,))


class TestLongRecordings(unittest.TestCase):
    def test_numbers_of_bars_have_room(self) -> None:
        """Ten minutes at 120 beats a minute are 300 bars on 1,240 pixels."""
        for width in (0.5, 2.0, 4.1, 11.0, 29.0, 31.0, 200.0):
            with self.subTest(pixels_a_bar=width):
                every = Strip._numbered_every(width)
                self.assertGreater(every * width, theme.px(30))
                self.assertTrue(every == 1 or every * width / 2 <= theme.px(30))

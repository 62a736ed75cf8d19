"""What is painted: in the right place, in the right colour, at any size."""

import contextlib
import random
import unittest
from collections.abc import Callable
from dataclasses import replace
from unittest import mock

from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF
from PyQt6.QtGui import QColor, QImage, QPainter, QPixmap
from PyQt6.QtWidgets import QApplication

from juxtanote.app.desks import CHECK, HEAR, PLACE, TEACH
from juxtanote.app.look import theme
from juxtanote.app.look.engraved import measure_words
from juxtanote.app.sheet.geometry import LEFT, Geometry, pitch_range
from juxtanote.app.sheet.heard_row import _crosses
from juxtanote.app.sheet.rows import Row
from juxtanote.app.sheet.scene import fret_box, notes_before
from juxtanote.app.sheet.written_row import crowding, placed, words_begun, written_looks
from juxtanote.app.shell import Shell
from juxtanote.app.teach.paper import paint_page
from juxtanote.app.widgets.names import PhraseNames, label_height
from juxtanote.app.widgets.neck import Neck
from juxtanote.app.widgets.slider import LineSlider
from juxtanote.core.formats.pages import lay_out
from juxtanote.core.score import edits, note_edits
from juxtanote.core.score.lesson import Phrase
from juxtanote.core.score.sounding import cents_over_wire
from juxtanote.core.score.techniques import TECHNIQUES
from juxtanote.core.theory.tuning import Guitar
from tests.app import application, wait_until
from tests.app.windows import WindowTest
from tests.lessons import bent, note, small_lesson


def contrast(one: str, other: str) -> float:
    """Give the contrast ratio of two colours (WCAG 2.1, relative luminance)."""

    def luminance(name: str) -> float:
        parts = [QColor(name).redF(), QColor(name).greenF(), QColor(name).blueF()]
        linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    high, low = sorted((luminance(one), luminance(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def has_colour(image: QImage, name: str, left: int, top: int, right: int, bottom: int) -> bool:
    """Tell whether a colour, or nearly it, is somewhere in a part of a picture."""
    wanted = QColor(name)
    for x in range(max(left, 0), min(right, image.width())):
        for y in range(max(top, 0), min(bottom, image.height())):
            seen = image.pixelColor(x, y)
            gap = abs(seen.red() - wanted.red()) + abs(seen.green() - wanted.green())
            if gap + abs(seen.blue() - wanted.blue()) < 40:
                return True
    return False


class TestTheme(unittest.TestCase):
    def test_text_can_be_read_in_both_variants(self) -> None:
        """WCAG 2.1, success criterion 1.4.3: 4.5 to 1 for text."""
        for variant in (theme.LIGHT, theme.DARK):
            for ground in (variant.paper, variant.panel):
                for ink in (
                    variant.ink,
                    variant.soft,
                    variant.heard,
                    variant.written,
                    variant.doubt,
                ):
                    with self.subTest(ground=ground, ink=ink):
                        self.assertGreaterEqual(contrast(ground, ink), 4.5)

    def test_the_fonts_that_ship_are_used(self) -> None:
        from PyQt6.QtGui import QFontDatabase

        self.assertIn("IBM Plex Sans", QFontDatabase.families())
        self.assertEqual(theme.font(13).family(), "IBM Plex Sans")

    def test_dark_and_back(self) -> None:
        assert isinstance(application, QApplication)
        theme.apply(application, dark=True)
        self.assertEqual(theme.theme().paper, theme.DARK.paper)
        theme.apply(application, dark=False)
        self.assertEqual(theme.theme().paper, theme.LIGHT.paper)

    def test_the_frame_paints_and_asks_for_the_window(self) -> None:
        shell = Shell()
        asked: list[bool] = []
        shell.painted.connect(lambda: asked.append(True))
        shell.show()
        self.assertFalse(shell.grab().isNull())
        QApplication.processEvents()
        self.assertTrue(asked)
        shell.close()


class TestGeometry(unittest.TestCase):
    def test_times_and_pixels_turn_back(self) -> None:
        g = Geometry(900, 500, 2.0, 150.0, 50.0, 70.0, 6)
        for seconds in (2.0, 3.7, 6.1):
            self.assertAlmostEqual(g.seconds(g.x(seconds)), seconds)
        self.assertGreater(g.pitch_y(50), g.pitch_y(70))

    def test_rows_do_not_overlap_at_any_height(self) -> None:
        for height in (420, 520, 700, 1100):
            for strings in (4, 6, 7, 9):
                g = Geometry(900, height, 0.0, 100.0, 50.0, 70.0, strings)
                with self.subTest(height=height, strings=strings):
                    self.assertLess(g.heard_bottom, g.written_top)
                    self.assertLess(g.written_top, g.strings_top)
                    self.assertLess(g.strings_bottom, g.counted_top)
                    self.assertGreater(g.heard_bottom, 60 if strings < 9 else 20)

    def test_the_heard_row_holds_every_pitch(self) -> None:
        phrase = Phrase(1, "x", 0.0, 9.0).with_notes(
            [note(1, 1.0, 6, 0), note(2, 2.0, 1, 20, "bend", bend=3.0)]
        )
        low, high = pitch_range(phrase, Guitar())
        self.assertLess(low, 40)
        self.assertGreater(high, 64 + 20 + 3)
        self.assertLess(pitch_range(None, Guitar())[0], 40)


class TestMeasuredWords(unittest.TestCase):
    def test_a_line_crosses_what_it_runs_through_and_nothing_beside(self) -> None:
        ground = QRectF(100.0, 40.0, 80.0, 12.0)
        flat = [QPointF(50.0, 45.0), QPointF(300.0, 45.0)]
        self.assertTrue(_crosses(ground, flat))
        self.assertFalse(_crosses(ground, [p + QPointF(0.0, 14.0) for p in flat]))
        self.assertFalse(_crosses(ground, [QPointF(10.0, 45.0), QPointF(90.0, 45.0)]))


class TestSheetPicture(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        self.window.show_desk(PLACE)
        self.sheet = self.window.place.sheet

    def _picture(self) -> QImage:
        return self.sheet.grab().toImage()

    def test_fret_numbers_stand_at_their_onsets(self) -> None:
        scene = self.sheet.scene()
        assert scene is not None
        for inside in scene.phrase.notes:
            box = fret_box(scene, inside)
            self.assertAlmostEqual(box.center().x(), scene.geometry.x(inside.onset_s), delta=0.01)
            self.assertAlmostEqual(
                box.center().y(), scene.geometry.string_y(inside.written.string), delta=0.01
            )

    def test_what_is_counted_follows_a_moved_onset(self) -> None:
        self.window.document.select((self.window.document.phrase.notes[1].ident,))
        before = self._picture()
        bottom = QRect(0, int(self.sheet.geometry_now().counted_top), before.width(), 90)
        for _ in range(20):
            self.window.place.notes.shift("onset", 0.01)
        self._picture()
        self.assertTrue(wait_until(lambda: not self.sheet._count_later.isActive()))
        followed = self._picture().copy(bottom)
        for row in self.sheet._rows:
            row.picture = None
        self.sheet._redraw()
        self.assertEqual(followed, self._picture().copy(bottom))
        self.assertNotEqual(followed, before.copy(bottom))

    def test_a_stripe_is_painted_as_the_whole_row_would_be(self) -> None:
        """Random edits: what is painted of what differs is what painting all anew gives, to the pixel."""
        rng = random.Random(5)
        phrase = self.document.phrase
        assert phrase is not None
        many = [
            note(k + 1, 2.0 + 0.12 * k, 1 + rng.randrange(6), rng.randrange(15), length_s=0.11)
            for k in range(50)
        ]
        longer = replace(phrase, end_s=8.2, status="placed").with_notes(many)
        self.document.change("x", lambda l: l.with_phrase(longer))
        self.sheet.zoom(1.6)
        edits = (
            lambda n: replace(n, written=replace(n.written, fret=rng.randrange(15))),
            lambda n: replace(n, written=replace(n.written, string=1 + rng.randrange(6))),
            lambda n: replace(
                n, heard=replace(n.heard, onset_s=n.onset_s + rng.uniform(-0.02, 0.02))
            ),
            lambda n: replace(n, heard=replace(n.heard, confidence=rng.choice((0.2, 0.9)))),
            lambda n: replace(
                n, written=replace(n.written, finger=rng.choice("1234"), stroke="down")
            ),
            lambda n: replace(
                n,
                written=replace(n.written, techniques=frozenset({rng.choice(sorted(TECHNIQUES))})),
            ),
            lambda n: bent(n, 200.0),
        )
        stripes = 0
        for step in range(40):
            current = self.document.phrase
            assert current is not None
            chosen, edit = rng.choice(current.notes), rng.choice(edits)
            notes = [edit(n) if n is chosen else n for n in current.notes]
            stripe = Row._paint_stripe
            with mock.patch.object(
                Row, "_paint_stripe", autospec=True, side_effect=stripe
            ) as painted:
                self.document.change("x", lambda l: l.with_phrase(current.with_notes(notes)))
                self._picture()
            stripes += painted.call_count
            followed = [row.picture.toImage() for row in self.sheet._rows[:3]]
            for row in self.sheet._rows:
                row.picture = None
            self.sheet._redraw()
            self._picture()
            for number, row in enumerate(self.sheet._rows[:3]):
                self.assertEqual(followed[number], row.picture.toImage(), (step, number, chosen))
        self.assertGreater(stripes, 30)

    def test_crowded_fret_numbers_shrink_and_do_not_touch(self) -> None:
        scene = self.sheet.scene()
        assert scene is not None
        second = 0.62 * 26.0 / (scene.geometry.x(1.0) - scene.geometry.x(0.0))
        near = [note(1, 2.0, 4, 10), note(2, 2.0 + second, 4, 12), note(3, 3.9, 4, 7)]
        share = crowding(scene, near)
        self.assertAlmostEqual(share[1], 0.62, delta=0.01)
        self.assertEqual((share[1], share[3]), (share[2], 1.0))
        halves = [0.5 * share[n.ident] * fret_box(scene, n).width() for n in near[:2]]
        apart = scene.geometry.x(near[1].onset_s) - scene.geometry.x(near[0].onset_s)
        self.assertLessEqual(sum(halves), apart + 0.01)
        other = [near[0], note(2, 2.0 + second, 3, 12)]  # on another string there is room
        self.assertEqual(set(crowding(scene, other).values()), {1.0})

    def test_a_bend_is_drawn_over_its_string(self) -> None:
        phrase = self.document.phrase
        assert phrase is not None
        target = bent(phrase.notes[2], 200.0)
        notes = [target if n.ident == target.ident else n for n in phrase.notes]
        self.document.change("x", lambda l: l.with_phrase(phrase.with_notes(notes)))
        scene = self.sheet.scene()
        assert scene is not None
        g = scene.geometry
        x = int(g.x(target.onset_s + 0.3))
        top = int(g.string_y(2) - 4 - 2 * g.semitone_height)
        self.assertTrue(
            has_colour(self._picture(), theme.LIGHT.written, x - 4, top - 5, x + 4, top + 6)
        )

    def test_heard_and_written_have_their_hues(self) -> None:
        image = self._picture()
        scene = self.sheet.scene()
        assert scene is not None
        g = scene.geometry
        x, y = int(g.x(2.1)), int(g.pitch_y(60.0))
        self.assertTrue(has_colour(image, theme.LIGHT.heard, x, y - 4, x + 20, y + 5))
        y = int(g.string_y(3))
        self.assertTrue(has_colour(image, theme.LIGHT.written, x, y - 3, x + 15, y + 4))

    def test_doubt_has_a_hue_and_a_dash(self) -> None:
        phrase = self.document.phrase
        assert phrase is not None
        first = phrase.notes[0]
        doubtful = replace(first, heard=replace(first.heard, confidence=0.2))
        self.document.change(
            "x", lambda l: l.with_phrase(phrase.with_notes([doubtful, *phrase.notes[1:]]))
        )
        scene = self.sheet.scene()
        assert scene is not None
        x, y = int(scene.geometry.x(2.0)), int(scene.geometry.pitch_y(60.0))
        image = self._picture()
        self.assertTrue(has_colour(image, theme.LIGHT.doubt, x, y - 3, x + 60, y + 4))
        self.assertFalse(has_colour(image, theme.LIGHT.heard, x + 6, y - 2, x + 40, y + 3))

    def test_a_bar_says_how_far_it_rings_over_the_wire(self) -> None:
        phrase = self.document.phrase
        assert phrase is not None
        first = phrase.notes[0]
        curve = tuple((0.01 * k, min(-150.0 + 20.0 * k, 24.0)) for k in range(30))
        glide = replace(
            first, heard=replace(first.heard, offset_s=first.onset_s + 0.3, curve=curve)
        )
        glide = glide.rewritten(techniques=frozenset({"bar"}))
        self.document.change(
            "x", lambda l: l.with_phrase(phrase.with_notes([glide, *phrase.notes[1:]]))
        )
        scene = self.sheet.scene()
        assert scene is not None
        label = written_looks(scene).notes[glide.ident].values.labels[0]
        self.assertEqual(label.text, "S +24 ¢")
        plain = replace(glide, heard=replace(glide.heard, curve=()))
        self.assertAlmostEqual(cents_over_wire(plain, scene.context.guitar), 0.0, delta=1e-9)

    def test_labels_stand_clear_of_each_other(self) -> None:
        taken: list[QRectF] = []
        labels = [placed("full", 600, 100.0, 100.0, 0.0, taken) for _ in range(3)]
        self.assertEqual([label.bottom for label in labels], [100.0, 88.0, 76.0])
        for index, one in enumerate(taken):
            for other in taken[index + 1 :]:
                self.assertFalse(one.intersects(other))

    def test_a_word_is_said_where_it_begins_on_whatever_string_and_once_a_stroke(self) -> None:
        muted, plain = frozenset({"palm-mute"}), frozenset[str]()
        played = [
            (2.0, 6, muted), (2.2, 6, muted), (2.4, 5, muted), (2.4, 4, muted), (2.6, 5, plain),
            (2.61, 4, plain), (2.8, 6, muted), (3.0, 5, muted), (3.005, 4, plain), (3.2, 4, muted),
        ]  # fmt: skip
        notes = [
            note(k, at, string, 3, length_s=0.1).rewritten(techniques=tags)
            for k, (at, string, tags) in enumerate(played, start=1)
        ]
        begun = words_begun(notes, notes)
        self.assertEqual(begun, {1: {"palm-mute": 2.4}, 7: {"palm-mute": 3.2}})
        for first, seen in enumerate([begun, {2: begun[1]}, {3: begun[1]}, {4: begun[1]}]):
            seen |= {7: begun[7]}  # scrolled into its middle: where it is seen first
            self.assertEqual(words_begun(notes, notes[first:]), seen)
        self.assertEqual(words_begun(notes, notes[4:]), {7: begun[7]})
        self.assertEqual(words_begun(notes, notes[8:]), {10: begun[7]})
        self.assertEqual(words_begun(notes, []), {})

    def test_notes_before_are_those_of_the_same_string(self) -> None:
        phrase = self.document.lesson.phrases[0]
        before = notes_before(phrase)
        self.assertEqual(before[2].ident, 1)
        self.assertEqual(before[4].ident, 3)
        self.assertNotIn(1, before)

    def test_what_is_scrolled_out_of_sight_is_not_painted_over_the_names(self) -> None:
        notes = [note(k + 1, 2.0 + 0.5 * k, 1 + k % 6, 12, length_s=0.9) for k in range(40)]
        phrase = Phrase(5, "long", 1.9, 24.0).with_notes(notes)
        self.document.change("x", lambda l: l.with_phrase(phrase))
        self.document.choose_phrase(5)
        for _ in range(4):
            self.sheet.zoom(1.5)
        self.sheet.scroll_to(8.2)
        self._picture()
        heard = self.sheet._rows[1].picture
        assert heard is not None
        names = heard.toImage().copy(0, 0, LEFT - 12, self.sheet.height())
        self.assertTrue(any(n.onset_s < self.sheet.geometry_now().start_s for n in notes))
        empty = QImage(names.size(), names.format())
        empty.fill(QColor(0, 0, 0, 0))
        self.assertEqual(names, empty)

    def test_a_very_long_phrase_is_painted(self) -> None:
        notes = [
            note(k + 1, 2.0 + 0.1 * k, 1 + k % 6, 5 + k % 4, length_s=0.09) for k in range(2000)
        ]
        phrase = Phrase(5, "long", 1.9, 203.0).with_notes(notes)
        self.document.change("x", lambda l: l.with_phrase(phrase))
        self.document.choose_phrase(5)
        scene = self.sheet.scene()
        assert scene is not None
        self.assertLess(len(scene.visible()), 400)
        self.sheet.scroll_to(100.0)
        self.assertFalse(self._picture().isNull())


class TestOtherPictures(WindowTest):
    def test_the_strip_shows_the_phrase_in_colour(self) -> None:
        self.open_small()
        self.window.show_desk(HEAR)
        strip = self.window.hear.strip
        image = strip.grab().toImage()
        x = int(strip.x_of(3.0))
        middle = strip.height() // 2
        self.assertFalse(
            image.pixelColor(x, middle + 2) == image.pixelColor(int(strip.x_of(7.0)), middle + 2)
        )

    def test_names_are_painted_when_one_changes_and_not_while_it_plays(self) -> None:
        self.open_small()
        self.window.show_desk(HEAR)
        strip = self.window.hear.strip
        strip.grab()
        with mock.patch.object(PhraseNames, "_painted", autospec=True) as painted:
            painted.side_effect = lambda names, shown: names._picture
            strip._on_moved(3.0)
            strip.grab()
            self.document.select((1,))
            self.document.change("x", lambda l: note_edits.set_place(l, 1, 1, 4, 10))
            strip.grab()
            painted.assert_not_called()
            self.document.change("x", lambda l: edits.change_phrase(l, 2, name="Renamed"))
            strip.grab()
            painted.assert_called_once()

    def test_check_paints_only_the_part_that_differs(self) -> None:
        self.open_small()
        self.window.show_desk(CHECK)
        self.settle()
        shown = self.window.check.picture
        parts = "_paint_loudness", "_paint_marks", "_paint_difficulty", "_paint_waves"

        def painted(act: Callable[[], object]) -> set[str]:
            shown.grab()
            with contextlib.ExitStack() as stack:
                mocks = {
                    name: stack.enter_context(mock.patch.object(shown, name)) for name in parts
                }
                act()
                shown.grab()
                seen = {name for name, part in mocks.items() if part.called}
            for layer in (shown._notes, shown._marks, shown._hard, shown._waves):
                layer.forget()  # a mocked part painted nothing
            shown.update()
            return seen

        self.assertEqual(painted(lambda: shown._on_moved(2.5)), set())
        slower = painted(lambda: self.window.transport.set_speed(0.5))
        self.assertEqual(slower, {"_paint_difficulty"})
        other = replace(self.window.findings.found[0], notes=(1, 2, 3))
        self.assertEqual(painted(lambda: shown.show_finding(other)), {"_paint_marks"})
        moved = painted(
            lambda: self.document.change("x", lambda l: note_edits.set_place(l, 1, 1, 4, 10))
        )
        self.assertEqual(moved, {"_paint_loudness", "_paint_marks", "_paint_difficulty"})
        self.assertEqual(painted(lambda: shown.show_tab(None, 44_100)), {"_paint_waves"})

    def test_the_current_name_stands_alone(self) -> None:
        """The picture of all names has it as well, not so bold: it is not seen under the bold one."""
        self.open_small()
        self.window.show_desk(HEAR)
        strip, names = self.window.hear.strip, self.window.hear.strip._names
        for phrase in self.document.lesson.phrases:
            self.document.choose_phrase(phrase.ident)
            seen = strip.grab().toImage()
            names._picture.fill(QColor(0, 0, 0, 0))
            alone = strip.grab().toImage()
            names._shown = None
            left = int(strip.x_of(phrase.start_s)) + 3
            name = QRect(left, 0, 12, label_height() - 3)
            self.assertEqual(seen.copy(name), alone.copy(name))
            self.assertTrue(has_colour(seen, theme.colour("ink").name(), *name.getCoords()))

    def test_the_page_on_screen_is_the_page_in_print(self) -> None:
        self.open_small()
        self.window.show_desk(TEACH)
        pages = lay_out(small_lesson(), measure=measure_words)
        picture = QPixmap(840, 1188)
        picture.fill(QColor("white"))
        painter = QPainter(picture)
        paint_page(painter, pages[0], 4.0)
        painter.end()
        self.assertTrue(has_colour(picture.toImage(), "#16181B", 60, 60, 400, 140))
        self.assertEqual(len(self.window.teach.laid_out()), len(pages))

    def test_the_neck_is_mirrored_for_left_handed_players(self) -> None:
        neck = Neck()
        neck.resize(400, 130)
        neck.show_phrase(Guitar(), ((3, 5),), (3, 5), (), (5, 8))
        right = neck.spot(3, 5)
        neck.show_phrase(Guitar(left_handed=True), ((3, 5),), (3, 5), (), (5, 8))
        left = neck.spot(3, 5)
        self.assertAlmostEqual(right.x() + left.x(), 400.0, delta=1.0)
        self.assertEqual(right.y(), left.y())
        self.assertFalse(neck.grab().isNull())

    def test_frets_get_closer_up_the_neck(self) -> None:
        neck = Neck()
        neck.resize(400, 130)
        widths = [neck.fret_x(f + 1) - neck.fret_x(f) for f in range(12)]
        self.assertEqual(widths, sorted(widths, reverse=True))
        self.assertAlmostEqual(widths[1] / widths[0], 2 ** (-1 / 12), delta=0.001)

    def test_a_slider_goes_by_keys_and_mouse(self) -> None:
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest

        slider = LineSlider(0.0, 1.0, 0.5, name="test", step=0.1, marks=((0.5, "half"),))
        slider.resize(218, 34)
        seen: list[float] = []
        slider.changed.connect(seen.append)
        QTest.keyClick(slider, Qt.Key.Key_Right)
        self.assertAlmostEqual(slider.value, 0.6)
        QTest.mouseClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(209, 11))
        self.assertAlmostEqual(slider.value, 1.0)
        self.assertEqual(len(seen), 2)
        self.assertEqual(slider.accessibleName(), "test")
        slider.set_value(9.0)
        self.assertEqual(slider.value, 1.0)
        self.assertFalse(slider.grab().isNull())

    def test_a_click_beside_every_place_does_nothing(self) -> None:
        neck = Neck()
        neck.resize(400, 130)
        neck.show_phrase(Guitar(), (), None, (), None)
        asked: list[tuple[int, int]] = []
        neck.place_clicked.connect(lambda s, f: asked.append((s, f)))
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest

        QTest.mouseClick(neck, Qt.MouseButton.LeftButton, pos=QPointF(200, 60).toPoint())
        self.assertEqual(asked, [])


if __name__ == "__main__":
    unittest.main()

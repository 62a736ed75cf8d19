"""Every control without a mouse: keys go to what has the focus, letters in fields are text."""

import unittest
from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QLineEdit, QPushButton

from juxtanote.app.actions import ACTIONS, IN_THE_HAND
from juxtanote.app.desks import HEAR, PLACE, PRACTISE
from juxtanote.app.dialogs import keys_dialog
from tests.app import wait_until
from tests.app.windows import WindowTest

KEY, MOD = Qt.Key, Qt.KeyboardModifier


class TestFocus(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        self.window.show_desk(HEAR)

    def test_space_and_return_press_the_button_that_has_the_focus(self) -> None:
        button = self.window.hear.measure
        for key in (KEY.Key_Space, KEY.Key_Return):
            with self.subTest(key.name):
                pressed: list[bool] = []
                button.clicked.connect(lambda: pressed.append(True))
                button.setFocus()
                self.press(key, on=button)
                self.assertTrue(pressed)
                self.assertFalse(self.window.transport.is_playing)
                self.settle()

    def test_space_plays_where_nothing_else_has_it(self) -> None:
        self.window.hear.strip.setFocus()
        self.press(KEY.Key_Space, on=self.window.hear.strip)
        self.assertTrue(self.window.transport.is_playing)

    def test_letters_in_a_field_are_text(self) -> None:
        field = self.window.hear.key
        field.setFocus()
        field.clear()
        for key in (KEY.Key_L, KEY.Key_C, KEY.Key_Space, KEY.Key_P):
            self.press(key, on=field)
        self.assertEqual(field.text().lower(), "lc p")
        self.assertFalse(self.window.runner.is_working)

    def test_letters_begin_an_edit_in_the_table_of_phrases(self) -> None:
        table = self.window.hear.phrases
        table.setFocus()
        table.setCurrentIndex(self.window.hear.model.index(0, 0))
        self.press(KEY.Key_V, on=table)
        editor = table.findChild(QLineEdit)
        assert editor is not None
        self.assertEqual(editor.text().lower(), "v")

    def test_tab_reaches_every_button_of_every_desk(self) -> None:
        for index in range(5):
            self.window.show_desk(index)
            wait_until(lambda: False, 30)
            wanted = {
                b for b in self.window._desks.currentWidget().findChildren(QPushButton)
                if b.isVisible() and b.isEnabled()
            }  # fmt: skip
            for _ in range(150):
                if (focus := self.window.focusWidget()) is not None:
                    wanted.discard(focus)  # type: ignore[arg-type]
                    self.press(KEY.Key_Tab, on=focus)
            self.assertEqual({b.text() for b in wanted}, set(), index)


class TestKeysOfThePhrase(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        self.window.show_desk(HEAR)
        self.window.hear.strip.setFocus()

    def _press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = MOD.NoModifier) -> None:
        self.press(key, modifier, on=self.window.focusWidget())

    def test_c_twice_cuts_a_phrase(self) -> None:
        count = len(self.document.lesson.phrases)
        for at in (6.0, 7.5):
            self.window.transport.seek(at)
            self._press(KEY.Key_C)
        self.assertEqual(len(self.document.lesson.phrases), count + 1)
        made = self.document.lesson.phrases[-1]
        self.assertAlmostEqual(made.start_s, 6.0, places=2)
        self.assertAlmostEqual(made.end_s, 7.5, places=2)

    def test_edges_move_by_keys_and_come_back(self) -> None:
        before = self.document.phrase
        assert before is not None
        self._press(KEY.Key_BracketRight)
        assert self.document.phrase is not None
        self.assertGreater(self.document.phrase.end_s, before.end_s)
        self.document.undo_stack.undo()
        self.assertEqual(self.document.phrase, before)

    def test_the_beat_at_the_playhead_moves_by_keys(self) -> None:
        before = self.document.lesson.time_map.beat_times_s
        self.window.transport.seek(1.0)
        self._press(KEY.Key_Right, MOD.AltModifier)
        after = self.document.lesson.time_map.beat_times_s
        self.assertEqual(sum(a != b for a, b in zip(before, after, strict=True)), 1)

    def test_notes_go_by_octaves_and_grow_by_keys(self) -> None:
        self.window.show_desk(PLACE)
        self.document.step_selection(1)
        assert self.document.phrase is not None
        note = self.document.phrase.notes[0]
        self._press(KEY.Key_Up, MOD.ControlModifier | MOD.ShiftModifier)
        self.assertEqual(self.document.phrase.notes[0].heard.midi, note.heard.midi + 12)
        self.document.undo_stack.undo()
        self._press(KEY.Key_Right, MOD.ControlModifier | MOD.ShiftModifier)
        self.assertAlmostEqual(
            self.document.phrase.notes[0].offset_s, note.offset_s + 0.01, places=6
        )

    def test_a_technique_key_changes_that_note_alone(self) -> None:
        self.window.show_desk(PLACE)
        self.document.step_selection(1)
        assert self.document.phrase is not None
        before = self.document.phrase.notes
        self._press(KEY.Key_V)
        self.settle()
        after = self.document.phrase.notes
        self.assertIn("vibrato", after[0].written.techniques)
        self.assertEqual(after[1:], before[1:])

    def test_two_digits_are_one_fret_and_one_step(self) -> None:
        self.window.show_desk(PLACE)
        self.document.step_selection(1)
        steps = self.document.undo_stack.count()
        self._press(KEY.Key_1)
        self._press(KEY.Key_2)
        assert self.document.phrase is not None
        self.assertEqual(self.document.phrase.notes[0].written.fret, 12)
        self.settle()
        self.assertEqual(self.document.undo_stack.count(), steps + 1)


class TestSaying(WindowTest):
    def test_an_action_that_can_do_nothing_says_so_and_does_nothing(self) -> None:
        self.open_small()
        self.window.show_desk(PRACTISE)
        before = self.document.lesson
        focus = self.window.focusWidget() or self.window
        self.press(KEY.Key_V, on=focus)
        self.assertEqual(self.document.lesson, before)
        self.assertIn("Place desk", self.window._told.text())

    def test_a_disabled_button_says_why(self) -> None:
        self.window.show_desk(HEAR)
        for button in (self.window.hear.measure, self.window.hear.propose):
            self.assertFalse(button.isEnabled())
            self.assertIn("recording", button.toolTip())

    def test_buttons_wake_when_a_saved_lesson_is_opened(self) -> None:
        self.window.show_desk(PRACTISE)
        begin = self.window.practise.begin
        self.assertFalse(begin.isEnabled())
        self.open_demo()
        self.assertTrue(begin.isEnabled())

    def test_one_page_shows_every_key(self) -> None:
        dialog = keys_dialog(self.window)
        shown = " ".join(label.text() for label in dialog.findChildren(QLabel))
        for spec in ACTIONS:
            if spec.keys:
                self.assertIn(spec.words.replace("&", ""), shown)
        for where, _, _ in IN_THE_HAND:
            self.assertIn(where, shown)
        dialog.deleteLater()

    def test_typing_changes_a_lesson_of_many_phrases_by_that_phrase_alone(self) -> None:
        self.open_small()
        lesson = self.document.lesson
        self.document.change("Rename", lambda l: l.with_phrase(replace(l.phrases[0], name="new")))
        for before, after in zip(lesson.phrases[1:], self.document.lesson.phrases[1:], strict=True):
            self.assertIs(before, after)


if __name__ == "__main__":
    unittest.main()

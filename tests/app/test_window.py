"""The window as a person uses it: desks, keys, files, long work."""

import threading
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox

from juxtanote.app import dialogs, settings
from juxtanote.app.actions import ACTIONS, MENUS, TECHNIQUE_OF
from juxtanote.app.desks import CHECK, HEAR, PLACE, PRACTISE, TEACH
from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.app.main import NO_DISPLAY, has_display, run, write_shots
from juxtanote.core.audio.read import to_rate
from juxtanote.core.audio.write import write_sound
from juxtanote.core.errors import LessonFileError
from juxtanote.core.formats.lesson_file import load_lesson, save_lesson
from juxtanote.core.score.techniques import TECHNIQUES
from tests.app import wait_until
from tests.app.windows import RATE, WindowTest
from tests.lessons import small_lesson
from tests.sounds import scale_line


class TestActions(unittest.TestCase):
    def test_no_key_is_used_twice(self) -> None:
        keys = [QKeySequence(spec.keys).toString() for spec in ACTIONS if spec.keys]
        keys += ["Ctrl+Z", "Ctrl+Shift+Z"]
        self.assertEqual(len(keys), len(set(keys)))

    def test_every_action_stands_in_a_menu(self) -> None:
        for spec in ACTIONS:
            self.assertIn(spec.menu, MENUS)
            self.assertTrue(spec.words and spec.help)
        self.assertLessEqual(set(TECHNIQUE_OF.values()), set(TECHNIQUES))


class TestSettings(unittest.TestCase):
    def test_damaged_values_give_the_default_and_far_ones_the_bound(self) -> None:
        store = settings._store()
        cases = {"nonsense": 4, "99": 16, "-3": 0, "nan": 4, "7": 7}
        for text, wanted in cases.items():
            store.setValue(settings.COUNT_IN_BEATS.key, text)
            with self.subTest(text=text):
                self.assertEqual(settings.COUNT_IN_BEATS.read(), wanted)
        store.setValue(settings.CAUTIONS_SHOWN.key, "banana")
        self.assertFalse(settings.CAUTIONS_SHOWN.read())
        settings.COUNT_IN_BEATS.write(4)

    def test_recent_lessons_come_latest_first(self) -> None:
        for name in "abcabcdefghij":
            settings.remember_file(f"/{name}.juxta")
        recent = settings.recent_files()
        self.assertEqual(recent[0], "/j.juxta")
        self.assertEqual(len(recent), len(set(recent)))
        self.assertLessEqual(len(recent), settings.MOST_RECENT)


class TestJobs(unittest.TestCase):
    def setUp(self) -> None:
        self.runner = JobRunner()
        self.seen: list[object] = []

    def tearDown(self) -> None:
        self.runner.stop()

    def _start(self, work) -> Job:  # type: ignore[no-untyped-def]
        job = Job(
            "work", work, lambda value: self.seen.append(("done", value)),
            lambda error: self.seen.append(("failed", str(error))),
        )  # fmt: skip
        job.ended.connect(lambda: self.seen.append("ended"))
        self.runner.start(job)
        return job

    def test_a_result_arrives_and_then_the_end(self) -> None:
        self._start(lambda progress: 42)
        self.assertTrue(wait_until(lambda: "ended" in self.seen))
        self.assertEqual(self.seen, [("done", 42), "ended"])
        self.assertTrue(wait_until(lambda: not self.runner.is_busy))

    def test_work_begins_when_the_key_that_asked_for_it_is_painted(self) -> None:
        self.runner.give_way()
        begun = threading.Event()
        self._start(lambda progress: begun.set())
        self.assertFalse(begun.wait(0.1))  # no events are handled meanwhile: nothing is painted
        self.assertTrue(wait_until(begun.is_set))

    def test_an_error_arrives_as_an_error(self) -> None:
        def broken(_: object) -> None:
            raise ValueError("no")

        self._start(broken)
        self.assertTrue(wait_until(lambda: "ended" in self.seen))
        self.assertEqual(self.seen[0], ("failed", "no"))

    def test_cancelled_work_gives_nothing(self) -> None:
        def endless(progress) -> None:  # type: ignore[no-untyped-def]
            while True:
                progress(0.5)

        job = self._start(endless)
        job.cancel()
        self.assertTrue(wait_until(lambda: "ended" in self.seen))
        self.assertEqual(self.seen, ["ended"])


class TestDesks(WindowTest):
    def test_keys_go_through_the_desks_and_nothing_moves(self) -> None:
        self.open_small()
        self.document.choose_phrase(2)
        self.window.transport.seek(4.5)
        for key, desk in (
            (Qt.Key.Key_F2, PLACE), (Qt.Key.Key_F3, CHECK), (Qt.Key.Key_F4, TEACH),
            (Qt.Key.Key_F5, PRACTISE), (Qt.Key.Key_F1, HEAR),
        ):  # fmt: skip
            self.press(key)
            self.assertEqual(self.window.desk, desk)
            assert self.document.phrase is not None
            self.assertEqual(self.document.phrase.ident, 2)
            self.assertEqual(self.window.transport.position_s, 4.5)
            self.assertIsNotNone(self.window.transport.loop_s)

    def test_the_header_words_are_buttons(self) -> None:
        button = self.window.header.buttons.button(TEACH)
        assert button is not None
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.assertEqual(self.window.desk, TEACH)

    def test_empty_desks_say_what_to_do(self) -> None:
        for desk in range(5):
            self.window.show_desk(desk)
            self.assertFalse(self.window.grab().isNull())
        self.press(Qt.Key.Key_L)
        self.assertIn("Open a recording first", self.window._told.text())

    def test_every_control_has_a_name_for_screen_readers(self) -> None:
        from PyQt6.QtWidgets import QAbstractSpinBox, QComboBox, QListView, QTableView

        for desk in range(5):
            self.window.show_desk(desk)
        kinds = (QAbstractSpinBox, QComboBox, QListView, QTableView)
        for kind in kinds:
            for widget in self.window.findChildren(kind):
                of_a_box = "QComboBox" in type(widget).__name__ or isinstance(
                    widget.parent().parent() if widget.parent() else None, QComboBox
                )
                self.assertTrue(of_a_box or widget.accessibleName(), widget)

    def test_help_windows_open(self) -> None:
        for make in (dialogs.keys_dialog, dialogs.care_dialog, dialogs.about_dialog):
            dialog = make(self.window)
            dialog.show()
            self.assertFalse(dialog.grab().isNull())
            dialog.close()


class TestFiles(WindowTest):
    def test_save_open_and_recent(self) -> None:
        self.open_small()
        path = self.folder / "lesson.juxta"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            self.press(Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
        self.settle()
        self.assertEqual(load_lesson(path).title, "Two lines")
        self.assertTrue(self.document.undo_stack.isClean())
        self.document.change("x", lambda lesson: small_lesson().with_phrase(lesson.phrases[0]))
        self.assertIn(str(path), settings.recent_files())

    def test_a_bad_file_is_told_and_the_open_lesson_stays(self) -> None:
        self.open_small()
        before = self.document.lesson
        bad = self.folder / "bad.juxta"
        bad.write_bytes(b"nonsense")
        self.window.files.open_lesson(bad)
        self.assertTrue(wait_until(lambda: bool(self.complaints)))
        self.assertIs(self.document.lesson, before)
        self.assertEqual(len(self.complaints), 1)
        self.assertIn("bad.juxta", self.complaints[0])

    def test_a_dropped_sound_file_becomes_a_lesson(self) -> None:
        audio, _ = scale_line([57, 60, 62, 64])
        path = self.folder / "drop.wav"
        write_sound(path, np.stack([audio, audio]), 22_050)
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        event = QDropEvent(
            QPointF(50, 50), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        self.window.dropEvent(event)
        self.assertTrue(wait_until(lambda: self.document.sound is not None))
        self.assertEqual(self.document.lesson.title, "drop")
        self.settle()
        self.assertIn("%", self.window.hear.time.pulse_evidence.text())

    def test_a_broken_sound_file_is_told_in_one_line(self) -> None:
        self.open_small()
        before = self.document.lesson
        path = self.folder / "bad.mp3"
        path.write_bytes(b"not sound" * 50)
        self.window.files.open_recording(path)
        self.assertTrue(wait_until(lambda: bool(self.complaints)))
        self.assertNotIn("Traceback", self.complaints[0])
        self.assertIs(self.document.lesson, before)

    def test_closing_asks_for_unsaved_work(self) -> None:
        self.open_small()
        self.document.change("Rename", lambda lesson: small_lesson().with_phrase(lesson.phrases[1]))
        self.document.change("Cut", lambda lesson: lesson.with_phrase(
            type(lesson.phrases[0])(9, "Z", 1.0, 2.0)))  # fmt: skip
        buttons = QMessageBox.StandardButton
        with mock.patch.object(QMessageBox, "question", return_value=buttons.Cancel):
            self.assertFalse(self.window.close())
        with mock.patch.object(QMessageBox, "question", return_value=buttons.Discard):
            self.assertTrue(self.window.close())

    def test_work_survives_a_kill(self) -> None:
        self.open_small()
        self.document.change("Cut", lambda lesson: lesson.with_phrase(
            type(lesson.phrases[0])(9, "rescued", 1.0, 2.0)))  # fmt: skip
        self.window.files.rescue.write()
        kept = self.window.files.rescue.file
        left = kept.with_name("work-999999999.juxta")
        left.write_bytes(kept.read_bytes())
        found = self.window.files.rescue.left_behind()
        self.assertIn(left, found)
        self.assertNotIn(kept, found)  # this session's own is not left behind
        self.window.files.recover(left)
        self.settle()
        self.assertIn("rescued", [p.name for p in self.document.lesson.phrases])
        self.assertFalse(self.document.undo_stack.isClean())
        self.assertFalse(left.exists())

    def test_a_lesson_without_its_recording_still_opens(self) -> None:
        from juxtanote.core.score.lesson import Recording

        path = self.folder / "gone.juxta"
        lesson = replace(small_lesson(), recording=Recording("gone.wav", 8.0))
        save_lesson(lesson, path)
        self.window.files.open_lesson(path)
        self.settle()
        self.assertIn("not found", self.window._told.text())
        self.window.show_desk(PLACE)
        self.assertFalse(self.window.grab().isNull())

    def test_the_recording_stays_out_unless_the_user_may_share_it(self) -> None:
        self.open_demo()
        path = self.folder / "mine.juxta"
        self.window.files.save(path)
        self.settle()
        self.assertFalse(load_lesson(path).recording.inside)
        small = path.stat().st_size
        self.window.show_desk(TEACH)
        self.window.teach.share.click()
        self.window.files.save(path)
        self.settle()
        self.assertTrue(load_lesson(path).recording.inside)
        self.assertGreater(path.stat().st_size, small + 300_000)


class TestHearing(WindowTest):
    def test_dragging_cuts_a_phrase_and_keys_nudge_it(self) -> None:
        self.open_small()
        strip = self.window.hear.strip
        y = strip.height() // 2
        a, b = QPoint(int(strip.x_of(6.5)), y), QPoint(int(strip.x_of(7.5)), y)
        QTest.mousePress(strip, Qt.MouseButton.LeftButton, pos=a)
        QTest.mouseMove(strip, QPoint(a.x() + 20, y))
        QTest.mouseMove(strip, b)
        QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=b)
        phrase = self.document.phrase
        assert phrase is not None
        self.assertEqual(phrase.name, "C")
        self.assertAlmostEqual(phrase.start_s, 6.5, delta=0.02)
        self.assertAlmostEqual(phrase.end_s, 7.5, delta=0.02)
        strip.setFocus()
        self.press(Qt.Key.Key_BracketLeft, on=strip)
        assert self.document.phrase is not None
        self.assertAlmostEqual(self.document.phrase.start_s, phrase.start_s - 0.01, places=5)
        self.document.undo_stack.undo()
        self.document.undo_stack.undo()
        self.assertEqual(len(self.document.lesson.phrases), 2)

    def test_dragging_an_edge_is_one_step_to_undo(self) -> None:
        self.open_small()
        strip = self.window.hear.strip
        y = strip.height() // 2
        start = QPoint(round(strip.x_of(2.0)), y)
        steps = self.document.undo_stack.count()
        QTest.mousePress(strip, Qt.MouseButton.LeftButton, pos=start)
        for x in (8, 16, 24):
            QTest.mouseMove(strip, QPoint(start.x() - x, y))
        QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=QPoint(start.x() - 24, y))
        self.assertEqual(self.document.undo_stack.count(), steps + 1)
        assert self.document.phrase is not None
        self.assertLess(self.document.phrase.start_s, 1.95)

    def test_zoom_goes_to_single_samples_and_back(self) -> None:
        self.open_small()
        strip = self.window.hear.strip
        for _ in range(40):
            strip.zoom(2.0)
        start, end = strip.view_s
        self.assertLess((end - start) * RATE, 30)
        self.assertFalse(strip.grab().isNull())
        strip.show_all()
        self.assertAlmostEqual(strip.view_s[1], 8.0, places=3)

    def test_facts_can_be_typed(self) -> None:
        self.open_small()
        hear = self.window.hear
        hear.time.tempo.setValue(90.0)
        hear.time.tempo.editingFinished.emit()
        self.assertAlmostEqual(self.document.lesson.time_map.tempo_at(3.0), 90.0, delta=0.1)
        hear.tuning.setEditText("D2 A2 D3 G3 B3 E4")
        hear._on_tuning()
        self.settle()
        self.assertEqual(self.document.context.guitar.tuning[0], 38)
        hear.tuning.setEditText("rubbish")
        hear._on_tuning()
        self.assertIn("could not be read", self.window._told.text())
        self.assertEqual(self.document.context.guitar.tuning[0], 38)
        hear.key.setText("B♭ major")
        hear.key.editingFinished.emit()
        self.assertEqual(self.document.lesson.key, "B♭ major")
        hear.key.setText("purple")
        hear.key.editingFinished.emit()
        self.assertEqual(self.document.lesson.key, "B♭ major")
        hear.reference.setValue(-12.5)
        hear.reference.editingFinished.emit()
        self.assertEqual(self.document.lesson.reference_cents, -12.5)
        hear.time.metre.setEditText("6/8")
        hear.time._on_metre()
        self.assertEqual(self.document.lesson.time_map.signature, (6, 8))
        hear.time.metre.setEditText("seven")
        hear.time._on_metre()
        self.assertEqual(self.document.lesson.time_map.signature, (6, 8))
        self.assertIn("no metre", self.window._told.text())

    def test_the_table_renames_and_repeats(self) -> None:
        self.open_small()
        self.type_cell(0, 0, "opening")
        self.type_cell(0, 7, "3")
        self.type_cell(0, 7, "many")
        phrase = self.document.lesson.phrases[0]
        self.assertEqual((phrase.name, phrase.repeats), ("opening", 3))

    def test_typing_a_bar_number_counts_from_there(self) -> None:
        self.open_small()
        self.type_cell(0, 3, "9")
        time_map = self.document.lesson.time_map
        self.assertEqual(time_map.bar_and_beat(float(time_map.to_beats(2.1)))[0], 9)
        self.assertTrue(self.cell(0, 3).startswith("9"))
        self.type_cell(0, 3, "nine")
        self.assertTrue(self.cell(0, 3).startswith("9"))

    def test_phrases_are_proposed_in_one_step(self) -> None:
        one, _ = scale_line([57, 60, 62, 64, 67, 69], step_s=0.3)
        gap = np.zeros(2 * 22_050, dtype=np.float32)
        mono = np.concatenate([one, gap, one])
        audio = to_rate(np.stack([mono, mono]), 22_050, RATE)
        self.open_recording(audio)
        self.window.hear.propose.click()
        self.settle()
        self.assertTrue(wait_until(lambda: len(self.document.lesson.phrases) >= 2, 30_000))
        self.assertEqual([p.name for p in self.document.lesson.phrases][:2], ["A", "B"])
        self.document.undo_stack.undo()
        self.assertEqual(self.document.lesson.phrases, ())

    def test_the_guitar_is_brought_forward_with_a_reason(self) -> None:
        mono, _ = scale_line([57, 60, 62, 64, 67, 69], step_s=0.3)
        lead = to_rate(np.stack([mono, mono]), 22_050, RATE)
        wide = 0.2 * np.sin(np.arange(lead.shape[1]) / 9).astype(np.float32)
        self.open_recording((lead + np.stack([wide, -wide])).astype(np.float32))
        self.window.hear.strip.cut(0.1, 2.2)
        self.window.hear.choose.click()
        self.settle()
        self.assertTrue(
            wait_until(lambda: bool(self.document.phrase and self.document.phrase.focus.chosen))
        )
        self.assertIn("sure notes", self.window.hear.focus_why.text())

    def test_the_focus_can_be_heard_and_taken_back(self) -> None:
        lead = np.full((2, 4 * RATE), 0.2, dtype=np.float32)
        lead[1] *= -1
        self.open_recording(lead)
        self.window.hear.strip.cut(0.0, 3.0)
        self.document.change(
            "x",
            lambda l: l.with_phrase(
                replace(l.phrases[0], focus=replace(l.phrases[0].focus, source="middle"))
            ),
        )
        self.window.hear.audition.setChecked(True)
        self.settle()
        player = self.window.transport.player
        self.assertTrue(wait_until(lambda: float(np.abs(player._sources.recording).max()) < 1e-6))
        self.window.hear.audition.setChecked(False)
        self.assertAlmostEqual(float(np.abs(player._sources.recording).max()), 0.2, places=5)

    def test_beat_buttons_change_the_map(self) -> None:
        self.open_small()
        hear = self.window.hear
        count = len(self.document.lesson.time_map.beat_times_s)
        hear.time.buttons["double"].click()
        self.assertEqual(len(self.document.lesson.time_map.beat_times_s), 2 * count - 1)
        hear.time.buttons["half"].click()
        self.assertEqual(len(self.document.lesson.time_map.beat_times_s), count)
        self.window.transport.seek(3.0)
        hear.time.buttons["bar one"].click()
        self.assertAlmostEqual(float(self.document.lesson.time_map.to_seconds(0.0)), 3.0)
        for time in (1.0, 1.6, 2.2, 2.8):
            self.window.transport.seek(time)
            hear.time.buttons["tap"].click()
        self.assertAlmostEqual(self.document.lesson.time_map.tempo_at(2.0), 100.0, delta=0.5)


class TestWithoutDisplay(unittest.TestCase):
    def test_no_display_is_told_with_a_way_on(self) -> None:
        with mock.patch.dict("os.environ", {}, clear=True):
            self.assertFalse(has_display())
            with mock.patch("builtins.print") as told:
                self.assertEqual(run(), 1)
            self.assertEqual(told.call_args.args[0], NO_DISPLAY)
        self.assertIn("--shots", NO_DISPLAY)

    def test_shots_of_every_desk_are_written(self) -> None:
        import tempfile

        with tempfile.TemporaryDirectory() as folder:
            paths = write_shots(Path(folder) / "shots")
            self.assertEqual(len(paths), 7)
            for path in paths:
                from PyQt6.QtGui import QImage

                image = QImage(str(path))
                size = (840, 1188) if path.stem == "handout" else (1280, 800)  # A4 at 4 pixels a mm
                self.assertEqual((image.width(), image.height()), size)
        QApplication.processEvents()

    def test_a_lesson_that_cannot_be_read_is_one_error(self) -> None:
        with self.assertRaises(LessonFileError):
            load_lesson(Path("/nowhere/at-all.juxta"))


if __name__ == "__main__":
    unittest.main()

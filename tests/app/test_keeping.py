"""What is kept with a lesson, and work that outlives its window."""

import gc
import os
import threading
import time
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
import soundfile
from PyQt6.QtCore import QLockFile
from PyQt6.QtWidgets import QMessageBox

from juxtanote.app.collecting import MANY_OBJECTS
from juxtanote.app.desks import CHECK, HEAR, PLACE, PRACTISE, TEACH
from juxtanote.app.jobs.runner import Job
from juxtanote.app.main_window import MainWindow
from juxtanote.app.rescue import Rescue
from juxtanote.app.transport.devices import SimulatedSoundCard
from juxtanote.core.audio.write import clear_partial, write_bytes
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.lesson_file import load_lesson, save_lesson
from juxtanote.core.progress import Progress
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import LogEntry, Phrase, Recording
from tests.app import wait_until
from tests.app.windows import WindowTest, close_for_good
from tests.lessons import small_lesson


class TestKept(WindowTest):
    def test_plan_desk_phrase_and_position_come_back(self) -> None:
        self.open_small()
        self.window.show_desk(PRACTISE)
        self.window.practise.goal.setValue(90)
        self.document.choose_phrase(self.document.lesson.phrases[-1].ident)
        self.window.transport.seek(3.25)
        path = self.folder / "kept.juxta"
        self.window.files.save(path)
        self.settle()
        self.window.asking.save()
        self.settle()
        kept = load_lesson(path).kept
        self.assertEqual(
            (kept.desk, kept.phrase), ("practise", self.document.lesson.phrases[-1].ident)
        )
        self.assertAlmostEqual(kept.position_s, 3.25, places=2)
        self.assertAlmostEqual(kept.plan.goal, 0.9)
        self.window.show_desk(CHECK)
        self.document.choose_phrase(self.document.lesson.phrases[0].ident)
        self.window.files.open_lesson(path)
        self.settle()
        self.assertEqual(self.window.desk, PRACTISE)
        assert self.document.phrase is not None
        self.assertEqual(self.document.phrase.ident, kept.phrase)
        self.assertEqual(self.window.practise.goal.value(), 90)

    def test_the_log_survives_renaming_and_is_no_part_of_undo(self) -> None:
        self.open_small()
        ident = self.document.lesson.phrases[0].ident
        kept = self.document.lesson.kept
        entry = LogEntry("2026-01-02", (ident,), "A", 0.8, 3)
        self.document.keep(replace(kept, log=(*kept.log, entry)))
        self.type_cell(0, 0, "Opening")
        self.document.undo_stack.undo()
        log = self.document.lesson.kept.log
        self.assertEqual(log[-1], entry)

    def test_another_recording_is_noticed_and_asked_about(self) -> None:
        taught = self.folder / "taught.wav"
        times = np.arange(4 * 44_100) / 44_100
        soundfile.write(taught, 0.3 * np.sin(2 * np.pi * 220 * times) * (times < 2), 44_100)
        lesson = replace(small_lesson(), recording=Recording(str(taught), 9.0))
        path = self.folder / "x.juxta"
        save_lesson(lesson, path)
        self.window.files.open_lesson(path)
        self.settle()
        self.assertIsNone(self.document.sound)
        box = self.window.findChild(QMessageBox)
        assert box is not None
        self.assertIn("5.0 s shorter", box.text())
        box.accept()
        self.settle()
        self.assertIsNotNone(self.document.sound)

    def test_the_found_place_of_a_moved_recording_is_kept(self) -> None:
        moved = self.folder / "moved.wav"
        soundfile.write(moved, np.full(8 * 44_100, 0.01), 44_100)
        path = self.folder / "x.juxta"
        save_lesson(replace(small_lesson(), recording=Recording("/gone/away.wav", 8.0)), path)
        self.window.files.open_lesson(path)
        self.settle()
        self.window.files.open_recording(moved)
        self.settle()
        self.window.files.save(path)
        self.settle()
        self.window.files.open_lesson(path)
        self.settle()
        self.assertEqual(self.document.sound_path, moved)

    def test_evidence_waits_for_the_hear_desk_and_for_a_recording(self) -> None:
        self.window.show_desk(PLACE)
        with mock.patch.object(self.window.tasks, "measure") as measure:
            self.open_small()
            self.window.files.sound_ready.emit(False)
            measure.assert_not_called()
            self.document.open(small_lesson(), None)  # without its recording
            self.window.show_desk(HEAR)
            measure.assert_not_called()

    def test_a_second_window_on_the_same_lesson_is_told(self) -> None:
        path = self.folder / "x.juxta"
        save_lesson(small_lesson(), path)
        self.window.files.open_lesson(path)
        self.settle()
        other = MainWindow(SimulatedSoundCard(by_hand=True))
        told: list[str] = []
        other.files.told.connect(told.append)
        other.files.open_lesson(path)
        self.assertTrue(wait_until(lambda: any("another window" in t for t in told), 5000))
        close_for_good(other)


class TestCollector(WindowTest):
    def test_no_thread_that_works_collects(self) -> None:
        threads: set[int] = set()

        def watched(phase: str, _: dict[str, int]) -> None:
            threads.add(threading.get_ident())

        gc.callbacks.append(watched)
        self.addCleanup(gc.callbacks.remove, watched)

        def work(_: Progress) -> object:
            rings = []
            for _ in range(2 * MANY_OBJECTS):
                ring: list[object] = []
                ring.append(ring)
                rings.append(ring)
            return len(rings)

        self.window.runner.start(Job("rings", work))
        self.assertTrue(wait_until(lambda: bool(threads)))
        self.assertEqual(threads, {threading.get_ident()})


class TestQuietWork(WindowTest):
    def test_no_short_work_waits_for_what_is_long(self) -> None:
        go, done = threading.Event(), threading.Event()
        self.addCleanup(go.set)

        def rendering(_: Progress) -> object:
            return go.wait(20.0)

        self.window.runner.start(Job("rendering", rendering, quiet=True, long=True))
        for long in (False, True):  # a search, and pages
            done.clear()
            self.window.runner.start(Job("other", lambda _: done.set(), quiet=True, long=long))
            self.assertTrue(wait_until(done.is_set, 5000), long)
        self.assertFalse(go.is_set())
        go.set()

    def test_no_desk_waits_for_a_check(self) -> None:
        self.open_small()
        go = threading.Event()
        self.addCleanup(go.set)

        def slowly(phrase: Phrase, *_: object) -> tuple[object, ...]:
            go.wait(20.0)
            return phrase, [], [], [], False

        with mock.patch("juxtanote.app.derived._found", slowly):
            self.window.findings._ask()
            self.window.show_desk(TEACH)
            self.assertTrue(wait_until(lambda: bool(self.window.teach.text.toPlainText())))
            self.assertFalse(go.is_set())
            go.set()
            self.settle()


class TestRescue(WindowTest):
    def test_work_is_kept_safe_where_everything_else_is_cancelled(self) -> None:
        self.open_small()
        self.document.change("Cut", lambda l: edits.cut_phrase(l, 20.0, 21.0, "new"))
        rescue = self.window.files.rescue
        self.window.runner.give_way()
        rescue._begin()
        self.window.runner.cancel_all()
        self.assertTrue(wait_until(rescue.file.is_file))
        self.assertIn("new", [phrase.name for phrase in load_lesson(rescue.file).phrases])

    def _left(self, name: str = "work-0badcafe") -> object:
        """Leave a file behind, as a killed session does."""
        path = self.window.files.rescue.file.with_name(f"{name}.juxta")
        path.parent.mkdir(parents=True, exist_ok=True)
        lesson = small_lesson().with_phrase(Phrase(77, "rescued", 1.0, 2.0))
        save_lesson(lesson, path)
        return path

    def test_the_old_file_stays_until_the_new_one_is_whole(self) -> None:
        left = self._left()
        broken = mock.patch(
            "juxtanote.core.formats.lesson_file.save_lesson",
            side_effect=JuxtanoteError("The disk is full."),
        )
        with broken:
            self.window.files.recover(left)  # type: ignore[arg-type]
            self.assertTrue(wait_until(lambda: bool(self.document.lesson.phrases), 5000))
            self.assertTrue(left.exists())  # type: ignore[attr-defined]
            self.assertIn("tried again", self.window._told.text())
        self.assertTrue(self.window.files.rescue.write())
        self.assertFalse(left.exists())  # type: ignore[attr-defined]
        self.assertTrue(self.window.files.rescue.file.exists())

    def test_work_of_a_living_session_is_not_taken(self) -> None:
        left = self._left("work-alive")
        lock = QLockFile(str(left.with_suffix(".lock")))  # type: ignore[attr-defined]
        self.assertTrue(lock.tryLock(0))
        self.assertNotIn(left, Rescue.left_behind())
        lock.unlock()
        self.assertIn(left, Rescue.left_behind())
        Rescue.give_up(left)  # type: ignore[arg-type]
        self.assertFalse(left.exists())  # type: ignore[attr-defined]

    def test_a_process_number_that_was_used_again_hides_nothing(self) -> None:
        left = self._left("work-reused")
        lock = left.with_suffix(".lock")  # type: ignore[attr-defined]
        lock.write_text(f"{os.getppid()}\nsomeone else\nelsewhere\n")
        long_ago = time.time() - 3600
        os.utime(lock, (long_ago, long_ago))
        self.assertIn(left, Rescue.left_behind())
        Rescue.give_up(left)  # type: ignore[arg-type]

    def test_what_writing_left_half_done_is_cleared(self) -> None:
        target = self.folder / "x.csv"
        with (
            mock.patch("os.replace", side_effect=KeyboardInterrupt),
            self.assertRaises(KeyboardInterrupt),
        ):
            write_bytes(target, b"half")
        for path in self.folder.iterdir():
            os.utime(path, (0, 0))
        clear_partial(self.folder)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_lesson_that_would_not_open_again_is_not_saved(self) -> None:
        path = self.folder / "x.juxta"
        save_lesson(small_lesson(), path)
        before = path.read_bytes()
        kept = replace(small_lesson().kept, desk="nowhere")
        with self.assertRaisesRegex(JuxtanoteError, r"kept\.desk"):
            save_lesson(replace(small_lesson(), kept=kept), path)
        self.assertEqual(path.read_bytes(), before)


class TestAsked(WindowTest):
    def test_a_deleted_note_is_listed_as_deleted(self) -> None:
        self.open_small()
        self.window.show_desk(PLACE)
        self.document.step_selection(1)
        assert self.document.phrase is not None
        gone = self.document.phrase.notes[0]
        self.window.actions_by_name["delete"].trigger()
        self.settle()
        assert self.document.phrase is not None
        self.assertIn(round(gone.heard.midi), [round(m) for _, m in self.document.phrase.deleted])


if __name__ == "__main__":
    unittest.main()

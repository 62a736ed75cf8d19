"""Random keys, clicks, drags, desks, jobs, files and undo: nothing escapes, no edit is lost."""

import tempfile
import unittest
from pathlib import Path

from bench.monkey import Monkey
from juxtanote.app.main import demo_lesson
from juxtanote.app.main_window import MainWindow
from juxtanote.app.transport.devices import SimulatedSoundCard
from tests.app import wait_until
from tests.app.windows import close_for_good

STEPS = 500


class TestMonkey(unittest.TestCase):
    def test_nothing_escapes_and_nothing_is_lost(self) -> None:
        for seed in (11, 12):
            with self.subTest(seed), tempfile.TemporaryDirectory() as folder:
                window = MainWindow(SimulatedSoundCard(by_hand=True))
                window.resize(1280, 800)
                window.show()
                window.files.open_lesson(demo_lesson())
                wait_until(lambda: bool(window.document.lesson.phrases), 30_000)
                report = Monkey(window, Path(folder), seed).run(STEPS)
                close_for_good(window)
                self.assertEqual(report.steps, STEPS)
                self.assertEqual(report.errors, [], "\n".join(report.errors))
                self.assertEqual(report.lost, [])


if __name__ == "__main__":
    unittest.main()

"""A process that is killed while it edits or saves loses at most the last few seconds."""

import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from juxtanote.core.formats.lesson_file import load_lesson

EDITING = """
import os, sys
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
application = QApplication([])
from juxtanote.app.main_window import MainWindow
from juxtanote.core.score import edits
window = MainWindow()
window.show()
count = 0
def edit():
    global count
    count += 1
    window.document.change("Cut", lambda l: edits.cut_phrase(l, count, count + 0.5, f"cut {count}"))
    print(count, flush=True)
timer = QTimer()
timer.timeout.connect(edit)
timer.start(250)
application.exec()
"""

SAVING = """
import sys
from pathlib import Path
from juxtanote.core.formats.lesson_file import save_lesson
from juxtanote.core.score.lesson import Lesson, Phrase
path = Path(sys.argv[1])
number = 0
while True:
    number += 1
    lesson = Lesson(title=f"save {number}")
    for k in range(1, 60):
        lesson = lesson.with_phrase(Phrase(k, "x" * 200, float(k), k + 1.0))
    save_lesson(lesson, path)
    print(number, flush=True)
"""


class TestKilled(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def _start(self, program: str, *words: str) -> subprocess.Popen:  # type: ignore[type-arg]
        environment = os.environ | {
            name: str(self.folder)
            for name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME")
        }
        process = subprocess.Popen(
            [sys.executable, "-c", program, *words],
            stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=environment,
        )  # fmt: skip
        self.addCleanup(process.stdout.close)  # type: ignore[union-attr]
        self.addCleanup(process.wait)
        return process

    def test_edits_of_a_few_seconds_ago_are_there_after_a_kill(self) -> None:
        process = self._start(EDITING)
        assert process.stdout is not None
        last, until = 0, time.monotonic() + 60
        while last < 26 and time.monotonic() < until:
            last = int(process.stdout.readline() or 99)
        process.send_signal(signal.SIGKILL)
        process.wait()
        files = list((self.folder / "juxtanote").glob("work-*.juxta"))
        self.assertEqual(len(files), 1)
        kept = len(load_lesson(files[0]).phrases)
        # Four edits a second; the rescue file is written every two seconds.
        self.assertGreaterEqual(kept, last - 16)

    def test_a_save_is_whole_or_was_never_begun(self) -> None:
        path = self.folder / "lesson.juxta"
        for wait_s in (0.05, 0.12, 0.31):
            process = self._start(SAVING, str(path))
            assert process.stdout is not None
            process.stdout.readline()
            time.sleep(wait_s)
            process.send_signal(signal.SIGKILL)
            process.wait()
            lesson = load_lesson(path)
            self.assertEqual(len(lesson.phrases), 59)
            self.assertTrue(lesson.title.startswith("save "))


if __name__ == "__main__":
    unittest.main()

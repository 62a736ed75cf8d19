"""What was heard of a recording is kept, and taken only where nothing differs."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np

from juxtanote.core import remembered
from juxtanote.core.analysis.stretches import hear_whole
from juxtanote.core.audio.sound import Sound
from juxtanote.core.remembered import recall, remember
from tests.sounds import RATE, scale_line


class TestRemembering(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        mono, _ = scale_line([57, 60, 62, 64, 67])
        cls.sound = Sound(np.stack([mono, mono]), RATE)
        cls.heard = hear_whole(cls.sound)

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name, "heard")
        remember(self.heard, self.sound, 4.0, self.folder)

    def test_all_of_it_comes_back(self) -> None:
        again = recall(self.sound, 4.0, self.folder)
        assert again is not None
        self.assertGreater(len(again.notes), 3)
        self.assertEqual(again.notes, self.heard.notes)
        self.assertEqual(again.hop_s, self.heard.hop_s)
        for name in ("onset_curve", "level_curve", "voices_curve"):
            ours, theirs = getattr(again, name), getattr(self.heard, name)
            np.testing.assert_allclose(ours, theirs, rtol=1e-6, atol=1e-6)

    def test_nothing_is_taken_where_something_differs(self) -> None:
        self.assertIsNone(recall(self.sound, 5.0, self.folder))
        other = Sound(self.sound.audio * np.float32(0.5), RATE)
        self.assertIsNone(recall(other, 4.0, self.folder))
        with mock.patch.object(remembered, "_ear", lambda: "another"):
            self.assertIsNone(recall(self.sound, 4.0, self.folder))

    def test_what_cannot_be_read_is_not_known(self) -> None:
        (path,) = self.folder.iterdir()
        whole = path.read_bytes()
        long = replace(self.heard, onset_curve=np.zeros(9000), level_curve=np.zeros(9000))
        for data in (b"", whole[:-3], whole[:40], b"\xff" * 80):
            path.write_bytes(data)
            with self.subTest(size=len(data)):
                self.assertIsNone(recall(self.sound, 4.0, self.folder))
        remember(replace(long, voices_curve=np.zeros(9000)), self.sound, 4.0, self.folder)
        self.assertIsNone(recall(self.sound, 4.0, self.folder))  # longer than the recording

    def test_a_store_that_cannot_be_written_is_no_error(self) -> None:
        blocked = self.folder / "file"
        blocked.write_text("x")
        remember(self.heard, self.sound, 4.0, blocked / "below")
        self.assertIsNone(recall(self.sound, 4.0, blocked / "below"))


if __name__ == "__main__":
    unittest.main()

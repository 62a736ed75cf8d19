"""What was measured of a recording is kept, and only for that recording."""

import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

import numpy as np

from juxtanote.core import measured
from juxtanote.core.audio.sound import Sound
from juxtanote.core.measuring import Measured, measure_recording
from tests.sounds import RATE, scale_line


def a_sound(step_s: float = 0.4) -> Sound:
    line, _ = scale_line([57, 60, 62, 64, 67, 69, 67, 64], step_s=step_s)
    return Sound(np.stack([line, line]), RATE)


class TestMeasuredBefore(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name) / "measured"
        self.sound = a_sound()

    def assert_alike(self, one: Measured, other: Measured) -> None:
        self.assertEqual(one.reference_cents, other.reference_cents)
        self.assertEqual(one.beats.bars, other.beats.bars)
        self.assertEqual(one.beats.threes, other.beats.threes)
        for mine, theirs in zip(one.beats.readings, other.beats.readings, strict=True):
            np.testing.assert_array_equal(mine.beat_times_s, theirs.beat_times_s)
            self.assertEqual((mine.bpm, mine.share), (theirs.bpm, theirs.share))

    def test_a_second_time_is_read_and_not_measured(self) -> None:
        first = measured.measured_before(self.sound, self.folder)
        self.assert_alike(first, measure_recording(self.sound))
        with patch.object(measured, "measure_recording", side_effect=AssertionError):
            self.assert_alike(first, measured.measured_before(self.sound, self.folder))

    def test_another_recording_is_measured(self) -> None:
        measured.measured_before(self.sound, self.folder)
        with (
            patch.object(measured, "measure_recording", side_effect=AssertionError),
            self.assertRaises(AssertionError),
        ):
            measured.measured_before(a_sound(0.41), self.folder)

    def test_what_was_damaged_is_measured_again(self) -> None:
        first = measured.measured_before(self.sound, self.folder)
        for damage in (b"", b"{", b'{"readings": []}', b"\xff\xfe", b'{"threes": "x"}'):
            next(self.folder.iterdir()).write_bytes(damage)
            self.assert_alike(first, measured.measured_before(self.sound, self.folder))

    def test_where_nothing_can_be_kept_it_is_measured_all_the_same(self) -> None:
        self.folder.write_text("a file where the folder should be")
        again = measured.measured_before(self.sound, self.folder)
        self.assert_alike(again, measure_recording(self.sound))

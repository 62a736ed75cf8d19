"""Swung eighths as they are written, and listening with what a person is sure of."""

import unittest
from dataclasses import replace
from fractions import Fraction

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtanote.core.align.gap import measure_gaps
from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.perceived import Hints
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.rhythm import straightened, swing_of, swung, write_phrase
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.theory.tuning import Guitar
from tests.lessons import note
from tests.sounds import scale_line

BEATS = TimeMap(tuple(0.6 * k for k in range(12)))


def shuffle(ratio: float) -> Phrase:
    """Play eighths of which the first is `ratio` times as long as the second."""
    part = ratio / (1.0 + ratio)
    times = [0.6 * (k // 2 + (part if k % 2 else 0.0)) for k in range(12)]
    notes = [note(k + 1, t, 1, 5, length_s=0.15) for k, t in enumerate(times)]
    return Phrase(1, "A", 0.0, 5.0, tuple(notes), subdivision="swung eighths")


class TestSwing(unittest.TestCase):
    @settings(max_examples=100, deadline=None)
    @given(st.floats(-20, 20), st.floats(0.5, 0.8))
    def test_straightening_is_undone_exactly(self, beats: float, swing: float) -> None:
        self.assertAlmostEqual(swung(straightened(beats, swing), swing), beats, places=9)
        self.assertAlmostEqual(straightened(swung(beats, swing), swing), beats, places=9)

    def test_a_shuffle_is_written_as_eighths_and_is_not_late(self) -> None:
        for ratio in (1.5, 2.0):
            phrase = write_phrase(shuffle(ratio), BEATS)
            onsets = [n.written.onset_beats for n in phrase.notes]
            with self.subTest(ratio=ratio):
                self.assertEqual(onsets, [Fraction(k, 2) for k in range(12)])
                swing = swing_of(phrase, BEATS)
                self.assertAlmostEqual(swing / (1.0 - swing), ratio, delta=0.1)
                gaps = measure_gaps(phrase, Lesson(time_map=BEATS, phrases=(phrase,)))
                self.assertTrue(all(abs(gap.late_s or 0.0) < 0.012 for gap in gaps))

    def test_without_the_choice_the_triplets_are_written(self) -> None:
        plain = write_phrase(replace(shuffle(2.0), subdivision="auto"), BEATS)
        self.assertEqual({n.written.onset_beats.denominator for n in plain.notes}, {1, 3})


class TestKnownNotes(unittest.TestCase):
    def test_a_note_that_is_sure_is_heard_where_it_was_put(self) -> None:
        audio, events = scale_line([57, 60, 62, 64])
        silence = np.zeros_like(audio)
        plain = listen(audio, silence)
        self.assertEqual(len(plain.notes), len(events))
        second = events[1]
        hints = Hints(certain=((second.onset_s, second.offset_s, 65.0),))
        told = listen(audio, silence, hints=hints)
        near = [n for n in told.notes if abs(n.onset_s - second.onset_s) < 0.05]
        self.assertIn(65, [round(n.midi) for n in near])
        others = [round(n.midi) for n in told.notes if abs(n.onset_s - second.onset_s) > 0.1]
        self.assertEqual(others, [57, 62, 64])

    def test_a_number_a_scale_and_a_string_are_kept_to(self) -> None:
        audio, _ = scale_line([57, 60, 62, 64, 67])
        silence = np.zeros_like(audio)
        plain = listen(audio, silence)
        few = listen(audio, silence, hints=Hints(expected_notes=3))
        self.assertLessEqual(len(few.notes), len(listen(audio, silence).notes))
        guitar = Guitar()
        high = listen(audio, silence, hints=Hints().on_string(guitar, 1)).notes
        self.assertTrue(all(64 <= round(n.midi) <= 64 + guitar.last_fret for n in high))
        whole = listen(audio, silence, hints=Hints().on_guitar(guitar)).notes
        self.assertEqual([round(n.midi) for n in whole], [round(n.midi) for n in plain.notes])
        inside = listen(audio, silence, hints=Hints(scale=frozenset({9, 0, 2, 4, 7})))
        self.assertLessEqual({round(n.midi) % 12 for n in inside.notes}, {9, 0, 2, 4, 7})


if __name__ == "__main__":
    unittest.main()

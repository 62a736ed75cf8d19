"""Where phrases are cut, and which strings are kept quiet."""

import itertools
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtanote.core.fretboard.silence import strings_to_silence
from juxtanote.core.score.cuts import (
    AFTER_S,
    BEFORE_S,
    LONGEST_S,
    MOST_TAKEN_S,
    TOUCH_S,
    Cut,
    propose_cuts,
    taking_in,
)
from juxtanote.core.score.time_map import TimeMap

MAP = TimeMap(tuple(0.5 * k for k in range(200)))


def run(start_s: float, count: int, step_s: float = 0.25) -> tuple[list[float], list[float]]:
    """Make a run of even notes."""
    onsets = [start_s + step_s * k for k in range(count)]
    return onsets, [onset + 0.9 * step_s for onset in onsets]


class TestCuts(unittest.TestCase):
    def test_rests_part_phrases(self) -> None:
        first, second = run(1.0, 12), run(6.0, 12)
        cuts = propose_cuts(first[0] + second[0], first[1] + second[1], MAP)
        self.assertEqual(len(cuts), 2)
        self.assertEqual(cuts[0].why, "a rest")
        self.assertLess(cuts[0].end_s, 6.0)
        self.assertLess(cuts[1].start_s, 6.0)

    def test_a_held_note_ends_a_phrase(self) -> None:
        first, second = run(0.0, 9), run(4.0, 9)
        offsets = [*first[1][:-1], 3.98, *second[1]]
        cuts = propose_cuts(first[0] + second[0], offsets, MAP)
        self.assertEqual(len(cuts), 2)
        self.assertEqual(cuts[0].why, "a long note")

    def test_an_even_run_is_cut_only_when_it_is_too_long(self) -> None:
        self.assertEqual(len(propose_cuts(*run(0.0, 20), MAP)), 1)
        cuts = propose_cuts(*run(0.0, 80), MAP)
        self.assertGreater(len(cuts), 1)
        self.assertTrue(all(cut.end_s - cut.start_s <= LONGEST_S + 0.5 for cut in cuts))

    def test_no_notes_no_phrases(self) -> None:
        self.assertEqual(propose_cuts([], [], MAP), [])

    def test_a_short_note_by_itself_is_no_phrase(self) -> None:
        first, second = run(1.0, 12), run(40.0, 12)
        onsets, offsets = [*first[0], 20.0, *second[0]], [*first[1], 20.35, *second[1]]
        cuts = propose_cuts(onsets, offsets, MAP)
        self.assertEqual(len(cuts), 2)
        self.assertFalse(any(cut.start_s < 20.1 < cut.end_s for cut in cuts))
        self.assertEqual(propose_cuts([20.0], [20.35], MAP), [])
        self.assertEqual(propose_cuts([20.0, 50.0], [20.35, 50.3], MAP), [])
        self.assertEqual(len(propose_cuts([20.0], [21.5], MAP)), 1)  # held, it may be one

    def test_a_stab_before_a_rest_is_no_phrase(self) -> None:
        line = run(3.0, 12)
        cuts = propose_cuts([1.0, 1.15, *line[0]], [1.1, 1.4, *line[1]], MAP)
        self.assertEqual([round(cut.end_s) for cut in cuts], [6])
        self.assertLess(cuts[0].start_s, 1.0)

    def widened(
        self, *notes: tuple[float, float], from_s: float = 0.0
    ) -> list[tuple[float, float]]:
        """Give two phrases, of 10 to 12 and 16 to 18 s, with doubtful notes taken in."""
        cuts = [Cut(10.0, 12.0, "a rest"), Cut(16.0, 18.0, "the end")]
        onsets, offsets = zip(*sorted(notes), strict=True) if notes else ((), ())
        wide = taking_in(cuts, onsets, offsets, from_s)
        return [(round(c.start_s, 2), round(c.end_s, 2)) for c in wide]

    def test_doubtful_notes_that_follow_or_lead_to_a_phrase_are_taken_into_it(self) -> None:
        self.assertEqual(self.widened(), [(10.0, 12.0), (16.0, 18.0)])
        self.assertEqual(self.widened((12.1, 12.4)), [(10.0, 12.48), (16.0, 18.0)])
        self.assertEqual(self.widened((15.6, 15.9)), [(10.0, 12.0), (15.54, 18.0)])
        row = [(9.4, 9.6), (9.7, 9.9), (12.1, 12.3), (12.5, 12.7), (15.8, 15.9), (18.1, 18.5)]
        self.assertEqual(self.widened(*row), [(9.34, 12.78), (15.74, 18.58)])

    def test_what_stands_by_itself_is_not_taken(self) -> None:
        self.assertEqual(self.widened((14.0, 14.2), (7.0, 7.5)), [(10.0, 12.0), (16.0, 18.0)])
        long_row = [
            (12.0 + 0.2 * k, 12.18 + 0.2 * k) for k in range(20)
        ]  # not all of it, from either side
        (_, end), (start, _) = self.widened(*long_row)
        self.assertLess(end, 12.0 + MOST_TAKEN_S + AFTER_S)
        self.assertGreater(start, 16.0 - MOST_TAKEN_S - BEFORE_S)

    def test_nothing_is_taken_before_a_time(self) -> None:
        self.assertEqual(self.widened((9.5, 9.9), from_s=9.8)[0], (10.0, 12.0))
        self.assertEqual(self.widened((9.7, 9.9), from_s=9.68)[0], (9.68, 12.0))

    @given(
        st.lists(st.tuples(st.floats(0.3, 4.0), st.floats(0.0, 3.0)), max_size=8),
        st.lists(st.tuples(st.floats(0.0, 40.0), st.floats(0.03, 2.0)), max_size=40),
    )
    @settings(deadline=None, max_examples=100)
    def test_widened_phrases_hold_what_they_held_and_lie_side_by_side(
        self, phrases: list[tuple[float, float]], notes: list[tuple[float, float]]
    ) -> None:
        cuts, at = [], 0.0
        for length, rest in phrases:
            cuts.append(Cut(at, at + length, "a rest"))
            at += length + rest
        onsets = sorted(onset for onset, _ in notes)
        offsets = [onset + lasts for onset, (_, lasts) in zip(onsets, notes, strict=True)]
        wide = taking_in(cuts, onsets, offsets)
        for before, after in zip(cuts, wide, strict=True):
            self.assertLessEqual(after.start_s, before.start_s)
            self.assertGreaterEqual(after.end_s, before.end_s)
        for left, right in itertools.pairwise(wide):
            self.assertLess(left.end_s, right.start_s + TOUCH_S)

    @given(st.lists(st.floats(0.05, 3.0), min_size=2, max_size=60))
    @settings(deadline=None, max_examples=60)
    def test_every_note_is_in_one_phrase(self, gaps: list[float]) -> None:
        onsets = np.cumsum(gaps)
        offsets = onsets + 0.04
        cuts = propose_cuts(list(onsets), list(offsets), MAP)
        for onset in onsets:
            self.assertEqual(sum(cut.start_s <= onset < cut.end_s for cut in cuts), 1)


class TestSilence(unittest.TestCase):
    def test_each_unused_string_is_named_once(self) -> None:
        for used in ([1], [6], [2, 4], [1, 6], [3, 4, 5]):
            words = strings_to_silence(used, 6)
            for string in range(1, 7):
                with self.subTest(used=used, string=string):
                    self.assertEqual(str(string) in words, string not in used)

    def test_thick_strings_lie_under_the_palm(self) -> None:
        self.assertIn("string 6 under the palm", strings_to_silence([1, 2, 3, 4, 5], 6))
        self.assertIn("string 3 with a finger", strings_to_silence([2, 4], 6))
        self.assertEqual(strings_to_silence([], 6), "")


if __name__ == "__main__":
    unittest.main()

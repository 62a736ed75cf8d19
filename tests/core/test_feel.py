"""The feel of a phrase, from where its onsets fall."""

import unittest

import numpy as np

from juxtanote.core.score.feel import BINS, feel_words, measure_feel
from juxtanote.core.score.time_map import TimeMap

BEAT_S = 0.6
MAP = TimeMap(tuple(BEAT_S * k for k in range(40)))


def played(places: list[float], jitter_s: float = 0.008) -> list[float]:
    """Play places inside the beat, sixteen beats long, a few milliseconds off."""
    rng = np.random.default_rng(len(places))
    exact = [BEAT_S * (beat + place) for beat in range(16) for place in places]
    return list(np.maximum(np.array(exact) + rng.normal(0, jitter_s, len(exact)), 0.0))


class TestFeel(unittest.TestCase):
    def test_every_feel_is_told(self) -> None:
        cases = {
            "straight eighths": [0.0, 0.5],
            "triplets": [0.0, 1 / 3, 2 / 3],
            "sixteenths": [0.0, 0.25, 0.5, 0.75],
            "sextuplets": [k / 6 for k in range(6)],
        }
        for name, places in cases.items():
            for jitter in (0.004, 0.012):
                feel = measure_feel(played(places, jitter), MAP)
                assert feel is not None
                with self.subTest(name=name, jitter=jitter):
                    self.assertEqual(feel.name, name)
                    self.assertGreater(feel.fit, 0.6)

    def test_the_swing_of_a_shuffle_is_measured(self) -> None:
        for ratio in (1.5, 2.0, 2.6):
            feel = measure_feel(played([0.0, ratio / (1 + ratio)]), MAP)
            assert feel is not None
            with self.subTest(ratio=ratio):
                self.assertEqual(feel.name, "shuffle")
                self.assertAlmostEqual(feel.swing, ratio, delta=0.15)
                self.assertIn("swing", feel_words(feel))

    def test_the_histogram_counts_every_onset(self) -> None:
        onsets = played([0.0, 0.5])
        feel = measure_feel(onsets, MAP)
        assert feel is not None
        self.assertEqual(len(feel.histogram), BINS)
        self.assertEqual(sum(feel.histogram), len(onsets))

    def test_too_few_notes_have_no_feel(self) -> None:
        self.assertIsNone(measure_feel([0.0, 0.6, 1.2], MAP))


if __name__ == "__main__":
    unittest.main()

"""How far phase is believed: fitted to strokes whose truth is known."""

import unittest

import numpy as np

from lab.restruck import LOST_COUNTS, Stroke, fit, further


class FitTest(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(1)
        self.truth = rng.random(4000) < 0.8
        odds = np.where(self.truth, 1.5, 0.8) + rng.normal(0.0, 1.0, 4000)
        agrees = np.where(self.truth, 0.3, 0.6) + rng.normal(0.0, 0.2, 4000)
        sure = 1.0 / (1.0 + np.exp(-odds))
        self.strokes = [Stroke(*pair) for pair in zip(sure.tolist(), agrees.tolist(), strict=True)]

    def test_two_normal_densities_give_the_slope_that_theory_gives(self) -> None:
        # R. A. Fisher 1936: equal spreads make log odds a straight line, here (0.6 - 0.3) / 0.2**2 steep.
        bias, weight = fit(self.strokes, self.truth)
        self.assertAlmostEqual(weight, 7.5, delta=0.8)
        self.assertGreater(bias, 0.0)

    def test_doubt_goes_as_far_as_nothing_is_lost_by_it(self) -> None:
        bias, weight = fit(self.strokes, self.truth)
        chosen, lost, left_out = further(self.strokes, self.truth, bias, weight)
        self.assertLessEqual(chosen, bias)
        true, others = np.count_nonzero(self.truth), np.count_nonzero(~self.truth)
        self.assertLessEqual(LOST_COUNTS * lost * true, left_out * others + 1e-6)
        self.assertGreater(left_out, lost)
        blind = [stroke._replace(agrees=0.45) for stroke in self.strokes]
        self.assertEqual(further(blind, self.truth, 4.0, 0.0)[1:], (0.0, 0.0))

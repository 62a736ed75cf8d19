"""How notes are struck is told by what the sorts of one phrase differ in, and by nothing else."""

import unittest

import numpy as np

from juxtanote.core.analysis.touch import Touch, is_of, likeness
from juxtanote.core.checks.complaints import Asked
from lab.mistakes import EVERY, plant
from lab.touch import fit

N_MEASURES = 5
SLURRED = frozenset({"pull-off"})


def phrase_of(rng: np.random.Generator) -> tuple[list[Asked], np.ndarray]:
    """A player whose notes lie anywhere; slurs lie 2 lower than strokes in the first measure."""
    tags = [SLURRED if rng.random() < 0.4 else frozenset() for _ in range(20)]
    measured = rng.normal(0.0, 1.0, (20, N_MEASURES)) + rng.normal(0.0, 8.0, N_MEASURES)
    measured[:, 0] -= [2.5 if t else 0.0 for t in tags]
    notes = [
        Asked(k, 0.3 * k, 0.3 * k + 0.3, 60.0 + k % 5, 3, 5 + k % 5, t) for k, t in enumerate(tags)
    ]
    return notes, measured


class TestFit(unittest.TestCase):
    def test_players_differ_and_that_tells_nothing(self) -> None:
        rng = np.random.default_rng(4)
        row = fit("slur", [phrase_of(rng) for _ in range(60)])
        touch = Touch(row[3:], *row[:3].tolist())
        others = np.abs(touch.weights[1:]).max()
        self.assertLess(touch.weights[0], -5.0 * others)
        self.assertGreater(touch.within, touch.without)
        right = 0
        for _ in range(20):
            notes, measured = phrase_of(rng)
            told = likeness([is_of("slur", n.techniques) for n in notes], measured, touch) > 0.0
            right += int(np.sum(told == [bool(n.techniques) for n in notes]))
        self.assertGreater(right / 400, 0.8)  # at best 0.89: of sorts that are 2.5 spreads apart


class TestMistakes(unittest.TestCase):
    def test_what_is_planted_is_all_that_differs(self) -> None:
        notes, _ = phrase_of(np.random.default_rng(5))
        for seed in range(30):
            wrong, planted = plant(notes, np.random.default_rng(seed))
            at = [where for _, _, where in planted]
            known = {(n.onset_s, n.midi, n.techniques, n.bends) for n in notes}
            changed = [n for n in wrong if (n.onset_s, n.midi, n.techniques, n.bends) not in known]
            left_out = sum(name == "left out" for name, _, _ in planted)
            self.assertEqual(len(changed), len(planted) - left_out)
            self.assertEqual(
                len(notes) - len(wrong), left_out - sum(n == "too many" for n, _, _ in planted)
            )
            self.assertLessEqual(len(planted), 1 + len(notes) // EVERY)
            self.assertEqual(len(at), len(set(at)))


if __name__ == "__main__":
    unittest.main()

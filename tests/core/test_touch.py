"""How notes are struck, told by the tab itself: against SciPy's normal densities, and on sound."""

import unittest
from dataclasses import replace

import numpy as np
from scipy.stats import logistic, norm

from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.touch import KINDS, Touch, is_of, likeness, read_touch, renamed
from juxtanote.core.checks.complaints import Asked
from juxtanote.core.checks.second_ear import matched
from juxtanote.core.checks.told_techniques import (
    BELIEVED,
    Belief,
    Played,
    count_kinds,
    technique_complaints,
    touch_of,
)
from tests.core.test_second_ear import a_recording, right

SLURRED = frozenset({"hammer-on"})


def tab(slurred: int, struck: int) -> list[Asked]:
    """Write slurs, and after them strokes."""
    tags = [SLURRED] * slurred + [frozenset()] * struck
    return [Asked(k, 0.2 * k, 0.2 * k + 0.2, 60.0, 3, 5, t) for k, t in enumerate(tags)]


def heard_pairs() -> tuple[list[Played], Evidence]:
    evidence, written = a_recording()[1], right()
    pairs = sorted(matched(written, evidence.notes).items())
    return [(written[a], evidence.notes[b]) for a, b in pairs], evidence


def sorts(notes: list[Asked], kind: str = "slur") -> list[bool | None]:
    return [is_of(kind, note.techniques) for note in notes]


class TestLikeness(unittest.TestCase):
    def test_with_many_notes_it_is_the_ratio_of_two_normal_densities(self) -> None:
        # Of equal variance: C. M. Bishop, "Pattern Recognition and Machine Learning", 2006, section 4.2
        # (from memory). One note, or what is usual, hardly moves the means of so many.
        rng = np.random.default_rng(1)
        values = np.concatenate([rng.normal(3.0, 0.5, 4000), rng.normal(1.0, 0.5, 4000)])
        told = likeness(sorts(tab(4000, 4000)), values[:, None], Touch(np.ones(1), 2.5, 0.0, 0.25))
        true = norm.logpdf(values, 3.0, 0.5) - norm.logpdf(values, 1.0, 0.5)
        self.assertLess(float(np.abs(told - true).max()), 0.6)
        self.assertGreater(float(np.corrcoef(told, true)[0, 1]), 0.9999)

    def test_another_player_is_told_by_what_stands_in_the_tab(self) -> None:
        # All notes lie higher than those of others: by the usual means all of them would be slurs.
        rng = np.random.default_rng(2)
        values = np.concatenate([rng.normal(6.0, 0.2, 6), rng.normal(4.0, 0.2, 6)])[:, None]
        touch = Touch(np.ones(1), 2.0, 0.0, 0.5)
        self.assertTrue((values > 1.0).all())
        told = likeness(sorts(tab(6, 6)), values, touch) > 0
        self.assertEqual(told.tolist(), [True] * 6 + [False] * 6)

    def test_what_is_written_of_a_note_itself_does_not_count(self) -> None:
        values = np.array([[2.0], [2.1], [1.9], [0.0], [0.1], [-0.1]])
        touch = Touch(np.ones(1), 2.0, 0.0, 0.5)
        right = tab(3, 3)
        for index in range(6):
            swapped = frozenset() if right[index].techniques else SLURRED
            wrong = [
                replace(n, techniques=swapped) if k == index else n for k, n in enumerate(right)
            ]
            one, other = (likeness(sorts(notes), values, touch)[index] for notes in (right, wrong))
            self.assertAlmostEqual(float(one), float(other))

    def test_notes_that_say_nothing_of_a_kind_do_not_count(self) -> None:
        dead = Asked(9, 0.0, 0.1, 60.0, 3, 5, frozenset({"dead"}))
        self.assertEqual({is_of(kind, dead.techniques) for kind in KINDS}, {None})
        bent = replace(dead, techniques=frozenset({"bend", "vibrato"}), bend_semitones=2.0)
        self.assertIsNone(is_of("vibrato", bent.techniques))
        self.assertFalse(is_of("slur", bent.techniques))

    def test_every_kind_ships(self) -> None:
        for kind in KINDS:
            touch = read_touch(kind)
            assert touch is not None
            self.assertGreater(touch.within, touch.without, kind)
            self.assertGreater(touch.spread, 0.0, kind)


class TestDoubts(unittest.TestCase):
    """When is a doubt told, and how sure is it."""

    def test_odds_are_believed_as_a_logistic_curve(self) -> None:
        belief = Belief(1.0, 2.0, 0.7)
        for odds in (-5.0, 0.0, 2.0, 3.5):
            self.assertAlmostEqual(
                belief.chance(odds), logistic.cdf(odds, 2.0, 1.0 / 0.7), places=9
            )

    def test_the_first_of_its_kind_must_be_surer_and_the_only_one_less(self) -> None:
        phrase = tab(0, 4)
        among = [replace(phrase[0], techniques=SLURRED), *phrase[1:]]
        steps = [replace(n, midi=60.0 + k) for k, n in enumerate(among)]
        plain = [replace(n, techniques=frozenset()) for n in steps]
        odds = 1.0
        told = [
            technique_complaints(notes[2], notes, {"slur": odds}, count_kinds(notes))
            for notes in (steps, plain)
        ]
        self.assertEqual([[c.technique for c in found] for found in told], [["hammer-on"], []])
        self.assertIn("perhaps", told[0][0].detail)
        for doubts in BELIEVED.values():
            self.assertLessEqual(doubts.missing.told, doubts.missing_first.told)
            self.assertLessEqual(doubts.silent_only.told, doubts.silent.told)

    def test_what_is_surely_otherwise_is_said_without_perhaps(self) -> None:
        steps = [replace(n, midi=60.0 + k) for k, n in enumerate(tab(2, 2))]
        found = technique_complaints(steps[3], steps, {"slur": 6.0}, count_kinds(steps))
        self.assertEqual([c.detail for c in found], ["hammer-on is heard"])
        self.assertGreater(found[0].confidence, 0.8)
        # The same note cannot be slurred into where nothing was played before it on its string.
        alone = [replace(steps[3], string=5)]
        self.assertEqual(
            technique_complaints(alone[0], alone, {"slur": 6.0}, count_kinds(alone)), []
        )


class TestOnSound(unittest.TestCase):
    def test_right_tabs_are_left_in_peace_and_a_false_slur_is_unlike_a_slur(self) -> None:
        played, evidence = heard_pairs()
        touch = touch_of(played, evidence)
        notes = [note for note, _ in played]
        for note in notes:
            self.assertEqual(
                technique_complaints(note, notes, touch[note.row], count_kinds(notes)), []
            )
            self.assertLess(touch[note.row]["slur"], 0.0)

    def test_without_the_listeners_evidence_names_stay(self) -> None:
        played, evidence = heard_pairs()
        notes = [replace(heard, techniques=SLURRED if k == 4 else frozenset())
                 for k, (_, heard) in enumerate(played)]  # fmt: skip

        def slurred(evidence: Evidence) -> list[int]:
            return [k for k, n in enumerate(renamed(notes, evidence)) if n.techniques & SLURRED]

        self.assertEqual(slurred(evidence), [])
        self.assertEqual(
            slurred(replace(evidence, heard=replace(evidence.heard, posteriors=None))), [4]
        )

    def test_nothing_written_is_no_error(self) -> None:
        _, evidence = heard_pairs()
        self.assertEqual(touch_of([], evidence), {})


if __name__ == "__main__":
    unittest.main()

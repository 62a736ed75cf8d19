"""Difficulty: more of a demand is never easier, and each is named."""

import unittest
from dataclasses import replace
from fractions import Fraction

from juxtanote.core.checks.difficulty import Demand, difficulty_of, hardest, whole_difficulty
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import HeardNote, Note, WrittenNote
from juxtanote.core.score.time_map import TimeMap
from tests.lessons import small_lesson

TEMPO_60 = TimeMap(tuple(float(k) for k in range(60)))


def phrase_of(rows: list[tuple[float, int, int, str]]) -> Phrase:
    """A phrase of (onset in seconds, string, fret, technique)."""
    notes = []
    for k, (at, string, fret, tag) in enumerate(rows):
        heard = HeardNote(at, at + 0.1, 60.0, -18.0, 0.9)
        tags = frozenset({tag} if tag else set())
        written = WrittenNote(string, fret, tags, onset_beats=Fraction(at).limit_denominator(48))
        notes.append(Note(k + 1, heard, written))
    return Phrase(1, "A", 0.0, max(at for at, *_ in rows) + 1.0).with_notes(notes)


def figure(
    rows: list[tuple[float, int, int, str]], speed: float = 1.0
) -> tuple[float, Demand | None]:
    """The figure of the first bar, and what weighs most in it."""
    lesson = Lesson(time_map=TEMPO_60)
    bar = difficulty_of(phrase_of(rows), lesson.context(), speed)[0]
    return bar.figure, bar.shares[0].demand if bar.shares else None


class TestDemands(unittest.TestCase):
    def test_faster_is_harder(self) -> None:
        figures = []
        for rate in (2, 4, 8, 12):
            rows = [(k / rate, 1 + k % 2, 5, "") for k in range(int(3.5 * rate))]
            figures.append(figure(rows)[0])
        self.assertEqual(figures, sorted(figures))
        self.assertLess(figures[0], 1.0)
        self.assertGreater(figures[-1], 5.0)

    def test_strokes_a_second_are_counted(self) -> None:
        rows = [(k / 8, 1, 5, "") for k in range(24)]
        bar = difficulty_of(phrase_of(rows), Lesson(time_map=TEMPO_60).context())[0]
        self.assertEqual(bar.shares[0].demand, Demand.SPEED)
        self.assertAlmostEqual(bar.shares[0].size, 8.0, delta=0.1)

    def test_slurred_notes_are_no_strokes(self) -> None:
        picked = [(k / 9, 1, 5 + k % 2, "") for k in range(27)]
        slurred = [
            (at, s, f, "hammer-on" if k % 3 else "") for k, (at, s, f, _) in enumerate(picked)
        ]
        self.assertLess(figure(slurred)[0], figure(picked)[0])

    def test_a_jump_is_named_with_its_speed(self) -> None:
        """From fret 2 to fret 14 of 648 mm: 288 mm (equal temperament), in a fifth of a second."""
        hard, demand = figure([(0.0, 2, 2, ""), (0.2, 2, 14, "")])
        self.assertEqual(demand, Demand.JUMP)
        self.assertGreater(hard, figure([(0.0, 2, 2, ""), (1.6, 2, 14, "")])[0])

    def test_a_stretch_low_on_the_neck_is_wider(self) -> None:
        low, demand = figure([(0.0, 2, 1, ""), (0.2, 1, 6, "")])
        high, _ = figure([(0.0, 2, 12, ""), (0.2, 1, 17, "")])
        self.assertIn(demand, (Demand.STRETCH, Demand.JUMP))
        self.assertGreater(low, high)

    def test_slowly_it_is_easier(self) -> None:
        rows = [(k / 8, 1 + 2 * (k % 2), 5, "") for k in range(24)]
        self.assertLess(figure(rows, 0.5)[0], 0.7 * figure(rows)[0])

    def test_techniques_weigh(self) -> None:
        plain = [(float(k) / 2, 2, 8, "") for k in range(6)]
        bent = [(at, s, f, "bend") for at, s, f, _ in plain]
        self.assertGreater(figure(bent)[0], figure(plain)[0])

    def test_every_figure_is_on_the_scale_and_the_hardest_come_first(self) -> None:
        lesson = small_lesson()
        for phrase in lesson.phrases:
            bars = difficulty_of(phrase, lesson.context(phrase))
            self.assertTrue(all(0.0 <= bar.figure <= 10.0 for bar in bars))
            worst = hardest(bars)
            self.assertEqual(
                worst[0].figure if worst else 0.0, max((b.figure for b in bars), default=0.0)
            )
            self.assertLessEqual(whole_difficulty(bars), max((b.figure for b in bars), default=0.0))

    def test_nothing_is_no_difficulty(self) -> None:
        empty = replace(phrase_of([(0.0, 1, 5, "")]), notes=())
        self.assertEqual(difficulty_of(empty, Lesson().context()), ())
        self.assertEqual(whole_difficulty(()), 0.0)

"""What the colour of a note tells of where it was stopped."""

import unittest
from dataclasses import replace

import numpy as np

from juxtanote.core.analysis.string_sound import (
    MOST_FRETS,
    N_PARTIALS,
    lean_to_frets,
    measure_colours,
)
from juxtanote.core.formats.lesson_json import lesson_from_json, lesson_to_json
from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.clues import MOST_ONE, HeardString, with_clues
from juxtanote.core.fretboard.solver import place
from juxtanote.core.score.transpose import along_the_neck
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events
from juxtanote.core.theory.tuning import Guitar
from juxtanote.core.units import midi_to_hz
from tests.lessons import small_lesson

RATE = 22_050
GUITAR = Guitar()
LEVELS, PLAIN, STRETCH = (slice(k * N_PARTIALS, (k + 1) * N_PARTIALS) for k in range(3))


def plucked(f0: float, at: float, b: float = 0.0, count: int = 20) -> np.ndarray:
    """Sound a string plucked at a part `at` of its length: partials by |sin(nπp)|/n² of the ideal

    plucked string (Fletcher & Rossing, ch. 2.8), f_n = n·f0·√(1+B·n²).
    """
    times = np.arange(int(0.5 * RATE)) / RATE
    audio = np.zeros(len(times))
    for n in range(1, count + 1):
        hz = n * f0 * np.sqrt(1 + b * n * n)
        audio += abs(np.sin(n * np.pi * at)) / n**2 * np.sin(2 * np.pi * hz * times + n)
    return (0.3 * audio).astype(np.float32)


def colour(audio: np.ndarray, f0: float) -> np.ndarray:
    return measure_colours(audio, RATE, [(0.0, 0.45, f0)])[0]


class TestColours(unittest.TestCase):
    def test_levels_are_those_of_the_ideal_plucked_string(self) -> None:
        for f0 in (110.0, 196.0, 329.63):
            found = colour(plucked(f0, 0.22), f0)[LEVELS][:12] * 20.0
            n = np.arange(1, 13)
            wanted = 20 * np.log10(np.abs(np.sin(n * np.pi * 0.22)) / n**2)
            off = (found - found[0]) - (wanted - wanted[0])
            self.assertLess(float(np.max(np.abs(off))), 1.5)

    def test_no_partial_stands_where_the_string_is_plucked_on_its_node(self) -> None:
        found = colour(plucked(147.0, 0.2), 147.0)[LEVELS]
        for n in (5, 10):
            self.assertLess(found[n - 1], min(found[n - 2], found[n]) - 0.5)

    def test_stretch_of_the_partials(self) -> None:
        for b in (3e-5, 1e-4, 3e-4):
            f0 = 123.5
            found = colour(plucked(f0, 0.12, b), f0 * np.sqrt(1 + b))[STRETCH] * 10.0
            n = np.arange(1, 16)
            wanted = 600 * np.log2((1 + b * n * n) / (1 + b))
            seen = colour(plucked(f0, 0.12, b), f0 * np.sqrt(1 + b))[PLAIN][:15] > 0.9
            off = np.abs(found[:15] - wanted)[seen & (wanted < 55)]
            self.assertGreater(len(off), 8)
            self.assertLess(float(off.max()), 3.0)

    def test_what_is_too_short_or_silent_says_nothing(self) -> None:
        audio = plucked(220.0, 0.2)
        rows = measure_colours(
            audio, RATE, [(0.0, 0.05, 220.0), (0.0, 0.45, 220.0), (3.0, 4.0, 220.0)]
        )
        self.assertEqual([bool(np.isfinite(row[0])) for row in rows], [False, True, False])
        silent = measure_colours(np.zeros(RATE, np.float32), RATE, [(0.0, 0.5, 220.0)])
        self.assertFalse(np.any(lean_to_frets(silent)))
        self.assertEqual(lean_to_frets(measure_colours(audio, RATE, [])).shape, (0, MOST_FRETS))

    def test_very_high_and_noisy_notes_are_no_trouble(self) -> None:
        noise = 0.1 * np.random.default_rng(1).standard_normal(RATE).astype(np.float32)
        rows = measure_colours(noise, RATE, [(0.0, 0.5, hz) for hz in (30.9, 82.0, 1318.0, 4000.0)])
        self.assertTrue(np.all(np.isfinite(rows)))


class TestLean(unittest.TestCase):
    def test_the_sound_of_a_string_tells_low_frets_from_high_ones(self) -> None:
        """One line low on the thin strings and high on the thick ones, on twelve modelled guitars."""
        line = (64, 65, 67, 69, 67, 65, 69, 71, 72, 71, 69, 67)
        right = 0
        for number in range(12):
            rng = np.random.default_rng([77, number])
            voice = StringVoice(
                pluck_position=rng.uniform(0.08, 0.25), pickup_position=rng.uniform(0.06, 0.2),
                brightness=rng.uniform(0.5, 1.2), inharmonicity=10 ** rng.uniform(-5.0, -3.9),
            )  # fmt: skip
            low = [(1, m - 64) for m in line]
            high = [(3, m - 55) for m in line]
            true, other = (low, high) if number % 2 else (high, low)
            events = [
                StringEvent(0.1 + 0.3 * k, 0.28, s, f, float(m))
                for k, (m, (s, f)) in enumerate(zip(line, true, strict=True))
            ]
            audio = render_events(events, RATE, voice, rng)
            spans = [(e.onset_s, e.offset_s, float(midi_to_hz(e.midi))) for e in events]
            lean = lean_to_frets(measure_colours(audio, RATE, spans))
            self.assertEqual(lean.shape, (12, MOST_FRETS))
            gain = sum(
                lean[k, a[1]] - lean[k, b[1]]
                for k, (a, b) in enumerate(zip(true, other, strict=True))
            )
            right += gain > 0
        self.assertGreaterEqual(right, 10)

    def test_the_placement_follows_what_the_sound_suggests(self) -> None:
        lean = np.full(MOST_FRETS, -1.0)
        lean[12:] = 1.0
        notes = [
            NoteToPlace(0.3 * k, 0.3 * k + 0.28, float(m)) for k, m in enumerate((64, 67, 69, 67))
        ]
        plain = place(GUITAR, notes)
        self.assertTrue(all(f < 12 for f in plain.frets))
        heard = [HeardString(lean=tuple(3 * lean)) for _ in notes]
        lie = list(zip(plain.strings, plain.frets, strict=True))
        told = with_clues(GUITAR, notes, heard, lie)
        self.assertTrue(all(f >= 12 for f in place(GUITAR, told).frets))
        costs = [cost for n in told for _, cost in n.clue]
        self.assertLessEqual(max(costs), MOST_ONE)
        capo = Guitar(capo=2)
        told = with_clues(capo, notes, heard, lie)
        for n in told:
            for (_, fret), cost in n.clue:
                self.assertEqual(cost < 0.5, fret + capo.capo >= 12)

    def test_locked_notes_tell_how_far_the_sound_is_believed(self) -> None:
        """Six locked notes that lie where the sound does not fit leave a third of its weight."""
        lean = np.zeros(MOST_FRETS)
        lean[8:] = 1.0
        free = NoteToPlace(5.0, 5.2, 64.0)
        locked = [NoteToPlace(0.3 * k, 0.3 * k + 0.2, 64.0, string=2, fret=5) for k in range(6)]
        heard = [HeardString(lean=tuple(lean)) for _ in range(7)]
        lie = [(2, 5)] * 7
        against = dict(with_clues(GUITAR, [*locked, free], heard, lie)[-1].clue)
        alone = dict(with_clues(GUITAR, [free], heard[:1], lie[:1])[0].clue)
        self.assertAlmostEqual(against[2, 5], alone[2, 5] / 3.0, delta=0.02)
        agreeing = [replace(n, string=3, fret=9) for n in locked]
        agreed = dict(with_clues(GUITAR, [*agreeing, free], heard, lie)[-1].clue)
        self.assertAlmostEqual(agreed[2, 5], alone[2, 5], delta=0.02)

    def test_a_copy_in_another_key_forgets_how_it_sounded(self) -> None:
        lesson = small_lesson()
        phrase = lesson.phrases[0]
        leaning = tuple(float(k) for k in range(MOST_FRETS))
        notes = [replace(n, heard=replace(n.heard, lean=leaning)) for n in phrase.notes]
        lesson = lesson.with_phrase(phrase.with_notes(notes))
        again = lesson_from_json(lesson_to_json(lesson))
        self.assertEqual(again.phrases[0].notes[0].heard.lean, leaning)
        moved = along_the_neck(lesson, lesson.phrases[0], 2)
        self.assertTrue(all(n.heard.lean == () for n in moved.phrase.notes))


if __name__ == "__main__":
    unittest.main()

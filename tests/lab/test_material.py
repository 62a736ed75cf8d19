"""Generated phrases can be played, and their truth is where their sound is."""

import unittest

import numpy as np

from bench.composed import parse, phrases
from bench.placement import greedy_lowest, least_movement, right
from juxtanote.core.analysis.spectra import HOP_LENGTH, LOWEST_MIDI, SAMPLE_RATE, log_spectra
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events
from juxtanote.core.theory.tuning import STANDARD
from lab import curves
from lab.dressings import gate, lead_sound, level, mix, pan
from lab.phrases import STYLES, random_hand, random_lead


class TestPhrases(unittest.TestCase):
    def test_every_style_can_be_played(self) -> None:
        rng = np.random.default_rng(1)
        for name, (style, _) in STYLES.items():
            for _ in range(6):
                hand = random_hand(rng, STANDARD)
                for tab in style(hand, 4.0):
                    with self.subTest(style=name):
                        self.assertTrue(1 <= tab.string <= hand.guitar.string_count)
                        self.assertTrue(0 <= tab.fret <= hand.guitar.last_fret)

    def test_slurred_notes_have_a_note_before_them_on_their_string(self) -> None:
        rng = np.random.default_rng(2)
        for name in ("line in a box", "three on a string", "sweep"):
            hand = random_hand(rng, STANDARD)
            last: dict[int, int] = {}
            for tab in STYLES[name][0](hand, 4.0):
                if "hammer-on" in tab.techniques:
                    self.assertLess(last[tab.string], tab.fret)
                if "pull-off" in tab.techniques:
                    self.assertGreater(last[tab.string], tab.fret)
                last[tab.string] = tab.fret

    def test_one_note_at_a_time_on_a_string(self) -> None:
        rng = np.random.default_rng(3)
        for _ in range(10):
            ends: dict[int, float] = {}
            for event in random_lead(rng, 20.0).events:
                self.assertGreaterEqual(event.onset_s, ends.get(event.string, 0.0) - 1e-6)
                ends[event.string] = event.offset_s

    def test_composed_phrases_read_back(self) -> None:
        notes = parse("3.5^1 3.7h:0.25^3 1.5+2.5 2.8b2r~:2 4.7m", 0.5)
        self.assertEqual([n.beat for n in notes], [0.0, 0.5, 0.75, 0.75, 1.25, 3.25])
        self.assertEqual(notes[4].techniques, {"bend", "release", "vibrato"})
        self.assertEqual((notes[4].bend, notes[1].finger), (2.0, 3))
        with self.assertRaises(ValueError):
            parse("what", 0.5)

    def test_half_of_the_composed_phrases_is_kept_aside(self) -> None:
        made = phrases()
        self.assertGreaterEqual(len(made), 60)
        self.assertEqual(sum(p.aside for p in made), len(made) // 2)
        for phrase in made[:12]:
            count = len(phrase.notes)
            self.assertLessEqual(right(phrase, greedy_lowest(phrase)), count)
            self.assertEqual(len(least_movement(phrase)), count)


class TestCurves(unittest.TestCase):
    def test_shapes_reach_what_they_should(self) -> None:
        bend = np.array(curves.bend(2.0, 0.05, 0.1, 0.8))
        self.assertAlmostEqual(float(bend[:, 1].max()), 2.0, places=6)
        self.assertEqual(float(bend[0, 1]), 0.0)
        let_down = np.array(curves.release(tuple(map(tuple, bend)), 0.4, 0.2))
        self.assertAlmostEqual(float(let_down[-1, 1]), 0.0, places=6)
        pre = np.array(curves.pre_bend(1.0, 0.2, 0.1, 0.6))
        self.assertEqual((round(float(pre[0, 1]), 6), round(float(pre[-1, 1]), 6)), (1.0, 0.0))
        shaken = np.array(curves.vibrato((), 1.0, 0.2, 5.0, 0.4))
        self.assertTrue(0.38 <= float(shaken[:, 1].max()) <= 0.401)
        self.assertGreaterEqual(float(shaken[:, 1].min()), 0.0)


class TestSounds(unittest.TestCase):
    def test_truth_stands_where_the_sound_starts(self) -> None:
        from lab.scenes import truth_of

        events = [StringEvent(0.4 * k + 0.2, 0.35, 3, 5, 60.0 + k) for k in range(5)]
        audio = render_events(
            events, SAMPLE_RATE, StringVoice(), np.random.default_rng(1), length_s=2.6
        )
        spectra = log_spectra(audio, np.zeros_like(audio))
        truth = truth_of(events, spectra.shape[2])
        rise = np.maximum(np.diff(spectra[2], axis=1, prepend=spectra[2][:, :1]), 0).sum(axis=0)
        for k, event in enumerate(events):
            frame = round(event.onset_s * SAMPLE_RATE / HOP_LENGTH)
            self.assertEqual(truth.cells[0, 60 + k - LOWEST_MIDI, frame], 1)
            self.assertLessEqual(abs(int(np.argmax(rise[frame - 4 : frame + 5])) - 4), 1)
        self.assertEqual(int(truth.cells[0].sum()), 5)

    def test_mixes_keep_their_levels_and_places(self) -> None:
        rng = np.random.default_rng(4)
        tone = (0.3 * np.sin(np.arange(SAMPLE_RATE) / 15)).astype(np.float32)
        self.assertAlmostEqual(float(np.sqrt(np.mean(level(tone, -20.0) ** 2))), 0.1, delta=0.005)
        left = pan(tone, -1.0)
        self.assertLess(float(np.abs(left[1]).max()), 1e-6)
        stereo = mix(tone, None, rng, dressing="alone", lead_over_db=0.0)
        self.assertEqual(stereo.shape, (2, SAMPLE_RATE))
        self.assertLessEqual(float(np.abs(stereo).max()), 1.0)
        self.assertTrue(np.all(np.isfinite(lead_sound(tone, rng, drive=True))))
        self.assertLessEqual(float(np.abs(gate(tone)).max()), float(np.abs(tone).max()))


if __name__ == "__main__":
    unittest.main()

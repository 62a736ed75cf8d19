"""Generated phrases can be played, and their truth is where their sound is."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from scipy.signal import hilbert

from bench import rings
from bench.composed import parse, phrases
from bench.placement import greedy_lowest, least_movement, right
from juxtanote.core.analysis.channels import LOWEST_MIDI
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE, log_spectra
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events
from juxtanote.core.theory.tuning import STANDARD
from lab import curves, instruments, mixes, scenes
from lab.backing import any_guitar
from lab.blend import blend, seeing_twice
from lab.instruments import _chains
from lab.looks import seen_twice
from lab.mixes import as_loud, brighter
from lab.mixing import (
    ambience,
    gate,
    hum,
    lead_sound,
    level,
    loudness,
    loudspeaker,
    mix,
    pan,
    pulsing,
    sweeping,
)  # fmt: skip
from lab.phrases import MORE_STYLES, STYLES, bent_lick, random_hand, random_lead, to_events


class TestPhrases(unittest.TestCase):
    def test_every_style_can_be_played(self) -> None:
        rng = np.random.default_rng(1)
        for name, (style, _) in (STYLES | MORE_STYLES).items():
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

    def test_a_unison_bend_ends_on_the_pitch_of_the_next_string(self) -> None:
        rng = np.random.default_rng(5)
        seen = 0
        for _ in range(60):
            hand = random_hand(rng, STANDARD)
            notes = bent_lick(hand, 4.0)
            events = to_events(notes, hand, 90.0, 0.5)
            for low, high in zip(events[1:], events, strict=False):
                together = abs(low.onset_s - high.onset_s) < 1e-6
                if together and low.string == high.string + 1 and "bend" in low.techniques:
                    self.assertAlmostEqual(low.midi + max(v for _, v in low.curve), high.midi, 3)
                    seen += 1
        self.assertGreater(seen, 10)

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


class TestBlending(unittest.TestCase):
    def test_weights_go_their_share_of_the_way(self) -> None:
        early = {"a": np.zeros((2, 3), np.float32), "b": np.ones(4, np.float32)}
        late = {"a": np.ones((2, 3), np.float32), "b": np.ones(4, np.float32)}
        halfway = blend(early, late, 0.25)
        np.testing.assert_array_equal(halfway["a"], np.full((2, 3), 0.25, np.float16))
        np.testing.assert_array_equal(halfway["b"], np.ones(4, np.float16))
        with self.assertRaises(ValueError):
            blend(early, {"a": late["a"]}, 0.5)

    def test_what_saw_a_mix_once_tells_the_same_of_two_pictures_that_are_alike(self) -> None:
        rng = np.random.default_rng(4)
        once = {"enter.weight": rng.random((5, 3, 1, 4), dtype=np.float32)}
        twice = {"enter.weight": np.zeros((5, 6, 1, 4), np.float32)}
        wider = seeing_twice(once, twice)["enter.weight"]
        picture = rng.random((3, 1, 4), dtype=np.float32)
        told = np.einsum("kcab,cab->k", once["enter.weight"], picture)
        both = np.einsum("kcab,cab->k", wider, np.concatenate([picture, picture]))
        np.testing.assert_allclose(both, told, rtol=1e-5)
        self.assertIs(seeing_twice(twice, twice), twice)
        self.assertEqual(blend(once, twice, 0.5)["enter.weight"].shape, (5, 6, 1, 4))


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

    def test_a_mix_is_seen_as_it_is_and_without_its_drums(self) -> None:
        """A click is smooth along frequency, a tone along time (FitzGerald 2010)."""
        times = np.arange(SAMPLE_RATE) / SAMPLE_RATE
        mono = (0.2 * np.sin(2 * np.pi * 440.0 * times)).astype(np.float32)
        mono[SAMPLE_RATE // 2] = 0.9
        seen = seen_twice(np.stack([mono, mono]), 0).astype(int)
        straight, calm = seen[: len(seen) // 2], seen[len(seen) // 2 :]
        click = round(0.5 * SAMPLE_RATE / HOP_LENGTH)
        high, tone = slice(200, 260), int(straight[0, :, 40].argmax())
        self.assertGreater(straight[2, high, click].mean() - calm[2, high, click].mean(), 25)
        self.assertLess(abs(straight[0, tone, 40] - calm[0, tone, 40]), 5)

    def test_cymbals_come_forward_and_the_bass_drum_does_not(self) -> None:
        times = np.arange(SAMPLE_RATE) / SAMPLE_RATE
        for hertz, least, most in ((60.0, -0.1, 0.1), (9000.0, 3.0, 14.0)):
            tone = np.sin(2 * np.pi * hertz * times).astype(np.float32)
            louder = [
                20 * np.log10(brighter(tone, np.random.default_rng(k)).std() / tone.std())
                for k in range(12)
            ]
            self.assertTrue(least <= max(louder) <= most, (hertz, louder))

    def test_stereo_is_as_loud_as_other_stereo_and_is_not_taken_for_mono(self) -> None:
        rng = np.random.default_rng(3)
        quiet, loud = (
            k * rng.standard_normal((2, SAMPLE_RATE)).astype(np.float32) for k in (0.01, 0.3)
        )
        self.assertAlmostEqual(
            loudness(as_loud(quiet, loud).mean(axis=0)), loudness(loud.mean(axis=0)), 4
        )
        with self.assertRaisesRegex(ValueError, "mono"):
            level(quiet, -18.0)

    def test_buried_leads_lie_where_they_should_and_their_truth_goes_with_them(self) -> None:
        times = np.arange(int(scenes.LENGTH_S * SAMPLE_RATE)) / SAMPLE_RATE
        hertz = {"lead": (440.0, 550.0), "back": (1500.0, 1900.0), "drums": (3100.0,)}

        def cells(rows: int, row: int) -> np.ndarray:
            made = np.zeros((rows, 61, scenes.N_FRAMES), dtype=np.uint8)
            made[[0, -2 if rows > 2 else 0], row, 100] = 1  # a lead is one of any guitars
            return np.packbits(made, axis=-1)

        tones = {
            name: [np.sin(2 * np.pi * f * times) for f in some] for name, some in hertz.items()
        }
        scene = {
            name: np.stack([mixes.as_sound(pan(0.1 * tone, 0.0)) for tone in some])[None]
            for name, some in tones.items()
        }
        scene["lead_cells"] = np.stack([cells(len(scenes.KINDS), row) for row in (10, 20)])
        scene["lead_frames"] = np.zeros((2, 2, scenes.N_FRAMES), dtype=np.uint8)
        scene["back_cells"] = np.stack([cells(2, row) for row in (30, 40)])
        with (
            mock.patch.object(scenes, "make_scene", return_value=scene),
            mock.patch.object(mixes, "_mastered", side_effect=lambda stereo, _: stereo),
        ):
            made = list(mixes.buried(np.random.default_rng(5)))
        self.assertEqual(len(made), mixes.BURIED)
        some = np.array([f for every in hertz.values() for f in every])
        for k, (stereo, truth, _) in enumerate(made):
            mono = stereo.mean(axis=0)
            power = [np.abs(np.mean(mono * np.exp(-2j * np.pi * f * times))) ** 2 for f in some]
            heard = np.array(power) > 1e-4 * max(power)
            struck = np.flatnonzero(truth[0].any(axis=1)).tolist()
            guitars = set(np.flatnonzero(truth[scenes.ANY][0].any(axis=1)).tolist())
            with self.subTest(mix=k):
                if k >= mixes.BURIED - mixes.NOBODY:
                    self.assertEqual(struck, [])
                    continue
                own = {10: 0, 20: 1}[struck[0]]
                self.assertTrue(heard[own] and set(struck) <= guitars)
                self.assertEqual(bool(heard[2:].any()), k >= mixes.BURIED_ALONE)
                self.assertEqual(bool(guitars & {30, 40}), k >= mixes.BURIED_ALONE)
                if k >= mixes.BURIED_ALONE:
                    over = 10.0 * np.log10(power[own] / sum(power[2:]))
                    low, high = mixes.OVER_DB
                    self.assertTrue(low - 0.5 < over < high + 0.5, over)

    def test_a_soundfont_that_gives_silence_is_told(self) -> None:
        """As a kit gives that has no sound on the tenth channel: for long the bench had no drums."""
        with (
            tempfile.NamedTemporaryFile(suffix=".sf2") as font,
            mock.patch.object(rings.subprocess, "run"),
            mock.patch.object(rings.soundfile, "read", return_value=(np.zeros((9, 2)), 22_050)),
            self.assertRaisesRegex(ValueError, "silence"),
        ):
            rings.play(instruments.MidiSketch().file(), Path(font.name))

    def test_a_mix_is_pictured_at_each_reference_as_one_tuned_to_it(self) -> None:
        from lab.scenes import pictures

        rng = np.random.default_rng(9)
        event = StringEvent(0.1, 0.8, 3, 2, 57.0)
        voice = StringVoice(pick_noise=0.0)
        sharp, true = (
            render_events([event], SAMPLE_RATE, voice, rng, length_s=1.0, reference_hz=hertz)
            for hertz in (440.0 * 2 ** (20 / 1200), 440.0)
        )
        seen = pictures(np.stack([sharp, sharp]), np.array([0, 20]))
        wanted = pictures(np.stack([true, true]), np.array([0]))[0]
        apart = np.abs(seen.astype(float) - wanted).mean(axis=(1, 2, 3))
        self.assertEqual(seen.shape, (2, *wanted.shape))
        self.assertLess(apart[1], 0.5 * apart[0])

    def test_sounds_kept_for_measuring_are_refused(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.object(instruments, "SOUND_FOLDERS", (folder,)))
        instruments.refuse_measuring_sounds()
        (folder / "FluidR3_GM.sf2").touch()
        with self.assertRaisesRegex(RuntimeError, "measuring"):
            instruments.refuse_measuring_sounds()

    def test_mixes_keep_their_levels_and_places(self) -> None:
        rng = np.random.default_rng(4)
        tone = (0.3 * np.sin(np.arange(SAMPLE_RATE) / 15)).astype(np.float32)
        self.assertAlmostEqual(float(np.sqrt(np.mean(level(tone, -20.0) ** 2))), 0.1, delta=0.005)
        left = pan(tone, -1.0)
        self.assertLess(float(np.abs(left[1]).max()), 1e-6)
        stereo = mix(tone, None, rng, kind="alone", lead_over_db=0.0)
        self.assertEqual(stereo.shape, (2, SAMPLE_RATE))
        self.assertLessEqual(float(np.abs(stereo).max()), 1.0)
        self.assertTrue(np.all(np.isfinite(lead_sound(tone, rng, drive=True))))
        self.assertLessEqual(float(np.abs(gate(tone)).max()), float(np.abs(tone).max()))

    def test_a_hard_stroke_begins_sharp_and_settles(self) -> None:
        # The tension of a string rises with its swing (Fletcher & Rossing, ch. 2): 20 cents here.
        voice = StringVoice(sharp_cents=20.0, pick_noise=0.0, stiffness=0.0, most_partials=1)
        note = StringEvent(0.0, 1.0, 3, 0, 55.0, velocity=1.0)
        sound = render_events([note], SAMPLE_RATE, voice, np.random.default_rng(6), length_s=1.0)
        phase = np.unwrap(np.angle(hilbert(sound)))
        hz = np.diff(phase) * SAMPLE_RATE / (2 * np.pi)
        cents = 1200 * np.log2(
            np.array([np.median(hz[400:900]), np.median(hz[9000:16000])]) / 195.998
        )
        self.assertTrue(8 < cents[0] < 20, cents)
        self.assertLess(abs(float(cents[1])), 1.0)

    def test_guitars_of_any_build_and_what_is_done_to_them_are_sound(self) -> None:
        note = StringEvent(0.1, 0.6, 4, 2, 52.0)
        for seed in range(24):
            rng = np.random.default_rng(seed)
            tone = render_events([note], SAMPLE_RATE, any_guitar(rng), rng, length_s=1.0)
            self.assertLess(float(np.abs(tone[: SAMPLE_RATE // 20]).max()), 1e-6)
            for change in (loudspeaker, hum, sweeping, pulsing, ambience):
                changed = change(tone, rng)
                self.assertEqual(changed.shape[-1], len(tone))
                self.assertTrue(np.all(np.isfinite(changed)), change)

    def test_a_loudspeaker_moves_nothing_in_time(self) -> None:
        click = np.zeros(4000, dtype=np.float32)
        click[2000] = 1.0
        for seed in range(8):
            heard = loudspeaker(click, np.random.default_rng(seed))
            self.assertLessEqual(abs(int(np.argmax(np.abs(heard))) - 2000), 35)


if __name__ == "__main__":
    unittest.main()


class TestSlurredStrokes(unittest.TestCase):
    def test_what_is_far_softer_is_a_stroke_of_its_own(self) -> None:
        rng = np.random.default_rng(1)
        slurred = frozenset({"hammer-on"})
        for velocity, strokes in ((0.8, 1), (0.4, 1), (0.2, 2)):
            events = [
                StringEvent(0.0, 0.5, 2, 5, 64.0, velocity=0.8),
                StringEvent(0.5, 0.5, 2, 7, 66.0, slurred, velocity=velocity),
            ]
            self.assertEqual(len(_chains(events, 1.0, rng)), strokes)

"""Slowing with sharp attacks, and the loop player."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtanote.core.audio.clicks import Clicked
from juxtanote.core.audio.mixing import CEILING_DB
from juxtanote.core.audio.player import LoopPlayer, SpeedStep
from juxtanote.core.audio.stretch import PassStretcher, map_pass, stretch_whole
from juxtanote.core.units import db_to_amplitude
from tests.sounds import sine

RATE = 44_100
ONSETS_S = (0.5, 1.1, 1.7, 2.3)


def plucks(seconds: float = 3.0) -> np.ndarray:
    """Make decaying tones that start sharply at ONSETS_S, stereo."""
    times = np.arange(int(seconds * RATE)) / RATE
    tone = np.zeros(len(times))
    for onset in ONSETS_S:
        on = times >= onset
        tone[on] = np.sin(2 * np.pi * 330.0 * (times[on] - onset)) * np.exp(
            -5 * (times[on] - onset)
        )
    return np.stack([tone, tone]).astype(np.float32) * 0.5


def attacks() -> np.ndarray:
    return np.array([round(onset * RATE) for onset in ONSETS_S])


class TestStretching(unittest.TestCase):
    def test_attacks_are_on_time_and_as_sharp_as_before(self) -> None:
        audio = plucks()
        for speed in (0.25, 0.5, 0.75, 1.25):
            slow = stretch_whole(audio, speed, attacks())
            self.assertEqual(slow.shape[1], round(audio.shape[1] / speed))
            for onset in ONSETS_S:
                at = round(onset / speed * RATE)
                before = float(np.abs(slow[0, at - 400 : at - 20]).max())
                after = float(np.abs(slow[0, at : at + 200]).max())
                with self.subTest(speed=speed, onset=onset):
                    # The first period is there within 5 ms, and nothing of it before.
                    self.assertGreater(after, 0.4)
                    self.assertLess(before, 0.25 * after)

    def test_pitch_is_kept_within_two_cents(self) -> None:
        tone = sine(440.0, 2.0, RATE)
        for speed in (0.3, 0.6, 0.9, 1.2):
            slow = stretch_whole(np.stack([tone, tone]), speed, np.zeros(0, dtype=np.int64))[0]
            size = 1 << 21
            spectrum = np.abs(np.fft.rfft(slow * np.hanning(len(slow)), size))
            found = float(np.argmax(spectrum)) * RATE / size
            with self.subTest(speed=speed):
                self.assertLess(abs(1200 * np.log2(found / 440.0)), 2.0)

    def test_silence_stays_silent(self) -> None:
        quiet = np.zeros((2, RATE), dtype=np.float32)
        self.assertEqual(float(np.abs(stretch_whole(quiet, 0.5, attacks())).max()), 0.0)

    @given(st.lists(st.integers(1, 1000), min_size=1, max_size=40))
    @settings(max_examples=25, deadline=None)
    def test_the_size_of_the_blocks_does_not_matter(self, sizes: list[int]) -> None:
        audio = plucks(0.8)
        plan = map_pass(0, audio.shape[1], 0.7, attacks()[:1])
        whole = PassStretcher(audio, plan).render(plan.length)
        stretcher = PassStretcher(audio, plan)
        parts = [stretcher.render(size) for size in sizes]
        pieces = np.concatenate(parts, axis=1)
        np.testing.assert_array_equal(pieces, whole[:, : pieces.shape[1]])

    def test_the_map_goes_forward_and_hits_every_attack(self) -> None:
        plan = map_pass(1000, 100_000, 0.5, np.array([20_000, 21_000, 60_000]))
        self.assertTrue(np.all(np.diff(plan.in_points) > 0))
        self.assertTrue(np.all(np.diff(plan.out_points) >= 0))
        self.assertAlmostEqual(float(plan.to_output(20_000.0)), 19_000 / 0.5, delta=1.0)

    def test_impossible_passes_are_refused(self) -> None:
        for start, end, speed in ((10, 10, 1.0), (0, 100, 0.0), (0, 100, 9.0)):
            with self.subTest(speed=speed), self.assertRaises(ValueError):
                map_pass(start, end, speed, attacks())


class TestLoopPlayer(unittest.TestCase):
    def setUp(self) -> None:
        self.player = LoopPlayer(RATE)
        self.player.set_recording(plucks())
        self.player.set_attacks(np.array(ONSETS_S))
        self.player.set_level(0.5)

    def _render(self, samples: int, block: int = 480) -> np.ndarray:
        return np.concatenate(
            [self.player.render(min(block, samples - at)) for at in range(0, samples, block)],
            axis=1,
        )

    def test_a_loop_repeats_sample_exactly_at_every_speed(self) -> None:
        for speed in (0.25, 0.5, 0.73, 1.0, 1.25):
            self.player.set_loop(0.4, 1.3)
            self.player.seek(0.4)
            self.player.set_speed(speed)
            self.player.play()
            start, end = round(0.4 * RATE), round(1.3 * RATE)
            length = round((end - start) / speed)
            out = self._render(3 * length)
            with self.subTest(speed=speed):
                np.testing.assert_array_equal(out[:, :length], out[:, length : 2 * length])
                np.testing.assert_array_equal(out[:, :length], out[:, 2 * length :])
                self.assertGreater(float(np.abs(out).max()), 0.2)
            self.player.stop()

    def test_stretches_follow_each_other_without_what_lies_between(self) -> None:
        steps = np.linspace(-0.2, 0.2, 3 * RATE, dtype=np.float32)
        self.player.set_recording(np.stack([steps, steps]))
        self.player.set_spans(((0.5, 0.8), (1.9, 2.1)))
        self.assertEqual(self.player.loop_s, (0.5, 2.1))
        self.player.play()
        places = []
        for _ in range(100):
            self.player.render(441)
            places.append(self.player.position_at(self.player.rendered - 1))
        inside = [0.5 <= p <= 0.8 or 1.9 <= p <= 2.1 for p in places if p is not None]
        self.assertEqual(len(inside), 100)
        self.assertTrue(all(inside))
        self.assertEqual(
            self.player.passes_done, 2
        )  # half a second each: both stretches are one pass
        self.player.seek(1.2)  # between them: the next one comes
        self.player.render(441)
        self.assertAlmostEqual(self.player.position_s, 1.91, delta=0.002)
        self.player.seek(2.5)
        self.assertIsNone(self.player.loop_s)

    def test_at_full_speed_the_samples_are_the_recording(self) -> None:
        self.player.set_level(0.5)
        self.player.seek(0.0)
        self.player.play()
        out = self._render(RATE)
        # Level 0.5 is unity; under the knee of the ceiling nothing is changed.
        quiet = np.abs(out[0]) < 0.4
        np.testing.assert_allclose(out[0][quiet][200:], plucks()[0, :RATE][quiet][200:], atol=1e-6)

    def test_a_change_of_speed_is_heard_in_the_next_block(self) -> None:
        self.player.set_loop(0.4, 1.3)
        self.player.play()
        self._render(RATE // 4)
        before = self.player.position_s
        self.player.set_speed(0.5)
        self._render(4410)
        self.assertAlmostEqual(self.player.position_s - before, 0.05, delta=0.012)
        self.assertTrue(self.player.is_playing)

    def test_speed_and_onsets_changed_while_playing_leave_no_step(self) -> None:
        times = np.arange(4 * RATE) / RATE
        tone = (0.5 * np.sin(2 * np.pi * 110 * times)).astype(np.float32)
        self.player.set_recording(np.stack([tone, tone]))
        self.player.set_attacks(np.array([0.5, 1.5]))
        self.player.seek(0.1)
        self.player.play()
        blocks = [self.player.render(480) for _ in range(40)]
        steady = float(np.abs(np.diff(np.concatenate(blocks, axis=1)[0])).max())
        for speed, attacks_s in ((0.5, [0.5, 1.5]), (0.83, [0.4, 1.2]), (1.0, [0.7])):
            self.player.set_speed(speed)
            self.player.set_attacks(np.array(attacks_s))
            blocks += [self.player.render(480) for _ in range(25)]
        out = np.concatenate(blocks, axis=1)[0]
        # An uncrossed change steps by up to twice the amplitude, 0.25 here and more.
        self.assertLess(float(np.abs(np.diff(out)).max()), 4.0 * steady)

    def test_moving_the_loop_keeps_playing_where_it_can(self) -> None:
        self.player.set_loop(0.4, 2.0)
        self.player.play()
        self._render(RATE // 2)
        here = self.player.position_s
        self.player.set_loop(0.3, 1.8)
        self.assertAlmostEqual(self.player.position_s, here, delta=0.001)
        self.player.set_loop(2.0, 2.8)
        self.assertAlmostEqual(self.player.position_s, 2.0, delta=0.001)

    def test_the_position_of_what_sounded_is_known(self) -> None:
        for speed in (0.5, 1.0, 1.25):
            player = LoopPlayer(RATE)
            player.set_recording(plucks())
            player.set_loop(0.5, 1.5)
            player.set_speed(speed)
            player.play()
            for _ in range(100):
                player.render(512)
            sounded = 20_000
            expected = 0.5 + (sounded / RATE * speed) % 1.0
            with self.subTest(speed=speed):
                found = player.position_at(sounded)
                assert found is not None
                # Attacks run one to one, so the map bends by a few milliseconds around them.
                self.assertAlmostEqual(found, expected, delta=0.02)

    def test_pausing_at_the_very_end_of_a_loop_keeps_it(self) -> None:
        self.player.set_loop(0.4, 1.3)
        self.player.seek(1.3)
        self.assertIsNotNone(self.player.loop_s)
        self.player.play()
        self.assertEqual(self._render(4410).shape, (2, 4410))
        self.assertAlmostEqual(self.player.position_s, 0.5, delta=0.001)

    def test_balance_and_ceiling(self) -> None:
        self.player.set_tab(np.full(RATE, 0.9, dtype=np.float32), 0.0)
        self.player.set_balance(1.0)
        self.player.set_level(1.0)
        self.player.play()
        out = self._render(RATE // 2)
        self.assertLessEqual(float(np.abs(out).max()), float(db_to_amplitude(CEILING_DB)) + 1e-6)
        self.player.set_balance(-1.0)
        self.player.seek(0.0)
        self.player.set_level(0.5)
        quiet = self._render(4410)
        self.assertLess(float(np.abs(quiet).max()), 1e-6)

    def test_a_count_in_clicks_before_the_loop(self) -> None:
        self.player.set_beats(np.array([[0.5 * k, float(k % 4 == 0)] for k in range(7)]))
        self.player.count_in_beats = 2
        self.player.set_loop(0.4, 1.4)
        self.player.play()
        out = self._render(RATE)
        for beat in (0, 1):
            at = round(0.5 * beat * RATE)
            self.assertGreater(float(np.abs(out[0, at : at + 800]).max()), 0.05)
        self.assertEqual(float(np.abs(out[0, 10_000:20_000]).max()), 0.0)
        self.assertIsNone(self.player.position_at(100))

    def test_counts_run_on_into_the_beats_of_the_phrase(self) -> None:
        """The gap from the last count to the next beat of the phrase is one beat, at any speed."""
        beats = np.array([[0.6 * k, float(k % 4 == 0)] for k in range(12)])
        self.player.set_recording(np.zeros((2, 8 * RATE), dtype=np.float32))
        for start, speed in ((0.4, 1.0), (1.2, 0.5), (1.79, 1.25), (2.0, 0.75)):
            self.player.stop()
            self.player.click, self.player.count_in_beats = True, 3
            self.player.set_beats(beats)
            self.player.set_speed(speed)
            self.player.set_loop(start, start + 2.4)
            self.player.play()
            out = np.abs(self._render(int(5.0 * RATE))[0])
            loud = np.flatnonzero(out > 0.05)
            struck = loud[np.diff(loud, prepend=-RATE) > RATE // 10] / RATE
            gaps = np.diff(struck[:6])
            with self.subTest(start=start, speed=speed):
                np.testing.assert_allclose(gaps, 0.6 / speed, atol=0.004)

    def test_a_breath_and_a_count_before_every_pass(self) -> None:
        self.player.set_recording(np.full((2, 4 * RATE), 0.5, dtype=np.float32))
        self.player.set_beats(np.array([[0.5 * k, float(k % 4 == 0)] for k in range(8)]))
        self.player.count_in_beats, self.player.counts_each_pass = 1, True
        self.player.breath_beats = 2
        self.player.set_loop(0.5, 1.5)
        self.player.play()
        out = np.abs(self._render(int(4.0 * RATE))[0])
        # count 0.5, pass 1.0, breath 1.0 silent, count 0.5, pass 1.0
        quiet = out[int(1.55 * RATE) : int(2.45 * RATE)]
        self.assertEqual(float(quiet.max()), 0.0)
        self.assertGreater(float(out[int(3.1 * RATE) : int(3.9 * RATE)].min()), 0.0)
        self.assertEqual(self.player.passes_done, 2)

    def test_it_waits_between_passes_until_asked(self) -> None:
        self.player.set_recording(np.full((2, 4 * RATE), 0.5, dtype=np.float32))
        self.player.waits_each_pass = True
        self.player.set_loop(0.0, 0.5)
        self.player.play()
        out = np.abs(self._render(RATE)[0])
        self.assertEqual(float(out[int(0.6 * RATE) :].max()), 0.0)
        self.assertTrue(self.player.is_waiting)
        self.player.play()
        self.assertGreater(float(np.abs(self._render(RATE // 4)[0]).max()), 0.0)

    def test_where_the_click_falls(self) -> None:
        self.player.set_recording(np.zeros((2, 8 * RATE), dtype=np.float32))
        self.player.set_beats(np.array([[0.5 * k, float(k % 4 == 0)] for k in range(16)]))
        self.player.click = True
        wanted = {
            Clicked.EVERY: [0.0, 0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 3.5],
            Clicked.BACK: [0.5, 1.5, 2.5, 3.5],
            Clicked.OFF: [0.25, 0.75, 1.25, 1.75, 2.25, 2.75, 3.25, 3.75],
            Clicked.OTHER_BARS: [0.0, 0.5, 1.0, 1.5],
        }
        for clicked, times in wanted.items():
            self.player.stop()
            self.player.seek(0.0)
            self.player.clicked = clicked
            self.player.play()
            loud = np.flatnonzero(np.abs(self._render(4 * RATE)[0]) > 0.05)
            struck = loud[np.diff(loud, prepend=-RATE) > RATE // 20] / RATE
            np.testing.assert_allclose(struck, times, atol=0.004, err_msg=clicked.value)

    def test_sides_apart(self) -> None:
        self.player.set_recording(np.full((2, RATE), 0.2, dtype=np.float32))
        self.player.set_tab(np.full(RATE, -0.3, dtype=np.float32), 0.0)
        self.player.sides_apart = True
        self.player.play()
        left, right = self._render(RATE // 2)
        self.assertGreater(float(left[RATE // 4]), 0.0)
        self.assertLess(float(right[RATE // 4]), 0.0)

    def test_the_click_falls_on_the_beat_at_any_speed(self) -> None:
        self.player.set_recording(np.zeros((2, 4 * RATE), dtype=np.float32))
        self.player.set_beats(np.array([[0.5 * k, float(k % 4 == 0)] for k in range(8)]))
        self.player.click = True
        for speed in (0.5, 1.0):
            self.player.stop()
            self.player.seek(0.0)
            self.player.set_speed(speed)
            self.player.play()
            out = np.abs(self._render(int(2.0 / speed * RATE))[0])
            for beat in range(1, 4):
                at = round(0.5 * beat / speed * RATE)
                with self.subTest(speed=speed, beat=beat):
                    self.assertGreater(float(out[at : at + 400].max()), 0.05)
                    self.assertLess(float(out[at - 400 : at - 5].max()), 0.01)

    def test_speed_steps_change_with_the_passes(self) -> None:
        self.player.set_loop(0.4, 0.9)
        self.player.set_speed_steps((SpeedStep(0.5, 1), SpeedStep(1.0, 2)))
        self.player.seek(0.4)
        self.player.play()
        speeds = []
        for _ in range(200):
            speeds.append(self.player.speed)
            self.player.render(441)
        self.assertEqual(sorted(set(speeds)), [0.5, 1.0])
        self.assertLess(speeds.index(1.0), 103)

    def test_without_a_loop_it_stops_at_the_end(self) -> None:
        self.player.clear_loop()
        self.player.seek(2.5)
        self.player.play()
        self._render(2 * RATE)
        self.assertFalse(self.player.is_playing)


if __name__ == "__main__":
    unittest.main()

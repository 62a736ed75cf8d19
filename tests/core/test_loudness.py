"""Loudness against ITU-R BS.1770 and EBU Tech 3341 (their figures from memory)."""

import unittest

import numpy as np

from juxtanote.core.audio.loudness import SILENT, gain_to_match, k_weighting, loudness_of
from juxtanote.core.synth.match import band_levels, matched

RATE = 48_000


def sine(hz: float, dbfs: float, seconds: float = 5.0, rate: int = RATE) -> np.ndarray:
    """A sine whose peak is so many decibels under full scale, shape (1, n_samples)."""
    times = np.arange(int(seconds * rate)) / rate
    return (10 ** (dbfs / 20) * np.sin(2 * np.pi * hz * times))[None].astype(np.float32)


class TestAgainstTheRecommendation(unittest.TestCase):
    def test_coefficients_of_tables_1_and_2(self) -> None:
        """BS.1770, tables 1 and 2: coefficients for 48 kHz."""
        shelf, through = k_weighting(RATE)
        np.testing.assert_allclose(
            shelf, [1.53512485958697, -2.69169618940638, 1.19839281085285, 1.0, -1.69065929318241,
                    0.73248077421585], atol=1e-8,
        )  # fmt: skip
        np.testing.assert_allclose(
            through, [1.0, -2.0, 1.0, 1.0, -1.99004745483398, 0.99007225036621], atol=1e-8
        )

    def test_a_full_scale_sine_in_one_channel(self) -> None:
        """BS.1770: 997 Hz at 0 dBFS in one channel reads -3.01 LKFS."""
        for rate in (44_100, 48_000):
            self.assertAlmostEqual(
                loudness_of(sine(997.0, 0.0, rate=rate), rate), -3.01, delta=0.02
            )

    def test_tech_3341_case_1_and_2(self) -> None:
        """EBU Tech 3341: stereo sine of 1 kHz at -23 and -33 dBFS reads -23 and -33 LUFS, +-0.1."""
        for dbfs in (-23.0, -33.0):
            stereo = np.repeat(sine(1000.0, dbfs, 20.0), 2, axis=0)
            self.assertAlmostEqual(loudness_of(stereo, RATE), dbfs, delta=0.1)

    def test_tech_3341_case_3_quiet_parts_are_gated(self) -> None:
        """EBU Tech 3341, case 3: -36 for 10 s, -23 for 60 s, -36 for 10 s reads -23 LUFS."""
        parts = [sine(1000.0, -36.0, 10.0), sine(1000.0, -23.0, 60.0), sine(1000.0, -36.0, 10.0)]
        stereo = np.repeat(np.concatenate(parts, axis=1), 2, axis=0)
        self.assertAlmostEqual(loudness_of(stereo, RATE), -23.0, delta=0.1)


class TestMatching(unittest.TestCase):
    def test_a_gain_makes_both_equally_loud(self) -> None:
        quiet, loud = sine(300.0, -30.0), np.repeat(sine(1200.0, -18.0), 2, axis=0)
        gain = gain_to_match(quiet, loud, RATE)
        matched = loudness_of((gain * quiet).astype(np.float32), RATE)
        self.assertAlmostEqual(matched, loudness_of(loud, RATE), delta=0.05)

    def test_silence_is_left_alone(self) -> None:
        nothing = np.zeros((1, RATE), dtype=np.float32)
        self.assertEqual(loudness_of(nothing, RATE), SILENT)
        self.assertEqual(loudness_of(np.zeros((2, 0), dtype=np.float32), RATE), SILENT)
        self.assertEqual(gain_to_match(nothing, sine(300.0, -20.0), RATE), 1.0)


class TestTabBesideRecording(unittest.TestCase):
    def test_as_loud_and_about_as_bright(self) -> None:
        rng = np.random.default_rng(1)
        from scipy.signal import butter, sosfilt

        noise = rng.standard_normal(6 * RATE)
        dark = sosfilt(butter(1, 700.0, fs=RATE, output="sos"), noise).astype(np.float32)
        tab = (0.05 * rng.standard_normal(6 * RATE)).astype(np.float32)
        beside = matched(tab, np.stack([dark, dark]), RATE)
        self.assertAlmostEqual(
            loudness_of(beside[None], RATE), loudness_of(np.stack([dark, dark]), RATE), delta=0.1
        )
        centres = 200.0 * 2.0 ** np.arange(0, 5)
        before = band_levels(tab, RATE, centres) - band_levels(dark, RATE, centres)
        after = band_levels(beside, RATE, centres) - band_levels(dark, RATE, centres)
        self.assertLess(float(np.ptp(after)), 0.6 * float(np.ptp(before)))

    def test_attacks_stay_where_they_are(self) -> None:
        tab = np.zeros(2 * RATE, dtype=np.float32)
        tab[RATE // 2] = 1.0
        noise = np.random.default_rng(2).standard_normal((2, 2 * RATE)).astype(np.float32)
        beside = matched(tab, 0.1 * noise, RATE)
        self.assertLessEqual(abs(int(np.argmax(np.abs(beside))) - RATE // 2), 2)

    def test_silence_stays_silence(self) -> None:
        nothing = np.zeros(RATE, dtype=np.float32)
        self.assertEqual(
            float(np.abs(matched(nothing, np.ones((2, RATE), np.float32), RATE)).max()), 0.0
        )

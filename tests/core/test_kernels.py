"""Small kernels against SciPy and against the formulas that they are named after."""

import unittest

import numpy as np
from scipy import signal

from juxtanote.core.analysis import layers
from juxtanote.core.analysis.onsets import find_onsets, superflux
from juxtanote.core.analysis.spectra import (
    BINS_PER_SEMITONE,
    HARMONICS,
    SAMPLE_RATE,
    harmonic_index,
    loud_level,
)
from juxtanote.core.audio.clicks import Clicked, add_at, beat_near, click_sound, clicked_beats

RATE = 44_100


class TestLayers(unittest.TestCase):
    """Against `scipy.signal.correlate`, which a convolution of networks is."""

    def setUp(self) -> None:
        self.rng = np.random.default_rng(11)

    def drawn(self, *shape: int) -> np.ndarray:
        return self.rng.standard_normal(shape)

    def test_a_picture_is_convolved_as_scipy_correlates(self) -> None:
        for tall, wide, reach in ((3, 3, (1, 1)), (3, 3, (1, 4)), (3, 1, (7, 1)), (1, 3, (1, 5))):
            kernel, bias, x = self.drawn(4, 2, tall, wide), self.drawn(4), self.drawn(2, 20, 30)
            spread = np.zeros((4, 2, (tall - 1) * reach[0] + 1, (wide - 1) * reach[1] + 1))
            spread[:, :, :: reach[0], :: reach[1]] = kernel
            wanted = [
                b + sum(signal.correlate(x[c], k[c], mode="same") for c in range(2))
                for k, b in zip(spread, bias, strict=True)
            ]
            weights = {"look.weight": kernel, "look.bias": bias}
            got = layers.convolve(weights, "look", x, reach)
            np.testing.assert_allclose(got, wanted, atol=1e-4)

    def test_a_row_of_frames_likewise(self) -> None:
        kernel, bias, x = self.drawn(3, 2, 5), self.drawn(3), self.drawn(2, 40)
        wanted = [
            b + sum(signal.correlate(x[c], k[c], mode="same") for c in range(2))
            for k, b in zip(kernel, bias, strict=True)
        ]
        weights = {"row.weight": kernel, "row.bias": bias}
        np.testing.assert_allclose(layers.convolve_frames(weights, "row", x), wanted, atol=1e-4)

    def test_channels_are_mixed_cell_by_cell(self) -> None:
        kernel, bias, x = self.drawn(3, 5, 1, 1), self.drawn(3), self.drawn(5, 4, 6)
        wanted = np.einsum("oc,cpt->opt", kernel[:, :, 0, 0], x) + bias[:, None, None]
        got = layers.mix({"m.weight": kernel, "m.bias": bias}, "m", x)
        np.testing.assert_allclose(got, wanted, atol=1e-5)


class TestSpectra(unittest.TestCase):
    def test_partials_lie_where_their_numbers_say(self) -> None:
        """The n-th partial lies 12 log2 n semitones over the first (common practice)."""
        windows, bins = harmonic_index()
        channel = 0
        for window, row in enumerate(HARMONICS):
            for number in row:
                middle = channel + 1  # of three bins a semitone
                over = (bins[middle, 20] - bins[middle, 20 - 12]) / BINS_PER_SEMITONE
                self.assertEqual((windows[middle, 0], over), (window, 12.0))
                apart = (bins[middle, 20] - 1) / BINS_PER_SEMITONE - 32
                self.assertLess(abs(apart - 12 * np.log2(number)), 0.5 / BINS_PER_SEMITONE + 1e-9)
                channel += BINS_PER_SEMITONE
        self.assertEqual(channel, len(windows))

    def test_loud_is_what_one_tenth_of_a_second_in_twenty_is_louder_than(self) -> None:
        rng = np.random.default_rng(12)
        levels = rng.uniform(0.01, 0.5, 100)
        tenth = np.where(np.arange(SAMPLE_RATE // 10) % 2, 1.0, -1.0)
        mono = np.concatenate([level * tenth for level in levels]).astype(np.float32)
        wanted = np.sqrt(np.percentile(levels**2, 95))
        self.assertAlmostEqual(float(loud_level(mono)), float(wanted), places=4)


class TestOnsets(unittest.TestCase):
    def test_the_rise_is_what_the_paper_says(self) -> None:
        """Böck and Widmer, DAFx-13, 2013: the rise over the largest of three bins, two frames before."""
        spectrum = np.random.default_rng(13).random((12, 30))
        wanted = np.zeros(30)
        for frame in range(2, 30):
            for k in range(12):
                near = spectrum[max(k - 1, 0) : k + 2, frame - 2].max()
                wanted[frame] += max(spectrum[k, frame] - near, 0.0) / 12
        np.testing.assert_allclose(superflux(spectrum), wanted, atol=1e-12)
        with self.assertRaisesRegex(ValueError, "2: bins, frames"):
            superflux(spectrum[0])

    def test_plucks_are_found_where_they_are_and_a_vibrato_is_none(self) -> None:
        times = np.arange(int(3.0 * SAMPLE_RATE)) / SAMPLE_RATE
        mono = np.zeros(len(times))
        for onset in (0.5, 1.2, 1.9):
            since = np.maximum(times - onset, 0.0)
            swing = 0.012 * np.sin(2 * np.pi * 5.5 * since) / 5.5
            tone = np.sin(2 * np.pi * 330.0 * (since + swing)) * np.exp(-since / 0.8)
            mono += tone
        found = find_onsets((mono * np.clip((3.0 - times) / 0.3, 0.0, 1.0)).astype(np.float32))
        self.assertEqual(len(found), 3, found)
        np.testing.assert_allclose(found, (0.5, 1.2, 1.9), atol=0.02)


class TestClicks(unittest.TestCase):
    def test_a_click_is_as_high_as_asked_and_gone_before_the_next_note(self) -> None:
        click = click_sound(RATE, 1500.0)
        spectrum = np.abs(np.fft.rfft(click, RATE))
        self.assertLess(abs(int(np.argmax(spectrum)) - 1500), 40)
        self.assertLess(float(np.abs(click[-100:]).max()), 0.01 * float(np.abs(click).max()))

    def test_what_begins_before_or_ends_after_is_cut(self) -> None:
        for at in (-3, 0, 5, 8, 12):
            piece = np.zeros((2, 10), dtype=np.float32)
            add_at(piece, np.arange(1, 6, dtype=np.float32), at)
            whole = np.zeros(40)
            whole[15 + at : 20 + at] = np.arange(1, 6)
            np.testing.assert_array_equal(piece, np.tile(whole[15:25], (2, 1)))

    def test_the_beat_of_a_place_goes_on_before_the_first_and_after_the_last(self) -> None:
        beats = np.array([(1.0 + 0.5 * k, float(k % 4 == 0)) for k in range(9)])
        for second, wanted in ((1.74, 1.5), (1.5, 1.5), (1.48, 1.5), (0.6, 0.5), (6.3, 6.0)):
            beat, length = beat_near(beats, round(second * RATE), RATE)
            self.assertAlmostEqual(beat / RATE, wanted, places=3)
            self.assertAlmostEqual(length / RATE, 0.5, places=3)

    def test_back_beats_off_beats_and_every_other_bar(self) -> None:
        beats = np.array([(0.5 * k, float(k % 4 == 0)) for k in range(16)])
        self.assertEqual(len(clicked_beats(beats, Clicked.EVERY)), 16)
        back = clicked_beats(beats, Clicked.BACK)
        self.assertEqual(back[:, 0].tolist(), [0.5 * k for k in range(1, 16, 2)])
        off = clicked_beats(beats, Clicked.OFF)
        self.assertEqual(off[:2, 0].tolist(), [0.25, 0.75])
        others = clicked_beats(beats, Clicked.OTHER_BARS)
        self.assertEqual(others[:, 0].tolist(), [0.0, 0.5, 1.0, 1.5, 4.0, 4.5, 5.0, 5.5])


if __name__ == "__main__":
    unittest.main()

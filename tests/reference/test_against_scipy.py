"""Our searches and maps against brute force, NumPy and SciPy."""

import itertools
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import interpolate, signal, stats

from juxtanote.core.analysis.curves import measure_spectra, pitch_curve
from juxtanote.core.analysis.decode import _chains, logit
from juxtanote.core.analysis.key import MAJOR, find_keys
from juxtanote.core.analysis.layers import convolve, convolve_frames
from juxtanote.core.analysis.pitch_track import difference_function
from juxtanote.core.analysis.techniques import measure_vibrato
from juxtanote.core.audio.peaks import build_peaks
from juxtanote.core.audio.stretch import map_pass
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.synth.amplifier import add_room, amplify
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_event
from juxtanote.core.theory.harmonics import difference_tones, stretched_partial_hz
from juxtanote.core.theory.strings import usual_stiffness
from juxtanote.core.units import hz_to_midi, midi_to_hz
from tests.sounds import RATE, moving_tone, noise, sine


class TestSearch(unittest.TestCase):
    @given(st.integers(0, 10_000))
    @settings(max_examples=40, deadline=None)
    def test_the_two_state_search_finds_the_best_path(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        n = 7
        begin = np.where(rng.random((1, n)) < 0.5, rng.normal(0, 2, (1, n)), -1e9)
        keep = rng.normal(0, 1, (1, n))
        leave = 0.3
        starts, sounding = _chains(begin, keep, leave)

        def score(on: tuple[bool, ...], struck: tuple[bool, ...]) -> float:
            total, before = 0.0, False
            for k in range(n):
                if on[k]:
                    if struck[k]:
                        total += begin[0, k]
                    elif not before:
                        return -np.inf
                    total += keep[0, k]
                elif struck[k]:
                    return -np.inf
                elif before:
                    total -= leave
                before = on[k]
            return total

        best = max(
            score(on, struck)
            for on in itertools.product((False, True), repeat=n)
            for struck in itertools.product((False, True), repeat=n)
        )
        found = score(tuple(sounding[0].tolist()), tuple(starts[0].tolist()))
        self.assertAlmostEqual(found, best, places=6)

    def test_log_odds(self) -> None:
        """scipy.special.logit."""
        from scipy.special import logit as theirs

        p = np.linspace(0.01, 0.99, 50)
        np.testing.assert_allclose(logit(p), theirs(p))


class TestNetworkParts(unittest.TestCase):
    """Our NumPy convolutions against scipy.signal's correlation."""

    def test_dilated_convolution(self) -> None:
        rng = np.random.default_rng(1)
        x = rng.standard_normal((3, 9, 14)).astype(np.float32)
        for reach in ((1, 1), (1, 3), (2, 1)):
            kernel = rng.standard_normal((2, 3, 3, 3)).astype(np.float32)
            bias = rng.standard_normal(2).astype(np.float32)
            ours = convolve({"a.weight": kernel, "a.bias": bias}, "a", x, reach)
            spread = np.zeros((2, 3, 1 + 2 * reach[0], 1 + 2 * reach[1]))
            spread[:, :, :: reach[0], :: reach[1]] = kernel
            theirs = np.array(
                [
                    sum(signal.correlate2d(x[c], spread[o, c], mode="same") for c in range(3))
                    + bias[o]
                    for o in range(2)
                ]
            )
            with self.subTest(reach=reach):
                np.testing.assert_allclose(ours, theirs, atol=1e-4)

    def test_convolution_over_frames(self) -> None:
        rng = np.random.default_rng(2)
        x = rng.standard_normal((4, 20)).astype(np.float32)
        kernel = rng.standard_normal((2, 4, 5)).astype(np.float32)
        ours = convolve_frames({"a.weight": kernel, "a.bias": np.zeros(2, np.float32)}, "a", x)
        theirs = [sum(np.correlate(x[c], kernel[o, c], "same") for c in range(4)) for o in range(2)]
        np.testing.assert_allclose(ours, np.array(theirs), atol=1e-4)


class TestMaps(unittest.TestCase):
    def test_time_maps_interpolate_like_scipy(self) -> None:
        times = (0.2, 0.9, 1.4, 2.2, 2.9)
        ours = TimeMap(times, first_downbeat=2)
        theirs = interpolate.interp1d(times, np.arange(5) - 2, fill_value="extrapolate")
        seconds = np.linspace(-1.0, 5.0, 200)
        np.testing.assert_allclose(ours.to_beats(seconds), theirs(seconds), atol=1e-9)

    def test_a_pass_map_is_its_own_inverse(self) -> None:
        plan = map_pass(0, 200_000, 0.6, np.array([20_000, 90_000, 150_000]))
        out = np.linspace(0, plan.length, 500)
        np.testing.assert_allclose(plan.to_output(plan.to_input(out)), out, atol=1e-6)

    def test_peaks_are_minimum_and_maximum(self) -> None:
        audio = np.stack([noise(1.0, 0.3, 44_100)] * 2)
        peaks = build_peaks(audio, 44_100)
        low, high = peaks.between(0.0, 1.0, 4)
        blocks = audio[0][: 44_100 // 4 * 4].reshape(4, -1)
        # Levels are built from blocks of 256 samples, so an edge may take in one block more.
        self.assertTrue(np.all(high >= blocks.max(axis=1) - 1e-6))
        self.assertTrue(np.all(low <= blocks.min(axis=1) + 1e-6))
        self.assertAlmostEqual(float(high.max()), float(audio.max()), places=6)


class TestSignals(unittest.TestCase):
    def test_the_difference_function_is_what_its_formula_says(self) -> None:
        """de Cheveigné and Kawahara (2002), eqs. 6 and 8, term by term."""
        rng = np.random.default_rng(3)
        frame = rng.standard_normal(200).astype(np.float32)
        longest = 60
        ours = difference_function(frame[None], longest)[0]
        window = len(frame) - longest
        plain = np.array(
            [
                np.sum((frame[:window] - frame[t : t + window]) ** 2, dtype=np.float64)
                for t in range(longest)
            ]
        )
        wanted = np.ones(longest)
        for t in range(1, longest):
            wanted[t] = plain[t] / (np.sum(plain[1 : t + 1]) / t)
        np.testing.assert_allclose(ours, wanted, rtol=2e-3, atol=2e-3)

    def test_partials_of_our_strings_are_stretched_as_the_book_says(self) -> None:
        """f_n = n·f0·√(1 + B·n²) (Fletcher & Rossing), read from the rendered spectrum."""
        own = 2e-4 / usual_stiffness(45.0)
        voice = StringVoice(stiffness=own, pick_noise=0.0, body_gain=0.0, decay_s=8.0)
        event = StringEvent(0.0, 2.0, 5, 0, 45.0)
        audio = render_event(event, RATE, voice, np.random.default_rng(0))
        size = 1 << 18
        spectrum = np.abs(np.fft.rfft(audio * np.hanning(len(audio)), size))
        step = RATE / size
        stiffness = 2e-4
        for n in (2, 4, 7):
            wanted = stretched_partial_hz(n, 110.0, stiffness) / np.sqrt(1 + stiffness)
            low, high = int((wanted - 12) / step), int((wanted + 12) / step)
            found = (low + np.argmax(spectrum[low:high])) * step
            with self.subTest(partial=n):
                self.assertAlmostEqual(found, wanted, delta=0.6)

    def test_vibrato_is_measured_as_it_was_built(self) -> None:
        """A tone whose pitch is a sine by formula: rate within half a hertz, depth within a third."""
        times = np.arange(int(1.4 * RATE)) / RATE
        for rate in (5.0, 6.5):
            tone = moving_tone(64 + 0.25 * np.sin(2 * np.pi * rate * times))
            at, cents, _ = pitch_curve(measure_spectra(tone, RATE), 64.0, 0.0, 1.4)
            found, depth, _, _ = measure_vibrato(at, cents / 100.0)
            with self.subTest(rate=rate):
                self.assertAlmostEqual(found, rate, delta=0.5)
                self.assertAlmostEqual(depth, 0.5, delta=0.17)

    def test_key_fit_is_pearson_correlation(self) -> None:
        """scipy.stats.pearsonr on the published profile."""
        weights = np.array([5.0, 0, 3, 0, 4, 2, 0, 5, 0, 3, 0, 1])
        best = next(k for k in find_keys(weights) if k.tonic == 0 and k.mode == "major")
        self.assertAlmostEqual(best.fit, float(stats.pearsonr(MAJOR, weights)[0]), places=9)

    def test_two_notes_that_are_distorted_sound_their_difference_tones(self) -> None:
        """The spectrum of a biased curve: the loudest peaks under the two notes are those told."""
        lower, upper = 71.0, 76.0
        hz = [float(midi_to_hz(midi)) for midi in (lower, upper)]
        seconds = np.arange(4 * RATE) / RATE
        clean = sum(np.sin(2 * np.pi * f * seconds) for f in hz)
        spectrum = np.abs(np.fft.rfft(np.tanh(clean + 0.4) * signal.windows.hann(len(seconds))))
        peaks, _ = signal.find_peaks(spectrum[: int(4 * (hz[0] - 20))], distance=40)
        loudest = sorted(peaks[np.argsort(spectrum[peaks])[-2:]] / 4.0)
        told = sorted(difference_tones([lower, upper]))
        for found, tone in zip(loudest, told, strict=True):
            self.assertAlmostEqual(float(hz_to_midi(found)), tone, delta=0.05)

    def test_clipping_makes_odd_harmonics(self) -> None:
        """A symmetric memoryless curve makes only odd harmonics; a biased one even ones too."""
        tone = sine(300.0, 1.0, level=0.6)

        def harmonic(audio: np.ndarray, n: int) -> float:
            spectrum = np.abs(np.fft.rfft(audio * np.hanning(len(audio))))
            return float(spectrum[300 * n - 2 : 300 * n + 3].max())

        fair = amplify(tone, RATE, gain=8.0, bias=0.0, presence=0.0)
        biased = amplify(tone, RATE, gain=8.0, bias=0.4, presence=0.0)
        self.assertLess(harmonic(fair, 2), 0.02 * harmonic(fair, 1))
        self.assertGreater(harmonic(fair, 3), 0.05 * harmonic(fair, 1))
        self.assertGreater(harmonic(biased, 2), 5 * harmonic(fair, 2))
        self.assertLessEqual(float(np.abs(fair).max()), 1.0)

    def test_a_room_has_a_tail(self) -> None:
        click = np.zeros(RATE, dtype=np.float32)
        click[100] = 1.0
        wet = add_room(click, RATE, np.random.default_rng(1), seconds=0.4, wet=0.5)
        self.assertAlmostEqual(float(wet[100]), 0.5, delta=0.01)
        early = float(np.sum(wet[1000:3000] ** 2))
        late = float(np.sum(wet[7000:9000] ** 2))
        self.assertGreater(early, 5 * late)


if __name__ == "__main__":
    unittest.main()

"""Pitch, onsets, curves, techniques, beats, key, the listener and its decoder."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from juxtanote.core.analysis import listener, wide_spectra
from juxtanote.core.analysis import spectra as narrow
from juxtanote.core.analysis.beats import find_beats
from juxtanote.core.analysis.channels import CELL_KINDS, LOWEST_MIDI, N_PITCHES, Cell
from juxtanote.core.analysis.confidence import calibrated
from juxtanote.core.analysis.curves import measure_spectra, pitch_curve
from juxtanote.core.analysis.decode import DecoderSettings, decode, trace
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.key import find_keys, find_scale, pitch_class_weights
from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.listener import Posteriors
from juxtanote.core.analysis.networks import run_first, run_second
from juxtanote.core.analysis.onsets import find_onsets, pick_peaks, superflux
from juxtanote.core.analysis.perceived import Hints
from juxtanote.core.analysis.pitch_track import difference_function, track_pitch
from juxtanote.core.analysis.reference_pitch import (
    CERTAIN,
    measure_reference_cents,
    reference_to_hear_at,
)
from juxtanote.core.analysis.spectra import log_spectra, spectra_on, stack_harmonics
from juxtanote.core.analysis.techniques import measure_vibrato, read_curve
from tests.sounds import RATE, harmonic_tone, moving_tone, noise, scale_line, sine

TIMES = np.arange(0.0, 1.2, 0.01)


class TestSpectra(unittest.TestCase):
    def test_a_tone_is_loudest_at_its_own_bin(self) -> None:
        for midi in (45, 60, 76):
            tone = sine(440.0 * 2 ** ((midi - 69) / 12), 1.0)
            spectra = log_spectra(tone, np.zeros_like(tone))
            row = int(np.argmax(spectra[0, :, 40]))
            self.assertAlmostEqual((row - 1) / 3 + narrow.LOWEST_BIN_MIDI, midi, delta=0.4)

    def test_twice_the_gain_gives_the_same_spectra(self) -> None:
        tone = harmonic_tone(220.0, 1.0)
        one = log_spectra(tone, np.zeros_like(tone))
        two = log_spectra(2 * tone, np.zeros_like(tone))
        np.testing.assert_allclose(one, two, atol=1e-3)

    def test_shapes(self) -> None:
        tone = harmonic_tone(220.0, 0.5)
        stacked = stack_harmonics(log_spectra(tone, np.zeros_like(tone)))
        self.assertEqual(stacked.shape[1:], (narrow.N_PITCHES, 1 + len(tone) // 256))
        with self.assertRaises(ValueError):
            log_spectra(tone, tone[:-1])


class TestOnsets(unittest.TestCase):
    def test_onsets_of_a_picked_line_are_found(self) -> None:
        audio, events = scale_line([57, 60, 62, 64, 67, 69])
        found = find_onsets(audio)
        for event in events:
            self.assertLess(float(np.min(np.abs(found - event.onset_s))), 0.03)
        self.assertLessEqual(len(found), len(events) + 1)

    def test_vibrato_does_not_fire(self) -> None:
        times = np.arange(2 * RATE) / RATE
        shaken = moving_tone(69 + 0.4 * np.sin(2 * np.pi * 6 * times))
        self.assertLessEqual(len(find_onsets(shaken)), 1)

    def test_flux_is_zero_for_what_stays(self) -> None:
        self.assertEqual(float(superflux(np.ones((20, 50))).max()), 0.0)
        with self.assertRaises(ValueError):
            superflux(np.ones(5))
        self.assertEqual(len(pick_peaks(np.zeros(0))), 0)


class TestPitchTrack(unittest.TestCase):
    def test_steady_tones_are_read_within_three_cents(self) -> None:
        for hz in (82.41, 146.83, 329.63, 659.26, 1046.5):
            track = track_pitch(harmonic_tone(hz, 0.6), RATE)
            midi = float(np.nanmedian(track.midi[8:-8]))
            with self.subTest(hz=hz):
                self.assertLess(abs(100 * (midi - (69 + 12 * np.log2(hz / 440)))), 3.0)

    def test_noise_and_silence_are_unvoiced(self) -> None:
        for audio in (noise(0.5), np.zeros(RATE, dtype=np.float32)):
            track = track_pitch(audio, RATE)
            self.assertGreater(float(np.mean(np.isnan(track.midi))), 0.85)

    def test_ranges_that_do_not_fit_are_refused(self) -> None:
        with self.assertRaises(ValueError):
            track_pitch(sine(100, 0.2), RATE, lowest_hz=5.0)
        with self.assertRaises(ValueError):
            difference_function(np.zeros((1, 100), dtype=np.float32), 80)


class TestReferencePitch(unittest.TestCase):
    def test_detuned_lines_are_measured_within_three_cents(self) -> None:
        for cents in (-45.0, -20.0, 0.0, 12.0, 38.0):
            parts = [
                harmonic_tone(440 * 2 ** ((m - 69 + cents / 100) / 12), 0.5)
                for m in (57, 60, 62, 64, 67)
            ]
            found, certainty = measure_reference_cents(np.concatenate(parts), RATE)
            with self.subTest(cents=cents):
                self.assertAlmostEqual(found, cents, delta=3.0)
                self.assertGreater(certainty, 0.5)

    def test_noise_is_not_certain(self) -> None:
        self.assertLess(measure_reference_cents(noise(2.0), RATE)[1], CERTAIN)
        self.assertEqual(reference_to_hear_at(noise(2.0), RATE), 0.0)
        self.assertEqual(measure_reference_cents(noise(0.1), RATE), (0.0, 0.0))


class TestCurves(unittest.TestCase):
    def test_a_bend_is_followed(self) -> None:
        times = np.arange(int(1.2 * RATE)) / RATE
        rise = 2.0 * np.clip((times - 0.3) / 0.2, 0, 1)
        spectra = measure_spectra(moving_tone(64 + rise), RATE)
        at, cents, _ = pitch_curve(spectra, 64.0, 0.0, 1.2)
        wanted = 200 * np.clip((at - 0.3) / 0.2, 0, 1)
        self.assertLess(float(np.median(np.abs(cents - wanted))), 8.0)
        reading = read_curve(at, cents, 64.0)
        self.assertIn("bend", reading.techniques)
        self.assertAlmostEqual(reading.bend_semitones, 2.0, delta=0.15)

    def test_a_pre_bend_is_followed_down_where_the_listener_heard_it_go(self) -> None:
        times = np.arange(int(1.2 * RATE)) / RATE
        fall = 3.0 - 3.0 * np.clip((times - 0.4) / 0.25, 0, 1)
        spectra = measure_spectra(moving_tone(60 + fall), RATE)
        known = np.rint(60 + np.interp(np.arange(100) * 0.012, times, fall))
        at, cents, _ = pitch_curve(spectra, 63.0, 0.0, 1.2, trace=(known, 0.012))
        reading = read_curve(at, cents, 63.0)
        self.assertEqual(reading.techniques, {"pre-bend", "release"})
        self.assertAlmostEqual(reading.bend_semitones, 3.0, delta=0.1)
        self.assertEqual(reading.start_midi, 60.0)

    def test_a_bend_under_a_louder_note_is_followed_where_the_listener_heard_it(self) -> None:
        times = np.arange(int(1.2 * RATE)) / RATE
        rise = 2.0 * np.clip((times - 0.1) / 0.3, 0, 1)
        over = 1.5 * moving_tone(np.full(len(times), 69.0)) * (times > 0.25)
        mixed = (moving_tone(64 + rise) + over).astype(np.float32)
        known = np.rint(64 + np.interp(np.arange(100) * 0.012, times, rise))
        at, cents, _ = pitch_curve(
            measure_spectra(mixed, RATE), 64.0, 0.0, 1.2, trace=(known, 0.012)
        )
        wanted = 200 * np.clip((at - 0.1) / 0.3, 0, 1)
        self.assertLess(float(np.median(np.abs(cents - wanted))), 10.0)
        self.assertLess(float(np.max(np.abs(cents - wanted))), 100.0)

    def test_a_note_of_no_length_gives_nothing(self) -> None:
        spectra = measure_spectra(sine(440, 0.3), RATE)
        self.assertEqual(len(pitch_curve(spectra, 69, 0.5, 0.5)[0]), 0)


class TestTechniques(unittest.TestCase):
    def test_bends_of_every_width_are_measured(self) -> None:
        for amount in (0.5, 1.0, 2.0, 3.0, 4.0):
            cents = 100 * amount * 0.5 * (1 - np.cos(np.pi * np.clip((TIMES - 0.1) / 0.2, 0, 1)))
            reading = read_curve(TIMES, cents, 60.0)
            with self.subTest(amount=amount):
                self.assertEqual(reading.techniques, frozenset({"bend"}))
                self.assertAlmostEqual(reading.bend_semitones, amount, delta=0.1)

    def test_release_and_pre_bend(self) -> None:
        up_down = 200 * np.interp(TIMES, [0, 0.2, 0.4, 0.7, 0.9], [0, 0, 1, 1, 0])
        self.assertEqual(read_curve(TIMES, up_down, 60.0).techniques, {"bend", "release"})
        down = 200 * np.interp(TIMES, [0, 0.4, 0.7], [1, 1, 0])
        reading = read_curve(TIMES, down - 200, 62.0)
        self.assertEqual(reading.techniques, {"pre-bend", "release"})
        self.assertEqual(reading.start_midi, 60.0)

    def test_a_steady_note_has_no_technique(self) -> None:
        rng = np.random.default_rng(1)
        for spread in (0.0, 4.0, 10.0):
            cents = rng.normal(0.0, spread, len(TIMES))
            self.assertEqual(read_curve(TIMES, cents, 60.0).techniques, frozenset())
        self.assertEqual(read_curve(TIMES[:3], TIMES[:3], 60.0).techniques, frozenset())

    def test_vibrato_rate_and_depth_come_out_as_they_went_in(self) -> None:
        for rate in (4.5, 5.5, 7.0):
            for depth in (0.3, 0.6):
                grow = np.clip((TIMES - 0.3) / 0.1, 0, 1)
                swing = depth * 0.5 * (1 - np.cos(2 * np.pi * rate * (TIMES - 0.3))) * grow
                found, measured, delay, _ = measure_vibrato(TIMES, swing)
                with self.subTest(rate=rate, depth=depth):
                    self.assertAlmostEqual(found, rate, delta=0.5)
                    self.assertAlmostEqual(measured, depth, delta=0.3 * depth)
                    self.assertLess(delay, 0.45)

    def test_a_bend_is_measured_from_the_fret_to_its_top(self) -> None:
        # One that rises at once is no smaller, nor is one that vibrato pulls down from its top.
        for rise_s in (0.06, 0.12, 0.25):
            rising = 200.0 * np.clip(TIMES / rise_s, 0.0, 1.0)
            shaken = rising - 40.0 * 0.5 * (1 - np.cos(2 * np.pi * 5.5 * TIMES)) * (TIMES > 0.4)
            for name, cents in (("plain", rising), ("shaken", shaken)):
                with self.subTest(rise_s=rise_s, name=name):
                    reading = read_curve(TIMES, cents, 60.0)
                    self.assertIn("bend", reading.techniques)
                    self.assertAlmostEqual(reading.bend_semitones, 2.0, delta=0.15)

    def test_a_slide_at_the_end_is_no_bend(self) -> None:
        cents = 200 * np.interp(TIMES, [0, 1.1, 1.19], [0, 0, 1])
        self.assertNotIn("bend", read_curve(TIMES, cents, 60.0, glides_on=True).techniques)


def posteriors(n_frames: int = 200) -> Posteriors:
    """Make quiet posteriors to write notes into."""
    cells = np.full((len(CELL_KINDS), N_PITCHES, n_frames), 0.01, dtype=np.float32)
    return Posteriors(cells, np.zeros(n_frames, np.float32), np.zeros(n_frames, np.float32))


def write(found: Posteriors, midi: int, start: int, end: int, confidence: float = 0.95) -> None:
    """Write one clear note."""
    row = midi - LOWEST_MIDI
    found.cells[0, row, start] = confidence
    found.cells[0, row, [start - 1, start + 1]] = 0.4 * confidence
    found.cells[1, row, start:end] = 0.95


class TestDecoder(unittest.TestCase):
    def test_clear_notes_come_out_as_they_went_in(self) -> None:
        found = posteriors()
        write(found, 60, 20, 60)
        write(found, 64, 60, 90)
        write(found, 64, 90, 130)
        notes = decode(found)
        self.assertEqual([n.midi for n in notes], [60, 64, 64])
        self.assertEqual([round(n.start) for n in notes], [20, 60, 90])
        self.assertEqual([n.end for n in notes][:2], [60, 90])

    def test_sound_without_an_onset_is_no_note(self) -> None:
        found = posteriors()
        found.cells[1, 30, 20:80] = 0.9
        self.assertEqual(decode(found), [])

    def test_a_bend_is_one_note(self) -> None:
        found = posteriors()
        write(found, 64, 20, 40)
        found.cells[1, 65 - LOWEST_MIDI, 38:44] = 0.8
        found.cells[1, 66 - LOWEST_MIDI, 43:90] = 0.9
        notes = decode(found)
        self.assertEqual(len(notes), 1)
        self.assertGreaterEqual(notes[0].end, 88)

    def test_the_number_of_notes_can_be_asked_for(self) -> None:
        found = posteriors()
        write(found, 60, 20, 60)
        write(found, 72, 21, 60, confidence=0.5)
        write(found, 64, 80, 120)
        self.assertEqual(len(decode(found, DecoderSettings(expected_notes=2))), 2)

    def test_a_note_does_not_bridge_a_rest_to_what_comes_at_its_pitch(self) -> None:
        found = posteriors()
        write(found, 60, 20, 60)
        found.cells[1, 60 - LOWEST_MIDI, 60:90] = 0.01
        found.cells[1, 60 - LOWEST_MIDI, 90:150] = 0.95
        notes = decode(found)
        self.assertEqual(notes[0].midi, 60)
        self.assertLessEqual(notes[0].end, 64)

    def test_a_bent_string_that_is_struck_anew_ends_its_note(self) -> None:
        found = posteriors()
        write(found, 60, 20, 40)
        found.cells[1, 61 - LOWEST_MIDI, 40:44] = 0.95
        found.cells[1, 62 - LOWEST_MIDI, 44:80] = 0.95
        found.cells[7, 60 - LOWEST_MIDI : 63 - LOWEST_MIDI, 38:46] = 0.9
        write(found, 60, 80, 110)
        first, second = decode(found)
        self.assertEqual((first.midi, second.midi), (60, 60))
        self.assertTrue(76 <= first.end <= 82, first.end)
        np.testing.assert_allclose(trace(found, first)[[5, 22, 40]], [60, 61, 62])

    def test_a_known_scale_helps_its_notes(self) -> None:
        found = posteriors()
        write(found, 60, 20, 60, confidence=0.2)
        found.cells[1, 60 - LOWEST_MIDI, 20:60] = 0.5
        inside = decode(found, DecoderSettings(scale=frozenset({0, 2, 4, 7, 9}), scale_bonus=3.0))
        outside = decode(found, DecoderSettings(scale=frozenset({1, 3, 6}), scale_bonus=3.0))
        self.assertGreater(len(inside), len(outside))

    def test_confidence_grows_with_the_evidence(self) -> None:
        weak = FoundNote(10.0, 30, 60, 0.3, 0.5, 0, 0, 0, 0, ((72, 0.4),))
        strong = FoundNote(10.0, 30, 60, 0.98, 0.95, 0, 0, 0, 0, ())
        self.assertLess(calibrated(weak), calibrated(strong))
        self.assertGreater(calibrated(strong), 0.8)
        self.assertEqual(calibrated(replace(weak, confidence=0.77)), 0.77)


class TestListener(unittest.TestCase):
    def test_numpy_and_the_compiled_network_agree(self) -> None:
        audio, _ = scale_line([57, 60, 64])
        both = spectra_on((narrow.NARROW, wide_spectra.WIDE), audio, np.zeros_like(audio))
        twice = stack_harmonics(np.concatenate([both[1], both[1]]))
        np.testing.assert_array_equal(*np.split(twice, 2))
        for run, picture in ((run_first, stack_harmonics(both[0])), (run_second, twice)):
            stacked = picture[:, :, :121]  # odd: the second reads frames by twos
            compiled, plain = run(stacked), run(stacked, compiled=False)
            for ours, theirs in zip(plain, compiled, strict=True):
                self.assertEqual(ours.shape[-1], 121)
                np.testing.assert_allclose(ours, theirs, atol=1e-3)

    def test_but_for_straight_a_partial_is_seen_as_loud_wherever_it_falls(self) -> None:
        """Within the 2 dB of the wide grid; straight, 17 cents beside a bin lose more than 10."""
        lost = {}
        for drums in (0.0, 1.0):
            levels = []
            for cents in (0, 17):
                tone = sine(987.77 * 2 ** (cents / 1200), 1.0)
                seen: list[np.ndarray] = []

                def see(stacked, seen=seen, **_):  # type: ignore[no-untyped-def]
                    seen.append(stacked)
                    return np.zeros((9, *stacked.shape[1:])), np.zeros((2, stacked.shape[2]))

                with (
                    mock.patch.object(listener, "run_first", see),
                    mock.patch.object(listener, "drums_heard", return_value=drums),
                ):
                    listener.listen(0.5 * tone, 0.5 * tone)  # in one channel alone
                row = 83 - narrow.LOWEST_MIDI
                # The fundamental in the longest window, around the middle of the sound.
                levels.append([float(x[3:6, row - 1 : row + 2, 40].max()) for x in seen])
            lost[drums] = [80.0 * (true - off) for true, off in zip(*levels, strict=True)]
        straight, calm = lost[0.0]
        self.assertGreater(straight, 10.0)
        for decibels in (calm, *lost[1.0]):
            self.assertLess(abs(decibels), 2.0)

    def test_both_sides_at_once_are_the_mean_power_of_a_mix_turned_each_way(self) -> None:
        rng = np.random.default_rng(14)
        mid, side = (rng.normal(size=RATE).astype(np.float32) * k for k in np.float32([1.0, 3.0]))
        angle = np.radians(25.0)
        plain = narrow.Grid(40, lambda magnitude, *_: 1e-3 * magnitude[:, 10:50])  # none clips
        both = replace(plain, across=float(np.sin(angle) ** 2))

        def power(grid: narrow.Grid, mid: np.ndarray, side: np.ndarray) -> np.ndarray:
            (seen,) = narrow.spectra_on((grid,), mid, side, loud=[1e-3])
            return 10.0 ** (seen * narrow.RANGE_DB / 10.0)

        ways = [
            power(
                plain,
                (np.cos(a) * mid + np.sin(a) * side).astype(np.float32),
                (np.cos(a) * side - np.sin(a) * mid).astype(np.float32),
            )
            for a in (-angle, angle)
        ]
        at = slice(20, 60, 2)  # where the long windows are read, away from the ends
        np.testing.assert_allclose(
            power(both, mid, side)[..., at], 0.5 * (ways[0] + ways[1])[..., at], rtol=1e-3
        )
        level = narrow.loud_level(mid, side, both.across)
        self.assertAlmostEqual(level**2, 1.0 + both.across * 8.0, delta=0.2)  # and not 1

    def test_two_networks_are_believed_by_the_mean_of_their_log_odds(self) -> None:
        rng = np.random.default_rng(3)
        rows = N_PITCHES - listener.ADDED_ROWS
        first = rng.normal(size=(9, rows, 5)), rng.normal(size=(2, 5))
        second = rng.normal(size=(11, N_PITCHES, 5)), rng.normal(size=(2, 5))
        cells, frames = listener.together(first, second)
        share = listener.SECOND_COUNTS
        for kind in Cell:
            part = share if kind in listener.BOTH_TELL else 0.0
            theirs = second[0][kind, listener.ADDED_ROWS :]
            np.testing.assert_allclose(
                cells[kind, listener.ADDED_ROWS :], (1 - part) * first[0][kind] + part * theirs
            )
        np.testing.assert_allclose(frames, (1 - share) * first[1] + share * second[1])
        alone = second[0][:, : listener.ADDED_ROWS]
        self.assertTrue(np.all(cells[:2, : listener.ADDED_ROWS] < alone[:2]))

    def test_a_line_on_the_lowest_of_eight_strings_is_heard(self) -> None:
        pitches = [33, 32, 35, 34, 37, 33]
        audio, events = scale_line(pitches)
        heard = listen(audio, np.zeros_like(audio)).notes
        matched = sum(
            any(abs(n.onset_s - e.onset_s) < 0.05 and abs(n.midi - e.midi) < 0.5 for n in heard)
            for e in events
        )
        self.assertGreaterEqual(matched, 4)

    def test_a_picked_line_is_heard(self) -> None:
        pitches = [57, 60, 62, 64, 67, 69, 72]
        audio, events = scale_line(pitches)
        heard = listen(audio, np.zeros_like(audio)).notes
        matched = sum(
            any(abs(n.onset_s - e.onset_s) < 0.05 and abs(n.midi - e.midi) < 0.5 for n in heard)
            for e in events
        )
        self.assertGreaterEqual(matched, 6)
        self.assertLessEqual(len(heard), 9)

    def test_blocks_do_not_change_the_result(self) -> None:
        audio, _ = scale_line([57, 60, 64, 67, 69])
        with mock.patch.object(listener, "MOST_FRAMES", 64):
            small = listener.listen(audio, np.zeros_like(audio))
        whole = listener.listen(audio, np.zeros_like(audio))
        np.testing.assert_allclose(small.cells, whole.cells, atol=2e-3)

    def test_a_wide_mix_is_seen_twice_and_both_sides_alike(self) -> None:
        line, _ = scale_line([57, 60, 64, 67, 69])
        other, _ = scale_line([45, 52, 45, 52, 45])
        length = min(len(line), len(other))
        left, right = line[:length], other[:length]
        mid, side = 0.5 * (left + right), 0.5 * (left - right)
        with mock.patch.object(listener, "run_first", wraps=listener.run_first) as first:
            heard = listener.listen(mid, side)
            looks = first.call_count
            exchanged = listener.listen(mid, -side)
            listener.listen(mid, 0.001 * side)
        self.assertEqual((looks, first.call_count), (2, 5))
        np.testing.assert_allclose(heard.cells, exchanged.cells, atol=2e-3)

    def test_drums_go_and_a_held_note_stays(self) -> None:
        rng = np.random.default_rng(6)
        tone = sine(440.0, 3.0)
        strokes = np.zeros_like(tone)
        for at in range(RATE // 2, len(tone) - 4000, RATE // 4):
            strokes[at : at + 1500] += rng.standard_normal(1500) * np.exp(-np.arange(1500) / 300.0)
        mid, side = listener.without_drums(0.3 * tone + strokes, 0.3 * tone)
        inner = slice(RATE // 4, -RATE // 4)
        np.testing.assert_allclose(np.std(side[inner]), 0.3 * np.std(tone[inner]), rtol=0.1)
        left = np.std((mid - side)[inner]) / np.std(strokes[inner])
        self.assertLess(20.0 * np.log10(left), -10.0)
        self.assertGreater(left, listener.STROKES_LEFT)

    def test_looks_count_each_for_what_they_tell_best(self) -> None:
        rng = np.random.default_rng(8)
        one, other = (
            (rng.normal(size=(9, 4, 5)).astype(np.float32), rng.normal(size=(2, 5)).astype("f"))
            for _ in range(2)
        )
        counts = listener.Counts(0.3, 0.3, 0.4), listener.Counts(0.1, 0.3, 0.0)
        cells, frames = listener._mean_look(list(zip(counts, (one, other), strict=True)))
        onsets = 0.75 * one[0][Cell.ONSET] + 0.25 * other[0][Cell.ONSET]
        np.testing.assert_allclose(cells[Cell.ONSET], onsets, atol=1e-6)
        sounding = 0.5 * (one[0][Cell.ACTIVE] + other[0][Cell.ACTIVE])
        np.testing.assert_allclose(cells[Cell.ACTIVE], sounding, atol=1e-6)
        np.testing.assert_allclose(cells[Cell.TAP], one[0][Cell.TAP], atol=1e-6)
        np.testing.assert_allclose(frames, one[1], atol=1e-6)

    def test_without_weights_one_clean_voice_is_still_heard(self) -> None:
        pitches = [57, 60, 62, 64, 67, 69]
        audio, events = scale_line(pitches)
        heard = listen(audio, np.zeros_like(audio), learned=False).notes
        matched = sum(
            any(abs(n.onset_s - e.onset_s) < 0.05 and abs(n.midi - e.midi) < 0.5 for n in heard)
            for e in events
        )
        self.assertGreaterEqual(matched, 5)

    def test_what_is_no_guitar_gives_few_or_doubtful_notes(self) -> None:
        rng = np.random.default_rng(4)
        clicks = np.zeros(3 * RATE, dtype=np.float32)
        clicks[:: RATE // 3] = 0.8
        cases = {
            "silence": np.zeros(3 * RATE, dtype=np.float32),
            "noise": noise(3.0),
            "clicks": clicks,
            "hum": sine(50.0, 3.0),
            "constant": np.full(3 * RATE, 0.5, dtype=np.float32),
            "short": np.zeros(10, dtype=np.float32),
            "not numbers": np.where(rng.random(RATE) < 0.01, np.nan, 0.0).astype(np.float32),
        }
        for name, audio in cases.items():
            with self.subTest(name=name):
                notes = listen(audio, np.zeros_like(audio)).notes
                sure = [n for n in notes if n.confidence > 0.8 and "dead" not in n.techniques]
                self.assertLessEqual(len(sure), 3)

    def test_clipping_and_offset_do_not_hurt(self) -> None:
        audio, events = scale_line([57, 60, 62, 64, 67])
        broken = np.clip(4.0 * audio, -0.6, 0.6) + np.float32(0.2)
        heard = listen(broken.astype(np.float32), np.zeros_like(audio), hints=Hints()).notes
        matched = sum(
            any(abs(n.onset_s - e.onset_s) < 0.05 and abs(n.midi - e.midi) < 0.5 for n in heard)
            for e in events
        )
        self.assertGreaterEqual(matched, 4)


class TestBeats(unittest.TestCase):
    def _clicks(self, times: np.ndarray, length_s: float) -> np.ndarray:
        audio = np.zeros(int(length_s * RATE), dtype=np.float32)
        tick = (
            np.random.default_rng(1).standard_normal(400) * np.exp(-np.arange(400) / 80)
        ).astype(np.float32)
        for time in times:
            at = int(time * RATE)
            audio[at : at + 400] += 0.5 * tick[: len(audio) - at]
        return audio

    def test_steady_beats_are_found(self) -> None:
        for bpm in (72.0, 100.0, 132.0):
            times = np.arange(0.5, 19.5, 60 / bpm)
            reading = find_beats(self._clicks(times, 20.0))
            with self.subTest(bpm=bpm):
                self.assertAlmostEqual(reading.best.bpm, bpm, delta=2.0)
                inner = times[2:-2]
                gaps = [np.min(np.abs(reading.best.beat_times_s - t)) for t in inner]
                self.assertLess(float(np.median(gaps)), 0.02)

    def test_beats_do_not_slip_to_where_the_band_plays_beside_them_for_a_while(self) -> None:
        beat_s = 0.4
        times = np.arange(0.5, 60.0, beat_s)
        away = (times > 20.0) & (times < 26.0)  # fifteen beats on which only off-beats sound
        struck = np.concatenate([times[~away], times[away] + 0.5 * beat_s])
        rng = np.random.default_rng(3)
        struck = struck + rng.normal(0.0, 0.004, len(struck))
        reading = find_beats(self._clicks(np.sort(struck), 61.0))
        beats = reading.best.beat_times_s
        self.assertAlmostEqual(reading.best.bpm, 150.0, delta=1.0)
        apart = np.abs(beats[:, None] - times[None]).min(axis=1)[3:-3]
        self.assertLess(float(apart.max()), 0.06)

    def test_a_drifting_tempo_is_followed(self) -> None:
        steps = 0.55 * (1 + 0.08 * np.sin(np.arange(40) / 8))
        times = 0.4 + np.cumsum(steps)
        reading = find_beats(self._clicks(times, float(times[-1]) + 1))
        gaps = [np.min(np.abs(reading.best.beat_times_s - t)) for t in times[3:-3]]
        self.assertLess(float(np.median(gaps)), 0.03)

    def test_a_given_tempo_is_kept(self) -> None:
        reading = find_beats(self._clicks(np.arange(0.5, 9.5, 0.5), 10.0), bpm=60.0)
        self.assertAlmostEqual(
            float(np.median(np.diff(reading.best.beat_times_s))), 1.0, delta=0.06
        )

    def test_silence_still_gives_a_map(self) -> None:
        for seconds in (0.2, 5.0):
            reading = find_beats(np.zeros(int(seconds * RATE), dtype=np.float32))
            self.assertGreaterEqual(len(reading.best.beat_times_s), 2)
            self.assertTrue(np.all(np.diff(reading.best.beat_times_s) > 0))


class TestKey(unittest.TestCase):
    def test_a_pentatonic_line_is_in_its_key(self) -> None:
        midi = [57, 60, 62, 64, 67, 69, 67, 64, 62, 60, 57]
        weights = pitch_class_weights(midi, [0.4] * len(midi))
        best = find_keys(weights, 57.0)[0]
        self.assertEqual(best.name, "A minor")
        self.assertEqual(find_scale(weights, best), "minor pentatonic")

    def test_shapes_are_checked(self) -> None:
        with self.assertRaises(ValueError):
            find_keys(np.zeros(5))


if __name__ == "__main__":
    unittest.main()

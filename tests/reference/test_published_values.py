"""Numbers that stand in print: frequencies, frets, harmonics, counts, scales."""

import math
import unittest

import numpy as np

from juxtanote.core.theory.harmonics import (
    PARTIAL_AT_FRET,
    partial_offset,
    stretched_partial_hz,
)
from juxtanote.core.theory.pitch import parse_pitch
from juxtanote.core.theory.scales import SCALES
from juxtanote.core.theory.strings import usual_stiffness
from juxtanote.core.theory.tuning import STANDARD, Guitar
from juxtanote.core.units import (
    amplitude_to_db,
    cents_to_reference_hz,
    db_to_amplitude,
    frames_to_seconds,
    hz_to_midi,
    midi_to_hz,
    seconds_to_frames,
)


class TestPublishedValues(unittest.TestCase):
    def test_a4_is_440_hz(self) -> None:
        """ISO 16:1975."""
        self.assertEqual(float(midi_to_hz(69)), 440.0)

    def test_open_strings_in_equal_temperament(self) -> None:
        """MIDI 1.0 tuning; the frequencies of the guitar's open strings in equal temperament."""
        names = ("E2", "A2", "D3", "G3", "B3", "E4")
        hertz = (82.41, 110.00, 146.83, 196.00, 246.94, 329.63)
        for name, hz, midi in zip(names, hertz, STANDARD, strict=True):
            with self.subTest(name=name):
                self.assertEqual(parse_pitch(name), midi)
                self.assertAlmostEqual(float(midi_to_hz(midi)), hz, places=2)
        self.assertAlmostEqual(float(midi_to_hz(parse_pitch("D2"))), 73.42, places=2)
        self.assertAlmostEqual(float(midi_to_hz(parse_pitch("B1"))), 61.74, places=2)

    def test_fret_distances(self) -> None:
        """Equal temperament: fret n lies at L·(1 − 2^(−n/12)); 17.817 is the luthiers' divisor."""
        guitar = Guitar(scale_length_mm=650.0)
        self.assertAlmostEqual(guitar.fret_mm(1), 650.0 / 17.817, delta=0.01)
        self.assertAlmostEqual(guitar.fret_mm(12), 325.0, places=6)
        self.assertAlmostEqual(guitar.fret_mm(24), 487.5, places=6)

    def test_natural_harmonics_lie_near_their_nodes(self) -> None:
        """String modes: partial n has nodes at k·L/n (Fletcher & Rossing, ch. 2)."""
        for fret, partial in PARTIAL_AT_FRET.items():
            place = 1.0 - 2.0 ** (-fret / 12.0)
            nodes = [k / partial for k in range(1, partial)]
            with self.subTest(fret=fret):
                self.assertLess(min(abs(place - node) for node in nodes), 0.012)

    def test_partials_against_equal_temperament(self) -> None:
        """log2 arithmetic: partial 3 is 2.0 cents sharp, partial 5 is 13.7 cents flat."""
        self.assertAlmostEqual(100 * (partial_offset(3) - 19), 1.955, places=3)
        self.assertAlmostEqual(100 * (partial_offset(5) - 28), -13.686, places=3)
        self.assertEqual(partial_offset(4), 24.0)
        with self.assertRaises(ValueError):
            partial_offset(0)

    def test_tuning_by_harmonics_is_close_but_not_exact(self) -> None:
        """Arithmetic: fret 5 of string 6 against fret 7 of string 5, 1.96 cents apart."""
        fifth_fret = 4 * float(midi_to_hz(40))
        seventh_fret = 3 * float(midi_to_hz(45))
        self.assertAlmostEqual(fifth_fret, 329.63, places=2)
        self.assertAlmostEqual(seventh_fret, 330.00, places=2)
        self.assertAlmostEqual(1200 * math.log2(seventh_fret / fifth_fret), 1.955, places=2)

    def test_stiff_strings(self) -> None:
        """f_n = n·f0·√(1 + B·n²) (Fletcher & Rossing)."""
        self.assertAlmostEqual(stretched_partial_hz(10, 100.0, 1e-4), 1000 * math.sqrt(1.01))

    def test_plain_strings_bend_as_steel_does(self) -> None:
        """B = π³Ed⁴/(64TL²) with T = πρd²L²f² (Fletcher & Rossing; steel: 200 GPa, 7850 kg/m³)."""
        for midi, inch in ((64, 0.010), (59, 0.013), (55, 0.017)):
            hz, d, length = 440.0 * 2 ** ((midi - 69) / 12), 0.0254 * inch, 0.648
            tension = math.pi * 7850 * (d * length * hz) ** 2
            wanted = math.pi**3 * 2.0e11 * d**4 / (64 * tension * length**2)
            self.assertAlmostEqual(usual_stiffness(midi) / wanted, 1.0, delta=0.02)
            # A longer scale at the same pitch: B ∝ 1/(T·L²) with T ∝ L².
            ratio = usual_stiffness(midi, 680.0) / usual_stiffness(midi)
            self.assertAlmostEqual(ratio, (648.0 / 680.0) ** 4, delta=1e-6)
        # Two semitones lower the same string hangs on 2^(−4/12) of the tension.
        self.assertAlmostEqual(usual_stiffness(62) / usual_stiffness(64), 2 ** (4 / 12), delta=1e-6)

    def test_same_pitch_in_two_places(self) -> None:
        """Common practice among guitarists."""
        guitar = Guitar()
        self.assertEqual(guitar.midi_at(3, 18), guitar.midi_at(2, 14))
        self.assertEqual(guitar.midi_at(3, 7) + 2, guitar.midi_at(2, 5))
        for fret in range(0, 15):
            self.assertEqual(guitar.midi_at(3, fret + 2) - guitar.midi_at(5, fret), 12)

    def test_scales(self) -> None:
        """Music theory: degrees of the common scales."""
        self.assertEqual(SCALES["minor pentatonic"], (0, 3, 5, 7, 10))
        self.assertEqual(set(SCALES["blues"]) - set(SCALES["minor pentatonic"]), {6})
        self.assertEqual(SCALES["major pentatonic"], (0, 2, 4, 7, 9))
        self.assertEqual(SCALES["harmonic minor"], (0, 2, 3, 5, 7, 8, 11))

    def test_units_turn_back(self) -> None:
        for midi in (28.0, 60.5, 96.0):
            self.assertAlmostEqual(float(hz_to_midi(midi_to_hz(midi))), midi)
        self.assertAlmostEqual(float(db_to_amplitude(amplitude_to_db(0.25))), 0.25)
        self.assertEqual(float(amplitude_to_db(0.0)), -120.0)
        self.assertAlmostEqual(cents_to_reference_hz(100.0), 466.164, places=3)
        frames = np.arange(5)
        seconds = frames_to_seconds(frames, 256, 22_050)
        np.testing.assert_array_equal(seconds_to_frames(seconds, 256, 22_050), frames)


if __name__ == "__main__":
    unittest.main()

"""Pitch names, tunings, scales, harmonics."""

import unittest

from music21 import key

from juxtanote.core.errors import TuningError
from juxtanote.core.theory.chords import parse_chord, transpose_symbols
from juxtanote.core.theory.harmonics import harmonic_midi, stretched_partial_hz
from juxtanote.core.theory.keys import known_key, read_key, transpose_key
from juxtanote.core.theory.pitch import parse_pitch, parse_pitch_class, pitch_name
from juxtanote.core.theory.scales import (
    SCALES,
    degree_name,
    outside_name,
    spell_in_key,
    spell_tonic,
)
from juxtanote.core.theory.tuning import PRESETS, STANDARD, USES, Guitar, parse_tuning, tuning_name


class TestPitch(unittest.TestCase):
    def test_names_are_read_back(self) -> None:
        for midi in range(12, 108):
            self.assertEqual(parse_pitch(pitch_name(midi)), midi)
            self.assertEqual(parse_pitch(pitch_name(midi, flats=True)), midi)

    def test_what_is_no_name_is_refused(self) -> None:
        for text in ("", "H2", "E", "E2x", "2E", "Ebb"):
            with self.subTest(text=text), self.assertRaises(ValueError):
                parse_pitch(text)
        with self.assertRaises(ValueError):
            parse_pitch_class("E2")


class TestTuning(unittest.TestCase):
    def test_presets_are_guitars(self) -> None:
        for name, tuning in PRESETS.items():
            with self.subTest(name=name):
                self.assertEqual(Guitar(tuning=tuning).tuning, tuning)
                self.assertEqual(parse_tuning(name), tuning)
                self.assertEqual(parse_tuning(tuning_name(tuning)), tuning)

    def test_string_one_is_the_thinnest(self) -> None:
        guitar = Guitar()
        self.assertEqual(guitar.open_midi(1), 64)
        self.assertEqual(guitar.open_midi(6), 40)
        with self.assertRaises(ValueError):
            guitar.open_midi(7)

    def test_a_capo_raises_every_open_string(self) -> None:
        guitar = Guitar(capo=3)
        self.assertEqual([guitar.open_midi(s) for s in (6, 1)], [43, 67])
        self.assertEqual(guitar.last_fret, 19)

    def test_impossible_guitars_are_explained(self) -> None:
        cases = {
            "strings": {"tuning": (40, 45, 50)},
            "octave": {"tuning": (0, 45, 50, 55, 59, 64)},
            "frets": {"fret_count": 3},
            "capo": {"capo": 22},
            "scale length": {"scale_length_mm": 10.0},
        }
        for word, fields in cases.items():
            with self.subTest(word=word), self.assertRaises(TuningError) as caught:
                Guitar(**fields)  # type: ignore[arg-type]
            self.assertIn(word.split()[0], str(caught.exception))

    def test_an_unreadable_tuning_says_how_to_write_one(self) -> None:
        with self.assertRaises(TuningError) as caught:
            parse_tuning("E2 A2 what")
        self.assertIn("E2 A2 D3 G3 B3 E4", str(caught.exception))

    def test_the_twelfth_fret_halves_the_string(self) -> None:
        self.assertAlmostEqual(Guitar(scale_length_mm=648).fret_mm(12), 324.0)


class TestScales(unittest.TestCase):
    def test_every_degree_has_a_letter_of_its_own_in_seven_note_scales(self) -> None:
        for tonic in range(12):
            for mode, scale in (("major", "major"), ("minor", "natural minor")):
                key = f"{spell_tonic(tonic, mode)} {mode}"
                letters = [spell_in_key(60 + tonic + s, key)[0] for s in SCALES[scale]]
                with self.subTest(key=key):
                    self.assertEqual(len(set(letters)), 7)

    def test_b_flat_minor_has_no_sharps(self) -> None:
        names = [spell_in_key(58 + s, "B♭ minor") for s in SCALES["natural minor"]]
        self.assertEqual(names, ["B♭", "C", "D♭", "E♭", "F", "G♭", "A♭"])

    def test_outside_notes_are_named(self) -> None:
        self.assertEqual(outside_name(63, 9, "minor pentatonic"), "flat fifth")
        self.assertIsNone(outside_name(64, 9, "minor pentatonic"))
        self.assertEqual(outside_name(71, 9, "minor pentatonic"), "ninth")
        self.assertEqual(degree_name(60, 9), "♭3")

    def test_keys_are_read(self) -> None:
        written = {
            "Am": "A minor", "A dorian": "A dorian", "A blues": "A blues", "a": "A minor",
            "E flat minor": "E♭ minor", "eb": "E♭ minor", "Bbm": "B♭ minor", "F#": "F♯ major",
            "H7": "B mixolydian", "H moll": "B minor", "As dur": "A♭ major", "G# major": "A♭ major",
            "B♭ minor": "B♭ minor", "C sharp minor": "C♯ minor",
        }  # fmt: skip
        for text, name in written.items():
            with self.subTest(text=text):
                key = read_key(text)
                self.assertEqual(key.name if key else None, name)
                self.assertEqual(read_key(name), key)

    def test_no_key_is_a_key_that_is_not_there(self) -> None:
        for text in ("", "N.C.", "nc", "none"):
            self.assertIsNone(read_key(text))

    def test_a_key_that_cannot_be_read_says_why(self) -> None:
        for text, why in (
            ("X minor", "note name"),
            ("A purple", "purple"),
            ("A minor please", "mode"),
        ):
            with self.subTest(text=text), self.assertRaises(ValueError) as caught:
                read_key(text)
            self.assertIn(why, str(caught.exception))
            self.assertIsNone(known_key(text))

    def test_signatures_agree_with_music21(self) -> None:
        """Sharps and flats of keys and church modes, as music21 counts them."""
        for tonic in ("C", "G", "D", "A", "E", "F", "B♭", "E♭", "F♯"):
            for mode in ("major", "minor", "dorian", "phrygian", "lydian", "mixolydian", "locrian"):
                mine = read_key(f"{tonic} {mode}")
                assert mine is not None
                name = mine.tonic.replace("♭", "-").replace("♯", "#")
                with self.subTest(key=mine.name):
                    self.assertEqual(mine.fifths, key.Key(name, mode).sharps)

    def test_a_variant_in_another_key_moves_its_key_and_chords(self) -> None:
        self.assertEqual(transpose_key("A dorian", 3), "C dorian")
        self.assertEqual(transpose_symbols("Am7 D/F♯ N.C.", 3), "Cm7 F/A N.C.")


class TestHarmonics(unittest.TestCase):
    def test_touching_the_twelfth_fret_gives_the_octave(self) -> None:
        self.assertAlmostEqual(harmonic_midi(STANDARD[0], 12) or 0, 52.0)
        self.assertIsNone(harmonic_midi(40, 11))

    def test_stiffness_raises_high_partials(self) -> None:
        self.assertAlmostEqual(stretched_partial_hz(3, 100.0, 0.0), 300.0)
        self.assertGreater(stretched_partial_hz(8, 100.0, 1e-4), 800.0)


if __name__ == "__main__":
    unittest.main()


class TestOpenTunings(unittest.TestCase):
    def test_each_sounds_what_its_name_says(self) -> None:
        """Names of open tunings: the chord that the open strings sound (common practice)."""
        for name, tuning in PRESETS.items():
            self.assertIn(name, USES)
            self.assertTrue(4 <= len(tuning) <= 9)
            if name.startswith("Open "):
                chord = parse_chord(name.removeprefix("Open ").replace(" minor", "m"))
                self.assertEqual({midi % 12 for midi in tuning}, set(chord.tones), name)

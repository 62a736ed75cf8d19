"""What the sound tells of strings, figures of placements, and moving phrases."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtanote.core.analysis.partials import measure_stiffness
from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.clues import HeardString, read_strings, with_clues
from juxtanote.core.fretboard.figures import measure
from juxtanote.core.fretboard.phrases import with_guitar
from juxtanote.core.fretboard.reasons import explain
from juxtanote.core.fretboard.solver import Placement, alternatives, place
from juxtanote.core.score.edits import add_variant
from juxtanote.core.score.lesson import Phrase
from juxtanote.core.score.readings import merge_listening
from juxtanote.core.score.transpose import along_the_neck, to_other_strings
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events
from juxtanote.core.theory.strings import usual_stiffness
from juxtanote.core.theory.tuning import Guitar
from juxtanote.core.units import midi_to_hz
from tests.lessons import note, small_lesson

RATE = 22_050
GUITAR = Guitar()


def stiff_tone(f0: float, b: float, seconds: float = 0.5) -> np.ndarray:
    """Sound a string by f_n = n·f0·√(1+B·n²) (H. Fletcher, 1964), partials falling by 1/n."""
    times = np.arange(int(seconds * RATE)) / RATE
    numbers = np.arange(1, int(0.45 * RATE / f0))
    audio = sum(
        np.sin(2 * np.pi * n * f0 * np.sqrt(1 + b * n * n) * times + n) / n for n in numbers
    )
    return (0.2 * audio * np.exp(-2 * times)).astype(np.float32)


class TestStiffness(unittest.TestCase):
    def test_b_is_measured_as_it_was_built(self) -> None:
        for midi in (45, 52, 59):
            for b in (2e-5, 6e-5, 2e-4):
                f0 = float(midi_to_hz(midi)) * 2 ** (3 / 1200)
                found = measure_stiffness(
                    stiff_tone(f0, b), RATE, 0.0, 0.5, float(midi_to_hz(midi))
                )
                with self.subTest(midi=midi, b=b):
                    assert found is not None
                    self.assertLess(abs(np.log2(found.b / b)), 0.25)
                    self.assertGreater(found.strength, 0.5)

    def test_harmonic_partials_say_nothing(self) -> None:
        found = measure_stiffness(stiff_tone(110.0, 0.0), RATE, 0.0, 0.5, 110.0)
        assert found is not None
        self.assertLess(found.strength, 0.1)

    def test_noise_short_and_high_notes_give_nothing(self) -> None:
        noise = 0.1 * np.random.default_rng(1).standard_normal(RATE).astype(np.float32)
        self.assertIsNone(measure_stiffness(noise, RATE, 0.0, 0.05, 110.0))
        self.assertIsNone(measure_stiffness(noise, RATE, 0.0, 0.5, 2000.0))
        found = measure_stiffness(noise, RATE, 0.0, 0.5, 110.0)
        self.assertTrue(found is None or found.strength < 0.3)


def stiff_at(places: list[tuple[int, int]], heavier: float = 0.0) -> list[HeardString]:
    """Sound as a usual set does at these places: B ∝ 1/L², so 2^(n/6) at fret n."""
    return [
        HeardString(float(np.log2(usual_stiffness(GUITAR.open_midi(s)))) + f / 6.0 + heavier, 1.0)
        for s, f in places
    ]


class TestClues(unittest.TestCase):
    def test_a_stiff_string_pulls_a_note_to_it(self) -> None:
        """B grows by 2^(n/6) along a string and is larger on thick ones: B ∝ 1/L² (Fletcher)."""
        pitches = (40, 41, 43, 40, 64)  # the low ones sit on string 6 only
        plain = [NoteToPlace(0.4 * k, 0.4 * k + 0.35, float(m)) for k, m in enumerate(pitches)]
        for heavier in (-0.6, 0.0, 0.6):  # octaves of B: light and heavy sets
            for string in (1, 2, 5) if heavier else (1, 2, 3, 4, 5):
                at = [(6, m - 40) for m in pitches[:-1]] + [(string, 64 - GUITAR.open_midi(string))]
                clue = dict(with_clues(GUITAR, plain, stiff_at(at, heavier))[-1].clue)
                with self.subTest(heavier=heavier, string=string):
                    self.assertEqual(min(clue, key=clue.__getitem__), at[-1])

    def test_other_phrases_tell_how_stiff_the_strings_are(self) -> None:
        """A wound third string: B of its core alone; what is locked elsewhere shows it."""
        line = [NoteToPlace(0.4 * k, 0.4 * k + 0.35, 60.0 + k) for k in range(4)]
        wound = [HeardString(s.log_b - 2.0, 1.0) for s in stiff_at([(3, 5 + k) for k in range(4)])]
        blind = with_clues(GUITAR, line, wound)
        self.assertNotIn(3, {min(dict(n.clue), key=dict(n.clue).__getitem__)[0] for n in blind[1:]})
        locked = [replace(n, string=3, fret=5 + k) for k, n in enumerate(line)] * 4
        known = read_strings(GUITAR, locked + line, wound * 5)
        for told in with_clues(GUITAR, line, wound, known):
            self.assertEqual(min(dict(told.clue), key=dict(told.clue).__getitem__)[0], 3)

    def test_a_wound_third_string_is_recognised(self) -> None:
        at = [(4, 7), (3, 5), (3, 7), (2, 5), (2, 8), (1, 5), (1, 8), (2, 6), (3, 5)]
        line = [
            NoteToPlace(0.4 * k, 0.4 * k + 0.35, float(GUITAR.midi_at(s, f)))
            for k, (s, f) in enumerate(at)
        ]
        core = np.log2(usual_stiffness(55, wound_third=True) / usual_stiffness(55))
        heard = [
            replace(h, log_b=h.log_b + core * (s == 3))
            for h, (s, _) in zip(stiff_at(at), at, strict=True)
        ]
        for told, true in zip(with_clues(GUITAR, line, heard), at, strict=True):
            self.assertEqual(min(dict(told.clue), key=dict(told.clue).__getitem__), true)

    def test_the_sound_of_a_line_tells_where_it_was_played(self) -> None:
        """Low on the thin strings or high on the thick ones, on twelve modelled guitars."""
        line = (64, 65, 67, 69, 67, 65, 69, 71, 72, 71, 69, 67)
        right = 0
        for number in range(12):
            rng = np.random.default_rng([77, number])
            voice = StringVoice(
                pluck_position=rng.uniform(0.08, 0.25), pickup_position=rng.uniform(0.06, 0.2),
                brightness=rng.uniform(0.5, 1.2), stiffness=2.0 ** rng.uniform(-0.5, 0.7),
            )  # fmt: skip
            string = 1 if number % 2 else 3
            at = [(string, m - GUITAR.open_midi(string)) for m in line]
            events = [
                StringEvent(0.1 + 0.12 * k, 0.115, s, f, float(m))
                for k, (m, (s, f)) in enumerate(zip(line, at, strict=True))
            ]
            audio = render_events(events, RATE, voice, rng)
            found = [
                measure_stiffness(audio, RATE, e.onset_s, e.offset_s, float(midi_to_hz(e.midi)))
                for e in events
            ]
            heard = [
                HeardString(float(np.log2(b.b)), b.strength) if b and b.b else HeardString()
                for b in found
            ]
            notes = [NoteToPlace(e.onset_s, e.offset_s, e.midi) for e in events]
            for clue, true in zip(with_clues(GUITAR, notes, heard), at, strict=True):
                costs = dict(clue.clue)
                right += min(costs, key=costs.__getitem__, default=None) == true
        self.assertGreaterEqual(right, 0.9 * 12 * len(line))

    def test_a_copy_in_another_key_forgets_how_it_sounded(self) -> None:
        lesson = small_lesson()
        phrase = lesson.phrases[0]
        notes = [
            replace(n, heard=replace(n.heard, stiffness=1e-4, strength=1.0)) for n in phrase.notes
        ]
        lesson = lesson.with_phrase(phrase.with_notes(notes))
        moved = along_the_neck(lesson, lesson.phrases[0], 2)
        self.assertTrue(all(n.heard.strength == 0.0 for n in moved.phrase.notes))

    def test_stretches_that_fit_no_string_are_not_believed(self) -> None:
        line = [
            NoteToPlace(0.4 * k, 0.4 * k + 0.35, float(m)) for k, m in enumerate((64, 67, 69, 71))
        ]
        at = [(2, 5), (2, 8), (2, 10), (2, 12)]
        real = read_strings(GUITAR, line, stiff_at(at))
        self.assertGreater(real.belief, 0.75)
        samples = [HeardString(-18.5, 1.0) for _ in line]  # one slack string at every pitch
        self.assertLess(read_strings(GUITAR, line, samples).belief, 0.05)
        self.assertAlmostEqual(read_strings(GUITAR, [], []).belief, 0.5)

    def test_an_open_string_that_rings_is_welcome(self) -> None:
        notes = [NoteToPlace(0.0, 1.2, 55.0), NoteToPlace(0.4, 0.7, 60.0)]
        told = with_clues(GUITAR, notes, [HeardString(rings_s=0.8), HeardString()])
        self.assertLess(dict(told[0].clue)[3, 0], 0.0)
        self.assertEqual(place(GUITAR, told).frets[0], 0)
        shaken = with_clues(GUITAR, notes, [HeardString(rings_s=0.8, shaken=True), HeardString()])
        self.assertEqual(shaken[0].clue, ())

    def test_the_card_says_that_the_sound_speaks_against_a_place(self) -> None:
        notes = [replace(NoteToPlace(0.0, 0.4, 64.0), clue=(((2, 5), 3.0), ((1, 0), 0.0))),
                 NoteToPlace(0.5, 0.9, 65.0)]  # fmt: skip
        way = Placement((1, 1), (0, 1), (1, 1), 0.0)
        words = {(c.string, c.fret): c.words for c in explain(GUITAR, notes, way, 0).candidates}
        self.assertEqual(words[2, 5], "the sound speaks against it")

    def test_a_note_that_may_be_slurred_keeps_its_string(self) -> None:
        line = [NoteToPlace(0.3 * k, 0.3 * k + 0.28, m) for k, m in enumerate((64, 67, 64, 67))]
        tied = [replace(n, legato=1.0 if k % 2 else 0.0) for k, n in enumerate(line)]
        strings = place(GUITAR, tied).strings
        self.assertEqual(strings[0], strings[1])


class TestFigures(unittest.TestCase):
    def test_figures_of_a_constructed_line(self) -> None:
        notes = [NoteToPlace(0.3 * k, 0.3 * k + 0.2, m) for k, m in enumerate((60, 64, 72, 74))]
        way = Placement((3, 2, 1, 1), (5, 5, 8, 10), (5, 5, 8, 8), 0.0)
        found = measure(GUITAR, notes, way, "alternate")
        self.assertEqual((found.shifts, found.string_changes), (1, 2))
        # Fret distances by L·(1 − 2^(−n/12)): from the fifth to the eighth of 648 mm.
        self.assertEqual(found.travel_mm, round(648 * (2 ** (-5 / 12) - 2 ** (-8 / 12))))
        self.assertEqual((found.outside, found.inside), (1, 1))
        self.assertEqual((found.lowest_fret, found.highest_fret), (5, 10))

    def test_the_one_position_way_shifts_least(self) -> None:
        notes = [
            NoteToPlace(0.3 * k, 0.3 * k + 0.2, m)
            for k, m in enumerate((57, 60, 62, 64, 67, 69, 72))
        ]
        ways = {
            w.favours: measure(GUITAR, notes, w, "alternate") for w in alternatives(GUITAR, notes)
        }
        if "stay in one position" in ways:
            self.assertEqual(
                ways["stay in one position"].shifts, min(f.shifts for f in ways.values())
            )
        self.assertGreater(len(ways), 2)


class TestMoving(unittest.TestCase):
    def test_shape_and_techniques_stay(self) -> None:
        lesson = small_lesson()
        phrase = lesson.phrases[0]
        moved = along_the_neck(lesson, phrase, 3)
        for old, new in zip(phrase.notes, moved.phrase.notes, strict=True):
            self.assertEqual(new.written.string, old.written.string)
            self.assertEqual(new.written.fret, old.written.fret + 3)
            self.assertEqual(new.written.techniques, old.written.techniques)
            self.assertEqual(new.heard.midi, old.heard.midi + 3)
        self.assertEqual(moved.problems, ())
        self.assertNotEqual(moved.phrase.ident, phrase.ident)
        hung = add_variant(lesson, phrase.ident, moved.phrase)
        self.assertEqual(len(hung.phrases), len(lesson.phrases))
        self.assertEqual(hung.phrase(moved.phrase.ident), moved.phrase)

    @settings(max_examples=50, deadline=None)
    @given(st.lists(st.tuples(st.integers(1, 6), st.integers(0, 22)), min_size=1, max_size=8),
           st.integers(-12, 12))  # fmt: skip
    def test_a_moved_phrase_sounds_as_asked_or_says_what_broke(
        self, places: list[tuple[int, int]], semitones: int
    ) -> None:
        lesson = small_lesson()
        notes = [note(k + 1, 2.0 + 0.2 * k, s, f, length_s=0.15) for k, (s, f) in enumerate(places)]
        phrase = replace(lesson.phrases[0], end_s=4.5).with_notes(notes)
        moved = along_the_neck(lesson, phrase, semitones)
        for old, new in zip(phrase.notes, moved.phrase.notes, strict=True):
            sounds = lesson.context().guitar.midi_at(new.written.string, new.written.fret)
            self.assertEqual(sounds, round(new.heard.midi))
            self.assertLessEqual(new.written.fret, lesson.context().guitar.last_fret)
            if new.heard.midi != old.heard.midi + semitones:
                self.assertTrue(any("keeps its old pitch" in p for p in moved.problems))

    def test_other_strings_keep_the_pitch(self) -> None:
        lesson = small_lesson()
        moved = to_other_strings(lesson, lesson.phrases[0], 1)
        for old, new in zip(lesson.phrases[0].notes, moved.phrase.notes, strict=True):
            self.assertEqual(new.heard.midi, old.heard.midi)
            there = lesson.context().guitar.midi_at(new.written.string, new.written.fret)
            self.assertEqual(
                there, lesson.context().guitar.midi_at(old.written.string, old.written.fret)
            )
        open_line = lesson.phrases[0].with_notes([note(1, 2.0, 1, 0), note(2, 2.5, 6, 3)])
        told = " ".join(to_other_strings(lesson, open_line, 1).problems)
        self.assertIn("the open string 1 becomes fret 5", told)
        self.assertIn("string 6, fret 3 has no such place", told)

    def test_a_chord_keeps_its_partners_when_one_note_is_sure(self) -> None:
        sure = note(1, 2.0, 3, 5).rewritten("pitch")
        phrase = (
            small_lesson().phrases[0].with_notes([sure, note(2, 2.0, 1, 8), note(3, 2.0, 2, 6)])
        )
        fresh = (note(1, 2.01, 3, 5), note(2, 2.0, 1, 8), note(3, 2.0, 2, 6), note(4, 2.0, 3, 6))
        merged = merge_listening(phrase, fresh)
        # The octave (72) and the fourth (65) stay; what the sure note may be taken for does not come.
        self.assertEqual(sorted(round(n.heard.midi) for n in merged.notes), [60, 65, 72])

    def test_notes_follow_another_tuning_and_stay_on_a_shorter_neck(self) -> None:
        lesson = small_lesson()
        lower = with_guitar(lesson, 1, Guitar(tuning=(38, 43, 48, 53, 57, 62)))
        for phrase in lower.phrases:
            for n in phrase.notes:
                if "natural-harmonic" not in n.written.techniques:
                    sounds = lower.context().guitar.midi_at(n.written.string, n.written.fret)
                    self.assertEqual(sounds, round(n.heard.midi))
        left = with_guitar(lesson, 1, Guitar(left_handed=True))
        self.assertEqual(left.phrases, lesson.phrases)

    def test_another_finger_for_the_bar_changes_fingers_and_no_place(self) -> None:
        lesson = small_lesson()
        phrase = Phrase(
            5, "bar", 2.0, 4.0, (note(1, 2.0, 1, 12, "bar"), note(2, 2.5, 2, 12, "bar"))
        )
        lesson = lesson.with_phrase(phrase)
        moved = with_guitar(lesson, 1, replace(lesson.context().guitar, bar_finger=4))
        barred = next(p for p in moved.phrases if p.ident == 5)
        self.assertEqual([n.written.finger for n in barred.notes], ["4", "4"])
        for before, after in zip(lesson.phrases, moved.phrases, strict=True):
            places = [
                [(n.written.string, n.written.fret) for n in p.notes] for p in (before, after)
            ]
            self.assertEqual(*places)

    def test_a_listening_to_a_stretch_leaves_the_rest(self) -> None:
        phrase = small_lesson().phrases[0]
        fresh = (note(1, 2.5, 1, 9),)
        merged = merge_listening(phrase, fresh, (2.4, 3.2))
        onsets = [n.onset_s for n in merged.notes]
        self.assertEqual(onsets, [2.0, 2.5, 3.5])


if __name__ == "__main__":
    unittest.main()

"""Harmony lines against music21's scales, what of a lesson is called what, and what a cache keeps."""

import os
import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np

from juxtanote.core.exercises.lines import (
    Tone,
    contrary,
    in_parallel,
    landing_on,
    moved,
    stretched,
    upper_voice,
)
from juxtanote.core.formats.lesson_file import trim_cache
from juxtanote.core.fretboard.phrases import unlocked_off, with_school
from juxtanote.core.practice.log import current_name
from juxtanote.core.theory.tuning import Guitar
from tests.lessons import small_lesson

MAJOR, MINOR = (0, 2, 4, 5, 7, 9, 11), (0, 2, 3, 5, 7, 8, 10)


def line_of(pitches: list[int]) -> list[Tone]:
    """Eighths on these pitches."""
    half = Fraction(1, 2)
    return [Tone(midi, k * half, half) for k, midi in enumerate(pitches)]


class TestHarmonyLines(unittest.TestCase):
    def test_thirds_and_sixths_stay_in_the_key_as_music21_has_it(self) -> None:
        from music21 import pitch, scale

        rng = np.random.default_rng(21)
        for tonic, kind, steps_up in (
            ("C", scale.MajorScale, MAJOR), ("A", scale.MinorScale, MINOR),
            ("E-", scale.MajorScale, MAJOR), ("F#", scale.MinorScale, MINOR),
        ):  # fmt: skip
            root = pitch.Pitch(tonic).pitchClass
            classes = tuple(sorted((root + step) % 12 for step in steps_up))
            inside = [midi for midi in range(45, 80) if midi % 12 in classes]
            line = line_of([int(m) for m in rng.choice(inside, 12)])
            known = [p.midi for p in kind(tonic).getPitches("C1", "C8")]
            for steps in (2, -2, 5, -5):
                wanted = [known[known.index(t.midi) + steps] for t in line]
                got = [t.midi for t in moved(line, steps, classes)]
                self.assertEqual(got, wanted, (tonic, steps))
                both = in_parallel(line, steps, classes)
                self.assertEqual(len(both), 2 * len(line))

    def test_a_line_turned_over_twice_is_itself(self) -> None:
        line = line_of([60, 64, 62, 67, 65, 59, 60])
        over = contrary(line, MAJOR)
        self.assertEqual([t.midi for t in over], [60, 57, 59, 53, 55, 62, 60])
        self.assertEqual([t.midi for t in contrary(over, MAJOR)], [t.midi for t in line])

    def test_it_lands_on_the_nearest_octave_of_what_is_asked(self) -> None:
        line = line_of([60, 64, 67])
        for pitch_class, wanted in ((0, 72), (2, 62), (7, 67), (8, 68), (6, 66)):
            last = landing_on(line, pitch_class)[-1].midi
            self.assertEqual(last % 12, pitch_class)
            self.assertLessEqual(abs(last - 67), 6)
            if wanted != 72:
                self.assertEqual(last, wanted)

    def test_values_are_stretched_from_where_it_begins(self) -> None:
        line = [replace(t, onset=t.onset + 3) for t in line_of([60, 62, 64])]
        slow = stretched(line, Fraction(2))
        self.assertEqual([t.onset for t in slow], [3, 4, 5])
        self.assertEqual({t.length for t in slow}, {Fraction(1)})

    def test_of_a_grip_the_highest_tone_is_the_line(self) -> None:
        grip = [*line_of([60, 62]), *line_of([64, 57]), *line_of([67, 50])]
        self.assertEqual([t.midi for t in upper_voice(grip)], [67, 62])


class TestNames(unittest.TestCase):
    def test_phrases_are_called_what_they_are_called_now_unless_one_is_gone(self) -> None:
        lesson = small_lesson()
        first, second = lesson.phrases[:2]
        both = f"{first.name} + {second.name}"
        self.assertEqual(current_name((first.ident, second.ident), "then", lesson), both)
        self.assertEqual(current_name((first.ident, 999), "then", lesson), "then")
        self.assertEqual(current_name((), "then", lesson), "then")


class TestGuitarsThatChange(unittest.TestCase):
    def test_locks_off_the_neck_are_let_go_and_others_stay(self) -> None:
        phrase = small_lesson().phrases[0]
        notes = [
            n.rewritten("place", string=1 + k % 2, fret=20) for k, n in enumerate(phrase.notes)
        ]
        kept = unlocked_off(phrase.with_notes(notes), Guitar(fret_count=22))
        self.assertTrue(all("place" in n.written.locked for n in kept.notes))
        gone = unlocked_off(phrase.with_notes(notes), Guitar(fret_count=15))
        self.assertFalse(any("place" in n.written.locked for n in gone.notes))

    def test_another_school_changes_strokes_and_no_place(self) -> None:
        lesson = small_lesson()
        part = lesson.parts[0].ident
        down = with_school(lesson, part, "down")
        for before, after in zip(lesson.phrases, down.phrases, strict=True):
            for old, new in zip(before.notes, after.notes, strict=True):
                self.assertEqual(
                    (old.written.string, old.written.fret), (new.written.string, new.written.fret)
                )
                self.assertIn(new.written.stroke, ("", "down"))


class TestCache(unittest.TestCase):
    def test_the_oldest_go_and_what_is_in_use_stays(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for age, name in enumerate("abcd"):
            (folder / name).write_bytes(b"x" * 100)
            os.utime(folder / name, (1_000_000 - age, 1_000_000 - age))
        trim_cache(folder, keep=folder / "d", most=250)
        self.assertEqual(sorted(p.name for p in folder.iterdir()), ["a", "b", "d"])


if __name__ == "__main__":
    unittest.main()

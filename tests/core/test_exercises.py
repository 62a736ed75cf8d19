"""Exercises from a lick: changed by rule, harmony as music21 has it, no rule of the hand broken."""

import unittest
from dataclasses import replace
from fractions import Fraction

from bench.collection import a_lesson
from juxtanote.core.checks.complaints import Asked
from juxtanote.core.checks.playable import unplayable
from juxtanote.core.exercises import lines
from juxtanote.core.exercises.kinds import Kind
from juxtanote.core.exercises.lines import Tone
from juxtanote.core.exercises.make import NEEDS_KEY, exercise, harmony_part, tones_of
from juxtanote.core.exercises.voices import split_voices
from juxtanote.core.formats.lesson_json import lesson_from_text, lesson_text
from juxtanote.core.fretboard.phrases import is_on
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.timing import recounted
from juxtanote.core.score.transpose import followed
from juxtanote.core.theory.degrees import move_in_scale, scale_of
from juxtanote.core.theory.keys import known_key
from tests.lessons import small_lesson

C_MAJOR = (0, 2, 4, 5, 7, 9, 11)


def line_of(*midi: int) -> list[Tone]:
    """Eighth notes."""
    return [Tone(m, Fraction(k, 2), Fraction(1, 2)) for k, m in enumerate(midi)]


class TestAgainstMusic21(unittest.TestCase):
    def test_thirds_and_sixths_stay_in_the_key(self) -> None:
        """music21 moves a pitch by a generic interval inside a key."""
        from music21 import interval, key, pitch

        for name, theirs in (
            ("C major", "C"),
            ("E major", "E"),
            ("A minor", "a"),
            ("E♭ minor", "e-"),
        ):
            known = known_key(name)
            assert known is not None
            classes = scale_of(known, "", whole=True)
            inside = key.Key(theirs)
            for degree in range(1, 8):
                start = pitch.Pitch(inside.pitchFromDegree(degree).name)
                start.octave = 4
                for steps in (2, 5, -2, -5):
                    generic = interval.GenericInterval(steps + 1 if steps > 0 else steps - 1)
                    moved = generic.transposePitchKeyAware(start, inside)
                    self.assertEqual(
                        move_in_scale(start.midi, steps, classes), moved.midi, (name, degree, steps)
                    )


class TestLines(unittest.TestCase):
    def test_backwards(self) -> None:
        turned = lines.backwards(line_of(60, 62, 64))
        self.assertEqual([t.midi for t in turned], [64, 62, 60])
        self.assertEqual([t.onset for t in turned], [Fraction(k, 2) for k in range(3)])

    def test_from_another_beat(self) -> None:
        turned = lines.from_beat(line_of(60, 62, 64, 65, 67, 69, 71, 72), 1)
        self.assertEqual([t.midi for t in turned], [64, 65, 67, 69, 71, 72, 60, 62])
        self.assertEqual([t.onset for t in turned], [Fraction(k, 2) for k in range(8)])

    def test_a_sequence_climbs_the_scale(self) -> None:
        made = lines.sequence(line_of(60, 62, 64, 60), 3, C_MAJOR)
        cells = [tuple(t.midi for t in made[k : k + 3]) for k in range(0, len(made), 4)]
        self.assertEqual([t.midi for t in made[:3]], [60, 62, 64])
        self.assertEqual(made[4].midi - made[0].midi, 2)
        self.assertEqual(len(cells), 3)
        down = lines.sequence(line_of(60, 62, 64, 60), -3, C_MAJOR)
        self.assertEqual([down[0].midi, down[4].midi, down[8].midi], [60, 59, 57])

    def test_turned_over(self) -> None:
        self.assertEqual(
            [t.midi for t in lines.contrary(line_of(60, 64, 67, 60), C_MAJOR)], [60, 57, 53, 60]
        )

    def test_values_and_displacement(self) -> None:
        longer = lines.stretched(line_of(60, 62), Fraction(2))
        self.assertEqual([(t.onset, t.length) for t in longer], [(0, 1), (1, 1)])
        self.assertEqual(lines.displaced(line_of(60))[0].onset, Fraction(1, 2))

    def test_it_lands_in_the_nearest_octave(self) -> None:
        self.assertEqual(lines.landing_on(line_of(60, 64), 11)[-1].midi, 59)
        self.assertEqual(lines.landing_on(line_of(60, 59), 0)[-1].midi, 60)


class TestExercises(unittest.TestCase):
    def broken(self, made: Phrase, lesson: Lesson) -> list[str]:
        guitar = lesson.context(made).guitar
        self.assertTrue(all(is_on(n, guitar) for n in made.notes))
        asked = [
            Asked(n.ident, n.onset_s, n.offset_s, n.heard.midi, n.written.string, n.written.fret,
                  n.written.techniques)
            for n in made.notes
        ]  # fmt: skip
        return [c.detail for c in unplayable(asked, guitar)]

    def test_no_rule_of_the_hand_is_broken(self) -> None:
        """All kinds over thirty random licks; the bench does a thousand."""
        for number in range(10):
            lesson = a_lesson(700_000 + number, 3)
            for index, phrase in enumerate(lesson.phrases):
                for kind in list(Kind)[(number + index) % 3 :: 3]:
                    moved = exercise(lesson, phrase, kind)
                    self.assertTrue(moved.phrase.notes)
                    self.assertEqual(self.broken(moved.phrase, lesson), [], (number, kind))

    def test_it_hangs_under_its_phrase_is_kept_and_stays_when_the_phrase_changes(self) -> None:
        lesson = replace(small_lesson(), key="A minor")
        phrase = lesson.phrases[0]
        made = exercise(lesson, phrase, Kind.BACKWARDS).phrase
        hung = edits.add_variant(lesson, phrase.ident, made)
        self.assertEqual(lesson_from_text(lesson_text(hung)), recounted(hung))
        changed = hung.with_phrase(replace(hung.phrases[0], notes=hung.phrases[0].notes[:-1]))
        after = followed(hung, changed)
        self.assertEqual(after.phrases[0].variants[0].notes, made.notes)

    def test_written_times_are_what_the_rule_says(self) -> None:
        lesson = small_lesson()
        phrase = lesson.phrases[0]
        line = tones_of(phrase, lesson.context(phrase))
        for kind, change in ((Kind.HALF_SPEED, Fraction(2)), (Kind.DOUBLE_SPEED, Fraction(1, 2))):
            made = exercise(lesson, phrase, kind).phrase
            wanted = lines.stretched(line, change)
            again = recounted(edits.add_variant(lesson, phrase.ident, made))
            kept = again.phrases[0].variants[0].notes
            self.assertEqual([n.written.onset_beats for n in kept], [t.onset for t in wanted])
            self.assertEqual([n.written.fret for n in kept], [n.written.fret for n in phrase.notes])

    def test_without_a_key_it_says_what_to_do(self) -> None:
        lesson = replace(small_lesson(), key="")
        with self.assertRaisesRegex(ValueError, "key"):
            exercise(lesson, lesson.phrases[0], Kind.THIRDS)
        self.assertIn("Ctrl+D", NEEDS_KEY)

    def test_a_harmony_for_another_part(self) -> None:
        lesson = edits.add_part(replace(small_lesson(), key="A minor"), "Above", "harmony")
        phrase = lesson.phrases[0]
        above = harmony_part(lesson, phrase, 2, 2)
        both = lesson.with_phrase(above)
        ours = tones_of(phrase, lesson.context(phrase))
        theirs = tones_of(above, both.context(above))
        self.assertEqual([t.onset for t in ours], [t.onset for t in theirs])
        self.assertTrue(all(3 <= b.midi - a.midi <= 4 for a, b in zip(ours, theirs, strict=True)))


class TestVoices(unittest.TestCase):
    def in_thirds(self) -> Lesson:
        lesson = replace(small_lesson(), key="A minor")
        phrase = lesson.phrases[0]
        doubled = exercise(lesson, phrase, Kind.THIRDS).phrase
        return lesson.with_phrase(replace(phrase, notes=doubled.notes))

    def test_two_guitars_in_thirds_become_two_parts(self) -> None:
        lesson = self.in_thirds()
        phrase = lesson.phrases[0]
        after = split_voices(lesson, phrase.ident)
        self.assertEqual(after.parts[-1].name, "A third below")
        upper = after.phrase(phrase.ident)
        second = next(p for p in after.phrases if p.part == after.parts[-1].ident)
        assert upper is not None
        self.assertEqual(len(upper.notes), len(second.notes))
        self.assertEqual(len(upper.notes) + len(second.notes), len(phrase.notes))
        for high, low in zip(upper.notes, second.notes, strict=True):
            self.assertTrue(3 <= high.heard.midi - low.heard.midi <= 4)
        self.assertEqual(lesson_from_text(lesson_text(after)), recounted(after))

    def test_one_voice_is_told(self) -> None:
        lesson = small_lesson()
        with self.assertRaisesRegex(ValueError, "one voice"):
            split_voices(lesson, lesson.phrases[0].ident)

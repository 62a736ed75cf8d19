"""What is derived is made anew in one place whenever what it is derived from changes."""

import ast
import math
import unittest
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import juxtanote
from juxtanote.core.align.gap import measure_gaps
from juxtanote.core.formats.csv_notes import read_rows, write_lesson_notes
from juxtanote.core.formats.jams import write_jams
from juxtanote.core.formats.midi import read_midi, write_midi
from juxtanote.core.formats.musicxml import write_musicxml
from juxtanote.core.formats.musicxml_read import read_musicxml
from juxtanote.core.formats.pages import PhraseBlocks, lay_out
from juxtanote.core.fretboard.phrases import is_on, with_guitar
from juxtanote.core.score import edits, note_edits, readings
from juxtanote.core.score.lesson import KEY, PLAIN, SLURRED, STRINGS, Lesson, Phrase, Variation
from juxtanote.core.score.note import SLURS
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timing import change_time_map, counted, recounted, with_time_map
from juxtanote.core.score.transpose import followed, vary
from juxtanote.core.theory.tuning import Guitar
from tests.lessons import note, small_lesson

SOURCE = Path(juxtanote.__file__).parent


def late_s(lesson: Lesson) -> list[float]:
    """Give how far every note of a lesson is off its count, seconds."""
    gaps = [gap for phrase in lesson.phrases for gap in measure_gaps(phrase, lesson)]
    return [abs(gap.late_s) for gap in gaps if gap.late_s is not None]


class TestWrittenTime(unittest.TestCase):
    CHANGES: tuple[tuple[str, Callable[[TimeMap], TimeMap]], ...] = (
        ("half", lambda m: m.halved()),
        ("double", lambda m: m.doubled()),
        ("bar 1", lambda m: m.with_bar_one_at(3.0)),
        ("bar lines", lambda m: m.shifted_by_a_beat(3)),
        ("tapping", lambda m: m.tapped((1.0, 1.5, 2.0, 2.5))),
        ("a dragged beat", lambda m: m.with_beat_at(9, 4.55)),
        ("a typed tempo", lambda m: m.with_constant_tempo(120.0, 3.0, 16.0)),
        ("metre", lambda m: m.with_signature(3, 4)),
    )

    def test_no_change_of_the_beats_leaves_a_count_behind(self) -> None:
        """Half, double, bar 1, tapping and dragging once left 28 of 28 notes 46 s ahead of the count."""
        lesson = small_lesson()
        for name, change in self.CHANGES:
            with self.subTest(change=name):
                changed = change_time_map(lesson, change)
                self.assertEqual(changed, recounted(changed))
                self.assertLess(max(late_s(changed)), 0.3)

    def test_only_one_module_gives_a_lesson_another_time_map(self) -> None:
        for path in SOURCE.rglob("*.py"):
            if path.name == "timing.py":
                continue
            for node in ast.walk(ast.parse(path.read_text("utf-8"))):
                if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "replace":
                    named = [keyword.arg for keyword in node.keywords]
                    moves = "time_map" in named and path.parent.name != "formats"
                    # `shifted` moves beats and notes together along the recording.
                    if moves and path.name != "edits.py":
                        self.fail(f"{path.name}:{node.lineno} replaces a time map by itself")

    def test_a_locked_time_stays_on_its_beat_where_beats_move(self) -> None:
        lesson = note_edits.change_written(
            small_lesson(), 1, [2], "time", onset_beats=Fraction(3, 2)
        )
        moved = change_time_map(lesson, lambda m: m.with_beat_at(5, 2.6))
        self.assertEqual(moved.phrases[0].notes[1].written.onset_beats, Fraction(3, 2))

    def test_a_locked_time_keeps_its_moment_where_beats_are_renumbered(self) -> None:
        lesson = note_edits.change_written(
            small_lesson(), 1, [2], "time", onset_beats=Fraction(3, 2)
        )
        double = change_time_map(lesson, lambda m: m.doubled())
        self.assertEqual(double.phrases[0].notes[1].written.onset_beats, Fraction(3))
        later = change_time_map(lesson, lambda m: m.shifted_by_a_beat(-2))
        self.assertEqual(later.phrases[0].notes[1].written.onset_beats, Fraction(7, 2))

    def test_chords_stand_over_the_bars_that_sound_then(self) -> None:
        lesson = replace(small_lesson(), chords=((1, "Am"), (2, "D7 G")))
        half = change_time_map(lesson, lambda m: m.halved())  # two bars became one
        self.assertEqual(half.chords, ((1, "Am D7 G"),))
        double = change_time_map(lesson, lambda m: m.doubled())
        self.assertEqual(double.chords, ((1, "Am"), (2, "Am"), (3, "D7"), (4, "G")))
        self.assertEqual(
            change_time_map(lesson, lambda m: m.with_beat_at(9, 4.52)).chords, lesson.chords
        )

    def test_a_phrase_that_reads_alike_is_the_same_object(self) -> None:
        lesson = small_lesson()
        moved = change_time_map(lesson, lambda m: m.with_beat_at(30, 15.03))
        self.assertIs(moved.phrases[0], lesson.phrases[0])

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.floats(0.3, 0.9), min_size=12, max_size=30), st.integers(0, 6))
    def test_any_other_beats_count_every_note_near_where_it_sounds(
        self, steps: list[float], one: int
    ) -> None:
        times = np.concatenate([[0.0], np.cumsum(steps)])
        lesson = with_time_map(small_lesson(), TimeMap(tuple(times.tolist()), one))
        self.assertLess(max(late_s(lesson)), 0.5)
        self.assertEqual(lesson, recounted(lesson))

    @settings(max_examples=80, deadline=None)
    @given(st.integers(0, 32), st.floats(-0.4, 0.4), st.integers(-9, 9))
    def test_counting_only_what_a_change_touches_is_counting_all(
        self, index: int, by_s: float, shift: int
    ) -> None:
        """A beat that is dragged has one or two phrases counted anew, a moved bar line none."""
        lesson = small_lesson()
        plain = vary(lesson, lesson.phrases[0], Variation(PLAIN)).phrase
        lesson = recounted(edits.add_variant(lesson, 1, plain))
        at = lesson.time_map.beat_times_s[index] + by_s
        for changed in (
            change_time_map(lesson, lambda m: m.with_beat_at(index, at)),
            change_time_map(lesson, lambda m: m.shifted_by_a_beat(shift)),
        ):
            again = recounted(changed)
            for phrase, anew in zip(changed.phrases, again.phrases, strict=True):
                self.assertEqual(phrase, anew)

    def test_a_time_map_is_refused_however_many_beats_it_has(self) -> None:
        for count in (4, 400):
            times = [0.5 * k for k in range(count)]
            for wrong in (times[2] + 0.01, math.nan, math.inf):
                with self.assertRaisesRegex(ValueError, "rising beat times"):
                    TimeMap((*times[:3], wrong, *times[3:]))

    def test_a_moved_onset_is_counted_anew(self) -> None:
        moved = note_edits.move_note_edge(small_lesson(), 1, 1, "onset", 2.24)
        self.assertEqual(moved.phrases[0].notes[0].written.onset_beats, Fraction(1, 2))
        self.assertIn("heard", moved.phrases[0].notes[0].written.locked)


class TestPlaces(unittest.TestCase):
    def test_another_guitar_leaves_no_place_that_it_does_not_have(self) -> None:
        lesson = note_edits.set_place(small_lesson(), 2, 5, 6, 5)
        fewer = with_guitar(lesson, 1, Guitar(tuning=(40, 45, 50, 55)))
        for phrase in fewer.phrases:
            for inside in phrase.notes:
                self.assertTrue(is_on(inside, fewer.parts[0].guitar))
        short = with_guitar(note_edits.set_place(lesson, 1, 1, 5, 15), 1, Guitar(fret_count=12))
        self.assertTrue(all(n.written.fret <= 12 for p in short.phrases for n in p.notes))

    def test_a_technique_changes_its_note_alone(self) -> None:
        lesson = small_lesson()
        before, after = (
            lesson.phrases[0],
            note_edits.toggle_technique(lesson, 1, [3], "vibrato").phrases[0],
        )
        self.assertIn("vibrato", after.notes[2].written.techniques)
        for old, new in zip(before.notes, after.notes, strict=True):
            if old.ident != 3:
                self.assertIs(old, new)


class TestVariants(unittest.TestCase):
    def setUp(self) -> None:
        lesson = replace(small_lesson(), chords=((1, "Am"), (2, "D7")))
        up = vary(lesson, lesson.phrases[0], Variation(KEY, 3)).phrase
        self.lesson = edits.add_variant(lesson, 1, up)
        self.up = up

    def test_they_are_on_no_time_axis_and_so_in_no_export(self) -> None:
        plain = edits.delete_phrase(self.lesson, self.up.ident)
        for write in (write_musicxml, write_midi, write_jams, write_lesson_notes):
            with self.subTest(write=write.__name__):
                self.assertEqual(write(self.lesson), write(plain))

    def test_key_and_chords_move_with_them(self) -> None:
        around = self.lesson.context(self.up)
        self.assertEqual(around.key, "C minor")
        self.assertEqual(around.chords, ((1, "Cm"), (2, "F7")))
        alone = self.lesson.alone(self.up)
        self.assertEqual((alone.key, len(alone.phrases)), ("C minor", 1))
        self.assertIn("<fifths>-3</fifths>", write_musicxml(alone))

    def test_a_variant_follows_its_phrase_until_somebody_edits_it(self) -> None:
        edited = note_edits.set_place(self.lesson, 1, 1, 4, 10)
        after = followed(self.lesson, edited)
        moved = after.phrases[0].variants[0].notes[0].written
        self.assertEqual((moved.string, moved.fret), (4, 13))
        own = note_edits.set_place(self.lesson, self.up.ident, 1, 5, 18)
        kept = followed(own, note_edits.set_place(own, 1, 1, 4, 10))
        self.assertEqual(kept.phrases[0].variants, own.phrases[0].variants)

    def test_plain_and_slurred_and_other_strings(self) -> None:
        lesson, phrase = self.lesson, self.lesson.phrases[0]
        plain = vary(lesson, phrase, Variation(PLAIN)).phrase
        self.assertFalse(any(n.written.techniques & SLURS for n in plain.notes))
        slurred = vary(lesson, phrase, Variation(SLURRED)).phrase
        self.assertIn("hammer-on", slurred.notes[1].written.techniques)
        elsewhere = vary(lesson, phrase, Variation(STRINGS, 1)).phrase
        self.assertEqual([n.written.string for n in elsewhere.notes], [4, 4, 3, 3])

    def test_the_handout_prints_them_under_their_phrase(self) -> None:
        texts = [w.text for page in lay_out(self.lesson) for w in page.words]
        variant = texts.index("A, 3 semitones up")
        self.assertLess(texts.index("A"), variant)
        self.assertIn("B", texts[variant:])


class TestParts(unittest.TestCase):
    def setUp(self) -> None:
        lesson = edits.add_part(small_lesson(), "Second", "second")
        line = [note(k + 1, 2.0 + 0.5 * k, 4, 5 + k) for k in range(4)]
        own = Phrase(9, "S", 2.0, 4.1, tuple(line), part=2)
        self.lesson = lesson.with_phrase(counted(own, lesson.time_map))

    def test_every_export_knows_them(self) -> None:
        score = read_musicxml(write_musicxml(self.lesson).encode())
        self.assertEqual(
            [(p.name, len(p.rows)) for p in score.parts], [("Lead", 10), ("Second", 4)]
        )
        score = read_midi(write_midi(self.lesson))
        self.assertEqual(
            [(p.name, len(p.rows)) for p in score.parts], [("Lead", 10), ("Second", 4)]
        )
        rows = read_rows(write_lesson_notes(self.lesson))
        self.assertEqual([r.part for r in rows].count("2"), 4)
        self.assertEqual(write_jams(self.lesson).count('"note_midi"'), 2)

    def test_a_part_that_goes_takes_its_phrases(self) -> None:
        gone = edits.delete_part(self.lesson, 2)
        self.assertEqual([p.ident for p in gone.phrases], [1, 2])
        with self.assertRaises(ValueError):
            edits.delete_part(gone, 1)

    def test_overlapping_phrases_lose_no_note(self) -> None:
        """They once lost notes in two formats: what two phrases heard stands once, all else stays."""
        lesson = small_lesson()
        first = lesson.phrases[0]
        over = replace(first, ident=5, name="over", start_s=2.9, end_s=5.0).with_notes(
            [*first.notes[2:], note(8, 4.4, 6, 3)]
        )
        both = recounted(lesson.with_phrase(over))
        self.assertEqual(len(read_rows(write_lesson_notes(both))), 11)
        self.assertEqual(len(read_midi(write_midi(both)).parts[0].rows), 11)
        self.assertEqual(len(read_musicxml(write_musicxml(both).encode()).parts[0].rows), 11)


class TestMemory(unittest.TestCase):
    def test_a_deleted_note_stays_deleted(self) -> None:
        lesson = note_edits.delete_notes(small_lesson(), 1, [2])
        heard = tuple(small_lesson().phrases[0].notes)
        again = readings.merge_listening(lesson.phrases[0], heard)
        self.assertEqual([n.onset_s for n in again.notes], [2.0, 3.0, 3.5])

    def test_refusing_takes_only_what_nobody_touched(self) -> None:
        lesson = edits.cut_phrase(small_lesson(), 9.0, 10.0, proposed=True)
        lesson = edits.cut_phrase(lesson, 11.0, 12.0, proposed=True)
        named = edits.change_phrase(lesson, 4, name="mine")
        self.assertEqual([p.ident for p in edits.refuse_proposals(named).phrases], [1, 2, 4])

    def test_pages_are_set_again_only_for_phrases_that_changed(self) -> None:
        lesson, blocks = small_lesson(), PhraseBlocks()
        lay_out(lesson, blocks=blocks)
        letter = lesson.phrases[1].name  # phrases that are named by letters
        kept = blocks.of(lesson.phrases[1], lesson, letter=letter)
        changed = edits.change_phrase(lesson, 1, breakdown="Softly.")
        lay_out(changed, blocks=blocks)
        again = blocks.of(changed.phrases[1], changed, letter=letter)
        self.assertTrue(all(a is b for a, b in zip(again[1:], kept[1:], strict=True)))


if __name__ == "__main__":
    unittest.main()

"""Lessons, time maps, edits, rhythm."""

import unittest
from collections import deque
from dataclasses import replace
from fractions import Fraction
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtanote.core.score import edits, note_edits, readings, subdivisions
from juxtanote.core.score.beams import count_word
from juxtanote.core.score.lesson import Focus, Lesson, LogEntry, Part, Phrase, Variation
from juxtanote.core.score.note import HeardNote, Note, RunnerUp, WrittenNote
from juxtanote.core.score.rhythm import quantise, write_phrase
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timing import recounted
from juxtanote.core.score.value_edits import change_values
from juxtanote.core.score.values import bars_of
from juxtanote.core.theory.observed import Otherwise
from tests.lessons import note, small_lesson


class TestValues(unittest.TestCase):
    def test_values_out_of_range_are_refused(self) -> None:
        cases = (
            lambda: HeardNote(1.0, 1.0, 60),
            lambda: HeardNote(0.0, 1.0, 200),
            lambda: HeardNote(0.0, 1.0, 60, confidence=1.5),
            lambda: WrittenNote(0, 5),
            lambda: WrittenNote(1, 99),
            lambda: WrittenNote(1, 5, frozenset({"wiggle"})),
            lambda: WrittenNote(1, 5, bend_semitones=9.0),
            lambda: WrittenNote(1, 5, finger="6"),
            lambda: Phrase(1, "A", 2.0, 1.0),
            lambda: Phrase(1, "A", 0.0, 1.0, repeats=0),
            lambda: Phrase(1, "A", 0.0, 1.0, status="lost"),
            lambda: Phrase(1, "A", 0.0, 9.0, notes=(note(1, 2.0, 1, 1), note(2, 1.0, 1, 1))),
            lambda: Phrase(1, "A", 0.0, 9.0, notes=(note(1, 1.0, 1, 1), note(1, 2.0, 1, 1))),
            lambda: Focus(source="behind"),
            lambda: Focus(low_hz=500.0, high_hz=100.0),
            lambda: LogEntry("2026-11-02", (1,), "A", 9.0, 1),
            lambda: Lesson(reference_cents=300.0),
            lambda: Part(school="telepathy"),
            lambda: Part(role="ghost"),
            lambda: Lesson(parts=()),
            lambda: Lesson(phrases=(Phrase(1, "A", 0.0, 1.0, part=7),)),
            lambda: Variation("sideways"),
            lambda: RunnerUp(200.0, 0.5),
            lambda: TimeMap((0.0,)),
            lambda: TimeMap((0.0, 0.0)),
            lambda: TimeMap((0.0, float("nan"))),
            lambda: TimeMap(beats_per_bar=0),
        )
        for index, make in enumerate(cases):
            with self.subTest(case=index), self.assertRaises(ValueError):
                make()

    def test_phrases_stay_in_order_of_time(self) -> None:
        lesson = Lesson()
        for ident, start in ((1, 5.0), (2, 1.0), (3, 3.0)):
            lesson = lesson.with_phrase(Phrase(ident, "x", start, start + 1))
        self.assertEqual([p.ident for p in lesson.phrases], [2, 3, 1])
        self.assertEqual(lesson.fresh_phrase_number(), 4)


class TestTimeMap(unittest.TestCase):
    drifting = TimeMap((0.3, 0.8, 1.31, 1.85, 2.4, 2.9, 3.38), first_downbeat=1, beats_per_bar=3)

    @given(st.floats(-50.0, 900.0))
    def test_seconds_to_beats_and_back_is_the_identity(self, seconds: float) -> None:
        there = self.drifting.to_beats(seconds)
        self.assertAlmostEqual(float(self.drifting.to_seconds(there)), seconds, delta=1e-6)

    def test_a_pickup_counts_backwards_from_bar_one(self) -> None:
        rows = self.drifting.beats_between(0.0, 2.0)
        self.assertEqual([(bar, beat) for _, bar, beat in rows], [(0, 3), (1, 1), (1, 2), (1, 3)])

    def test_doubling_and_halving_give_the_map_back(self) -> None:
        self.assertEqual(self.drifting.doubled().halved(), self.drifting)

    def test_bar_one_can_be_declared_and_shifted(self) -> None:
        moved = self.drifting.with_bar_one_at(1.9)
        self.assertEqual(moved.bar_and_beat(float(moved.to_beats(1.85))), (1, 1.0))
        self.assertEqual(moved.shifted_by_a_beat(1).first_downbeat, 4)

    def test_a_dragged_beat_bends_only_its_neighbours(self) -> None:
        bent = self.drifting.with_beat_at(3, 1.95)
        self.assertEqual(bent.beat_times_s[:3], self.drifting.beat_times_s[:3])
        self.assertEqual(bent.beat_times_s[4:], self.drifting.beat_times_s[4:])
        far = self.drifting.with_beat_at(3, 99.0)
        self.assertLess(far.beat_times_s[3], far.beat_times_s[4])

    def test_constant_tempo_covers_the_recording(self) -> None:
        even = TimeMap().with_constant_tempo(120.0, 2.0, 10.0)
        self.assertAlmostEqual(float(even.to_seconds(0.0)), 2.0)
        self.assertAlmostEqual(even.tempo_at(5.0), 120.0)
        self.assertLessEqual(even.beat_times_s[0], 0.5)
        with self.assertRaises(ValueError):
            even.with_constant_tempo(5.0, 0.0, 10.0)

    def test_taps_become_beats_that_go_on(self) -> None:
        tapped = TimeMap((0.0, 10.0)).tapped([2.0, 2.5, 3.01, 3.5])
        self.assertAlmostEqual(float(tapped.to_seconds(0.0)), 2.0)
        self.assertGreater(tapped.beat_times_s[-1], 9.0)
        with self.assertRaises(ValueError):
            TimeMap().tapped([1.0, 2.0])


class TestEdits(unittest.TestCase):
    def setUp(self) -> None:
        self.lesson = small_lesson()

    def _note(self, lesson: Lesson, ident: int, phrase: int = 1) -> Note:
        found = lesson.phrase(phrase)
        assert found is not None
        inside = found.note(ident)
        assert inside is not None
        return inside

    def test_an_edit_leaves_the_lesson_it_was_given_alone(self) -> None:
        before = small_lesson()
        note_edits.set_place(self.lesson, 1, 1, 4, 10)
        note_edits.toggle_technique(self.lesson, 1, [1], "vibrato")
        edits.delete_phrase(self.lesson, 1)
        self.assertEqual(self.lesson, before)

    def test_cutting_names_phrases_in_turn(self) -> None:
        cut = edits.cut_phrase(self.lesson, 9.0, 8.0)
        self.assertEqual(cut.phrases[-1].name, "C")
        self.assertEqual((cut.phrases[-1].start_s, cut.phrases[-1].end_s), (8.0, 9.0))

    def test_several_onsets_move_as_each_would(self) -> None:
        together = note_edits.shift_note_edges(self.lesson, 1, [1, 2, 99], "onset", 0.03)
        one_by_one = self.lesson
        for ident in (1, 2):
            note = one_by_one.phrase(1).note(ident)
            one_by_one = note_edits.move_note_edge(
                one_by_one, 1, ident, "onset", note.onset_s + 0.03
            )
        self.assertEqual(together, one_by_one)

    def test_edges_cannot_cross(self) -> None:
        moved = edits.move_phrase_edge(self.lesson, 1, "start", 99.0)
        phrase = moved.phrase(1)
        assert phrase is not None
        self.assertLess(phrase.start_s, phrase.end_s)
        moved = note_edits.move_note_edge(self.lesson, 1, 1, "offset", 0.0)
        self.assertGreater(self._note(moved, 1).offset_s, self._note(moved, 1).onset_s)

    def test_the_neighbouring_string_has_the_same_pitch_and_is_locked(self) -> None:
        moved = self._note(note_edits.move_to_neighbour(self.lesson, 1, [1], 1), 1)
        self.assertEqual((moved.written.string, moved.written.fret), (4, 10))
        self.assertIn("place", moved.written.locked)

    def test_a_note_does_not_leave_the_neck(self) -> None:
        lesson = note_edits.set_place(self.lesson, 1, 1, 1, 0)
        same = note_edits.move_to_neighbour(lesson, 1, [1], -1)
        self.assertEqual(self._note(same, 1).written.string, 1)
        with self.assertRaises(ValueError):
            note_edits.set_place(self.lesson, 1, 1, 1, 30)

    def test_typing_another_pitch_locks_the_pitch(self) -> None:
        typed = self._note(note_edits.set_place(self.lesson, 1, 1, 3, 9), 1)
        self.assertEqual(typed.written.locked, frozenset({"place", "pitch"}))

    def test_toggling_twice_gives_the_techniques_back(self) -> None:
        for word in ("vibrato", "bend", "dead", "hammer-on", "slide", "natural-harmonic"):
            once = note_edits.toggle_technique(self.lesson, 1, [1], word)
            twice = note_edits.toggle_technique(once, 1, [1], word)
            with self.subTest(word=word):
                self.assertIn(word, self._note(once, 1).written.techniques)
                self.assertNotIn(word, self._note(twice, 1).written.techniques)

    def test_a_note_is_hammered_or_pulled_but_not_both(self) -> None:
        changed = note_edits.toggle_technique(self.lesson, 1, [2], "pull-off")
        tags = self._note(changed, 2).written.techniques
        self.assertIn("pull-off", tags)
        self.assertNotIn("hammer-on", tags)

    def test_split_then_join_gives_the_length_back(self) -> None:
        split = note_edits.split_note(self.lesson, 1, 1, 2.2)
        phrase = split.phrase(1)
        assert phrase is not None
        self.assertEqual(len(phrase.notes), 5)
        joined = note_edits.join_notes(split, 1, [1, 5])
        again = self._note(joined, 1)
        self.assertAlmostEqual(again.heard.duration_s, 0.4)

    def test_adding_and_deleting(self) -> None:
        added = note_edits.add_note(self.lesson, 1, 2.3, 4, 5)
        self.assertEqual(self._note(added, 5).heard.midi, 55.0)
        self.assertLessEqual(self._note(added, 5).offset_s, 2.55)
        gone = note_edits.delete_notes(added, 1, [5])
        self.assertEqual(gone.phrases[0].notes, self.lesson.phrases[0].notes)
        self.assertEqual(gone.phrases[0].deleted, ((2.3, 55.0),))

    def test_slurred_or_picked_two_or_one_are_taken_as_such(self) -> None:
        lesson = small_lesson()

        def offering(ident: int, *others: RunnerUp) -> Lesson:
            phrase = lesson.phrases[0]
            notes = [
                replace(n, heard=replace(n.heard, runner_ups=others)) if n.ident == ident else n
                for n in phrase.notes
            ]
            return lesson.with_phrase(phrase.with_notes(notes))

        picked = readings.take_runner_up(offering(2, RunnerUp(62.0, 0.4, Otherwise.PICKED)), 1, 2)
        self.assertNotIn("hammer-on", self._note(picked, 2).written.techniques)
        self.assertEqual(self._note(picked, 2).heard.runner_ups[-1].differs, Otherwise.SLURRED)
        back = readings.take_runner_up(picked, 1, 2)
        self.assertIn("hammer-on", self._note(back, 2).written.techniques)
        pulled = readings.take_runner_up(offering(4, RunnerUp(64.0, 0.4, Otherwise.SLURRED)), 1, 4)
        self.assertIn("pull-off", self._note(pulled, 4).written.techniques)
        two = readings.take_runner_up(
            offering(1, RunnerUp(60.0, 0.4, Otherwise.TWO_NOTES, 0.2)), 1, 1
        )
        self.assertEqual([n.onset_s for n in two.phrases[0].notes][:2], [2.0, 2.2])
        again = [note(1, 2.0, 3, 5), note(2, 2.41, 3, 5)]
        again[1] = replace(
            again[1],
            heard=replace(again[1].heard, runner_ups=(RunnerUp(60.0, 0.6, Otherwise.ONE_NOTE),)),
        )
        whole = lesson.with_phrase(lesson.phrases[0].with_notes(again))
        one = readings.take_runner_up(whole, 1, 2)
        self.assertEqual(len(one.phrases[0].notes), 1)
        self.assertAlmostEqual(one.phrases[0].notes[0].offset_s, 2.81)

    def test_the_runner_up_changes_places_with_the_reading(self) -> None:
        old = self._note(self.lesson, 1)
        joined = RunnerUp(60.0, 0.2, Otherwise.ONE_NOTE)  # of the pitch that it has now
        heard = replace(old.heard, runner_ups=(RunnerUp(72.0, 0.3), joined))
        phrase = self.lesson.phrase(1)
        assert phrase is not None
        notes = [replace(old, heard=heard), *phrase.notes[1:]]
        lesson = self.lesson.with_phrase(phrase.with_notes(notes))
        taken = self._note(readings.take_runner_up(lesson, 1, 1), 1)
        self.assertEqual(taken.heard.midi, 72.0)
        self.assertEqual([other.differs for other in taken.heard.runner_ups], [Otherwise.FIRST])
        self.assertEqual(taken.heard.runner_ups[-1].midi, 60.0)
        self.assertIn("pitch", taken.written.locked)

    def test_what_is_locked_survives_a_new_listening(self) -> None:
        locked = note_edits.set_place(self.lesson, 1, 2, 4, 12)
        phrase = locked.phrase(1)
        assert phrase is not None
        fresh = (note(1, 2.51, 3, 7), note(2, 3.4, 2, 6))
        merged = readings.merge_listening(phrase, fresh)
        places = [(n.onset_s, n.written.string, n.written.fret) for n in merged.notes]
        self.assertIn((2.5, 4, 12), places)
        self.assertNotIn((2.51, 3, 7), places)
        self.assertIn((3.4, 2, 6), places)
        self.assertEqual(len(merged.notes), 2)

    def test_an_unknown_phrase_is_a_mistake_of_the_caller(self) -> None:
        with self.assertRaises(ValueError):
            edits.change_phrase(self.lesson, 99, name="x")
        with self.assertRaises(ValueError):
            note_edits.toggle_technique(self.lesson, 1, [1], "wiggle")


class TestNames(unittest.TestCase):
    def test_phrases_are_named_by_letters_beyond_the_alphabet_and_gaps_are_filled(self) -> None:
        """Rehearsal marks after Z are AA, BB and so on (common practice)."""
        lesson = Lesson("Long")
        for k in range(54):
            lesson = edits.cut_phrase(lesson, float(k), k + 0.5)
        names = [phrase.name for phrase in lesson.phrases]
        self.assertEqual(
            names[:2] + names[25:28] + names[52:], ["A", "B", "Z", "AA", "BB", "AAA", "BBB"]
        )
        fewer = edits.delete_phrase(lesson, lesson.phrases[3].ident)
        self.assertEqual(edits.next_phrase_name(fewer), "D")


class TestRests(unittest.TestCase):
    """Rests as engravers place them: the largest that stand on their own multiples (common practice)."""

    def rests(self, spans: list[tuple[str, str]], **metre: int) -> list[tuple[str, str]]:
        """Give the rests of a bar whose notes are (onset, length)."""
        notes = []
        for k, (onset, length) in enumerate(spans):
            written = WrittenNote(
                1, 5, onset_beats=Fraction(onset), duration_beats=Fraction(length)
            )
            notes.append(Note(k + 1, HeardNote(float(k), k + 0.5, 69.0, -18.0, 0.9), written))
        bar = bars_of(notes, range(0, 1), TimeMap(**metre))[0]
        return [(str(m.onset), str(m.length)) for m in bar if m.is_rest]

    def test_gaps_are_filled_from_beat_to_beat(self) -> None:
        self.assertEqual(self.rests([]), [("0", "4")])
        self.assertEqual(self.rests([("0", "4")]), [])
        self.assertEqual(self.rests([("0", "1")]), [("1", "1"), ("2", "2")])
        self.assertEqual(
            self.rests([("1/2", "1/2"), ("3", "1")]), [("0", "1/2"), ("1", "1"), ("2", "1")]
        )
        self.assertEqual(self.rests([("0", "1/4"), ("1", "3")]), [("1/4", "1/4"), ("1/2", "1/2")])

    def test_triplets_rest_in_thirds(self) -> None:
        self.assertEqual(self.rests([("0", "1/3"), ("2/3", "1/3"), ("1", "3")]), [("1/3", "1/3")])

    def test_compound_beats_rest_whole(self) -> None:
        metre = {"beats_per_bar": 2, "division": 3}
        self.assertEqual(
            self.rests([("0", "1/3")], **metre), [("1/3", "1/3"), ("2/3", "1/3"), ("1", "1")]
        )

    def test_a_note_that_sounds_into_the_bar_leaves_no_rest(self) -> None:
        self.assertEqual(self.rests([("-1", "2"), ("2", "2")]), [("1", "1")])


class TestRhythm(unittest.TestCase):
    def test_common_rhythms_are_written_as_composed(self) -> None:
        rhythms = {
            "eighths": [0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5],
            "sixteenths": [0, 0.25, 0.5, 0.75, 1, 1.25, 1.5, 1.75, 2],
            "triplets": [k / 3 for k in range(10)],
            "sextuplets": [k / 6 for k in range(13)],
            "mixed": [0, 0.5, 1, 4 / 3, 5 / 3, 2, 2.25, 2.5, 2.75, 3],
            "dotted": [0, 0.75, 1, 1.75, 2, 3.5, 4],
        }
        rng = np.random.default_rng(2)
        for name, beats in rhythms.items():
            exact = [Fraction(b).limit_denominator(12) for b in beats]
            # Eight milliseconds off at 100 beats a minute.
            played = np.array(beats) + rng.normal(0.0, 0.008 / 0.6, len(beats))
            with self.subTest(name=name):
                self.assertEqual(quantise(list(played), beat_s=0.6), exact)

    def test_one_stray_stroke_does_not_turn_a_plain_bar_into_sextuplets(self) -> None:
        beats = [0.0, 0.5, 1.0, 1.5, 1.68, 2.0, 2.5, 3.0, 3.5]
        sure = [0.9] * 4 + [0.4] + [0.9] * 4
        written = quantise(beats, beat_s=0.5, confidence=sure)
        plain = [Fraction(k, 2) for k in range(8)]
        self.assertEqual([b for b, s in zip(written, sure, strict=True) if s > 0.5], plain)

    def test_an_edit_is_counted_as_if_nothing_had_been_counted_before(self) -> None:
        rng = np.random.default_rng(8)
        for number in range(6):
            steps = rng.choice([0.25, 0.5, 0.5, 1 / 3, 1.0], 120)
            beats = np.sort(np.cumsum(steps) + rng.normal(0.0, 0.03, 120))
            compound = bool(number % 2)
            for _ in range(8):
                beats[rng.integers(120)] += rng.normal(0.0, 0.05)
                beats = np.sort(beats)
                after_others = quantise(beats, beat_s=0.5, compound=compound)
                with mock.patch.object(subdivisions, "_searched", deque()):
                    self.assertEqual(quantise(beats, beat_s=0.5, compound=compound), after_others)

    def test_a_beat_map_that_leans_is_followed(self) -> None:
        """All strokes around some beats are 45 ms late, as where a beat was found too early."""
        beats = [k / 4 for k in range(24)]
        leaning = [b + 0.09 * np.sin(b / 6 * np.pi) for b in beats]
        written = quantise(leaning, beat_s=0.5)
        self.assertEqual(written, [Fraction(k, 4) for k in range(24)])

    @given(st.lists(st.floats(0, 40), min_size=1, max_size=30), st.sampled_from([0.0, 0.5, 1.0]))
    @settings(deadline=None, max_examples=60)
    def test_written_onsets_rise_like_the_heard_ones(self, beats: list[float], even: float) -> None:
        written = quantise(sorted(beats), beat_s=0.5, evenness=even)
        self.assertTrue(all(a < b for a, b in zip(written, written[1:], strict=False)))

    def test_a_fixed_subdivision_is_obeyed(self) -> None:
        written = quantise([0.0, 0.34, 0.7, 1.1], beat_s=0.5, subdivision="triplets")
        self.assertTrue(all((w * 3).denominator == 1 for w in written))
        with self.assertRaises(ValueError):
            quantise([0.0], beat_s=0.5, subdivision="sevenths")

    def test_counts_are_said_as_teachers_say_them(self) -> None:
        words = {
            Fraction(0): "1", Fraction(1, 2): "&", Fraction(5, 4): "e", Fraction(7, 4): "a",
            Fraction(7, 3): "trip", Fraction(8, 3): "let", Fraction(-1): "4",
        }  # fmt: skip
        for onset, word in words.items():
            self.assertEqual(count_word(onset, TimeMap()), word)

    def test_chords_share_an_onset_and_graces_take_no_time(self) -> None:
        notes = [
            note(1, 2.0, 2, 5), note(2, 2.004, 1, 5), note(3, 2.44, 3, 5, "grace", length_s=0.06),
            note(4, 2.5, 3, 7, "hammer-on"),
        ]  # fmt: skip
        phrase = Phrase(1, "A", 1.9, 4.0).with_notes(notes)
        written = {n.ident: n.written for n in write_phrase(phrase, small_lesson().time_map).notes}
        self.assertEqual(written[1].onset_beats, written[2].onset_beats)
        self.assertEqual(written[3].duration_beats, 0)
        self.assertEqual(written[4].onset_beats, Fraction(1))

    def test_measured_times_never_change(self) -> None:
        phrase = small_lesson().phrases[0]
        again = write_phrase(phrase, small_lesson().time_map)
        self.assertEqual([n.heard for n in again.notes], [n.heard for n in phrase.notes])


if __name__ == "__main__":
    unittest.main()


class TestValuesByHand(unittest.TestCase):
    def setUp(self) -> None:
        notes = []
        for k, (onset, length) in enumerate((("0", "1/2"), ("1", "1"), ("3", "1/2"))):
            written = WrittenNote(
                1, 5, onset_beats=Fraction(onset), duration_beats=Fraction(length)
            )
            notes.append(Note(k + 1, HeardNote(float(k), k + 0.5, 69.0), written))
        self.lesson = Lesson(phrases=(Phrase(1, "A", 0.0, 4.0, tuple(notes)),))

    def after(self, note: int, *changes: str) -> list[str]:
        lesson = self.lesson
        for change in changes:
            lesson = change_values(lesson, 1, [note], change)
        return [str(n.written.duration_beats) for n in lesson.phrases[0].notes]

    def test_each_change(self) -> None:
        self.assertEqual(self.after(1, "longer"), ["1", "1", "1/2"])
        self.assertEqual(self.after(1, "shorter"), ["1/4", "1", "1/2"])
        self.assertEqual(self.after(1, "dotted"), ["3/4", "1", "1/2"])
        self.assertEqual(self.after(1, "dotted", "dotted"), ["1/2", "1", "1/2"])
        self.assertEqual(self.after(1, "triplet"), ["1/3", "1", "1/2"])
        self.assertEqual(self.after(1, "triplet", "triplet"), ["1/2", "1", "1/2"])
        self.assertEqual(self.after(2, "tied"), ["1/2", "2", "1/2"])
        self.assertEqual(self.after(3, "tied", "rest before"), ["1/2", "2", "8"])
        self.assertEqual(self.after(3, "rest before", "rest before"), ["1/2", "1", "1/2"])

    def test_a_value_ends_where_the_next_note_begins(self) -> None:
        self.assertEqual(self.after(1, "longer", "longer"), ["1", "1", "1/2"])
        longer = change_values(self.lesson, 1, [1], "longer")
        self.assertIs(change_values(longer, 1, [1], "longer"), longer)

    def test_what_is_set_is_locked_and_survives_counting_anew(self) -> None:
        lesson = recounted(change_values(self.lesson, 1, [2], "shorter"))
        note = lesson.phrases[0].notes[1]
        self.assertIn("time", note.written.locked)
        self.assertEqual(note.written.duration_beats, Fraction(1, 2))

    def test_an_unknown_change_is_a_mistake_of_the_caller(self) -> None:
        with self.assertRaises(ValueError):
            change_values(self.lesson, 1, [1], "louder")


class TestHabits(unittest.TestCase):
    def test_a_long_phrase_in_eighths_is_not_bent_by_strays(self) -> None:
        rng = np.random.default_rng(11)
        exact = [Fraction(k, 2) for k in range(240)]
        beats = [(float(b) + rng.normal(0, 0.04), b) for b in exact]
        strays = rng.uniform(0, 120, 40)
        played = sorted([*beats, *((float(s), None) for s in strays)], key=lambda row: row[0])
        written = quantise([b for b, _ in played], beat_s=0.5)
        wrong = [w for w, (_, b) in zip(written, played, strict=True) if b is not None and w != b]
        self.assertLess(len(wrong), 0.08 * len(exact))

    def test_a_strum_is_one_moment_and_a_quick_note_on_its_string_is_not(self) -> None:
        time_map = TimeMap(tuple(0.5 * k for k in range(12)))
        strum = (note(1, 1.0, 5, 3), note(2, 1.02, 4, 5), note(3, 1.045, 3, 5), note(4, 2.0, 3, 5))
        fresh = write_phrase(Phrase(1, "A", 0.5, 4.0, strum), time_map)
        self.assertEqual([n.written.onset_beats for n in fresh.notes], [2, 2, 2, 4])
        again = (note(1, 1.0, 3, 3), note(2, 1.045, 3, 5), note(3, 2.0, 3, 5))
        fresh = write_phrase(Phrase(1, "A", 0.5, 4.0, again), time_map)
        self.assertNotEqual(fresh.notes[0].written.onset_beats, fresh.notes[1].written.onset_beats)

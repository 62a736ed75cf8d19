"""A result that comes late: for another lesson it is dropped and told, in an edited phrase it merges."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from juxtanote.app import long_edits
from juxtanote.app.desks import PLACE
from juxtanote.app.listening import Heard as Listened
from juxtanote.app.whole import Heard, Proposed
from juxtanote.core.analysis.beats import BarReading, BeatReading, Pulses
from juxtanote.core.analysis.chords import ChordReading
from juxtanote.core.audio.sound import Sound
from juxtanote.core.formats.csv_notes import NoteRow
from juxtanote.core.formats.importing import START, ImportPlan
from juxtanote.core.formats.read_score import ReadPart
from juxtanote.core.measuring import Measured
from juxtanote.core.progress import no_progress
from juxtanote.core.score import edits, note_edits
from juxtanote.core.score.cuts import Cut
from juxtanote.core.score.lesson import Focus, Lesson
from juxtanote.core.score.note import Evidence
from juxtanote.core.score.timing import change_time_map
from juxtanote.core.theory.observed import Chosen
from juxtanote.core.theory.tuning import Guitar
from tests.app import wait_until
from tests.app.windows import WindowTest
from tests.lessons import note, small_lesson


def measured() -> Measured:
    """Give a measurement: 75 beats a minute."""
    times = 0.2 + 0.8 * np.arange(40)
    pulse = Pulses(times, 0, 4, 2, 75.0, 1.0)
    return Measured(7.0, 0.9, BeatReading((pulse,), (BarReading(4, 0, 1.0),), 0.0))


def proposed(*cuts: Cut, others: bool = False) -> Proposed:
    """Give what listening to a whole recording found."""
    sound = Sound(np.zeros((2, 100), np.float32), 44_100)
    return Proposed(Heard(sound, 0.0, (), others), cuts, ())


class Late(WindowTest):
    """Holds back what jobs give, until a test lets it arrive."""

    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        self.told: list[str] = []
        self.window.results.told.connect(self.told.append)
        self.window.tasks.told.connect(self.told.append)
        self.held: list = []
        real = self.window.tasks._start
        patch = mock.patch.object(
            self.window.tasks,
            "_start",
            lambda name, work, then, **_: self.held.append((name, then)),
        )
        patch.start()
        self.addCleanup(patch.stop)
        self.real = real
        # What a phrase begins behind all else arrives nowhere here.
        self.window.tasks.whole.listen_behind = lambda: None  # type: ignore[method-assign]

    def arrive(self, result: object) -> None:
        """Hand over what the job that was started last gives."""
        _, then = self.held.pop()
        then(result)

    def another_lesson(self) -> Lesson:
        """Open another lesson, and give it."""
        other = replace(small_lesson(), title="Another")
        self.document.open(other, None)
        return other

    def rename(self) -> None:
        """Edit the current phrase in a way that leaves its notes alone."""
        self.document.change("x", lambda l: edits.change_phrase(l, 1, name="Renamed"))


class TestAnotherLessonOpened(Late):
    """Measuring A and then opening B once gave B the beats of A."""

    def _starts(self) -> dict:  # type: ignore[type-arg]
        tasks, phrase = self.window.tasks, small_lesson().phrases[0]
        reading = [ChordReading(1, "Am", 0.5)]
        return {
            "measure": (lambda: tasks.measure(apply=True), measured()),
            "listen": (tasks.listening.listen, Listened(phrase.notes, Evidence(), phrase)),
            "propose": (tasks.whole.propose, proposed(Cut(6.5, 7.5, "a rest"))),
            "chords": (tasks.suggest_chords, reading),
            "focus": (tasks.propose_focus, Focus(source="middle", chosen=Chosen.MOST_NOTES)),
            "guitar": (
                lambda: tasks.long_edits.change_guitar(1, Guitar(fret_count=24)),
                small_lesson(),
            ),
            "school": (lambda: tasks.long_edits.change_school(1, "down"), small_lesson()),
        }

    def test_nothing_of_the_first_gets_into_the_second(self) -> None:
        for name, (start, result) in self._starts().items():
            self.open_small()
            start()
            other = self.another_lesson()
            self.arrive(result)
            with self.subTest(job=name):
                self.assertEqual(self.document.lesson, other)
                self.assertTrue(self.document.undo_stack.isClean())
                self.assertTrue(any("not open any more" in words for words in self.told), self.told)
            self.told.clear()

    def test_quiet_work_of_the_first_is_not_shown_in_the_second(self) -> None:
        window = self.window
        window.show_desk(PLACE)
        self.document.select((1,))
        window.place._read()
        window.findings._ask()
        window.rendering._render()
        self.another_lesson()
        self.settle()
        self.assertIs(window.findings.phrase, self.document.phrase)
        self.assertNotIn("fret", window.place.card.accessibleDescription())

    def test_of_two_files_the_one_asked_for_last_stays(self) -> None:
        """Opening a long and then a short recording once left the long one."""
        from juxtanote.core.formats.lesson_file import save_lesson

        for name in ("first", "second"):
            save_lesson(replace(small_lesson(), title=name), self.folder / f"{name}.juxta")
            self.window.files.open_lesson(self.folder / f"{name}.juxta")
        self.settle()
        self.assertEqual(self.document.lesson.title, "second")


class TestManyNotes(Late):
    """Where counting every note would hold up the window it is done beside it."""

    def setUp(self) -> None:
        super().setUp()
        patch = mock.patch.object(long_edits, "MOST_AT_ONCE", 3)
        patch.start()
        self.addCleanup(patch.stop)
        self.window.tasks._start = self._hold  # with its work, which is done when it arrives

    def _hold(self, name: str, work: object, then: object, **_: object) -> None:
        self.held.append((name, lambda _: then(work(no_progress))))  # type: ignore[operator]

    def test_other_beats_are_one_step_of_undo(self) -> None:
        before = self.document.lesson
        self.window.hear.time.buttons["double"].click()
        self.assertIs(self.document.lesson, before)
        self.arrive(None)
        wanted = change_time_map(before, lambda m: m.doubled())
        self.assertEqual(self.document.lesson, wanted)
        self.document.undo_stack.undo()
        self.assertEqual(self.document.lesson, before)

    def test_an_edit_meanwhile_stays(self) -> None:
        self.window.hear.time.buttons["on"].click()
        self.rename()
        self.arrive(None)
        self.assertEqual(len(self.held), 1)  # made anew, of the lesson as it is now
        self.arrive(None)
        self.assertEqual(self.document.lesson.phrases[0].name, "Renamed")
        self.assertEqual(self.document.lesson.time_map.first_downbeat, 5)

    def test_what_makes_no_map_is_told_and_starts_nothing(self) -> None:
        self.document.change(
            "x", lambda l: change_time_map(l, lambda m: replace(m, beat_times_s=(0.0, 0.5)))
        )
        self.window.hear.time.told.connect(self.told.append)
        self.window.hear.time.buttons["half"].click()
        self.assertEqual(self.held, [])
        self.assertTrue(any("too few beats" in words for words in self.told), self.told)

    def test_beats_moved_by_hand_while_it_is_measured_and_counted_stay(self) -> None:
        self.window.tasks.measure(apply=True)
        _, then = self.held.pop()
        mock_measured = measured()
        with mock.patch("juxtanote.core.measured.measured_before", return_value=mock_measured):
            then(None)  # measured: now every phrase is to be counted
        self.document.change("x", lambda l: change_time_map(l, lambda m: m.shifted_by_a_beat(1)))
        mine = self.document.lesson.time_map
        self.arrive(None)
        self.arrive(None)
        self.assertEqual(self.document.lesson.time_map, mine)
        self.assertTrue(any("changed by hand" in words for words in self.told), self.told)


class TestThePhraseEdited(Late):
    def test_measured_beats_do_not_replace_beats_set_by_hand(self) -> None:
        self.window.tasks.measure(apply=True)
        self.document.change("x", lambda l: change_time_map(l, lambda m: m.doubled()))
        mine = self.document.lesson.time_map
        self.arrive(measured())
        self.assertEqual(self.document.lesson.time_map, mine)
        self.assertIn("by hand", self.told[-1])

    def test_measured_beats_count_phrases_that_came_meanwhile(self) -> None:
        self.window.tasks.measure(apply=True)
        self.rename()
        self.arrive(measured())
        self.assertEqual(self.document.lesson.phrases[0].name, "Renamed")
        self.assertAlmostEqual(self.document.lesson.time_map.tempo_at(3.0), 75.0, delta=0.1)

    def test_a_listening_merges_with_what_was_locked_meanwhile(self) -> None:
        self.window.tasks.listening.listen()
        self.rename()
        self.document.change("x", lambda l: note_edits.set_place(l, 1, 1, 4, 10))
        fresh = (note(1, 2.0, 3, 5), note(2, 2.5, 3, 7), note(3, 3.7, 2, 5))
        began = small_lesson().phrases[0]
        self.arrive(Listened(fresh, Evidence(), began.with_notes(list(fresh))))
        phrase = self.document.lesson.phrases[0]
        self.assertEqual(phrase.name, "Renamed")
        first = phrase.notes[0].written
        self.assertEqual((first.string, first.fret), (4, 10))
        self.assertIn(3.7, [n.onset_s for n in phrase.notes])

    def test_a_listening_to_a_phrase_that_moved_is_dropped_and_told(self) -> None:
        self.window.tasks.listening.listen()
        self.document.change("x", lambda l: edits.move_phrase_edge(l, 1, "end", 5.0))
        before = self.document.lesson
        self.arrive(Listened((), Evidence(), before.phrases[0]))
        self.assertEqual(self.document.lesson, before)
        self.assertIn("moved meanwhile", self.told[-1])

    def test_what_was_for_a_deleted_phrase_is_dropped(self) -> None:
        self.window.tasks.propose_focus()
        self.document.change("x", lambda l: edits.delete_phrase(l, 1))
        before = self.document.lesson
        self.arrive(Focus(source="middle", chosen=Chosen.MOST_NOTES))
        self.assertEqual(self.document.lesson, before)
        self.assertIn("is gone", self.told[-1])

    def test_a_focus_set_by_hand_meanwhile_stays(self) -> None:
        self.window.tasks.propose_focus()
        mine = Focus(source="left", chosen=Chosen.BY_HAND)
        self.document.change("x", lambda l: edits.change_phrase(l, 1, focus=mine))
        self.arrive(Focus(source="middle", chosen=Chosen.MOST_NOTES))
        self.assertEqual(self.document.lesson.phrases[0].focus, mine)

    def test_chords_of_bars_that_moved_are_dropped(self) -> None:
        from juxtanote.core.score.timing import change_time_map

        self.window.tasks.suggest_chords()
        self.document.change("x", lambda l: change_time_map(l, lambda m: m.shifted_by_a_beat(1)))
        self.arrive([ChordReading(1, "Am", 0.5)])
        self.assertEqual(self.document.lesson.chords, ())
        self.assertIn("moved meanwhile", self.told[-1])

    def test_proposals_stand_beside_what_a_person_cut_meanwhile(self) -> None:
        """Two neighbours without a rest are both kept: one in three was dropped once."""
        self.window.tasks.whole.propose()
        self.document.change("x", lambda l: edits.cut_phrase(l, 6.4, 6.9, "mine"))
        cuts = [Cut(6.5, 7.0, "a rest"), Cut(7.0, 7.6, "a bar line"), Cut(7.52, 8.0, "the end")]
        self.arrive(proposed(*cuts))
        names = [(p.name, p.proposed) for p in self.document.lesson.phrases]
        self.assertIn(("mine", False), names)
        self.assertEqual(sum(proposed for _, proposed in names), 2)

    def test_where_nothing_can_be_proposed_it_is_said_why(self) -> None:
        for others, words in ((False, "Nothing was found"), (True, "does not sound like a guitar")):
            self.window.tasks.whole.propose()
            self.arrive(proposed(others=others))
            self.assertIn(words, self.told[-1])

    def test_an_edit_in_the_background_is_made_on_the_newest_lesson(self) -> None:
        self.window.tasks.long_edits.change_guitar(1, Guitar(fret_count=24))
        self.rename()
        self.arrive(small_lesson())  # made of the lesson before: it is asked for again
        self.assertEqual(len(self.held), 1)
        self.arrive(replace(self.document.lesson, title="made of the newest"))
        self.assertEqual(self.document.lesson.title, "made of the newest")
        self.assertEqual(self.document.lesson.phrases[0].name, "Renamed")

    def test_an_import_is_made_on_the_newest_lesson(self) -> None:
        rows = (NoteRow(0.0, 0.2, 60.0), NoteRow(0.3, 0.2, 62.0))
        self.window.tasks.long_edits.import_notes(
            ImportPlan("a.mid", (ReadPart("x", rows),), START, 1)
        )
        self.rename()
        self.arrive(small_lesson())
        self.assertEqual(len(self.held), 1)

    def test_other_placements_of_edited_notes_are_not_shown(self) -> None:
        self.window.show_desk(PLACE)
        seen: list = []
        self.window.tasks.placing.find_placements(
            lambda phrase, placements: seen.append(placements)
        )
        self.document.change("x", lambda l: note_edits.delete_notes(l, 1, [2]))
        self.arrive([])
        self.assertEqual(seen, [])
        self.assertIn("edited meanwhile", self.told[-1])


class TestPlacingAround(WindowTest):
    """One solve an edit, in the background where it is long, and both are one step of undo."""

    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        notes = [note(k + 1, 2.0 + 0.1 * k, 3, 5 + k % 4, length_s=0.09) for k in range(40)]
        self.document.change(
            "x", lambda l: l.with_phrase(replace(l.phrases[0], end_s=7.0).with_notes(notes))
        )
        self.window.show_desk(PLACE)
        self.settle()

    def test_the_edit_is_there_at_once_and_the_rest_follows_in_the_same_step(self) -> None:
        before, steps = self.document.lesson, self.document.undo_stack.count()
        self.document.select((1,))
        self.window.place.notes.put(5, 15)
        assert self.document.phrase is not None
        self.assertEqual(self.document.phrase.notes[0].written.string, 5)
        self.assertEqual(self.document.phrase.notes[1].written.string, 3)
        self.settle()
        self.assertNotEqual(self.document.phrase.notes[1].written.string, 3)
        self.assertEqual(self.document.undo_stack.count(), steps + 1)
        self.document.undo_stack.undo()
        self.assertEqual(self.document.lesson, before)

    def test_an_undo_meanwhile_is_not_undone_by_the_result(self) -> None:
        before = self.document.lesson
        self.document.select((1,))
        self.window.place.notes.put(5, 15)
        self.document.undo_stack.undo()
        self.settle()
        self.assertEqual(self.document.lesson, before)

    def test_another_lesson_meanwhile_is_left_alone(self) -> None:
        self.document.select((1,))
        self.window.place.notes.put(5, 15)
        other = replace(small_lesson(), title="Another")
        self.document.open(other, None)
        self.settle()
        self.assertEqual(self.document.lesson, other)

    def test_an_edit_meanwhile_is_placed_too(self) -> None:
        self.document.select((1,))
        self.window.place.notes.put(5, 15)
        self.document.select((20,))
        self.window.place.notes.toggle("vibrato")
        self.assertTrue(wait_until(lambda: not self.window.runner.is_busy))
        self.settle()
        assert self.document.phrase is not None
        self.assertIn("vibrato", self.document.phrase.notes[19].written.techniques)
        self.assertNotEqual(self.document.phrase.notes[1].written.string, 3)


if __name__ == "__main__":
    unittest.main()

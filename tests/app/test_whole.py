"""A recording that is opened is listened to behind all else: phrases, key and tuning are there."""

import tempfile
import threading
import unittest
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from juxtanote.app.hear.evidence import heard_so_far
from juxtanote.app.jobs.runner import Job, JobRunner
from juxtanote.app.whole import Adding, Heard, Proposed, _proposed
from juxtanote.app.widgets.busy import BusyLine
from juxtanote.core.analysis.perceived import Listening, PerceivedNote
from juxtanote.core.audio.read import to_rate
from juxtanote.core.audio.sound import Sound
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score import edits
from juxtanote.core.score.cuts import TOUCH_S, Cut
from juxtanote.core.score.lesson import Lesson
from tests.app import wait_until
from tests.app.test_results import Late
from tests.app.windows import RATE, WindowTest
from tests.lessons import small_lesson
from tests.sounds import scale_line


def played(*midi: float) -> tuple[PerceivedNote, ...]:
    """Give notes of half a second each."""
    return tuple(PerceivedNote(0.5 * k, 0.5 * k + 0.4, m, -18.0, 0.9) for k, m in enumerate(midi))


def told(lead: tuple[PerceivedNote, ...]) -> Heard:
    """Give what was heard of a recording of 80 s."""
    return Heard(Sound(np.zeros((2, 80 * RATE), np.float32), RATE), 0.0, lead, False)


class TestAnOpenedRecording(WindowTest):
    def test_phrases_key_and_tuning_are_there_without_asking(self) -> None:
        one, _ = scale_line([57, 60, 62, 64, 67, 69], step_s=0.3)
        mono = np.concatenate([one, np.zeros(2 * 22_050, dtype=np.float32), one])
        path = self.folder / "line.wav"
        soundfile.write(path, to_rate(np.stack([mono, mono]), 22_050, RATE).T, RATE)
        self.window.files.open_recording(path)
        self.assertTrue(wait_until(lambda: len(self.document.lesson.phrases) == 2, 60_000))
        self.settle()
        evidence = self.window.hear.evidence
        self.assertTrue(wait_until(lambda: "heard" in evidence["key"].text(), 5_000))
        self.assertIn("lowest note heard A3", evidence["tuning"].text())
        self.document.undo_stack.undo()
        self.assertEqual(self.document.lesson.phrases, ())
        self.window.measure_anew()  # what was taken back does not come again by itself
        self.settle()
        self.assertEqual(self.document.lesson.phrases, ())


class TestWhenItArrives(Late):
    def setUp(self) -> None:
        super().setUp()
        self.document.open(replace(small_lesson(), phrases=()), None)
        self.give_sound(np.zeros((2, 8 * RATE), np.float32))
        self.held.clear()
        self.whole = self.window.tasks.whole
        sound = self.document.sound
        assert sound is not None
        self.found = Proposed(Heard(sound, 0.0, (), False), (Cut(6.5, 7.5, "a rest"),), ())

    def test_phrases_are_cut_where_there_are_none(self) -> None:
        self.whole.listen()
        self.arrive(self.found)
        self.assertEqual(len(self.document.lesson.phrases), 1)
        self.whole.listen()
        self.assertEqual(self.held, [])

    def test_what_a_person_cut_meanwhile_stands_alone(self) -> None:
        self.whole.listen()
        self.document.change("x", lambda l: edits.cut_phrase(l, 2.0, 4.0, "mine"))
        self.arrive(self.found)
        self.assertEqual([p.name for p in self.document.lesson.phrases], ["mine"])
        self.assertIn("Ctrl+P", self.told[-1])

    def test_a_lesson_with_phrases_is_not_listened_to(self) -> None:
        self.document.change("x", lambda l: edits.cut_phrase(l, 2.0, 4.0, "mine"))
        self.whole.listen()
        self.assertEqual(self.held, [])

    def test_who_asks_while_it_listens_waits_for_that(self) -> None:
        self.whole.listen()
        self.whole._job = Job("x", lambda _: None)
        self.document.change("x", lambda l: edits.cut_phrase(l, 2.0, 4.0, "mine"))
        self.whole.propose()
        self.assertEqual(len(self.held), 1)
        self.arrive(self.found)
        self.assertEqual(len(self.document.lesson.phrases), 2)

    def partly(self, adding: Adding, *cuts: Cut) -> None:
        """Let phrases arrive while the rest is listened to."""
        found = replace(self.found, cuts=cuts)
        self.whole._on_partly(self.document.ticket(), adding, found)

    def test_first_phrases_come_first_and_all_are_one_step_to_undo(self) -> None:
        adding = Adding(self.document.fresh_merge())
        self.partly(adding, Cut(1.0, 2.0, "a rest"), Cut(2.0, 3.0, "a rest"))
        self.assertEqual(len(self.document.lesson.phrases), 2)
        self.whole._on_proposed(self.document.ticket(), adding, self.found)
        self.assertEqual([p.start_s for p in self.document.lesson.phrases], [1.0, 2.0, 6.5])
        self.assertIn("3 phrases", self.told[-1])
        self.document.undo_stack.undo()
        self.assertEqual(self.document.lesson.phrases, ())

    def test_who_plays_or_stands_somewhere_stays_there(self) -> None:
        transport, strip = self.window.transport, self.window.hear.strip
        strip.show_stretch(0.1, 0.4)
        transport.seek(0.2)
        self.whole.listen()
        self.arrive(self.found)
        self.assertIsNotNone(self.document.phrase)
        self.assertAlmostEqual(transport.position_s, 0.2)
        self.assertIsNone(transport.loop_s)
        self.assertEqual(strip.view_s, (0.1, 0.4))
        self.document.undo_stack.undo()
        self.whole.propose()  # who asks is taken there
        self.arrive(self.found)
        self.assertAlmostEqual(transport.loop_s[0], self.document.phrase.start_s)

    def test_what_was_taken_back_does_not_come_again_unless_asked(self) -> None:
        adding = Adding(self.document.fresh_merge())
        self.partly(adding, Cut(1.0, 2.0, "a rest"))
        self.document.undo_stack.undo()
        self.partly(adding, Cut(3.0, 4.0, "a rest"))
        self.assertEqual(self.document.lesson.phrases, ())
        self.whole._is_wished = True
        self.whole._on_proposed(self.document.ticket(), adding, self.found)
        self.assertEqual([p.start_s for p in self.document.lesson.phrases], [1.0, 3.0, 6.5])
        self.assertIn("3 phrases", self.told[-1])

    def test_what_was_asked_for_and_taken_back_while_the_rest_comes_stays_away(self) -> None:
        adding = Adding(self.document.fresh_merge())
        self.whole.propose()
        self.partly(adding, Cut(1.0, 2.0, "a rest"))
        self.assertEqual(len(self.document.lesson.phrases), 1)
        self.document.undo_stack.undo()
        self.whole._on_proposed(self.document.ticket(), adding, self.found)
        self.assertEqual(self.document.lesson.phrases, ())

    def test_a_recording_that_was_closed_is_not_kept(self) -> None:
        self.whole.listen()
        self.arrive(self.found)
        self.give_sound(np.zeros((2, RATE), np.float32))
        self.assertIsNone(self.whole._begun)
        self.assertIsNone(self.whole._heard)

    def test_a_phrase_that_is_refused_stays_away(self) -> None:
        adding = Adding(self.document.fresh_merge())
        self.partly(adding, Cut(1.0, 2.0, "a rest"), Cut(3.0, 4.0, "a rest"))
        first = self.document.lesson.phrases[0].ident
        self.document.change("x", lambda l: edits.delete_phrase(l, first))
        self.whole._on_proposed(self.document.ticket(), adding, self.found)
        self.assertEqual([p.start_s for p in self.document.lesson.phrases], [3.0, 6.5])

    def test_another_recording_stops_it(self) -> None:
        self.whole.listen()
        job = self.whole._job = Job("x", lambda _: None)
        self.document.sound_changed.emit()
        self.assertTrue(job.was_cancelled)


class TestBehind(unittest.TestCase):
    def setUp(self) -> None:
        self.runner = JobRunner()
        self.addCleanup(self.runner.stop)
        self.release = threading.Event()
        self.addCleanup(self.release.set)
        self.steps = 0

    def _behind(self, progress: Progress) -> object:
        while self.steps < 1000:
            self.steps += 1
            threading.Event().wait(0.001)
            progress(0.001 * self.steps)
        return None

    def _in_front(self, _: Progress) -> object:
        return self.release.wait(20.0)

    def test_it_stands_still_while_what_was_asked_for_is_done(self) -> None:
        behind = Job("behind", self._behind, behind=True)
        self.runner.start(behind)
        self.assertTrue(wait_until(lambda: self.steps > 3))
        self.runner.start(Job("in front", self._in_front))
        threading.Event().wait(0.05)
        stood = self.steps
        threading.Event().wait(0.2)
        self.assertLessEqual(self.steps, stood + 1)
        self.release.set()
        self.assertTrue(wait_until(lambda: self.steps == 1000, 20_000))

    def test_it_can_be_stopped_while_it_stands_still(self) -> None:
        behind = Job("behind", self._behind, behind=True)
        self.runner.start(Job("in front", self._in_front))
        self.runner.start(behind)
        behind.cancel()
        self.assertTrue(wait_until(lambda: behind not in self.runner._jobs))
        self.assertLess(self.steps, 1000)

    def test_the_line_shows_what_still_goes_on(self) -> None:
        line = BusyLine(self.runner)
        self.runner.start(Job("behind", self._behind, behind=True))
        front = Job("in front", self._in_front)
        self.runner.start(front)
        self.assertEqual(line._name.text(), "in front")
        self.release.set()
        self.assertTrue(wait_until(lambda: line._name.text() == "behind"))
        self.assertTrue(wait_until(lambda: not line.isVisibleTo(None), 20_000))


class TestBitByBit(unittest.TestCase):
    def test_what_comes_bit_by_bit_leaves_no_note_out_and_overlaps_nothing(self) -> None:
        rng = np.random.default_rng(5)
        onsets = np.cumsum(rng.choice([0.2, 0.2, 0.4, 1.5], 300))
        notes = [
            PerceivedNote(float(t), float(t) + 0.18, float(60 + k % 7), -18.0, 0.9)
            for k, t in enumerate(onsets)
        ]

        def until(end_s: float) -> Listening:
            curve = np.zeros(round(end_s / 0.01))
            inside = tuple(n for n in notes if n.onset_s < end_s)
            return Listening(inside, 0.0, 0.01, curve, curve, curve)

        def hear_whole(*_: object, so_far: Callable[[Listening], None], **__: object) -> Listening:
            for end in (30.0, 60.0, 90.0):
                so_far(until(end))
            return until(1e4)

        sound = Sound(np.zeros((2, 10), np.float32), 44_100)
        parts: list[Proposed] = []
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        kept = Path(folder.name)
        with mock.patch("juxtanote.core.analysis.stretches.hear_whole", hear_whole):
            rest = _proposed(sound, Lesson(), None, no_progress, parts.append, kept)
        self.assertEqual(len(parts), 3)
        cuts = [cut for part in (*parts, rest) for cut in part.cuts]
        for before, after in pairwise(cuts):
            self.assertLess(before.end_s, after.start_s + TOUCH_S)
        for n in notes:
            self.assertTrue(any(c.start_s <= n.onset_s < c.end_s for c in cuts), n.onset_s)
        again = _proposed(sound, Lesson(), rest.heard, no_progress, parts.append, kept)
        self.assertEqual(len(parts), 3)
        self.assertLess(abs(len(again.cuts) - len(cuts)), 0.1 * len(cuts))


class TestWhatTheWholeTells(unittest.TestCase):
    def test_while_it_has_more_notes_than_the_phrases(self) -> None:
        """The notes of D minor, from the open sixth string of a dropped D on (common practice)."""
        whole = played(38, 38, 41, 45, 50, 52, 53, 55, 57, 58, 60, 62)
        heard = heard_so_far(Lesson(), no_progress, told(whole))
        self.assertIn("lowest note heard D2", heard.tuning)
        self.assertIn("Lowest string down a tone", heard.tuning)
        self.assertIn("D minor", heard.key)
        few = heard_so_far(small_lesson(), no_progress, told(whole[2:8]))
        self.assertIn("lowest note heard A2", few.tuning)
        # What no string of a standard tuning can sound is not in the phrases, and is told all the same.
        low = heard_so_far(small_lesson(), no_progress, told(whole[:8]))
        self.assertIn("lowest note heard D2", low.tuning)
        once = heard_so_far(Lesson(), no_progress, told(played(31, *[52] * 9))).tuning
        self.assertIn("lowest note heard E3: Standard", once)  # one note alone may be heard too low

    def test_parts_are_told(self) -> None:
        one = heard_so_far(Lesson(), no_progress, told(played(64, 65, 67, 69))).parts
        self.assertEqual(one, "the lead plays 0:02 of 1:20")
        upper = played(64, 65, 67, 69, 71, 72, 74)
        thirds = [replace(n, midi=n.midi - (3 if n.midi in (65, 67, 72, 74) else 4)) for n in upper]
        pairs = tuple(sorted([*upper, *thirds], key=lambda n: n.onset_s))
        harmony = heard_so_far(Lesson(), no_progress, told(pairs)).parts
        self.assertIn("in thirds or sixths 0:00 to 0:03", harmony)
        self.assertEqual(heard_so_far(Lesson(), no_progress, None).parts, "")


class TestListeningOnlyWhenAsked(Late):
    def test_is_remembered(self) -> None:
        self.document.open(replace(small_lesson(), phrases=()), None)
        self.give_sound(np.zeros((2, 8 * RATE), np.float32))
        self.held.clear()
        self.window.actions_by_name["listen_opened"].trigger()
        self.assertIn("only when asked", self.told[-1])
        self.window.tasks.whole.listen()
        self.assertEqual(self.held, [])
        self.window.actions_by_name["listen_opened"].trigger()
        self.assertEqual(len(self.held), 1)  # asked for again, with a recording open


if __name__ == "__main__":
    unittest.main()

"""Phrases are listened to one by one or all at once; what was heard as a whole is not measured again."""

import unittest
from collections.abc import Callable
from dataclasses import replace
from unittest import mock

import numpy as np

from juxtanote.app.jobs.runner import Job, Then
from juxtanote.app.listening import ALL, Wish, _heard
from juxtanote.app.whole import Heard, Proposed
from juxtanote.core.analysis.perceived import Hints, Listening, PerceivedNote
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.remembered import remember
from juxtanote.core.score import edits, note_edits
from juxtanote.core.score.lesson import Focus
from juxtanote.core.theory.tuning import Guitar
from tests.app.test_results import Late
from tests.app.windows import RATE
from tests.lessons import note, small_lesson

HEAR_STRETCH = "juxtanote.core.analysis.stretches.hear_stretch"
MIDI = (57, 60, 62, 64, 67, 69, 67, 64)
HOP_S = 0.01
Work = Callable[[Progress], object]


def whole(length_s: float = 8.0) -> Listening:
    """Give what was heard of a recording: a note a second."""
    notes = tuple(
        PerceivedNote(k + 0.1, k + 0.9, float(midi), -18.0, 0.95)
        for k, midi in enumerate(MIDI)
        if k < length_s
    )
    curve = np.zeros(round(length_s / HOP_S))
    return Listening(notes, 0.0, HOP_S, curve, curve - 60.0, curve)


class WholeHeard(Late):
    """A recording that was listened to, and two phrases of it without notes."""

    def setUp(self) -> None:
        super().setUp()
        self.document.open(replace(small_lesson(), phrases=()), None)
        self.give_sound(np.zeros((2, 8 * RATE), np.float32))
        self.document.change("x", lambda l: edits.cut_phrase(l, 1.0, 3.0, "first"))
        self.document.change("x", lambda l: edits.cut_phrase(l, 4.0, 7.0, "second"))
        self.document.choose_phrase(self.document.lesson.phrases[1].ident)
        self.held.clear()
        self.told.clear()
        self.listening, self.whole = self.window.tasks.listening, self.window.tasks.whole
        self.know(whole())

    def know(self, listening: Listening, *, is_all: bool = True) -> None:
        """Let the recording have been listened to."""
        sound, cents = self.document.sound, self.document.lesson.reference_cents
        assert sound is not None
        self.whole._heard = Heard(sound, cents, (), False, is_all, (), listening)

    def work(self) -> None:
        """Do the work of jobs here and now, but for what is done behind all else."""
        patch = mock.patch.object(
            self.window.tasks,
            "_start",
            lambda name, work, then, *, behind=False: None if behind else then(work(no_progress)),
        )
        patch.start()
        self.addCleanup(patch.stop)


class TestOnePhrase(WholeHeard):
    def setUp(self) -> None:
        super().setUp()
        self.work()
        self.anew = self.enterContext(mock.patch(HEAR_STRETCH, return_value=whole()))

    def test_what_was_heard_is_not_measured_again(self) -> None:
        self.listening.listen()
        self.anew.assert_not_called()
        phrase = self.document.phrase
        assert phrase is not None
        self.assertEqual([n.heard.midi for n in phrase.notes], list(MIDI[4:7]))
        self.assertEqual(phrase.status, "placed")
        self.assertIn("3 notes heard", self.told[-1])

    def test_what_lies_under_the_strings_is_told(self) -> None:
        low = tuple(
            replace(n, midi=n.midi - 36.0) if k == 5 else n for k, n in enumerate(whole().notes)
        )
        self.know(replace(whole(), notes=low))
        self.listening.listen()
        self.assertIn("2 notes heard", self.told[-1])
        self.assertIn("One was left out: no string", self.told[-1])

    def test_the_rest_is_listened_to_behind_unless_it_was_stopped(self) -> None:
        self.whole._heard = None
        del self.whole.listen_behind  # type: ignore[method-assign]  # as it is
        with mock.patch.object(self.whole, "_begin") as begin:
            self.listening.listen()
            begin.assert_called_once()
            stopped, sound = Job("x", lambda _: None), self.document.sound
            assert sound is not None
            stopped.cancel()
            self.whole._job = stopped
            self.whole._on_ended(stopped, sound)
            self.listening.listen()
            begin.assert_called_once()
            # Another recording stops it, too: that is nobody's wish.
            self.whole._stopped, self.whole._job = None, stopped
            self.whole._on_ended(stopped, replace(sound, audio=sound.audio[:, :10]))
            self.assertIsNone(self.whole._stopped)
            self.listening.listen(Hints(one_voice=True))
            begin.assert_called_once()

    def test_a_lesson_that_is_opened_again_has_it_at_once(self) -> None:
        sound, cents = self.document.sound, self.document.lesson.reference_cents
        assert sound is not None
        self.whole._heard = None
        kept = self.folder / "heard"
        remember(whole(), sound, cents, kept)
        with mock.patch("juxtanote.app.listening.heard_folder", lambda: kept):
            self.listening.listen()
            self.anew.assert_not_called()
            self.assertIn("3 notes heard", self.told[-1])
            self.listening.listen(Hints(one_voice=True))
            self.anew.assert_called_once()

    def test_who_says_what_is_known_is_listened_for_anew(self) -> None:
        self.listening.listen(Hints(one_voice=True))
        self.anew.assert_called_once()

    def test_a_guitar_brought_forward_is_listened_to_anew(self) -> None:
        ident = self.document.lesson.phrases[1].ident
        focus = Focus(without_drums=True)
        self.document.change("x", lambda l: edits.change_phrase(l, ident, focus=focus))
        self.listening.listen()
        self.anew.assert_called_once()

    def test_at_another_reference_pitch_all_is_heard_anew(self) -> None:
        self.document.change("x", lambda l: replace(l, reference_cents=12.0))
        self.listening.listen()
        self.anew.assert_called_once()

    def test_what_was_not_reached_yet_is_heard_by_itself(self) -> None:
        self.know(whole(6.0), is_all=False)
        self.listening.listen()
        self.anew.assert_called_once()
        self.anew.reset_mock()
        self.document.choose_phrase(self.document.lesson.phrases[0].ident)
        self.listening.listen()
        self.anew.assert_not_called()


class TestAllPhrases(WholeHeard):
    def test_all_get_notes_in_one_step_of_undo(self) -> None:
        self.work()
        with mock.patch(HEAR_STRETCH) as anew:
            self.window.actions_by_name["listen_to_all"].trigger()
        anew.assert_not_called()
        counts = [len(phrase.notes) for phrase in self.document.lesson.phrases]
        self.assertEqual(counts, [2, 3])
        self.assertIn("5 notes heard in 2 of 2 phrases", self.told[-1])
        self.assertEqual(self.document.undo_stack.undoText(), ALL)
        self.document.undo_stack.undo()
        self.assertFalse(any(phrase.notes for phrase in self.document.lesson.phrases))
        self.assertEqual(len(self.document.lesson.phrases), 2)

    def test_notes_that_a_guitar_could_not_sound_come_in_with_another_tuning(self) -> None:
        low = tuple(
            replace(note, midi=38.0) if k in (1, 5) else note
            for k, note in enumerate(whole().notes)
        )
        self.know(replace(whole(), notes=low))
        self.work()
        self.listening.listen_to_all()
        self.assertIn("2 were left out", self.told[-1])
        action = self.window.actions_by_name["listen_to_all"]
        self.assertFalse(action.isEnabled())
        lesson = self.document.lesson
        second = lesson.phrases[1]
        kept = second.notes[0].ident
        self.document.change("x", lambda l: note_edits.set_place(l, second.ident, kept, 4, 17))
        dropped = replace(lesson.parts[0], guitar=Guitar(tuning=(38, 45, 50, 55, 59, 64)))
        self.document.change("x", lambda l: replace(l, parts=(dropped,)))
        self.assertIn("2 phrases", self.told[-1])
        self.assertTrue(action.isEnabled())
        action.trigger()
        self.assertEqual([len(p.notes) for p in self.document.lesson.phrases], [2, 3])
        note = self.document.lesson.phrases[1].note(kept)
        assert note is not None
        self.assertEqual((note.written.string, note.written.fret), (4, 17))
        self.assertFalse(action.isEnabled())

    def test_phrases_with_notes_stay_as_they_are(self) -> None:
        self.work()
        self.listening.listen()
        second = self.document.lesson.phrases[1]
        self.listening.listen_to_all()
        self.assertEqual(self.document.lesson.phrases[1], second)
        self.assertEqual(len(self.document.lesson.phrases[0].notes), 2)
        action = self.window.actions_by_name["listen_to_all"]
        self.assertFalse(action.isEnabled())
        before = self.document.lesson
        self.listening.listen_to_all()
        self.assertEqual(self.document.lesson, before)

    def test_a_recording_that_was_not_heard_is_heard_as_a_whole_first(self) -> None:
        self.whole._heard = None
        begun: list[tuple[str, Then]] = []

        def start(name: str, work: Work, then: Then, **_: object) -> Job:
            begun.append((name, then))
            return Job(name, work)

        with mock.patch.object(self.window.tasks, "_start", start):
            self.listening.listen_to_all()
            ((name, then),) = begun
            self.assertEqual(name, "Listening to the recording")
            self.assertIn("as a whole", self.told[-1])
            sound, job = self.document.sound, self.whole._job
            assert sound is not None and job is not None
            then(Proposed(Heard(sound, 0.0, (), False, True, (), whole()), (), ()))
            self.whole._on_ended(job, sound)
        self.assertEqual([name for name, _ in begun[1:]], [ALL])

    def test_another_lesson_does_not_get_what_was_wished_in_the_first(self) -> None:
        self.whole._heard = None
        self.listening.listen_to_all()
        self.held.clear()
        self.document.open(small_lesson(), None)
        self.whole.ended.emit(False)
        self.assertEqual(self.held, [])

    def test_it_waits_while_the_recording_is_listened_to(self) -> None:
        self.whole._heard = None
        with mock.patch.object(type(self.whole), "is_listening", True):
            self.listening.listen_to_all()
        self.assertEqual(self.held, [])
        self.whole.ended.emit(False)
        self.assertEqual([name for name, _ in self.held], [ALL])

    def test_phrases_that_got_notes_meanwhile_are_left_alone(self) -> None:
        self.whole._heard = None
        with mock.patch.object(type(self.whole), "is_listening", True):
            self.listening.listen_to_all()
        lesson = self.document.lesson
        for phrase in lesson.phrases:
            written = phrase.with_notes([note(1, phrase.start_s + 0.1, 3, 5)])
            self.document.change("x", lambda l, written=written: l.with_phrase(written))
        self.whole.ended.emit(False)
        self.assertEqual(self.held, [])

    def test_it_does_not_wait_for_what_was_stopped(self) -> None:
        self.whole._heard = None
        with mock.patch.object(type(self.whole), "is_listening", True):
            self.listening.listen_to_all()
        self.whole.ended.emit(True)
        self.whole.ended.emit(False)
        self.assertEqual(self.held, [])

    def test_a_phrase_that_is_gone_is_left_out(self) -> None:
        first, second = self.document.lesson.phrases
        tickets = [self.document.ticket(phrase) for phrase in (first, second)]
        sound = self.document.sound
        assert sound is not None
        heard = [
            _heard(sound, self.document.lesson, Wish(p, whole()), no_progress)
            for p in (first, second)
        ]
        self.document.change("x", lambda l: edits.delete_phrase(l, first.ident))
        for ticket, one in zip(tickets, heard, strict=True):
            self.listening._on_one_heard(ticket, one, self.document.fresh_merge())
        self.assertEqual([len(p.notes) for p in self.document.lesson.phrases], [3])


if __name__ == "__main__":
    unittest.main()

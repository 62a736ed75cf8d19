"""The whole way from sound to a placed and counted lesson."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from juxtanote.core.analysis import stretches
from juxtanote.core.analysis.decode import FoundNote
from juxtanote.core.analysis.glides import join_glides
from juxtanote.core.analysis.perceived import Listening, PerceivedNote
from juxtanote.core.analysis.stretches import (
    MARGIN_S,
    hear_all,
    hear_stretch,
    hear_whole,
    heard_between,
)
from juxtanote.core.audio.read import Sound
from juxtanote.core.errors import SoundFileError
from juxtanote.core.fretboard.phrases import replace_places
from juxtanote.core.measuring import choose_key, measure_recording, time_map_of
from juxtanote.core.placing import evidence_of, guess_tuning, lowest_heard, place_heard
from juxtanote.core.progress import Cancelled
from juxtanote.core.score.cuts import split_at_rests
from juxtanote.core.score.edits import shifted
from juxtanote.core.score.lesson import Focus, Lesson, Phrase
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.theory.tuning import STANDARD, Guitar
from juxtanote.core.transcribe import Options, transcribe
from tests.lessons import note, small_lesson
from tests.sounds import RATE, scale_line

PITCHES = [57, 60, 62, 64, 67, 69, 67, 64]


def heard(midi: float, onset: float, *tags: str, confidence: float = 0.95) -> PerceivedNote:
    """Make a heard note of 0.3 s."""
    return PerceivedNote(onset, onset + 0.3, midi, -18.0, confidence, frozenset(tags))


class TestSteps(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        mono, cls.events = scale_line(PITCHES)
        cls.sound = Sound(np.stack([mono, mono]), RATE)

    def test_a_stretch_holds_only_its_own_notes(self) -> None:
        found = hear_stretch(self.sound, 1.0, 2.2)
        self.assertTrue(found.notes)
        self.assertTrue(all(0.97 <= n.onset_s < 2.2 for n in found.notes))

    def test_a_focus_is_applied(self) -> None:
        deaf = Focus(source="mix", low_hz=6000.0, high_hz=9000.0)
        few = hear_stretch(self.sound, 0.0, 3.4, focus=deaf).notes
        all_of_them = hear_stretch(self.sound, 0.0, 3.4).notes
        self.assertLess(sum(n.confidence for n in few), sum(n.confidence for n in all_of_them))

    def test_listening_whole_is_listening_in_stretches(self) -> None:
        whole = hear_all(self.sound)
        near = sum(any(abs(n.onset_s - e.onset_s) < 0.05 for n in whole) for e in self.events)
        self.assertGreaterEqual(near, 7)

    def test_a_whole_listening_tells_what_a_stretch_holds(self) -> None:
        told: list[Listening] = []
        with mock.patch.object(stretches, "STRETCH_S", 1.2):
            whole = hear_whole(self.sound, so_far=told.append)
        self.assertGreater(len(told), 1)
        for part in told:  # what was told stays
            self.assertEqual(part.notes, whole.notes[: len(part.notes)])
            self.assertLess(part.notes[-1].onset_s, part.end_s)
            same = part.onset_curve == whole.onset_curve[: len(part.onset_curve)]
            self.assertGreater(same.mean(), 0.99)
        self.assertAlmostEqual(whole.end_s, self.sound.duration_s, delta=2 * whole.hop_s)
        by_itself, taken = hear_stretch(self.sound, 1.0, 2.2), heard_between(whole, 1.0, 2.2)
        self.assertEqual(
            [round(n.midi) for n in taken.notes], [round(n.midi) for n in by_itself.notes]
        )
        for one, other in zip(taken.notes, by_itself.notes, strict=True):
            self.assertAlmostEqual(one.onset_s, other.onset_s, delta=0.02)
        self.assertLess(abs(len(taken.onset_curve) - len(by_itself.onset_curve)), 4)
        at = [np.arange(len(h.onset_curve)) * h.hop_s + h.start_s for h in (taken, by_itself)]
        level = np.interp(at[1], at[0], taken.level_curve) - by_itself.level_curve
        self.assertLess(float(np.median(np.abs(level))), 0.5)

    def test_a_note_that_sounds_on_is_cut_where_its_stretch_ends(self) -> None:
        curve = tuple((0.1 * k, 0.0) for k in range(40))
        held = PerceivedNote(1.0, 5.0, 60.0, -18.0, 0.9, curve=curve)
        silent = np.zeros(600)
        whole = Listening((held,), 0.0, 0.01, silent, silent, silent)
        (note,) = heard_between(whole, 0.5, 2.0).notes
        self.assertEqual(note.offset_s, 2.0 + MARGIN_S)
        self.assertLess(note.onset_s + note.curve[-1][0], note.offset_s)
        self.assertEqual(heard_between(whole, 1.5, 2.0).notes, ())

    def test_listening_can_be_stopped(self) -> None:
        def stop(part: float) -> None:
            if part > 0.3:
                raise Cancelled

        with self.assertRaises(Cancelled):
            hear_all(self.sound, progress=stop)

    def test_measuring_gives_beats_and_reference(self) -> None:
        measured = measure_recording(self.sound)
        self.assertLess(abs(measured.reference_cents), 4.0)
        time_map = time_map_of(measured.beats)
        self.assertGreaterEqual(len(time_map.beat_times_s), 2)

    def test_evidence_is_thin_enough_to_keep(self) -> None:
        evidence = evidence_of(hear_stretch(self.sound, 0.0, 3.4))
        self.assertLessEqual(len(evidence.onset), 6000)
        self.assertEqual(len(evidence.onset), len(evidence.level))


class TestAPart(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name, "line.wav")
        audio, self.events = scale_line([57, 60, 62, 64, 67, 69, 67, 64] * 4, step_s=0.5)
        soundfile.write(self.path, audio, RATE)

    def test_is_heard_with_what_lies_around_it(self) -> None:
        told = []
        real = stretches.Ahead

        def ahead(sound: Sound, **known: object) -> stretches.Ahead:
            told.append(sound.duration_s)
            return real(sound, **known)  # type: ignore[arg-type]

        with mock.patch.object(stretches, "Ahead", ahead):
            lesson = transcribe(self.path, Options(start_s=5.0, end_s=9.0))
        self.assertGreater(told[0], 9.0)
        onsets = [n.onset_s for p in lesson.phrases for n in p.notes]
        truth = [e.onset_s for e in self.events if 5.0 <= e.onset_s < 8.9]
        self.assertEqual(len(onsets), len(truth))
        for heard, played in zip(onsets, truth, strict=True):
            self.assertAlmostEqual(heard, played, delta=0.05)
        self.assertGreaterEqual(min(onsets), 4.97)
        # Bar 1 is the first whole bar of the part.
        first = lesson.time_map.beat_times_s[lesson.time_map.first_downbeat]
        bar_s = 4 * float(np.median(np.diff(lesson.time_map.beat_times_s)))
        self.assertTrue(4.9 <= first < 5.0 + bar_s + 0.1, first)

    def test_nothing_there_is_said(self) -> None:
        with self.assertRaisesRegex(SoundFileError, "no sound from 30 s on"):
            transcribe(self.path, Options(start_s=30.0, end_s=40.0))


class TestChoices(unittest.TestCase):
    def test_tunings_are_guessed_from_the_lowest_notes(self) -> None:
        cases = {
            40: STANDARD,
            39: (39, 44, 49, 54, 58, 63),
            38: (38, 45, 50, 55, 59, 64),
            37: (37, 44, 49, 54, 58, 63),
            36: (36, 43, 48, 53, 57, 62),
            35: (35, *STANDARD),
        }
        for lowest, tuning in cases.items():
            with self.subTest(lowest=lowest):
                self.assertEqual(guess_tuning([float(lowest)] * 3 + [60.0] * 20), tuning)
        self.assertEqual(guess_tuning([]), STANDARD)
        few = [
            36.0,
            36.0,
            37.0,
            38.0,
            38.0,
            39.0,
        ]  # nobody stands on the lowest: a line on seven strings
        self.assertEqual(guess_tuning(few + [60.0] * 20), (35, *STANDARD))
        self.assertEqual(lowest_heard([33.0, 45.2, *[60.0] * 20]), 45)  # one may be heard too low
        self.assertIsNone(lowest_heard([33.0]))

    def test_keys_need_a_few_notes(self) -> None:
        self.assertEqual(choose_key([heard(60, 0.0)]), ("", ""))
        line = [heard(m, 0.3 * k) for k, m in enumerate((57, 60, 62, 64, 67, 69, 57))]
        self.assertEqual(choose_key(line)[0], "A minor")

    def test_what_no_string_can_sound_is_left_out(self) -> None:
        notes = place_heard(
            [heard(30, 0.0), heard(60, 0.5), heard(100, 1.0)], Guitar(), "alternate"
        )
        self.assertEqual([n.heard.midi for n in notes], [60])

    def test_a_harmonic_that_no_node_sounds_is_a_plain_note(self) -> None:
        # Nodes of the third string (G3) sound G4, D5, G5; no string has a node that sounds F4.
        heard_so = [heard(m, 0.5 * k, "natural-harmonic") for k, m in enumerate((67, 65))]
        notes = place_heard(heard_so, Guitar(), "alternate")
        self.assertEqual(["natural-harmonic" in n.written.techniques for n in notes], [True, False])
        self.assertEqual(Guitar().midi_at(notes[1].written.string, notes[1].written.fret), 65)

    def test_phrases_are_cut_at_rests(self) -> None:
        notes = [note(k, t, 3, 5) for k, t in enumerate((0.0, 0.5, 1.0, 4.0, 4.5), start=1)]
        self.assertEqual([len(part) for part in split_at_rests(notes)], [3, 2])
        self.assertEqual(split_at_rests([]), [])

    def test_a_lesson_can_be_shifted_along_the_recording(self) -> None:
        moved = shifted(small_lesson(), 10.0)
        self.assertEqual(moved.phrases[0].start_s, 12.0)
        self.assertEqual(moved.phrases[0].notes[0].onset_s, 12.0)
        self.assertEqual(moved.time_map.beat_times_s[0], 10.0)

    def test_placing_again_keeps_locks_and_typed_fingers(self) -> None:
        lesson = small_lesson()
        phrase = lesson.phrases[0]
        locked = (
            phrase.notes[0].rewritten("place", string=5, fret=15).rewritten("finger", finger="4")
        )
        changed = replace_places(phrase.with_notes([locked, *phrase.notes[1:]]), lesson)
        first = changed.notes[0].written
        self.assertEqual((first.string, first.fret, first.finger), (5, 15, "4"))
        self.assertEqual(changed.notes[1].written.string, 5)


class TestJoiningGlides(unittest.TestCase):
    def _note(
        self, start: float, end: int, midi: int, confidence: float, **kinds: float
    ) -> FoundNote:
        fields = {"slurred": 0.0, "slide": 0.0, "muted": 0.0, "harmonic": 0.0} | kinds
        return FoundNote(start, end, midi, confidence, confidence, rivals=(), **fields)

    def test_the_doubtful_top_of_a_bend_is_joined(self) -> None:
        joined = join_glides([self._note(10, 30, 67, 0.95), self._note(28, 70, 69, 0.2, slide=0.6)])
        self.assertEqual([(n.midi, n.end) for n in joined], [(67, 70)])

    def test_a_clear_note_is_left_alone(self) -> None:
        notes = [self._note(10, 30, 67, 0.95), self._note(28, 70, 69, 0.97)]
        self.assertEqual(join_glides(notes), notes)

    def test_a_held_bend_is_not_struck_again_by_notes_over_it(self) -> None:
        bent = self._note(10, 60, 72, 0.99, bending=0.95)
        over = [self._note(s, s + 20, 77, 0.95) for s in (30, 50)]
        ghosts = [self._note(s, s + 20, 74, 0.5) for s in (30, 50)]
        joined = join_glides([bent, ghosts[0], over[0], ghosts[1], over[1]])
        self.assertEqual([(n.midi, n.end) for n in joined], [(72, 70), (77, 50), (77, 70)])
        both = [self._note(30, 50, 72, 0.97), self._note(30, 50, 74, 0.6)]
        self.assertEqual(join_glides([bent, *both]), [bent, *both])  # its string is struck anew
        struck = self._note(30, 50, 74, 0.97)
        self.assertIn(struck, join_glides([bent, struck, over[0]]))

    def test_a_quick_bend_that_comes_down_is_one_note(self) -> None:
        bent = self._note(10, 22, 67, 0.99, bending=0.9)
        down = self._note(22, 30, 67, 0.35)
        self.assertEqual([n.end for n in join_glides([bent, down])], [30])
        shaken = self._note(110, 150, 69, 0.3, bending=0.9)
        held = replace(bent, end=110)
        self.assertEqual([n.end for n in join_glides([held, shaken])], [150])
        anew = self._note(110, 150, 69, 0.95, bending=0.9)
        self.assertEqual(join_glides([held, anew]), [held, anew])
        again = self._note(22, 30, 67, 0.95)
        self.assertEqual(join_glides([bent, again]), [bent, again])

    def test_what_lies_between_two_strings_bent_together_is_no_note(self) -> None:
        three = [self._note(10, 60, midi, 0.9, bending=0.5) for midi in (72, 73, 74)]
        self.assertEqual([n.midi for n in join_glides(three)], [72, 74])
        still = [self._note(10, 60, midi, 0.9) for midi in (72, 73, 74)]
        self.assertEqual(join_glides(still), still)

    def test_a_far_or_late_note_is_left_alone(self) -> None:
        notes = [
            self._note(10, 30, 67, 0.95),
            self._note(28, 70, 79, 0.2),
            self._note(200, 220, 68, 0.2),
        ]
        self.assertEqual(join_glides(notes), notes)


class TestTranscribing(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.path = Path(held.name) / "line.wav"
        mono, self.events = scale_line(PITCHES)
        soundfile.write(self.path, np.stack([mono, mono]).T, RATE)

    def test_a_recording_becomes_a_lesson(self) -> None:
        lesson = transcribe(self.path, Options())
        self.assertIsInstance(lesson, Lesson)
        notes = [n for p in lesson.phrases for n in p.notes]
        self.assertGreaterEqual(len(notes), 7)
        for inside in notes:
            sounding = lesson.context().guitar.midi_at(inside.written.string, inside.written.fret)
            if not inside.written.techniques:
                self.assertEqual(sounding, round(inside.heard.midi))
            self.assertIsNotNone(inside.written.onset_beats)
            self.assertTrue(inside.written.finger or inside.written.fret == 0)

    def test_a_given_tuning_and_tempo_are_used(self) -> None:
        tuning = (38, 43, 48, 53, 57, 62)
        lesson = transcribe(self.path, Options(tuning=tuning, bpm=75.0))
        self.assertEqual(lesson.context().guitar.tuning, tuning)
        self.assertAlmostEqual(lesson.time_map.tempo_at(1.5), 75.0, delta=6.0)

    def test_the_fallback_road_works_too(self) -> None:
        lesson = transcribe(self.path, Options(learned=False))
        self.assertGreaterEqual(sum(len(p.notes) for p in lesson.phrases), 5)

    def test_progress_rises_to_the_end(self) -> None:
        seen: list[float] = []
        transcribe(self.path, Options(), seen.append)
        self.assertAlmostEqual(seen[-1], 1.0)
        self.assertTrue(all(0.0 <= part <= 1.0 for part in seen))


class TestPhraseEvidence(unittest.TestCase):
    def test_phrases_without_notes_are_counted_too(self) -> None:
        lesson = replace(small_lesson(), time_map=TimeMap((0.0, 0.5, 1.0)))
        empty = Phrase(9, "empty", 0.0, 1.0)
        self.assertEqual(replace_places(empty, lesson).notes, ())


if __name__ == "__main__":
    unittest.main()

"""Lesson files of versions 1 and 2, as those versions wrote them, still open."""

import json
import unittest
import zipfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np

from juxtanote.app.sayings import say_focus, say_observation, say_otherwise
from juxtanote.core.errors import LessonFileError
from juxtanote.core.formats.lesson_file import load_lesson, save_lesson
from juxtanote.core.formats.lesson_json import lesson_from_body, lesson_from_text, lesson_text
from juxtanote.core.practice.log import name_of
from juxtanote.core.score.timing import recounted
from juxtanote.core.theory.observed import Observation, Shows
from tests.lessons import small_lesson

OLD = Path(__file__).parents[1] / "data" / "version-1"
SECOND = OLD.with_name("version-2") / "brackwater-tram.juxta"


class TestVersionOne(unittest.TestCase):
    def test_three_files_open_and_are_the_same_when_saved_again(self) -> None:
        import tempfile

        for path in sorted(OLD.glob("*.juxta")):
            with self.subTest(file=path.name), tempfile.TemporaryDirectory() as folder:
                lesson = load_lesson(path)
                self.assertEqual(lesson, recounted(lesson))
                again = Path(folder) / path.name
                save_lesson(lesson, again)
                self.assertEqual(load_lesson(again), lesson)

    def test_every_note_comes_along(self) -> None:
        for path in sorted(OLD.glob("*.juxta")):
            with zipfile.ZipFile(path) as archive:
                old = json.loads(archive.read("lesson.json"))
            lesson = load_lesson(path)
            notes = [n for p in lesson.phrases for q in (p, *p.variants) for n in q.notes]
            written = [n for p in old["phrases"] for n in p["notes"]]
            key = [(n.heard.onset_s, n.written.string, n.written.fret) for n in notes]
            theirs = [
                (n["heard"]["onset_s"], n["written"]["string"], n["written"]["fret"])
                for n in written
            ]
            with self.subTest(file=path.name):
                self.assertEqual(sorted(key), sorted(theirs))

    def test_one_guitar_becomes_a_part_and_a_copy_a_variant(self) -> None:
        lesson = load_lesson(OLD / "moved-copy.juxta")
        self.assertEqual([p.name for p in lesson.parts], ["Lead"])
        self.assertEqual(lesson.parts[0].guitar.string_count, 7)
        (variant,) = lesson.phrases[0].variants
        self.assertEqual((variant.name, variant.variation.amount), ("A, 2 semitones up", 2))
        self.assertEqual([p.name for p in lesson.phrases], ["A", "B", "C"])

    def test_the_log_refers_to_phrases(self) -> None:
        lesson = load_lesson(OLD / "two-lines.juxta")
        self.assertEqual([e.phrases for e in lesson.kept.log], [(1,), (2,), (1, 2), ()])
        self.assertEqual(name_of(lesson.kept.log[3], lesson), "a name that no phrase has now")

    def test_times_that_were_set_by_hand_protect_what_was_heard(self) -> None:
        lesson = load_lesson(OLD / "two-lines.juxta")
        locked = {n.ident: n.written.locked for n in lesson.phrases[0].notes}
        self.assertIn("heard", locked[2])
        self.assertFalse(any("time" in locks for locks in locked.values()))


class TestVersionTwo(unittest.TestCase):
    """What versions 1 and 2 said in English is kept as kinds and numbers, and said as it was."""

    def _notes_of_file(self) -> dict[float, dict]:  # type: ignore[type-arg]
        with zipfile.ZipFile(SECOND) as archive:
            body = json.loads(archive.read("lesson.json"))
        self.assertEqual(body["version"], 2)
        return {n["heard"]["onset_s"]: n["heard"] for p in body["phrases"] for n in p["notes"]}

    def test_every_sentence_is_said_again_as_it_stood(self) -> None:
        old, said = self._notes_of_file(), 0
        for phrase in load_lesson(SECOND).phrases:
            for note in phrase.notes:
                heard = old[note.heard.onset_s]
                again = [say_observation(seen) for seen in note.heard.evidence]
                self.assertEqual(again, heard.get("evidence", []))
                self.assertEqual(note.heard.legato, heard.get("tied", 0.0))
                self.assertEqual(note.heard.strength, heard.get("clarity", 0.0))
                said += len(again)
        self.assertGreater(said, 15)

    def test_every_kind_was_said_in_one_way(self) -> None:
        came_with_format_3 = {Shows.LIKE_NO_GUITAR, Shows.GOES_ON}
        for kind in set(Shows) - came_with_format_3:
            sentence = say_observation(Observation(kind, (2.0, 0.25, 0.5)))
            older = sentence.replace("confidence", "sure")
            for said in (sentence, older):
                body = self._with({"evidence": [said, "what no version said"]})
                (seen,) = lesson_from_body(body).phrases[0].notes[0].heard.evidence
                self.assertEqual(say_observation(seen), sentence)

    def test_other_readings(self) -> None:
        why = ["an octave up", "two notes", "picked", "one with the note before", "slurred"]
        others = [{"midi": 60.0, "confidence": 0.4, "why": words} for words in why]
        heard = lesson_from_body(self._with({"runner_ups": others})).phrases[0].notes[0].heard
        differs = [other.differs for other in heard.runner_ups]
        self.assertEqual(differs, ["pitch", "two-notes", "picked", "one-note", "slurred"])
        again = [say_otherwise(heard, other) for other in heard.runner_ups]
        self.assertEqual(again[1:], why[1:])

    def test_why_a_part_of_the_mix_was_chosen(self) -> None:
        for why in (
            "", "chosen by hand", "9 sure notes against 4 in the whole mix",
            "the whole mix gives 7 sure notes; nothing gave more",
        ):  # fmt: skip
            body = self._with({})
            body["phrases"][0]["focus"] = {"source": "middle", "why": why}
            self.assertEqual(say_focus(lesson_from_body(body).phrases[0].focus), why)

    def _with(self, heard: dict) -> dict:  # type: ignore[type-arg]
        with zipfile.ZipFile(SECOND) as archive:
            body = json.loads(archive.read("lesson.json"))
        body["phrases"][0]["notes"][0]["heard"].update(heard)
        return body  # type: ignore[no-any-return]


class TestTypedBoundary(unittest.TestCase):
    def _refused(self, change: dict, at: tuple) -> str:  # type: ignore[type-arg]
        body = json.loads(lesson_text(small_lesson()))
        target = body
        for key in at:
            target = target[key]
        target.update(change)
        with self.assertRaises(LessonFileError) as caught:
            lesson_from_body(body)
        return str(caught.exception)

    def test_nonsense_is_refused_with_its_path_and_the_reason(self) -> None:
        written = ("phrases", 1, "notes", 2, "written")
        heard = ("phrases", 0, "notes", 1, "heard")
        cases = (
            ({"string": 8}, written, "phrases[1].notes[2].written", "guitar of 6 strings"),
            ({"string": 99}, written, "phrases[1].notes[2].written.string", "<= 9"),
            ({"fret": 30}, written, "phrases[1].notes[2].written", "fret 30"),
            ({"level_db": "loud"}, heard, "phrases[0].notes[1].heard.level_db", "float"),
            ({"confidence": 1.5}, heard, "confidence", "1.0"),
            ({"onset_beats": "1/0"}, written, "onset_beats", "fraction"),
            ({"key": "A purple"}, (), "key", "purple"),
            ({"reference_cents": 10**400}, (), "reference_cents", ""),
            ({"beat_unit": 3}, ("time_map",), "time_map.beat_unit", ""),
            ({"end_s": 1.0}, ("phrases", 0), "phrases[0]", "no length"),
            ({"colour": "red"}, ("parts", 0), "parts[0]", "colour"),
        )  # fmt: skip
        for change, at, path, why in cases:
            with self.subTest(change=change):
                said = self._refused(change, at)
                self.assertIn(path, said)
                self.assertIn(why, said)
                self.assertNotIn("\n", said)

    def test_numbers_that_are_none_are_refused(self) -> None:
        good = lesson_text(small_lesson())
        for text in (b"NaN", b"Infinity", b"1e999", b"1" * 400):
            bad = good.replace(b'"reference_cents":0.0', b'"reference_cents":' + text)
            self.assertNotEqual(bad, good)
            with self.subTest(text=text[:8]), self.assertRaises(LessonFileError):
                lesson_from_text(bad)

    def test_keys_are_kept_in_one_form(self) -> None:
        body = json.loads(lesson_text(small_lesson())) | {"key": "Bbm"}
        self.assertEqual(lesson_from_body(body).key, "B♭ minor")

    def test_numbers_out_of_arrays_are_numbers(self) -> None:
        lesson = small_lesson()
        moved = replace(lesson.phrases[0], end_s=np.float64(9.5), repeats=np.int64(2))
        changed = lesson.with_phrase(moved)
        self.assertEqual(lesson_from_text(lesson_text(changed)), changed)

    def test_fractions_are_exact(self) -> None:
        lesson = lesson_from_text(lesson_text(small_lesson()))
        self.assertIsInstance(lesson.phrases[0].notes[0].written.onset_beats, Fraction)


if __name__ == "__main__":
    unittest.main()

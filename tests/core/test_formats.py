"""Files in and out: round trips, contracts, hostile input."""

import csv
import io
import json
import re
import tempfile
import unittest
import zipfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from hypothesis import given, settings

from juxtanote.core.engrave.paper import A4, wrap
from juxtanote.core.errors import ImportFileError, JuxtanoteError, LessonFileError
from juxtanote.core.formats.breakdown import breakdown, generate_breakdown
from juxtanote.core.formats.csv_notes import (
    COLUMNS,
    NoteRow,
    read_rows,
    write_beats,
    write_lesson_notes,
    write_rows,
)
from juxtanote.core.formats.exports import (
    EXPORTS,
    export_lesson,
    export_rows,
    read_notes,
    read_score,
)
from juxtanote.core.formats.importing import START, ImportPlan, laid_in
from juxtanote.core.formats.lesson_file import load_lesson, save_lesson, unpack_recording
from juxtanote.core.formats.lesson_json import lesson_from_text, lesson_text
from juxtanote.core.formats.midi import read_midi, write_midi
from juxtanote.core.formats.musicxml import write_musicxml
from juxtanote.core.formats.musicxml_read import read_musicxml
from juxtanote.core.formats.pages import lay_out
from juxtanote.core.formats.text_tab import bend_name, write_text_tab
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timing import recounted
from juxtanote.core.theory.tuning import Guitar
from tests.lessons import lessons, note, small_lesson


class InFolder(unittest.TestCase):
    """Gives each test a folder of its own."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)


class TestLessonFile(InFolder):
    @given(lessons())
    @settings(max_examples=40, deadline=None)
    def test_any_lesson_survives_json(self, lesson: Lesson) -> None:
        self.assertEqual(lesson_from_text(lesson_text(lesson)), lesson)

    def test_save_and_open_give_the_lesson_back(self) -> None:
        path = self.folder / "a.juxta"
        save_lesson(small_lesson(), path)
        self.assertEqual(load_lesson(path), small_lesson())
        self.assertIsNone(unpack_recording(path, self.folder / "cache"))

    def test_the_recording_travels_inside(self) -> None:
        sound = self.folder / "song.ogg"
        sound.write_bytes(b"pretend")
        path = self.folder / "a.juxta"
        save_lesson(small_lesson(), path, sound)
        unpacked = unpack_recording(path, self.folder / "cache")
        assert unpacked is not None
        self.assertEqual(unpacked.read_bytes(), b"pretend")

    def test_damaged_and_hostile_files_are_refused_in_one_line(self) -> None:
        good = self.folder / "good.juxta"
        save_lesson(small_lesson(), good)
        data = good.read_bytes()

        def zipped(name: str, text: bytes) -> bytes:
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
                archive.writestr(name, text)
            return out.getvalue()

        body = json.loads(lesson_text(small_lesson()))
        part = body["parts"][0]

        def changed(**fields: object) -> bytes:
            return zipped("lesson.json", json.dumps(body | fields).encode())

        nested: object = []
        for _ in range(40):
            nested = [nested]
        cases = {
            "truncated": data[: len(data) // 2],
            "not a zip": b"hello",
            "empty": b"",
            "no lesson inside": zipped("other.json", b"{}"),
            "path outside": zipped("../../evil.json", b"{}"),
            "absolute path": zipped("/etc/evil", b"{}"),
            "not json": zipped("lesson.json", b"{"),
            "not utf-8": zipped("lesson.json", b"\xff\xfe{"),
            "another format": zipped("lesson.json", b'{"format": "x"}'),
            "a list": zipped("lesson.json", b"[]"),
            "future version": changed(version=99),
            "no version": changed(version=None),
            "missing field": zipped(
                "lesson.json", json.dumps({k: v for k, v in body.items() if k != "parts"}).encode()
            ),
            "cents out of range": changed(reference_cents=1e9),
            "not a number": changed(reference_cents=float("nan")),
            "tuning of words": changed(parts=[part | {"guitar": {"tuning": ["E"]}}]),
            "impossible tuning": changed(parts=[part | {"guitar": {"tuning": [1, 2]}}]),
            "unknown field": changed(parts=[part | {"colour": "red"}]),
            "beats backwards": changed(time_map=body["time_map"] | {"beat_times_s": [2, 1]}),
            "phrase of nothing": changed(phrases=[{}]),
            "log of nothing": changed(kept={"log": [{"date": 1}]}),
            "deep nesting": changed(chords=nested),
        }
        for name, content in cases.items():
            path = self.folder / "bad.juxta"
            path.write_bytes(content)
            with self.subTest(name=name), self.assertRaises(LessonFileError) as caught:
                load_lesson(path)
            self.assertNotIn("\n", str(caught.exception))
            self.assertLess(len(str(caught.exception)), 400)

    def test_a_bomb_is_not_unpacked(self) -> None:
        path = self.folder / "bomb.juxta"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("lesson.json", b" " * 210_000_000)
        with self.assertRaises(LessonFileError) as caught:
            load_lesson(path)
        self.assertIn("larger", str(caught.exception))

    def test_every_cut_of_a_file_is_refused(self) -> None:
        path = self.folder / "a.juxta"
        save_lesson(small_lesson(), path)
        data = path.read_bytes()
        for part in range(0, len(data) - 1, max(len(data) // 25, 1)):
            path.write_bytes(data[:part])
            with self.assertRaises(LessonFileError):
                load_lesson(path)


class TestCsv(InFolder):
    def test_the_columns_are_the_contract(self) -> None:
        text = write_lesson_notes(small_lesson())
        self.assertEqual(
            text.splitlines()[0],
            "onset_s,duration_s,midi,string,fret,techniques,bend_semitones,level_db,confidence,bar,beat",
        )
        rows = list(csv.DictReader(io.StringIO(text)))
        self.assertEqual(len(rows), 10)
        onsets = [float(r["onset_s"]) for r in rows]
        self.assertEqual(onsets, sorted(onsets))
        bent = next(r for r in rows if "bend" in r["techniques"])
        self.assertEqual(
            (bent["midi"], bent["bend_semitones"], bent["bar"]), ("67.00", "2.00", "1")
        )

    def test_rows_are_read_back(self) -> None:
        rows = [
            NoteRow(0.5, 0.25, 60.0, 3, 5, frozenset({"hammer-on"}), 0.0, -20.0, 0.5, "1", "2"),
            NoteRow(1.0, 0.25, 64.5, None, None, frozenset({"bend"}), 2.0, -18.0, 1.0, "", ""),
        ]
        self.assertEqual(read_rows(write_rows(rows)), rows)

    def test_what_cannot_be_read_names_its_line(self) -> None:
        head = ",".join(COLUMNS) + "\n"
        for row in ("x,1,60", "1,1,999", "1,nan,60", "-1,1,60", "1,1,60,12,5", "1,1,60,1,5,wiggle"):
            with self.subTest(row=row), self.assertRaises(ImportFileError) as caught:
                read_rows(head + row + "\n")
            self.assertIn("Line 2", str(caught.exception))
        with self.assertRaises(ImportFileError):
            read_rows("a,b\n1,2\n")

    def test_beats_are_one_row_a_beat(self) -> None:
        lines = write_beats(small_lesson().time_map, 0.0, 3.0).splitlines()
        self.assertEqual(lines[0], "time_s,bar,beat")
        self.assertEqual(lines[1], "0.0000,0,1")
        self.assertEqual(lines[5], "2.0000,1,1")


class TestExports(InFolder):
    def test_every_export_is_written(self) -> None:
        for suffix in EXPORTS:
            path = self.folder / f"lesson{suffix}"
            export_lesson(small_lesson(), path)
            with self.subTest(suffix=suffix):
                self.assertGreater(path.stat().st_size, 100)
        with self.assertRaises(JuxtanoteError):
            export_lesson(small_lesson(), self.folder / "a.xyz")

    def test_an_empty_lesson_is_exported_too(self) -> None:
        for suffix in EXPORTS:
            with self.subTest(suffix=suffix):
                export_lesson(Lesson(), self.folder / f"empty{suffix}")

    def test_musicxml_comes_back_with_places_and_techniques(self) -> None:
        rows = read_musicxml(write_musicxml(small_lesson()).encode()).parts[0].rows
        places = [(r.string, r.fret) for r in rows]
        self.assertEqual(places[:4], [(3, 5), (3, 7), (2, 8), (2, 5)])
        self.assertIn("hammer-on", rows[1].techniques)
        self.assertIn("bend", rows[2].techniques)
        self.assertEqual(rows[2].bend_semitones, 2.0)
        self.assertTrue(any("natural-harmonic" in r.techniques for r in rows))
        self.assertTrue(any("pull-off" in r.techniques for r in rows))

    def test_midi_comes_back_with_its_times(self) -> None:
        rows = read_midi(write_midi(small_lesson())).parts[0].rows
        self.assertEqual(len(rows), 10)
        self.assertAlmostEqual(rows[0].onset_s, 2.0, delta=0.002)
        self.assertEqual(rows[0].midi, 60.0)

    def test_hostile_musicxml_is_refused(self) -> None:
        bomb = (
            '<!DOCTYPE a [<!ENTITY b "c"><!ENTITY d "&b;&b;">]><score-partwise>&d;</score-partwise>'
        )
        outside = '<!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/passwd">]><score-partwise>&x;</score-partwise>'
        cases = (bomb, outside, "<score-partwise>", "<other/>", "", "<score-partwise/>")
        for text in cases:
            with self.subTest(text=text[:40]), self.assertRaises(ImportFileError):
                read_musicxml(text.encode())
        with self.assertRaises(ImportFileError):
            read_musicxml(b"PK\x03\x04 not a zip")

    def test_broken_midi_is_refused(self) -> None:
        good = write_midi(small_lesson())
        for data in (b"", b"MThd", b"hello", good[:30]):
            with self.subTest(data=data[:8]), self.assertRaises(ImportFileError):
                read_midi(data)

    def test_notes_are_imported_into_a_phrase(self) -> None:
        path = self.folder / "a.mid"
        path.write_bytes(write_midi(small_lesson()))
        lesson = Lesson(phrases=(Phrase(7, "new", 20.0, 21.0),))
        plan = ImportPlan("a.mid", read_score(path).parts, START, 7)
        filled = laid_in(lesson, plan).phrases[0]
        self.assertEqual(len(filled.notes), 10)
        self.assertAlmostEqual(filled.notes[0].onset_s, 20.0, places=3)
        with self.assertRaises(ImportFileError):
            laid_in(lesson, ImportPlan("a.mid", (), START, 7))
        for name in ("missing.mid", "a.doc"):
            with self.assertRaises(ImportFileError):
                read_notes(self.folder / name)

    def test_placed_rows_go_to_every_format(self) -> None:
        rows = [NoteRow(0.5 * k, 0.4, 60.0 + k, 3, 5 + k) for k in range(4)]
        for suffix in (".csv", ".mid", ".musicxml", ".txt"):
            path = self.folder / f"a{suffix}"
            export_rows(rows, Guitar(), path)
            with self.subTest(suffix=suffix):
                self.assertTrue(path.is_file())
        again = read_notes(self.folder / "a.musicxml")
        self.assertEqual([(r.string, r.fret) for r in again], [(3, 5), (3, 6), (3, 7), (3, 8)])


class TestWords(unittest.TestCase):
    def test_the_breakdown_says_how_the_bar_is_held(self) -> None:
        lesson = small_lesson()
        phrase = lesson.phrases[0]
        notes = [n.rewritten(techniques=frozenset({"bar"})) for n in phrase.notes]
        leaning = [
            replace(n, heard=replace(n.heard, onset_s=2.0, offset_s=2.4)).rewritten(
                string=string, fret=fret, onset_beats=Fraction(2)
            )
            for n, string, fret in zip(notes, (2, 3), (12, 13), strict=False)
        ]
        words = generate_breakdown(phrase.with_notes([*leaning, *notes[4:]]), lesson)
        self.assertIn("slide bar is on the ring finger", words)
        self.assertIn("the fingers behind it rest on the strings", words)
        self.assertIn("the bar held at an angle", words)
        self.assertNotIn("slide bar", generate_breakdown(phrase, lesson))

    def test_the_breakdown_says_every_note(self) -> None:
        lesson = small_lesson()
        words = generate_breakdown(lesson.phrases[0], lesson)
        for part in (
            "string 3 fret 5",
            "hammer fret 7",
            "bend it a full tone",
            "with vibrato",
            "Bar 1",
        ):
            self.assertIn(part, words)
        words = generate_breakdown(lesson.phrases[1], lesson)
        for part in ("together string 1 fret 5 and string 2 fret 5", "open string 5", "harmonic"):
            self.assertIn(part, words)

    def test_what_repeats_is_said_once_and_what_is_hard_is_said(self) -> None:
        bar = [(0.0, 2, 5), (0.5, 2, 8), (1.0, 3, 5), (1.5, 3, 7)]
        notes = [
            note(4 * b + k + 1, 2.0 * b + at, string, fret, *(("bend",) if (b, k) == (2, 3) else ()),
                 bend=3.0 if (b, k) == (2, 3) else 0.0).rewritten(finger=str(fret - 4))
            for b in range(3) for k, (at, string, fret) in enumerate(bar)
        ]  # fmt: skip
        time_map = TimeMap(tuple(0.5 * k for k in range(16)))
        lesson = recounted(
            Lesson(time_map=time_map, phrases=(Phrase(1, "A", 0.0, 6.0, tuple(notes)),))
        )
        words = generate_breakdown(lesson.phrases[0], lesson)
        self.assertTrue(
            words.startswith("Three bars in fifth position, on strings 2 and 3."), words
        )
        self.assertIn("Bar 2: as bar 1.", words)
        self.assertEqual(words.count("string 2 fret 8"), 1)
        self.assertIn("bend of a tone and a half", words)

    def test_what_is_hard_is_said_in_the_number_that_it_has(self) -> None:
        quick = [note(k + 1, 2.0 + 0.1 * k, 2, 5 + k % 3, length_s=0.08) for k in range(5)]
        wide = [note(6, 3.0, 3, 7, "bend", bend=3.0)]
        for notes, said in (
            (quick, "Hard are the quick strokes from bar"),
            (wide, "Hard is the bend of a tone and a half in bar"),
            (quick + wide, "Hard are the bend of a tone and a half in bar"),
        ):
            phrase = Phrase(1, "A", 2.0, 4.0, tuple(notes))
            lesson = recounted(Lesson(phrases=(phrase,)))
            self.assertIn(said, generate_breakdown(lesson.phrases[0], lesson))

    def test_typed_words_win(self) -> None:
        lesson = small_lesson()
        own = Phrase(9, "x", 0.0, 1.0, breakdown="Play it softly.")
        self.assertEqual(breakdown(own, lesson), "Play it softly.")
        self.assertIn("no notes", breakdown(Phrase(9, "x", 0.0, 1.0), lesson))

    def test_bends_have_their_usual_names(self) -> None:
        names = {
            0.5: "1/4",
            1.0: "1/2",
            1.9: "full",
            3.0: "1 1/2",
            4.0: "2",
            1.5: "3/4",
            2.5: "1 1/4",
        }
        for amount, name in names.items():
            self.assertEqual(bend_name(amount), name)

    def test_text_tab_has_a_line_for_each_string(self) -> None:
        text = write_text_tab(small_lesson())
        block = [line for line in text.splitlines() if line.startswith(" E4|")]
        self.assertGreaterEqual(len(block), 2)
        for sign in ("h7", "8bfull", "5~", "p5", "<12>"):
            self.assertIn(sign, text)

    def test_text_tab_keeps_to_eighty_columns_and_says_all(self) -> None:
        from tests.core.test_engrave import random_phrase

        for seed in range(40):
            phrase = random_phrase(seed, TimeMap())
            text = write_text_tab(Lesson("A title " * 20, phrases=(phrase,)))
            rows = text.splitlines()
            self.assertLessEqual(max(len(row) for row in rows), 80)
            strings = [row for row in rows if "|" in row]
            self.assertEqual(len(strings) % 6, 0)
            frets = sum(len(re.findall(r"(?<![(\d+/b])\d+|x", row[4:])) for row in strings)
            self.assertGreater(frets, 0)
            written = {tag for n in phrase.notes for tag in n.written.techniques}
            for tag, sign in (
                ("palm-mute", "PM palm"),
                ("let-ring", "LR let"),
                ("slide", "/ slide"),
            ):
                self.assertEqual(sign in " ".join(text.split()), tag in written, f"{seed} {tag}")

    def test_text_tab_tells_values_picks_and_fingers(self) -> None:
        line = (note(1, 0.0, 1, 5), note(2, 0.5, 1, 7), note(3, 1.0, 2, 5))
        picked = [n.rewritten(stroke="down", finger="1") for n in line]
        lesson = Lesson(phrases=(Phrase(1, "A", 0.0, 2.0, tuple(picked)),), key="A minor")
        rows = write_text_tab(recounted(lesson)).splitlines()
        self.assertTrue(any(row.split() == ["1", "2", "3"] for row in rows))
        self.assertTrue(any(row.split() == ["q", "q", "q", "-q"] for row in rows), rows)
        self.assertTrue(any(row.split() == ["d", "d", "d"] for row in rows))
        self.assertTrue(any("A minor" in row for row in rows))


class TestPages(unittest.TestCase):
    def test_nothing_leaves_the_paper(self) -> None:
        pages = lay_out(small_lesson())
        for page in pages:
            for stroke in page.strokes:
                for x, y in stroke.points:
                    self.assertTrue(0 <= x <= A4.width and 0 <= y <= A4.height)
            for words in page.words:
                self.assertTrue(0 <= words.x <= A4.width and 0 <= words.y <= A4.height)

    def test_every_fret_stands_on_the_page(self) -> None:
        texts = [w.text for page in lay_out(small_lesson()) for w in page.words if w.bold]
        for fret in ("5", "7", "8", "0", "‹12›"):
            self.assertIn(fret, texts)

    def test_long_lessons_turn_the_page(self) -> None:
        lesson = small_lesson()
        for ident in range(3, 20):
            start = 10.0 + ident
            phrase = Phrase(ident, f"P{ident}", start, start + 1).with_notes([note(1, start, 3, 5)])
            lesson = lesson.with_phrase(phrase)
        pages = lay_out(lesson)
        self.assertGreater(len(pages), 2)
        self.assertIn(f"1 of {len(pages)}", [w.text for w in pages[0].words])

    def test_text_is_wrapped_between_words(self) -> None:
        def measure(text: str, size: float, bold: bool) -> float:
            return float(len(text))

        lines = wrap("one two three four", 9.0, 10, False, measure)
        self.assertEqual(lines, ["one two", "three", "four"])
        self.assertEqual(wrap("", 9.0, 10, False, measure), [""])


if __name__ == "__main__":
    unittest.main()

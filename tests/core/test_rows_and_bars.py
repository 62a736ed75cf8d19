"""Notes on one time axis, rows of any file, and what MusicXML writes around bars, read by music21."""

import tempfile
import unittest
import xml.etree.ElementTree as ET
from dataclasses import replace
from pathlib import Path

import music21

from juxtanote.core.errors import ImportFileError
from juxtanote.core.formats.exports import export_lesson
from juxtanote.core.formats.lesson_file import save_lesson
from juxtanote.core.formats.musicxml_bars import write_harmony
from juxtanote.core.formats.rows_of import rows_of
from juxtanote.core.score.lesson import Lesson, Part, Phrase
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timeline import notes_of_part
from juxtanote.core.score.timing import recounted
from tests.lessons import note, small_lesson


class OneTimeAxis(unittest.TestCase):
    """What two phrases both hold stands once."""

    def lesson(self) -> Lesson:
        """Two phrases that overlap by a note, and one of another part."""
        first = Phrase(1, "A", 1.0, 3.0).with_notes([note(1, 1.0, 2, 5), note(2, 2.5, 2, 8)])
        second = Phrase(2, "B", 2.4, 4.0).with_notes(
            [note(1, 2.52, 2, 8), note(2, 2.52, 1, 5), note(3, 3.2, 2, 5)]
        )
        other = Phrase(3, "C", 2.0, 4.0, part=2).with_notes([note(1, 2.5, 2, 8)])
        parts = (Part(1, "Lead"), Part(2, "Second"))
        return Lesson(parts=parts, phrases=(first, second, other))

    def test_a_shared_note_is_the_earlier_phrases(self) -> None:
        rows = notes_of_part(self.lesson(), 1)
        self.assertEqual(
            [(owner.name, n.ident) for owner, n in rows],
            [("A", 1), ("A", 2), ("B", 2), ("B", 3)],
        )

    def test_parts_are_apart(self) -> None:
        self.assertEqual([owner.name for owner, _ in notes_of_part(self.lesson(), 2)], ["C"])

    def test_thinner_strings_of_one_moment_come_last(self) -> None:
        rows = notes_of_part(small_lesson(), 1)
        together = [n.written.string for _, n in rows if n.onset_s == 4.0]
        self.assertEqual(together, [2, 1])


class RowsOfAnyFile(unittest.TestCase):
    """A lesson and its exports hold the same notes."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_a_lesson_and_its_csv(self) -> None:
        lesson = small_lesson()
        save_lesson(lesson, self.folder / "a.juxta")
        export_lesson(lesson, self.folder / "a.csv")
        of_lesson, guitar = rows_of(self.folder / "a.juxta")
        of_csv, _ = rows_of(self.folder / "a.csv")
        self.assertEqual(guitar, lesson.parts[0].guitar)
        pick = [(r.onset_s, r.midi, r.string, r.fret) for r in of_lesson]
        self.assertEqual(pick, [(r.onset_s, r.midi, r.string, r.fret) for r in of_csv])
        self.assertEqual(len(pick), sum(len(p.notes) for p in lesson.phrases))

    def test_one_phrase_by_its_name_in_any_case(self) -> None:
        save_lesson(small_lesson(), self.folder / "a.juxta")
        rows, _ = rows_of(self.folder / "a.juxta", phrase="b")
        self.assertEqual([r.onset_s for r in rows][:1], [4.0])
        self.assertEqual(len(rows), 6)

    def test_nothing_to_check_says_so(self) -> None:
        save_lesson(Lesson(), self.folder / "empty.juxta")
        with self.assertRaisesRegex(ImportFileError, "has no notes to check"):
            rows_of(self.folder / "empty.juxta")


class AroundBars(unittest.TestCase):
    """Repeats, endings and chord symbols, as music21 reads them."""

    def read(self, lesson: Lesson) -> music21.stream.Score:
        """Export a lesson as MusicXML and have it read."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "a.musicxml")
            export_lesson(lesson, path)
            read = music21.converter.parse(path, forceSource=True)
        assert isinstance(read, music21.stream.Score)
        return read

    def bars(self, **second: object) -> Lesson:
        """Two phrases of a bar each, the second with what is asked."""
        times = tuple(0.5 * k for k in range(33))
        made = [
            Phrase(k + 1, "AB"[k], 2.0 * k, 2.0 * k + 2.0).with_notes(
                [note(j + 1, 2.0 * k + 0.5 * j, 3, 5 + j) for j in range(4)]
            )
            for k in range(2)
        ]
        made[1] = replace(made[1], **second)
        return recounted(Lesson(time_map=TimeMap(times), phrases=tuple(made)))

    def repeats(self, lesson: Lesson) -> list[tuple[str, float]]:
        """List repeats: which way, and at which beat of the score."""
        part = self.read(lesson).parts[0]
        return [
            (mark.direction, float(mark.getOffsetInHierarchy(part)))
            for mark in part.recurse().getElementsByClass(music21.bar.Repeat)
        ]

    def test_a_phrase_played_three_times(self) -> None:
        lesson = self.bars(repeats=3)
        self.assertEqual(sorted(self.repeats(lesson)), [("end", 8.0), ("start", 4.0)])
        ends = [
            mark.times
            for mark in self.read(lesson).recurse().getElementsByClass(music21.bar.Repeat)
            if mark.direction == "end"
        ]
        self.assertEqual(ends, [3])

    def test_a_first_ending_goes_back_to_the_phrase_before(self) -> None:
        lesson = self.bars(ending=1)
        self.assertIn(("start", 0.0), self.repeats(lesson))
        brackets = list(
            self.read(lesson).recurse().getElementsByClass(music21.spanner.RepeatBracket)
        )
        self.assertEqual([bracket.number for bracket in brackets], ["1"])

    def test_two_phrases_in_one_bar_are_not_repeated(self) -> None:
        lesson = self.bars(repeats=2)
        moved = replace(lesson.phrases[1], notes=lesson.phrases[0].notes)
        self.assertEqual(self.repeats(replace(lesson, phrases=(lesson.phrases[0], moved))), [])

    def test_chord_symbols_have_the_notes_that_music21_gives_them(self) -> None:
        pitches = {
            "Am": "A C E", "E7": "E G# B D", "Cmaj7": "C E G B", "B♭": "B- D F", "F#m7": "F# A C# E",
            "Dsus4": "D G A", "G/B": "B G D", "C5": "C G",
        }  # fmt: skip
        for symbol, names in pitches.items():
            with self.subTest(symbol):
                measure = ET.Element("measure")
                write_harmony(measure, symbol)
                element = measure.find("harmony")
                assert element is not None
                read = music21.musicxml.xmlToM21.MeasureParser().xmlToChordSymbol(element)
                self.assertEqual({p.name for p in read.pitches}, set(names.split()))

    def test_what_is_no_chord_is_left_out(self) -> None:
        measure = ET.Element("measure")
        write_harmony(measure, "N.C.")
        self.assertEqual(len(measure), 0)


if __name__ == "__main__":
    unittest.main()

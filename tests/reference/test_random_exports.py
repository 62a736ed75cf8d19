"""Fifty random lessons through every export: accepted by reference readers, the same when they come back.

Readers: music21, the W3C schema of MusicXML 4.0 (package musicxml), verovio, pretty_midi, jams, Qt's PDF.
"""

import io
import os
import tempfile
import unittest
from collections import Counter
from dataclasses import replace
from pathlib import Path

import jams
import pretty_midi
import verovio
from lxml import etree
from music21 import converter

from juxtanote.core.formats.exports import read_score
from juxtanote.core.formats.midi import write_midi
from juxtanote.core.formats.musicxml import write_musicxml
from juxtanote.core.handing_out import Wish, hand_out
from juxtanote.core.score.lesson import Lesson, Part, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.theory.tuning import Guitar
from tests.core.test_engrave import random_phrase
from tests.reference.test_against_libraries import _musicxml_schema

METRES = (TimeMap(), TimeMap(beats_per_bar=3), TimeMap(beats_per_bar=2, division=3))
LESSONS = 50
ROUND_TRIP = {
    "tap", "natural-harmonic", "pinch-harmonic", "dead", "palm-mute", "staccato", "let-ring", "bar",
    "vibrato", "bend", "pre-bend", "release",
}  # fmt: skip
"""What MusicXML says of one note alone; slurs and slides need the note before."""


def a_lesson(seed: int) -> Lesson:
    time_map, guitar = METRES[seed % 3], Guitar()
    lesson = Lesson(f"No. {seed}", time_map=time_map, parts=(Part(guitar=guitar),), key="E♭ minor")
    start = 0.0
    for number in range(1, 3):
        phrase = random_phrase(2 * seed + number, time_map)
        shifted = [_moved(n, guitar, start, time_map, 100 * number) for n in phrase.notes]
        end = max(n.offset_s for n in shifted) + 0.1
        made = Phrase(number, f"P{number}", max(start - 0.01, 0.0), end, repeats=phrase.repeats)
        lesson = lesson.with_phrase(made.with_notes(shifted))
        start = float(time_map.to_seconds(float(_bar_after(end, time_map))))
    return lesson


def _bar_after(seconds: float, time_map: TimeMap) -> int:
    return (
        int(float(time_map.to_beats(seconds)) // time_map.beats_per_bar + 1)
        * time_map.beats_per_bar
    )


def _moved(note: Note, guitar: Guitar, start: float, time_map: TimeMap, number: int) -> Note:
    """Put a note where its string and fret sound, so much later."""
    written = note.written
    heard = replace(
        note.heard, midi=float(guitar.midi_at(written.string, written.fret)),
        onset_s=note.onset_s + start, offset_s=note.offset_s + start,
    )  # fmt: skip
    onset = (written.onset_beats or 0) + round(float(time_map.to_beats(start)))
    fresh = replace(written, onset_beats=onset)
    return replace(note, ident=number + note.ident, heard=heard, written=fresh)


def facts(lesson: Lesson) -> Counter[tuple[object, ...]]:
    """Give what must come back, each as often as it is there."""
    written = [n.written for phrase in lesson.phrases for n in phrase.notes]
    return Counter(
        (w.onset_beats, w.string, w.fret, frozenset(w.techniques & ROUND_TRIP)) for w in written
    )


class TestRandomExports(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.lessons = [a_lesson(seed) for seed in range(LESSONS)]
        cls.schema = _musicxml_schema()
        held = tempfile.TemporaryDirectory()
        cls.addClassCleanup(held.cleanup)
        cls.folder = Path(held.name)

    def each(self, suffix: str, most: int = LESSONS) -> list[tuple[Lesson, Path]]:
        """Write the lessons in a format."""
        rows = []
        for number, lesson in enumerate(self.lessons[:most]):
            path = self.folder / f"{number}{suffix}"
            hand_out(lesson, path, Wish())
            rows.append((lesson, path))
        return rows

    def test_musicxml_fits_its_schema_and_comes_back(self) -> None:
        for lesson, path in self.each(".musicxml"):
            document = etree.fromstring(path.read_bytes())
            self.assertTrue(self.schema.validate(document), str(self.schema.error_log)[:400])
            rows = [row for part in read_score(path).parts for row in part.rows]
            found = Counter(
                (r.onset_beats, r.string, r.fret, frozenset(r.techniques & ROUND_TRIP))
                for r in rows
            )
            self.assertEqual(found, facts(lesson))

    def test_music21_reads_every_note(self) -> None:
        for lesson, path in self.each(".musicxml", 20):
            score = converter.parse(path)
            struck = [n for n in score.recurse().notes if n.tie is None or n.tie.type == "start"]
            moments = {n.written.onset_beats for p in lesson.phrases for n in p.notes}
            self.assertEqual(len(struck), len(moments))
            self.assertEqual(score.recurse().getElementsByClass("KeySignature")[0].sharps, -6)

    def test_verovio_draws_it(self) -> None:
        verovio.enableLog(verovio.LOG_OFF)
        tool = verovio.toolkit()
        for lesson in self.lessons[:20]:
            self.assertTrue(tool.loadData(write_musicxml(lesson)))
            self.assertIn("<svg", tool.renderToSVG(1))

    def test_midi_has_every_note(self) -> None:
        for lesson in self.lessons:
            played = pretty_midi.PrettyMIDI(io.BytesIO(write_midi(lesson)))
            count = sum(len(instrument.notes) for instrument in played.instruments)
            dead = sum("dead" in n.written.techniques for p in lesson.phrases for n in p.notes)
            total = sum(len(p.notes) for p in lesson.phrases)
            self.assertGreaterEqual(count, total - dead)

    def test_jams_and_csv_and_text(self) -> None:
        for _, path in self.each(".jams"):
            self.assertTrue(jams.load(str(path), validate=True, strict=True).annotations)
        for lesson, path in self.each(".csv"):
            rows = [row for part in read_score(path).parts for row in part.rows]
            self.assertEqual(
                sorted((r.string, r.fret, frozenset(r.techniques)) for r in rows),
                sorted(
                    (n.written.string, n.written.fret, n.written.techniques)
                    for p in lesson.phrases
                    for n in p.notes
                ),
            )
        for _, path in self.each(".txt"):
            self.assertLessEqual(max(map(len, path.read_text("utf-8").splitlines())), 80)

    def test_pdf_opens(self) -> None:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        from PyQt6.QtPdf import QPdfDocument

        from juxtanote.app.look.engraved import measure_words
        from juxtanote.app.teach.alone import painter
        from juxtanote.app.teach.paper import write_pdf

        with painter():
            for number, lesson in enumerate(self.lessons[:20]):
                path = self.folder / f"{number}.pdf"
                hand_out(lesson, path, Wish(), write_pages=write_pdf, measure=measure_words)
                document = QPdfDocument(None)
                document.load(str(path))
                self.assertEqual(document.status(), QPdfDocument.Status.Ready)
                self.assertIn(f"No. {number}", document.getAllText(0).text())
                document.close()

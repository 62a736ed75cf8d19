"""The staff over the tab, and parts under each other."""

import unittest
from dataclasses import replace
from fractions import Fraction

import numpy as np

from juxtanote.core.engrave.beams import beamed_groups
from juxtanote.core.engrave.line import Frame, Rows
from juxtanote.core.engrave.marks import strum_kind
from juxtanote.core.engrave.paper import A4, roughly
from juxtanote.core.engrave.staff import in_signature, spelled_note, staff_of
from juxtanote.core.engrave.system import PartLine, draw_systems
from juxtanote.core.formats.pages import Choices, lay_out
from juxtanote.core.formats.text_tab import write_text_tab
from juxtanote.core.score.lesson import Lesson, Part, Phrase
from juxtanote.core.score.note import HeardNote, Note, WrittenNote
from juxtanote.core.score.sections import section_letters, sounding_together
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.values import bars_of
from juxtanote.core.theory.tuning import Guitar
from tests.core.test_engrave import boxes_of, overlaps, random_phrase
from tests.lessons import small_lesson

GUITAR = Guitar()


def note(ident: int, string: int, fret: int, onset: object, length: object, *tags: str) -> Note:
    """A note of half a second a beat."""
    at = Fraction(onset)  # type: ignore[arg-type]
    heard = HeardNote(0.5 * float(at), 0.5 * float(at) + 0.4, 60.0, -18.0, 0.9)
    written = WrittenNote(
        string, fret, frozenset(tags), onset_beats=at, duration_beats=Fraction(length)  # type: ignore[arg-type]
    )  # fmt: skip
    return Note(ident, heard, written)


class TestAgainstMusic21(unittest.TestCase):
    """music21 says where pitches stand on a staff, what a signature holds and which accidentals show."""

    def test_places_are_its_diatonic_numbers(self) -> None:
        from music21 import pitch

        for key in ("", "A minor", "E♭ minor", "E major"):
            for fret in range(13):
                spelled = spelled_note(note(1, 2, fret, 0, 1), GUITAR, key)
                signs = {-2: "--", -1: "-", 0: "", 1: "#", 2: "##"}[spelled.alter]
                theirs = pitch.Pitch(f"{spelled.step}{signs}{spelled.octave}")
                self.assertEqual(theirs.diatonicNoteNum - 1, spelled.place)
                self.assertEqual(theirs.midi, 59 + fret + 12)  # an octave over its sound

    def test_signatures(self) -> None:
        from music21 import key

        for fifths in range(-7, 8):
            altered = {p.step: int(p.alter) for p in key.KeySignature(fifths).alteredPitches}
            for step in "ABCDEFG":
                self.assertEqual(in_signature(step, fifths), altered.get(step, 0), (step, fifths))

    def test_accidentals_hold_to_the_end_of_the_bar(self) -> None:
        from music21 import key, meter, pitch, stream
        from music21 import note as their_note

        rng = np.random.default_rng(2)
        for name, fifths in (("A minor", 0), ("E♭ minor", -6), ("E major", 4)):
            frets = rng.integers(0, 12, size=8).tolist()  # each pitch class in one octave
            notes = [
                note(k + 1, 3, fret, Fraction(k, 2), Fraction(1, 2)) for k, fret in enumerate(frets)
            ]
            row = [(m, 1.0 * k) for k, m in enumerate(bars_of(notes, range(1), TimeMap())[0])]
            (voice,) = staff_of([[(row, None)]], GUITAR, name).bars[0]
            ours = [heads[0].accidental for _, _, heads in voice.moments]
            measure = stream.Measure()
            measure.append(key.KeySignature(fifths))
            measure.append(meter.TimeSignature("4/4"))
            for n in notes:
                spelled = spelled_note(n, GUITAR, name)
                signs = {-2: "--", -1: "-", 0: "", 1: "#", 2: "##"}[spelled.alter]
                measure.append(their_note.Note(
                    pitch.Pitch(f"{spelled.step}{signs}{spelled.octave}"), quarterLength=0.5
                ))  # fmt: skip
            # Without what it adds as a courtesy in other octaves.
            measure.makeAccidentals(
                inPlace=True, cautionaryPitchClass=False, cautionaryNotImmediateRepeat=False
            )
            theirs = [
                int(n.pitch.accidental.alter)
                if n.pitch.accidental is not None and n.pitch.accidental.displayStatus
                else None
                for n in measure.notes
            ]
            self.assertEqual(ours, theirs, (name, frets))


class TestStaffOnPages(unittest.TestCase):
    def test_nothing_written_overlaps(self) -> None:
        for seed in range(40):
            time_map = (TimeMap(), TimeMap(beats_per_bar=2, division=3))[seed % 2]
            lesson = Lesson("T", time_map=time_map, key="E minor", chords=((1, "Em"), (3, "Am7")))
            lesson = lesson.with_phrase(random_phrase(seed, time_map))
            for page in lay_out(lesson, choices=Choices(rows=Rows(staff=True))):
                for _, block in page.blocks:
                    words = [box for box in boxes_of(block) if box[4] != "shape"]
                    for index, one in enumerate(words):
                        for other in words[index + 1 :]:
                            self.assertFalse(overlaps(one, other), f"{seed}: {one} over {other}")

    def test_a_staff_stands_over_each_line(self) -> None:
        plain = lay_out(small_lesson(), choices=Choices(breakdown=False))
        over = lay_out(small_lesson(), choices=Choices(rows=Rows(staff=True), breakdown=False))
        self.assertGreater(
            sum(len(page.strokes) for page in over), sum(len(page.strokes) for page in plain) + 10
        )

    def test_dead_notes_are_crosses_without_accidentals(self) -> None:
        row = [(m, 0.0) for m in bars_of([note(1, 3, 1, 0, 4, "dead")], range(1), TimeMap())[0]]
        (voice,) = staff_of([[(row, None)]], GUITAR, "C major").bars[0]
        self.assertIsNone(voice.moments[0][2][0].accidental)


class TestTogether(unittest.TestCase):
    def lines(self, seed: int) -> list[PartLine]:
        lines = []
        for k in range(2):
            phrase = random_phrase(seed + k, TimeMap())
            notes = tuple(replace(n, ident=100 * k + n.ident) for n in phrase.notes)
            lines.append(PartLine(f"Part {k}", notes, Lesson().context()))
        return lines

    def test_what_sounds_together_stands_together(self) -> None:
        for seed in range(12):
            lines = self.lines(2 * seed)
            onset_of = {n.ident: n.written.onset_beats for line in lines for n in line.notes}
            grace = {n.ident for line in lines for n in line.notes if not n.written.duration_beats}
            blocks = draw_systems(lines, A4, roughly, Rows(), Frame())
            found: dict[tuple[int, object], set[float]] = {}
            for number, block in enumerate(blocks):
                for ident, x, _, _ in block.places:
                    if ident not in grace:
                        found.setdefault((number, onset_of[ident]), set()).add(round(x, 3))
            self.assertEqual({ident for b in blocks for ident, *_ in b.places}, set(onset_of))
            for where, xs in found.items():
                self.assertEqual(len(xs), 1, (seed, where, xs))

    def test_phrases_of_two_parts_are_one_group(self) -> None:
        lesson = small_lesson()
        first = lesson.phrases[0]
        under = replace(first, ident=99, part=2, name="Under", variants=())
        both = replace(lesson, parts=(*lesson.parts, Part(2, "Second"))).with_phrase(under)
        groups = sounding_together(both.phrases)
        self.assertIn([first.ident, 99], [sorted(p.ident for p in g) for g in groups])
        text = " ".join(
            w.text for page in lay_out(both, choices=Choices(together=True)) for w in page.words
        )
        self.assertIn("Second", text)


class TestStrums(unittest.TestCase):
    def chord(self, spread_s: float, *tags: str) -> list[Note]:
        notes = [note(k + 1, 6 - k, 3, 0, 1, *tags) for k in range(4)]
        return [
            replace(n, heard=replace(n.heard, onset_s=n.onset_s + spread_s * k / 3))
            for k, n in enumerate(notes)
        ]

    def test_kinds(self) -> None:
        self.assertEqual(strum_kind(self.chord(0.004)), "")
        self.assertEqual(strum_kind(self.chord(0.020)), "strummed")
        self.assertEqual(strum_kind(self.chord(0.060)), "rolled")
        self.assertEqual(strum_kind(self.chord(0.020, "dead")), "damped")
        self.assertEqual(strum_kind(self.chord(0.020)[:2]), "")

    def test_text_tab_says_them_too(self) -> None:
        lesson = Lesson("T")
        for spread, word in ((0.020, "D"), (0.060, "D~")):
            phrase = Phrase(1, "A", 0.0, 4.0).with_notes(self.chord(spread))
            text = write_text_tab(lesson.with_phrase(phrase))
            self.assertIn("strummed down", text)
            self.assertIn(word, [line.strip() for line in text.splitlines()])


class TestLetters(unittest.TestCase):
    def test_what_is_written_the_same_has_the_same_letter(self) -> None:
        lesson = small_lesson()
        first = replace(lesson.phrases[0], name="Opening")
        again = replace(first, ident=50, name="Again", variants=())
        other = replace(first, ident=51, name="Other", notes=first.notes[:-1], variants=())
        self.assertEqual(list(section_letters([first, other, again]).values()), ["A", "B", "A"])
        self.assertEqual(section_letters([first, again, other])[51], "B")
        named = [replace(first, name="B"), replace(other, name="C")]
        self.assertEqual(list(section_letters(named).values()), ["B", "C"])


class TestBeams(unittest.TestCase):
    def test_short_notes_of_a_beat_are_one_group_and_a_rest_parts_them(self) -> None:
        """Common practice."""
        onsets = [Fraction(0), Fraction(1, 4), Fraction(3, 4), Fraction(1), Fraction(2)]
        lengths = [Fraction(1, 4), Fraction(1, 4), Fraction(1, 4), Fraction(1), Fraction(1, 2)]
        notes = [
            note(k + 1, 1, 3, o, d) for k, (o, d) in enumerate(zip(onsets, lengths, strict=True))
        ]
        row = [(m, float(m.onset)) for m in bars_of(notes, range(1), TimeMap())[0]]
        groups = [[str(m.onset) for m, _ in group] for group in beamed_groups(row)]
        self.assertEqual(groups, [["0", "1/4"], ["3/4"], ["1"], ["2"]])

"""Pages as an engraver sets them: nothing overlaps, values as they are written, lines that are filled."""

import unittest
from dataclasses import replace
from fractions import Fraction

import numpy as np

from juxtanote.core.engrave.legend import ENTRIES
from juxtanote.core.engrave.line import Rows, string_names
from juxtanote.core.engrave.paper import LETTER, POINT, Block, roughly
from juxtanote.core.engrave.spacing import Bar, fingers_of, lines_of
from juxtanote.core.formats.pages import Choices, bars_in, lay_out
from juxtanote.core.score.lesson import Lesson, Part, Phrase
from juxtanote.core.score.note import HeardNote, Note, WrittenNote
from juxtanote.core.score.techniques import TECHNIQUES
from juxtanote.core.score.time_map import Metre, TimeMap
from juxtanote.core.score.values import Moment, bars_of, pieces_of
from juxtanote.core.theory.tuning import Guitar
from tests.lessons import small_lesson

TAGS = (
    "hammer-on", "pull-off", "slide", "bend", "pre-bend", "vibrato", "tap", "natural-harmonic",
    "pinch-harmonic", "dead", "palm-mute", "staccato", "let-ring", "bar",
)  # fmt: skip
STEPS = [Fraction(1, 4), Fraction(1, 3), Fraction(1, 2), Fraction(1), Fraction(3, 2), Fraction(2)]
ARC = 13  # points of a slur or a tie
Box = tuple[float, float, float, float, str]


def random_phrase(seed: int, time_map: TimeMap, strings: int = 6) -> Phrase:
    """A phrase of anything that can be written: dense with even seeds, sparse with odd ones."""
    rng = np.random.default_rng(seed)
    at, notes = Fraction(int(rng.integers(0, 4))), []
    steps = STEPS[:3] if seed % 2 == 0 else STEPS[2:]
    for _ in range(int(rng.integers(3, 28))):
        step = steps[int(rng.integers(len(steps)))]
        if step.denominator == 3 and at.denominator not in (1, 3):
            step = Fraction(1, 4)
        if at.denominator == 3 and step.denominator != 3:
            step = Fraction(1, 3)
        many = 1 if rng.random() < 0.85 else int(rng.integers(2, 5))
        for string in rng.permutation(np.arange(1, strings + 1))[:many]:
            tags = {t for t in TAGS if rng.random() < 0.08}
            if "pre-bend" in tags:
                tags.discard("bend")
            if tags & {"bend", "pre-bend"} and rng.random() < 0.4:
                tags.add("release")
            length = step * (1 if rng.random() < 0.8 else Fraction(1, 2))
            written = WrittenNote(
                int(string), int(rng.integers(0, 23)), frozenset(tags),
                float(rng.choice([0.5, 1, 2, 3])) if tags & {"bend", "pre-bend"} else 0.0,
                str(rng.integers(1, 5)), str(rng.choice(["down", "up"])), at, length,
            )  # fmt: skip
            start = float(time_map.to_seconds(float(at)))
            heard = HeardNote(start, start + 0.4, 60.0)
            notes.append(Note(len(notes) + 1, heard, written))
        at += step
    end = float(time_map.to_seconds(float(at))) + 0.5
    return Phrase(1, "A", 0.0, end, repeats=int(rng.integers(1, 4))).with_notes(notes)


def boxes_of(block: Block) -> list[Box]:
    """Give the box of everything written, and of every filled shape larger than a dot that is no beam."""
    boxes: list[Box] = []
    for w in block.words:
        wide, high = roughly(w.text, w.size, w.bold), 0.70 * w.size * POINT
        left = {"left": w.x, "middle": w.x - wide / 2, "right": w.x - wide}[w.anchor]
        boxes.append((left, w.y - high, left + wide, w.y, w.text))
    for shape in block.shapes:
        xs, ys = zip(*shape.points, strict=True)
        boxes.append((min(xs), min(ys), max(xs), max(ys), "shape"))
    return boxes


def overlaps(one: Box, other: Box) -> bool:
    """Whether two boxes share more than their edges."""
    wide = min(one[2], other[2]) - max(one[0], other[0])
    high = min(one[3], other[3]) - max(one[1], other[1])
    return wide > 0.05 and high > 0.05


class TestNothingOverlaps(unittest.TestCase):
    def test_on_two_hundred_random_phrases(self) -> None:
        metres = (TimeMap(), TimeMap(beats_per_bar=3), TimeMap(beats_per_bar=2, division=3))
        for seed in range(200):
            time_map = metres[seed % 3]
            chords = tuple((bar, "Am7 D7") for bar in range(1, 9, 2))
            lesson = Lesson("T", time_map=time_map, chords=chords)
            lesson = lesson.with_phrase(random_phrase(seed, time_map))
            for page in lay_out(lesson):
                for _, block in page.blocks:
                    self._check(block, seed)

    def _check(self, block: Block, seed: int) -> None:
        boxes = boxes_of(block)
        for index, one in enumerate(boxes):
            for other in boxes[index + 1 :]:
                if one[4] == other[4] == "shape":
                    continue  # beams lie on beams, tips on lines
                if overlaps(one, other):
                    self.fail(f"seed {seed}: {one} over {other}")
        curves = [p for stroke in block.strokes if len(stroke.points) == ARC for p in stroke.points]
        for left, top, right, bottom, text in boxes:
            inside = [(x, y) for x, y in curves if left < x < right and top < y < bottom]
            if inside and text[0].isalpha() and text != "shape":
                self.fail(f"seed {seed}: an arc through {text}")

    def test_everything_is_on_the_paper(self) -> None:
        for choices in (Choices(), Choices("Letter"), Choices(large=True)):
            paper = choices.sheet
            lesson = small_lesson()
            for page in lay_out(lesson, choices=choices):
                for word in page.words:
                    wide = roughly(word.text, word.size, word.bold)
                    left = {"left": word.x, "middle": word.x - wide / 2, "right": word.x - wide}
                    self.assertGreaterEqual(left[word.anchor], 0.0)
                    self.assertLessEqual(left[word.anchor] + wide, paper.width, word.text)
                    self.assertLessEqual(word.y, paper.height)

    def test_letter_is_the_american_size(self) -> None:
        """ANSI/ASME Y14.1: size A is 8.5 by 11 inches."""
        self.assertAlmostEqual(LETTER.full_width, 8.5 * 25.4)
        self.assertAlmostEqual(LETTER.full_height, 11 * 25.4)


class TestLines(unittest.TestCase):
    def test_lines_are_filled_and_no_bar_is_alone(self) -> None:
        rng = np.random.default_rng(4)
        for count in range(2, 24):
            bars = [Bar(k, (), (float(rng.uniform(25, 60)),)) for k in range(count)]
            lines = lines_of(bars, 172.0)
            self.assertEqual([b for line in lines for b in line], bars)
            for line in lines[:-1]:
                used = sum(bar.natural for bar in line)
                self.assertLess(used * 0.92, 172.0)
                self.assertGreater(used, 172.0 / 1.9)
            if len(lines) > 1:
                self.assertGreater(len(lines[-1]), 1)

    def test_a_string_has_its_octave_where_a_letter_comes_twice(self) -> None:
        self.assertEqual(string_names((40, 45, 50, 55, 59, 64)), ["E4", "B", "G", "D", "A", "E2"])


def one(onset: object, length: object, *tags: str) -> Note:
    written = WrittenNote(
        1, 5, frozenset(tags), onset_beats=Fraction(onset), duration_beats=Fraction(length)  # type: ignore[arg-type]
    )  # fmt: skip
    return Note(1, HeardNote(1.0, 1.5, 64.0), written)


def told(moment: Moment) -> str:
    what = "rest" if moment.is_rest else "note"
    value = moment.value.base + "." * moment.value.dots if moment.value else "bar"
    return f"{what} {value}" + (" ~" if moment.holds_on else "")


class TestValues(unittest.TestCase):
    """What is written out of times: common practice in engraving."""

    def test_bars_are_filled(self) -> None:
        for seed in range(60):
            time_map = (TimeMap(), TimeMap(beats_per_bar=3), TimeMap(beats_per_bar=2, division=3))[
                seed % 3
            ]
            phrase = random_phrase(seed, time_map)
            notes = sorted(phrase.notes, key=lambda n: n.written.onset_beats or Fraction(0))
            for bar in bars_of(notes, range(0, 24), time_map):
                self.assertEqual(sum(m.length for m in bar), time_map.beats_per_bar)
                for moment in bar:
                    if moment.value is not None:
                        quarters = moment.length * time_map.quarters_per_beat
                        self.assertEqual(moment.value.quarters, quarters)

    def test_over_a_bar_line_a_note_is_tied(self) -> None:
        bars = bars_of([one(3, 2), one(5, 1)], range(0, 2), TimeMap())
        self.assertEqual(
            [[told(m) for m in bar] for bar in bars],
            [
                ["rest half", "rest quarter", "note quarter ~"],
                ["note quarter", "note quarter", "rest half"],
            ],
        )

    def test_a_beat_shows_where_it_would_be_hidden(self) -> None:
        self.assertEqual(
            pieces_of(Fraction(3, 4), Fraction(1), Metre()), (Fraction(1, 4), Fraction(3, 4))
        )
        self.assertEqual(pieces_of(Fraction(1, 2), Fraction(1), Metre()), (1,))
        self.assertEqual(pieces_of(Fraction(3, 2), Fraction(1), Metre()), (Fraction(1, 2),) * 2)
        self.assertEqual(pieces_of(Fraction(1), Fraction(3), Metre()), (2, 1))

    def test_an_empty_bar_has_one_rest(self) -> None:
        bars = bars_of([one(0, 1)], range(0, 2), TimeMap())
        self.assertEqual([told(m) for m in bars[1]], ["rest bar"])

    def test_what_is_cut_short_by_its_sign_is_written_whole(self) -> None:
        bars = bars_of([one(0, "1/4", "staccato"), one(1, 1)], range(0, 1), TimeMap())
        self.assertEqual(told(bars[0][0]), "note quarter")

    def test_values_are_as_music21_counts_them(self) -> None:
        """music21 (M. S. Cuthbert): lengths of types with dots and tuplets."""
        from music21 import duration

        from juxtanote.core.score.values import split_length

        for numerator in range(1, 97):
            for value in split_length(Fraction(numerator, 24)):
                theirs = duration.Duration(type=value.base, dots=value.dots)
                if value.tuplet:
                    theirs.appendTuplet(duration.Tuplet(*value.tuplet))
                self.assertEqual(Fraction(theirs.quarterLength), value.quarters)


class TestHandout(unittest.TestCase):
    def test_what_is_written_the_same_is_named_and_not_printed_again(self) -> None:
        lesson = small_lesson()
        first = lesson.phrases[0]
        notes = tuple(
            replace(n, heard=replace(n.heard, onset_s=n.onset_s + 40, offset_s=n.offset_s + 40),
                    written=replace(n.written, onset_beats=(n.written.onset_beats or 0) + 64))
            for n in first.notes
        )  # fmt: skip
        again = replace(
            first, ident=99, name="Z", start_s=first.start_s + 40, end_s=first.end_s + 40,
            notes=notes, variants=(),
        )  # fmt: skip
        words = [w.text for page in lay_out(lesson.with_phrase(again)) for w in page.words]
        self.assertTrue(any(f"written as “{first.name}”" in text for text in words))

    def test_every_technique_has_its_sign_explained(self) -> None:
        for tag in TECHNIQUES:
            note = Note(1, HeardNote(0.0, 1.0, 60.0), WrittenNote(1, 5, frozenset({tag})))
            self.assertEqual(sum(entry.is_used(note) for entry in ENTRIES), 1, tag)

    def test_only_signs_that_are_used_are_explained(self) -> None:
        phrase = Phrase(1, "A", 0.0, 4.0, (one(0, 1, "vibrato"),))
        words = [w.text for page in lay_out(Lesson("T", phrases=(phrase,))) for w in page.words]
        self.assertIn("vibrato", words)
        self.assertNotIn("slide", words)

    def test_rows_can_be_left_out(self) -> None:
        lesson = small_lesson()
        plain = Choices(rows=Rows(counts=False, strokes=False, fingers=False), breakdown=False)
        words = [w.text for page in lay_out(lesson, choices=plain) for w in page.words]
        self.assertNotIn("&", words)
        self.assertNotIn("⊓", words)

    def test_seven_strings_and_compound_time(self) -> None:
        time_map = TimeMap(beats_per_bar=2, division=3)
        guitar = Guitar(tuning=(35, 40, 45, 50, 55, 59, 64))
        lesson = Lesson("T", parts=(Part(guitar=guitar),), time_map=time_map)
        lesson = lesson.with_phrase(random_phrase(8, time_map, strings=7))
        self.assertTrue(lay_out(lesson)[0].blocks)
        phrase = lesson.phrases[0]
        bars = bars_in(phrase, lesson.context(phrase), roughly, counts=True)
        self.assertTrue(all(sum(m.length for m in b.moments) <= 2 for b in bars))


class TestGrips(unittest.TestCase):
    def test_fingers_stand_under_each_other_and_a_grip_in_one_line(self) -> None:
        """Fingers of a chord are written from the thickest string on (common practice)."""

        def fingered(*of: tuple[int, str]) -> list[str]:
            return fingers_of(
                [
                    Note(s, HeardNote(0.0, 1.0, 60.0), WrittenNote(s, 5, finger=finger))
                    for s, finger in of
                ]
            )

        self.assertEqual(fingered((5, "4"), (4, "1")), ["1", "4"])
        self.assertEqual(fingered((3, "2"), (2, ""), (1, "1")), ["1", "2"])
        self.assertEqual(fingered((1, "1"), (2, "1"), (3, "2"), (4, "4")), ["4211"])
        self.assertEqual(fingered((1, "")), [])

    def page(self, frets: dict[int, int]) -> list[str]:
        notes = []
        for string, fret in frets.items():
            written = WrittenNote(string, fret, onset_beats=Fraction(0), duration_beats=Fraction(2))
            notes.append(Note(string, HeardNote(0.0, 1.0, 60.0), written))
        phrase = Phrase(1, "A", 0.0, 2.0).with_notes(notes)
        return [w.text for page in lay_out(Lesson("T", phrases=(phrase,))) for w in page.words]

    def test_a_grip_has_its_name(self) -> None:
        """Shapes as every method book has them (common practice)."""
        for frets, name in (
            ({1: 0, 2: 1, 3: 2, 4: 2, 5: 0}, "Am"), ({4: 0, 3: 2, 2: 3, 1: 2}, "D"),
            ({6: 3, 5: 5, 4: 5}, "G5"), ({5: 3, 4: 2, 3: 0, 2: 1, 1: 0, 6: 3}, "C/G"),
            ({5: 0, 4: 2, 3: 0, 2: 1, 1: 0}, "Am7"),
        ):  # fmt: skip
            self.assertIn(name, self.page(frets))

    def test_names_are_as_music21_has_them(self) -> None:
        """music21 (M. S. Cuthbert): the figure of a chord in root position."""
        from music21 import chord, harmony

        from juxtanote.core.theory.chords import QUALITIES, quality_of

        for quality, figure in (
            ("", ""),
            ("m", "m"),
            ("7", "7"),
            ("maj7", "maj7"),
            ("m7", "m7"),
            ("dim", "dim"),
        ):
            pitches = [48 + step for step in QUALITIES[quality]]
            self.assertEqual(quality_of(pitches), (0, quality, 0))
            told = harmony.chordSymbolFigureFromChord(chord.Chord(pitches))
            self.assertEqual(told, f"C{figure}")

"""Two voices where something is held over a line: what is split, how it is written, what others read."""

import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from juxtanote.core.engrave.line import Rows
from juxtanote.core.formats.breakdown import generate_breakdown
from juxtanote.core.formats.musicxml import write_musicxml
from juxtanote.core.formats.musicxml_read import read_musicxml
from juxtanote.core.formats.pages import Choices, lay_out
from juxtanote.core.formats.text_tab import write_text_tab
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import HeardNote, Note, WrittenNote
from juxtanote.core.score.rhythm import write_phrase
from juxtanote.core.score.value_edits import SHORTER, TIED, change_values
from juxtanote.core.score.values import bars_taken, by_onset
from juxtanote.core.score.voices import cut_by_strings, rings, split, voices_of_bars
from tests.core.test_engrave import boxes_of, overlaps
from tests.lessons import small_lesson

OPEN = (40, 45, 50, 55, 59, 64)
Row = tuple[int, int, float, float]  # string, fret, from and to in beats
MELODY: list[Row] = [(2, 0, 0, 0.5), (2, 3, 0.5, 1), (1, 3, 1, 2), (1, 2, 2, 3), (1, 0, 3, 4)]
BASS: Row = (6, 3, 0, 3.9)
TIME_MAP = small_lesson().time_map


def heard(rows: list[Row], *tags: str) -> Phrase:
    """A phrase as it was heard, its written time made of that."""
    notes = []
    for number, (string, fret, begin, end) in enumerate(sorted(rows, key=lambda r: (r[2], -r[0]))):
        times = (float(TIME_MAP.to_seconds(at)) for at in (begin, end))
        sound = HeardNote(*times, OPEN[6 - string] + fret)
        notes.append(Note(number + 1, sound, WrittenNote(string, fret, frozenset(tags))))
    return write_phrase(Phrase(1, "A", 0.0, 30.0).with_notes(notes), TIME_MAP)


def lesson(phrase: Phrase) -> Lesson:
    """A lesson of that phrase alone."""
    return replace(small_lesson(), phrases=(phrase,), key="G major")


def lower(phrase: Phrase) -> list[int]:
    """Strings of the lower voice."""
    return [n.written.string for n in split(cut_by_strings(by_onset(phrase.notes)))[1]]


class TestSplitting(unittest.TestCase):
    def test_a_bass_that_is_held_under_a_melody_is_a_voice(self) -> None:
        phrase = heard([BASS, *MELODY])
        self.assertEqual(lower(phrase), [6])
        lengths = {
            n.written.string * 100 + n.written.fret: n.written.duration_beats for n in phrase.notes
        }
        self.assertEqual(lengths[603], 4)
        self.assertEqual(lengths[203], Fraction(1, 2))

    def test_a_line_under_what_is_held_is_the_lower_voice(self) -> None:
        line = [(3, fret, 0.5 * k, 0.5 * k + 0.5) for k, fret in enumerate((4, 5, 7, 5, 4, 2))]
        self.assertEqual(lower(heard([(1, 7, 0, 3.0), *line])), [3] * 5)

    def test_a_thumb_that_alternates_under_a_line_is_a_voice(self) -> None:
        """The thumb on the beat, the fingers beside it, stems down and up (common practice)."""
        bass = [(6 - 2 * (k % 2), 3, float(k), k + 0.95) for k in range(8)]
        line = [(1 + k % 2, 3, k + 0.5, k + 0.9) for k in range(8) if k % 4 != 3]
        self.assertEqual(lower(heard([*bass, *line])), [6, 4] * 4)
        damped = [(string, fret, begin, begin + 0.4) for string, fret, begin, _ in bass]
        self.assertEqual(lower(heard([*damped, *line])), [])
        uneven = [(6, 3, at, at + 0.9) for at in (0.0, 1.0, 1.5, 3.0, 4.5, 5.0, 7.0)]
        self.assertEqual(lower(heard([*uneven, *line])), [])

    def test_lines_and_broken_chords_stay_one_voice(self) -> None:
        self.assertEqual(lower(heard(MELODY)), [])
        ringing = [(6 - k, 2, 0.5 * k, 4.0) for k in range(6)]
        self.assertEqual(lower(heard(ringing)), [])
        self.assertEqual(lower(heard([BASS, *MELODY], "let-ring")), [])
        legato = [(1 + k % 2, 3 + k % 2, 0.5 * k, 0.5 * k + 0.8) for k in range(8)]
        self.assertEqual(lower(heard(legato)), [])

    def test_a_string_that_is_struck_again_is_not_held(self) -> None:
        phrase = heard([BASS, *MELODY])
        again = [
            replace(n, written=replace(n.written, string=6, fret=24)) if n.written.fret == 2 else n
            for n in phrase.notes
        ]
        (ring,) = rings(by_onset(again))
        self.assertEqual((ring.string, ring.onset, ring.end), (6, 0, 2))


class TestWriting(unittest.TestCase):
    def setUp(self) -> None:
        rows = [BASS, *MELODY]
        later = [(s, f, a + 4, b + 4) for s, f, a, b in rows]
        self.lesson = lesson(heard([*rows, *later]))
        self.notes = cut_by_strings(by_onset(self.lesson.phrases[0].notes))

    def test_both_voices_fill_their_bars(self) -> None:
        numbers, pickup = bars_taken(self.notes, TIME_MAP)
        for upper, under in voices_of_bars(self.notes, numbers, TIME_MAP, pickup=pickup):
            for voice in (upper, under):
                self.assertEqual(sum(m.length for m in voice), TIME_MAP.beats_per_bar)
                ends = [m.onset + m.length for m in voice]
                self.assertEqual(ends[:-1], [m.onset for m in voice[1:]])

    def test_music21_reads_two_voices_with_their_lengths(self) -> None:
        from music21 import converter

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "two.musicxml")
            path.write_text(write_musicxml(self.lesson), "utf-8")
            measures = (
                converter.parse(path, forceSource=True).parts[0].getElementsByClass("Measure")
            )
            for measure in measures:
                upper, under = measure.voices
                self.assertEqual(
                    [(float(n.offset), float(n.quarterLength)) for n in upper.notes],
                    [(0.0, 0.5), (0.5, 0.5), (1.0, 1.0), (2.0, 1.0), (3.0, 1.0)],
                )
                self.assertEqual([float(n.quarterLength) for n in under.notes], [4.0])
                self.assertEqual([n.pitch.midi for n in under.notes], [43])

    def test_what_is_held_comes_back_from_musicxml(self) -> None:
        rows = read_musicxml(write_musicxml(self.lesson).encode()).parts[0].rows
        ours = sorted(
            (n.written.onset_beats, n.written.string, n.written.duration_beats) for n in self.notes
        )
        self.assertEqual(sorted((r.onset_beats, r.string, r.duration_beats) for r in rows), ours)

    def test_text_tab_shows_how_long(self) -> None:
        text = write_text_tab(self.lesson)
        (low,) = [line for line in text.splitlines() if line.startswith(" E2")]
        self.assertIn("3=======", low)
        self.assertIn("= sounds on", text)
        self.assertNotIn("=", write_text_tab(lesson(heard(MELODY))))

    def test_the_breakdown_says_what_sounds_on(self) -> None:
        phrase = self.lesson.phrases[0]
        self.assertIn("Let string 6 sound on", generate_breakdown(phrase, self.lesson))
        plain = lesson(heard(MELODY))
        self.assertNotIn("sound on", generate_breakdown(plain.phrases[0], plain))

    def test_pages_with_a_staff_have_stems_both_ways_and_nothing_overlaps(self) -> None:
        for rows in (Rows(), Rows(staff=True)):
            for page in lay_out(self.lesson, choices=Choices(rows=rows)):
                for _, block in page.blocks:
                    boxes = boxes_of(block)
                    for k, one in enumerate(boxes):
                        self.assertFalse([o for o in boxes[k + 1 :] if overlaps(one, o)])
        plain = lay_out(lesson(heard(MELODY)))
        words = [w.text for page in lay_out(self.lesson) for _, b in page.blocks for w in b.words]
        self.assertIn("sounds on to the end of the line", words)
        self.assertNotIn(
            "sounds on to the end of the line",
            [w.text for page in plain for _, b in page.blocks for w in b.words],
        )


class TestByHand(unittest.TestCase):
    def test_tied_again_holds_over_the_next(self) -> None:
        now = lesson(heard([(6, 3, 0, 0.5), *MELODY]))
        ident = next(n.ident for n in now.phrases[0].notes if n.written.string == 6)

        def length() -> Fraction | None:
            return next(n.written.duration_beats for n in now.phrases[0].notes if n.ident == ident)

        seen = []
        for change in (TIED, TIED, TIED, SHORTER):
            now = change_values(now, 1, [ident], change)
            seen.append(length())
        self.assertEqual(seen, [1, 2, 3, 2])
        melody = [n for n in now.phrases[0].notes if n.written.string != 6]
        self.assertEqual([n.written.duration_beats for n in melody][:2], [Fraction(1, 2)] * 2)
        self.assertEqual(lower(now.phrases[0]), [6])


if __name__ == "__main__":
    unittest.main()

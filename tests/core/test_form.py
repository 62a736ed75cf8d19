"""Chords, form, repeats, metres and edits of the time map."""

import unittest
from dataclasses import replace
from fractions import Fraction

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from music21 import harmony, meter

from juxtanote.core.analysis.chords import suggest_chords
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.formats.breakdown import generate_breakdown, note_role
from juxtanote.core.formats.musicxml import write_musicxml
from juxtanote.core.score.beams import beams_of, count_word
from juxtanote.core.score.cuts import propose_cuts
from juxtanote.core.score.feel import measure_feel
from juxtanote.core.score.form import chord_at, form_position, set_chords
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import HeardNote, Note, WrittenNote
from juxtanote.core.score.repeats import bar_repeats, compare, order_of_parts, phrase_repeats
from juxtanote.core.score.rhythm import quantise
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timing import recounted
from juxtanote.core.theory.chords import QUALITIES, parse_chord, parse_progression
from juxtanote.core.units import midi_to_hz

STEADY = TimeMap(tuple(0.5 * k for k in range(65)))


def notes_at(first_s: float, *pitches: int, tags: dict[int, str] | None = None) -> list[Note]:
    """Make eighth notes at 120 beats a minute on the two thin strings."""
    found = []
    for k, midi in enumerate(pitches):
        start = first_s + 0.25 * k
        techniques = frozenset({tags[k]}) if tags and k in tags else frozenset()
        string = 1 if midi >= 64 else 2
        written = WrittenNote(string, midi - (64 if string == 1 else 59), techniques)
        found.append(Note(k + 1, HeardNote(start, start + 0.24, float(midi)), written))
    return found


def lesson_of(*phrases: list[Note], **fields: object) -> Lesson:
    """Make a lesson with one phrase for each row of notes."""
    made = [
        Phrase(k + 1, chr(65 + k), notes[0].onset_s, notes[-1].offset_s + 0.01, tuple(notes))
        for k, notes in enumerate(phrases)
    ]
    return recounted(Lesson(time_map=STEADY, phrases=tuple(made), **fields))


class TestChords(unittest.TestCase):
    def test_tones_agree_with_music21(self) -> None:
        """Chord tones as the general music library music21 gives them for the same symbols."""
        for quality in (
            "",
            "m",
            "7",
            "maj7",
            "m7",
            "6",
            "m6",
            "sus4",
            "sus2",
            "dim",
            "dim7",
            "aug",
        ):
            for root in ("C", "F", "A"):
                theirs = harmony.ChordSymbol(root + quality).pitches
                with self.subTest(chord=root + quality):
                    self.assertEqual(
                        parse_chord(root + quality).tones, {p.pitchClass for p in theirs}
                    )

    def test_symbols_that_are_none_are_explained(self) -> None:
        for text in ("X7", "Axyz", "", "a", "C/"):
            with self.subTest(text=text), self.assertRaises(ValueError):
                parse_chord(text)

    def test_a_progression_is_read_bar_by_bar(self) -> None:
        self.assertEqual(parse_progression("| Am |  Dm G | | E7 |"), ["Am", "Dm G", "Dm G", "E7"])
        self.assertEqual(parse_progression("  "), [])

    def test_a_struck_chord_is_suggested(self) -> None:
        """Harmonic tones of each triad by arithmetic; the suggestion must find root and third."""
        times = np.arange(2 * SAMPLE_RATE) / SAMPLE_RATE
        for root, quality in ((45, "m"), (43, ""), (40, "7"), (50, "m")):
            midi = [root - 12, *(root + 12 + step for step in QUALITIES[quality])]
            audio = sum(
                np.sin(2 * np.pi * k * midi_to_hz(m) * times) / k**1.5
                for m in midi
                for k in range(1, 6)
            )
            audio = (0.1 * audio * np.exp(-0.5 * times)).astype(np.float32)
            found = suggest_chords(audio, [(7, 0.0, 2.0)], key="")
            with self.subTest(root=root, quality=quality):
                chord = parse_chord(found[0].symbol)
                self.assertEqual((found[0].bar, chord.root), (7, root % 12))
                self.assertEqual((root + 3) % 12 in chord.tones, quality.startswith("m"))


class TestForm(unittest.TestCase):
    def test_bars_are_counted_in_the_form(self) -> None:
        lesson = Lesson(time_map=STEADY, form_bars=12)
        self.assertEqual(form_position(lesson, 2.0 * 10 + 0.1), "bar 11 of 12")
        self.assertEqual(form_position(lesson, 2.0 * 12), "bar 1 of 12")
        self.assertEqual(form_position(replace(lesson, form_bars=0), 3.0), "")

    def test_chords_come_again_with_the_form(self) -> None:
        lesson = Lesson(time_map=STEADY, form_bars=4)
        lesson = replace(lesson, chords=set_chords(lesson, 1, ["Am", "Dm G", "", "E7"]))
        self.assertEqual(chord_at(lesson, 2.1), "Dm")
        self.assertEqual(chord_at(lesson, 3.2), "G")
        self.assertEqual(chord_at(lesson, 8.1), "Am")  # bar 5
        self.assertEqual(chord_at(lesson, 4.5), "")

    def test_a_note_is_named_over_its_chord(self) -> None:
        lesson = lesson_of(
            notes_at(0.0, 72, 74, 75), key="A minor", scale="minor pentatonic", chords=((1, "Am"),)
        )
        roles = [note_role(n, lesson.context()) for n in lesson.phrases[0].notes]
        self.assertIn("flat third of Am", roles[0])
        self.assertIn("scale tone over Am", roles[1])
        self.assertIn("outside the scale (flat fifth)", roles[2])

    def test_words_that_are_no_chord_are_left_alone(self) -> None:
        lesson = lesson_of(notes_at(0.0, 72, 74, 75, 72), key="A minor", chords=((1, "purple"),))
        self.assertNotIn("purple", note_role(lesson.phrases[0].notes[0], lesson.context()))
        self.assertIn("It lands on", generate_breakdown(lesson.phrases[0], lesson))
        self.assertNotIn("<harmony", write_musicxml(lesson))

    def test_a_first_ending_goes_back_to_the_phrase_before(self) -> None:
        rows = [notes_at(2.0 * k, *(69 + k,) * 8) for k in range(4)]
        lesson = lesson_of(*rows)
        phrases = [replace(p, ending=max(k - 1, 0)) for k, p in enumerate(lesson.phrases)]
        text = write_musicxml(replace(lesson, phrases=tuple(phrases)))
        forward = text.index('<repeat direction="forward"')
        bars = [text.index(f'<measure number="{n}"') for n in (2, 3, 4)]
        self.assertTrue(bars[0] < forward < bars[1] < text.index('direction="backward"') < bars[2])


class TestRepeats(unittest.TestCase):
    LICK = (72, 69, 67, 69, 72, 74, 72, 69)

    def test_the_same_again_is_found(self) -> None:
        lesson = lesson_of(notes_at(0.0, *self.LICK), notes_at(8.0, *self.LICK))
        earlier, likeness = phrase_repeats(lesson)[2]
        self.assertEqual((earlier, likeness.kind), (1, "exact"))
        self.assertEqual(order_of_parts(lesson), "1-1")

    def test_what_differs_is_said(self) -> None:
        pulled = notes_at(0.0, *self.LICK, tags={5: "pull-off", 6: "pull-off", 7: "pull-off"})
        bent = notes_at(2.0, *self.LICK, tags={5: "bend", 6: "bend", 7: "bend"})
        phrase = Phrase(1, "A", 0.0, 4.1, tuple(pulled) + tuple(
            replace(n, ident=n.ident + 20) for n in bent
        ))  # fmt: skip
        lesson = recounted(Lesson(time_map=STEADY, phrases=(phrase,)))
        phrase = lesson.phrases[0]
        ((later, earlier, likeness),) = bar_repeats(phrase, lesson)
        self.assertEqual((later, earlier), (2, 1))
        self.assertEqual(likeness.words, "last three notes bent instead of pulled")
        self.assertIn(
            "Bar 2: as bar 1, last three notes bent instead of pulled.",
            generate_breakdown(phrase, lesson),
        )

    def test_another_key_other_strings_and_the_rhythm_alone(self) -> None:
        here = notes_at(0.0, *self.LICK)
        up = notes_at(4.0, *(m + 3 for m in self.LICK))
        lesson = lesson_of(here, up)
        self.assertIn("3 semitones up", phrase_repeats(lesson)[2][1].words)
        elsewhere = [
            replace(
                n, written=replace(n.written, string=n.written.string + 1, fret=n.written.fret + 5)
            )
            for n in notes_at(8.0, *self.LICK)
        ]
        self.assertEqual(phrase_repeats(lesson_of(here, elsewhere))[2][1].kind, "strings")
        other = notes_at(8.0, 60, 65, 61, 66, 62, 64, 71, 59)
        self.assertEqual(phrase_repeats(lesson_of(here, other))[2][1].kind, "motif")

    def test_unlike_rows_are_not_called_alike(self) -> None:
        self.assertIsNone(compare((), ()))
        uneven = [
            replace(n, heard=replace(n.heard, onset_s=8.0 + 0.35 * k, offset_s=8.3 + 0.35 * k))
            for k, n in enumerate(notes_at(8.0, 60, 61, 66, 70))
        ]
        self.assertEqual(phrase_repeats(lesson_of(notes_at(0.0, *self.LICK), uneven)), {})


class TestCutsAtRepetitions(unittest.TestCase):
    def test_a_figure_that_begins_again_is_a_place_to_cut(self) -> None:
        figure = [69, 72, 74, 76, 74, 72, 69, 67]
        midi = [*figure, *(m + 5 for m in figure), *figure]
        onsets = [0.3 * k for k in range(len(midi))]
        offsets = [t + 0.28 for t in onsets]
        plain = TimeMap(tuple(0.71 * k for k in range(30)))  # bar lines fall elsewhere
        cuts = propose_cuts(onsets, offsets, plain, midi)
        starts = [min(range(len(onsets)), key=lambda k: abs(onsets[k] - c.start_s)) for c in cuts]
        self.assertTrue({8, 16} & set(starts), cuts)
        blind = propose_cuts(onsets, offsets, plain)
        self.assertLessEqual(len(blind), len(cuts))


class TestMetre(unittest.TestCase):
    def test_signatures_agree_with_music21(self) -> None:
        """Beats to a bar and their length, as music21 counts each time signature."""
        for text in ("2/4", "3/4", "4/4", "5/4", "6/8", "9/8", "12/8"):
            theirs = meter.TimeSignature(text)
            mine = TimeMap().with_signature(*map(int, text.split("/")))
            with self.subTest(metre=text):
                self.assertEqual(mine.signature, tuple(map(int, text.split("/"))))
                self.assertEqual(mine.beats_per_bar, theirs.beatCount)
                self.assertEqual(
                    float(mine.quarters_per_beat), float(theirs.beatDuration.quarterLength)
                )

    def test_compound_beats_count_eighths(self) -> None:
        six = TimeMap(beats_per_bar=2, division=3)
        words = [count_word(Fraction(k, 3), six) for k in range(6)]
        self.assertEqual(words, ["1", "2", "3", "4", "5", "6"])
        onsets = [0.25 * k for k in range(12)]
        feel = measure_feel(onsets, TimeMap(tuple(0.75 * k for k in range(6)), 0, 2, 4, 3))
        self.assertEqual(feel.name if feel else "", "eighths")
        fixed = quantise([0.3, 0.7], beat_s=0.75, subdivision="eighths", compound=True)
        self.assertEqual(fixed, [Fraction(1, 3), Fraction(2, 3)])
        self.assertEqual(beams_of(0, [Fraction(k, 3) for k in range(3)], True).counts, (1, 1, 1))
        self.assertEqual(beams_of(0, [Fraction(k, 3) for k in range(3)], True).tuplet, 0)
        self.assertEqual(beams_of(0, [Fraction(k, 3) for k in range(3)], False).tuplet, 3)
        self.assertEqual(beams_of(0, [Fraction(k, 4) for k in range(4)], False).counts, (2,) * 4)

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.floats(0.3, 0.9), min_size=8, max_size=30), st.integers(0, 5),
        st.floats(0, 3), st.floats(1.5, 6),
    )  # fmt: skip
    def test_a_steady_stretch_leaves_the_rest(
        self, steps: list[float], one: int, start: float, length: float
    ) -> None:
        times = np.concatenate([[0.0], np.cumsum(steps)])
        here = TimeMap(tuple(times.tolist()), first_downbeat=one)
        try:
            even = here.with_steady_tempo(start, start + length)
        except ValueError:
            return
        self.assertEqual(len(even.beat_times_s), len(times))
        inside = (times >= start - 0.02) & (times <= start + length + 0.02)
        after = np.asarray(even.beat_times_s)
        np.testing.assert_array_equal(after[~inside], times[~inside])
        self.assertLess(np.ptp(np.diff(after[inside])), 1e-9)
        self.assertEqual(even.first_downbeat, one)

    def test_a_tempo_can_be_set_for_a_stretch(self) -> None:
        bent = STEADY.with_steady_tempo(4.0, 8.0, 90.0)
        self.assertAlmostEqual(bent.tempo_at(5.5), 90.0, delta=0.5)
        self.assertAlmostEqual(bent.tempo_at(2.0), 120.0, delta=0.5)
        with self.assertRaises(ValueError):
            STEADY.with_steady_tempo(4.1, 4.2)


if __name__ == "__main__":
    unittest.main()

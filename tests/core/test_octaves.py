"""Octaves over struck notes and difference tones under them: doubted, kept, or believed as a line."""

import unittest
from dataclasses import replace

from scipy.special import expit, logit

from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.octaves import decide_octaves, doubt_difference_tones
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE

FRAMES = SAMPLE_RATE / HOP_LENGTH  # a second


def found(at_s: float, midi: int, confidence: float = 0.8) -> FoundNote:
    """A note as the decoder finds it."""
    start = at_s * FRAMES
    return FoundNote(
        start, int(start + 20), midi, 0.8, 0.8, 0.0, 0.0, 0.0, 0.0, (), confidence=confidence
    )


class TestOctaves(unittest.TestCase):
    def test_a_single_octave_in_a_line_is_doubted(self) -> None:
        notes = [found(0.25 * k, 57 + k) for k in range(6)] + [found(0.51, 57 + 2 + 12)]
        notes.sort(key=lambda n: n.start)
        after = decide_octaves(notes, 0.4)
        self.assertEqual([n.midi for n in after], [n.midi for n in notes])
        lowered = [
            n.midi for n, old in zip(after, notes, strict=True) if n.confidence < old.confidence
        ]
        self.assertEqual(lowered, [71])
        self.assertLess(min(n.confidence for n in after), 0.4)

    def test_a_line_in_octaves_is_kept(self) -> None:
        notes = []
        for k in range(6):
            notes += [found(0.25 * k, 57 + k), found(0.25 * k + 0.01, 69 + k)]
        self.assertEqual(decide_octaves(notes, 0.4), notes)

    def test_a_line_in_octaves_is_believed_where_each_begins_plainly(self) -> None:
        line = [found(0.25 * k, 57 + k) for k in range(6)]
        faint = [replace(found(0.25 * k, 69 + k, 0.1), onset_posterior=0.6) for k in range(6)]
        together = sorted([*line, *faint], key=lambda n: n.start)
        after = decide_octaves(together, 0.4)
        self.assertTrue(all(n.confidence >= 0.6 for n in after))
        # One stroke without its octave: then it is a partial that comes and goes.
        after = decide_octaves([n for n in together if n is not faint[2]], 0.4)
        self.assertEqual([n.confidence for n in after if n.midi >= 69], [0.1] * 5)
        # So are octaves that hardly begin, and those of three strokes.
        hardly = [replace(n, onset_posterior=0.35) if n.confidence < 0.4 else n for n in together]
        self.assertEqual(decide_octaves(hardly, 0.4), hardly)
        self.assertEqual(decide_octaves(together[:6], 0.4), together[:6])

    def test_two_strings_explain_the_tone_under_them(self) -> None:
        # A fourth, B4 and E5, sounds E4 and E3 under it when it is distorted (`difference_tones`).
        fourth = [found(0.0, 71, 0.95), found(0.01, 76, 0.9)]
        for tone in (52, 64):
            grip = sorted([*fourth, found(0.0, tone, 0.6)], key=lambda n: (n.start, n.midi))
            (lowered,) = (n for n in doubt_difference_tones(grip) if n.midi == tone)
            self.assertAlmostEqual(lowered.confidence, expit(logit(0.6) - 1.5), places=6)
        other = [found(0.0, 60, 0.6), *fourth]
        self.assertEqual(doubt_difference_tones(other), other)
        late = [*fourth, found(0.3, 64, 0.6)]
        self.assertEqual(doubt_difference_tones(late), late)
        unsure = [found(0.0, 64, 0.6), fourth[0], replace(fourth[1], confidence=0.4)]
        self.assertEqual(doubt_difference_tones(unsure), unsure)

    def test_what_is_not_struck_together_is_left_alone(self) -> None:
        notes = [found(0.0, 57), found(0.2, 69), found(0.4, 60)]
        self.assertEqual(decide_octaves(notes, 0.4), notes)

    def test_unclassified_notes_and_none_are_left_alone(self) -> None:
        self.assertEqual(decide_octaves([], 0.4), [])
        notes = [found(0.0, 57, -1.0), found(0.0, 69, -1.0)]
        self.assertEqual(decide_octaves(notes, 0.4), notes)

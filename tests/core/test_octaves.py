"""Octaves over struck notes: doubted where they come and go, kept where a line is played in them."""

import unittest

from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.octaves import doubt_octaves
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
        after = doubt_octaves(notes, 0.4)
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
        self.assertEqual(doubt_octaves(notes, 0.4), notes)

    def test_what_is_not_struck_together_is_left_alone(self) -> None:
        notes = [found(0.0, 57), found(0.2, 69), found(0.4, 60)]
        self.assertEqual(doubt_octaves(notes, 0.4), notes)

    def test_unclassified_notes_and_none_are_left_alone(self) -> None:
        self.assertEqual(doubt_octaves([], 0.4), [])
        notes = [found(0.0, 57, -1.0), found(0.0, 69, -1.0)]
        self.assertEqual(doubt_octaves(notes, 0.4), notes)

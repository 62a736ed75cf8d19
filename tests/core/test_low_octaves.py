"""Palm mutes under E2 whose fundamental is lost: pitch against the residue of J. F. Schouten (1940).

A sum of partials 2 to 7 of a pitch is heard at that pitch, though its fundamental is missing; even
partials alone are the octave.
"""

import unittest

import numpy as np

from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.low_octaves import mend_low_octaves
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.units import midi_to_hz

B1, B2 = 35, 47
TIMES = np.arange(2 * SAMPLE_RATE) / SAMPLE_RATE


def tone(midi: float, partials: dict[int, float], at_s: float = 0.5) -> np.ndarray:
    """A damped string: partials with their amplitudes, from a moment on."""
    since = np.maximum(TIMES - at_s, 0.0)
    hertz = float(midi_to_hz(midi))
    waves = sum(a * np.sin(2 * np.pi * hertz * k * since) for k, a in partials.items())
    return (0.2 * waves * np.exp(-since / 0.3)).astype(np.float32)


def found(midi: int, muted: float = 0.9, at_s: float = 0.5) -> FoundNote:
    start = at_s * SAMPLE_RATE / HOP_LENGTH
    rivals = ((B1, 0.2), (52, 0.1))
    return FoundNote(
        start, int(start) + 12, midi, 0.8, 0.7, 0.0, 0.0, muted, 0.0, rivals, confidence=0.9
    )


RESIDUE = dict.fromkeys(range(2, 8), 1.0)
EVEN = dict.fromkeys((2, 4, 6, 8), 1.0)


class LowOctaves(unittest.TestCase):
    def mended(self, sound: np.ndarray, *notes: FoundNote, lowest: int = 0) -> list[int]:
        return [n.midi for n in mend_low_octaves(list(notes), sound, 440.0, lowest)]

    def test_a_mute_without_its_fundamental_is_brought_down_and_what_was_heard_is_offered(
        self,
    ) -> None:
        (note,) = mend_low_octaves([found(B2)], tone(B1, RESIDUE), 440.0)
        self.assertEqual((note.midi, note.confidence), (B1, 0.9))
        self.assertEqual(note.rivals, ((B2, 0.8), (52, 0.1)))

    def test_the_octave_itself_stays(self) -> None:
        self.assertEqual(self.mended(tone(B1, EVEN), found(B2)), [B2])

    def test_what_has_a_fundamental_was_heard_where_it_is(self) -> None:
        self.assertEqual(self.mended(tone(B1, RESIDUE | {1: 1.0}), found(B2)), [B2])

    def test_only_mutes_by_themselves_that_this_guitar_has_are_asked(self) -> None:
        sound = tone(B1, RESIDUE)
        self.assertEqual(self.mended(sound, found(B2, muted=0.2)), [B2])
        self.assertEqual(self.mended(sound, found(B2), found(54)), [B2, 54])
        self.assertEqual(self.mended(sound, found(B2), lowest=40), [B2])
        self.assertEqual(self.mended(sound, found(B2), lowest=B1), [B1])
        # Its lower octave is a string of standard tuning; and one that no guitar has.
        self.assertEqual(self.mended(tone(41, RESIDUE), found(53)), [53])
        self.assertEqual(self.mended(tone(28, RESIDUE), found(40)), [40])

    def test_beside_a_bass_nothing_is_done(self) -> None:
        bass = 0.05 * np.sin(2 * np.pi * 41.2 * TIMES).astype(np.float32)  # E1
        self.assertEqual(self.mended(tone(B1, RESIDUE) + bass, found(B2)), [B2])

    def test_the_end_of_a_sound_and_silence_do_no_harm(self) -> None:
        self.assertEqual(self.mended(tone(B1, RESIDUE), found(B2, at_s=1.999)), [B2])
        self.assertEqual(self.mended(np.zeros(100, dtype=np.float32), found(B2, at_s=0.0)), [B2])

"""What the evidence of notes is called: slurs, slides, taps, mutes, short and ringing notes.

Which way a slur goes, how wide one hand reaches and where a palm lies are common practice.
"""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtanote.core.analysis import curves
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.naming import describe, own_curves
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.progress import no_progress

FRAMES_S = SAMPLE_RATE / HOP_LENGTH
RNG = np.random.default_rng(5)
HISS = (1e-3 * RNG.standard_normal(4 * SAMPLE_RATE)).astype(np.float32)
SPECTRA = curves.measure_spectra(HISS, SAMPLE_RATE)
SURE, UNSURE = 0.98, 0.02


def found(onset_s: float, midi: int, length_s: float = 0.25, **kinds: float) -> FoundNote:
    """Make a note with all that is told of it, picked and plain unless told."""
    told = {"slurred": UNSURE, "slide": UNSURE, "muted": UNSURE, "harmonic": UNSURE} | kinds
    start = onset_s * FRAMES_S
    return FoundNote(
        start, round(start + length_s * FRAMES_S), midi, 0.9, 0.9, rivals=(), confidence=0.9, **told
    )


def named(*notes: FoundNote) -> list[PerceivedNote]:
    """Name a line over hiss, where no curve says anything."""
    return describe(list(notes), [None] * len(notes), HISS, SPECTRA, 440.0, no_progress)


def signs(*notes: FoundNote) -> list[set[str]]:
    """Give the techniques of each."""
    return [set(note.techniques) for note in named(*notes)]


class Slurs(unittest.TestCase):
    """Joined to the note before, with a weak attack."""

    def test_up_is_hammered_and_down_is_pulled(self) -> None:
        told = signs(
            found(0.2, 60), found(0.45, 63, slurred=SURE), found(0.7, 60, slurred=SURE)
        )  # fmt: skip
        self.assertEqual(told, [set(), {"hammer-on"}, {"pull-off"}])

    def test_the_same_pitch_is_no_slur(self) -> None:
        self.assertEqual(signs(found(0.2, 60), found(0.45, 60, slurred=SURE))[1], set())

    def test_what_ended_before_is_not_slurred_from(self) -> None:
        self.assertEqual(signs(found(0.2, 60, 0.1), found(0.6, 63, slurred=SURE))[1], set())

    def test_wider_than_a_hand_is_tapped(self) -> None:
        self.assertEqual(signs(found(0.2, 60), found(0.45, 69, slurred=SURE))[1], {"tap"})

    def test_a_glide_into_the_pitch_is_a_slide_and_no_slur(self) -> None:
        told = signs(found(0.2, 60), found(0.45, 64, slide=SURE, slurred=0.9))
        self.assertEqual(told[1], {"slide"})

    def test_the_first_note_may_come_from_nowhere(self) -> None:
        self.assertEqual(signs(found(0.2, 60, slide=SURE))[0], {"slide"})

    @settings(max_examples=40, deadline=None)
    @given(st.integers(48, 76), st.integers(-14, 14), st.floats(0.0, 1.0), st.floats(0.0, 1.0))
    def test_no_evidence_makes_a_note_slurred_two_ways(
        self, midi: int, step: int, slurred: float, slide: float
    ) -> None:
        told = signs(found(0.2, midi), found(0.45, midi + step, slurred=slurred, slide=slide))
        self.assertLessEqual(len(told[1] & {"hammer-on", "pull-off", "slide", "tap"}), 1)
        if step >= 0:
            self.assertNotIn("pull-off", told[1])
        if step <= 0:
            self.assertNotIn("hammer-on", told[1])


class Mutes(unittest.TestCase):
    """A palm lies on low strings and lifts; a dark guitar is dark throughout."""

    def test_a_low_note_among_open_ones(self) -> None:
        told = signs(
            found(0.2, 40, muted=SURE), *(found(0.5 + 0.3 * k, 52 + k) for k in range(5))
        )  # fmt: skip
        self.assertIn("palm-mute", told[0])

    def test_a_guitar_that_sounds_muted_throughout_is_not(self) -> None:
        told = signs(*(found(0.2 + 0.3 * k, 56 + k, muted=SURE) for k in range(8)))
        self.assertFalse(any("palm-mute" in tags for tags in told))

    def test_no_palm_reaches_the_highest_notes(self) -> None:
        told = signs(found(0.2, 76, muted=SURE), *(found(0.6 + 0.3 * k, 64) for k in range(6)))
        self.assertNotIn("palm-mute", told[0])

    def test_a_harmonic_is_named_and_has_no_bend(self) -> None:
        note = named(found(0.2, 76, harmonic=SURE, bending=SURE, shaking=SURE))[0]
        self.assertIn("natural-harmonic", note.techniques)
        self.assertFalse(note.techniques & {"bend", "pre-bend"})


class Lengths(unittest.TestCase):
    """What times alone tell."""

    def test_short_before_a_rest(self) -> None:
        self.assertIn("staccato", signs(found(0.2, 60, 0.1), found(0.7, 62))[0])

    def test_held_under_the_next_two(self) -> None:
        told = signs(found(0.2, 48, 1.6), found(0.6, 60), found(0.9, 64), found(1.2, 67))
        self.assertIn("let-ring", told[0])
        self.assertNotIn("let-ring", told[1])

    def test_a_passage_is_left_to_ring_as_a_whole(self) -> None:
        pitches = (48, 55, 60, 64, 60, 55)
        broken = [found(0.2 + 0.3 * k, midi, 0.45) for k, midi in enumerate(pitches)]
        self.assertTrue(all("let-ring" in tags for tags in signs(*broken)))
        run = [found(0.2 + 0.3 * k, midi, 0.28) for k, midi in enumerate(pitches)]
        self.assertFalse(any("let-ring" in tags for tags in signs(*run)))
        # One that is held over the next in a run is a habit of nobody.
        run[2] = found(0.8, 60, 0.45)
        self.assertFalse(any("let-ring" in tags for tags in signs(*run)))

    def test_a_crushed_note_leads_into_a_long_one(self) -> None:
        told = signs(found(0.2, 60, 0.2), found(1.0, 62, 0.08), found(1.08, 64, 0.8, slurred=SURE),
                     found(2.2, 60))  # fmt: skip
        self.assertIn("grace", told[1])
        self.assertNotIn("grace", told[2])

    def test_dead_strokes_right_before_a_note_are_a_rake(self) -> None:
        dead = found(0.5, 52, 0.05, dead=True)
        told = signs(found(0.2, 60, 0.1), dead, found(0.58, 67, 0.5))
        self.assertEqual(told[1], {"dead", "rake"})
        self.assertEqual(signs(found(0.2, 60, 0.1), dead, found(0.9, 67, 0.5))[1], {"dead"})

    def test_every_note_has_its_own_time_and_is_as_sure_as_a_share(self) -> None:
        line = [found(0.2 + 0.2 * k, 60 + k) for k in range(6)]
        for note, raw in zip(named(*line), line, strict=True):
            self.assertAlmostEqual(note.onset_s, raw.start / FRAMES_S, places=6)
            self.assertGreater(note.offset_s, note.onset_s)
            self.assertTrue(0.0 <= note.confidence <= 1.0)


if __name__ == "__main__":
    unittest.main()


class Curves(unittest.TestCase):
    """A curve belongs to the note that it is measured for, or is none."""

    def described(self, off_cents: float) -> PerceivedNote:
        hertz = 440.0 * 2 ** ((60.0 - 69.0) / 12.0 + off_cents / 1200.0)
        at = np.arange(SAMPLE_RATE) / SAMPLE_RATE
        tone = sum(np.sin(2 * np.pi * k * hertz * at) / k for k in range(1, 7))
        sound = HISS[: len(at)] + 0.2 * np.asarray(tone, dtype=np.float32)
        spectra = curves.measure_spectra(sound, SAMPLE_RATE)
        return describe([found(0.1, 60, 0.6)], [None], sound, spectra, 440.0, no_progress)[0]

    def test_a_string_out_of_tune_is_measured(self) -> None:
        for cents in (-40.0, 0.0, 40.0):
            curve = [value for _, value in own_curves([self.described(cents)])[0].curve]
            self.assertAlmostEqual(float(np.median(curve)), cents, delta=6.0)

    def test_a_curve_that_keeps_a_semitone_off_is_of_something_else(self) -> None:
        for cents in (-100.0, 100.0):
            note = self.described(cents)
            self.assertEqual(own_curves([note]), [replace(note, curve=())])
            sliding = replace(note, techniques=frozenset({"slide"}))
            self.assertEqual(own_curves([sliding]), [sliding])
            self.assertEqual(own_curves([note, sliding])[0], note)  # on its way to the next

"""The second look at notes: what it measures, and what it may not do."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtanote.core.analysis import decode as decoding
from juxtanote.core.analysis import note_classifier as classifying
from juxtanote.core.analysis.channels import CELL_KINDS, LOWEST_MIDI, N_PITCHES
from juxtanote.core.analysis.decode import DecoderSettings, candidates, decode
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.listener import Posteriors
from juxtanote.core.analysis.note_classifier import INTERVALS, classified, measures
from juxtanote.core.analysis.shipped import read_weights
from juxtanote.core.analysis.spectra import (
    BINS_PER_SEMITONE,
    LOWEST_BIN_MIDI,
    N_BINS,
)

N_FRAMES = 400


def picture(seed: int = 1, n_frames: int = N_FRAMES) -> Posteriors:
    """Draw posteriors and spectra at random."""
    rng = np.random.default_rng(seed)
    cells = rng.random((len(CELL_KINDS), N_PITCHES, n_frames)).astype(np.float32) ** 4
    flat = rng.random((2, n_frames)).astype(np.float32)
    quick = rng.random((2, N_BINS, n_frames)).astype(np.float32)
    return Posteriors(cells, flat[0], flat[1], quick)


def note(start: float, midi: int, posterior: float = 0.8, length: int = 20, **more) -> FoundNote:
    """Make a found note."""
    plain = dict.fromkeys(("slurred", "slide", "muted", "harmonic"), 0.1)
    return FoundNote(start, int(start) + length, midi, posterior, 0.7, rivals=(), **plain | more)


NOTES = [note(60, 57), note(90, 60, 0.6), note(90.5, 72, 0.4), note(130, 62), note(170, 62, 0.9)]


class TestMeasures(unittest.TestCase):
    def test_they_do_not_depend_on_when_the_stretch_begins(self) -> None:
        heard = picture()
        rolled = Posteriors(
            np.roll(heard.cells, 37, axis=2), np.roll(heard.dead, 37), np.roll(heard.lead, 37),
            np.roll(heard.quick, 37, axis=2),
        )  # fmt: skip
        later = [replace(n, start=n.start + 37, end=n.end + 37) for n in NOTES]
        np.testing.assert_allclose(measures(NOTES, heard), measures(later, rolled), atol=1e-5)

    def test_they_do_not_depend_on_the_order_of_the_notes(self) -> None:
        order = [3, 0, 4, 2, 1]
        turned = measures([NOTES[k] for k in order], picture())
        np.testing.assert_allclose(turned, measures(NOTES, picture())[order], atol=1e-9)

    def test_company_is_what_starts_together_and_what_rings(self) -> None:
        rows = classifying._company(
            np.array([10.0, 11.0, 40.0]), np.array([60.0, 30.0, 70.0]), np.array([52.0, 64.0, 64.0]),
            np.array([0.9, 0.5, 0.7]),
        )  # fmt: skip
        self.assertEqual(rows[1, INTERVALS.index(-12)], 0.9)  # its root, struck with it
        self.assertEqual(rows[0, INTERVALS.index(12)], 0.5)
        self.assertEqual(rows[2, INTERVALS.index(-12)], 0.0)
        rings = len(INTERVALS) + classifying.RINGING.index(-12)
        self.assertEqual(rows[2, rings], 0.9)  # the root still sounds
        self.assertEqual(rows[2, len(INTERVALS) + classifying.RINGING.index(0)], 0.0)

    def test_an_echo_is_weaker_and_late_as_others_are(self) -> None:
        """A row of notes again after 30 frames, 10 dB weaker; a row that is played again is not."""
        line = [note(40.0 + 12 * k, 60 + 2 * k) for k in range(6)]
        echoes = [replace(n, start=n.start + 30, end=n.end + 30) for n in line]
        heard = picture()
        heard.quick[:] = 0.2

        def loud(notes: list[FoundNote], level: float) -> None:
            for n in notes:
                at = BINS_PER_SEMITONE * (n.midi - LOWEST_BIN_MIDI) + 1
                heard.quick[:, at, int(n.start) : int(n.start) + 10] = level

        def told(notes: list[FoundNote]) -> np.ndarray:
            starts, midi = (
                np.array([n.start for n in notes]),
                np.array([float(n.midi) for n in notes]),
            )
            return classifying._echoes(notes, heard, starts, midi, np.full(len(notes), 0.8))

        loud(line, 0.9)
        loud(echoes, 0.9 - 10 / 80)
        rows = told(line + echoes)
        np.testing.assert_allclose(rows[:6, 0], 0.0)
        np.testing.assert_allclose(rows[6:, 0], 0.5)  # half of all that is heard comes again
        np.testing.assert_allclose(rows[6:, 1], 10 / 80, atol=1e-6)
        loud(echoes, 0.9)
        np.testing.assert_allclose(told(line + echoes)[:, 2], 0.0, atol=1e-6)
        one = told(line[:1])
        np.testing.assert_allclose(one, 0.0)

    def test_without_spectra_it_says_so(self) -> None:
        with self.assertRaisesRegex(ValueError, "spectra"):
            measures(NOTES, replace(picture(), quick=None))

    @settings(max_examples=25, deadline=None)
    @given(
        st.lists(
            st.tuples(
                st.floats(0, N_FRAMES - 1), st.integers(LOWEST_MIDI, LOWEST_MIDI + N_PITCHES - 1),
                st.floats(0, 1), st.integers(1, 60),
            ),
            min_size=1, max_size=12,
        )
    )  # fmt: skip
    def test_any_notes_give_finite_measures_of_one_width(self, drawn: list) -> None:
        notes = [note(start, midi, p, length) for start, midi, p, length in drawn]
        rows = measures(notes, picture())
        self.assertEqual(rows.shape, (len(notes), measures(NOTES, picture()).shape[1]))
        self.assertTrue(np.isfinite(rows).all())


class TestJudge(unittest.TestCase):
    def test_the_weights_fit_the_measures(self) -> None:
        weights = read_weights("note_classifier")
        self.assertIsNotNone(weights)
        assert weights is not None
        width = measures(NOTES, picture()).shape[1]
        self.assertEqual(weights["w1"].shape[0], width)
        self.assertEqual(weights["w2"].shape[1], 1 + len(classifying.KINDS))

    def test_it_gives_probabilities_and_changes_nothing_else(self) -> None:
        notes = NOTES
        for before, after in zip(notes, classified(notes, picture()), strict=True):
            self.assertTrue(0.0 <= after.confidence <= 1.0)
            kinds = {kind: getattr(after, kind) for kind in classifying.KINDS}
            self.assertTrue(all(0.0 <= p <= 1.0 for p in kinds.values()))
            given_back = {kind: getattr(before, kind) for kind in classifying.KINDS}
            self.assertEqual(replace(after, confidence=before.confidence, **given_back), before)

    def test_what_is_known_beside_the_sound_counts(self) -> None:
        notes = NOTES
        plain, helped = (
            classified(notes, picture()),
            classified(notes, picture(), np.full(len(notes), 1.0)),
        )
        for a, b in zip(plain, helped, strict=True):
            self.assertAlmostEqual(
                np.log(b.confidence / (1 - b.confidence))
                - np.log(a.confidence / (1 - a.confidence)),
                1.0,
                places=4,
            )

    def test_without_spectra_or_notes_nothing_is_classified(self) -> None:
        self.assertEqual(classified([], picture()), [])
        notes = NOTES
        self.assertEqual(classified(notes, replace(picture(), quick=None)), notes)

    def test_what_is_unlikely_is_left_out_unless_a_number_is_asked_for(self) -> None:
        heard = picture(3)
        loose = DecoderSettings(onset_bias=0.5, start_cost=-2.0)
        count = sum(not n.dead for n in candidates(heard, loose))
        strict = [
            n
            for n in decode(heard, replace(loose, least_confidence=0.99, least_confidence_low=0.99))
            if not n.dead
        ]
        self.assertTrue(all(n.confidence >= 0.99 for n in strict))
        self.assertLess(len(strict), count)
        asked = decode(
            heard,
            replace(loose, least_confidence=0.99, least_confidence_low=0.99, expected_notes=5),
        )
        self.assertEqual(len(asked), 5)

    def test_a_note_sounds_through_what_only_seemed_to_begin(self) -> None:
        loose = DecoderSettings(onset_bias=0.5, start_cost=-2.0, onset_floor=0.1)
        row = 60 - LOWEST_MIDI
        for later in (row, row + 2):  # the same pitch again, or where it has been bent to
            cells = np.full((len(CELL_KINDS), N_PITCHES, 160), 0.01, dtype=np.float32)
            cells[0, row, 20] = 0.95
            cells[0, later, 60] = 0.45
            cells[1, row, 20:58] = 0.95
            cells[1, (row + later) // 2, 56:62] = 0.95
            cells[1, later, 60:120] = 0.95
            heard = replace(picture(n_frames=160), cells=cells, dead=np.zeros(160, np.float32))

            def doubtful(notes: list[FoundNote], *_: object) -> list[FoundNote]:
                return [
                    replace(n, confidence=0.9 if n.onset_posterior > 0.6 else 0.1) for n in notes
                ]

            def certain(notes: list[FoundNote], *_: object) -> list[FoundNote]:
                return [replace(n, confidence=0.9) for n in notes]

            with self.subTest(later=later):
                with mock.patch.object(decoding, "classified", doubtful):
                    (one,) = [n for n in decode(heard, loose) if not n.dead]
                    asked = decode(heard, replace(loose, expected_notes=1))
                    self.assertEqual((asked[0].midi, asked[0].end), (60, one.end))
                self.assertEqual(one.midi, 60)
                self.assertGreaterEqual(one.end, 117)
                with mock.patch.object(decoding, "classified", certain):
                    self.assertEqual(len([n for n in decode(heard, loose) if not n.dead]), 2)

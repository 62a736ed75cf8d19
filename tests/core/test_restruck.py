"""Strokes into a sounding pitch: phase tells whether a string was struck again."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from juxtanote.core.analysis import curves
from juxtanote.core.analysis.channels import CELL_KINDS, LOWEST_MIDI, N_PITCHES, Cell
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.listener import Posteriors
from juxtanote.core.analysis.naming import describe
from juxtanote.core.analysis.restruck import agreement, doubt_restrikes, phase_weights, struck_again
from juxtanote.core.analysis.spectra import HOP_LENGTH, N_BINS, SAMPLE_RATE
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.theory.observed import Otherwise, Shows

HOP_S = HOP_LENGTH / SAMPLE_RATE
AT_S, LENGTH_S = 0.6, 1.2
TIMES = np.arange(int(LENGTH_S * SAMPLE_RATE)) / SAMPLE_RATE


def string(rng: np.random.Generator, hertz: float, *, vibrato_cents: float = 0.0) -> np.ndarray:
    """Let ten partials sound with phases at random."""
    swing = vibrato_cents / 1200.0 * np.log(2.0) * hertz / (2.0 * np.pi * 5.5)
    turns = hertz * TIMES - swing * np.cos(2.0 * np.pi * 5.5 * TIMES)
    numbers = np.arange(1, 11)[:, None]
    phases = rng.uniform(0.0, 2.0 * np.pi, (10, 1))
    return np.sum(np.sin(2.0 * np.pi * numbers * turns + phases) / numbers, axis=0)


def drum(rng: np.random.Generator, loud: float) -> np.ndarray:
    """Let a drum sound: noise that dies away, and a low tone under it."""
    after = np.maximum(TIMES - AT_S, 0.0)
    struck = (TIMES >= AT_S) * np.exp(-after / 0.06)
    return (
        loud * struck * (rng.standard_normal(len(TIMES)) + 2.0 * np.sin(2 * np.pi * 90.0 * after))
    )


def on(sound: np.ndarray) -> np.ndarray:
    return np.asarray(sound * np.exp(-0.5 * TIMES), dtype=np.float32)


def struck_at(rng: np.random.Generator, hertz: float) -> np.ndarray:
    """Let one note stop where the next begins at the same pitch."""
    first, second = string(rng, hertz), string(rng, hertz)
    late = np.clip((TIMES - AT_S) / 0.004, 0.0, 1.0)
    return np.asarray(first * (1.0 - late) + second * late)


def found(start_s: float, midi: int, *, end_s: float = 0.0, confidence: float = 0.8) -> FoundNote:
    return FoundNote(
        start=start_s / HOP_S, end=round((end_s or start_s + 0.4) / HOP_S), midi=midi,
        onset_posterior=0.8, active_posterior=0.9, slurred=0.0, slide=0.0, muted=0.0, harmonic=0.0,
        rivals=(), confidence=confidence,
    )  # fmt: skip


def believed_at_once(count: int, _: Progress) -> Posteriors:
    """Believe an E4 that begins twice."""
    cells = np.zeros((len(CELL_KINDS), N_PITCHES, count), dtype=np.float32)
    cells[Cell.ACTIVE, 64 - LOWEST_MIDI] = 0.9
    cells[Cell.ONSET, 64 - LOWEST_MIDI, [round(0.1 / HOP_S), round(AT_S / HOP_S)]] = 0.9
    silent = np.zeros(count, dtype=np.float32)
    return Posteriors(cells, silent, silent, np.zeros((2, N_BINS, count), dtype=np.float32))


class AgreementTest(unittest.TestCase):
    def test_what_goes_on_under_a_drum_is_told_from_what_is_struck_again(self) -> None:
        # J. P. Bello et al. 2004: a steady tone's phase is foreseen, an onset's is not.
        rng = np.random.default_rng(1)
        for hertz in (110.0, 196.0, 330.0, 587.0):
            held, struck = [], []
            for _ in range(12):
                loud = float(rng.uniform(0.2, 0.6))
                held.append(agreement(on(string(rng, hertz) + drum(rng, loud)), AT_S, hertz))
                both = struck_at(rng, hertz) + drum(rng, loud)
                struck.append(agreement(on(both), AT_S, hertz))
            ranks = np.subtract.outer(np.array(held), np.array(struck)) > 0.0
            with self.subTest(hertz=hertz):
                self.assertGreater(ranks.mean(), 0.9)
                self.assertGreater(np.median(held), np.median(struck) + 0.25)

    def test_a_drum_alone_makes_no_tone_begin_anew(self) -> None:
        rng = np.random.default_rng(2)
        clean, covered = string(rng, 330.0), string(rng, 330.0) + drum(rng, 0.3)
        self.assertAlmostEqual(agreement(on(clean), AT_S, 330.0) or 0.0, 1.0, 2)
        self.assertGreater(agreement(on(covered), AT_S, 330.0) or 0.0, 0.6)

    def test_a_pitch_may_lie_beside_its_semitone_and_shake(self) -> None:
        rng = np.random.default_rng(3)
        off = on(string(rng, 330.0 * 2 ** (20 / 1200)))
        self.assertGreater(agreement(off, AT_S, 330.0) or 0.0, 0.9)
        shaken = on(string(rng, 330.0, vibrato_cents=15.0))
        again = [agreement(on(struck_at(rng, 330.0)), AT_S, 330.0) or 0.0 for _ in range(9)]
        self.assertGreater(agreement(shaken, AT_S, 330.0) or 0.0, np.median(again))

    def test_a_stroke_may_be_dated_some_milliseconds_off(self) -> None:
        rng = np.random.default_rng(4)
        sound = on(struck_at(rng, 247.0))
        told = [agreement(sound, AT_S + late, 247.0) or 0.0 for late in (-0.008, 0.0, 0.008)]
        self.assertLess(max(told), 0.7)

    def test_nothing_is_told_at_the_edges_or_without_partials(self) -> None:
        sound = on(string(np.random.default_rng(5), 330.0))
        self.assertIsNone(agreement(sound, 0.01, 330.0))
        self.assertIsNone(agreement(sound, LENGTH_S, 330.0))
        self.assertIsNone(agreement(sound, AT_S, 6000.0))
        silent = agreement(np.zeros(SAMPLE_RATE, dtype=np.float32), 0.5, 330.0)
        self.assertEqual(silent, 0.0)


class RestrikesTest(unittest.TestCase):
    def test_which_notes_are_struck_into_their_own_pitch(self) -> None:
        notes = [
            found(0.10, 64), found(0.30, 64),  # rings on
            found(0.45, 67, confidence=0.1), found(0.60, 67),  # after what was hardly a note
            found(0.85, 64, end_s=0.9), found(1.10, 64),  # a fifth of a second of silence between
            found(1.13, 64),  # doubles of one onset
        ]  # fmt: skip
        self.assertEqual(struck_again(notes), [1])
        self.assertEqual(struck_again([]), [])

    def test_what_goes_on_is_doubted_and_nothing_else_changes(self) -> None:
        rng = np.random.default_rng(6)
        held = on(string(rng, 329.63) + drum(rng, 0.2))
        notes = [found(0.1, 64), found(AT_S, 64, end_s=1.1), found(AT_S, 71, end_s=1.1)]
        notes[0] = found(0.1, 64, end_s=AT_S)
        doubted = doubt_restrikes(notes, held, 440.0)
        bias, weight = phase_weights()
        self.assertGreater(weight, bias)  # full agreement counts against a stroke
        self.assertEqual([doubted[0], doubted[2]], [notes[0], notes[2]])
        self.assertLess(doubted[1].confidence, 0.6)
        self.assertEqual(doubted[1].start, notes[1].start)
        self.assertGreater(doubted[1].goes_on, 0.7)
        struck = on(struck_at(rng, 329.63))
        kept = doubt_restrikes(notes, struck, 440.0)
        self.assertGreater(kept[1].confidence, doubted[1].confidence)
        self.assertLessEqual(kept[1].confidence, notes[1].confidence)
        self.assertEqual(doubt_restrikes([], held, 440.0), [])

    def test_a_note_that_stays_says_why_it_is_doubted_and_may_be_joined(self) -> None:
        held = on(string(np.random.default_rng(7), 329.63))
        first, second = found(0.1, 64, end_s=AT_S), found(AT_S, 64, end_s=1.1)
        notes = [first, replace(second, goes_on=0.9, confidence=0.45)]
        spectra = curves.measure_spectra(held, SAMPLE_RATE)
        told = describe(notes, [None, None], held, spectra, 440.0, no_progress)
        kinds = [{seen.of for seen in note.evidence} for note in told]
        self.assertEqual([Shows.GOES_ON in some for some in kinds], [False, True])
        with mock.patch("juxtanote.core.analysis.listen.decode", return_value=notes):
            heard = listen(held, np.zeros_like(held), evidence=believed_at_once).notes
        readings = {other.differs: other.confidence for other in heard[1].others}
        self.assertEqual(readings[Otherwise.ONE_NOTE], 0.5)
        self.assertNotIn(Otherwise.ONE_NOTE, {other.differs for other in heard[0].others})

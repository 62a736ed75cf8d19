"""Evidence that is made ahead, piece by piece, and what it is made of."""

import itertools
import threading
import unittest
from unittest import mock

import numpy as np

from juxtanote.core.analysis import ahead, listener
from juxtanote.core.analysis.ahead import Ahead
from juxtanote.core.analysis.listener import Counts, Posteriors
from juxtanote.core.analysis.spectra import HOP_LENGTH
from juxtanote.core.analysis.stretches import hear_all
from juxtanote.core.audio.sound import Sound
from juxtanote.core.checks.evidence import listen_again
from juxtanote.core.progress import Cancelled
from tests.sounds import RATE, harmonic_tone, scale_line, sine

PIECE = 200  # frames: 2.3 s


class TestPieces(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        mono, _ = scale_line([57, 60, 64, 67, 69, 67, 64, 60, 57, 60, 64, 67, 69, 67])
        cls.mono, cls.sound = mono, Sound(np.stack([mono, mono]), RATE)
        cls.frames = 1 + len(mono) // HOP_LENGTH
        cls.whole = listener.listen(mono - mono.mean(), np.zeros_like(mono))

    def setUp(self) -> None:
        self.enterContext(mock.patch.object(ahead, "PIECE_FRAMES", PIECE))

    def test_pieces_tell_what_the_whole_tells(self) -> None:
        """Not to the last digit: each piece has a loud part of its own."""
        with Ahead(self.sound) as made:
            told = made.between(0, self.frames)
        self.assertGreater(self.frames, 2 * PIECE)
        apart = np.abs(told.cells - self.whole.cells)
        self.assertLess(float(apart.mean()), 0.002)
        self.assertEqual(
            *[np.argwhere(e.cells[0] > 0.6)[:, 0].tolist() for e in (told, self.whole)]
        )

    def test_frames_that_are_wanted_are_those_of_the_whole(self) -> None:
        mono = self.mono - self.mono.mean()
        silent = np.zeros_like(mono)
        with mock.patch.object(listener, "MOST_FRAMES", 120):
            told = listener.listen(mono, silent, frames=range(131, 331))
        np.testing.assert_allclose(told.cells, self.whole.cells[..., 131:331], atol=2e-3)
        np.testing.assert_allclose(told.lead, self.whole.lead[131:331], atol=2e-3)
        assert told.quick is not None and self.whole.quick is not None
        np.testing.assert_array_equal(told.quick, self.whole.quick[..., 131:331])
        beyond = listener.listen(mono, silent, frames=range(self.frames, self.frames + 40))
        self.assertEqual((beyond.cells.shape[2], beyond.dead.shape), (0, (0,)))

    def test_wherever_a_stretch_begins_its_frames_are_the_same(self) -> None:
        with Ahead(self.sound) as made:
            whole, part = made.between(0, self.frames), made.between(130, 150)
        np.testing.assert_array_equal(part.cells, whole.cells[..., 130:280])
        np.testing.assert_array_equal(part.lead, whole.lead[130:280])
        assert part.quick is not None and whole.quick is not None
        np.testing.assert_array_equal(part.quick, whole.quick[..., 130:280])

    def test_beyond_the_end_nothing_sounds(self) -> None:
        with Ahead(self.sound) as made:
            told = made.between(self.frames + 30, 40)
        self.assertEqual((told.cells.shape[2], float(told.cells.max())), (40, 0.0))

    def test_a_piece_is_made_once_and_the_next_one_before_it_is_asked_for(self) -> None:
        begun = threading.Event()

        def make(*given: object, **how: object) -> Posteriors:
            if made_one.call_count > 1:
                begun.set()
            return real(*given, **how)  # type: ignore[arg-type]

        real = listener.listen
        with (
            mock.patch.object(ahead, "MORE", 1),
            mock.patch.object(listener, "listen", side_effect=make) as made_one,
            Ahead(self.sound) as made,
        ):
            made.between(0, PIECE)
            self.assertTrue(begun.wait(20.0))
            made.between(PIECE // 2, PIECE // 2)
            made.between(PIECE // 2, PIECE // 2)
        self.assertEqual(made_one.call_count, 2)

    def test_nothing_is_made_that_nobody_wants(self) -> None:
        with mock.patch.object(listener, "listen", wraps=listener.listen) as made_one:
            evidence = list(listen_again(self.sound, 0.0, 1.0))
            self.assertEqual((len(evidence), made_one.call_count), (1, 1))
            list(listen_again(self.sound, 0.0, 2.1))  # its margin lies in the next piece
            self.assertEqual(made_one.call_count, 3)

    def test_how_far_it_is_goes_up_evenly(self) -> None:
        with mock.patch("juxtanote.core.analysis.stretches.STRETCH_S", 3.0):
            told: list[float] = []
            hear_all(self.sound, progress=told.append)
        self.assertEqual(told, sorted(told))
        self.assertLess(max(b - a for a, b in itertools.pairwise(told)), 0.35)

    def test_it_stops_and_leaves_no_thread(self) -> None:
        asked = threading.Event()

        def never_done(*_: object, progress, **__: object) -> Posteriors:  # type: ignore[no-untyped-def]
            while True:
                progress(0.5)
                asked.set()

        def stop(_: float) -> None:
            if asked.is_set():
                raise Cancelled

        with mock.patch.object(listener, "listen", never_done):
            with self.assertRaises(Cancelled), Ahead(self.sound, progress=stop) as made:
                made.between(0, 10)
            asked.clear()
            with self.assertRaises(ZeroDivisionError), Ahead(self.sound) as made:
                made._hand.submit(made._make, 0)
                asked.wait()
                raise ZeroDivisionError
        self.assertFalse([t for t in threading.enumerate() if t.name.startswith("evidence")])

    def test_what_goes_wrong_there_is_told_here(self) -> None:
        with (
            mock.patch.object(listener, "listen", side_effect=MemoryError),
            self.assertRaises(MemoryError),
            Ahead(self.sound) as made,
        ):
            made.between(0, 10)


class TestDrums(unittest.TestCase):
    def test_drums_are_told_from_a_guitar_by_what_goes_at_both_ends(self) -> None:
        rng = np.random.default_rng(4)
        guitar, hats, bass_drum = np.zeros((3, 6 * RATE), np.float32)
        times = np.arange(RATE // 4) / RATE
        thump = np.sin(2 * np.pi * 50.0 * times) * np.exp(-times / 0.03)
        for at in range(RATE // 2, 5 * RATE, RATE // 3):
            guitar[at : at + RATE] += harmonic_tone(220.0, 1.0)
            hats[at : at + 1200] += rng.standard_normal(1200) * np.exp(-np.arange(1200) / 200.0)
            bass_drum[at : at + RATE // 4] += thump
        told = []
        for mid in (guitar, guitar + 0.4 * hats, guitar + bass_drum + 0.4 * hats):
            calm, _ = listener.without_drums(mid, np.zeros_like(mid))
            told.append(listener.drums_heard(mid, calm))
        self.assertEqual(told, [0.0, 0.0, 1.0])

    def test_what_goes_is_weighed_in_decibels_of_all(self) -> None:
        """By Parseval's theorem: sines at 50 Hz and 8 kHz, so many dB under one at 440 Hz."""
        tone, deep, hiss = (sine(hz, 2.0, level=0.5) for hz in (440.0, 50.0, 8000.0))
        for decibels, share in ((-40.0, 0.0), (-25.0, 0.5), (-10.0, 1.0)):
            drums = np.float32(10 ** (decibels / 20)) * hiss + np.float32(0.1) * deep
            self.assertAlmostEqual(listener.drums_heard(tone + drums, tone), share, delta=0.1)

    def test_looks_count_the_more_as_with_drums_the_surer_these_are(self) -> None:
        quiet, loud = listener.NO_DRUMS, listener.DRUMS
        self.assertEqual((quiet.towards(loud, 0.0), quiet.towards(loud, 1.0)), (quiet, loud))
        self.assertEqual(quiet.towards(loud, 0.5).without_drums, Counts(0.25, 0.25, 0.5))


if __name__ == "__main__":
    unittest.main()

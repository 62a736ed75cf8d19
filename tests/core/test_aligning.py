"""Notes of a file laid onto a recording, against dynamic time warping and against known warps."""

import unittest

import librosa
import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from juxtanote.core.align.to_sound import align_to_heard

# A minor pentatonic over two octaves, up and down with a turn: no row of pitches that is its own echo.
LINE = [57, 60, 62, 64, 67, 69, 72, 69, 74, 76, 79, 76, 72, 69, 67, 69, 64, 62, 60, 57]
EVEN = [0.25 * k for k in range(len(LINE))]


def played(tempo: float, start_s: float) -> list[float]:
    """Play the line at another tempo, from a time on."""
    return [start_s + t / tempo for t in EVEN]


class KnownWarps(unittest.TestCase):
    """The time of every note is known, since it was made so."""

    def assert_near(self, found: tuple[float, ...], true: list[float], within_s: float) -> None:
        """Compare times; the same number of each."""
        self.assertEqual(len(found), len(true))
        self.assertLess(float(np.max(np.abs(np.subtract(found, true)))), within_s)

    @settings(max_examples=40, deadline=None)
    @given(st.floats(0.5, 2.0), st.floats(0.0, 30.0))
    def test_another_tempo_and_a_start(self, tempo: float, start_s: float) -> None:
        true = played(tempo, start_s)
        found = align_to_heard(EVEN, LINE, true, LINE)
        self.assert_near(found.onset_s, true, 1e-6)
        self.assertEqual(found.share, 1.0)

    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 2**32 - 1))
    @example(67222)  # 8 of 20 are heard, of two notes of one pitch only the earlier
    @example(12782)  # 6 of 20 are heard: that is too few
    def test_notes_that_were_not_heard_and_notes_too_many(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        true = played(1.1, 4.0)
        heard = [(t, p) for t, p in zip(true, LINE, strict=True) if rng.random() > 0.2]
        few = len(heard) < len(LINE) // 3 + 1
        heard += [(float(rng.uniform(4.0, 8.0)), float(rng.integers(80, 92))) for _ in range(4)]
        heard.sort()
        try:
            found = align_to_heard(EVEN, LINE, *map(list, zip(*heard, strict=True)))
        except ValueError:
            self.assertTrue(few, "refused, though a third of the notes were heard")
        else:
            self.assert_near(found.onset_s, true, 0.12)

    def test_a_tempo_that_drifts_is_followed_between_the_notes(self) -> None:
        true = [2.0 + t + 0.02 * t**2 for t in EVEN]
        self.assert_near(align_to_heard(EVEN, LINE, true, LINE).onset_s, true, 1e-6)

    def test_what_is_not_heard_at_the_ends_goes_on_at_the_tempo(self) -> None:
        true = played(0.8, 3.0)
        found = align_to_heard(EVEN, LINE, true[3:-3], LINE[3:-3])
        self.assert_near(found.onset_s, true, 1e-6)

    def test_a_note_that_was_heard_an_octave_off_breaks_nothing(self) -> None:
        true = played(1.0, 1.0)
        heard = [p + 12 if k == 7 else p for k, p in enumerate(LINE)]
        self.assert_near(align_to_heard(EVEN, LINE, true, heard).onset_s, true, 1e-6)

    def test_times_rise_and_none_is_below_zero(self) -> None:
        found = align_to_heard(EVEN, LINE, played(1.0, 0.1)[4:], LINE[4:]).onset_s
        self.assertTrue(all(b >= a >= 0.0 for a, b in zip(found, found[1:], strict=False)))


class Refused(unittest.TestCase):
    """What cannot be aligned says so."""

    def test_nothing_to_align(self) -> None:
        for rows in (([], [], EVEN, LINE), (EVEN, LINE, [], [])):
            with self.assertRaisesRegex(ValueError, "no notes"):
                align_to_heard(*rows)

    def test_another_piece(self) -> None:
        with self.assertRaisesRegex(ValueError, "of 20 notes were found"):
            align_to_heard(EVEN, LINE, EVEN, [p + 1 + k % 2 * 5 for k, p in enumerate(LINE[::-1])])

    def test_too_much_at_once(self) -> None:
        many = [float(k) for k in range(2100)]
        with self.assertRaisesRegex(ValueError, "shorter stretch"):
            align_to_heard(many, many, many, many)


class AgainstTimeWarping(unittest.TestCase):
    """librosa.sequence.dtw (M. Müller, "Fundamentals of Music Processing", ch. 3) on the same pitches."""

    def test_pairs_of_equal_pitch_are_those_of_the_warping_path(self) -> None:
        rng = np.random.default_rng(11)
        true = played(1.25, 2.0)
        kept = sorted(rng.choice(len(LINE), size=16, replace=False).tolist())
        heard_s, heard = [true[k] for k in kept], [LINE[k] for k in kept]
        found = align_to_heard(EVEN, LINE, heard_s, heard)
        _, path = librosa.sequence.dtw(np.array([LINE], float), np.array([heard], float))
        agreed = {i: j for i, j in path.tolist() if LINE[i] == heard[j]}
        self.assertGreaterEqual(len(agreed), 14)
        near = [abs(found.onset_s[i] - heard_s[j]) < 0.02 for i, j in agreed.items()]
        self.assertGreaterEqual(sum(near), len(near) - 2)


if __name__ == "__main__":
    unittest.main()

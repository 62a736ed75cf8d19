"""What is spoken is no note, and what is played is not taken for talk."""

import shutil
import subprocess
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.perceived import Hints, PerceivedNote
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.analysis.speech import BLOCK, WINDOW_S, speech_probability
from juxtanote.core.analysis.talk import talk_log_odds, without_talk
from juxtanote.core.audio.read import read_sound, to_rate
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events


def notes(offsets: list[float], length_s: float, spread: float = 0.0) -> list[PerceivedNote]:
    """Notes one after the other, so many cents from the semitone."""
    made = []
    for k, cents in enumerate(offsets):
        times = np.arange(0.0, length_s, 0.01)
        wave = cents + spread * np.sin(30.0 * times)
        curve = tuple(zip(times.tolist(), wave.tolist(), strict=True))
        start = 0.3 * k
        made.append(PerceivedNote(start, start + length_s, 60.0 + k % 5, -18.0, 0.9, curve=curve))
    return made


SPOKEN = np.ones(600)  # somebody speaks all the time


def voice(words: str) -> np.ndarray:
    """A synthetic voice, at the rate that is listened at."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "a.wav")
        subprocess.run(["espeak-ng", "-w", str(path), words], check=True)
        sound = read_sound(path)
    return to_rate(sound.audio, sound.sample_rate, SAMPLE_RATE)[0]


WORDS = "Start with the thumb behind the neck. Then hear how long each of them rings, and count to nine."


class TestTelling(unittest.TestCase):
    def test_what_lies_anywhere_is_talk(self) -> None:
        offsets = np.random.default_rng(1).uniform(-50, 50, 12).tolist()
        self.assertGreater(talk_log_odds(notes(offsets, 0.09, 12.0)).min(), 0.0)

    def test_what_keeps_to_a_tuning_is_not_though_it_be_another(self) -> None:
        rng = np.random.default_rng(2)
        for away in (0.0, 30.0, 49.0):
            offsets = (away + rng.normal(0.0, 3.0, 12)).tolist()
            self.assertLess(talk_log_odds(notes(offsets, 0.12, 1.0)).max(), -1.0, away)

    def test_a_few_bends_among_notes_stay(self) -> None:
        offsets = [0.0, 2.0, 35.0, -1.0, 1.0, -30.0, 3.0, 0.0]
        self.assertEqual(len(without_talk(notes(offsets, 0.4, 2.0), SPOKEN)), len(offsets))

    def test_what_is_like_talk_stays_where_nobody_speaks(self) -> None:
        rng = np.random.default_rng(6)
        riff = notes(rng.uniform(-45, 45, 40).tolist(), 0.07, 20.0)
        self.assertGreater(talk_log_odds(riff).min(), 0.0)  # each by itself is like talk
        self.assertEqual(without_talk(riff, 0.0 * SPOKEN), riff)
        until = np.where(np.arange(len(SPOKEN)) * WINDOW_S < 6.0, SPOKEN, 0.0)
        left = without_talk(riff, until)
        believed = [n.confidence > 0.5 for n in left]
        self.assertLess(sum(believed[: len(left) - 20]), 5)
        self.assertEqual(left[-18:], riff[-18:])

    def test_a_line_that_keeps_to_a_tuning_stays_under_talk(self) -> None:
        line = notes(np.random.default_rng(8).normal(0.0, 3.0, 20).tolist(), 0.28, 2.0)
        self.assertEqual(without_talk(line, SPOKEN), line)

    def test_what_is_left_amid_talk_is_doubted(self) -> None:
        rng = np.random.default_rng(7)
        spoken = [
            replace(n, confidence=0.5) for n in notes(rng.uniform(-50, 50, 14).tolist(), 0.08, 12.0)
        ]
        spoken[6] = replace(spoken[6], confidence=0.99)
        left = [n for n in without_talk(spoken, SPOKEN) if n.confidence > 0.5]
        self.assertEqual(left, [])

    def test_damped_strokes_are_not_talk(self) -> None:
        stroke = PerceivedNote(0.0, 0.03, 40.0, -18.0, 0.8, frozenset({"dead"}))
        strokes = [replace(stroke, onset_s=0.2 * k, offset_s=0.2 * k + 0.03) for k in range(12)]
        self.assertEqual(without_talk(strokes, SPOKEN), strokes)

    def test_of_few_notes_nothing_is_told(self) -> None:
        few = notes([40.0, -20.0, 10.0], 0.05)
        self.assertEqual(without_talk(few, SPOKEN), few)


class TestSpeech(unittest.TestCase):
    def test_silence_hiss_and_strings_are_no_speech(self) -> None:
        rng = np.random.default_rng(4)
        hiss = (1e-4 * rng.standard_normal(3 * SAMPLE_RATE)).astype(np.float32)
        strings = render_events(
            [StringEvent(0.2 + 0.1 * k, 0.1, 6, k % 4, 40.0 + k % 4) for k in range(40)],
            SAMPLE_RATE,
            StringVoice(),
            rng,
        )
        for sound in (np.zeros(SAMPLE_RATE, dtype=np.float32), hiss, strings):
            told = speech_probability(sound, SAMPLE_RATE)
            self.assertEqual(len(told), round(np.ceil(len(sound) / SAMPLE_RATE / WINDOW_S)))
            self.assertLess(float(told.max(initial=0.0)), 0.5)
        self.assertEqual(len(speech_probability(np.zeros(0, dtype=np.float32), SAMPLE_RATE)), 0)

    @unittest.skipUnless(shutil.which("espeak-ng"), "needs a synthetic voice")
    def test_a_voice_is_speech_at_any_level_and_rate(self) -> None:
        said = voice(WORDS)
        told = speech_probability(said, SAMPLE_RATE)
        self.assertGreater(float(np.mean(told > 0.5)), 0.7)
        quiet = speech_probability(np.float32(0.03) * said, SAMPLE_RATE)
        np.testing.assert_allclose(quiet, told, atol=0.02)
        slow = speech_probability(to_rate(said[None], SAMPLE_RATE, 44_100)[0], 44_100)
        self.assertLess(abs(float(slow.mean() - told.mean())), 0.05)
        long = np.tile(said, 5)  # more than one block of windows: what was told so far stays
        self.assertGreater(len(long) / SAMPLE_RATE / WINDOW_S, 1.5 * BLOCK)
        again = speech_probability(long, SAMPLE_RATE)
        np.testing.assert_allclose(again[: len(told) - 10], told[:-10], atol=0.02)
        self.assertGreater(float(np.mean(again > 0.5)), 0.7)


class TestListening(unittest.TestCase):
    @unittest.skipUnless(shutil.which("espeak-ng"), "needs a synthetic voice")
    def test_a_voice_has_hardly_a_note(self) -> None:
        said = voice(WORDS)
        left = [n for n in listen(said, 0 * said).notes if n.confidence > 0.5]
        there = listen(said, 0 * said, keep_talk=True).notes
        self.assertGreater(len(there), 6)  # else it would be full of notes
        self.assertLessEqual(6 * len(left), len(there))
        told = listen(said, 0 * said, hints=Hints(expected_notes=3)).notes
        self.assertEqual(len(told), 3)  # who says how many there are is believed

    def test_a_guitar_keeps_its_notes(self) -> None:
        pitches = (57, 60, 62, 64, 67, 64, 62, 60)
        events = [StringEvent(0.2 + 0.3 * k, 0.28, 3, 5, float(p)) for k, p in enumerate(pitches)]
        guitar = render_events(events, SAMPLE_RATE, StringVoice(), np.random.default_rng(4))
        self.assertEqual(len(listen(guitar, 0 * guitar).notes), len(pitches))

    def test_a_guitar_that_is_out_of_tune_keeps_its_notes(self) -> None:
        rng = np.random.default_rng(5)
        away = (0.2, -0.1, 0.3, -0.3, 0.15, -0.25)  # semitones, by string
        events = []
        for k in range(24):
            string, fret = int(rng.integers(1, 6)), int(rng.integers(0, 12))
            midi = (64, 59, 55, 50, 45, 40)[string - 1] + fret + away[string - 1]
            events.append(StringEvent(0.2 + 0.2 * k, 0.19, string, fret, midi))
        guitar = render_events(events, SAMPLE_RATE, StringVoice(), rng)
        heard = listen(guitar, 0 * guitar).notes
        self.assertGreaterEqual(len(heard), 23)
        self.assertGreater(float(np.mean([n.confidence for n in heard])), 0.8)


if __name__ == "__main__":
    unittest.main()

"""What is spoken is no note, and what is played is not taken for talk."""

import unittest
from dataclasses import replace

import numpy as np
from scipy import signal

from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.perceived import Hints, PerceivedNote
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.analysis.talk import talk_log_odds, without_talk
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events

# Formants of men's vowels in Hz: G. E. Peterson, H. L. Barney, "Control methods used in a study of the
# vowels", JASA 24, 1952, table II (i, æ, ɑ, u, ɜ).
VOWELS = (
    (270, 2290, 3010),
    (660, 1720, 2410),
    (730, 1090, 2440),
    (300, 870, 2240),
    (490, 1350, 1690),
)


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


def syllables(seconds: float, rng: np.random.Generator) -> np.ndarray:
    """A voice: pulses of a gliding pitch through formants, five syllables a second."""
    audio = np.zeros(int(seconds * SAMPLE_RATE))
    at = 0.1
    while at < seconds - 0.5:
        length = float(rng.uniform(0.12, 0.28))
        count = int(length * SAMPLE_RATE)
        pitch = np.linspace(*(120.0 * 2.0 ** rng.uniform(-0.4, 0.5, 2)), count)
        phase = np.cumsum(pitch / SAMPLE_RATE)
        pulses = np.diff(np.floor(phase), prepend=0.0)
        for hertz in VOWELS[int(rng.integers(len(VOWELS)))]:
            wide = 60.0 + 0.05 * hertz
            pole = np.exp(-np.pi * wide / SAMPLE_RATE)
            turn = 2.0 * np.cos(2.0 * np.pi * hertz / SAMPLE_RATE)
            pulses = signal.lfilter([1.0], [1.0, -pole * turn, pole**2], pulses)
        shape = np.minimum(1.0, np.minimum(np.arange(count), np.arange(count)[::-1]) / 400.0)
        start = int(at * SAMPLE_RATE)
        audio[start : start + count] += pulses * shape / (np.abs(pulses).max() + 1e-9)
        at += length + float(rng.choice([0.02, 0.05, 0.3]))
    return (0.3 * audio).astype(np.float32)


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
        self.assertEqual(len(without_talk(notes(offsets, 0.4, 2.0))), len(offsets))

    def test_a_riff_of_short_notes_beside_a_line_keeps_what_is_surely_heard(self) -> None:
        rng = np.random.default_rng(6)
        riff = notes(rng.uniform(-45, 45, 10).tolist(), 0.07, 20.0)
        line = notes(rng.normal(0.0, 3.0, 10).tolist(), 0.3, 2.0)
        later = [replace(n, onset_s=n.onset_s + 2.6, offset_s=n.offset_s + 2.6) for n in line]
        sure = [replace(n, confidence=0.95) for n in riff]
        self.assertGreater(talk_log_odds(sure).min(), 0.0)  # each by itself is like talk
        among = without_talk([*sure, *later])
        alone = without_talk(sure)
        self.assertGreaterEqual(len([n for n in among if n.onset_s < 2.6]), 8)
        self.assertLess(len(alone), len(among) - len(later))

    def test_what_is_faster_than_anybody_talks_is_a_riff(self) -> None:
        rng = np.random.default_rng(9)
        slow = [
            replace(n, confidence=0.95)
            for n in notes(rng.uniform(-45, 45, 40).tolist(), 0.07, 20.0)
        ]
        fast = [
            replace(n, onset_s=0.27 * n.onset_s, offset_s=0.27 * n.onset_s + 0.07) for n in slow
        ]
        believed = [sum(n.confidence > 0.5 for n in without_talk(line)) for line in (slow, fast)]
        self.assertLess(believed[0], 20)
        self.assertGreater(believed[1], 30)

    def test_who_says_that_a_guitar_plays_is_believed(self) -> None:
        rng = np.random.default_rng(8)
        riff = notes(rng.uniform(-45, 45, 10).tolist(), 0.07, 20.0)
        sure = [replace(n, confidence=0.95) for n in riff]
        believed = [
            sum(n.confidence > 0.5 for n in without_talk(sure, is_played=played))
            for played in (False, True)
        ]
        self.assertLessEqual(2 * believed[0], believed[1])

    def test_what_is_left_amid_talk_is_doubted(self) -> None:
        rng = np.random.default_rng(7)
        spoken = [
            replace(n, confidence=0.5) for n in notes(rng.uniform(-50, 50, 14).tolist(), 0.08, 12.0)
        ]
        spoken[6] = replace(spoken[6], confidence=0.99)
        left = [n for n in without_talk(spoken) if n.confidence > 0.5]
        self.assertEqual(left, [])

    def test_damped_strokes_are_not_talk(self) -> None:
        stroke = PerceivedNote(0.0, 0.03, 40.0, -18.0, 0.8, frozenset({"dead"}))
        strokes = [replace(stroke, onset_s=0.2 * k, offset_s=0.2 * k + 0.03) for k in range(12)]
        self.assertEqual(without_talk(strokes), strokes)

    def test_of_few_notes_nothing_is_told(self) -> None:
        few = notes([40.0, -20.0, 10.0], 0.05)
        self.assertEqual(without_talk(few), few)


class TestListening(unittest.TestCase):
    def test_a_voice_has_hardly_a_note_and_a_guitar_keeps_its_own(self) -> None:
        voice = syllables(8.0, np.random.default_rng(3))
        left = [n for n in listen(voice, 0 * voice).notes if n.confidence > 0.5]
        there = listen(voice, 0 * voice, keep_talk=True).notes
        self.assertGreater(len(there), 8)  # without looking at its tuning it would be full of notes
        self.assertLessEqual(5 * len(left), len(there))
        told = listen(voice, 0 * voice, hints=Hints(expected_notes=3)).notes
        self.assertEqual(len(told), 3)  # who says how many there are is believed

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

"""What is no guitar is doubted: the picture against a general library, the rest on what is known."""

import contextlib
import io
import shutil
import subprocess
import tempfile
import unittest
from dataclasses import replace
from importlib.util import find_spec
from pathlib import Path
from unittest import mock

import librosa
import mido
import numpy as np
import soundfile

from juxtanote.cli import main
from juxtanote.core.analysis.instruments import (
    BANDS,
    EVERY,
    FRAME,
    HOP,
    RATE,
    WINDOW,
    WINDOW_S,
    doubt_others,
    guitar_log_odds,
    is_doubted,
    log_mel,
    mel_bands,
    mostly_others,
    windows_of,
)
from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.stretches import hear_stretch
from juxtanote.core.audio.read import read_sound, to_rate
from juxtanote.core.audio.sound import Sound
from juxtanote.core.checks.evidence import listen_again
from juxtanote.core.collection.heard import line_of
from juxtanote.core.progress import Cancelled
from juxtanote.core.score.lesson import Focus
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events
from juxtanote.core.theory.observed import Shows

FONT = Path(next(iter(find_spec("pretty_midi").submodule_search_locations)), "TimGM6mb.sf2")  # type: ignore[union-attr, arg-type]
PIANO, ELECTRIC_GUITAR = 0, 27  # General MIDI 1, level 1, sound set


def line(program: int) -> np.ndarray:
    """Play a line with a few chords on an instrument of General MIDI, at 22 050 Hz."""
    track = mido.MidiTrack([mido.Message("program_change", program=program)])
    rng = np.random.default_rng(3)
    for _ in range(60):
        notes = [
            int(n) for n in rng.choice(np.arange(52, 76), 1 + int(rng.integers(2)), replace=False)
        ]
        track += [mido.Message("note_on", note=n, velocity=90) for n in notes]
        track += [mido.Message("note_off", note=n, time=240 if n == notes[0] else 0) for n in notes]
    with tempfile.TemporaryDirectory() as folder:
        paths = Path(folder, "a.mid"), Path(folder, "a.wav")
        mido.MidiFile(tracks=[track]).save(paths[0])
        command = ["fluidsynth", "-ni", "-q", "-F", str(paths[1]), str(FONT), str(paths[0])]
        subprocess.run(command, check=True, capture_output=True)
        sound = read_sound(paths[1])
    return to_rate(sound.audio, sound.sample_rate, 22_050).mean(axis=0)


def note(onset_s: float) -> PerceivedNote:
    return PerceivedNote(onset_s, onset_s + 0.2, 60.0, -18.0, 0.9)


class Pictures(unittest.TestCase):
    """The network sees what it learned from: what librosa 0.11 makes with its defaults."""

    def test_mel_bands_are_those_of_a_general_library(self) -> None:
        theirs = librosa.filters.mel(sr=RATE, n_fft=FRAME, n_mels=BANDS)
        np.testing.assert_allclose(mel_bands(), theirs, atol=1e-7)

    def test_so_are_pictures(self) -> None:
        sound = 0.1 * np.random.default_rng(0).standard_normal(3 * RATE).astype(np.float32)
        theirs = librosa.feature.melspectrogram(
            y=sound, sr=RATE, n_fft=FRAME, hop_length=HOP, n_mels=BANDS
        )
        np.testing.assert_allclose(log_mel(sound), np.log10(1e4 * theirs.T + 1.0), atol=1e-4)

    def test_windows_follow_each_other_at_one_level(self) -> None:
        sound = np.random.default_rng(1).standard_normal(int(2.5 * WINDOW * HOP)).astype(np.float32)
        seen, loud = windows_of(sound, RATE)
        self.assertEqual(seen.shape, (2, WINDOW, BANDS))
        np.testing.assert_allclose(loud, 1.0, atol=0.05)
        softer, _ = windows_of(0.01 * sound, RATE)
        np.testing.assert_allclose(softer, seen, atol=1e-4)
        self.assertEqual(windows_of(sound[:99], RATE)[0].shape, (1, WINDOW, BANDS))
        self.assertEqual(windows_of(sound[:0], RATE)[0].shape, (1, WINDOW, BANDS))


class Doubts(unittest.TestCase):
    def test_notes_where_something_else_plays_are_doubted_and_say_so(self) -> None:
        odds = np.array([-6.0] * 4 + [4.0] * 8)
        notes = [note(k) for k in np.arange(0.5, 34.0)]
        told = doubt_others(notes, odds)
        self.assertLess(told[0].confidence, 0.1)
        self.assertIn(Shows.LIKE_NO_GUITAR, {seen.of for seen in told[0].evidence})
        surest = doubt_others([replace(notes[0], confidence=1.0)], odds)[0].confidence
        self.assertTrue(0.0 < surest < 0.5)
        self.assertEqual(told[-1], notes[-1])
        self.assertFalse(mostly_others([n.evidence for n in told]))
        self.assertTrue(mostly_others([n.evidence for n in told[:10]]))
        self.assertEqual([n.onset_s for n in told], [n.onset_s for n in notes])

    def test_nothing_known_is_nothing_doubted(self) -> None:
        notes = [note(1.0)]
        self.assertEqual(doubt_others(notes, np.full(3, np.nan)), notes)
        self.assertEqual(doubt_others([], np.array([-9.0])), [])
        far = doubt_others([note(100.0)], np.array([-9.0, np.nan]))
        self.assertLess(far[0].confidence, 0.1, "what is known is used, however far")

    def test_of_a_guitar_that_is_brought_forward_the_whole_sound_is_asked_about(self) -> None:
        """A narrow band of a recorded guitar is told for another instrument; all of it is not."""
        rng = np.random.default_rng(4)
        events = [StringEvent(0.2 + 0.3 * k, 0.28, 4, 5 + k % 3, 55.0 + k % 3) for k in range(12)]
        mono = render_events(events, 44_100, StringVoice(), rng, length_s=4.0)
        sound = Sound(np.stack([mono, mono]), 44_100)
        focus = Focus(low_hz=150.0, high_hz=400.0)
        asked_of = []

        def ask(mid: np.ndarray, sample_rate: int, _: object) -> np.ndarray:
            asked_of.append(float(np.abs(np.diff(mid)).mean() / np.abs(mid).mean()))
            return np.full(1, np.nan)

        with mock.patch("juxtanote.core.analysis.listen.guitar_log_odds", ask):
            for forward in (None, focus):
                self.assertTrue(hear_stretch(sound, 0.0, 4.0, focus=forward).notes)
        self.assertAlmostEqual(asked_of[0], asked_of[1], delta=0.02 * asked_of[0])

    def test_what_a_tab_or_a_take_is_of_is_not_asked(self) -> None:
        """Who holds a tab against a sound says that a guitar plays there, however odd it sounds."""
        rng = np.random.default_rng(6)
        events = [StringEvent(0.2 + 0.3 * k, 0.28, 4, 5 + k % 3, 55.0 + k % 3) for k in range(10)]
        mono = render_events(events, 44_100, StringVoice(), rng, length_s=3.5)
        sound = Sound(np.stack([mono, mono]), 44_100)
        nothing_like_it = mock.Mock(return_value=np.full(2, -9.0))
        with mock.patch("juxtanote.core.analysis.listen.guitar_log_odds", nothing_like_it):
            (again,) = listen_again(sound, 0.0, 3.5)
            self.assertEqual(len(line_of(sound)[0]), len(events))
            self.assertFalse(nothing_like_it.called)
            doubted = hear_stretch(sound, 0.0, 3.5).notes
        self.assertGreater(np.mean([n.confidence for n in again.notes]), 0.8)
        self.assertTrue(all(is_doubted(n.evidence) for n in doubted))
        self.assertFalse(any(is_doubted(n.evidence) for n in again.notes))

    def test_of_silence_nothing_is_known(self) -> None:
        self.assertTrue(np.isnan(guitar_log_odds(np.zeros(22_050, dtype=np.float32), 22_050)).all())


class Instruments(unittest.TestCase):
    def test_strings_of_ours_are_not_doubted_and_few_windows_are_asked_about(self) -> None:
        played = [(0.4 * k, 4 - k % 3, 5 + k % 4) for k in range(90)]
        events = [
            StringEvent(at, 0.38, string, fret, 50.0 + 5.0 * (4 - string) + fret)
            for at, string, fret in played
        ]
        rng = np.random.default_rng(2)
        sound = render_events(events, 22_050, StringVoice(), rng, length_s=38.0)
        odds = guitar_log_odds(sound, 22_050)
        self.assertEqual(len(odds), int(38.0 / WINDOW_S))
        known = ~np.isnan(odds)
        notes = [note(event.onset_s) for event in events]
        self.assertEqual(doubt_others(notes, odds), notes)
        self.assertTrue(known[::EVERY].all())

    def test_a_stop_is_heeded_between_windows(self) -> None:
        sound = np.random.default_rng(5).standard_normal(20 * 22_050).astype(np.float32)
        told: list[float] = []

        def stop(share: float) -> None:
            told.append(share)
            if len(told) == 2:
                raise Cancelled

        with self.assertRaises(Cancelled):
            guitar_log_odds(sound, 22_050, stop)
        self.assertEqual(told, [0.0, 1.0 / int(20.0 / WINDOW_S)])

    @unittest.skipUnless(shutil.which("fluidsynth"), "needs a player of soundfonts")
    def test_a_piano_is_doubted_and_a_guitar_is_not(self) -> None:
        piano, guitar = line(PIANO), line(ELECTRIC_GUITAR)
        told = [guitar_log_odds(sound, 22_050) for sound in (piano, guitar)]
        self.assertLess(np.nanmean(told[0]), np.nanmean(told[1]) - 2.0)
        few = piano[: 8 * 22_050]
        notes = listen(few, 0.0 * few).notes
        self.assertTrue(notes)
        self.assertFalse([n for n in notes if n.confidence > 0.5])
        for sound, told in ((few, "does not sound like a guitar"), (guitar[: len(few)], "")):
            with tempfile.TemporaryDirectory() as folder:
                audio, notes_file = Path(folder, "a.wav"), Path(folder, "a.csv")
                soundfile.write(audio, sound, 22_050)
                said = io.StringIO()
                with contextlib.redirect_stderr(said):
                    self.assertEqual(main(["transcribe", str(audio), "-o", str(notes_file)]), 0)
                self.assertTrue(notes_file.is_file())
            self.assertIn(told, said.getvalue())
            self.assertEqual(bool(said.getvalue()), bool(told), said.getvalue())
        kept = listen(few, 0.0 * few, keep_talk=True).notes
        self.assertTrue([n for n in kept if n.confidence > 0.5])
        self.assertEqual(
            [replace(n, confidence=0.0, evidence=()).midi for n in notes], [n.midi for n in kept]
        )


if __name__ == "__main__":
    unittest.main()

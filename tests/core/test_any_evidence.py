"""Whatever the listener gives, and whatever sounds: notes, places, counts, exports and back."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtanote.core.analysis.channels import CELL_KINDS, N_PITCHES
from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.listener import Posteriors
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.analysis.stretches import hear_all, hear_stretch
from juxtanote.core.analysis.techniques import read_curve
from juxtanote.core.audio.read import read_sound
from juxtanote.core.audio.sound import Sound
from juxtanote.core.formats.breakdown import generate_breakdown
from juxtanote.core.formats.exports import export_lesson, read_score
from juxtanote.core.formats.lesson_file import load_lesson, save_lesson
from juxtanote.core.formats.names import EXPORTS
from juxtanote.core.formats.pages import lay_out
from juxtanote.core.placing import place_heard
from juxtanote.core.score.lesson import Lesson, Phrase, Recording
from juxtanote.core.score.note import BENDS
from juxtanote.core.score.timing import recounted
from juxtanote.core.theory.tuning import Guitar
from juxtanote.core.transcribe import Options, transcribe

READ_AGAIN = (".csv", ".mid", ".musicxml")


def posteriors(seed: int, frames: int, notes: int, roughness: float) -> Posteriors:
    """Make probabilities of any kind: spots of every kind on noise, some of them certain, some absurd."""
    rng = np.random.default_rng(seed)
    cells = (roughness * rng.random((len(CELL_KINDS), N_PITCHES, frames))).astype(np.float32)
    for _ in range(notes):
        pitch, start = int(rng.integers(N_PITCHES)), int(rng.integers(frames))
        end = start + int(rng.integers(1, 60))
        cells[0, pitch, start : start + 2] = rng.random()
        cells[1, pitch, start:end] = rng.random()
        cells[int(rng.integers(len(CELL_KINDS))), pitch, start:end] = rng.random()
    dead = (rng.random(frames) ** 8).astype(np.float32)
    return Posteriors(cells, dead, rng.random(frames).astype(np.float32))


class TestAnyEvidence(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    @given(st.integers(0, 2**31), st.integers(12, 180), st.integers(0, 25), st.floats(0.0, 1.0))
    @settings(max_examples=8, deadline=None)
    def test_it_becomes_a_lesson_that_every_format_takes(
        self, seed: int, frames: int, notes: int, roughness: float
    ) -> None:
        mid = np.random.default_rng(seed).standard_normal(frames * HOP_LENGTH).astype(np.float32)
        given_ = posteriors(seed, frames, notes, roughness**4)
        with mock.patch("juxtanote.core.analysis.listen.listener.listen", lambda *_, **__: given_):
            heard = listen(0.2 * mid, np.zeros_like(mid))
        self._goes_all_the_way(list(heard.notes)[:40], frames * HOP_LENGTH / SAMPLE_RATE)

    def _goes_all_the_way(self, heard: list, seconds: float) -> None:  # type: ignore[type-arg]
        guitar = Guitar()
        notes = tuple(
            replace(note, ident=k + 1)
            for k, note in enumerate(place_heard(heard, guitar, "alternate"))
        )
        for note in notes:
            self.assertGreaterEqual(note.written.bend_semitones, 0.0)
            if note.written.techniques & BENDS:
                self.assertGreater(note.written.bend_semitones, 0.0)
        end = max([seconds, *(n.offset_s for n in notes)]) + 0.1
        phrase = Phrase(1, "A", 0.0, end, notes)
        lesson = recounted(Lesson("x", recording=Recording("x.wav", end), phrases=(phrase,)))
        path = self.folder / "x.juxta"
        save_lesson(lesson, path)
        self.assertEqual(load_lesson(path), lesson)
        for suffix in EXPORTS:
            export_lesson(lesson, self.folder / f"x{suffix}")
        for suffix in READ_AGAIN:
            score = read_score(self.folder / f"x{suffix}") if notes else None
            if score is not None and suffix == ".csv":
                self.assertEqual(sum(len(p.rows) for p in score.parts), len(notes))
        generate_breakdown(lesson.phrases[0], lesson)
        lay_out(lesson)

    @given(
        st.integers(0, 2**31), st.integers(1, 200), st.floats(0, 1200), st.floats(-900, 900),
        st.floats(0, 25), st.booleans(),
    )  # fmt: skip
    @settings(max_examples=200, deadline=None)
    def test_no_curve_is_a_bend_downwards(
        self, seed: int, count: int, depth: float, drift: float, rate: float, glides: bool
    ) -> None:
        rng = np.random.default_rng(seed)
        times = np.arange(count) * 0.0116
        cents = depth * np.sign(np.sin(2 * np.pi * rate * times)) + drift * times
        cents += 20 * rng.standard_normal(count)
        reading = read_curve(times, cents, 64.0, glides_on=glides)
        self.assertGreaterEqual(reading.bend_semitones, 0.0)
        if reading.techniques & BENDS:
            self.assertGreater(reading.bend_semitones, 0.0)


def plucked(midi: int, seconds: float) -> np.ndarray:
    """Make one decaying harmonic tone, mono at 44.1 kHz."""
    t = np.arange(int(seconds * 44_100)) / 44_100
    hz = 440.0 * 2 ** ((midi - 69) / 12)
    tone = sum(
        np.sin(2 * np.pi * k * hz * t) * np.exp(-(0.6 + 0.4 * k) * t) / k for k in range(1, 9)
    )
    return (0.2 * np.minimum(t / 0.003, 1.0) * tone).astype(np.float32)


def kinds_of_sound() -> dict[str, np.ndarray]:
    """Stereo sounds that no recording should be, two seconds each at 44.1 kHz."""
    rate, rng = 44_100, np.random.default_rng(4)
    t = np.arange(2 * rate) / rate
    step = np.where(np.sin(2 * np.pi * 11 * t) > 0, 1.0, 2 ** (1 / 12))
    trill = 0.3 * np.sin(2 * np.pi * np.cumsum(440.0 * step) / rate)
    tone = 0.3 * np.sin(2 * np.pi * 220 * t)
    burst = np.zeros_like(t)
    burst[rate] = 1.0
    glide = 0.3 * np.sin(2 * np.pi * np.cumsum(80.0 * 2 ** (2 * t)) / rate)
    made = {
        "a fast semitone trill": trill, "silence": 0 * t, "one click": burst,
        "noise": 0.3 * rng.standard_normal(len(t)),
        "a direct voltage": 0 * t + 0.9, "clipped": np.sign(tone), "a long glide": glide,
        "samples of 1e30": 1e30 * tone, "no numbers": np.where(t > 1, np.nan, tone),
    }  # fmt: skip
    stereo = {name: np.stack([one, one]).astype(np.float32) for name, one in made.items()}
    return stereo | {
        "only the side": np.stack([tone, -tone]).astype(np.float32),
        "a tenth of a second": np.stack([tone, tone]).astype(np.float32)[:, :4410],
    }


class TestAnySound(unittest.TestCase):
    def test_transcribe_gives_a_lesson_that_opens_again(self) -> None:
        with tempfile.TemporaryDirectory() as held:
            for name, audio in kinds_of_sound().items():
                with self.subTest(name):
                    path = Path(held) / "in.wav"
                    soundfile.write(path, audio.T, 44_100, subtype="FLOAT")
                    lesson = transcribe(path, Options())
                    save_lesson(lesson, Path(held) / "out.juxta")
                    self.assertEqual(load_lesson(Path(held) / "out.juxta"), lesson)
                    for suffix in EXPORTS:
                        export_lesson(lesson, Path(held) / f"out{suffix}")

    def test_what_is_read_is_finite_and_of_sound(self) -> None:
        with tempfile.TemporaryDirectory() as held:
            path = Path(held) / "in.wav"
            for name in ("samples of 1e30", "no numbers"):
                soundfile.write(path, kinds_of_sound()[name].T, 44_100, subtype="FLOAT")
                audio = read_sound(path).audio
                self.assertTrue(np.all(np.isfinite(audio)) and float(np.abs(audio).max()) <= 64.0)

    def test_a_guitar_that_is_only_in_the_side_is_heard(self) -> None:
        mono = np.concatenate([np.zeros(8000), plucked(64, 1.5)])
        side = Sound(np.stack([mono, -mono]).astype(np.float32), 44_100)
        heard = hear_stretch(side, 0.0, side.duration_s)
        self.assertEqual([round(n.midi) for n in heard.notes], [64])

    def test_a_note_that_sounds_across_thirty_seconds_is_not_cut(self) -> None:
        audio = np.zeros((2, 34 * 44_100), dtype=np.float32)
        mono = plucked(57, 3.0)
        start = int(28.6 * 44_100)
        audio[:, start : start + len(mono)] = mono
        heard = hear_all(Sound(audio, 44_100))
        self.assertEqual(len(heard), 1)
        self.assertGreater(heard[0].offset_s, 30.8)


if __name__ == "__main__":
    unittest.main()

"""Reading, writing, peaks, focus."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import av
import numpy as np
import soundfile
from scipy.ndimage import median_filter

from juxtanote.core.audio.focus import (
    _running_median,
    bring_forward,
    choose_source,
    keep_harmonic,
)
from juxtanote.core.audio.peaks import build_peaks
from juxtanote.core.audio.read import read_sound, to_mid_side, to_rate
from juxtanote.core.audio.write import write_sound, write_text, write_whole
from juxtanote.core.errors import JuxtanoteError, SoundFileError
from juxtanote.core.progress import Cancelled
from tests.sounds import noise, sine


def encode(path: Path, codec: str, audio: np.ndarray, rate: int = 44_100) -> None:
    """Write stereo audio (2, n) with PyAV's own coders."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate)
        stream.layout = "stereo"
        resampler = av.AudioResampler(format=stream.format, layout="stereo", rate=rate)
        size = 1024
        for start in range(0, audio.shape[1] - size, size):
            part = np.ascontiguousarray(audio[:, start : start + size].astype(np.float32))
            frame = av.AudioFrame.from_ndarray(part, format="fltp", layout="stereo")
            frame.rate, frame.pts = rate, start
            for made in resampler.resample(frame):
                for packet in stream.encode(made):
                    container.mux(packet)
        for packet in stream.encode(None):
            container.mux(packet)


class TestReading(unittest.TestCase):
    def setUp(self) -> None:
        self._folder = tempfile.TemporaryDirectory()
        self.folder = Path(self._folder.name)
        self.addCleanup(self._folder.cleanup)
        tone = sine(440.0, 1.0, 44_100)
        self.audio = np.stack([tone, 0.5 * tone])

    def _loudest_hz(self, mono: np.ndarray, rate: int) -> float:
        spectrum = np.abs(np.fft.rfft(mono * np.hanning(len(mono))))
        return float(np.argmax(spectrum)) * rate / len(mono)

    def test_every_common_format_is_read(self) -> None:
        coders = {
            "a.mp3": "libmp3lame", "a.m4a": "aac", "a.opus": "libopus",
            "a.webm": "libopus", "a.mp4": "aac", "a.flac": "flac", "a.wav": "pcm_s16le",
        }  # fmt: skip
        for name, codec in coders.items():
            with self.subTest(name=name):
                rate = 48_000 if "opus" in codec else 44_100
                tone = sine(440.0, 1.0, rate)
                encode(self.folder / name, codec, np.stack([tone, 0.5 * tone]), rate)
                sound = read_sound(self.folder / name)
                self.assertEqual(sound.sample_rate, 44_100)
                self.assertEqual(sound.audio.shape[0], 2)
                self.assertAlmostEqual(sound.duration_s, 1.0, delta=0.08)
                self.assertAlmostEqual(self._loudest_hz(sound.audio[0], 44_100), 440.0, delta=2.0)

    def test_ogg_vorbis_is_read(self) -> None:
        path = self.folder / "a.ogg"
        soundfile.write(path, self.audio.T, 44_100, format="OGG", subtype="VORBIS")
        self.assertAlmostEqual(read_sound(path).duration_s, 1.0, delta=0.05)

    def test_sample_rates_and_channel_counts(self) -> None:
        for rate in (8_000, 22_050, 48_000, 96_000, 192_000):
            for channels in (1, 2, 6):
                with self.subTest(rate=rate, channels=channels):
                    path = self.folder / f"{rate}-{channels}.wav"
                    tone = np.repeat(sine(440.0, 0.5, rate)[:, None], channels, axis=1)
                    soundfile.write(path, tone, rate)
                    sound = read_sound(path)
                    self.assertAlmostEqual(sound.duration_s, 0.5, delta=0.01)
                    self.assertAlmostEqual(
                        self._loudest_hz(sound.audio[0], 44_100), 440.0, delta=4.0
                    )

    def test_the_suffix_does_not_matter(self) -> None:
        path = self.folder / "really-flac.wav"
        soundfile.write(path, self.audio.T, 44_100, format="FLAC")
        self.assertAlmostEqual(read_sound(path).duration_s, 1.0, delta=0.01)

    def test_titles_in_old_letters_do_no_harm(self) -> None:
        """Tags of older programs are not in UTF-8, as the format asks (RIFF's own say no encoding)."""
        path = self.folder / "song.wav"
        soundfile.write(path, self.audio.T, 44_100, subtype="PCM_16")
        told = b"INFOINAM" + (6).to_bytes(4, "little") + "Café\0\0".encode("latin-1")
        whole = path.read_bytes() + b"LIST" + len(told).to_bytes(4, "little") + told
        path.write_bytes(whole[:4] + (len(whole) - 8).to_bytes(4, "little") + whole[8:])
        with self.assertRaises(UnicodeDecodeError), av.open(str(path)):
            pass
        np.testing.assert_allclose(read_sound(path).audio, self.audio, atol=1e-4)

    def test_what_the_decoder_refuses_another_one_reads(self) -> None:
        """Of 239 files of music that nobody here made PyAV refuses three that play elsewhere."""
        stereo = 0.3 * np.sin(np.outer([1.0, 1.5], np.arange(22_050) / 15.0)).astype(np.float32)
        for channels in (1, 2, 4):
            path = self.folder / f"{channels}.ogg"
            soundfile.write(path, np.resize(stereo, (channels, 22_050)).T, 22_050)
            usual = read_sound(path, end_s=0.9)
            refused = av.error.InvalidDataError(1, "Header processing failed")
            with mock.patch("av.open", side_effect=refused):
                other = read_sound(path, end_s=0.9)
                part = read_sound(path, start_s=0.5, end_s=0.75)
            self.assertEqual(other.audio.shape, usual.audio.shape)
            self.assertEqual(part.duration_s, 0.25)
            if channels < 3:
                inside = np.s_[:, 2000:-2000]
                np.testing.assert_allclose(other.audio[inside], usual.audio[inside], atol=0.02)

    def test_broken_files_give_one_clear_line(self) -> None:
        random = np.random.default_rng(1)
        bad = {
            "empty.wav": b"",
            "random.mp3": random.bytes(4000),
            "text.flac": b"This is not sound at all.\n" * 40,
            "cut.wav": b"RIFF\x24\x00\x00\x00WAVEfmt ",
            "head.ogg": b"OggS" + random.bytes(200),
        }
        for name, data in bad.items():
            path = self.folder / name
            path.write_bytes(data)
            with self.subTest(name=name), self.assertRaises(SoundFileError) as caught:
                read_sound(path)
            self.assertIn(name, str(caught.exception))
            self.assertNotIn("\n", str(caught.exception))
        with self.assertRaises(SoundFileError):
            read_sound(self.folder / "missing.wav")

    def test_a_truncated_file_gives_what_is_there(self) -> None:
        path = self.folder / "whole.flac"
        soundfile.write(path, np.repeat(self.audio, 4, axis=1).T, 44_100)
        data = path.read_bytes()
        cut = self.folder / "cut.flac"
        cut.write_bytes(data[: len(data) // 2])
        self.assertGreater(read_sound(cut).duration_s, 0.5)

    def test_values_that_are_no_numbers_become_silence(self) -> None:
        path = self.folder / "nan.wav"
        broken = self.audio.T.copy()
        broken[100:200] = np.nan
        soundfile.write(path, broken, 44_100, subtype="FLOAT")
        self.assertTrue(np.all(np.isfinite(read_sound(path).audio)))

    def test_a_stretch_can_be_read(self) -> None:
        path = self.folder / "a.wav"
        soundfile.write(path, self.audio.T, 44_100)
        self.assertAlmostEqual(
            read_sound(path, start_s=0.25, end_s=0.75).duration_s, 0.5, delta=0.001
        )
        with self.assertRaises(SoundFileError):
            read_sound(path, start_s=5.0)

    def test_reading_can_be_stopped(self) -> None:
        path = self.folder / "a.wav"
        soundfile.write(path, self.audio.T, 44_100)

        def stop(_: float) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            read_sound(path, progress=stop)


class TestWriting(unittest.TestCase):
    def setUp(self) -> None:
        self._folder = tempfile.TemporaryDirectory()
        self.folder = Path(self._folder.name)
        self.addCleanup(self._folder.cleanup)

    def test_a_failed_write_leaves_the_old_file_and_no_litter(self) -> None:
        path = self.folder / "a.txt"
        write_text(path, "old")

        def fail(partial: Path) -> None:
            partial.write_text("half")
            raise OSError(28, "No space left on device")

        with self.assertRaises(JuxtanoteError) as caught:
            write_whole(path, fail)
        self.assertIn("No space left", str(caught.exception))
        self.assertEqual(path.read_text(), "old")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["a.txt"])

    def test_a_missing_folder_is_told(self) -> None:
        with self.assertRaises(JuxtanoteError):
            write_text(self.folder / "no" / "a.txt", "x")

    def test_sound_is_read_back(self) -> None:
        audio = np.stack([sine(300.0, 2.0, 44_100)] * 2)
        for suffix in (".wav", ".flac", ".ogg"):
            with self.subTest(suffix=suffix):
                path = self.folder / f"a{suffix}"
                write_sound(path, audio, 44_100)
                again = read_sound(path).audio
                self.assertEqual(again.shape[1], audio.shape[1])
                self.assertLess(float(np.mean((again - audio) ** 2)), 1e-4)
        with self.assertRaises(SoundFileError):
            write_sound(self.folder / "a.xyz", audio, 44_100)


class TestPeaks(unittest.TestCase):
    def setUp(self) -> None:
        self.audio = np.stack([noise(3.0, 0.2, 44_100)] * 2)
        self.audio[:, 70_000] = 0.9
        self.peaks = build_peaks(self.audio, 44_100)

    def test_no_zoom_loses_a_click(self) -> None:
        for columns in (10, 100, 1000, 5000):
            _, high = self.peaks.between(0.0, 3.0, columns)
            with self.subTest(columns=columns):
                self.assertAlmostEqual(float(high.max()), 0.9, places=5)

    def test_it_zooms_to_single_samples(self) -> None:
        start = 69_995 / 44_100
        low, high = self.peaks.between(start, start + 10 / 44_100, 10)
        np.testing.assert_allclose(high, self.audio[0, 69_995:70_005], atol=1e-6)
        np.testing.assert_allclose(low, high)

    def test_outside_the_recording_is_silence(self) -> None:
        low, high = self.peaks.between(-2.0, -1.0, 5)
        self.assertEqual(float(np.abs(low).max() + np.abs(high).max()), 0.0)
        with self.assertRaises(ValueError):
            self.peaks.between(1.0, 1.0, 5)


class TestFocus(unittest.TestCase):
    def test_the_middle_loses_what_is_only_at_the_sides(self) -> None:
        wide = sine(300.0, 0.5)
        audio = np.stack([wide, -wide])
        self.assertLess(float(np.abs(choose_source(audio, "middle")).max()), 1e-6)
        self.assertGreater(float(np.abs(choose_source(audio, "sides")).max()), 0.4)
        with self.assertRaises(ValueError):
            choose_source(audio, "behind")

    def test_a_band_takes_away_the_bass_without_moving_time(self) -> None:
        low, high = sine(60.0, 1.0), sine(600.0, 1.0)
        audio = np.stack([low + high] * 2)
        kept = bring_forward(audio, 22_050, low_hz=200.0, high_hz=5000.0)
        middle = slice(4000, -4000)
        self.assertLess(float(np.abs(kept[0] - high)[middle].max()), 0.05)

    def test_clicks_are_taken_from_a_tone(self) -> None:
        tone = sine(500.0, 2.0)
        clicks = np.zeros_like(tone)
        clicks[::5000] = 0.9
        kept = keep_harmonic(np.stack([tone + clicks] * 2), 22_050)
        self.assertLess(float(np.abs(kept[0][2000:-2000]).max()), 0.7)

    def test_running_medians_are_those_of_a_filter_in_the_plane(self) -> None:
        """scipy.ndimage.median_filter over one axis of the plane is the reference."""
        plane = noise(0.4)[: 140 * 60].reshape(140, 60)  # more than are taken at once
        for length in (3, 17):
            ours = _running_median(plane, length)
            np.testing.assert_array_equal(ours, median_filter(plane, size=(1, length)))

    def test_some_of_the_drums_can_stay(self) -> None:
        clicks = np.zeros(2 * 22_050, dtype=np.float32)
        clicks[2500::5000] = 0.9
        levels = [
            float(np.std(keep_harmonic(clicks[None], 22_050, strokes_left=part)))
            for part in (0.0, 0.5, 1.0)
        ]
        self.assertLess(levels[0], 0.1 * levels[2])
        self.assertAlmostEqual(levels[1] / levels[2], 0.5, delta=0.05)
        self.assertAlmostEqual(levels[2], float(np.std(clicks)), delta=1e-3)

    def test_mid_and_side_add_up(self) -> None:
        audio = np.stack([noise(0.1), noise(0.1, 0.3)])
        mid, side = to_mid_side(audio)
        np.testing.assert_allclose(mid + side, audio[0], atol=1e-6)

    def test_resampling_keeps_the_length(self) -> None:
        audio = np.stack([sine(440.0, 1.0, 44_100)] * 2)
        self.assertEqual(to_rate(audio, 44_100, 22_050).shape, (2, 22_050))
        self.assertIs(to_rate(audio, 44_100, 44_100), audio)


if __name__ == "__main__":
    unittest.main()

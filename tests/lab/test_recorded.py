"""Recorded notes played anew: pitch against the definition of equal temperament, onsets as asked."""

import io
import tarfile
import tempfile
import unittest
from pathlib import Path

import librosa
import numpy as np
import soundfile

from juxtanote.core.synth.strings import StringEvent
from lab.instruments import SAMPLE_RATE
from lab.recorded import MISNAMED, Recorded, line, read_recorded, unpack

RATE = 44_100


def plucked(midi: int, silence_s: float) -> np.ndarray:
    """A tone that dies away, after silence: its A4 is 440 Hz (ISO 16)."""
    times = np.arange(2 * RATE) / RATE
    hertz = 440.0 * 2.0 ** ((midi - 69) / 12)
    tone = sum(np.sin(2 * np.pi * hertz * k * times) / k for k in range(1, 5)) * np.exp(
        -2.0 * times
    )
    return np.concatenate([np.zeros(int(silence_s * RATE)), 0.3 * tone])


def recorded(named: dict[str, int], folder: Path) -> Recorded:
    for k, (name, midi) in enumerate(named.items()):
        soundfile.write(folder / f"{name}.wav", plucked(midi, 0.02 * k), RATE)
    (folder / "README.md").write_text("no note")
    return read_recorded(folder)


class RecordedNotes(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_names_tell_pitches_and_what_is_no_note_is_passed_over(self) -> None:
        notes = recorded({"A3": 57, "Cs4": 61, "Cs4 v2": 61, "B1": 35}, self.folder).notes
        self.assertEqual(sorted(notes), [35, 57, 61])
        with self.assertRaises(FileNotFoundError):
            read_recorded(self.folder / "nothing")

    def test_a_package_is_unpacked_flat_and_whole_or_not_at_all(self) -> None:
        sound = io.BytesIO()
        soundfile.write(sound, plucked(57, 0.0), RATE, format="WAV")
        target = self.folder / "guitar"

        def packed(files: dict[str, bytes]) -> Path:
            archive = self.folder / "a.tgz"
            with tarfile.open(archive, "w:gz") as made:
                for name, data in files.items():
                    member = tarfile.TarInfo(name)
                    member.size = len(data)
                    made.addfile(member, io.BytesIO(data))
            return archive

        with self.assertRaises(FileNotFoundError):
            unpack(packed({"package/README.md": b"CC BY", "package/index.js": b""}), target)
        self.assertEqual([path.name for path in self.folder.iterdir()], ["a.tgz"])
        note = sound.getvalue()
        unpack(packed({"package/A3.wav": note, "../../B3.wav": note, "x/run.sh": b""}), target)
        self.assertEqual(sorted(path.name for path in target.iterdir()), ["A3.wav", "B3.wav"])
        self.assertEqual(sorted(read_recorded(target).notes), [57, 59])

    def test_a_note_that_is_known_to_be_misnamed_is_left_out(self) -> None:
        (name, note), *_ = MISNAMED
        folder = self.folder / name
        folder.mkdir()
        self.assertEqual(sorted(recorded({note: 75, "A3": 57}, folder).notes), [57])

    def test_events_sound_at_their_pitch_and_time_bent_as_their_curve(self) -> None:
        instrument = recorded({"A3": 57, "E4": 64}, self.folder)
        bend = StringEvent(0.7, 0.8, 2, 0, 62.0, frozenset({"bend"}), ((0.0, 0.0), (0.3, 2.0)))
        sound = instrument.played([StringEvent(0.2, 0.4, 1, 0, 59.0), bend], 2.0)
        self.assertEqual(len(sound), 2 * SAMPLE_RATE)
        onsets = librosa.onset.onset_detect(y=sound, sr=SAMPLE_RATE, units="time", hop_length=128)
        for wanted in (0.2, 0.7):
            self.assertLess(np.min(np.abs(onsets - wanted)), 0.03)
        hertz, _, _ = librosa.pyin(sound, fmin=150, fmax=500, sr=SAMPLE_RATE, hop_length=256)
        midi = librosa.hz_to_midi(hertz)
        for at_s, wanted in ((0.4, 59.0), (1.3, 64.0)):
            frames = midi[
                int((at_s - 0.05) * SAMPLE_RATE / 256) : int((at_s + 0.05) * SAMPLE_RATE / 256)
            ]
            self.assertAlmostEqual(float(np.nanmedian(frames)), wanted, delta=0.15)

    def test_a_string_plays_one_note_at_a_time_and_slurs_are_softer(self) -> None:
        instrument = recorded({"A3": 57}, self.folder)
        held = StringEvent(0.1, 1.5, 1, 0, 57.0)
        cut = instrument.played([held, StringEvent(0.5, 0.2, 1, 0, 60.0)], 2.0)
        self.assertLess(np.abs(cut[int(0.8 * SAMPLE_RATE) :]).max(), 1e-6)
        level = {
            tags: float(
                np.abs(instrument.played([StringEvent(0.1, 0.4, 1, 0, 57.0, tags)], 1.0)).max()
            )
            for tags in (frozenset[str](), frozenset({"pull-off"}), frozenset({"slide"}))
        }
        picked, slurred, slid = level.values()
        self.assertTrue(slurred < slid < picked)

    def test_lines_are_drawn_anew_from_a_seed(self) -> None:
        instrument = recorded({"A3": 57, "E4": 64}, self.folder)
        one, same, other = (
            line(instrument, np.random.default_rng(s), 4.0, True) for s in (1, 1, 2)
        )
        np.testing.assert_array_equal(one, same)
        self.assertFalse(np.array_equal(one, other))
        self.assertGreater(float(np.abs(one).max()), 0.1)


if __name__ == "__main__":
    unittest.main()

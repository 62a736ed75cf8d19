"""Notes of files: what was written comes back whole, onto seconds, onto bars, or where it sounds."""

import contextlib
import io
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import mido
import numpy as np

from juxtanote.cli import main
from juxtanote.core.audio.sound import Sound
from juxtanote.core.errors import ImportFileError
from juxtanote.core.formats.exports import export_lesson, read_score
from juxtanote.core.formats.importing import BARS, SECONDS, SOUND, ImportPlan, laid_in
from juxtanote.core.formats.read_score import ReadPart
from juxtanote.core.score.lesson import Lesson
from juxtanote.core.score.timing import change_time_map
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events
from tests.lessons import small_lesson


def shape(lesson: Lesson) -> list[tuple[int, float]]:
    """List the notes of a lesson as (pitch, onset)."""
    notes = [n for p in lesson.phrases for n in p.notes]
    return sorted((round(n.heard.midi), n.onset_s) for n in notes)


class TestImporting(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def _written(self, lesson: Lesson, suffix: str) -> tuple[ReadPart, ...]:
        path = self.folder / f"x{suffix}"
        export_lesson(lesson, path)
        return read_score(path).parts

    def test_our_own_files_come_back_whole_at_their_times(self) -> None:
        lesson = small_lesson()
        bare = replace(lesson, phrases=())
        written_at = [
            float(t) for t in (n.written.onset_beats for p in lesson.phrases for n in p.notes)
        ]
        for suffix, onto, wanted, apart in (
            (".csv", SECONDS, [o for _, o in shape(lesson)], 0.001),
            (".mid", SECONDS, [o for _, o in shape(lesson)], 0.02),
            (".mid", BARS, None, 0.02),
            (".musicxml", BARS, None, 0.001),
        ):
            with self.subTest(suffix=suffix, onto=onto):
                back = laid_in(bare, ImportPlan("x", self._written(lesson, suffix), onto))
                found = sorted(o for _, o in shape(back))
                counted = lesson.time_map.to_seconds(sorted(written_at))
                expected = sorted(wanted) if wanted is not None else list(counted)
                self.assertEqual([m for m, _ in shape(back)], [m for m, _ in shape(lesson)])
                if wanted is None or suffix == ".csv":
                    np.testing.assert_allclose(found, expected, atol=apart)

    def test_bars_go_to_bars_where_the_tempo_is_another(self) -> None:
        lesson = small_lesson()
        parts = self._written(lesson, ".musicxml")
        slower = change_time_map(
            replace(lesson, phrases=()), lambda m: m.with_constant_tempo(60.0, 3.0, 60.0)
        )
        back = laid_in(slower, ImportPlan("x", parts, BARS))
        first = lesson.phrases[0].notes[0].written.onset_beats
        assert first is not None
        start = min(n.onset_s for p in back.phrases for n in p.notes)
        self.assertAlmostEqual(start, float(slower.time_map.to_seconds(float(first))), places=3)

    def test_a_file_without_bars_says_so(self) -> None:
        rows = self._written(small_lesson(), ".csv")[0].rows
        bare = tuple(replace(row, onset_beats=None, duration_beats=None) for row in rows)
        with self.assertRaisesRegex(ImportFileError, "no bars"):
            laid_in(small_lesson(), ImportPlan("x", (ReadPart("x", bare),), BARS))

    def test_notes_are_found_by_listening(self) -> None:
        line = [(0.9, 57), (1.3, 60), (1.8, 64), (2.2, 62), (2.9, 60), (3.3, 57)]
        events = [StringEvent(at, 0.3, 2, midi - 45, float(midi)) for at, midi in line]
        mono = render_events(events, 44_100, StringVoice(), np.random.default_rng(3), length_s=5.0)
        sound = Sound(np.stack([mono, mono]).astype(np.float32), 44_100)
        parts = self._written(small_lesson(), ".csv")
        rows = tuple(
            replace(parts[0].rows[0], onset_s=0.8 * (at - 0.9), duration_s=0.2, midi=midi,
                    onset_beats=None, duration_beats=None, string=None, fret=None)
            for at, midi in line
        )  # fmt: skip
        bare = replace(small_lesson(), phrases=())
        back = laid_in(bare, ImportPlan("x", (ReadPart("x", rows),), SOUND), sound)
        found = [o for _, o in sorted(shape(back), key=lambda pair: pair[1])]
        np.testing.assert_allclose(found, [at for at, _ in line], atol=0.06)

    def test_a_band_of_forty_thousand_events_is_read_by_track(self) -> None:
        """Against mido, which reads the same file without understanding it (open library)."""
        midi = mido.MidiFile()
        for channel in range(8):
            track = mido.MidiTrack([mido.MetaMessage("track_name", name=f"T{channel}")])
            for k in range(2500):
                note = 40 + (7 * k + channel) % 40
                track.append(
                    mido.Message("note_on", channel=channel, note=note, velocity=80, time=60)
                )
                track.append(mido.Message("note_off", channel=channel, note=note, time=60))
            midi.tracks.append(track)
        path = self.folder / "band.mid"
        midi.save(path)
        score = read_score(path)
        self.assertEqual([len(part.rows) for part in score.parts], [2500] * 8)


class TestCommandLine(unittest.TestCase):
    def test_whatever_is_typed_gets_one_line_and_a_status(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for words in (
                ("transcribe", "a.wav", "-o", "a.csv", "--start", "nan"),
                ("transcribe", "a.wav", "-o", "a.csv", "--end", "inf"),
                ("transcribe", "a.wav", "-o", "a.csv", "--tempo", "1e400"),
                ("transcribe", folder, "-o", f"{folder}/a.csv"),
                ("transcribe", f"{folder}/none.wav", "-o", folder),
                ("place", folder, "-o", f"{folder}/a.csv"),
                ("place", f"{folder}/none.csv", "-o", f"{folder}/a.csv"),
            ):
                errors = io.StringIO()
                with self.subTest(words), contextlib.redirect_stderr(errors):
                    try:
                        status = main(list(words))
                    except SystemExit as left:
                        status = int(left.code or 0)
                    self.assertIn(status, (1, 2))
                    said = [
                        x
                        for x in errors.getvalue().splitlines()
                        if not x.startswith(("usage", " "))
                    ]
                    self.assertEqual(len(said), 1, errors.getvalue())


if __name__ == "__main__":
    unittest.main()

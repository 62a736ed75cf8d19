"""Whatever comes in: one of our own errors, or a value; never anything else."""

import contextlib
import io
import json
import tempfile
import unittest
import zipfile
from pathlib import Path

import numpy as np
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtanote.core.audio.read import read_sound
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.csv_notes import COLUMNS, NoteRow, read_rows
from juxtanote.core.formats.lesson_file import load_lesson, save_lesson
from juxtanote.core.formats.lesson_json import lesson_from_body, lesson_text
from juxtanote.core.formats.midi import read_midi, write_midi
from juxtanote.core.formats.musicxml import write_musicxml
from juxtanote.core.formats.musicxml_read import read_musicxml
from juxtanote.core.formats.read_score import ReadScore
from juxtanote.core.theory.tuning import parse_tuning
from tests.lessons import small_lesson


def mutated(data: bytes, rng: np.random.Generator, share: float = 0.01) -> bytes:
    """Change, drop and double some bytes."""
    changed = bytearray(data)
    for _ in range(max(int(len(data) * share), 1)):
        at = int(rng.integers(len(changed)))
        kind = int(rng.integers(3))
        if kind == 0:
            changed[at] = int(rng.integers(256))
        elif kind == 1 and len(changed) > 4:
            del changed[at]
        else:
            changed.insert(at, int(rng.integers(256)))
    return bytes(changed)


def rows_of(score: ReadScore) -> list[NoteRow]:
    """List the notes of all parts."""
    return [row for part in score.parts for row in part.rows]


class TestMutations(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.rng = np.random.default_rng(11)

    def test_musicxml(self) -> None:
        good = write_musicxml(small_lesson()).encode()
        for trial in range(120):
            with self.subTest(trial=trial):
                try:
                    rows = rows_of(read_musicxml(mutated(good, self.rng, 0.002)))
                except JuxtanoteError as error:
                    self.assertNotIn("\n", str(error))
                else:
                    self.assertTrue(all(row.duration_s > 0 for row in rows))

    def test_midi(self) -> None:
        good = write_midi(small_lesson())
        for trial in range(150):
            with self.subTest(trial=trial):
                try:
                    rows = rows_of(read_midi(mutated(good, self.rng, 0.004)))
                except JuxtanoteError as error:
                    self.assertNotIn("\n", str(error))
                else:
                    self.assertTrue(all(0 <= row.midi <= 127 for row in rows))

    def test_lesson_files(self) -> None:
        path = self.folder / "a.juxta"
        save_lesson(small_lesson(), path)
        good = path.read_bytes()
        for trial in range(120):
            path.write_bytes(mutated(good, self.rng, 0.004))
            with self.subTest(trial=trial):
                try:
                    load_lesson(path)
                except JuxtanoteError as error:
                    self.assertNotIn("\n", str(error))

    def test_lesson_json_with_wrong_values_anywhere(self) -> None:
        body = json.loads(lesson_text(small_lesson()))
        wrong = (None, "x", -1, 1e12, [], {}, True, [[1]], "9/0", ["a", "b"])

        def walk(value: object, path: tuple) -> list[tuple]:  # type: ignore[type-arg]
            found = [path] if path else []
            if isinstance(value, dict):
                for key in value:
                    found += walk(value[key], (*path, key))
            elif isinstance(value, list):
                for index in range(min(len(value), 2)):
                    found += walk(value[index], (*path, index))
            return found

        places = walk(body, ())
        for number, place in enumerate(places):
            copy = json.loads(json.dumps(body))
            target = copy
            for key in place[:-1]:
                target = target[key]
            target[place[-1]] = wrong[number % len(wrong)]
            with self.subTest(place=place):
                try:
                    lesson_from_body(copy)
                except JuxtanoteError as error:
                    self.assertLess(len(str(error)), 600)

    def test_sound_files(self) -> None:
        times = np.arange(22_050) / 22_050
        tone = (0.3 * np.sin(2 * np.pi * 300 * times)).astype(np.float32)
        for form, suffix in (("WAV", ".wav"), ("FLAC", ".flac"), ("OGG", ".ogg")):
            out = io.BytesIO()
            soundfile.write(out, tone, 22_050, format=form)
            for trial in range(12):
                path = self.folder / f"a{suffix}"
                path.write_bytes(mutated(out.getvalue(), self.rng, 0.002))
                with self.subTest(form=form, trial=trial):
                    try:
                        sound = read_sound(path)
                    except JuxtanoteError as error:
                        self.assertIn(path.name, str(error))
                    else:
                        self.assertTrue(np.all(np.isfinite(sound.audio)))

    def test_zip_with_lying_sizes(self) -> None:
        path = self.folder / "a.juxta"
        save_lesson(small_lesson(), path)
        with zipfile.ZipFile(path) as archive:
            info = archive.getinfo("lesson.json")
            offset = info.header_offset
        data = bytearray(path.read_bytes())
        data[offset + 22 : offset + 26] = (4_000_000_000).to_bytes(4, "little")
        path.write_bytes(bytes(data))
        try:
            self.assertEqual(load_lesson(path), small_lesson())
        except JuxtanoteError as error:
            self.assertIn("a.juxta", str(error))


class TestAnyText(unittest.TestCase):
    @given(st.text(max_size=300))
    @settings(max_examples=120, deadline=None)
    def test_csv(self, text: str) -> None:
        for head in ("", ",".join(COLUMNS) + "\n"):
            with contextlib.suppress(JuxtanoteError):
                read_rows(head + text)

    @given(st.text(max_size=40))
    @settings(max_examples=150, deadline=None)
    def test_tunings(self, text: str) -> None:
        try:
            tuning = parse_tuning(text)
        except JuxtanoteError as error:
            self.assertTrue(str(error))
        else:
            self.assertTrue(4 <= len(tuning) <= 9)

    @given(st.binary(max_size=200))
    @settings(max_examples=80, deadline=None)
    def test_bytes(self, data: bytes) -> None:
        for read in (read_midi, read_musicxml):
            with contextlib.suppress(JuxtanoteError):
                read(data)


if __name__ == "__main__":
    unittest.main()

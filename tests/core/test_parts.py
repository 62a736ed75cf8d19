"""Sorting what is heard: doubtful notes alone far under a line are not of the lead; played basses are."""

import contextlib
import csv
import io
import tempfile
import unittest
from pathlib import Path

import soundfile

from juxtanote.cli import main
from juxtanote.core.analysis.parts import in_harmony, lead_of, under_the_lead
from juxtanote.core.analysis.perceived import PerceivedNote
from tests.sounds import RATE, scale_line


def heard(at_s: float, midi: float, confidence: float = 0.9) -> PerceivedNote:
    """A note as it is heard."""
    return PerceivedNote(at_s, at_s + 0.2, midi, -18.0, confidence)


LINE = [heard(0.2 * k, 64 + k % 5) for k in range(12)]


class TestHarmony(unittest.TestCase):
    """Two guitars go in parallel thirds or sixths of the scale (common practice)."""

    SCALE = (60, 62, 64, 65, 67, 69, 71, 72)  # C major

    def two_lines(
        self, apart: int, *, from_s: float = 0.0, step_s: float = 0.3
    ) -> list[PerceivedNote]:
        scale = [*self.SCALE, *(midi + 12 for midi in self.SCALE[1:])]
        pairs = zip(scale, scale[apart:], strict=False)
        struck = [
            (heard(from_s + step_s * k, low), heard(from_s + step_s * k + 0.02, high))
            for k, (low, high) in enumerate(pairs)
        ]
        return [note for pair in struck for note in pair]

    def test_thirds_and_sixths_of_a_scale(self) -> None:
        for apart in (2, 5):
            with self.subTest(apart=apart):
                ((start, end),) = in_harmony(self.two_lines(apart))
                self.assertEqual(start, 0.0)
                self.assertGreater(end, 2.5)

    def test_octaves_single_notes_and_one_chord_are_none(self) -> None:
        self.assertEqual(in_harmony(self.two_lines(7)), [])
        self.assertEqual(in_harmony(LINE), [])
        chord = [heard(0.3 * (k // 2), 60 + 4 * (k % 2)) for k in range(24)]
        self.assertEqual(in_harmony(chord), [])
        self.assertEqual(in_harmony([]), [])

    def test_a_rest_ends_it(self) -> None:
        both = self.two_lines(2) + self.two_lines(2, from_s=20.0)
        self.assertEqual([round(start) for start, _ in in_harmony(both)], [0, 20])


class TestParts(unittest.TestCase):
    def sorted_with(self, *more: PerceivedNote) -> list[PerceivedNote]:
        notes = sorted([*LINE, *more], key=lambda n: n.onset_s)
        return [n for n, under in zip(notes, under_the_lead(notes), strict=True) if under]

    def test_a_doubtful_note_alone_far_below(self) -> None:
        low = heard(1.1, 40, 0.5)
        self.assertEqual(self.sorted_with(low), [low])

    def test_a_sure_one_is_of_the_line(self) -> None:
        self.assertEqual(self.sorted_with(heard(1.1, 40, 0.9)), [])

    def test_a_bass_line_has_company(self) -> None:
        self.assertEqual(
            self.sorted_with(*(heard(0.1 + 0.4 * k, 40 + k, 0.5) for k in range(6))), []
        )

    def test_what_is_near_or_above_stays(self) -> None:
        self.assertEqual(self.sorted_with(heard(1.1, 61, 0.3), heard(1.3, 84, 0.3)), [])

    def test_few_notes_are_all_the_lead(self) -> None:
        few = [heard(0.0, 64), heard(0.2, 40, 0.4), heard(0.4, 65)]
        self.assertEqual(lead_of(few), few)
        self.assertEqual(lead_of([]), [])


class TestCommand(unittest.TestCase):
    def test_the_notes_have_a_part_and_all_holds_the_lead(self) -> None:
        with tempfile.TemporaryDirectory() as held:
            audio, _ = scale_line([57, 60, 62, 64, 67])
            sound, rows = Path(held, "x.wav"), {}
            soundfile.write(sound, audio, RATE)
            for parts in ("lead", "all"):
                out = Path(held, f"{parts}.csv")
                with contextlib.redirect_stderr(io.StringIO()):
                    self.assertEqual(
                        main(["transcribe", str(sound), "-o", str(out), "--parts", parts]), 0
                    )
                table = csv.DictReader(out.read_text("utf-8").splitlines())
                rows[parts] = list(table)
                self.assertEqual((table.fieldnames or [])[-1], "part")
            self.assertTrue(rows["lead"])
            self.assertEqual({row["part"] for row in rows["lead"]}, {"lead"})
            lead = [row for row in rows["all"] if row["part"] == "lead"]
            self.assertEqual([r["onset_s"] for r in lead], [r["onset_s"] for r in rows["lead"]])
            with contextlib.redirect_stderr(io.StringIO()):
                self.assertEqual(
                    main(["transcribe", str(sound), "-o", str(out), "--parts", "some"]), 2
                )

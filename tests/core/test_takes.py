"""A take beside what is written: any speed, a wandering tempo, mistakes found; `juxtanote compare`."""

import contextlib
import io
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from juxtanote.cli import main
from juxtanote.core.audio.sound import Sound
from juxtanote.core.checks.complaints import BLEED, EXTRA, TECHNIQUE, complaint_of
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.practice.takes import Compared, compare
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events
from tests.core.test_second_ear import LINE, right
from tests.sounds import RATE, noise


def played(speed: float = 1.0, drift: float = 0.0, **changes: object) -> Sound:
    """Play the line at a speed that drifts; `changes` are by the number of the note."""
    events = []
    for k, midi in enumerate(LINE):
        if changes.get(f"n{k}") == "out":
            continue
        part = k / len(LINE)
        onset = (0.4 * k + drift * 4.0 * (part - part * part)) / speed + 0.6
        onset += float(changes.get(f"late{k}", 0.0))  # type: ignore[arg-type]
        pitch = float(midi) + float(changes.get(f"step{k}", 0.0))  # type: ignore[arg-type]
        soft = float(changes.get(f"soft{k}", 1.0))  # type: ignore[arg-type]
        events.append(StringEvent(onset, 0.36 / speed, 3, 5, pitch, velocity=0.8 * soft))
    length = max(e.offset_s for e in events) + 0.5
    audio = render_events(events, RATE, StringVoice(), np.random.default_rng(5), length_s=length)
    return Sound(np.stack([audio, audio]), RATE)


def kinds(told: Compared) -> list[tuple[str, int | None]]:
    return [(f.kind, f.row) for f in told.findings]


class TestCompare(unittest.TestCase):
    def test_what_is_played_right_is_right_at_any_speed(self) -> None:
        for speed, drift in ((1.0, 0.0), (0.6, 0.0), (0.5, 0.1), (1.1, -0.1)):
            told = compare(right(), played(speed, drift))
            self.assertEqual(kinds(told), [], f"{speed} {drift}")
            self.assertAlmostEqual(told.speed, speed, delta=0.06)
            self.assertTrue(all(n.status == "played" for n in told.notes))
            self.assertIn("10 of 10 notes", told.summary)

    def test_a_drifting_tempo_makes_nobody_late(self) -> None:
        told = compare(right(), played(0.8, 0.1))
        self.assertLess(max(abs(n.late_ms or 0.0) for n in told.notes), 30.0)

    def test_each_mistake_is_found_where_it_was_made(self) -> None:
        told = compare(right(), played(0.7, n4="out"))
        self.assertEqual(kinds(told), [("missing", 4)])
        self.assertEqual(told.notes[4].status, "missed")
        told = compare(right(), played(0.7, step3=1.0))
        self.assertEqual(kinds(told), [("wrong-pitch", 3)])
        self.assertEqual(told.notes[3].status, "another pitch")
        for late in (0.1, -0.1):
            told = compare(right(), played(0.7, late5=late))
            self.assertEqual(kinds(told), [("time", 5)])
            self.assertEqual(np.sign(told.notes[5].late_ms or 0.0), np.sign(late))
            self.assertIn("time is not even", told.summary)

    def test_a_note_left_out_is_told_more_readily_than_a_tab_is_doubted(self) -> None:
        # What a band could cover is no complaint of a tab; in a take nothing else plays.
        tab = right()
        for kind, told in ((EXTRA, [("missing", 4)]), (BLEED, [])):
            doubtful = complaint_of(
                tab[4], kind, "nothing", 0.2, "nothing of this pitch sounds here"
            )
            where = "juxtanote.core.practice.takes.second_ear"
            with mock.patch(where, side_effect=lambda asked, _, c=doubtful: [c] if asked else []):
                self.assertEqual(kinds(compare(tab, played())), told)

    def test_a_slur_is_there_or_too_soft_or_left_out(self) -> None:
        tab = right()
        tab[4] = replace(tab[4], techniques=frozenset({"pull-off"}))
        for wanted, changes in (
            ([], {}), ([], {"soft4": 0.5}), ([("quiet", 4)], {"soft4": 0.07}),
            ([("quiet", 4)], {"soft4": 0.03}), ([("missing", 4)], {"n4": "out"}),
        ):  # fmt: skip
            told = compare(tab, played(0.7, **changes))  # type: ignore[arg-type]
            self.assertEqual(kinds(told), wanted, str(changes))
        tab[4] = replace(tab[4], techniques=frozenset())  # of a picked note it is no matter
        self.assertNotIn(("quiet", 4), kinds(compare(tab, played(0.7, soft4=0.07))))

    def test_a_vibrato_that_is_written_is_asked_for_and_no_other(self) -> None:
        tab = right()
        self.assertNotIn("vibrato", [f.kind for f in compare(tab, played(0.7)).findings])
        tab[4] = replace(tab[4], techniques=frozenset({"vibrato"}))
        told = compare(tab, played(0.7))
        self.assertEqual(kinds(told), [("vibrato", 4)])
        self.assertIn("vibrato is not heard", told.summary)
        # One that nobody wrote is no fault of the take.
        plain = complaint_of(
            right()[4], TECHNIQUE, "vibrato", 0.9, "vibrato is heard", technique="vibrato"
        )
        where = "juxtanote.core.practice.takes.second_ear"
        with mock.patch(where, side_effect=lambda asked, _: [plain] if asked else []):
            self.assertEqual(kinds(compare(right(), played())), [])

    def test_a_note_too_many_stands_where_it_would_be_written(self) -> None:
        tab = right()
        gone = tab.pop(5)
        told = compare(tab, played(0.5))
        self.assertEqual(kinds(told), [("extra", None)])
        self.assertAlmostEqual(told.findings[0].onset_s, gone.onset_s, delta=0.05)

    def test_a_take_of_something_else_is_refused(self) -> None:
        other = [replace(n, midi=n.midi + (7, 1, 5, 11, 3)[k % 5]) for k, n in enumerate(right())]
        for asked, take in (
            (other, played()), (right(), Sound(np.stack([noise(3.0, 0.001)] * 2), RATE)), ([], played()),
        ):  # fmt: skip
            with self.assertRaises(JuxtanoteError):
                compare(asked, take)

    def test_the_command(self) -> None:
        with tempfile.TemporaryDirectory() as held:
            folder = Path(held)
            soundfile.write(folder / "t.wav", played(0.8, n2="out").audio.T, RATE)
            lines = ["onset_s,duration_s,midi,string,fret,techniques,bend_semitones"]
            lines += [f"{n.onset_s},0.38,{n.midi},{n.string},{n.fret},," for n in right()]
            (folder / "a.csv").write_text("\n".join(lines) + "\n")
            out, errors = folder / "o.json", io.StringIO()
            words = ["compare", str(folder / "a.csv"), str(folder / "t.wav"), "-o", str(out)]
            with contextlib.redirect_stderr(errors):
                self.assertEqual(main([*words, "--speed", "80"]), 0, errors.getvalue())
                self.assertEqual(main([*words, "--speed", "900"]), 2)
            told = json.loads(out.read_text())
            self.assertEqual([(f["kind"], f["row"]) for f in told["findings"]], [("missing", 2)])
            self.assertEqual(len(told["notes"]), len(LINE))
            self.assertEqual(told["summary"].count(". "), 2)

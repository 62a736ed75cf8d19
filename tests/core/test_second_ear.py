"""The second ear: what is written wrong over a sound that is right, and `juxtanote check`."""

import contextlib
import io
import json
import tempfile
import unittest
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from juxtanote.cli import main
from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.audio.sound import Sound
from juxtanote.core.checking import check_notes
from juxtanote.core.checks import against_sound
from juxtanote.core.checks.against_sound import mended, with_second_ear
from juxtanote.core.checks.complaints import BEND, MISSING, MOST_TOLD, Asked, Complaint, by_others
from juxtanote.core.checks.evidence import listen_again
from juxtanote.core.checks.findings import examine
from juxtanote.core.checks.playable import unplayable
from juxtanote.core.checks.second_ear import _leads_to_next, second_ear
from juxtanote.core.checks.words import say_what
from juxtanote.core.formats.csv_notes import NoteRow, read_rows
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.limits import Limits
from juxtanote.core.score.timing import recounted
from juxtanote.core.theory.tuning import Guitar
from tests.lessons import note
from tests.sounds import RATE, scale_line

LINE = [57, 60, 62, 64, 67, 69, 67, 64, 62, 60]
PLACES = [(3, 2), (3, 5), (2, 3), (2, 5), (1, 3), (1, 5), (1, 3), (2, 5), (2, 3), (3, 5)]


@lru_cache(maxsize=1)
def a_recording() -> tuple[Sound, Evidence]:
    audio, _ = scale_line(LINE)
    sound = Sound(np.stack([audio, audio]), RATE)
    return sound, next(iter(listen_again(sound, 0.0, 10.0)))


def right() -> list[Asked]:
    return [
        Asked(k, 0.3 + 0.4 * k, 0.3 + 0.4 * k + 0.38, float(midi), *PLACES[k])
        for k, midi in enumerate(LINE)
    ]


def told(asked: list[Asked]) -> list[tuple[str, int | None]]:
    found = second_ear(asked, a_recording()[1])
    return [(c.kind, c.row) for c in found if c.is_told]


def second_ear_of_one(*asked: Asked, heard_at: float) -> list[Complaint]:
    """Hold notes against the first note of the recording, as if it had been heard at another pitch."""
    evidence = a_recording()[1]
    first = replace(evidence.notes[0], midi=heard_at)
    heard = replace(evidence.heard, notes=(first,))
    found = second_ear(asked, replace(evidence, heard=heard))
    return [c for c in found if c.kind == "wrong-pitch" and c.is_told]


class TestSecondEar(unittest.TestCase):
    def test_what_is_right_gets_no_complaint(self) -> None:
        self.assertEqual(told(right()), [])

    def test_a_wrong_fret(self) -> None:
        for step in (1, -2, 12):
            tab = right()
            tab[4] = replace(tab[4], fret=tab[4].fret + step, midi=tab[4].midi + step)
            self.assertEqual(told(tab), [("wrong-pitch", 4)], step)

    def test_a_note_that_is_left_out_and_one_too_many(self) -> None:
        tab = right()
        del tab[5]
        self.assertEqual(told(tab), [("missing", None)])
        more = Asked(99, 1.3, 1.45, 55.0, 4, 5)
        self.assertEqual(told(sorted([*right(), more], key=lambda n: n.onset_s)), [("extra", 99)])

    def test_a_note_at_another_time(self) -> None:
        for late in (-0.09, 0.06, 0.15):
            tab = right()
            tab[3] = replace(tab[3], onset_s=tab[3].onset_s + late)
            self.assertEqual(told(tab), [("time", 3)], late)

    def test_a_bend_that_does_not_sound(self) -> None:
        tab = right()
        tab[2] = replace(tab[2], techniques=frozenset({"bend"}), bend_semitones=2.0)
        self.assertEqual(told(tab), [("bend", 2)])

    def test_a_bend_that_was_heard_on_the_way_to_the_next_written_note_is_none(self) -> None:
        glide = PerceivedNote(1.0, 1.6, 60.0, -18.0, 1.0, frozenset({"bend"}), 1.98)
        tab = [Asked(0, 1.0, 1.3, 60.0, 3, 5), Asked(1, 1.3, 1.6, 62.0, 3, 7)]
        self.assertTrue(_leads_to_next(tab[0], glide, tab))
        self.assertFalse(_leads_to_next(tab[0], glide, [tab[0], replace(tab[1], midi=65.0)]))
        self.assertFalse(_leads_to_next(tab[0], glide, [tab[0], replace(tab[1], onset_s=1.9)]))

    def test_a_written_vibrato_and_mute_that_do_not_sound(self) -> None:
        for technique in ("vibrato", "palm-mute"):
            tab = right()
            tab[4] = replace(tab[4], techniques=frozenset({technique}))
            self.assertEqual(told(tab), [("technique", 4)], technique)

    def test_what_is_left_out_is_told_as_surely_as_the_notes_around_are_heard(self) -> None:
        left_out = Complaint(MISSING, 1.0, None, None, None, "nothing", "60.0", 0.75, "")
        sure = [by_others(left_out, clear).confidence for clear in (0.6, 0.9, 0.99, 1.0)]
        self.assertEqual(sure, sorted(sure))
        self.assertLess(sure[0], 0.6)
        self.assertLessEqual(sure[-1], MOST_TOLD)
        bent = replace(left_out, kind=BEND)
        self.assertIs(by_others(bent, 0.6), bent)

    def test_a_grip_whose_difference_tone_is_heard_is_not_written_wrong(self) -> None:
        # Driven together they sound it as loud as themselves (H. von Helmholtz: `difference_tones`).
        under = second_ear_of_one(Asked(1, 0.3, 0.68, 74.0, 1, 10), heard_at=57.0)
        self.assertEqual([c.kind for c in under], ["wrong-pitch"])
        # 659 - 440 Hz: an A3 sounds under a fifth, A4 and E5.
        grip = [Asked(1, 0.3, 0.68, 69.0, 2, 10), Asked(2, 0.3, 0.68, 76.0, 1, 12)]
        self.assertEqual(second_ear_of_one(*grip, heard_at=57.0), [])

    def test_what_no_hand_can_play(self) -> None:
        tab = [
            Asked(0, 0.0, 0.5, 64.0, 1, 0), Asked(1, 0.01, 0.5, 69.0, 1, 5),
            Asked(2, 1.0, 1.4, 60.0, 2, 1), Asked(3, 1.4, 1.8, 62.0, 3, 7, frozenset({"pull-off"})),
            Asked(4, 3.0, 3.5, 65.0, 1, 1), Asked(5, 3.01, 3.5, 67.0, 2, 8),
        ]  # fmt: skip
        kinds = [(c.kind, c.row) for c in unplayable(tab, Guitar())]
        self.assertEqual(
            kinds, [("two-on-one-string", 1), ("slur-across-strings", 3), ("reach", 5)]
        )


class TestFindingsOfThePhrase(unittest.TestCase):
    def setUp(self) -> None:
        notes = [note(k + 1, 0.3 + 0.4 * k, *PLACES[k], length_s=0.38) for k in range(len(LINE))]
        self.lesson = recounted(Lesson(phrases=(Phrase(1, "A", 0.1, 4.5, tuple(notes)),)))
        self.evidence = a_recording()[1]

    def found(self, lesson: Lesson):
        phrase = lesson.phrases[0]
        examined = with_second_ear(examine(phrase, lesson), phrase, lesson, self.evidence)
        return [f for f in examined.found if f.complaint is not None]

    def test_every_mend_leaves_nothing_to_complain_of(self) -> None:
        phrase = self.lesson.phrases[0]
        spoiled = {
            "missing": phrase.with_notes([n for n in phrase.notes if n.ident != 6]),
            "extra": phrase.with_notes([*phrase.notes, note(50, 1.3, 4, 5, length_s=0.12)]),
            "wrong-pitch": phrase.with_notes(
                [replace(n, written=replace(n.written, fret=n.written.fret + 2)) if n.ident == 4 else n
                 for n in phrase.notes]
            ),
            "time": phrase.with_notes(
                [replace(n, heard=replace(n.heard, onset_s=n.onset_s + 0.1)) if n.ident == 4 else n
                 for n in phrase.notes]
            ),
        }  # fmt: skip
        for kind, wrong in spoiled.items():
            lesson = self.lesson.with_phrase(wrong)
            found = self.found(lesson)
            self.assertEqual([f.complaint.kind for f in found], [kind])
            better = mended(lesson, 1, found[0])
            assert better is not None
            self.assertEqual(self.found(better), [], kind)

    def test_a_lesson_says_how_sure_a_doubt_must_be(self) -> None:
        doubt = Complaint("technique", 0.7, 2, 3, 5, "string 3 fret 5", "slide", 0.3, "slide, perhaps",
                          technique="slide")  # fmt: skip
        self.assertTrue(doubt.is_told)
        self.assertFalse(replace(doubt, kind="extra").is_told)
        with mock.patch.object(against_sound, "second_ear", lambda *_: [doubt]):
            for percent, found in ((20.0, ["slide, perhaps"]), (40.0, [])):
                strict = replace(self.lesson, limits=Limits(doubt_percent=percent))
                self.assertEqual([say_what(f) for f in self.found(strict)], found)

    def test_what_was_let_pass_is_let_pass(self) -> None:
        phrase = self.lesson.phrases[0]
        wrong = phrase.with_notes([n for n in phrase.notes if n.ident != 6])
        key = self.found(self.lesson.with_phrase(wrong))[0].key
        self.assertEqual(self.found(self.lesson.with_phrase(replace(wrong, waived=(key,)))), [])


class TestChecking(unittest.TestCase):
    def rows(self) -> list[NoteRow]:
        return [NoteRow(n.onset_s, 0.38, n.midi, n.string, n.fret) for n in right()]

    def test_a_score_with_a_time_of_its_own_is_aligned_first(self) -> None:
        score = [replace(r, onset_s=5.0 + 1.7 * (r.onset_s - 0.3)) for r in self.rows()]
        self.assertEqual(check_notes(score, a_recording()[0], Guitar()), [])
        score[4] = replace(score[4], fret=4, midi=68.0)
        found = check_notes(score, a_recording()[0], Guitar())
        self.assertEqual([(c.kind, c.row) for c in found], [("wrong-pitch", 4)])
        self.assertAlmostEqual(found[0].onset_s, 1.9, delta=0.1)

    def test_another_tuning_is_seen_from_the_file(self) -> None:
        lowered = [replace(r, fret=(r.fret or 0) + 2) for r in self.rows()]
        self.assertEqual(check_notes(lowered, a_recording()[0], Guitar()), [])

    def test_a_complaint_names_the_row_as_it_stands_in_the_file(self) -> None:
        lines = ["onset_s,duration_s,midi,string,fret"]
        lines += [f"{r.onset_s},0.38,{r.midi},{r.string},{r.fret}" for r in reversed(self.rows())]
        rows = read_rows("\n".join(lines))
        rows[4] = replace(rows[4], fret=4, midi=68.0)
        found = check_notes(rows, a_recording()[0], Guitar())
        self.assertEqual([(c.kind, c.row) for c in found], [("wrong-pitch", 5)])

    def test_the_command(self) -> None:
        with tempfile.TemporaryDirectory() as held:
            folder = Path(held)
            sound = a_recording()[0]
            soundfile.write(folder / "a.wav", sound.audio.T, RATE)
            lines = ["onset_s,duration_s,midi,string,fret,techniques,bend_semitones"]
            lines += [f"{r.onset_s},0.38,{r.midi},{r.string},{r.fret},," for r in self.rows()]
            lines[3] = lines[3].replace(",2,3,", ",2,4,")
            (folder / "a.csv").write_text("\n".join(lines) + "\n")
            out = folder / "o.json"
            errors = io.StringIO()
            with contextlib.redirect_stderr(errors):
                status = main(
                    ["check", str(folder / "a.csv"), str(folder / "a.wav"), "-o", str(out)]
                )
            self.assertEqual((status, errors.getvalue()), (0, ""))
            found = json.loads(out.read_text())
            self.assertEqual([(f["kind"], f["row"]) for f in found], [("wrong-pitch", 2)])
            self.assertEqual(
                list(found[0]),
                [
                    "kind",
                    "onset_s",
                    "row",
                    "string",
                    "fret",
                    "written",
                    "heard",
                    "confidence",
                    "detail",
                ],
            )
            with contextlib.redirect_stderr(errors):
                self.assertEqual(main(["check", "a.csv", "a.wav", "-o", "x.txt"]), 2)
                self.assertEqual(
                    main(["check", str(folder / "none.csv"), "a.wav", "-o", str(out)]), 1
                )

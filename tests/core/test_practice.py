"""Practice that leads somewhere: review after growing gaps, speeds that follow takes, latency."""

import csv
import unittest
from dataclasses import replace
from datetime import date, timedelta

import numpy as np

from juxtanote.core.errors import JuxtanoteError, LessonFileError
from juxtanote.core.formats.lesson_json import (
    lesson_from_text,
    lesson_text,
    practice_report,
    read_practice_report,
)
from juxtanote.core.practice.climb import next_speed, rule
from juxtanote.core.practice.latency import latency_of, probe, taken_back
from juxtanote.core.practice.log import log_csv
from juxtanote.core.practice.plan import assigned_chunks
from juxtanote.core.practice.review import GAPS_DAYS, due_on, reviews
from juxtanote.core.practice.student import report_of, student_copy, with_report
from juxtanote.core.practice.takes import Compared, PlayedNote, entry_of
from juxtanote.core.score.kept import Assigned, BarOfTake, Kept, LogEntry, StepPlan, TakeEntry
from juxtanote.core.score.lesson import Lesson
from tests.lessons import small_lesson

FIRST = date(2026, 11, 2)
RATE = 44_100


def practised(*days: tuple[int, float]) -> Lesson:
    """The small lesson with its first phrase practised so many days after the first, at a speed."""
    lesson = small_lesson()
    log = tuple(
        LogEntry((FIRST + timedelta(days=d)).isoformat(), (lesson.phrases[0].ident,), "A", speed, 4)
        for d, speed in days
    )
    return replace(lesson, kept=Kept(log=log, plan=StepPlan(0.5, 0.05, 1.0)))


class TestReview(unittest.TestCase):
    """Leitner's boxes: each success doubles the gap, a failure begins anew."""

    def test_gaps_double_while_it_goes_well(self) -> None:
        days = [(0, 1.0)]
        for box in range(1, len(GAPS_DAYS)):
            due = reviews(practised(*days))[0].due
            self.assertEqual(due, FIRST + timedelta(days=days[-1][0] + GAPS_DAYS[box - 1]))
            days.append(((due - FIRST).days, 1.0))

    def test_a_slow_day_begins_anew(self) -> None:
        found = reviews(practised((0, 1.0), (1, 1.0), (3, 0.5)))[0]
        self.assertEqual((found.box, found.due), (0, FIRST + timedelta(days=4)))

    def test_practising_early_does_not_jump_boxes(self) -> None:
        found = reviews(practised((0, 1.0), (1, 1.0), (2, 1.0)))[0]
        self.assertEqual((found.box, found.due), (1, FIRST + timedelta(days=3)))

    def test_a_take_says_more_than_passes(self) -> None:
        lesson = practised((0, 1.0), (1, 1.0))
        take = TakeEntry(lesson.phrases[0].ident, "2026-11-03T10:00:00", 1.0, "", 0.5, 80.0)
        lesson = replace(lesson, kept=replace(lesson.kept, takes=(take,)))
        self.assertEqual(reviews(lesson)[0].box, 0)

    def test_what_is_due(self) -> None:
        lesson = practised((0, 1.0))
        self.assertEqual(due_on(lesson, FIRST), [])
        self.assertEqual(len(due_on(lesson, FIRST + timedelta(days=1))), 1)
        self.assertEqual(due_on(small_lesson(), FIRST), [])


class TestClimb(unittest.TestCase):
    def test_up_back_and_stay(self) -> None:
        plan = StepPlan(0.5, 0.1, 0.9)
        clean, missed = TakeEntry(1, "", 0.9, "", 1.0, 10.0), TakeEntry(1, "", 0.5, "", 0.4, 10.0)
        so_so = TakeEntry(1, "", 0.7, "", 0.9, 60.0)
        self.assertEqual(next_speed(plan, 0.9, clean), 0.9)  # not over the goal
        self.assertEqual(next_speed(plan, 0.5, missed), 0.5)  # not under the start
        self.assertEqual(next_speed(plan, 0.7, so_so), 0.7)
        self.assertEqual(next_speed(plan, 0.7, clean), 0.8)
        self.assertEqual(next_speed(plan, 0.7, missed), 0.6)
        self.assertIn("95 %", rule())


class TestTakesKept(unittest.TestCase):
    def test_an_entry_counts_bar_by_bar(self) -> None:
        notes = (
            PlayedNote(1, 0.0, "played", 0.0, 12.0), PlayedNote(2, 1.0, "missed"),
            PlayedNote(3, 2.0, "played", 2.0, -20.0), PlayedNote(4, 3.0, "another pitch", 3.0, 5.0),
        )  # fmt: skip
        entry = entry_of(
            Compared((), notes, "", 0.8), 7, [1, 1, 2, 2], "2026-11-26T10:00:00", "x.flac"
        )
        self.assertEqual((entry.share, entry.spread_ms, entry.speed), (0.5, 16.0, 0.8))
        self.assertEqual(entry.bars, (BarOfTake(1, 2, 1, 12.0), BarOfTake(2, 2, 1, -20.0)))
        self.assertFalse(entry.is_clean)

    def test_they_are_saved_and_no_undo_touches_them(self) -> None:
        lesson = practised((0, 1.0))
        take = TakeEntry(
            1, "2026-11-26T10:00:00", 0.8, "x.flac", 0.97, 12.0, 1, (BarOfTake(1, 4, 4, 2.0),)
        )
        lesson = replace(lesson, kept=replace(lesson.kept, takes=(take,)))
        self.assertEqual(lesson_from_text(lesson_text(lesson)).kept.takes, (take,))
        self.assertTrue(take.is_clean)

    def test_the_log_as_csv(self) -> None:
        lesson = practised((0, 0.75))
        take = TakeEntry(lesson.phrases[0].ident, "2026-11-26T10:00:00", 0.8, "x.flac", 0.97, 12.0)
        lesson = replace(lesson, kept=replace(lesson.kept, takes=(take,)))
        rows = list(csv.DictReader(log_csv(lesson).splitlines()))
        self.assertEqual(
            [(r["kind"], r["speed_percent"]) for r in rows], [("passes", "75"), ("take", "80")]
        )
        self.assertEqual(rows[1]["notes_percent"], "97")


class TestLatency(unittest.TestCase):
    def test_it_is_found_through_noise_and_a_room(self) -> None:
        rng = np.random.default_rng(3)
        for latency in (0.0, 0.0123, 0.087, 0.31):
            came = np.concatenate(
                [np.zeros(int(latency * RATE)), 0.2 * probe(RATE), np.zeros(RATE // 2)]
            )
            came += 0.1 * np.roll(came, int(0.021 * RATE)) + 0.004 * rng.standard_normal(len(came))
            self.assertAlmostEqual(latency_of(came.astype(np.float32), RATE), latency, delta=0.001)

    def test_silence_and_noise_are_told(self) -> None:
        rng = np.random.default_rng(4)
        for came in (np.zeros(2 * RATE), rng.standard_normal(2 * RATE), np.zeros(0)):
            with self.assertRaises(JuxtanoteError):
                latency_of(came.astype(np.float32), RATE)

    def test_it_is_taken_back_from_a_take(self) -> None:
        take = np.arange(RATE, dtype=np.float32)
        self.assertEqual(taken_back(take, 0.1, RATE)[0], 4410.0)
        self.assertEqual(len(taken_back(take, 0.0, RATE)), RATE)


class TestStudents(unittest.TestCase):
    def test_a_copy_has_only_what_is_assigned_and_opens_on_practise(self) -> None:
        lesson = practised((0, 1.0))
        first, second = lesson.phrases[0], lesson.phrases[1]
        copy = student_copy(lesson, [Assigned(second.ident, 0.9), Assigned(first.ident)])
        self.assertEqual(
            (copy.kept.desk, copy.kept.phrase, copy.kept.log), ("practise", second.ident, ())
        )
        again = lesson_from_text(lesson_text(copy))
        self.assertEqual(again.kept.assigned, copy.kept.assigned)
        names = [chunk.name for chunk in assigned_chunks(again)]
        self.assertEqual(names, [f"{second.name}, up to 90 %", f"{first.name}, up to 100 %"])
        for wrong in ([], [Assigned(999)]):
            with self.assertRaises(ValueError):
                student_copy(lesson, wrong)

    def test_what_comes_back_stands_beside_the_others(self) -> None:
        lesson = practised((0, 0.8))
        take = TakeEntry(
            lesson.phrases[0].ident, "2026-11-26T10:00:00", 0.8, "secret.flac", 0.9, 20.0
        )
        theirs = replace(lesson, kept=replace(lesson.kept, takes=(take,)))
        title, report = read_practice_report(
            practice_report(lesson.title, report_of(theirs, " Ida "))
        )
        self.assertEqual((title, report.name), (lesson.title, "Ida"))
        self.assertEqual(report.log, lesson.kept.log)
        self.assertEqual(report.takes[0].file, "")  # no places of files leave the machine
        teacher = replace(small_lesson(), kept=with_report(small_lesson(), report))
        teacher = replace(teacher, kept=with_report(teacher, report))  # sent twice
        self.assertEqual([s.name for s in teacher.kept.students], ["Ida"])
        self.assertEqual(
            lesson_from_text(lesson_text(teacher)).kept.students, teacher.kept.students
        )

    def test_what_is_no_report_is_told(self) -> None:
        odd = b'{"format":"juxtanote-practice","version":1,"title":"x","student":{"name":3}}'
        for data in (b"", b"{}", b'{"format":"juxtanote-practice"}', b"\xff\xfe", b"[1,2]", odd):
            with self.assertRaises(LessonFileError):
                read_practice_report(data)

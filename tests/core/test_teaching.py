"""Findings, practice, rendering, the command line."""

import contextlib
import io
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import soundfile

from juxtanote.cli import main
from juxtanote.core.align.gap import measure_gap
from juxtanote.core.audio.sound import Sound
from juxtanote.core.checks.findings import (
    as_checked,
    checked_on,
    find_problems,
    in_order,
)
from juxtanote.core.checks.words import findings_csv, say_what
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.csv_notes import read_rows
from juxtanote.core.formats.lesson_file import save_lesson
from juxtanote.core.formats.lesson_json import lesson_from_text, lesson_text
from juxtanote.core.formats.pages import Choices, lay_out
from juxtanote.core.handing_out import SUFFIXES, Wish, hand_out, left_to_say
from juxtanote.core.practice.care import needs_break
from juxtanote.core.practice.log import add_practice, daily_points, name_of
from juxtanote.core.practice.plan import Parted, chunks_within, joined_chunks, speed_steps
from juxtanote.core.score import edits
from juxtanote.core.score.kept import Kept, Spot, StepPlan
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.limits import Limits
from juxtanote.core.score.note import Note
from juxtanote.core.score.rhythm import write_phrase
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.synth.render import render_phrase
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_event
from tests.lessons import bent, note, small_lesson
from tests.sounds import scale_line


def checked(*notes: Note, lesson: Lesson | None = None) -> list[str]:
    """Give the titles of the findings of a phrase of these notes."""
    lesson = lesson or small_lesson()
    phrase = Phrase(9, "x", 2.0, 8.0).with_notes(list(notes))
    phrase = write_phrase(phrase, lesson.time_map)
    return [say_what(finding) for finding in find_problems(phrase, lesson)]


class TestFindings(unittest.TestCase):
    def test_a_clean_phrase_has_none(self) -> None:
        lesson = small_lesson()
        self.assertEqual(find_problems(lesson.phrases[0], lesson), [])
        lines = in_order(lesson.phrases[0], lesson)
        self.assertIn("no two notes share a string", lines)

    def test_one_fret_is_not_told_as_a_range(self) -> None:
        lesson = small_lesson()
        told = {}
        for frets in ((7,), (7, 9)):
            notes = [note(k, 2.0 + k, 3, fret) for k, fret in enumerate(frets)]
            told[frets] = in_order(Phrase(9, "x", 2.0, 8.0).with_notes(notes), lesson)
        self.assertIn("fret 7", told[7,])
        self.assertIn("frets 7 to 9", told[7, 9])

    def test_bends_are_measured_in_cents(self) -> None:
        whole = note(1, 2.0, 3, 7, "bend", bend=2.0, length_s=0.9)
        cases = {168.0: "bend falls short", 236.0: "bend goes too far", 195.0: None, 205.0: None}
        for cents, title in cases.items():
            with self.subTest(cents=cents):
                self.assertEqual(checked(bent(whole, cents)), [title] if title else [])
        gap = measure_gap(bent(whole, 170.0), small_lesson().context())
        self.assertAlmostEqual(gap.bend_cents or 0.0, -30.0, delta=2.0)

    def test_a_quarter_tone_curl_need_not_be_in_tune(self) -> None:
        curl = note(1, 2.0, 3, 7, "bend", bend=0.5, length_s=0.9)
        self.assertEqual(checked(bent(curl, 90.0)), [])

    def test_a_wrong_fret_is_found(self) -> None:
        wrong = note(1, 2.0, 3, 7)
        wrong = replace(wrong, written=replace(wrong.written, fret=8))
        self.assertIn("written is not what was heard", checked(wrong))

    def test_slurs_that_change_string_are_found(self) -> None:
        titles = checked(note(1, 2.0, 3, 5), note(2, 2.5, 2, 5, "hammer-on"))
        self.assertIn("hammer-on changes string", titles)

    def test_two_notes_on_one_string_are_found(self) -> None:
        titles = checked(note(1, 2.0, 3, 5), note(2, 2.0, 3, 9))
        self.assertIn("two notes on one string", titles)

    def test_late_and_early_notes_are_told(self) -> None:
        self.assertIn("late", checked(note(1, 2.0, 3, 5), note(2, 2.545, 3, 7)))
        self.assertIn("early", checked(note(1, 2.0, 3, 5), note(2, 2.455, 3, 7)))

    def test_quiet_slurs_and_ringing_neighbours_are_told(self) -> None:
        notes = [note(k, 2.0 + 0.5 * k, 3, 5) for k in range(3)]
        quiet = note(7, 3.5, 3, 7, "hammer-on", level_db=-27.0)
        self.assertIn("hammered note too quiet", checked(*notes, quiet))
        ringing = note(1, 2.0, 3, 5, length_s=0.9)
        self.assertIn("rings into the next note", checked(ringing, note(2, 2.5, 2, 3)))
        wanted = replace(
            ringing, written=replace(ringing.written, techniques=frozenset({"let-ring"}))
        )
        self.assertNotIn("rings into the next note", checked(wanted, note(2, 2.5, 2, 3)))

    def test_what_was_waived_is_left_out(self) -> None:
        lesson = small_lesson()
        notes = [note(1, 2.0, 3, 5), note(2, 2.0, 3, 9)]
        phrase = Phrase(9, "x", 2.0, 8.0, waived=("twice:2", "twice:1")).with_notes(notes)
        titles = [say_what(f) for f in find_problems(phrase, lesson)]
        self.assertNotIn("two notes on one string", titles)

    def test_the_worst_comes_first(self) -> None:
        lesson = small_lesson()
        notes = [note(1, 2.0, 3, 5), note(2, 2.0, 3, 9), note(3, 3.04, 2, 5)]
        phrase = write_phrase(Phrase(9, "x", 2.0, 8.0).with_notes(notes), lesson.time_map)
        found = [f.severity for f in find_problems(phrase, lesson)]
        self.assertEqual(found, sorted(found, reverse=True))


class TestPractice(unittest.TestCase):
    def test_steps_end_at_the_goal(self) -> None:
        steps = speed_steps(StepPlan(0.5, 0.2, 1.0, 3))
        self.assertEqual([s.speed for s in steps], [0.5, 0.7, 0.9, 1.0])
        self.assertEqual({s.repeats for s in steps}, {3})
        self.assertEqual(
            [s.speed for s in speed_steps(StepPlan(1.0, 0.25, 0.5, 1))], [1.0, 0.75, 0.5]
        )
        self.assertEqual(len(speed_steps(StepPlan(0.8, 0.1, 0.8, 1))), 1)
        with self.assertRaises(ValueError):
            StepPlan(start=0.01)

    def test_parts_are_joined_from_the_start(self) -> None:
        phrases = [Phrase(k, name, k, k + 1.0) for k, name in enumerate("ABC", start=1)]
        names = [chunk.name for chunk in joined_chunks(phrases)]
        self.assertEqual(names, ["A", "B", "A + B", "C", "A + B + C"])
        self.assertEqual(joined_chunks(phrases)[-1].spans_s, ((1.0, 4.0),))
        apart = [*phrases[:2], Phrase(3, "C", 7.0, 8.0)]
        self.assertEqual(joined_chunks(apart)[-1].spans_s, ((1.0, 3.0), (7.0, 8.0)))

    def test_parts_of_a_phrase_are_bars_or_go_from_mark_to_mark(self) -> None:
        time_map = TimeMap(beat_times_s=tuple(0.5 * k for k in range(41)))  # bars of two seconds
        phrase = Phrase(1, "A", 1.7, 10.0)  # a pickup and four bars
        bars = chunks_within(phrase, time_map, Parted.BARS)
        self.assertEqual([c.spans_s for c in bars[:2]], [((1.7, 4.0),), ((4.0, 6.0),)])
        self.assertEqual(bars[-1].spans_s, ((1.7, 10.0),))
        pairs = chunks_within(phrase, time_map, Parted.TWO_BARS)
        self.assertEqual([c.spans_s[0] for c in pairs], [(1.7, 6.0), (6.0, 10.0), (1.7, 10.0)])
        self.assertEqual(chunks_within(Phrase(2, "B", 2.0, 4.0), time_map, Parted.BARS), [])
        spots = (Spot(1, 5.0), Spot(2, 3.0), Spot(1, 9.99), Spot(1, 3.0))
        marked = chunks_within(phrase, time_map, Parted.SPOTS, spots)
        self.assertEqual([c.spans_s[0] for c in marked if "+" not in c.name],
                         [(1.7, 3.0), (3.0, 5.0), (5.0, 10.0)])  # fmt: skip

    def test_repeats_of_a_day_add_up(self) -> None:
        kept = add_practice(Kept(), "2026-11-03", (1,), "A", 0.5, 2)
        kept = add_practice(kept, "2026-11-03", (1,), "A", 0.5, 3)
        kept = add_practice(kept, "2026-11-03", (1,), "A", 0.75, 1)
        kept = add_practice(kept, "2026-11-04", (1,), "A", 0.6, 0)
        self.assertEqual([(e.speed, e.repeats) for e in kept.log], [(0.5, 5), (0.75, 1)])
        lesson = replace(small_lesson(), kept=kept)
        point = daily_points(lesson)[0]
        self.assertEqual((point.best_speed, point.repeats), (0.75, 6))
        self.assertEqual(daily_points(lesson, 2), [])

    def test_the_log_follows_names_and_remembers_what_is_gone(self) -> None:
        kept = add_practice(Kept(), "2026-11-03", (1,), "A", 0.5, 2)
        kept = add_practice(kept, "2026-11-03", (1, 2), "A + B", 0.5, 1)
        lesson = replace(small_lesson(), kept=kept)
        renamed = edits.change_phrase(lesson, 1, name="Opening")
        names = [name_of(entry, renamed) for entry in renamed.kept.log]
        self.assertEqual(names, ["Opening", "Opening + B"])
        gone = edits.delete_phrase(renamed, 1)
        self.assertEqual([name_of(e, gone) for e in gone.kept.log], ["A", "A + B"])
        self.assertEqual(gone.fresh_phrase_number(), 3)  # never a number that the log knows

    def test_a_break_is_suggested_after_twenty_minutes(self) -> None:
        self.assertFalse(needs_break(1000.0, 0.0))
        self.assertTrue(needs_break(1200.0, 0.0))
        self.assertFalse(needs_break(1200.0, 400.0))


class TestRendering(unittest.TestCase):
    def test_the_same_phrase_gives_the_same_samples(self) -> None:
        lesson = small_lesson()
        one = render_phrase(lesson.phrases[0], lesson, 22_050)
        two = render_phrase(lesson.phrases[0], lesson, 22_050)
        np.testing.assert_array_equal(one.audio, two.audio)
        self.assertEqual(one.start_s, 2.0)
        self.assertLessEqual(float(np.abs(one.audio).max()), 0.51)

    def test_notes_sound_at_their_times_and_pitch(self) -> None:
        lesson = small_lesson()
        audio = render_phrase(lesson.phrases[0], lesson, 22_050).audio
        part = audio[int(0.1 * 22_050) : int(0.38 * 22_050)]
        spectrum = np.abs(np.fft.rfft(part * np.hanning(len(part)), 1 << 16))
        hz = np.arange(len(spectrum)) * 22_050 / (1 << 16)
        low = (hz > 240) & (hz < 290)
        self.assertAlmostEqual(float(hz[low][np.argmax(spectrum[low])]), 261.6, delta=1.5)

    def test_techniques_change_the_sound(self) -> None:
        rng = np.random.default_rng(0)
        plain = StringEvent(0.0, 0.6, 4, 5, 55.0)
        sounds = {
            tag: render_event(
                replace(plain, techniques=frozenset({tag})), 22_050, StringVoice(), rng
            )
            for tag in ("hammer-on", "palm-mute", "dead", "natural-harmonic")
        }
        picked = render_event(plain, 22_050, StringVoice(), rng)

        def tail(audio: np.ndarray) -> float:
            return float(np.sqrt(np.mean(audio[4000:8000] ** 2))) if len(audio) > 4500 else 0.0

        self.assertLess(tail(sounds["palm-mute"]), 0.3 * tail(picked))
        self.assertEqual(tail(sounds["dead"]), 0.0)
        first = slice(0, 60)
        hammered = float(np.abs(sounds["hammer-on"][first]).max())
        self.assertLess(hammered, 0.6 * float(np.abs(picked[first]).max()))
        with self.assertRaises(ValueError):
            render_event(plain, 100, StringVoice(), rng)


class TestCommandLine(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def _run(self, *words: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main(list(words))
        return status, out.getvalue(), err.getvalue()

    def test_export_writes_every_format_and_says_nothing(self) -> None:
        lesson = self.folder / "a.juxta"
        save_lesson(small_lesson(), lesson)
        outs = [self.folder / f"o{suffix}" for suffix in SUFFIXES]
        words = [w for out in outs for w in ("-o", str(out))]
        status, said, errors = self._run("export", str(lesson), *words, "--speed", "80")
        self.assertEqual((status, said, errors), (0, "", ""))
        for out in outs:
            self.assertGreater(out.stat().st_size, 100, out.name)

    def test_export_of_one_phrase_at_half_speed_with_a_count_in(self) -> None:
        lesson, out = self.folder / "a.juxta", self.folder / "o.wav"
        save_lesson(small_lesson(), lesson)
        phrase = small_lesson().phrases[0]
        wanted = ("--phrase", phrase.name, "--speed", "50", "--count-in", "4")
        self.assertEqual(self._run("export", str(lesson), "-o", str(out), *wanted)[0], 0)
        beat = 60.0 / small_lesson().time_map.tempo_at(phrase.start_s)
        length = 2.0 * (phrase.end_s - phrase.start_s) + 4 * 2.0 * beat
        self.assertAlmostEqual(soundfile.info(out).duration, length, delta=0.01)

    def test_export_says_what_is_not_there(self) -> None:
        lesson, out = self.folder / "a.juxta", self.folder / "o.mid"
        save_lesson(small_lesson(), lesson)
        for words, code in (
            (("--phrase", "none"), 1), (("--part", "none"), 1), (("--speed", "5"), 2),
            (("-o", "x.doc"), 2), (("--count-in", "99"), 2),
        ):  # fmt: skip
            status, _, errors = self._run("export", str(lesson), "-o", str(out), *words)
            self.assertEqual(status, code, errors)
            self.assertFalse(out.exists())

    def test_the_recording_leaves_only_where_it_may(self) -> None:
        lesson = small_lesson()
        silence = np.zeros((2, 44_100 * 20), dtype=np.float32)
        sound, only = Sound(silence, 44_100), Wish(source="recording")
        out = self.folder / "o.wav"
        with self.assertRaises(JuxtanoteError):
            hand_out(lesson, out, only, sound=sound)
        may = replace(lesson, recording=replace(lesson.recording, may_share=True))
        hand_out(may, out, only, sound=sound)
        self.assertEqual(float(np.max(np.abs(soundfile.read(out)[0]))), 0.0)
        hand_out(lesson, out, Wish(), sound=sound)
        self.assertGreater(float(np.max(np.abs(soundfile.read(out)[0]))), 0.1)

    def test_transcribe_writes_every_format_and_says_nothing(self) -> None:
        audio, events = scale_line([57, 60, 62, 64, 67, 69, 67, 64])
        path = self.folder / "line.wav"
        soundfile.write(path, np.stack([audio, audio]).T, 22_050)
        outs = [
            self.folder / f"o{s}" for s in (".csv", ".json", ".jams", ".mid", ".musicxml", ".txt")
        ]
        words = [w for out in outs for w in ("-o", str(out))]
        beats = self.folder / "beats.csv"
        status, out, err = self._run("transcribe", str(path), *words, "--beats", str(beats))
        self.assertEqual((status, out, err), (0, "", ""))
        for written in (*outs, beats):
            self.assertTrue(written.is_file(), written)
        rows = read_rows(outs[0].read_text())
        self.assertGreaterEqual(len(rows), len(events) - 2)
        self.assertTrue(beats.read_text().startswith("time_s,bar,beat\n"))

    def test_a_stretch_keeps_the_times_of_the_recording(self) -> None:
        audio, events = scale_line([57, 60, 62, 64, 67, 69, 67, 64])
        path, out = self.folder / "line.wav", self.folder / "o.csv"
        soundfile.write(path, audio, 22_050)
        status, _, _ = self._run(
            "transcribe", str(path), "-o", str(out), "--start", "1.6", "--end", "3"
        )
        self.assertEqual(status, 0)
        rows = read_rows(out.read_text())
        self.assertTrue(rows)
        near = [min(abs(r.onset_s - e.onset_s) for e in events) for r in rows]
        self.assertLess(float(np.median(near)), 0.05)
        self.assertGreater(rows[0].onset_s, 1.5)

    def test_failures_are_one_line_and_status_one(self) -> None:
        cases = (
            ("transcribe", "missing.wav", "-o", str(self.folder / "o.csv")),
            ("transcribe", __file__, "-o", str(self.folder / "o.csv")),
            ("place", "missing.csv", "-o", str(self.folder / "o.csv")),
            ("transcribe", "a.wav", "-o", "o.csv", "--tuning", "nonsense"),
        )
        for words in cases:
            status, out, err = self._run(*words)
            with self.subTest(words=words[:2]):
                self.assertEqual((status, out), (1, ""))
                self.assertEqual(len(err.strip().splitlines()), 1)
        self.assertFalse((self.folder / "o.csv").exists())

    def test_wrong_usage_is_status_two(self) -> None:
        for words in (("transcribe",), ("transcribe", "a.wav", "-o", "a.xyz"), ("place", "x"),
                      ("transcribe", "a.wav", "-o", "a.csv", "--tempo", "9999"),
                      ("transcribe", "a.wav", "-o", "a.csv", "--start", "5", "--end", "2")):  # fmt: skip
            self.assertEqual(self._run(*words)[0], 2, words)

    def test_place_fills_what_is_empty_and_keeps_what_is_there(self) -> None:
        source = self.folder / "in.csv"
        source.write_text(
            "onset_s,duration_s,midi,string,fret,techniques\n"
            "0.0,0.4,57,,,\n0.5,0.4,60,,,\n1.0,0.4,62,,,hammer-on\n1.5,0.4,64,3,9,\n"
        )
        out, ways = self.folder / "out.csv", self.folder / "ways"
        status, _, _ = self._run("place", str(source), "-o", str(out), "--alternatives", str(ways))
        self.assertEqual(status, 0)
        rows = read_rows(out.read_text())
        self.assertTrue(all(r.string is not None and r.fret is not None for r in rows))
        self.assertEqual((rows[3].string, rows[3].fret), (3, 9))
        self.assertEqual(rows[1].string, rows[2].string)
        self.assertEqual([r.onset_s for r in rows], [0.0, 0.5, 1.0, 1.5])
        self.assertGreaterEqual(len(list(ways.iterdir())), 1)

    def test_the_version_is_told(self) -> None:
        self.assertEqual(self._run("--version")[0], 0)


if __name__ == "__main__":
    unittest.main()


class TestHowStrict(unittest.TestCase):
    def test_a_lesson_has_its_own_limits(self) -> None:
        lesson = small_lesson()
        note = lesson.phrases[0].notes[0]
        off = replace(note, heard=replace(note.heard, midi=note.heard.midi + 0.5))
        notes = (off, *lesson.phrases[0].notes[1:])
        lesson = lesson.with_phrase(replace(lesson.phrases[0], notes=notes))
        found = find_problems(lesson.phrases[0], lesson)
        self.assertIn(f"pitch:{note.ident}", [f.key for f in found])
        loose = replace(lesson, limits=Limits(pitch_cents=80.0))
        self.assertNotIn(
            f"pitch:{note.ident}", [f.key for f in find_problems(loose.phrases[0], loose)]
        )
        self.assertEqual(lesson_from_text(lesson_text(loose)).limits, loose.limits)
        with self.assertRaises(ValueError):
            Limits(late_ms=0.0)

    def test_a_phrase_is_checked_until_it_says_something_else(self) -> None:
        lesson = small_lesson()
        phrase = lesson.phrases[0]
        self.assertEqual(checked_on(phrase, lesson), "")
        lesson = replace(lesson, kept=as_checked(lesson.kept, phrase, "2026-11-26"))
        again = lesson_from_text(lesson_text(lesson))
        self.assertEqual(checked_on(again.phrases[0], again), "2026-11-26")
        edited = lesson.with_phrase(replace(phrase, notes=phrase.notes[:-1]))
        self.assertEqual(checked_on(edited.phrases[0], edited), "")

    def test_findings_as_csv(self) -> None:
        import csv

        lesson = small_lesson()
        phrase = lesson.phrases[0]
        twice = replace(phrase.notes[0], ident=900)
        lesson = lesson.with_phrase(phrase.with_notes([*phrase.notes, twice]))
        found = find_problems(lesson.phrases[0], lesson)
        rows = list(csv.DictReader(findings_csv(found, lesson.phrases[0], lesson).splitlines()))
        self.assertEqual(len(rows), len(found))
        self.assertIn("two notes on one string", [row["finding"] for row in rows])
        self.assertEqual(float(rows[0]["onset_s"]), round(found[0].onset_s, 3))

    def test_they_stand_at_the_end_of_the_handout_where_it_is_wished(self) -> None:
        lesson = small_lesson()
        phrase = lesson.phrases[0]
        lesson = lesson.with_phrase(
            phrase.with_notes([*phrase.notes, replace(phrase.notes[0], ident=900)])
        )
        told = left_to_say(lesson, Choices(findings=True))
        self.assertTrue(any("two notes on one string" in line for line in told))
        self.assertEqual(left_to_say(lesson, Choices()), ())
        pages = lay_out(lesson, choices=Choices(findings=True), appendix=told)
        words = [w.text for w in pages[-1].words]
        self.assertIn("Left to say", words)


class TestEmptyPhrases(unittest.TestCase):
    """Proposed phrases that nobody listened to yet are no part of a handout."""

    def words(self, filled: int) -> str:
        lesson = small_lesson()
        phrases = [p if k < filled else replace(p, notes=()) for k, p in enumerate(lesson.phrases)]
        pages = lay_out(replace(lesson, phrases=tuple(phrases)))
        return " ".join(word.text for page in pages for word in page.words)

    def test_they_are_left_out_where_others_have_notes(self) -> None:
        empty = "no notes in this phrase"
        self.assertNotIn(empty, self.words(filled=2))
        self.assertNotIn(empty, self.words(filled=1))
        self.assertIn("begin at", self.words(filled=2))
        self.assertNotIn("begin at", self.words(filled=1))  # one phrase is no list
        self.assertIn(empty, self.words(filled=0))

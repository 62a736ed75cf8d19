"""Practising in the real window: a week with the simulated microphone, counts, the delay of sound."""

import os
import tempfile
from dataclasses import replace
from datetime import date, datetime, timedelta
from pathlib import Path
from unittest import mock

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog

from juxtanote.app import settings
from juxtanote.app.desks import PRACTISE
from juxtanote.app.folders import DATA
from juxtanote.app.practise import desk as practising
from juxtanote.app.practise import labels
from juxtanote.app.students import NameForm, StudentForm
from juxtanote.app.transport.devices import SimulatedMicrophone, SimulatedSoundCard
from juxtanote.app.transport.rate import RATE
from juxtanote.core.audio.clicks import Clicked
from juxtanote.core.practice.log import add_practice
from juxtanote.core.practice.plan import Parted, joined_chunks
from juxtanote.core.practice.ways import WAYS, Way
from juxtanote.core.score.kept import Kept, StepPlan
from tests.app import wait_until
from tests.app.windows import WindowTest

TAKES = DATA / "demo" / "takes"
MONDAY = datetime(2026, 11, 23, 18, 0)


class Calendar:
    """A day that a test turns over by hand."""

    def __init__(self) -> None:
        self.at = MONDAY

    def now(self) -> datetime:
        return self.at

    def today(self) -> date:
        return self.at.date()


class Loopback:
    """A microphone that hears what the card plays, so much later."""

    name, lost, came = "cable", 0, 0

    def __init__(self, card: SimulatedSoundCard, latency_s: float) -> None:
        self._card, self._late = card, int(latency_s * RATE)

    def start(self) -> None:
        """Nothing to do."""

    def level(self) -> float:
        """What a meter shows."""
        return 0.5

    def stop(self) -> NDArray[np.float32]:
        """What came in."""
        played = self._card.recorded.mean(axis=0)
        return np.concatenate([np.zeros(self._late), played]).astype(np.float32)


class TestPractising(WindowTest):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        patched = mock.patch.dict(os.environ, {"XDG_STATE_HOME": held.name})
        patched.start()
        self.addCleanup(patched.stop)
        super().setUp()
        self.calendar = Calendar()
        for name in ("date", "datetime"):
            clock = mock.patch.object(practising, name, self.calendar)
            clock.start()
            self.addCleanup(clock.stop)

    def begin_week(self) -> None:
        """The demo on Practise, its second phrase, nothing practised yet."""
        self.open_demo()
        self.document.keep(Kept(plan=StepPlan(0.5, 0.1, 1.0, 2)))
        self.document.choose_phrase(2)
        self.window.show_desk(PRACTISE)
        self.window.transport.set_count_in(0)

    def take(self, number: int) -> None:
        """Play a take as it was recorded, and wait until it was heard."""
        desk = self.window.practise
        path = TAKES / f"demo-take-{number}.ogg"
        desk.recorder.open_microphone = lambda: SimulatedMicrophone(path)
        before = len(self.document.lesson.kept.takes)
        desk.take.record.click()
        self.assertTrue(desk.recorder.is_recording)
        self.card.advance(RATE // 4)
        desk.take.record.click()
        self.assertTrue(wait_until(lambda: len(self.document.lesson.kept.takes) > before, 60_000))

    def loop(self, passes: int) -> None:
        """Let the phrase come round so many times."""
        phrase = self.document.phrase
        assert phrase is not None
        self.window.transport.loop_phrase(phrase)
        self.window.transport.play()
        length = (phrase.end_s - phrase.start_s) / self.window.transport.speed
        for _ in range(passes):
            self.card.advance(int(length * RATE) + 200)
            self.window.transport._on_frame()
        self.window.transport.pause()

    def test_a_week_of_practice(self) -> None:
        self.begin_week()
        desk, kept = self.window.practise, lambda: self.document.lesson.kept
        speeds = []
        for day in range(7):
            self.calendar.at = MONDAY + timedelta(days=day)
            self.window.transport.set_speed(0.6 + 0.05 * day)
            self.loop(3)
            if day in (0, 3, 6):
                self.take(1 + day // 3)
                speeds.append(round(self.window.transport.speed, 2))
        self.assertEqual(len({entry.date for entry in kept().log}), 7)
        each = {
            d: sum(e.repeats for e in kept().log if e.date == d)
            for d in {e.date for e in kept().log}
        }
        self.assertTrue(all(passes >= 3 for passes in each.values()), each)
        self.assertEqual(
            [take.date[:10] for take in kept().takes], ["2026-11-23", "2026-11-26", "2026-11-29"]
        )
        shares = [take.share for take in kept().takes]
        self.assertLess(shares[0], 0.95)
        self.assertGreaterEqual(shares[2], 0.95)  # it was learned
        self.assertEqual(speeds[2], 1.0)  # a clean take at 90 % goes up a step
        self.assertEqual(desk.take.takes.count(), 3)
        files = sorted(path.suffix for path in desk.recorder.folder().iterdir())
        self.assertEqual(files, [".flac"] * 3)
        self.assertEqual(self.document.undo_stack.count(), 0)  # practice is no part of undo
        desk.take.takes.setCurrentRow(0)
        desk.preview._out = SimulatedSoundCard(desk, by_hand=True)
        desk.take.play.click()
        self.assertTrue(wait_until(lambda: desk.preview.is_playing))
        desk.take.forget.click()
        self.assertEqual(len(kept().takes), 2)
        self.assertEqual(len(list(desk.recorder.folder().iterdir())), 2)

    def test_what_went_well_comes_back_when_it_is_due(self) -> None:
        self.begin_week()
        self.window.transport.set_speed(1.0)
        self.loop(2)
        desk = self.window.practise
        self.assertEqual(desk.parts.due.text(), "")
        self.calendar.at = MONDAY + timedelta(days=1)
        self.document.choose_phrase(1)
        self.assertIn("Due today: B", desk.parts.due.text())

    def test_a_phrase_is_learned_by_bars_or_from_mark_to_mark(self) -> None:
        self.begin_week()
        desk, phrase = self.window.practise, self.document.phrase
        desk.parts.parted.setCurrentIndex(desk.parts.parted.findData(Parted.BARS))
        first = desk.parts.model.chunk(0)
        assert first is not None and phrase is not None
        self.assertEqual(first.spans_s[0][0], phrase.start_s)
        self.assertLess(first.spans_s[0][1], phrase.end_s)
        desk.parts.parted.setCurrentIndex(desk.parts.parted.findData(Parted.SPOTS))
        self.assertEqual(desk.parts.model.rowCount(), 0)
        self.assertIn("Nothing is marked", desk.parts.empty.text())
        middle = 0.5 * (phrase.start_s + phrase.end_s)
        self.window.transport.seek(middle)
        self.press(Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual([s.phrase for s in self.document.lesson.kept.spots], [phrase.ident])
        self.assertEqual(desk.parts.model.rowCount(), 3)  # each half, and both
        desk.parts.begin()
        loop = self.window.transport.loop_s
        assert loop is not None
        self.assertAlmostEqual(loop[1], middle, places=2)
        self.window.transport.seek(middle)
        desk.parts.mark.click()
        self.assertEqual(self.document.lesson.kept.spots, ())

    def test_joined_phrases_sound_as_tab_and_leave_out_what_lies_between(self) -> None:
        self.begin_week()
        desk = self.window.practise
        far = self.document.lesson.phrases[0], self.document.lesson.phrases[2]
        chunk = joined_chunks(far)[-1]
        self.assertEqual(len(chunk.spans_s), 2)
        desk._on_chunk(chunk)
        self.assertIn(chunk.name, self.window.bar._what.toolTip())
        played = sum(phrase.end_s - phrase.start_s for phrase in far)
        self.assertAlmostEqual(self.window.transport.player.loop_length_s, played, places=2)
        rendering = self.window.rendering
        self.assertTrue(wait_until(
            lambda: rendering.rendered is not None and rendering.rendered.end_s == far[1].end_s, 60_000
        ))  # fmt: skip
        assert rendering.rendered is not None
        self.assertEqual(rendering.rendered.start_s, far[0].start_s)
        between = far[0].end_s + 0.6 - far[0].start_s, far[1].start_s - far[0].start_s
        silent = rendering.rendered.audio[int(between[0] * RATE) : int(between[1] * RATE)]
        self.assertLess(float(np.abs(silent).max(initial=0.0)), 1e-5)
        self.document.choose_phrase(far[1].ident)
        self.assertTrue(wait_until(
            lambda: rendering.rendered is not None and rendering.rendered.start_s == far[1].start_s,
            60_000,
        ))  # fmt: skip

    def test_the_demo_has_three_takes(self) -> None:
        self.open_demo()
        self.document.choose_phrase(2)
        self.window.show_desk(PRACTISE)
        desk = self.window.practise
        self.assertEqual(desk.take.takes.count(), 3)
        self.assertTrue(desk.take.play.isEnabled())
        self.assertIsNotNone(desk.recorder.file_of("demo-take-1.ogg"))
        self.assertIsNone(desk.recorder.file_of("../brackwater-tram.ogg"))
        self.document.choose_phrase(1)
        self.assertEqual(desk.take.takes.count(), 0)

    def test_the_delay_is_measured_and_taken_back(self) -> None:
        self.begin_week()
        desk = self.window.practise
        card = SimulatedSoundCard(desk, by_hand=True)
        desk.recorder.open_microphone = lambda: Loopback(card, 0.043)
        desk.recorder.measure_latency(card)
        card.advance(3 * RATE)
        desk.recorder._end_probe()
        self.assertAlmostEqual(settings.LATENCY_MS.read(), 43.0, delta=1.0)
        self.assertIn("43", desk.take.delay.text())
        taken: list[int] = []
        desk.recorder.recorded.disconnect()
        desk.recorder.recorded.connect(lambda _, sound: taken.append(len(sound)))
        desk.recorder.open_microphone = lambda: SimulatedMicrophone(TAKES / "demo-take-3.ogg")
        whole = len(SimulatedMicrophone(TAKES / "demo-take-3.ogg").stop())
        desk.recorder.begin()
        desk.recorder.end()
        self.assertAlmostEqual(whole - taken[0], 0.043 * RATE, delta=0.002 * RATE)

    def test_a_microphone_that_begins_late_changes_nothing(self) -> None:
        late = RATE // 3

        class Late(Loopback):
            @property
            def came(self) -> int:  # type: ignore[override]
                return max(card.played - late, 0)

            def stop(self) -> NDArray[np.float32]:
                return super().stop()[late:]

        self.begin_week()
        recorder = self.window.practise.recorder
        card = SimulatedSoundCard(recorder, by_hand=True)
        recorder.open_microphone = lambda: Late(card, 0.043)
        recorder.measure_latency(card)
        for _ in range(30):
            card.advance(RATE // 10)
            recorder._on_compare()
        recorder._end_probe()
        self.assertAlmostEqual(settings.LATENCY_MS.read(), 43.0, delta=1.0)

    def test_a_silent_microphone_is_told(self) -> None:
        self.begin_week()
        desk = self.window.practise
        card = SimulatedSoundCard(desk, by_hand=True)
        desk.recorder.open_microphone = lambda: Loopback(
            SimulatedSoundCard(desk, by_hand=True), 0.0
        )
        desk.recorder.measure_latency(card)
        desk.recorder._end_probe()
        self.assertIn("Nothing came in", self.window._told.text())

    def test_how_the_loop_runs_is_remembered(self) -> None:
        self.begin_week()
        runs, player = self.window.practise.runs, self.window.transport.player
        runs.count_each.setChecked(True)
        runs.breath.setValue(2)
        runs.clicked.setCurrentIndex(runs.clicked.findData(Clicked.BACK))
        self.assertTrue(player.counts_each_pass)
        self.assertEqual((player.breath_beats, player.clicked), (2, Clicked.BACK))
        self.assertEqual(settings.BREATH_BEATS.read(), 2)

    def test_speed_steps_hold_where_they_were_paused(self) -> None:
        self.begin_week()
        self.window.practise.begin_steps()
        phrase = self.document.phrase
        assert phrase is not None
        for _ in range(3):  # two passes at 50 %, then 60 %
            self.card.advance(int((phrase.end_s - phrase.start_s) / 0.5 * RATE))
            self.window.transport._on_frame()
        speed = self.window.transport.speed
        self.assertGreater(speed, 0.5)
        self.window.transport.pause()
        self.window.transport.play()
        self.assertEqual(self.window.transport.speed, speed)

    def test_the_meter_and_the_log(self) -> None:
        self.begin_week()
        desk = self.window.practise
        desk.take.meter.show_level(1.2)
        self.assertEqual(desk.take.meter.accessibleDescription(), labels.CLIPPING)
        self.window.transport.set_speed(1.0)
        self.loop(1)
        target = Path(self.folder, "log.csv")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
            desk.write_log.click()
        self.assertIn("passes", target.read_text("utf-8"))
        self.document.keep(replace(self.document.lesson.kept, log=()))


class TestWays(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        self.window.show_desk(PRACTISE)
        self.ways = self.window.practise.ways

    def test_every_way_does_something_and_says_so(self) -> None:
        self.document.change("Key", lambda l: replace(l, key="A minor"))
        source = self.document.lesson.phrases[0].ident
        for row, told in enumerate(WAYS):
            self.document.choose_phrase(source)
            self.window.tell("")
            self.ways.list.setCurrentRow(row)
            self.assertIn(told.trains, self.ways.trains.text())
            self.ways.list.itemActivated.emit(self.ways.list.item(row))
            self.assertTrue(wait_until(lambda: bool(self.window._told.text())), told.way)

    def test_clicks_fall_elsewhere(self) -> None:
        self.ways.begin(Way.BACK_BEAT)
        self.assertEqual(self.window.transport.player.clicked, Clicked.BACK)
        self.assertTrue(self.window.transport.player.click)

    def test_through_the_keys_and_back_to_the_phrase(self) -> None:
        source = self.document.lesson.phrases[0].ident
        self.document.choose_phrase(source)
        steps = []
        for _ in range(12):
            self.ways.begin(Way.OTHER_KEYS)
            phrase = self.document.phrase
            assert phrase is not None
            steps.append(phrase.variation.semitones if phrase.variation is not None else 0)
        self.assertEqual(len(set(steps)), 12)
        self.assertEqual((steps[-1], self.document.phrase.ident), (0, source))  # type: ignore[union-attr]
        self.assertEqual(len(self.document.lesson.phrases[0].variants), 11)

    def test_weak_spots_one_after_the_other_then_the_whole(self) -> None:
        phrase = self.document.phrase
        assert phrase is not None
        self.window.transport.loop_phrase(phrase)
        self.ways.begin(Way.WEAK_SPOTS)
        self.assertIn("loops", self.window._told.text())
        for _ in range(4):
            self.ways.begin(Way.WEAK_SPOTS)
            if labels.WHOLE_AGAIN in self.window._told.text():
                return
        self.fail("the whole phrase never came back")

    def test_the_lead_is_taken_out_only_where_there_are_sides(self) -> None:
        self.ways.begin(Way.BACKING)  # the tone is in the middle alone
        self.assertTrue(wait_until(lambda: self.window._told.text() == labels.NO_SIDES))
        tone = np.sin(np.arange(8 * RATE) / 20.0).astype(np.float32)
        wide = np.sin(np.arange(8 * RATE) / 33.0).astype(np.float32)
        self.give_sound(np.stack([tone + wide, tone - wide]))
        self.ways.begin(Way.BACKING)
        self.assertTrue(wait_until(lambda: self.window._told.text() == labels.SIDES))
        played = self.window.transport.player._sources.recording
        self.assertTrue(np.allclose(played[0], wide, atol=1e-5))
        self.ways.begin(Way.BACKING)
        self.assertTrue(
            np.allclose(self.window.transport.player._sources.recording[0], tone + wide)
        )


class TestStudents(WindowTest):
    def test_a_copy_goes_out_is_practised_and_comes_back(self) -> None:
        self.open_small()
        title = self.document.lesson.title

        def order(form: StudentForm) -> bool:
            form.list.setCurrentRow(0)
            form.goal.setValue(85)
            form.later.click()
            return bool(form.assigned())

        target = self.folder / "copy.juxta"
        with (
            mock.patch.object(StudentForm, "exec", order),
            mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")),
        ):
            self.window.actions_by_name["student_copy"].trigger()
        self.assertTrue(wait_until(lambda: target.is_file() and not self.window.runner.is_busy))
        self.window.files.open_lesson(target)
        self.assertTrue(wait_until(lambda: bool(self.document.lesson.kept.assigned)))
        self.assertEqual(self.window.desk, PRACTISE)
        self.assertIn("up to 85 %", self.window.practise.parts.model.chunk(1).name)  # type: ignore[union-attr]
        phrase = self.document.phrase
        assert phrase is not None
        kept = self.document.lesson.kept
        self.document.keep(add_practice(kept, "2026-11-26", (phrase.ident,), phrase.name, 0.8, 5))
        report = self.folder / "Ida.practice.json"
        with (
            mock.patch.object(NameForm, "exec", return_value=True),
            mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(report), "")),
        ):
            self.window.actions_by_name["send_log"].trigger()
        self.assertTrue(report.is_file())
        self.open_small()
        self.assertEqual(self.document.lesson.title, title)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(report), "")):
            self.window.actions_by_name["bring_log"].trigger()
        self.assertEqual(len(self.document.lesson.kept.students), 1)
        self.window.show_desk(PRACTISE)
        model = self.window.practise.log_model
        self.assertIn("A student", str(model.data(model.index(0, 1))))

    def test_a_file_that_is_no_report_is_told(self) -> None:
        self.open_small()
        wrong = self.folder / "x.practice.json"
        wrong.write_bytes(b"nothing")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(wrong), "")):
            self.window.actions_by_name["bring_log"].trigger()
        self.assertEqual(self.document.lesson.kept.students, ())
        self.assertIn("no practice report", self.window._told.text())

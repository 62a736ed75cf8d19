"""Placing, checking, teaching and practising, driven by keys and clicks."""

import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from juxtanote.app.desks import CHECK, HEAR, PLACE, PRACTISE, TEACH
from juxtanote.app.sheet.scene import fret_box
from juxtanote.app.teach import labels
from juxtanote.app.transport.devices import SimulatedMicrophone, SimulatedSoundCard, open_sound_out
from juxtanote.core.audio.read import to_rate
from juxtanote.core.audio.write import write_sound
from juxtanote.core.checks.words import say_what
from juxtanote.core.errors import SoundDeviceError
from juxtanote.core.formats.midi import write_midi
from juxtanote.core.score import edits, note_edits
from juxtanote.core.score.note import Note
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events
from tests.app import wait_until
from tests.app.windows import RATE, WindowTest
from tests.lessons import note, small_lesson
from tests.sounds import scale_line


class TestPlacing(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        self.window.show_desk(PLACE)
        self.sheet = self.window.place.sheet
        self.sheet.setFocus()

    def _note(self, index: int) -> Note:
        phrase = self.document.phrase
        assert phrase is not None
        return phrase.notes[index]

    def _click(
        self, index: int, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        scene = self.sheet.scene()
        assert scene is not None
        centre = fret_box(scene, self._note(index)).center().toPoint()
        QTest.mouseClick(self.sheet, Qt.MouseButton.LeftButton, modifier, centre)

    def test_a_click_selects_and_the_card_explains(self) -> None:
        self._click(0)
        self.assertEqual(self.document.selected, (1,))
        card = self.window.place.card
        self.settle()
        self.assertIn("String 3, fret 5", card.accessibleDescription())
        self.assertIn("string 4 fret 10", card.accessibleDescription())
        self.assertIn("string 3 fret 5", self.sheet.accessibleDescription())
        # Every place has a row: in a low window the card scrolls, and a click there moves the note.
        card.grab()
        places = [(c.string, c.fret) for _, c in card._rows]
        self.assertEqual(set(places), {(2, 1), (3, 5), (4, 10), (5, 15), (6, 20)})
        self.assertLessEqual(max(box.bottom() for box, _ in card._rows), card.height())
        box = next(box for box, c in card._rows if c.string == 4)
        QTest.mouseClick(card, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
        self.assertEqual((self._note(0).written.string, self._note(0).written.fret), (4, 10))

    def test_arrows_walk_and_shift_extends(self) -> None:
        self.press(Qt.Key.Key_Right)
        self.press(Qt.Key.Key_Right)
        self.assertEqual(self.document.selected, (2,))
        self.press(Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(self.document.selected, (2, 3))
        self.press(Qt.Key.Key_Left)
        self.assertEqual(self.document.selected, (1,))
        self.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(len(self.document.selected), 4)
        self._click(1)
        self._click(3, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.document.selected, (2, 4))

    def test_down_moves_to_the_thicker_string_and_is_undone(self) -> None:
        self._click(3)
        before = self.document.lesson
        self.press(Qt.Key.Key_Down)
        self.assertEqual((self._note(3).written.string, self._note(3).written.fret), (3, 9))
        self.assertIn("place", self._note(3).written.locked)
        self.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.document.lesson, before)

    def test_the_neck_follows_an_edit(self) -> None:
        neck = self.window.place.neck
        self._click(3)
        self.settle()
        before = neck._path
        self.press(Qt.Key.Key_Down)
        self.assertTrue(wait_until(lambda: neck._path != before))
        self.assertEqual(neck._path[3], (3, 9))

    def test_digits_type_a_fret(self) -> None:
        self._click(0)
        QTest.keyClick(self.sheet, "1")
        QTest.keyClick(self.sheet, "2")
        self.assertEqual(self._note(0).written.fret, 12)
        self.assertIn("pitch", self._note(0).written.locked)

    def test_every_technique_has_its_key(self) -> None:
        keys = {
            Qt.Key.Key_V: "vibrato", Qt.Key.Key_X: "dead", Qt.Key.Key_M: "palm-mute",
            Qt.Key.Key_I: "let-ring", Qt.Key.Key_G: "grace", Qt.Key.Key_Period: "staccato",
        }  # fmt: skip
        for key, word in keys.items():
            self._click(0)
            self.press(key)
            with self.subTest(word=word):
                self.assertIn(word, self._note(0).written.techniques)
            self.press(key)
            self.assertNotIn(word, self._note(0).written.techniques)

    def test_bends_widen_by_quarter_tones(self) -> None:
        self._click(2)
        self.press(Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(self._note(2).written.bend_semitones, 2.5)
        self.press(Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self._note(2).written.bend_semitones, 2.0)

    def test_fingers_and_strokes_go_round(self) -> None:
        self._click(0)
        first = self._note(0).written.finger
        self.press(Qt.Key.Key_F)
        self.assertNotEqual(self._note(0).written.finger, first)
        self.assertIn("finger", self._note(0).written.locked)
        self.press(Qt.Key.Key_Q)
        self.assertIn("stroke", self._note(0).written.locked)

    def test_split_join_delete_add(self) -> None:
        self._click(0)
        self.press(Qt.Key.Key_S)
        assert self.document.phrase is not None
        self.assertEqual(len(self.document.phrase.notes), 5)
        self.document.select((1, 5))
        self.press(Qt.Key.Key_J)
        assert self.document.phrase is not None
        self.assertEqual(len(self.document.phrase.notes), 4)
        self.press(Qt.Key.Key_Delete)
        assert self.document.phrase is not None
        self.assertEqual(len(self.document.phrase.notes), 3)
        self.window.transport.seek(2.2)
        self.press(Qt.Key.Key_N)
        assert self.document.phrase is not None
        self.assertEqual(len(self.document.phrase.notes), 4)
        self.assertAlmostEqual(self.document.selected_notes[0].onset_s, 2.2, places=3)

    def test_dragging_an_end_changes_the_length_in_one_step(self) -> None:
        scene = self.sheet.scene()
        assert scene is not None
        g, steps = scene.geometry, self.document.undo_stack.count()
        last = self._note(3)
        start = QPointF(g.x(last.offset_s), g.string_y(last.written.string)).toPoint()
        QTest.mousePress(self.sheet, Qt.MouseButton.LeftButton, pos=start)
        for x in (10, 20, 30):
            QTest.mouseMove(self.sheet, start - QPoint(x, 0))
        QTest.mouseRelease(self.sheet, Qt.MouseButton.LeftButton, pos=start - QPoint(30, 0))
        self.assertLess(self._note(3).offset_s, last.offset_s - 0.02)
        self.assertEqual(self.document.undo_stack.count(), steps + 1)

    def test_the_rest_follows_a_decision_and_is_marked(self) -> None:
        self._click(0)
        self.window.place.notes.put(5, 15)
        self.assertEqual((self._note(0).written.string, self._note(0).written.fret), (5, 15))
        self.assertEqual(self._note(1).written.string, 5)
        self.assertIn(2, self.sheet._changed)
        self.assertIn("followed", self.window._told.text())

    def test_keeping_unlocking_and_alternatives(self) -> None:
        self._click(0)
        self.press(Qt.Key.Key_E)
        self.assertEqual(self._note(0).written.locked, {"place", "pitch"})
        self.press(Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(self._note(0).written.locked, frozenset())
        places = [(n.written.string, n.written.fret) for n in self.document.phrase.notes]  # type: ignore[union-attr]
        self.press(Qt.Key.Key_A)
        self.settle()
        self.assertIn("Placement 2 of", self.window._told.text())
        after = [(n.written.string, n.written.fret) for n in self.document.phrase.notes]  # type: ignore[union-attr]
        self.assertNotEqual(places, after)

    def test_the_next_doubtful_note_is_one_key_away(self) -> None:
        self.press(Qt.Key.Key_D)
        self.assertIn("No note is doubtful", self.window._told.text())
        phrase = self.document.phrase
        assert phrase is not None
        doubtful = note(9, 3.9, 2, 6, confidence=0.3)
        self.document.change(
            "x", lambda l: l.with_phrase(phrase.with_notes([*phrase.notes, doubtful]))
        )
        self.press(Qt.Key.Key_D)
        self.assertEqual(self.document.selected, (9,))
        # From another phrase that has none it is one key away, too.
        self.document.change("x", lambda l: edits.cut_phrase(l, 8.0, 9.0, "bare"))
        self.document.choose_phrase(self.document.lesson.phrases[-1].ident)
        self.press(Qt.Key.Key_D)
        self.assertEqual((self.document.phrase.ident, self.document.selected), (phrase.ident, (9,)))

    def test_all_doubtful_notes_are_selected_at_once(self) -> None:
        phrase = self.document.phrase
        assert phrase is not None
        more = [note(9, 3.9, 2, 6, confidence=0.3), note(10, 4.2, 2, 8, confidence=0.2)]
        self.document.change(
            "x", lambda l: l.with_phrase(phrase.with_notes([*phrase.notes, *more]))
        )
        self.press(
            Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        )
        self.assertEqual(self.document.selected, (9, 10))

    def test_the_school_changes_every_stroke(self) -> None:
        self.window.place.school.setCurrentText("down")
        self.window.place._on_school()
        self.settle()
        strokes = {n.written.stroke for p in self.document.lesson.phrases for n in p.notes}
        self.assertLessEqual(strokes, {"", "down"})

    def test_evenness_is_remembered_as_one_step(self) -> None:
        steps = self.document.undo_stack.count()
        for value in (0.8, 0.5, 0.0):
            self.window.place._on_evenness(value)
        assert self.document.phrase is not None
        self.assertEqual(self.document.phrase.evenness, 0.0)
        self.assertEqual(self.document.undo_stack.count(), steps + 1)

    def test_a_click_on_the_neck_moves_the_note(self) -> None:
        self._click(3)
        self.settle()
        neck = self.window.place.neck
        spot = neck.spot(3, 9).toPoint()
        QTest.mouseClick(neck, Qt.MouseButton.LeftButton, pos=spot)
        self.assertEqual((self._note(3).written.string, self._note(3).written.fret), (3, 9))

    def test_zoom_and_scroll_show_every_size(self) -> None:
        for factor in (0.1, 4.0, 20.0):
            self.sheet.zoom(factor)
            self.assertFalse(self.sheet.grab().isNull())
        self.sheet.scroll_to(3.0)
        self.sheet.fit()
        self.assertFalse(self.sheet.grab().isNull())


class TestListening(WindowTest):
    def test_listening_fills_the_sheet_and_keeps_what_is_locked(self) -> None:
        mono, events = scale_line([57, 60, 62, 64, 67, 69])
        audio = to_rate(np.stack([mono, mono]), 22_050, RATE)
        self.open_recording(audio)
        self.window.hear.strip.cut(0.1, 2.8)
        self.window.show_desk(PLACE)
        self.window.place.listen.click()
        self.assertTrue(
            wait_until(lambda: bool(self.document.phrase and self.document.phrase.notes), 60_000)
        )
        phrase = self.document.phrase
        assert phrase is not None
        near = [
            any(
                abs(n.onset_s - e.onset_s) < 0.06 and abs(n.heard.midi - e.midi) < 0.6
                for n in phrase.notes
            )
            for e in events
        ]
        self.assertGreaterEqual(sum(near), 5)
        self.assertTrue(phrase.evidence.onset)
        self.assertTrue(all(n.written.onset_beats is not None for n in phrase.notes))
        ident = phrase.notes[0].ident
        self.document.change("x", lambda l: note_edits.set_place(l, phrase.ident, ident, 5, 12))
        self.window.tasks.listening.listen()
        self.settle()
        assert self.document.phrase is not None
        kept = self.document.phrase.note(ident)
        assert kept is not None
        self.assertEqual((kept.written.string, kept.written.fret), (5, 12))

    def test_only_a_lead_leaves_out_what_lies_under_it(self) -> None:
        mono, _ = scale_line([57, 60, 62])
        self.open_recording(to_rate(np.stack([mono, mono]), 22_050, RATE))
        self.window.hear.strip.cut(0.1, 1.6)
        lead = self.document.lesson.parts[0]
        second = replace(lead, ident=lead.ident + 1, name="Second")
        heard: list[str] = []
        self.window.tasks.told.connect(heard.append)
        with mock.patch("juxtanote.core.analysis.parts.lead_of", lambda notes: list(notes)[:1]):
            self.window.tasks.listening.listen()
            self.settle()
            assert self.document.phrase is not None
            self.assertEqual(len(self.document.phrase.notes), 1)
            self.assertRegex(heard[-1], "Left out: [1-9]")
            phrase = replace(self.document.phrase, part=second.ident)
            self.document.change(
                "x", lambda l: replace(l, parts=(lead, second)).with_phrase(phrase)
            )
            self.window.tasks.listening.listen()
            self.settle()
        self.assertGreater(len(self.document.phrase.notes), 1)

    def test_listening_can_be_stopped(self) -> None:
        audio = np.zeros((2, 20 * RATE), dtype=np.float32)
        audio[:, ::300] = 0.3
        self.open_recording(audio)
        self.window.hear.strip.cut(0.0, 19.0)
        self.window.tasks.listening.listen()
        self.window.runner.cancel_all()
        self.settle()
        assert self.document.phrase is not None
        self.assertEqual(self.document.phrase.notes, ())


class TestPlaying(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        self.window.transport.set_count_in(0)

    def test_space_plays_and_the_playhead_follows_the_sound(self) -> None:
        transport = self.window.transport
        for speed in (0.5, 1.0):
            transport.set_speed(speed)
            transport.seek(2.0)
            self.press(Qt.Key.Key_Space)
            self.assertTrue(transport.is_playing)
            self.card.advance(22_050)
            transport._on_frame()
            with self.subTest(speed=speed):
                # Half a second has sounded; attacks bend the map by less than the 20 ms allowed.
                self.assertAlmostEqual(transport.position_s, 2.0 + 0.5 * speed, delta=0.02)
            self.press(Qt.Key.Key_Space)
            self.assertFalse(transport.is_playing)

    def test_a_change_of_speed_sounds_within_a_tenth_of_a_second(self) -> None:
        transport = self.window.transport
        transport.play()
        self.card.advance(4410)
        transport.set_speed(0.5)
        before = transport.player.position_s
        self.card.advance(4410)
        self.assertAlmostEqual(transport.player.position_s - before, 0.05, delta=0.015)
        self.assertGreater(float(np.abs(self.card.recorded[:, -2000:]).max()), 0.01)

    def test_it_starts_quiet_and_has_a_ceiling(self) -> None:
        self.assertLessEqual(self.window.transport.level, 0.5)
        self.window.transport.set_level(1.0)
        self.window.transport.play()
        self.card.advance(RATE)
        self.assertLess(float(np.abs(self.card.recorded).max()), 0.71)
        self.window.transport.set_level(0.25)

    def test_balance_keys_choose_recording_or_tab(self) -> None:
        alt = Qt.KeyboardModifier.AltModifier
        for key, balance in ((Qt.Key.Key_1, -1.0), (Qt.Key.Key_3, 1.0), (Qt.Key.Key_2, 0.0)):
            self.press(key, alt)
            self.assertEqual(self.window.transport.balance, balance)

    def test_the_rendered_tab_sounds_in_step(self) -> None:
        self.settle()
        self.window.transport.set_balance(1.0)
        self.window.transport.set_level(0.5)
        self.window.transport.seek(2.0)
        self.window.transport.play()
        self.card.advance(RATE)
        out = np.abs(self.card.recorded[0])
        self.assertGreater(float(out[:4000].max()), 0.05)

    def test_the_bar_shows_what_is_set(self) -> None:
        self.window.transport.set_speed(0.65)
        self.assertEqual(self.window.bar._speed_value.text(), "65 %")
        self.press(Qt.Key.Key_K)
        self.assertTrue(self.window.bar.click.isChecked())
        self.press(Qt.Key.Key_O)
        self.assertIsNone(self.window.transport.loop_s)
        self.assertFalse(self.window.bar.loop.isChecked())
        self.press(Qt.Key.Key_O)
        self.assertIsNotNone(self.window.transport.loop_s)

    def test_without_a_sound_device_the_simulated_card_plays(self) -> None:
        out, why = open_sound_out()
        self.assertIsInstance(out, SimulatedSoundCard)
        self.assertIn("simulated", why)

    def test_the_simulated_card_keeps_time(self) -> None:
        card = SimulatedSoundCard()
        card.start(lambda count: np.zeros((2, count), dtype=np.float32))
        self.assertTrue(wait_until(lambda: card.played > 4000, 5000))
        card.stop()
        self.assertEqual(card.recorded.shape[1], card.played)

    def test_the_simulated_microphone_plays_a_take(self) -> None:
        tone = (0.3 * np.sin(np.arange(RATE) / 20)).astype(np.float32)
        path = self.folder / "take.wav"
        write_sound(path, np.stack([tone, tone]), RATE)
        microphone = SimulatedMicrophone(path)
        first = microphone.record(1000)
        np.testing.assert_allclose(first, tone[:1000], atol=1e-3)
        self.assertEqual(float(np.abs(microphone.record(3 * RATE)[-10:]).max()), 0.0)


class TestChecking(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        phrase = self.document.lesson.phrases[0]
        wrong = phrase.with_notes([*phrase.notes, note(9, 2.0, 3, 9)])
        self.document.change("x", lambda l: l.with_phrase(wrong))
        self.window.show_desk(CHECK)
        self.check = self.window.check
        self.settle()

    def test_findings_are_listed_and_selected_on_the_sheet(self) -> None:
        assert self.check.finding is not None
        self.assertEqual(say_what(self.check.finding), "two notes on one string")
        self.document.select(())
        self.check._on_row()
        self.assertEqual(set(self.document.selected), {1, 9})
        self.assertFalse(self.window.grab().isNull())

    def test_enter_loops_the_spot(self) -> None:
        QTest.keyClick(self.check.list, Qt.Key.Key_Return)
        loop = self.window.transport.loop_s
        assert loop is not None
        self.assertLess(loop[0], 2.0)
        self.assertTrue(self.window.transport.is_playing)

    def test_waiving_is_remembered_and_undone(self) -> None:
        count = self.check.model.rowCount()
        self.press(Qt.Key.Key_W)
        self.settle()
        self.assertEqual(self.check.model.rowCount(), count - 1)
        self.document.undo_stack.undo()
        self.settle()
        self.assertEqual(self.check.model.rowCount(), count)

    def test_the_recording_is_listened_to_and_a_finding_is_mended_and_undone(self) -> None:
        heard = [f for f in self.window.findings.found if f.complaint is not None]
        self.assertTrue(heard, "a steady tone is not what is written")
        surplus = next(f for f in heard if f.complaint.kind == "extra")
        keys = self.check.model.keys()
        self.check.list.setCurrentIndex(self.check.model.index(keys.index(surplus.key)))
        before = self.document.lesson
        self.check.mend_button.click()
        self.settle()
        phrase = self.document.phrase
        assert phrase is not None
        self.assertIsNone(phrase.note(surplus.notes[0]))
        self.document.undo_stack.undo()
        self.assertEqual(self.document.lesson, before)

    def test_what_a_phrase_tells_of_itself_is_shown_before_it_is_listened_to(self) -> None:
        found, told = self.window.findings, []
        found.changed.connect(lambda: told.append((found.is_current, found.listened)))
        self.give_sound(np.zeros((2, 8 * RATE), dtype=np.float32))
        self.settle()
        self.assertEqual(told[0], (True, False))
        self.assertEqual(told[-1], (True, True))

    def test_another_recording_is_listened_to_anew(self) -> None:
        """What was heard of one recording says nothing of the next one, phrase for phrase."""
        first = [f.key for f in self.window.findings.found if f.complaint is not None]
        line = [n for n in self.document.lesson.phrases[0].notes if n.ident != 9]
        events = [
            StringEvent(
                n.onset_s, n.heard.duration_s, n.written.string, n.written.fret, n.heard.midi
            )
            for n in line
        ]
        audio = render_events(events, RATE, StringVoice(), np.random.default_rng(1), length_s=8.0)
        self.give_sound(np.stack([audio, audio]))
        self.settle()
        second = [f.key for f in self.window.findings.found if f.complaint is not None]
        self.assertLess(len(second), len(first))

    def test_what_was_waived_can_be_taken_back_after_reopening(self) -> None:
        count = self.check.model.rowCount()
        sound = self.document.sound
        assert sound is not None
        self.press(Qt.Key.Key_W)
        path = self.folder / "waived.juxta"
        self.window.files.save(path)
        self.settle()
        self.window.files.open_lesson(path)
        self.settle()
        self.give_sound(sound.audio)
        self.window.show_desk(CHECK)
        self.settle()
        self.assertEqual(self.check.model.rowCount(), count - 1)
        self.check.with_waived.setChecked(True)
        self.assertEqual(self.check.model.rowCount(), count)
        self.check.list.setCurrentIndex(self.check.model.index(count - 1))
        self.check.waive_button.click()
        self.settle()
        assert self.document.phrase is not None
        self.assertEqual(self.document.phrase.waived, ())


class TestTeaching(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        self.window.show_desk(TEACH)
        self.teach = self.window.teach
        self.settle()

    def test_words_are_generated_and_can_be_typed(self) -> None:
        self.assertIn("hammer fret 7", self.teach.text.toPlainText())
        self.teach.text.setPlainText("Softly.")
        self.teach._pause.stop()
        self.teach._on_typed()
        self.assertEqual(self.document.lesson.phrases[0].breakdown, "Softly.")
        self.teach.again.click()
        self.settle()
        self.assertEqual(self.document.lesson.phrases[0].breakdown, "")
        self.assertIn("hammer fret 7", self.teach.text.toPlainText())

    def test_the_pdf_is_written(self) -> None:
        path = self.folder / "handout.pdf"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            self.teach.pdf.click()
            self.settle()
        self.assertTrue(path.read_bytes().startswith(b"%PDF"))
        self.assertGreater(path.stat().st_size, 5000)

    def test_the_dialog_writes_every_format_and_remembers(self) -> None:
        for suffix in labels.FORMATS:
            path = self.folder / f"out{suffix}"
            self.teach.hand_out.click()
            form = self.window.outputs.form
            form.format.setCurrentIndex(form.format.findData(suffix))
            form.speed.setValue(80)
            with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
                form.accept_button.click()
                self.settle()
            with self.subTest(suffix=suffix):
                self.assertGreater(path.stat().st_size, 100)
        self.assertEqual(self.complaints, [])
        self.teach.hand_out.click()
        again = self.window.outputs.form
        self.assertEqual(again.suffix, list(labels.FORMATS)[-1])
        self.assertEqual(again.speed.value(), 80)
        again.reject()

    def test_the_recording_leaves_only_when_the_person_says_so(self) -> None:
        pages = []
        for may in (False, True):
            self.window.set_share(may)
            path = self.folder / f"page-{may}.html"
            with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
                self.teach.page.click()
                self.settle()
            pages.append(path.read_text("utf-8"))
        self.assertNotIn('id="recording-0"', pages[0])
        self.assertIn('id="recording-0"', pages[1])

    def test_pages_follow_what_is_chosen_beside_them(self) -> None:
        boxes = list(self.teach.look.boxes.values())
        self.teach.look.paper.setCurrentText("Letter")
        boxes[0].setChecked(True)
        self.settle()
        paper = self.teach.pages.paper
        self.assertEqual((paper.name, paper.large > 1.0), ("Letter", True))
        boxes[1].setChecked(False)
        self.assertNotIn("&", [w.text for page in self.teach.laid_out() for w in page.words])

    def test_only_this_phrase(self) -> None:
        self.teach.only_phrase.setChecked(True)
        self.assertEqual(len(self.teach.chosen_lesson().phrases), 1)

    def test_midi_is_imported_into_the_phrase(self) -> None:
        path = self.folder / "in.mid"
        path.write_bytes(write_midi(small_lesson()))
        self.window.outputs.import_file(path)
        self.settle()
        self.window.outputs.form.accept()
        self.settle()
        assert self.document.phrase is not None
        self.assertEqual(len(self.document.phrase.notes), 10)
        self.window.outputs.import_file(self.folder / "missing.mid")
        self.settle()
        self.assertIn("could not be opened", self._complaint())

    def _complaint(self) -> str:
        from PyQt6.QtWidgets import QMessageBox

        boxes = self.window.findChildren(QMessageBox)
        return boxes[-1].text() if boxes else ""


class TestPractising(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_small()
        self.window.transport.set_count_in(0)
        self.window.show_desk(PRACTISE)
        self.practise = self.window.practise

    def a_take(self) -> Path:
        """Play the first phrase at 80 % without its third note."""
        line = small_lesson().phrases[0].notes
        first = line[0].onset_s
        events = []
        for note_ in (*line[:2], *line[3:]):
            at, where = (note_.onset_s - first) / 0.8 + 0.5, note_.written
            events.append(StringEvent(at, 0.4, where.string, where.fret, note_.heard.midi))
        length = max(e.offset_s for e in events) + 0.5
        audio = render_events(
            events, RATE, StringVoice(), np.random.default_rng(1), length_s=length
        )
        path = self.folder / "take.wav"
        soundfile.write(path, audio, RATE)
        return path

    def test_a_take_is_recorded_while_the_phrase_loops(self) -> None:
        recorder, panel = self.practise.recorder, self.practise.take
        recorder.open_microphone = lambda: SimulatedMicrophone(self.a_take())
        panel.record.click()
        self.assertTrue(recorder.is_recording)
        self.assertTrue(self.window.transport.is_playing)
        self.assertEqual(panel.record.text(), "End the take")
        panel.record.click()
        self.settle()
        self.assertFalse(self.window.transport.is_playing)
        kept = list(recorder.folder().glob("*.flac"))
        self.assertEqual(len(kept), 1)
        self.assertIn(kept[0].name, panel.words.text())
        self.assertGreater(panel.spots.count(), 0)
        panel.record.click()
        self.document.choose_phrase(self.document.lesson.phrases[1].ident)
        self.assertFalse(recorder.is_recording)
        self.assertEqual(len(list(recorder.folder().glob("*.flac"))), 1)

    def test_without_a_microphone_it_is_said(self) -> None:
        def none() -> SimulatedMicrophone:
            raise SoundDeviceError("There is no microphone here.")

        self.practise.recorder.open_microphone = none
        self.practise.take.record.click()
        self.assertFalse(self.practise.recorder.is_recording)
        self.assertIn("no microphone", self.window._told.text())

    def test_a_take_is_listened_to_and_its_spot_looped(self) -> None:
        path = self.a_take()
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.practise.take.button.click()
        self.settle()
        self.assertEqual(self.complaints, [])
        self.assertIn("take.wav", self.practise.take.words.text())
        texts = [
            self.practise.take.spots.item(k).text() for k in range(self.practise.take.spots.count())
        ]
        self.assertTrue(any(text.startswith("left out") for text in texts), texts)
        self.practise.take.spots.itemActivated.emit(self.practise.take.spots.item(0))
        self.assertTrue(self.window.transport.is_playing)
        self.window.transport.pause()
        path.write_bytes(b"no sound")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.practise.take.button.click()
        self.settle()
        self.assertIn("take.wav", self.window._told.text())

    def test_steps_play_and_every_pass_is_logged(self) -> None:
        self.practise.start.setValue(50)
        self.practise.goal.setValue(100)
        self.practise.step.setValue(50)
        self.practise.repeats.setValue(1)
        self.practise.begin.click()
        transport = self.window.transport
        self.assertTrue(transport.is_playing)
        for _ in range(90):
            self.card.advance(4410)
            transport._on_frame()
        log = self.document.lesson.kept.log
        self.assertEqual((log[0].phrases, log[0].name), ((1,), "A"))
        self.assertAlmostEqual(log[0].speed, 0.5)
        self.assertAlmostEqual(log[-1].speed, 1.0)
        self.assertGreaterEqual(sum(e.repeats for e in log), 2)
        self.assertEqual(self.practise.log_model.rowCount(), len(log))

    def test_a_loop_on_another_desk_is_no_practice(self) -> None:
        self.window.show_desk(PLACE)
        steps = self.document.undo_stack.count()
        self.practise._on_pass(1, 0.5)
        self.assertEqual(self.document.lesson.kept.log, ())
        self.assertEqual(self.document.undo_stack.count(), steps)

    def test_joined_parts_set_the_loop(self) -> None:
        self.practise.parts._on_row(self.practise.parts.model.index(2))
        loop = self.window.transport.loop_s
        assert loop is not None
        self.assertAlmostEqual(loop[0], 2.0, places=2)
        self.assertAlmostEqual(loop[1], 6.2, places=2)

    def test_a_break_is_suggested(self) -> None:
        self.practise._played_s = 1199.0
        self.practise._on_pass(1, 0.5)
        self.assertIn("rest", self.practise._rest.text())

    def test_the_plot_is_painted_with_and_without_a_log(self) -> None:
        self.assertFalse(self.practise.plot.grab().isNull())
        self.practise._on_pass(1, 0.5)
        self.assertFalse(self.practise.plot.grab().isNull())
        self.window.show_desk(HEAR)


if __name__ == "__main__":
    unittest.main()

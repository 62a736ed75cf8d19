"""Time on the Hear desk, whole placements on the Place desk, and the windows that ask."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from juxtanote.app import forms
from juxtanote.app.desks import HEAR, PLACE
from juxtanote.core.analysis.beats import BarReading, BeatReading, Pulses
from juxtanote.core.measuring import Measured
from juxtanote.core.score.lesson import Phrase
from juxtanote.core.score.timing import recounted
from juxtanote.core.theory.tuning import Guitar
from tests.app import wait_until
from tests.app.windows import RATE, WindowTest
from tests.lessons import note, small_lesson
from tests.sounds import scale_line


def readings() -> BeatReading:
    """Two pulses, the second twice as fast, and two ways to lay bars."""
    slow, fast = np.arange(0.0, 16.0, 1.0), np.arange(0.0, 16.0, 0.5)
    return BeatReading(
        (Pulses(fast, 0, 4, 2, 120.0, 0.7), Pulses(slow, 0, 4, 2, 60.0, 0.3)),
        (BarReading(4, 0, 0.8), BarReading(2, 1, 0.2, 3)),
        0.1,
    )


class TestTime(WindowTest):
    def test_one_key_takes_the_next_reading_and_undo_takes_it_back(self) -> None:
        self.open_small()
        before = self.document.lesson.time_map
        self.window.hear.show_measured(Measured(1.0, 0.5, readings()))
        self.assertIn("or 60.0 (30 %)", self.window.hear.time.pulse_evidence.text())
        self.window.actions_by_name["next_pulse"].trigger()
        self.assertAlmostEqual(self.document.lesson.time_map.tempo_at(5.0), 60.0)
        self.assertTrue(self.window.hear.time.pulse_evidence.text().startswith("60.0"))
        self.window.actions_by_name["next_bars"].trigger()
        self.assertIn("6/8 from beat 2", self.window.hear.time.bar_evidence.text())
        self.assertEqual(self.document.lesson.time_map.signature, (6, 8))
        self.document.undo_stack.undo()
        self.document.undo_stack.undo()
        self.assertEqual(self.document.lesson.time_map, before)

    def test_bars_are_laid_by_time_when_the_beats_are_others(self) -> None:
        self.open_small()
        self.window.hear.show_measured(Measured(1.0, 0.5, readings()))
        self.window.actions_by_name["next_pulse"].trigger()  # every second of the measured beats
        self.window.actions_by_name["next_bars"].trigger()  # bars from the second measured beat
        one = float(self.document.lesson.time_map.to_seconds(0.0))
        self.assertLessEqual(abs(one - 0.5), 0.5)
        self.assertIn(one, self.document.lesson.time_map.beat_times_s)

    def test_without_a_measurement_it_is_told(self) -> None:
        self.open_small()
        self.assertFalse(self.window.actions_by_name["next_pulse"].isEnabled())
        self.press(Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
        self.assertIn("Measure the recording first", self.window._told.text())

    def test_a_beat_is_dragged_in_the_strip(self) -> None:
        self.open_small()
        self.window.show_desk(HEAR)
        strip = self.window.hear.strip
        strip.show_stretch(0.0, 4.0)
        before = self.document.lesson.time_map
        index, seconds = before.nearest_beat(2.0)
        y = strip.height() - 8
        start = QPoint(round(strip.x_of(seconds)), y)
        QTest.mousePress(strip, Qt.MouseButton.LeftButton, pos=start)
        for step in (6, 12):
            QTest.mouseMove(strip, start + QPoint(step, 0))
        QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=start + QPoint(12, 0))
        after = self.document.lesson.time_map
        self.assertGreater(after.beat_times_s[index], before.beat_times_s[index])
        self.assertEqual(after.beat_times_s[:index], before.beat_times_s[:index])
        self.assertEqual(len(self.document.lesson.phrases), 2)  # nothing was cut
        self.document.undo_stack.undo()
        self.assertEqual(self.document.lesson.time_map, before)

    def test_form_and_chords_are_typed(self) -> None:
        self.open_small()
        rows = self.window.hear.time
        rows.form.setValue(12)
        rows.form.editingFinished.emit()
        self.assertEqual(self.document.lesson.form_bars, 12)
        self.assertIn("of 12", self.cell(0, 4))
        rows.chords.setText("Am | Dm7 G")
        rows.chords.editingFinished.emit()
        first = self.document.lesson.chords[0][0]
        self.assertEqual(self.document.lesson.chords, ((first, "Am"), (first + 1, "Dm7 G")))
        rows.chords.setText("Am | purple")
        rows.chords.editingFinished.emit()
        self.assertIn("no chord symbol", self.window._told.text())
        self.assertEqual(len(self.document.lesson.chords), 2)

    def test_chords_are_suggested_in_the_background(self) -> None:
        times = np.arange(5 * RATE) / RATE
        chord = sum(np.sin(2 * np.pi * hz * times) for hz in (110.0, 220.0, 261.63, 329.63))
        self.open_recording(np.stack([0.1 * chord, 0.1 * chord]).astype(np.float32))
        self.window.hear.strip.cut(0.1, 4.5)
        self.settle()
        self.window.hear.time.buttons["chords"].click()
        self.settle()
        self.assertTrue(wait_until(lambda: bool(self.document.lesson.chords)))
        self.assertIn("Am", {symbol[:2] for _, symbol in self.document.lesson.chords})

    def test_what_comes_again_is_written_beside_its_phrase(self) -> None:
        lesson = small_lesson()
        again = replace(lesson.phrases[0], ident=9, name="Z", start_s=10.0, end_s=12.1).with_notes(
            [
                replace(n, heard=replace(n.heard, onset_s=n.onset_s + 8, offset_s=n.offset_s + 8))
                for n in lesson.phrases[0].notes
            ]
        )
        self.document.open(recounted(lesson.with_phrase(again)), None)
        self.settle()
        self.assertEqual(self.cell(2, 6), "as A")
        self.assertIn("1-2-2-1", self.window.hear.order.text())

    def test_the_subdivision_is_chosen_for_a_phrase(self) -> None:
        self.open_small()
        self.window.place.subdivision.setCurrentText("triplets")
        self.window.place._on_subdivision()
        phrase = self.document.phrase
        assert phrase is not None
        self.assertEqual(phrase.subdivision, "triplets")
        onsets = [n.written.onset_beats for n in phrase.notes if n.written.onset_beats is not None]
        self.assertTrue(all(onset.denominator in (1, 3) for onset in onsets))


class TestWays(WindowTest):
    def test_placements_stand_side_by_side_and_a_row_takes_one(self) -> None:
        self.open_small()
        self.window.show_desk(PLACE)
        line = [
            note(k + 1, 2.0 + 0.25 * k, 2, f, length_s=0.2) for k, f in enumerate((5, 8, 10, 8, 5))
        ]
        phrase = self.document.lesson.phrases[0]
        self.document.change("x", lambda l: l.with_phrase(phrase.with_notes(line)))
        self.assertFalse(self.window.place.placements.isVisible())
        self.window.actions_by_name["alternative"].trigger()
        self.settle()
        table = self.window.place.placements
        self.assertTrue(table.isVisible())
        self.assertGreater(table.rowCount(), 2)
        self.assertTrue(table.item(0, 4).text().endswith("mm"))
        table.selectRow(0)
        self.assertEqual(table.item(0, 1).text(), "–")
        self.assertIn("Placement 1 of", self.window._told.text())
        self.window.actions_by_name["next_phrase"].trigger()
        self.assertFalse(table.isVisible())


class TestForms(WindowTest):
    def test_hints_are_what_was_said(self) -> None:
        lesson = small_lesson()
        form = forms.HintsForm(lesson.context(), lesson.phrases[0], 3)
        form.count.setValue(7)
        form.in_scale.setChecked(True)
        hints = form.hints()
        self.assertEqual(hints.expected_notes, 7)
        self.assertEqual(hints.scale, frozenset({9, 0, 2, 4, 7}))  # A minor pentatonic
        self.assertTrue(form.only_selected.isChecked())
        bare = forms.HintsForm(replace(lesson, key="", scale="").context(), lesson.phrases[0], 0)
        self.assertFalse(bare.in_scale.isEnabled())
        self.assertIsNone(bare.hints().expected_notes)
        for ticked in (False, True):  # a string taken back leaves what was ticked
            bare.one_voice.setChecked(ticked)
            for row, one in ((2, True), (4, True), (0, ticked)):
                bare.string.setCurrentIndex(row)
                self.assertEqual(bare.hints().one_voice, one)

    def test_listening_again_keeps_what_is_locked(self) -> None:
        self.open_recording(np.stack([scale_line((57, 60, 62, 64))[0]] * 2))
        self.window.hear.strip.cut(0.0, 2.2)
        self.window.tasks.listening.listen()
        self.settle()
        phrase = self.document.phrase
        assert phrase is not None and phrase.notes
        kept = phrase.notes[0]
        self.document.select((kept.ident,))
        self.window.place.notes.keep()
        # Once on any string, once all on string 4, which lies where the notes are.
        with mock.patch.object(forms.HintsForm, "exec", return_value=True):
            self.window.asking.listen_again()
        self.settle()

        def on_string_four(form: forms.HintsForm) -> bool:
            form.string.setCurrentIndex(4)
            return True

        with mock.patch.object(forms.HintsForm, "exec", on_string_four):
            self.window.asking.listen_again()
        self.settle()
        after = self.document.phrase
        assert after is not None
        self.assertEqual({n.written.string for n in after.notes[1:]}, {4})
        self.assertTrue(all("place" in n.written.locked for n in after.notes[1:]))
        self.assertEqual(after.notes[0].heard, kept.heard)
        self.assertIn("pitch", after.notes[0].written.locked)

    def test_a_moved_copy_is_made_and_chosen(self) -> None:
        self.open_small()
        with mock.patch.object(forms.MoveForm, "exec", return_value=True):
            self.window.asking.move_phrase()
        self.assertEqual(len(self.document.lesson.phrases), 2)  # it hangs under the first
        assert self.document.phrase is not None
        self.assertEqual(self.document.phrase.name, "A, 2 semitones up")
        self.assertEqual(self.document.lesson.phrases[0].variants, (self.document.phrase,))
        self.document.undo_stack.undo()
        assert self.document.phrase is not None
        self.assertEqual((self.document.phrase.name, self.document.phrase.variants), ("A", ()))

    def test_what_breaks_is_told_before_moving(self) -> None:
        lesson = small_lesson()
        phrase = Phrase(5, "low", 2.0, 3.0, (note(1, 2.0, 6, 0), note(2, 2.5, 6, 3)))
        form = forms.MoveForm(lesson.with_phrase(phrase), phrase)
        form.semitones.setValue(-2)
        self.assertIn("below the nut", form.said.text())
        form.semitones.setValue(2)
        self.assertIn("the open string 6 becomes fret 2", form.said.text())

    def test_a_guitar_that_cannot_be_is_explained_and_the_form_stays(self) -> None:
        form = forms.GuitarForm(Guitar())
        form.tuning.setEditText("E2 A2")
        form.try_accept()
        self.assertIn("2 strings cannot be used", form.said.text())
        form.tuning.setEditText("Seven strings, low B")
        form.capo.setValue(2)
        form.left.setChecked(True)
        form.thumb.setChecked(False)
        form.bar.setCurrentText("little finger")
        form.try_accept()
        guitar = form.result_guitar
        self.assertEqual((guitar.string_count, guitar.capo, guitar.left_handed), (7, 2, True))
        self.assertEqual((guitar.thumb_over, guitar.bar_finger), (False, 4))


if __name__ == "__main__":
    unittest.main()

"""The collection's window: found while typing, used, and never a lesson touched; exercises; harmony."""

import os
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from bench.collection import a_lesson
from juxtanote.app import forms
from juxtanote.app.collection import labels
from juxtanote.app.collection.likeness import NOTES, TAKE
from juxtanote.app.collection.lists_pane import ListsPane
from juxtanote.app.collection.model import FAMILY, made_of
from juxtanote.app.collection.window import CollectionWindow
from juxtanote.app.lesson_forms import HarmonyForm, LimitsForm, PartsForm
from juxtanote.app.main import demo_lesson
from juxtanote.app.transport.devices import SimulatedSoundCard
from juxtanote.core.collection.cards import Card
from juxtanote.core.collection.lists import read_lists
from juxtanote.core.exercises.kinds import Kind
from juxtanote.core.exercises.make import harmony_part
from juxtanote.core.formats.lesson_file import save_lesson
from juxtanote.core.formats.lesson_json import lesson_from_text, lesson_text
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import COPIED, EXERCISE, Lesson, Recording
from juxtanote.core.theory.pitch import pitch_name
from tests.app import wait_until
from tests.app.windows import WindowTest
from tests.lessons import small_lesson


class TestCollection(WindowTest):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.lessons = Path(held.name, "lessons")
        self.lessons.mkdir()
        places = {"XDG_CACHE_HOME": "cache", "XDG_STATE_HOME": "state"}
        named = {name: str(Path(held.name, folder)) for name, folder in places.items()}
        patched = mock.patch.dict(os.environ, named)
        patched.start()
        self.addCleanup(patched.stop)
        super().setUp()
        for number in range(3):
            save_lesson(a_lesson(number, 4), self.lessons / f"{number}.juxta")

    def opened(self) -> CollectionWindow:
        self.window.actions_by_name["collection"].trigger()
        assert self.window.collection is not None
        view = self.window.collection.view
        view.preview._out = SimulatedSoundCard(view, by_hand=True)
        view.set_folders([self.lessons])
        self.assertTrue(wait_until(lambda: view.model.rowCount() == 12))
        return view

    def test_it_says_what_to_do_first(self) -> None:
        self.window.actions_by_name["collection"].trigger()
        assert self.window.collection is not None
        self.assertEqual(self.window.collection.view.said.text(), labels.NO_FOLDERS)
        self.assertFalse(self.window.collection.view.play.isEnabled())

    def test_it_finds_while_one_types_and_explains_a_fact_that_cannot_be_read(self) -> None:
        view = self.opened()
        QTest.keyClicks(view.search, "evening tempo:<300")
        self.assertTrue(wait_until(lambda: view.said.text() == "12 phrases."))
        view.search.setText("evening tempo:slow")
        self.assertTrue(wait_until(lambda: "tempo:<100" in view.said.text()))
        view.search.setText("nothing of this")
        self.assertTrue(wait_until(lambda: view.said.text() == labels.NOTHING))
        self.assertFalse(view.open_button.isEnabled())

    def test_a_phrase_plays_and_stops(self) -> None:
        view = self.opened()
        view.play.click()
        self.assertTrue(wait_until(lambda: view.preview.is_playing))
        self.assertEqual(view.play.text(), labels.STOP)
        view.play.click()
        self.assertFalse(view.preview.is_playing)

    def test_return_opens_its_lesson_at_the_phrase(self) -> None:
        view = self.opened()
        view.list.setCurrentIndex(view.model.index(5))
        card = view.chosen()[0].card
        view.list.setFocus()
        QTest.keyClick(view.list, Qt.Key.Key_Return)
        self.assertTrue(wait_until(lambda: self.document.lesson.title == card.title))
        assert self.document.phrase is not None
        self.assertEqual(self.document.phrase.ident, card.ident)

    def test_a_copy_hangs_under_the_phrase_and_can_be_undone(self) -> None:
        self.open_small()
        view = self.opened()
        before = {path: path.read_bytes() for path in self.lessons.iterdir()}
        card = view.chosen()[0].card
        view.copy.click()
        self.assertTrue(wait_until(lambda: bool(self.document.lesson.phrases[0].variants)))
        made = self.document.lesson.phrases[0].variants[0]
        assert made.variation is not None
        self.assertEqual(made.variation.kind, COPIED)
        self.assertEqual(len(made.notes), len(card.pitches))
        played = tuple(round(n.heard.midi) for n in made.notes)
        self.assertEqual(played, card.pitches)
        self.document.undo_stack.undo()
        self.assertEqual(self.document.lesson.phrases[0].variants, ())
        self.assertEqual({path: path.read_bytes() for path in self.lessons.iterdir()}, before)

    def test_several_are_handed_out_as_one(self) -> None:
        view = self.opened()
        view.list.selectAll()
        target = self.lessons.parent / "workshop.pdf"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
            view.hand_out.click()
        self.assertTrue(wait_until(lambda: target.is_file() and not self.window.runner.is_busy))
        self.assertEqual(target.read_bytes()[:5], b"%PDF-")

    def test_several_become_one_page_that_plays(self) -> None:
        view = self.opened()
        view.list.selectAll()
        target = self.lessons.parent / "workshop"
        kinds = (str(target), "Lesson page that plays (*.html)")
        page = target.with_suffix(".html")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=kinds):
            view.hand_out.click()
            self.assertTrue(wait_until(lambda: page.is_file() and not self.window.runner.is_busy))
            self.assertIn('<nav aria-label="Contents">', page.read_text("utf-8"))
            page.write_text("mine", "utf-8")
            view.hand_out.click()
        wait_until(lambda: not self.window.runner.is_busy)
        self.assertEqual(page.read_text("utf-8"), "mine")

    def test_a_lesson_that_cannot_be_read_is_named(self) -> None:
        (self.lessons / "broken.juxta").write_bytes(b"nothing")
        view = self.opened()
        self.assertIn("broken.juxta", view.said.text())

    def test_a_phrase_plays_out_of_its_recording_where_that_is_here(self) -> None:
        lesson = a_lesson(7, 2)
        phrase = lesson.phrases[1]
        sound = self.lessons.parent / "band.wav"
        at = np.arange(int(22_050 * (phrase.end_s + 1.0)))
        tone = np.where(at > 22_050 * phrase.start_s, np.sin(0.1 * at), 0.0)
        soundfile.write(sound, 0.5 * tone, 22_050)
        lesson = replace(lesson, title="With a band", recording=Recording(str(sound), 60.0))
        save_lesson(lesson, self.lessons / "with.juxta")
        self.window.actions_by_name["collection"].trigger()
        assert self.window.collection is not None
        view = self.window.collection.view
        view.preview._out = SimulatedSoundCard(view, by_hand=True)
        view.set_folders([self.lessons])
        self.assertTrue(wait_until(lambda: view.model.rowCount() == 14))
        view.search.setText(f"band {phrase.name.split()[0]}")
        self.assertTrue(wait_until(lambda: view.model.rowCount() in (1, 2)))
        row = next(
            k for k in range(view.model.rowCount()) if self.card_in(view, k).ident == phrase.ident
        )
        view.list.setCurrentIndex(view.model.index(row))
        view.play_recording.click()
        self.assertTrue(wait_until(lambda: view.preview.is_playing))
        self.assertEqual(view.play_recording.text(), labels.STOP)
        block = view.preview.player.render(4000)
        self.assertGreater(float(np.abs(block[..., 2000:]).max()), 0.01)
        view.play_recording.click()
        self.assertFalse(view.preview.is_playing)
        sound.unlink()
        view.play_recording.click()
        self.assertTrue(wait_until(lambda: view.said.text() == labels.NO_RECORDING))

    @staticmethod
    def why_of_the_first(view: CollectionWindow) -> bool:
        return "% of the line" in view.model.index(0).data(FAMILY)[0].why

    @staticmethod
    def card_in(view: CollectionWindow, row: int) -> Card:
        return view.model.index(row).data(FAMILY)[0].card  # type: ignore[no-any-return]

    def test_phrases_like_the_selected_notes_in_whatever_sense(self) -> None:
        save_lesson(small_lesson(), self.lessons / "mine.juxta")
        self.open_small()
        phrase = self.document.lesson.phrases[0]
        self.document.choose_phrase(phrase.ident)
        self.document.select(tuple(n.ident for n in phrase.notes))
        self.window.actions_by_name["collection"].trigger()
        assert self.window.collection is not None
        view = self.window.collection.view
        view.set_folders([self.lessons])
        self.assertTrue(wait_until(lambda: view.model.rowCount() > 12))
        view.like.source.setCurrentIndex(NOTES)
        for row in range(view.like.by.count()):
            view.like.by.setCurrentIndex(row)
            by = view.like.by.itemData(row)
            self.assertTrue(
                wait_until(
                    lambda by=by: (
                        view.model.rowCount() > 0
                        and f"100 % of the {by}" in view.model.index(0).data(FAMILY)[0].why
                    )
                ),
                by,
            )
            self.assertTrue(self.card_in(view, 0).lesson.endswith("mine.juxta"))

    def test_phrases_like_the_latest_take(self) -> None:
        view = self.opened()
        item = view.like.source.model().item(TAKE)  # type: ignore[union-attr]
        self.assertFalse(item.isEnabled())
        self.assertEqual(item.toolTip(), labels.NO_TAKE)
        self.window.files.open_lesson(demo_lesson())
        self.assertTrue(wait_until(lambda: bool(self.document.lesson.kept.takes)))
        view.set_folders([demo_lesson().parent])
        wait_until(lambda: 0 < view.model.rowCount() < 12)
        view.like.show_choices()
        self.assertTrue(item.isEnabled())
        view.like.source.setCurrentIndex(TAKE)
        wanted = self.document.lesson.kept.takes[-1].phrase
        self.assertTrue(wait_until(lambda: self.why_of_the_first(view), 30_000))
        self.assertEqual(self.card_in(view, 0).ident, wanted)

    def test_an_exercise_is_made_of_what_was_found(self) -> None:
        self.open_small()
        view = self.opened()
        card = view.chosen()[0].card

        def choose(form: forms.MoveForm) -> bool:
            self.assertTrue(form.exercise.isChecked())
            form.kind.setCurrentIndex(form.kind.findData(Kind.BACKWARDS))
            return form.accept_button is not None and form.accept_button.isEnabled()

        with mock.patch.object(forms.MoveForm, "exec", choose):
            view.exercise.click()
            variants = lambda: self.document.lesson.phrases[0].variants  # noqa: E731
            self.assertTrue(wait_until(lambda: len(variants()) == 2))
        made = variants()[1]
        assert made.variation is not None
        self.assertEqual(made.variation.kind, EXERCISE)
        guitar = self.document.lesson.parts[0].guitar
        played = [guitar.midi_at(n.written.string, n.written.fret) for n in made.notes]
        self.assertEqual(played, list(card.pitches)[::-1])

    def test_a_list_keeps_its_order_and_is_there_again(self) -> None:
        view = self.opened()
        pane = view.lists
        self.assertFalse(pane.hand_out.isEnabled())
        view.list.selectAll()
        view.to_list.click()
        self.assertEqual(len(pane.entries), 12)
        view.to_list.click()  # twice is once
        self.assertEqual(len(pane.entries), 12)
        first, second = pane.entries[:2]
        pane.list.setCurrentRow(0)
        self.assertFalse(pane.up.isEnabled())
        pane.down.click()
        self.assertEqual(pane.entries[:2], (second, first))
        pane.list.setCurrentRow(2)
        pane.away.click()
        self.assertEqual(len(pane.entries), 11)
        rows = pane.list.model()
        assert rows is not None
        rows.moveRow(QModelIndex(), 0, QModelIndex(), 11)  # as dragging does
        self.assertEqual(pane.entries[-1], second)
        pane.names.setEditText("Monday")
        self.assertEqual(pane.entries, ())
        view.to_list.click()
        again = ListsPane(pane._path)
        self.addCleanup(again.deleteLater)
        self.assertEqual([again.names.itemText(k) for k in range(2)], [labels.FIRST_LIST, "Monday"])
        self.assertEqual(len(again.entries), 11)
        target = self.lessons.parent / "monday.pdf"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
            pane.hand_out.click()
        self.assertTrue(wait_until(lambda: target.is_file() and not self.window.runner.is_busy))

    def test_lists_of_two_windows_are_both_kept_and_a_damaged_file_is_left(self) -> None:
        view = self.opened()
        other = ListsPane(view.lists._path)
        self.addCleanup(other.deleteLater)
        view.to_list.click()
        other.names.setEditText("Monday")
        other.add(view.lists.entries)
        self.assertEqual(list(read_lists(other._path)), [labels.FIRST_LIST, "Monday"])
        view.list.setCurrentIndex(view.model.index(3))
        view.to_list.click()
        kept = read_lists(other._path)
        self.assertEqual([len(kept[name]) for name in (labels.FIRST_LIST, "Monday")], [2, 1])
        other._path.write_text("{")
        view.list.setCurrentIndex(view.model.index(5))
        view.to_list.click()
        self.assertIn("damaged", view.said.text())
        self.assertEqual(other._path.read_text(), "{")

    def test_a_card_says_what_it_is_made_of(self) -> None:
        view = self.opened()
        hit = view.chosen()[0]
        said = made_of(hit)
        self.assertIn(pitch_name(min(hit.card.pitches)), said)
        self.assertIn("string", said)


class TestExercisesInTheWindow(WindowTest):
    def test_an_exercise_hangs_under_its_phrase(self) -> None:
        self.open_small()
        self.document.change("Key", lambda l: replace(l, key="A minor"))

        def choose(form: forms.MoveForm) -> bool:
            form.exercise.setChecked(True)
            form.kind.setCurrentIndex(form.kind.findData(Kind.SEQUENCE_UP))
            return True

        with mock.patch.object(forms.MoveForm, "exec", choose):
            self.window.asking.move_phrase()
        made = self.document.phrase
        assert made is not None and made.variation is not None
        self.assertEqual(made.variation.kind, EXERCISE)
        self.document.undo_stack.undo()
        self.assertEqual(self.document.lesson.phrases[0].variants, ())

    def test_what_is_missing_is_said(self) -> None:
        lesson = replace(small_lesson(), key="")
        form = forms.MoveForm(lesson, lesson.phrases[0])
        form.exercise.setChecked(True)
        form.kind.setCurrentIndex(form.kind.findData(Kind.THIRDS))
        self.assertIn("key", form.said.text())
        self.assertFalse(form.accept_button.isEnabled())

    def test_a_harmony_gets_a_part_of_its_own(self) -> None:
        self.open_small()
        self.document.change("Key", lambda l: replace(l, key="A minor"))

        def accept(form: HarmonyForm) -> bool:
            form.try_accept()
            return form.made is not None

        with mock.patch.object(HarmonyForm, "exec", accept):
            self.window.asking.make_harmony()
        self.assertEqual([p.name for p in self.document.lesson.parts][1:], ["A third above"])
        self.document.undo_stack.undo()
        self.assertEqual(len(self.document.lesson.parts), 1)

    def test_how_strict_is_kept_with_the_lesson(self) -> None:
        self.open_small()

        def loosen(form: LimitsForm) -> bool:
            form.fields["late_ms"].setValue(90)
            return True

        with mock.patch.object(LimitsForm, "exec", loosen):
            self.window.asking.ask_limits()
        self.assertEqual(self.document.lesson.limits.late_ms, 90.0)

    def test_findings_are_written(self) -> None:
        self.open_small()
        self.window.show_desk(2)
        self.settle()
        with tempfile.TemporaryDirectory() as held:
            target = Path(held, "f.csv")
            with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
                self.window.asking.save_findings()
            self.assertTrue(target.read_text("utf-8").startswith("phrase,onset_s,bar"))

    def test_hard_spots_and_the_key_that_swaps(self) -> None:
        self.open_small()
        self.window.show_desk(2)
        self.window.actions_by_name["hard_spot"].trigger()
        first = self.window.transport.loop_s
        self.assertIsNotNone(first)
        self.assertIn("of 10", self.window._told.text())
        QTest.keyPress(self.window, Qt.Key.Key_Z)
        self.assertEqual(self.window.transport.player._balance, 1.0)
        QTest.keyRelease(self.window, Qt.Key.Key_Z)
        self.assertEqual(self.window.transport.player._balance, 0.0)


class TestChecked(WindowTest):
    def checked(self) -> str:
        self.window.show_desk(2)
        self.settle()
        return self.window.check._nothing(self.document.phrase)  # type: ignore[arg-type]

    def test_doubtful_notes_are_not_checked(self) -> None:
        self.open_small()
        phrase = self.document.lesson.phrases[0]
        sure = [replace(n, heard=replace(n.heard, confidence=0.99)) for n in phrase.notes]
        doubted = [replace(sure[0], heard=replace(sure[0].heard, confidence=0.1)), *sure[1:]]
        self.document.change(
            "Doubt", lambda l: l.with_phrase(replace(phrase, notes=tuple(doubted)))
        )
        self.document.choose_phrase(phrase.ident)
        self.assertIn("doubtful notes (1)", self.checked())
        self.assertEqual(self.document.lesson.kept.checked, ())


class TestPartsTogether(WindowTest):
    def harmonised(self) -> Lesson:
        lesson = replace(small_lesson(), key="A minor")
        lesson = edits.add_part(lesson, "A third above", "harmony")
        return lesson.with_phrase(
            harmony_part(lesson, lesson.phrases[0], 2, lesson.parts[-1].ident)
        )

    def rendered_after(self, act: Callable[[], object]) -> np.ndarray:
        rendering = self.window.rendering
        before = rendering.rendered
        act()
        self.assertTrue(
            wait_until(lambda: rendering.rendered is not None and rendering.rendered is not before)
        )
        assert rendering.rendered is not None
        return rendering.rendered.audio

    def test_parts_sound_together_and_one_can_be_muted(self) -> None:
        self.open_small()
        self.document.change("Harmony", lambda _: self.harmonised())
        self.document.choose_phrase(self.document.lesson.phrases[-1].ident)
        lead = next(p for p in self.document.lesson.phrases if p.part == 1)
        alone = self.rendered_after(lambda: self.document.choose_phrase(lead.ident))
        together = self.rendered_after(self.window.actions_by_name["hear_parts"].trigger)
        self.assertFalse(np.array_equal(alone, together[: len(alone)]))

        def mute(form: PartsForm) -> bool:
            form.lines[1].heard.setChecked(False)
            return True

        with mock.patch.object(PartsForm, "exec", mute):
            muted = self.rendered_after(self.window.asking.choose_parts)
        np.testing.assert_array_equal(muted, alone)
        kept = lesson_from_text(lesson_text(self.document.lesson))
        self.assertTrue(kept.parts[1].is_muted)
        again = self.rendered_after(self.document.undo_stack.undo)
        np.testing.assert_array_equal(again, together)

    def test_parts_are_swapped_added_and_taken_away(self) -> None:
        lesson = self.harmonised()
        form = PartsForm(lesson)
        self.addCleanup(form.deleteLater)
        self.assertFalse(form.lines[1].swap.isEnabled())
        form.lines[0].swap.click()
        form.more.click()
        after = form.changed(lesson)
        self.assertEqual(
            [(p.name, p.role) for p in after.parts],
            [("A third above", "harmony"), ("Lead", "lead"), ("Guitar 3", "second")],
        )
        self.assertEqual([p.part for p in after.phrases], [p.part for p in lesson.phrases])
        form.lines[1].away.click()
        self.assertEqual(len(form.changed(lesson).parts), 2)

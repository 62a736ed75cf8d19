"""What each action does: by name, as actions.py lists them."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from juxtanote.app.actions import TECHNIQUE_OF
from juxtanote.app.desks import DESK_NAMES, HEAR, PLACE
from juxtanote.core.score import edits
from juxtanote.core.score.lesson import Lesson

if TYPE_CHECKING:
    from juxtanote.app.main_window import MainWindow

# Seconds a key moves an end, and an onset, which the ear times finer.
NUDGE_S, NUDGE_ONSET_S = 0.01, 0.005
NO_ZOOM = "Zoom is for the Hear desk (F1) and the Place desk (F2)."


class Commands:
    """Does what an action asks for, on the desk that it is for."""

    def __init__(self, window: "MainWindow") -> None:
        self._window = window
        self.document, self.transport, self.tasks = window.document, window.transport, window.tasks

    def handlers(self) -> dict[str, Callable[[], object]]:
        """Give what each action does, by its name."""
        transport, document, tasks = self.transport, self.document, self.tasks
        ask = self._window.asking
        place = self._edits
        handlers: dict[str, Callable[[], object]] = {
            "open_recording": ask.ask_recording, "open_lesson": ask.ask_lesson,
            "save": ask.save, "save_as": ask.save_as, "import_notes": self._window.outputs.import_notes,
            "about_lesson": ask.about_lesson, "collection": self._window.show_collection,
            "student_copy": lambda: ask.students.copy(), "send_log": lambda: ask.students.send(),
            "bring_log": lambda: ask.students.bring(),
            "quit": self._window.close, "select_all": self._select_all, "delete": self._delete,
            "play": transport.toggle, "play_phrase": self._play_phrase, "loop": self._toggle_loop,
            "slower": lambda: transport.set_speed(transport.speed - 0.05),
            "faster": lambda: transport.set_speed(transport.speed + 0.05),
            "only_recording": lambda: transport.set_balance(-1.0),
            "both": lambda: transport.set_balance(0.0),
            "only_tab": lambda: transport.set_balance(1.0),
            "apart": lambda: transport.set_apart(not transport.player.sides_apart),
            "hard_spot": lambda: self._window.check.next_hard_spot(),
            "click": lambda: transport.set_click(not transport.clicks),
            "next_phrase": lambda: self._step_phrase(1),
            "previous_phrase": lambda: self._step_phrase(-1),
            "next_variant": lambda: self._step_variant(1),
            "previous_variant": lambda: self._step_variant(-1),
            "cut_here": self._cut_here,
            "start_earlier": lambda: self._nudge("start", -NUDGE_S),
            "start_later": lambda: self._nudge("start", NUDGE_S),
            "end_later": lambda: self._nudge("end", NUDGE_S),
            "end_earlier": lambda: self._nudge("end", -NUDGE_S),
            "beat_earlier": lambda: self._nudge_beat(-NUDGE_S),
            "beat_later": lambda: self._nudge_beat(NUDGE_S),
            "listen": tasks.listening.listen, "listen_again": ask.listen_again,
            "listen_to_all": tasks.listening.listen_to_all,
            "move_phrase": ask.move_phrase, "guitar": ask.choose_guitar, "parts": ask.choose_parts,
            "next_part": self._to_next_part, "harmony": ask.make_harmony,
            "split_voices": ask.split_voices,
            "place_again": self._place_again, "propose": tasks.whole.propose,
            "listen_opened": tasks.whole.toggle_opened, "refuse": self._refuse,
            "next_pulse": lambda: self._window.hear.time.take_next_pulse(),
            "next_bars": lambda: self._window.hear.time.take_next_bars(),
            "next_note": lambda: document.step_selection(1),
            "previous_note": lambda: document.step_selection(-1),
            "extend_next": lambda: document.step_selection(1, extend=True),
            "extend_previous": lambda: document.step_selection(-1, extend=True),
            "onset_earlier": place("shift", "onset", -NUDGE_ONSET_S),
            "onset_later": place("shift", "onset", NUDGE_ONSET_S),
            "shorter": place("shift", "offset", -NUDGE_S), "longer": place("shift", "offset", NUDGE_S),
            **{
                f"value_{name}": place("change_value", change)
                for name, change in (
                    ("longer", "longer"), ("shorter", "shorter"), ("dotted", "dotted"),
                    ("triplet", "triplet"), ("tied", "tied"), ("rest", "rest before"),
                )
            },
            "octave_up": place("octave", 1), "octave_down": place("octave", -1),
            "thinner": place("move", -1), "thicker": place("move", 1),
            "wider_bend": place("widen_bend", 0.5), "narrower_bend": place("widen_bend", -0.5),
            "add_note": place("add"), "finger": place("next_finger"), "stroke": place("next_stroke"),
            "alternative": lambda: self._window.place.next_alternative(),
            "other_parts": lambda: self._window.place.toggle_other_parts(),
            "hear_parts": self._hear_parts,
            "zoom_in": lambda: self._zoom(1.5), "zoom_out": lambda: self._zoom(1 / 1.5),
            "zoom_all": self._zoom_all, "waive": lambda: self._window.check.waive(),
            "mend": lambda: self._window.check.mend(),
            "mark_spot": lambda: self._window.practise.mark_playhead(),
            "limits": ask.ask_limits, "save_findings": ask.save_findings,
            "keys": lambda: self._window.show_dialog("keys_dialog"),
            "care": lambda: self._window.show_dialog("care_dialog"),
            "about": lambda: self._window.show_dialog("about_dialog"),
        }  # fmt: skip
        for name in (
            "next_doubtful", "select_doubtful", "take_runner_up", "keep", "unlock", "split", "join",
        ):  # fmt: skip
            handlers[name] = place(name)
        for index, name in enumerate(DESK_NAMES):
            handlers[f"desk_{name}"] = partial(self._window.show_desk, index)
        for action, technique in TECHNIQUE_OF.items():
            handlers[action] = place("toggle", technique)
        return handlers

    def _edits(self, method: str, *arguments: object) -> Callable[[], object]:
        """Give what calls a method of the Place desk, which need not be built yet."""
        return lambda: getattr(self._window.place.notes, method)(*arguments)

    def _hear_parts(self) -> None:
        rendering = self._window.rendering
        rendering.play_others(not rendering.plays_others)
        told = "Other parts sound with the tab; Ctrl+Shift+G mutes one."
        self._window.tell(told if rendering.plays_others else "The tab sounds alone.")

    def _zoom(self, factor: float) -> None:
        if self._window.desk == HEAR:
            self._window.hear.strip.zoom(factor)
        elif self._window.desk == PLACE:
            self._window.place.sheet.zoom(factor)
        else:
            self._window.tell(NO_ZOOM)

    def _zoom_all(self) -> None:
        if self._window.desk == HEAR:
            self._window.hear.strip.show_all()
        elif self._window.desk == PLACE:
            self._window.place.sheet.fit()
        else:
            self._window.tell(NO_ZOOM)

    def _step_phrase(self, step: int) -> None:
        if not self.document.step_phrase(step):
            self._window.tell(
                "This is the last phrase." if step > 0 else "This is the first phrase."
            )

    def _step_variant(self, step: int) -> None:
        here, lesson = self.document.phrase, self.document.lesson
        source = lesson.source_of(here.ident) if here is not None else None
        if here is None or source is None:
            return
        row = [source.ident, *(variant.ident for variant in source.variants)]
        self.document.choose_phrase(row[(row.index(here.ident) + step) % len(row)])

    def _cut_here(self) -> None:
        strip = self._window.hear.strip if self._window.desk == HEAR else self._window.strip
        self._window.tell(strip.cut_here())

    def _nudge(self, edge: str, by_s: float) -> None:
        phrase = self.document.phrase
        if phrase is not None:
            seconds = (phrase.start_s if edge == "start" else phrase.end_s) + by_s
            self.document.change(
                "Nudge phrase edge",
                lambda l: edits.move_phrase_edge(l, phrase.ident, edge, seconds),
            )

    def _nudge_beat(self, by_s: float) -> None:
        from juxtanote.core.score.timing import change_time_map

        index, seconds = self.document.lesson.time_map.nearest_beat(self.transport.position_s)
        self.document.change(
            "Move beat",
            lambda l: change_time_map(l, lambda m: m.with_beat_at(index, seconds + by_s)),
        )
        self._window.tell(f"The beat at {seconds:.2f} s moved to {seconds + by_s:.2f} s.")

    def _to_next_part(self) -> None:
        phrase, parts = self.document.phrase, self.document.lesson.parts
        if phrase is None:
            return
        at = [part.ident for part in parts].index(phrase.part)
        chosen = parts[(at + 1) % len(parts)]

        def moved(lesson: Lesson) -> Lesson:
            from juxtanote.core.fretboard.phrases import unlocked_off

            under = tuple(unlocked_off(v, chosen.guitar) for v in phrase.variants)
            fresh = replace(unlocked_off(phrase, chosen.guitar), part=chosen.ident)
            return lesson.with_phrase(
                replace(fresh, variants=tuple(replace(v, part=chosen.ident) for v in under))
            )

        merge = self.document.fresh_merge()
        self.document.change("To another part", moved, merge=merge)
        self.tasks.placing.around(phrase.ident, "To another part", merge)
        self._window.tell(f"{phrase.name} belongs to {chosen.name} now.")

    def _place_again(self) -> None:
        phrase = self.document.phrase
        if phrase is not None:
            self.tasks.placing.around(phrase.ident, "Place again")

    def _refuse(self) -> None:
        before = len(self.document.lesson.phrases)
        self.document.change("Refuse proposals", edits.refuse_proposals)
        self._window.tell(
            f"{before - len(self.document.lesson.phrases)} proposed phrases taken away."
        )

    def _select_all(self) -> None:
        phrase = self.document.phrase
        if phrase is not None:
            self.document.select(tuple(note.ident for note in phrase.notes))

    def _delete(self) -> None:
        phrase = self.document.phrase
        if phrase is None:
            return
        if self._window.desk == HEAR or (
            self._window.desk == PLACE and phrase.is_variant and not self.document.selected
        ):
            self.document.change("Delete phrase", lambda l: edits.delete_phrase(l, phrase.ident))
        elif self._window.desk == PLACE:
            self._window.place.notes.delete()

    def _play_phrase(self) -> None:
        phrase = self.document.phrase
        self.transport.pause()
        self.transport.loop_phrase(phrase)
        self.transport.seek(phrase.start_s if phrase is not None else 0.0)
        self.transport.play()

    def _toggle_loop(self) -> None:
        looping = self.transport.loop_s is not None
        self.transport.loop_phrase(None if looping else self.document.phrase)

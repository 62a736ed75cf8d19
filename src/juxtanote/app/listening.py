"""Phrases that are listened to: what was heard of the whole recording is not measured again."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QObject, pyqtSignal

from juxtanote.app.document import Change, Document, Ticket
from juxtanote.app.placing import Placing, Starts, place_anew
from juxtanote.app.results import Outdated, Results
from juxtanote.app.whole import Whole, heard_folder
from juxtanote.core.progress import Progress, part_of
from juxtanote.core.score import readings

if TYPE_CHECKING:
    from juxtanote.core.analysis.perceived import Hints, Listening
    from juxtanote.core.audio.sound import Sound
    from juxtanote.core.score.lesson import Lesson, Phrase
    from juxtanote.core.score.note import Evidence, Note
    from juxtanote.core.theory.tuning import Guitar

Span = tuple[float, float]
ONE, ALL = "Listen to phrase", "Listen to all phrases"
MUCH = 0.25  # of a recording: more of it is sooner listened to as a whole, and better


@dataclass(frozen=True, slots=True)
class Heard:
    """What was heard of a phrase, placed."""

    notes: tuple[Note, ...]
    evidence: Evidence
    merged: Phrase  # with what stayed of its notes
    under: int = 0  # notes that were left out: far under the lead
    unplayable: int = 0  # and those that no string can sound


@dataclass(frozen=True, slots=True)
class Wish:
    """What is to be listened to, and what is known of it."""

    phrase: Phrase
    known: Listening | None  # what was heard of the whole recording
    hints: Hints | None = None
    stretch: Span | None = None
    string: int | None = None

    @property
    def may_be_known(self) -> bool:
        """Whether what was heard of the whole recording, as it is, tells what is asked."""
        asked = self.hints is not None or self.string is not None
        return self.phrase.focus.is_whole_mix and not _certain(self.phrase) and not asked


class PhraseListening(QObject):
    """Listens to one phrase, a stretch of it, or all phrases; `start` starts a job that is waited for."""

    told = pyqtSignal(str)
    _one_heard = pyqtSignal(object, object, int)  # ticket, Heard, step: from the job's thread

    def __init__(
        self,
        document: Document,
        results: Results,
        placing: Placing,
        whole: Whole,
        start: Starts,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._results, self._placing = document, results, placing
        self._whole, self._start = whole, start
        # The document whose phrases wait for the whole recording; and, of the document of a number,
        # phrases some of whose notes a guitar could not sound.
        self._wished_in: int | None = None
        self._left_out: tuple[int, dict[int, Guitar]] = 0, {}
        self._one_heard.connect(self._on_one_heard)
        document.lesson_changed.connect(self._on_lesson_changed)
        whole.ended.connect(self._on_whole_ended)

    def listen(
        self,
        hints: Hints | None = None,
        stretch: Span | None = None,
        string: int | None = None,
    ) -> None:
        """Listen to the current phrase, or a stretch of it, in the background.

        With a `string` all is heard and placed there.
        """
        phrase, sound = self._document.phrase, self._document.sound
        if phrase is None or sound is None or phrase.is_variant:
            self.told.emit("Open a recording and choose a phrase of it first.")
            return
        ticket, start = self._document.ticket(phrase), (stretch or (phrase.start_s,))[0]
        if start >= sound.duration_s:
            self.told.emit(
                f"“{phrase.name}” begins after the recording has ended: there is nothing to listen to."
            )
            return
        wish = self._with_known(Wish(phrase, None, hints, stretch, string))
        self._start(
            f"Listening to {phrase.name}",
            lambda progress: _heard(
                sound, ticket.lesson, _recalled([wish], sound, ticket.lesson)[0], progress
            ),
            lambda result: self._on_heard(ticket, cast(Heard, result), stretch),
        )
        if wish.may_be_known:
            self._whole.listen_behind()

    def listen_to_all(self) -> None:
        """Listen to every phrase without notes, or whose guitar sounds more now; one step to undo."""
        sound = self._document.sound
        wishes = self._bare(sound) if sound is not None else []
        if sound is None or not wishes:
            self.told.emit("No phrase of a recording that is open is without notes.")
            return
        unknown_s = sum(w.phrase.end_s - w.phrase.start_s for w in wishes if w.known is None)
        if unknown_s > MUCH * sound.duration_s:
            self._whole.hear(behind=False)
        if unknown_s and self._whole.is_listening:
            self._wished_in = self._document.number
            self.told.emit("Notes come when the recording was listened to as a whole.")
        else:
            self._listen_to(wishes, sound)

    def _bare(self, sound: Sound) -> list[Wish]:
        """Give the phrases that are to be listened to, and what is known of them."""
        phrases = (p for p in self._document.lesson.phrases if p.start_s < sound.duration_s)
        wanted = (p for p in phrases if not p.notes or self._sounds_more(p))
        return [self._with_known(Wish(phrase, None)) for phrase in wanted]

    @property
    def is_wanted(self) -> bool:
        """Whether there is a phrase to listen to with all others."""
        return any(not p.notes or self._sounds_more(p) for p in self._document.lesson.phrases)

    def _sounds_more(self, phrase: Phrase) -> bool:
        """Tell whether notes were left out for a guitar that the phrase is not played on any more."""
        number, guitars = self._left_out
        guitar = guitars.get(phrase.ident) if number == self._document.number else None
        return guitar is not None and guitar != self._document.lesson.context(phrase).guitar

    def _remember(self, phrase: Phrase, ticket: Ticket, heard: Heard) -> None:
        """Keep in mind whether notes of a phrase were left out, and for which guitar."""
        if not self._document.is_open(ticket):
            return
        number, guitars = self._left_out
        if number != ticket.document:
            self._left_out = ticket.document, (guitars := {})
        guitars.pop(phrase.ident, None)
        if heard.unplayable:
            guitars[phrase.ident] = ticket.lesson.context(phrase).guitar

    def _on_lesson_changed(self, change: Change) -> None:
        if change.parts and not change.whole:
            count = sum(self._sounds_more(p) for p in self._document.lesson.phrases)
            if count:
                which = "a phrase" if count == 1 else f"{count} phrases"
                self.told.emit(f"Alt+L listens again to {which} of which notes were left out.")

    def _listen_to(self, wishes: list[Wish], sound: Sound) -> None:
        tickets = [self._document.ticket(wish.phrase) for wish in wishes]
        lesson, step = self._document.lesson, self._document.fresh_merge()

        def work(progress: Progress) -> object:
            placed, unplayable = lesson, 0
            recalled = _recalled(wishes, sound, lesson)
            for k, (ticket, wish) in enumerate(zip(tickets, recalled, strict=True)):
                progress(k / len(wishes))
                part = part_of(progress, k / len(wishes), (k + 1) / len(wishes))
                heard = _heard(sound, placed, wish, part)
                placed = placed.with_phrase(heard.merged)
                unplayable += heard.unplayable
                self._one_heard.emit(ticket, heard, step)
            return unplayable

        numbers = {wish.phrase.ident for wish in wishes}
        self._start(ALL, work, lambda count: self._on_all_heard(numbers, cast(int, count)))

    def _with_known(self, wish: Wish) -> Wish:
        """Add what was heard of the whole recording, where that tells what is asked."""
        if not wish.may_be_known:
            return wish
        return replace(wish, known=self._whole.heard_up_to(wish.phrase.end_s))

    def _on_whole_ended(self, was_stopped: bool) -> None:
        wished_in, self._wished_in = self._wished_in, None
        sound = self._document.sound
        if wished_in != self._document.number or sound is None or was_stopped:
            return
        if wishes := self._bare(sound):  # nobody has listened to each meanwhile
            self._listen_to(wishes, sound)

    def _on_one_heard(self, ticket: Ticket, heard: Heard, step: int) -> None:
        if self._results.fits(ticket, "What was heard", quiet=True):
            self._take(ticket, heard, None, ALL, step)

    def _on_all_heard(self, numbers: set[int], unplayable: int) -> None:
        ours = [p for p in self._document.lesson.phrases if p.ident in numbers and p.notes]
        notes = [note for phrase in ours for note in phrase.notes]
        doubtful = sum(note.is_doubtful for note in notes)
        words = f"{len(notes)} notes heard in {len(ours)} of {len(numbers)} phrases"
        words += f", {doubtful} to look at." if doubtful else "."
        self.told.emit(words + _of_others(notes) + _of_strings(unplayable))

    def _on_heard(self, ticket: Ticket, heard: Heard, stretch: Span | None) -> None:
        after = self._take(ticket, heard, stretch, ONE)
        if after is None:
            return
        count, doubtful = len(after.notes), sum(n.is_doubtful for n in after.notes)
        words = f"{count} notes heard" + (f", {doubtful} to look at: press D." if doubtful else ".")
        if heard.under:
            words += f" Left out: {heard.under} doubtful, far under the lead."
        words += _of_others(after.notes) + _of_strings(heard.unplayable)
        if count == 0 and not heard.unplayable:
            words = "No guitar was heard here. Bring it forward on the Hear desk, or cut another stretch."
        self.told.emit(words)

    def _take(
        self, ticket: Ticket, heard: Heard, stretch: Span | None, text: str, step: int = -1
    ) -> Phrase | None:
        """Put what was heard into the lesson; give the phrase as it is then, None if it was dropped."""
        began = ticket.phrase
        assert began is not None

        def merge(lesson: Lesson) -> Lesson:
            from juxtanote.core.score.timing import counted

            now = lesson.phrase(began.ident)
            assert now is not None
            if (now.start_s, now.end_s, now.part) != (began.start_s, began.end_s, began.part):
                raise Outdated(f"{now.name} was moved meanwhile: listen again.")
            fresh = (
                heard.merged
                if now.notes is began.notes
                else readings.merge_listening(now, heard.notes, stretch)
            )
            fresh = replace(now, notes=fresh.notes, evidence=heard.evidence, proposed=False)
            if fresh.notes and fresh.status == "heard":
                fresh = replace(fresh, status="placed")
            return lesson.with_phrase(counted(fresh, lesson.time_map))

        self._remember(began, ticket, heard)  # before actions are enabled by it
        taken = self._results.take(ticket, "What was heard", merge, text=text, step=step)
        after = self._document.lesson.phrase(began.ident) if taken else None
        if after is None:
            return None
        if after.notes and began.notes is not heard.merged.notes:
            if after.notes != heard.merged.notes:  # edited meanwhile: placed with that
                self._placing.around(began.ident, text)
        return after


def _certain(phrase: Phrase) -> tuple[tuple[float, float, float], ...]:
    """Give the notes whose pitch a person set."""
    kept = (n for n in phrase.notes if "pitch" in n.written.locked)
    return tuple((n.onset_s, n.offset_s, n.heard.midi) for n in kept)


def _recalled(wishes: list[Wish], sound: Sound, lesson: Lesson) -> list[Wish]:
    """Add what was heard in an earlier session, looked up once, to what is not known in this one."""
    from juxtanote.core.remembered import recall

    if not any(wish.may_be_known and wish.known is None for wish in wishes):
        return wishes
    known = recall(sound, lesson.reference_cents, heard_folder())
    return [
        replace(wish, known=known) if wish.may_be_known and wish.known is None else wish
        for wish in wishes
    ]


def _heard(sound: Sound, lesson: Lesson, wish: Wish, progress: Progress) -> Heard:
    """Hear a phrase, or take what was heard of the whole recording, and place it with what stays."""
    from juxtanote.core.analysis.parts import lead_of
    from juxtanote.core.analysis.perceived import Hints
    from juxtanote.core.analysis.stretches import hear_stretch, heard_between
    from juxtanote.core.placing import evidence_of, place_heard

    phrase, around = wish.phrase, lesson.context(wish.phrase)
    start, end = wish.stretch or (phrase.start_s, phrase.end_s)
    hints = replace(wish.hints or Hints(), certain=_certain(phrase))
    if wish.string:
        hints = hints.on_string(around.guitar, wish.string)
    elif wish.hints:  # what the guitar can sound counts where the person was told of it
        hints = hints.on_guitar(around.guitar)
    if wish.known is not None:
        heard = heard_between(wish.known, start, end)
    else:
        heard = hear_stretch(
            sound, start, end, reference_cents=around.reference_cents,
            focus=None if phrase.focus.is_whole_mix else phrase.focus, hints=hints, progress=progress,
        )  # fmt: skip
    # All that sounds where the person said what there is, and for a guitar under the lead.
    told = bool(wish.string) or hints.expected_notes is not None
    sorts = not told and phrase.part == lesson.parts[0].ident
    found = lead_of(heard.notes) if sorts else list(heard.notes)
    notes = tuple(place_heard(found, around.guitar, around.school, string=wish.string))
    fresh = readings.merge_listening(phrase, notes, wish.stretch)
    # Placed here with what stays: the window only has to put it in.
    merged = place_anew(lesson.with_phrase(fresh), fresh)
    evidence = evidence_of(heard) if wish.stretch is None else phrase.evidence
    return Heard(notes, evidence, merged, len(heard.notes) - len(found), len(found) - len(notes))


def _of_others(notes: list[Note] | tuple[Note, ...]) -> str:
    from juxtanote.core.analysis.instruments import mostly_others

    is_other = bool(notes) and mostly_others([note.heard.evidence for note in notes])
    return " It does not sound like a guitar." if is_other else ""


def _of_strings(unplayable: int) -> str:
    if not unplayable:
        return ""
    which = "One was" if unplayable == 1 else f"{unplayable} were"
    return f" {which} left out: no string sounds so low or high (see the tuning on Hear)."

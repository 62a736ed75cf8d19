"""What a person does to a lesson: each edit is a function from a lesson to a new lesson.

Everything decided by hand is locked, so that a new listening or placement works around it. Every edit
of notes ends with their written time derived anew (`timing.counted`).
"""

from collections.abc import Callable, Iterable
from dataclasses import replace

from juxtanote.core.score.lesson import Lesson, Part, Phrase
from juxtanote.core.score.note import (
    BENDS,
    SLURS,
    HeardNote,
    Note,
    RunnerUp,
    WrittenNote,
)
from juxtanote.core.score.techniques import TECHNIQUES
from juxtanote.core.score.timing import counted
from juxtanote.core.theory.tuning import Guitar

SHORTEST_NOTE_S = 0.02  # a shorter one has no pitch
SHORTEST_PHRASE_S = 0.1  # a shorter one cannot be looped
MOST_DELETED = 2000  # remembered of a phrase, so that they stay deleted
SAME_ONSET_S = 0.05  # onsets within this are one note's (as MIREX matches)
COUNTED_AS = frozenset({"grace", "rake", "let-ring"})  # techniques that written time looks at


def _with(lesson: Lesson, ident: int, change: Callable[[Phrase], Phrase]) -> Lesson:
    phrase = lesson.phrase(ident)
    if phrase is None:
        raise ValueError(f"there is no phrase number {ident}")
    changed = change(phrase)
    if _told_otherwise(phrase, changed):
        changed = counted(changed, lesson.time_map)
    return lesson.with_phrase(changed) if changed is not phrase else lesson


def _told_otherwise(before: Phrase, after: Phrase) -> bool:
    """Whether anything differs that written time is derived from."""
    if (before.evenness, before.subdivision) != (after.evenness, after.subdivision):
        return True
    if before.notes is after.notes:
        return False
    return len(before.notes) != len(after.notes) or any(
        old is not new and _timing_of(old) != _timing_of(new)
        for old, new in zip(before.notes, after.notes, strict=True)
    )


def _timing_of(note: Note) -> tuple[object, ...]:
    written = note.written
    locked = "time" in written.locked
    return (
        note.ident, note.onset_s, note.offset_s, written.techniques & COUNTED_AS,
        (locked, written.onset_beats, written.duration_beats),
    )  # fmt: skip


def _touched(phrase: Phrase, **fields: object) -> Phrase:
    """Change fields of a phrase by hand: it is no proposal any more."""
    return replace(phrase, proposed=False, **fields)  # type: ignore[arg-type]


def each_note(
    lesson: Lesson, phrase: int, notes: Iterable[int], change: Callable[[Note], Note]
) -> Lesson:
    chosen = set(notes)
    return _with(
        lesson,
        phrase,
        lambda p: p.with_notes([change(n) if n.ident in chosen else n for n in p.notes]),
    )


# Phrases


def cut_phrase(
    lesson: Lesson,
    start_s: float,
    end_s: float,
    name: str = "",
    *,
    part: int | None = None,
    proposed: bool = False,
) -> Lesson:
    """Add an empty phrase over a stretch of the recording, to the first part unless told."""
    start, end = sorted((max(start_s, 0.0), max(end_s, 0.0)))
    end = max(end, start + SHORTEST_PHRASE_S)
    number = lesson.fresh_phrase_number()
    chosen = lesson.parts[0].ident if part is None else part
    phrase = Phrase(
        number, name or next_phrase_name(lesson), start, end, part=chosen, proposed=proposed
    )
    return lesson.with_phrase(phrase)


def next_phrase_name(lesson: Lesson) -> str:
    """Give the first free letter, then numbers."""
    used = {phrase.name for phrase in lesson.phrases}
    letters = (chr(ord("A") + index) for index in range(26))
    free = next((letter for letter in letters if letter not in used), None)
    return free or f"Phrase {lesson.fresh_phrase_number()}"


def move_phrase_edge(lesson: Lesson, ident: int, edge: str, seconds: float) -> Lesson:
    """Move the start or the end of a phrase; its variants take the same time."""

    def moved(phrase: Phrase) -> Phrase:
        if edge == "start":
            times = min(max(seconds, 0.0), phrase.end_s - SHORTEST_PHRASE_S), phrase.end_s
        else:
            times = phrase.start_s, max(seconds, phrase.start_s + SHORTEST_PHRASE_S)
        variants = tuple(replace(v, start_s=times[0], end_s=times[1]) for v in phrase.variants)
        return _touched(phrase, start_s=times[0], end_s=times[1], variants=variants)

    source = lesson.source_of(ident)
    return _with(lesson, source.ident if source else ident, moved)


def change_phrase(lesson: Lesson, ident: int, **fields: object) -> Lesson:
    """Replace fields of a phrase: name, repeats, status, breakdown and the like."""
    return _with(lesson, ident, lambda p: _touched(p, **fields))


def delete_phrase(lesson: Lesson, ident: int) -> Lesson:
    """Take a phrase away, or a variant from under its phrase."""
    phrases = tuple(
        replace(p, variants=tuple(v for v in p.variants if v.ident != ident)) if p.variants else p
        for p in lesson.phrases
        if p.ident != ident
    )
    return replace(lesson, phrases=phrases)


def refuse_proposals(lesson: Lesson) -> Lesson:
    """Take away every phrase that the program proposed and nobody touched since."""
    kept = tuple(p for p in lesson.phrases if not p.proposed or p.notes or p.variants)
    return replace(lesson, phrases=kept)


def add_variant(lesson: Lesson, source: int, variant: Phrase) -> Lesson:
    """Hang a variant under the phrase that it comes from."""
    return _with(lesson, source, lambda p: replace(p, variants=(*p.variants, variant)))


# Parts


def add_part(lesson: Lesson, name: str, role: str) -> Lesson:
    """Add a part, with the guitar of the first."""
    number = 1 + max(part.ident for part in lesson.parts)
    first = lesson.parts[0]
    part = Part(number, name or f"Guitar {number}", role, first.guitar, first.school)
    return replace(lesson, parts=(*lesson.parts, part))


def change_part(lesson: Lesson, ident: int, **fields: object) -> Lesson:
    """Replace name, role or school of a part (its guitar: `fretboard` follows)."""
    changed = replace(lesson.part(ident), **fields)  # type: ignore[arg-type]
    return replace(lesson, parts=tuple(changed if p.ident == ident else p for p in lesson.parts))


def delete_part(lesson: Lesson, ident: int) -> Lesson:
    """Take a part and its phrases away; the last part stays."""
    if len(lesson.parts) < 2:
        raise ValueError("a lesson has at least one part")
    parts = tuple(part for part in lesson.parts if part.ident != ident)
    return replace(lesson, parts=parts, phrases=tuple(p for p in lesson.phrases if p.part != ident))


# Notes


def change_written(
    lesson: Lesson, phrase: int, notes: Iterable[int], lock: str, **fields: object
) -> Lesson:
    """Replace fields of the written side of notes, and lock what was decided."""
    return each_note(lesson, phrase, notes, lambda n: n.rewritten(lock, **fields))


def guitar_of(lesson: Lesson, phrase: int) -> Guitar:
    """Give the guitar that a phrase is played on."""
    return lesson.context(lesson.phrase(phrase)).guitar


def set_place(lesson: Lesson, phrase: int, note: int, string: int, fret: int) -> Lesson:
    """Put a note on a string and fret. Another pitch than the heard one locks the pitch too."""
    guitar = guitar_of(lesson, phrase)
    if not 1 <= string <= guitar.string_count or not 0 <= fret <= guitar.last_fret:
        raise ValueError(f"string {string}, fret {fret} is not on this guitar")

    def placed(old: Note) -> Note:
        new = old.rewritten("place", string=string, fret=fret)
        if "natural-harmonic" in old.written.techniques:
            return new
        midi = guitar.midi_at(string, fret)
        return new if abs(midi - old.heard.midi) < 0.5 else new.rewritten("pitch")

    return each_note(lesson, phrase, [note], placed)


def move_to_neighbour(lesson: Lesson, phrase: int, notes: Iterable[int], step: int) -> Lesson:
    """Move notes to a neighbouring string at the same pitch; `step` +1 is thicker.

    Notes that would leave the neck stay.
    """
    guitar = guitar_of(lesson, phrase)

    def moved(note: Note) -> Note:
        place = neighbour_place(guitar, note, step)
        return note if place is None else note.rewritten("place", string=place[0], fret=place[1])

    return each_note(lesson, phrase, notes, moved)


def neighbour_place(guitar: Guitar, note: Note, step: int) -> tuple[int, int] | None:
    """Give the same fretted pitch on the next string, or None where the neck ends."""
    string = note.written.string + step
    if not 1 <= string <= guitar.string_count:
        return None
    fret = guitar.midi_at(note.written.string, note.written.fret) - guitar.open_midi(string)
    return (string, fret) if 0 <= fret <= guitar.last_fret else None


def toggle_technique(lesson: Lesson, phrase: int, notes: Iterable[int], technique: str) -> Lesson:
    """Put a technique on notes, or take it off where all of them have it."""
    if technique not in TECHNIQUES:
        raise ValueError(f"unknown technique {technique!r}")
    chosen = set(notes)
    found = lesson.phrase(phrase)
    on = found is not None and not all(
        technique in n.written.techniques for n in found.notes if n.ident in chosen
    )

    def toggled(note: Note) -> Note:
        tags = set(note.written.techniques)
        if on:
            tags -= SLURS if technique in SLURS else set()
            tags |= {technique}
        else:
            tags -= {technique}
        amount = note.written.bend_semitones
        if technique in BENDS:
            amount = (amount or 2.0) if on or tags & BENDS else 0.0
        stroke = "" if tags & SLURS else note.written.stroke
        return note.rewritten(
            "techniques", techniques=frozenset(tags), bend_semitones=amount, stroke=stroke
        )

    return each_note(lesson, phrase, chosen, toggled)


def unlock_notes(lesson: Lesson, phrase: int, notes: Iterable[int]) -> Lesson:
    """Take every lock off notes."""
    return each_note(
        lesson,
        phrase,
        notes,
        lambda n: replace(n, written=replace(n.written, locked=frozenset())),
    )


def delete_notes(lesson: Lesson, phrase: int, notes: Iterable[int]) -> Lesson:
    """Take notes out of a phrase; it remembers them, so that no listening brings them back."""
    gone = set(notes)

    def without(found: Phrase) -> Phrase:
        marks = [(n.onset_s, n.heard.midi) for n in found.notes if n.ident in gone]
        left = found.with_notes([n for n in found.notes if n.ident not in gone])
        return replace(left, deleted=(*found.deleted, *marks)[-MOST_DELETED:])

    return _with(lesson, phrase, without)


def add_note(lesson: Lesson, phrase: int, onset_s: float, string: int, fret: int) -> Lesson:
    """Write a note where the machine heard none; it lasts a quarter second or to the next one."""

    def added(found: Phrase) -> Phrase:
        number = 1 + max((n.ident for n in found.notes), default=0)
        later = [n.onset_s for n in found.notes if n.onset_s > onset_s + SHORTEST_NOTE_S]
        end = min([onset_s + 0.25, *later])
        pitch = float(guitar_of(lesson, phrase).midi_at(string, fret))
        heard = HeardNote(onset_s, end, pitch, evidence=("added by hand",))
        written = WrittenNote(string, fret, locked=frozenset({"pitch", "place", "heard"}))
        return found.with_notes([*found.notes, Note(number, heard, written)])

    return _with(lesson, phrase, added)


def move_note_edge(lesson: Lesson, phrase: int, note: int, edge: str, seconds: float) -> Lesson:
    """Move where a note starts or stops."""

    def moved(old: Note) -> Note:
        heard = old.heard
        if edge == "onset":
            onset = min(max(seconds, 0.0), heard.offset_s - SHORTEST_NOTE_S)
            shift = heard.onset_s - onset
            curve = tuple((t + shift, c) for t, c in heard.curve if t + shift >= 0.0)
            changed = replace(heard, onset_s=onset, curve=curve)
        else:
            changed = replace(heard, offset_s=max(seconds, heard.onset_s + SHORTEST_NOTE_S))
        return replace(old, heard=changed).rewritten("heard")

    return each_note(lesson, phrase, [note], moved)


def shift_note_edges(
    lesson: Lesson, phrase: int, notes: Iterable[int], edge: str, by_s: float
) -> Lesson:
    """Move the onsets or the ends of several notes by the same time."""
    for note in notes:
        found = lesson.phrase(phrase)
        old = found.note(note) if found is not None else None
        if old is not None:
            here = old.onset_s if edge == "onset" else old.offset_s
            lesson = move_note_edge(lesson, phrase, note, edge, here + by_s)
    return lesson


def shift_octave(lesson: Lesson, phrase: int, notes: Iterable[int], octaves: int) -> Lesson:
    """Hear notes an octave higher or lower: what was heard is corrected, the place follows it."""
    guitar = guitar_of(lesson, phrase)

    def shifted(note: Note) -> Note:
        midi = note.heard.midi + 12.0 * octaves
        place = any_place(guitar, round(midi), near=note.written.string)
        if place is None:
            return note
        before = RunnerUp(note.heard.midi, note.heard.confidence, "the first reading")
        heard = note.heard.at_pitch(midi, (before,))
        return replace(note, heard=heard).rewritten("pitch", string=place[0], fret=place[1])

    return each_note(lesson, phrase, notes, shifted)


def split_note(lesson: Lesson, phrase: int, note: int, seconds: float) -> Lesson:
    """Make two notes of one at a time inside it."""

    def split(found: Phrase) -> Phrase:
        old = found.note(note)
        if old is None:
            raise ValueError(f"there is no note number {note}")
        inside = old.onset_s + SHORTEST_NOTE_S < seconds < old.offset_s - SHORTEST_NOTE_S
        at = seconds if inside else 0.5 * (old.onset_s + old.offset_s)
        length = at - old.onset_s
        early = tuple(p for p in old.heard.curve if p[0] < length)
        late = tuple((t - length, c) for t, c in old.heard.curve if t >= length)
        number = 1 + max(n.ident for n in found.notes)
        first = replace(old, heard=replace(old.heard, offset_s=at, curve=early)).rewritten("heard")
        second = Note(
            number,
            replace(old.heard, onset_s=at, curve=late),
            replace(old.written, techniques=frozenset(), bend_semitones=0.0, onset_beats=None),
        ).rewritten("heard")
        return found.with_notes([*(n for n in found.notes if n.ident != note), first, second])

    return _with(lesson, phrase, split)


def join_notes(lesson: Lesson, phrase: int, notes: Iterable[int]) -> Lesson:
    """Make one note of several: the first, sounding to the end of the last."""

    def joined(found: Phrase) -> Phrase:
        chosen = [n for n in found.notes if n.ident in set(notes)]
        if len(chosen) < 2:
            return found
        first, last = chosen[0], max(chosen, key=lambda n: n.offset_s)
        curve = list(first.heard.curve)
        for other in chosen[1:]:
            shift = other.onset_s - first.onset_s
            rise = 100.0 * (other.heard.midi - first.heard.midi)
            curve += [(t + shift, c + rise) for t, c in other.heard.curve]
        heard = replace(first.heard, offset_s=last.offset_s, curve=tuple(sorted(curve)))
        gone = {n.ident for n in chosen}
        kept = [n for n in found.notes if n.ident not in gone]
        return found.with_notes([*kept, replace(first, heard=heard).rewritten("heard")])

    return _with(lesson, phrase, joined)


def any_place(guitar: Guitar, midi: int, *, near: int) -> tuple[int, int] | None:
    """Give a place of a pitch, on the string nearest to one."""
    places = [(s, midi - guitar.open_midi(s)) for s in range(1, guitar.string_count + 1)]
    fitting = [place for place in places if 0 <= place[1] <= guitar.last_fret]
    return min(fitting, key=lambda place: abs(place[0] - near), default=None)

"""What the Place desk says of a phrase and its selected note: worked out beside the window's thread."""

from dataclasses import dataclass

from juxtanote.app.sayings import say_observation, say_otherwise
from juxtanote.core.formats.breakdown import note_name, note_role
from juxtanote.core.fretboard.phrases import as_written, places_in
from juxtanote.core.fretboard.reasons import Reasons, explain, phrase_sentence
from juxtanote.core.fretboard.silence import strings_to_silence
from juxtanote.core.fretboard.solver import Placement
from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.score.lesson import Context, Lesson, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.signs import bend_name
from juxtanote.core.theory.tuning import Guitar

Place = tuple[int, int]  # string, fret

CERTAIN = 0.95  # from here on nobody needs to be told


@dataclass(frozen=True, slots=True)
class Reading:
    """Words, reasons and places; `phrase` and `note` are what they are of."""

    phrase: Phrase
    note: Note | None
    sentence: str
    path: tuple[Place, ...]
    window: Place | None  # lowest and highest fret under the hand
    title: str = ""
    under: str = ""
    reasons: Reasons | None = None
    here: Place | None = None
    others: tuple[Place, ...] = ()


def read(
    phrase: Phrase, lesson: Lesson, note: Note | None, progress: Progress = no_progress
) -> Reading:
    """Read where the hand is in a phrase, and why a note sits where it does."""
    around = lesson.context(phrase)
    placement = _placement_of(phrase, around.guitar, part_of(progress, 0.0, 0.7))
    progress(0.7)
    quiet = strings_to_silence([n.written.string for n in phrase.notes], around.guitar.string_count)
    sentence = f"{phrase_sentence(placement)} {quiet}"
    path = tuple((n.written.string, n.written.fret) for n in phrase.notes)
    if note is None:
        return Reading(phrase, None, sentence, path, _window(placement, None))
    index = [n.ident for n in phrase.notes].index(note.ident)
    places = places_in(lesson, phrase, part_of(progress, 0.8, 0.9))
    progress(0.9)
    told = part_of(progress, 0.9, 1.0)
    reasons = explain(around.guitar, places, placement, index, school=around.school, progress=told)
    here = path[index]
    others = tuple((c.string, c.fret) for c in reasons.candidates if not c.chosen and c.possible)
    return Reading(
        phrase, note, sentence, path, _window(placement, index),
        f"String {here[0]}, fret {here[1]}" if here[1] else f"String {here[0]}, open",
        _under(note, around), reasons, here, others,
    )  # fmt: skip


_latest: tuple[Phrase, Guitar, Placement] | None = None


def _placement_of(phrase: Phrase, guitar: Guitar, progress: Progress) -> Placement:
    """Give where the hand is; another note of the phrase that was read last needs no new reading."""
    global _latest
    known = _latest
    if known is not None and known[0].notes is phrase.notes and known[1] == guitar:
        return known[2]
    placement = as_written(phrase, guitar, progress)
    _latest = phrase, guitar, placement
    return placement


def _under(note: Note, around: Context) -> str:
    """Say what a note is, what was heard of it, and what else it could be."""
    words = [w for w in (note_name(note, around), note_role(note, around)) if w]
    if note.written.techniques & {"bend", "pre-bend"}:
        words.append(f"bent {bend_name(note.written.bend_semitones)}")
    words += sorted(note.written.techniques - {"bend", "pre-bend"})
    if note.heard.confidence < CERTAIN:
        words.append(f"confidence\u00a0{note.heard.confidence:.2f}")
    if note.written.locked:
        words.append("locked: " + ", ".join(sorted(note.written.locked)))
    under = " · ".join(words)
    if note.heard.evidence:
        under += "\nHeard: " + "; ".join(say_observation(seen) for seen in note.heard.evidence)
    if note.heard.runner_ups:
        other = note.heard.runner_ups[0]
        under += f"\nOr {say_otherwise(note.heard, other)} ({other.confidence:.2f}): press R"
    return under


def _window(placement: Placement, index: int | None) -> Place | None:
    """Give the frets under the hand at a note, or those of the whole phrase."""
    if index is not None:
        position = placement.positions[index]
        return position, position + 3
    frets = [fret for fret in placement.frets if fret > 0]
    return (min(frets), max(frets)) if frets and max(frets) - min(frets) <= 5 else None

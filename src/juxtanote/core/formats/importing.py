"""Laying notes of a file into a lesson: which of its parts, onto what, and in place of what."""

from dataclasses import dataclass, replace
from fractions import Fraction

from juxtanote.core.align.to_sound import align_to_heard
from juxtanote.core.audio.sound import Sound
from juxtanote.core.errors import ImportFileError
from juxtanote.core.formats.csv_notes import SHORTEST_S, NoteRow
from juxtanote.core.formats.exports import rows_to_notes
from juxtanote.core.formats.read_score import ReadPart
from juxtanote.core.fretboard.phrases import replace_places
from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.score.edits import next_phrase_name
from juxtanote.core.score.lesson import Lesson, Part, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timing import counted
from juxtanote.core.theory.tuning import Guitar

# At their own seconds; bars to bars; from the phrase's start; where they are heard in the recording.
SECONDS, BARS, START, SOUND = ONTO = ("seconds", "bars", "start", "sound")
REST_S = 1.2  # a pause that begins another phrase
EDGE_S = 0.05  # around the first and last note of a phrase


@dataclass(frozen=True, slots=True)
class ImportPlan:
    """What a person chose: parts of a file, onto what, into which phrase (None: new ones)."""

    name: str
    parts: tuple[ReadPart, ...]
    onto: str = SECONDS
    phrase: int | None = None
    in_place: bool = True  # of the notes (or phrases) that are there

    def __post_init__(self) -> None:
        if self.onto not in ONTO:
            raise ValueError(f"onto is {self.onto!r}; it needs one of {ONTO}")


def laid_in(
    lesson: Lesson, plan: ImportPlan, sound: Sound | None = None, progress: Progress = no_progress
) -> Lesson:
    """Give the lesson with the notes of a plan in it; a second and further part of the file become parts.

    Parameters
    ----------
    lesson : Lesson
    plan : ImportPlan
        What is taken from the file, and how.
    sound : Sound, optional
        The recording that it is aligned to.
    progress : Progress
        Told how far it is, 0 to 1.

    Raises
    ------
    ImportFileError
        If there is nothing to lay in, or the notes cannot be laid onto what was chosen.
    """
    if not any(part.rows for part in plan.parts):
        raise ImportFileError("There are no notes in what was chosen of that file.")
    target = lesson.phrase(plan.phrase) if plan.phrase is not None else None
    for number, read in enumerate(plan.parts):
        told = part_of(progress, number / len(plan.parts), (number + 1) / len(plan.parts))
        if number == 0:
            part = lesson.part(target.part) if target is not None else lesson.parts[0]
        else:
            part = _fresh_part(lesson, read)
            lesson = replace(lesson, parts=(*lesson.parts, part))
        rows = _timed(read, lesson, plan, target, sound, told)
        into = target if number == 0 else None
        lesson = _with_rows(lesson, rows, part, into, plan)
    return lesson


def _fresh_part(lesson: Lesson, read: ReadPart) -> Part:
    number = 1 + max(part.ident for part in lesson.parts)
    guitar = lesson.parts[0].guitar
    if read.tuning is not None:
        guitar = Guitar(tuning=read.tuning, fret_count=24)
    return Part(number, read.name[:60] or f"Guitar {number}", "second", guitar)


def _timed(
    read: ReadPart,
    lesson: Lesson,
    plan: ImportPlan,
    target: Phrase | None,
    sound: Sound | None,
    progress: Progress,
) -> list[NoteRow]:
    """Give rows at their times in the recording."""
    rows = list(read.rows)
    if plan.onto == SECONDS:
        return rows
    if plan.onto == START:
        start = target.start_s if target is not None else 0.0
        shift = start - min(row.onset_s for row in rows)
        return [replace(row, onset_s=max(row.onset_s + shift, 0.0)) for row in rows]
    if plan.onto == BARS:
        if not read.has_beats:
            raise ImportFileError("That file has no bars: lay its notes in by their seconds.")
        return [_at_its_bar(row, lesson.time_map) for row in rows]
    return _at_its_sound(rows, lesson, target, sound, progress)


def _at_its_bar(row: NoteRow, time_map: TimeMap) -> NoteRow:
    begin = row.onset_beats or Fraction(0)
    end = begin + (row.duration_beats or Fraction(0))
    start_s, end_s = (float(t) for t in time_map.to_seconds([float(begin), float(end)]))
    if start_s < 0.0:
        raise ImportFileError("Bars of that file lie before the recording: check where bar 1 is.")
    return replace(row, onset_s=start_s, duration_s=max(end_s - start_s, SHORTEST_S))


def _at_its_sound(
    rows: list[NoteRow],
    lesson: Lesson,
    target: Phrase | None,
    sound: Sound | None,
    progress: Progress,
) -> list[NoteRow]:
    from juxtanote.core.analysis.stretches import hear_all, hear_stretch

    if sound is None:
        raise ImportFileError("There is no recording to find the notes in. Open it first.")
    cents = lesson.reference_cents
    if target is not None:
        focus = None if target.focus.is_whole_mix else target.focus
        heard = list(
            hear_stretch(
                sound, target.start_s, target.end_s, reference_cents=cents, focus=focus,
                progress=progress,
            ).notes
        )  # fmt: skip
    else:
        heard = hear_all(sound, reference_cents=cents, progress=progress)
    heard = [note for note in heard if "dead" not in note.techniques]
    try:
        aligned = align_to_heard(
            [r.onset_s for r in rows], [r.midi for r in rows],
            [n.onset_s for n in heard], [n.midi for n in heard],
        )  # fmt: skip
    except ValueError as error:
        raise ImportFileError(
            f"The notes could not be found in the recording: {error}. Lay them in by bars or seconds."
        ) from error
    times = aligned.onset_s
    stretch = (times[-1] - times[0]) / max(rows[-1].onset_s - rows[0].onset_s, 1e-3)
    factor = min(max(stretch, 0.1), 10.0) if len(rows) > 1 else 1.0
    return [
        replace(row, onset_s=onset, duration_s=max(row.duration_s * factor, SHORTEST_S))
        for row, onset in zip(rows, times, strict=True)
    ]


def _with_rows(
    lesson: Lesson, rows: list[NoteRow], part: Part, into: Phrase | None, plan: ImportPlan
) -> Lesson:
    rows = sorted(rows, key=lambda row: (row.onset_s, -(row.string or 0)))
    if into is not None:
        kept = () if plan.in_place else into.notes
        first = 1 + max((note.ident for note in into.notes), default=0)
        notes = [*kept, *_notes(rows, part.guitar, plan, first)]
        end = max(note.offset_s for note in notes)
        start = min(note.onset_s for note in notes)
        wider = replace(into, start_s=min(into.start_s, start), end_s=max(into.end_s, end))
        return _settled(lesson, replace(wider, deleted=(), proposed=False).with_notes(notes))
    if plan.in_place:
        span = rows[0].onset_s, max(row.onset_s + row.duration_s for row in rows)
        free = [
            p
            for p in lesson.phrases
            if p.part != part.ident or p.end_s <= span[0] or p.start_s >= span[1]
        ]
        lesson = replace(lesson, phrases=tuple(free))
    for stretch in _stretches(rows):
        end = max(row.onset_s + row.duration_s for row in stretch)
        phrase = Phrase(
            lesson.fresh_phrase_number(), next_phrase_name(lesson),
            max(stretch[0].onset_s - EDGE_S, 0.0), end + EDGE_S, part=part.ident, status="placed",
        )  # fmt: skip
        lesson = _settled(lesson, phrase.with_notes(_notes(stretch, part.guitar, plan, 1)))
    return lesson


def _notes(rows: list[NoteRow], guitar: Guitar, plan: ImportPlan, first: int) -> list[Note]:
    """Make notes; places that the guitar does not have are left to be found."""
    fitting = [
        row
        if row.string is None
        or row.fret is None
        or (row.string <= guitar.string_count and row.fret <= guitar.last_fret)
        else replace(row, string=None, fret=None)
        for row in rows
    ]
    notes = rows_to_notes(fitting, first_ident=first)
    if plan.onto != BARS:
        return notes
    return [
        replace(
            note,
            written=replace(
                note.written,
                onset_beats=row.onset_beats,
                duration_beats=row.duration_beats or Fraction(0),
                locked=note.written.locked | {"time"},
            ),
        )
        for note, row in zip(notes, fitting, strict=True)
    ]


def _settled(lesson: Lesson, phrase: Phrase) -> Lesson:
    """Find missing places, and count."""
    widened = tuple(replace(v, start_s=phrase.start_s, end_s=phrase.end_s) for v in phrase.variants)
    phrase = replace(phrase, variants=widened)
    with_it = lesson.with_phrase(phrase)
    placed = replace_places(phrase, with_it)
    return with_it.with_phrase(counted(placed, lesson.time_map))


def _stretches(rows: list[NoteRow]) -> list[list[NoteRow]]:
    """Cut rows into phrases where nothing sounds for a while."""
    stretches: list[list[NoteRow]] = []
    latest = -10.0
    for row in rows:
        if not stretches or row.onset_s - latest > REST_S:
            stretches.append([])
        stretches[-1].append(row)
        latest = max(latest, row.onset_s + row.duration_s)
    return stretches

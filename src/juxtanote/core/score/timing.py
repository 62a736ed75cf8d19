"""Written time follows the heard onsets, the time map and what is locked: derived here and nowhere else.

Whatever changes beats, bars, metre or tempo goes through `with_time_map`, which counts every phrase and
variant anew; whatever changes notes goes through `counted`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

from juxtanote.core.later import np
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.rhythm import write_phrase
from juxtanote.core.score.time_map import TimeMap

FINEST = 48  # parts of a beat to which a locked time is rounded when it is counted in other beats
TEMPO_REACH = 4  # beats: so far from a moved one the tempo is another (`TimeMap.tempo_at`)
BAR_LINE_BEATS = 0.12  # what begins so shortly before a bar line belongs to it


def counted(phrase: Phrase, time_map: TimeMap) -> Phrase:
    """Give a phrase, and the variants under it, with the written time of every note derived.

    Parameters
    ----------
    phrase : Phrase
        With what was heard, in seconds; what is locked in time stays.
    time_map : TimeMap
        The beats.
    """
    fresh = write_phrase(phrase, time_map)
    if not phrase.variants:
        return fresh
    return replace(fresh, variants=tuple(counted(v, time_map) for v in phrase.variants))


def with_time_map(lesson: Lesson, time_map: TimeMap, progress: Progress = no_progress) -> Lesson:
    """Give the lesson under other beats: every phrase counted anew, chords at the bars that sound then.

    Times that a person locked stay on their beats where beats only moved, and keep their moment where
    beats were renumbered.

    Parameters
    ----------
    lesson : Lesson
        Under the beats that it has.
    time_map : TimeMap
        The new beats.
    progress : Progress
        Told the part done, 0 to 1.
    """
    old = lesson.time_map
    if time_map == old:
        return lesson
    if old.beat_times_s == time_map.beat_times_s and old.metre == time_map.metre:
        phrases = _renumbered(lesson.phrases, old.first_downbeat - time_map.first_downbeat)
        chords = _chords_under(lesson.chords, old, time_map)
        return replace(lesson, time_map=time_map, phrases=phrases, chords=chords)
    moved = _renumbering(old, time_map)
    alike = _reading_alike(lesson.phrases, old, time_map) if moved is None else ()
    made = []
    for phrase in lesson.phrases:
        same = phrase.ident in alike
        made.append(phrase if same else counted(_relocked(phrase, moved), time_map))
        progress(len(made) / len(lesson.phrases))
    chords = lesson.chords if moved is None else _chords_under(lesson.chords, old, time_map)
    return replace(lesson, time_map=time_map, phrases=tuple(made), chords=chords)


def change_time_map(lesson: Lesson, change: Callable[[TimeMap], TimeMap]) -> Lesson:
    """Change the time map of a lesson by one of its own edits.

    Parameters
    ----------
    lesson : Lesson
        Before the edit.
    change : callable
        From the beats that are to those that shall be.
    """
    return with_time_map(lesson, change(lesson.time_map))


def recounted(lesson: Lesson) -> Lesson:
    """Derive the written time of every phrase anew (of a file whose counts may be stale)."""
    return replace(lesson, phrases=tuple(counted(p, lesson.time_map) for p in lesson.phrases))


def _renumbering(old: TimeMap, new: TimeMap) -> Callable[[Fraction], Fraction] | None:
    """Give how a place in old beats is counted in new ones; None where beats keep their numbers."""
    same_bars = (old.beats_per_bar, old.beat_unit, old.division) == (
        new.beats_per_bar, new.beat_unit, new.division,
    )  # fmt: skip
    if len(old.beat_times_s) == len(new.beat_times_s):
        shift = old.first_downbeat - new.first_downbeat
        still = np.abs(np.subtract(old.beat_times_s, new.beat_times_s)) < 1e-9
        if np.mean(still) > 0.5 or shift == 0:
            if shift == 0 and same_bars:
                return None
            return lambda beats: beats + shift
    return lambda beats: Fraction(
        round(float(new.to_beats(old.to_seconds(float(beats)))) * FINEST), FINEST
    )


def _renumbered(phrases: tuple[Phrase, ...], by: int) -> tuple[Phrase, ...]:
    """Count phrases so many beats later where beats kept their moments: what is written moves along."""

    def later(note: Note) -> Note:
        onset = note.written.onset_beats
        if onset is None:
            return note
        return replace(note, written=replace(note.written, onset_beats=onset + by))

    return tuple(
        replace(
            phrase,
            notes=tuple(later(note) for note in phrase.notes),
            variants=_renumbered(phrase.variants, by),
        )
        for phrase in phrases
    )


def _reading_alike(phrases: tuple[Phrase, ...], old: TimeMap, new: TimeMap) -> frozenset[int]:
    """Tell of which phrases nothing is counted otherwise under the new beats, by number."""
    first_s, last_s = _moved_stretch(old, new)

    def is_alike(reading: Phrase) -> bool:
        notes = reading.notes
        begins = min(reading.start_s, notes[0].heard.onset_s) if notes else reading.start_s
        apart = begins > last_s
        if not apart:
            ends = max((note.heard.offset_s for note in notes), default=reading.end_s)
            apart = max(ends, reading.end_s) < first_s
        return apart or _reads_alike(reading, old, new)

    return frozenset(p.ident for p in phrases if all(map(is_alike, (p, *p.variants))))


def _moved_stretch(old: TimeMap, new: TimeMap) -> tuple[float, float]:
    """Give where beats of the same numbers lie otherwise, and tempo is read of such ones, in seconds."""
    before, after = np.array(old.beat_times_s), np.array(new.beat_times_s)
    moved = np.flatnonzero(before != after)
    if len(moved) == 0:
        return np.inf, -np.inf
    low, high = int(moved[0]) - TEMPO_REACH, int(moved[-1]) + TEMPO_REACH
    # Before the first beat and after the last, time goes on at the tempo found there.
    first = min(before[low], after[low]) if low > 0 else -np.inf
    last = max(before[high], after[high]) if high < len(before) - 1 else np.inf
    return float(first), float(last)


def _reads_alike(phrase: Phrase, old: TimeMap, new: TimeMap) -> bool:
    """Tell whether nothing of a phrase is counted otherwise under the new beats."""
    times = [phrase.start_s, phrase.end_s]
    times += [t for note in phrase.notes for t in (note.onset_s, note.offset_s)]
    alike = np.allclose(old.to_beats(times), new.to_beats(times), rtol=0.0, atol=1e-9)
    first = phrase.notes[0].onset_s if phrase.notes else phrase.start_s
    return alike and abs(old.tempo_at(first) - new.tempo_at(first)) < 1e-9


def _relocked(phrase: Phrase, moved: Callable[[Fraction], Fraction] | None) -> Phrase:
    """Count what is locked in time in the new beats."""
    if moved is None:
        return phrase

    def at_new_beat(note: Note) -> Note:
        written = note.written
        if "time" not in written.locked or written.onset_beats is None:
            return note
        onset = moved(written.onset_beats)
        length = written.duration_beats
        if length:
            length = max(moved(written.onset_beats + length) - onset, Fraction(1, FINEST))
        return replace(note, written=replace(written, onset_beats=onset, duration_beats=length))

    return replace(
        phrase,
        notes=tuple(at_new_beat(n) for n in phrase.notes),
        variants=tuple(_relocked(v, moved) for v in phrase.variants),
    )


def _chords_under(
    chords: tuple[tuple[int, str], ...], old: TimeMap, new: TimeMap
) -> tuple[tuple[int, str], ...]:
    """Write chords over the bars that begin where they began, or that hold where they began."""
    known: dict[int, list[str]] = {}
    for bar, symbols in chords:
        first, last = old.to_seconds(old.beats_per_bar * np.array([bar - 1, bar]))
        begins, ends = new.to_beats([first, last]) + BAR_LINE_BEATS
        here = int(np.floor(begins / new.beats_per_bar)) + 1
        beyond = int(np.floor((ends - 2 * BAR_LINE_BEATS) / new.beats_per_bar)) + 1
        parts = symbols.split()
        span = max(beyond - here + 1, 1)
        for step in range(span):
            share = parts[
                step * len(parts) // span : max(
                    (step + 1) * len(parts) // span, step * len(parts) // span + 1
                )
            ]
            inside = known.setdefault(here + step, [])
            inside += [s for s in share if not inside or inside[-1] != s]
    return tuple((bar, " ".join(parts)) for bar, parts in sorted(known.items()) if parts)

"""Making an exercise: a phrase's line changed, placed by the rules of the hand, and what breaks said."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from fractions import Fraction

from juxtanote.core.checks.complaints import Asked
from juxtanote.core.checks.playable import unplayable
from juxtanote.core.exercises import lines
from juxtanote.core.exercises.kinds import Kind
from juxtanote.core.exercises.lines import Tone
from juxtanote.core.fretboard.phrases import replace_places
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score.form import chord_at
from juxtanote.core.score.lesson import EXERCISE, Context, Lesson, Phrase, Variation
from juxtanote.core.score.note import Evidence, HeardNote, Note, WrittenNote
from juxtanote.core.score.sounding import sounding_midi
from juxtanote.core.score.transpose import Moved
from juxtanote.core.theory.chords import QUALITIES, known_chord
from juxtanote.core.theory.degrees import scale_of
from juxtanote.core.theory.keys import Key, known_key

SOUNDING = 0.95  # of its written length
LEVEL_DB = -18.0  # as loud as notes are heard on most recordings
SEQUENCED = 5  # steps of the scale that a cell is led through
NEEDS_KEY = "Set the key of the lesson first (Ctrl+D): this exercise moves through its scale."


def exercise(lesson: Lesson, phrase: Phrase, kind: Kind, progress: Progress = no_progress) -> Moved:
    """Make an exercise of a phrase; it is not yet hung under it (`score.edits.add_variant`).

    Parameters
    ----------
    lesson : Lesson
    phrase : Phrase
        Of it.
    kind : Kind
        Of exercise.
    progress : Progress
        Told how far it is, 0 to 1.

    Returns
    -------
    Moved
        The exercise, and what of it breaks, in words: notes off the neck, grips too wide.

    Raises
    ------
    ValueError
        If the phrase has no notes, or the exercise needs a key and the lesson has none.
    """
    context = lesson.context(phrase)
    line = tones_of(phrase, context)
    if not line:
        raise ValueError("this phrase has no notes to make an exercise of")
    problems: list[str] = []
    tones = _changed(kind, line, phrase, lesson, context)
    tones = _in_range(tones, context, problems)
    made = phrase_of_tones(tones, phrase, lesson, kind.value)
    made = replace_places(made, lesson, progress=progress)
    problems += _left_out(line, tones)
    problems += _unplayable(made, context)
    return Moved(made, tuple(dict.fromkeys(problems)))


def tones_of(phrase: Phrase, context: Context) -> list[Tone]:
    """Give a phrase's line as it is written: sounding pitches, beats, places.

    Parameters
    ----------
    phrase : Phrase
    context : Context
        Its guitar and beats.
    """
    tones = []
    for note in phrase.notes:
        w = note.written
        if w.onset_beats is None or "dead" in w.techniques:
            continue
        midi = round(sounding_midi(note, context.guitar))
        length = w.duration_beats or Fraction(1, 8)
        tones.append(
            Tone(midi, w.onset_beats, length, w.techniques, w.bend_semitones, (w.string, w.fret))
        )
    return sorted(tones, key=lambda t: (t.onset, t.midi))


def _changed(
    kind: Kind, line: Sequence[Tone], phrase: Phrase, lesson: Lesson, context: Context
) -> list[Tone]:
    simple: dict[Kind, Callable[[Sequence[Tone]], list[Tone]]] = {
        Kind.BACKWARDS: lines.backwards,
        Kind.FROM_BEAT: lambda l: lines.from_beat(l, 1),
        Kind.DISPLACED: lines.displaced,
        Kind.HALF_SPEED: lambda l: lines.stretched(l, Fraction(2)),
        Kind.DOUBLE_SPEED: lambda l: lines.stretched(l, Fraction(1, 2)),
        Kind.WITH_BAR: lambda l: [_barred(t) for t in l],
    }
    if kind in simple:
        return simple[kind](line)
    key = known_key(context.key)
    if key is None:
        raise ValueError(NEEDS_KEY)
    if kind in _LANDINGS:
        return lines.landing_on(line, _landing(kind, phrase, lesson, key))
    if kind in (Kind.SEQUENCE_UP, Kind.SEQUENCE_DOWN):
        times = SEQUENCED if kind is Kind.SEQUENCE_UP else -SEQUENCED
        return lines.sequence(line, times, scale_of(key, context.scale))
    whole = scale_of(key, context.scale, whole=True)
    if kind is Kind.CONTRARY:
        return lines.contrary(line, whole)
    return lines.in_parallel(line, 2 if kind is Kind.THIRDS else 5, whole)


_LANDINGS = {Kind.LAND_ROOT: 0, Kind.LAND_THIRD: 1, Kind.LAND_FIFTH: 2}


def _landing(kind: Kind, phrase: Phrase, lesson: Lesson, key: Key) -> int:
    """Give the pitch class of a chord tone under a phrase's last note; of the key where no chord is."""
    chord = known_chord(chord_at(lesson, phrase.notes[-1].onset_s))
    steps = QUALITIES[chord.quality] if chord is not None else QUALITIES[_TRIADS[key.family]]
    root = chord.root if chord is not None else key.pitch_class
    return (root + steps[min(_LANDINGS[kind], len(steps) - 1)]) % 12


_TRIADS = {"major": "", "minor": "m"}


def _barred(tone: Tone) -> Tone:
    """Play a tone with the slide bar: what only fingers do is left out."""
    kept = tone.techniques & {"vibrato", "slide", "let-ring"}
    return replace(tone, techniques=kept | {"bar"}, bend_semitones=0.0, place=None)


def _in_range(tones: list[Tone], context: Context, problems: list[str]) -> list[Tone]:
    """Bring what leaves the neck back by octaves, all of the line where that helps."""
    guitar = context.guitar
    low = min(guitar.open_midi(s) for s in range(1, guitar.string_count + 1))
    high = max(guitar.midi_at(s, guitar.last_fret) for s in range(1, guitar.string_count + 1))
    under, over = min(t.midi for t in tones), max(t.midi for t in tones)
    shift = 12 * -(-(low - under) // 12) if under < low else 0
    if over + shift > high:
        shift = -12 * -(-(over - high) // 12)
    if shift:
        problems.append(f"all of it lies {abs(shift) // 12} octave{'s' if abs(shift) > 12 else ''} "
                        f"{'higher' if shift > 0 else 'lower'}: it would leave the neck")  # fmt: skip
        tones = [replace(t, midi=t.midi + shift, place=None) for t in tones]
    kept = [t for t in tones if low <= t.midi <= high]
    if len(kept) < len(tones):
        problems.append(f"{len(tones) - len(kept)} notes are on no string and are left out")
    return kept


def phrase_of_tones(
    tones: Sequence[Tone], source: Phrase, lesson: Lesson, words: str, kind: str = EXERCISE
) -> Phrase:
    """Write tones as a variant of a phrase, sounding at the lesson's tempo.

    Parameters
    ----------
    tones : sequence of Tone
        By onset in beats.
    source : Phrase
        The phrase that it is a variant of.
    lesson : Lesson
        That is read; it is not changed.
    words : str
        What its name has after that of the source.
    kind : str, optional
        One of `lesson.VARIATIONS`.
    """
    time_map = lesson.time_map
    edges = [[float(t.onset), float(t.onset + t.length)] for t in tones]
    notes = []
    for number, (tone, (start, end)) in enumerate(
        zip(tones, time_map.to_seconds(edges).tolist(), strict=True), start=1
    ):
        end = start + max(SOUNDING * (end - start), 0.05)
        heard = HeardNote(
            onset_s=max(start, 0.0),
            offset_s=max(end, 0.05),
            midi=float(tone.midi),
            level_db=LEVEL_DB,
            confidence=1.0,
        )
        string, fret = tone.place or (1, 0)
        locked = {"time"} | ({"place"} if tone.place is not None else set())
        written = WrittenNote(
            string=string,
            fret=fret,
            techniques=tone.techniques,
            bend_semitones=tone.bend_semitones,
            onset_beats=tone.onset,
            duration_beats=tone.length,
            locked=frozenset(locked),
        )
        notes.append(Note(number, heard, written))
    begin = min([source.start_s, *(n.onset_s for n in notes)])
    finish = max(n.offset_s for n in notes) + 0.05
    made = replace(
        source, ident=lesson.fresh_phrase_number(), name=f"{source.name}, {words}", status="placed",
        waived=(), breakdown="", deleted=(), variants=(), variation=Variation(kind),
        proposed=False, evidence=Evidence(), start_s=begin, end_s=finish, repeats=1, ending=0,
    )  # fmt: skip
    return made.with_notes(notes)


def _left_out(line: Sequence[Tone], tones: Sequence[Tone]) -> list[str]:
    kept = {t for tone in tones for t in tone.techniques}
    gone = sorted({t for tone in line for t in tone.techniques} - kept)
    return [f"left out: {', '.join(gone)}"] if gone else []


def _unplayable(made: Phrase, context: Context) -> list[str]:
    asked = [
        Asked(n.ident, n.onset_s, n.offset_s, n.heard.midi, n.written.string, n.written.fret,
              n.written.techniques, n.written.bend_semitones)
        for n in made.notes
    ]  # fmt: skip
    return [c.detail for c in unplayable(asked, context.guitar)]


def harmony_part(
    lesson: Lesson, phrase: Phrase, steps: int, part: int, progress: Progress = no_progress
) -> Phrase:
    """Make a phrase for another part, so many steps of the key's scale away, at the same times.

    Parameters
    ----------
    lesson : Lesson
        That is read; it is not changed.
    phrase : Phrase
        Of that lesson.
    steps : int
        Of the key's scale, below zero for under.
    part : int
        Number of the part that gets it.
    progress : Progress, optional
        Told the share that is done, 0 to 1.

    Raises
    ------
    ValueError
        If the lesson has no key.
    """
    context = lesson.context(phrase)
    key = known_key(context.key)
    if key is None:
        raise ValueError(NEEDS_KEY)
    line = lines.moved(tones_of(phrase, context), steps, scale_of(key, context.scale, whole=True))
    tones = _in_range(line, context, [])
    made = replace(
        phrase_of_tones(tones, phrase, lesson, ""), name=phrase.name, part=part, variation=None
    )
    return replace_places(made, lesson, progress=progress)

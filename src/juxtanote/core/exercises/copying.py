"""A phrase of another lesson, hung under one of this: same shape, this lesson's tempo, no sound."""

from dataclasses import replace

from juxtanote.core.exercises.make import phrase_of_tones, tones_of
from juxtanote.core.fretboard.phrases import replace_places
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score.lesson import COPIED, Lesson, Phrase


def copied(
    lesson: Lesson, under: Phrase, other: Lesson, phrase: Phrase, progress: Progress = no_progress
) -> Phrase:
    """Make a variant of `under` that plays a phrase of another lesson.

    It begins on the beat that `under` begins on, at the tempo of `lesson`; places are kept where this
    guitar sounds the same there, else they are found anew.

    Parameters
    ----------
    lesson : Lesson
    under : Phrase
        Of it.
    other : Lesson
    phrase : Phrase
        Of the other one.
    progress : Progress
        Told how far it is, 0 to 1.

    Raises
    ------
    ValueError
        If the phrase has no written notes.
    """
    theirs, ours = other.context(phrase), lesson.context(under)
    line = tones_of(phrase, theirs)
    if not line:
        raise ValueError("this phrase has no notes to copy")
    begin = float(lesson.time_map.to_beats(under.start_s))
    first = next(
        (n.written.onset_beats for n in under.notes if n.written.onset_beats is not None), None
    )
    target = (first if first is not None else round(begin)) // 1
    shift = target - line[0].onset // 1
    moved = []
    for tone in line:
        place = tone.place
        if place is not None:
            on = place[0] <= ours.guitar.string_count and place[1] <= ours.guitar.last_fret
            keeps = on and ours.guitar.midi_at(*place) == tone.midi
            place = place if keeps else None
        moved.append(replace(tone, onset=tone.onset + shift, place=place))
    made = phrase_of_tones(moved, under, lesson, phrase.name, COPIED)
    made = replace(made, name=phrase.name, breakdown=phrase.breakdown)
    return replace_places(made, lesson, progress=progress)

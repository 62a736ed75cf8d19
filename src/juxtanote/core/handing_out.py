"""Handing out: a lesson, or a part of it, in whatever form somebody else can use it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.audio.clicks import click_sound
from juxtanote.core.audio.read import to_rate
from juxtanote.core.audio.sound import Sound
from juxtanote.core.audio.stretch import stretch_whole
from juxtanote.core.audio.write import SOUND_SUFFIXES, write_sound, write_text
from juxtanote.core.checks.findings import find_problems
from juxtanote.core.checks.words import say_how_far, say_what
from juxtanote.core.engrave.paper import Measure, Page, roughly
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.exports import export_lesson
from juxtanote.core.formats.lesson_page import (
    RATE,
    Chapter,
    Render,
    Sounds,
    title_of,
    write_chapters,
    write_lesson_page,
)
from juxtanote.core.formats.pages import Choices, lay_out
from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.synth.render import render_phrase

TAB, RECORDING, BOTH = SOURCES = ("tab", "recording", "both")
# Fmt: skip.
SUFFIXES = ".pdf", ".html", ".musicxml", ".mid", ".txt", ".csv", ".jams", *SOUND_SUFFIXES
SLOWEST, FASTEST = 0.25, 2.0  # of the recording's speed
MOST_COUNTED = 16  # beats before the music
NO_PAINTER = "PDF is written by the window's own painter, which is not here."
NOTHING_LEFT = "Nothing: every phrase is as it sounds."
BETWEEN_S = 1.0  # of silence from one phrase to the next
# Of full scale, so that both together do not clip.
TAB_LEVEL, RECORDING_LEVEL, CLICK_LEVEL = 0.8, 0.8, 0.6
WritePages = Callable[[list[Page], Path, str], None]


@dataclass(frozen=True, slots=True)
class Wish:
    """What is wanted: which phrase or part (by name; all where empty), at what speed, with what sound.

    `ident` is the number of one phrase, where a name may stand for several; 0 for none.
    """

    phrase: str = ""
    part: str = ""
    speed: float = 1.0
    count_in: int = 0  # beats
    source: str = BOTH
    choices: Choices = field(default_factory=Choices)
    ident: int = 0

    def __post_init__(self) -> None:
        if not SLOWEST <= self.speed <= FASTEST:
            raise ValueError(f"a speed of {self.speed}: {SLOWEST} to {FASTEST}")
        if not 0 <= self.count_in <= MOST_COUNTED or self.source not in SOURCES:
            raise ValueError(f"{self.count_in} beats of count-in, sound {self.source!r}")


def chosen(lesson: Lesson, wish: Wish) -> Lesson:
    """Give the lesson with only the phrases and the part that are wanted.

    Parameters
    ----------
    lesson : Lesson
    wish : Wish

    Raises
    ------
    JuxtanoteError
        If there is no phrase or part of that name.
    """
    numbered = lesson.phrase(wish.ident) if wish.ident else None
    if numbered is not None:
        return lesson.alone(numbered)
    if wish.part:
        parts = tuple(p for p in lesson.parts if p.name.casefold() == wish.part.casefold())
        if not parts:
            known = ", ".join(f"“{part.name}”" for part in lesson.parts)
            raise JuxtanoteError(f"There is no part “{wish.part}”. There are: {known}.")
        inside = {part.ident for part in parts}
        kept = tuple(phrase for phrase in lesson.phrases if phrase.part in inside)
        lesson = replace(lesson, parts=parts, phrases=kept)
    if not wish.phrase:
        return lesson
    name = wish.phrase.casefold()
    variant = next(
        (v for p in lesson.phrases for v in p.variants if v.name.casefold() == name), None
    )
    named = tuple(replace(p, variants=()) for p in lesson.phrases if p.name.casefold() == name)
    if named:
        return replace(lesson, phrases=named)
    if variant is not None:
        return lesson.alone(variant)
    known = ", ".join(f"“{phrase.name}”" for phrase in lesson.phrases[:12])
    raise JuxtanoteError(f"There is no phrase “{wish.phrase}”. There are: {known or 'none'}.")


def left_to_say(lesson: Lesson, choices: Choices | None) -> tuple[str, ...]:
    """Give the findings of a lesson's phrases as lines, where they are wished for.

    Parameters
    ----------
    lesson : Lesson
    choices : Choices, optional
    """
    if choices is None or not choices.findings:
        return ()
    lines = []
    for phrase in lesson.phrases:
        for finding in find_problems(phrase, lesson):
            at = float(lesson.time_map.to_beats(finding.onset_s)) + 0.12
            bar, beat = lesson.time_map.bar_and_beat(at)
            where = f"bar {bar}, beat {int(beat)}" if bar >= 1 else "pickup"
            lines.append(f"{phrase.name}, {where}: {say_what(finding)}, {say_how_far(finding)}")
    return tuple(lines) or (NOTHING_LEFT,)


def hand_out_several(
    chosen: Sequence[tuple[Lesson, tuple[int, ...]]],
    path: Path,
    write_pages: WritePages | None = None,
    *,
    measure: Measure = roughly,
    choices: Choices | None = None,
    progress: Progress = no_progress,
) -> None:
    """Write phrases of several lessons as one PDF or one lesson page, in the order that is given.

    A lesson page plays the tab alone: no recording is opened for it.

    Parameters
    ----------
    chosen : sequence of tuple
        Each with the numbers of its phrases.
    path : Path
        A ``.pdf`` or ``.html`` file.
    write_pages : WritePages, optional
        Writes a PDF, where there is what draws one.
    measure : Measure, optional
        Gives the width of text in millimetres.
    choices : Choices, optional
        What is shown; the usual, where None.
    progress : Progress, optional
        Told the share that is done, 0 to 1.

    Raises
    ------
    JuxtanoteError
        Where nothing is left to hand out, or the file cannot be written.
    """
    found = [
        (lesson, tuple(p for ident in idents if (p := lesson.phrase(ident)) is not None))
        for lesson, idents in chosen
    ]
    found = [(lesson, phrases) for lesson, phrases in found if any(p.notes for p in phrases)]
    if not found:
        raise JuxtanoteError("None of these phrases is there any more: search again.")
    if path.suffix.lower() == ".html":
        chapters = [Chapter(lesson, Sounds(_tab_of(lesson)), phrases) for lesson, phrases in found]
        page = write_chapters(chapters, measure=measure, choices=choices, progress=progress)
        write_text(path, page)
        return
    if write_pages is None:
        raise JuxtanoteError(NO_PAINTER)
    pages: list[Page] = []
    for number, (lesson, phrases) in enumerate(found):
        progress(number / len(found))
        pages += lay_out(lesson, measure=measure, phrases=phrases, choices=choices)
    write_pages(pages, path, title_of([lesson.title for lesson, _ in found]))


def _tab_of(lesson: Lesson) -> Render:
    return lambda phrase: render_phrase(phrase, lesson, RATE).audio


def hand_out(
    lesson: Lesson,
    path: Path,
    wish: Wish,
    *,
    sound: Sound | None = None,
    write_pages: WritePages | None = None,
    measure: Measure = roughly,
    progress: Progress = no_progress,
) -> None:
    """Write in the format that the suffix names.

    Parameters
    ----------
    sound : Sound, optional
        The recording; it is used only where the lesson says that it may be shared.
    write_pages : callable, optional
        What writes pages as a PDF.

    Raises
    ------
    JuxtanoteError
        If there is nothing to hand out, the recording is wanted and may not be shared, or the file
        cannot be written.
    """
    whole, lesson = lesson, chosen(lesson, wish)
    suffix = path.suffix.lower()
    if suffix not in SUFFIXES:
        raise JuxtanoteError(
            f"“{path.name}”: there is no such export. Choose {', '.join(SUFFIXES)}."
        )
    if not any(phrase.notes for phrase in lesson.phrases):
        raise JuxtanoteError("There are no notes to hand out yet: listen to a phrase first.")
    allowed = sound if whole.recording.may_share else None
    if suffix == ".pdf":
        if write_pages is None:
            raise JuxtanoteError(NO_PAINTER)
        pages = lay_out(
            lesson, measure=measure, choices=wish.choices, progress=progress,
            appendix=left_to_say(lesson, wish.choices),
        )  # fmt: skip
        write_pages(pages, path, lesson.title)
    elif suffix == ".html":
        slowed = replace(lesson.kept.plan, start=min(max(wish.speed, 0.25), 1.25))
        if wish.speed != 1.0:
            lesson = replace(lesson, kept=replace(lesson.kept, plan=slowed))
        share = allowed is not None and wish.source != TAB
        sounds = Sounds(
            _tab_of(lesson),
            (lambda phrase: _cut(phrase, allowed).mean(axis=0)) if share else None,
        )
        page = write_lesson_page(
            lesson, sounds, measure=measure, choices=wish.choices, progress=progress
        )
        write_text(path, page)
    elif suffix in SOUND_SUFFIXES:
        write_sound(path, sound_of(lesson, wish, allowed, progress), RATE)
    else:
        export_lesson(lesson, path)


def sound_of(
    lesson: Lesson, wish: Wish, recording: Sound | None, progress: Progress = no_progress
) -> NDArray[np.float32]:
    """Play phrases one after the other: (n_channels, n_samples) at 44.1 kHz.

    Parameters
    ----------
    lesson : Lesson
    wish : Wish
    recording : Sound, optional
    progress : Progress
        Told how far it is, 0 to 1.

    Raises
    ------
    JuxtanoteError
        If only the recording is wanted, and it is not there or may not be shared.
    """
    if wish.source == RECORDING and recording is None:
        raise JuxtanoteError(
            "The recording is not handed out: open it, and say on the Teach desk that you may share it."
        )
    phrases = [phrase for phrase in lesson.phrases if phrase.notes]
    silence = np.zeros((2, int(BETWEEN_S * RATE)), dtype=np.float32)
    rows: list[NDArray[np.float32]] = []
    for number, phrase in enumerate(phrases):
        step = part_of(progress, number / len(phrases), (number + 1) / len(phrases))
        rows += [silence] if rows else []
        rows += [_counted(phrase, lesson, wish), _played(phrase, lesson, wish, recording, step)]
    return np.concatenate(rows, axis=1)


def _played(
    phrase: Phrase, lesson: Lesson, wish: Wish, recording: Sound | None, progress: Progress
) -> NDArray[np.float32]:
    length = round((phrase.end_s - phrase.start_s) * RATE)
    mixed = np.zeros((2, length), dtype=np.float32)
    if recording is not None and wish.source != TAB:
        cut = _cut(phrase, recording)[:, :length]
        mixed[:, : cut.shape[1]] += RECORDING_LEVEL * cut
    if wish.source != RECORDING:
        tab = render_phrase(phrase, lesson, RATE, progress).audio[:length]
        mixed[:, : len(tab)] += TAB_LEVEL * tab
    mixed /= max(float(np.max(np.abs(mixed), initial=0.0)), 1.0)
    if wish.speed == 1.0:
        return mixed
    attacks = np.array([round((n.onset_s - phrase.start_s) * RATE) for n in phrase.notes])
    return stretch_whole(mixed, wish.speed, np.unique(attacks))


def _counted(phrase: Phrase, lesson: Lesson, wish: Wish) -> NDArray[np.float32]:
    """Click before a phrase, at its tempo and the speed that is played."""
    gap = round(60.0 * RATE / lesson.time_map.tempo_at(phrase.start_s) / wish.speed)
    clicks = np.zeros((2, gap * wish.count_in), dtype=np.float32)
    for beat in range(wish.count_in):
        sound = click_sound(RATE, 1760.0 if beat % lesson.time_map.beats_per_bar == 0 else 1320.0)
        clicks[:, beat * gap : beat * gap + len(sound)] += CLICK_LEVEL * sound[:gap]
    return clicks


def _cut(phrase: Phrase, sound: Sound | None) -> NDArray[np.float32]:
    """Cut a phrase out of the recording, at 44.1 kHz: (2, n_samples)."""
    assert sound is not None
    start, end = (round(t * sound.sample_rate) for t in (phrase.start_s, phrase.end_s))
    audio = to_rate(sound.audio[:, start:end], sound.sample_rate, RATE)
    return np.asarray(audio if audio.shape[0] == 2 else np.repeat(audio, 2, axis=0))

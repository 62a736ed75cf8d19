"""What the phrases heard so far tell of the whole recording: worked out beside the window's thread."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from juxtanote.core.analysis.key import find_keys, pitch_class_weights
from juxtanote.core.analysis.parts import in_harmony
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.placing import guess_tuning, lowest_heard
from juxtanote.core.progress import Progress
from juxtanote.core.score.cuts import lead_spans
from juxtanote.core.score.lesson import Lesson
from juxtanote.core.score.repeats import order_of_parts, phrase_repeats, repeat_words
from juxtanote.core.theory.pitch import pitch_name
from juxtanote.core.theory.tuning import PRESETS, tuning_name

if TYPE_CHECKING:
    from juxtanote.app.whole import Heard


@dataclass(frozen=True, slots=True)
class HeardSoFar:
    """Words for the desk, and where the lead plays."""

    tuning: str
    key: str
    parts: str
    lead: tuple[tuple[float, float], ...]
    repeats: dict[int, str]
    order: str


def heard_so_far(lesson: Lesson, progress: Progress, heard: Heard | None = None) -> HeardSoFar:
    """Look at the notes of all phrases; while there are more of the whole recording, at those."""
    whole = heard.notes if heard is not None else ()
    names = {phrase.ident: phrase.name for phrase in lesson.phrases}
    found = phrase_repeats(lesson, progress)
    repeats = {i: repeat_words(names[e], likeness) for i, (e, likeness) in found.items()}
    spans = sorted((n.onset_s, n.offset_s) for p in lesson.phrases for n in p.notes)
    order = order_of_parts(lesson, found) if repeats else ""
    return HeardSoFar(
        _tuning(lesson, whole),
        _key(lesson, whole),
        _parts(heard) if heard is not None else "",
        lead_spans(spans),
        repeats,
        order,
    )


def _tuning(lesson: Lesson, whole: Sequence[PerceivedNote]) -> str:
    """Say which tuning the notes of the first part would need."""
    first = lesson.parts[0]
    midi = [n.heard.midi for p in lesson.phrases_of(first.ident) for n in p.notes]
    if len(whole) > len(midi):
        midi = [n.midi for n in whole]
    else:  # what lies under the guitar's strings is not written: it tells of another tuning all the same
        under = min(first.guitar.tuning) - 0.5
        midi += [n.midi for n in whole if n.midi < under]
    few = lowest_heard(midi)
    if few is None:
        return "listen to a phrase to estimate it"
    guess = guess_tuning(midi)
    # What lies below the guess is not believed, and not told.
    lowest = few if min(midi) < min(guess) - 0.5 else min(midi)
    names = {tuning: name for name, tuning in PRESETS.items()}
    return (
        f"lowest note heard {pitch_name(lowest)}: {names.get(guess, tuning_name(guess))} would do"
    )


def _key(lesson: Lesson, whole: Sequence[PerceivedNote]) -> str:
    """Say which keys the notes would fit."""
    notes = sorted((n for p in lesson.phrases for n in p.notes), key=lambda n: n.onset_s)
    pitched = [
        (n.heard.midi, n.heard.duration_s) for n in notes if "dead" not in n.written.techniques
    ]
    if len(whole) > len(pitched):
        pitched = [(n.midi, n.offset_s - n.onset_s) for n in whole]
    if len(pitched) < 5:
        return ""
    midi, lasts_s = zip(*pitched, strict=True)
    best, other = find_keys(pitch_class_weights(midi, lasts_s), midi[-1])[:2]
    return f"heard {best.name} {min(best.fit, 1.0):.2f}, or {other.name} {min(other.fit, 1.0):.2f}"


def _parts(heard: Heard) -> str:
    """Say how long the lead plays, and where two lines go together."""
    if not heard.notes:
        return ""
    spans = lead_spans([(n.onset_s, n.offset_s) for n in heard.notes])
    words = [f"the lead plays {_minutes(sum(end - start for start, end in spans))}"]
    if heard.is_all:
        words[0] += f" of {_minutes(heard.sound.duration_s)}"
    pairs = [f"{_minutes(start)} to {_minutes(end)}" for start, end in in_harmony(heard.notes)]
    if pairs:
        words.append(
            f"two lines in thirds or sixths {', '.join(pairs)} (Alt+Shift+H sorts a phrase's)"
        )
    return " · ".join(words)


def _minutes(seconds: float) -> str:
    return f"{round(seconds) // 60}:{round(seconds) % 60:02d}"

"""What the phrases heard so far tell of the whole recording: worked out beside the window's thread."""

from dataclasses import dataclass

from juxtanote.core.analysis.key import find_keys, pitch_class_weights
from juxtanote.core.placing import guess_tuning
from juxtanote.core.progress import Progress
from juxtanote.core.score.cuts import lead_spans
from juxtanote.core.score.lesson import Lesson
from juxtanote.core.score.repeats import order_of_parts, phrase_repeats, repeat_words
from juxtanote.core.theory.pitch import pitch_name
from juxtanote.core.theory.tuning import PRESETS, tuning_name


@dataclass(frozen=True, slots=True)
class HeardSoFar:
    """Words for the desk, and where the lead plays."""

    tuning: str
    key: str
    lead: tuple[tuple[float, float], ...]
    repeats: dict[int, str]
    order: str


def heard_so_far(lesson: Lesson, progress: Progress) -> HeardSoFar:
    """Look at all notes of all phrases."""
    names = {phrase.ident: phrase.name for phrase in lesson.phrases}
    found = phrase_repeats(lesson, progress)
    repeats = {i: repeat_words(names[e], likeness) for i, (e, likeness) in found.items()}
    spans = sorted((n.onset_s, n.offset_s) for p in lesson.phrases for n in p.notes)
    order = order_of_parts(lesson, found) if repeats else ""
    return HeardSoFar(_tuning(lesson), _key(lesson), lead_spans(spans), repeats, order)


def _tuning(lesson: Lesson) -> str:
    """Say which tuning the notes of the first part would need."""
    midi = [n.heard.midi for p in lesson.phrases_of(lesson.parts[0].ident) for n in p.notes]
    if not midi:
        return "listen to a phrase to estimate it"
    guess = guess_tuning(midi)
    names = {tuning: name for name, tuning in PRESETS.items()}
    return f"lowest note heard {pitch_name(min(midi))}: {names.get(guess, tuning_name(guess))} would do"


def _key(lesson: Lesson) -> str:
    """Say which keys the notes would fit."""
    notes = sorted((n for p in lesson.phrases for n in p.notes), key=lambda n: n.onset_s)
    pitched = [n for n in notes if "dead" not in n.written.techniques]
    if len(pitched) < 5:
        return ""
    weights = pitch_class_weights(
        [n.heard.midi for n in pitched], [n.heard.duration_s for n in pitched]
    )
    best, other = find_keys(weights, pitched[-1].heard.midi)[:2]
    return f"heard {best.name} {best.fit:.2f}, or {other.name} {other.fit:.2f}"

"""A phrase as a card: what it is called, what it is made of, and its notes as they can be compared."""

from dataclasses import dataclass
from fractions import Fraction

from juxtanote.core.checks.difficulty import difficulty_of, whole_difficulty
from juxtanote.core.score.form import form_position
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.theory.keys import known_key

MOST_DRAWN = 40  # notes of a card's small picture
Drawn = tuple[float, int, int, tuple[str, ...]]  # beats from the start, string, fret, techniques


@dataclass(frozen=True, slots=True)
class Card:
    """One phrase of a lesson: `pitches` are MIDI, `steps` the beats from each note to the next.

    `picture` is what `drawn` is read of; `difficulty` is from 0 to 10.
    """

    lesson: str
    phrase: str
    ident: int
    start_s: float
    words: str
    key: str
    tempo: float
    form_bar: int  # 0: no form
    strings: tuple[int, ...]
    techniques: tuple[str, ...]
    last_practised: str  # ISO 8601, empty: never
    pitches: tuple[int, ...]
    steps: tuple[float, ...]
    title: str = ""
    bars: int = 0
    difficulty: float = 0.0
    string_count: int = 6
    picture: str = ""  # one string: a collection holds tens of thousands of cards

    @property
    def drawn(self) -> tuple[Drawn, ...]:
        """The first notes, as they lie on the strings."""
        rows = (row.split(",") for row in self.picture.split(";") if row)
        return tuple((float(b), int(s), int(f), tuple(tags)) for b, s, f, *tags in rows)


def cards_of(lesson: Lesson, path: str) -> list[Card]:
    """Make a card of every phrase that has notes, variants among them."""
    practised: dict[int, str] = {}
    for entry in lesson.kept.log:
        for ident in entry.phrases:
            practised[ident] = max(practised.get(ident, ""), entry.date)
    cards = []
    for phrase in lesson.phrases:
        for inside in (phrase, *phrase.variants):
            if inside.notes:
                cards.append(_card(inside, lesson, path, practised.get(inside.ident, "")))
    return cards


def _card(phrase: Phrase, lesson: Lesson, path: str, practised: str) -> Card:
    context = lesson.context(phrase)
    known = known_key(context.key)
    techniques = tuple(sorted({t for n in phrase.notes for t in n.written.techniques}))
    words = " ".join(
        filter(
            None,
            (
                lesson.title, lesson.performer, lesson.teacher, phrase.name, phrase.place_in_form,
                phrase.breakdown, lesson.feel, context.key, context.scale, context.part.name,
                *techniques,
            ),
        )
    )  # fmt: skip
    place = form_position(lesson, phrase.start_s + 0.1)
    guitar = context.guitar
    pitches = tuple(int(guitar.midi_at(n.written.string, n.written.fret)) for n in phrase.notes)
    return Card(
        path, phrase.name, phrase.ident, phrase.start_s, words, known.tonic if known else "",
        context.time_map.tempo_at(phrase.start_s), int(place.split()[1]) if place else 0,
        tuple(sorted({n.written.string for n in phrase.notes})), techniques, practised, pitches,
        _steps(phrase), lesson.title, _bars(phrase, lesson),
        whole_difficulty(difficulty_of(phrase, context)), guitar.string_count, _picture(phrase),
    )  # fmt: skip


def _bars(phrase: Phrase, lesson: Lesson) -> int:
    """Count the bars that a phrase has a stroke in."""
    per_bar = lesson.time_map.beats_per_bar
    return len({int((n.written.onset_beats or Fraction(0)) // per_bar) for n in phrase.notes})


def _picture(phrase: Phrase) -> str:
    begin = min((n.written.onset_beats or Fraction(0)) for n in phrase.notes)
    rows = []
    for note in phrase.notes[:MOST_DRAWN]:
        w = note.written
        beats = round(float((Fraction(0) if w.onset_beats is None else w.onset_beats) - begin), 3)
        rows.append(",".join((f"{beats:g}", str(w.string), str(w.fret), *sorted(w.techniques))))
    return ";".join(rows)


def _steps(phrase: Phrase) -> tuple[float, ...]:
    onsets = [n.written.onset_beats or Fraction(0) for n in phrase.notes]
    return tuple(float(b - a) for a, b in zip(onsets, onsets[1:], strict=False))

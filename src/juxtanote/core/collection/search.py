"""Asking a collection: words and facts in one line, and music."""

import operator
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

import numpy as np

from juxtanote.core.collection.cards import Card
from juxtanote.core.collection.music import (
    Likeness,
    Line,
    Profiles,
    nearness_of,
    nearnesses,
    resemblances,
)
from juxtanote.core.errors import JuxtanoteError

FACTS = ("tempo", "key", "form", "string", "uses", "last", "notes", "bars", "hard", "frets", "by")
EXAMPLES = (
    "tempo:<100", "key:A", "form:bar-11", "string:1-2", "uses:pull-off", "last:>30d", "notes:<20",
    "bars:2", "hard:>5", "frets:5-8-5-7",
    "by:contour", "by:rhythm", "by:intervals",
)  # fmt: skip
COMPARED = 150  # cards that share most intervals are compared note by note
SHARED, OTHER_LENGTH = 0.4, 0.3  # of a family's intervals; and how much longer one may be
MOST_LIKE = 48  # more than anybody looks through, best first
NEAR_ENOUGH = 0.4  # phrases less alike than this are not shown
ALIKE = 0.86  # from here on two phrases are one family
_NUMBER = re.compile(r"^(<=|>=|<|>)?\s*(\d+(?:\.\d+)?)$")
_SIGNS = {"<": operator.lt, ">": operator.gt, "<=": operator.le, ">=": operator.ge}
Test = Callable[[Card], bool]
# Facts that are numbers, and how far off still is that number.
_FIGURES: dict[str, tuple[Callable[[Card], float], float]] = {
    "tempo": (lambda card: card.tempo, 2.0), "notes": (lambda card: len(card.pitches), 0.0),
    "bars": (lambda card: card.bars, 0.0), "hard": (lambda card: card.difficulty, 0.5),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Query:
    """Words that must all be there, and facts that must hold."""

    words: tuple[str, ...] = ()
    tests: tuple[Test, ...] = field(default=())
    told: tuple[str, ...] = ()
    frets: tuple[int, ...] = ()  # a line as it lies on one string
    by: Likeness | None = None  # what music is compared by, where that is said


@dataclass(frozen=True, slots=True)
class Hit:
    """A phrase that was found, how well it fits, and why."""

    card: Card
    score: float
    why: str


def parse_query(text: str, today: date | None = None) -> Query:
    """Read a line such as ``bend tempo:<100 key:A form:bar-11 string:1-2 uses:pull-off last:>30d``.

    Parameters
    ----------
    text : str
        As typed.
    today : date, optional
        For facts such as ``last:>30d``; the real day where None.

    Raises
    ------
    JuxtanoteError
        Naming the fact that cannot be read, and how it is written.

    Examples
    --------
    >>> parse_query("slow bend key:A").words
    ('slow', 'bend')
    """
    words, tests, told = [], [], []
    frets: tuple[int, ...] = ()
    by: Likeness | None = None
    for part in text.split():
        name, colon, value = part.partition(":")
        if colon and name.lower() == "frets":
            frets = _frets(value)
            told.append(part)
        elif colon and name.lower() == "by":
            by = _likeness(value)
        elif colon and name.lower() in FACTS:
            tests.append(_fact(name.lower(), value, today or date.today()))
            told.append(part)
        else:
            words.append(part)
    return Query(tuple(words), tuple(tests), tuple(told), frets, by)


def _likeness(value: str) -> Likeness:
    try:
        return Likeness(value.casefold())
    except ValueError:
        known = ", ".join(likeness.value for likeness in Likeness)
        raise JuxtanoteError(f"“by:{value}”: write one of {known}.") from None


def _frets(value: str) -> tuple[int, ...]:
    if not re.fullmatch(r"\d{1,2}([-,]\d{1,2}){2,63}", value):
        raise JuxtanoteError(
            f"“frets:{value}”: write three frets or more of one string, as frets:5-8-5-7."
        )
    return tuple(int(fret) for fret in re.split("[-,]", value))


def families(hits: Sequence[Hit]) -> list[list[Hit]]:
    """Group what was found: near doubles are one family, in the order of their best.

    A hit joins the first family whose best it resembles in any key.

    Parameters
    ----------
    hits : sequence of Hit
        Best first.
    """
    alike = _alike([hit.card for hit in hits])
    groups: list[list[int]] = []
    for number in range(len(hits)):
        family = next((group for group in groups if (group[0], number) in alike), None)
        if family is None:
            groups.append([number])
        else:
            family.append(number)
    return [[hits[number] for number in group] for group in groups]


def _alike(cards: Sequence[Card]) -> set[tuple[int, int]]:
    """Find pairs of cards, the earlier one first, that are near doubles."""
    lines = [(card.pitches, card.steps) for card in cards]
    lengths = np.array([len(pitches) for pitches, _ in lines])
    maybe = np.triu(resemblances([pitches for pitches, _ in lines]) > SHARED, 1)
    maybe &= np.abs(lengths[:, None] - lengths[None, :]) <= OTHER_LENGTH * lengths[None, :]
    pairs = list(zip(*(numbers.tolist() for numbers in np.nonzero(maybe)), strict=True))
    near = nearness_of(lines, pairs, at_least=ALIKE)
    return {pair for pair, value in zip(pairs, near, strict=True) if value >= ALIKE}


def _fact(name: str, value: str, today: date) -> Test:
    if name in _FIGURES:
        sign, number = _number(name, value)
        figure, tolerance = _FIGURES[name]
        near = sign or (lambda a, b: abs(a - b) <= tolerance)
        return lambda card: near(figure(card), number)
    if name == "key":
        wanted = value.replace("b", "♭").replace("#", "♯").casefold()
        return lambda card: card.key.casefold() == wanted
    if name == "uses":
        return lambda card: value.casefold() in card.techniques
    if name == "form":
        found = re.fullmatch(r"(?:bar-)?(\d+)", value)
        if found is None:
            raise JuxtanoteError(f"“form:{value}”: write a bar of the form, as form:bar-11.")
        bar = int(found.group(1))
        return lambda card: card.form_bar == bar
    if name == "string":
        found = re.fullmatch(r"([1-9])(?:-([1-9]))?", value)
        if found is None:
            raise JuxtanoteError(f"“string:{value}”: write a string or two, as string:1-2.")
        low, high = int(found.group(1)), int(found.group(2) or found.group(1))
        return lambda card: all(min(low, high) <= s <= max(low, high) for s in card.strings)
    found = re.fullmatch(r"(<|>)(\d+)d", value)
    if found is None:
        raise JuxtanoteError(f"“last:{value}”: write days, as last:>30d or last:<7d.")
    edge = (today - timedelta(days=int(found.group(2)))).isoformat()
    older = found.group(1) == ">"
    return lambda card: (card.last_practised < edge) if older else card.last_practised >= edge


def _number(name: str, value: str) -> tuple[Callable[[float, float], bool] | None, float]:
    found = _NUMBER.match(value)
    if found is None:
        raise JuxtanoteError(f"“{name}:{value}”: write a number, as {name}:<100.")
    return _SIGNS.get(found.group(1) or ""), float(found.group(2))


def search(
    cards: Iterable[Card],
    query: Query,
    *,
    like: Sequence[int] = (),
    like_steps: Sequence[float] = (),
    by: Likeness = Likeness.LINE,
    most: int = 50,
    profiles: Profiles | None = None,
) -> list[Hit]:
    """Find cards that hold to a query, nearest music first where some is asked for.

    `cards` are those that have the words already (see `Index.cards`), best first; `profiles` are theirs,
    where somebody keeps them.

    Parameters
    ----------
    cards : iterable of Card
        Best first.
    query : Query
        What they must hold to.
    like : sequence of int, optional
        Pitches of a line that is looked for, MIDI; empty for none.
    like_steps : sequence of float, optional
        Its onsets apart, in beats or seconds; empty where unknown.
    by : Likeness, optional
        What music is compared by, where the query does not say.
    most : int, optional
        How many at the most.
    profiles : Profiles, optional
        Of the cards; worked out where None.
    """
    every = cards if isinstance(cards, list) else list(cards)
    tests = query.tests
    kept = [card for card in every if all(test(card) for test in tests)] if tests else every
    said = ", ".join((*query.words, *query.told))
    if not like:
        count = max(len(kept), 1)
        return [
            Hit(card, round(1.0 - k / (2.0 * count), 3), said or "all")
            for k, card in enumerate(kept[:most])
        ]
    by, wanted = query.by or by, (tuple(like), tuple(like_steps))
    if profiles is None or len(kept) < len(every):
        profiles = Profiles([_line(card) for card in kept], by)
    likely = [kept[n] for n in profiles.likely(wanted, COMPARED)]
    nearness = nearnesses(wanted, [_line(card) for card in likely], NEAR_ENOUGH, by)
    found = [(card, near) for card, near in zip(likely, nearness, strict=True) if near > 0.0]
    found = sorted(found, key=lambda pair: -round(pair[1], 3))[: min(most, MOST_LIKE)]
    reasons = _reasons(wanted, [card for card, _ in found], by)
    return [
        Hit(card, round(near, 3), f"{100 * near:.0f} % {why}" + (f", {said}" if said else ""))
        for (card, near), why in zip(found, reasons, strict=True)
    ]


def _line(card: Card) -> Line:
    return card.pitches, card.steps


def _reasons(wanted: Line, cards: Sequence[Card], by: Likeness) -> list[str]:
    """Say of each card what it is compared by, and how near its other sides come."""
    lines = [_line(card) for card in cards]
    names = [other for other in Likeness if other not in (by, Likeness.LINE)]
    if len(wanted[1]) < 2:  # a line without rhythm
        names = [name for name in names if name is not Likeness.RHYTHM]
    sides = [nearnesses(wanted, lines, by=name) for name in names]
    return [
        f"of the {by}"
        + "".join(f" · {name} {100 * side[k]:.0f}" for name, side in zip(names, sides, strict=True))
        for k in range(len(cards))
    ]

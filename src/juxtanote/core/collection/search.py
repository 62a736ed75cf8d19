"""Asking a collection: words and facts in one line, and music."""

import operator
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

from juxtanote.core.collection.cards import Card
from juxtanote.core.collection.music import nearness, profile, resemblance
from juxtanote.core.errors import JuxtanoteError

FACTS = ("tempo", "key", "form", "string", "uses", "last", "notes")
COMPARED = 600  # cards whose profiles resemble most are compared note by note
NEAR_ENOUGH = 0.4
_NUMBER = re.compile(r"^(<=|>=|<|>)?\s*(\d+(?:\.\d+)?)$")
_SIGNS = {"<": operator.lt, ">": operator.gt, "<=": operator.le, ">=": operator.ge}
Test = Callable[[Card], bool]


@dataclass(frozen=True, slots=True)
class Query:
    """Words that must all be there, and facts that must hold."""

    words: tuple[str, ...] = ()
    tests: tuple[Test, ...] = field(default=())
    told: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Hit:
    """A phrase that was found, how well it fits, and why."""

    card: Card
    score: float
    why: str


def parse_query(text: str, today: date | None = None) -> Query:
    """Read a line such as ``bend tempo:<100 key:A form:bar-11 string:1-2 uses:pull-off last:>30d``.

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
    for part in text.split():
        name, colon, value = part.partition(":")
        if colon and name.lower() in FACTS:
            tests.append(_fact(name.lower(), value, today or date.today()))
            told.append(part)
        else:
            words.append(part)
    return Query(tuple(words), tuple(tests), tuple(told))


def _fact(name: str, value: str, today: date) -> Test:
    if name in ("tempo", "notes"):
        sign, number = _number(name, value)
        near = sign or (lambda a, b: abs(a - b) <= (2.0 if name == "tempo" else 0.0))
        return lambda card: near(card.tempo if name == "tempo" else len(card.pitches), number)
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
    most: int = 50,
) -> list[Hit]:
    """Find cards that hold to a query, nearest music first where some is asked for.

    `cards` are those that have the words already (see `Index.cards`), best first.
    """
    kept = [card for card in cards if all(test(card) for test in query.tests)]
    said = ", ".join((*query.words, *query.told))
    if not like:
        count = max(len(kept), 1)
        return [
            Hit(card, round(1.0 - k / (2.0 * count), 3), said or "all")
            for k, card in enumerate(kept)
        ][:most]
    wanted = profile(tuple(like))
    likely = sorted(kept, key=lambda c: -resemblance(wanted, profile(c.pitches)))[:COMPARED]
    hits = []
    for card in likely:
        near = nearness(like, like_steps, card.pitches, card.steps)
        if near >= NEAR_ENOUGH:
            why = f"{100 * near:.0f} % of the line" + (f", {said}" if said else "")
            hits.append(Hit(card, round(near, 3), why))
    return sorted(hits, key=lambda hit: -hit.score)[:most]

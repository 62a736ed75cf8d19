"""The exact search over a phrase: the cheapest path of the hand through all its events.

A state is where the notes of one event sit, where the index finger is, and on which strings earlier
notes still ring. The cheapest path through all events is found exactly (R. Bellman, *Dynamic
Programming*, 1957); only grips with very many readings are thinned first.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.costs import IMPOSSIBLE, HandStates, Weights, goes_its_way, in_time
from juxtanote.core.fretboard.states import Event, EventKey, Tables
from juxtanote.core.fretboard.strokes import Picking

MOST_RINGING = 48  # of what may still ring: the likeliest that are followed
HASTY_STATES, HASTY_RINGING = 12, 4  # for an answer while one waits; the exact one follows
# Cost of each inside change of the pick: many re-finger a line to avoid them (common practice).
INSIDE = 0.12


@dataclass(frozen=True, slots=True)
class HandPath:
    """One way through a phrase: a place for each note, its cost, and its cost by the first weighting."""

    strings: tuple[int, ...]
    frets: tuple[int, ...]
    positions: tuple[int, ...]
    cost: float
    common_cost: float


@dataclass(slots=True)
class _Column:
    """One event in the search: its states, for each set of ringing strings the cheapest paths.

    `cost` and `back` have the shape (n_weightings, n_keys, n_states); `back` counts through the keys
    and states of the column before. `own` (n_states,) and `move` (n_before, n_states) are the costs
    under the first weighting.
    """

    event: Event
    name: EventKey
    held: HandStates  # the ways to hold the event
    states: HandStates  # the same, once for each stroke where strokes are chosen with them
    keys: list[tuple[int, ...]]  # strings of the ringing notes
    cost: NDArray[np.float64]
    back: NDArray[np.int64]
    own: NDArray[np.float64]
    move: NDArray[np.float64] | None


def twice(states: HandStates) -> HandStates:
    """Give every way to hold an event once for each stroke: first down, then up.

    Parameters
    ----------
    states : HandStates
        n_states ways; twice as many are given.
    """
    return HandStates(
        np.tile(states.strings, (2, 1)), np.tile(states.frets, (2, 1)), np.tile(states.position, 2)
    )


class Chain:
    """The search itself: columns are added one event at a time."""

    def __init__(
        self,
        tables: Tables,
        notes: list[NoteToPlace],
        weights: list[Weights],
        picking: Picking | None = None,
        ways: Sequence[Mapping[int, tuple[int, int]]] = (),
    ) -> None:
        """Begin; with `picking` the inside changes of the pick count.

        With `ways`, one for each of the `weights`, a path under that weighting has these notes on these
        strings and frets.
        """
        self._tables, self._notes, self._picking, self._ways = tables, notes, picking, ways
        self._standing = np.stack([w.standing() for w in weights])
        self._moving = np.stack([w.moving() for w in weights])
        self._columns: list[_Column] = []
        self.is_hasty = False  # from here on only the cheapest few ways to hold an event are kept

    def _off_the_ways(self, event: Event, held: HandStates) -> NDArray[np.float64]:
        """Cost the states that leave the way of a weighting, (n_weightings, n_states)."""
        off = np.zeros((len(self._standing), len(held)), dtype=bool)
        for row, way in zip(off, self._ways, strict=False):
            for column, note in enumerate(event.notes):
                if note in way:
                    string, fret = way[note]
                    row |= (held.strings[:, column] != string) | (held.frets[:, column] != fret)
        return IMPOSSIBLE * off

    def _thinned(
        self, held: HandStates, own: NDArray[np.float64]
    ) -> tuple[HandStates, NDArray[np.float64]]:
        if not self.is_hasty or len(held) <= HASTY_STATES:
            return held, own
        best = np.sort(np.argsort(own[0], kind="stable")[:HASTY_STATES])
        kept = HandStates(held.strings[best], held.frets[best], held.position[best])
        return kept, own[:, best]

    def add(self, event: Event, problems: list[str]) -> None:
        """Extend every cheapest path by one event; what has none is told in `problems`."""
        name, held = self._tables.states(self._notes, event, problems)
        own = self._standing @ self._tables.own(name, held, event)
        whole = len(held)
        held, own = self._thinned(held, own)
        if len(held) < whole:
            name = (*name, ("hasty",))
        common = own[0]
        if self._ways:
            own = own + self._off_the_ways(event, held)
        states, number = held, len(self._columns)
        if self._picking is not None and self._picking.chosen:
            begin = self._picking.begin(number, len(held))
            states, own, common = twice(held), np.tile(own, 2) + begin, np.tile(common, 2) + begin
        if not self._columns:
            back = np.full((len(own), 1, len(states)), -1)
            column = _Column(event, name, held, states, [()], own[:, None, :], back, common, None)
            self._columns.append(column)
            return
        last = self._columns[-1]
        features, forbidden = self._tables.move(
            (last.name, name), (last.held, held), (last.event, event)
        )
        gap = event.onset_s - last.event.onset_s
        move = (in_time(self._moving, gap) @ features).reshape(-1, *forbidden.shape) + forbidden
        if self._picking is not None:
            if self._picking.chosen:
                move = np.tile(move, (1, 2, 2))
            move += INSIDE * self._picking.inside(number, last.held.strings, held.strings)
        if event.ringing:
            keys, cost, back = self._with_ringing(event, states, own, move)
        else:
            # No note rings on: what rang before no longer matters.
            total = last.cost.min(axis=1)[:, :, None] + move
            came = np.argmin(total, axis=1)
            cost = total.min(axis=1)[:, None] + own[:, None]
            key = np.argmin(last.cost, axis=1)[np.arange(len(came))[:, None], came]
            keys, back = [()], (key * len(last.states) + came)[:, None]
        self._columns.append(
            _Column(event, name, held, states, keys, cost, back, common, move[0].copy())
        )

    def _with_ringing(
        self, event: Event, states: HandStates, own: NDArray[np.float64], move: NDArray[np.float64]
    ) -> tuple[list[tuple[int, ...]], NDArray[np.float64], NDArray[np.int64]]:
        """Keep apart the ways whose ringing notes are on different strings."""
        last = self._columns[-1]
        reached: dict[tuple[int, ...], tuple[NDArray[np.float64], NDArray[np.int64]]] = {}
        for number, held in enumerate(last.keys):
            for key, members in self._groups(last, held, event).items():
                total = last.cost[:, number, members][:, :, None] + move[:, members, :]
                came = np.argmin(total, axis=1)
                cost = total.min(axis=1)
                back = number * len(last.states) + np.asarray(members)[came]
                if key in reached:
                    other, path = reached[key]
                    back = np.where(cost < other, back, path)
                    cost = np.minimum(cost, other)
                reached[key] = cost, back
        keys = sorted(reached, key=lambda key: float(reached[key][0].min()))[
            : HASTY_RINGING if self.is_hasty else MOST_RINGING
        ]
        cost = np.stack([reached[key][0] + own for key in keys], axis=1)
        for column, tags in enumerate(event.traits.techniques):
            if tags & {"hammer-on", "pull-off", "slide", "tap"}:
                continue  # a slur takes over the string of the note before it
            for number, key in enumerate(keys):
                cost[:, number] += IMPOSSIBLE * np.isin(states.strings[:, column], key)
        return keys, cost, np.stack([reached[key][1] for key in keys], axis=1)

    def _groups(
        self, last: _Column, held: tuple[int, ...], event: Event
    ) -> dict[tuple[int, ...], list[int]]:
        """Sort the last states by the strings on which notes ring into this event."""
        known = dict(zip(last.event.ringing, held, strict=False))
        place = {note: column for column, note in enumerate(last.event.notes)}
        groups: dict[tuple[int, ...], list[int]] = {}
        for index, strings in enumerate(last.states.strings.tolist()):
            key = tuple(
                strings[place[note]] if note in place else known.get(note, 0)
                for note in event.ringing
            )
            groups.setdefault(key, []).append(index)
        return groups

    def best_paths(self) -> list[HandPath]:
        """Follow the cheapest path back under each of the weightings."""
        costs = self._columns[-1].cost
        each = np.arange(len(costs))
        state = np.argmin(costs.reshape(len(costs), -1), axis=1)
        cost, common = costs.reshape(len(costs), -1)[each, state], np.zeros(len(costs))
        strings, frets, positions = np.zeros((3, len(costs), len(self._notes)), dtype=np.int64)
        following = None
        for column in reversed(self._columns):
            key, here = np.divmod(state, len(column.states))
            common += column.own[here]
            if following is not None:
                common += following[0][here, following[1]]
            notes = list(column.event.notes)
            strings[:, notes] = column.states.strings[here]
            frets[:, notes] = column.states.frets[here]
            positions[:, notes] = column.states.position[here][:, None]
            state = column.back[each, key, here]
            following = (column.move, here) if column.move is not None else None
        rows = zip(strings.tolist(), frets.tolist(), positions.tolist(), strict=True)
        return [
            HandPath(tuple(on), tuple(at), tuple(near), float(cost[k]), float(common[k]))
            for k, (on, at, near) in enumerate(rows)
        ]

    def broken_rules(self, strings: tuple[int, ...], frets: tuple[int, ...]) -> list[str]:
        """Say which notes could not be played as marked, and which locks are to blame.

        Parameters
        ----------
        strings, frets : tuple of int
            Of each note, as placed.
        """
        found = []
        for before, column in zip(self._columns, self._columns[1:], strict=False):
            for note, tags in zip(column.event.notes, column.event.traits.techniques, strict=True):
                slurs = sorted(tags & {"hammer-on", "pull-off"})
                earlier = before.event.notes
                on_it = [frets[m] for m in earlier if strings[m] == strings[note]]
                if slurs and not on_it:
                    found.append(self._torn(slurs[0], note, earlier[0], strings))
                elif slurs and not goes_its_way(tags, np.array(on_it), frets[note]).any():
                    at = column.event.onset_s
                    turn = "rise" if slurs[0] != "pull-off" else "fall"
                    found.append(f"The {slurs[0]} at {at:.2f} s does not {turn} on its string.")
                for other in column.event.ringing:
                    if strings[other] == strings[note] and not tags & {"slide", *slurs}:
                        found.append(self._shared(note, other, strings[note]))
        return found or ["Some slurs cannot be played as marked."]

    def _torn(self, word: str, note: int, before: int, strings: tuple[int, ...]) -> str:
        at = self._notes[note].onset_s
        if self._notes[note].string is not None and self._notes[before].string is not None:
            return (
                f"The {word} at {at:.2f} s is locked on string {strings[note]}, the note before it on "
                f"string {strings[before]}: unlock one, or take the {word} away."
            )
        return f"The {word} at {at:.2f} s has no note before it on its string."

    def _shared(self, note: int, other: int, string: int) -> str:
        at, since = self._notes[note].onset_s, self._notes[other].onset_s
        if self._notes[note].string is not None and self._notes[other].string is not None:
            return (
                f"The notes at {since:.2f} s and {at:.2f} s are both locked on string {string}, but "
                "the first still rings: unlock one, or shorten the first."
            )
        return f"The note at {at:.2f} s shares string {string} with one that still rings."

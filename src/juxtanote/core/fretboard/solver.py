"""The placement of a whole phrase: exact dynamic programming over states of the hand.

A state is where the notes of one event sit, where the index finger is, and on which strings earlier
notes still ring. The cheapest way through all events is found exactly (R. Bellman, *Dynamic
Programming*, 1957); only grips with very many readings are thinned first.
"""

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.fretboard.candidates import NoteToPlace, find_candidates
from juxtanote.core.fretboard.costs import (
    IMPOSSIBLE,
    PROFILES,
    REACH_MM,
    EventTraits,
    HandStates,
    Weights,
    fret_mm,
    moving_terms,
    standing_terms,
)
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.theory.tuning import Guitar

TOGETHER_S = 0.03
RINGS_ON_S = 0.06
MOST_RINGING = 48
MOST_GRIPS = 400


@dataclass(frozen=True, slots=True)
class Placement:
    """One way to play a phrase: for each note its place, and the fret under the index finger."""

    strings: tuple[int, ...]
    frets: tuple[int, ...]
    positions: tuple[int, ...]
    cost: float
    favours: str = "best overall"
    problems: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Event:
    """Notes that start together, as indices into the phrase."""

    notes: tuple[int, ...]
    onset_s: float
    traits: EventTraits
    ringing: tuple[int, ...]  # earlier notes that still sound here


def group_events(
    notes: list[NoteToPlace], clues: list[dict[tuple[int, int], float]] | None = None
) -> list[Event]:
    """Group notes by onset; `notes` must be sorted by onset."""
    events: list[Event] = []
    index = 0
    while index < len(notes):
        last = index + 1
        while last < len(notes) and notes[last].onset_s - notes[index].onset_s < TOGETHER_S:
            last += 1
        members = tuple(range(index, last))
        onset = notes[index].onset_s
        ringing = tuple(
            j
            for j in range(max(index - 40, 0), index)
            if notes[j].offset_s > onset + RINGS_ON_S
            and "dead" not in notes[j].techniques
            # The same pitch struck again may stop its own string.
            and all(abs(notes[j].midi - notes[m].midi) > 0.5 for m in members)
        )
        traits = EventTraits(
            tuple(notes[m].techniques for m in members),
            tuple(notes[m].bend_semitones for m in members),
            max(notes[m].offset_s for m in members) - onset,
            tuple(round(notes[m].midi, 2) for m in members),
            tuple(clues[m] for m in members) if clues else (),
        )
        events.append(Event(members, onset, traits, ringing))
        index = last
    return events


def hand_states(
    guitar: Guitar, notes: list[NoteToPlace], event: Event, problems: list[str]
) -> HandStates:
    """List every way to play one event; where there is none, the nearest attempt and a problem."""
    choices = [_choices(guitar, notes[m], problems) for m in event.notes]
    grips = [
        grip
        for grip in itertools.islice(itertools.product(*choices), 200_000)
        if len({string for string, _ in grip}) == len(grip)
    ]
    if not grips:
        at = notes[event.notes[0]].onset_s
        problems.append(
            f"{len(event.notes)} notes at {at:.2f} s have no string each: "
            "two of them would share one."
        )
        grips = [tuple(options[0] for options in choices)]
    rows: list[tuple[tuple[tuple[int, int], ...], int]] = []
    for grip in sorted(grips, key=_spread)[:MOST_GRIPS]:
        rows += [(grip, position) for position in _positions(guitar, grip, event.traits)]
    if not rows:
        at = notes[event.notes[0]].onset_s
        problems.append(f"The grip at {at:.2f} s is wider than a hand can reach.")
        best = min(grips, key=_spread)
        rows = [(best, max(min(f for _, f in best if f > 0), 1))]
    return HandStates(
        np.array([[s for s, _ in grip] for grip, _ in rows]),
        np.array([[f for _, f in grip] for grip, _ in rows]),
        np.array([position for _, position in rows]),
    )


def _choices(guitar: Guitar, note: NoteToPlace, problems: list[str]) -> list[tuple[int, int]]:
    places = find_candidates(guitar, note)
    if places:
        return places
    if "dead" in note.techniques:
        return [(string, 0) for string in range(1, guitar.string_count + 1)]
    problems.append(
        f"The note at {note.onset_s:.2f} s is outside this guitar: check the tuning or the pitch."
    )
    lowest = guitar.open_midi(guitar.string_count)
    if note.midi < lowest:
        return [(guitar.string_count, 0)]
    return [(1, int(np.clip(round(note.midi) - guitar.open_midi(1), 0, guitar.last_fret)))]


def _spread(grip: tuple[tuple[int, int], ...]) -> int:
    frets = [fret for _, fret in grip if fret > 0]
    return max(frets) - min(frets) if frets else 0


def _positions(guitar: Guitar, grip: tuple[tuple[int, int], ...], traits: EventTraits) -> list[int]:
    """List the frets where the index finger can be while the grip is held."""
    held = [
        fret
        for (_, fret), tags in zip(grip, traits.techniques, strict=True)
        if fret > 0 and not tags & {"tap", "natural-harmonic"}
    ]
    if not held:
        return list(range(1, guitar.last_fret))
    low, high = min(held), max(held)
    first = max(high - 4, 1)
    reach = fret_mm(guitar, np.arange(guitar.last_fret + 1))
    return [p for p in range(first, low + 1) if reach[high] - reach[p] <= REACH_MM]


def solve(
    guitar: Guitar,
    notes: list[NoteToPlace],
    *,
    weights: Weights | None = None,
    favours: str = "best overall",
    clues: list[dict[tuple[int, int], float]] | None = None,
    progress: Progress = no_progress,
) -> Placement:
    """Find the cheapest placement of a phrase.

    Parameters
    ----------
    notes : list of NoteToPlace
        Sorted by onset; a note with string and fret stays there.
    clues : list of dict, optional
        For each note, cost by (string, fret) that the sound suggests.

    Returns
    -------
    placement : Placement
        Always complete; what could not be obeyed is told in `problems`.
    """
    weights = weights or PROFILES[favours]
    if not notes:
        return Placement((), (), (), 0.0, favours)
    problems: list[str] = []
    events = group_events(notes, clues)
    chain = _Chain(guitar, notes, weights)
    for number, event in enumerate(events):
        chain.add(event, hand_states(guitar, notes, event, problems))
        if number % 50 == 0:
            progress(number / len(events))
    strings, frets, positions, cost = chain.best_way()
    broken = int(cost // IMPOSSIBLE)
    if broken:
        problems += chain.broken_rules(strings, frets)
    return Placement(
        strings, frets, positions, cost - broken * IMPOSSIBLE, favours, tuple(problems)
    )


@dataclass(slots=True)
class _Column:
    """The states of one event in the search, with the cheapest way to each."""

    event: Event
    states: HandStates
    held: list[tuple[int, ...]]  # strings of the ringing notes, state by state
    ringing: tuple[int, ...]
    cost: NDArray[np.float64]
    back: NDArray[np.int64]


class _Chain:
    """The search itself: columns are added one event at a time."""

    def __init__(self, guitar: Guitar, notes: list[NoteToPlace], weights: Weights) -> None:
        self._guitar, self._notes, self._weights = guitar, notes, weights
        self._columns: list[_Column] = []

    def add(self, event: Event, states: HandStates) -> None:
        """Extend every cheapest way by one event."""
        terms = standing_terms(self._guitar, states, event.traits, self._weights)
        own = np.sum(list(terms.values()), axis=0)
        if not self._columns:
            empty: list[tuple[int, ...]] = [()] * len(states)
            none = np.full(len(states), -1)
            self._columns.append(_Column(event, states, empty, (), own, none))
            return
        last = self._columns[-1]
        gap = event.onset_s - last.event.onset_s
        moving = moving_terms(
            self._guitar, last.states, states, last.event.traits, event.traits, gap, self._weights
        )
        total = last.cost[:, None] + np.sum(list(moving.values()), axis=0)
        groups = self._groups(last, event)
        if len(groups) == 1 and not next(iter(groups)):
            back = np.argmin(total, axis=0)
            cost = total[back, np.arange(len(states))] + own
            self._columns.append(_Column(event, states, [()] * len(states), (), cost, back))
            return
        self._add_ringing(event, states, own, total, groups)

    def _groups(self, last: _Column, event: Event) -> dict[tuple[int, ...], list[int]]:
        """Sort the last states by the strings on which notes ring into this event."""
        groups: dict[tuple[int, ...], list[int]] = {}
        for index in range(len(last.states)):
            strings = dict(zip(last.ringing, last.held[index], strict=True))
            for column, note in enumerate(last.event.notes):
                strings[note] = int(last.states.strings[index, column])
            key = tuple(strings.get(note, 0) for note in event.ringing)
            groups.setdefault(key, []).append(index)
        if len(groups) > MOST_RINGING:
            best = sorted(groups, key=lambda key: float(last.cost[groups[key]].min()))
            groups = {key: groups[key] for key in best[:MOST_RINGING]}
        return groups

    def _add_ringing(
        self,
        event: Event,
        states: HandStates,
        own: NDArray[np.float64],
        total: NDArray[np.float64],
        groups: dict[tuple[int, ...], list[int]],
    ) -> None:
        kept, costs, backs, held = [], [], [], []
        tied = [
            bool(t & {"hammer-on", "pull-off", "slide", "tap"}) for t in event.traits.techniques
        ]
        for key, members in groups.items():
            part = total[members]
            best = np.argmin(part, axis=0)
            cost = part[best, np.arange(len(states))] + own
            for column in range(states.strings.shape[1]):
                if not tied[column]:  # a slur takes over the string of the note before it
                    shared = np.isin(states.strings[:, column], key)
                    cost = cost + np.where(shared, IMPOSSIBLE, 0.0)
            kept.append(np.arange(len(states)))
            costs.append(cost)
            backs.append(np.asarray(members)[best])
            held += [key] * len(states)
        index = np.concatenate(kept)
        cost_all = np.concatenate(costs)
        order = np.argsort(cost_all, kind="stable")[:4000]
        self._columns.append(
            _Column(
                event,
                states.take(index[order]),
                [held[i] for i in order],
                event.ringing,
                cost_all[order],
                np.concatenate(backs)[order],
            )
        )

    def best_way(self) -> tuple[tuple[int, ...], tuple[int, ...], tuple[int, ...], float]:
        """Follow the cheapest way back."""
        count = len(self._notes)
        strings, frets, positions = [0] * count, [0] * count, [0] * count
        state = int(np.argmin(self._columns[-1].cost))
        cost = float(self._columns[-1].cost[state])
        for column in reversed(self._columns):
            for place, note in enumerate(column.event.notes):
                strings[note] = int(column.states.strings[state, place])
                frets[note] = int(column.states.frets[state, place])
                positions[note] = int(column.states.position[state])
            state = int(column.back[state])
        return tuple(strings), tuple(frets), tuple(positions), cost

    def broken_rules(self, strings: tuple[int, ...], frets: tuple[int, ...]) -> list[str]:
        """Say which notes could not be played as marked."""
        found = []
        for before, column in zip(self._columns, self._columns[1:], strict=False):
            for note, tags in zip(column.event.notes, column.event.traits.techniques, strict=True):
                at = column.event.onset_s
                tied = tags & {"hammer-on", "pull-off", "tap"}
                earlier = [(strings[m], frets[m]) for m in before.event.notes]
                if tied and strings[note] not in [s for s, _ in earlier]:
                    word = sorted(tied)[0]
                    found.append(f"The {word} at {at:.2f} s has no note before it on its string.")
                for other in column.event.ringing:
                    if strings[other] == strings[note] and not tags & {"slide", *tied}:
                        found.append(
                            f"The note at {at:.2f} s shares string {strings[note]} with one that "
                            "still rings."
                        )
        return found or ["Some slurs cannot be played as marked."]


def alternatives(
    guitar: Guitar,
    notes: list[NoteToPlace],
    *,
    clues: list[dict[tuple[int, int], float]] | None = None,
    most: int = 5,
) -> list[Placement]:
    """Give up to five different placements, the best first, each named by what it favours."""
    found: list[Placement] = []
    for name in PROFILES:
        placement = solve(guitar, notes, favours=name, clues=clues)
        same = any(p.strings == placement.strings and p.frets == placement.frets for p in found)
        if not same:
            found.append(placement)
    return found[:most]

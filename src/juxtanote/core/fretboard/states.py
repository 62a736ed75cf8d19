"""The hand at one event of a phrase: every way to hold its notes, and the features of each way.

Features do not depend on where in the phrase an event stands, so they are kept by what is played: a
phrase that is solved again after one change finds almost all of them ready.
"""

import itertools
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from juxtanote.core.fretboard.candidates import NoteToPlace, find_candidates
from juxtanote.core.fretboard.costs import (
    REACH_MM,
    Array,
    EventTraits,
    HandStates,
    bar_can_hold,
    forbidden_moves,
    fret_mm,
    moving_features,
    standing_features,
)
from juxtanote.core.theory.tuning import MOST_STRINGS, Guitar

TOGETHER_S = 0.03  # onsets so near are one grip
RINGS_ON_S = 0.2  # an overlap so short does not hold a finger down: ends are heard no better
MOST_GRIPS = 400  # of one moment that are followed
MOST_TRIED = 4000  # ways to put the fingers of one moment
MOST_STATES = 300  # hands of one moment that are followed
MOST_SOUNDING = 40  # what may sound at once, the likeliest of it
MOST_KEPT = 12_000_000  # numbers, about 100 MB


@dataclass(frozen=True, slots=True)
class Event:
    """Notes that start together, as indices into the phrase."""

    notes: tuple[int, ...]
    onset_s: float
    traits: EventTraits
    ringing: tuple[int, ...]  # earlier notes that still sound here


def group_events(notes: list[NoteToPlace]) -> list[Event]:
    """Group notes by onset; `notes` must be sorted by onset."""
    events: list[Event] = []
    sounding: list[int] = []
    index = 0
    while index < len(notes):
        last = index + 1
        while last < len(notes) and notes[last].onset_s - notes[index].onset_s < TOGETHER_S:
            last += 1
        members = tuple(range(index, last))
        onset = notes[index].onset_s
        sounding = [j for j in sounding if notes[j].offset_s > onset + RINGS_ON_S]
        # The same pitch struck again may stop its own string.
        ringing = tuple(
            j
            for j in sounding[-MOST_SOUNDING:]
            if all(abs(notes[j].midi - notes[m].midi) > 0.5 for m in members)
        )
        sounding += [m for m in members if "dead" not in notes[m].techniques]
        traits = EventTraits(
            tuple(notes[m].techniques for m in members),
            tuple(notes[m].bend_semitones for m in members),
            max(notes[m].offset_s for m in members) - onset,
            tuple(round(notes[m].midi, 2) for m in members),
            tuple(dict(notes[m].clue) for m in members),
            max(round(notes[m].legato, 1) for m in members),
            tuple(notes[m].slur_price for m in members),
        )
        events.append(Event(members, onset, traits, ringing))
        index = last
    return events


def hand_states(
    guitar: Guitar, notes: list[NoteToPlace], event: Event, problems: list[str]
) -> HandStates:
    """List every way to play one event; where there is none, the nearest attempt and a problem.

    Parameters
    ----------
    guitar : Guitar
    notes : list of NoteToPlace
        By onset.
    event : Event
        Which of them are struck together.
    problems : list of str
        Where a problem is added.
    """
    choices = [_choices(guitar, notes[m], problems) for m in event.notes]
    grips = [
        grip
        for grip in itertools.islice(_grips(choices), MOST_TRIED)
        if bar_can_hold(grip, event.traits.techniques)
    ]
    if not grips:
        at = notes[event.notes[0]].onset_s
        problems.append(_no_grip(notes, event, at))
        grips = [tuple(options[0] for options in choices)]
    rows: list[tuple[tuple[tuple[int, int], ...], int]] = []
    for grip in sorted(grips, key=_spread)[:MOST_GRIPS]:
        rows += [(grip, position) for position in _positions(guitar, grip, event.traits)]
        if len(rows) >= MOST_STATES:
            break
    if not rows:
        at = notes[event.notes[0]].onset_s
        problems.append(f"The grip at {at:.2f} s is wider than a hand can reach.")
        best = min(grips, key=_spread)
        rows = [(best, max(min((f for _, f in best if f > 0), default=1), 1))]
    return HandStates(
        np.array([[s for s, _ in grip] for grip, _ in rows]),
        np.array([[f for _, f in grip] for grip, _ in rows]),
        np.array([position for _, position in rows]),
    )


def _grips(choices: list[list[tuple[int, int]]]) -> Iterator[tuple[tuple[int, int], ...]]:
    """Give every choice of a place for each note with no string taken twice, first places first."""
    if len(choices) > MOST_STRINGS:
        return
    # Notes with few places are chosen first: a string that they need is then known to be taken.
    order = sorted(range(len(choices)), key=lambda k: len(choices[k]))
    chosen: dict[int, tuple[int, int]] = {}
    taken: set[int] = set()

    def choose(step: int) -> Iterator[tuple[tuple[int, int], ...]]:
        if step == len(order):
            yield tuple(chosen[k] for k in range(len(choices)))
            return
        for place in choices[order[step]]:
            if place[0] not in taken:
                chosen[order[step]] = place
                taken.add(place[0])
                yield from choose(step + 1)
                taken.discard(place[0])

    yield from choose(0)


def _no_grip(notes: list[NoteToPlace], event: Event, at_s: float) -> str:
    """Say why the notes of an event have no grip."""
    locked = [string for m in event.notes if (string := notes[m].string) is not None]
    twice = {string for string in locked if locked.count(string) > 1}
    if twice:
        return (
            f"Two notes at {at_s:.2f} s are both locked on string {min(twice)}, which sounds one "
            "note at a time: unlock one of them."
        )
    if event.traits.has("bar"):
        return f"The notes at {at_s:.2f} s do not lie under one straight bar."
    return f"{len(event.notes)} notes at {at_s:.2f} s have no string each: two of them would share one."


def _choices(guitar: Guitar, note: NoteToPlace, problems: list[str]) -> list[tuple[int, int]]:
    if note.string is not None and note.fret is not None:
        if note.string <= guitar.string_count and note.fret <= guitar.last_fret:
            return [(note.string, note.fret)]
        problems.append(
            f"String {note.string}, fret {note.fret} at {note.onset_s:.2f} s is not on this guitar: "
            "the note is placed anew."
        )
        note = replace(note, string=None, fret=None)
    places = find_candidates(guitar, note)
    if not places and note.string is not None and note.string > guitar.string_count:
        places = find_candidates(guitar, replace(note, string=None))
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
    barred = [f for (_, f), tags in zip(grip, traits.techniques, strict=True) if "bar" in tags]
    if barred:
        return [max(max(barred) - guitar.bar_finger + 1, 1)]
    held = [
        fret
        for (_, fret), tags in zip(grip, traits.techniques, strict=True)
        if fret > 0 and not tags & {"tap", "natural-harmonic"}
    ]
    if not held:
        return list(range(1, guitar.last_fret))
    low, high = min(held), max(held)
    first = max(high - 4, 1)
    reach = fret_mm(guitar, np.arange(max(guitar.last_fret, high) + 1))
    return [p for p in range(first, low + 1) if reach[high] - reach[p] <= REACH_MM]


class Tables:
    """Ways to hold events and their features on one guitar, kept by what is played."""

    def __init__(self, guitar: Guitar) -> None:
        self._guitar = guitar
        self._states: dict[EventKey, HandStates] = {}
        self._own: dict[EventKey, Array] = {}
        self._moves: dict[tuple[EventKey, EventKey], tuple[Array, Array]] = {}
        self._kept = 0

    def states(
        self, notes: list[NoteToPlace], event: Event, problems: list[str]
    ) -> tuple["EventKey", HandStates]:
        """Give every way to hold an event, and the key by which its features are kept.

        Parameters
        ----------
        notes : list of NoteToPlace
            By onset.
        event : Event
            Which of them are struck together.
        problems : list of str
            Where a problem is added.
        """
        key = event_key(notes, event)
        known = self._states.get(key)
        if known is not None:
            return key, known
        told = len(problems)
        made = hand_states(self._guitar, notes, event, problems)
        if len(problems) == told:  # what goes wrong is told anew each time
            self._states[key] = made
        return key, made

    def own(self, key: "EventKey", states: HandStates, event: Event) -> Array:
        """Give the features of each state on its own: (len(STANDING), n_states).

        Parameters
        ----------
        key : EventKey
            As `states` gives it.
        states : HandStates
            Of the event.
        event : Event
        """
        known = self._own.get(key)
        if known is None:
            known = standing_features(self._guitar, states, event.traits)
            self._own[key] = known
        return known

    def move(
        self,
        keys: tuple["EventKey", "EventKey"],
        states: tuple[HandStates, HandStates],
        events: tuple[Event, Event],
    ) -> tuple[Array, Array]:
        """Give the features of every move to the next event, before haste, and what is forbidden.

        Shapes (len(MOVING), n_before * n_after) and (n_before, n_after).

        Parameters
        ----------
        keys : (EventKey, EventKey)
            Of an event and the next.
        states : (HandStates, HandStates)
            Of both.
        events : (Event, Event)
        """
        known = self._moves.get(keys)
        if known is None:
            traits = events[0].traits, events[1].traits
            features = moving_features(self._guitar, *states, *traits)
            known = features.reshape(len(features), -1), forbidden_moves(*states, *traits)
            self._kept += features.size
            if self._kept > MOST_KEPT:
                self._moves.clear()
                self._kept = features.size
            self._moves[keys] = known
        return known


EventKey = tuple[tuple[object, ...], ...]


def event_key(notes: list[NoteToPlace], event: Event) -> EventKey:
    """Name what is played at an event, wherever it stands.

    Parameters
    ----------
    notes : list of NoteToPlace
        By onset.
    event : Event
        Which of them are struck together.
    """
    return tuple(
        (
            n.midi,
            n.techniques,
            n.bend_semitones,
            n.string,
            n.fret,
            round(n.legato, 1),
            n.clue,
            n.slur_price,
        )
        for n in (notes[m] for m in event.notes)
    )


@lru_cache(maxsize=2)
def tables_for(guitar: Guitar) -> Tables:
    """Give the tables of a guitar, the same ones each time."""
    return Tables(guitar)

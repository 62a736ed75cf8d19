"""The placement of a whole phrase: exact dynamic programming over states of the hand.

A state is where the notes of one event sit, where the index finger is, and on which strings earlier
notes still ring. The cheapest way through all events is found exactly (R. Bellman, *Dynamic
Programming*, 1957); only grips with very many readings are thinned first.
"""

import itertools
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.fretboard.candidates import NoteToPlace, find_candidates
from juxtanote.core.fretboard.costs import (
    IMPOSSIBLE,
    MOVING,
    PROFILES,
    REACH_MM,
    STANDING,
    EventTraits,
    HandStates,
    Weights,
    bar_is_straight,
    forbidden_moves,
    fret_mm,
    moving_features,
    standing_features,
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
        and bar_is_straight(tuple(fret for _, fret in grip), event.traits.techniques)
    ]
    if not grips:
        at = notes[event.notes[0]].onset_s
        problems.append(_no_grip(notes, event, at))
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
    barred = [f for (_, f), tags in zip(grip, traits.techniques, strict=True) if "bar" in tags]
    if barred:  # the bar is on the ring finger
        return [max(barred[0] - 2, 1)]
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
    chosen = {favours: weights or PROFILES[favours]}
    return solve_all(guitar, notes, chosen, clues=clues, progress=progress)[0]


def solve_all(
    guitar: Guitar,
    notes: list[NoteToPlace],
    profiles: dict[str, Weights],
    *,
    clues: list[dict[tuple[int, int], float]] | None = None,
    progress: Progress = no_progress,
) -> list[Placement]:
    """Find the cheapest placement under each of several weightings, in one pass."""
    if not notes:
        return [Placement((), (), (), 0.0, name) for name in profiles]
    problems: list[str] = []
    events = group_events(notes, clues)
    chain = _Chain(guitar, notes, list(profiles.values()))
    for number, event in enumerate(events):
        chain.add(event, hand_states(guitar, notes, event, problems))
        if number % 50 == 0:
            progress(number / len(events))
    found = []
    for which, name in enumerate(profiles):
        strings, frets, positions, cost = chain.best_way(which)
        broken = int(cost // IMPOSSIBLE)
        told = problems + (chain.broken_rules(strings, frets) if broken else [])
        cost -= broken * IMPOSSIBLE
        found.append(Placement(strings, frets, positions, cost, name, tuple(told)))
    return found


@dataclass(slots=True)
class _Column:
    """One event in the search: its states, for each set of ringing strings the cheapest ways.

    `cost` and `back` have the shape (n_weightings, n_keys, n_states); `back` counts through the keys
    and states of the column before.
    """

    event: Event
    states: HandStates
    keys: list[tuple[int, ...]]  # strings of the ringing notes
    cost: NDArray[np.float64]
    back: NDArray[np.int64]


class _Chain:
    """The search itself: columns are added one event at a time."""

    def __init__(self, guitar: Guitar, notes: list[NoteToPlace], weights: list[Weights]) -> None:
        self._guitar, self._notes = guitar, notes
        self._standing = np.stack([w.standing() for w in weights])
        self._moving = np.stack([w.moving() for w in weights])
        self._columns: list[_Column] = []

    def add(self, event: Event, states: HandStates) -> None:
        """Extend every cheapest way by one event."""
        own = self._standing @ standing_features(self._guitar, states, event.traits)
        if not self._columns:
            back = np.full((len(own), 1, len(states)), -1)
            self._columns.append(_Column(event, states, [()], own[:, None, :], back))
            return
        last = self._columns[-1]
        features = moving_features(
            self._guitar, last.states, states, last.event.traits, event.traits,
            event.onset_s - last.event.onset_s,
        )  # fmt: skip
        move = np.tensordot(self._moving, features, 1)
        move += forbidden_moves(last.states, states, last.event.traits, event.traits)
        if event.ringing:
            self._add_ringing(event, states, own, move)
            return
        # No note rings on: what rang before no longer matters.
        best_key = np.argmin(last.cost, axis=1)
        reached = np.take_along_axis(last.cost, best_key[:, None, :], axis=1)[:, 0]
        total = reached[:, :, None] + move
        came = np.argmin(total, axis=1)
        cost = np.take_along_axis(total, came[:, None, :], axis=1)[:, 0] + own
        back = np.take_along_axis(best_key, came, axis=1) * len(last.states) + came
        self._columns.append(_Column(event, states, [()], cost[:, None], back[:, None]))

    def _add_ringing(
        self,
        event: Event,
        states: HandStates,
        own: NDArray[np.float64],
        move: NDArray[np.float64],
    ) -> None:
        """Keep apart the ways whose ringing notes are on different strings."""
        last = self._columns[-1]
        reached: dict[tuple[int, ...], tuple[NDArray[np.float64], NDArray[np.int64]]] = {}
        for number, held in enumerate(last.keys):
            for key, members in self._groups(last, held, event).items():
                total = last.cost[:, number, members][:, :, None] + move[:, members, :]
                came = np.argmin(total, axis=1)
                cost = np.take_along_axis(total, came[:, None, :], axis=1)[:, 0]
                back = number * len(last.states) + np.asarray(members)[came]
                if key in reached:
                    other, way = reached[key]
                    back = np.where(cost < other, back, way)
                    cost = np.minimum(cost, other)
                reached[key] = cost, back
        keys = sorted(reached, key=lambda key: float(reached[key][0].min()))[:MOST_RINGING]
        cost = np.stack([reached[key][0] + own for key in keys], axis=1)
        for column, tags in enumerate(event.traits.techniques):
            if tags & {"hammer-on", "pull-off", "slide", "tap"}:
                continue  # a slur takes over the string of the note before it
            for number, key in enumerate(keys):
                cost[:, number] += IMPOSSIBLE * np.isin(states.strings[:, column], key)
        back = np.stack([reached[key][1] for key in keys], axis=1)
        self._columns.append(_Column(event, states, keys, cost, back))

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

    def best_way(
        self, which: int
    ) -> tuple[tuple[int, ...], tuple[int, ...], tuple[int, ...], float]:
        """Follow the cheapest way back under one of the weightings."""
        count = len(self._notes)
        strings, frets, positions = [0] * count, [0] * count, [0] * count
        state = int(np.argmin(self._columns[-1].cost[which]))
        cost = float(self._columns[-1].cost[which].flat[state])
        for column in reversed(self._columns):
            key, here = divmod(state, len(column.states))
            for place, note in enumerate(column.event.notes):
                strings[note] = int(column.states.strings[here, place])
                frets[note] = int(column.states.frets[here, place])
                positions[note] = int(column.states.position[here])
            state = int(column.back[which, key, here])
        return tuple(strings), tuple(frets), tuple(positions), cost

    def broken_rules(self, strings: tuple[int, ...], frets: tuple[int, ...]) -> list[str]:
        """Say which notes could not be played as marked, and which locks are to blame."""
        found = []
        for before, column in zip(self._columns, self._columns[1:], strict=False):
            for note, tags in zip(column.event.notes, column.event.traits.techniques, strict=True):
                tied = sorted(tags & {"hammer-on", "pull-off", "tap"})
                earlier = [(m, strings[m]) for m in before.event.notes]
                if tied and strings[note] not in [s for _, s in earlier]:
                    found.append(self._torn(tied[0], note, earlier[0][0], strings))
                elif tied and not self._goes_right(tied[0], note, before, strings, frets):
                    at = column.event.onset_s
                    way = "rise" if tied[0] != "pull-off" else "fall"
                    found.append(f"The {tied[0]} at {at:.2f} s does not {way} on its string.")
                for other in column.event.ringing:
                    if strings[other] == strings[note] and not tags & {"slide", *tied}:
                        found.append(self._shared(note, other, strings[note]))
        return found or ["Some slurs cannot be played as marked."]

    def _goes_right(
        self,
        word: str,
        note: int,
        before: _Column,
        strings: tuple[int, ...],
        frets: tuple[int, ...],
    ) -> bool:
        on = [frets[m] for m in before.event.notes if strings[m] == strings[note]]
        return any(f > frets[note] if word == "pull-off" else f < frets[note] for f in on)

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


UNEVEN = 0.7
"""Cost of each change in the number of notes a string, where a line runs across the strings."""


def unevenness(notes: list[NoteToPlace], placement: Placement) -> float:
    """Count where a run across the strings changes its number of notes a string.

    Hands like patterns: two a string, three a string, one a string (common practice).
    """
    runs: list[list[int]] = []  # string, number of notes
    for index, string in enumerate(placement.strings):
        together = index > 0 and notes[index].onset_s - notes[index - 1].onset_s < TOGETHER_S
        if together:
            return 0.0
        if runs and runs[-1][0] == string:
            runs[-1][1] += 1
        else:
            runs.append([string, 1])
    changes = 0.0
    inner = runs[1:-1]
    for (string, count), (after, following) in zip(inner, inner[1:], strict=False):
        if abs(string - after) == 1 and count != following:
            changes += 1.0
    return changes


def alternatives(
    guitar: Guitar,
    notes: list[NoteToPlace],
    *,
    clues: list[dict[tuple[int, int], float]] | None = None,
    most: int = 5,
    progress: Progress = no_progress,
) -> list[Placement]:
    """Give up to five different placements, the best first, each named by what it favours.

    Each is the exact optimum of its own weighting; they are ranked by one common measure, the cost
    of the first weighting and how evenly lines run across the strings.
    """
    profiles = _profiles_for(notes)
    common = next(iter(profiles.values()))
    ranked: list[tuple[float, Placement]] = []
    for placement in solve_all(guitar, notes, profiles, clues=clues, progress=progress):
        same = any(p.strings == placement.strings and p.frets == placement.frets for _, p in ranked)
        if not same:
            cost = cost_of(guitar, notes, placement, common, clues=clues)
            ranked.append((cost + UNEVEN * unevenness(notes, placement), placement))
    ranked.sort(key=lambda entry: entry[0])
    best = replace(ranked[0][1], favours="best overall")
    others = [
        p if p.favours != "best overall" else replace(p, favours="least effort")
        for _, p in ranked[1:]
    ]
    return [best, *_different(best, others)][:most]


def place(
    guitar: Guitar,
    notes: list[NoteToPlace],
    *,
    clues: list[dict[tuple[int, int], float]] | None = None,
    progress: Progress = no_progress,
) -> Placement:
    """Give the placement that is ranked first."""
    return alternatives(guitar, notes, clues=clues, most=1, progress=progress)[0]


def _different(best: Placement, others: list[Placement]) -> list[Placement]:
    """Order placements so that each differs much from those before it, cheap ones first."""
    chosen, rest = [best], list(others)
    while rest:

        def gain(item: tuple[int, Placement]) -> float:
            rank, p = item
            return min(_apart(p, c) for c in chosen) - 0.05 * rank

        index, pick = max(enumerate(rest), key=gain)
        chosen.append(pick)
        del rest[index]
    return chosen[1:]


def _apart(a: Placement, b: Placement) -> float:
    """Give the share of notes that sit elsewhere."""
    pairs = zip(a.strings, a.frets, b.strings, b.frets, strict=True)
    return sum((s, f) != (t, g) for s, f, t, g in pairs) / max(len(a.strings), 1)


def _profiles_for(notes: list[NoteToPlace]) -> dict[str, Weights]:
    """Choose the weightings: what a person has locked says more of the place than our habits do."""
    if any(note.string is not None for note in notes):
        return {name: weights.more(**LOCKED) for name, weights in PROFILES.items()}
    return PROFILES


LOCKED = {
    "thick_string": 0.5, "low_position": 0.4, "high_position": 0.4, "top_position": 0.4, "high_fret": 0.5,
    "low_fret": 0.5, "shift": 1.4, "travel": 1.4, "grip_moves": 2.0, "grip_breaks": 2.0,
}  # fmt: skip


def cost_of(
    guitar: Guitar,
    notes: list[NoteToPlace],
    placement: Placement,
    weights: Weights,
    *,
    clues: list[dict[tuple[int, int], float]] | None = None,
) -> float:
    """Cost a placement as it stands under some weighting."""
    standing, moving, forbidden = path_features(guitar, notes, placement, clues=clues)
    return float(weights.standing() @ standing + weights.moving() @ moving + forbidden)


def path_features(
    guitar: Guitar,
    notes: list[NoteToPlace],
    placement: Placement,
    *,
    clues: list[dict[tuple[int, int], float]] | None = None,
) -> tuple[NDArray[np.float64], NDArray[np.float64], float]:
    """Add up the features along a placement: standing, moving, and what is forbidden."""
    standing, moving, forbidden = np.zeros(len(STANDING)), np.zeros(len(MOVING)), 0.0
    last: tuple[Event, HandStates] | None = None
    for event in group_events(notes, clues):
        states = HandStates(
            np.array([[placement.strings[m] for m in event.notes]]),
            np.array([[placement.frets[m] for m in event.notes]]),
            np.array([placement.positions[event.notes[0]]]),
        )
        standing += standing_features(guitar, states, event.traits)[:, 0]
        if last is not None:
            before, held = last
            gap = event.onset_s - before.onset_s
            moving += moving_features(guitar, held, states, before.traits, event.traits, gap)[
                :, 0, 0
            ]
            forbidden += float(forbidden_moves(held, states, before.traits, event.traits)[0, 0])
        last = event, states
    return standing, moving, forbidden

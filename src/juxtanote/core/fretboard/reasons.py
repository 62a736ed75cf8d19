"""Why a note sits where it does: every place it could have, what each costs, in plain words."""

from dataclasses import dataclass

import numpy as np

from juxtanote.core.fretboard.candidates import NoteToPlace, find_candidates
from juxtanote.core.fretboard.costs import (
    BASE,
    IMPOSSIBLE,
    MOVING,
    STANDING,
    HandStates,
    forbidden_moves,
    in_time,
    moving_features,
    standing_features,
)
from juxtanote.core.fretboard.search import INSIDE
from juxtanote.core.fretboard.solver import Placement
from juxtanote.core.fretboard.states import Event, group_events, hand_states
from juxtanote.core.fretboard.strokes import choose_strokes, count_changes
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.theory.tuning import Guitar


@dataclass(frozen=True, slots=True)
class Candidate:
    """One place for a note: what it costs beside its neighbours, and why."""

    string: int
    fret: int
    cost: float
    words: str
    possible: bool
    chosen: bool


@dataclass(frozen=True, slots=True)
class Reasons:
    """What the card shows for a note."""

    why: tuple[str, ...]
    candidates: tuple[Candidate, ...]


TORN, PICKED = "torn", "inside change"
SPEAKS = 0.4  # from here on a clue of the sound is told
_WORDS = {
    "shift": "the hand has to shift",
    "travel": "the hand has to travel",
    "string change": "further strings apart",
    "string skip": "jumps over a string",
    "leave slide": "leaves the string of its slide",
    TORN: "leaves the string of its slur or slide",
    "stretch": "a wide stretch",
    "thick string": "a thicker string",
    "thick singing": "a thick string to sing on",
    "thick muted": "a thin string to mute",
    "open string": "open, far from the hand",
    "open near": "open, cannot be shaped",
    "open in grip": "an open string inside a grip",
    "open ringing": "an open string would ring longer",
    "high fret": "high on the neck",
    "low fret": "stiff so near the nut",
    "low position": "lower on the neck than usual",
    "high position": "higher on the neck than usual",
    "top position": "far up the neck",
    "grip": "an unusual grip",
    "grip moves": "the grip before is on other strings",
    "grip breaks": "the same shape was on other strings",
    "grip shift": "the grip has to move",
    "weak finger": "falls to the little finger",
    "bend place": "hard to bend here",
    "vibrato place": "hard to shake here",
    "low tap": "low for a tap",
    "repeat elsewhere": "the same pitch was just elsewhere",
    "step across": "a small step over two strings",
    "leap along": "a leap along one string",
    "bar moves": "the bar has to be set down elsewhere",
    "tears": "leaves the string of a note it may be slurred from",
    "sound": "the sound speaks against it",
    PICKED: "an inside change of the pick",
}


def explain(
    guitar: Guitar,
    notes: list[NoteToPlace],
    placement: Placement,
    index: int,
    *,
    school: str | None = None,
    progress: Progress = no_progress,
) -> Reasons:
    """Explain one note of a placed phrase: its neighbours stay where they are.

    With a picking `school` the inside changes that a place makes count as well.

    Parameters
    ----------
    guitar : Guitar
        Its tuning, capo and frets.
    notes : list of NoteToPlace
        By onset in seconds; pitches are MIDI.
    placement : Placement
        A string and a fret for each of the notes.
    index : int
        Of the note that is asked about, from 0.
    school : str, optional
        Way of picking, such as ``"alternate"``; None leaves strokes out.
    progress : Progress
        Told how far it is, 0 to 1.
    """
    events = group_events(notes)
    progress(0.3)
    number = next(k for k, event in enumerate(events) if index in event.notes)
    costs = {
        place: _place_terms(guitar, notes, placement, events, number, index, place)
        for place in _places(
            guitar, notes[index], (placement.strings[index], placement.frets[index])
        )
    }
    chosen = (placement.strings[index], placement.frets[index])
    if school is not None:
        for (string, _), terms in costs.items():
            progress(0.6)
            terms[PICKED] = INSIDE * _inside_changes(notes, placement, index, string, school)
    here = costs[chosen]
    base = min(_total(terms) for terms in costs.values())
    candidates = []
    for place, terms in costs.items():
        total = _total(terms)
        shown = 1.0 + max(total - base, 0.0)
        words = "chosen" if place == chosen else _against(terms, here)
        candidates.append(
            Candidate(
                place[0],
                place[1],
                round(min(shown, 99.0), 1),
                words,
                total < IMPOSSIBLE / 2,
                place == chosen,
            )
        )
    candidates.sort(key=lambda c: (not c.chosen, c.cost))
    why = _why(guitar, notes, placement, index, costs)
    return Reasons(tuple(why), tuple(candidates))


def _inside_changes(
    notes: list[NoteToPlace], placement: Placement, index: int, string: int, school: str
) -> int:
    """Count inside changes of the pick with one note on some string."""
    strings = (*placement.strings[:index], string, *placement.strings[index + 1 :])
    return count_changes(choose_strokes(notes, strings, school), strings)[1]


def _places(guitar: Guitar, note: NoteToPlace, chosen: tuple[int, int]) -> list[tuple[int, int]]:
    free = NoteToPlace(
        onset_s=note.onset_s,
        offset_s=note.offset_s,
        midi=note.midi,
        techniques=note.techniques,
        bend_semitones=note.bend_semitones,
    )
    places = find_candidates(guitar, free)
    return places if chosen in places else [chosen, *places]


def _total(terms: dict[str, float]) -> float:
    return sum(terms.values())


def _states_at(
    guitar: Guitar, notes: list[NoteToPlace], placement: Placement, event: Event
) -> HandStates:
    """Give the one state that the placement has at an event."""
    return HandStates(
        np.array([[placement.strings[m] for m in event.notes]]),
        np.array([[placement.frets[m] for m in event.notes]]),
        np.array([placement.positions[event.notes[0]]]),
    )


def _place_terms(
    guitar: Guitar,
    notes: list[NoteToPlace],
    placement: Placement,
    events: list[Event],
    number: int,
    index: int,
    place: tuple[int, int],
) -> dict[str, float]:
    """Cost one place term by term, with the hand wherever suits it best there."""
    event = events[number]
    fixed = list(notes)
    for member in event.notes:
        string, fret = placement.strings[member], placement.frets[member]
        if member == index:
            string, fret = place
        note = notes[member]
        fixed[member] = NoteToPlace(
            onset_s=note.onset_s,
            offset_s=note.offset_s,
            midi=note.midi,
            techniques=note.techniques,
            bend_semitones=note.bend_semitones,
            string=string,
            fret=fret,
        )
    problems: list[str] = []
    states = hand_states(guitar, fixed, event, problems)
    rows = BASE.standing()[:, None] * standing_features(guitar, states, event.traits)
    total = {name: row.copy() for name, row in zip(STANDING, rows, strict=True)}
    total[TORN] = np.full(len(states), IMPOSSIBLE if problems else 0.0)
    for other, forward in ((number - 1, True), (number + 1, False)):
        if not 0 <= other < len(events):
            continue
        near = _states_at(guitar, notes, placement, events[other])
        first, second = (near, states) if forward else (states, near)
        traits = (events[other].traits, event.traits)
        if not forward:
            traits = (event.traits, events[other].traits)
        gap = abs(events[other].onset_s - event.onset_s)
        weights = in_time(BASE.moving(), gap)[:, None, None]
        moves = weights * moving_features(guitar, first, second, *traits)
        torn = forbidden_moves(first, second, *traits)
        for name, matrix in [*zip(MOVING, moves, strict=True), (TORN, torn)]:
            row = matrix[0] if forward else matrix[:, 0]
            total[name] = total.get(name, np.zeros(len(states))) + row
    best = int(np.argmin(np.sum(list(total.values()), axis=0)))
    return {name: float(values[best]) for name, values in total.items()}


def _against(terms: dict[str, float], chosen: dict[str, float]) -> str:
    """Say what speaks most against a place, compared with the chosen one."""
    worse = {
        name: value - chosen.get(name, 0.0)
        for name, value in terms.items()
        if value - chosen.get(name, 0.0) > 0.04 and name in _WORDS
    }
    if not worse:
        return "as good here"
    return _WORDS[max(worse, key=lambda name: worse[name])]


def _why(
    guitar: Guitar,
    notes: list[NoteToPlace],
    placement: Placement,
    index: int,
    costs: dict[tuple[int, int], dict[str, float]],
) -> list[str]:
    """Say what is true of the chosen place."""
    note, string, fret = notes[index], placement.strings[index], placement.frets[index]
    position = placement.positions[index]
    why = []
    if note.string is not None and note.fret is not None:
        why.append("you put it here")
    if len(costs) == 1:
        why.append("the only place for this pitch")
    tags = note.techniques
    before = index - 1 if index else None
    if tags & {"hammer-on", "pull-off", "slide"} and before is not None:
        if placement.strings[before] == string:
            word = sorted(tags & {"hammer-on", "pull-off", "slide"})[0].replace("-", " ")
            why.append(f"its {word} stays on string {string}")
    if index + 1 < len(notes) and notes[index + 1].techniques & {"pull-off", "hammer-on"}:
        if placement.strings[index + 1] == string:
            after = sorted(notes[index + 1].techniques & {"pull-off", "hammer-on"})[0]
            why.append(
                f"the {after.replace('-', ' ')} after it needs fret {placement.frets[index + 1]} here"
            )
    if tags & {"bend", "pre-bend"} and fret - position >= 2:
        why.append(f"the bend has {'two' if fret - position == 2 else 'three'} fingers behind it")
    if before is not None and placement.positions[before] == position and fret > 0:
        why.append(f"the hand stays at fret {position}")
    clue = dict(note.clue)
    if fret == 0 and clue.get((string, fret), 0.0) < 0.0:
        why.append("the open string can be heard ringing under the next note")
    elif fret == 0:
        why.append("an open string leaves the hand free")
    others = [cost for place, cost in clue.items() if place != (string, fret)]
    if fret and others and min(others) - clue.get((string, fret), 0.0) > SPEAKS:
        why.append(f"its overtones sound like string {string} (weight {min(others):.1f})")
    possible = [terms for terms in costs.values() if _total(terms) < IMPOSSIBLE / 2]
    here = costs[string, fret].get(PICKED, 0.0)
    if any(terms.get(PICKED, 0.0) > here for terms in possible):
        why.append("avoids an inside change")
    if before is not None and abs(placement.strings[before] - string) == 1:
        why.append(f"the note before is on the string beside it, {placement.strings[before]}")
    elif before is not None and placement.strings[before] == string and not tags:
        why.append(f"it stays on string {string}")
    return why[:4]


def phrase_sentence(placement: Placement) -> str:
    """Say in one sentence how a placement lies on the neck."""
    frets = [fret for fret in placement.frets if fret > 0]
    if not frets:
        return "All on open strings."
    positions = list(dict.fromkeys(placement.positions))
    strings = sorted(set(placement.strings))
    where = (
        f"string {strings[0]}" if len(strings) == 1 else f"strings {strings[0]} to {strings[-1]}"
    )
    shifts = sum(a != b for a, b in zip(placement.positions, placement.positions[1:], strict=False))
    if len(positions) == 1:
        return f"Stays in one position at fret {positions[0]}, {where}."
    moves = "one move" if shifts == 1 else f"{shifts} moves"
    return f"Frets {min(frets)} to {max(frets)} on {where}, with {moves} of the hand."

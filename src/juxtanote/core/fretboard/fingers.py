"""The fretting hand: which finger holds which note."""

import itertools

from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.solver import Placement
from juxtanote.core.fretboard.states import group_events
from juxtanote.core.theory.tuning import STANDARD, Guitar

SHAPE_FROM = 3  # notes of a grip: fewer lie where the hand is
# Of the hand, beside the features of `costs`.
BARRE_COST, THUMB_COST, SQUEEZE_COST, SPREAD_COST = 0.8, 0.4, 0.15, 0.6


def choose_fingers(
    notes: list[NoteToPlace], placement: Placement, guitar: Guitar | None = None
) -> tuple[str, ...]:
    """Give a finger to each note: one a fret from the position, stretched shapes 1-2-4 or 1-3-4.

    A slide keeps its finger; open strings are 0, tapped notes belong to the other hand. The slide bar
    stays on its finger, and grips are fingered as shapes: see `shape_fingers`.
    """
    guitar = guitar or Guitar(tuning=STANDARD)
    shapes: dict[int, str] = {}
    for event in group_events(notes):
        if len(event.notes) >= SHAPE_FROM and not event.traits.has(
            "bar", "tap", "natural-harmonic"
        ):
            places = tuple((placement.strings[m], placement.frets[m]) for m in event.notes)
            shapes |= dict(zip(event.notes, shape_fingers(places, guitar), strict=True))
    fingers: list[str] = []
    last_on: dict[int, int] = {}
    for index, note in enumerate(notes):
        string, fret = placement.strings[index], placement.frets[index]
        if "tap" in note.techniques:
            finger = ""
        elif "bar" in note.techniques:
            finger = str(guitar.bar_finger)
        elif fret == 0 or ("natural-harmonic" in note.techniques and fret == 12):
            finger = "0" if fret == 0 else "4"
        else:
            finger = shapes.get(index) or str(_finger_at(placement, index))
            before = last_on.get(string)
            if "slide" in note.techniques and before is not None and fingers[before] in "1234":
                finger = fingers[before] or finger
        fingers.append(finger)
        last_on[string] = index
    return tuple(fingers)


def shape_fingers(places: tuple[tuple[int, int], ...], guitar: Guitar) -> tuple[str, ...]:
    """Finger a grip of three and more notes.

    Every way to give fingers, barres and the thumb is tried, and the easiest taken: fingers follow the
    frets and lie about one a fret, a barre costs little where it covers what would need more fingers,
    and nothing lies under a barre that has to ring open. The thumb comes over the neck only for the
    thickest string, and only where it makes the rest easier (common practice).

    Parameters
    ----------
    places : tuple of (string, fret)

    Returns
    -------
    fingers : tuple of str
        ``0``, ``1`` to ``4`` or ``T`` for each place; the nearest attempt if no hand can do it.
    """
    held = [index for index, (_, fret) in enumerate(places) if fret > 0]
    held.sort(key=lambda index: (places[index][1], -places[index][0]))
    best: tuple[float, tuple[str, ...]] | None = None
    for thumbed in _thumb_choices(places, held, guitar):
        rest = [index for index in held if index != thumbed]
        for ways in itertools.combinations_with_replacement("1234", len(rest)):
            cost = _shape_cost(places, rest, ways)
            if cost is None:
                continue
            cost += THUMB_COST if thumbed is not None else 0.0
            if best is None or cost < best[0] - 1e-9:
                made = ["0"] * len(places)
                for index, finger in zip(rest, ways, strict=True):
                    made[index] = finger
                if thumbed is not None:
                    made[thumbed] = "T"
                best = cost, tuple(made)
    if best is not None:
        return best[1]
    lowest = min((places[index][1] for index in held), default=1)
    return tuple(str(min(max(f - lowest + 1, 1), 4)) if f else "0" for _, f in places)


def _thumb_choices(
    places: tuple[tuple[int, int], ...], held: list[int], guitar: Guitar
) -> list[int | None]:
    """List which note the thumb may hold: none, or the one on the thickest string if it is low."""
    choices: list[int | None] = [None]
    lowest = min((places[index][1] for index in held), default=0)
    for index in held:
        string, fret = places[index]
        if guitar.thumb_over and string == guitar.string_count and fret <= lowest + 1:
            choices.append(index)
    return choices


def _shape_cost(
    places: tuple[tuple[int, int], ...], order: list[int], fingers: tuple[str, ...]
) -> float | None:
    """Cost fingers for notes in the order of their frets, or tell that it cannot be held so."""
    cost = 0.0
    by_finger: dict[str, list[int]] = {}
    for index, finger in zip(order, fingers, strict=True):
        by_finger.setdefault(finger, []).append(index)
    for members in by_finger.values():
        frets = {places[index][1] for index in members}
        if len(frets) > 1:
            return None
        if len(members) > 1:
            strings = [places[index][0] for index in members]
            under = [f for s, f in places if min(strings) < s < max(strings)]
            if any(fret < min(frets) for fret in under):
                return None
            cost += BARRE_COST
    first = order[0] if order else 0
    for index, finger in zip(order, fingers, strict=True):
        gap = (places[index][1] - places[first][1]) - (int(finger) - int(fingers[0]))
        cost += SPREAD_COST * max(gap, 0) + SQUEEZE_COST * max(-gap, 0)
    return cost + 0.05 * (int(fingers[0]) - 1 if order else 0)


def supporting_fingers(finger: str) -> tuple[str, ...]:
    """Give the fingers that push along behind the one that bends (common practice).

    Parameters
    ----------
    finger : str
        The one that bends, ``"1"`` to ``"4"``.
    """
    return tuple("123"[: int(finger) - 1][-2:]) if finger in ("2", "3", "4") else ()


def _finger_at(placement: Placement, index: int) -> int:
    """One finger a fret; where the hand is stretched over five frets the middle is the second."""
    reach = placement.frets[index] - placement.positions[index]
    if reach == 2 and _stretched_near(placement, index):
        return 2
    return min(max(reach + 1, 1), 4)


def _stretched_near(placement: Placement, index: int) -> bool:
    """Tell whether the same hand position holds a note four frets up on the same string."""
    position, string = placement.positions[index], placement.strings[index]
    for other in range(max(index - 3, 0), min(index + 4, len(placement.frets))):
        if placement.positions[other] == position and placement.strings[other] == string:
            if placement.frets[other] - position == 4:
                return True
    return False

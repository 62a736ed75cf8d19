"""What a way of playing costs, feature by feature, so that every choice can be explained.

A feature measures one thing that practitioners weigh (common practice), in units of about 1; its
weight says how much it matters. Costs are sums of weight times feature, so one pass over the
features serves any number of weightings.
"""

from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.theory.tuning import Guitar

Array = NDArray[np.float64]
IMPOSSIBLE = 1.0e6  # more than any phrase can cost
FROM_NOWHERE = 3.0  # a slide that does not come from the note before
REACH_MM = 135.0  # index to little finger, as far as a hand opens
EASY_MM = 84.0  # four frets at the fifth fret
OPEN_REACH = 2.5  # up to this position open strings lie near
SLURRED = frozenset({"hammer-on", "pull-off", "tap", "slide"})
SINGING = frozenset({"bend", "pre-bend", "vibrato", "slide"})

STANDING = (
    "stretch", "open string", "open near", "open ringing", "open in grip", "high fret", "low fret",
    "weak finger", "low position", "high position", "top position", "thick string",
    "thick singing", "grip", "bend place", "vibrato place", "thick muted", "low tap", "sound",
)  # fmt: skip
MOVING = (
    "shift", "travel", "string change", "string skip", "leave slide", "grip moves", "grip breaks",
    "repeat elsewhere", "step across", "leap along", "bar moves", "grip shift", "grip travel", "tears",
)  # fmt: skip


HURRIED = frozenset({"shift", "travel", "grip shift", "grip travel"})
_IS_HURRIED = np.array([name in HURRIED for name in MOVING])


@dataclass(frozen=True, slots=True)
class Weights:
    """How much each feature matters: fields are `STANDING`, then `MOVING`, in order."""

    stretch: float = 0.475  # per centimetre beyond what is easy
    open_string: float = 2.888  # the further the hand is from the nut
    open_near: float = 0.139
    open_ringing: float = -1.447  # welcome where notes should ring
    open_in_grip: float = 0.473
    high_fret: float = 0.078  # per fret above the 12th
    low_fret: float = 0.155  # per fret under the 3rd, for fretted notes
    weak_finger: float = 0.173
    low_position: float = 0.216  # below the fifth
    high_position: float = 0.906  # above the ninth
    top_position: float = 0.247  # above the thirteenth
    thick_string: float = 0.009
    thick_singing: float = 0.036  # where a note is bent, shaken or slid
    grip: float = 1.304  # unusual shapes of two notes at once
    bend_place: float = 0.88
    vibrato_place: float = 0.635
    thick_muted: float = -0.144
    low_tap: float = 4.291  # tapped below the twelfth fret
    sound: float = 1.0  # what the recording suggests
    shift: float = 2.342
    travel: float = 0.628  # per centimetre
    string_change: float = 0.214
    string_skip: float = 0.505
    leave_slide: float = 1.629  # changing string next to a slide
    grip_moves: float = 0.485  # per string that a grip leaves for the next grip
    grip_breaks: float = 0.912  # the same shape taken to other strings
    repeat_elsewhere: float = 0.823
    step_across: float = 0.037  # a step of up to a tone on another string
    leap_along: float = 0.067  # a leap along one string, unslurred
    bar_moves: float = 0.361  # a bar set down elsewhere without sliding there
    grip_shift: float = 0.0  # a whole grip taken along the neck
    grip_travel: float = 0.0  # per centimetre
    tears: float = 2.0  # leaves the string of a note that may be slurred

    def standing(self) -> Array:
        """Give the weights of `STANDING`."""
        return self._all()[: len(STANDING)]

    def moving(self) -> Array:
        """Give the weights of `MOVING`."""
        return self._all()[len(STANDING) :]

    def _all(self) -> Array:
        return np.array([getattr(self, field.name) for field in fields(self)])

    def more(self, **factors: float) -> "Weights":
        """Multiply some weights."""
        return replace(self, **{k: getattr(self, k) * v for k, v in factors.items()})


BASE = Weights()
PROFILES: dict[str, Weights] = {
    "best overall": BASE,
    "near the nut, open strings": replace(
        BASE, open_string=0.3, open_near=-0.4, low_fret=0.0, low_position=-1.0, high_position=2.0
    ),
    "higher up, thicker strings": replace(
        BASE, low_position=0.8, high_position=-0.6, top_position=0.3, thick_string=-0.12, high_fret=0.01,
        open_near=0.6, thick_singing=-0.1,
    ),
    "high on the neck": replace(
        BASE, low_position=1.5, high_position=-1.5, top_position=-1.0, high_fret=0.0, open_near=1.0
    ),
    "along one string": replace(
        BASE, shift=0.1, travel=0.04, string_change=1.2, string_skip=1.0, leave_slide=1.5, leap_along=0.0
    ),
    "stay in one position": replace(
        BASE, shift=6.0, travel=1.5, stretch=0.1, open_string=3.5, high_position=0.2, top_position=0.0
    ),
    "fewest string changes": replace(
        BASE, string_change=0.9, string_skip=0.6, shift=0.5, travel=0.3, stretch=0.1, step_across=0.5
    ),
    "thinner strings": replace(
        BASE, thick_string=0.4, thick_singing=0.3, high_fret=0.0, high_position=-0.2, top_position=-0.3
    ),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class HandStates:
    """Ways of playing one event: `strings` and `frets` (n_states, n_notes), `position` (n_states,).

    `position` is the fret under the index finger; open and tapped notes leave the hand where it is.
    """

    strings: NDArray[np.int64]
    frets: NDArray[np.int64]
    position: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.position)


@dataclass(frozen=True, slots=True)
class EventTraits:
    """What the notes of one event share, as the costs need it."""

    techniques: tuple[frozenset[str], ...]
    bends: tuple[float, ...]
    duration_s: float
    midi: tuple[float, ...] = ()
    clues: tuple[dict[tuple[int, int], float], ...] = ()  # cost by place, from the sound
    legato: float = 0.0  # how much a note of it sounds slurred without being marked so
    slur_prices: tuple[float, ...] = ()  # of leaving the string of each slur; 0: it must not be

    def fretted(self, states: HandStates) -> NDArray[np.bool_]:
        """Tell which notes the fretting hand holds down, shape (n_states, n_notes).

        Parameters
        ----------
        states : HandStates
            Of the event.
        """
        held = states.frets > 0
        for column, tags in enumerate(self.techniques):
            if "tap" in tags or "natural-harmonic" in tags:
                held[:, column] = False
        return held

    def has(self, *names: str) -> bool:
        """Tell whether a note of the event has one of some techniques."""
        return any(tag in tags for tags in self.techniques for tag in names)


def fret_mm(guitar: Guitar, frets: NDArray[np.int64]) -> Array:
    """Give distances from the nut, or from the capo where there is one: L·(1 − 2^(−n/12)).

    Parameters
    ----------
    guitar : Guitar
        Its scale length in mm, and its capo.
    frets : ndarray
        Counted from the nut or the capo, of any shape.
    """
    sounding = guitar.scale_length_mm * 2.0 ** (-guitar.capo / 12.0)
    return np.asarray(sounding * (1.0 - 2.0 ** (-frets / 12.0)))


def standing_features(guitar: Guitar, states: HandStates, traits: EventTraits) -> Array:
    """Measure each state on its own: (len(STANDING), n_states).

    Parameters
    ----------
    guitar : Guitar
    states : HandStates
        n_states ways to hold the event.
    traits : EventTraits
        What is asked of its notes.
    """
    held = traits.fretted(states)
    frets = states.frets.astype(np.float64)
    position = states.position.astype(np.float64)
    reach = fret_mm(guitar, states.frets) - fret_mm(guitar, states.position)[:, None]
    finger = states.frets - states.position[:, None] + 1
    plain = np.array(["natural-harmonic" not in tags for tags in traits.techniques])
    open_share = ((states.frets == 0) & plain).mean(axis=1)
    thick = (states.strings - 1).mean(axis=1).astype(np.float64)
    ringing = traits.has("let-ring")
    bend, shake, tap, clue = (np.zeros(len(states)) for _ in range(4))
    for column, tags in enumerate(traits.techniques):
        string, fret = states.strings[:, column], states.frets[:, column]
        if tags & {"bend", "pre-bend"}:
            bend += _bend_cost(string, fret, finger[:, column], traits.bends[column])
        if "vibrato" in tags and "bar" not in tags:
            shake += 5.0 * (fret == 0) + 0.4 * (finger[:, column] == 4) + 0.3 * (fret < 3)
        if "tap" in tags:
            tap += np.clip((12 - fret) / 5.0, 0.0, 1.0)
        if traits.clues and traits.clues[column]:
            table = traits.clues[column]
            pairs = zip(string.tolist(), fret.tolist(), strict=True)
            clue += np.array([table.get(place, 0.0) for place in pairs])
    # Where the fingers are, not where the hand hangs: open strings take the hand's place.
    lowest = np.where(held, frets, np.inf).min(axis=1)
    place = np.where(np.isfinite(lowest), lowest, position)
    many = states.strings.shape[1] > 1 and not ringing
    return np.stack(
        [
            np.where(held, np.maximum(reach - EASY_MM, 0.0), 0.0).max(axis=1) / 10.0,
            open_share * np.clip((position - OPEN_REACH) / 4.0, 0.0, 2.5),
            open_share,
            open_share * ringing,
            open_share * many,
            np.where(held, np.maximum(frets - 12, 0), 0).mean(axis=1),
            np.where(held, np.maximum(3 - frets, 0), 0).mean(axis=1),
            (held & (finger >= 4)).mean(axis=1),
            np.clip((6.0 - place) / 4.0, 0.0, 1.0),
            np.clip((place - 8.0) / 4.0, 0.0, 1.0),
            np.clip((place - 12.0) / 4.0, 0.0, 1.0),
            thick,
            thick * traits.has(*SINGING),
            _grip_cost(states, traits),
            bend,
            shake,
            thick * traits.has("palm-mute"),
            tap,
            clue,
        ]
    )


def _grip_cost(states: HandStates, traits: EventTraits) -> Array:
    """Cost unusual shapes: octaves are gripped over one muted string, and without open strings."""
    cost = np.zeros(len(states))
    if states.strings.shape[1] != 2 or not traits.midi:
        return cost
    apart = abs(traits.midi[0] - traits.midi[1])
    between = np.abs(states.strings[:, 0] - states.strings[:, 1])
    if abs(apart - 12.0) < 0.5:
        cost += np.where(between == 2, 0.0, 1.0) + 1.0 * (states.frets == 0).any(axis=1)
    elif apart < 8.5:
        cost += 0.7 * (between - 1)
    if all("bar" in tags for tags in traits.techniques):
        cost += SLANT_COST * np.abs(states.frets[:, 0] - states.frets[:, 1])
    return cost


def _bend_cost(
    string: NDArray[np.int64], fret: NDArray[np.int64], finger: NDArray[np.int64], amount: float
) -> Array:
    """Cost a bend: thick strings, low frets, fingers with none behind them."""
    wide = min(max(amount, 0.5), 3.0) / 2.0
    by_string = np.array([0.0, 0.35, 0.0, 0.0, 0.7, 1.8, 2.2, 3.0, 3.0, 3.0])[np.minimum(string, 9)]
    by_finger = np.array([0.0, 0.9, 0.35, 0.0, 0.45])[np.clip(finger, 1, 4)]
    low = 0.35 * np.maximum(6 - fret, 0)
    return np.asarray(wide * (by_string + by_finger + low) + 6.0 * (fret == 0))


def moving_features(
    guitar: Guitar,
    before: HandStates,
    after: HandStates,
    traits_before: EventTraits,
    traits: EventTraits,
) -> Array:
    """Measure every move between two events: (len(MOVING), n_before, n_after).

    Those of `HURRIED` matter more in haste: see `in_time`.
    """
    slid = traits.has("slide")
    open_now = (before.frets == 0).all(axis=1)
    # A slide carries the hand for nothing and a hand that slides is on its way; over an open string
    # it moves at leisure.
    along = 0.25 if slid else 0.6 if traits_before.has("slide") else 1.0
    ease = (np.where(open_now, 0.5, 1.0) * along)[:, None]
    travel = np.abs(
        fret_mm(guitar, before.position)[:, None] - fret_mm(guitar, after.position)[None, :]
    )
    distance = np.abs(before.position[:, None] - after.position[None, :])
    # A hand that shifts by one fret only leans.
    shift = np.minimum(0.5 * distance, 1.0)
    step = np.abs(before.strings.mean(axis=1)[:, None] - after.strings.mean(axis=1)[None, :])
    changed = step > 0.4
    made = np.zeros((len(MOVING), len(before), len(after)))
    alike = before.strings.shape[1] == after.strings.shape[1]
    grips = alike and before.strings.shape[1] > 1
    made[11 if grips else 0], made[12 if grips else 1] = ease * shift, ease * travel / 10.0
    made[2], made[3] = step, np.maximum(step - 1.0, 0.0)
    if slid or traits_before.has("slide"):  # leaving its string undoes the point of a slide
        made[4] = changed
    alone = alike and not grips
    if grips:
        _add_grip_moves(made, before, after, traits_before, traits)
    if traits_before.midi == traits.midi:
        made[7] = np.any(before.strings[:, None, :] != after.strings[None, :, :], axis=2)
    if alone and traits.midi and traits_before.midi:
        leap = abs(traits.midi[0] - traits_before.midi[0])
        made[8] = changed * (0.0 < leap <= 2.5)
        if leap >= 4.5 and not traits.has(*SLURRED):
            made[9] = ~changed
    if alone and traits.legato and not traits.has(*SLURRED):
        made[13] = traits.legato * changed
    if traits.has("bar") and traits_before.has("bar") and not slid:
        moved = np.abs(before.frets.max(axis=1)[:, None] - after.frets.max(axis=1)[None, :])
        made[10] = np.minimum(moved, 4)
    return made


def haste_of(gap_s: float) -> float:
    """Tell how much dearer moves of the whole hand are when there is little time for them.

    Parameters
    ----------
    gap_s : float
        From one stroke to the next, seconds.
    """
    return min(max(0.30 / max(gap_s, 0.02), 0.4), 1.6)


def in_time(weights: Array, gap_s: float) -> Array:
    """Adapt weights of `MOVING`, the last axis, to the time there is for the move.

    Parameters
    ----------
    weights : ndarray
        Of `MOVING`, along the last axis.
    gap_s : float
        From one stroke to the next, seconds.
    """
    return weights * np.where(_IS_HURRIED, haste_of(gap_s), 1.0)


def _add_grip_moves(
    made: Array,
    before: HandStates,
    after: HandStates,
    traits_before: EventTraits,
    traits: EventTraits,
) -> None:
    """Measure how grips of as many notes follow each other: best on the same strings."""
    first, second = np.sort(before.strings, axis=1), np.sort(after.strings, axis=1)
    apart = np.abs(first[:, None, :] - second[None, :, :])
    made[5] = apart.sum(axis=2)
    shapes = [np.diff(sorted(t.midi)) for t in (traits_before, traits)]
    if len(shapes[0]) == len(shapes[1]) and np.all(np.abs(shapes[0] - shapes[1]) <= 1.0):
        made[6] = apart.any(axis=2)


def forbidden_moves(
    before: HandStates, after: HandStates, traits_before: EventTraits, traits: EventTraits
) -> Array:
    """Cost what cannot be, or hardly: slurs and slides that leave their string or go the wrong way.

    Parameters
    ----------
    before, after : HandStates
        Of two events that follow each other.
    traits_before, traits : EventTraits
        What is asked of their notes.
    """
    cost = np.zeros((len(before), len(after)))
    for column, tags in enumerate(traits.techniques):
        tied = tags & SLURRED
        if not tied:
            continue
        string, fret = after.strings[:, column], after.frets[:, column]
        same = before.strings[:, :, None] == string[None, None, :]
        if tied == {"slide"} and len(traits.techniques) == 1:
            moves = before.frets[:, :, None] != fret[None, None, :]
        else:
            moves = goes_its_way(tags, before.frets[:, :, None], fret[None, None, :])
        fine = np.any(same & moves, axis=1)
        if "tap" in tags:  # the other hand comes down on any string, but not behind a held note
            fine |= ~np.any(same, axis=1)
        # A slide from nowhere has only one end: then changing string is allowed, at a price.
        heard = traits.slur_prices[column] if traits.slur_prices else 0.0
        price = FROM_NOWHERE if tied == {"slide"} else heard or IMPOSSIBLE
        cost += np.where(fine, 0.0, price)
    return cost


def goes_its_way(
    tags: frozenset[str], before: int | NDArray[np.int64], after: int | NDArray[np.int64]
) -> NDArray[np.bool_]:
    """Tell where a slur may lead on its string: hammered notes and taps rise, pulled ones fall.

    Parameters
    ----------
    tags : frozenset of str
        Techniques of the note that is slurred.
    before, after : int or ndarray of int
        Fret that the string sounds from, and fret of the note, of shapes that go together.

    Examples
    --------
    >>> goes_its_way(frozenset({"pull-off"}), 7, np.array([5, 8])).tolist()
    [True, False]
    """
    if tags & {"hammer-on", "tap"}:
        return np.less(before, after)
    if "pull-off" in tags:
        return np.greater(before, after)
    return np.ones(np.broadcast(before, after).shape, dtype=bool)


def bar_can_hold(grip: tuple[tuple[int, int], ...], techniques: tuple[frozenset[str], ...]) -> bool:
    """Tell whether a slide bar can hold these: straight or at an angle, and other fingers behind it.

    Parameters
    ----------
    grip : tuple of (int, int)
        String and fret of each note that sounds together.
    techniques : tuple of frozenset of str
        Of each of them; ``bar`` are those that the bar stops.

    Examples
    --------
    >>> both = (frozenset({"bar"}),) * 2
    >>> bar_can_hold(((1, 12), (2, 13)), both), bar_can_hold(((1, 12), (2, 15)), both)
    (True, False)
    """
    held = [place for place, tags in zip(grip, techniques, strict=True) if "bar" in tags]
    if not held:
        return True
    frets = [fret for _, fret in held]
    others = [f for (_, f), tags in zip(grip, techniques, strict=True) if "bar" not in tags]
    if min(frets) <= 0 or any(fret >= min(frets) for fret in others):
        return False
    if len(set(frets)) == 1:
        return True
    (one, low), (other, high) = held[0], held[-1]
    strings, lean = abs(one - other), abs(low - high)
    return len(held) == 2 and lean <= min(MOST_SLANT, strings)


SLANT_COST = 1.5  # a fret that the bar leans: it is in tune over two strings only
MOST_SLANT = 2  # frets that a bar leans over two strings, and one a string: common practice

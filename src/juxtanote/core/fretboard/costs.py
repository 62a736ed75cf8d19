"""What a move of the hand costs, term by term, so that every choice can be explained.

Terms are in one unit: about 1 for a shift of the hand by a few frets in a moderate tempo. Weights
are the trade's order of importance (common practice), settled on composed phrases in the bench.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.theory.tuning import Guitar

Array = NDArray[np.float64]
IMPOSSIBLE = 1.0e6
REACH_MM = 135.0  # index to little finger, as far as a hand opens
EASY_MM = 84.0  # four frets at the fifth fret
SLURRED = frozenset({"hammer-on", "pull-off", "tap", "slide"})


@dataclass(frozen=True, slots=True)
class Weights:
    """How much each thing matters; `favouring` gives the named alternatives."""

    shift: float = 1.19
    travel: float = 0.04  # per millimetre
    stretch: float = 0.069  # per millimetre beyond what is easy
    string_step: float = 0.215
    string_skip: float = 0.51
    open_string: float = 1.62
    open_near: float = 0.17  # an open string with the hand near the nut
    open_reach: float = 2.5  # up to which position open strings are near
    open_ringing: float = 0.52  # how welcome they are where notes should ring
    high_fret: float = 0.038  # per fret above the 12th
    low_fret: float = 0.087  # per fret under the 3rd, for fretted notes
    weak_finger: float = 0.095
    bend_place: float = 0.575
    vibrato_place: float = 0.744
    thick_lead: float = 0.064
    mid_neck: float = 0.025  # per fret between the hand and the seventh position
    middle: float = 7.0  # the position that is neither low nor high
    grip: float = 0.86  # usual shapes of two notes at once
    grip_moves: float = 0.24  # per string that a grip leaves for the next grip
    leave_slide: float = 0.7  # changing string next to a slide
    repeat_elsewhere: float = 0.91
    sound: float = 1.0  # what the recording suggests


PROFILES: dict[str, Weights] = {
    "best overall": Weights(),
    "near the nut, open strings": Weights(
        open_string=0.4, open_near=-0.4, low_fret=0.0, middle=2.0, mid_neck=0.12
    ),
    "higher up, thicker strings": Weights(
        middle=11.0, mid_neck=0.12, thick_lead=-0.1, high_fret=0.01, open_string=2.5
    ),
    "along one string": Weights(
        shift=0.1, travel=0.004, string_step=1.2, string_skip=1.0, open_string=1.6, leave_slide=1.5
    ),
    "stay in one position": Weights(shift=3.0, travel=0.08, stretch=0.04, open_string=2.2),
    "fewest string changes": Weights(string_step=0.9, string_skip=0.6, shift=0.5),
}


@dataclass(frozen=True, slots=True)
class HandStates:
    """Ways of playing one event: `strings` and `frets` (n_states, n_notes), `position` (n_states,).

    `position` is the fret under the index finger; open and tapped notes leave the hand where it is.
    """

    strings: NDArray[np.int64]
    frets: NDArray[np.int64]
    position: NDArray[np.int64]

    def take(self, index: NDArray[np.int64] | list[int]) -> "HandStates":
        """Give some of the states."""
        return HandStates(self.strings[index], self.frets[index], self.position[index])

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

    def fretted(self, states: HandStates) -> NDArray[np.bool_]:
        """Tell which notes the fretting hand holds down, shape (n_states, n_notes)."""
        held = states.frets > 0
        for column, tags in enumerate(self.techniques):
            if "tap" in tags or "natural-harmonic" in tags:
                held[:, column] = False
        return held


def fret_mm(guitar: Guitar, frets: NDArray[np.int64]) -> Array:
    """Give distances from the nut, vectorised: L·(1 − 2^(−n/12))."""
    sounding = guitar.scale_length_mm * 2.0 ** (-guitar.capo / 12.0)
    return np.asarray(sounding * (1.0 - 2.0 ** (-frets / 12.0)))


def standing_terms(
    guitar: Guitar, states: HandStates, traits: EventTraits, weights: Weights
) -> dict[str, Array]:
    """Cost each state on its own, by name of the reason; each array is (n_states,)."""
    held = traits.fretted(states)
    frets = states.frets.astype(np.float64)
    reach = fret_mm(guitar, states.frets) - fret_mm(guitar, states.position)[:, None]
    finger = states.frets - states.position[:, None] + 1
    open_notes = (states.frets == 0) & np.array(
        ["natural-harmonic" not in tags for tags in traits.techniques]
    )
    ringing = any("let-ring" in tags for tags in traits.techniques)
    stretch = np.where(held, np.maximum(reach - EASY_MM, 0.0), 0.0).max(axis=1)
    terms = {
        "stretch": weights.stretch * stretch,
        "open string": _open_cost(states, open_notes, ringing, weights),
        "high on the neck": weights.high_fret
        * np.where(held, np.maximum(frets - 12, 0), 0).mean(1),
        "low on the neck": weights.low_fret * np.where(held, np.maximum(3 - frets, 0), 0).mean(1),
        "weak finger": weights.weak_finger * (held & (finger >= 4)).mean(axis=1),
        "far from the middle": weights.mid_neck * np.abs(states.position - weights.middle),
        "grip": weights.grip * _grip_cost(states, traits),
        "thick string": weights.thick_lead * (states.strings - 1).mean(axis=1),
    }
    bend = np.zeros(len(states))
    shake = np.zeros(len(states))
    clue = np.zeros(len(states))
    for column, tags in enumerate(traits.techniques):
        string, fret = states.strings[:, column], states.frets[:, column]
        if tags & {"bend", "pre-bend"}:
            bend += _bend_cost(string, fret, finger[:, column], traits.bends[column])
        if "vibrato" in tags and "bar" not in tags:
            shake += 5.0 * (fret == 0) + 0.4 * (finger[:, column] == 4) + 0.3 * (fret < 3)
        if "palm-mute" in tags:
            clue -= 0.12 * (string - 1)
        if traits.clues:
            table = traits.clues[column]
            pairs = zip(string.tolist(), fret.tolist(), strict=True)
            clue += weights.sound * np.array([table.get(place, 0.0) for place in pairs])
    terms["bend"] = weights.bend_place * bend
    terms["vibrato"] = weights.vibrato_place * shake
    terms["sound"] = clue
    return terms


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
    return cost


def _open_cost(
    states: HandStates, open_notes: NDArray[np.bool_], ringing: bool, weights: Weights
) -> Array:
    """Cost open strings by how far up the neck the hand is; near the nut they come for nothing."""
    away = np.clip((states.position - weights.open_reach) / 4.0, 0.0, 2.5)
    price = weights.open_string * away + weights.open_near
    if ringing:
        price = price - weights.open_ringing
    return np.asarray(price * open_notes.mean(axis=1))


def _bend_cost(
    string: NDArray[np.int64], fret: NDArray[np.int64], finger: NDArray[np.int64], amount: float
) -> Array:
    """Cost a bend: thick strings, low frets, fingers with none behind them."""
    wide = min(max(amount, 0.5), 3.0) / 2.0
    by_string = np.array([0.0, 0.35, 0.0, 0.0, 0.7, 1.8, 2.2, 3.0, 3.0, 3.0])[np.minimum(string, 9)]
    by_finger = np.array([0.0, 0.9, 0.35, 0.0, 0.45])[np.clip(finger, 1, 4)]
    low = 0.35 * np.maximum(6 - fret, 0)
    return np.asarray(wide * (by_string + by_finger + low) + 6.0 * (fret == 0))


def moving_terms(
    guitar: Guitar,
    before: HandStates,
    after: HandStates,
    traits_before: EventTraits,
    traits: EventTraits,
    gap_s: float,
    weights: Weights,
) -> dict[str, Array]:
    """Cost every move between two events, by name; each array is (n_before, n_after)."""
    haste = float(np.clip(0.30 / max(gap_s, 0.02), 0.4, 1.6))
    from_mm, to_mm = fret_mm(guitar, before.position), fret_mm(guitar, after.position)
    travel = np.abs(from_mm[:, None] - to_mm[None, :])
    moved = before.position[:, None] != after.position[None, :]
    # A hand that shifts by one fret only leans; a slide carries the hand for nothing.
    distance = np.abs(before.position[:, None] - after.position[None, :])
    shift = np.where(distance >= 2, 1.0, 0.5 * moved)
    slid = any("slide" in tags for tags in traits.techniques)
    open_now = (before.frets == 0).all(axis=1)
    ease = np.where(open_now[:, None], 0.5, 1.0) * (0.25 if slid else 1.0)
    step = np.abs(before.strings.mean(axis=1)[:, None] - after.strings.mean(axis=1)[None, :])
    grip_moves = np.zeros_like(step)
    if before.strings.shape[1] == after.strings.shape[1] > 1:
        sorted_before, sorted_after = (
            np.sort(before.strings, axis=1),
            np.sort(after.strings, axis=1),
        )
        grip_moves = np.abs(sorted_before[:, None, :] - sorted_after[None, :, :]).sum(axis=2)
    # A hand that slides is travelling along its string: leaving it then undoes the point.
    sliding = slid or any("slide" in tags for tags in traits_before.techniques)
    changed = (step > 0.4) * (weights.leave_slide if sliding else 0.0)
    terms = {
        "shift": ease * haste * (weights.shift * shift + weights.travel * travel),
        "string change": weights.string_step * step
        + weights.string_skip * np.maximum(step - 1.0, 0.0)
        + changed,
        "grip moves": weights.grip_moves * grip_moves,
        "one string": _one_string(before, after, traits_before, traits),
        "repeated note": np.zeros((len(before), len(after))),
    }
    if before.strings.shape[1] == after.strings.shape[1] and _same_pitches(traits_before, traits):
        elsewhere = np.any(before.strings[:, None, :] != after.strings[None, :, :], axis=2)
        terms["repeated note"] = weights.repeat_elsewhere * elsewhere
    return terms


def _same_pitches(before: EventTraits, after: EventTraits) -> bool:
    return before.midi == after.midi


def _one_string(
    before: HandStates, after: HandStates, traits_before: EventTraits, traits: EventTraits
) -> Array:
    """Forbid slurs and slides that leave their string or go the wrong way."""
    cost = np.zeros((len(before), len(after)))
    for column, tags in enumerate(traits.techniques):
        tied = tags & SLURRED
        if not tied or ("tap" in tags and not _tap_is_slurred(traits_before)):
            continue
        string, fret = after.strings[:, column], after.frets[:, column]
        same = before.strings[:, :, None] == string[None, None, :]
        if "slide" in tags and not tied - {"slide"} and len(traits.techniques) == 1:
            moves = before.frets[:, :, None] != fret[None, None, :]
        elif tags & {"hammer-on", "tap"}:
            moves = before.frets[:, :, None] < fret[None, None, :]
        elif "pull-off" in tags:
            moves = before.frets[:, :, None] > fret[None, None, :]
        else:
            moves = np.ones_like(same)
        fine = np.any(same & moves, axis=1)
        # A slide from nowhere has only one end: then changing string is allowed, at a price.
        cost += np.where(fine, 0.0, 3.0 if tied == {"slide"} else IMPOSSIBLE)
    return cost


def _tap_is_slurred(traits_before: EventTraits) -> bool:
    """A tap after a slurred or tapped note stays on its string; the first tap may come anywhere."""
    return any(tags & {"pull-off", "hammer-on", "tap"} for tags in traits_before.techniques)

"""Strings and frets: exact places on composed phrases, with and without hints, beside baselines.

python -m bench placement [--aside] [--tune N]
"""

import argparse
import time
from collections import defaultdict
from dataclasses import fields, replace

import numpy as np
from scipy.optimize import minimize

from bench.composed import Composed, phrases
from juxtanote.core.fretboard.candidates import NoteToPlace, find_candidates
from juxtanote.core.fretboard.costs import IMPOSSIBLE, PROFILES, Weights
from juxtanote.core.fretboard.fingers import choose_fingers
from juxtanote.core.fretboard.solver import (
    UNEVEN,
    alternatives,
    path_features,
    solve,
    solve_all,
    unevenness,
)

SLURS = {"hammer-on", "pull-off", "slide"}


def to_place(phrase: Composed, locked: set[int] | None = None) -> list[NoteToPlace]:
    """Give the solver pitches, times and techniques; only `locked` notes tell their place."""
    beat_s = 60.0 / phrase.tempo
    guitar = phrase.guitar
    notes = []
    for index, note in enumerate(phrase.notes):
        tell = index in (locked or set())
        midi = float(guitar.midi_at(note.string, note.fret))
        if "natural-harmonic" in note.techniques:
            from juxtanote.core.theory.harmonics import harmonic_midi

            midi = harmonic_midi(guitar.open_midi(note.string), note.fret) or midi
        notes.append(
            NoteToPlace(
                note.beat * beat_s, (note.beat + 0.95 * note.beats) * beat_s, midi,
                note.techniques, note.bend, note.string if tell else None, note.fret if tell else None,
            )
        )  # fmt: skip
    return notes


def greedy_lowest(phrase: Composed) -> list[tuple[int, int]]:
    """Baseline: the lowest fret of every pitch."""
    notes = to_place(phrase)
    return [min(find_candidates(phrase.guitar, n), key=lambda p: p[1]) for n in notes]


def least_movement(phrase: Composed) -> list[tuple[int, int]]:
    """Baseline: the row of places with the least sum of fret and string steps."""
    notes = to_place(phrase)
    options = [find_candidates(phrase.guitar, n) for n in notes]
    costs = [np.zeros(len(options[0]))]
    backs = []
    for before, after in zip(options, options[1:], strict=False):
        step = np.array([[abs(a[1] - b[1]) + abs(a[0] - b[0]) for b in after] for a in before])
        total = costs[-1][:, None] + step
        backs.append(np.argmin(total, axis=0))
        costs.append(np.min(total, axis=0))
    state = int(np.argmin(costs[-1]))
    way = [state]
    for back in reversed(backs):
        state = int(back[state])
        way.append(state)
    return [options[i][s] for i, s in enumerate(reversed(way))]


def right(phrase: Composed, places: list[tuple[int, int]]) -> int:
    """Count exact places."""
    return sum(p == (n.string, n.fret) for p, n in zip(places, phrase.notes, strict=True))


def solved(phrase: Composed, weights: Weights | None = None, locked: set[int] | None = None) -> int:
    """Count exact places of our solver."""
    notes = to_place(phrase, locked)
    found = solve(phrase.guitar, notes, weights=weights) if weights else None
    found = found or alternatives(phrase.guitar, notes)[0]
    return right(phrase, list(zip(found.strings, found.frets, strict=True)))


def broken_rules(phrase: Composed) -> int:
    """Count slurs that leave their string in the solver's answer."""
    found = solve(phrase.guitar, to_place(phrase))
    broken = 0
    for index, note in enumerate(phrase.notes):
        if note.techniques & SLURS and index and "slide" not in note.techniques:
            earlier = [k for k in range(index) if phrase.notes[k].beat < note.beat - 1e-6]
            near = max(phrase.notes[k].beat for k in earlier)
            strings = {found.strings[k] for k in earlier if abs(phrase.notes[k].beat - near) < 1e-6}
            broken += found.strings[index] not in strings
    return broken


def readings(
    phrase: Composed, weights: Weights, locked: set[int], rng: np.random.Generator
) -> tuple[np.ndarray, np.ndarray]:
    """Give many placements of a phrase as features (n, n_features), and the share right of each."""
    notes = to_place(phrase, locked)
    ways = {f"drawn {k}": _drawn(weights, rng) for k in range(40)}
    found = solve_all(phrase.guitar, notes, {**PROFILES, "now": weights, **ways})
    exact = solve(phrase.guitar, to_place(phrase, set(range(len(notes)))), weights=weights)
    rows, shares, seen = [], [], set()
    for placement in [exact, *found]:
        if placement.strings in seen:
            continue
        seen.add(placement.strings)
        standing, moving, forbidden = path_features(phrase.guitar, notes, placement)
        if forbidden < IMPOSSIBLE:
            rows.append(np.concatenate([standing, moving, [unevenness(notes, placement)]]))
            places = list(zip(placement.strings, placement.frets, strict=True))
            shares.append(right(phrase, places) / len(notes))
    return np.array(rows), np.array(shares)


def _drawn(weights: Weights, rng: np.random.Generator) -> Weights:
    changes = {
        f.name: float(getattr(weights, f.name) * np.exp(rng.normal(0, 0.8)) + rng.normal(0, 0.03))
        for f in fields(Weights)
        if rng.random() < 0.6
    }
    return replace(weights, **changes)


def tune(chosen: list[Composed], rounds: int) -> Weights:
    """Fit the weights to phrases that are not kept aside: most notes right on the average.

    Each round lists many placements of each phrase and makes the right ones cheap by the expected
    share right under a softmax of costs; weights stay near what the trade says unless much is
    gained.
    """
    rng = np.random.default_rng(8)
    weights, uneven = PROFILES["best overall"], UNEVEN
    names = [field.name for field in fields(Weights)]
    start = np.array([*(getattr(weights, name) for name in names), uneven])
    lists: list[tuple[np.ndarray, np.ndarray]] = []
    for number in range(rounds):
        for phrase in chosen:
            lists.append(readings(phrase, weights, set(), rng))

        def loss(w: np.ndarray) -> tuple[float, np.ndarray]:
            total, slope = 0.0, np.zeros_like(w)
            for rows, shares in lists:
                cost = rows @ w
                p = np.exp(-(cost - cost.min()))
                p /= p.sum()
                mean = float(p @ shares)
                total -= mean / len(lists)
                slope += (p * (shares - mean)) @ rows / len(lists)
            far = (w - start) / (np.abs(start) + 0.15)
            return total + 0.002 * float(far @ far), slope + 0.004 * far / (np.abs(start) + 0.15)

        now = np.array([*(getattr(weights, name) for name in names), uneven])
        # What speaks for a place may not turn into what speaks against it.
        bounds = [(None, 0.0) if value < 0 else (0.0, None) for value in start]
        fitted = minimize(loss, now, jac=True, method="L-BFGS-B", bounds=bounds).x
        weights = Weights(**{n: float(v) for n, v in zip(names, fitted, strict=False)})
        uneven = float(fitted[-1])
        reached = np.mean([solved(p, weights) / len(p.notes) for p in chosen])
        print(f"round {number}: expected {-loss(fitted)[0]:.3f}, alone {reached:.3f}", flush=True)
    shown = {n: round(float(v), 3) for n, v in zip(names, fitted, strict=False)}
    print(f"dict(**{shown})  # uneven {uneven:.2f}")
    return weights


def report(chosen: list[Composed]) -> None:
    """Print the table."""
    total: dict[str, list[int]] = defaultdict(lambda: [0] * 8)
    columns = ("notes", "lowest", "movement", "ours", "best of 5", "1 locked", "1 in 8", "fingers")
    fingers_wanted = 0
    began, rules = time.perf_counter(), 0
    for phrase in chosen:
        count = len(phrase.notes)
        ways = alternatives(phrase.guitar, to_place(phrase))
        best = max(right(phrase, list(zip(w.strings, w.frets, strict=True))) for w in ways)
        middle = count // 2
        every = set(range(0, count, 8)) | {middle}
        ours = ways[0]
        wanted = [(i, n.finger) for i, n in enumerate(phrase.notes) if n.finger]
        locked = solve(phrase.guitar, to_place(phrase, set(range(count))))
        made = choose_fingers(to_place(phrase), locked, phrase.guitar)
        fingers_wanted += len(wanted)
        row = (
            count, right(phrase, greedy_lowest(phrase)), right(phrase, least_movement(phrase)),
            right(phrase, list(zip(ours.strings, ours.frets, strict=True))), best,
            solved(phrase, locked={middle}), solved(phrase, locked=every),
            sum(made[i] == str(f) for i, f in wanted),
        )  # fmt: skip
        rules += broken_rules(phrase)
        for name in (phrase.kind, "all"):
            total[name] = [a + b for a, b in zip(total[name], row, strict=True)]
    print(f"{'kind':20s}" + "".join(f"{c:>10s}" for c in columns))
    for name, row in total.items():
        shares = [f"{v / row[0]:10.2f}" for v in row[1:7]]
        last = f"{row[7] / max(fingers_wanted, 1):10.2f}" if name == "all" else f"{'':10s}"
        print(f"{name:20s}{row[0]:10d}" + "".join(shares) + last)
    seconds = time.perf_counter() - began
    print(f"hard rules broken: {rules}; {seconds:.1f} s for everything")


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench placement", description=__doc__)
    parser.add_argument("--aside", action="store_true", help="score the half kept aside")
    parser.add_argument("--tune", type=int, default=0, metavar="N")
    options = parser.parse_args(arguments)
    chosen = [p for p in phrases() if p.aside == options.aside]
    if options.tune:
        tune([p for p in phrases() if not p.aside], options.tune)
    report(chosen)

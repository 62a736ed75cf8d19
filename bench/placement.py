"""Strings and frets: exact places on composed phrases, with and without hints, beside baselines.

python -m bench placement [--aside] [--tune N]
"""

import argparse
import time
from collections import defaultdict
from dataclasses import fields, replace

import numpy as np

from bench.composed import Composed, phrases
from juxtanote.core.fretboard.candidates import NoteToPlace, find_candidates
from juxtanote.core.fretboard.costs import PROFILES, Weights
from juxtanote.core.fretboard.fingers import choose_fingers
from juxtanote.core.fretboard.solver import alternatives, solve

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
    found = solve(phrase.guitar, to_place(phrase, locked), weights=weights)
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


def tune(chosen: list[Composed], trials: int) -> Weights:
    """Search weights at random on the phrases that are not kept aside."""
    rng = np.random.default_rng(8)
    best = PROFILES["best overall"]

    start = best

    def reached(weights: Weights) -> float:
        parts = [solved(p, weights) / len(p.notes) for p in chosen]
        # Few phrases: weights stay near what the trade says unless much is gained.
        far = [
            np.log((abs(getattr(weights, f.name)) + 0.02) / (abs(getattr(start, f.name)) + 0.02))
            ** 2
            for f in fields(Weights)
        ]
        return float(np.mean(parts)) - 0.004 * float(np.sum(far))

    best_score = reached(best)
    print(f"as it is {best_score:.3f}")
    for trial in range(trials):
        changes = {}
        for field in fields(Weights):
            if field.name == "sound" or rng.random() < 0.6:
                continue
            value = getattr(best, field.name)
            changes[field.name] = float(value * np.exp(rng.normal(0, 0.5)) + rng.normal(0, 0.02))
        score = reached(replace(best, **changes))
        if score > best_score + 1e-9:
            best, best_score = replace(best, **changes), score
            print(
                f"trial {trial}: {score:.3f} { ({k: round(v, 3) for k, v in changes.items()}) }",
                flush=True,
            )
    return best


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
        made = choose_fingers(to_place(phrase), locked)
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
        print(tune([p for p in phrases() if not p.aside], options.tune))
    report(chosen)

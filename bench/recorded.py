"""Guitars as somebody recorded them, note by note, and what is none: what no listener learned from.

    python -m bench recorded FOLDER [--every N]

FOLDER is that of `lab.recorded`. The composed phrases are played on each guitar as it is, through an amplifier,
and through one that distorts: note F1, techniques, string and fret, calibration and the share of notes that are
doubted as no guitar's. (What tells guitars from others learned from all but the electric one; what hears notes
from none.) Then the electric guitar and each other instrument play lines: how many notes a second are more than
half sure. What tells them learned from most: see what `lab.guitar` prints of instruments left out.
"""

import argparse
from collections import defaultdict
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.accuracy import Tally, hear, retuned, show, tally
from bench.composed import Composed, phrases
from bench.hands import placed_right
from bench.rings import amplified
from juxtanote.core.analysis.instruments import is_doubted
from juxtanote.core.synth.strings import StringEvent
from lab import recorded
from lab.mixing import level, pan
from lab.phrases import random_hand, to_events

SEED, LENGTH_S, LINES = 6262, 24.0, 3
THROUGH = {"as it is": None, "amplified": False, "distorted": True}


def play(
    guitar: recorded.Recorded, phrase: Composed, rng: np.random.Generator
) -> tuple[np.ndarray, list[StringEvent]]:
    """Play a composed phrase: mono at 22.05 kHz, and what is played."""
    hand = replace(random_hand(rng, phrase.guitar.tuning), guitar=phrase.guitar)
    events = to_events(list(phrase.notes), hand, phrase.tempo, 0.5, jitter_s=0.012)
    return guitar.played(events, max(e.offset_s for e in events) + 0.6), events


def guitars(folder: Path, every: int) -> None:
    """Print how the composed phrases are heard on each guitar."""
    for name in (*recorded.GUITARS, recorded.KEPT_ASIDE):
        guitar = recorded.read_recorded(folder / name)
        totals: dict[str, Tally] = defaultdict(Tally)
        counts: dict[str, np.ndarray] = defaultdict(lambda: np.zeros(4))
        for number, phrase in list(enumerate(phrases()))[::every]:
            rng = np.random.default_rng([SEED, number])
            dry, events = play(guitar, phrase, rng)
            for way, hot in THROUGH.items():
                sound = dry if hot is None else amplified(dry, rng, hot)
                heard, cents = hear(np.tanh(pan(level(sound, -18.0), 0.0)))
                heard = retuned(heard, 0.0)
                tally(totals[way], events, heard)
                totals[way].cents.append(cents)
                doubted = sum(is_doubted(n.evidence) for n in heard)
                # Each note was recorded on some string: not on the one that the phrase is played on.
                silent = [replace(n, stiffness=0.0, strength=0.0) for n in heard]
                counts[way] += *placed_right(events, silent, phrase.guitar), doubted, len(heard)
        for way, total in totals.items():
            show(f"{name} {way}", total, None)
            matched, right, doubted, found = counts[way]
            print(
                f"{'':16s} string and fret {right / max(matched, 1):.3f}  "
                f"doubted as no guitar's {doubted / max(found, 1):.3f}",
                flush=True,
            )


def lines(folder: Path) -> None:
    """Print how sure of notes the program is where something else plays by itself."""
    for name in (recorded.KEPT_ASIDE, *recorded.OTHERS):
        instrument, sure, count = recorded.read_recorded(folder / name), 0, 0
        rng = np.random.default_rng(SEED)
        for _ in range(LINES):
            sound = recorded.line(instrument, rng, LENGTH_S, name in recorded.KEYS)
            heard, _ = hear(pan(level(sound, -18.0), 0.0))
            sure, count = sure + sum(n.confidence > 0.5 for n in heard), count + len(heard)
        seconds = LINES * LENGTH_S
        print(
            f"{name:16s} {sure / seconds:.2f} notes a second over 0.5 sure, {count / seconds:.2f} in all",
            flush=True,
        )


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench recorded", description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--every", type=int, default=5)
    options = parser.parse_args(arguments)
    guitars(options.folder, options.every)
    lines(options.folder)

"""From sound alone: how many correctly heard notes are put on the string and fret they were played on.

python -m bench hands [--aside] [--every N] [--no-clues]
"""

import argparse
from collections import defaultdict
from dataclasses import replace

import mir_eval
import numpy as np

from bench.accuracy import _arrays, hear
from bench.composed import Composed, phrases
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.fretboard.phrases import places_of
from juxtanote.core.placing import place_heard
from juxtanote.core.synth.strings import StringEvent, render_events
from lab.backing import random_voice
from lab.instruments import render_sampled
from lab.mixing import lead_sound
from lab.phrases import Hand, to_events

SEED = 5200


def render(phrase: Composed, number: int, clean: bool) -> tuple[np.ndarray, list[StringEvent]]:
    """Play a phrase on a model of a string or on samples, alone."""
    rng = np.random.default_rng([SEED, number])
    hand = Hand(phrase.guitar, 0, tuple(range(12)), 5, rng)
    events = to_events(list(phrase.notes), hand, phrase.tempo, 0.4, jitter_s=0.006)
    length_s = max(e.offset_s for e in events) + 0.6
    if number % 3 == 2 and not clean:
        lead, events = render_sampled(events, int(rng.choice([25, 26, 27])), rng)
    else:
        lead = render_events(events, SAMPLE_RATE, random_voice(rng), rng, length_s=length_s)
    lead = lead if clean else lead_sound(lead, rng)
    lead = lead / (float(np.max(np.abs(lead))) + 1e-9) * 0.5
    return np.stack([lead, lead]).astype(np.float32), events


def scores(phrase: Composed, number: int, clean: bool, clues: bool) -> tuple[int, ...]:
    """Give notes played, heard right, placed right, and placed right by the sound's clue alone."""
    stereo, events = render(phrase, number, clean)
    truth = [e for e in events if "dead" not in e.techniques]
    heard, _ = hear(stereo)
    heard = [n for n in heard if "dead" not in n.techniques]
    if not heard:
        return len(truth), 0, 0, 0, 0
    spans, pitches = _arrays(truth)
    mine, my_pitches = _arrays(heard)
    pairs = mir_eval.transcription.match_notes(spans, pitches, mine, my_pitches, offset_ratio=None)
    if not clues:
        heard = [replace(n, stiffness=0.0, strength=0.0, legato=0.0) for n in heard]
    found = place_heard(heard, phrase.guitar, "alternate")
    if len(found) != len(heard):  # a note that this guitar does not have
        heard_at = {n.onset_s: k for k, n in enumerate(found)}
        pairs = [(a, heard_at[heard[b].onset_s]) for a, b in pairs if heard[b].onset_s in heard_at]
    here = [(n.written.string, n.written.fret) for n in found]
    right = sum(here[b] == (truth[a].string, truth[a].fret) for a, b in pairs)
    told = [dict(p.clue) for p in places_of(found, phrase.guitar)]
    alone = asked = 0
    for a, b in pairs:
        if len(set(told[b].values())) > 1:
            asked += 1
            alone += min(told[b], key=told[b].__getitem__) == (truth[a].string, truth[a].fret)
    return len(truth), len(pairs), right, alone, asked


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench hands", description=__doc__)
    parser.add_argument("--aside", action="store_true")
    parser.add_argument("--every", type=int, default=1)
    parser.add_argument("--no-clues", action="store_true")
    parser.add_argument("--clean", action="store_true", help="plucked strings without amplifier")
    options = parser.parse_args(arguments)
    total: dict[str, np.ndarray] = defaultdict(lambda: np.zeros(5))
    chosen = [p for p in phrases() if p.aside == options.aside][:: options.every]
    for number, phrase in enumerate(chosen):
        row = np.array(scores(phrase, number, options.clean, not options.no_clues))
        total[phrase.kind] += row
        total["all"] += row
    print(f"{'kind':20s}{'notes':>7s}{'heard':>8s}{'placed':>8s}{'clue alone':>12s}{'of':>5s}")
    for kind, (count, heard, right, alone, asked) in total.items():
        print(
            f"{kind:20s}{count:7.0f}{heard / count:8.3f}{right / max(heard, 1):8.3f}"
            f"{alone / max(asked, 1):12.3f}{asked:5.0f}"
        )

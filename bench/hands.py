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
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.fretboard.phrases import places_of
from juxtanote.core.placing import place_heard
from juxtanote.core.synth.strings import StringEvent, render_events
from juxtanote.core.theory.tuning import Guitar
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


def matched(truth: list[StringEvent], heard: list[PerceivedNote]) -> list[tuple[int, int]]:
    """Pair notes played with notes heard at their onset and pitch."""
    spans, pitches = _arrays(truth)
    mine, my_pitches = _arrays(heard)
    found = mir_eval.transcription.match_notes(spans, pitches, mine, my_pitches, offset_ratio=None)
    return [(int(a), int(b)) for a, b in found]


def placed_right(
    truth: list[StringEvent], heard: list[PerceivedNote], guitar: Guitar
) -> tuple[int, int]:
    """Count the notes that are heard right, and those of them on the string and fret they were played on."""
    truth = [e for e in truth if "dead" not in e.techniques]
    heard = [n for n in heard if "dead" not in n.techniques]
    if not truth or not heard:
        return 0, 0
    pairs = matched(truth, heard)
    found = place_heard(heard, guitar, "alternate")
    places = {(n.heard.onset_s, n.heard.midi): (n.written.string, n.written.fret) for n in found}
    right = sum(
        places.get((max(heard[b].onset_s, 0.0), heard[b].midi)) == (truth[a].string, truth[a].fret)
        for a, b in pairs
    )
    return len(pairs), right


def scores(phrase: Composed, number: int, clean: bool, clues: bool) -> tuple[int, ...]:
    """Give notes played, heard right, placed right, and placed right by the sound's clue alone."""
    stereo, events = render(phrase, number, clean)
    truth = [e for e in events if "dead" not in e.techniques]
    heard, _ = hear(stereo)
    heard = [n for n in heard if "dead" not in n.techniques]
    if not heard:
        return len(truth), 0, 0, 0, 0
    if not clues:
        heard = [replace(n, stiffness=0.0, strength=0.0, legato=0.0) for n in heard]
    count, right = placed_right(truth, heard, phrase.guitar)
    found = place_heard(heard, phrase.guitar, "alternate")
    told = {
        (n.heard.onset_s, n.heard.midi): dict(p.clue)
        for n, p in zip(found, places_of(found, phrase.guitar), strict=True)
    }
    alone = asked = 0
    for a, b in matched(truth, heard):
        clue = told.get((max(heard[b].onset_s, 0.0), heard[b].midi), {})
        if len(set(clue.values())) > 1:
            asked += 1
            alone += min(clue, key=clue.__getitem__) == (truth[a].string, truth[a].fret)
    return len(truth), count, right, alone, asked


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

"""Fit what phase tells of a stroke into a pitch that sounds (`juxtanote.core.analysis.restruck`).

    python -m lab.restruck MIXES [MIXES ...] --out src/juxtanote/core/analysis/weights

MIXES are folders of `lab.mixes`, where it is known what is struck. They tell how agreement of phase
differs between strokes and sound that goes on; how often either comes they cannot tell, for generated
music has few strokes that the networks take wrongly, and three recorded songs have many. So what is
fitted is believed further than it was fitted, as far as generated mixes lose nothing by it.
"""

import argparse
import json
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import numpy as np
from scipy.optimize import minimize

from juxtanote.core.analysis.channels import LOWEST_MIDI, Cell
from juxtanote.core.analysis.decode import decode, logit
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.listener import listen
from juxtanote.core.analysis.middle import centred
from juxtanote.core.analysis.reference_pitch import measure_reference_cents
from juxtanote.core.analysis.restruck import LEAST_BELIEVED, agreement, struck_again
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.units import cents_to_reference_hz, midi_to_hz
from lab.mixes import read
from lab.scenes import ANY

MIXES, EVERY = 240, 3  # at most so many of a folder, each third
NEAR_FRAMES = 5  # of a true onset
LOST_COUNTS = 1.15  # at an F1 of 0.93 a note lost costs as much as so many notes too many
FURTHER = 0.02  # steps of the bias


class Stroke(NamedTuple):
    """A stroke into a pitch that sounds: how sure the listener is of it, and how phases agree."""

    confidence: float
    agrees: float


def strokes(mid: np.ndarray, side: np.ndarray) -> Iterator[tuple[FoundNote, Stroke]]:
    """Find them in what is heard of a mix, at 22 050 Hz."""
    mid = centred(mid)
    cents, _ = measure_reference_cents(mid, SAMPLE_RATE)
    found = [note for note in decode(listen(mid, side, reference_cents=cents)) if not note.dead]
    for index in struck_again(found):
        note = found[index]
        hertz = float(midi_to_hz(note.midi, cents_to_reference_hz(cents)))
        agrees = agreement(mid, max(note.start, 0.0) * HOP_LENGTH / SAMPLE_RATE, hertz)
        if agrees is not None:
            yield note, Stroke(note.confidence, agrees)


def known(folder: Path) -> Iterator[tuple[Stroke, bool]]:
    """Give the strokes of generated mixes, and whether each is one; of any guitar."""
    for number, (stereo, cells) in enumerate(read(folder, MIXES * EVERY)):
        if number % EVERY:
            continue
        mid, side = 0.5 * (stereo[0] + stereo[1]), 0.5 * (stereo[0] - stereo[1])
        struck = cells[Cell.ONSET].astype(bool) | cells[ANY][0].astype(bool)
        sounds = cells[Cell.ACTIVE].astype(bool) | cells[ANY][1].astype(bool)
        for note, stroke in strokes(mid, side):
            near = slice(
                max(round(note.start) - NEAR_FRAMES, 0), round(note.start) + NEAR_FRAMES + 1
            )
            row = note.midi - LOWEST_MIDI
            is_struck = bool(struck[row, near].any())
            # Of what does not sound at all phase tells nothing.
            if is_struck or sounds[row, near].all():
                yield stroke, is_struck


def fit(some: list[Stroke], truth: np.ndarray) -> tuple[float, float]:
    """Fit what no agreement adds to the listener's log odds, and what full agreement takes away."""
    odds = logit(np.array([stroke.confidence for stroke in some]))
    agrees = np.array([stroke.agrees for stroke in some])
    sign = np.where(truth, 1.0, -1.0)

    def loss(weights: np.ndarray) -> float:
        return float(np.logaddexp(0.0, -sign * (odds + weights[0] - weights[1] * agrees)).sum())

    bias, weight = minimize(loss, np.zeros(2)).x
    return float(bias), float(weight)


def further(
    some: list[Stroke], truth: np.ndarray, bias: float, weight: float
) -> tuple[float, float, float]:
    """Lower the bias while that loses nothing; give it, the share of strokes lost and of others left out."""
    odds = logit(np.array([stroke.confidence for stroke in some]))
    agrees = np.array([stroke.agrees for stroke in some])
    chosen = bias, 0.0, 0.0
    for tried in np.arange(bias, 0.0, -FURTHER):
        gone = odds - np.maximum(weight * agrees - tried, 0.0) < logit(np.array(LEAST_BELIEVED))
        if LOST_COUNTS * np.count_nonzero(gone & truth) <= np.count_nonzero(gone & ~truth):
            chosen = float(tried), float(gone[truth].mean()), float(gone[~truth].mean())
    return chosen


def main() -> None:
    """Run it."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("mixes", type=Path, nargs="+")
    parser.add_argument("--out", type=Path, required=True)
    options = parser.parse_args()
    pairs = [pair for folder in options.mixes for pair in known(folder)]
    some, truth = [stroke for stroke, _ in pairs], np.array([is_struck for _, is_struck in pairs])
    bias, weight = fit(some, truth)
    bias, lost, left_out = further(some, truth, bias, weight)
    told = {
        "made by": f"lab.restruck, {len(some)} strokes of generated mixes",
        "on what it was fitted on": {
            "strokes": round(float(truth.mean()), 3), "lost": round(lost, 3), "others left out": round(left_out, 3),
        },
        "bias": round(bias, 3),
        "weight": round(weight, 3),
    }  # fmt: skip
    (options.out / "restruck.json").write_text(json.dumps(told, indent=1) + "\n", "utf-8")
    print(json.dumps(told, indent=1))


if __name__ == "__main__":
    main()

"""Fit what tells talk from notes: synthetic voices, generated guitars, and both at once.

    python -m lab.talk --out src/juxtanote/core/analysis/weights/talk.json

The voices are flite's; the benches use another one, and other guitars.
"""

import argparse
import json
from pathlib import Path

import numpy as np
from scipy.optimize import minimize

from juxtanote.core.analysis import talk
from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.reference_pitch import measure_reference_cents
from juxtanote.core.synth.strings import StringEvent
from lab.instruments import SAMPLE_RATE
from lab.mixing import level, pan
from lab.others import talk as spoken
from lab.scenes import lead_stem

SEED, LENGTH_S = 77, 15.0
SPOKEN, PLAYED = 20, 36  # stretches; every third of the latter has somebody talking over it
ON_S, SEMITONES = 0.07, 1.1  # how near a note is to one that was played
NOTES_COUNT = 3.0  # as much as syllables: leaving out a note is worse than writing a syllable
SHRINK = 1e-3


def stretches() -> list[tuple[list[PerceivedNote], list[StringEvent] | None]]:
    """Make and hear them: notes as heard, and what was played (None: nothing)."""
    made: list[tuple[list[PerceivedNote], list[StringEvent] | None]] = []
    length = int(LENGTH_S * SAMPLE_RATE)
    for number in range(SPOKEN):
        rng = np.random.default_rng([SEED, number])
        voice = spoken(rng, LENGTH_S)[:length].astype(np.float32)
        made.append((_heard(pan(level(voice, -18.0), float(rng.uniform(-0.3, 0.3)))), None))
    for number in range(PLAYED):
        rng = np.random.default_rng([SEED + 1, number])
        audio, events, *_ = lead_stem(rng)
        mixed = level(audio[:length], -18.0)
        if number % 3 == 2:
            voice = spoken(rng, LENGTH_S)[:length].astype(np.float32)
            over = level(
                np.pad(voice, (0, length - len(voice))), -18.0 - float(rng.uniform(-3, 12))
            )
            mixed = mixed + over
        made.append((_heard(pan(mixed, 0.0)), events))
    return made


def _heard(stereo: np.ndarray) -> list[PerceivedNote]:
    mid, side = 0.5 * (stereo[0] + stereo[1]), 0.5 * (stereo[0] - stereo[1])
    cents, _ = measure_reference_cents(mid, SAMPLE_RATE)
    heard = listen(mid, side, reference_cents=cents, keep_talk=True).notes
    return [note for note in heard if "dead" not in note.techniques]


def labelled(
    notes: list[PerceivedNote], events: list[StringEvent] | None, mixed: bool
) -> np.ndarray:
    """Label notes: 1 talk, 0 played, nan for what was heard though nobody did anything there."""
    if events is None:
        return np.ones(len(notes))
    labels = np.full(len(notes), 1.0 if mixed else np.nan)
    for k, note in enumerate(notes):
        near = (
            abs(e.onset_s - note.onset_s) < ON_S and abs(e.midi - note.midi) < SEMITONES
            for e in events
        )
        if any(near):
            labels[k] = 0.0
    return labels


def fit(out: Path) -> None:
    """Fit, say how well, and write the weights."""
    rows, targets = [], []
    for number, (notes, events) in enumerate(stretches()):
        labels = labelled(notes, events, mixed=(number - SPOKEN) % 3 == 2)
        known = ~np.isnan(labels)
        rows.append(talk.talk_features(notes)[known])
        targets.append(labels[known])
    features, target = np.vstack(rows), np.concatenate(targets)
    centre, scale = features.mean(0), features.std(0)
    design = np.column_stack([(features - centre) / scale, np.ones(len(features))])
    counts = np.where(target > 0.5, 1.0, NOTES_COUNT)

    def loss(weights: np.ndarray) -> float:
        score = design @ weights
        cross = np.logaddexp(0.0, score) - target * score
        return float((counts * cross).mean() + SHRINK * (weights[:-1] ** 2).sum())

    best = minimize(loss, np.zeros(design.shape[1])).x
    chance = 1.0 / (1.0 + np.exp(-(design @ best)))
    told = {
        "syllables over 0.5": float((chance[target > 0.5] > 0.5).mean()),
        "notes over 0.5": float((chance[target < 0.5] > 0.5).mean()),
    }
    plain = best[:-1] / scale
    weights = [*plain, best[-1] - float((plain * centre).sum())]
    text = {
        "made by": f"lab.talk, {SPOKEN} + {PLAYED} stretches of {LENGTH_S:.0f} s, seed {SEED}",
        "on what it was fitted on": {name: round(share, 3) for name, share in told.items()},
        "weights": [round(float(w), 4) for w in weights],
    }
    out.write_text(json.dumps(text, indent=1) + "\n")
    print(text)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--out", type=Path, default=Path("talk.json"))
    fit(parser.parse_args().out)

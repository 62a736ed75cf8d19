"""Fit what the second ear knows of how notes are struck (`juxtanote.core.analysis.touch`).

    python -m lab.touch listen FOLDER --leads 120
    python -m lab.touch fit FOLDER --weights src/juxtanote/core/analysis/weights

Leads of `lab.scenes` (of a seed that no network was trained on), alone and over a band, are listened to as
the program does, and held against what was played.
"""

import argparse
import pickle
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from scipy.optimize import minimize

from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.touch import KINDS, is_of, measures
from juxtanote.core.checks.complaints import Asked
from juxtanote.core.checks.second_ear import TONE, matched
from juxtanote.core.checks.told_techniques import Played
from juxtanote.core.synth.strings import StringEvent
from lab.backing import Meter, make_band
from lab.mistakes import asked_of, evidence_of
from lab.mixing import lead_sound, level, loudness, pan
from lab.scenes import backing_stereo, band_times, lead_stem

SEED = 97
FEWEST_NOTES, FEWEST_OF_EACH = 6, 2  # of a phrase that tells anything, and of each sort in it
PENALTY = 20.0
OVER_DB = (-2.0, 9.0)  # how far a lead lies over its band


def played(number: int) -> Iterator[tuple[np.ndarray, list[StringEvent]]]:
    """Play one lead alone and over a band: stereo, and what was played."""
    rng = np.random.default_rng([SEED, number])
    audio, events, key, tempo = lead_stem(rng)
    sound = level(lead_sound(audio, rng, varied=True, modelled=0.45), -18.0)
    lead = pan(sound, 0.0)
    yield np.tanh(lead), events
    meter = Meter(4, int(rng.choice([2, 2, 3])), float(rng.choice([0.5, 0.5, 0.66])))
    band = make_band(band_times(tempo, rng), 0, meter, key, rng, varied=True)
    rest, _ = backing_stereo(band, rng)
    under = 10 ** ((-18.0 - float(rng.uniform(*OVER_DB))) / 20) / loudness(rest.mean(axis=0))
    yield np.tanh(lead + rest * np.float32(under)).astype(np.float32), events


def listen_to(folder: Path, numbers: range) -> None:
    """Keep what is heard of leads, and what was played; what is there already is left."""
    folder.mkdir(parents=True, exist_ok=True)
    for number in numbers:
        target = folder / f"{number:05d}.pickle"
        if not target.exists():
            kept = [(asked_of(events), evidence_of(stereo)) for stereo, events in played(number)]
            partial = target.with_suffix(".tmp")
            partial.write_bytes(pickle.dumps(kept))
            partial.rename(target)


def pairs_of(asked: list[Asked], evidence: Evidence) -> list[Played]:
    """Pair what is written with what is heard at its pitch, by onset."""
    heard = [n for n in evidence.notes if evidence.start_s <= n.onset_s < evidence.end_s]
    pairs = [(asked[a], heard[b]) for a, b in sorted(matched(asked, heard).items())]
    return [(note, other) for note, other in pairs if abs(note.midi - other.midi) <= TONE]


def read_pairs(folder: Path) -> list[tuple[list[Asked], np.ndarray]]:
    """Measure the notes of every mix."""
    rows = []
    for path in sorted(folder.glob("*.pickle")):
        for asked, evidence in pickle.loads(path.read_bytes()):  # our own, of the step before
            played = pairs_of(asked, evidence)
            if len(played) >= FEWEST_NOTES:
                rows.append(
                    (
                        [note for note, _ in played],
                        measures([heard for _, heard in played], evidence),
                    )
                )
    return rows


def fit(kind: str, rows: list[tuple[list[Asked], np.ndarray]]) -> np.ndarray:
    """Fit one kind: usual means within and without, spread in a phrase, and the weights.

    Phrases that hold both sorts are moved so that the middle between them is 0: what is left is what
    tells the sorts of one phrase apart (logistic regression with a penalty on large weights).
    """
    moved, sides = [], []
    for notes, measured in rows:
        sorts = [is_of(kind, note.techniques) for note in notes]
        is_in = np.array([sort is True for sort in sorts])
        is_out = np.array([sort is False for sort in sorts])
        if min(is_in.sum(), is_out.sum()) >= FEWEST_OF_EACH:
            middle = 0.5 * (measured[is_in].mean(axis=0) + measured[is_out].mean(axis=0))
            moved += [measured[is_in] - middle, measured[is_out] - middle]
            sides += [np.ones(is_in.sum()), -np.ones(is_out.sum())]
    x, side = np.concatenate(moved), np.concatenate(sides)
    scale = x.std(axis=0) + 1e-3
    z = np.column_stack([x / scale, np.ones(len(x))])
    share = np.where(side > 0, 0.5 / np.mean(side > 0), 0.5 / np.mean(side < 0))

    def loss(w: np.ndarray) -> tuple[float, np.ndarray]:
        margin = side * (z @ w)
        slope = -share * side / (1.0 + np.exp(np.clip(margin, -30, 30)))
        small = PENALTY * np.append(w[:-1], 0.0)
        return float(
            (share * np.logaddexp(0.0, -margin)).sum() + 0.5 * small @ w
        ), z.T @ slope + small

    weights = minimize(loss, np.zeros(z.shape[1]), jac=True).x[:-1] / scale
    return np.concatenate([_usual(kind, rows, weights), weights])


def _usual(
    kind: str, rows: list[tuple[list[Asked], np.ndarray]], weights: np.ndarray
) -> list[float]:
    """Give the means of the weighed measures within and without a kind, and their variance in a phrase."""
    means: dict[bool, list[float]] = {True: [], False: []}
    apart, count = 0.0, 0
    for notes, measured in rows:
        weighed = measured @ weights
        for sort in (True, False):
            own = np.array(
                [
                    w
                    for w, n in zip(weighed, notes, strict=True)
                    if is_of(kind, n.techniques) is sort
                ]
            )
            if len(own) >= FEWEST_OF_EACH:
                means[sort].append(float(own.mean()))
                apart += float(((own - own.mean()) ** 2).sum())
                count += len(own) - 1
    return [float(np.mean(means[True])), float(np.mean(means[False])), apart / count]


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("step", choices=["listen", "fit"])
    parser.add_argument("folder", type=Path)
    parser.add_argument("--leads", type=int, default=120)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument(
        "--every", type=int, default=1, help="every so manieth, for several at work"
    )
    parser.add_argument("--weights", type=Path)
    options = parser.parse_args()
    if options.step == "listen":
        listen_to(options.folder, range(options.first, options.leads, options.every))
    else:
        known = read_pairs(options.folder)
        np.savez(options.weights / "touch.npz", **{kind: fit(kind, known) for kind in KINDS})

"""Fit how pulses, bars and divisions are weighed, on generated bands.

    python -m lab.pulses make BANDS --count 240
    python -m lab.pulses fit BANDS --out src/juxtanote/core/analysis/weights/metre.json

A linear choice among the pulses of each band (multinomial logit), and the same for its bars.
"""

import argparse
import json
from pathlib import Path

import mir_eval
import numpy as np
from scipy import optimize

from juxtanote.core.analysis import beats as tracking
from juxtanote.core.analysis.metre import (
    BARS,
    Curves,
    bar_features,
    division_features,
    pulse_features,
)
from lab.backing import Meter, make_band
from lab.mixing import mix
from lab.scenes import lead_stem

SEED = 31
LENGTH_S = 26.0
METERS = (
    Meter(4, 2, 0.5), Meter(4, 2, 0.5), Meter(4, 2, 0.66), Meter(4, 2, 0.6), Meter(3, 2, 0.5),
    Meter(4, 3, 0.5), Meter(2, 3, 0.5), Meter(3, 2, 0.64),
)  # fmt: skip


def beat_times(rng: np.random.Generator) -> np.ndarray:
    """Draw beats that drift, wander, or keep time."""
    tempo = float(np.exp(rng.uniform(np.log(56), np.log(176))))
    steps = np.full(int(LENGTH_S * tempo / 60) + 3, 60.0 / tempo)
    if rng.random() < 0.4:
        depth = rng.uniform(0.01, 0.08)
        steps *= 1 + depth * np.sin(
            np.linspace(0, rng.uniform(2, 8), len(steps)) + rng.uniform(0, 6)
        )
    times = rng.uniform(0.1, 0.9) + np.concatenate([[0.0], np.cumsum(steps)])
    times += rng.normal(0, rng.uniform(0.001, 0.006), len(times))
    return times[times < LENGTH_S + 1.0]


def make(folder: Path, count: int, seed: int) -> None:
    """Render bands and keep their curves and their truth."""
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(count):
        target = folder / f"{seed}-{number:04d}.npz"
        if target.exists():
            continue
        rng = np.random.default_rng([SEED, seed, number])
        meter = METERS[int(rng.integers(len(METERS)))]
        times, first = beat_times(rng), int(rng.integers(0, meter.beats))
        band = make_band(
            times, first, meter, int(rng.integers(12)), rng,
            guitars=rng.random() < 0.7, voice=rng.random() < 0.4, loose=rng.random() < 0.6,
        )  # fmt: skip
        lead, *_ = lead_stem(rng, beat_times=times)
        size = int(LENGTH_S * tracking.SAMPLE_RATE)
        lead = np.pad(lead, (0, max(size - len(lead), 0)))[:size]
        mono = mix(lead, band, rng, kind="band", lead_over_db=float(rng.uniform(-4, 6)))
        curves = tracking.measure_curves(mono.mean(axis=0))
        np.savez(
            target, onset=curves.onset, low=curves.low, burst=curves.burst, chroma=curves.chroma,
            times=times, meter=np.array([first, meter.beats, meter.division]),
        )  # fmt: skip
        if number % 20 == 0:
            print(number, flush=True)


def read(path: Path):
    """Read one band: candidates with their beat F, and the truth."""
    with np.load(path) as data:
        curves = Curves(data["onset"], data["low"], data["burst"], data["chroma"])
        times, (first, per_bar, division) = data["times"], data["meter"].tolist()
    truth = times[times < LENGTH_S - 0.5]
    pulses = tracking.follow_pulses(curves, tracking.candidate_periods(curves.onset))
    marks = []
    for pulse in pulses:
        heard = np.maximum(pulse.beats / tracking.FRAME_RATE - tracking.LATE_S, 0)
        trim = mir_eval.beat.trim_beats
        marks.append(mir_eval.beat.f_measure(trim(truth, 1.0), trim(np.unique(heard), 1.0)))
    # The same pulse with its bars known, whatever the tracker found.
    at = np.clip(truth * tracking.FRAME_RATE, 0, len(curves.onset) - 1)
    true_pulse = tracking.measure_pulse(curves, curves.lines(), at)
    return pulses, np.array(marks), true_pulse, first, per_bar, division


def fit_choice(groups: list[np.ndarray], targets: list[np.ndarray], weight: float) -> np.ndarray:
    """Fit a linear choice: each group (n_ways, n_features) has a target distribution."""

    def loss(w):
        total, slope = weight * float(w @ w), 2 * weight * w
        for rows, target in zip(groups, targets, strict=True):
            logits = rows @ w
            logits = logits - logits.max()
            shares = np.exp(logits) / np.exp(logits).sum()
            total -= float(target @ np.log(shares + 1e-12)) / len(groups)
            slope = slope + rows.T @ (shares - target) / len(groups)
        return total, slope

    start = np.zeros(groups[0].shape[1])
    return optimize.minimize(loss, start, jac=True, method="L-BFGS-B", options={"maxiter": 400}).x


def fit(folder: Path, out: Path) -> None:
    """Fit all three choices on three bands in four, and score them on the fourth."""
    bands = [read(path) for path in sorted(folder.glob("*.npz"))]
    kept = [k % 4 == 3 for k in range(len(bands))]

    pulse_groups = [np.stack([pulse_features(p, tracking.FRAME_RATE) for p in b[0]]) for b in bands]
    pulse_targets = [np.exp(25 * (b[1] - b[1].max())) for b in bands]
    pulse_targets = [t / t.sum() for t in pulse_targets]
    division_rows = [np.array([1.0, *division_features(b[2])]) for b in bands]
    division_groups = [np.stack([0 * row, row]) for row in division_rows]
    division_targets = [np.array([b[5] == 2, b[5] == 3], dtype=float) for b in bands]
    bar_groups, bar_targets = [], []
    for _, _, pulse, first, per_bar, division in bands:
        rows, target = [], []
        for index, count in enumerate(BARS):
            for phase in range(count):
                row = np.zeros((len(BARS), 26))
                row[index] = [1.0, float(division == 3), *bar_features(pulse, count, phase)]
                rows.append(row.ravel())
                target.append(float(count == per_bar and phase == first % per_bar))
        bar_groups.append(np.stack(rows))
        bar_targets.append(np.array(target))
    found = {}
    parts = {
        "pulse": (pulse_groups, pulse_targets), "division": (division_groups, division_targets),
        "bar": (bar_groups, bar_targets),
    }  # fmt: skip
    scores = {}
    for name, (groups, targets) in parts.items():
        pairs = list(zip(groups, targets, kept, strict=True))
        best = None
        for weight in (0.001, 0.003, 0.01, 0.03):
            w = fit_choice(
                [g for g, _, k in pairs if not k], [t for _, t, k in pairs if not k], weight
            )
            right = np.mean([t[np.argmax(g @ w)] > 0.5 * t.max() for g, t, k in pairs if k])
            known = np.mean([t[np.argmax(g @ w)] > 0.5 * t.max() for g, t, k in pairs if not k])
            print(f"{name}: weight {weight}: fitted {known:.3f}, kept aside {right:.3f}")
            if best is None or right >= best[0]:
                best = (right, weight)
        scores[name] = round(float(best[0]), 3)
        found[name] = fit_choice(groups, targets, best[1])
    picks = [b[1][np.argmax(g @ found["pulse"])] for b, g in zip(bands, pulse_groups, strict=True)]
    print("beat F, chosen", np.mean(picks), "best there is", np.mean([b[1].max() for b in bands]))
    rows = found.pop("bar").reshape(len(BARS), -1)
    found |= {f"bar {count}": row for count, row in zip(BARS, rows, strict=True)}
    text = {
        "made by": f"lab.pulses, {len(bands)} generated bands, seed {SEED}",
        "right on bands kept aside while fitting": scores,
        "weights": {name: [round(float(v), 4) for v in row] for name, row in found.items()},
    }
    out.write_text(json.dumps(text, indent=1) + "\n")


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("step", choices=("make", "fit"))
    parser.add_argument("folder", type=Path)
    parser.add_argument("--count", type=int, default=240)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--out", type=Path, default=Path("metre.json"))
    options = parser.parse_args()
    if options.step == "make":
        make(options.folder, options.count, options.seed)
    else:
        fit(options.folder, options.out)

"""Settle what the decoder weighs, and calibrate confidence, on validation mixes kept from training.

    python -m lab.settle SHARDS src/juxtanote/core/analysis/weights --trials 40

Writes `decoder` and `calibration` into ``listener.json``.
"""

import argparse
import json
from dataclasses import asdict, replace
from pathlib import Path

import mir_eval
import numpy as np
from scipy.optimize import minimize

from juxtanote.core.analysis.confidence import traits_of
from juxtanote.core.analysis.decode import DecoderSettings, FoundNote, decode
from juxtanote.core.analysis.listener import Posteriors, run_network
from juxtanote.core.analysis.spectra import HOP_LENGTH, LOWEST_MIDI, SAMPLE_RATE, stack_harmonics
from juxtanote.core.units import midi_to_hz

HOP_S = HOP_LENGTH / SAMPLE_RATE
RANGES = {
    "onset_gain": (0.6, 3.0),
    "onset_bias": (-0.5, 1.8),
    "start_cost": (0.0, 1.5),
    "onset_floor": (0.08, 0.35),
    "active_gain": (0.01, 0.25),
    "active_bias": (-0.5, 1.0),
    "leave_cost": (0.0, 0.5),
}


def _sigmoid(x: np.ndarray) -> np.ndarray:
    return 1.0 / (1.0 + np.exp(-x))


def load_items(folder: Path, most: int) -> tuple[list, list]:
    """Run the network over validation mixes; give (posteriors, truth) pairs and the cells of truth."""
    items, kinds = [], []
    shards = [p for p in sorted(folder.glob("*.npz")) if int(p.stem.split("-")[1]) % 10 == 0]
    for path in shards:
        with np.load(path) as data:
            spectra, cells = data["spectra"], data["cells"]
        for k in range(0, len(spectra), 2):
            if len(items) >= most:
                return items, kinds
            n_frames = spectra.shape[-1]
            stacked = stack_harmonics(spectra[k].astype(np.float32) / 255.0)
            logits, frames = run_network(stacked)
            found = Posteriors(_sigmoid(logits), _sigmoid(frames[0]), _sigmoid(frames[1]))
            unpacked = np.unpackbits(cells[k], axis=-1)[:, :, :n_frames]
            truth = unpacked[0]
            kinds.append(unpacked)
            rows, times = np.nonzero(truth)
            order = np.argsort(times)
            pairs = np.stack([times[order] * HOP_S, rows[order] + LOWEST_MIDI], axis=1)
            items.append((found, pairs))
    return items, kinds


def matches(notes: list[FoundNote], truth: np.ndarray) -> list[bool]:
    """Tell for each pitched note whether it matches a true one (50 ms, 50 cents)."""
    if not notes or not len(truth):
        return [False] * len(notes)
    mine = np.array([[n.start * HOP_S, n.start * HOP_S + 0.1] for n in notes])
    theirs = np.stack([truth[:, 0], truth[:, 0] + 0.1], axis=1)
    pairs = mir_eval.transcription.match_notes(
        theirs, midi_to_hz(truth[:, 1]), np.maximum(mine, 0), midi_to_hz([n.midi for n in notes]),
        offset_ratio=None,
    )  # fmt: skip
    right = {b for _, b in pairs}
    return [k in right for k in range(len(notes))]


def score(items: list, settings: DecoderSettings) -> float:
    """Give the note F1 over all items."""
    hits = found = wanted = 0
    for posteriors, truth in items:
        notes = [n for n in decode(posteriors, settings) if not n.dead]
        hits += sum(matches(notes, truth))
        found += len(notes)
        wanted += len(truth)
    return 2 * hits / max(found + wanted, 1)


def search(items: list, trials: int) -> tuple[DecoderSettings, float]:
    """Try settings at random, then around the best."""
    rng = np.random.default_rng(3)
    best = DecoderSettings()
    best_score = score(items, best)
    print(f"as it is: {best_score:.4f}", flush=True)
    for trial in range(trials):
        near = trial > trials // 3
        fields = {}
        for name, (low, high) in RANGES.items():
            if near:
                if rng.random() < 0.5:
                    continue
                value = getattr(best, name) + rng.normal(0, 0.15 * (high - low))
            else:
                value = rng.uniform(low, high)
            fields[name] = float(np.clip(value, low, high))
        settings = replace(best, **fields)
        reached = score(items, settings)
        if reached > best_score:
            best, best_score = settings, reached
            print(f"trial {trial}: {reached:.4f} {fields}", flush=True)
    return best, best_score


def calibrate(items: list, settings: DecoderSettings) -> tuple[dict[str, float], float]:
    """Fit a logistic curve to which notes are right; give it and its calibration error."""
    rows, right = [], []
    for posteriors, truth in items:
        notes = [n for n in decode(posteriors, settings) if not n.dead]
        rows += [list(traits_of(n).values()) for n in notes]
        right += matches(notes, truth)
    x, y = np.array(rows), np.array(right, dtype=float)

    def loss(w: np.ndarray) -> float:
        p = np.clip(_sigmoid(w[0] + x @ w[1:]), 1e-6, 1 - 1e-6)
        return float(-np.mean(y * np.log(p) + (1 - y) * np.log(1 - p)) + 1e-4 * np.sum(w**2))

    fitted = minimize(loss, np.zeros(x.shape[1] + 1)).x
    p = _sigmoid(fitted[0] + x @ fitted[1:])
    bins = np.clip((p * 10).astype(int), 0, 9)
    error = sum(
        abs(p[bins == b].mean() - y[bins == b].mean()) * np.mean(bins == b)
        for b in range(10)
        if np.any(bins == b)
    )
    sure = p >= 0.9
    print(
        f"calibration error {error:.3f}; at 0.9 and over {y[sure].mean():.3f} right ({sure.mean():.2f})"
    )
    names = list(traits_of(FoundNote(0, 1, 60, 0, 0, 0, 0, 0, 0, ())))
    return {
        "bias": float(fitted[0]),
        **dict(zip(names, map(float, fitted[1:]), strict=True)),
    }, float(error)


def kind_thresholds(items: list, settings: DecoderSettings, kinds: list) -> dict[str, float]:
    """Find for each kind of attack the threshold that tells it best on matched notes.

    Slurs are settled apart for rising and falling steps: a rising one is much more often picked.
    """
    names = ("slurred", "slide", "muted", "harmonic", "tap")
    told: dict[str, list[tuple[float, bool]]] = {
        name: [] for name in ("slurred_up", "slurred_down", *names[1:], "bending", "shaking")
    }
    for (posteriors, truth), cells in zip(items, kinds, strict=True):
        notes = [n for n in decode(posteriors, settings) if not n.dead]
        right = matches(notes, truth)
        for index, note in enumerate(notes):
            if not right[index]:
                continue
            row, frame = note.midi - LOWEST_MIDI, round(note.start)
            near = cells[:, row, max(frame - 4, 0) : frame + 5].max(axis=1)
            step = note.midi - notes[index - 1].midi if index else 0
            for k, name in enumerate(names):
                value, wanted = float(getattr(note, name)), bool(near[2 + k])
                if name == "slurred" and step:
                    told["slurred_up" if step > 0 else "slurred_down"].append((value, wanted))
                elif name != "slurred":
                    told[name].append((value, wanted))
            rows = slice(max(row - 1, 0), row + 5)
            for layer, name in ((7, "bending"), (8, "shaking")):
                moving = cells[layer, rows, frame : max(round(note.end), frame + 1)]
                told[name].append((float(getattr(note, name)), int(moving.sum()) >= 4))
    chosen = {}
    for name, pairs in told.items():
        p, y = np.array([a for a, _ in pairs]), np.array([b for _, b in pairs])
        ways = [
            (2 * np.sum(y & (p > t)) / max(np.sum(y) + np.sum(p > t), 1), t)
            for t in np.arange(0.1, 0.9, 0.05)
        ]
        # Of thresholds that do about as well, the one nearest the middle carries over best.
        good = [way for way in ways if way[0] > max(ways)[0] - 0.025]
        best = min(good, key=lambda way: abs(way[1] - 0.5))
        chosen[name] = round(float(best[1]), 2)
        print(f"{name}: F1 {best[0]:.3f} at {best[1]:.2f}, {int(y.sum())} of {len(y)}")
    chosen["slurred"] = chosen["slurred_up"]
    return chosen


def main() -> None:
    """Settle and write."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("shards", type=Path)
    parser.add_argument("weights", type=Path)
    parser.add_argument("--trials", type=int, default=40)
    parser.add_argument("--items", type=int, default=30)
    options = parser.parse_args()
    items, kinds = load_items(options.shards, options.items)
    settings, reached = search(items, options.trials)
    calibration, error = calibrate(items, settings)
    path = options.weights / "listener.json"
    recipe = json.loads(path.read_text())
    chosen = asdict(settings)
    recipe["decoder"] = {name: round(chosen[name], 4) for name in RANGES}
    recipe["calibration"] = {name: round(value, 4) for name, value in calibration.items()}
    recipe["kind_thresholds"] = kind_thresholds(items, settings, kinds)
    recipe["settled"] = {"note_f1": round(reached, 4), "calibration_error": round(error, 4)}
    path.write_text(json.dumps(recipe, indent=2) + "\n")


if __name__ == "__main__":
    main()

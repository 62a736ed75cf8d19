"""Settle the decoder on validation mixes and on the half of the bench that is for tuning.

python -m bench settle SHARDS WEIGHTS [--items N] [--cases N] [--trials N]

Both together, so that neither the generator's habits nor those of the bench decide alone.
"""

import argparse
import json
from dataclasses import asdict
from pathlib import Path

import numpy as np

from bench.accuracy import cases, render_case
from juxtanote.core.analysis import listener
from juxtanote.core.analysis.reference_pitch import measure_reference_cents
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from lab.scenes import truth_of
from lab.settle import RANGES, calibrate, kind_thresholds, load_items, search


def bench_items(most: int) -> tuple[list, list]:
    """Hear the tuning half, three dressings of each case: posteriors with truth, and cells of truth."""
    items, kinds = [], []
    chosen = [(k, case) for k, case in enumerate(cases()) if not case.aside]
    for number, case in chosen[:: max(len(chosen) // most, 1)]:
        rendered = list(render_case(case, number).values())
        for stereo, events, _ in (rendered[0], rendered[1], rendered[3]):
            mid, side = 0.5 * (stereo[0] + stereo[1]), 0.5 * (stereo[0] - stereo[1])
            cents, _ = measure_reference_cents(mid, SAMPLE_RATE)
            found = listener.listen(mid, side, reference_cents=cents)
            pitched = [e for e in events if "dead" not in e.techniques]
            pairs = np.array([[e.onset_s, e.midi] for e in pitched]).reshape(-1, 2)
            items.append((found, pairs[np.argsort(pairs[:, 0])]))
            kinds.append(truth_of(events, found.cells.shape[2]).cells)
    return items, kinds


def main(arguments: list[str]) -> None:
    """Settle and write."""
    parser = argparse.ArgumentParser(prog="bench settle", description=__doc__)
    parser.add_argument("shards", type=Path)
    parser.add_argument("weights", type=Path)
    parser.add_argument("--trials", type=int, default=40)
    parser.add_argument("--items", type=int, default=24)
    parser.add_argument("--cases", type=int, default=26)
    options = parser.parse_args(arguments)
    items, kinds = bench_items(options.cases)
    more, more_kinds = load_items(options.shards, options.items)
    print(f"{len(items)} mixes of the bench, {len(more)} of the generator")
    settings, reached = search([*items, *more], options.trials)
    calibration, error = calibrate([*items, *more], settings)
    path = options.weights / "listener.json"
    recipe = json.loads(path.read_text())
    chosen = asdict(settings)
    recipe["decoder"] = {name: round(chosen[name], 4) for name in RANGES}
    recipe["calibration"] = {name: round(value, 4) for name, value in calibration.items()}
    recipe["kind_thresholds"] = kind_thresholds([*items, *more], settings, [*kinds, *more_kinds])
    recipe["settled"] = {"note_f1": round(reached, 4), "calibration_error": round(error, 4)}
    path.write_text(json.dumps(recipe, indent=2) + "\n")

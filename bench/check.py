"""The second ear: mistakes planted into tabs that are otherwise right, over sounds that no training had.

    python -m bench check [--most N] [--aside] [--drawing N] [--keep FOLDER]

The foreign ring's phrases, alone and in a band. Of each kind of mistake: how many are found (the kind that is
right, at the note), and how many complaints a note a correct tab gets. Even cases are for tuning, odd ones
(--aside) are kept aside. Another drawing has other sounds, bands and mistakes; drawings 0 to 2 were used to
set edges, 3 judged them.
"""

import argparse
import pickle
from collections import defaultdict
from pathlib import Path

import numpy as np

from bench.accuracy import calibration_error
from bench.composed import phrases
from bench.rings import foreign_case
from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.checks.complaints import Complaint
from juxtanote.core.checks.second_ear import second_ear
from juxtanote.core.synth.strings import StringEvent
from lab.mistakes import asked_of, evidence_of, plant

AT_S = 0.08
ROUNDS = 8
WHERE = ("foreign alone", "foreign band")


def is_found(kind: str, at_s: float, complaints: list[Complaint]) -> bool:
    """Whether a complaint of the right kind stands at a place."""
    near = 0.2 if kind == "time" else AT_S
    return any(c.kind == kind and abs(c.onset_s - at_s) < near for c in complaints)


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench check", description=__doc__)
    parser.add_argument("--most", type=int, default=1000)
    parser.add_argument("--aside", action="store_true")
    parser.add_argument("--drawing", type=int, default=0)
    parser.add_argument("--keep", type=Path, help="where listenings are kept for the next run")
    options = parser.parse_args(arguments)
    numbers = list(range(int(options.aside), len(phrases()), 2))[: options.most]
    found: dict[str, dict[str, list[bool]]] = {where: defaultdict(list) for where in WHERE}
    plain: dict[str, list[float]] = {where: [] for where in WHERE}
    kinds: dict[str, dict[str, int]] = {where: defaultdict(int) for where in WHERE}
    sure: dict[str, list[tuple[float, bool]]] = {where: [] for where in WHERE}
    by_kind: dict[str, dict[str, list[tuple[float, bool]]]] = {w: defaultdict(list) for w in WHERE}
    for number in numbers:
        for where, (evidence, events) in _listened(number, options.drawing, options.keep).items():
            asked = asked_of(events)
            clean = [c for c in second_ear(asked, evidence) if c.is_told]
            plain[where] += [len(clean), len(asked)]
            for complaint in clean:
                kinds[where][f"{complaint.kind} {complaint.technique}".strip()] += 1
            for round_number in range(ROUNDS):
                rng = np.random.default_rng([number, round_number + ROUNDS * options.drawing])
                spoiled, planted = plant(asked, rng)
                told = second_ear(spoiled, evidence)
                strong = [c for c in told if c.is_told]
                for name, kind, at in planted:
                    found[where][name].append(is_found(kind, at, strong))
                for complaint in told:
                    right = any(
                        kind == complaint.kind
                        and abs(at - complaint.onset_s) < (0.2 if kind == "time" else AT_S)
                        for _, kind, at in planted
                    )
                    if complaint.is_told:
                        sure[where].append((complaint.confidence, right))
                        by_kind[where][complaint.kind].append((complaint.confidence, right))
    for where in WHERE:
        complaints, notes = sum(plain[where][::2]), sum(plain[where][1::2])
        error, _ = calibration_error(sure[where])
        print(
            f"{where}: {complaints / max(notes, 1):.3f} complaints a note on correct tabs, ECE {error:.3f}"
        )
        print(
            "   of them: "
            + ", ".join(f"{kind} {count}" for kind, count in sorted(kinds[where].items()))
        )
        told = [
            f"{kind} {np.mean([p for p, _ in rows]):.2f}/{np.mean([r for _, r in rows]):.2f} ({len(rows)})"
            for kind, rows in sorted(by_kind[where].items())
        ]
        print("   sure and right: " + ", ".join(told))
        for name, hits in sorted(found[where].items()):
            print(f"   {name:18s} {np.mean(hits):.2f} of {len(hits)}")


def _listened(
    number: int, drawing: int, keep: Path | None
) -> dict[str, tuple[Evidence, list[StringEvent]]]:
    path = keep / f"{number}-{drawing}.pickle" if keep is not None else None
    if path is not None and path.is_file():
        return pickle.loads(path.read_bytes())  # our own, of the run before
    _, mixes = foreign_case(number, drawing)
    made = {w: (evidence_of(mixes[w].stereo), mixes[w].events) for w in WHERE}
    if path is not None:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(pickle.dumps(made))
    return made

"""The second ear: mistakes planted into tabs that are otherwise right, over sounds that no training had.

    python -m bench check [--most N] [--aside] [--keep FOLDER]

The foreign ring's phrases, alone and in a band. Of each kind of mistake: how many are found (the kind that is
right, at the note), and how many complaints a note a correct tab gets. Even cases are for tuning, odd ones
(--aside) are kept aside.
"""

import argparse
import pickle
from collections import defaultdict
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.accuracy import calibration_error
from bench.composed import phrases
from bench.rings import foreign_case
from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.reference_pitch import measure_reference_cents
from juxtanote.core.checks.complaints import Asked, Complaint
from juxtanote.core.checks.evidence import Evidence
from juxtanote.core.checks.second_ear import second_ear
from juxtanote.core.synth.strings import StringEvent
from lab.instruments import SAMPLE_RATE

SURE = 0.5
AT_S = 0.08
FROM_S = 0.03
ROUNDS = 8
EVERY = 7  # notes to a mistake
WHERE = ("foreign alone", "foreign band")


def asked_of(events: list[StringEvent]) -> list[Asked]:
    """Write down what was played, without a mistake."""
    rows = []
    for row, event in enumerate(sorted(events, key=lambda e: (e.onset_s, -e.string))):
        bend = max((step for _, step in event.curve), default=0.0)
        is_bent = bool(event.techniques & {"bend", "pre-bend"})
        rows.append(
            Asked(row, event.onset_s, event.offset_s, event.midi, event.string, event.fret,
                  event.techniques, bend if is_bent else 0.0)
        )  # fmt: skip
    return rows


def evidence_of(stereo: np.ndarray) -> Evidence:
    """Listen as the program does."""
    mid, side = 0.5 * (stereo[0] + stereo[1]), 0.5 * (stereo[0] - stereo[1])
    cents, _ = measure_reference_cents(mid, SAMPLE_RATE)
    heard = listen(mid, side, reference_cents=cents)
    return Evidence(0.0, len(mid) / SAMPLE_RATE, heard)


def plant(
    asked: list[Asked], rng: np.random.Generator
) -> tuple[list[Asked], list[tuple[str, str, float]]]:
    """Spoil some notes; give the tab and (kind of mistake, kind of complaint, where it sounds)."""
    spoiled, planted = list(asked), []
    last = -EVERY
    for index in range(1, len(asked) - 1):
        if index - last < EVERY or rng.random() < 0.4:
            continue
        note = asked[index]
        alone = all(abs(n.onset_s - note.onset_s) > 0.04 for k, n in enumerate(asked) if k != index)
        if not alone or "dead" in note.techniques:
            continue
        made = _mistake(note, asked, index, rng)
        if made is None:
            continue
        name, kind, fresh = made
        last = index
        planted.append((name, kind, fresh.onset_s if name == "too many" else note.onset_s))
        if name == "left out":
            spoiled[index] = None  # type: ignore[call-overload]
        elif name == "too many":
            spoiled.append(fresh)
        else:
            spoiled[index] = fresh
    rows = sorted((n for n in spoiled if n is not None), key=lambda n: n.onset_s)
    return [replace(n, row=row) for row, n in enumerate(rows)], planted


def _mistake(
    note: Asked, asked: list[Asked], index: int, rng: np.random.Generator
) -> tuple[str, str, Asked] | None:
    name = str(rng.choice(["fret 1", "fret 2", "fret 12", "left out", "too many", "bend", "time 60",
                           "time 90", "time 150", "technique added", "technique taken"]))  # fmt: skip
    sign = int(rng.choice([-1, 1]))
    if note.bends and rng.random() < 0.5:
        name = "bend"
    if name.startswith("fret"):
        step = int(name.split()[1]) * sign
        if not 0 <= note.fret + step <= 24:
            step = -step
        return name, "wrong-pitch", replace(note, fret=note.fret + step, midi=note.midi + step)
    if name == "left out":
        return name, "missing", note
    if name == "too many":
        gap = asked[index + 1].onset_s - note.onset_s
        if gap < 0.24:
            return None
        step = int(rng.choice([-4, -3, 2, 3, 5]))
        fresh = replace(note, onset_s=note.onset_s + 0.5 * gap, offset_s=note.onset_s + gap,
                        midi=note.midi + step, fret=max(note.fret + step, 0), techniques=frozenset(),
                        bend_semitones=0.0)  # fmt: skip
        return name, "extra", fresh
    if name == "bend":
        if not note.bends:
            return None
        step = float(rng.choice([0.5, 1.0, 2.0])) * sign
        bent = note.bend_semitones + step
        if not 0.2 < bent < 5.0:
            bent = note.bend_semitones + abs(step)
        return f"bend {abs(step):g}", "bend", replace(note, bend_semitones=bent)
    if name.startswith("time"):
        by = int(name.split()[1]) / 1000.0 * sign
        at = note.onset_s + by
        beside = [asked[index - 1].onset_s, asked[index + 1].onset_s]
        if at < beside[0] + 0.03 or at > beside[1] - 0.03:
            return None
        return name, "time", replace(note, onset_s=at)
    return _technique(name, note, asked, index)


def _technique(
    name: str, note: Asked, asked: list[Asked], index: int
) -> tuple[str, str, Asked] | None:
    known = [t for t in ("hammer-on", "pull-off", "slide", "vibrato", "palm-mute", "natural-harmonic", "tap")
             if t in note.techniques]  # fmt: skip
    if name == "technique taken":
        if not known:
            return None
        return name, "technique", replace(note, techniques=note.techniques - {known[0]})
    if note.techniques:
        return None
    step = note.midi - asked[index - 1].midi
    same = asked[index - 1].string == note.string
    tag = (
        "vibrato"
        if not same
        else "hammer-on"
        if step > 0
        else "pull-off"
        if step < 0
        else "vibrato"
    )
    if tag == "vibrato" and note.offset_s - note.onset_s < 0.25:
        return None
    return name, "technique", replace(note, techniques=frozenset({tag}))


def is_found(kind: str, at_s: float, complaints: list[Complaint]) -> bool:
    """Whether a complaint of the right kind stands at a place."""
    near = 0.2 if kind == "time" else AT_S
    return any(c.kind == kind and abs(c.onset_s - at_s) < near for c in complaints)


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench check", description=__doc__)
    parser.add_argument("--most", type=int, default=1000)
    parser.add_argument("--aside", action="store_true")
    parser.add_argument("--keep", type=Path, help="where listenings are kept for the next run")
    options = parser.parse_args(arguments)
    numbers = list(range(int(options.aside), len(phrases()), 2))[: options.most]
    found: dict[str, dict[str, list[bool]]] = {where: defaultdict(list) for where in WHERE}
    plain: dict[str, list[float]] = {where: [] for where in WHERE}
    kinds: dict[str, dict[str, int]] = {where: defaultdict(int) for where in WHERE}
    sure: dict[str, list[tuple[float, bool]]] = {where: [] for where in WHERE}
    by_kind: dict[str, dict[str, list[tuple[float, bool]]]] = {w: defaultdict(list) for w in WHERE}
    for number in numbers:
        for where, (evidence, events) in _listened(number, options.keep).items():
            asked = asked_of(events)
            clean = [c for c in second_ear(asked, evidence) if c.confidence >= SURE]
            plain[where] += [len(clean), len(asked)]
            for complaint in clean:
                kinds[where][f"{complaint.kind} {complaint.technique}".strip()] += 1
            for round_number in range(ROUNDS):
                rng = np.random.default_rng([number, round_number])
                spoiled, planted = plant(asked, rng)
                told = second_ear(spoiled, evidence)
                strong = [c for c in told if c.confidence >= SURE]
                for name, kind, at in planted:
                    found[where][name].append(is_found(kind, at, strong))
                for complaint in told:
                    right = any(
                        kind == complaint.kind
                        and abs(at - complaint.onset_s) < (0.2 if kind == "time" else AT_S)
                        for _, kind, at in planted
                    )
                    if complaint.confidence >= SURE:
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


def _listened(number: int, keep: Path | None) -> dict[str, tuple[Evidence, list[StringEvent]]]:
    path = keep / f"{number}.pickle" if keep is not None else None
    if path is not None and path.is_file():
        return pickle.loads(path.read_bytes())  # our own, of the run before
    _, mixes = foreign_case(number)
    made = {w: (evidence_of(mixes[w].stereo), mixes[w].events) for w in WHERE}
    if path is not None:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(pickle.dumps(made))
    return made

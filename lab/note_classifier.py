"""Train the second look at each note (`juxtanote.core.analysis.note_classifier`) on mixes the net has not seen.

    python -m lab.mixes MIXES --seed 95 --scenes 90
    python -m lab.note_classifier MIXES --weights src/juxtanote/core/analysis/weights

Candidates of the decoder are matched with the truth; a network with one hidden layer learns which
are right, and how the right ones were struck.
"""

import argparse
import json
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import mir_eval
import numpy as np
import torch
from torch import nn
from torch.nn import functional as F

from juxtanote.core.analysis.channels import CELL_KINDS, LOWEST_MIDI, Cell
from juxtanote.core.analysis.decode import DecoderSettings, candidates
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.listener import Posteriors, listen
from juxtanote.core.analysis.note_classifier import KINDS, measures
from juxtanote.core.analysis.reference_pitch import measure_reference_cents
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.units import midi_to_hz
from lab.mixes import read

HOP_S = HOP_LENGTH / SAMPLE_RATE
HIDDEN = 40  # of each network
FURTHEST_CENTS = 35.0
SHAKEN_CENTS = (3.0, 10.0)
"""Mixes are heard so far off their measured reference by turns (standard deviations): that of a real mix is
seldom known to a few cents."""
MEMBERS = 4
SEED = 5
AT_ONSET = KINDS[:5]  # the others show while the note sounds
LEAST_MOVING = 4  # frames
OFTENER = {"slurred": 2.0, "harmonic": 2.0}
"""How much more counts to miss one: solos slur more than the generated mixes do, and most false harmonics
lie on no node of the guitar and lose their name there."""
WATCHED = 5  # every fifth mix is only watched


@dataclass(frozen=True, slots=True)
class Lesson:
    """Candidates of one mix: measures, and what they truly are (right, then `KINDS`)."""

    x: np.ndarray
    y: np.ndarray
    wanted: int  # true notes


def _sigmoid(x: np.ndarray) -> np.ndarray:
    return 1.0 / (1.0 + np.exp(-x))


def heard_mixes(folder: Path, most: int) -> Iterator[tuple[Posteriors, np.ndarray]]:
    """Listen to mixes of `lab.mixes` as the program does: yield what is heard, and the cells of truth."""
    rng = np.random.default_rng(SEED)
    for number, (stereo, cells) in enumerate(read(folder, most)):
        mid, side = 0.5 * (stereo[0] + stereo[1]), 0.5 * (stereo[0] - stereo[1])
        cents, _ = measure_reference_cents(mid, SAMPLE_RATE)
        cents += float(rng.normal(0.0, SHAKEN_CENTS[number % len(SHAKEN_CENTS)]))
        if abs(cents) < FURTHEST_CENTS:  # else its truth may be told a semitone beside
            yield listen(mid, side, reference_cents=cents), cells


def matches(notes: list[FoundNote], truth: np.ndarray) -> list[int]:
    """Give for each note which true one it is (50 ms, 50 cents), or -1; `truth` holds (row, frame)."""
    found = [-1] * len(notes)
    if not notes or not len(truth):
        return found
    mine = np.array([[n.start * HOP_S, n.start * HOP_S + 0.1] for n in notes])
    begins = truth[:, 1] * HOP_S
    pairs = mir_eval.transcription.match_notes(
        np.stack([begins, begins + 0.1], axis=1), midi_to_hz(truth[:, 0] + LOWEST_MIDI),
        np.maximum(mine, 0), midi_to_hz([n.midi for n in notes]), offset_ratio=None,
    )  # fmt: skip
    for a, b in pairs:
        found[b] = a
    return found


def lesson_of(heard: Posteriors, cells: np.ndarray, settings: DecoderSettings) -> Lesson:
    """Match the candidates of one mix with its truth."""
    notes = [n for n in candidates(heard, settings) if not n.dead]
    truth = np.argwhere(cells[Cell.ONSET])
    which = matches(notes, truth)
    y = np.zeros((len(notes), 1 + len(KINDS)), dtype=np.float32)
    layers = [CELL_KINDS.index(kind) for kind in AT_ONSET]
    for index, (note, at) in enumerate(zip(notes, which, strict=True)):
        if at < 0:
            continue
        row, frame = truth[at]
        rows = slice(max(row - 1, 0), row + 5)
        moves = cells[
            Cell.BENDING : Cell.SHAKING + 1, rows, frame : max(round(note.end), frame + 1)
        ].sum(axis=(1, 2))
        y[index] = [1.0, *cells[layers, row, frame], *(moves >= LEAST_MOVING)]
    return Lesson(measures(notes, heard), y, len(truth))


class Judge(nn.Module):
    """One hidden layer."""

    def __init__(self, n_measures: int) -> None:
        super().__init__()
        self.first = nn.Linear(n_measures, HIDDEN)
        self.second = nn.Linear(HIDDEN, 1 + len(KINDS))

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        """Give log odds."""
        return self.second(torch.relu(self.first(x)))


def fit(lessons: list[Lesson], epochs: int = 60) -> dict[str, np.ndarray]:
    """Fit some networks on most mixes, and make one of them whose log odds are their mean."""
    some = [lesson for lesson in lessons if len(lesson.x)]
    watched = np.concatenate([np.full(len(s.x), k % WATCHED == 0) for k, s in enumerate(some)])
    x = np.concatenate([s.x for s in some]).astype(np.float32)
    y = np.concatenate([s.y for s in some])
    mean, spread = x.mean(axis=0), x.std(axis=0) + 1e-3
    x = np.clip((x - mean) / spread, -6.0, 6.0)
    tensors = [torch.from_numpy(a.astype(np.float32)) for a in (x, y)]
    nets = [_fit_one(tensors, watched, SEED + k, epochs) for k in range(MEMBERS)]
    arrays = {
        "mean": mean.astype(np.float32), "spread": spread.astype(np.float32),
        "w1": np.concatenate([net["first.weight"].T for net in nets], axis=1),
        "b1": np.concatenate([net["first.bias"] for net in nets]),
        "w2": np.concatenate([net["second.weight"].T for net in nets]) / MEMBERS,
        "b2": np.mean([net["second.bias"] for net in nets], axis=0),
    }  # fmt: skip
    hidden = np.maximum(x[watched] @ arrays["w1"] + arrays["b1"], 0.0)
    together = torch.from_numpy((hidden @ arrays["w2"] + arrays["b2"]).astype(np.float32))
    loss = float(_loss_of(together, tensors[1][torch.from_numpy(np.flatnonzero(watched))]))
    print(f"{len(x)} candidates, {x.shape[1]} measures, watched loss together {loss:.4f}")
    return arrays


def _fit_one(
    tensors: list[torch.Tensor], watched: np.ndarray, seed: int, epochs: int
) -> dict[str, np.ndarray]:
    """Fit one network, watch it on the mixes kept from the fit, keep what does best there."""
    torch.manual_seed(seed)
    rng = np.random.default_rng(seed)
    train, watch = np.flatnonzero(~watched), torch.from_numpy(np.flatnonzero(watched))
    net = Judge(tensors[0].shape[1])
    optimiser = torch.optim.AdamW(net.parameters(), lr=4e-3, weight_decay=2e-2)
    schedule = torch.optim.lr_scheduler.CosineAnnealingLR(optimiser, epochs)
    best, best_loss = None, np.inf
    for _ in range(epochs):
        order = torch.from_numpy(rng.permutation(train))
        for at in order.split(512):
            loss = _loss_of(net(tensors[0][at]), tensors[1][at])
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
        schedule.step()
        with torch.no_grad():
            reached = float(_loss_of(net(tensors[0][watch]), tensors[1][watch]))
        if reached < best_loss:
            best_loss = reached
            best = {k: v.detach().numpy().copy() for k, v in net.state_dict().items()}
    assert best is not None
    print(f"seed {seed}: watched loss {best_loss:.4f}")
    return best


def _loss_of(told: torch.Tensor, y: torch.Tensor) -> torch.Tensor:
    """Sum cross-entropies: of being right for all, of kinds for the right ones."""
    each = F.binary_cross_entropy_with_logits(told, y, reduction="none")
    return each[:, 0].mean() + (each[:, 1:] * y[:, :1]).sum(dim=1).mean()


def classified_as(lesson: Lesson, arrays: dict[str, np.ndarray]) -> np.ndarray:
    """Give the probabilities (n, 1 + len(KINDS)) for the candidates of a mix."""
    if not len(lesson.x):
        return np.zeros((0, 1 + len(KINDS)))
    x = np.clip((lesson.x - arrays["mean"]) / arrays["spread"], -6.0, 6.0)
    hidden = np.maximum(x @ arrays["w1"] + arrays["b1"], 0.0)
    return _sigmoid(hidden @ arrays["w2"] + arrays["b2"])


def thresholds(lessons: list[Lesson], arrays: dict[str, np.ndarray]) -> dict[str, float]:
    """Find, on the mixes that were only watched, from where on a note and each kind is believed."""
    watched = [lesson for lesson in lessons if len(lesson.x)][::WATCHED]
    p = np.concatenate([classified_as(s, arrays) for s in watched])
    y = np.concatenate([s.y for s in watched])
    wanted = sum(s.wanted for s in watched)
    chosen = {"confidence": _best_threshold("notes", p[:, 0], y[:, 0] > 0, wanted)}
    right = (y[:, 0] > 0) & (p[:, 0] >= chosen["confidence"])
    for k, kind in enumerate(KINDS):
        often = OFTENER.get(kind, 1.0)
        chosen[kind] = _best_threshold(kind, p[right, 1 + k], y[right, 1 + k] > 0, often=often)
    kept = p[:, 0] >= chosen["confidence"]
    certain = p[:, 0] >= 0.9
    print(
        f"precision {y[kept, 0].mean():.3f}, recall {y[kept, 0].sum() / wanted:.3f} "
        f"(of all candidates {y[:, 0].sum() / wanted:.3f}), right at 0.9 {y[certain, 0].mean():.3f}"
    )
    return chosen


def _best_threshold(
    name: str, p: np.ndarray, y: np.ndarray, wanted: int | None = None, often: float = 1.0
) -> float:
    """Find the threshold of the best F1; `often` counts the true ones so many times."""
    wanted = int(y.sum()) if wanted is None else wanted
    ways = []
    for t in np.arange(0.1, 0.9, 0.02):
        hits, false = often * np.sum(y & (p >= t)), np.sum(~y & (p >= t))
        ways.append((2 * hits / max(often * wanted + hits + false, 1), t))
    # Of thresholds that do about as well, the one nearest the middle carries over best.
    good = [way for way in ways if way[0] > max(ways)[0] - 0.004]
    best = min(good, key=lambda way: abs(way[1] - 0.5))
    print(f"{name}: F1 {best[0]:.3f} at {best[1]:.2f}, {wanted} wanted")
    return round(float(best[1]), 2)


def write(
    folder: Path, arrays: dict[str, np.ndarray], chosen: dict[str, float], mixes: int
) -> None:
    """Write the judge's weights, and its thresholds into ``listener.json``."""
    np.savez_compressed(
        folder / "note_classifier.npz", **{name: a.astype(np.float32) for name, a in arrays.items()}
    )
    path = folder / "listener.json"
    recipe = json.loads(path.read_text())
    recipe["decoder"] |= dict.fromkeys(
        ("least_confidence", "least_confidence_low"), chosen["confidence"]
    )
    recipe["kind_thresholds"] = {k: v for k, v in chosen.items() if k != "confidence"}
    recipe["settled"] = {
        "by": "lab.note_classifier",
        "mixes": mixes,
        "measures": len(arrays["mean"]),
    }
    path.write_text(json.dumps(recipe, indent=2) + "\n")


def main() -> None:
    """Train on mixes that no network was trained on."""
    from juxtanote.core.analysis.perceived import settled

    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--weights", type=Path, required=True)
    parser.add_argument("--most", type=int, default=1000)
    options = parser.parse_args()
    mixes = heard_mixes(options.folder, options.most)
    lessons = [lesson_of(heard, cells, settled()) for heard, cells in mixes]
    arrays = fit(lessons)
    chosen = thresholds(lessons, arrays)
    write(options.weights, arrays, chosen, len(lessons))


if __name__ == "__main__":
    main()

"""Train one of the two listeners and write its weights: the first on shards of `lab.scenes`, the second of `lab.looks`.

    python -m lab.looks SHARDS --seed 130 --scenes 260
    python -m lab.train second SHARDS --steps 12000 --until 6000 --state second.pt --out WEIGHTS

The schedule is counted in steps. Each step draws from a generator of its own number, and the state is
saved whole, so that a training that was stopped goes on where it was: call it again. Scenes from `KEPT` on
are for validation.
"""

import argparse
import copy
import json
import math
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import torch
from torch.nn import functional as F

from juxtanote.core.analysis.channels import CELL_KINDS, HIGHEST_MIDI, LOWEST_MIDI
from juxtanote.core.analysis.networks import FRAME_KINDS
from juxtanote.core.analysis.spectra import (
    BINS_PER_SEMITONE,
    FLOOR_DB,
    RANGE_DB,
    WINDOWS,
    stack_harmonics,
)
from juxtanote.core.analysis.spectra import LOWEST_MIDI as LOWEST_FIRST
from lab.blend import seeing_twice
from lab.networks import First, Listener, Second, calibrated, folded, unfolded
from lab.scenes import ANY, KINDS

Crops = tuple[torch.Tensor, torch.Tensor, torch.Tensor]
Crop = tuple[np.ndarray, np.ndarray, np.ndarray]  # level 0 to 255, cells, frames
Scene = dict[str, np.ndarray]
CROP = 192
BATCH = 12
CALIBRATED_ON = 12  # batches, before a training goes on from folded weights
SEED = 30
KEPT = 300  # scenes of this number and later are not trained on
FILES = {"first": "listener", "second": "second"}
"""The networks, and the files of their weights."""
LEAD_ALONE = len(CELL_KINDS)  # layers of truth that the first network tells
N_WINDOWS = len(WINDOWS)
ADDED = LOWEST_FIRST - LOWEST_MIDI  # semitones below what the first network hears
_POWER = (10.0 ** ((np.arange(256) / 255.0 * RANGE_DB + FLOOR_DB) / 10.0)).astype(np.float32)
_POWER[0] = 0.0


class Pool:
    """Scenes held in memory: leads, backings and whole mixes, to be mixed anew for every crop."""

    def __init__(self, folders: list[Path], *, below: int = 0, kept: bool = False) -> None:
        self.below = below  # semitones that are left out
        self.scenes: list[Scene] = []
        for folder in folders:
            for path in sorted(folder.glob("*.npz")):
                if (int(path.stem.split("-")[1]) >= KEPT) == kept:
                    with np.load(path) as data:
                        self.scenes.append({name: data[name] for name in data.files})

    def batch(self, rng: np.random.Generator) -> Crops:
        """Draw crops: stacked spectra, cell truth, frame truth."""
        return self.tensors([vary(*self.draw(rng), rng) for _ in range(BATCH)])

    def tensors(self, picks: list) -> Crops:
        """Stack crops for the net."""
        below = self.below
        seen = [p[0][:, BINS_PER_SEMITONE * below :] for p in picks]
        stacked = np.stack([stack_harmonics(looks) for looks in seen])
        cells = np.stack([p[1][:, below:] for p in picks]).astype(np.float32)
        frames = np.stack([p[2] for p in picks]).astype(np.float32)
        return torch.from_numpy(stacked), torch.from_numpy(cells), torch.from_numpy(frames)

    def draw(self, rng: np.random.Generator) -> Crop:
        """Take a crop by chance; every other time the one of two with more of what is missed most."""
        two = [self.crop(rng) for _ in range(1 + int(rng.integers(2)))]
        return max(two, key=lambda crop: float((crop[1][0] * harder(crop[1][0])).sum()))

    def crop(self, rng: np.random.Generator, length: int = CROP) -> Crop:
        """Cut a stretch of a whole mix, of a lead alone, of a lead over a backing, or of a backing."""
        scene = self._any(rng)
        cents = int(rng.choice(scene["references"]))
        draw = rng.random()
        if draw < 0.28:
            return _cut(scene, "whole", cents, rng, length)
        lead, cells, frames = _cut(scene, "lead", cents, rng, length)
        if draw < 0.40:
            return lead, cells, frames
        powers, weights = [_POWER[lead]], [1.0]
        silent = draw > 0.88  # no lead: half of the time no guitar at all
        if silent:
            weights, cells, frames = [1e-9], np.zeros_like(cells), np.zeros_like(frames)
        other = scene if rng.random() < 0.6 else self._as_tuned(cents, rng)
        last = silent and rng.random() < 0.6
        back, guitars, _ = _cut(other, "back", cents, rng, length, which=-1 if last else None)
        powers.append(_POWER[back])
        weights.append(10.0 ** (-rng.uniform(-4.0, 10.0) / 10.0))
        cells[ANY] |= guitars
        if (
            not silent and rng.random() < 0.25
        ):  # a second guitar plays as leads do, and is not the lead
            second, theirs, _ = _cut(self._as_tuned(cents, rng), "lead", cents, rng, length)
            powers.append(_POWER[second])
            weights.append(weights[0] * 10.0 ** (-rng.uniform(3.0, 14.0) / 10.0))
            cells[ANY] |= theirs[:2]
        total = sum(w * p for w, p in zip(weights, powers, strict=True)) / sum(weights)
        level = (10.0 * np.log10(np.maximum(total, 1e-12)) - FLOOR_DB) / RANGE_DB
        return np.rint(255 * np.clip(level, 0.0, 1.0)).astype(np.uint8), cells, frames

    def _any(self, rng: np.random.Generator) -> Scene:
        return self.scenes[int(rng.integers(len(self.scenes)))]

    def _as_tuned(self, cents: int, rng: np.random.Generator) -> Scene:
        """Draw a scene with a picture near a reference: what plays together is tuned together."""
        few = [self._any(rng) for _ in range(8)]
        return min(few, key=lambda scene: int(np.abs(scene["references"] - cents).min()))


class LooksPool(Pool):
    """Mixes held in memory, each seen as it is and without drums."""

    def crop(self, rng: np.random.Generator, length: int = CROP) -> Crop:
        """Cut a stretch of a mix."""
        scene = self._any(rng)
        k = int(rng.integers(len(scene["looks"])))
        start = int(rng.integers(0, scene["looks"].shape[-1] - length) // 8 * 8)
        inner = slice(start, start + length)
        packed = scene["cells"][k][..., start // 8 : (start + length) // 8]
        return (
            scene["looks"][k][..., inner], np.unpackbits(packed, axis=-1),
            scene["frames"][k][:, inner],
        )  # fmt: skip


def _cut(
    scene: Scene,
    what: str,
    cents: int,
    rng: np.random.Generator,
    length: int,
    which: int | None = None,
) -> Crop:
    """Cut a stretch of one of a scene's sounds, pictured at the reference nearest to `cents`."""
    pictures = scene[what][int(np.argmin(np.abs(scene["references"] - cents)))]
    k = int(rng.integers(len(pictures))) if which is None else which
    start = int(rng.integers(0, pictures.shape[-1] - length) // 8 * 8)
    packed = scene[f"{what}_cells"][k][..., start // 8 : (start + length) // 8]
    frames = scene.get(f"{what}_frames")
    told = np.zeros((len(FRAME_KINDS), length), dtype=np.uint8)
    told = told if frames is None else frames[k][:, start : start + length]
    return pictures[k][..., start : start + length], np.unpackbits(packed, axis=-1), told


def vary(picture: np.ndarray, cells: np.ndarray, frames: np.ndarray, rng: np.random.Generator):
    """Change a crop as other records would: louder or softer, another key, another tone, mono."""
    loud = picture > 0
    part = picture.astype(np.float32) / 255.0 + np.float32(rng.normal(-0.02, 0.06))
    if rng.random() < 0.7:  # a slow curve over the bins: equalising, about 6 dB each way
        place = np.arange(part.shape[1]) / BINS_PER_SEMITONE / 12.0
        tone = sum(
            rng.normal(0.0, 0.035) * np.cos(place * speed + rng.uniform(0, 2 * np.pi))
            for speed in (0.4, 0.9, 2.0, 4.0)
        )
        part = part + tone[None, :, None].astype(np.float32)
    part = np.where(loud, np.clip(part, 0.0, 1.0), 0.0).astype(np.float32)
    if rng.random() < 0.6:
        part, cells = transposed(part, cells, int(rng.integers(-6, 6)))
    if rng.random() < 0.2:
        part[N_WINDOWS - 1 :: N_WINDOWS] = 0.0  # of each look
    return part, cells, frames


def transposed(part: np.ndarray, cells: np.ndarray, semitones: int):
    """Move spectra and truth along the pitch axis together; what leaves the range is gone."""
    moved, there = np.zeros_like(part), np.zeros_like(cells)
    bins = BINS_PER_SEMITONE * semitones
    for source, target, by in ((part, moved, bins), (cells, there, semitones)):
        n = source.shape[1]
        target[:, max(by, 0) : n + min(by, 0)] = source[:, max(-by, 0) : n - max(by, 0)]
    return moved, there


class Ahead:
    """Batches cut by a thread of their own while the net works on the one before."""

    def __init__(self, pool: Pool, first: int) -> None:
        self.pool, self.hand = pool, ThreadPoolExecutor(1)
        self.number = first
        self.next = self.hand.submit(self._cut, first)

    def _cut(self, number: int) -> Crops:
        return self.pool.batch(np.random.default_rng([SEED, number]))

    def take(self) -> Crops:
        """Give the batch that is ready, and have the next one cut."""
        ready = self.next.result()
        self.number += 1
        self.next = self.hand.submit(self._cut, self.number)
        return ready


HARDER, LANDING, ANOTHERS = 0.6, 1.5, 0.3
"""How much more onsets that are missed most and landings of slides count; how much a cell counts where
another guitar plays, which may or may not be called the lead."""


def harder(onset: np.ndarray) -> np.ndarray:
    """Mark what is missed most: notes below A2, and notes that are struck with others.

    `onset` is (..., pitches, frames).
    """
    struck = onset.sum(-2, keepdims=True) > 1.5
    together = struck.copy()
    together[..., 1:] |= struck[..., :-1]
    together[..., :-1] |= struck[..., 1:]
    low = np.arange(-onset.shape[-2], 0)[:, None] < 44 - HIGHEST_MIDI
    return (together | low).astype(np.float32)


def beside(onset: torch.Tensor, reach: int = 1) -> torch.Tensor:
    """Widen onsets (batch, pitches, frames) by so many frames each way."""
    size = 2 * reach + 1
    return F.max_pool2d(onset[:, None], (1, size), 1, (0, reach))[:, 0]


def loss_of(
    net: Listener, stacked: torch.Tensor, cells: torch.Tensor, frames: torch.Tensor
) -> torch.Tensor:
    """Sum binary cross-entropies: onsets a frame wide each way, kinds only where a note begins."""
    told, frame_logits = net(stacked.contiguous(memory_format=torch.channels_last))
    cross = F.binary_cross_entropy_with_logits
    loss = 0.0
    # The first network tells the lead alone.
    for first, own in ((0, True), (LEAD_ALONE, False))[: 1 + (told.shape[1] > LEAD_ALONE)]:
        onset, active = cells[:, first], cells[:, first + 1]
        near = beside(onset)
        target = torch.maximum(onset, 0.4 * near)
        more = HARDER * torch.from_numpy(harder(onset.numpy())) + LANDING * beside(cells[:, 3])
        weight = 1.0 + 3.0 * target * (1.0 + more)
        sounding = torch.ones_like(active)
        if own:
            weight = torch.where(
                (beside(cells[:, LEAD_ALONE], 3) > 0.5) & (beside(onset, 3) < 0.5), ANOTHERS, weight
            )
            sounding = torch.where(
                (cells[:, LEAD_ALONE + 1] > 0.5) & (active < 0.5), ANOTHERS, sounding
            )
        share = 1.0 if own else 0.5
        loss = loss + share * 20.0 * cross(told[:, first], target, weight=weight)
        loss = loss + share * 5.0 * cross(told[:, first + 1], active, weight=sounding)
    # A decoder may find the onset a frame beside its label: the kinds are told there too.
    here = beside(cells[:, 0]) > 0.5
    if here.any():
        kinds = F.max_pool2d(cells[:, 2:7], (1, 3), 1, (0, 1)).permute(0, 2, 3, 1)[here]
        loss = loss + 1.25 * cross(told[:, 2:7].permute(0, 2, 3, 1)[here], kinds)
    sounding = cells[:, 1] > 0.5
    if sounding.any():
        moves = cells[:, 7:9].permute(0, 2, 3, 1)[sounding]
        loss = loss + 0.5 * cross(told[:, 7:9].permute(0, 2, 3, 1)[sounding], moves)
    dead = F.max_pool1d(frames[:, :1], 3, 1, 1)
    loss = loss + cross(frame_logits[:, :1], dead)
    return loss + 0.3 * cross(frame_logits[:, 1:], frames[:, 1:])


def simple_f1(net: Listener, pool: Pool, items: int = 64) -> dict[str, float]:
    """Score onset peaks against truth within four frames, on crops of kept scenes: the lead, and all."""
    rng = np.random.default_rng(7)
    counts = np.zeros((2, 4))
    total = 0.0
    net.eval()
    with torch.no_grad():
        for _ in range(0, items, 8):
            crops = [pool.crop(rng, 384) for _ in range(8)]
            picks = [(p.astype(np.float32) / 255.0, c, f) for p, c, f in crops]
            stacked, cells, frames = pool.tensors(picks)
            total += float(loss_of(net, stacked, cells, frames))
            logits = net(stacked.contiguous(memory_format=torch.channels_last))[0]
            for row, layer in enumerate((0, LEAD_ALONE)[: 1 + (logits.shape[1] > LEAD_ALONE)]):
                onset = torch.sigmoid(logits[:, layer])
                peak = (onset > 0.45) & (onset == beside(onset, 2))
                truth = cells[:, layer]
                near, found = beside(truth, 4) > 0, beside(peak.float(), 4) > 0
                true = truth > 0.5
                counts[row] += [
                    float((peak & near).sum()), float(peak.sum()), float(true.sum()),
                    float((true & ~found).sum()),
                ]  # fmt: skip
    net.train()
    scores = {"loss": total / (items / 8)}
    for name, (hits, peaks, wanted, missed) in zip(("lead", "all"), counts, strict=True):
        if not wanted:
            continue
        precision, recall = hits / max(peaks, 1), 1.0 - missed / max(wanted, 1)
        scores |= {f"{name} precision": precision, f"{name} recall": recall}
        scores[f"{name} f1"] = 2 * precision * recall / max(precision + recall, 1e-9)
    return scores


def save_weights(net: Listener, path: Path, scores: dict, step: int) -> None:
    """Write folded weights in half precision, and beside them how they were made and how they score.

    `path` ends in ``.npz``; the recipe beside it in ``.json``, where what it told before is kept.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    arrays = {name: value.astype(np.float16) for name, value in folded(net).items()}
    np.savez_compressed(path, **arrays)
    beside_it = path.with_suffix(".json")
    recipe = json.loads(beside_it.read_text()) if beside_it.is_file() else {}
    recipe["training"] = {
        "seed": SEED, "crop_frames": CROP, "batch": BATCH, "steps": step, "kinds": KINDS,
        "frame_kinds": FRAME_KINDS, "validation": scores,
    }  # fmt: skip
    beside_it.write_text(json.dumps(recipe, indent=2) + "\n")


class Average:
    """A running mean of the weights: steadier than any one step."""

    def __init__(self, net: Listener, keep: float = 0.998) -> None:
        self.keep, self.net = keep, copy.deepcopy(net)

    def follow(self, net: Listener, step: int) -> None:
        """Move a little towards where the weights are now."""
        keep = min(self.keep, (1 + step) / (10 + step))
        with torch.no_grad():
            for mine, theirs in zip(self.net.parameters(), net.parameters(), strict=True):
                mine.lerp_(theirs, 1.0 - keep)
            for mine, theirs in zip(self.net.buffers(), net.buffers(), strict=True):
                if mine.dtype.is_floating_point:
                    mine.lerp_(theirs, 1.0 - keep)


def save_state(path: Path, net: Listener, average: Average, optimiser, step: int) -> None:
    """Write all that a training needs to go on, whole or not at all."""
    partial = path.with_suffix(".part")
    state = {
        "net": net.state_dict(), "average": average.net.state_dict(),
        "optimiser": optimiser.state_dict(), "step": step,
    }  # fmt: skip
    torch.save(state, partial)
    partial.replace(path)


def train(options: argparse.Namespace) -> None:
    """Train up to a step, saving at every look; begin where the saved state stopped."""
    torch.manual_seed(SEED)
    net: Listener = First() if options.network == "first" else Second()
    made, below = (Pool, ADDED) if options.network == "first" else (LooksPool, 0)
    pool, watched = (made(options.folders, below=below, kept=kept) for kept in (False, True))
    if options.begin is not None:
        with np.load(options.begin) as arrays:
            begun = {name: arrays[name].astype(np.float32) for name in arrays}
            net = unfolded(seeing_twice(begun, like=folded(net)), net)
        rng = np.random.default_rng(SEED)
        net = calibrated(net, (pool.batch(rng)[0] for _ in range(CALIBRATED_ON)))
    net = net.train().to(memory_format=torch.channels_last)
    optimiser = torch.optim.AdamW(net.parameters(), lr=options.rate, weight_decay=1e-2)
    average, first = Average(net), 0
    if options.state.exists():
        state = torch.load(options.state, weights_only=True)
        net.load_state_dict(state["net"])
        average.net.load_state_dict(state["average"])
        optimiser.load_state_dict(state["optimiser"])
        first = int(state["step"])
    count = sum(p.numel() for p in net.parameters())
    print(f"{count} parameters, {len(pool.scenes)} scenes, from step {first}", flush=True)
    ahead, began, running = Ahead(pool, first), time.time(), 0.0
    last = min(options.until or options.steps, options.steps)
    for step in range(first, last):
        cosine = 0.5 * (1 + math.cos(math.pi * step / options.steps))
        for group in optimiser.param_groups:
            group["lr"] = options.rate * min(1.0, (step + 1) / 200) * (0.01 + 0.99 * cosine)
        loss = loss_of(net, *ahead.take())
        optimiser.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(net.parameters(), 2.0)
        optimiser.step()
        average.follow(net, step)
        running += float(loss.detach())
        if (step + 1) % 250 == 0 or step + 1 == last:
            scores = simple_f1(average.net, watched)
            text = ", ".join(f"{key} {value:.3f}" for key, value in scores.items())
            spent = (time.time() - began) / 60
            print(
                f"{spent:.1f} min, step {step + 1}, train {running / 250:.4f}, {text}", flush=True
            )
            running = 0.0
            save_state(options.state, net, average, optimiser, step + 1)
            save_weights(
                average.net, options.out / f"{FILES[options.network]}.npz", scores, step + 1
            )


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("network", choices=tuple(FILES))
    parser.add_argument("folders", type=Path, nargs="+")
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--steps", type=int, default=12_000, help="of the whole schedule")
    parser.add_argument("--until", type=int, default=0, help="stop here, to go on later")
    parser.add_argument("--rate", type=float, default=3e-3)
    parser.add_argument("--begin", type=Path, help="folded weights to begin from")
    parser.add_argument("--state", type=Path, default=Path("listener.pt"))
    train(parser.parse_args())

"""Train the listener on shards of `lab.scenes` and write its weights.

    python -m lab.scenes SHARDS --seed 1 --hours 9
    python -m lab.train SHARDS --minutes 100 --out src/juxtanote/core/analysis/weights

Every tenth shard is kept for validation.
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

from juxtanote.core.analysis.spectra import (
    BINS_PER_SEMITONE,
    LOWEST_MIDI,
    N_CHANNELS,
    harmonic_index,
)
from lab.network import Listener
from lab.scenes import KINDS

Crops = tuple[torch.Tensor, torch.Tensor, torch.Tensor]
CROP = 192
BATCH = 12
SEED = 20


class Pool:
    """Shards held in memory."""

    def __init__(self, folders: list[Path]) -> None:
        self.train, self.valid = [], []
        for folder in folders:
            for path in sorted(folder.glob("*.npz")):
                with np.load(path) as data:
                    spectra, cells, frames = data["spectra"], data["cells"], data["frames"]
                kept = self.valid if int(path.stem.split("-")[1]) % 10 == 0 else self.train
                for k in range(len(spectra)):
                    kept.append((spectra[k], cells[k], frames[k]))

    def batch(self, rng: np.random.Generator) -> Crops:
        """Draw crops: stacked spectra, cell truth, frame truth."""
        return to_tensors([vary(*self.draw(rng), rng) for _ in range(BATCH)])

    def draw(self, rng: np.random.Generator):
        """Take a crop by chance; every other time the one of two with more of what is missed most."""
        two = [
            self.crop(self.train[int(rng.integers(len(self.train)))], rng)
            for _ in range(1 + int(rng.integers(2)))
        ]
        return max(two, key=lambda crop: float((crop[1][0] * harder(crop[1][0])).sum()))

    def crop(self, item, rng: np.random.Generator, length: int = CROP):
        """Cut a random stretch."""
        spectra, packed, frames = item
        n = spectra.shape[-1]
        start = int(rng.integers(0, n - length) // 8 * 8)
        part = spectra[:, :, start : start + length].astype(np.float32) / 255.0
        cells = np.unpackbits(packed[:, :, start // 8 : (start + length) // 8], axis=-1)
        return part, cells, frames[:, start : start + length]


def vary(part, cells, frames, rng: np.random.Generator):
    """Change a crop as other records would: louder, another key, another tone, mono."""
    loud = part > 0
    part = part + np.float32(rng.normal(0.0, 0.04))
    if rng.random() < 0.6:  # a slow curve over the bins: equalising, about 5 dB each way
        place = np.arange(part.shape[1]) / BINS_PER_SEMITONE / 12.0
        tone = sum(
            rng.normal(0.0, 0.03) * np.cos(place * speed + rng.uniform(0, 2 * np.pi))
            for speed in (0.4, 0.9, 2.0)
        )
        part = part + tone[None, :, None].astype(np.float32)
    part = np.where(loud, np.clip(part, 0.0, 1.0), 0.0).astype(np.float32)
    if rng.random() < 0.5:
        part, cells = transposed(part, cells, int(rng.integers(-4, 5)))
    if rng.random() < 0.15:
        part[3] = 0.0
    return part, cells, frames


def transposed(part, cells, semitones: int):
    """Move spectra and truth along the pitch axis together; what leaves the range is gone."""
    moved, there = np.zeros_like(part), np.zeros_like(cells)
    bins = BINS_PER_SEMITONE * semitones
    for source, target, by in ((part, moved, bins), (cells, there, semitones)):
        n = source.shape[1]
        target[:, max(by, 0) : n + min(by, 0)] = source[:, max(-by, 0) : n - max(by, 0)]
    return moved, there


class Ahead:
    """Batches cut by a thread of their own while the net works on the one before."""

    def __init__(self, pool: Pool, rng: np.random.Generator) -> None:
        self.pool, self.rng = pool, rng
        self.hand = ThreadPoolExecutor(1)
        self.next = self.hand.submit(pool.batch, rng)

    def take(self) -> Crops:
        """Give the batch that is ready, and have the next one cut."""
        ready = self.next.result()
        self.next = self.hand.submit(self.pool.batch, self.rng)
        return ready


def to_tensors(picks) -> Crops:
    """Stack crops for the net."""
    windows, bins = harmonic_index()
    spectra = np.stack([p[0] for p in picks])
    stacked = spectra[:, windows, bins]
    cells = np.stack([p[1] for p in picks]).astype(np.float32)
    frames = np.stack([p[2] for p in picks]).astype(np.float32)
    return torch.from_numpy(stacked), torch.from_numpy(cells), torch.from_numpy(frames)


HARDER = 0.6


def harder(onset: np.ndarray) -> np.ndarray:
    """Mark what is missed most: notes below A2, and notes that are struck with others.

    `onset` is (..., pitches, frames).
    """
    struck = onset.sum(-2, keepdims=True) > 1.5
    together = struck.copy()
    together[..., 1:] |= struck[..., :-1]
    together[..., :-1] |= struck[..., 1:]
    low = np.arange(onset.shape[-2])[:, None] < 45 - LOWEST_MIDI
    return (together | low).astype(np.float32)


def loss_of(net, stacked, cells, frames, half: bool = False) -> torch.Tensor:
    """Sum binary cross-entropies: onsets a frame wide each way, kinds only where a note begins."""
    with torch.autocast("cpu", dtype=torch.bfloat16, enabled=half):
        logits, frame_logits = net(stacked.contiguous(memory_format=torch.channels_last))
    logits, frame_logits = logits.float(), frame_logits.float()
    onset = cells[:, 0]
    beside = F.max_pool2d(onset[:, None], (1, 3), 1, (0, 1))[:, 0]
    target = torch.maximum(onset, 0.4 * beside)
    weight = 1.0 + 3.0 * target * (1.0 + HARDER * torch.from_numpy(harder(onset.numpy())))
    loss = 20.0 * F.binary_cross_entropy_with_logits(logits[:, 0], target, weight=weight)
    loss = loss + 5.0 * F.binary_cross_entropy_with_logits(logits[:, 1], cells[:, 1])
    # A decoder may find the onset a frame beside its label: the kinds are told there too.
    here = beside > 0.5
    if here.any():
        kinds = F.max_pool2d(cells[:, 2:7], (1, 3), 1, (0, 1)).permute(0, 2, 3, 1)[here]
        told = logits[:, 2:7].permute(0, 2, 3, 1)[here]
        loss = loss + 1.25 * F.binary_cross_entropy_with_logits(told, kinds)
    sounding = cells[:, 1] > 0.5
    if sounding.any():
        moves = cells[:, 7:9].permute(0, 2, 3, 1)[sounding]
        told = logits[:, 7:9].permute(0, 2, 3, 1)[sounding]
        loss = loss + 0.5 * F.binary_cross_entropy_with_logits(told, moves)
    dead = F.max_pool1d(frames[:, :1], 3, 1, 1)
    loss = loss + F.binary_cross_entropy_with_logits(frame_logits[:, :1], dead)
    return loss + 0.3 * F.binary_cross_entropy_with_logits(frame_logits[:, 1:], frames[:, 1:])


def simple_f1(net, pool: Pool, items: int = 48) -> dict[str, float]:
    """Score onset peaks over 0.5 against truth within four frames, on validation mixes."""
    rng = np.random.default_rng(7)
    hits = found = wanted = missed = 0
    total = 0.0
    net.eval()
    with torch.no_grad():
        for index in range(0, items, 8):
            chosen = [pool.valid[(index + k) * 7 % len(pool.valid)] for k in range(8)]
            stacked, cells, frames = to_tensors([pool.crop(c, rng, 384) for c in chosen])
            total += float(loss_of(net, stacked, cells, frames))
            onset = torch.sigmoid(net(stacked)[0][:, 0])
            peak = (onset > 0.45) & (onset == F.max_pool2d(onset[:, None], (1, 5), 1, (0, 2))[:, 0])
            truth = cells[:, 0] > 0.5
            near = F.max_pool2d(truth.float()[:, None], (1, 9), 1, (0, 4))[:, 0] > 0
            near_peak = F.max_pool2d(peak.float()[:, None], (1, 9), 1, (0, 4))[:, 0] > 0
            hits += int((peak & near).sum())
            found += int(peak.sum())
            wanted += int(truth.sum())
            missed += int((truth & ~near_peak).sum())
    net.train()
    precision, recall = hits / max(found, 1), 1.0 - missed / max(wanted, 1)
    f1 = 2 * precision * recall / max(precision + recall, 1e-9)
    return {"loss": total / (items / 8), "precision": precision, "recall": recall, "f1": f1}


def save_weights(net: Listener, folder: Path, scores: dict) -> None:
    """Write float16 weights, and beside them how they were made and how they score."""
    folder.mkdir(parents=True, exist_ok=True)
    arrays = {
        name: value.detach().numpy().astype(np.float16) for name, value in net.state_dict().items()
    }
    np.savez_compressed(folder / "listener.npz", **arrays)
    recipe = {
        "seed": SEED,
        "crop_frames": CROP,
        "batch": BATCH,
        "kinds": KINDS,
        "validation": scores,
    }
    (folder / "listener.json").write_text(json.dumps(recipe, indent=2) + "\n")


def earlier_weights(path: Path) -> dict[str, torch.Tensor]:
    """Read a checkpoint, or weights as they ship."""
    if path.suffix == ".npz":
        with np.load(path) as arrays:
            return {name: torch.from_numpy(arrays[name].astype(np.float32)) for name in arrays}
    return torch.load(path, weights_only=True)["net"]


NEW_BLOCKS = (8, 9, 13)
"""Places of the blocks that the first two rounds did not have."""


def warm_start(net: Listener, older: dict[str, torch.Tensor]) -> None:
    """Begin from weights of a narrower, shorter layout, so that the net gives what they gave.

    Blocks that are new add nothing at first. Channels that are new read all that is there, and
    nothing old reads them yet.
    """
    state = net.state_dict()
    old_places = [k for k in range(len(net.blocks)) if k not in NEW_BLOCKS]
    if older["enter.weight"].shape == state["enter.weight"].shape:
        net.load_state_dict(older)
        return
    width = older["enter.weight"].shape[0]
    for name, value in state.items():
        source = name
        if name.startswith("blocks."):
            place = int(name.split(".")[1])
            if place in NEW_BLOCKS:
                state[name] = torch.zeros_like(value)
                continue
            source = name.replace(f".{place}.", f".{old_places.index(place)}.")
        state[name] = _widened(value, older[source], width)
    net.load_state_dict(state)


def _widened(new: torch.Tensor, old: torch.Tensor, width: int) -> torch.Tensor:
    """Lay old weights into new ones; means and maxima of a frame lie one after the other."""
    wide = new.clone()
    if new.ndim == 1:
        wide[: len(old)] = old
        return wide
    wide[: len(old)] = 0.0
    if old.shape[1] == 2 * width:
        wide[: len(old), :width] = old[:, :width]
        wide[: len(old), new.shape[1] // 2 :][:, :width] = old[:, width:]
    else:
        wide[: len(old), : old.shape[1]] = old
    return wide


class Average:
    """A running mean of the weights: steadier than any one step."""

    def __init__(self, net: Listener, keep: float = 0.998) -> None:
        self.keep, self.net = keep, copy.deepcopy(net)

    def follow(self, net: Listener) -> None:
        """Move a little towards where the weights are now."""
        with torch.no_grad():
            for mine, theirs in zip(self.net.parameters(), net.parameters(), strict=True):
                mine.lerp_(theirs, 1.0 - self.keep)


def train(options: argparse.Namespace) -> None:
    """Train for a time with a one-cycle rate, saving at every look."""
    torch.manual_seed(SEED)
    rng = np.random.default_rng([SEED, options.round])
    pool, net = Pool(options.folders), Listener().to(memory_format=torch.channels_last)
    if options.start is not None:
        warm_start(net, earlier_weights(options.start))
    optimiser = torch.optim.AdamW(net.parameters(), lr=options.rate, weight_decay=1e-3)
    spent = 0.0
    if options.resume and options.checkpoint.exists():
        state = torch.load(options.checkpoint, weights_only=True)
        net.load_state_dict(state["net"])
        optimiser.load_state_dict(state["optimiser"])
        spent = float(state["spent"])
    average = Average(net)
    print(
        sum(p.numel() for p in net.parameters()), "parameters,", N_CHANNELS, "channels", flush=True
    )
    ahead = Ahead(pool, rng)
    began, step, running = time.time() - spent, 0, 0.0
    while (passed := time.time() - began) < options.minutes * 60:
        cosine = 0.5 * (1 + math.cos(math.pi * passed / (options.minutes * 60)))
        rate = options.rate * min(1.0, (step + 1) / 100) * (0.02 + 0.98 * cosine)
        for group in optimiser.param_groups:
            group["lr"] = rate
        loss = loss_of(net, *ahead.take(), half=options.bfloat16)
        optimiser.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(net.parameters(), 1.0)
        optimiser.step()
        average.follow(net)
        running += float(loss.detach())
        step += 1
        if step % 200 == 0:
            scores = simple_f1(average.net, pool)
            text = ", ".join(f"{key} {value:.3f}" for key, value in scores.items())
            print(
                f"{passed / 60:.1f} min, step {step}, {len(pool.train)} mixes, "
                f"train {running / 200:.4f}, valid {text}",
                flush=True,
            )
            running = 0.0
            state = {
                "net": average.net.state_dict(),
                "optimiser": optimiser.state_dict(),
                "spent": passed,
            }
            torch.save(state, options.checkpoint)
            save_weights(average.net, options.out, scores)
    save_weights(average.net, options.out, simple_f1(average.net, pool))


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", type=Path, nargs="+")
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--minutes", type=float, default=100.0)
    parser.add_argument("--rate", type=float, default=2e-3)
    parser.add_argument("--round", type=int, default=1, help="another draw of crops")
    parser.add_argument(
        "--start", type=Path, default=None, help="a checkpoint or listener.npz to begin from"
    )
    parser.add_argument("--checkpoint", type=Path, default=Path("listener.pt"))
    parser.add_argument(
        "--bfloat16", action="store_true", help="faster, on a processor made for it only"
    )
    parser.add_argument("--resume", action="store_true")
    train(parser.parse_args())

"""Train the listener on shards of `lab.scenes` and write its weights.

    python -m lab.scenes SHARDS --seed 1 --hours 9
    python -m lab.train SHARDS --minutes 100 --out src/juxtanote/core/analysis/weights

Shards may go on arriving while training runs. Every tenth shard is kept for validation.
"""

import argparse
import json
import math
import time
from pathlib import Path

import numpy as np
import torch
from torch.nn import functional as F

from juxtanote.core.analysis.spectra import N_CHANNELS, harmonic_index
from lab.network import Listener
from lab.scenes import KINDS

CROP = 192
BATCH = 12
SEED = 20


class Pool:
    """Shards held in memory, growing as they arrive."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.names = folder, set()
        self.train, self.valid = [], []

    def refresh(self) -> None:
        """Read the shards that have come since the last look."""
        for path in sorted(self.folder.glob("*.npz")):
            if path.name in self.names:
                continue
            self.names.add(path.name)
            with np.load(path) as data:
                spectra, cells, frames = data["spectra"], data["cells"], data["frames"]
            kept = self.valid if int(path.stem.split("-")[1]) % 10 == 0 else self.train
            for k in range(len(spectra)):
                kept.append((spectra[k], cells[k], frames[k]))

    def batch(self, rng: np.random.Generator) -> tuple[torch.Tensor, torch.Tensor, torch.Tensor]:
        """Draw crops: stacked spectra, cell truth, frame truth."""
        picks = [
            self.crop(self.train[int(rng.integers(len(self.train)))], rng) for _ in range(BATCH)
        ]
        return to_tensors(picks)

    def crop(self, item, rng: np.random.Generator, length: int = CROP):
        """Cut a random stretch, loudness and stereo varied a little."""
        spectra, packed, frames = item
        n = spectra.shape[-1]
        start = int(rng.integers(0, n - length) // 8 * 8)
        part = spectra[:, :, start : start + length].astype(np.float32) / 255.0
        loud = part > 0
        part = np.clip(part + loud * np.float32(rng.normal(0.0, 0.04)), 0.0, 1.0)
        if rng.random() < 0.15:
            part[3] = 0.0
        cells = np.unpackbits(packed[:, :, start // 8 : (start + length) // 8], axis=-1)
        return part, cells, frames[:, start : start + length]


def to_tensors(picks) -> tuple[torch.Tensor, torch.Tensor, torch.Tensor]:
    """Stack crops for the net."""
    windows, bins = harmonic_index()
    spectra = np.stack([p[0] for p in picks])
    stacked = spectra[:, windows, bins]
    cells = np.stack([p[1] for p in picks]).astype(np.float32)
    frames = np.stack([p[2] for p in picks]).astype(np.float32)
    return torch.from_numpy(stacked), torch.from_numpy(cells), torch.from_numpy(frames)


def loss_of(net, stacked, cells, frames) -> torch.Tensor:
    """Sum binary cross-entropies: onsets a frame wide each way, kinds only where a note begins."""
    logits, frame_logits = net(stacked)
    onset = cells[:, 0]
    beside = F.max_pool2d(onset[:, None], (1, 3), 1, (0, 1))[:, 0]
    target = torch.maximum(onset, 0.4 * beside)
    weight = 1.0 + 3.0 * target
    loss = 20.0 * F.binary_cross_entropy_with_logits(logits[:, 0], target, weight=weight)
    loss = loss + 5.0 * F.binary_cross_entropy_with_logits(logits[:, 1], cells[:, 1])
    # A decoder may find the onset a frame beside its label: the kinds are told there too.
    where = beside > 0.5
    if where.any():
        kinds = F.max_pool2d(cells[:, 2:], (1, 3), 1, (0, 1))
        told = F.binary_cross_entropy_with_logits(
            logits[:, 2:].permute(0, 2, 3, 1)[where], kinds.permute(0, 2, 3, 1)[where]
        )
        loss = loss + told
    dead = F.max_pool1d(frames[:, :1], 3, 1, 1)
    loss = loss + F.binary_cross_entropy_with_logits(frame_logits[:, :1], dead)
    return loss + 0.3 * F.binary_cross_entropy_with_logits(frame_logits[:, 1:], frames[:, 1:])


def simple_f1(net, pool: Pool, items: int = 48) -> dict[str, float]:
    """Score onset peaks over 0.5 against truth within four frames, on validation mixes."""
    rng = np.random.default_rng(7)
    hits = found = wanted = 0
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
            missed = int((truth & ~near_peak).sum())
            hits -= 0 * missed
    net.train()
    precision, recall = hits / max(found, 1), min(hits / max(wanted, 1), 1.0)
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


def train(folder: Path, out: Path, minutes: float, checkpoint: Path, resume: bool) -> None:
    """Train for a time with a one-cycle rate, saving at every look."""
    torch.manual_seed(SEED)
    rng = np.random.default_rng(SEED)
    pool, net = Pool(folder), Listener()
    optimiser = torch.optim.AdamW(net.parameters(), lr=2e-3, weight_decay=1e-3)
    spent = 0.0
    if resume and checkpoint.exists():
        state = torch.load(checkpoint, weights_only=True)
        net.load_state_dict(state["net"])
        optimiser.load_state_dict(state["optimiser"])
        spent = float(state["spent"])
    print(
        sum(p.numel() for p in net.parameters()), "parameters,", N_CHANNELS, "channels", flush=True
    )
    pool.refresh()
    began, step, running = time.time() - spent, 0, 0.0
    while (passed := time.time() - began) < minutes * 60:
        part = passed / (minutes * 60)
        rate = (
            2e-3 * min(1.0, (step + 1) / 100) * (0.02 + 0.98 * 0.5 * (1 + math.cos(math.pi * part)))
        )
        for group in optimiser.param_groups:
            group["lr"] = rate
        loss = loss_of(net, *pool.batch(rng))
        optimiser.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(net.parameters(), 1.0)
        optimiser.step()
        running += float(loss.detach())
        step += 1
        if step % 50 == 0:
            pool.refresh()
        if step % 200 == 0:
            scores = simple_f1(net, pool)
            text = ", ".join(f"{key} {value:.3f}" for key, value in scores.items())
            print(
                f"{passed / 60:.1f} min, step {step}, {len(pool.train)} mixes, "
                f"train {running / 200:.4f}, valid {text}",
                flush=True,
            )
            running = 0.0
            state = {"net": net.state_dict(), "optimiser": optimiser.state_dict(), "spent": passed}
            torch.save(state, checkpoint)
            save_weights(net, out, scores)
    save_weights(net, out, simple_f1(net, pool))


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--minutes", type=float, default=100.0)
    parser.add_argument("--checkpoint", type=Path, default=Path("listener.pt"))
    parser.add_argument("--resume", action="store_true")
    options = parser.parse_args()
    train(options.folder, options.out, options.minutes, options.checkpoint, options.resume)

"""What the next listener tells, its layout, and the network in plain NumPy."""

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.listener import _conv, _conv_frames, _mix, _pooled

Array = NDArray[np.float32]
CELL_KINDS = (
    "onset", "active", "slurred", "slide", "muted", "harmonic", "tap", "bending", "shaking",
    "any onset", "any active",
)  # fmt: skip
FRAME_KINDS = ("dead", "lead")
BLOCKS = (
    ("near", 1), ("near", 2), ("interval", 12), ("frame", 1), ("near", 4), ("interval", 7),
    ("near", 8), ("interval", 12), ("along", 16), ("near", 1), ("interval", 19), ("frame", 1),
    ("near", 2), ("near", 1),
)  # fmt: skip
"""What the network does in turn, and how far it looks: pairs of frames, or semitones for an interval."""


def run(weights: dict[str, Array], stacked: Array) -> tuple[Array, Array]:
    """Give logits of cells (11, n_pitches, n_frames) and of frames (2, n_frames).

    The network reads frames by twos: an odd one at the end is read twice.
    """
    n_frames = stacked.shape[2]
    even = np.concatenate([stacked, stacked[:, :, -1:]], axis=2) if n_frames % 2 else stacked
    cells, frames = _halves(weights, even)
    return _apart(cells)[..., :n_frames], _apart(frames)[..., :n_frames]


def _halves(weights: dict[str, Array], stacked: Array) -> tuple[Array, Array]:
    x = np.maximum(_enter(weights, stacked), 0.0)
    for number, (kind, reach) in enumerate(BLOCKS):
        name = f"blocks.{number}"
        if kind == "frame":
            seen = _conv_frames(weights, f"{name}.conv", _pooled(x))[:, None, :]
        else:
            steps = (reach, 1) if kind == "interval" else (1, reach)
            middle = np.maximum(_mix(weights, f"{name}.narrow", x), 0.0)
            middle = np.maximum(_conv(weights, f"{name}.look", middle, steps), 0.0)
            seen = _mix(weights, f"{name}.widen", middle)
        x = np.maximum(x + seen, 0.0)
    frames = _conv_frames(weights, "frames", _pooled(x))
    hidden = np.maximum(_mix(weights, "hidden", x), 0.0)
    return _mix(weights, "cells", hidden), frames


def _enter(weights: dict[str, Array], stacked: Array) -> Array:
    """Read four frames for every two, from one before."""
    kernel, bias = weights["enter.weight"], weights["enter.bias"]
    padded = np.pad(stacked, ((0, 0), (0, 0), (1, 1)))
    half = stacked.shape[2] // 2
    out = np.tile(bias[:, None], (1, stacked.shape[1] * half)).astype(np.float32)
    for tap in range(4):
        view = padded[:, :, tap : tap + 2 * half : 2]
        out += kernel[:, :, 0, tap] @ view.reshape(len(padded), -1)
    return out.reshape(-1, stacked.shape[1], half)


def _apart(halves: Array) -> Array:
    """Lay the two frames that share a place, kind by kind as channels, one after the other."""
    pairs = halves.reshape(-1, 2, *halves.shape[1:])
    return np.moveaxis(pairs, 1, -1).reshape(len(pairs), *halves.shape[1:-1], -1)

"""The two networks that listen: how each is laid out, and both in onnxruntime or in plain NumPy.

They differ in all that a network can differ in (front end, layout, sounds that they learned from), so
that they seldom err at the same place: `listener` takes the mean of their log odds. The second sees a mix
as it is and without its drums at once: what is only in the one picture is a stroke, of strings or drums,
what is in both sounds on. It is residual with narrow middles (K. He et al., "Deep residual learning for
image recognition", CVPR 2016), reads its pictures at every other frame and tells of every frame.
"""

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.channels import CELL_KINDS
from juxtanote.core.analysis.layers import (
    Array,
    Weights,
    convolve,
    convolve_frames,
    mix,
    pooled,
)
from juxtanote.core.analysis.shipped import FOLDER, open_network, read_weights
from juxtanote.core.analysis.spectra import N_CHANNELS

# What the first network does in turn, and how far it looks: frames, or semitones for an interval.
FIRST_BLOCKS = (
    ("near", 1), ("near", 2), ("interval", 12), ("frame", 1), ("near", 4), ("interval", 7),
    ("near", 8), ("interval", 12), ("along", 16), ("along", 32), ("near", 1), ("interval", 19),
    ("frame", 1), ("near", 2), ("near", 1),
)  # fmt: skip
# The same of the second, in pairs of frames.
SECOND_BLOCKS = (
    ("near", 1), ("near", 2), ("interval", 12), ("frame", 1), ("near", 4), ("interval", 7),
    ("near", 8), ("interval", 12), ("along", 16), ("near", 1), ("interval", 19), ("frame", 1),
    ("near", 2), ("near", 1),
)  # fmt: skip
# What the second tells of cells: the last two of every guitar, the others of the lead.
SECOND_KINDS = (*CELL_KINDS, "any onset", "any active")
FRAME_KINDS = ("dead", "lead")


LANES = 16  # channels that the runtime takes at once


def run_first(stacked: Array, *, compiled: bool = True, threads: int = 2) -> tuple[Array, Array]:
    """Give the first network's logits of cells (9, n_pitches, n_frames) and of frames (2, n_frames).

    Parameters
    ----------
    stacked : ndarray of float32, shape (n_channels, n_pitches, n_frames)
        Spectra with the harmonics of each pitch over each other, see `spectra.stack_harmonics`; laid down
        in whole `LANES` they are not copied.
    compiled : bool
        False runs the same network in plain NumPy.
    threads : int
        That one run takes.
    """
    session = open_network("listener", threads=threads) if compiled else None
    if session is not None:
        return _told(session, stacked)
    weights = _weights("listener")
    x = np.maximum(mix(weights, "enter", stacked[:N_CHANNELS]), 0.0)
    for number, (kind, reach) in enumerate(FIRST_BLOCKS):
        name = f"blocks.{number}.conv"
        if kind == "frame":
            seen = convolve_frames(weights, name, pooled(x))[:, None, :]
        else:
            seen = convolve(weights, name, x, _steps(kind, reach))
        x = np.maximum(x + seen, 0.0)
    frames = convolve_frames(weights, "frames", pooled(x))
    hidden = np.maximum(mix(weights, "hidden", x), 0.0)
    return mix(weights, "cells", hidden), frames


def run_second(stacked: Array, *, compiled: bool = True, threads: int = 2) -> tuple[Array, Array]:
    """Give the second network's logits of cells (11, n_pitches, n_frames) and of frames (2, n_frames).

    It reads frames by twos, from the first on: an odd one at the end is read twice.

    Parameters
    ----------
    stacked : ndarray of float32, shape (2 * n_channels, n_pitches, n_frames)
        The same of the wide grid, see `wide_spectra`: of the mix as it is, then of it without drums.
    compiled : bool
        False runs the same network in plain NumPy.
    threads : int
        That one run takes.
    """
    n_frames = stacked.shape[2]
    even = np.concatenate([stacked, stacked[:, :, -1:]], axis=2) if n_frames % 2 else stacked
    session = open_network("second", threads=threads) if compiled else None
    if session is not None:
        cells, frames = _told(session, even)
    else:
        cells, frames = _second_in_numpy(_weights("second"), even[: 2 * N_CHANNELS])
    return _apart(cells)[..., :n_frames], _apart(frames)[..., :n_frames]


def _second_in_numpy(weights: Weights, stacked: Array) -> tuple[Array, Array]:
    x = np.maximum(_enter(weights, stacked), 0.0)
    for number, (kind, reach) in enumerate(SECOND_BLOCKS):
        name = f"blocks.{number}"
        if kind == "frame":
            seen = convolve_frames(weights, f"{name}.conv", pooled(x))[:, None, :]
        else:
            middle = np.maximum(mix(weights, f"{name}.narrow", x), 0.0)
            middle = np.maximum(convolve(weights, f"{name}.look", middle, _steps(kind, reach)), 0.0)
            seen = mix(weights, f"{name}.widen", middle)
        x = np.maximum(x + seen, 0.0)
    frames = convolve_frames(weights, "frames", pooled(x))
    hidden = np.maximum(mix(weights, "hidden", x), 0.0)
    return mix(weights, "cells", hidden), frames


def _steps(kind: str, reach: int) -> tuple[int, int]:
    return (reach, 1) if kind == "interval" else (1, reach)


def _enter(weights: Weights, stacked: Array) -> Array:
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


def _weights(name: str) -> dict[str, NDArray[np.float32]]:
    weights = read_weights(name)
    if weights is None:
        raise FileNotFoundError(f"{FOLDER / name}.npz is missing: install the program anew")
    return weights


def _told(session, stacked: Array) -> tuple[Array, Array]:  # type: ignore[no-untyped-def]
    """Run a compiled network on one picture, in whole lanes."""
    more = -len(stacked) % LANES
    stacked = np.concatenate([stacked, stacked[:more]]) if more else stacked
    cells, frames = (batch[0] for batch in session.run(None, {"stacked": stacked[None]}))
    return cells, frames

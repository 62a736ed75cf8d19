"""Blend the weights of two rounds of training: what the later one learned, without losing the earlier.

    python -m lab.blend EARLIER.npz LATER.npz 0.7 src/juxtanote/core/analysis/weights/listener.npz

Rounds that begin from each other may be averaged weight by weight (M. Wortsman et al., "Robust
fine-tuning of zero-shot models", CVPR 2022). Export and judge afterwards.
"""

import argparse
from pathlib import Path

import numpy as np

Weights = dict[str, np.ndarray]


def read(path: Path) -> Weights:
    """Read weights as they ship, in single precision."""
    with np.load(path) as arrays:
        return {name: arrays[name].astype(np.float32) for name in arrays}


def seeing_twice(arrays: Weights, like: Weights) -> Weights:
    """Let a network that saw a mix once see it twice, each picture half as much, where `like` does."""
    enter, wanted = arrays.get("enter.weight"), like.get("enter.weight")
    if enter is None or wanted is None or wanted.shape[1] != 2 * enter.shape[1]:
        return arrays
    return arrays | {"enter.weight": np.concatenate([0.5 * enter, 0.5 * enter], axis=1)}


def blend(earlier: Weights, later: Weights, share: float) -> Weights:
    """Go the `share` of the way from the earlier weights to the later ones, in half precision.

    Weights of a network that saw mixes once are taken for those of one that sees them twice.

    Raises
    ------
    ValueError
        If the two are not of one network.
    """
    earlier = seeing_twice(earlier, like=later)
    if {n: a.shape for n, a in earlier.items()} != {n: a.shape for n, a in later.items()}:
        raise ValueError("the two files hold weights of different networks")
    return {
        name: ((1.0 - share) * earlier[name] + share * later[name]).astype(np.float16)
        for name in earlier
    }


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("earlier", type=Path)
    parser.add_argument("later", type=Path)
    parser.add_argument("share", type=float, help="of the later one, 0 to 1")
    parser.add_argument("target", type=Path, help="the .npz that is written")
    options = parser.parse_args()
    blended = blend(read(options.earlier), read(options.later), options.share)
    np.savez_compressed(options.target, **blended)

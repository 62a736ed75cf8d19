"""Mixes seen twice, as they are and without their drums: what the second network learns from.

    python -m lab.looks SHARDS --seed 131 --scenes 310

The mixes are the buried ones of `lab.mixes`.
"""

import argparse
from functools import partial
from pathlib import Path

import numpy as np

from juxtanote.core.analysis.listener import without_drums
from juxtanote.core.analysis.spectra import spectra_on
from juxtanote.core.analysis.wide_spectra import WIDE
from lab import scenes
from lab.mixes import a_song, buried

REFERENCE_SPREAD = 9.0  # cents
FARTHEST = 35  # cents
PICTURE = 255.0


def seen_twice(stereo: np.ndarray, cents: int) -> np.ndarray:
    """Picture a sound (2, n) as it is and without drums: (2 * n_windows, n_bins, n_frames), 0 to 255."""
    mid, side = 0.5 * (stereo[0] + stereo[1]), 0.5 * (stereo[0] - stereo[1])
    seen = [
        spectra_on((WIDE,), *look, reference_cents=cents)[0]
        for look in ((mid, side), without_drums(mid, side))
    ]
    return np.rint(PICTURE * np.concatenate(seen)).astype(np.uint8)


def make_looks(rng: np.random.Generator, folder: Path | None = None) -> dict[str, np.ndarray]:
    """Make one scene: ``looks`` of each mix, ``cells`` of truth, packed along time, and ``frames``.

    With songs in a folder it is made out of one of those.
    """
    looks, all_cells, all_frames = [], [], []
    scene = None if folder is None else a_song(rng, folder, judged=False)
    for stereo, cells, frames in buried(rng, scene):
        cents = int(np.clip(rng.normal(0.0, REFERENCE_SPREAD), -FARTHEST, FARTHEST))
        looks.append(seen_twice(stereo, cents))
        all_cells.append(cells)
        all_frames.append(frames)
    return {
        "looks": np.stack(looks),
        "cells": np.packbits(np.stack(all_cells), axis=-1),
        "frames": np.stack(all_frames),
    }


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    scenes.add_options(parser)
    parser.add_argument(
        "--songs", type=Path, help="made out of songs: the folder of `lab.arranged`"
    )
    options = parser.parse_args()
    scenes.write_all(options, partial(make_looks, folder=options.songs))

"""Mixes as sound, with what is played in them: for what is fitted to the listeners' own evidence.

    python -m lab.mixes FOLDER --seed 95 --scenes 64

The scenes are those of `lab.scenes`, of seeds that no network was trained on: leads alone, leads
over a backing, and mixes that went through a record's last steps. One .npz a scene, written whole.
"""

import argparse
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from lab import scenes
from lab.mixing import loudness

OVER_BACKING = 3  # of each scene: leads that are laid over a backing anew
ALONE = 2


def as_sound(stereo: np.ndarray) -> np.ndarray:
    """Keep a sound in 16 bits, with some room over full scale."""
    return np.clip(np.rint(stereo * 2**14), -(2**15), 2**15 - 1).astype(np.int16)


def of_sound(kept: np.ndarray) -> np.ndarray:
    """Give a sound that was kept in 16 bits."""
    return kept.astype(np.float32) / 2**14


def make_mixes(rng: np.random.Generator) -> dict[str, np.ndarray]:
    """Make one scene: ``sound`` (n_mixes, 2, n_samples) int16, ``cells`` of truth, packed along time."""
    made = scenes.make_scene(rng, pictured=lambda stereo, _: as_sound(stereo)[None])
    leads, backs = made["lead"][0], made["back"][0]
    sound, cells = list(made["whole"][0]), list(made["whole_cells"])
    for k in range(ALONE + OVER_BACKING):
        at = int(rng.integers(len(leads)))
        lead, truth = of_sound(leads[at]), made["lead_cells"][at]
        if k >= ALONE:
            back = of_sound(backs[k % len(backs)])
            under = loudness(lead.mean(axis=0)) / (loudness(back.mean(axis=0)) + 1e-9)
            over = float(rng.uniform(-2.0, 9.0))
            lead = np.tanh(lead + back * np.float32(under * 10 ** (-over / 20)))
        sound.append(as_sound(lead))
        cells.append(truth)
    return {"sound": np.stack(sound), "cells": np.stack(cells)}


def read(folder: Path, most: int) -> Iterator[tuple[np.ndarray, np.ndarray]]:
    """Yield mixes: stereo (2, n_samples) at 22 050 Hz, and cells of truth (kinds, N_PITCHES, n_frames)."""
    count = 0
    for path in sorted(folder.glob("*.npz")):
        with np.load(path) as data:
            for sound, cells in zip(data["sound"], data["cells"], strict=True):
                if count >= most:
                    return
                count += 1
                unpacked = np.unpackbits(cells, axis=-1)[..., : scenes.N_FRAMES]
                yield of_sound(sound), unpacked


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    scenes.add_options(parser)
    scenes.write_all(parser.parse_args(), make_mixes)

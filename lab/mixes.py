"""Mixes as sound, with what is played in them: for what is fitted to the listeners' own evidence.

    python -m lab.mixes FOLDER --seed 95 --scenes 64
    python -m lab.mixes FOLDER --seed 96 --scenes 40 --buried

The scenes are those of `lab.scenes`, of seeds that no network was trained on: leads alone, leads
over a backing, and mixes that went through a record's last steps. One .npz a scene, written whole.
Buried: as on records a lead may lie far under all else (of the three recorded songs that are measured
with, the guitar lies 8 dB under), and cymbals may be loud and bright.
"""

import argparse
from collections.abc import Iterator
from functools import partial
from pathlib import Path

import numpy as np
from scipy import signal

from lab import scenes, songs
from lab.instruments import SAMPLE_RATE
from lab.mixing import code_as_mp3, loudness, on_a_record

OVER_BACKING = 3  # of each scene: leads that are laid over a backing anew
ALONE = 2
BURIED = 10  # mixes of a scene, if leads are buried
BURIED_ALONE, NOBODY = 2, 2  # of these: leads by themselves, and mixes without one
OVER_DB = -13.0, 5.0  # a lead over all else
KIT_DB = -6.0, 4.0  # the same kit once more, over all else but the lead
WITH_ITS_OWN = 0.9  # leads out of songs that are mixed with the band of their song
ANOTHER_DB = -14.0, -3.0  # a second guitar that plays as leads do, over the lead

Mix = tuple[np.ndarray, np.ndarray, np.ndarray]  # stereo (2, n), cells of truth, truth of frames


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


def brighter(drums: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Bring cymbals forward, as near microphones and mastering do."""
    high = signal.butter(
        1, float(rng.uniform(2500, 7000)), "highpass", fs=SAMPLE_RATE, output="sos"
    )
    return drums + np.float32(rng.uniform(0.0, 4.0)) * signal.sosfilt(high, drums).astype(
        np.float32
    )


def as_loud(stereo: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Bring a sound (2, n) to the loudness of another."""
    ours, theirs = (loudness(sound.mean(axis=0)) for sound in (stereo, other))
    return stereo * np.float32(theirs / ours)


def a_song(rng: np.random.Generator, folder: Path, *, judged: bool) -> dict[str, np.ndarray]:
    """Make a scene out of a song, see `lab.songs`."""
    return songs.make_scene(rng, folder, judged=judged, pictured=as_sound)


def buried(rng: np.random.Generator, made: dict[str, np.ndarray] | None = None) -> Iterator[Mix]:
    """Mix one scene as records may be: leads from far under all else to a little over it, bright drums.

    `made` is the scene; else one is made by rule.
    """
    if made is None:
        made = scenes.make_scene(
            rng, pictured=lambda stereo, _: as_sound(stereo)[None], keep_drums=True
        )
    leads, backs, drums = (of_sound(made[name][0]) for name in ("lead", "back", "drums"))
    guitars = np.unpackbits(made["back_cells"], axis=-1)[..., : scenes.N_FRAMES]
    for k in range(BURIED):
        at, behind = (int(rng.integers(len(some))) for some in (leads, backs))
        if "beside" in made and rng.random() < WITH_ITS_OWN:
            behind = int(made["beside"][at])
        cells = np.unpackbits(made["lead_cells"][at], axis=-1)[..., : scenes.N_FRAMES]
        frames = made["lead_frames"][at]
        stereo = leads[at]
        if k >= BURIED_ALONE:
            rest = backs[behind]
            if rng.random() < 0.6 and drums[0].any():
                kit = as_loud(brighter(drums[0], rng), rest)
                rest = rest + kit * np.float32(10 ** (float(rng.uniform(*KIT_DB)) / 20))
            over = float(rng.uniform(*OVER_DB))
            rest = as_loud(rest, stereo) * np.float32(10 ** (-over / 20))
            if k >= BURIED - NOBODY:
                stereo, cells, frames = rest, np.zeros_like(cells), np.zeros_like(frames)
            else:
                stereo = stereo + rest
            cells[scenes.ANY] |= guitars[behind]
            if rng.random() < 0.2:
                other = int(rng.integers(len(leads)))
                quiet = 10 ** (float(rng.uniform(*ANOTHER_DB)) / 20)
                stereo = stereo + np.float32(quiet) * leads[other]
                theirs = np.unpackbits(made["lead_cells"][other], axis=-1)
                cells[scenes.ANY] |= theirs[:2, :, : scenes.N_FRAMES]
        yield _mastered(stereo, rng), cells, frames


def _mastered(stereo: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Do what is done last: limit, now and then as mono, as a copy, through a coder."""
    peak = float(np.abs(stereo).max()) + 1e-9
    stereo = np.tanh(float(rng.choice([0.7, 1.0, 2.5, 4.0])) * stereo / peak).astype(np.float32)
    if rng.random() < 0.15:
        stereo = np.repeat(stereo.mean(axis=0, keepdims=True), 2, axis=0)
    if rng.random() < 0.4:
        stereo = on_a_record(stereo, rng)
    if rng.random() < 0.2:
        stereo = code_as_mp3(stereo, int(rng.choice([64, 96, 128])))
    return stereo


def make_buried(rng: np.random.Generator, folder: Path | None = None) -> dict[str, np.ndarray]:
    """Make one scene with buried leads, as `make_mixes` does; with songs in a folder, out of one of those."""
    scene = None if folder is None else a_song(rng, folder, judged=True)
    mixes = buried(rng, scene)
    made = [(as_sound(stereo), np.packbits(cells, axis=-1)) for stereo, cells, _ in mixes]
    return {
        "sound": np.stack([sound for sound, _ in made]),
        "cells": np.stack([cells for _, cells in made]),
    }


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
    parser.add_argument("--buried", action="store_true", help="leads far down, bright drums")
    parser.add_argument(
        "--songs", type=Path, help="the same, out of songs: the folder of `lab.arranged`"
    )
    options = parser.parse_args()
    make = make_buried if options.buried else make_mixes
    if options.songs:
        make = partial(make_buried, folder=options.songs)
    scenes.write_all(options, make)

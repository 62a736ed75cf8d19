"""Mixes seen twice, as they are and without their drums: what the second network learns from.

    python -m lab.looks SHARDS --seed 130 --scenes 300

Leads and bands are those of `lab.scenes`. As on records a lead may lie far under all else (of the three
recorded songs that are measured with, the guitar lies 8 dB under), and cymbals may be loud and bright.
"""

import argparse

import numpy as np
from scipy import signal

from juxtanote.core.analysis.listener import without_drums
from juxtanote.core.analysis.spectra import spectra_on
from juxtanote.core.analysis.wide_spectra import WIDE
from lab import scenes
from lab.instruments import SAMPLE_RATE
from lab.mixes import as_sound, of_sound
from lab.mixing import code_as_mp3, loudness, on_a_record

MIXES = 10  # of a scene
ALONE, NOBODY = 2, 2  # of these: leads by themselves, and mixes without one
OVER_DB = -13.0, 5.0  # a lead over all else
KIT_DB = -6.0, 4.0  # the same kit once more, over all else but the lead
ANOTHER_DB = -14.0, -3.0  # a second guitar that plays as leads do, over the lead
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


def make_looks(rng: np.random.Generator) -> dict[str, np.ndarray]:
    """Make one scene: ``looks`` of each mix, ``cells`` of truth, packed along time, and ``frames``."""
    made = scenes.make_scene(
        rng, pictured=lambda stereo, _: as_sound(stereo)[None], keep_drums=True
    )
    leads, backs, drums = (of_sound(made[name][0]) for name in ("lead", "back", "drums"))
    guitars = np.unpackbits(made["back_cells"], axis=-1)[..., : scenes.N_FRAMES]
    looks, all_cells, all_frames = [], [], []
    for k in range(MIXES):
        at, behind = (int(rng.integers(len(some))) for some in (leads, backs))
        cells = np.unpackbits(made["lead_cells"][at], axis=-1)[..., : scenes.N_FRAMES]
        frames = made["lead_frames"][at]
        stereo = leads[at]
        if k >= ALONE:
            rest = backs[behind]
            if rng.random() < 0.6:
                kit = as_loud(brighter(drums[0], rng), rest)
                rest = rest + kit * np.float32(10 ** (float(rng.uniform(*KIT_DB)) / 20))
            over = float(rng.uniform(*OVER_DB))
            rest = as_loud(rest, stereo) * np.float32(10 ** (-over / 20))
            if k >= MIXES - NOBODY:
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
        stereo = _mastered(stereo, rng)
        cents = int(np.clip(rng.normal(0.0, REFERENCE_SPREAD), -FARTHEST, FARTHEST))
        looks.append(seen_twice(stereo, cents))
        all_cells.append(cells)
        all_frames.append(frames)
    return {
        "looks": np.stack(looks),
        "cells": np.packbits(np.stack(all_cells), axis=-1),
        "frames": np.stack(all_frames),
    }


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


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    scenes.add_options(parser)
    options = parser.parse_args()
    scenes.write_all(options, make_looks)

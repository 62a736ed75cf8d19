"""The trainings of both networks in twenty seconds: stopped and gone on with, run in the program."""

import argparse
import importlib.util
import json
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from juxtanote.core.analysis import networks
from juxtanote.core.analysis.channels import N_PITCHES
from juxtanote.core.analysis.spectra import N_CHANNELS
from juxtanote.core.analysis.spectra import N_PITCHES as N_FIRST
from juxtanote.core.analysis.wide_spectra import N_BINS

FRAMES = 400


def shard(path: Path, seed: int) -> None:
    """A scene of tones at known pitches, as `lab.scenes` lays them down."""
    rng = np.random.default_rng(seed)
    references = np.array([0, 12])
    scene: dict[str, np.ndarray] = {"references": references}
    for name, count in (("lead", 2), ("back", 2), ("whole", 2)):
        picture = rng.integers(0, 40, (2, count, 4, N_BINS, FRAMES)).astype(np.uint8)
        cells = np.zeros((count, 11 if name != "back" else 2, N_PITCHES, FRAMES), dtype=np.uint8)
        for k in range(count):
            for start in range(8, FRAMES - 40, 40):
                row = int(rng.integers(12, 40))
                cells[k, 0, row, start] = 1
                cells[k, 1, row, start : start + 30] = 1
                picture[:, k, :, 36 + 3 * row, start : start + 30] = 220
        scene[name], scene[f"{name}_cells"] = picture, np.packbits(cells, axis=-1)
        if name != "back":
            scene[f"{name}_frames"] = np.zeros((count, 2, FRAMES), dtype=np.uint8)
    np.savez(path, **scene)


def looks_shard(path: Path, seed: int) -> None:
    """The same, as `lab.looks` lays it down."""
    shard(path, seed)
    with np.load(path) as scene:
        looks = np.concatenate([scene["whole"][0], scene["whole"][1]], axis=1)
        kept = {"looks": looks, "cells": scene["whole_cells"], "frames": scene["whole_frames"]}
    np.savez(path, **kept)


@unittest.skipUnless(importlib.util.find_spec("torch"), "needs the extra 'train'")
class TestTraining(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        from lab import train

        for network, lay in (("first", shard), ("second", looks_shard)):
            (self.folder / network).mkdir()
            for number in (0, 1, train.KEPT):
                lay(self.folder / network / f"001-{number:05d}.npz", number)

    def trained(self, network: str, name: str, *untils: int) -> dict[str, np.ndarray]:
        """Train a network four steps, stopping at each of `untils`; give the weights."""
        from lab import train

        out = self.folder / name
        for until in untils:
            train.train(
                argparse.Namespace(
                    network=network, folders=[self.folder / network], out=out, steps=4, until=until,
                    rate=1e-3, begin=None, state=self.folder / f"{name}.pt",
                )
            )  # fmt: skip
        with np.load(out / f"{train.FILES[network]}.npz") as arrays:
            return {key: arrays[key].astype(np.float32) for key in arrays}

    def stopped_and_gone_on_with(self, network: str) -> dict[str, np.ndarray]:
        whole, halves = self.trained(network, "whole", 4), self.trained(network, "halves", 2, 4)
        self.assertEqual(set(whole), set(halves))
        for name, values in whole.items():
            np.testing.assert_array_equal(values, halves[name], name)
        from lab import train

        told = json.loads((self.folder / "whole" / f"{train.FILES[network]}.json").read_text())
        self.assertEqual(told["training"]["steps"], 4)
        return whole

    def test_the_second_stopped_and_gone_on_with_learns_the_same_and_runs_in_the_program(
        self,
    ) -> None:
        import torch

        from lab.networks import Second, unfolded

        weights = self.stopped_and_gone_on_with("second")
        stacked = np.random.default_rng(3).random((2 * N_CHANNELS, N_PITCHES, 64), dtype=np.float32)
        mine, frames = networks._second_in_numpy(weights, stacked)
        with torch.no_grad():
            theirs = unfolded(weights, Second())(torch.from_numpy(stacked[None]))
        np.testing.assert_allclose(networks._apart(mine), theirs[0][0].numpy(), atol=2e-4)
        np.testing.assert_allclose(networks._apart(frames), theirs[1][0].numpy(), atol=2e-4)

    def test_the_first_likewise(self) -> None:
        import torch

        from lab.networks import First, unfolded

        weights = self.stopped_and_gone_on_with("first")
        stacked = np.random.default_rng(4).random((N_CHANNELS, N_FIRST, 64), dtype=np.float32)
        with mock.patch.object(networks, "_weights", return_value=weights):
            mine, frames = networks.run_first(stacked, compiled=False)
        with torch.no_grad():
            theirs = unfolded(weights, First())(torch.from_numpy(stacked[None]))
        np.testing.assert_allclose(mine, theirs[0][0].numpy(), atol=2e-4)
        np.testing.assert_allclose(frames, theirs[1][0].numpy(), atol=2e-4)

    def test_what_plays_together_is_tuned_together(self) -> None:
        from lab import train

        pool, rng = train.Pool([self.folder / "first"]), np.random.default_rng(5)
        pool.scenes[1]["references"] = np.array([-20, 30])
        for cents in (-20, 0, 12, 30):
            there = pool._as_tuned(cents, rng)["references"]
            self.assertEqual(int(np.abs(there - cents).min()), 0)

    def test_the_first_network_sees_what_the_second_sees_without_the_lowest_pitches(self) -> None:
        from lab import train

        crops = []
        for below in (0, train.ADDED):
            pool = train.Pool([self.folder / "first"], below=below)
            crops.append(pool.batch(np.random.default_rng(6)))
        (wide, cells, _), (narrow, fewer, _) = crops
        np.testing.assert_array_equal(narrow.numpy(), wide.numpy()[:, :, train.ADDED :])
        np.testing.assert_array_equal(fewer.numpy(), cells.numpy()[:, :, train.ADDED :])


if __name__ == "__main__":
    unittest.main()

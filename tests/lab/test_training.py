"""The second network's training in twenty seconds: stopped and gone on with, exported, run."""

import argparse
import importlib.util
import json
import tempfile
import unittest
from pathlib import Path

import numpy as np

from juxtanote.core.analysis import networks
from juxtanote.core.analysis.channels import N_PITCHES
from juxtanote.core.analysis.spectra import N_CHANNELS
from juxtanote.core.analysis.wide_spectra import N_BINS

FRAMES = 400


def shard(path: Path, seed: int) -> None:
    """A scene of tones at known pitches, as `lab.second.scenes` lays them down."""
    rng = np.random.default_rng(seed)
    scene: dict[str, np.ndarray] = {}
    for name, count in (("lead", 2), ("back", 2), ("whole", 2)):
        picture = rng.integers(0, 40, (count, 4, N_BINS, FRAMES)).astype(np.uint8)
        cells = np.zeros((count, 11 if name != "back" else 2, N_PITCHES, FRAMES), dtype=np.uint8)
        for k in range(count):
            for start in range(8, FRAMES - 40, 40):
                row = int(rng.integers(12, 40))
                cells[k, 0, row, start] = 1
                cells[k, 1, row, start : start + 30] = 1
                picture[k, :, 36 + 3 * row, start : start + 30] = 220
        scene[name], scene[f"{name}_cells"] = picture, np.packbits(cells, axis=-1)
        if name != "back":
            scene[f"{name}_frames"] = np.zeros((count, 2, FRAMES), dtype=np.uint8)
    np.savez(path, **scene)


@unittest.skipUnless(importlib.util.find_spec("torch"), "needs the extra 'train'")
class TestTraining(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        shards = self.folder / "shards"
        shards.mkdir()
        from lab.second import train

        for number in (0, 1, train.KEPT):
            shard(shards / f"001-{number:05d}.npz", number)

    def trained(self, name: str, *untils: int) -> dict[str, np.ndarray]:
        """Train four steps, stopping at each of `untils`; give the weights."""
        from lab.second import train

        out = self.folder / name
        for until in untils:
            train.train(
                argparse.Namespace(
                    folders=[self.folder / "shards"], out=out, steps=4, until=until, rate=1e-3,
                    begin=None, state=self.folder / f"{name}.pt",
                )
            )  # fmt: skip
        with np.load(out / "second.npz") as arrays:
            return dict(arrays)

    def test_stopped_and_gone_on_with_it_learns_the_same_and_runs_in_the_program(self) -> None:
        import torch

        from lab.second.network import unfolded

        whole, halves = self.trained("whole", 4), self.trained("halves", 2, 4)
        self.assertEqual(set(whole), set(halves))
        for name, values in whole.items():
            np.testing.assert_array_equal(values, halves[name], name)
        told = json.loads((self.folder / "whole" / "second.json").read_text())
        self.assertEqual(told["steps"], 4)
        stacked = np.random.default_rng(3).random((N_CHANNELS, N_PITCHES, 64), dtype=np.float32)
        weights = {name: values.astype(np.float32) for name, values in whole.items()}
        mine, frames = networks._second_in_numpy(weights, stacked)
        with torch.no_grad():
            theirs = unfolded(weights)(torch.from_numpy(stacked[None]))
        np.testing.assert_allclose(networks._apart(mine), theirs[0][0].numpy(), atol=2e-4)
        np.testing.assert_allclose(networks._apart(frames), theirs[1][0].numpy(), atol=2e-4)


if __name__ == "__main__":
    unittest.main()

"""Write the compiled networks beside their weights, from the rounded weights themselves.

python -m lab.export src/juxtanote/core/analysis/weights
"""

import sys
import warnings
from pathlib import Path

import numpy as np
import torch
from torch import nn
from torch.nn import functional as F

from juxtanote.core.analysis.channels import N_PITCHES
from juxtanote.core.analysis.networks import LANES, SECOND_BLOCKS
from juxtanote.core.analysis.spectra import N_CHANNELS
from juxtanote.core.analysis.spectra import N_PITCHES as N_FIRST
from lab.networks import First, unfolded

LOOKS = 2  # that the second network takes at once


class Pools(nn.Module):
    """Means and maxima over the pitches as poolings, and an upsampling that spreads what they tell.

    The runtime need not lay these out anew, which took it a fifth longer.
    """

    def __init__(self, n_pitches: int) -> None:
        super().__init__()
        self.mean, self.top = nn.AvgPool2d((n_pitches, 1)), nn.MaxPool2d((n_pitches, 1))
        self.spread = nn.Upsample(scale_factor=(float(n_pitches), 1.0))

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        """Give means and maxima over the pitches of a picture, one pitch high."""
        return torch.cat([self.mean(x), self.top(x)], 1)


def _more(channels: int) -> int:
    """Give how many channels of the input weigh nothing, up to whole lanes."""
    return -channels % LANES


class CompiledFirst(nn.Module):
    """The first network in steps that the runtime takes as they are."""

    def __init__(self, arrays: dict[str, np.ndarray]) -> None:
        super().__init__()
        self.net = net = unfolded(arrays, First())
        self.enter, self.frames = _flat(net.enter, _more(N_CHANNELS)), _flat(net.frames)
        self.steps = nn.ModuleList(
            _flat(block.conv) if block.kind == "frame" else block.conv for block in net.blocks
        )
        self.pools = Pools(N_FIRST)

    def forward(self, stacked: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        """Give the logits that `First` gives."""
        x = torch.relu(self.enter(stacked))
        for block, step in zip(self.net.blocks, self.steps, strict=True):
            if block.kind == "frame":
                seen = self.pools.spread(step(self.pools(x)))
            else:
                seen = step(x)
            x = torch.relu(x + seen)
        frames = self.frames(self.pools(x))[:, :, 0]
        return self.net.cells(torch.relu(self.net.hidden(x))), frames


class CompiledSecond(nn.Module):
    """The second network likewise, of folded weights."""

    def __init__(self, arrays: dict[str, np.ndarray]) -> None:
        super().__init__()
        more = _more(LOOKS * N_CHANNELS)
        self.enter = _plain(arrays, "enter", padding=(0, 1), stride=(1, 2), more=more)
        steps = []
        for number, (kind, reach) in enumerate(SECOND_BLOCKS):
            name = f"blocks.{number}"
            if kind == "frame":
                steps.append(nn.ModuleList([_plain(arrays, f"{name}.conv", padding=(0, 2))]))
                continue
            dilation = (reach, 1) if kind == "interval" else (1, reach)
            size = arrays[f"{name}.look.weight"].shape[2:]
            padding = (size[0] // 2 * dilation[0], size[1] // 2 * dilation[1])
            look = _plain(arrays, f"{name}.look", padding=padding, dilation=dilation)
            narrow, widen = _plain(arrays, f"{name}.narrow"), _plain(arrays, f"{name}.widen")
            steps.append(nn.ModuleList([narrow, look, widen]))
        self.steps = nn.ModuleList(steps)
        self.hidden, self.cells = _plain(arrays, "hidden"), _plain(arrays, "cells")
        self.frames = _plain(arrays, "frames", padding=(0, 1))
        self.pools = Pools(N_PITCHES)

    def forward(self, stacked: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        """Give what `Second.halves` gives."""
        x = torch.relu(self.enter(stacked))
        for step in self.steps:
            if len(step) == 1:
                seen = self.pools.spread(step[0](self.pools(x)))
            else:
                seen = step[2](torch.relu(step[1](torch.relu(step[0](x)))))
            x = torch.relu(x + seen)
        return self.cells(torch.relu(self.hidden(x))), self.frames(self.pools(x))[:, :, 0]


def _flat(conv: nn.Conv1d | nn.Conv2d, more: int = 0) -> nn.Conv2d:
    """Make a convolution over pictures one pitch high, with channels more that weigh nothing."""
    weight = conv.weight.detach()
    weight = weight[:, :, None] if weight.ndim == 3 else weight
    weight = F.pad(weight, (0, 0, 0, 0, 0, more))
    size = (weight.shape[2], weight.shape[3])
    made = nn.Conv2d(weight.shape[1], weight.shape[0], size, padding=(0, size[1] // 2))
    made.weight.data, made.bias.data = weight.clone(), conv.bias.detach().clone()
    return made


def _plain(
    arrays: dict[str, np.ndarray],
    name: str,
    *,
    padding: tuple[int, int] = (0, 0),
    dilation: tuple[int, int] = (1, 1),
    stride: tuple[int, int] = (1, 1),
    more: int = 0,
) -> nn.Conv2d:
    """Make a convolution over pictures of folded weights, with channels more that weigh nothing."""
    weight = torch.from_numpy(arrays[f"{name}.weight"])
    weight = weight[:, :, None] if weight.ndim == 3 else weight
    weight = F.pad(weight, (0, 0, 0, 0, 0, more))
    made = nn.Conv2d(
        weight.shape[1], weight.shape[0], tuple(weight.shape[2:]), stride=stride, padding=padding,
        dilation=dilation,
    )  # fmt: skip
    made.weight.data = weight.clone()
    made.bias.data = torch.from_numpy(arrays[f"{name}.bias"]).clone()
    return made


COMPILED = {
    "listener": (CompiledFirst, N_CHANNELS, N_FIRST, "time"),
    "second": (CompiledSecond, LOOKS * N_CHANNELS, N_PITCHES, "half"),
}
"""For each file of weights: its network, how many channels and pitches it sees, and what its frames out are called."""


def export(folder: Path) -> None:
    """Compile ``listener.npz`` to ``listener.onnx``, and ``second.npz`` likewise."""
    for name, (network, channels, n_pitches, frames) in COMPILED.items():
        with np.load(folder / f"{name}.npz") as stored:
            arrays = {key: stored[key].astype(np.float32) for key in stored.files}
        example = (torch.rand(1, channels + _more(channels), n_pitches, 128),)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            torch.onnx.export(
                network(arrays).eval(),
                example,
                str(folder / f"{name}.onnx"),
                input_names=["stacked"],
                output_names=["cells", "frames"],
                dynamic_axes={"stacked": {3: "time"}, "cells": {3: frames}, "frames": {2: frames}},
                dynamo=False,
            )


if __name__ == "__main__":
    export(Path(sys.argv[1]))

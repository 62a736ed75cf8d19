"""Write the compiled network beside the weights, from the rounded weights themselves.

python -m lab.second.export src/juxtanote/core/analysis/weights
"""

import sys
import warnings
from pathlib import Path

import numpy as np
import torch
from torch import nn
from torch.nn import functional as F

from juxtanote.core.analysis.channels import N_PITCHES
from juxtanote.core.analysis.networks import SECOND_BLOCKS as BLOCKS
from juxtanote.core.analysis.spectra import N_CHANNELS

LANES = 16  # channels that the runtime takes at once


class Compiled(nn.Module):
    """The same network in steps that the runtime need not lay out anew, which took it a fifth longer.

    The input gets channels that weigh nothing, up to whole lanes; means and maxima over the pitches
    are poolings, and what they tell is spread over the pitches again by an upsampling.
    """

    def __init__(self, arrays: dict[str, np.ndarray]) -> None:
        super().__init__()
        self.more = -N_CHANNELS % LANES
        self.enter = _plain(arrays, "enter", padding=(0, 1), stride=(1, 2), more=self.more)
        steps = []
        for number, (kind, reach) in enumerate(BLOCKS):
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
        self.mean, self.top = nn.AvgPool2d((N_PITCHES, 1)), nn.MaxPool2d((N_PITCHES, 1))
        self.spread = nn.Upsample(scale_factor=(float(N_PITCHES), 1.0))

    def forward(self, stacked: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        """Give what `Listener.halves` gives."""
        x = torch.relu(self.enter(torch.cat([stacked, stacked[:, : self.more]], 1)))
        for step in self.steps:
            if len(step) == 1:
                seen = self.spread(step[0](self._pooled(x)))
            else:
                seen = step[2](torch.relu(step[1](torch.relu(step[0](x)))))
            x = torch.relu(x + seen)
        return self.cells(torch.relu(self.hidden(x))), self.frames(self._pooled(x))[:, :, 0]

    def _pooled(self, x: torch.Tensor) -> torch.Tensor:
        return torch.cat([self.mean(x), self.top(x)], 1)


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


def export(folder: Path) -> None:
    """Compile ``listener.npz`` to ``listener.onnx``."""
    with np.load(folder / "second.npz") as stored:
        arrays = {name: stored[name].astype(np.float32) for name in stored.files}
    compiled = Compiled(arrays).eval()
    example = (torch.rand(1, N_CHANNELS, N_PITCHES, 128),)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        torch.onnx.export(
            compiled,
            example,
            str(folder / "second.onnx"),
            input_names=["stacked"],
            output_names=["cells", "frames"],
            dynamic_axes={"stacked": {3: "time"}, "cells": {3: "half"}, "frames": {2: "half"}},
            dynamo=False,
        )


if __name__ == "__main__":
    export(Path(sys.argv[1]))

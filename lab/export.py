"""Write the compiled network beside the weights, from the rounded weights themselves.

python -m lab.export src/juxtanote/core/analysis/weights
"""

import sys
import warnings
from pathlib import Path

import numpy as np
import torch
from torch import nn
from torch.nn import functional as F

from juxtanote.core.analysis.spectra import N_CHANNELS, N_PITCHES
from lab.network import Listener

LANES = 16  # channels that the runtime takes at once


class Compiled(nn.Module):
    """The same network in steps that the runtime need not lay out anew, which took it a fifth longer.

    The input gets channels that weigh nothing, up to whole lanes; means and maxima over the pitches
    are poolings, and what they tell is spread over the pitches again by an upsampling.
    """

    def __init__(self, net: Listener) -> None:
        super().__init__()
        self.net, self.more = net, -N_CHANNELS % LANES
        self.enter, self.frames = _flat(net.enter, self.more), _flat(net.frames)
        self.steps = nn.ModuleList(
            _flat(block.conv) if block.kind == "frame" else block.conv for block in net.blocks
        )
        self.mean, self.top = nn.AvgPool2d((N_PITCHES, 1)), nn.MaxPool2d((N_PITCHES, 1))
        self.spread = nn.Upsample(scale_factor=(float(N_PITCHES), 1.0))

    def forward(self, stacked: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        """Give the logits that `Listener` gives."""
        x = torch.relu(self.enter(torch.cat([stacked, stacked[:, : self.more]], 1)))
        for block, step in zip(self.net.blocks, self.steps, strict=True):
            seen = self.spread(step(self._pooled(x))) if block.kind == "frame" else step(x)
            x = torch.relu(x + seen)
        frames = self.frames(self._pooled(x))[:, :, 0]
        return self.net.cells(torch.relu(self.net.hidden(x))), frames

    def _pooled(self, x: torch.Tensor) -> torch.Tensor:
        return torch.cat([self.mean(x), self.top(x)], 1)


def _flat(conv: nn.Conv1d | nn.Conv2d, more: int = 0) -> nn.Conv2d:
    """Make a convolution over pictures one pitch high, with channels more that weigh nothing."""
    weight = conv.weight.detach()
    weight = weight[:, :, None] if weight.ndim == 3 else weight
    weight = F.pad(weight, (0, 0, 0, 0, 0, more))
    size = (weight.shape[2], weight.shape[3])
    made = nn.Conv2d(weight.shape[1], weight.shape[0], size, padding=(0, size[1] // 2))
    made.weight.data, made.bias.data = weight.clone(), conv.bias.detach().clone()
    return made


def export(folder: Path) -> None:
    """Compile ``listener.npz`` to ``listener.onnx``."""
    net = Listener()
    with np.load(folder / "listener.npz") as stored:
        state = {name: torch.from_numpy(stored[name].astype(np.float32)) for name in stored.files}
    net.load_state_dict(state)
    compiled = Compiled(net).eval()
    example = (torch.rand(1, N_CHANNELS, N_PITCHES, 128),)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        torch.onnx.export(
            compiled,
            example,
            str(folder / "listener.onnx"),
            input_names=["stacked"],
            output_names=["cells", "frames"],
            dynamic_axes={"stacked": {3: "time"}, "cells": {3: "time"}, "frames": {2: "time"}},
            dynamo=False,
        )


if __name__ == "__main__":
    export(Path(sys.argv[1]))

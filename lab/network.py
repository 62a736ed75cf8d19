"""The listener as PyTorch trains it; the layout is repeated in plain NumPy in the program.

A picture of frames by pitches goes through small convolutions: three by three around a cell, along
its own pitch over half a second, an interval up and down, and one vector of the whole frame.
"""

import torch
from torch import nn

from juxtanote.core.analysis.networks import FIRST_BLOCKS as BLOCKS
from juxtanote.core.analysis.spectra import N_CHANNELS

WIDTH = 48
N_CELL, N_FRAME = 9, 2


class Block(nn.Module):
    """One residual step; `reach` is the dilation in frames, or in semitones for an interval."""

    def __init__(self, kind: str, reach: int) -> None:
        super().__init__()
        self.kind = kind
        if kind == "near":
            self.conv = nn.Conv2d(WIDTH, WIDTH, 3, padding=(1, reach), dilation=(1, reach))
        elif kind == "along":
            self.conv = nn.Conv2d(WIDTH, WIDTH, (1, 3), padding=(0, reach), dilation=(1, reach))
        elif kind == "interval":
            self.conv = nn.Conv2d(WIDTH, WIDTH, (3, 1), padding=(reach, 0), dilation=(reach, 1))
        else:
            self.conv = nn.Conv1d(2 * WIDTH, WIDTH, 5, padding=2)

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        """Add what this step sees; `x` is (batch, WIDTH, pitches, frames)."""
        if self.kind == "frame":
            pooled = torch.cat([x.mean(2), x.max(2).values], 1)
            return torch.relu(x + self.conv(pooled)[:, :, None, :])
        return torch.relu(x + self.conv(x))


class Listener(nn.Module):
    """From stacked spectra (batch, N_CHANNELS, pitches, frames) to logits for cells and frames."""

    def __init__(self) -> None:
        super().__init__()
        self.enter = nn.Conv2d(N_CHANNELS, WIDTH, 1)
        self.blocks = nn.ModuleList(Block(kind, reach) for kind, reach in BLOCKS)
        self.hidden = nn.Conv2d(WIDTH, WIDTH, 1)
        self.cells = nn.Conv2d(WIDTH, N_CELL, 1)
        self.frames = nn.Conv1d(2 * WIDTH, N_FRAME, 3, padding=1)

    def forward(self, stacked: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        """Give logits (batch, N_CELL, pitches, frames) and (batch, N_FRAME, frames)."""
        x = torch.relu(self.enter(stacked))
        for block in self.blocks:
            x = block(x)
        frames = self.frames(torch.cat([x.mean(2), x.max(2).values], 1))
        return self.cells(torch.relu(self.hidden(x))), frames

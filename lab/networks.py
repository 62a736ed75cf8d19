"""The two networks that listen, as PyTorch trains them; their layouts are repeated in plain NumPy in the program.

`First`: a picture of frames by pitches goes through small convolutions: three by three around a cell, along
its own pitch over half a second, an interval up and down, and one vector of the whole frame.

`Second`: the picture is read at every other frame, goes through residual steps with narrow middles (K. He et
al., "Deep residual learning for image recognition", CVPR 2016), and is told at every frame. Each step is
normalised while it learns (S. Ioffe, C. Szegedy, "Batch normalization", ICML 2015); `folded` gives the same
network without.
"""

from collections.abc import Iterable

import numpy as np
import torch
from torch import nn

from juxtanote.core.analysis.channels import CELL_KINDS
from juxtanote.core.analysis.networks import FIRST_BLOCKS, FRAME_KINDS, SECOND_BLOCKS, SECOND_KINDS
from juxtanote.core.analysis.spectra import N_CHANNELS

WIDTH, MIDDLE, LAST = 48, 16, 48


def pooled(x: torch.Tensor) -> torch.Tensor:
    """Give mean and maximum over the pitches."""
    return torch.cat([x.mean(2), x.max(2).values], 1)


class PlainBlock(nn.Module):
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
            return torch.relu(x + self.conv(pooled(x))[:, :, None, :])
        return torch.relu(x + self.conv(x))


class First(nn.Module):
    """From stacked spectra (batch, N_CHANNELS, pitches, frames) to logits for cells and frames."""

    def __init__(self) -> None:
        super().__init__()
        self.enter = nn.Conv2d(N_CHANNELS, WIDTH, 1)
        self.blocks = nn.ModuleList(PlainBlock(kind, reach) for kind, reach in FIRST_BLOCKS)
        self.hidden = nn.Conv2d(WIDTH, WIDTH, 1)
        self.cells = nn.Conv2d(WIDTH, len(CELL_KINDS), 1)
        self.frames = nn.Conv1d(2 * WIDTH, len(FRAME_KINDS), 3, padding=1)

    def forward(self, stacked: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        """Give logits (batch, kinds, pitches, frames) and (batch, kinds, frames)."""
        x = torch.relu(self.enter(stacked))
        for block in self.blocks:
            x = block(x)
        frames = self.frames(pooled(x))
        return self.cells(torch.relu(self.hidden(x))), frames


class Normed(nn.Module):
    """A convolution and its normalisation."""

    def __init__(self, conv: nn.Conv2d) -> None:
        super().__init__()
        self.conv, self.norm = conv, nn.BatchNorm2d(conv.out_channels)

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        """Convolve and normalise."""
        return self.norm(self.conv(x))


def _conv(kind: str, reach: int) -> nn.Conv2d:
    if kind == "near":
        size, dilation = (3, 3), (1, reach)
    elif kind == "along":
        size, dilation = (1, 3), (1, reach)
    else:
        size, dilation = (3, 1), (reach, 1)
    padding = (size[0] // 2 * dilation[0], size[1] // 2 * dilation[1])
    return nn.Conv2d(MIDDLE, MIDDLE, size, padding=padding, dilation=dilation, bias=False)


class NarrowBlock(nn.Module):
    """One residual step; `reach` is the dilation in frames, or in semitones for an interval."""

    def __init__(self, kind: str, reach: int) -> None:
        super().__init__()
        self.kind = kind
        if kind == "frame":
            self.conv = nn.Conv1d(2 * WIDTH, WIDTH, 5, padding=2)
            return
        self.narrow = Normed(nn.Conv2d(WIDTH, MIDDLE, 1, bias=False))
        self.look = Normed(_conv(kind, reach))
        self.widen = Normed(nn.Conv2d(MIDDLE, WIDTH, 1, bias=False))

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        """Add what this step sees; `x` is (batch, WIDTH, pitches, frames)."""
        if self.kind == "frame":
            return torch.relu(x + self.conv(pooled(x))[:, :, None, :])
        seen = torch.relu(self.look(torch.relu(self.narrow(x))))
        return torch.relu(x + self.widen(seen))


class Second(nn.Module):
    """From stacked spectra (batch, 2 N_CHANNELS, pitches, frames) to logits for cells and frames.

    They are of a mix as it is, and of it without drums. The number of frames must be even.
    """

    def __init__(self) -> None:
        super().__init__()
        conv = nn.Conv2d(2 * N_CHANNELS, WIDTH, (1, 4), stride=(1, 2), padding=(0, 1), bias=False)
        self.enter = Normed(conv)
        self.blocks = nn.ModuleList(NarrowBlock(kind, reach) for kind, reach in SECOND_BLOCKS)
        self.hidden = Normed(nn.Conv2d(WIDTH, LAST, 1, bias=False))
        self.cells = nn.Conv2d(LAST, 2 * len(SECOND_KINDS), 1)
        self.frames = nn.Conv1d(2 * WIDTH, 2 * len(FRAME_KINDS), 3, padding=1)

    def halves(self, stacked: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        """Give logits of both frames of each pair as channels, kind by kind."""
        x = torch.relu(self.enter(stacked))
        for block in self.blocks:
            x = block(x)
        return self.cells(torch.relu(self.hidden(x))), self.frames(pooled(x))

    def forward(self, stacked: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        """Give logits (batch, kinds, pitches, frames) and (batch, kinds, frames)."""
        cells, frames = self.halves(stacked)
        batch, _, pitches, half = cells.shape
        cells = cells.view(batch, -1, 2, pitches, half).permute(0, 1, 3, 4, 2)
        frames = frames.view(batch, -1, 2, half).permute(0, 1, 3, 2)
        return cells.reshape(batch, -1, pitches, 2 * half), frames.reshape(batch, -1, 2 * half)


Listener = First | Second


def folded(net: Listener) -> dict[str, np.ndarray]:
    """Give weights and biases of a network with every normalisation folded into its convolution."""
    arrays: dict[str, np.ndarray] = {}
    if isinstance(net, First):
        return {name: value.detach().numpy() for name, value in net.state_dict().items()}
    for name, module in net.named_modules():
        if isinstance(module, Normed):
            norm = module.norm
            gain = norm.weight / torch.sqrt(norm.running_var + norm.eps)
            arrays[f"{name}.weight"] = (
                (module.conv.weight * gain[:, None, None, None]).detach().numpy()
            )
            arrays[f"{name}.bias"] = (norm.bias - norm.running_mean * gain).detach().numpy()
    for name in ("cells", "frames"):
        module = getattr(net, name)
        arrays[f"{name}.weight"] = module.weight.detach().numpy()
        arrays[f"{name}.bias"] = module.bias.detach().numpy()
    for number, block in enumerate(net.blocks):
        if block.kind == "frame":
            arrays[f"blocks.{number}.conv.weight"] = block.conv.weight.detach().numpy()
            arrays[f"blocks.{number}.conv.bias"] = block.conv.bias.detach().numpy()
    return arrays


def unfolded(arrays: dict[str, np.ndarray], net: Listener) -> Listener:
    """Give a network the folded weights, its normalisations doing nothing."""
    with torch.no_grad():
        for name, module in net.named_modules():
            if isinstance(module, Normed):
                module.conv.weight.copy_(torch.from_numpy(arrays[f"{name}.weight"]))
                module.norm.bias.copy_(torch.from_numpy(arrays[f"{name}.bias"]))
                module.norm.running_var.fill_(1.0 - module.norm.eps)
            elif isinstance(module, (nn.Conv1d, nn.Conv2d)) and f"{name}.bias" in arrays:
                module.weight.copy_(torch.from_numpy(arrays[f"{name}.weight"]))
                module.bias.copy_(torch.from_numpy(arrays[f"{name}.bias"]))
    return net.eval()


def calibrated(net: Listener, batches: Iterable[torch.Tensor]) -> Listener:
    """Let the normalisations of an unfolded network do what they do nothing of, at the same result.

    Their means and variances are measured on `batches` of stacked spectra, and what they take away is given
    back by their gains and biases: so a training goes on from folded weights without a jolt.
    """
    sums: dict[Normed, list[torch.Tensor]] = {}

    def noted(module: nn.Module, _: object, seen: torch.Tensor) -> None:
        moments = seen.mean((0, 2, 3)), seen.square().mean((0, 2, 3))
        sums.setdefault(owner[module], []).append(torch.stack(moments))

    owner = {module.conv: module for module in net.modules() if isinstance(module, Normed)}
    if not owner:
        return net
    hooks = [conv.register_forward_hook(noted) for conv in owner]
    net.eval()
    with torch.no_grad():
        for stacked in batches:
            net(stacked)
        for module, moments in sums.items():
            mean, square = torch.stack(moments).mean(0)
            norm = module.norm
            norm.running_mean.copy_(mean)
            norm.running_var.copy_((square - mean.square()).clamp_min(1e-6))
            norm.weight.copy_(torch.sqrt(norm.running_var + norm.eps))
            norm.bias.add_(mean)
    for hook in hooks:
        hook.remove()
    return net

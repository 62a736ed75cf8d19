"""Write the compiled network beside the weights, from the rounded weights themselves.

python -m lab.export src/juxtanote/core/analysis/weights
"""

import sys
import warnings
from pathlib import Path

import numpy as np
import torch

from juxtanote.core.analysis.spectra import N_CHANNELS, N_PITCHES
from lab.network import Listener


def export(folder: Path) -> None:
    """Compile ``listener.npz`` to ``listener.onnx``."""
    net = Listener()
    with np.load(folder / "listener.npz") as stored:
        state = {name: torch.from_numpy(stored[name].astype(np.float32)) for name in stored.files}
    net.load_state_dict(state)
    net.eval()
    example = (torch.rand(1, N_CHANNELS, N_PITCHES, 128),)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        torch.onnx.export(
            net,
            example,
            str(folder / "listener.onnx"),
            input_names=["stacked"],
            output_names=["cells", "frames"],
            dynamic_axes={"stacked": {3: "time"}, "cells": {3: "time"}, "frames": {2: "time"}},
            dynamo=False,
        )


if __name__ == "__main__":
    export(Path(sys.argv[1]))

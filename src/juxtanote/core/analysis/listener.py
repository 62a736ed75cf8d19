"""The learned listener: from spectra to what each frame and pitch carries.

The weights ship with the program (`weights/`), trained on generated sound only; `listener.json`
beside them tells how. They run in onnxruntime, or in plain NumPy with the same result.
"""

import json
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.channels import CELL_KINDS
from juxtanote.core.analysis.shipped import FOLDER, read_weights
from juxtanote.core.analysis.spectra import (
    HOP_LENGTH,
    N_PITCHES,
    SAMPLE_RATE,
    log_spectra,
    stack_harmonics,
)
from juxtanote.core.progress import Progress, no_progress

Array = NDArray[np.float32]
MOST_FRAMES, MARGIN_FRAMES = 1400, 72  # of a block: 16 s
BLOCKS = (
    ("near", 1), ("near", 2), ("interval", 12), ("frame", 1), ("near", 4), ("interval", 7),
    ("near", 8), ("interval", 12), ("along", 16), ("along", 32), ("near", 1), ("interval", 19),
    ("frame", 1), ("near", 2), ("near", 1),
)  # fmt: skip
"""What the network does in turn, and how far it looks: frames, or semitones for an interval."""


@dataclass(frozen=True, slots=True)
class Posteriors:
    """Probabilities for every frame: `cells` (9, N_PITCHES, n_frames), `dead` and `lead` (n_frames,).

    `quick` holds the spectra of the two short windows (2, N_BINS, n_frames), if they are known.
    """

    cells: Array
    dead: Array
    lead: Array
    quick: Array | None = None

    @property
    def hop_s(self) -> float:
        """Seconds from one frame to the next.

        Examples
        --------
        >>> empty = np.zeros(0, dtype=np.float32)
        >>> round(Posteriors(empty, empty, empty).hop_s, 4)
        0.0116
        """
        return HOP_LENGTH / SAMPLE_RATE


def weights_are_here() -> bool:
    """Tell whether the learned listener can be used."""
    return (FOLDER / "listener.npz").is_file()


@lru_cache(maxsize=1)
def recipe() -> dict[str, object]:
    """Read what `listener.json` tells of the weights: calibration, thresholds, scores."""
    path = FOLDER / "listener.json"
    return dict(json.loads(path.read_text("utf-8"))) if path.is_file() else {}


def kind_threshold(kind: str) -> float:
    """Give from where on a kind of attack is believed, 0 to 1; settled with the weights.

    Parameters
    ----------
    kind : str
        One of `CELL_KINDS`, such as ``"slide"``.
    """
    known = recipe().get("kind_thresholds", {})
    return float(known.get(kind, 0.5)) if isinstance(known, dict) else 0.5


@lru_cache(maxsize=1)
def _session():  # type: ignore[no-untyped-def]
    """Open the compiled network, or give None where onnxruntime or the file is missing."""
    path = FOLDER / "listener.onnx"
    if not path.is_file():
        return None
    try:
        import onnxruntime
    except ImportError:
        return None
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = 2
    options.log_severity_level = 3
    return onnxruntime.InferenceSession(str(path), options, providers=["CPUExecutionProvider"])


def run_network(stacked: Array, *, compiled: bool = True) -> tuple[Array, Array]:
    """Give logits of cells (9, N_PITCHES, n_frames) and of frames (2, n_frames).

    Parameters
    ----------
    stacked : ndarray of float32, shape (N_CHANNELS, N_PITCHES, n_frames)
        Spectra with the harmonics of each pitch over each other, see `spectra.stack_harmonics`.
    compiled : bool
        False runs the same network in plain NumPy.
    """
    session = _session() if compiled else None
    if session is not None:
        cells, frames = session.run(None, {"stacked": stacked[None]})
        return cells[0], frames[0]
    return _run_in_numpy(stacked)


def _run_in_numpy(stacked: Array) -> tuple[Array, Array]:
    weights = read_weights("listener")
    if weights is None:
        raise FileNotFoundError(f"{FOLDER / 'listener.npz'} is missing: install the program anew")
    x = np.maximum(_mix(weights, "enter", stacked), 0.0)
    for number, (kind, reach) in enumerate(BLOCKS):
        name = f"blocks.{number}.conv"
        if kind in ("near", "along"):
            seen = _conv(weights, name, x, (1, reach))
        elif kind == "interval":
            seen = _conv(weights, name, x, (reach, 1))
        else:
            seen = _conv_frames(weights, name, _pooled(x))[:, None, :]
        x = np.maximum(x + seen, 0.0)
    frames = _conv_frames(weights, "frames", _pooled(x))
    hidden = np.maximum(_mix(weights, "hidden", x), 0.0)
    return _mix(weights, "cells", hidden), frames


def _pooled(x: Array) -> Array:
    return np.concatenate([x.mean(axis=1), x.max(axis=1)])


def _mix(weights: dict[str, Array], name: str, x: Array) -> Array:
    """Mix channels, cell by cell."""
    matrix, bias = weights[f"{name}.weight"][:, :, 0, 0], weights[f"{name}.bias"]
    mixed = matrix @ x.reshape(x.shape[0], -1)
    return np.asarray((mixed + bias[:, None]).reshape(-1, *x.shape[1:]), dtype=np.float32)


def _conv(weights: dict[str, Array], name: str, x: Array, reach: tuple[int, int]) -> Array:
    """Convolve over (pitches, frames), one matrix product for each tap."""
    kernel, bias = weights[f"{name}.weight"], weights[f"{name}.bias"]
    n_pitch, n_time = x.shape[1:]
    half = (kernel.shape[2] // 2 * reach[0], kernel.shape[3] // 2 * reach[1])
    padded = np.pad(x, ((0, 0), (half[0], half[0]), (half[1], half[1])))
    out = np.tile(bias[:, None], (1, n_pitch * n_time)).astype(np.float32)
    for i in range(kernel.shape[2]):
        for j in range(kernel.shape[3]):
            top, left = i * reach[0], j * reach[1]
            view = padded[:, top : top + n_pitch, left : left + n_time]
            out += kernel[:, :, i, j] @ view.reshape(x.shape[0], -1)
    return out.reshape(-1, n_pitch, n_time)


def _conv_frames(weights: dict[str, Array], name: str, x: Array) -> Array:
    """Convolve over frames."""
    kernel, bias = weights[f"{name}.weight"], weights[f"{name}.bias"]
    half = kernel.shape[2] // 2
    padded = np.pad(x, ((0, 0), (half, half)))
    out = np.tile(bias[:, None], (1, x.shape[1])).astype(np.float32)
    for tap in range(kernel.shape[2]):
        out += kernel[:, :, tap] @ padded[:, tap : tap + x.shape[1]]
    return out


def _sigmoid(x: Array) -> Array:
    return np.asarray(1.0 / (1.0 + np.exp(-np.clip(x, -30.0, 30.0))), dtype=np.float32)


def listen(
    mid: Array,
    side: Array,
    *,
    reference_cents: float = 0.0,
    compiled: bool = True,
    progress: Progress = no_progress,
) -> Posteriors:
    """Run the listener over a stretch of sound, block by block.

    Parameters
    ----------
    mid, side : ndarray of float32, shape (n_samples,)
        At 22 050 Hz.
    reference_cents : float
        Where the recording's A4 is, from -50 to 50 cents off 440 Hz.
    compiled : bool
        False runs the same network in plain NumPy.

    Returns
    -------
    posteriors : Posteriors
        One frame every 256 samples, the first centred on sample 0.
    """
    spectra = log_spectra(mid, side, reference_cents=reference_cents)
    n_frames = spectra.shape[2]
    cells = np.zeros((len(CELL_KINDS), N_PITCHES, n_frames), dtype=np.float32)
    frames = np.zeros((2, n_frames), dtype=np.float32)
    length = -(-n_frames // -(-n_frames // MOST_FRAMES))  # as few blocks as will do, all as long
    for start in range(0, n_frames, length):
        stop = min(start + length, n_frames)
        low, high = max(start - MARGIN_FRAMES, 0), min(stop + MARGIN_FRAMES, n_frames)
        block_cells, block_frames = run_network(
            stack_harmonics(spectra[:, :, low:high]), compiled=compiled
        )
        cells[:, :, start:stop] = _sigmoid(block_cells[:, :, start - low : stop - low])
        frames[:, start:stop] = _sigmoid(block_frames[:, start - low : stop - low])
        progress(stop / n_frames)
    return Posteriors(cells, frames[0], frames[1], spectra[1:3])

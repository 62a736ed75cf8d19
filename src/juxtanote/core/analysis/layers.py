"""Layers of the listening networks in plain NumPy, over weights by name.

A picture is an array (channels, pitches, frames); a row of frames is (channels, frames).
"""

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float32]
Weights = dict[str, Array]


def pooled(x: Array) -> Array:
    """Give mean and maximum over the pitches of a picture.

    Parameters
    ----------
    x : ndarray of float32, shape (channels, pitches, frames)
        The picture.

    Examples
    --------
    >>> pooled(np.arange(6, dtype=np.float32).reshape(1, 3, 2)).tolist()
    [[2.0, 3.0], [4.0, 5.0]]
    """
    return np.concatenate([x.mean(axis=1), x.max(axis=1)])


def mix(weights: Weights, name: str, x: Array) -> Array:
    """Mix the channels of a picture cell by cell.

    Parameters
    ----------
    weights : dict of ndarray
        ``name.weight`` of shape (out, channels, 1, 1), ``name.bias`` of shape (out,).
    name : str
        Of the layer.
    x : ndarray of float32, shape (channels, pitches, frames)
        The picture.
    """
    matrix, bias = weights[f"{name}.weight"][:, :, 0, 0], weights[f"{name}.bias"]
    mixed = matrix @ x.reshape(x.shape[0], -1)
    return np.asarray((mixed + bias[:, None]).reshape(-1, *x.shape[1:]), dtype=np.float32)


def convolve(weights: Weights, name: str, x: Array, reach: tuple[int, int]) -> Array:
    """Convolve a picture over pitches and frames, one matrix product for each tap.

    Parameters
    ----------
    weights : dict of ndarray
        ``name.weight`` of shape (out, channels, tall, wide), ``name.bias`` of shape (out,).
    name : str
        Of the layer.
    x : ndarray of float32, shape (channels, pitches, frames)
        The picture; beyond its edges it is nought.
    reach : tuple of int
        How many pitches and frames apart the taps lie.
    """
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


def convolve_frames(weights: Weights, name: str, x: Array) -> Array:
    """Convolve a row of frames.

    Parameters
    ----------
    weights : dict of ndarray
        ``name.weight`` of shape (out, channels, wide), ``name.bias`` of shape (out,).
    name : str
        Of the layer.
    x : ndarray of float32, shape (channels, frames)
        The row; beyond its ends it is nought.
    """
    kernel, bias = weights[f"{name}.weight"], weights[f"{name}.bias"]
    half = kernel.shape[2] // 2
    padded = np.pad(x, ((0, 0), (half, half)))
    out = np.tile(bias[:, None], (1, x.shape[1])).astype(np.float32)
    for tap in range(kernel.shape[2]):
        out += kernel[:, :, tap] @ padded[:, tap : tap + x.shape[1]]
    return out

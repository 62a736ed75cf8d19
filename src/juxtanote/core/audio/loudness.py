"""Loudness as it is heard: ITU-R BS.1770-5, Annex 1 (2023): K-weighting, blocks of 400 ms, two gates."""

import math

import numpy as np
from numpy.typing import NDArray

BLOCK_S, STEP_S = 0.4, 0.1  # as BS.1770 has them
ABSOLUTE_GATE, RELATIVE_GATE = -70.0, -10.0  # LKFS; LU under the mean of what passed the first
OFFSET = -0.691  # of BS.1770: a sine at full scale in front is -3.01 LKFS
SILENT = -120.0  # LKFS; there is no logarithm of nothing
_SHELF = (1681.974450955533, 3.999843853973347, 0.7071752369554196)  # Hz, dB, Q
# The two filters of the recommendation's tables for 48 kHz as analogue prototypes, so that any rate may
# be weighted (from memory; a test compares them with the tables).
_HIGH_PASS = (38.13547087602444, 0.5003270373238773)  # Hz, Q


def k_weighting(sample_rate: int) -> NDArray[np.float64]:
    """Give the weighting as two second-order sections for a sampling rate in Hz, shape (2, 6).

    Parameters
    ----------
    sample_rate : int
        In Hz.
    """
    hz, gain_db, q = _SHELF
    k = math.tan(math.pi * hz / sample_rate)
    high, middle = 10.0 ** (gain_db / 20.0), 10.0 ** (gain_db / 20.0 * 0.4996667741545416)
    norm = 1.0 + k / q + k * k
    shelf = (
        (high + middle * k / q + k * k) / norm, 2.0 * (k * k - high) / norm,
        (high - middle * k / q + k * k) / norm, 1.0, 2.0 * (k * k - 1.0) / norm,
        (1.0 - k / q + k * k) / norm,
    )  # fmt: skip
    hz, q = _HIGH_PASS
    k = math.tan(math.pi * hz / sample_rate)
    norm = 1.0 + k / q + k * k
    through = (1.0, -2.0, 1.0, 1.0, 2.0 * (k * k - 1.0) / norm, (1.0 - k / q + k * k) / norm)
    return np.array([shelf, through])


def loudness_of(audio: NDArray[np.float32], sample_rate: int) -> float:
    """Measure gated loudness.

    Parameters
    ----------
    audio : ndarray of float32, shape (n_channels, n_samples)
        One or two channels; each weighs 1.
    sample_rate : int
        In Hz.

    Returns
    -------
    float
        In LKFS; `SILENT` where nothing passes the gates. What is shorter than a block is one block.
    """
    from scipy.signal import sosfilt

    if not audio.size:
        return SILENT
    weighted = sosfilt(k_weighting(sample_rate), np.atleast_2d(audio).astype(np.float64), axis=1)
    power = np.sum(weighted**2, axis=0)
    block = min(int(BLOCK_S * sample_rate), power.size)
    summed = np.concatenate([[0.0], np.cumsum(power)])
    starts = np.arange(0, power.size - block + 1, max(int(STEP_S * sample_rate), 1))
    means = (summed[starts + block] - summed[starts]) / block
    passed = means[_lkfs(means) > ABSOLUTE_GATE]
    if not passed.size:
        return SILENT
    passed = passed[_lkfs(passed) > _lkfs(np.mean(passed)) + RELATIVE_GATE]
    return float(_lkfs(np.mean(passed))) if passed.size else SILENT


def _lkfs(power: NDArray[np.float64] | np.floating) -> NDArray[np.float64]:
    return np.asarray(OFFSET + 10.0 * np.log10(np.maximum(power, 1e-13)))


def gain_to_match(
    audio: NDArray[np.float32], other: NDArray[np.float32], sample_rate: int, most_db: float = 30.0
) -> float:
    """Give the factor that makes `audio` as loud as `other`; 1 where either is silent.

    Parameters
    ----------
    audio, other : ndarray of float32, shape (n_channels, n_samples)
    sample_rate : int
        In Hz, of both.
    most_db : float
        The gain is held within so many dB each way.
    """
    here, there = loudness_of(audio, sample_rate), loudness_of(other, sample_rate)
    if here <= ABSOLUTE_GATE or there <= ABSOLUTE_GATE:
        return 1.0
    return float(10.0 ** (np.clip(there - here, -most_db, most_db) / 20.0))

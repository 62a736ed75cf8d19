"""The middle of a mix and its sides, at the rate that is listened at."""

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.audio.read import to_mid_side, to_rate
from juxtanote.core.audio.sound import Sound

BLOCK = 1 << 20  # samples that are mixed and resampled at a time
ONLY_SIDE = 0.03  # of the side's level: a middle that is weaker holds nothing


def mid_side(
    audio: NDArray[np.float32], sample_rate: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Give middle and side of stereo at the rate that is listened at.

    Parameters
    ----------
    audio : ndarray of float32, shape (2, n_samples)
    sample_rate : int
        In Hz.

    Examples
    --------
    >>> left = np.sin(np.arange(22_050) / 20.0).astype(np.float32)
    >>> middle, side = mid_side(np.stack([left, left]), 22_050)
    >>> float(np.abs(side).max()), bool(np.allclose(middle, left))
    (0.0, True)
    """
    mid, side = to_mid_side(to_rate(audio, sample_rate, SAMPLE_RATE))
    if mid.size and float(np.std(mid)) < ONLY_SIDE * float(np.std(side)):
        return side, mid  # channels of opposite sign: what there is, is in their difference
    return mid, side


def whole_middle(sound: Sound) -> NDArray[np.float32]:
    """Give the middle of a whole recording at the rate that is listened at, made block by block.

    Where the channels are of opposite sign, their difference is given instead.

    Parameters
    ----------
    sound : Sound
        Stereo, shape (2, n_samples).

    Returns
    -------
    ndarray of float32, shape (n_samples,)
        At 22 050 Hz.
    """
    import soxr

    def resampled(sign: float) -> NDArray[np.float32]:
        stream = soxr.ResampleStream(sound.sample_rate, SAMPLE_RATE, 1, dtype="float32")
        total = sound.audio.shape[1]
        middle = np.zeros(total * SAMPLE_RATE // sound.sample_rate + BLOCK, dtype=np.float32)
        done = 0
        for start in range(0, total, BLOCK):
            left, right = sound.audio[:, start : start + BLOCK]
            mixed = np.float32(0.5) * (left + np.float32(sign) * right)
            part = stream.resample_chunk(mixed, last=start + BLOCK >= total)
            middle[done : done + len(part)] = part
            done += len(part)
        middle.resize(done, refcheck=False)  # in its place: a copy would be as large again
        return middle

    levels = [
        (float(np.sum((left + right) ** 2)), float(np.sum((left - right) ** 2)))
        for left, right in (
            sound.audio[:, a : a + BLOCK] for a in range(0, sound.audio.shape[1], BLOCK)
        )
    ]
    mid, side = np.sum(levels, axis=0) if levels else (0.0, 0.0)
    return resampled(-1.0 if mid < ONLY_SIDE**2 * side else 1.0)


def centred(mid: NDArray[np.float32]) -> NDArray[np.float32]:
    """Take away what does not swing, and what is no number.

    Parameters
    ----------
    mid : ndarray of float32, shape (n_samples,)

    Examples
    --------
    >>> [round(float(x), 1) for x in centred(np.array([0.2, 0.4], dtype=np.float32))]
    [-0.1, 0.1]
    """
    middle = np.float32(np.mean(mid) if len(mid) else 0.0)
    return np.asarray(np.nan_to_num(mid - middle), dtype=np.float32)

"""How long sound takes out of the machine and in again: clicks are played and looked for."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.errors import JuxtanoteError

CLICKS_S = (0.25, 0.62, 1.13)  # uneven, so that no other place fits as well
LENGTH_S = 2.0  # of the probe
BURST_S = 0.012  # short enough to be told to a millisecond
LONGEST_S = 0.6  # a longer delay is a mistake
FEWEST_RATIO = 9.0  # of the best place over the usual one; noise alone gives 6


def probe(sample_rate: int) -> NDArray[np.float32]:
    """Give what is played to measure: bursts of noise, mono, shape (n_samples,).

    Parameters
    ----------
    sample_rate : int
        In Hz.
    """
    rng = np.random.default_rng(20)
    out = np.zeros(int(LENGTH_S * sample_rate), dtype=np.float32)
    burst = rng.uniform(-0.5, 0.5, int(BURST_S * sample_rate)).astype(np.float32)
    burst *= np.hanning(len(burst)).astype(np.float32)
    for at in CLICKS_S:
        start = int(at * sample_rate)
        out[start : start + len(burst)] += burst
    return out


def latency_of(recorded: NDArray[np.float32], sample_rate: int) -> float:
    """Find how late a probe came in, in seconds.

    Parameters
    ----------
    recorded : ndarray of float32, shape (n_samples,)
        What came in from the moment on at which the probe began to be played.
    sample_rate : int
        In Hz.

    Raises
    ------
    JuxtanoteError
        If the probe is not in it: the text says what to do.
    """
    from scipy.signal import correlate

    played = probe(sample_rate)
    if len(recorded) < len(played) // 2 or not float(np.abs(recorded).max(initial=0.0)):
        raise JuxtanoteError(
            "Nothing came in. Switch the microphone on, and play aloud for this once."
        )
    reach = int(LONGEST_S * sample_rate)
    padded = np.pad(recorded, (0, max(len(played) + reach - len(recorded), 0)))[
        : len(played) + reach
    ]
    match = np.abs(correlate(padded, played, mode="valid", method="fft"))
    best = int(np.argmax(match))
    around = np.ones(len(match), dtype=bool)
    around[max(best - int(0.004 * sample_rate), 0) : best + int(0.004 * sample_rate)] = False
    if match[best] < FEWEST_RATIO * float(np.median(match[around]) + 1e-12):
        raise JuxtanoteError(
            "The clicks were not found in what came in. Hold the microphone to the speaker, or join "
            "output and input with a cable, and measure again."
        )
    return best / sample_rate


def began_together(take: NDArray[np.float32], apart: Sequence[int]) -> NDArray[np.float32]:
    """Give a take as if its first sample had come in when the first one was played.

    Devices take their time to begin, each its own and not always the same.

    Parameters
    ----------
    take : ndarray of float32, shape (n_samples,)
        As it was recorded.
    apart : sequence of int
        How many samples had come in more than were played, now and then; below 0 where fewer had.
        Both grow by blocks, so that the median of them counts; without any the take stays as it is.

    Examples
    --------
    >>> began_together(np.arange(4, dtype=np.float32), [2, 1, 3]).tolist()
    [2.0, 3.0]
    >>> began_together(np.ones(2, dtype=np.float32), [-2]).tolist()
    [0.0, 0.0, 1.0, 1.0]
    """
    by = int(np.median(apart)) if len(apart) else 0
    return take[by:] if by >= 0 else np.pad(take, (-by, 0))


def taken_back(
    take: NDArray[np.float32], latency_s: float, sample_rate: int
) -> NDArray[np.float32]:
    """Give a take without what came before its sound could have arrived.

    Parameters
    ----------
    take : ndarray of float32, shape (n_samples,)
        As it was recorded.
    latency_s : float
        From the wish to play to the recorded sound, in seconds.
    sample_rate : int
        In Hz.
    """
    return take[max(int(round(latency_s * sample_rate)), 0) :]

"""Where somebody speaks: a general network that tells speech from everything else, window by window.

It is not ours: ``weights/speech.onnx`` is the voice activity detector of the Silero team (package
version 6.2.3, MIT licence, ``weights/speech-LICENSE.txt``). On our own sounds it is over 0.5 in 0.98 of
the windows of synthetic talk, in 0.7 of those where somebody talks over a guitar, and in 0.01 of
generated guitars alone (the stretches of `lab.talk`).
"""

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.shipped import open_network

SPEECH_RATE = 16_000  # Hz
WINDOW, BEFORE = 512, 64  # samples: a window, and what it sees of the one before
WINDOW_S = WINDOW / SPEECH_RATE
LEVEL = 0.1  # root mean square that it is given, whatever the recording's
MOST_GAIN = 100.0  # what is fainter is hiss
STATE = (1, 1, 128)
BLOCK = 512  # windows at once


def speech_probability(mid: NDArray[np.float32], sample_rate: int) -> NDArray[np.float32]:
    """Tell how likely somebody speaks.

    Parameters
    ----------
    mid : ndarray of float32, shape (n_samples,)
    sample_rate : int
        In Hz.

    Returns
    -------
    ndarray of float32, shape (n_windows,)
        0 to 1, one every `WINDOW_S` seconds. All 0 where the network cannot be run: nothing is known.

    Examples
    --------
    >>> speech_probability(np.zeros(16_000, dtype=np.float32), 16_000).shape
    (32,)
    """
    import soxr

    sound = np.asarray(soxr.resample(mid, sample_rate, SPEECH_RATE), dtype=np.float32)
    count = -(-len(sound) // WINDOW)
    session = open_network("speech", threads=1)
    if session is None or not count:
        return np.zeros(count, dtype=np.float32)
    gain = min(LEVEL / max(float(np.sqrt(np.mean(sound**2))), 1e-9), MOST_GAIN)
    padded = np.pad(np.float32(gain) * sound, (BEFORE, count * WINDOW - len(sound)))
    windows = np.lib.stride_tricks.sliding_window_view(padded, BEFORE + WINDOW)[::WINDOW]
    hidden, cell = np.zeros((2, *STATE), dtype=np.float32)
    told = []
    for first in range(0, count, BLOCK):
        given = {
            "input": np.ascontiguousarray(windows[first : first + BLOCK]),
            "h": hidden,
            "c": cell,
        }
        chance, hidden, cell = session.run(("speech_probs", "hn", "cn"), given)
        told.append(np.ravel(chance))
    return np.concatenate(told)

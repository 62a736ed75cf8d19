"""What the player mixes: recording and tab side by side, and the ceiling over both."""

import numpy as np
from numpy.typing import NDArray

CEILING_DB = -3.0  # headphones: nothing is louder, whatever is mixed


class Sources:
    """Recording and rendered tab in one row of channels (left, right, tab), without a copy of either."""

    def __init__(
        self,
        recording: NDArray[np.float32],
        tab: NDArray[np.float32] | None = None,
        tab_start: int = 0,
    ) -> None:
        self.recording, self.tab, self.tab_start = recording, tab, tab_start
        self.shape = (3, recording.shape[1])

    def read(self, start: int, count: int) -> NDArray[np.float32]:
        """Give `count` samples from `start` on, shape (3, count); outside is silence."""
        out = np.zeros((3, count), dtype=np.float32)
        low, high = max(start, 0), min(start + count, self.shape[1])
        if high > low:
            out[:2, low - start : high - start] = self.recording[:, low:high]
        if self.tab is not None:
            first = self.tab_start
            low, high = max(start, first), min(start + count, first + len(self.tab))
            if high > low:
                out[2, low - start : high - start] = self.tab[low - first : high - first]
        return out


def under_ceiling(audio: NDArray[np.float32]) -> NDArray[np.float32]:
    """Bend peaks softly so that nothing passes the ceiling.

    Parameters
    ----------
    audio : ndarray of float32, shape (n_channels, n_samples)
        Samples of any size; 1 is full scale.
    """
    ceiling = np.float32(10.0 ** (CEILING_DB / 20.0))
    knee = np.float32(0.6) * ceiling
    over = np.abs(audio) > knee
    if np.any(over):
        room = ceiling - knee
        bent = knee + room * np.tanh((np.abs(audio) - knee) / room)
        audio = np.where(over, np.sign(audio) * bent, audio).astype(np.float32)
    return audio

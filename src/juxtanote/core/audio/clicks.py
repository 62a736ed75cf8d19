"""The click: its sound, on which beats it falls, and which beat a place is on."""

from enum import Enum

import numpy as np
from numpy.typing import NDArray

Beats = NDArray[np.float64]  # rows of (seconds, 1 on a bar's first beat or 0)
CLICK_S = 0.03  # short enough not to cover the note it falls on
ON_BEAT_S = 0.03  # a place so near to a beat is on it


class Clicked(Enum):
    """On which beats the click sounds."""

    EVERY = "every beat"
    BACK = "two and four"
    OFF = "off the beat"
    OTHER_BARS = "every other bar"


def add_at(piece: NDArray[np.float32], sound: NDArray[np.float32], at: int) -> None:
    """Add what falls inside of a sound that starts at `at`.

    Parameters
    ----------
    piece : ndarray of float32, shape (n_channels, n_samples)
        What is added to, in its place.
    sound : ndarray of float32, shape (n_sound,)
        What is added.
    at : int
        The sample of `piece` where it starts; it may lie before the first.
    """
    low, high = max(at, 0), min(at + len(sound), piece.shape[1])
    if high > low:
        piece[:, low:high] += sound[low - at : high - at]


def click_sound(sample_rate: int, hz: float) -> NDArray[np.float32]:
    """Give one click of a metronome.

    Parameters
    ----------
    sample_rate : int
        In Hz.
    hz : float
        Its pitch.
    """
    times = np.arange(int(CLICK_S * sample_rate)) / sample_rate
    return np.asarray(0.35 * np.sin(2 * np.pi * hz * times) * np.exp(-times / 0.006), np.float32)


def beat_near(beats: Beats, position: int, sample_rate: int) -> tuple[float, float]:
    """Give the beat at or before a place, and the length of a beat there, both in samples.

    Parameters
    ----------
    beats : ndarray, shape (n_beats, 2)
        Rows of (seconds, 1 on a bar's first beat or 0).
    position : int
        The place, in samples.
    sample_rate : int
        In hertz.
    """
    times = beats[:, 0] * sample_rate
    if len(times) < 2:
        return float(position), 0.5 * sample_rate
    index = int(np.searchsorted(times, position + ON_BEAT_S * sample_rate, side="right")) - 1
    low = int(np.clip(index, 0, len(times) - 2))
    length = float(times[low + 1] - times[low])
    beat = float(times[index]) if index >= 0 else float(times[0]) - length * np.ceil(
        (times[0] - position) / length
    )  # fmt: skip
    if index == len(times) - 1:
        beat += length * np.floor((position - beat) / length)
    return beat, length


def clicked_beats(beats: Beats, clicked: Clicked) -> Beats:
    """Give the rows (seconds, 1 for the high click) that the click sounds on.

    Parameters
    ----------
    beats : Beats
        Rows of (seconds, 1 on a bar's first beat or 0).
    clicked : Clicked
        Which beats are wished for.
    """
    if clicked is Clicked.EVERY or len(beats) < 2:
        return beats
    ones = np.flatnonzero(beats[:, 1] > 0)
    if clicked is Clicked.OFF:
        middles = 0.5 * (beats[1:, 0] + beats[:-1, 0])
        return np.stack([middles, np.zeros(len(middles))], axis=1)
    bars = np.searchsorted(ones, np.arange(len(beats)), side="right")
    if clicked is Clicked.OTHER_BARS:
        return np.asarray(beats[bars % 2 == 1])
    starts = np.concatenate([[0], ones])
    inside = np.arange(len(beats)) - starts[bars]
    level = np.stack([beats[:, 0], np.zeros(len(beats))], axis=1)
    return np.asarray(level[inside % 2 == 1])

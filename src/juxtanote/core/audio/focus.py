"""Bringing the guitar forward: the middle or the sides of the mix, a band, no drums."""

import numpy as np
from numpy.typing import NDArray

MEDIAN_FRAMES, MEDIAN_BINS = 17, 17  # as the cited method has it
MEDIAN_ROWS = 64  # at once: some milliseconds


def choose_source(audio: NDArray[np.float32], source: str) -> NDArray[np.float32]:
    """Give stereo (2, n_samples) with only one part of the stereo picture left.

    Parameters
    ----------
    audio : ndarray of float32, shape (2, n_samples)
    source : str
        One of mix, middle, sides, left and right.
    """
    if source == "mix":
        return audio
    if source in ("left", "right"):
        one = audio[0 if source == "left" else 1]
        return np.stack([one, one])
    middle = 0.5 * (audio[0] + audio[1])
    if source == "middle":
        return np.stack([middle, middle]).astype(np.float32)
    if source == "sides":
        return np.stack([audio[0] - middle, audio[1] - middle]).astype(np.float32)
    raise ValueError(f"source is {source!r}; it needs mix, middle, sides, left or right")


def keep_band(
    audio: NDArray[np.float32], sample_rate: int, low_hz: float, high_hz: float
) -> NDArray[np.float32]:
    """Keep one frequency band, without moving anything in time.

    Parameters
    ----------
    audio : ndarray of float32, shape (n_channels, n_samples)
    sample_rate : int
        In Hz.
    low_hz, high_hz : float
        Edges of the band; outside it falls by 48 dB an octave.
    """
    from scipy import signal

    high = min(high_hz, 0.49 * sample_rate)
    if low_hz <= 45.0 and high >= min(9_900.0, 0.45 * sample_rate):
        return audio
    sos = signal.butter(4, (low_hz, high), "bandpass", fs=sample_rate, output="sos")
    return np.asarray(signal.sosfiltfilt(sos, audio, axis=1), dtype=np.float32)


def keep_harmonic(
    audio: NDArray[np.float32], sample_rate: int, *, strokes_left: float = 0.0
) -> NDArray[np.float32]:
    """Take the drums out: keep what is smooth along time in the spectrogram.

    Median filtering of the spectrogram along time and along frequency, and a soft mask from the
    two (D. FitzGerald, "Harmonic/Percussive Separation Using Median Filtering", DAFx-10, 2010).

    Parameters
    ----------
    audio : ndarray of float32, shape (n_channels, n_samples)
    sample_rate : int
        In Hz.
    strokes_left : float
        How much of the drums stays, 0 to 1 of their amplitude.
    """
    from scipy import signal

    size = 4096 if sample_rate > 30_000 else 2048
    _, _, spectrum = signal.stft(audio, sample_rate, nperseg=size, noverlap=size * 3 // 4)
    magnitude = np.abs(spectrum).mean(axis=0)
    along_time = _running_median(magnitude, MEDIAN_FRAMES)
    along_frequency = _running_median(magnitude.T, MEDIAN_BINS).T
    mask = along_time**2 / (along_time**2 + along_frequency**2 + 1e-12)
    mask = strokes_left + (1.0 - strokes_left) * mask
    _, kept = signal.istft(spectrum * mask, sample_rate, nperseg=size, noverlap=size * 3 // 4)
    return np.asarray(kept[:, : audio.shape[1]], dtype=np.float32)


def _running_median(rows: NDArray[np.floating], length: int) -> NDArray[np.floating]:
    """Take the median along each row, which goes on in its mirror at both ends.

    Rows are laid in one line, as SciPy is several times faster along a line than in a plane; some at a
    time, for meanwhile it lets no other thread work, the window's neither.
    """
    from scipy import ndimage

    half = length // 2
    padded = np.pad(rows, ((0, 0), (half, half)), mode="symmetric")
    medians = np.empty_like(padded)
    for some in range(0, len(rows), MEDIAN_ROWS):
        block = padded[some : some + MEDIAN_ROWS]
        line = ndimage.median_filter(block.ravel(), size=length)
        medians[some : some + MEDIAN_ROWS] = line.reshape(block.shape)
    return medians[:, half : half + rows.shape[1]]


def bring_forward(
    audio: NDArray[np.float32],
    sample_rate: int,
    *,
    source: str = "mix",
    low_hz: float = 40.0,
    high_hz: float = 10_000.0,
    without_drums: bool = False,
) -> NDArray[np.float32]:
    """Apply a whole focus to stereo (2, n_samples).

    Parameters
    ----------
    audio : ndarray of float32, shape (2, n_samples)
    sample_rate : int
        In Hz.
    source : str
        Which part of the stereo picture, see `choose_source`.
    low_hz, high_hz : float
        The band that is kept, see `keep_band`.
    without_drums : bool
        Whether strokes of drums are taken out.
    """
    focused = choose_source(audio, source)
    focused = keep_band(focused, sample_rate, low_hz, high_hz)
    return keep_harmonic(focused, sample_rate) if without_drums else focused

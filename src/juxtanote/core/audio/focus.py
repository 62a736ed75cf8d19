"""Bringing the guitar forward: the middle or the sides of the mix, a band, no drums."""

import numpy as np
from numpy.typing import NDArray

MEDIAN_FRAMES, MEDIAN_BINS = 17, 17  # as the cited method has it
MEDIAN_ROWS = 24  # at once: some milliseconds
OVERLAP = 4  # frames of a spectrogram over each moment


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
    size = 4096 if sample_rate > 30_000 else 2048
    spectrum = _short_spectra(audio, size)
    magnitude = np.abs(spectrum).mean(axis=0)
    along_time = _running_median(magnitude.T, MEDIAN_FRAMES).T
    along_frequency = _running_median(magnitude, MEDIAN_BINS)
    mask = along_time**2 / (along_time**2 + along_frequency**2 + 1e-12)
    spectrum *= strokes_left + (1.0 - strokes_left) * mask
    return _sound_of(spectrum, size, audio.shape[1])


def _short_spectra(audio: NDArray[np.float32], size: int) -> NDArray[np.complex64]:
    """Transform frames that overlap by three quarters: (n_channels, n_frames, size // 2 + 1)."""
    from scipy.fft import rfft

    hop, n_samples = size // OVERLAP, audio.shape[1]
    n_frames = (
        -(-n_samples // hop) + OVERLAP - 1
    )  # so that as many lie over the first sample, and the last
    missing = (n_frames - 1) * hop + size - n_samples - (size - hop)
    padded = np.pad(audio, ((0, 0), (size - hop, missing)))
    frames = np.lib.stride_tricks.sliding_window_view(padded, size, axis=1)[:, ::hop]
    return np.asarray(rfft(frames * _hann(size), axis=2), dtype=np.complex64)


def _sound_of(spectrum: NDArray[np.complex64], size: int, n_samples: int) -> NDArray[np.float32]:
    """Lay frames over each other, weighed with their window once more.

    D. Griffin, J. Lim, "Signal estimation from modified short-time Fourier transform", IEEE Trans.
    ASSP 32 (2), 1984.
    """
    from scipy.fft import irfft

    hop = size // OVERLAP
    # Four windows, squared, add up to 1.5 everywhere.
    frames = irfft(spectrum, size, axis=2) * (_hann(size) / np.float32(1.5))
    channels, n_frames, _ = frames.shape
    quarters = frames.reshape(channels, n_frames, OVERLAP, hop)
    laid = np.zeros((channels, n_frames + OVERLAP - 1, hop), dtype=np.float32)
    for k in range(OVERLAP):
        laid[:, k : k + n_frames] += quarters[:, :, k]
    return laid.reshape(channels, -1)[:, size - hop : size - hop + n_samples]


def _hann(size: int) -> NDArray[np.float32]:
    return np.hanning(size + 1)[:-1].astype(np.float32)


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

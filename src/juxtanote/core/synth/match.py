"""The rendered tab beside a recording: as loud, and about as bright, so that one hears the notes."""

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.audio.loudness import gain_to_match

BANDS_PER_OCTAVE = 3  # as an equaliser's sliders
LOW_HZ, HIGH_HZ = 100.0, 8000.0  # outside, the filter goes on level
MOST_DB = 9.0  # a band has drums and bass that no guitar should be bent to
TAPS = 511  # odd: the filter has a whole delay, which is taken back
FRAME = 4096  # samples of a long-term spectrum's frames


def matched(
    tab: NDArray[np.float32], recording: NDArray[np.float32], sample_rate: int
) -> NDArray[np.float32]:
    """Give rendered tab with the long-term spectrum and the loudness of a recording of the same phrase.

    Parameters
    ----------
    tab : ndarray of float32, shape (n_samples,)
    recording : ndarray of float32, shape (n_channels, n_samples)
    sample_rate : int
        Of both, in Hz.

    Returns
    -------
    ndarray of float32, shape (n_samples,)
        In time with `tab`: the filter has no delay. Silence is given back as it is.
    """
    if not len(tab) or not recording.size or not float(np.abs(tab).max()):
        return tab
    bright = _as_bright(tab, recording.mean(axis=0), sample_rate)
    gain = gain_to_match(bright[None], recording, sample_rate)
    return np.asarray(bright * np.float32(gain), dtype=np.float32)


def _as_bright(
    tab: NDArray[np.float32], other: NDArray[np.float32], sample_rate: int
) -> NDArray[np.float32]:
    """Filter `tab` so that its long-term spectrum leans as that of the other does."""
    from scipy.signal import fftconvolve, firwin2

    count = int(np.log2(HIGH_HZ / LOW_HZ) * BANDS_PER_OCTAVE) + 1
    centres = LOW_HZ * 2.0 ** (np.arange(count) / BANDS_PER_OCTAVE)
    lean = band_levels(other, sample_rate, centres) - band_levels(tab, sample_rate, centres)
    lean = np.clip(lean - np.median(lean), -MOST_DB, MOST_DB)
    lean = np.convolve(np.pad(lean, 1, mode="edge"), [0.25, 0.5, 0.25], mode="valid")
    nyquist = 0.5 * sample_rate
    places = np.concatenate([[0.0], centres / nyquist, [1.0]])
    gains = 10.0 ** (np.concatenate([lean[:1], lean, lean[-1:]]) / 20.0)
    taps = firwin2(TAPS, places, gains)
    return np.asarray(fftconvolve(tab, taps, mode="same"), dtype=np.float32)


def band_levels(
    audio: NDArray[np.float32], sample_rate: int, centres: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Give the mean level in dB of third-octave bands around `centres` in Hz, shape (n_bands,).

    Parameters
    ----------
    audio : ndarray of float32, shape (n_samples,)
    sample_rate : int
        In Hz.
    centres : ndarray of float64, shape (n_bands,)
        In Hz.
    """
    from scipy.signal import welch

    hz, power = welch(audio, sample_rate, nperseg=min(FRAME, len(audio)))
    half = 2.0 ** (0.5 / BANDS_PER_OCTAVE)
    levels = []
    for centre in centres:
        inside = (hz >= centre / half) & (hz < centre * half)
        near = power[inside] if np.any(inside) else power[[int(np.argmin(np.abs(hz - centre)))]]
        levels.append(10.0 * np.log10(float(np.mean(near)) + 1e-12))
    return np.array(levels)

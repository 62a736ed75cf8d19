"""Onset strength that does not fire on vibrato and bends, and the peaks in it.

S. Böck and G. Widmer, "Maximum Filter Vibrato Suppression for Onset Detection", DAFx-13, 2013
(SuperFlux), on our log-frequency spectra.
"""

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE, log_spectra


def superflux(spectrum: NDArray[np.floating], *, lag: int = 2) -> NDArray[np.float64]:
    """Measure the rise of each bin over the loudest of its neighbours `lag` frames before.

    Parameters
    ----------
    spectrum : ndarray, shape (n_bins, n_frames)
        Log-frequency spectrum on a logarithmic level scale.

    Returns
    -------
    strength : ndarray of float64, shape (n_frames,)
        Mean rise over bins; 0 for the first frames.
    """
    if spectrum.ndim != 2:
        raise ValueError(f"spectrum has {spectrum.ndim} axes; it needs 2: bins, frames")
    widened = spectrum.copy()
    widened[1:] = np.maximum(widened[1:], spectrum[:-1])
    widened[:-1] = np.maximum(widened[:-1], spectrum[1:])
    rise = np.zeros(spectrum.shape, dtype=np.float64)
    rise[:, lag:] = np.maximum(spectrum[:, lag:] - widened[:, :-lag], 0.0)
    return np.asarray(rise.mean(axis=0))


def pick_peaks(
    strength: NDArray[np.float64], *, above: float = 0.6, apart: int = 4, around: int = 12
) -> NDArray[np.int64]:
    """Pick frames that are largest nearby and stand out of the local mean.

    Parameters
    ----------
    strength : ndarray of float64, shape (n_frames,)
        Onset strength.
    above : float
        In standard deviations of the whole curve.
    apart, around : int
        Frames within which a peak is the largest, and over which the mean is taken.

    Examples
    --------
    >>> curve = np.zeros(100)
    >>> curve[[20, 60]] = 1.0
    >>> pick_peaks(curve).tolist()
    [20, 60]
    """
    if len(strength) == 0:
        return np.zeros(0, dtype=np.int64)
    from scipy import ndimage

    largest = ndimage.maximum_filter1d(strength, 2 * apart - 1)
    mean = ndimage.uniform_filter1d(strength, 2 * around + 1)
    threshold = mean + above * float(np.std(strength))
    return np.flatnonzero((strength == largest) & (strength > threshold) & (strength > 1e-4))


def onset_strength(mono: NDArray[np.float32]) -> NDArray[np.float64]:
    """Measure onset strength of mono audio at 22 050 Hz, one value every 256 samples.

    Parameters
    ----------
    mono : ndarray of float32, shape (n_samples,)

    Examples
    --------
    >>> click = np.zeros(22_050, dtype=np.float32)
    >>> click[11_025:11_225] = np.hanning(200)
    >>> abs(int(np.argmax(onset_strength(click))) - 11_025 // 256) <= 3
    True
    """
    spectra = log_spectra(mono, np.zeros_like(mono))
    return superflux(spectra[1]) + 0.5 * superflux(spectra[2])


def find_onsets(mono: NDArray[np.float32]) -> NDArray[np.float64]:
    """Find onsets of mono audio at 22 050 Hz, in seconds.

    Parameters
    ----------
    mono : ndarray of float32, shape (n_samples,)

    Examples
    --------
    >>> find_onsets(np.zeros(22_050, dtype=np.float32)).tolist()
    []
    """
    frames = pick_peaks(onset_strength(mono))
    # The window sees an attack before its centre reaches it: the peak stands 1.4 frames early.
    return np.asarray(np.maximum(frames + 1.4, 0.0) * HOP_LENGTH / SAMPLE_RATE)

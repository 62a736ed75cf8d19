"""An amplifier and a loudspeaker: soft clipping, tone and a cabinet's narrow band.

The clipping is a plain memoryless curve run at twice the sample rate, so that chords produce the
sum and difference tones of real amplifiers with little aliasing.
"""

import numpy as np
from numpy.typing import NDArray


def amplify(
    audio: NDArray[np.float32],
    sample_rate: int,
    *,
    gain: float = 4.0,
    bias: float = 0.1,
    low_cut_hz: float = 110.0,
    cabinet_hz: float = 4500.0,
    presence: float = 0.5,
) -> NDArray[np.float32]:
    """Drive mono audio through an amplifier and cabinet.

    Parameters
    ----------
    audio : ndarray, shape (n_samples,)
    gain : float
        Linear drive in front of the clipping; 1 is clean, 30 is heavily overdriven.
    bias : float
        Asymmetry of the clipping, 0 to 0.5; it adds even harmonics.
    low_cut_hz, cabinet_hz : float
        What the amplifier takes away before clipping, and where the loudspeaker stops.
    presence : float
        Lift around 2.5 kHz, linear.

    Returns
    -------
    audio : ndarray of float32, shape (n_samples,)
        With a peak of at most about 1.
    """
    from scipy import signal

    if audio.size < 32:
        return audio.astype(np.float32)
    tight = signal.sosfilt(
        signal.butter(1, low_cut_hz, "highpass", fs=sample_rate, output="sos"), audio
    )
    driven = signal.resample_poly(tight, 2, 1)
    clipped = np.tanh(gain * driven + bias) - np.tanh(bias)
    shaped = signal.resample_poly(clipped, 1, 2)[: audio.size]
    edge = min(cabinet_hz, 0.45 * sample_rate)
    cabinet = signal.butter(2, (75.0, edge), "bandpass", fs=sample_rate, output="sos")
    spoken = signal.sosfilt(cabinet, shaped)
    band = signal.butter(1, (1600.0, 3400.0), "bandpass", fs=sample_rate, output="sos")
    spoken = spoken + presence * signal.sosfilt(band, shaped)
    peak = float(np.max(np.abs(spoken))) or 1.0
    return np.asarray(spoken / max(peak, 1.0), dtype=np.float32)


def add_room(
    audio: NDArray[np.float32],
    sample_rate: int,
    rng: np.random.Generator,
    *,
    seconds: float = 0.5,
    wet: float = 0.15,
) -> NDArray[np.float32]:
    """Put mono audio into a room: convolution with decaying noise.

    Parameters
    ----------
    audio : ndarray of float32, shape (n_samples,)
    sample_rate : int
        In Hz.
    rng : np.random.Generator
        Draws the room.
    seconds : float
        Until its sound has fallen by 60 dB.
    wet : float
        How loud it is beside the sound itself, 0 to 1.
    """
    from scipy import signal

    length = max(int(seconds * sample_rate), 16)
    decay = np.exp(-6.9 * np.arange(length) / length)
    response = rng.standard_normal(length) * decay
    response[: int(0.008 * sample_rate)] = 0.0
    response /= np.sqrt(np.sum(response**2)) + 1e-9
    tail = signal.fftconvolve(audio, response)[: audio.size]
    return np.asarray((1.0 - wet) * audio + wet * tail, dtype=np.float32)

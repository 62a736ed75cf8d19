"""Conversions between frames, samples, seconds, hertz, MIDI pitch, cents and decibels."""

import numpy as np
from numpy.typing import ArrayLike, NDArray

A4_HZ = 440.0  # ISO 16:1975
A4_MIDI = 69  # ISO 16 has it at 440 Hz
FLOOR_DB = -120.0  # under 20 bits of full scale: silence


def midi_to_hz(midi: ArrayLike, reference_hz: float = A4_HZ) -> NDArray[np.float64]:
    """Give the frequency of a pitch in equal temperament (MIDI 1.0 tuning).

    Parameters
    ----------
    midi : array_like
        MIDI pitches, fractions among them; any shape.
    reference_hz : float, optional
        Of A4.

    Examples
    --------
    >>> round(float(midi_to_hz(40)), 2)
    82.41
    """
    return np.asarray(reference_hz * 2.0 ** ((np.asarray(midi, dtype=np.float64) - A4_MIDI) / 12.0))


def hz_to_midi(hz: ArrayLike, reference_hz: float = A4_HZ) -> NDArray[np.float64]:
    """Give the pitch of a frequency; frequencies must be above zero.

    Parameters
    ----------
    hz : array_like
        Hz, above zero; any shape.
    reference_hz : float, optional
        Of A4.

    Examples
    --------
    >>> float(hz_to_midi(880.0))
    81.0
    """
    return np.asarray(A4_MIDI + 12.0 * np.log2(np.asarray(hz, dtype=np.float64) / reference_hz))


def cents_to_reference_hz(cents: float) -> float:
    """Give the frequency of A4 for a recording that sits `cents` off 440 Hz."""
    return float(A4_HZ * 2.0 ** (cents / 1200.0))


def frames_to_seconds(frames: ArrayLike, hop_length: int, sample_rate: int) -> NDArray[np.float64]:
    """Give the time of the centre of each frame.

    Parameters
    ----------
    frames : array_like
        From 0; any shape.
    hop_length : int
        Samples from frame to frame.
    sample_rate : int
        Hz.
    """
    return np.asarray(np.asarray(frames, dtype=np.float64) * hop_length / sample_rate)


def seconds_to_frames(seconds: ArrayLike, hop_length: int, sample_rate: int) -> NDArray[np.int64]:
    """Give the frame whose centre is nearest to each time.

    Parameters
    ----------
    seconds : array_like
        Any shape.
    hop_length : int
        Samples from frame to frame.
    sample_rate : int
        Hz.
    """
    position = np.asarray(seconds, dtype=np.float64) * sample_rate / hop_length
    return np.asarray(np.rint(position), dtype=np.int64)


def amplitude_to_db(amplitude: ArrayLike) -> NDArray[np.float64]:
    """Give decibels relative to full scale, not below `FLOOR_DB`.

    Parameters
    ----------
    amplitude : array_like
        1.0 is full scale; any shape.
    """
    floor = 10.0 ** (FLOOR_DB / 20.0)
    return np.asarray(20.0 * np.log10(np.maximum(np.abs(np.asarray(amplitude, np.float64)), floor)))


def db_to_amplitude(db: ArrayLike) -> NDArray[np.float64]:
    """Give the linear amplitude of a level in decibels.

    Parameters
    ----------
    db : array_like
        dB relative to full scale; any shape.
    """
    return np.asarray(10.0 ** (np.asarray(db, dtype=np.float64) / 20.0))

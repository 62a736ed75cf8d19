"""Palm mutes of lowered and seventh strings that were heard an octave high.

Under 80 Hz a guitar's loudspeaker gives little: what is left begins with the second partial, as the
note an octave higher does. But every other partial of what is left is none of that note's (J. F.
Schouten, "The residue and the mechanism of hearing", Proc. Kon. Ned. Akad. Wet. 43, 1940). A bass an
octave under a guitar looks the same: where something sounds under all guitars nothing is done.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.channels import LOWEST_MIDI
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.units import amplitude_to_db, midi_to_hz

OCTAVE = 12
LOWEST_STANDARD = 40  # E2: what standard tuning reaches is heard where it is
# On the mutes that were looked at .77 and more; others of these pitches stay under .2.
MUTED_FROM = 0.5
# dB by the loudest of the first ten partials of the octave below: two of its odd ones are as loud as
# this, its fundamental is weaker than that. Foreign mutes that were heard an octave high, eight in 68
# phrases alone: -7 and more, -10 and less; the other mutes of these pitches have -12 and less.
ODD_FROM_DB, FUNDAMENTAL_UNDER_DB = -8.0, -9.0
PARTIALS = 10
# Power between these frequencies, of all power: over it a bass plays, or drums. Of these phrases alone
# it is -28 dB and less, in bands -23 and more.
DEEP_HZ, BASS_FROM_DB = (20.0, 52.0), -25.0
# Samples before the padding, in which the partials of B1 lie eight bins apart.
BEFORE_S, WINDOW, PADDED = 0.03, 3072, 12_288
LEAST_WINDOW = 2048  # less does not tell its partials apart
REACH, LEAST_REACH = 0.02, 4  # of the frequency and in padded bins: how far off a partial may be
TOGETHER_FRAMES = 4.0  # chords make tones between their notes: they are left alone


def mend_low_octaves(
    notes: list[FoundNote],
    mid: NDArray[np.float32],
    reference_hz: float,
    lowest: int = 0,
) -> list[FoundNote]:
    """Bring palm mutes down by an octave whose odd partials say so; what was heard stays a rival.

    Parameters
    ----------
    notes : list of FoundNote
        By onset; times in frames.
    mid : ndarray of float32, shape (n_samples,)
        At 22 050 Hz, what they were found in.
    reference_hz : float
        Where A4 is.
    lowest : int
        MIDI: what the guitar can sound.
    """
    asked = [n for n in notes if _may_be_lower(n, max(lowest, LOWEST_MIDI))]
    if not asked or _has_bass(mid):
        return notes
    starts = np.array([note.start for note in notes])
    lower: dict[int, FoundNote] = {}
    for note in asked:
        low, at_s = note.midi - OCTAVE, note.start * HOP_LENGTH / SAMPLE_RATE
        is_alone = np.count_nonzero(np.abs(starts - note.start) < TOGETHER_FRAMES) == 1
        if is_alone and sounds_an_octave_lower(mid, at_s, float(midi_to_hz(low, reference_hz))):
            others = tuple(rival for rival in note.rivals if rival[0] != low)
            heard = (note.midi, note.onset_posterior)
            lower[id(note)] = replace(note, midi=low, rivals=(heard, *others)[:3])
    return [lower.get(id(note), note) for note in notes]


def _may_be_lower(note: FoundNote, lowest: int) -> bool:
    low = note.midi - OCTAVE
    return lowest <= low < LOWEST_STANDARD and note.muted >= MUTED_FROM and not note.dead


def _has_bass(mid: NDArray[np.float32]) -> bool:
    """Tell whether something sounds under all guitars."""
    from scipy.fft import next_fast_len, rfft

    size = next_fast_len(len(mid), real=True)
    power = np.abs(rfft(mid, size)) ** 2
    low, high = (int(hz * size / SAMPLE_RATE) for hz in DEEP_HZ)
    share = power[low:high].sum() / max(float(power.sum()), 1e-12)
    return bool(share > 10.0 ** (BASS_FROM_DB / 10.0))


def sounds_an_octave_lower(mid: NDArray[np.float32], at_s: float, hertz: float) -> bool:
    """Tell whether the odd partials of a pitch sound, and its fundamental hardly.

    Parameters
    ----------
    mid : ndarray of float32, shape (n_samples,)
        At 22 050 Hz.
    at_s : float
        Where the note begins, in seconds.
    hertz : float
        The lower octave of what was heard.

    Examples
    --------
    >>> times = np.arange(22_050) / 22_050
    >>> def string(partials):
    ...     return sum(np.sin(2 * np.pi * 61.7 * k * times) for k in partials).astype(np.float32)
    >>> sounds_an_octave_lower(string([2, 3, 4, 5, 6, 7]), 0.1, 61.7)
    True
    >>> sounds_an_octave_lower(string([2, 4, 6, 8]), 0.1, 61.7)
    False
    """
    first = max(int((at_s - BEFORE_S) * SAMPLE_RATE), 0)
    part = mid[first : first + WINDOW]
    if len(part) < LEAST_WINDOW:
        return False
    spectrum = np.abs(np.fft.rfft(part * np.hanning(len(part)), PADDED))
    levels = np.empty(PARTIALS)
    for k in range(PARTIALS):
        place = (k + 1) * hertz * PADDED / SAMPLE_RATE
        reach = max(int(REACH * place), LEAST_REACH)
        levels[k] = spectrum[round(place) - reach : round(place) + reach + 1].max()
    told = amplitude_to_db(levels / max(float(levels.max()), 1e-12))
    odd = np.sort(told[2::2])
    return bool(odd[-2] >= ODD_FROM_DB and told[0] <= FUNDAMENTAL_UNDER_DB)

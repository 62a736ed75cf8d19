"""Whether a guitar plays: a general network that names instruments, asked a few seconds at a time.

A piano or a violin by itself is heard as a guitar would be: pitch and attack are alike, and what was
generated to learn from has few of them. ``weights/guitar.onnx`` was taught by others on recordings: it is
musicnn (J. Pons, X. Serra, "musicnn: pre-trained convolutional neural networks for music audio tagging",
ISMIR late-breaking 2019; package version 0.1.0, ISC licence, ``weights/guitar-LICENSE.txt``). What it
tells is a regression over its last layer but one, fitted by `lab.guitar` to recorded and sampled
instruments; where its own tags (a guitar against piano, violin, cello, flute) tell more, they count too.
"""

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.confidence import lowered
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.shipped import open_network
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.theory.observed import Observation, Shows

Array = NDArray[np.float32]
RATE, HOP, FRAME, BANDS = 16_000, 256, 512, 96  # Hz, samples, samples, mel bands
WINDOW = 187  # frames that are seen at once
WINDOW_S = WINDOW * HOP / RATE
LEVEL = 0.1  # root mean square that it is given, whatever the recording's
FAINT = 0.1  # of that: nothing is asked of what is fainter
EVERY = 4  # windows, where nothing is doubted
SURELY = 0.5  # log odds; where they are less, those around are asked, too
COMPRESSED = 1e4
# Under these, the mean of what is known so near to a note, it is doubted, so much a step.
DOUBTED_UNDER, DOUBT, REACH_S = -0.2, 20.0, 10.0
MOST_DOUBT = 7.0  # what is 0.999 sure is no more than half sure then
SPREAD = 1.5  # of what one window of a guitar tells: of few windows little is believed


@lru_cache(maxsize=1)
def mel_bands() -> Array:
    """Lay triangular bands over the bins of a transform: (BANDS, FRAME // 2 + 1).

    They are even on the mel scale of M. Slaney ("Auditory Toolbox", Interval Research 1998): linear up to
    1 kHz, logarithmic above; each has the same area.
    """
    corner_hz, corner, step = 1000.0, 15.0, np.log(6.4) / 27.0

    def to_mel(hz: float) -> float:
        return hz * 3.0 / 200.0 if hz < corner_hz else corner + np.log(hz / corner_hz) / step

    mels = np.linspace(0.0, to_mel(RATE / 2), BANDS + 2)
    hertz = np.where(mels < corner, mels * 200.0 / 3.0, corner_hz * np.exp(step * (mels - corner)))
    bins = np.arange(FRAME // 2 + 1) * RATE / FRAME
    rising = (bins[None, :] - hertz[:-2, None]) / np.diff(hertz)[:-1, None]
    falling = (hertz[2:, None] - bins[None, :]) / np.diff(hertz)[1:, None]
    bands = np.maximum(np.minimum(rising, falling), 0.0) * (2.0 / (hertz[2:] - hertz[:-2]))[:, None]
    return bands.astype(np.float32)


def log_mel(sound: Array) -> Array:
    """Picture a sound as the network learned to see it.

    Parameters
    ----------
    sound : ndarray of float32, shape (n_samples,)
        At `RATE`.

    Returns
    -------
    ndarray of float32, shape (1 + n_samples // HOP, BANDS)
        log10(1 + 10 000 times the power in each band).
    """
    from scipy.fft import rfft

    window = np.hanning(FRAME + 1)[:-1].astype(np.float32)
    padded = np.pad(sound, FRAME // 2)
    frames = np.lib.stride_tricks.sliding_window_view(padded, FRAME)[::HOP] * window
    power = np.abs(rfft(frames, axis=1)) ** 2
    seen = np.log10(1.0 + np.float32(COMPRESSED) * (power @ mel_bands().T))
    return np.asarray(seen, dtype=np.float32)


def windows_of(mid: Array, sample_rate: int) -> tuple[Array, Array]:
    """Cut what the network sees at once, one window after the other.

    Parameters
    ----------
    mid : ndarray of float32, shape (n_samples,)
    sample_rate : int
        In Hz.

    Returns
    -------
    seen : ndarray of float32, shape (n_windows, WINDOW, BANDS)
        All at one level. The last one, too short, is left out unless it is the only one.
    loud : ndarray of float32, shape (n_windows,)
        Root mean square of each, by that of all.
    """
    import soxr

    sound = np.asarray(soxr.resample(mid, sample_rate, RATE), dtype=np.float32)
    level = max(float(np.sqrt(np.mean(sound**2))) if len(sound) else 0.0, 1e-9)
    size = WINDOW * HOP
    sound = np.pad(sound, (0, max(size - len(sound), 0))) * np.float32(LEVEL / level)
    count = len(sound) // size
    seen = log_mel(sound)[: count * WINDOW].reshape(count, WINDOW, BANDS)
    power = (sound[: count * size].reshape(count, size) ** 2).mean(axis=1)
    return seen, np.sqrt(power) / np.float32(LEVEL)


def asked(loud: Array) -> NDArray[np.bool_]:
    """Tell which windows are loud enough to be asked about; `loud` is that of `windows_of`."""
    return np.asarray(loud > FAINT)


def guitar_log_odds(
    mid: Array, sample_rate: int, progress: Progress = no_progress
) -> NDArray[np.float64]:
    """Tell how likely a guitar plays, and not something else by itself: log odds, nan where unknown.

    Parameters
    ----------
    mid : ndarray of float32, shape (n_samples,)
    sample_rate : int
        In Hz.

    Returns
    -------
    ndarray, shape (n_windows,)
        One every `WINDOW_S` seconds. Where nothing is doubted one in `EVERY` is known; all are nan
        where the network cannot be run.
    """
    seen, loud = windows_of(mid, sample_rate)
    odds = np.full(len(seen), np.nan)
    session = open_network("guitar", threads=1)
    if session is None:
        return odds
    here = asked(loud)

    def ask(which: NDArray[np.intp]) -> None:
        for k in which:  # one at a time: little memory, and a stop is heeded
            progress(float(np.sum(~np.isnan(odds))) / len(odds))
            odds[k] = session.run(None, {"windows": np.ascontiguousarray(seen[k : k + 1])})[0][0]

    first = np.flatnonzero(here)[::EVERY]
    ask(first)
    near = np.zeros(len(seen), dtype=bool)
    for k in first[odds[first] < SURELY]:
        near[max(k - EVERY, 0) : k + EVERY + 1] = True
    ask(np.flatnonzero(near & here & np.isnan(odds)))
    return odds


def doubt_others(notes: Sequence[PerceivedNote], odds: NDArray[np.float64]) -> list[PerceivedNote]:
    """Doubt notes where something else than a guitar plays by itself.

    Parameters
    ----------
    notes : sequence of PerceivedNote
        By onset in seconds.
    odds : ndarray, shape (n_windows,)
        As `guitar_log_odds` tells them from the same moment on.
    """
    known = np.flatnonzero(~np.isnan(odds))
    if not notes or not len(known):
        return list(notes)
    apart = np.abs((known + 0.5) * WINDOW_S - np.array([[note.onset_s] for note in notes]))
    near = apart <= np.maximum(REACH_S, apart.min(axis=1, keepdims=True))
    count = near.sum(axis=1)
    told = (near * odds[known]).sum(axis=1) / count + SPREAD / np.sqrt(count)
    by = np.minimum(DOUBT * (DOUBTED_UNDER - told), MOST_DOUBT)
    return [
        _doubted(note, less) if less > 0.0 else note
        for note, less in zip(notes, by.tolist(), strict=True)
    ]


def mostly_others(evidence: Sequence[Sequence[Observation]]) -> bool:
    """Tell whether most notes were doubted as no guitar's, by what shows of each.

    Parameters
    ----------
    evidence : sequence of sequence of Observation
        Of each note.
    """
    return 2 * sum(is_doubted(own) for own in evidence) > len(evidence)


def is_doubted(evidence: Sequence[Observation]) -> bool:
    """Tell whether a note was doubted as no guitar's, by what shows of it.

    Parameters
    ----------
    evidence : sequence of Observation
    """
    return any(seen.of is Shows.LIKE_NO_GUITAR for seen in evidence)


def _doubted(note: PerceivedNote, by: float) -> PerceivedNote:
    seen = (*note.evidence, Observation(Shows.LIKE_NO_GUITAR))
    return replace(note, confidence=lowered(note.confidence, by), evidence=seen)

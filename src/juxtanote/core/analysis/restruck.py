"""Whether a string was struck again, or sounds on under a stroke of something else.

A note that goes on keeps its phase: each of its partials is where the pitch and the time since before
lead it. A string that is struck again begins anew, with partials anywhere (phase tells onsets: J. P.
Bello, C. Duxbury, M. Davies, M. Sandler, "On the use of phase and energy for musical onset detection in
the complex domain", IEEE Signal Processing Letters 11, 2004). The networks see levels alone, and what
drums do to them: of the strokes into a sounding pitch that they believe on recordings half are none.
"""

import json
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.confidence import lowered
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.shipped import FOLDER
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.units import midi_to_hz

Complex = NDArray[np.complex64]
LOWEST_HZ, HIGHEST_HZ = 150.0, 5000.0  # of partials: under it drums and bass cover them
REACH_S = 0.035  # each way: what is compared
# Samples: a partial is followed through windows so long, one every so many.
WINDOW, STEP = 352, 66
FURTHEST_CENTS, PITCHES = (
    35.0,
    15,
)  # how far off its semitone a note may be, and at how many pitches
MOMENTS = (-4, -2, 0, 2, 4)  # steps about where a stroke is dated: 12 ms each way
TINY = 1e-12
# Seconds: the note before began so long ago at least, and ended so long ago at most.
SOUNDED_S, GONE_S = 0.05, 0.09
LEAST_BELIEVED = 0.36  # what was hardly a note is not struck again


@lru_cache(maxsize=1)
def phase_weights() -> tuple[float, float]:
    """Read what agreement tells, fitted by `lab.restruck`.

    Returns
    -------
    tuple of float
        What none of it adds to the log odds of a stroke, and what full agreement takes away again.
    """
    told = json.loads((FOLDER / "restruck.json").read_text("utf-8"))
    return float(told["bias"]), float(told["weight"])


def agreement(mid: NDArray[np.float32], at_s: float, hertz: float) -> float | None:
    """Tell how well the partials of a pitch keep their phase around a moment.

    Before and after it each partial is held against the same steady tone, of the pitch near `hertz` that
    fits best. What is loud and steady on both sides counts most. A stroke is seldom dated to some
    milliseconds: the moment counts at which they agree least.

    Parameters
    ----------
    mid : ndarray of float32, shape (n_samples,)
        At 22 050 Hz.
    at_s : float
        The moment, in seconds.
    hertz : float
        The pitch, to a third of a semitone.

    Returns
    -------
    float or None
        The weighted mean cosine of how far phases jump: 1 where all goes on, about 0 where all begins
        anew. None at the edges of the sound, and of a pitch without such partials.

    Examples
    --------
    >>> tone = np.sin(2 * np.pi * 330.0 / SAMPLE_RATE * np.arange(SAMPLE_RATE)).astype(np.float32)
    >>> round(agreement(tone, 0.5, 330.0), 2)
    1.0
    """
    numbers = np.arange(1, int(HIGHEST_HZ / hertz) + 1)
    numbers = numbers[numbers * hertz >= LOWEST_HZ]
    centre, side = round(at_s * SAMPLE_RATE), int(REACH_S * SAMPLE_RATE) // STEP
    reach = (side + MOMENTS[-1]) * STEP + WINDOW // 2
    if not len(numbers) or centre < reach or centre + reach > len(mid):
        return None
    followed = _followed(mid[centre - reach : centre + reach], numbers * hertz)
    cents = np.linspace(-FURTHEST_CENTS, FURTHEST_CENTS, PITCHES)
    off_hz = np.outer(numbers, hertz * (2.0 ** (cents / 1200.0) - 1.0))
    times = np.arange(side + 1) * STEP / SAMPLE_RATE
    tones = np.exp(-2j * np.pi * off_hz[..., None] * times).astype(np.complex64)
    firsts = (moment + MOMENTS[-1] for moment in MOMENTS)
    return min(_kept_phase(followed[:, k : k + 2 * side + 1], tones) for k in firsts)


def _kept_phase(followed: Complex, tones: Complex) -> float:
    """Give the mean cosine between both halves of some partials.

    `followed` is (n_partials, 2 * n_times - 1), the moment in the middle of it in both halves; `tones`
    are (n_partials, n_pitches, n_times), from the moment on. Backwards in time they turn the other way.
    """
    count = tones.shape[-1]
    taper = np.hanning(count + 2)[1:-1].astype(np.float32)
    halves = followed[:, :count] * taper, followed[:, count - 1 :] * taper
    both = tones.conj()[..., ::-1], tones
    tuned = np.stack(
        [np.matmul(t, h[..., None])[..., 0] for t, h in zip(both, halves, strict=True)]
    )
    held = tuned[..., int(np.argmax(np.abs(tuned.sum(axis=0)).sum(axis=0)))]
    levels = np.abs(held)
    powers = np.stack([(np.abs(half) ** 2 / taper).sum(axis=1) for half in halves])
    steady = (levels**2 / (taper.sum() * powers + TINY)).min(axis=0)
    loud = levels.prod(axis=0)
    weights = steady * loud**0.25
    cosines = np.real(held[0] * held[1].conj()) / (loud + TINY)
    return float((weights * cosines).sum() / (weights.sum() + TINY))


def _followed(part: NDArray[np.float32], hertz: NDArray[np.floating]) -> Complex:
    """Follow tones through a stretch: (n_tones, n_times), each turned back by its own frequency."""
    frames = np.lib.stride_tricks.sliding_window_view(part, WINDOW)[::STEP] * _taper()
    times = np.arange(len(frames)) * STEP / SAMPLE_RATE
    turn = -2j * np.pi * hertz
    inside = np.exp(np.outer(np.arange(WINDOW) / SAMPLE_RATE, turn)).astype(np.complex64)
    return np.asarray((np.exp(np.outer(times, turn)) * (frames @ inside)).T, dtype=np.complex64)


@lru_cache(maxsize=1)
def _taper() -> NDArray[np.float32]:
    return np.hanning(WINDOW + 1)[:-1].astype(np.float32)


def struck_again(notes: Sequence[FoundNote]) -> list[int]:
    """Give which notes are struck while their own pitch still sounds, or has hardly stopped.

    Parameters
    ----------
    notes : sequence of FoundNote
        By onset, in frames, with their confidence.
    """
    hop_s = HOP_LENGTH / SAMPLE_RATE
    last: dict[int, FoundNote] = {}
    again = []
    for index, note in enumerate(notes):
        if note.confidence < LEAST_BELIEVED:
            continue
        before = last.get(note.midi)
        if (
            before is not None
            and note.start - before.start > SOUNDED_S / hop_s
            and note.start - before.end < GONE_S / hop_s
        ):
            again.append(index)
        last[note.midi] = note
    return again


def doubt_restrikes(
    notes: list[FoundNote], mid: NDArray[np.float32], reference_hz: float
) -> list[FoundNote]:
    """Doubt strokes of a pitch that goes on as before; what is no such stroke stays as it is.

    Parameters
    ----------
    notes : list of FoundNote
        By onset, with their confidence; times in frames.
    mid : ndarray of float32, shape (n_samples,)
        At 22 050 Hz, what they were found in.
    reference_hz : float
        Where A4 is.
    """
    bias, weight = phase_weights()
    doubted = list(notes)
    for index in struck_again(notes):
        note = notes[index]
        at_s = max(note.start, 0.0) * HOP_LENGTH / SAMPLE_RATE
        agrees = agreement(mid, at_s, float(midi_to_hz(note.midi, reference_hz)))
        by = 0.0 if agrees is None else max(weight * agrees - bias, 0.0)
        if by > 0.0:
            doubted[index] = replace(note, confidence=lowered(note.confidence, by))
    return doubted

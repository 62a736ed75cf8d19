"""Whether a string was struck again, or sounds on under a stroke of something else.

A note that goes on keeps its phase: each of its partials is where the pitch and the time since before
lead it. A string that is struck again begins anew, with partials anywhere (phase tells onsets: J. P.
Bello, C. Duxbury, M. Davies, M. Sandler, "On the use of phase and energy for musical onset detection in
the complex domain", IEEE Signal Processing Letters 11, 2004). The networks see levels alone, and what
drums do to them: of the strokes into a sounding pitch that they believe on three recorded songs two in
five are none.
"""

import json
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.confidence import lowered
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.shipped import FOLDER
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.units import midi_to_hz

Complex = NDArray[np.complex64]
LOWEST_HZ, HIGHEST_HZ = 150.0, 5000.0  # of partials: under it drums and bass cover them
# Samples: a partial is followed through windows so long, one every so many.
WINDOW, STEP = 352, 66
SIDE = 11  # steps each way that are compared: 33 ms
# How far off its semitone a note may be, and how many pitches are tried.
FURTHEST_CENTS, PITCHES = 35.0, 15
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
    >>> agreement(tone, 0.5, 330.0) > 0.9
    True
    """
    comb = _comb(hertz)
    centre, reach = round(at_s * SAMPLE_RATE), (SIDE + MOMENTS[-1]) * STEP + WINDOW // 2
    if comb is None or centre < reach or centre + reach > len(mid):
        return None
    part = mid[centre - reach : centre + reach]
    frames = np.lib.stride_tricks.sliding_window_view(part, WINDOW)[::STEP] * _taper()
    followed = (frames @ comb.waves * comb.turned).T  # (n_partials, n_times)
    around = np.lib.stride_tricks.sliding_window_view(followed, 2 * SIDE + 1, axis=1)
    firsts = [moment + MOMENTS[-1] for moment in MOMENTS]
    return float(_kept_phase(around[:, firsts], comb.tones).min())


class _Comb(NamedTuple):
    """What partials are followed with: `waves` (WINDOW, n_partials) in a window, `turned` (n_times,
    n_partials) from window to window, and `tones` (n_partials, n_pitches, SIDE + 1) from a moment on."""

    waves: Complex
    turned: Complex
    tones: Complex


@lru_cache(maxsize=32)
def _comb(hertz: float) -> _Comb | None:
    numbers = np.arange(np.ceil(LOWEST_HZ / hertz), int(HIGHEST_HZ / hertz) + 1)
    if not len(numbers):
        return None
    turn, step_s = -2j * np.pi * hertz * numbers, STEP / SAMPLE_RATE
    waves = np.exp(np.outer(np.arange(WINDOW) / SAMPLE_RATE, turn))
    turned = np.exp(np.outer(np.arange(2 * (SIDE + MOMENTS[-1]) + 1) * step_s, turn))
    off = 2.0 ** (np.linspace(-FURTHEST_CENTS, FURTHEST_CENTS, PITCHES) / 1200.0) - 1.0
    tones = np.exp(np.multiply.outer(np.outer(turn, off), np.arange(SIDE + 1) * step_s))
    return _Comb(*(part.astype(np.complex64) for part in (waves, turned, tones)))


def _kept_phase(around: Complex, tones: Complex) -> NDArray[np.float64]:
    """Give the mean cosine between both halves of some partials, for each moment.

    `around` is (n_partials, n_moments, 2 * n_times - 1), the moment in the middle of it in both halves;
    `tones` turn the other way backwards in time.
    """
    count = tones.shape[-1]
    taper = np.hanning(count + 2)[1:-1].astype(np.float32)
    halves = around[..., :count] * taper, around[..., count - 1 :] * taper
    both = tones.conj()[..., ::-1], tones
    tuned = np.stack([t @ h.swapaxes(1, 2) for t, h in zip(both, halves, strict=True)])
    best = np.abs(tuned.sum(axis=0)).sum(axis=0).argmax(axis=0)
    held = tuned[:, :, best, np.arange(len(best))]
    levels = np.abs(held).astype(np.float64)
    powers = np.stack([(np.abs(half) ** 2 / taper).sum(axis=-1) for half in halves])
    steady = (levels**2 / (taper.sum() * powers + TINY)).min(axis=0)
    loud = levels.prod(axis=0)
    weights = steady * loud**0.25
    cosines = np.real(held[0] * held[1].conj()) / (loud + TINY)
    return np.asarray((weights * cosines).sum(axis=0) / (weights.sum(axis=0) + TINY))


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
            confidence = lowered(note.confidence, by)
            doubted[index] = replace(note, confidence=confidence, goes_on=agrees or 0.0)
    return doubted

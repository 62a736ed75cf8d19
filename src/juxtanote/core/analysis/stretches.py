"""Listening to stretches of a recording, one or all of them, in bounded memory."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.perceived import Hints, Listening, PerceivedNote
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.audio.focus import bring_forward
from juxtanote.core.audio.read import to_mid_side, to_rate
from juxtanote.core.audio.sound import Sound
from juxtanote.core.progress import Progress, no_progress, part_of

ALONE_FROM = 0.35  # the confidence from which notes of a guitar alone are mostly right
STRETCH_S = 30.0  # of sound at once, which bounds memory
MARGIN_S = 0.5  # listened to on both sides of a stretch, for context
# A note that ends so near to the end of its stretch may be cut.
CUT_OFF_S, BEFORE_NOTE_S = 0.12, 0.05
BLOCK = 1 << 20  # samples that are mixed and resampled at a time
ONLY_SIDE = 0.03  # of the side's level: a middle that is weaker holds nothing


class Forward(Protocol):
    """How the guitar is brought forward: the fields of `score.lesson.Focus`."""

    @property
    def source(self) -> str: ...
    @property
    def low_hz(self) -> float: ...
    @property
    def high_hz(self) -> float: ...
    @property
    def without_drums(self) -> bool: ...


def mid_side(
    audio: NDArray[np.float32], sample_rate: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Give middle and side of stereo at the rate that is listened at.

    Parameters
    ----------
    audio : ndarray of float32, shape (2, n_samples)
    sample_rate : int
        In Hz.

    Examples
    --------
    >>> left = np.sin(np.arange(22_050) / 20.0).astype(np.float32)
    >>> middle, side = mid_side(np.stack([left, left]), 22_050)
    >>> float(np.abs(side).max()), bool(np.allclose(middle, left))
    (0.0, True)
    """
    mid, side = to_mid_side(to_rate(audio, sample_rate, SAMPLE_RATE))
    if mid.size and float(np.std(mid)) < ONLY_SIDE * float(np.std(side)):
        return side, mid  # channels of opposite sign: what there is, is in their difference
    return mid, side


def whole_middle(sound: Sound) -> NDArray[np.float32]:
    """Give the middle of a whole recording at the rate that is listened at, made block by block.

    Where the channels are of opposite sign, their difference is given instead.

    Parameters
    ----------
    sound : Sound
        Stereo, shape (2, n_samples).

    Returns
    -------
    ndarray of float32, shape (n_samples,)
        At 22 050 Hz.
    """
    import soxr

    def resampled(sign: float) -> NDArray[np.float32]:
        stream = soxr.ResampleStream(sound.sample_rate, SAMPLE_RATE, 1, dtype="float32")
        total = sound.audio.shape[1]
        middle = np.zeros(total * SAMPLE_RATE // sound.sample_rate + BLOCK, dtype=np.float32)
        done = 0
        for start in range(0, total, BLOCK):
            left, right = sound.audio[:, start : start + BLOCK]
            mixed = np.float32(0.5) * (left + np.float32(sign) * right)
            part = stream.resample_chunk(mixed, last=start + BLOCK >= total)
            middle[done : done + len(part)] = part
            done += len(part)
        middle.resize(done, refcheck=False)  # in its place: a copy would be as large again
        return middle

    levels = [
        (float(np.sum((left + right) ** 2)), float(np.sum((left - right) ** 2)))
        for left, right in (
            sound.audio[:, a : a + BLOCK] for a in range(0, sound.audio.shape[1], BLOCK)
        )
    ]
    mid, side = np.sum(levels, axis=0) if levels else (0.0, 0.0)
    return resampled(-1.0 if mid < ONLY_SIDE**2 * side else 1.0)


def hear_stretch(
    sound: Sound,
    start_s: float,
    end_s: float,
    *,
    reference_cents: float = 0.0,
    focus: Forward | None = None,
    hints: Hints | None = None,
    progress: Progress = no_progress,
    learned: bool = True,
) -> Listening:
    """Listen to one stretch of a recording, a little before and after it for context.

    Parameters
    ----------
    sound : Sound
        The whole recording.
    start_s, end_s : float
        The stretch, in seconds; at most 30 s apart.
    reference_cents : float
        How far the recording's A4 is from 440 Hz.
    focus : Forward, optional
        How the guitar is brought forward.
    hints : Hints, optional
        What the person knows.
    learned : bool
        False uses the signal-processing road for one voice.
    """
    low = max(start_s - MARGIN_S, 0.0)
    rate = sound.sample_rate
    part = sound.audio[:, int(low * rate) : int((end_s + MARGIN_S) * rate)]
    if focus is not None:
        part = bring_forward(
            part, rate, source=focus.source, low_hz=focus.low_hz, high_hz=focus.high_hz,
            without_drums=focus.without_drums,
        )  # fmt: skip
    mid, side = mid_side(part, rate)
    heard = listen(
        mid, side, start_s=low, reference_cents=reference_cents, hints=hints, progress=progress,
        learned=learned,
    )  # fmt: skip
    inside = tuple(n for n in heard.notes if start_s - 0.03 <= n.onset_s < end_s - 0.02)
    clipped = tuple(replace(n, onset_s=max(n.onset_s, start_s)) for n in inside)
    return replace(heard, notes=clipped)


def hear_all(
    sound: Sound,
    *,
    reference_cents: float = 0.0,
    progress: Progress = no_progress,
    learned: bool = True,
    hints: Hints | None = None,
) -> list[PerceivedNote]:
    """Listen to a whole recording stretch by stretch, in bounded memory.

    A note that still sounds where a stretch ends is heard whole: the next stretch begins with it.

    Parameters
    ----------
    sound : Sound
        The whole recording, of any length in seconds.
    reference_cents : float
        How far the recording's A4 is from 440 Hz.
    learned : bool
        False uses the signal-processing road for one voice.
    hints : Hints, optional
        What the person knows.
    """
    notes: list[PerceivedNote] = []
    start, duration = 0.0, sound.duration_s
    while start < duration:
        end = min(start + STRETCH_S, duration)
        heard = hear_stretch(
            sound, start, end, reference_cents=reference_cents, learned=learned, hints=hints,
            progress=part_of(progress, start / duration, end / duration),
        )  # fmt: skip
        following = _start_after(heard.notes, start, end) if end < duration else end
        notes += [note for note in heard.notes if note.onset_s < following]
        start = following
    return sorted(notes, key=lambda note: (note.onset_s, note.midi))


def _start_after(notes: Sequence[PerceivedNote], start_s: float, end_s: float) -> float:
    """Give where the next stretch begins: with the first note that the end of this one may have cut."""
    cut = [n.onset_s for n in notes if n.offset_s > end_s + MARGIN_S - CUT_OFF_S]
    first = min(cut, default=end_s) - BEFORE_NOTE_S
    return first if first > start_s + 0.5 * STRETCH_S and cut else end_s

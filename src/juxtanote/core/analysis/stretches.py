"""Listening to stretches of a recording, one or all of them, in bounded memory."""

from bisect import bisect_left
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.ahead import Ahead
from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.middle import mid_side
from juxtanote.core.analysis.perceived import Hints, Listening, PerceivedNote
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.audio.focus import bring_forward
from juxtanote.core.audio.sound import Sound
from juxtanote.core.progress import Progress, no_progress, part_of

ALONE_FROM = 0.35  # the confidence from which notes of a guitar alone are mostly right
STRETCH_S = 30.0  # of sound at once, which bounds memory
HOP_S = HOP_LENGTH / SAMPLE_RATE  # of the curves
MARGIN_S = 0.5  # listened to on both sides of a stretch, for context
AROUND_S = 3.0  # and named with it where it is heard by itself: what a note is hangs on its company
# A note that ends so near to the end of its stretch may be cut.
CUT_OFF_S, BEFORE_NOTE_S = 0.12, 0.05
# A note that begins so little before a stretch belongs to it, one so little before its end to the next.
EARLY_S, LATE_S = 0.03, 0.02
SILENT_DB = -120.0


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
    ahead: Ahead | None = None,
    is_guitar: bool = False,
) -> Listening:
    """Listen to one stretch of a recording, a little before and after it for context.

    Where the guitar is not brought forward it is heard in the pieces of the whole recording, with what
    lies around them: a phrase by itself is heard worse (`bench rings --only phrases`).

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
    ahead : Ahead, optional
        Who makes the evidence of the whole recording; it knows of no focus.
    is_guitar : bool
        True where somebody says so: no other instrument is doubted.
    """
    if ahead is None and focus is None and learned:
        around_s = AROUND_S if hints is None or hints.expected_notes is None else 0.0
        low, high = max(start_s - around_s, 0.0), min(end_s + around_s, sound.duration_s)
        with Ahead(
            sound, end_s=high + MARGIN_S, reference_cents=reference_cents, progress=progress
        ) as ahead:
            heard = hear_stretch(
                sound, low, high, reference_cents=reference_cents, hints=hints,
                progress=ahead.report, ahead=ahead, is_guitar=is_guitar,
            )  # fmt: skip
        return heard_between(heard, start_s, end_s)
    low = max(start_s - MARGIN_S, 0.0)
    first = int(low * SAMPLE_RATE / HOP_LENGTH)
    if ahead is not None:
        low = first * HOP_LENGTH / SAMPLE_RATE
    rate = sound.sample_rate
    part = sound.audio[:, int(low * rate) : int((end_s + MARGIN_S) * rate)]
    unfocused = None if focus is None else mid_side(part, rate)[0]
    if focus is not None:
        part = bring_forward(
            part, rate, source=focus.source, low_hz=focus.low_hz, high_hz=focus.high_hz,
            without_drums=focus.without_drums,
        )  # fmt: skip
    mid, side = mid_side(part, rate)
    heard = listen(
        mid, side, start_s=low, reference_cents=reference_cents, hints=hints, progress=progress,
        learned=learned, evidence=None if ahead is None else partial(ahead.between, first),
        unfocused=unfocused, is_guitar=is_guitar,
    )  # fmt: skip
    return replace(heard, notes=_notes_of(heard.notes, start_s, end_s))


def _notes_of(
    notes: tuple[PerceivedNote, ...], start_s: float, end_s: float
) -> tuple[PerceivedNote, ...]:
    inside = (n for n in notes if start_s - EARLY_S <= n.onset_s < end_s - LATE_S)
    return tuple(replace(n, onset_s=max(n.onset_s, start_s)) for n in inside)


def heard_between(whole: Listening, start_s: float, end_s: float) -> Listening:
    """Take out of a whole listening what `hear_stretch` gives of a stretch; nothing is measured again.

    Parameters
    ----------
    whole : Listening
        As `hear_whole` gives it.
    start_s, end_s : float
        The stretch, in seconds.

    Returns
    -------
    Listening
        Notes that sound on are cut where a stretch by itself would have ended; without the listener's
        own evidence.
    """
    until_s = end_s + MARGIN_S
    low = max(int((start_s - MARGIN_S - whole.start_s) / whole.hop_s), 0)
    high = max(int((until_s - whole.start_s) / whole.hop_s), low) + 1
    return Listening(
        tuple(_until(note, until_s) for note in _notes_of(whole.notes, start_s, end_s)),
        whole.start_s + low * whole.hop_s, whole.hop_s, whole.onset_curve[low:high],
        whole.level_curve[low:high], whole.voices_curve[low:high],
    )  # fmt: skip


def _until(note: PerceivedNote, until_s: float) -> PerceivedNote:
    """Cut a note that sounds on, and its curve."""
    if note.offset_s <= until_s:
        return note
    count = bisect_left(note.curve, until_s - note.onset_s, key=lambda point: point[0])
    return replace(note, offset_s=until_s, curve=note.curve[:count])


def hear_all(
    sound: Sound,
    *,
    reference_cents: float = 0.0,
    progress: Progress = no_progress,
    is_guitar: bool = False,
) -> list[PerceivedNote]:
    """Give the notes of `hear_whole`."""
    heard = hear_whole(
        sound, reference_cents=reference_cents, progress=progress, is_guitar=is_guitar
    )
    return list(heard.notes)


def hear_part(
    sound: Sound,
    start_s: float,
    end_s: float,
    *,
    reference_cents: float = 0.0,
    progress: Progress = no_progress,
    learned: bool = True,
    hints: Hints | None = None,
) -> list[PerceivedNote]:
    """Listen to a part of a recording, of any length, with what lies around it.

    Parameters
    ----------
    sound : Sound
        The whole recording.
    start_s, end_s : float
        Which part of it, in seconds.
    reference_cents : float
        How far the recording's A4 is from 440 Hz.
    learned : bool
        False uses the signal-processing road for one voice.
    hints : Hints, optional
        What the person knows.
    """
    low, high = max(start_s - AROUND_S, 0.0), end_s + AROUND_S
    rate = sound.sample_rate
    near = Sound(sound.audio[:, int(low * rate) : int(high * rate)], rate)
    heard = hear_whole(
        near, reference_cents=reference_cents, progress=progress, learned=learned, hints=hints
    )
    notes = heard_between(heard, start_s - low, end_s - low).notes
    return [replace(n, onset_s=n.onset_s + low, offset_s=n.offset_s + low) for n in notes]


def hear_whole(
    sound: Sound,
    *,
    reference_cents: float = 0.0,
    progress: Progress = no_progress,
    learned: bool = True,
    hints: Hints | None = None,
    is_guitar: bool = False,
    so_far: Callable[[Listening], None] | None = None,
) -> Listening:
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
    is_guitar : bool
        True where somebody says so: no other instrument is doubted.
    so_far : callable, optional
        Told what was heard, up to where that is final, after each stretch but the last.

    Returns
    -------
    Listening
        Its notes sorted; without the listener's own evidence, which would be large.
    """
    notes: list[PerceivedNote] = []
    curves = np.zeros((3, 1 + int(sound.duration_s / HOP_S)))
    curves[1] = SILENT_DB
    start, duration = 0.0, sound.duration_s

    def heard_until(end_s: float) -> Listening:
        onsets, levels, voices = curves[:, : 1 + int(end_s / HOP_S)].copy()
        return Listening(tuple(notes), 0.0, HOP_S, onsets, levels, voices)

    with Ahead(sound, reference_cents=reference_cents, progress=progress) as ahead:
        while start < duration:
            end = min(start + STRETCH_S, duration)
            heard = hear_stretch(
                sound, start, end, reference_cents=reference_cents, learned=learned, hints=hints,
                progress=part_of(ahead.report, start / duration, end / duration),
                ahead=ahead, is_guitar=is_guitar,
            )  # fmt: skip
            following = _start_after(heard.notes, start, end) if end < duration else end
            notes += [note for note in heard.notes if note.onset_s < following]
            notes.sort(key=lambda note: (note.onset_s, note.midi))
            _lay_in(curves, heard, start)
            start = following
            if so_far is not None and start < duration:
                so_far(heard_until(start))
    return heard_until(duration)


def _lay_in(curves: NDArray[np.float64], heard: Listening, from_s: float) -> None:
    """Lay the curves of a stretch into those of the whole, from where the stretch begins."""
    first, begin = round(heard.start_s / HOP_S), int(from_s / HOP_S)
    own = np.stack([heard.onset_curve, heard.level_curve, heard.voices_curve])
    own = own[:, max(begin - first, 0) :]
    begin = max(begin, first)
    end = min(begin + own.shape[1], curves.shape[1])
    curves[:, begin:end] = own[:, : end - begin]


def _start_after(notes: Sequence[PerceivedNote], start_s: float, end_s: float) -> float:
    """Give where the next stretch begins: with the first note that the end of this one may have cut."""
    cut = [n.onset_s for n in notes if n.offset_s > end_s + MARGIN_S - CUT_OFF_S]
    first = min(cut, default=end_s) - BEFORE_NOTE_S
    return first if first > start_s + 0.5 * STRETCH_S and cut else end_s

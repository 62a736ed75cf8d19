"""From evidence to notes: a joint search over starts and ends, not a threshold on each frame.

Every pitch is a two-state chain (silent, sounding) whose best path is found over the whole
stretch at once (A. Viterbi, IEEE Trans. Inf. Theory 13, 1967); a note may begin only where an onset
is likely. Sound that moves on to a neighbouring pitch without an onset (a bend) lengthens its note.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.channels import LOWEST_MIDI, Cell
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.listener import Posteriors
from juxtanote.core.analysis.note_classifier import classified
from juxtanote.core.analysis.octaves import decide_octaves, doubt_difference_tones

IMPOSSIBLE = -40.0  # log odds
A2 = 45  # under it a bass covers the guitar


SPREAD_OUT = 1.3  # what a sure onset sums to over its frame and half of its neighbours
NEVER = -1e9  # log odds
LEAST_RIVAL, SOUNDS, PLAINER, DEAD_FROM = 0.04, 0.4, 0.1, 0.6  # of evidence, 0 to 1


@dataclass(frozen=True, slots=True)
class DecoderSettings:
    """What the decoder weighs; settled on generated validation mixes."""

    onset_gain: float = 2.0
    onset_bias: float = 1.2  # in log odds: how much an onset must be believed less than even
    start_cost: float = 0.6
    onset_floor: float = 0.12
    active_gain: float = 0.06
    active_bias: float = 0.5
    leave_cost: float = 0.1
    most_voices: int = 6
    expected_notes: int | None = None
    scale: frozenset[int] | None = None  # pitch classes that are more likely
    scale_bonus: float = 0.7
    lowest: int = 0  # what the guitar, or one string of it, can sound
    highest: int = 127
    least_confidence: float = 0.4  # what is less likely is no note
    least_confidence_low: float = 0.4  # the same below A2, where a bass covers much


def logit(p: NDArray[np.floating]) -> NDArray[np.float64]:
    """Give log odds, kept finite.

    Parameters
    ----------
    p : ndarray
        Probabilities, 0 to 1, of any shape.

    Examples
    --------
    >>> logit(np.array([0.5, 0.9])).round(2).tolist(), bool(np.isfinite(logit(np.array([0.0]))).all())
    ([0.0, 2.2], True)
    """
    q = np.clip(np.asarray(p, dtype=np.float64), 1e-4, 1.0 - 1e-4)
    return np.asarray(np.log(q / (1.0 - q)))


def decode(
    posteriors: Posteriors,
    settings: DecoderSettings | None = None,
    doubt: Callable[[list[FoundNote]], list[FoundNote]] = list,
) -> list[FoundNote]:
    """Find the most likely notes, by onset.

    Parameters
    ----------
    posteriors : Posteriors
        Of one stretch; cells of shape (9, N_PITCHES, n_frames).
    settings : DecoderSettings, optional
        What is weighed, and what is known beside the sound.
    doubt : callable
        Changes how sure candidates are, by what else is known of them.
    """
    settings = settings or DecoderSettings()
    notes = candidates(posteriors, settings)
    pitched = [note for note in notes if not note.dead]
    bonus = np.array([_known_bonus(note.midi, settings) for note in pitched])
    told = doubt(classified(pitched, posteriors, bonus))
    told = doubt_difference_tones(decide_octaves(told, settings.least_confidence))
    notes = [note for note in notes if note.dead] + told
    if settings.expected_notes is not None:
        kept = _most_certain(_without_ghosts(notes, settings), settings.expected_notes)
    else:
        believed = [
            n
            for n in notes
            if n.confidence < 0.0 or n.confidence >= _least_confidence(n.midi, settings)
        ]
        kept = _without_ghosts(believed, settings)
    dead = [note for note in kept if note.dead]
    pitched = [note for note in kept if not note.dead]
    sounding = _sounding_on(pitched, told, posteriors)
    return sorted([*dead, *sounding], key=lambda note: (note.start, note.midi))


def _least_confidence(midi: int, settings: DecoderSettings) -> float:
    return settings.least_confidence_low if midi < A2 else settings.least_confidence


def candidates(posteriors: Posteriors, settings: DecoderSettings) -> list[FoundNote]:
    """Find every note that may be there, by onset, doubles of one onset apart.

    Parameters
    ----------
    posteriors : Posteriors
        Of one stretch; cells of shape (9, N_PITCHES, n_frames).
    settings : DecoderSettings
        What an onset, a frame of sound and an end cost, in log odds.
    """
    onset, active = posteriors.cells[Cell.ONSET], posteriors.cells[Cell.ACTIVE]
    begin = _onset_scores(onset, settings)
    keep = settings.active_gain * (logit(active) + settings.active_bias)
    starts, ends = _chains(begin, keep, settings.leave_cost)
    firm = starts & (onset > FIRM_ONSET)
    notes = [
        _note(posteriors, row, start, _until_silent(active[row], start, end), firm)
        for row, start, end in zip(*_segments(starts, ends), strict=True)
    ]
    notes += _dead_notes(posteriors)
    notes.sort(key=lambda note: (note.start, note.midi))
    return _without_doubles(notes)


def _sounding_on(
    kept: list[FoundNote], told: list[FoundNote], posteriors: Posteriors
) -> list[FoundNote]:
    """Let notes sound through what was taken for the start of another and is none."""
    starts = np.zeros(posteriors.cells[Cell.ONSET].shape, dtype=bool)
    for note in kept:
        starts[note.midi - LOWEST_MIDI, round(note.start)] = True
    known = {id(note) for note in kept}
    dropped = {(n.midi, round(n.start)): n for n in told if id(n) not in known}
    longer = []
    for note in kept:
        sustained = note.sustained
        while (after := _dropped_near(dropped, note.midi, sustained)) is not None:
            sustained = max(after.sustained, sustained + 1)
        end = _follow(posteriors, starts, note.midi - LOWEST_MIDI, sustained)
        longer.append(replace(note, sustained=sustained, end=max(note.end, end)))
    return longer


def _dropped_near(
    dropped: dict[tuple[int, int], FoundNote], midi: int, frame: int
) -> FoundNote | None:
    return next(
        (dropped[midi, f] for f in range(frame - 1, frame + 2) if (midi, f) in dropped), None
    )


def _known_bonus(midi: int, settings: DecoderSettings) -> float:
    """Give the log odds that what is known of scale and guitar adds to a pitch, or takes."""
    if not settings.lowest <= midi <= settings.highest:
        return IMPOSSIBLE
    if settings.scale is None:
        return 0.0
    return settings.scale_bonus if midi % 12 in settings.scale else -settings.scale_bonus


def _onset_scores(onset: NDArray[np.float32], settings: DecoderSettings) -> NDArray[np.float64]:
    """Score a note's start in each cell: only at local maxima along time."""
    # The net spreads an onset over its neighbours: their sum tells more than the peak alone.
    spread = onset.copy()
    spread[:, 1:-1] += 0.5 * (onset[:, :-2] + onset[:, 2:])
    spread = np.minimum(spread / SPREAD_OUT, 1.0)
    peak = np.zeros(onset.shape, dtype=bool)
    peak[:, 2:-2] = (
        (onset[:, 2:-2] >= onset[:, 1:-3])
        & (onset[:, 2:-2] > onset[:, 3:-1])
        & (onset[:, 2:-2] >= onset[:, :-4])
        & (onset[:, 2:-2] > onset[:, 4:])
    )
    score = settings.onset_gain * (logit(spread) + settings.onset_bias) - settings.start_cost
    rows = range(LOWEST_MIDI, LOWEST_MIDI + onset.shape[0])
    score = score + np.array([[_known_bonus(midi, settings)] for midi in rows])
    return np.where(peak & (spread > settings.onset_floor), score, NEVER)


def _chains(
    begin: NDArray[np.float64], keep: NDArray[np.float64], leave_cost: float
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Run the two-state search for all pitches together: where notes start, where they are on."""
    n_rows, n_frames = begin.shape
    begins, keeps = np.ascontiguousarray(begin.T), np.ascontiguousarray(keep.T)
    offs, ons = np.zeros((n_frames + 1, n_rows)), np.full((n_frames + 1, n_rows), NEVER)
    struck = np.empty_like(begins)
    for frame in range(n_frames):
        off, on = offs[frame], ons[frame]
        np.maximum(off, on, out=struck[frame])
        struck[frame] += begins[frame]
        np.maximum(on, struck[frame], out=ons[frame + 1])
        ons[frame + 1] += keeps[frame]
        np.maximum(off, on - leave_cost, out=offs[frame + 1])
    before_off, before_on = offs[:-1], ons[:-1]
    from_on = before_on - leave_cost > before_off  # off came from on
    # On came from: 0 on, 1 off, 2 struck again.
    again = before_on + begins >= before_off + begins
    restart = np.where(struck > before_on, np.where(again, 2, 1), 0).astype(np.int8)
    off, on = offs[-1], ons[-1]
    starts = np.zeros((n_rows, n_frames), dtype=bool)
    sounding = np.zeros((n_rows, n_frames), dtype=bool)
    state = on > off
    for frame in range(n_frames - 1, -1, -1):
        sounding[:, frame] = state
        came = restart[frame]
        starts[:, frame] = state & (came > 0)
        state = np.where(state, came != 1, from_on[frame])
    return starts, sounding


def _segments(
    starts: NDArray[np.bool_], sounding: NDArray[np.bool_]
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """List (row, start, end) of every note."""
    rows, begins = np.nonzero(starts)
    ends = []
    for row, begin in zip(rows, begins, strict=True):
        stop = begin + 1
        while stop < sounding.shape[1] and sounding[row, stop] and not starts[row, stop]:
            stop += 1
        ends.append(stop)
    return rows, begins, np.array(ends, dtype=np.int64)


def _until_silent(active: NDArray[np.float32], start: int, end: int) -> int:
    """Cut a note where its pitch is surely gone: what comes later at that pitch is another's.

    A chain may bridge a gap for what lies behind it, as when the next bend ends on the same pitch.
    """
    silent = active[start:end] < SURELY_SILENT
    run = np.convolve(silent, np.ones(SILENT_FRAMES, dtype=int), mode="valid")
    gaps = np.flatnonzero(run == SILENT_FRAMES)
    return max(start + int(gaps[0]), start + 1) if len(gaps) else int(end)


def _note(
    posteriors: Posteriors, row: int, start: int, end: int, firm: NDArray[np.bool_]
) -> FoundNote:
    """Describe one note, following its sound where it glides to neighbouring pitches.

    `firm` are the cells of onsets that end a note before them.
    """
    onset, active = posteriors.cells[Cell.ONSET], posteriors.cells[Cell.ACTIVE]
    around = slice(max(start - 1, 0), start + 2)
    weights = onset[row, around].astype(np.float64) + 1e-6
    centre = float(np.sum(weights * np.arange(around.start, around.start + len(weights))))
    kinds = posteriors.cells[Cell.SLURRED :, row, around].astype(np.float64) @ (
        weights / weights.sum()
    )
    near = onset[:, max(start - 2, 0) : start + 3].max(axis=1)
    rivals = [
        (LOWEST_MIDI + other, float(near[other]))
        for other in (row + 12, row - 12, row + 1, row - 1, row + 7, row - 5)
        if 0 <= other < len(near) and near[other] > LEAST_RIVAL
    ]
    follow = _follow(posteriors, firm, row, end)
    return FoundNote(
        start=centre / float(weights.sum()),
        end=follow,
        sustained=end,
        midi=LOWEST_MIDI + int(row),
        onset_posterior=float(onset[row, around].max()),
        active_posterior=float(active[row, start : start + 12].mean()) if end > start else 0.0,
        slurred=float(kinds[0]),
        slide=float(kinds[1]),
        muted=float(kinds[2]),
        harmonic=float(kinds[3]),
        rivals=tuple(sorted(rivals, key=lambda r: -r[1])[:3]),
        tap=float(kinds[4]),
        bending=_strongest(posteriors.cells[Cell.BENDING], active, row, start, follow),
        shaking=_strongest(posteriors.cells[Cell.SHAKING], active, row, start, follow),
    )


DOUBLE_FRAMES, AT_ONCE_FRAMES = 3.0, 2.0  # onsets of one pitch, of several, that are one moment
SURELY_SILENT, SILENT_FRAMES = 0.1, 9  # 0.1 s
FIRM_ONSET = 0.3  # a weaker one does not end the note before
LOST_FRAMES = (3, 8)  # for how long a pitch may be lost: held, and on its way
MOVING_FRAMES = 6  # 70 ms: the least that a bend or one swing of a vibrato lasts


def _strongest(
    moving: NDArray[np.float32], active: NDArray[np.float32], row: int, start: int, end: int
) -> float:
    """Give how sure the surest frames are that this note's pitch moves, where it then sounds."""
    reach = slice(max(row - 2, 0), row + 6)
    sounding = active[reach, start:end] > SOUNDS
    per_frame = np.where(sounding, moving[reach, start:end], 0.0).max(axis=0, initial=0.0)
    if per_frame.size == 0:
        return 0.0
    return float(np.sort(per_frame)[-MOVING_FRAMES:].mean())


def _follow(posteriors: Posteriors, starts: NDArray[np.bool_], row: int, frame: int) -> int:
    """Go on while the sound is at this pitch or moves to the next without a new onset.

    In a bend on its way the pitch is hard to make out for some frames: there it may be lost longer,
    and move further. A string that is bent and struck anew at its fretted pitch is a new note too.
    """
    active, bending = posteriors.cells[Cell.ACTIVE], posteriors.cells[Cell.BENDING]
    n_rows, n_frames = active.shape
    here, quiet, moving = row, 0, 0
    last = frame
    while frame < n_frames and quiet < (LOST_FRAMES[1] if moving else LOST_FRAMES[0]):
        low, high = max(here - 1, 0), min(here + 2, n_rows)
        moving = LOST_FRAMES[1] if bending[low:high, frame].max() > 0.5 else max(moving - 1, 0)
        if moving:
            low, high = max(here - 2, 0), min(here + 3, n_rows)
        anew = starts[min(low, max(row - 1, 0)) : max(high, min(row + 2, n_rows)), frame]
        if anew.any() or abs(here - row) > 5:
            break
        best = low + int(np.argmax(active[low:high, frame]))
        if active[best, frame] > SOUNDS:
            here, quiet, last = best, 0, frame + 1
        else:
            quiet += 1
        frame += 1
    return last


def trace(posteriors: Posteriors, note: FoundNote) -> NDArray[np.float64]:
    """Give the pitch (MIDI) at which the listener hears a note sound, frame by frame from its start.

    Parameters
    ----------
    posteriors : Posteriors
        That the note was found in.
    note : FoundNote
        Its start and end are frames.

    Returns
    -------
    ndarray of float64, shape (n_frames of the note,)
    """
    active, bending = posteriors.cells[Cell.ACTIVE], posteriors.cells[Cell.BENDING]
    n_rows, n_frames = active.shape
    here = note.midi - LOWEST_MIDI
    first, last = max(round(note.start), 0), min(note.end, n_frames)
    rows = np.full(max(last - first, 0), float(note.midi))
    for frame in range(first, last):
        reach = 3 if bending[max(here - 1, 0) : here + 2, frame].max() > 0.5 else 1
        low = max(here - reach, 0)
        near = active[low : min(here + reach + 1, n_rows), frame]
        best = low + int(np.argmax(near))
        if active[best, frame] > max(SOUNDS, active[here, frame] + PLAINER):
            here = best
        rows[frame - first] = LOWEST_MIDI + here
    return rows


def _dead_notes(posteriors: Posteriors) -> list[FoundNote]:
    """Find strokes on damped strings: clicks without a pitch."""
    dead = posteriors.dead
    notes = []
    for frame in range(2, len(dead) - 2):
        window = dead[frame - 2 : frame + 3]
        if dead[frame] < DEAD_FROM or dead[frame] < window.max() or dead[frame] == dead[frame - 1]:
            continue
        if posteriors.cells[Cell.ONSET][:, frame - 1 : frame + 2].max() > 0.5:
            continue
        notes.append(
            FoundNote(
                start=float(frame),
                end=frame + 3,
                midi=0,
                onset_posterior=float(dead[frame]),
                active_posterior=0.0,
                slurred=0,
                slide=0,
                muted=0,
                harmonic=0,
                rivals=(),
                dead=True,
            )
        )
    return notes


def _without_doubles(notes: list[FoundNote]) -> list[FoundNote]:
    """Make one of two readings of one onset."""
    kept: list[FoundNote] = []
    places: dict[int, list[int]] = {}  # by pitch: where in `kept` its notes are
    for note in notes:
        same = places.setdefault(note.midi, [])
        twin = next((k for k in same if abs(kept[k].start - note.start) < DOUBLE_FRAMES), None)
        if twin is None:
            same.append(len(kept))
            kept.append(note)
        elif note.onset_posterior > kept[twin].onset_posterior:
            kept[twin] = replace(note, end=max(note.end, kept[twin].end))
    return kept


def _without_ghosts(notes: list[FoundNote], settings: DecoderSettings) -> list[FoundNote]:
    """Drop the weakest of more notes at once than there can be."""
    starts = np.array([note.start for note in notes])
    kept: list[FoundNote] = []
    for note in notes:
        together = np.flatnonzero(np.abs(starts - note.start) < AT_ONCE_FRAMES)
        ranked = sorted((notes[k] for k in together), key=_certainty, reverse=True)
        if any(other is note for other in ranked[: settings.most_voices]):
            kept.append(note)
    return kept


def _certainty(note: FoundNote) -> float:
    return note.confidence if note.confidence >= 0.0 else note.onset_posterior


def _most_certain(notes: list[FoundNote], count: int) -> list[FoundNote]:
    best = sorted(notes, key=_certainty, reverse=True)[:count]
    return sorted(best, key=lambda n: (n.start, n.midi))

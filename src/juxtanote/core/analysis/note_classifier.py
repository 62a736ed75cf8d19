"""A second look at every note that may be there, in the company of the others.

The listener judges each cell of its picture by half a second around it. What a note is also shows in
what stands beside it: an octave that always comes with its root, a stroke that is weak for this
player, a cell of taps and pull-offs. A small network over such measures, with one hidden layer, gives
how likely the note is, and how it was struck. It is trained by `lab.note_classifier` on generated mixes.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.channels import LOWEST_MIDI, Cell
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.listener import Posteriors
from juxtanote.core.analysis.shipped import read_weights
from juxtanote.core.analysis.spectra import BINS_PER_SEMITONE, LOWEST_BIN_MIDI

Array = NDArray[np.float64]
KINDS = ("slurred", "slide", "muted", "harmonic", "tap", "bending", "shaking")
MOVING = ("bending", "shaking")
# In which partials are taken for notes, and in which people play together.
INTERVALS = (-24, -19, -12, -7, -5, -4, -3, 3, 4, 5, 7, 12, 19, 24)
# In which what still rings is taken for a note that begins.
RINGING = -24, -19, -12, 0, 12, 19, 24
NEAR_FRAMES = 3.0  # notes that start this close start together
AROUND_FRAMES = 130.0  # a second and a half
ECHO_FRAMES = np.arange(5, 66)  # 60 to 750 ms
SAME_LAG = 1.6  # frames: echoes of two notes that come as late as this alike come as late
BENT = (1, 4)  # semitones that a bend rises
WEAKER, MUCH_WEAKER = 0.04, 0.15  # by 3 and 12 dB
HIGH_MIDI = 96  # from 2 kHz on the noise of a pick shows
PARTIALS = (0, 12, 19, 24)  # the first four, in semitones over the note


def measures(notes: list[FoundNote], heard: Posteriors) -> Array:
    """Measure each candidate by itself and among the others.

    Parameters
    ----------
    notes : list of FoundNote
        By onset.
    heard : Posteriors
        That they were found in, with the spectra of the short windows.

    Returns
    -------
    measures : ndarray, shape (n_notes, n_measures)

    Raises
    ------
    ValueError
        If `heard` has no spectra of the short windows.
    """
    if not notes:
        return np.zeros((0, 0))
    starts = np.array([n.start for n in notes])
    ends = np.array([float(n.end) for n in notes])
    midi = np.array([float(n.midi) for n in notes])
    onset = np.array([n.onset_posterior for n in notes])
    kinds = np.array([[n.slurred, n.slide, n.muted, n.harmonic, n.tap] for n in notes])
    own = np.column_stack(
        [
            _logit(onset) / 3.0,
            [n.active_posterior for n in notes],
            np.log(np.maximum(ends - starts, 1.0) / 10.0),
            (midi - 60.0) / 12.0,
            kinds,
            [n.bending for n in notes],
            [n.shaking for n in notes],
            [_rival(n, (1, -1)) for n in notes],
            [_rival(n, (12,)) for n in notes],
            [_rival(n, (-12,)) for n in notes],
        ]
    )
    company = _company(starts, ends, midi, onset)
    return np.column_stack(
        [
            own,
            _attacks(notes, heard, onset),
            company,
            _habits(starts, onset, company[:, : len(INTERVALS)]),
            _echoes(notes, heard, starts, midi, onset),
            _arrivals(notes, heard, starts, ends),
            _neighbours(starts, ends, midi, onset, kinds),
        ]
    )


def _logit(p: Array) -> Array:
    q = np.clip(p, 1e-3, 1.0 - 1e-3)
    return np.asarray(np.log(q / (1.0 - q)))


def _rival(note: FoundNote, steps: tuple[int, ...]) -> float:
    return max((p for m, p in note.rivals if m - note.midi in steps), default=0.0)


def _attacks(notes: list[FoundNote], heard: Posteriors, onset: Array) -> Array:
    """Measure how each note is struck, and how that compares with the plain notes of the stretch."""
    rows = np.array([n.midi - LOWEST_MIDI for n in notes])
    frames = np.array([int(n.start + 0.5) for n in notes])
    active = heard.cells[Cell.ACTIVE]
    n_frames = active.shape[1]

    def at(offset: int) -> NDArray[np.int64]:
        return np.asarray(np.clip(frames + offset, 0, n_frames - 1))

    before = np.mean([active[rows, at(k)] for k in (-6, -5, -4, -3)], axis=0)
    dip = np.min([active[rows, at(k)] for k in (-3, -2, -1)], axis=0)
    after = np.mean([active[rows, at(k)] for k in (2, 3, 4, 5)], axis=0)
    columns = [before, dip, after, heard.lead[at(2)]]
    if heard.quick is None:
        raise ValueError("the spectra of the short windows are needed to measure attacks")
    bins = BINS_PER_SEMITONE * (rows + LOWEST_MIDI - LOWEST_BIN_MIDI) + 1
    bins = bins[:, None] + BINS_PER_SEMITONE * np.array(PARTIALS)
    bins = np.minimum(bins, heard.quick.shape[1] - 1)
    measured = []
    for window, (early, late) in zip(heard.quick, ((-6, 4), (-3, 2)), strict=True):
        levels = [
            np.mean(
                [window[bins, at(k)[:, None]].mean(axis=1) for k in range(low, low + 3)], axis=0
            )
            for low in (early, late)
        ]
        measured += [levels[1], levels[1] - levels[0]]
    high = BINS_PER_SEMITONE * (HIGH_MIDI - LOWEST_BIN_MIDI)
    sharp = heard.quick[1]
    step = np.maximum(sharp[:, 3:] - sharp[:, :-3], 0.0)
    for part in (step[:high].mean(axis=0), step[high:].mean(axis=0)):
        padded = np.pad(part, (2, 4))
        measured.append(
            np.max([padded[np.clip(frames + k, 0, n_frames)] for k in (0, 1, 2)], axis=0)
        )
    plain = onset > 0.5 if np.any(onset > 0.5) else np.ones(len(notes), dtype=bool)
    relative = [measured[k] - np.median(measured[k][plain]) for k in (1, 3, 4, 5)]
    return np.column_stack([*columns, *measured, *relative])


def _company(starts: Array, ends: Array, midi: Array, onset: Array) -> Array:
    """Measure what starts together with a note, and what rings when it starts."""
    lag = starts[None, :] - starts[:, None]  # of the other, from this one
    apart = midi[None, :] - midi[:, None]
    others = ~np.eye(len(starts), dtype=bool)
    together = others & (np.abs(lag) < NEAR_FRAMES)
    rings = others & (lag <= -NEAR_FRAMES) & (ends[None, :] > starts[:, None] + 2.0)
    columns = [
        np.where(together & (apart == k), onset[None, :], 0.0).max(axis=1) for k in INTERVALS
    ]
    columns += [np.where(rings & (apart == k), onset[None, :], 0.0).max(axis=1) for k in RINGING]
    columns.append(np.where(together, onset[None, :], 0.0).sum(axis=1))
    columns.append(np.where(rings, onset[None, :], 0.0).sum(axis=1))
    stronger = together & (onset[None, :] > onset[:, None])
    columns.append(stronger.sum(axis=1))
    return np.column_stack(columns)


def _habits(starts: Array, onset: Array, together: Array) -> Array:
    """Measure how often the notes around have the same company: octaves come in rows, ghosts less so."""
    apart = np.abs(starts[None, :] - starts[:, None])
    near = (apart >= NEAR_FRAMES) & (apart < AROUND_FRAMES) & (onset[None, :] > 0.3)
    count = np.maximum(near.sum(axis=1, keepdims=True), 1)
    return np.asarray(near @ together / count)


def _echoes(
    notes: list[FoundNote], heard: Posteriors, starts: Array, midi: Array, onset: Array
) -> Array:
    """Measure whether a note is the echo of an earlier one: weaker, and as late as others come again.

    A delay repeats all that is played after the same time; a player seldom does.
    """
    level = _levels(notes, heard)
    lag = starts[:, None] - starts[None, :]  # from the other, earlier one
    drop = level[None, :] - level[:, None]
    again = (midi[:, None] == midi[None, :]) & (lag > ECHO_FRAMES[0]) & (lag < ECHO_FRAMES[-1])
    weaker = again & (drop > WEAKER)
    plain = onset > 0.3
    later, earlier = np.nonzero(weaker)
    as_late = np.abs(lag[later, earlier][:, None] - ECHO_FRAMES) < SAME_LAG
    repeated = np.zeros((len(notes), len(ECHO_FRAMES)), dtype=bool)
    np.logical_or.at(repeated, earlier, as_late)
    repeated = repeated.T
    # For each lag and note: the share of the notes around that come again, weaker, after that time.
    around = (np.abs(lag) < AROUND_FRAMES) & plain
    shares = (repeated & plain).astype(float) @ around.T.astype(float)
    shares /= np.maximum(around.sum(axis=1), 1)
    place = np.clip(np.rint(lag).astype(int) - ECHO_FRAMES[0], 0, len(ECHO_FRAMES) - 1)
    each = np.arange(len(notes))
    share = np.where(again, shares[place, each[:, None]], -1.0)
    source = np.argmax(share, axis=1)
    found = share[each, source] >= 0.0
    best = np.where(found, share[each, source], 0.0)
    fall = np.where(found, drop[each, source], 0.0)
    return np.column_stack(
        [best, fall, best * np.clip(fall / MUCH_WEAKER, 0.0, 1.0), shares.max(axis=0, initial=0.0)]
    )


def _arrivals(notes: list[FoundNote], heard: Posteriors, starts: Array, ends: Array) -> Array:
    """Measure whether a pitch was reached by a bend: then no new note begins there."""
    moving = heard.cells[Cell.BENDING]
    rows = np.array([n.midi - LOWEST_MIDI for n in notes])
    frames = np.array([int(n.start + 0.5) for n in notes])
    before = np.max(
        [
            moving[
                np.clip(rows + d, 0, len(moving) - 1), np.clip(frames - k, 0, moving.shape[1] - 1)
            ]
            for d in range(-BENT[1], 2)
            for k in range(1, 9)
        ],
        axis=0,
    )
    lag = starts[:, None] - starts[None, :]
    apart = np.abs(rows[:, None] - rows[None, :])
    into = (lag >= NEAR_FRAMES) & (ends[None, :] >= starts[:, None] - NEAR_FRAMES)
    into &= (apart >= BENT[0]) & (apart <= BENT[1])
    bending = np.array([n.bending for n in notes])
    return np.column_stack([before, np.where(into, bending, 0.0).max(axis=1)])


def _levels(notes: list[FoundNote], heard: Posteriors) -> Array:
    """Read how loud each note is at its start, from its first partials: 80 dB are 1."""
    if heard.quick is None:
        raise ValueError("the spectra of the short windows are needed to measure levels")
    rows = np.array([n.midi - LOWEST_BIN_MIDI for n in notes])
    bins = BINS_PER_SEMITONE * rows[:, None] + 1 + BINS_PER_SEMITONE * np.array(PARTIALS[:2])
    frames = np.array([[int(n.start + 0.5) + k for k in (2, 3, 4)] for n in notes])
    frames = np.clip(frames, 0, heard.quick.shape[2] - 1)
    bins = np.minimum(bins, heard.quick.shape[1] - 1)
    read = heard.quick[0][bins[:, :, None], frames[:, None, :]]
    return np.asarray(read.mean(axis=2).max(axis=1), dtype=np.float64)


def _neighbours(starts: Array, ends: Array, midi: Array, onset: Array, kinds: Array) -> Array:
    """Measure the notes before and after, and how this stretch is played on the whole."""
    rows = []
    # Whose start lies before, or after, all that is near: notes need not be quite in order.
    earlier, later = np.maximum.accumulate(starts), np.minimum.accumulate(starts[::-1])[::-1]
    firsts = np.searchsorted(earlier, starts - AROUND_FRAMES)
    lasts = np.searchsorted(later, starts + AROUND_FRAMES, side="right")
    each = (starts, ends, midi, onset, kinds)
    for begin, end, here in zip(firsts.tolist(), lasts.tolist(), range(len(starts)), strict=True):
        starts, ends, midi, onset, kinds = (column[begin:end] for column in each)
        index = here - begin
        lag = starts - starts[index]
        near = (np.abs(lag) < AROUND_FRAMES) & (onset > 0.3)
        near[index] = False
        weight = near.sum()
        mean = kinds[near].mean(axis=0) if weight else np.zeros(kinds.shape[1])
        row = [*mean, weight / 20.0]
        for sign in (-1, 1):
            beside = near & (sign * lag >= NEAR_FRAMES)
            if not beside.any():
                row += [0.0] * 14
                continue
            nearest = float(np.min(sign * lag[beside]))
            close = np.flatnonzero(beside & (sign * lag < nearest + NEAR_FRAMES))
            other = int(close[np.argmin(np.abs(midi[close] - midi[index]))])
            step = sign * (midi[other] - midi[index])
            hole = starts[index] - ends[other] if sign < 0 else starts[other] - ends[index]
            row += [
                np.clip(step, -14, 14) / 7.0, *_step_kind(abs(step)), np.log(nearest / 10.0),
                np.clip(hole, -10, 20) / 10.0, onset[other], *kinds[other],
            ]  # fmt: skip
        rows.append(row)
    return np.array(rows)


def _step_kind(step: float) -> list[float]:
    kinds = (step < 0.5, 0.5 <= step < 2.5, 2.5 <= step < 4.5, 4.5 <= step < 7.5, step >= 7.5)
    return [float(kind) for kind in kinds]


def classified(
    notes: list[FoundNote], heard: Posteriors, bonus: Array | None = None
) -> list[FoundNote]:
    """Give each candidate how likely it is right (`confidence`), and how it was struck.

    Parameters
    ----------
    notes : list of FoundNote
        By onset.
    heard : Posteriors
        That they were found in.
    bonus : ndarray, shape (n_notes,), optional
        Log odds that are known beside the sound, such as the scale.
    """
    weights = read_weights("note_classifier")
    if not notes or weights is None or heard.quick is None:
        return notes
    x = (measures(notes, heard) - weights["mean"]) / weights["spread"]
    hidden = np.maximum(np.clip(x, -6.0, 6.0) @ weights["w1"] + weights["b1"], 0.0)
    logits = hidden @ weights["w2"] + weights["b2"]
    if bonus is not None:
        logits[:, 0] += bonus
    p = 1.0 / (1.0 + np.exp(-np.clip(logits, -30.0, 30.0)))
    for kind in MOVING:
        # The listener follows the pitch itself; here only its strongest moment is known: both speak.
        column = 1 + KINDS.index(kind)
        followed = np.array([getattr(note, kind) for note in notes])
        odds = _logit(np.stack([followed, p[:, column]]))
        p[:, column] = 1.0 / (1.0 + np.exp(-odds.mean(axis=0)))
    return [
        replace(note, confidence=row[0], **dict(zip(KINDS, row[1:], strict=True)))
        for note, row in zip(notes, p.tolist(), strict=True)
    ]

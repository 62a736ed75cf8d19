"""Techniques read from measurement: the shape of the pitch curve, and what the attack carried."""

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.theory.observed import Observation, Shows

BEND_AT_LEAST = 0.35  # semitones
LEAST_ABOVE = 0.2  # semitones over the note itself that make a bend
HELD_S = 0.05  # a bend's goal must hold so long
HELD_AT, REACHED_AT = 0.7, 0.85  # of the rise: over it a goal is held, at it it is reached
OF_A_SWING = 0.8  # of a vibrato's depth: a smaller rise is its own
# Semitones, and of the rise, by which a bend is let down; by which a pre-bend falls, and rises at most.
LET_DOWN_AT_LEAST, LET_DOWN, FALL_AT_LEAST, STILL = 0.3, 0.4, 0.4, 0.3
GLIDE_S = 0.14  # of a note that ends in a slide, its last part
# Semitones from point to point: a jump, and what is level; of the points, how many make most.
A_JUMP, LEVEL_STEP, MOSTLY = 0.6, 0.05, 0.8
MISTUNED = 0.1  # how sharp the string itself may be; more is a bend that rises at once
VIBRATO_HZ = (3.2, 9.0)  # of hands and arms (common practice: 4 to 7, with room)
# Seconds: a note so long has room for a swing; one swing is averaged out; a stretch that is looked at,
# and how much of it must be there.
HAS_ROOM_S, ONE_SWING_S, LOOKED_AT_S, LEAST_PART_S = 0.35, 0.22, 0.5, 0.3
# Of the power: within so many hertz of its peak lies most of a vibrato, and little of a step or a glide.
PEAK_HZ, MOST_OF_IT = 2.2, 0.6
DEEPEST = 2.5  # semitones from edge to edge: beyond it lie trills and bends
# A turn is where so much of the depth is reached; a swing has so many, as even in time and size.
TURN_AT, TURNS, UNEVEN, SMALLEST_TURN = 0.22, 4, 0.35, 0.35
SHALLOWEST = 0.12  # semitones, peak to peak


@dataclass(frozen=True, slots=True)
class Reading:
    """What a pitch curve shows."""

    techniques: frozenset[str] = frozenset()
    bend_semitones: float = 0.0
    start_midi: float = 0.0  # fretted pitch: for a pre-bend below what is heard first
    vibrato_hz: float = 0.0
    vibrato_cents: float = 0.0
    evidence: tuple[Observation, ...] = field(default=())


def smooth(values: NDArray[np.float64], width: int) -> NDArray[np.float64]:
    """Take a running median, then a short mean.

    Parameters
    ----------
    values : ndarray of float64, shape (n_points,)
    width : int
        Of the median, in points.

    Examples
    --------
    >>> smooth(np.array([0.0, 0.0, 9.0, 0.0, 0.0, 0.0]), 3).tolist()
    [0.0, 0.0, 0.0, 0.0, 0.0, 0.0]
    """
    if len(values) < 3:
        return values
    from scipy import ndimage

    return np.asarray(ndimage.median_filter(values, size=min(width, len(values)), mode="nearest"))


def read_curve(
    times_s: NDArray[np.float64],
    cents: NDArray[np.float64],
    midi: float,
    *,
    glides_on: bool = False,
) -> Reading:
    """Read bend, pre-bend, release and vibrato from a curve in cents above `midi`.

    Parameters
    ----------
    times_s, cents : ndarray of float64, shape (n_points,)
        The curve, in seconds from the onset and cents.
    midi : float
        The pitch that it is measured from.
    glides_on : bool
        The note ends in a slide to the next: its last part is not taken for a bend.
    """
    if len(cents) < 5:
        return Reading(start_midi=midi)
    if glides_on:
        keep = times_s < times_s[-1] - min(GLIDE_S, 0.5 * (times_s[-1] - times_s[0]))
        if np.count_nonzero(keep) < 5:
            return Reading(start_midi=midi)
        times_s, cents = times_s[keep], cents[keep]
    semitones = smooth(cents, 5) / 100.0
    rate, depth, delay, trend = measure_vibrato(times_s, semitones)
    course = trend if rate > 0.0 else semitones
    start = float(np.median(course[: max(min(len(course) // 6, 5), 2)]))
    end = float(np.median(course[-max(min(len(course) // 6, 5), 2) :]))
    top = float(np.percentile(course, 92))
    tags: set[str] = set()
    evidence: list[Observation] = []
    bend, fretted = 0.0, midi
    rise = top - start
    # A wide vibrato lifts the mean of its curve: that is no bend.
    least = BEND_AT_LEAST if rate == 0.0 else max(BEND_AT_LEAST, OF_A_SWING * depth)
    if rise > least and _held_s(times_s, course, start + HELD_AT * rise) >= HELD_S:
        # Vibrato pulls a bent note down: its upper edge is the bend.
        reached_top = top if rate == 0.0 else float(np.percentile(semitones, 92))
        bend = max(reached_top, top) - float(np.clip(start, 0.0, MISTUNED))
    # A curve that only comes up to the note's own pitch is a glide into it, and no bend.
    if bend > LEAST_ABOVE:
        tags.add("bend")
        reached = float(times_s[int(np.argmax(course >= start + REACHED_AT * rise))])
        evidence.append(Observation(Shows.BENDS, (round(bend, 2), round(reached, 3))))
        if top - end > max(LET_DOWN * rise, LET_DOWN_AT_LEAST):
            tags.add("release")
            evidence.append(Observation(Shows.LET_DOWN, (round(top - end, 2),)))
    elif start - end > FALL_AT_LEAST and rise < STILL and _falls_smoothly(course):
        fretted = midi + round(end)
        bend = start - end
        tags |= {"pre-bend", "release"}
        evidence.append(Observation(Shows.PRE_BENT, (round(bend, 2),)))
    if rate > 0.0:
        tags.add("vibrato")
        swings = (round(rate, 2), round(100.0 * depth, 1), round(delay, 2))
        evidence.append(Observation(Shows.SWINGS, swings))
    bend = bend if tags & {"bend", "pre-bend"} else 0.0
    return Reading(frozenset(tags), bend, fretted, rate, 100.0 * depth, tuple(evidence))


def _held_s(times_s: NDArray[np.float64], course: NDArray[np.float64], above: float) -> float:
    return float(np.count_nonzero(course > above) * (times_s[1] - times_s[0]))


def _falls_smoothly(course: NDArray[np.float64]) -> bool:
    steps = np.diff(course)
    return bool(
        np.max(np.abs(steps), initial=0.0) < A_JUMP
        and np.sum(steps < LEVEL_STEP) > MOSTLY * len(steps)
    )


class Swing(NamedTuple):
    """A periodic swing of pitch: `rate_hz` is 0 where there is none.

    `depth` is in semitones from peak to peak, `delay_s` how late it begins, `trend` the curve without it,
    in semitones, shape (n_points,).
    """

    rate_hz: float
    depth: float
    delay_s: float
    trend: NDArray[np.float64]


def measure_vibrato(times_s: NDArray[np.float64], semitones: NDArray[np.float64]) -> Swing:
    """Find a periodic swing.

    Parameters
    ----------
    times_s : ndarray of float64, shape (n_points,)
        Evenly spaced, in seconds.
    semitones : ndarray of float64, shape (n_points,)
        The pitch curve.

    Examples
    --------
    >>> times = np.arange(0.0, 1.0, 0.01)
    >>> swing = measure_vibrato(times, 0.3 * np.sin(2 * np.pi * 5.5 * times))
    >>> bool(abs(swing.rate_hz - 5.5) < 0.4), bool(0.4 < swing.depth < 0.8)
    (True, True)
    """
    hop = float(times_s[1] - times_s[0])
    none = Swing(0.0, 0.0, 0.0, semitones)
    if len(semitones) * hop < HAS_ROOM_S:
        return none
    width = max(int(ONE_SWING_S / hop) | 1, 3)
    padded = np.pad(semitones, width // 2, mode="reflect")
    trend = np.convolve(padded, np.ones(width) / width, mode="valid")
    swing = semitones - trend
    best = none
    length = int(LOOKED_AT_S / hop)
    starts = range(0, max(len(swing) - length, 0) + 1, max(length // 4, 1))
    moments: list[tuple[float, float, float, float]] = []
    for start in starts:
        part = swing[start : start + length]
        if len(part) * hop < LEAST_PART_S:
            continue
        part = part - part.mean()
        power = np.abs(np.fft.rfft(part * np.hanning(len(part)), 1024)) ** 2
        freqs = np.fft.rfftfreq(1024, hop)
        band = (freqs >= VIBRATO_HZ[0]) & (freqs <= VIBRATO_HZ[1])
        peak = int(np.argmax(np.where(band, power, 0.0)))
        share = power[np.abs(freqs - freqs[peak]) < PEAK_HZ].sum() / max(power.sum(), 1e-12)
        depth = 2.0 * np.sqrt(2.0) * float(np.std(part))
        if share > MOST_OF_IT and SHALLOWEST < depth < DEEPEST and _swings_evenly(part, depth, hop):
            moments.append((float(power[peak]), float(freqs[peak]), depth, float(times_s[start])))
    if moments:
        strongest = max(moments)
        delay = min(m[3] for m in moments if m[2] > 0.5 * strongest[2])
        best = Swing(strongest[1], strongest[2], delay, trend)
    return best


def _swings_evenly(part: NDArray[np.float64], depth: float, hop_s: float) -> bool:
    """Tell a swing from a single step: it turns at least four times, at even distances."""
    turns: list[tuple[int, float]] = []
    for index in range(1, len(part) - 1):
        turning = (part[index] - part[index - 1]) * (part[index + 1] - part[index]) <= 0.0
        if not turning or abs(part[index]) < TURN_AT * depth:
            continue
        if turns and np.sign(turns[-1][1]) == np.sign(part[index]):
            if abs(part[index]) > abs(turns[-1][1]):
                turns[-1] = (index, float(part[index]))
        else:
            turns.append((index, float(part[index])))
    if len(turns) < TURNS:
        return False
    gaps = np.diff([index for index, _ in turns]) * hop_s
    sizes = np.abs([value for _, value in turns])
    even = float(np.std(gaps)) < UNEVEN * float(np.mean(gaps))
    return even and float(sizes.min()) > SMALLEST_TURN * float(sizes.max())

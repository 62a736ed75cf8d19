"""Between seconds and beats: beat times as they were played, bars counted over them."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise
from math import isfinite
from typing import TYPE_CHECKING

from juxtanote.core.later import np

if TYPE_CHECKING:
    from numpy.typing import ArrayLike, NDArray


LEAST_BEAT_S = 0.02  # between two beats
FEW = 16  # beats


@dataclass(frozen=True, slots=True)
class Metre:
    """What of a time map says how values are written: no times, so it is quickly compared."""

    beats_per_bar: int = 4
    is_compound: bool = False
    quarters_per_beat: Fraction = Fraction(1)


@dataclass(frozen=True, slots=True)
class TimeMap:
    """Beat times in seconds. Beat 0 is the first beat of bar 1; earlier beats are the pickup.

    Between two beats time runs evenly; before the first and after the last it goes on at the
    tempo found there. `division` is 2 where beats halve, 3 where they fall into three.
    """

    beat_times_s: tuple[float, ...] = (0.0, 0.5)
    first_downbeat: int = 0  # index of bar 1, beat 1 in `beat_times_s`
    beats_per_bar: int = 4
    beat_unit: int = 4  # the note value of one beat in the time signature
    division: int = 2

    def __post_init__(self) -> None:
        if not _is_rising(self.beat_times_s):
            raise ValueError("a time map needs two or more rising beat times, 20 ms apart or more")
        if not 1 <= self.beats_per_bar <= 16 or self.beat_unit not in (2, 4, 8, 16):
            raise ValueError(f"a bar of {self.beats_per_bar}/{self.beat_unit} cannot be counted")
        if not -100_000 <= self.first_downbeat <= 100_000 or self.division not in (2, 3):
            raise ValueError("the first downbeat or the division of the beat is out of range")

    @property
    def is_compound(self) -> bool:
        """Tell whether the beat falls into three, as in 6/8 and 12/8."""
        return self.division == 3

    @property
    def signature(self) -> tuple[int, int]:
        """Give the time signature: a compound beat counts as three of the next shorter value.

        Examples
        --------
        >>> TimeMap(beats_per_bar=2, division=3).signature
        (6, 8)
        """
        if self.is_compound:
            return 3 * self.beats_per_bar, 2 * self.beat_unit
        return self.beats_per_bar, self.beat_unit

    @property
    def quarters_per_beat(self) -> Fraction:
        """Give how many quarter notes a beat is worth; compound beats are dotted."""
        plain = Fraction(4, self.beat_unit)
        return plain * Fraction(3, 2) if self.is_compound else plain

    @property
    def metre(self) -> Metre:
        """Give what written values depend on."""
        return Metre(self.beats_per_bar, self.is_compound, self.quarters_per_beat)

    def with_signature(self, count: int, unit: int) -> TimeMap:
        """Set the metre: 6, 9 and 12 eighths (or sixteenths) count in compound beats.

        Parameters
        ----------
        count, unit : int
            As a time signature has them: 6 and 8 are two beats of three eighths.
        """
        if unit in (8, 16) and count % 3 == 0 and count > 3:
            return replace(self, beats_per_bar=count // 3, beat_unit=unit // 2, division=3)
        return replace(self, beats_per_bar=count, beat_unit=unit, division=2)

    def to_beats(self, seconds: ArrayLike) -> NDArray[np.float64]:
        """Give beat positions; 0 is bar 1, beat 1.

        Parameters
        ----------
        seconds : ArrayLike, any shape
            Of the recording.
        """
        times = _as_array(self.beat_times_s)
        return _piecewise(np.asarray(seconds, np.float64), times, self._numbers())

    def to_seconds(self, beats: ArrayLike) -> NDArray[np.float64]:
        """Give times in seconds of beat positions.

        Parameters
        ----------
        beats : ArrayLike, any shape
            Counted from bar 1, beat 1.
        """
        times = _as_array(self.beat_times_s)
        return _piecewise(np.asarray(beats, np.float64), self._numbers(), times)

    def _numbers(self) -> NDArray[np.float64]:
        return np.arange(len(self.beat_times_s), dtype=np.float64) - self.first_downbeat

    def bar_and_beat(self, beats: float) -> tuple[int, float]:
        """Give the bar (1-based; 0 and below before bar 1) and the beat in it (1-based).

        Parameters
        ----------
        beats : float
            Counted from bar 1, beat 1.

        Examples
        --------
        >>> TimeMap().bar_and_beat(5.5)
        (2, 2.5)
        """
        bar = int(np.floor(beats / self.beats_per_bar + 1e-9))
        return bar + 1, float(beats - bar * self.beats_per_bar + 1.0)

    def tempo_at(self, seconds: float) -> float:
        """Give the tempo around a time, in beats a minute.

        Parameters
        ----------
        seconds : float
            Of the recording.
        """
        times = self.beat_times_s
        index = min(max(bisect_right(times, seconds) - 1, 0), len(times) - 2)
        low, high = max(index - 2, 0), min(index + 3, len(times) - 1)
        return 60.0 * (high - low) / (times[high] - times[low])

    def beats_between(self, start_s: float, end_s: float) -> list[tuple[float, int, int]]:
        """List (seconds, bar, beat) of every whole beat in a stretch of time.

        Parameters
        ----------
        start_s, end_s : float
            Seconds of the recording.
        """
        first = int(np.ceil(float(self.to_beats(start_s)) - 1e-9))
        last = int(np.floor(float(self.to_beats(end_s)) + 1e-9))
        beats = np.arange(first, last + 1)
        bars, inside = np.divmod(beats, self.beats_per_bar)
        rows = self.to_seconds(beats).tolist(), (bars + 1).tolist(), (inside + 1).tolist()
        return list(zip(*rows, strict=True))

    # Edits: each gives a new map.

    def with_constant_tempo(self, bpm: float, bar_one_s: float, length_s: float) -> TimeMap:
        """Lay even beats over a recording, bar 1 at a given time.

        Parameters
        ----------
        bpm : float
            Beats a minute.
        bar_one_s : float
            In seconds.
        length_s : float
            Of the recording, in seconds.
        """
        if not 20.0 <= bpm <= 400.0:
            raise ValueError(f"a tempo of {bpm:g} beats a minute: 20 to 400")
        step = 60.0 / bpm
        before = int(max(bar_one_s, 0.0) / step)
        count = max(int((length_s - bar_one_s) / step) + 1, 2)
        times = bar_one_s + step * np.arange(-before, count)
        return replace(self, beat_times_s=tuple(times.tolist()), first_downbeat=before)

    def with_beat_at(self, index: int, seconds: float) -> TimeMap:
        """Move one beat, staying between its neighbours.

        Parameters
        ----------
        index : int
            Which beat, from 0.
        seconds : float
            Where to.
        """
        times = list(self.beat_times_s)
        low = times[index - 1] + 0.03 if index > 0 else -np.inf
        high = times[index + 1] - 0.03 if index + 1 < len(times) else np.inf
        times[index] = float(min(max(seconds, low), high))
        return replace(self, beat_times_s=tuple(times))

    def with_steady_tempo(self, start_s: float, end_s: float, bpm: float = 0.0) -> TimeMap:
        """Space beats evenly over a stretch, and leave those outside it as they are.

        Without a tempo the beats inside keep their number; with one they are laid anew from the
        first beat of the stretch.

        Parameters
        ----------
        start_s, end_s : float
            Seconds of the recording.
        bpm : float
            Beats a minute.
        """
        times = np.asarray(self.beat_times_s)
        inside = np.flatnonzero((times >= start_s - 0.02) & (times <= end_s + 0.02))
        if len(inside) < 2:
            raise ValueError("the stretch holds fewer than two beats")
        first, last = int(inside[0]), int(inside[-1])
        if not bpm:
            even = np.linspace(times[first], times[last], last - first + 1)
        elif not 20.0 <= bpm <= 400.0:
            raise ValueError(f"a tempo of {bpm:g} beats a minute: 20 to 400")
        else:
            even = np.arange(times[first], times[last] + 0.5 * 60.0 / bpm, 60.0 / bpm)
        after = times[last + 1 :]
        if bpm:
            after = after[after > even[-1] + 30.0 / bpm]
        one = self.first_downbeat
        if bpm and first < one <= last:  # bar 1 keeps the beat nearest to where it was
            one = first + int(np.argmin(np.abs(even - times[one])))
        elif bpm and one > last:
            one += len(even) + len(after) - (len(times) - first)
        both = np.concatenate([times[:first], even, after])
        return replace(self, beat_times_s=tuple(both.tolist()), first_downbeat=one)

    def nearest_beat(self, seconds: float) -> tuple[int, float]:
        """Give the index of the beat nearest to a time, and its time.

        Parameters
        ----------
        seconds : float
            Of the recording.
        """
        times = np.asarray(self.beat_times_s)
        index = int(np.argmin(np.abs(times - seconds)))
        return index, float(times[index])

    def with_bar_one_at(self, seconds: float) -> TimeMap:
        """Declare the beat nearest to a time the first of bar 1.

        Parameters
        ----------
        seconds : float
            Of the recording.
        """
        times = np.asarray(self.beat_times_s)
        return replace(self, first_downbeat=int(np.argmin(np.abs(times - seconds))))

    def shifted_by_a_beat(self, beats: int) -> TimeMap:
        """Move every bar line by whole beats."""
        return replace(self, first_downbeat=self.first_downbeat + beats)

    def doubled(self) -> TimeMap:
        """Put a beat between every two."""
        times = np.asarray(self.beat_times_s)
        middles = 0.5 * (times[1:] + times[:-1])
        both = np.sort(np.concatenate([times, middles]))
        return replace(
            self, beat_times_s=tuple(both.tolist()), first_downbeat=2 * self.first_downbeat
        )

    def halved(self) -> TimeMap:
        """Keep every second beat, bar 1 among them."""
        odd = self.first_downbeat % 2
        times = self.beat_times_s[odd::2]
        if len(times) < 2:
            raise ValueError("too few beats to halve the tempo")
        return replace(self, beat_times_s=times, first_downbeat=(self.first_downbeat - odd) // 2)

    def tapped(self, taps_s: Sequence[float]) -> TimeMap:
        """Lay beats through taps, and go on at their tempo on both sides.

        Parameters
        ----------
        taps_s : sequence of float
            Seconds of the recording; four at least.
        """
        taps = np.sort(np.asarray(taps_s, dtype=np.float64))
        if len(taps) < 4:
            raise ValueError("tap at least four beats")
        step = float(np.median(np.diff(taps)))
        before = taps[0] - step * np.arange(int(taps[0] / step), 0, -1)
        end = self.beat_times_s[-1]
        after = taps[-1] + step * np.arange(1, max(int((end - taps[-1]) / step), 0) + 1)
        times = np.concatenate([before, taps, after])
        return replace(self, beat_times_s=tuple(times.tolist()), first_downbeat=len(before))


def _is_rising(times: tuple[float, ...]) -> bool:
    """Tell whether times are finite and rise by a beat's least length at least."""
    if len(times) < FEW:  # without NumPy, which the window does not wait for
        steps = [after - before for before, after in pairwise(times)]
        return len(times) > 1 and min(steps) >= LEAST_BEAT_S and all(map(isfinite, times))
    array = np.array(times)
    return bool(np.all(np.isfinite(array)) and np.all(np.diff(array) >= LEAST_BEAT_S))


_latest: tuple[tuple[float, ...], NDArray[np.float64]] | None = None


def _as_array(beat_times_s: tuple[float, ...]) -> NDArray[np.float64]:
    """Give beats as an array; those of the lesson at hand are asked for dozens of times a key."""
    global _latest
    known = _latest
    if known is None or known[0] is not beat_times_s:
        known = _latest = beat_times_s, np.asarray(beat_times_s, dtype=np.float64)
    return known[1]


def _piecewise(
    x: NDArray[np.float64], xp: NDArray[np.float64], fp: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Interpolate, and go on straight beyond both ends."""
    index = np.clip(np.searchsorted(xp, x, side="right") - 1, 0, len(xp) - 2)
    slope = (fp[index + 1] - fp[index]) / (xp[index + 1] - xp[index])
    return np.asarray(fp[index] + (x - xp[index]) * slope)

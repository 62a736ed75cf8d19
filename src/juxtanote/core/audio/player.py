"""What the sound card is fed: loop, speed, balance, click and count-in, mixed block by block.

The player counts output samples. It remembers where in the recording each stretch of them came
from, so that the playhead can be drawn where the sound is, not where the mixing is.
"""

import threading
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.audio.clicks import (
    ON_BEAT_S,
    Clicked,
    add_at,
    beat_near,
    click_sound,
    clicked_beats,
)
from juxtanote.core.audio.mixing import Sources, under_ceiling
from juxtanote.core.audio.stretch import PassMap, PassStretcher, map_pass

SLOWEST, FASTEST = 0.25, 1.25  # of the recording's speed; slower than that attacks tear
CROSSFADE = 512  # samples over which a change of speed or attacks is faded


@dataclass(frozen=True, slots=True)
class SpeedStep:
    """So many passes at one speed; the last step of a plan goes on for ever."""

    speed: float
    repeats: int


@dataclass(slots=True)
class _Lead:
    """What comes before a pass: silence and counts, in output samples."""

    clicks: tuple[int, ...] = ()
    length: int = 0
    left: int = 0


@dataclass(frozen=True, slots=True)
class _Stretch:
    """Output samples from `out` on came from `plan`, beginning at its sample `inside`."""

    out: int
    length: int
    plan: PassMap | None  # None: count-in
    inside: int
    pass_number: int


class LoopPlayer:
    """Plays a recording and its rendered tab in step. Safe to steer while another thread renders."""

    def __init__(self, sample_rate: int) -> None:
        self.sample_rate = sample_rate
        self._lock = threading.RLock()
        self._sources = Sources(np.zeros((2, 1), dtype=np.float32))
        self._fading: PassStretcher | None = None  # what played before a change, as it fades out
        self._faded = 0
        self._attacks = np.zeros(0, dtype=np.int64)
        self._beats = np.zeros((0, 2))
        self._spans: tuple[tuple[int, int], ...] = ()  # what loops, one after the other
        self._speed = 1.0
        self._plan_steps: tuple[SpeedStep, ...] = ()
        self._balance = 0.0
        self._level = 0.25
        self.click = False
        self.clicked = Clicked.EVERY
        self.count_in_beats = 0
        self.counts_each_pass = False
        self.breath_beats = 0  # silence between passes
        self.waits_each_pass = False  # until it is asked to play on
        self.is_waiting = False
        self.sides_apart = False  # recording on the left, tab on the right
        self._stretcher: PassStretcher | None = None
        self._resume = 0
        self._pass_number = 0
        self._lead = _Lead()
        self._out = 0
        self._history: deque[_Stretch] = deque(maxlen=4000)
        self.is_playing = False
        self._click_high = click_sound(sample_rate, 1760.0)
        self._click_low = click_sound(sample_rate, 1320.0)

    # What is played

    def set_recording(self, audio: NDArray[np.float32]) -> None:
        """Play this stereo recording (2, n_samples), which is not copied; there is no tab until set."""
        with self._lock:
            self._sources = Sources(audio)
            self._attacks = np.zeros(0, dtype=np.int64)
            self._spans = ()
            self._rewind(0)

    def clear_recording(self) -> None:
        """Play nothing, and hold no sound."""
        self.set_recording(np.zeros((2, 1), dtype=np.float32))

    def replace_recording(self, audio: NDArray[np.float32]) -> None:
        """Sound another version of the same recording from here on; all else stays."""
        with self._lock:
            self._sources = Sources(audio, self._sources.tab, self._sources.tab_start)
            self._replan()

    def set_tab(self, audio: NDArray[np.float32] | None, start_s: float = 0.0) -> None:
        """Lay rendered tab, mono (n_samples,), under the recording from a time on; None takes it away."""
        with self._lock:
            start = int(start_s * self.sample_rate)
            self._sources = Sources(self._sources.recording, audio, start)
            self._replan()

    def set_attacks(self, onsets_s: NDArray[np.float64]) -> None:
        """Tell where attacks are, so that they stay sharp when slowed."""
        with self._lock:
            samples = np.rint(np.sort(onsets_s) * self.sample_rate).astype(np.int64)
            if not np.array_equal(samples, self._attacks):
                self._attacks = samples
                self._replan()

    def set_beats(self, beats: NDArray[np.float64]) -> None:
        """Tell where the click goes: rows of (seconds, 1 on a bar's first beat or 0)."""
        with self._lock:
            self._beats = np.asarray(beats, dtype=np.float64).reshape(-1, 2)

    # How it is played

    @property
    def speed(self) -> float:
        """Part of the recording's speed that sounds now."""
        return self._step_speed()

    def set_speed(self, speed: float) -> None:
        """Change the speed from the next block on; any plan of steps ends."""
        with self._lock:
            self._speed = float(np.clip(speed, SLOWEST, FASTEST))
            self._plan_steps = ()
            self._replan()

    def set_speed_steps(self, steps: tuple[SpeedStep, ...]) -> None:
        """Step the speed from pass to pass, starting with the next pass that starts."""
        with self._lock:
            self._plan_steps = steps
            self._pass_number = 0
            self._replan()

    def set_loop(self, start_s: float, end_s: float) -> None:
        """Loop a stretch; from inside it playing goes on, from outside it jumps to its start."""
        self.set_spans(((start_s, end_s),))

    def set_spans(self, spans_s: Sequence[tuple[float, float]]) -> None:
        """Loop some stretches, one after the other; what lies between them does not sound.

        Parameters
        ----------
        spans_s : sequence of (float, float)
            Start and end of each in seconds, rising and apart; where none is within the recording the
            loop stays as it is.
        """
        with self._lock:
            spans = [span for span in map(self._in_samples, spans_s) if span[1] > span[0]]
            if not spans:
                return
            here = self._input_position()
            self._spans = tuple(spans)
            inside = any(start <= here < end for start, end in spans)
            self._rewind(here if inside else spans[0][0])

    def _in_samples(self, span_s: tuple[float, float]) -> tuple[int, int]:
        start = int(round(max(span_s[0], 0.0) * self.sample_rate))
        end = int(round(span_s[1] * self.sample_rate))
        return start, min(max(end, start + self.sample_rate // 20), self._sources.shape[1])

    @property
    def _loop(self) -> tuple[int, int] | None:
        """From where to where it loops, what is left out between included."""
        return (self._spans[0][0], self._spans[-1][1]) if self._spans else None

    def clear_loop(self) -> None:
        """Play on to the end of the recording."""
        with self._lock:
            here = self._input_position()
            self._spans = ()
            self._rewind(here)

    @property
    def loop_s(self) -> tuple[float, float] | None:
        """The loop in seconds."""
        if self._loop is None:
            return None
        return self._loop[0] / self.sample_rate, self._loop[1] / self.sample_rate

    @property
    def loop_length_s(self) -> float:
        """How long one pass is at full speed: without what is left out between stretches."""
        return sum(end - start for start, end in self._spans) / self.sample_rate

    def set_balance(self, balance: float) -> None:
        """Set the mix: -1 recording only, 0 both, +1 tab only."""
        self._balance = float(np.clip(balance, -1.0, 1.0))

    def set_level(self, level: float) -> None:
        """Set loudness, 0 to 1 of the ceiling."""
        self._level = float(np.clip(level, 0.0, 1.0))

    def play(self) -> None:
        """Start, counting in if asked."""
        with self._lock:
            if self.is_playing:
                self.is_waiting = False
                return
            self.is_playing, self.is_waiting = True, False
            self._lead = self._lead_to(self._input_position(), self.count_in_beats)

    def stop(self) -> None:
        """Pause where the sound is."""
        with self._lock:
            self.is_playing, self.is_waiting = False, False
            self._lead = _Lead()

    def seek(self, seconds: float) -> None:
        """Go to a time; inside a loop the loop goes on from there."""
        with self._lock:
            position = round(seconds * self.sample_rate)
            position = int(np.clip(position, 0, self._sources.shape[1] - 1))
            passes = self._pass_number
            if self._loop is not None and not self._loop[0] <= position <= self._loop[1]:
                self._spans, passes = (), 0
            self._rewind(position)
            self._pass_number = passes  # a plan of steps holds where it was

    # Where it is

    @property
    def passes_done(self) -> int:
        """How many times the loop has come round since its plan or its edges changed."""
        return self._pass_number

    @property
    def position_s(self) -> float:
        """Where the next rendered sample comes from."""
        with self._lock:
            return self._input_position() / self.sample_rate

    def position_at(self, out_sample: int) -> float | None:
        """Give where in the recording an output sample came from, in seconds; None in a count-in."""
        with self._lock:
            for part in reversed(self._history):
                if part.out <= out_sample:
                    if part.plan is None:
                        return None
                    inside = part.inside + min(out_sample - part.out, part.length)
                    return float(part.plan.to_input(float(inside))) / self.sample_rate
        return self.position_s

    @property
    def rendered(self) -> int:
        """How many samples were rendered so far."""
        return self._out

    def render(self, count: int) -> NDArray[np.float32]:
        """Give the next block, stereo float32 (2, count), under the ceiling; silence when stopped."""
        out = np.zeros((2, count), dtype=np.float32)
        with self._lock:
            filled = 0
            while self.is_playing and filled < count:
                made = None if self.is_waiting else self._next_piece(count - filled)
                if made is None:
                    self.is_playing = self.is_waiting
                    break
                out[:, filled : filled + made.shape[1]] = made
                filled += made.shape[1]
            self._out += count
        return under_ceiling(out * np.float32(2.0 * self._level))

    def _next_piece(self, count: int) -> NDArray[np.float32] | None:
        """Render up to `count` samples of the count-in or the pass; None at the end."""
        if self._lead.left > 0:
            return self._count_in(count)
        stretcher = self._current()
        if stretcher is None:
            return None
        begin = stretcher.done
        block = stretcher.render(min(count, stretcher.left))
        length = block.shape[1]
        if self._fading is not None:
            block = self._crossfaded(block)
        self._history.append(
            _Stretch(self._out_now(count, length), length, stretcher.plan, begin, self._pass_number)
        )
        mixed = self._mixed(block)
        if self.click:
            mixed = mixed + self._clicks(stretcher.plan, begin, length)
        if stretcher.left == 0:
            self._end_span()
        return np.asarray(mixed, dtype=np.float32)

    def _mixed(self, block: NDArray[np.float32]) -> NDArray[np.float32]:
        """Mix recording and tab as the balance says."""
        gain_recording = min(1.0, 1.0 - self._balance)
        gain_tab = min(1.0, 1.0 + self._balance)
        if self.sides_apart:
            return np.stack([gain_recording * block[:2].mean(axis=0), gain_tab * block[2]])
        return np.asarray(gain_recording * block[:2] + gain_tab * block[2], dtype=np.float32)

    def _crossfaded(self, block: NDArray[np.float32]) -> NDArray[np.float32]:
        """Let what played before a change fade out under the first samples of what plays now."""
        assert self._fading is not None
        before = self._fading.render(min(block.shape[1], CROSSFADE - self._faded))
        count = before.shape[1]
        rise = (self._faded + 1 + np.arange(count, dtype=np.float32)) / CROSSFADE
        mixed = block.copy()
        mixed[:, :count] = rise * block[:, :count] + (1.0 - rise) * before
        self._faded += count
        if self._faded >= CROSSFADE or self._fading.left == 0 or count == 0:
            self._fading = None
        return mixed

    def _out_now(self, wanted: int, length: int) -> int:
        """Give the output sample at which a piece begins inside the block under way."""
        previous = self._history[-1] if self._history else None
        if previous is not None and previous.out + previous.length > self._out:
            return previous.out + previous.length
        return self._out

    def _end_span(self) -> None:
        """Go on to the next of the stretches that loop; after the last the pass is done."""
        assert self._stretcher is not None
        ended, self._stretcher = self._stretcher.plan.end, None
        following = [start for start, _ in self._spans if start >= ended]
        if following:
            self._resume = following[0]
        else:
            self._end_pass()

    def _end_pass(self) -> None:
        self._pass_number += 1
        if self._loop is None:
            self._resume = self._sources.shape[1]
            return
        self._resume = self._loop[0]
        self.is_waiting = self.waits_each_pass
        counted = self.count_in_beats if self.counts_each_pass else 0
        self._lead = self._lead_to(self._resume, counted, self.breath_beats)

    def _current(self) -> PassStretcher | None:
        """Give the pass under way, starting one where none is."""
        if self._stretcher is not None and self._stretcher.left > 0:
            return self._stretcher
        spans = self._spans or ((0, self._sources.shape[1]),)
        start, end = next((s for s in spans if self._resume < s[1] - 1), spans[0])
        if self._resume >= spans[-1][1] - 1:
            if not self._spans:
                self._resume = 0
                return None
            self._resume = start
        self._resume = max(self._resume, start)
        plan = map_pass(start, end, self._step_speed(), self._attacks)
        begin = int(round(float(plan.to_output(float(self._resume)))))
        begin = min(begin, plan.length - 1)
        self._stretcher = PassStretcher(self._sources, plan, begin, soft=self._fading is None)
        return self._stretcher

    def _step_speed(self) -> float:
        if not self._plan_steps:
            return self._speed
        passes = self._pass_number
        for step in self._plan_steps:
            if passes < step.repeats:
                return step.speed
            passes -= step.repeats
        return self._plan_steps[-1].speed

    def _input_position(self) -> int:
        if self._stretcher is None:
            return self._resume
        plan = self._stretcher.plan
        return int(round(float(plan.to_input(float(self._stretcher.done)))))

    def _rewind(self, position: int) -> None:
        self._fading = None
        self._stretcher, self._resume, self._pass_number = None, position, 0

    def _replan(self) -> None:
        """Go on from here with changed speed, attacks or sound, crossfaded while it plays."""
        if self.is_playing and self._stretcher is not None and self._stretcher.left > 0:
            self._fading, self._faded = self._stretcher, 0
        self._resume, self._stretcher = self._input_position(), None

    # Click

    def _lead_to(self, position: int, counted: int, breath: int = 0) -> _Lead:
        """Plan what comes before playing from a place: a breath, and counts up to the beat it is on.

        The last count is the beat at or before the place where that is not the place itself, so that
        what is played falls in with what is counted.
        """
        if not counted and not breath:
            return _Lead()
        beat, length = beat_near(self._beats, position, self.sample_rate)
        into = max(position - beat, 0.0)
        if into < ON_BEAT_S * self.sample_rate:
            into = 0.0
        speed = self._step_speed()
        first = counted * length if into == 0.0 else into + (counted - 1) * length
        total = round((first if counted else 0.0) / speed) + round(breath * length / speed)
        clicks = tuple(total - round((first - k * length) / speed) for k in range(counted))
        return _Lead(clicks, total, total)

    def _count_in(self, count: int) -> NDArray[np.float32]:
        lead = self._lead
        begin = lead.length - lead.left
        length = min(count, lead.left)
        piece = np.zeros((2, length), dtype=np.float32)
        for number, at in enumerate(lead.clicks):
            add_at(piece, self._click_low if number else self._click_high, at - begin)
        self._history.append(_Stretch(self._out_now(count, length), length, None, 0, 0))
        lead.left -= length
        return piece

    def _clicks(self, plan: PassMap, begin: int, length: int) -> NDArray[np.float32]:
        piece = np.zeros((2, length), dtype=np.float32)
        for seconds, first in clicked_beats(self._beats, self.clicked):
            position = seconds * self.sample_rate
            if not plan.start <= position < plan.end:
                continue
            at = int(round(float(plan.to_output(float(position))))) - begin
            if -self.sample_rate < at < length:
                add_at(piece, self._click_high if first else self._click_low, at)
        return piece

"""Slowing with sharp attacks: overlap-add by waveform similarity over a map that spares attacks.

After W. Verhelst and M. Roelands, "An overlap-add technique based on waveform similarity (WSOLA)
for high quality time-scale modification of speech", ICASSP 1993. Around every known attack time
runs one to one, so that it stays as sharp as it was; what lies between makes up for it.
"""

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

HOP = 512  # samples of a grain's way: 12 ms
SEARCH = 320  # samples each way: more than half a period of the lowest string
BEFORE_ATTACK = HOP + 128  # samples at 44.1 kHz copied before an attack: one grain's reach
AFTER_ATTACK = 1100  # and after it: 25 ms
EDGE_FADE = 96  # samples, so that a loop's seam does not click


class Readable(Protocol):
    """Channels that are read piece by piece."""

    shape: tuple[int, int]

    def read(self, start: int, count: int) -> NDArray[np.float32]:
        """Give samples (n_channels, count) from `start` on; outside is silence."""


@dataclass(frozen=True, slots=True)
class PassMap:
    """From output samples to input samples for one pass over a stretch of the recording."""

    start: int
    end: int
    speed: float
    out_points: NDArray[np.float64]
    in_points: NDArray[np.float64]
    attacks: NDArray[np.int64]

    @property
    def length(self) -> int:
        """How many samples come out."""
        return int(round(self.out_points[-1]))

    def to_input(self, out: NDArray[np.float64] | float) -> NDArray[np.float64]:
        """Give input positions of output positions.

        Parameters
        ----------
        out : ndarray of float64 | float
            In samples of the output.
        """
        return np.asarray(np.interp(out, self.out_points, self.in_points))

    def to_output(self, position: NDArray[np.float64] | float) -> NDArray[np.float64]:
        """Give output positions of input positions.

        Parameters
        ----------
        position : ndarray of float64 | float
            In samples of the input.
        """
        return np.asarray(np.interp(position, self.in_points, self.out_points))

    def spares(self, position: float) -> bool:
        """Tell whether an input position is so near an attack that it is copied one to one."""
        index = int(np.searchsorted(self.attacks, position - AFTER_ATTACK))
        return index < len(self.attacks) and position >= self.attacks[index] - BEFORE_ATTACK


def map_pass(start: int, end: int, speed: float, attacks: NDArray[np.int64]) -> PassMap:
    """Plan one pass from `start` to `end` at a part of the recording's speed.

    Attacks are kept one to one as far as the stretch between them allows; at each of them the map
    is exactly on time.

    Parameters
    ----------
    start, end : int
        In samples of the recording.
    speed : float
        A part of the recording's: 0.5 takes twice as long.
    attacks : ndarray of int64, shape (n_attacks,)
        Samples of the recording at which sound begins sharply, rising.
    """
    if end <= start:
        raise ValueError(f"a pass from {start} to {end} has no length")
    if not 0.1 <= speed <= 4.0:
        raise ValueError(f"speed is {speed}; it needs 0.1 to 4")
    inside = attacks[(attacks > start + BEFORE_ATTACK) & (attacks < end - AFTER_ATTACK)]
    kept, last = [], -(10**9)
    for attack in inside:
        if attack - last >= 2 * (BEFORE_ATTACK + AFTER_ATTACK):
            kept.append(int(attack))
            last = int(attack)
    ins, outs = [float(start)], [0.0]
    for attack in kept:
        on_time = (attack - start) / speed
        ins += [attack - BEFORE_ATTACK, attack + AFTER_ATTACK]
        outs += [on_time - BEFORE_ATTACK, on_time + AFTER_ATTACK]
    ins.append(float(end))
    outs.append((end - start) / speed)
    in_points, out_points = np.array(ins), np.maximum.accumulate(np.array(outs))
    out_points[-1] = round(out_points[-1])
    return PassMap(start, end, speed, out_points, in_points, np.array(kept, dtype=np.int64))


class PassStretcher:
    """Renders one pass, block by block. Every run over the same map gives the same samples."""

    def __init__(
        self,
        audio: "NDArray[np.float32] | Readable",
        plan: PassMap,
        begin: int = 0,
        *,
        soft: bool = True,
    ) -> None:
        """Start at output sample `begin` of the plan; `audio` is (n_channels, n_samples).

        Without `soft` it begins at full level: what played before is faded out by who asks.
        """
        self._audio = audio
        self._soft = soft
        self.plan = plan
        self.done = begin
        self._window = np.hanning(2 * HOP + 1)[:-1].astype(np.float32)
        self._tail = np.zeros((audio.shape[0], HOP), dtype=np.float32)
        self._ready = np.zeros((audio.shape[0], 0), dtype=np.float32)
        self._centre = begin
        self._grain_at: int | None = None
        self._begin = begin
        if plan.speed != 1.0:
            self._add_grain()  # its first half lies before the start
            self._ready = self._ready[:, HOP:]

    @property
    def left(self) -> int:
        """How many samples of the pass are still to come."""
        return max(self.plan.length - self.done, 0)

    def render(self, count: int) -> NDArray[np.float32]:
        """Give the next samples, at most `count`, fewer at the end of the pass."""
        count = min(count, self.left)
        if self.plan.speed == 1.0:
            block = self._read(self.plan.start + self.done, count)
        else:
            while self._ready.shape[1] < count:
                self._add_grain()
            block, self._ready = self._ready[:, :count], self._ready[:, count:]
        block = self._fade_edges(block.copy())
        self.done += count
        return block

    def _fade_edges(self, block: NDArray[np.float32]) -> NDArray[np.float32]:
        """Fade two milliseconds at both ends of a pass, so that loops do not click."""
        positions = self.done + np.arange(block.shape[1])
        if self.done - self._begin < EDGE_FADE or self.done + len(positions) > (
            self.plan.length - EDGE_FADE
        ):
            begun = (
                positions - self._begin + 1 if self._soft else np.full(len(positions), EDGE_FADE)
            )
            rise = np.minimum(begun, self.plan.length - positions)
            block *= np.clip(rise / EDGE_FADE, 0.0, 1.0).astype(np.float32)
        return block

    def _read(self, start: int, count: int) -> NDArray[np.float32]:
        """Read samples; outside the recording is silence."""
        if not isinstance(self._audio, np.ndarray):
            return self._audio.read(start, count)
        total = self._audio.shape[1]
        low, high = max(start, 0), min(start + count, total)
        if low == start and high == start + count:
            return self._audio[:, start : start + count]
        out = np.zeros((self._audio.shape[0], count), dtype=np.float32)
        if high > low:
            out[:, low - start : high - start] = self._audio[:, low:high]
        return out

    def _add_grain(self) -> None:
        """Overlap-add one more grain, aligned with how the last one would have gone on."""
        target = int(round(float(self.plan.to_input(float(self._centre)))))
        if self._grain_at is not None and not self.plan.spares(target):
            target = self._best_near(target, self._grain_at + HOP)
        grain = self._read(target - HOP, 2 * HOP) * self._window
        made = self._tail + grain[:, :HOP]
        self._tail = grain[:, HOP:]
        self._ready = np.concatenate([self._ready, made], axis=1)
        self._grain_at = target
        self._centre += HOP

    def _best_near(self, target: int, natural: int) -> int:
        """Find the grain near `target` whose first half looks most like the natural follower."""
        if abs(target - natural) <= 1:
            return natural
        wanted = self._read(natural - HOP, HOP).sum(axis=0)[::2]
        pool = self._read(target - HOP - SEARCH, HOP + 2 * SEARCH).sum(axis=0)[::2]
        energy = float(np.dot(wanted, wanted))
        if energy < 1e-7 * len(wanted):
            return target
        score = np.correlate(pool, wanted, mode="valid")
        running = np.cumsum(np.concatenate([[0.0], pool.astype(np.float64) ** 2]))
        norms = running[len(wanted) :] - running[: -len(wanted)]
        likeness = score / np.sqrt(np.maximum(norms * energy, 1e-12))
        steps = np.arange(len(likeness)) * 2 - SEARCH
        best = int(np.argmax(likeness - 1e-5 * np.abs(steps)))
        return target + int(steps[best])


def stretch_whole(
    audio: NDArray[np.float32], speed: float, attacks: NDArray[np.int64]
) -> NDArray[np.float32]:
    """Stretch a whole recording (n_channels, n_samples) for an export.

    Parameters
    ----------
    audio : ndarray of float32, shape (n_channels, n_samples)
    speed : float
        A part of its own speed.
    attacks : ndarray of int64, shape (n_attacks,)
        Samples at which sound begins sharply, rising.
    """
    plan = map_pass(0, audio.shape[1], speed, attacks)
    stretcher = PassStretcher(audio, plan)
    parts = []
    while stretcher.left:
        parts.append(stretcher.render(65_536))
    return np.concatenate(parts, axis=1)

"""Hours of looping, driven faster than real time: is every pass the same to the sample, is memory flat?

python -m bench loops [HOURS]

Noise of our own, an invented tab and beats; what is measured is the player, not what it plays.
"""

import time
from dataclasses import dataclass

import numpy as np

RATE = 44_100
BLOCK = 1024  # samples, as a sound card asks for them
SPEEDS = (1.0, 0.7, 0.5, 0.25, 1.25)
HOURS = 10.0
SPANS = (((2.0, 5.3),), ((1.0, 2.25), (6.5, 8.0)))  # one phrase, and two that are joined


def resident_mb() -> float:
    """Give what this process holds in memory now, in MB."""
    with open("/proc/self/statm", encoding="ascii") as file:
        return int(file.read().split()[1]) * 4096 / 1e6


@dataclass(frozen=True, slots=True)
class Looped:
    """What became of looping for a while."""

    passes: int
    differing: int  # passes that are not the second one to the sample
    astray: int  # samples between the passes that were counted and those that sounded
    grown_mb: float  # from a tenth of the time to its end


def looped(speed: float, spans: tuple[tuple[float, float], ...], hours: float) -> Looped:
    """Loop so long at a speed."""
    from juxtanote.core.audio.player import LoopPlayer

    rng = np.random.default_rng(7)
    player = LoopPlayer(RATE)
    player.set_recording((0.1 * rng.standard_normal((2, 10 * RATE))).astype(np.float32))
    player.set_tab((0.1 * rng.standard_normal(10 * RATE)).astype(np.float32))
    player.set_attacks(np.arange(0.5, 9.5, 0.37))
    player.set_spans(spans)
    player.set_speed(speed)
    player.play()
    end, passes = int(hours * 3600 * RATE), 0
    heard: list[np.ndarray] = []
    second: np.ndarray | None = None
    differing, astray, settled_mb = 0, 0, 0.0
    while player.rendered < end:
        if not settled_mb and player.rendered > 0.1 * end:
            settled_mb = resident_mb()
        heard.append(player.render(BLOCK))
        if player.passes_done > passes:
            passes = player.passes_done
        if second is None and passes >= 3:
            # The first pass begins out of silence; the second is the measure of all that follow.
            sound = np.concatenate(heard, axis=1)
            length = _period(sound)
            second = sound[:, length : 2 * length]
            heard, at = [sound[:, 2 * length :]], 2 * length
        elif second is not None and sum(part.shape[1] for part in heard) >= second.shape[1]:
            sound = np.concatenate(heard, axis=1)
            one, rest = sound[:, : second.shape[1]], sound[:, second.shape[1] :]
            differing += not np.array_equal(one, second)
            heard, at = [rest], at + second.shape[1]
            astray = max(astray, abs(player.passes_done * second.shape[1] - at) % second.shape[1])
    return Looped(passes, differing, astray, resident_mb() - settled_mb)


def _period(sound: np.ndarray) -> int:
    """Find how long a pass is, in samples, from the sound alone."""
    from scipy.signal import fftconvolve

    line = sound[0].astype(np.float64)
    start = len(line) // 3
    probe = line[start : start + 4096]
    match = fftconvolve(line, probe[::-1], mode="valid")
    match[: start + 4096] = 0.0
    return int(np.argmax(match)) - start


def main(arguments: list[str] | None = None) -> None:
    """Print passes, differences and memory at each speed."""
    hours = float(arguments[0]) if arguments else HOURS
    share = hours / (len(SPEEDS) * len(SPANS))
    for spans in SPANS:
        for speed in SPEEDS:
            began = time.perf_counter()
            told = looped(speed, spans, share)
            taken = time.perf_counter() - began
            print(
                f"{len(spans)} span(s) at {100 * speed:.0f} %: {share:.2f} h in {taken:.0f} s, {told.passes} passes, "
                f"{told.differing} differ, {told.astray} samples astray; memory {told.grown_mb:+.1f} MB",
                flush=True,
            )

"""Sounds with a known truth, from formulae, with a fixed seed."""

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events

RATE = 22_050


def sine(hz: float, seconds: float, rate: int = RATE, level: float = 0.5) -> NDArray[np.float32]:
    """Make a steady sine."""
    times = np.arange(int(seconds * rate)) / rate
    return (level * np.sin(2 * np.pi * hz * times)).astype(np.float32)


def harmonic_tone(
    hz: float, seconds: float, *, inharmonicity: float = 0.0, partials: int = 10, rate: int = RATE
) -> NDArray[np.float32]:
    """Make a decaying tone with partials at n·f0·√(1 + B·n²) (Fletcher & Rossing)."""
    times = np.arange(int(seconds * rate)) / rate
    tone = np.zeros(len(times))
    for n in range(1, partials + 1):
        partial_hz = n * hz * np.sqrt(1.0 + inharmonicity * n * n)
        if partial_hz < 0.45 * rate:
            tone += np.sin(2 * np.pi * partial_hz * times) / n
    return (0.3 * tone * np.exp(-1.5 * times)).astype(np.float32)


def moving_tone(midi: NDArray[np.float64], rate: int = RATE) -> NDArray[np.float32]:
    """Make a tone of eight harmonics whose pitch follows `midi`, one value a sample."""
    hz = 440.0 * 2.0 ** ((midi - 69.0) / 12.0)
    phase = 2 * np.pi * np.cumsum(hz) / rate
    tone = sum(np.sin(n * phase) / n for n in range(1, 9))
    return (0.2 * np.asarray(tone)).astype(np.float32)


def scale_line(
    midi: list[int], *, step_s: float = 0.4, start_s: float = 0.3
) -> tuple[NDArray[np.float32], list[StringEvent]]:
    """Play a picked line on our strings: audio at 22 050 Hz and its events."""
    events = [
        StringEvent(start_s + step_s * i, 0.95 * step_s, 3, 5, float(m)) for i, m in enumerate(midi)
    ]
    rng = np.random.default_rng(5)
    length = start_s + step_s * len(midi) + 0.4
    return render_events(events, RATE, StringVoice(), rng, length_s=length), events


def noise(seconds: float, level: float = 0.1, rate: int = RATE) -> NDArray[np.float32]:
    """Make white noise."""
    rng = np.random.default_rng(3)
    return (level * rng.standard_normal(int(seconds * rate))).astype(np.float32)

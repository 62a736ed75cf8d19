"""Beats, bars and written rhythm: rendered bands with jitter, drift, shuffle and odd metres.

python -m bench time [--aside] [--most N]
"""

import argparse
import time
from collections import defaultdict
from fractions import Fraction

import mir_eval
import numpy as np

from juxtanote.core.analysis.beats import Pulses, find_beats
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.measuring import time_map_of
from juxtanote.core.score.rhythm import quantise
from lab.backing import Meter, make_band
from lab.mixing import mix
from lab.scenes import lead_stem

METERS = (
    ("4/4", Meter(4, 2, 0.5)), ("shuffle", Meter(4, 2, 0.66)), ("3/4", Meter(3, 2, 0.5)),
    ("12/8", Meter(4, 3, 0.5)), ("6/8", Meter(2, 3, 0.5)),
)  # fmt: skip
SEED = 9100
LENGTH_S = 28.0


def beats_of(rng: np.random.Generator, drift: bool, pickup: int) -> tuple[np.ndarray, int, float]:
    """Draw beat times, the index of bar 1, and the tempo."""
    tempo = float(np.exp(rng.uniform(np.log(60), np.log(170))))
    steps = np.full(int(LENGTH_S * tempo / 60) + 2, 60.0 / tempo)
    if drift:
        steps *= 1 + 0.08 * np.sin(np.linspace(0, rng.uniform(3, 7), len(steps)))
    times = 0.4 + np.concatenate([[0.0], np.cumsum(steps)]) + rng.normal(0, 0.004, len(steps) + 1)
    return times[times < LENGTH_S + 1.0], pickup, tempo


def scores(number: int) -> tuple[str, float, float, float, float, float]:
    """Score one band.

    Returns kind, beat F, downbeat F, librosa's beat F, times faster than real time, and the share of
    notes written as composed on the beats that were found, at 8 ms jitter.
    """
    import librosa

    rng = np.random.default_rng([SEED, number])
    kind, meter = METERS[number % len(METERS)]
    drift = number % 3 == 1
    times, first, _ = beats_of(rng, drift, int(rng.integers(0, 2)))
    band = make_band(times, first, meter, int(rng.integers(12)), rng, voice=number % 4 == 0)
    lead, *_ = lead_stem(rng, beat_times=times)
    lead = np.pad(lead, (0, max(int(LENGTH_S * SAMPLE_RATE) - len(lead), 0)))
    mono = mix(lead, band, rng, kind="band", lead_over_db=-2.0).mean(axis=0)
    began = time.perf_counter()
    found = find_beats(mono).best
    speed = LENGTH_S / (time.perf_counter() - began)
    truth = times[(times < LENGTH_S - 0.5)]
    downbeats = truth[first :: meter.beats]
    mine = found.beat_times_s[found.beat_times_s < LENGTH_S - 0.5]
    bars = mine[found.first_downbeat :: found.beats_per_bar]
    _, plain = librosa.beat.beat_track(y=mono, sr=SAMPLE_RATE, units="time")
    trim = mir_eval.beat.trim_beats
    return (
        kind + (", drift" if drift else ""),
        mir_eval.beat.f_measure(trim(truth, 2.0), trim(mine, 2.0)),
        mir_eval.beat.f_measure(trim(downbeats, 2.0), trim(bars, 2.0)),
        mir_eval.beat.f_measure(trim(truth, 2.0), trim(plain, 2.0)),
        speed,
        written_share(rng, times, found),
    )


def written_share(rng: np.random.Generator, times: np.ndarray, found: Pulses) -> float:
    """Write a composed rhythm by the beats that were found; count the notes in their place."""
    exact = composed(rng, str(rng.choice(list(RHYTHMS))), len(times) - 8)
    played = np.interp([float(b) + 2.0 for b in exact], np.arange(len(times)), times)
    played = np.maximum.accumulate(played + rng.normal(0, 0.008, len(played)))
    heard_map = time_map_of(found)
    on_map = heard_map.to_beats(played)
    beat_s = float(np.median(np.diff(found.beat_times_s)))
    written = quantise(list(on_map), beat_s=beat_s, compound=found.division == 3)
    # Which beat is called the first does not matter here, only where in the beat notes stand.
    shift = round(float(np.median(on_map - [float(b) for b in exact])))
    return float(np.mean([a - shift == b for a, b in zip(written, exact, strict=True)]))


def composed(rng: np.random.Generator, name: str, beats: int) -> list[Fraction]:
    """Compose onsets of one kind of rhythm over some beats."""
    place, exact = Fraction(0), []
    while place < beats:
        exact.append(place)
        place += Fraction(float(rng.choice(RHYTHMS[name]))).limit_denominator(12)
    return exact


RHYTHMS = {
    "eighths": (0.5,), "sixteenths": (0.25,), "triplets": (1 / 3,), "sextuplets": (1 / 6,),
    "mixed": (0.5, 0.25, 1.0), "dotted": (0.75, 0.25, 0.5), "long": (1.0, 2.0, 0.5),
}  # fmt: skip


def rhythm_share(jitter_s: float, name: str) -> float:
    """Give the share of notes written exactly as composed at a jitter, over tempos."""
    rng = np.random.default_rng([SEED, int(1000 * jitter_s), sum(map(ord, name))])
    right = total = 0
    for _ in range(60):
        beat_s = 60.0 / float(rng.uniform(60, 150))
        exact = composed(rng, name, 8)
        played = np.array([float(b) for b in exact]) + rng.normal(0, jitter_s / beat_s, len(exact))
        written = quantise(list(np.maximum.accumulate(played)), beat_s=beat_s)
        right += sum(a == b for a, b in zip(written, exact, strict=True))
        total += len(exact)
    return right / total


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench time", description=__doc__)
    parser.add_argument("--aside", action="store_true")
    parser.add_argument("--most", type=int, default=30)
    options = parser.parse_args(arguments)
    rows: dict[str, list[tuple[float, ...]]] = defaultdict(list)
    for number in range(int(options.aside), 2 * options.most, 2):
        kind, *values = scores(number)
        rows[kind].append(tuple(values))
        rows["all"].append(tuple(values))
    print(
        f"{'kind':16s}{'cases':>6s}{'beat F':>9s}{'bar F':>9s}{'librosa':>9s}{'speed':>8s}{'written':>9s}"
    )
    for kind, values in rows.items():
        mean = np.mean(values, axis=0)
        print(
            f"{kind:16s}{len(values):6d}{mean[0]:9.3f}{mean[1]:9.3f}{mean[2]:9.3f}{mean[3]:7.0f}x{mean[4]:9.3f}"
        )
    for jitter in (0.008, 0.020):
        parts = [f"{name} {rhythm_share(jitter, name):.3f}" for name in RHYTHMS]
        print(f"rhythm as composed, {1000 * jitter:.0f} ms jitter: " + "; ".join(parts))

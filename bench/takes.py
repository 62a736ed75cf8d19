"""Takes with planted mistakes: played by soundfonts that no training had, at 50 to 110 %, the tempo drifting.

python -m bench takes [--most N] [--aside]
"""

import argparse
from collections import defaultdict
from dataclasses import replace

import numpy as np

from bench.composed import phrases
from bench.rings import FONTS, GUITARS, SEED, amplified
from juxtanote.core.audio.sound import Sound
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.practice.takes import compare
from juxtanote.core.synth.strings import StringEvent
from lab import instruments
from lab.instruments import SAMPLE_RATE, render_sampled
from lab.mistakes import asked_of
from lab.mixing import level, pan
from lab.phrases import random_hand, to_events

EVERY = 6
KINDS = {
    "wrong note": "wrong-pitch", "left out": "missing", "late": "time", "bend short": "bend",
    "note too many": "extra", "quiet slur": "quiet", "vibrato left out": "vibrato",
}  # fmt: skip


def warp(seconds: float, speed: float, drift: float, length: float) -> float:
    """Give when something is played: at a speed that goes from (1 - drift) to (1 + drift) of it."""
    part = seconds / max(length, 1e-6)
    return (seconds + drift * length * (part - part * part)) / speed


def human(
    events: list[StringEvent], rng: np.random.Generator
) -> tuple[list[StringEvent], list[tuple[str, float]]]:
    """Plant mistakes; give what is played and (mistake, where it is written)."""
    played, planted, last = list(events), [], -EVERY
    for index in range(1, len(events) - 1):
        if index - last < EVERY:
            continue
        note = events[index]
        alone = all(
            abs(e.onset_s - note.onset_s) > 0.05 for k, e in enumerate(events) if k != index
        )
        if not alone or "dead" in note.techniques:
            continue
        name = str(rng.choice(list(KINDS)))
        if note.techniques & {"bend"} and rng.random() < 0.6:
            name = "bend short"
        if note.techniques & {"hammer-on", "pull-off"} and rng.random() < 0.4:
            name = "quiet slur"
        fresh: StringEvent | None = None
        if name == "wrong note":
            fresh = replace(note, midi=note.midi + int(rng.choice([-2, -1, 1, 2])))
        elif name == "late":
            by = float(rng.choice([0.06, 0.09, 0.12, 0.15])) * int(rng.choice([-1, 1]))
            if (
                not events[index - 1].onset_s + 0.04
                < note.onset_s + by
                < events[index + 1].onset_s - 0.04
            ):
                continue
            fresh = replace(note, onset_s=note.onset_s + by)
        elif name == "bend short" and "bend" in note.techniques and note.curve:
            short = float(rng.uniform(0.4, 1.0))
            most = max(step for _, step in note.curve)
            if most < short + 0.3:
                continue
            fresh = replace(
                note, curve=tuple((t, s * (most - short) / most) for t, s in note.curve)
            )
        elif name == "quiet slur" and note.techniques & {"hammer-on", "pull-off"}:
            fresh = replace(note, velocity=0.25 * note.velocity)
        elif name == "note too many":
            gap = events[index + 1].onset_s - note.onset_s
            if gap < 0.25:
                continue
            extra = replace(
                note, onset_s=note.onset_s + 0.5 * gap, duration_s=0.4 * gap, midi=note.midi + int(rng.choice([-3, 3, 4])),
                techniques=frozenset(), curve=(),
            )  # fmt: skip
            played.append(extra)
            planted.append((name, extra.onset_s))
            last = index
            continue
        elif name != "left out":
            continue
        played[index] = fresh  # type: ignore[call-overload]
        planted.append((name, note.onset_s))
        last = index
    wrong = {at for _, at in planted}
    for index, note in enumerate(events):  # most are last notes, which keep their place
        around = events[max(index - 2, 0) : index + 3]
        if note.techniques == {"vibrato"} and not wrong & {e.onset_s for e in around}:
            played[played.index(note)] = replace(note, techniques=frozenset(), curve=())
            planted.append(("vibrato left out", note.onset_s))
            wrong.add(note.onset_s)
    return sorted((e for e in played if e is not None), key=lambda e: e.onset_s), planted


def a_take(
    number: int, *, spoiled: bool
) -> tuple[list[StringEvent], list[tuple[str, float]], np.ndarray]:
    """Play one composed phrase as a student might: what is written, what is wrong, and the sound."""
    phrase = phrases()[number]
    rng = np.random.default_rng([SEED, number, 5])
    hand = replace(random_hand(rng, phrase.guitar.tuning), guitar=phrase.guitar)
    events = to_events(list(phrase.notes), hand, phrase.tempo, 0.5, jitter_s=0.008)
    played, planted = human(events, rng) if spoiled else (events, [])
    speed, drift = float(rng.uniform(0.5, 1.1)), float(rng.uniform(-0.1, 0.1))
    length = max(e.offset_s for e in events)
    moved = []
    for e in played:
        onset, offset = (warp(t, speed, drift, length) for t in (e.onset_s, e.offset_s))
        moved.append(replace(e, onset_s=onset, duration_s=offset - onset))
    instruments.SOUNDFONT = FONTS[number % 2]
    instruments.speaking_delays.cache_clear()
    guitars = [g for g in GUITARS if g != 28]  # muted all through
    audio, _ = render_sampled(moved, int(rng.choice(guitars)), rng)
    audio = amplified(audio, rng, hot=False) if rng.random() < 0.5 else level(audio, -18.0)
    return events, planted, np.tanh(pan(level(audio, -18.0), 0.0))


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench takes", description=__doc__)
    parser.add_argument("--most", type=int, default=1000)
    parser.add_argument("--aside", action="store_true")
    options = parser.parse_args(arguments)
    found: dict[str, list[tuple[bool, bool]]] = defaultdict(list)
    kinds: dict[str, int] = defaultdict(int)
    plain, failed = [0, 0], 0
    for number in list(range(int(options.aside), len(phrases()), 2))[: options.most]:
        for spoiled in (False, True):
            events, planted, stereo = a_take(number, spoiled=spoiled)
            try:
                told = compare(asked_of(events), Sound(stereo.astype(np.float32), SAMPLE_RATE))
            except JuxtanoteError:
                failed += 1
                continue
            if not spoiled:
                plain[0] += len(told.findings)
                plain[1] += len(events)
                for finding in told.findings:
                    kinds[finding.kind] += 1
            for name, at in planted:
                near = [f for f in told.findings if abs(f.onset_s - at) < 0.16]
                found[name].append((bool(near), any(f.kind == KINDS[name] for f in near)))
    print(
        f"{plain[0] / max(plain[1], 1):.3f} complaints a note on right takes of {plain[1]} notes, {failed} not aligned"
    )
    print("   of them: " + ", ".join(f"{kind} {count}" for kind, count in sorted(kinds.items())))
    for name, rows in sorted(found.items()):
        hits = [hit for hit, _ in rows]
        right = [kind for hit, kind in rows if hit]
        print(
            f"   {name:14s} found {np.mean(hits):.2f} of {len(rows)}, of the right kind {np.mean(right or [0]):.2f}"
        )

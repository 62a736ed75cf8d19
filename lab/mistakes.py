"""Tabs of what was played, and mistakes that are planted into them."""

from dataclasses import replace

import numpy as np

from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.reference_pitch import measure_reference_cents
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.checks.complaints import Asked
from juxtanote.core.synth.strings import StringEvent

EVERY = 7  # notes to a mistake


def asked_of(events: list[StringEvent]) -> list[Asked]:
    """Write down what was played, without a mistake."""
    rows = []
    for row, event in enumerate(sorted(events, key=lambda e: (e.onset_s, -e.string))):
        bend = max((step for _, step in event.curve), default=0.0)
        is_bent = bool(event.techniques & {"bend", "pre-bend"})
        rows.append(
            Asked(row, event.onset_s, event.offset_s, event.midi, event.string, event.fret,
                  event.techniques, bend if is_bent else 0.0)
        )  # fmt: skip
    return rows


def evidence_of(stereo: np.ndarray) -> Evidence:
    """Listen as the program does."""
    mid, side = 0.5 * (stereo[0] + stereo[1]), 0.5 * (stereo[0] - stereo[1])
    cents, _ = measure_reference_cents(mid, SAMPLE_RATE)
    heard = listen(mid, side, reference_cents=cents)
    return Evidence(0.0, len(mid) / SAMPLE_RATE, heard)


def plant(
    asked: list[Asked], rng: np.random.Generator
) -> tuple[list[Asked], list[tuple[str, str, float]]]:
    """Spoil some notes; give the tab and (kind of mistake, kind of complaint, where it sounds)."""
    spoiled, planted = list(asked), []
    last = -EVERY
    for index in range(1, len(asked) - 1):
        if index - last < EVERY or rng.random() < 0.4:
            continue
        note = asked[index]
        alone = all(abs(n.onset_s - note.onset_s) > 0.04 for k, n in enumerate(asked) if k != index)
        if not alone or "dead" in note.techniques:
            continue
        made = _mistake(note, asked, index, rng)
        if made is None:
            continue
        name, kind, fresh = made
        last = index
        planted.append((name, kind, fresh.onset_s if name == "too many" else note.onset_s))
        if name == "left out":
            spoiled[index] = None  # type: ignore[call-overload]
        elif name == "too many":
            spoiled.append(fresh)
        else:
            spoiled[index] = fresh
    rows = sorted((n for n in spoiled if n is not None), key=lambda n: n.onset_s)
    return [replace(n, row=row) for row, n in enumerate(rows)], planted


def _mistake(
    note: Asked, asked: list[Asked], index: int, rng: np.random.Generator
) -> tuple[str, str, Asked] | None:
    name = str(rng.choice(["fret 1", "fret 2", "fret 12", "left out", "too many", "bend", "time 60",
                           "time 90", "time 150", "technique added", "technique taken"]))  # fmt: skip
    sign = int(rng.choice([-1, 1]))
    if note.bends and rng.random() < 0.5:
        name = "bend"
    if name.startswith("fret"):
        step = int(name.split()[1]) * sign
        if not 0 <= note.fret + step <= 24:
            step = -step
        return name, "wrong-pitch", replace(note, fret=note.fret + step, midi=note.midi + step)
    if name == "left out":
        return name, "missing", note
    if name == "too many":
        gap = asked[index + 1].onset_s - note.onset_s
        if gap < 0.24:
            return None
        step = int(rng.choice([-4, -3, 2, 3, 5]))
        fresh = replace(note, onset_s=note.onset_s + 0.5 * gap, offset_s=note.onset_s + gap,
                        midi=note.midi + step, fret=max(note.fret + step, 0), techniques=frozenset(),
                        bend_semitones=0.0)  # fmt: skip
        return name, "extra", fresh
    if name == "bend":
        if not note.bends:
            return None
        step = float(rng.choice([0.5, 1.0, 2.0])) * sign
        bent = note.bend_semitones + step
        if not 0.2 < bent < 5.0:
            bent = note.bend_semitones + abs(step)
        return f"bend {abs(step):g}", "bend", replace(note, bend_semitones=bent)
    if name.startswith("time"):
        by = int(name.split()[1]) / 1000.0 * sign
        at = note.onset_s + by
        beside = [asked[index - 1].onset_s, asked[index + 1].onset_s]
        if at < beside[0] + 0.03 or at > beside[1] - 0.03:
            return None
        return name, "time", replace(note, onset_s=at)
    return _technique(name, note, asked, index)


def _technique(
    name: str, note: Asked, asked: list[Asked], index: int
) -> tuple[str, str, Asked] | None:
    known = [t for t in ("hammer-on", "pull-off", "slide", "vibrato", "palm-mute", "natural-harmonic", "tap")
             if t in note.techniques]  # fmt: skip
    if name == "technique taken":
        if not known:
            return None
        return name, "technique", replace(note, techniques=note.techniques - {known[0]})
    if note.techniques:
        return None
    step = note.midi - asked[index - 1].midi
    same = asked[index - 1].string == note.string
    tag = (
        "vibrato"
        if not same
        else "hammer-on"
        if step > 0
        else "pull-off"
        if step < 0
        else "vibrato"
    )
    if tag == "vibrato" and note.offset_s - note.onset_s < 0.25:
        return None
    return name, "technique", replace(note, techniques=frozenset({tag}))

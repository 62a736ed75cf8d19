"""Ring three: recorded songs, scored against the notes of them that are certain.

Beside ``NAME.mix.flac`` and ``NAME.stem.flac`` (the guitar alone) stands ``NAME.pairs.csv`` (onset, pitch) and, if it is
known, ``NAME.strokes.csv`` (onset): every stroke that a person charted, of which pitch ever. A chart may be late.
"""

import csv
from pathlib import Path

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import maximum_bipartite_matching

from juxtanote.core.analysis.middle import whole_middle
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.reference_pitch import reference_to_hear_at
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.analysis.stretches import hear_all, hear_stretch, hear_whole, heard_between
from juxtanote.core.audio.read import read_sound
from juxtanote.core.measuring import measure_recording, time_map_of
from juxtanote.core.proposing import lead_among, propose_phrases

ON_S, PITCH, WINDOW_S, SOUNDS_S = 0.05, 0.5, 0.25, 0.09
MOST_LATE_S = 0.1  # a chart may be


def _pairs(path: Path) -> np.ndarray:
    with path.open(newline="") as lines:
        rows = list(csv.reader(lines))[1:]
    return np.array([[float(value) for value in row[:2]] for row in rows])


def score_pairs(pairs: np.ndarray, heard: list[PerceivedNote]) -> tuple[float, float, float]:
    """Score against notes that are certain: found at their onset, sounding after it, and what stands beside."""
    notes = sorted((n for n in heard if "dead" not in n.techniques), key=lambda n: n.onset_s)
    on = np.array([n.onset_s for n in notes])
    off = np.array([n.offset_s for n in notes])
    midi = np.array([n.midi for n in notes])
    right = np.abs(np.subtract.outer(pairs[:, 1], midi)) <= PITCH
    near = right & (np.abs(np.subtract.outer(pairs[:, 0], on)) <= ON_S)
    hit = maximum_bipartite_matching(csr_array(near), "column")
    at = pairs[:, 0][:, None] + SOUNDS_S
    sounding = (right & (on[None] <= at + 0.02) & (off[None] >= at - 0.01)).any(axis=1)
    beside = 0
    for k, onset in enumerate(pairs[:, 0]):
        after = pairs[k + 1, 0] if k + 1 < len(pairs) else np.inf
        inside = np.flatnonzero((on > onset - 0.03) & (on < min(onset + WINDOW_S, after - 0.05)))
        beside += len(set(inside.tolist()) - {int(hit[k])})
    return float(np.mean(hit >= 0)), float(np.mean(sounding)), beside / max(len(pairs), 1)


def found_at_its_delay(pairs: np.ndarray, heard: list[PerceivedNote]) -> tuple[float, float]:
    """Give how late a chart is, in seconds, and which share of certain notes is found at their onset then."""
    found = []
    for late in np.arange(-MOST_LATE_S, MOST_LATE_S, 0.01):
        moved = pairs.copy()
        moved[:, 0] -= late
        found.append((score_pairs(moved, heard)[0], -abs(late), late))
    share, _, late = max(found)
    return float(late), share


def strokes_heard(strokes: np.ndarray, heard: list[PerceivedNote]) -> float:
    """Give the share of charted strokes that have a note of their own, at the delay of the chart."""
    onsets = np.array([n.onset_s for n in heard])
    shares = []
    for late in np.arange(-MOST_LATE_S, MOST_LATE_S, 0.01):
        near = np.abs(np.subtract.outer(strokes + late, onsets)) < ON_S
        shares.append(np.mean(maximum_bipartite_matching(csr_array(near), "column") >= 0))
    return float(max(shares, default=0.0))


def records(folder: Path) -> None:
    """Print ring 3."""
    for what in ("mix", "stem"):
        scores, shares = [], []
        for path in sorted(folder.glob(f"*.{what}.flac")):
            pairs = _pairs(path.with_name(f"{path.name.split('.')[0]}.pairs.csv"))
            sound = read_sound(path)
            cents = reference_to_hear_at(whole_middle(sound), SAMPLE_RATE)
            heard = hear_all(sound, reference_cents=cents)
            scores.append(score_pairs(pairs, heard))
            pit, snd, clutter = scores[-1]
            charted = path.with_name(f"{path.name.split('.')[0]}.strokes.csv")
            all_of_them = ""
            if charted.is_file():
                strokes = np.loadtxt(charted, skiprows=1)
                all_of_them = f"strokes {strokes_heard(strokes, heard):.3f}  "
            late, found = found_at_its_delay(pairs, heard)
            shares.append(found)
            print(
                f"{path.name:20s} pit {pit:.3f}  snd {snd:.3f}  clutter {clutter:.2f}  {all_of_them}"
                f"{len(heard) / sound.duration_s:.1f} notes a second, reference {cents:+.1f} cents, "
                f"chart {round(1000 * late):+d} ms late: pit {found:.3f}",
                flush=True,
            )
        if scores:
            pit, snd, clutter = np.mean(scores, axis=0)
            print(
                f"records, {what:10s} pit {pit:.3f}  snd {snd:.3f}  clutter {clutter:.2f}  "
                f"at each chart's delay: pit {np.mean(shares):.3f}"
            )


def phrases(folder: Path) -> None:
    """Print which certain notes a person gets who listens to all proposed phrases, and phrase by phrase."""
    scores = []
    for path in sorted(folder.glob("*.mix.flac")):
        pairs = _pairs(path.with_name(f"{path.name.split('.')[0]}.pairs.csv"))
        sound = read_sound(path)
        measured = measure_recording(sound)
        cents = measured.reference_cents
        whole = hear_whole(sound, reference_cents=cents)
        cuts = propose_phrases(lead_among(whole.notes), time_map_of(measured.beats))
        spans = [(cut.start_s, cut.end_s) for cut in cuts]
        inside = sum(any(a <= at < b for a, b in spans) for at in pairs[:, 0])
        taken = [n for a, b in spans for n in heard_between(whole, a, b).notes]
        alone = [
            n for a, b in spans for n in hear_stretch(sound, a, b, reference_cents=cents).notes
        ]
        ways = {"from the whole": taken, "by themselves": alone}
        scores.append([score_pairs(pairs, notes) for notes in ways.values()])
        for (way, notes), (pit, snd, clutter) in zip(ways.items(), scores[-1], strict=True):
            print(
                f"{path.name:20s} {len(spans)} phrases {way:16s} pit {pit:.3f}  snd {snd:.3f}  "
                f"clutter {clutter:.2f}  {len(notes)} notes, {inside} of {len(pairs)} certain ones inside",
                flush=True,
            )
    for way, (pit, snd, clutter) in zip(
        ("from the whole", "by themselves"), np.mean(scores, axis=0), strict=True
    ):
        print(f"phrases {way:16s} pit {pit:.3f}  snd {snd:.3f}  clutter {clutter:.2f}")

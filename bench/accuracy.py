"""How well the lead is heard: composed and generated phrases through sounds that are not ours.

    python -m bench accuracy [--aside] [--bends] [--most N] [--worst 10 DIR] [--records FOLDER]

Four rings are printed: (1) what follows here; (2) to (4) what `bench.rings` tells of.

`--bends` takes phrases of bends alone: enough of them to count how many are read as two notes. Every phrase sounds alone, over drums and bass, and inside a band at 0, 3 and 6 dB; a plain
librosa.pyin with onset detection is the yardstick in the same run.
"""

import argparse
import time
from collections import defaultdict
from dataclasses import dataclass, field, replace
from pathlib import Path

import mir_eval
import numpy as np

from bench.composed import phrases
from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.reference_pitch import measure_reference_cents
from juxtanote.core.synth.strings import StringEvent, render_events
from juxtanote.core.units import midi_to_hz
from lab import instruments
from lab.backing import Meter, make_band, random_voice
from lab.instruments import SAMPLE_RATE, render_sampled
from lab.mixing import lead_sound, mix
from lab.phrases import (
    STYLES,
    Hand,
    bent_lick,
    one_note_per_string,
    random_hand,
    singing,
    to_events,
)  # fmt: skip

MIXES = (
    ("alone", "alone", 0.0), ("drums and bass", "drums and bass", 3.0), ("band +6", "band", 6.0),
    ("band +3", "band", 3.0), ("band 0", "band", 0.0),
)  # fmt: skip
SEED = 4242  # no training seed comes near it


@dataclass(frozen=True, slots=True)
class Case:
    """One phrase as played."""

    name: str
    hand: Hand
    events: tuple[StringEvent, ...]
    tempo: float
    aside: bool


@dataclass(slots=True)
class Tally:
    """Counts that scores are made of."""

    truth: int = 0
    found: int = 0
    hits: int = 0
    onset_hits: int = 0
    offset_hits: int = 0
    tags: list[int] = field(default_factory=lambda: [0, 0, 0])  # hit, found, wanted
    bends: list[float] = field(default_factory=list)
    split_bends: list[int] = field(default_factory=lambda: [0, 0])
    cents: list[float] = field(default_factory=list)
    told: list[tuple[float, bool]] = field(default_factory=list)
    by_tag: dict[str, list[int]] = field(default_factory=lambda: defaultdict(lambda: [0, 0]))
    marks: dict[str, list[int]] = field(default_factory=lambda: defaultdict(lambda: [0, 0, 0]))

    def f1(self, hits: int) -> float:
        """Give F1 of hits."""
        return 2 * hits / max(self.truth + self.found, 1)


def cases() -> list[Case]:
    """Make the phrases: the composed ones, and as many by rule."""
    made = []
    for number, phrase in enumerate(phrases()):
        rng = np.random.default_rng([SEED, number])
        hand = replace(random_hand(rng, phrase.guitar.tuning), guitar=phrase.guitar)
        jitter = 0.008 if number % 4 < 2 else 0.02
        events = to_events(list(phrase.notes), hand, phrase.tempo, 0.5, jitter_s=jitter)
        made.append(Case(phrase.name, hand, tuple(events), phrase.tempo, phrase.aside))
    names = list(STYLES)
    for number in range(40):
        rng = np.random.default_rng([SEED, 1000 + number])
        hand = random_hand(rng)
        name = names[number % len(names)]
        tempo = float(np.clip(rng.uniform(60, 170), 50, 200))
        notes = STYLES[name][0](hand, 8.0)
        events = to_events(notes, hand, tempo, 0.5, jitter_s=0.008)
        # Pairs of styles, so that both halves have every one.
        made.append(
            Case(f"rule: {name} {number}", hand, tuple(events), tempo, number // 13 % 2 == 1)
        )
    return made


def bent_cases() -> list[Case]:
    """Make phrases that are mostly bends; every second one is kept aside."""
    made = []
    for number in range(48):
        rng = np.random.default_rng([SEED, 2000 + number])
        hand = random_hand(rng)
        tempo = float(rng.uniform(60, 150))
        style = (singing, bent_lick)[number // 2 % 2]
        notes = [*style(hand, 8.0)]
        events = one_note_per_string(to_events(notes, hand, tempo, 0.5, jitter_s=0.008))
        made.append(Case(f"bends {number}", hand, tuple(events), tempo, bool(number % 2)))
    return made


def render_case(case: Case, number: int) -> dict[str, tuple[np.ndarray, list[StringEvent], float]]:
    """Render every kind of mix: stereo, the events where they sound, cents off 440 Hz."""
    rng = np.random.default_rng([SEED + 1, number])
    cents = float(rng.uniform(-50, 50))
    events = list(case.events)
    length_s = max(e.offset_s for e in events) + 0.6
    if number % 3 == 2:
        lead = render_events(events, SAMPLE_RATE, random_voice(rng), rng, length_s=length_s)
    else:
        program = int(rng.choice([25, 26, 27, 29, 30]))
        lead, events = render_sampled(events, program, rng, patches=number % 3 == 1)
    wanted = int(length_s * SAMPLE_RATE)
    lead = np.pad(lead, (0, max(wanted - len(lead), 0)))[:wanted]
    beat_s = 60.0 / case.tempo
    beats = np.arange(0.5 - 4 * beat_s, length_s + 2 * beat_s, beat_s)
    beats = beats[beats >= 0.05]
    band = make_band(beats, 0, Meter(), case.hand.root, rng, voice=False)
    sound = lead_sound(lead, rng)
    rendered = {}
    for name, kind, over in MIXES:
        mp3 = 128 if number % 5 == 0 else 0
        stereo = mix(sound, band, rng, kind=kind, lead_over_db=over, mp3=mp3)
        rendered[name] = (*_run_faster(stereo, events, 2 ** (cents / 1200)), cents)
    return rendered


def _run_faster(
    stereo: np.ndarray, events: list[StringEvent], ratio: float
) -> tuple[np.ndarray, list[StringEvent]]:
    """Run a whole record a little fast or slow, as tape machines do: pitch and time together."""
    at = np.arange(int(stereo.shape[1] / ratio)) * ratio
    audio = np.stack([np.interp(at, np.arange(stereo.shape[1]), side) for side in stereo])
    moved = [
        replace(
            e, onset_s=e.onset_s / ratio, duration_s=e.duration_s / ratio,
            curve=tuple((t / ratio, v) for t, v in e.curve),
        )
        for e in events
    ]  # fmt: skip
    return audio.astype(np.float32), moved


def _arrays(events: list) -> tuple[np.ndarray, np.ndarray]:
    spans = np.array([[e.onset_s, max(e.offset_s, e.onset_s + 0.02)] for e in events])
    return spans.reshape(-1, 2), midi_to_hz([e.midi for e in events])


def tally(into: Tally, truth: list[StringEvent], heard: list[PerceivedNote]) -> None:
    """Match and count; dead strokes have no pitch and are left out."""
    truth = [e for e in truth if "dead" not in e.techniques]
    heard = [n for n in heard if "dead" not in n.techniques]
    into.truth += len(truth)
    into.found += len(heard)
    if not truth or not heard:
        into.told += [(n.confidence, False) for n in heard]
        return
    spans, pitches = _arrays(truth)
    mine, my_pitches = _arrays(heard)
    match = mir_eval.transcription.match_notes(spans, pitches, mine, my_pitches, offset_ratio=None)
    into.hits += len(match)
    into.onset_hits += len(mir_eval.transcription.match_note_onsets(spans, mine))
    into.offset_hits += len(mir_eval.transcription.match_notes(spans, pitches, mine, my_pitches))
    matched = {b for _, b in match}
    into.told += [(n.confidence, k in matched) for k, n in enumerate(heard)]
    hit_truth = {a for a, _ in match}
    for k, event in enumerate(truth):
        names = set(event.techniques) or {"picked"}
        if event.midi < 45:
            names.add("below A2")
        if any(o is not event and abs(o.onset_s - event.onset_s) < 0.03 for o in truth):
            names.add("together")
        for name in names:
            into.by_tag[name][0] += k in hit_truth
            into.by_tag[name][1] += 1
    for a, b in match:
        wanted, found = truth[a].techniques, heard[b].techniques
        # What only lengths tell is a matter of taste between schools of notation.
        # A bar is what the hand wears, not how a note is struck: the guitar is set up with it.
        loose = {"staccato", "let-ring", "rake", "grace", "bar"}
        wanted, found = wanted - loose, found - loose
        into.tags[0] += len(wanted & found)
        into.tags[1] += len(found)
        into.tags[2] += len(wanted)
        for place, names in enumerate((wanted & found, found, wanted)):
            for name in names:
                into.marks[name][place] += 1
        if wanted & {"bend", "pre-bend"}:
            amount = max(v for _, v in truth[a].curve)
            if found & {"bend", "pre-bend"}:
                into.bends.append(abs(amount - heard[b].bend_semitones))
            inside = [
                n
                for k, n in enumerate(heard)
                if k not in matched
                and truth[a].onset_s + 0.06 < n.onset_s < truth[a].offset_s - 0.05
            ]
            into.split_bends[0] += bool(inside)
            into.split_bends[1] += 1


def yardstick(mono: np.ndarray) -> list[PerceivedNote]:
    """Hear with librosa.pyin and its onset detector: a note from onset to onset at the median pitch."""
    import librosa

    pitch, voiced, _ = librosa.pyin(mono, fmin=60, fmax=1400, sr=SAMPLE_RATE)
    onsets = librosa.onset.onset_detect(y=mono, sr=SAMPLE_RATE, units="frames", backtrack=False)
    notes = []
    for begin, end in zip(onsets, [*onsets[1:], len(pitch)], strict=True):
        part = pitch[begin:end][voiced[begin:end]]
        if len(part) >= 2:
            midi = float(librosa.hz_to_midi(np.nanmedian(part)))
            start, stop = (librosa.frames_to_time(f, sr=SAMPLE_RATE) for f in (begin, end))
            notes.append(PerceivedNote(float(start), float(stop), midi, -18.0, 0.5))
    return notes


def hear(stereo: np.ndarray) -> tuple[list[PerceivedNote], float]:
    """Hear as the program does, its own reference pitch included."""
    mid, side = 0.5 * (stereo[0] + stereo[1]), 0.5 * (stereo[0] - stereo[1])
    cents, _ = measure_reference_cents(mid, SAMPLE_RATE)
    return list(listen(mid, side, reference_cents=cents).notes), cents


def retuned(notes: list[PerceivedNote], cents: float) -> list[PerceivedNote]:
    """Bring yardstick pitches to the true reference, as the truth is told at it."""
    return [replace(n, midi=n.midi - cents / 100) for n in notes]


def calibration_error(told: list[tuple[float, bool]]) -> tuple[float, float]:
    """Give expected calibration error, and the share right at 0.9 and over."""
    if not told:
        return 0.0, 0.0
    p, y = np.array([s for s, _ in told]), np.array([r for _, r in told], dtype=float)
    bins = np.clip((p * 10).astype(int), 0, 9)
    error = sum(
        abs(p[bins == b].mean() - y[bins == b].mean()) * float(np.mean(bins == b))
        for b in set(bins)
    )
    high = p >= 0.9
    return float(error), float(y[high].mean()) if high.any() else 0.0


def show(name: str, t: Tally, plain: Tally | None) -> None:
    """Print one line of the table."""
    error, right = calibration_error(t.told)
    tags = 2 * t.tags[0] / max(t.tags[1] + t.tags[2], 1)
    bend = float(np.mean(t.bends)) if t.bends else 0.0
    other = f"{plain.f1(plain.hits):.3f}" if plain is not None and plain.truth else "  -  "
    print(
        f"{name:16s} onset {t.f1(t.onset_hits):.3f}  note {t.f1(t.hits):.3f}  with offset "
        f"{t.f1(t.offset_hits):.3f}  technique {tags:.3f}  bend {bend:.2f}  split "
        f"{t.split_bends[0]}/{t.split_bends[1]}  cents {np.median(np.abs(t.cents)):.1f}  "
        f"ece {error:.3f}  right at 0.9 {right:.3f}  pyin {other}"
    )


def picture(path: Path, title: str, stereo: np.ndarray, truth: list, heard: list) -> None:
    """Draw spectrogram, truth and what was heard."""
    import matplotlib

    matplotlib.use("Agg")
    import matplotlib.pyplot as plt

    mono = stereo.mean(axis=0)
    figure, axes = plt.subplots(figsize=(12, 6))
    axes.specgram(mono, NFFT=2048, Fs=SAMPLE_RATE, noverlap=1536, cmap="Greys", vmin=-120)
    for notes, hue, width in ((truth, "tab:blue", 6), (heard, "tab:orange", 2.5)):
        for n in notes:
            axes.hlines(
                float(midi_to_hz(n.midi)), n.onset_s, n.offset_s, hue, linewidth=width, alpha=0.7
            )
    axes.set_ylim(50, 2500)
    axes.set_yscale("log")
    axes.set_title(title)
    figure.savefig(path, dpi=80)
    plt.close(figure)


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench accuracy", description=__doc__)
    parser.add_argument("--aside", action="store_true")
    parser.add_argument("--bends", action="store_true", help="phrases of bends alone")
    parser.add_argument("--most", type=int, default=1000)
    parser.add_argument("--worst", nargs=2, metavar=("N", "DIR"), default=None)
    parser.add_argument("--no-pyin", action="store_true")
    parser.add_argument("--records", type=Path, help="a folder of recorded songs, for ring 3")
    parser.add_argument("--first-ring", action="store_true", help="the other rings are left out")
    parser.add_argument("--soundfont", type=Path, help="play through sounds that no training had")
    options = parser.parse_args(arguments)
    if options.soundfont:
        if not options.soundfont.is_file():  # fluidsynth would quietly take another
            parser.error(f"there is no soundfont {options.soundfont}")
        instruments.SOUNDFONT = options.soundfont
    every = bent_cases() if options.bends else cases()
    chosen = [(k, c) for k, c in enumerate(every) if c.aside == options.aside]
    step = max(len(chosen) // options.most, 1)
    totals: dict[str, Tally] = defaultdict(Tally)
    plain: dict[str, Tally] = defaultdict(Tally)
    ranking: list[tuple[float, str, tuple]] = []
    ours_s = theirs_s = 0.0
    for count, (number, case) in enumerate(chosen[::step]):
        for name, (stereo, events, cents) in render_case(case, number).items():
            began = time.perf_counter()
            heard, measured = hear(stereo)
            ours_s += time.perf_counter() - began
            gap = (measured - cents + 50) % 100 - 50
            if abs(cents - measured) > 50:  # the same pitches, named a semitone apart
                shift = round((cents - measured) / 100)
                heard = [replace(n, midi=n.midi - shift) for n in heard]
            one = Tally()
            for into in (totals[name], one):
                tally(into, events, heard)
                into.cents.append(gap)
            ranking.append((one.f1(one.hits), f"{case.name}, {name}", (stereo, events, heard)))
            if not options.no_pyin and count % 4 == 0 and name in ("alone", "band +3"):
                mono = stereo.mean(axis=0)
                began = time.perf_counter()
                simple = yardstick(mono)
                theirs_s += (time.perf_counter() - began) * 10
                tally(plain[name], events, retuned(simple, cents))
    for name, _, _ in MIXES:
        show(name, totals[name], plain.get(name))
    for name in ("alone", "band +3"):
        parts = [f"{k} {a}/{b} = {a / b:.2f}" for k, (a, b) in sorted(totals[name].by_tag.items())]
        print(f"found, {name}: " + "; ".join(parts))
        marks = [f"{k} {h}/{f}/{w}" for k, (h, f, w) in sorted(totals[name].marks.items())]
        print(f"marked (right/found/wanted), {name}: " + "; ".join(marks))
    if theirs_s:
        print(
            f"speed: librosa.pyin takes {theirs_s / max(ours_s, 1e-9):.1f} times as long (estimate)"
        )
    if options.worst:
        folder = Path(options.worst[1])
        folder.mkdir(parents=True, exist_ok=True)
        for rank, (f1, title, data) in enumerate(
            sorted(ranking, key=lambda r: r[0])[: int(options.worst[0])]
        ):
            print(f"{f1:.2f} {title}")
            picture(folder / f"{rank:02d}.png", f"{f1:.2f} {title}", *data)
    if not (options.bends or options.soundfont or options.first_ring):
        from bench.rings import beyond

        beyond(options.most, options.records)

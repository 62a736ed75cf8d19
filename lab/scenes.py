"""Training material: mixes as spectra, truth as onsets and sounding pitches, in shards on disk."""

import argparse
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from juxtanote.core.analysis.channels import CELL_KINDS, LOWEST_MIDI, N_PITCHES, Cell
from juxtanote.core.analysis.spectra import HOP_LENGTH, Grid, spectra_on
from juxtanote.core.analysis.wide_spectra import WIDE
from juxtanote.core.synth.strings import SLURRED, StringEvent, pitch_offsets, render_events
from lab.backing import Band, Meter, any_guitar, make_band, random_touch
from lab.instruments import SAMPLE_RATE, render_sampled
from lab.mixing import (
    ambience,
    code_as_mp3,
    lead_sound,
    level,
    loudness,
    on_a_record,
    pan,
    rhythm_guitars,
)
from lab.others import no_guitar
from lab.phrases import Lead, random_hand, random_lead

LENGTH_S = 24.0
OTHER_PROGRAMS = (4, 6, 7, 11, 15, 45, 46, 80, 81, 84, 87, 105, 106, 107, 108)
"""Plucked, struck and sustained sounds that are no guitars: a few leads on them, so that what is
learned is pitch and onset and not a handful of samples."""
N_FRAMES = 1 + int(LENGTH_S * SAMPLE_RATE) // HOP_LENGTH
KINDS = (*CELL_KINDS, "any onset", "any active")
"""Layers of truth for each frame and pitch; `slurred` to `tap` are told at onsets only, `bending` (a
bend on its way up or down) and `shaking` (vibrato) while a note sounds. The last two are of every
guitar that is heard; the others of the lead alone."""
ANY = slice(len(CELL_KINDS), len(KINDS))
RIFFS = 0.22  # of the leads of a scene
RIFF_STEPS_S, SIXTEENTHS_S = (0.068, 0.37), 0.16
"""Steps of riffs, from sixteenths at 220 beats a minute to eighths at 80, and which are sixteenths."""
FRAME_KINDS = ("dead", "lead")
"""Truth of a frame as a whole: a dead stroke begins; the lead sounds."""


@dataclass(frozen=True, slots=True)
class Truth:
    """What sounds: for each frame and pitch, and for each frame."""

    cells: np.ndarray  # uint8 (len(KINDS), N_PITCHES, n_frames)
    frames: np.ndarray  # uint8 (len(FRAME_KINDS), n_frames)


def truth_of(events: list[StringEvent], n_frames: int) -> Truth:
    """Draw events on the grid of frames and pitches, where they sound."""
    cells = np.zeros((len(KINDS), N_PITCHES, n_frames), dtype=np.uint8)
    frames = np.zeros((len(FRAME_KINDS), n_frames), dtype=np.uint8)
    frame_s = HOP_LENGTH / SAMPLE_RATE
    for event in events:
        first = round(event.onset_s / frame_s)
        last = min(max(round(event.offset_s / frame_s), first + 1), n_frames)
        if first >= n_frames:
            continue
        if "dead" in event.techniques:
            frames[0, first] = 1
            frames[1, first : first + 3] = 1
            continue
        frames[1, first:last] = 1
        times = (np.arange(first, last) - first) * frame_s
        sounding = event.midi + pitch_offsets(event, times)
        rows = np.rint(sounding).astype(int) - LOWEST_MIDI
        fine = (rows >= 0) & (rows < N_PITCHES)
        cells[Cell.ACTIVE, rows[fine], np.arange(first, last)[fine]] = 1
        for layer, moving in zip((Cell.BENDING, Cell.SHAKING), movement(event, times), strict=True):
            cells[layer, rows[fine & moving], np.arange(first, last)[fine & moving]] = 1
        row = rows[0] if "pre-bend" in event.techniques else round(event.midi) - LOWEST_MIDI
        if not 0 <= row < N_PITCHES:
            continue
        cells[Cell.ONSET, row, first] = 1
        cells[Cell.SLURRED, row, first] = bool(event.techniques & SLURRED)
        cells[Cell.SLIDE, row, first] = "slide" in event.techniques
        cells[Cell.MUTED, row, first] = "palm-mute" in event.techniques
        cells[Cell.HARMONIC, row, first] = "natural-harmonic" in event.techniques
        cells[Cell.TAP, row, first] = "tap" in event.techniques
    cells[ANY] = cells[:2]
    return Truth(cells, frames)


def movement(event: StringEvent, times: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Tell at which times a bend is on its way, and at which a vibrato shakes."""
    still = np.zeros(len(times), dtype=bool)
    if not event.curve or not event.techniques & {"bend", "pre-bend", "release", "vibrato"}:
        return still, still
    width = 15  # frames, about one swing of a vibrato
    offsets = pitch_offsets(event, times)
    padded = np.pad(offsets, width // 2, mode="edge")
    trend = np.convolve(padded, np.ones(width) / width, mode="valid")
    speed = np.abs(np.gradient(trend)) * SAMPLE_RATE / HOP_LENGTH if len(trend) > 1 else trend
    bending = still
    if event.techniques & {"bend", "pre-bend", "release"}:
        bending = speed > 2.0  # semitones a second
    if "vibrato" not in event.techniques:
        return bending, still
    swing = np.convolve(np.pad((offsets - trend) ** 2, width // 2), np.ones(width) / width, "valid")
    return bending, (np.sqrt(swing) > 0.04) & ~bending


def band_times(tempo: float, rng: np.random.Generator) -> np.ndarray:
    beat_s = 60.0 / tempo
    times = np.arange(0.3, LENGTH_S + 2 * beat_s, beat_s)
    return times + rng.normal(0, 0.002, len(times))


def lead_stem(
    rng: np.random.Generator,
    chords: float = 1.0,
    beat_times: np.ndarray | None = None,
    *,
    riffs: float = 0.0,
) -> tuple[np.ndarray, list[StringEvent], int, float]:
    """Play one random lead on a random instrument: audio, events as they sound, key, tempo.

    A share `riffs` of leads are riffs; `beat_times` say nothing to these.
    """
    a_riff = riffs > 0.0 and rng.random() < riffs
    lead = riff(rng) if a_riff else random_lead(rng, LENGTH_S, chords, beat_times)
    audio, events = sounded(list(lead.events), rng)
    return audio, events, lead.hand.root, lead.tempo


def sounded(
    events: list[StringEvent], rng: np.random.Generator
) -> tuple[np.ndarray, list[StringEvent]]:
    """Play events on a random instrument, as hands do: audio of `LENGTH_S`, and the events as they sound."""
    events = out_of_tune(events, rng)
    detune = float(rng.normal(0.0, 0.06))
    draw = rng.random()
    if draw < 0.5:
        reference = 440.0 * 2 ** (detune / 12)
        voice = random_touch(any_guitar(rng), rng)
        audio = render_events(
            events, SAMPLE_RATE, voice, rng, length_s=LENGTH_S, reference_hz=reference
        )
    else:
        patches = draw > 0.8
        program = int(rng.choice([24, 25, 26, 27, 27, 28, 29, 30]))
        if draw > 0.93:
            program, patches = int(rng.choice(OTHER_PROGRAMS)), False
        if program == 28:  # muted notes all through are another technique
            events = [replace(e, techniques=e.techniques | {"palm-mute"}) for e in events]
        touch = float(rng.uniform(0.6, 1.25))
        events = [
            replace(e, velocity=min(e.velocity * touch, 1.0)) if e.techniques & SLURRED else e
            for e in events
        ]
        audio, events = render_sampled(events, program, rng, patches=patches, detune=detune)
    audio = np.pad(audio, (0, max(int(LENGTH_S * SAMPLE_RATE) - len(audio), 0)))
    audio = handled(audio, events, rng)
    return audio[: int(LENGTH_S * SAMPLE_RATE)], events


def handled(audio: np.ndarray, events: list[StringEvent], rng: np.random.Generator) -> np.ndarray:
    """Add what hands do beside notes: fingers that squeak along strings, knocks where notes end."""
    squeaks, knocks = rng.uniform(0.0, 0.15, 2) * (rng.random(2) < 0.5)
    audio = audio.copy()
    loud = float(np.abs(audio).max())
    for event in events:
        for often, at, length, tone in (
            (squeaks, event.onset_s - rng.uniform(0.03, 0.12), rng.uniform(0.03, 0.1), 0.9),
            (knocks, event.offset_s, 0.02, -0.7),
        ):
            start, size = int(at * SAMPLE_RATE), int(length * SAMPLE_RATE)
            if rng.random() >= often or not 0 <= start < len(audio) - size:
                continue
            noise = rng.standard_normal(size)
            noise[1:] -= tone * noise[:-1]
            strength = loud * 10 ** (rng.uniform(-45, -18) / 20)
            audio[start : start + size] += (strength * noise * np.hanning(size)).astype(np.float32)
    return audio


def out_of_tune(events: list[StringEvent], rng: np.random.Generator) -> list[StringEvent]:
    """Play as hands do: strings some cents off, bends not quite up to their pitch."""
    strings = rng.normal(0.0, 0.04, 10)
    moved = []
    for event in events:
        stretch = float(rng.normal(1.0, 0.04))
        curve = tuple((t, v * stretch) for t, v in event.curve)
        midi = event.midi + float(strings[event.string % 10])
        moved.append(replace(event, midi=midi, curve=curve))
    return moved


def riff(rng: np.random.Generator) -> Lead:
    """Play low on low strings, as a song's main guitar does: a bar of chugs, power chords and runs that
    comes again with changes."""
    low = int(rng.choice([40, 40, 40, 38, 36, 35, 33, 30]))
    step_s = float(np.exp(rng.uniform(*np.log(RIFF_STEPS_S))))
    steps = 16 if step_s < SIXTEENTHS_S else 8  # of a bar
    tempo = 4 * 60.0 / steps / step_s
    scale = [low + k for k in (0, 1, 3, 5, 6, 7, 8, 10, 12, 15) if rng.random() < 0.7] or [low]
    chugs, chords, rests = rng.uniform(0.0, 0.7), rng.uniform(0.0, 0.6), rng.uniform(0.0, 0.35)

    def a_bar() -> list[tuple[int, int, bool, bool]]:  # step, pitch, muted, with its fifth
        row = []
        for k in range(steps):
            if k and rng.random() < rests:
                continue
            muted = rng.random() < chugs
            pitch = low if muted and rng.random() < 0.8 else int(rng.choice(scale))
            row.append((k, pitch, muted, not muted and rng.random() < chords))
        return row

    bars, events, at = [a_bar(), a_bar()], [], 0.3
    octave = rng.random() < 0.4
    while at < LENGTH_S - 1:
        row = bars[int(rng.random() < 0.3)] if rng.random() < 0.8 else a_bar()
        held = float(rng.uniform(0.5, 1.0))
        for index, (k, pitch, muted, chord) in enumerate(row):
            until = (row[index + 1][0] if index + 1 < len(row) else steps) - k
            length = (0.5 if muted else held) * until * step_s
            begin = at + k * step_s + float(rng.normal(0, 0.004))
            tags = frozenset({"palm-mute"}) if muted else frozenset()
            loud = float(rng.uniform(0.55, 1.0))
            stack = [0, 7, 12][: 3 if octave else 2] if chord else [0]
            for order, rise in enumerate(stack):
                events.append(
                    StringEvent(
                        begin + 0.004 * order,
                        length,
                        6 - order,
                        3,
                        float(pitch + rise),
                        tags,
                        (),
                        loud,
                    )
                )
        at += steps * step_s
    hand = random_hand(rng)
    return Lead(tuple(events), replace(hand, root=low % 12), tempo, ("riff",))


def backing_stereo(
    band: Band, rng: np.random.Generator
) -> tuple[np.ndarray, tuple[StringEvent, ...]]:
    """Mix what plays behind the lead (2, n), and tell what its guitars play, where they are loud enough."""
    length = int(LENGTH_S * SAMPLE_RATE)

    def stem(audio: np.ndarray) -> np.ndarray:
        return np.pad(audio, (0, max(length - len(audio), 0)))[:length]

    rest = pan(level(stem(band.drums), rng.uniform(-4, 2)), 0.0)
    if rng.random() < 0.95:
        rest = rest + pan(level(stem(band.bass), rng.uniform(-5, 2)), 0.0)
    strums: tuple[StringEvent, ...] = ()
    if rng.random() < 0.6:
        loud = float(rng.uniform(-6, 4))
        rest = rest + rhythm_guitars(band, length, rng) * 10 ** (loud / 20)
        strums = band.strums
    if rng.random() < 0.4:
        rest = rest + pan(
            level(stem(band.chords), rng.uniform(-8, 0)), float(rng.uniform(-0.7, 0.7))
        )
    if len(band.line) > 1 and rng.random() < 0.25:
        rest = rest + pan(
            level(stem(band.line), rng.uniform(-12, 0)), float(rng.uniform(-0.9, 0.9))
        )
    if len(band.voice) > 1 and rng.random() < 0.3:
        rest = rest + pan(level(stem(band.voice), rng.uniform(-6, 3)), 0.0)
    return rest.astype(np.float32), strums


REFERENCE_SPREADS = (5.0, 16.0)
"""A scene is pictured at two references, so many cents off its own (standard deviations): as near as
partials tell it, and as far as records are off where nothing tells."""
FARTHEST = 35  # cents


def _references(rng: np.random.Generator) -> np.ndarray:
    """Draw at which references a scene is pictured, whole cents."""
    drawn = np.rint(rng.normal(0.0, REFERENCE_SPREADS)).astype(int)
    return np.clip(drawn, -FARTHEST, FARTHEST)


def pictures(stereo: np.ndarray, references: np.ndarray) -> np.ndarray:
    """Picture a sound (2, n) at each reference: (n_references, n_windows, n_bins, n_frames), 0 to 255."""
    mid, side = 0.5 * (stereo[0] + stereo[1]), 0.5 * (stereo[0] - stereo[1])

    def at(cents: int) -> Grid:
        return Grid(WIDE.n_bins, lambda magnitude, length, _: WIDE.read(magnitude, length, cents))

    seen = spectra_on([at(int(cents)) for cents in references], mid, side)
    return np.stack([np.rint(255 * picture).astype(np.uint8) for picture in seen])


def placed_lead(audio: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Send a lead through a random rig and put it somewhere in the stereo picture (2, n)."""
    lead = lead_sound(audio, rng, varied=True, modelled=0.45)
    place = 0.0 if rng.random() < 0.6 else float(rng.uniform(-1.0, 1.0))
    stereo = pan(level(lead, -18.0), place)
    if rng.random() < 0.3:
        stereo = stereo + ambience(lead, rng) * np.float32(10 ** (-18.0 / 20) / loudness(lead))
    return stereo


LEADS, SOUNDS, BACKINGS, WHOLE = 3, 2, 3, 3
"""In a scene: leads, sounds of each, backings, and mixes that went through a record's last steps.

After the backings comes what is no guitar, alone: the last of them.
"""


def make_scene(
    rng: np.random.Generator,
    chords: float = 1.0,
    *,
    pictured: Callable[[np.ndarray, np.ndarray], np.ndarray] = pictures,
    keep_drums: bool = False,
) -> dict[str, np.ndarray]:
    """Make one band and a few leads: pictures of each by itself, to be mixed while training, and of mixes.

    Pictures are (n_references, how many, n_windows, n_bins, n_frames); `pictured` makes those of one sound,
    and of the drums alone if they are kept.
    """
    leads, backs, wholes = [], [], []
    band, sounds = None, []
    references = _references(rng)
    for _ in range(LEADS):
        audio, events, key, tempo = lead_stem(rng, chords, riffs=RIFFS)
        truth = truth_of(events, N_FRAMES)
        if band is None:
            meter = Meter(4, int(rng.choice([2, 2, 3])), float(rng.choice([0.5, 0.5, 0.66])))
            band = make_band(band_times(tempo, rng), 0, meter, key, rng, varied=True)
        for _ in range(SOUNDS):
            stereo = placed_lead(audio, rng)
            sounds.append((stereo, truth))
            leads.append((pictured(on_a_record(stereo, rng), references), truth))
    assert band is not None
    for _ in range(BACKINGS):
        stereo, strums = backing_stereo(band, rng)
        guitars = truth_of([e for e in strums if "dead" not in e.techniques], N_FRAMES)
        backs.append((stereo, guitars))
    nobody = truth_of([], N_FRAMES)
    alone = pan(level(no_guitar(rng, LENGTH_S), -18.0), float(rng.uniform(-0.5, 0.5)))
    backs.append((on_a_record(alone, rng), nobody))
    for k in range(WHOLE):
        lead, truth = sounds[int(rng.integers(len(sounds)))]
        rest, guitars = backs[k % BACKINGS]
        over = float(rng.uniform(-4, 8))
        whole = lead + rest * np.float32(10 ** ((-18.0 - over) / 20) / loudness(rest.mean(axis=0)))
        peak = float(np.abs(whole).max()) + 1e-9
        whole = np.tanh(float(rng.choice([0.7, 1.0, 2.5, 4.0])) * whole / peak)
        if rng.random() < 0.25:
            whole = np.repeat(whole.mean(axis=0, keepdims=True), 2, axis=0)
        whole = on_a_record(whole, rng)
        if rng.random() < 0.3:
            whole = code_as_mp3(whole, int(rng.choice([64, 96, 128])))
        cells = truth.cells.copy()
        cells[ANY] |= guitars.cells[:2]
        wholes.append((pictured(whole, references), Truth(cells, truth.frames)))
    more = {}
    if keep_drums:
        length = int(LENGTH_S * SAMPLE_RATE)
        drums = np.pad(band.drums, (0, max(length - len(band.drums), 0)))[:length]
        more["drums"] = pictured(pan(level(drums, -18.0), 0.0), references)[:, None]
    return more | {
        "references": references,
        "lead": np.stack([s for s, _ in leads], axis=1),
        "lead_cells": np.packbits(np.stack([t.cells for _, t in leads]), axis=-1),
        "lead_frames": np.stack([t.frames for _, t in leads]),
        "back": np.stack([pictured(s, references) for s, _ in backs], axis=1),
        "back_cells": np.packbits(np.stack([t.cells[:2] for _, t in backs]), axis=-1),
        "whole": np.stack([s for s, _ in wholes], axis=1),
        "whole_cells": np.packbits(np.stack([t.cells for _, t in wholes]), axis=-1),
        "whole_frames": np.stack([t.frames for _, t in wholes]),
    }


def write_all(
    options: argparse.Namespace, make: Callable[[np.random.Generator], dict[str, np.ndarray]]
) -> None:
    """Make scenes by number, each of its own draw; one .npz a scene, written whole, unless it is there."""
    options.folder.mkdir(parents=True, exist_ok=True)
    began = time.time()
    numbers = range(options.first, options.scenes, options.step)
    for count, number in enumerate(numbers, start=1):
        target = options.folder / f"{options.seed:03d}-{number:05d}.npz"
        if not target.exists():
            scene = make(np.random.default_rng([options.seed, number]))
            partial = target.with_suffix(".tmp")
            with partial.open("wb") as handle:
                np.savez(handle, **scene)
            partial.rename(target)
        if count % 10 == 0:
            print(f"{count} scenes in {(time.time() - began) / 60:.1f} min", flush=True)


def add_options(parser: argparse.ArgumentParser) -> None:
    """Take where scenes go, and which."""
    parser.add_argument("folder", type=Path)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--scenes", type=int, default=240)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--step", type=int, default=1, help="every so manieth, for several at work")


if __name__ == "__main__":
    command = argparse.ArgumentParser(description=__doc__)
    add_options(command)
    command.add_argument(
        "--chords", type=float, default=1.0, help="weight of several notes at once"
    )
    chosen = command.parse_args()
    write_all(chosen, lambda rng: make_scene(rng, chosen.chords))

"""Training material: mixes as spectra, truth as onsets and sounding pitches, in shards on disk."""

import argparse
import time
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from juxtanote.core.analysis.channels import Cell
from juxtanote.core.analysis.spectra import HOP_LENGTH, LOWEST_MIDI, N_PITCHES, log_spectra
from juxtanote.core.synth.strings import SLURRED, StringEvent, pitch_offsets, render_events
from lab.backing import Meter, any_guitar, make_band, random_touch
from lab.dressings import ambience, code_as_mp3, lead_sound, mix, on_a_record
from lab.instruments import SAMPLE_RATE, render_sampled
from lab.phrases import random_lead

LENGTH_S = 24.0
OTHER_PROGRAMS = (4, 6, 7, 11, 15, 45, 46, 80, 81, 84, 87, 105, 106, 107, 108)
"""Plucked, struck and sustained sounds that are no guitars: a few leads on them, so that what is
learned is pitch and onset and not a handful of samples."""
N_FRAMES = 1 + int(LENGTH_S * SAMPLE_RATE) // HOP_LENGTH
KINDS = (
    "onset", "active", "slurred", "slide", "muted", "harmonic", "tap", "bending", "shaking",
)  # fmt: skip
"""Layers of truth for each frame and pitch; `slurred` to `tap` are told at onsets only, `bending` (a
bend on its way up or down) and `shaking` (vibrato) while a note sounds."""
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
        for layer, moving in zip((7, 8), movement(event, times), strict=True):
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
    rng: np.random.Generator, chords: float = 1.0, beat_times: np.ndarray | None = None
) -> tuple[np.ndarray, list[StringEvent], int, float]:
    """Play one random lead on a random instrument: audio, events as they sound, key, tempo."""
    lead = random_lead(rng, LENGTH_S, chords, beat_times)
    events = out_of_tune(list(lead.events), rng)
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
    return audio[: int(LENGTH_S * SAMPLE_RATE)], events, lead.hand.root, lead.tempo


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


def make_scene(
    rng: np.random.Generator, per_lead: int = 2, chords: float = 1.0, leads: int = 3
) -> list[tuple[np.ndarray, Truth]]:
    """Make one band and a few leads, and mix them in several dressings."""
    results = []
    band = None
    for _ in range(leads):
        audio, events, key, tempo = lead_stem(rng, chords)
        truth = truth_of(events, N_FRAMES)
        if band is None:
            meter = Meter(4, int(rng.choice([2, 2, 3])), float(rng.choice([0.5, 0.5, 0.66])))
            band = make_band(band_times(tempo, rng), 0, meter, key, rng, varied=True)
        for _ in range(per_lead):
            dressing = str(rng.choice(["alone", "drums and bass", "band"], p=[0.2, 0.22, 0.58]))
            here = truth
            lead = lead_sound(audio, rng, varied=True)
            if rng.random() < 0.04 and dressing != "alone":
                lead, here = np.full_like(lead, 1e-5), truth_of([], N_FRAMES)
            stereo = mix(
                lead,
                band,
                rng,
                dressing=dressing,
                lead_over_db=float(rng.uniform(-3, 9)),
                lead_place=0.0 if rng.random() < 0.75 else float(rng.uniform(-0.8, 0.8)),
                mono=rng.random() < 0.3,
                around=ambience(lead, rng) if rng.random() < 0.3 else None,
            )
            stereo = on_a_record(stereo, rng)
            if rng.random() < 0.15:
                stereo = code_as_mp3(stereo, int(rng.choice([64, 96, 128])))
            mid, side = 0.5 * (stereo[0] + stereo[1]), 0.5 * (stereo[0] - stereo[1])
            spectra = log_spectra(mid, side)
            results.append((np.rint(255 * spectra).astype(np.uint8), here))
    return results


def write_shards(folder: Path, seed: int, hours: float, chords: float = 1.0) -> None:
    """Make scenes until there are enough hours; one .npz a scene, written whole."""
    folder.mkdir(parents=True, exist_ok=True)
    done_s, number, began = 0.0, 0, time.time()
    while done_s < hours * 3600:
        rng = np.random.default_rng([seed, number])
        target = folder / f"{seed:03d}-{number:05d}.npz"
        if not target.exists():
            scene = make_scene(rng, chords=chords)
            partial = target.with_suffix(".tmp")
            with partial.open("wb") as handle:
                np.savez(
                    handle,
                    spectra=np.stack([s for s, _ in scene]),
                    cells=np.packbits(np.stack([t.cells for _, t in scene]), axis=-1),
                    frames=np.stack([t.frames for _, t in scene]),
                )
            partial.rename(target)
        number += 1
        done_s += 6 * LENGTH_S
        if number % 10 == 0:
            print(f"{done_s / 3600:.2f} h in {(time.time() - began) / 60:.1f} min", flush=True)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--hours", type=float, default=6.0)
    parser.add_argument("--chords", type=float, default=1.0, help="weight of several notes at once")
    options = parser.parse_args()
    write_shards(options.folder, options.seed, options.hours, options.chords)

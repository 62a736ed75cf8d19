"""Scenes out of songs that others arranged: their lines as leads, and their other parts behind them.

What `lab.scenes` makes by rule was written by people here: a few leads of a song, each with the band that
belongs to it. Lines of any instrument are played on guitars, with slurs, slides, bends and vibrato where hands
could put them; songs are played faster, slower, higher and lower. Only songs of `arranged.TAUGHT` are taken.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

import numpy as np

from juxtanote.core.synth.amplifier import amplify
from juxtanote.core.synth.strings import StringEvent, render_events
from lab import curves
from lab.arranged import DRIVEN, GUITARS, TAUGHT, Track, add_track, as_events, cut, read_song
from lab.backing import any_guitar, vowel_line
from lab.instruments import SAMPLE_RATE, MidiSketch, render_midi, render_sampled
from lab.mixing import doubled, fit, level, loudness, modelled_amplifier, on_a_record, pan
from lab.others import no_guitar
from lab.phrases import one_note_per_string
from lab.scenes import LENGTH_S, N_FRAMES, SOUNDS, Truth, placed_lead, sounded, truth_of

LINES = 3  # leads of a scene at most
FEWEST = 10  # notes of a line
BASSES, DRUMS = range(32, 40), 9
WEIGHTS = {"guitar": 3.0, "bass": 0.3, "other": 1.0}  # how often a track is a lead
CHORDS_WEIGHT, TOGETHER_S = 0.3, 0.03  # the same of tracks that play chords, as a factor
FASTER, HIGHER = (0.8, 1.3), 6  # of whole songs: times, semitones each way
LEAD_RANGE = 50.0, 78.0  # MIDI, of a line's mean pitch
EVERY_JUDGED = 4  # every so manieth song is for what is fitted to the networks' evidence
SLURRED_STEP, SLID_STEP, TOUCHING_S = 5.0, 7.0, 0.03
LENGTH = int(LENGTH_S * SAMPLE_RATE)


@dataclass(frozen=True, slots=True)
class Line:
    """One lead of a scene: its sounds (2, n), what is played, and where its band is."""

    sounds: tuple[np.ndarray, ...]
    truth: Truth
    track: int


@cache
def songs(folder: Path, *, judged: bool) -> tuple[tuple[Track, ...], ...]:
    """Read the songs that may be learned from: those for networks, or those for what is fitted after."""
    paths = [p for p in sorted(folder.glob("*.mid")) if p.name.startswith(TAUGHT)]
    read = []
    for number, path in enumerate(paths):
        if (number % EVERY_JUDGED == 0) == judged:
            try:
                read.append(tuple(read_song(path)))
            except ValueError:
                continue
    return tuple(read)


def part_of_a_song(some: Sequence[tuple[Track, ...]], rng: np.random.Generator) -> list[Track]:
    """Cut a stretch of any song, at another tempo and in another key: from zero on, `LENGTH_S` long."""
    tracks = some[int(rng.integers(len(some)))]
    faster = float(np.exp(rng.uniform(*np.log(FASTER))))
    higher = int(rng.integers(-HIGHER, HIGHER + 1))
    ends = max(track.notes[-1][1] for track in tracks)
    start = float(rng.uniform(0.0, max(ends - faster * LENGTH_S, 0.1)))
    stretch = [cut(track, start, faster * LENGTH_S) for track in tracks]
    return [_moved(t, faster, 0 if t.is_drum else higher) for t in stretch if t.notes]


def _moved(track: Track, faster: float, higher: float) -> Track:
    notes = tuple((a / faster, b / faster, midi + higher, v) for a, b, midi, v in track.notes)
    bends = tuple((at / faster, value) for at, value in track.bends)
    return replace(track, notes=notes, bends=bends)


def lines(tracks: list[Track], rng: np.random.Generator) -> list[int]:
    """Draw the tracks whose lines are leads."""
    weights = np.zeros(len(tracks))
    for k, track in enumerate(tracks):
        if track.is_drum or len(track.notes) < FEWEST:
            continue
        kind = "guitar" if track.program in GUITARS else "other"
        weights[k] = WEIGHTS["bass" if track.program in BASSES else kind]
        onsets = np.array([note[0] for note in track.notes])
        if np.mean(np.diff(onsets) < TOGETHER_S) > 0.4:
            weights[k] *= CHORDS_WEIGHT
    count = min(LINES, int(np.count_nonzero(weights)))
    if not count:
        return []
    return rng.choice(len(tracks), count, replace=False, p=weights / weights.sum()).tolist()


def in_range(track: Track) -> Track:
    """Move a line by octaves to where guitars play."""
    mean = float(np.mean([note[2] for note in track.notes]))
    if track.program in GUITARS:
        return track
    octaves = 0
    while mean + 12 * octaves < LEAD_RANGE[0] and track.program not in BASSES:
        octaves += 1
    while mean + 12 * octaves > LEAD_RANGE[1]:
        octaves -= 1
    return _moved(track, 1.0, 12.0 * octaves)


def articulated(events: list[StringEvent], rng: np.random.Generator) -> list[StringEvent]:
    """Play a line as hands do: slurs, slides, bends, vibrato and mutes, more or fewer of each."""
    slurs, slides, bends, shakes = rng.uniform(0.0, (0.6, 0.15, 0.15, 0.6))
    mutes = float(rng.uniform(0.3, 1.0)) if rng.random() < 0.3 else 0.0
    starts = np.array([e.onset_s for e in events])
    played: list[StringEvent] = []
    last: dict[int, int] = {}  # by string: the note before
    for event in events:
        before = last.get(event.string)
        last[event.string] = len(played)
        alone = np.sum(np.abs(starts - event.onset_s) < TOGETHER_S) == 1
        if not alone or event.curve:
            played.append(event)
            continue
        if mutes and event.midi < 57 and rng.random() < mutes:
            shorter = event.duration_s * float(rng.uniform(0.4, 1.0))
            played.append(replace(event, techniques=frozenset({"palm-mute"}), duration_s=shorter))
            continue
        earlier = played[before] if before is not None else None
        if earlier is not None and not _joins(earlier, event):
            earlier = None
        step = event.midi - earlier.midi if earlier is not None else 0.0
        tags: set[str] = set()
        if earlier is not None and 0 < abs(step) <= SLURRED_STEP and rng.random() < slurs:
            tags.add("hammer-on" if step > 0 else "pull-off")
        elif earlier is not None and 0 < abs(step) <= SLID_STEP and rng.random() < slides:
            tags.add("slide")
            assert before is not None
            glide = min(float(rng.uniform(0.04, 0.12)), 0.45 * earlier.duration_s)
            moved = curves.glide_out(step, earlier.duration_s, glide)
            played[before] = replace(earlier, curve=moved)
        played.append(_held(replace(event, techniques=frozenset(tags)), rng, bends, shakes))
    return one_note_per_string(played)


def _joins(earlier: StringEvent, event: StringEvent) -> bool:
    touches = event.onset_s - earlier.offset_s < TOUCHING_S
    return touches and not earlier.curve and "palm-mute" not in earlier.techniques


def _held(event: StringEvent, rng: np.random.Generator, bends: float, shakes: float) -> StringEvent:
    """Bend up into a note that is long enough, or shake it."""
    length, tags, curve = event.duration_s, set(event.techniques), event.curve
    midi = event.midi
    if length > 0.2 and not tags and rng.random() < bends:
        amount = float(rng.choice([1.0, 2.0, 2.0, 3.0]))
        rise = min(float(rng.uniform(0.06, 0.25)), 0.5 * length)
        delay = min(float(rng.uniform(0.0, 0.12)), 0.25 * length)
        curve, midi = curves.bend(amount, delay, rise, length), midi - amount
        tags.add("bend")
        if rng.random() < 0.25:
            curve = curves.release(curve, 0.6 * length, min(0.2, 0.3 * length))
            tags.add("release")
    if length > 0.35 and "release" not in tags and rng.random() < shakes:
        delay = float(rng.uniform(0.1, 0.45)) * length + (0.2 if curve else 0.0)
        rate, depth = float(rng.uniform(4.0, 7.5)), float(rng.uniform(0.15, 0.8))
        curve = curves.vibrato(curve, length, delay, rate, depth)
        tags.add("vibrato")
    return replace(event, techniques=frozenset(tags), curve=curve, midi=midi)


def _sampled(tracks: list[Track], rng: np.random.Generator) -> np.ndarray:
    """Play some tracks together, dry."""
    made = MidiSketch()
    channels = [k for k in range(16) if k != DRUMS]
    for track, channel in zip(tracks, channels, strict=False):
        add_track(made, track, DRUMS if track.is_drum else channel)
    return fit(render_midi(made.file(), patches=bool(rng.random() < 0.3)), LENGTH)


def second_guitar(track: Track, rng: np.random.Generator) -> tuple[np.ndarray, list[StringEvent]]:
    """Play another guitar of the song (2, n), and tell what it plays where it sounds."""
    events = as_events(track)
    if rng.random() < 0.4:
        audio = render_events(events, SAMPLE_RATE, any_guitar(rng), rng, length_s=LENGTH_S)
    else:
        patches = bool(rng.random() < 0.3)
        audio, events = render_sampled(events, track.program, rng, patches=patches)
    audio = level(fit(audio, LENGTH), -12.0)
    if track.program in DRIVEN or rng.random() < 0.3:
        if rng.random() < 0.5:
            audio = modelled_amplifier(audio, rng, hot=rng.random() < 0.8)
        else:
            gain = float(np.exp(rng.uniform(0.0, np.log(40.0))))
            hertz = float(rng.uniform(3000, 6000))
            audio = amplify(audio, SAMPLE_RATE, gain=gain, cabinet_hz=hertz)
    place = float(rng.uniform(-1.0, 1.0))
    stereo = pan(audio, place)
    if rng.random() < 0.3:
        stereo = stereo + pan(doubled(audio, rng) - audio, -place)
    return level_stereo(stereo, float(rng.uniform(-26.0, -15.0))), events


def level_stereo(stereo: np.ndarray, db: float) -> np.ndarray:
    """Bring a stereo sound (2, n) to a loudness."""
    return stereo * np.float32(10 ** (db / 20) / loudness(stereo.mean(axis=0)))


def _stems(
    tracks: list[Track], leads: list[int], rng: np.random.Generator
) -> tuple[dict[int, np.ndarray], dict[int, list[StringEvent]], np.ndarray, np.ndarray]:
    """Play each track that may be left out by itself, and all others: stems, guitars' notes, rest, drums."""
    stems, played = {}, {}
    together: list[Track] = []
    sung = rng.random() < 0.2
    for k, track in enumerate(tracks):
        if track.is_drum:
            continue
        if track.program in GUITARS:
            stems[k], played[k] = second_guitar(track, rng)
        elif k in leads and sung and track.program not in BASSES:
            notes = [(a, b, midi) for a, b, midi, _ in in_range(track).notes]
            sung = False
            voice = fit(vowel_line(notes, LENGTH_S, rng, True), LENGTH)
            stems[k] = pan(level(voice, float(rng.uniform(-24, -15))), 0.0)
        elif k in leads:
            audio = level(_sampled([track], rng), float(rng.uniform(-27, -17)))
            stems[k] = pan(audio, float(rng.uniform(-0.8, 0.8)))
        else:
            together.append(track)
    rest = np.zeros((2, LENGTH), dtype=np.float32)
    low = [t for t in together if t.program in BASSES]
    high = [t for t in together if t.program not in BASSES]
    for group, wide in ((low, 0.0), (high[::2], 0.8), (high[1::2], 0.8)):
        if group:
            audio = level(_sampled(group, rng), float(rng.uniform(-25, -16)))
            rest += pan(audio, float(rng.uniform(-wide, wide)))
    kits = [t for t in tracks if t.is_drum]
    drums = _sampled(kits, rng) if kits else np.zeros(LENGTH, dtype=np.float32)
    return stems, played, rest, drums


def make_scene(
    rng: np.random.Generator,
    folder: Path,
    *,
    judged: bool = False,
    pictured: Callable[[np.ndarray], np.ndarray],
) -> dict[str, np.ndarray]:
    """Make one scene as `scenes.make_scene` does; ``beside`` tells for each lead which back is its own."""
    while True:
        tracks = part_of_a_song(songs(folder, judged=judged), rng)
        chosen = lines(tracks, rng)
        if chosen:
            break
    leads = []
    for k in chosen:
        audio, events = sounded(articulated(as_events(in_range(tracks[k])), rng), rng)
        sounds = tuple(placed_lead(audio, rng) for _ in range(SOUNDS))
        leads.append(Line(sounds, truth_of(events, N_FRAMES), k))
    stems, played, rest, drums = _stems(tracks, chosen, rng)
    backs = []
    for line in leads:
        mixed = (
            rest + level(drums, float(rng.uniform(-22.0, -14.0))) if drums.any() else rest.copy()
        )
        behind = [k for k in stems if k != line.track]
        for k in behind:
            mixed = mixed + stems[k]
        guitars = truth_of([e for k in behind for e in played.get(k, [])], N_FRAMES)
        backs.append((mixed.astype(np.float32), guitars))
    alone = pan(level(no_guitar(rng, LENGTH_S), -18.0), float(rng.uniform(-0.5, 0.5)))
    backs.append((on_a_record(alone, rng), truth_of([], N_FRAMES)))
    some = [(sound, line.truth, n) for n, line in enumerate(leads) for sound in line.sounds]
    drums = pan(level(drums, -18.0) if drums.any() else drums, 0.0)
    return {
        "lead": np.stack([pictured(on_a_record(s, rng)) for s, _, _ in some])[None],
        "lead_cells": np.packbits(np.stack([t.cells for _, t, _ in some]), axis=-1),
        "lead_frames": np.stack([t.frames for _, t, _ in some]),
        "beside": np.array([n for _, _, n in some]),
        "back": np.stack([pictured(s) for s, _ in backs])[None],
        "back_cells": np.packbits(np.stack([t.cells[:2] for _, t in backs]), axis=-1),
        "drums": pictured(drums)[None, None],
    }

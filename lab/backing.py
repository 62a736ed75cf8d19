"""The band behind the lead: drums, bass, chords, a singer, by rule, with its beats known."""

from dataclasses import dataclass, replace

import mido
import numpy as np

from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events
from juxtanote.core.units import midi_to_hz
from lab.instruments import SAMPLE_RATE, MidiSketch, render_midi

DRUM_KITS = (0, 0, 8, 16, 24, 25, 32)
KICK, SNARE, CLOSED_HAT, OPEN_HAT, RIDE, CRASH, TOM = 36, 38, 42, 46, 51, 49, 45
PROGRESSIONS = (
    (0, 5, 7, 0),
    (0, 8, 10, 0),
    (0, 10, 8, 7),
    (0, 3, 5, 0),
    (0, 7, 9, 5),
    (0, 0, 5, 7),
    (2, 7, 0, 0),
)
CHORD_PROGRAMS = {"organ": (16, 17, 18, 19), "piano": (0, 2, 4, 5), "strings": (48, 50, 51)}
LINE_PROGRAMS = (4, 7, 11, 16, 40, 48, 56, 61, 62, 65, 66, 68, 71, 73, 80, 81, 87, 89)
"""Keys, bowed strings, winds and synthesisers that play a line of their own behind the lead."""


@dataclass(frozen=True, slots=True)
class Meter:
    """Beats to a bar, how each beat divides, and the swing of its halves."""

    beats: int = 4
    division: int = 2  # 2 straight, 3 compound or triplet
    swing: float = 0.5  # part of the beat before the off-beat


@dataclass(frozen=True, slots=True)
class Band:
    """Stems of one backing, each mono at 22.05 kHz."""

    drums: np.ndarray
    bass: np.ndarray
    chords: np.ndarray
    rhythm_guitars: tuple[np.ndarray, np.ndarray]
    voice: np.ndarray
    line: np.ndarray
    strums: tuple[StringEvent, ...] = ()  # what the rhythm guitars play


def _hit(track: MidiSketch, seconds: float, note: int, velocity: float, channel: int = 9) -> None:
    strength = int(np.clip(127 * velocity, 1, 127))
    track.add(seconds, mido.Message("note_on", channel=channel, note=note, velocity=strength), 2)
    track.add(seconds + 0.1, mido.Message("note_off", channel=channel, note=note), 0)


def _hold(
    track: MidiSketch, start: float, end: float, note: int, velocity: float, channel: int
) -> None:
    strength = int(np.clip(127 * velocity, 1, 127))
    track.add(start, mido.Message("note_on", channel=channel, note=note, velocity=strength), 2)
    track.add(max(end, start + 0.03), mido.Message("note_off", channel=channel, note=note), 0)


def drums(
    beat_times: np.ndarray,
    first_bar: int,
    meter: Meter,
    rng: np.random.Generator,
    loose: bool = False,
    kit: int = 0,
) -> np.ndarray:
    """Play a pattern with fills over given beats; `first_bar` is the index of the first downbeat.

    A `loose` drummer has more habits: sixteenths on the hat or only quarters, half-time, a kick on
    every beat, or rests.
    """
    track = MidiSketch()
    if kit:
        track.add(0.0, mido.Message("program_change", channel=9, program=kit), 0)
    ride = int(rng.choice([CLOSED_HAT, CLOSED_HAT, RIDE, OPEN_HAT]))
    busy = rng.random()
    kicks = rng.random((2, meter.beats * meter.division)) < 0.2 + 0.2 * busy
    habit = (
        rng.choice(["plain", "sixteenths", "half-time", "every beat", "rests"])
        if loose
        else "plain"
    )
    for index in range(len(beat_times) - 1):
        if habit == "rests" and (index - first_bar) // meter.beats % 4 == 3:
            continue
        beat = (index - first_bar) % meter.beats
        length = beat_times[index + 1] - beat_times[index]
        backbeat = beat in (
            (1, 3)
            if meter.beats == 4
            else (meter.beats - 1,)
            if meter.beats == 3
            else (meter.beats // 2,)
        )
        if habit == "half-time" and meter.beats == 4:
            backbeat = beat == 2
        if habit == "every beat":
            _hit(track, beat_times[index], KICK, 0.9)
        if habit == "sixteenths" and meter.division == 2 and meter.swing == 0.5:
            for part in (0.25, 0.75):
                _hit(track, beat_times[index] + part * length, ride, 0.45)
        parts = [k / meter.division for k in range(meter.division)]
        if meter.division == 2:
            parts[1] = meter.swing
        for step, part in enumerate(parts):
            time = beat_times[index] + part * length + rng.normal(0.0, 0.003)
            if step == 0 or busy > 0.25:
                _hit(track, time, ride, 0.75 if step == 0 else 0.5)
            if beat == 0 and step == 0:
                _hit(track, time, KICK, 1.0)
            elif not backbeat and kicks[0, beat * meter.division + step]:
                _hit(track, time, KICK, 0.8)
        if backbeat:
            _hit(track, beat_times[index] + rng.normal(0.0, 0.003), SNARE, 0.95)
        if beat == 0 and rng.random() < 0.12:
            _hit(track, beat_times[index], CRASH, 0.9)
        if beat == meter.beats - 1 and rng.random() < 0.15:
            for k in range(4):
                _hit(
                    track,
                    beat_times[index] + k * length / 4,
                    int(rng.choice([SNARE, TOM, 48])),
                    0.7,
                )
    return render_midi(track.file())


def _roots(n_bars: int, key: int, rng: np.random.Generator) -> list[tuple[int, bool]]:
    steps = PROGRESSIONS[int(rng.integers(len(PROGRESSIONS)))]
    minor = rng.random() < 0.5
    return [((key + steps[bar % len(steps)]) % 12, minor) for bar in range(n_bars)]


def _voicing(root: int, minor: bool, low: int) -> list[int]:
    base = low + (root - low) % 12
    return [base, base + (3 if minor else 4), base + 7, base + 12]


def vowel_line(
    times: list[tuple[float, float, float]], length_s: float, rng, varied: bool = False
) -> np.ndarray:
    """Sing notes as vowels: a buzz of harmonics under three moving formants, with vibrato.

    A `varied` singer comes to the notes from above and below, and has consonants.
    """
    audio = np.zeros(int(length_s * SAMPLE_RATE))
    vowels = ((730, 1090, 2440), (270, 2290, 3010), (570, 840, 2410), (530, 1840, 2480))
    for start, end, midi in times:
        n = int((end - start) * SAMPLE_RATE)
        begin = int(start * SAMPLE_RATE)
        n = min(n, len(audio) - begin)
        if n < 200:
            continue
        t = np.arange(n) / SAMPLE_RATE
        scoop = -1.0 * np.exp(-t / 0.05)
        shake = 0.25 * np.sin(2 * np.pi * 5.5 * t) * np.clip(t / 0.4 - 0.5, 0, 1)
        if varied:
            scoop = rng.uniform(-3.0, 2.0) * np.exp(-t / rng.uniform(0.02, 0.12))
        f0 = midi_to_hz(midi + scoop + shake)
        phase = 2 * np.pi * np.cumsum(f0) / SAMPLE_RATE
        formants = vowels[int(rng.integers(4))]
        tone = np.zeros(n)
        for k in range(1, int(5000 / midi_to_hz(midi)) + 1):
            hz = k * float(midi_to_hz(midi))
            gain = sum(1.0 / (1.0 + ((hz - f) / 120.0) ** 2) for f in formants) + 0.02
            tone += gain / k**0.5 * np.sin(k * phase + rng.uniform(0, 6))
        envelope = np.minimum(np.minimum(t / 0.04, (n / SAMPLE_RATE - t) / 0.06), 1.0)
        audio[begin : begin + n] += tone * np.maximum(envelope, 0)
        if varied and rng.random() < 0.6:
            hiss = rng.standard_normal(n) * np.exp(-(((t - 0.03) / rng.uniform(0.01, 0.04)) ** 2))
            hiss[1:] -= rng.uniform(-0.5, 0.9) * hiss[:-1]
            audio[begin : begin + n] += rng.uniform(0.2, 1.5) * float(np.std(tone)) * hiss
    return audio.astype(np.float32)


def make_band(
    beat_times: np.ndarray,
    first_bar: int,
    meter: Meter,
    key: int,
    rng: np.random.Generator,
    *,
    guitars: bool = True,
    voice: bool = True,
    loose: bool = False,
    varied: bool = False,
) -> Band:
    """Play a whole backing over given beats (seconds, at least two bars).

    A `varied` one has other drum kits, keys that break their chords into eighths, guitars that play
    arpeggios and riffs, and another instrument with a line of its own.
    """
    length_s = float(beat_times[-1])
    bars = list(range(first_bar, len(beat_times), meter.beats))
    roots = _roots(len(bars), key, rng)
    bass_track, chord_track = MidiSketch(), MidiSketch()
    bass_track.set_up_channel(0, int(rng.choice([32, 33, 33, 34, 35])))
    kind = str(rng.choice(list(CHORD_PROGRAMS)))
    chord_track.set_up_channel(0, int(rng.choice(CHORD_PROGRAMS[kind])))
    strums: list[StringEvent] = []
    pushing = rng.random() < 0.5
    power = rng.random() < 0.6
    muted = rng.random() < 0.4
    broken = varied and rng.random() < 0.4
    for bar, (root, minor) in zip(bars, roots, strict=True):
        inside = beat_times[bar : bar + meter.beats + 1]
        for beat in range(len(inside) - 1):
            start, end = float(inside[beat]), float(inside[beat + 1])
            low = 28 + (root - 28) % 12
            note = low if beat == 0 or rng.random() < 0.6 else low + int(rng.choice([7, 12, 5, 10]))
            _hold(bass_track, start, end - 0.02, note, 0.85, 0)
            if pushing:
                middle = start + meter.swing * (end - start)
                _hold(bass_track, middle, end - 0.02, low, 0.7, 0)
            hits = [start] if rng.random() < 0.6 else [start, start + meter.swing * (end - start)]
            for hit in hits:
                shape = (
                    [(6, 0), (5, 7), (4, 12)]
                    if power
                    else [(5, 0), (4, 7), (3, 12), (2, 16 - minor)]
                )
                for k, (string, offset) in enumerate(shape):
                    midi = 40 + (root - 40) % 12 + offset
                    tags = frozenset({"palm-mute"}) if muted and beat % 2 else frozenset()
                    strums.append(
                        StringEvent(hit + 0.006 * k, 0.9 * (end - hit), string, 3, midi, tags)
                    )
        voicing = _voicing(root, minor, int(rng.integers(48, 60)))
        if broken and len(inside) > 1:
            steps = np.interp(np.arange(0, len(inside) - 1, 0.5), np.arange(len(inside)), inside)
            for k, start in enumerate(steps):
                end = min(float(start) + 0.5, float(inside[-1]))
                _hold(chord_track, float(start), end, voicing[k % len(voicing)], 0.6, 0)
            continue
        for note in voicing:
            _hold(chord_track, float(inside[0]), float(inside[-1]) - 0.03, note, 0.6, 0)
    chords, bass = render_midi(chord_track.file()), render_midi(bass_track.file())
    none = np.zeros(1, dtype=np.float32)
    pair = (none, none)
    if guitars:
        habit = rng.random() if varied else 1.0
        if habit < 0.45:
            strums = _picked_part(beat_times, bars, roots, meter, rng, riff=habit < 0.2)
        colours = [any_guitar(rng) if varied else random_voice(rng) for _ in range(2)]
        takes = []
        for colour in colours:
            played = [
                StringEvent(
                    max(e.onset_s + float(rng.normal(0, 0.006)), 0),
                    e.duration_s,
                    e.string,
                    e.fret,
                    e.midi,
                    e.techniques,
                    (),
                    float(rng.uniform(0.6, 0.9)),
                )
                for e in strums
            ]
            takes.append(render_events(played, SAMPLE_RATE, colour, rng, length_s=length_s))
        pair = (takes[0], takes[1])
    sung = none
    if voice:
        line, time = [], 0.5
        while time < length_s - 1:
            held = float(rng.uniform(0.2, 1.2))
            pitch = (
                48
                + (key + int(rng.choice([0, 2, 3, 5, 7, 10]))) % 12
                + 12 * int(rng.random() < 0.5)
            )
            line.append((time, time + held, float(pitch)))
            time += held + float(rng.choice([0.02, 0.1, 1.0]))
        sung = vowel_line(line, length_s, rng, varied)
    kit = int(rng.choice(DRUM_KITS)) if varied else 0
    played = drums(beat_times, first_bar, meter, rng, loose, kit)
    other = _other_line(beat_times, bars, roots, meter, rng) if varied else none
    return Band(played, bass, chords, pair, sung, other, tuple(strums))


def _picked_part(
    beat_times: np.ndarray,
    bars: list[int],
    roots: list[tuple[int, bool]],
    meter: Meter,
    rng: np.random.Generator,
    riff: bool,
) -> list[StringEvent]:
    """Let a rhythm guitar break its chords into single notes, or repeat a low riff."""
    events = []
    steps = 2 * meter.beats
    order = rng.integers(0, 5, steps)
    rests = rng.random(steps) < (0.3 if riff else 0.1)
    muted = rng.random(steps) < (0.4 if riff else 0.0)
    rings = float(rng.choice([1.0, 1.0, 3.0])) if not riff else 1.0
    for bar, (root, minor) in zip(bars, roots, strict=True):
        inside = beat_times[bar : bar + meter.beats + 1]
        if len(inside) < 2:
            continue
        times = np.interp(np.arange(0, len(inside) - 1, 0.5), np.arange(len(inside)), inside)
        chord = (0, 3, 5, 7, 10) if riff else (0, 7, 12, 16 - minor, 19)
        for k, start in enumerate(times):
            if rests[k]:
                continue
            length = rings * 0.5 * float(inside[1] - inside[0])
            midi = 40 + (root - 40) % 12 + chord[order[k]]
            tags = frozenset({"palm-mute"}) if muted[k] else frozenset()
            string = 6 if riff else int(6 - order[k])
            events.append(StringEvent(float(start), length, string, 3, float(midi), tags))
    return events


def _other_line(
    beat_times: np.ndarray,
    bars: list[int],
    roots: list[tuple[int, bool]],
    meter: Meter,
    rng: np.random.Generator,
) -> np.ndarray:
    """Play a melody, short stabs or held notes on another instrument."""
    track = MidiSketch()
    track.set_up_channel(0, int(rng.choice(LINE_PROGRAMS)))
    habit = str(rng.choice(["melody", "melody", "stabs", "held"]))
    low = int(rng.integers(50, 72))
    busy = rng.uniform(0.3, 0.9)
    for bar, (root, minor) in zip(bars, roots, strict=True):
        inside = beat_times[bar : bar + meter.beats + 1]
        if len(inside) < 2:
            continue
        voicing = _voicing(root, minor, low)
        times = np.interp(np.arange(0, len(inside) - 0.99, 0.5), np.arange(len(inside)), inside)
        if habit == "held":
            for note in voicing[: int(rng.integers(1, 4))]:
                _hold(track, float(inside[0]), float(inside[-1]) - 0.03, note, 0.6, 0)
            continue
        for start, end in zip(times[:-1], times[1:], strict=True):
            if rng.random() > busy:
                continue
            if habit == "stabs":
                for note in voicing[:3]:
                    _hold(track, float(start), float(start) + 0.12, note, 0.8, 0)
                continue
            note = voicing[int(rng.integers(4))] + int(rng.choice([0, 0, 0, 2, -2, 12]))
            held = float(rng.choice([0.9, 0.9, 1.9])) * float(end - start)
            _hold(track, float(start), float(start) + held, note, float(rng.uniform(0.5, 0.9)), 0)
    return render_midi(track.file())


def random_touch(voice: StringVoice, rng: np.random.Generator) -> StringVoice:
    """Draw how strongly a hand slurs and how lightly it damps."""
    return replace(
        voice,
        slur_level=float(rng.uniform(0.4, 0.95)),
        slur_noise=float(rng.uniform(0.02, 0.3)),
        mute_decay=float(np.exp(rng.uniform(np.log(0.05), np.log(0.25)))),
    )


def random_voice(rng: np.random.Generator) -> StringVoice:
    """Draw the colour of a guitar: its touch, its body, and a set of strings of its own."""
    own = rng.spawn(1)[0]
    uneven = own.normal(0.0, 0.2, 9)  # cores differ from maker to maker
    if own.random() < 0.1:
        uneven[2] -= 2.0  # a wound third string (common practice on acoustic guitars)
    return StringVoice(
        pluck_position=float(rng.uniform(0.06, 0.3)),
        pickup_position=float(rng.uniform(0.05, 0.28)),
        brightness=float(rng.uniform(0.4, 1.4)),
        decay_s=float(rng.uniform(1.5, 7.0)),
        damping=float(rng.uniform(0.15, 0.8)),
        stiffness=float(
            2.0 ** rng.uniform(-0.5, 0.7)
        ),  # B grows with gauge²: 0.0085 to 0.0125 inch
        uneven=tuple(float(octaves) for octaves in uneven),
        pick_noise=float(rng.uniform(0.03, 0.5)),
        body_hz=tuple(float(f) for f in rng.uniform(90, 600, 3)),
        body_gain=float(rng.uniform(0.0, 0.8)),
    )


def any_guitar(rng: np.random.Generator) -> StringVoice:
    """Draw a guitar of any build: electric, nylon, steel on a body, hollow, or like none there is.

    No two of its strokes are the same, its strings beat, and a hard stroke begins sharp.
    """
    voice = random_voice(rng)
    build = rng.random()
    if build < 0.12:  # nylon: soft, short, dark, on a body that knocks
        voice = replace(
            voice,
            brightness=float(rng.uniform(1.2, 2.2)),
            decay_s=float(rng.uniform(0.8, 2.8)),
            damping=float(rng.uniform(0.4, 1.3)),
            stiffness=float(2.0 ** rng.uniform(-3.0, -1.0)),
            pickup_position=0.5,
            pick_noise=float(rng.uniform(0.02, 0.3)),
            body_hz=(float(rng.uniform(90, 120)), float(rng.uniform(180, 240)), 420.0),
            body_gain=float(rng.uniform(0.5, 1.5)),
            thump=float(rng.uniform(0.0, 0.5)),
        )
    elif build < 0.24:  # steel strings on a body
        voice = replace(
            voice,
            brightness=float(rng.uniform(0.5, 1.2)),
            decay_s=float(rng.uniform(1.2, 4.0)),
            pickup_position=0.5,
            pick_noise=float(rng.uniform(0.2, 0.9)),
            body_hz=(float(rng.uniform(90, 130)), float(rng.uniform(180, 260)), 500.0),
            body_gain=float(rng.uniform(0.3, 1.2)),
            thump=float(rng.uniform(0.0, 0.4)),
        )
    elif build < 0.32:  # hollow, flat-wound, near the neck
        voice = replace(
            voice,
            brightness=float(rng.uniform(1.2, 2.4)),
            pluck_position=float(rng.uniform(0.2, 0.45)),
            decay_s=float(rng.uniform(0.8, 3.0)),
            damping=float(rng.uniform(0.5, 1.5)),
        )
    elif build < 0.42:  # strange: beyond what is usual on every side
        voice = replace(
            voice,
            brightness=float(rng.uniform(0.1, 2.2)),
            pluck_position=float(rng.uniform(0.03, 0.5)),
            pickup_position=float(rng.uniform(0.02, 0.5)),
            decay_s=float(np.exp(rng.uniform(np.log(0.5), np.log(20.0)))),
            damping=float(rng.uniform(0.02, 2.0)),
            pick_noise=float(rng.uniform(0.0, 1.5)),
            body_hz=tuple(float(f) for f in rng.uniform(90, 2500, 3)),
            body_gain=float(rng.uniform(0.0, 2.5)),
        )
    return replace(
        voice,
        loose=float(rng.uniform(0.0, 1.0)),
        beating_hz=float(rng.choice([0.0, 1.5, 4.0])),
        sharp_cents=float(rng.uniform(0.0, 20.0)),
    )

"""A plucked string as a sum of stretched, decaying partials under a moving pitch.

Each partial n of a stiff string sounds at n·f0·√(1 + B·n²) and dies away faster the higher it lies
(Fletcher & Rossing, *The Physics of Musical Instruments*, ch. 2 and 9). Where it is plucked and
where the pickup sits weigh the partials by |sin(nπp)|.
"""

import math
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.theory.harmonics import PARTIAL_AT_FRET, partial_offset
from juxtanote.core.theory.strings import usual_stiffness
from juxtanote.core.units import midi_to_hz

SLURRED = frozenset({"hammer-on", "pull-off", "tap"})
RELEASE_S = 0.025  # a finger damps a string so fast, without a click


@dataclass(frozen=True, slots=True)
class StringEvent:
    """One note as the hands play it.

    `midi` is the pitch at the start, before any bend; `curve` holds (seconds from the onset,
    semitones from `midi`) points, linear between them and held after the last.
    """

    onset_s: float
    duration_s: float
    string: int
    fret: int
    midi: float
    techniques: frozenset[str] = frozenset()
    curve: tuple[tuple[float, float], ...] = ()
    velocity: float = 0.8

    @property
    def offset_s(self) -> float:
        """When the note stops."""
        return self.onset_s + self.duration_s


@dataclass(frozen=True, slots=True)
class StringVoice:
    """The colour of one instrument."""

    pluck_position: float = 0.18  # from the bridge, part of the string length
    pickup_position: float = 0.12
    brightness: float = 0.85  # exponent of the partials' fall: lower is brighter
    decay_s: float = 4.0  # time for the lowest partial to fall by 60 dB
    damping: float = 0.35  # how much faster each kHz dies
    stiffness: float = 1.0  # B of all strings, beside a usual set
    uneven: tuple[float, ...] = ()  # octaves of B more, string by string from the thinnest
    pick_noise: float = 0.25
    body_hz: tuple[float, ...] = (105.0, 210.0, 420.0)
    body_gain: float = 0.25
    most_partials: int = 36
    slur_level: float = 0.72  # of a slurred note beside a picked one
    slur_noise: float = 0.12
    mute_decay: float = 0.09  # part of the decay that a palm mute leaves
    loose: float = 0.0  # how much one stroke differs from the next, 0 to 1
    beating_hz: float = 0.0  # how far apart the two planes of a swing may lie
    sharp_cents: float = 0.0  # how much too high a hard stroke begins
    thump: float = 0.0  # knock of the body under a stroke


@dataclass(frozen=True, slots=True)
class _Shape:
    """What a technique changes in the sound of one note."""

    level: float = 1.0
    noise: float = 1.0
    decay: float = 1.0
    darkness: float = 0.0
    attack_s: float = 0.0015
    partials: tuple[int, ...] | None = field(default=None)


def pitch_offsets(event: StringEvent, times_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Give the pitch of the event in semitones from its `midi` at times counted from its onset.

    Parameters
    ----------
    event : StringEvent
        What the hand does.
    times_s : ndarray of float64, shape (n_times,)
        Seconds from its onset.
    """
    if not event.curve:
        return np.zeros_like(times_s)
    points = np.asarray(event.curve, dtype=np.float64)
    return np.interp(times_s, points[:, 0], points[:, 1])


def render_event(
    event: StringEvent,
    sample_rate: int,
    voice: StringVoice,
    rng: np.random.Generator,
    *,
    reference_hz: float = 440.0,
) -> NDArray[np.float32]:
    """Make the sound of one note, from its onset until its release has died away.

    Parameters
    ----------
    event : StringEvent
        What the hand does.
    sample_rate : int
        In Hz.
    voice : StringVoice
        The guitar.
    rng : np.random.Generator
        Draws what differs from stroke to stroke.
    reference_hz : float
        Where A4 is.

    Returns
    -------
    audio : ndarray of float32, shape (n_samples,)
        About -1 to 1 at velocity 1.
    """
    if sample_rate < 4000:
        raise ValueError(f"sample_rate is {sample_rate}; at least 4000 is needed")
    if "dead" in event.techniques:
        return _dead_click(event, sample_rate, voice, rng)
    shape = _shape_of(event, voice)
    if voice.loose:
        voice = _this_stroke(event, voice, rng)
    n_samples = max(int((event.duration_s + RELEASE_S) * sample_rate), 8)
    times_s = np.arange(n_samples) / sample_rate
    f0 = midi_to_hz(event.midi + pitch_offsets(event, times_s), reference_hz)
    if voice.sharp_cents and not event.techniques & (SLURRED | {"slide"}):
        sharp = voice.sharp_cents / 1200.0 * event.velocity**2
        f0 = f0 * np.exp2(sharp * np.exp(-times_s / 0.05))
    turns = np.cumsum(f0) / sample_rate
    numbers, weights, rates, stretch = _partials(event, float(f0.mean()), sample_rate, voice, shape)
    audio = np.zeros(n_samples, dtype=np.float32)
    starts = rng.uniform(-0.6, 0.6, len(numbers))
    decay = times_s.astype(np.float32)
    for number, weight, rate, ratio, start in zip(
        numbers, weights, rates, stretch, starts, strict=True
    ):
        # The two planes in which a string swings die away at different speeds, and may beat.
        envelope = 0.8 * np.exp(-np.float32(rate) * decay)
        slower = 0.2 * np.exp(-np.float32(0.35 * rate) * decay)
        if voice.beating_hz:
            beat = 2.0 * np.pi * rng.uniform(0.0, voice.beating_hz)
            slower *= np.cos(np.float32(beat) * decay)
        envelope += slower
        # Whole turns are taken off in double precision: single is enough for what is left.
        angle = turns * (number * ratio)
        angle -= np.floor(angle)
        swing = np.sin(angle.astype(np.float32) * np.float32(2.0 * np.pi) + np.float32(start))
        audio += np.float32(weight) * envelope * swing
    audio *= 0.5 * event.velocity * shape.level
    audio *= np.minimum(decay / np.float32(shape.attack_s), 1.0)
    noise = _pick_noise(n_samples, sample_rate, voice, rng, event.velocity * shape.noise)
    audio += noise.astype(np.float32)
    if voice.thump:
        knock = np.sin(np.float32(2.0 * np.pi * voice.body_hz[0]) * decay) * np.exp(-decay / 0.03)
        audio += np.float32(0.5 * voice.thump * event.velocity * shape.noise) * knock
    audio *= np.clip((event.duration_s + RELEASE_S - times_s) / RELEASE_S, 0.0, 1.0)
    return np.asarray(audio, dtype=np.float32)


def _this_stroke(event: StringEvent, voice: StringVoice, rng: np.random.Generator) -> StringVoice:
    """Draw where and how hard one stroke falls: near the bridge or not, bright when it is hard."""
    octaves = voice.loose * rng.normal(0.0, 0.5)
    hard = 0.8 * (0.75 - event.velocity)
    return replace(
        voice,
        pluck_position=min(voice.pluck_position * 2.0**octaves, 0.45),
        brightness=max(voice.brightness + voice.loose * (hard + rng.normal(0.0, 0.15)), 0.2),
        pick_noise=voice.pick_noise * 2.0 ** (voice.loose * rng.normal(0.0, 0.8)),
    )


def _shape_of(event: StringEvent, voice: StringVoice) -> _Shape:
    """Say how the techniques of a note colour it."""
    techniques = event.techniques
    if "natural-harmonic" in techniques or "pinch-harmonic" in techniques:
        return _Shape(level=0.8, noise=0.7, decay=1.6, darkness=0.9)
    if "palm-mute" in techniques:
        return _Shape(level=1.0, noise=0.9, decay=voice.mute_decay, darkness=0.55)
    if techniques & SLURRED:
        level, noise = voice.slur_level, voice.slur_noise
        return _Shape(level=level, noise=noise, decay=0.9, darkness=0.25, attack_s=0.006)
    if "slide" in techniques:
        return _Shape(level=0.75, noise=0.08, decay=0.9, darkness=0.2, attack_s=0.006)
    return _Shape()


def stiffness_of(event: StringEvent, voice: StringVoice) -> float:
    """Give B of the sounding string; a harmonic sounds partials p, 2p, 3p … of the open string.

    Parameters
    ----------
    event : StringEvent
        What the hand does.
    voice : StringVoice
        The guitar.
    """
    more = voice.uneven[event.string - 1] if event.string <= len(voice.uneven) else 0.0
    own = voice.stiffness * math.pow(2.0, more)
    partial = PARTIAL_AT_FRET.get(event.fret, 0)
    if "natural-harmonic" in event.techniques and partial:
        return own * usual_stiffness(event.midi - partial_offset(partial)) * partial**2
    return own * usual_stiffness(event.midi - event.fret) * math.pow(2.0, event.fret / 6.0)


def _partials(
    event: StringEvent, mean_hz: float, sample_rate: int, voice: StringVoice, shape: _Shape
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Give number, weight, decay rate (1/s) and stretch of each partial."""
    highest = int(min(voice.most_partials, 0.42 * sample_rate / mean_hz))
    numbers = np.arange(1, max(highest, 1) + 1, dtype=np.float64)
    stiffness = stiffness_of(event, voice)
    stretch = np.sqrt(1.0 + stiffness * numbers**2) / np.sqrt(1.0 + stiffness)
    open_part = 2.0 ** (event.fret / 12.0)  # a fretted string is shorter: the pick is further in
    comb = np.abs(np.sin(np.pi * numbers * min(voice.pluck_position * open_part, 0.5)))
    comb *= 0.25 + np.abs(np.sin(np.pi * numbers * min(voice.pickup_position * open_part, 0.5)))
    weights = (0.08 + comb) / numbers ** (voice.brightness + shape.darkness)
    for body_hz in voice.body_hz:
        distance = np.log2(numbers * mean_hz / body_hz)
        weights *= 1.0 + voice.body_gain * np.exp(-((distance / 0.3) ** 2))
    weights /= np.sqrt(np.sum(weights**2)) + 1e-9
    kilohertz = numbers * mean_hz / 1000.0
    open_bonus = 1.5 if event.fret == 0 else 1.0
    decay_s = voice.decay_s * open_bonus * shape.decay * (110.0 / mean_hz) ** 0.25
    rates = 6.9 / decay_s * (1.0 + voice.damping * kilohertz**1.3 / max(shape.decay, 0.1) ** 0.1)
    return numbers, weights, rates, stretch


def _pick_noise(
    n_samples: int, sample_rate: int, voice: StringVoice, rng: np.random.Generator, level: float
) -> NDArray[np.float64]:
    """Make the scrape and click of the pick: a few milliseconds of brightened noise."""
    length = min(int(0.012 * sample_rate), n_samples)
    burst = rng.standard_normal(length)
    burst[1:] -= 0.6 * burst[:-1]
    burst *= np.exp(-np.arange(length) / (0.0025 * sample_rate))
    noise = np.zeros(n_samples)
    noise[:length] = 0.35 * voice.pick_noise * level * burst
    return noise


def _dead_click(
    event: StringEvent, sample_rate: int, voice: StringVoice, rng: np.random.Generator
) -> NDArray[np.float32]:
    """Make a struck, damped string: a thud of noise with no pitch that lasts."""
    n_samples = int(0.07 * sample_rate)
    times_s = np.arange(n_samples) / sample_rate
    noise = rng.standard_normal(n_samples)
    smooth = np.convolve(noise, np.ones(6) / 6.0, mode="same")
    thud = np.sin(2.0 * np.pi * midi_to_hz(event.midi) * times_s) * np.exp(-times_s / 0.008)
    click = (0.5 * smooth + 0.25 * noise) * np.exp(-times_s / 0.012) + 0.3 * thud
    return (0.5 * event.velocity * click).astype(np.float32)


def render_events(
    events: list[StringEvent],
    sample_rate: int,
    voice: StringVoice,
    rng: np.random.Generator,
    *,
    length_s: float | None = None,
    reference_hz: float = 440.0,
) -> NDArray[np.float32]:
    """Mix many notes into one mono track; a new note on a string stops the one before it.

    Parameters
    ----------
    events : list of StringEvent
        What the hands do, times in seconds.
    sample_rate : int
        In Hz.
    voice : StringVoice
        The guitar.
    rng : np.random.Generator
        Draws what differs from stroke to stroke.
    length_s : float, optional
        Of the track; by default as long as anything sounds.
    reference_hz : float
        Where A4 is.
    """
    length = max((event.offset_s for event in events), default=0.0) + 0.3
    if length_s is not None:
        length = length_s
    audio = np.zeros(int(length * sample_rate) + 1, dtype=np.float32)
    for event in events:
        start = int(event.onset_s * sample_rate)
        if start >= len(audio) or start < 0:
            continue
        sound = render_event(event, sample_rate, voice, rng, reference_hz=reference_hz)
        sound = sound[: len(audio) - start]
        audio[start : start + len(sound)] += sound
    return audio

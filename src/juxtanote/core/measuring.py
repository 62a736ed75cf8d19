"""What a recording tells as a whole: reference pitch, beats, chords of bars, key and scale."""

from dataclasses import dataclass

import numpy as np

from juxtanote.core.analysis.beats import BeatReading, Pulses, find_beats
from juxtanote.core.analysis.chords import ChordReading, suggest_chords
from juxtanote.core.analysis.key import find_keys, find_scale, pitch_class_weights
from juxtanote.core.analysis.middle import mid_side, whole_middle
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.reference_pitch import CERTAIN, measure_reference_cents
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.audio.sound import Sound
from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.score.time_map import TimeMap


@dataclass(frozen=True, slots=True)
class Measured:
    """What a recording tells before any phrase is cut."""

    reference_cents: float
    reference_certainty: float
    beats: BeatReading


def measure_recording(
    sound: Sound, *, bpm: float | None = None, progress: Progress = no_progress
) -> Measured:
    """Measure reference pitch and beats of a whole recording.

    Parameters
    ----------
    sound : Sound
        All of it.
    bpm : float, optional
        Beats a minute, where a person knows them.
    progress : Progress, optional
        Told the share that is done, 0 to 1.
    """
    mid = whole_middle(sound)
    cents, certainty = measure_reference_cents(mid, SAMPLE_RATE)
    progress(0.3)
    beats = find_beats(mid, bpm=bpm, progress=part_of(progress, 0.3, 1.0))
    return Measured(cents if certainty > CERTAIN else 0.0, certainty, beats)


def time_map_of(reading: BeatReading | Pulses) -> TimeMap:
    """Lay a time map through measured beats, the likeliest or one of the other readings.

    Parameters
    ----------
    reading : BeatReading or Pulses
        Beats in seconds, and how they make bars.
    """
    beats = reading.best if isinstance(reading, BeatReading) else reading
    return TimeMap(
        tuple(float(t) for t in beats.beat_times_s),
        first_downbeat=beats.first_downbeat,
        beats_per_bar=beats.beats_per_bar,
        division=beats.division,
    )


AROUND_S = 0.05  # seconds after the last bar
# Beats before a bar line that belong to it, and after one that do not.
BEGINS_A_BAR, ENDS_A_BAR = 0.12, 0.3


def chords_of(
    sound: Sound, start_s: float, end_s: float, time_map: TimeMap, key: str
) -> list[ChordReading]:
    """Suggest chords for the bars that a stretch touches.

    Parameters
    ----------
    sound : Sound
        The recording.
    start_s, end_s : float
        Seconds in the recording.
    time_map : TimeMap
        The beats.
    key : str
        Such as ``"A minor"``; empty for none.
    """
    per_bar = time_map.beats_per_bar
    first = int(np.floor((float(time_map.to_beats(start_s)) + BEGINS_A_BAR) / per_bar))
    last = int(np.ceil((float(time_map.to_beats(end_s)) - ENDS_A_BAR) / per_bar))
    lines = [float(t) for t in time_map.to_seconds(per_bar * np.arange(first, last + 1))]
    low, high = max(lines[0], 0.0), min(lines[-1] + AROUND_S, sound.duration_s)
    rate = sound.sample_rate
    mid, _ = mid_side(sound.audio[:, int(low * rate) : int(high * rate)], rate)
    spans = zip(lines, lines[1:], strict=False)
    bars = [(first + k + 1, a - low, b - low) for k, (a, b) in enumerate(spans) if b > low]
    return suggest_chords(mid, bars, key=key)


def choose_key(notes: list[PerceivedNote]) -> tuple[str, str]:
    """Name key and scale of heard notes, or nothing where there are too few.

    Parameters
    ----------
    notes : list of PerceivedNote
        By onset in seconds; each counts by its length.

    Examples
    --------
    >>> scale = (57, 59, 60, 62, 64, 65, 67, 69, 57)
    >>> line = [PerceivedNote(0.5 * k, 0.5 * k + 0.5, float(m), -18.0, 0.9) for k, m in enumerate(scale)]
    >>> choose_key(line)[0], choose_key(line[:3])
    ('A minor', ('', ''))
    """
    pitched = [n for n in notes if "dead" not in n.techniques]
    if len(pitched) < 5:
        return "", ""
    weights = pitch_class_weights(
        [n.midi for n in pitched], [n.offset_s - n.onset_s for n in pitched]
    )
    best = find_keys(weights, pitched[-1].midi)[0]
    return best.name, find_scale(weights, best)

"""What was measured of a recording, kept between sessions so that no recording is measured twice.

The store is a convenience: what cannot be read is measured again, and what cannot be written is not kept.
"""

import hashlib
from pathlib import Path

import msgspec
import numpy as np

from juxtanote.core.analysis.beats import BarReading, BeatReading, Pulses
from juxtanote.core.audio.sound import Sound
from juxtanote.core.audio.write import write_whole
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.lesson_file import trim_cache
from juxtanote.core.measuring import Measured, measure_recording
from juxtanote.core.progress import Progress, no_progress

# Raised whenever measuring changes: what an earlier edition measured is not taken.
EDITION = 3
MOST_BYTES = 5_000_000  # of what was measured of one recording; a larger file is not ours


class _PulsesKept(msgspec.Struct):
    beat_times_s: list[float]
    first_downbeat: int
    beats_per_bar: int
    division: int
    bpm: float
    share: float


class _Kept(msgspec.Struct):
    reference_cents: float
    reference_certainty: float
    readings: list[_PulsesKept]
    bars: list[BarReading]
    threes: float


def name_of(sound: Sound) -> str:
    """Name a recording by its samples, so that what was measured of another is never taken."""
    digest = hashlib.blake2b(digest_size=16)
    digest.update(f"{EDITION} {sound.sample_rate} {sound.audio.shape}".encode())
    for channel in sound.audio:
        digest.update(np.ascontiguousarray(channel).data)
    return f"{digest.hexdigest()}.json"


def measured_before(sound: Sound, folder: Path, *, progress: Progress = no_progress) -> Measured:
    """Give what was measured of a recording, measuring it where `folder` does not know it yet.

    Parameters
    ----------
    sound : Sound
    folder : Path
    progress : Progress
        Told how far it is, 0 to 1.
    """
    path = folder / name_of(sound)
    known = _read(path)
    if known is not None:
        return known
    measured = measure_recording(sound, progress=progress)
    _keep(path, measured)
    return measured


def _read(path: Path) -> Measured | None:
    try:
        kept = msgspec.json.decode(path.read_bytes(), type=_Kept)
        path.touch()
    except (OSError, msgspec.DecodeError, UnicodeDecodeError):
        return None
    if not kept.readings or any(len(r.beat_times_s) < 2 for r in kept.readings):
        return None
    readings = tuple(
        Pulses(
            np.array(r.beat_times_s), r.first_downbeat, r.beats_per_bar, r.division, r.bpm, r.share
        )
        for r in kept.readings
    )
    beats = BeatReading(readings, tuple(kept.bars), kept.threes)
    return Measured(kept.reference_cents, kept.reference_certainty, beats)


def _keep(path: Path, measured: Measured) -> None:
    beats = measured.beats
    readings = [
        _PulsesKept(
            [float(t) for t in r.beat_times_s], int(r.first_downbeat), int(r.beats_per_bar),
            int(r.division), float(r.bpm), float(r.share),
        )
        for r in beats.readings
    ]  # fmt: skip
    bars = [
        BarReading(int(b.beats_per_bar), int(b.first_downbeat), float(b.share), int(b.division))
        for b in beats.bars
    ]
    kept = _Kept(
        float(measured.reference_cents), float(measured.reference_certainty), readings, bars,
        float(beats.threes),
    )  # fmt: skip
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, lambda partial: partial.write_bytes(msgspec.json.encode(kept)))
        trim_cache(path.parent, keep=path, most=MOST_BYTES)
    except (OSError, JuxtanoteError):
        return

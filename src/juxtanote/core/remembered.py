"""What was heard of whole recordings, kept between sessions so that none is listened to twice.

The store is a convenience, as that of `measured` is: what cannot be read is heard again, and what cannot
be written is not kept. A name in it holds the samples, the reference pitch and all that hears.
"""

import hashlib
from functools import lru_cache
from pathlib import Path

import msgspec
import numpy as np

from juxtanote.core import analysis, audio
from juxtanote.core.analysis.perceived import Listening, PerceivedNote
from juxtanote.core.audio.sound import Sound
from juxtanote.core.audio.write import write_whole
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.lesson_file import trim_cache
from juxtanote.core.measured import name_of

MOST_BYTES = 100_000_000  # of all recordings together; one of 144 s with 1,035 notes takes 0.75 MB
CURVES = 3


class _Kept(msgspec.Struct):
    notes: tuple[PerceivedNote, ...]
    hop_s: float
    curves: bytes  # onsets, levels and voices, one after the other, in single precision


@lru_cache(maxsize=1)
def _ear() -> str:
    """Name all that hears, programs and weights: what another ear heard is not taken."""
    digest = hashlib.blake2b(digest_size=16)
    for package in (analysis, audio):
        for path in sorted(Path(package.__path__[0]).rglob("*")):
            if path.is_file() and "__pycache__" not in path.parts:
                digest.update(path.name.encode())
                digest.update(path.read_bytes())
    return digest.hexdigest()


def _name(sound: Sound, reference_cents: float) -> str:
    known = f"{_ear()} {reference_cents:.2f} {name_of(sound)}"
    return f"{hashlib.blake2b(known.encode(), digest_size=16).hexdigest()}.heard"


def recall(sound: Sound, reference_cents: float, folder: Path) -> Listening | None:
    """Give what was heard of a whole recording before, or None.

    Parameters
    ----------
    sound : Sound
        The whole recording.
    reference_cents : float
        How far its A4 was taken to be from 440 Hz.
    folder : Path
        The store.
    """
    path = folder / _name(sound, reference_cents)
    try:
        kept = msgspec.msgpack.decode(path.read_bytes(), type=_Kept)
        curves = np.frombuffer(kept.curves, dtype=np.float32).reshape(CURVES, -1).astype(np.float64)
        path.touch()
    except (OSError, msgspec.DecodeError, UnicodeDecodeError, ValueError):
        return None
    if not kept.hop_s > 0.0 or curves.shape[1] > 2.0 + sound.duration_s / kept.hop_s:
        return None
    return Listening(kept.notes, 0.0, kept.hop_s, *curves)


def remember(listening: Listening, sound: Sound, reference_cents: float, folder: Path) -> None:
    """Keep what was heard of a whole recording.

    Parameters
    ----------
    listening : Listening
        As `hear_whole` gives it.
    sound : Sound
        The whole recording.
    reference_cents : float
        How far its A4 was taken to be from 440 Hz.
    folder : Path
        The store.
    """
    curves = np.stack([listening.onset_curve, listening.level_curve, listening.voices_curve])
    kept = _Kept(listening.notes, listening.hop_s, curves.astype(np.float32).tobytes())
    data = msgspec.msgpack.encode(kept, enc_hook=lambda number: number.item())
    path = folder / _name(sound, reference_cents)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        write_whole(path, lambda partial: partial.write_bytes(data))
        trim_cache(folder, keep=path, most=MOST_BYTES)
    except (OSError, JuxtanoteError):
        return

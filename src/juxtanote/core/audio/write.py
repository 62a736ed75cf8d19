"""Writing files whole or not at all; sound as WAV, FLAC or Ogg Vorbis."""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.errors import JuxtanoteError, SoundFileError

BLOCK = 16_384


def write_whole(path: Path, fill: Callable[[Path], object]) -> None:
    """Let `fill` write a file beside `path`, then put it in its place in one step.

    Raises
    ------
    JuxtanoteError
        If the folder cannot be written to; `path` is then as it was.
    """
    partial: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        os.close(handle)
        partial = Path(name)
        fill(partial)
        with partial.open("rb") as written:
            os.fsync(written.fileno())
        partial.chmod(0o644)
        os.replace(partial, path)
    except OSError as error:
        raise JuxtanoteError(
            f"“{path.name}” could not be written: {error.strerror or error}. Choose another folder."
        ) from error
    finally:
        if partial is not None and partial.exists():
            partial.unlink()


def write_text(path: Path, text: str) -> None:
    """Write UTF-8 text, whole or not at all."""
    write_whole(path, lambda partial: partial.write_bytes(text.encode("utf-8")))


def write_bytes(path: Path, data: bytes) -> None:
    """Write bytes, whole or not at all."""
    write_whole(path, lambda partial: partial.write_bytes(data))


def write_sound(path: Path, audio: NDArray[np.float32], sample_rate: int) -> None:
    """Write audio (n_channels, n_samples) in the format that the suffix names."""
    import soundfile

    formats = {".wav": "WAV", ".flac": "FLAC", ".ogg": "OGG"}
    chosen = formats.get(path.suffix.lower())
    if chosen is None:
        raise SoundFileError(f"“{path.name}”: sound is written as .wav, .flac or .ogg.")

    def fill(partial: Path) -> None:
        with soundfile.SoundFile(
            partial, "w", sample_rate, audio.shape[0], format=chosen
        ) as target:
            # The Vorbis coder overflows its stack when it is given a whole recording at once.
            for start in range(0, audio.shape[1], BLOCK):
                target.write(audio[:, start : start + BLOCK].T)

    write_whole(path, fill)

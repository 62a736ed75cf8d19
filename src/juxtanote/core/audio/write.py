"""Writing files whole or not at all; sound as WAV, FLAC, Ogg Vorbis or MP3."""

import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.errors import JuxtanoteError, SoundFileError

BLOCK = 16_384  # samples written at once
PARTIAL = ".partial"  # of a file that is not whole yet
ABANDONED_S = 600.0  # a half-written file so old belongs to nobody
_FORMATS = {".wav": "WAV", ".flac": "FLAC", ".ogg": "OGG", ".mp3": "MP3"}
SOUND_SUFFIXES = tuple(_FORMATS)


def write_whole(path: Path, fill: Callable[[Path], object]) -> None:
    """Let `fill` write a file beside `path`, then put it in its place in one step.

    Raises
    ------
    JuxtanoteError
        If the folder cannot be written to; `path` is then as it was.
    """
    partial: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=PARTIAL, dir=path.parent)
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


def clear_partial(folder: Path, *, older_than_s: float = ABANDONED_S) -> int:
    """Take away what writing left half done in a folder when it was killed; give how many files.

    Parameters
    ----------
    folder : Path
        Where files are written.
    older_than_s : float
        Younger ones may be somebody's who is writing now.
    """
    now, gone = time.time(), 0
    try:
        for path in folder.glob(f".*{PARTIAL}"):
            if path.is_file() and now - path.stat().st_mtime > older_than_s:
                path.unlink(missing_ok=True)
                gone += 1
    except OSError:  # a folder that cannot be read is left as it is
        pass
    return gone


def write_text(path: Path, text: str) -> None:
    """Write UTF-8 text, whole or not at all.

    Parameters
    ----------
    path : Path
        Where to.
    text : str
        Anything that UTF-8 can hold.
    """
    write_whole(path, lambda partial: partial.write_bytes(text.encode("utf-8")))


def write_bytes(path: Path, data: bytes) -> None:
    """Write bytes, whole or not at all.

    Parameters
    ----------
    path : Path
        Where to.
    data : bytes
        All of it.
    """
    write_whole(path, lambda partial: partial.write_bytes(data))


def write_sound(path: Path, audio: NDArray[np.float32], sample_rate: int) -> None:
    """Write audio (n_channels, n_samples) in the format that the suffix names.

    Parameters
    ----------
    path : Path
        Its suffix is one of .wav, .flac, .ogg and .mp3.
    audio : ndarray of float32, shape (n_channels, n_samples)
        Full scale is 1.
    sample_rate : int
        In Hz.
    """
    import soundfile

    chosen = _FORMATS.get(path.suffix.lower())
    if chosen is None:
        raise SoundFileError(f"“{path.name}”: sound is written as {', '.join(SOUND_SUFFIXES)}.")

    def fill(partial: Path) -> None:
        with soundfile.SoundFile(
            partial, "w", sample_rate, audio.shape[0], format=chosen
        ) as target:
            # The Vorbis coder overflows its stack when it is given a whole recording at once.
            for start in range(0, audio.shape[1], BLOCK):
                target.write(audio[:, start : start + BLOCK].T)

    write_whole(path, fill)

"""Reading the sound of any file people have, through one decoder (PyAV) for every use."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.errors import SoundFileError
from juxtanote.core.progress import Progress, no_progress

SUFFIXES = (
    ".wav", ".flac", ".ogg", ".oga", ".opus", ".mp3", ".m4a", ".aac", ".mp4", ".webm", ".mkv",
    ".aif", ".aiff", ".wma", ".mov",
)  # fmt: skip
PLAY_RATE = 44_100
LONGEST_S = 3 * 3600.0


@dataclass(frozen=True, slots=True)
class Sound:
    """Decoded stereo sound: float32, shape (2, n_samples), at `sample_rate` Hz."""

    audio: NDArray[np.float32]
    sample_rate: int

    @property
    def duration_s(self) -> float:
        """Its length."""
        return float(self.audio.shape[1] / self.sample_rate)


def read_sound(
    path: Path,
    *,
    sample_rate: int = PLAY_RATE,
    start_s: float = 0.0,
    end_s: float | None = None,
    progress: Progress = no_progress,
) -> Sound:
    """Decode the first sound track of a file to stereo at one sample rate.

    Parameters
    ----------
    path : Path
        Any container with sound in it; its suffix does not matter.
    start_s, end_s : float
        The stretch wanted, in seconds from the start of the file.

    Returns
    -------
    sound : Sound
        Mono comes as two equal channels, surround is mixed down; values that are not numbers
        become silence.

    Raises
    ------
    SoundFileError
        If there is no such file, no sound in it, or it cannot be decoded.
    """
    import av

    name = f"“{path.name}”"
    if not path.is_file():
        raise SoundFileError(f"{name} could not be opened: there is no such file.")
    if path.stat().st_size == 0:
        raise SoundFileError(f"{name} is empty. Copy or export it again.")
    try:
        with av.open(str(path)) as container:
            if not container.streams.audio:
                raise SoundFileError(f"{name} has no sound in it. Choose another file.")
            parts = _decode(container, sample_rate, end_s, progress)
    except (av.FFmpegError, ValueError, OverflowError, MemoryError) as error:
        raise SoundFileError(
            f"{name} could not be read: it is not a sound file that can be decoded, or it is "
            "damaged. Export it again, or convert it to WAV."
        ) from error
    if not parts:
        raise SoundFileError(
            f"{name} could not be read: no sound could be decoded from it. Export it again, or "
            "convert it to WAV."
        )
    first = round(start_s * sample_rate)
    total = sum(part.shape[1] for part in parts)
    last = total if end_s is None else min(round(end_s * sample_rate), total)
    if last <= first:
        raise SoundFileError(f"{name} has no sound from {start_s:g} s on. Choose another stretch.")
    return Sound(_joined(parts, first, last), sample_rate)


def _joined(parts: list[NDArray[np.float32]], first: int, last: int) -> NDArray[np.float32]:
    """Join decoded parts, letting each go as it is copied, and clean values that are no numbers."""
    audio = np.empty((2, last - first), dtype=np.float32)
    at = 0
    parts.reverse()
    while parts:
        part = parts.pop()
        low, high = max(first - at, 0), min(last - at, part.shape[1])
        if high > low:
            audio[:, at + low - first : at + high - first] = part[:, low:high]
        at += part.shape[1]
    np.nan_to_num(audio, copy=False, nan=0.0, posinf=1.0, neginf=-1.0)
    return audio


def _decode(  # type: ignore[no-untyped-def]
    container, sample_rate: int, end_s: float | None, progress: Progress
) -> list[NDArray[np.float32]]:
    """Decode frame by frame; a file that breaks off gives what could be read before."""
    import av

    stream = container.streams.audio[0]
    resampler = av.AudioResampler(format="fltp", layout="stereo", rate=sample_rate)
    expected = _expected_s(container, stream)
    parts: list[NDArray[np.float32]] = []
    samples = 0
    limit = int(sample_rate * min(LONGEST_S, end_s if end_s is not None else LONGEST_S)) + 1
    try:
        for frame in container.decode(stream):
            frame.pts = None
            for made in resampler.resample(frame):
                parts.append(np.asarray(made.to_ndarray(), dtype=np.float32))
                samples += made.samples
            if expected > 0:
                progress(min(samples / sample_rate / expected, 1.0))
            if samples > limit:
                return parts
        for made in resampler.resample(None):
            parts.append(np.asarray(made.to_ndarray(), dtype=np.float32))
    except av.FFmpegError:
        if samples < sample_rate // 10:
            raise
    return parts


def _expected_s(container, stream) -> float:  # type: ignore[no-untyped-def]
    if stream.duration is not None and stream.time_base is not None:
        return float(stream.duration * stream.time_base)
    return float(container.duration or 0) / 1_000_000


def to_rate(audio: NDArray[np.float32], source_rate: int, target_rate: int) -> NDArray[np.float32]:
    """Resample audio, time last."""
    if source_rate == target_rate:
        return audio
    import soxr

    resampled = soxr.resample(audio.T, source_rate, target_rate)
    return np.ascontiguousarray(np.asarray(resampled, dtype=np.float32).T)


def to_mid_side(audio: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Give half sum and half difference of stereo (2, n_samples)."""
    return (
        (0.5 * (audio[0] + audio[1])).astype(np.float32),
        (0.5 * (audio[0] - audio[1])).astype(np.float32),
    )

"""Reading the sound of any file people have, through one decoder for every use.

It is PyAV; what that cannot open is left to libsndfile, which reads some Ogg files that it refuses.
Decoders begin at different samples, but of one file it is always the same.
"""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.audio.sound import PLAY_RATE, SUFFIXES, Sound
from juxtanote.core.errors import SoundFileError
from juxtanote.core.progress import Progress, no_progress

__all__ = ["PLAY_RATE", "SUFFIXES", "Sound", "read_sound", "to_mid_side", "to_rate"]
LONGEST_S = 3 * 3600.0  # a longer file is no song, and would not fit memory
LOUDEST = 64.0  # 36 dB over full scale: no recording means that, it is scaled down
OTHERWISE = frozenset(
    {"OGG", "FLAC", "MP3", "WAV", "WAVEX", "AIFF"}
)  # told by more than their size
OTHERWISE_AT_ONCE = 1 << 16  # samples
CLEANED_AT_ONCE = 1 << 20  # samples; bounds what masks of them take


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
        with av.open(str(path), metadata_errors="replace") as container:
            if not container.streams.audio:
                raise SoundFileError(f"{name} has no sound in it. Choose another file.")
            audio = _decode(container, sample_rate, end_s, progress)
    except (av.FFmpegError, ValueError, OverflowError, MemoryError) as error:
        other = _decode_otherwise(path, sample_rate, end_s, progress)
        if other is None:
            raise SoundFileError(
                f"{name} could not be read: it is not a sound file that can be decoded, or it is "
                "damaged. Export it again, or convert it to WAV."
            ) from error
        audio = other
    if not audio.shape[1]:
        raise SoundFileError(
            f"{name} could not be read: no sound could be decoded from it. Export it again, or "
            "convert it to WAV."
        )
    first = round(min(start_s, LONGEST_S) * sample_rate)
    total = audio.shape[1]
    last = total if end_s is None else min(round(min(end_s, LONGEST_S) * sample_rate), total)
    if last <= first:
        raise no_sound_from(path, start_s)
    return Sound(_cleaned(audio[:, first:last]), sample_rate)


def no_sound_from(path: Path, start_s: float) -> SoundFileError:
    """Say that a file ends before a time, in seconds."""
    return SoundFileError(
        f"“{path.name}” has no sound from {start_s:g} s on. Choose another stretch."
    )


def _cleaned(audio: NDArray[np.float32]) -> NDArray[np.float32]:
    """Make silence of values that are no numbers, in place, and scale down what no recording means."""
    for start in range(0, audio.shape[1], CLEANED_AT_ONCE):
        part = audio[:, start : start + CLEANED_AT_ONCE]
        np.nan_to_num(part, copy=False, nan=0.0, posinf=1.0, neginf=-1.0)
    peak = max(float(audio.max()), -float(audio.min()))
    if peak > LOUDEST:
        audio /= np.float32(peak)
    return audio


class _Growing:
    """Stereo samples that grow at the end; what is held is never copied twice at once."""

    def __init__(self, expected: int) -> None:
        self._room = np.empty((2, max(expected, 1 << 16)), dtype=np.float32)
        self.count = 0

    def add(self, part: NDArray[np.float32]) -> None:
        after = self.count + part.shape[1]
        if after > self._room.shape[1]:
            larger = np.empty((2, max(after, self._room.shape[1] * 5 // 4)), dtype=np.float32)
            larger[:, : self.count] = self._room[:, : self.count]
            self._room = larger
        self._room[:, self.count : after] = part
        self.count = after

    def samples(self) -> NDArray[np.float32]:
        return self._room[:, : self.count]


def _decode(  # type: ignore[no-untyped-def]
    container, sample_rate: int, end_s: float | None, progress: Progress
) -> NDArray[np.float32]:
    """Decode frame by frame; a file that breaks off gives what could be read before."""
    import av

    stream = container.streams.audio[0]
    resampler = av.AudioResampler(format="fltp", layout="stereo", rate=sample_rate)
    expected = _expected_s(container, stream)
    wanted_s = min(LONGEST_S, end_s if end_s is not None else LONGEST_S)
    limit = int(sample_rate * wanted_s) + 1
    # A header may say anything: room for more than half an hour comes when it is filled.
    held = _Growing(int(sample_rate * min(max(expected, 0.0) + 0.5, wanted_s + 0.5, 1800.0)))
    told = -sample_rate  # of the samples that were reported; the first frame is told at once
    try:
        for frame in container.decode(stream):
            frame.pts = None
            for made in resampler.resample(frame):
                held.add(np.asarray(made.to_ndarray(), dtype=np.float32))
            if expected > 0 and held.count - told > sample_rate:  # frames may be very short
                told = held.count
                progress(min(held.count / sample_rate / expected, 1.0))
            if held.count > limit:
                return held.samples()
        for made in resampler.resample(None):
            held.add(np.asarray(made.to_ndarray(), dtype=np.float32))
    except av.FFmpegError:
        if held.count < sample_rate // 10:
            raise
    return held.samples()


def _decode_otherwise(
    path: Path, sample_rate: int, end_s: float | None, progress: Progress
) -> NDArray[np.float32] | None:
    """Read with libsndfile; give None of what it cannot read either, or may only guess at."""
    import soundfile

    try:
        with soundfile.SoundFile(path) as source:
            if source.format not in OTHERWISE:
                return None
            rate = source.samplerate
            most = int(rate * min(LONGEST_S, end_s if end_s is not None else LONGEST_S)) + rate
            held = _Growing(min(source.frames, most, 1800 * rate))
            for block in source.blocks(OTHERWISE_AT_ONCE, dtype="float32", always_2d=True):
                held.add(_as_stereo(block.T))
                progress(min(held.count / max(source.frames, 1), 1.0))
                if held.count > most:
                    break
    except (soundfile.SoundFileError, ValueError, OverflowError, MemoryError):
        return None
    return to_rate(held.samples(), rate, sample_rate) if held.count else None


def _as_stereo(audio: NDArray[np.float32]) -> NDArray[np.float32]:
    """Give two channels of any number: more than two are left and right in turn, one is half in each."""
    if len(audio) == 1:
        return np.broadcast_to(np.float32(np.sqrt(0.5)) * audio, (2, audio.shape[1]))
    return np.stack([audio[0::2].mean(axis=0), audio[1::2].mean(axis=0)])


def _expected_s(container, stream) -> float:  # type: ignore[no-untyped-def]
    if stream.duration is not None and stream.time_base is not None:
        return float(stream.duration * stream.time_base)
    return float(container.duration or 0) / 1_000_000


def to_rate(audio: NDArray[np.float32], source_rate: int, target_rate: int) -> NDArray[np.float32]:
    """Resample audio, time last.

    Parameters
    ----------
    audio : ndarray of float32, shape (..., n_samples)
    source_rate, target_rate : int
        In Hz.
    """
    if source_rate == target_rate or not audio.size:
        return audio
    import soxr

    rows = audio.reshape(-1, audio.shape[-1])  # row by row: no copy of the whole is made on the way
    first = np.asarray(soxr.resample(rows[0], source_rate, target_rate), dtype=np.float32)
    resampled = np.empty((len(rows), len(first)), dtype=np.float32)
    resampled[0] = first
    for index in range(1, len(rows)):
        resampled[index] = soxr.resample(rows[index], source_rate, target_rate)
    return resampled.reshape(*audio.shape[:-1], -1)


def to_mid_side(audio: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Give half sum and half difference of stereo (2, n_samples).

    Parameters
    ----------
    audio : ndarray of float32, shape (2, n_samples)
    """
    mid = audio[0] + audio[1]
    side = audio[0] - audio[1]
    mid *= np.float32(0.5)
    side *= np.float32(0.5)
    return mid, side

"""Decoded sound, and the kinds of file that it comes from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from juxtanote.core.later import np

if TYPE_CHECKING:
    from numpy.typing import NDArray


SUFFIXES = (
    ".wav", ".flac", ".ogg", ".oga", ".opus", ".mp3", ".m4a", ".aac", ".mp4", ".webm", ".mkv",
    ".aif", ".aiff", ".wma", ".mov",
)  # fmt: skip
PLAY_RATE = 44_100


@dataclass(frozen=True, slots=True)
class Sound:
    """Decoded stereo sound: float32, shape (2, n_samples), at `sample_rate` Hz."""

    audio: NDArray[np.float32]
    sample_rate: int

    @property
    def duration_s(self) -> float:
        """Its length."""
        return float(self.audio.shape[1] / self.sample_rate)


def fingerprint(sound: Sound) -> str:
    """Give the course of a recording's loudness as text: 64 stretches, four bits each.

    Two files of one recording in other codecs give nearly the same text; another recording does not.

    Parameters
    ----------
    sound : Sound
        The whole recording.
    """
    edges = np.linspace(0, sound.audio.shape[1], 65).astype(int)
    spans = zip(edges[:-1], edges[1:], strict=True)
    parts = [sound.audio[:, a:b].mean(axis=0) for a, b in spans]
    power = np.array([float(np.mean(part**2)) if len(part) else 0.0 for part in parts])
    level = 10.0 * np.log10(power / max(float(power.max()), 1e-20) + 1e-6)
    steps = np.clip(np.rint((level + 60.0) / 4.0), 0, 15).astype(int)
    return "".join(f"{step:x}" for step in steps)


def is_alike(one: str, other: str) -> bool:
    """Tell whether two fingerprints are of one recording; nothing known counts as alike.

    Parameters
    ----------
    one, other : str
        As `fingerprint` gives them; empty where nothing is known.
    """
    if len(one) != len(other) or not one:
        return True
    apart = [abs(int(a, 16) - int(b, 16)) for a, b in zip(one, other, strict=True)]
    return sum(step > 1 for step in apart) <= 0.1 * len(apart)

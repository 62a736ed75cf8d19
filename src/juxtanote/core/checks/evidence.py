"""The evidence of a part of a recording, listened to again in bounded memory."""

from collections.abc import Iterator

from juxtanote.core.analysis.ahead import Ahead
from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.stretches import MARGIN_S, STRETCH_S, hear_stretch
from juxtanote.core.audio.sound import Sound
from juxtanote.core.progress import Progress, no_progress, part_of


def listen_again(
    sound: Sound,
    start_s: float,
    end_s: float,
    *,
    reference_cents: float = 0.0,
    progress: Progress = no_progress,
) -> Iterator[Evidence]:
    """Listen to a part of a recording, stretch by stretch in bounded memory.

    What is held against the sound is a guitar's: no other instrument is doubted.

    Parameters
    ----------
    sound : Sound
        The whole recording.
    start_s, end_s : float
        Which part of it, in seconds.
    reference_cents : float
        How far its A4 is from 440 Hz.
    progress : Progress
        Told the part done, 0 to 1.
    """
    end_s = min(end_s, sound.duration_s)
    at = max(start_s, 0.0)
    with Ahead(
        sound, end_s=end_s + MARGIN_S, reference_cents=reference_cents, progress=progress
    ) as ahead:
        while at < end_s:
            until = min(at + STRETCH_S, end_s)
            done, more = ((t - start_s) / (end_s - start_s) for t in (at, until))
            heard = hear_stretch(
                sound, at, until, reference_cents=reference_cents,
                progress=part_of(ahead.report, done, more),
                ahead=ahead, is_guitar=True,
            )  # fmt: skip
            yield Evidence(at, until, heard)
            at = until

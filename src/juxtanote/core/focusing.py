"""Which part of a mix lets most of the guitar be heard."""

from dataclasses import replace

from juxtanote.core.analysis.stretches import hear_stretch
from juxtanote.core.audio.sound import Sound
from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.score.lesson import Focus
from juxtanote.core.theory.observed import Chosen

# A focus is worth choosing where it gives so many times the sure notes of the whole mix, and some more.
BETTER, BETTER_BY = 1.08, 0.5


FOCUS_CHOICES = (
    Focus(),
    Focus(source="middle"),
    Focus(source="sides"),
    Focus(source="middle", low_hz=150.0, high_hz=6000.0),
    Focus(without_drums=True),
)


SURE = 0.8  # notes that tell which focus hears most


def propose_focus(
    sound: Sound,
    start_s: float,
    end_s: float,
    *,
    reference_cents: float = 0.0,
    progress: Progress = no_progress,
) -> Focus:
    """Try a few ways of bringing the guitar forward; take the one that lets most be heard surely.

    The whole mix is kept unless another way gives clearly more: each sure note counts its
    confidence, each doubtful one counts against.

    Parameters
    ----------
    sound : Sound
        The recording.
    start_s, end_s : float
        Seconds in the recording.
    reference_cents : float, optional
        Of A4 against 440 Hz.
    progress : Progress, optional
        Told the share that is done, 0 to 1.
    """
    tried: list[tuple[float, int, Focus]] = []
    count = len(FOCUS_CHOICES)
    for number, focus in enumerate(FOCUS_CHOICES):
        heard = hear_stretch(
            sound, start_s, end_s, reference_cents=reference_cents, focus=focus,
            progress=part_of(progress, number / count, (number + 1) / count),
        )  # fmt: skip
        sure = [n.confidence for n in heard.notes if n.confidence >= SURE]
        doubtful = len(heard.notes) - len(sure)
        tried.append((sum(sure) - 0.5 * doubtful, len(sure), focus))
    whole, best = tried[0], max(tried, key=lambda entry: entry[0])
    if best[0] < BETTER * whole[0] + BETTER_BY:
        best, chosen = whole, Chosen.WHOLE_MIX
    else:
        chosen = Chosen.MOST_NOTES
    return replace(best[2], chosen=chosen, sure_notes=best[1], sure_in_mix=whole[1])

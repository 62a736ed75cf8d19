"""A line out of a sound: what somebody played, to look for phrases like it."""

from juxtanote.core.analysis.middle import whole_middle
from juxtanote.core.analysis.reference_pitch import reference_to_hear_at
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.analysis.stretches import ALONE_FROM, hear_all
from juxtanote.core.audio.sound import Sound
from juxtanote.core.collection.music import Line
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.progress import Progress, no_progress

FEWEST = 3  # notes that make a line


def line_of(take: Sound, progress: Progress = no_progress) -> Line:
    """Listen to a take, and give its pitches (MIDI) and the seconds from each onset to the next.

    Parameters
    ----------
    take : Sound
        A guitar alone.
    progress : Progress, optional
        Told how far it is, 0 to 1.

    Raises
    ------
    JuxtanoteError
        If fewer than three notes are heard in it.
    """
    reference = reference_to_hear_at(whole_middle(take), SAMPLE_RATE)
    notes = sorted(
        (note.onset_s, round(note.midi))
        for note in hear_all(take, reference_cents=reference, progress=progress, is_guitar=True)
        if note.confidence > ALONE_FROM and "dead" not in note.techniques
    )
    if len(notes) < FEWEST:
        raise JuxtanoteError(
            "Fewer than three notes are heard in the take: record another one, or select notes."
        )
    onsets = [onset for onset, _ in notes]
    steps = tuple(b - a for a, b in zip(onsets, onsets[1:], strict=False))
    return tuple(midi for _, midi in notes), steps

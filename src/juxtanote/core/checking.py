"""Checking a tab against a recording, whatever file it comes from: rows in, complaints out."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from juxtanote.core.align.to_sound import align_to_heard
from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.middle import whole_middle
from juxtanote.core.analysis.reference_pitch import reference_to_hear_at
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.audio.sound import Sound
from juxtanote.core.checks.complaints import Asked, Complaint
from juxtanote.core.checks.evidence import listen_again
from juxtanote.core.checks.playable import unplayable
from juxtanote.core.checks.second_ear import second_ear
from juxtanote.core.formats.csv_notes import NoteRow
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.theory.harmonics import harmonic_midi
from juxtanote.core.theory.tuning import Guitar

AGREE = 0.6  # semitones
IN_STEP = (
    0.5  # share of notes that must sound where they are written, or the file has a time of its own
)
NEAR_S = 0.15  # as far as an imported onset may lie off what is heard


def check_notes(
    rows: Sequence[NoteRow],
    sound: Sound,
    guitar: Guitar,
    *,
    tuning_is_given: bool = False,
    progress: Progress = no_progress,
) -> list[Complaint]:
    """Hold rows against a recording: complaints by onset, the sure ones only.

    Where few of them sound when the file says, they are aligned to the sound first: a score has a time of
    its own.

    Parameters
    ----------
    rows : sequence of NoteRow
        As written.
    sound : Sound
        The recording.
    guitar : Guitar
    tuning_is_given : bool
        False where the guitar is a guess, which the pitches of the rows may mend.
    progress : Progress
        Told how far it is, 0 to 1.
    """
    if not rows:
        return []
    reference = reference_to_hear_at(whole_middle(sound), SAMPLE_RATE)
    asked = asked_rows(rows, guitar, tuning_is_given=tuning_is_given)
    first, last = 0.0, sound.duration_s
    evidence = list(listen_again(sound, first, last, reference_cents=reference, progress=progress))
    asked = _in_time(asked, evidence)
    found: list[Complaint] = []
    for part in evidence:
        inside = [n for n in asked if part.start_s <= n.onset_s < part.end_s]
        found += second_ear(inside, part)
    found += unplayable(asked, guitar)
    told = [c for c in found if c.is_told]
    return sorted(told, key=lambda c: (c.onset_s, c.kind))


def asked_rows(
    rows: Sequence[NoteRow], guitar: Guitar, *, tuning_is_given: bool = False
) -> list[Asked]:
    """Give rows as they are held against a sound: by string and fret where those are known."""
    numbers = [k if row.number is None else row.number for k, row in enumerate(rows)]
    asked = [_asked(number, row, guitar) for number, row in zip(numbers, rows, strict=True)]
    return asked if tuning_is_given else _in_their_tuning(asked, rows)


def _asked(number: int, row: NoteRow, guitar: Guitar) -> Asked:
    midi, string, fret = row.midi, row.string or 0, row.fret or 0
    known = row.string is not None and row.fret is not None
    if known and 1 <= string <= guitar.string_count:
        midi = float(guitar.midi_at(string, fret))
        if "natural-harmonic" in row.techniques:
            midi = harmonic_midi(guitar.open_midi(string), fret) or row.midi
    return Asked(
        number, row.onset_s, row.onset_s + row.duration_s, midi, string, fret, row.techniques,
        row.bend_semitones,
    )  # fmt: skip


def _in_their_tuning(asked: list[Asked], rows: Sequence[NoteRow]) -> list[Asked]:
    """Take the file's pitches where most of a string's disagree with it: it is tuned otherwise."""
    apart: dict[int, Counter[int]] = {}
    for note, row in zip(asked, rows, strict=True):
        if note.string:
            apart.setdefault(note.string, Counter())[round(row.midi - note.midi)] += 1
    shift = {
        string: counts.most_common(1)[0][0]
        for string, counts in apart.items()
        if counts.most_common(1)[0][1] > 0.6 * counts.total()
    }
    return [replace(n, midi=n.midi + shift.get(n.string, 0)) for n in asked]


def _in_time(asked: list[Asked], evidence: Sequence[Evidence]) -> list[Asked]:
    """Give the notes at the times at which they are played."""
    heard = sorted(
        (n.onset_s, n.midi) for part in evidence for n in part.notes if n.confidence > 0.4
    )
    if not heard:
        return asked
    there = sum(
        any(abs(n.midi - midi) < AGREE and abs(n.onset_s - at) < NEAR_S for at, midi in heard)
        for n in asked
    )
    if there >= IN_STEP * len(asked):
        return asked
    ordered = sorted(asked, key=lambda n: n.onset_s)
    try:
        aligned = align_to_heard(
            [n.onset_s for n in ordered], [n.midi for n in ordered],
            [at for at, _ in heard], [midi for _, midi in heard],
        )  # fmt: skip
    except ValueError:
        return asked
    moved = []
    for note, onset in zip(ordered, aligned.onset_s, strict=True):
        moved.append(replace(note, onset_s=onset, offset_s=onset + note.offset_s - note.onset_s))
    return sorted(moved, key=lambda n: n.onset_s)

"""The notes of a part on the recording's time axis, each of them once."""

from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import Note

SAME_ONSET_S, SAME_SEMITONES = 0.05, 0.6  # what two phrases that overlap both hold is one note


def notes_of_part(lesson: Lesson, part: int) -> list[tuple[Phrase, Note]]:
    """List the notes of a part with their phrases, by onset.

    Where phrases overlap, what both of them heard (one pitch, onsets within 50 ms: the MIREX convention)
    stands once, as the earlier phrase has it; all else stays. Variants are on no time axis.
    """
    rows: list[tuple[Phrase, Note]] = []
    latest: list[Phrase] = []
    for phrase in lesson.phrases_of(part):
        latest = [p for p in latest if p.end_s + 1.0 > phrase.start_s]
        known = [n for p in latest for n in p.notes]
        rows += [(phrase, note) for note in phrase.notes if not any(_same(note, k) for k in known)]
        latest.append(phrase)
    return sorted(rows, key=lambda row: (row[1].onset_s, -row[1].written.string))


def _same(a: Note, b: Note) -> bool:
    near = abs(a.onset_s - b.onset_s) < SAME_ONSET_S
    return near and abs(a.heard.midi - b.heard.midi) < SAME_SEMITONES

"""What MusicXML writes around the notes of a bar: repeats, endings and chord symbols."""

import xml.etree.ElementTree as ET
from dataclasses import dataclass
from fractions import Fraction

from juxtanote.core.score.lesson import Lesson
from juxtanote.core.score.note import Note
from juxtanote.core.theory.chords import known_chord


def written_onset(note: Note, lesson: Lesson) -> Fraction:
    """Give where a note is counted, in beats; of one that is not, the nearest twelfth of a beat.

    Parameters
    ----------
    note : Note
    lesson : Lesson
    """
    if note.written.onset_beats is not None:
        return note.written.onset_beats
    return Fraction(round(float(lesson.time_map.to_beats(note.onset_s)) * 12), 12)


@dataclass(slots=True)
class BarLines:
    """What stands at the edges of a bar: repeats, their number of times, and endings."""

    begins: bool = False
    times: int = 0
    ending_begins: int = 0
    ending_ends: int = 0

    def write_left(self, measure: ET.Element) -> None:
        """Write what stands before the bar."""
        if self.begins or self.ending_begins:
            line = ET.SubElement(measure, "barline", location="left")
            if self.ending_begins:
                ET.SubElement(line, "ending", number=str(self.ending_begins), type="start")
            if self.begins:
                ET.SubElement(line, "repeat", direction="forward")

    def write_right(self, measure: ET.Element) -> None:
        """Write what stands after the bar."""
        if self.times or self.ending_ends:
            line = ET.SubElement(measure, "barline", location="right")
            if self.ending_ends:
                ET.SubElement(line, "ending", number=str(self.ending_ends), type="stop")
            if self.times:
                ET.SubElement(line, "repeat", direction="backward", times=str(self.times))


def bar_lines(lesson: Lesson, part: int, bars: dict[int, list[Note]]) -> dict[int, BarLines]:
    """Find repeats and endings, where a phrase has its bars to itself.

    Parameters
    ----------
    lesson : Lesson
    part : int
        Its number.
    bars : dict of int to list of Note
        What is written in each bar; 0 is bar 1.
    """
    owners: dict[int, set[int]] = {}
    spans: dict[int, tuple[int, int]] = {}
    per_bar = lesson.time_map.beats_per_bar
    for phrase in lesson.phrases_of(part):
        here = {int(written_onset(n, lesson) // per_bar) for n in phrase.notes}
        if here:
            spans[phrase.ident] = min(here), max(here)
            for bar in here:
                owners.setdefault(bar, set()).add(phrase.ident)
    lines: dict[int, BarLines] = {}
    before = -1  # first bar of the phrase before: what a first ending goes back to
    for phrase in lesson.phrases_of(part):
        if phrase.ident not in spans:
            continue
        first, last = spans[phrase.ident]
        if any(len(owners.get(bar, ())) > 1 for bar in range(first, last + 1)):
            continue
        left, right = lines.setdefault(first, BarLines()), lines.setdefault(last, BarLines())
        if phrase.ending:
            left.ending_begins = right.ending_ends = phrase.ending
            if phrase.ending == 1:
                right.times = 2
                lines.setdefault(before if before in bars else first, BarLines()).begins = True
        elif phrase.repeats > 1:
            left.begins, right.times = True, phrase.repeats
        before = first
    return lines


_KINDS = {
    "": "major", "m": "minor", "5": "power", "7": "dominant", "maj7": "major-seventh",
    "m7": "minor-seventh", "6": "major-sixth", "m6": "minor-sixth", "9": "dominant-ninth",
    "m9": "minor-ninth", "maj9": "major-ninth", "13": "dominant-13th", "sus4": "suspended-fourth",
    "sus2": "suspended-second", "dim": "diminished", "dim7": "diminished-seventh",
    "m7♭5": "half-diminished", "aug": "augmented", "m(maj7)": "major-minor",
}  # fmt: skip


def write_harmony(measure: ET.Element, symbol: str) -> None:
    """Write a chord symbol.

    Parameters
    ----------
    measure : ET.Element
        The bar's element.
    symbol : str
        Such as ``"Am7"``.
    """
    chord, spelled = known_chord(symbol), symbol.split("/")
    if chord is None:
        return
    harmony = ET.SubElement(measure, "harmony")
    _chord_note(harmony, "root", spelled[0])
    kind = ET.SubElement(harmony, "kind", text=spelled[0].lstrip("ABCDEFG♯♭#b"))
    kind.text = _KINDS.get(chord.quality, "other")
    if chord.bass is not None:
        _chord_note(harmony, "bass", spelled[1])


def _chord_note(harmony: ET.Element, name: str, spelled: str) -> None:
    element = ET.SubElement(harmony, name)
    ET.SubElement(element, f"{name}-step").text = spelled[0]
    signs = spelled[1 : len(spelled) - len(spelled[1:].lstrip("♯♭#b"))]
    alter = sum(1 if sign in "♯#" else -1 for sign in signs)
    if alter:
        ET.SubElement(element, f"{name}-alter").text = str(alter)

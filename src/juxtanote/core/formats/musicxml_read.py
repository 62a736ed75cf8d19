"""Reading MusicXML that people bring: notes with what their tab says, hostile files refused."""

import io
import lzma
import struct
import zipfile
import zlib
from dataclasses import replace
from fractions import Fraction
from typing import Any

from juxtanote.core.errors import ImportFileError
from juxtanote.core.formats.csv_notes import NoteRow
from juxtanote.core.formats.read_score import ReadPart, ReadScore
from juxtanote.core.score.techniques import TECHNIQUES
from juxtanote.core.theory.pitch import LETTER_SEMITONES

MOST_BYTES = 60_000_000  # unpacked
MOST_NOTES = 100_000  # a file with more is no lesson
_BROKEN = "The MusicXML file could not be read: it is damaged or not MusicXML. Export it again."


def read_musicxml(data: bytes) -> ReadScore:
    """Read the notes of every part, with string, fret, techniques and places in bars where they stand.

    Raises
    ------
    ImportFileError
        If it is damaged, or holds entities (which could read other files or never end).
    """
    from defusedxml import ElementTree
    from defusedxml.common import DefusedXmlException

    if len(data) > MOST_BYTES:
        raise ImportFileError("The MusicXML file is too large to be a lick. Export a part of it.")
    if data[:2] == b"PK":
        data = _unpacked(data)
    try:
        root = ElementTree.fromstring(data)
    except DefusedXmlException as error:
        raise ImportFileError(
            "The MusicXML file holds entities, which are unsafe, and was not read. Export it again "
            "without them."
        ) from error
    except (ElementTree.ParseError, ValueError, LookupError, RecursionError, MemoryError) as error:
        raise ImportFileError(_BROKEN) from error
    if root.tag != "score-partwise":
        raise ImportFileError(
            "The file is not MusicXML by parts (score-partwise). Export it in that form."
        )
    try:
        return _score(root)
    except (
        ValueError, TypeError, AttributeError, KeyError, ZeroDivisionError, OverflowError, IndexError,
    ) as error:  # fmt: skip
        raise ImportFileError(_BROKEN) from error


def _unpacked(data: bytes) -> bytes:
    """Take the score out of a compressed file (.mxl)."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = [n for n in archive.namelist() if n.endswith((".xml", ".musicxml"))]
            scores = [n for n in names if not n.startswith("META-INF")]
            with archive.open(scores[0]) as handle:
                text = handle.read(MOST_BYTES + 1)
    except (
        zipfile.BadZipFile, zlib.error, IndexError, OSError, RuntimeError, EOFError, ValueError, KeyError,
        NotImplementedError, OverflowError, MemoryError, struct.error, lzma.LZMAError,
    ) as error:  # fmt: skip
        raise ImportFileError(_BROKEN) from error
    if len(text) > MOST_BYTES:
        raise ImportFileError("The MusicXML file is too large to be a lick. Export a part of it.")
    return text


def _score(root: Any) -> ReadScore:
    """Read every part; the names of parts stand in the part list."""
    names = {
        part.get("id"): (part.findtext("part-name") or "").strip()
        for part in root.iterfind("part-list/score-part")
    }
    parts, total, beats_per_bar = [], 0, 4
    for number, part in enumerate(root.findall("part"), start=1):
        reader = _Reader()
        rows = reader.read(part)
        total += len(rows)
        if total > MOST_NOTES:
            raise ImportFileError(f"The file has more than {MOST_NOTES} notes. Split it.")
        beats_per_bar = reader.beats_per_bar if number == 1 else beats_per_bar
        if rows:
            name = names.get(part.get("id")) or f"part {number}"
            parts.append(ReadPart(name, tuple(rows), reader.tuning()))
    if root.find("part") is None:
        raise ImportFileError("The MusicXML file has no part in it.")
    return ReadScore(tuple(parts), beats_per_bar=beats_per_bar)


class _Reader:
    """Walks through the measures of a part with a clock in quarters and a tempo."""

    def __init__(self) -> None:
        self._divisions, self._tempo = 1.0, 120.0
        self._now_s, self._rows = 0.0, []  # type: float, list[NoteRow]
        self._now = Fraction(0)  # quarters from the first full bar
        self._last_start = (0.0, Fraction(0))
        self._tied: dict[tuple[int, int | None], int] = {}
        self._quarters_per_beat, self.beats_per_bar = Fraction(1), 4
        self._tuning: dict[int, int] = {}

    def read(self, part: Any) -> list[NoteRow]:
        """Read the notes of a part, by onset, their beats counted from bar 1."""
        counted = False
        for measure in part.findall("measure"):
            if not counted and measure.get("implicit") != "yes":
                for element in measure.findall("attributes"):
                    self._attributes(element)  # the metre tells where the bar of that number begins
                self._count_from(measure.get("number") or "")
                counted = True
            for element in measure:
                self._element(element)
        return sorted(self._rows, key=lambda row: (row.onset_s, row.midi))

    def _count_from(self, number: str) -> None:
        """Count so that the first full bar has its number; what stands before it is the pickup."""
        bar = int(number) if number.isdecimal() and len(number) < 6 else 1
        begins = Fraction((max(bar, 1) - 1) * self.beats_per_bar) * self._quarters_per_beat
        by = (begins - self._now) / self._quarters_per_beat
        self._rows = [
            replace(r, onset_beats=(r.onset_beats or Fraction(0)) + by) for r in self._rows
        ]
        self._now = begins

    def tuning(self) -> tuple[int, ...] | None:
        """Give the open strings, thickest first, where the part tells them."""
        strings = tuple(self._tuning[line] for line in sorted(self._tuning))
        return strings if 4 <= len(strings) <= 9 else None

    def _seconds(self, duration: str | None) -> float:
        return float(duration or 0) / self._divisions * 60.0 / self._tempo

    def _element(self, element: Any) -> None:
        if element.tag == "attributes":
            self._attributes(element)
        elif element.tag in ("direction", "sound"):
            sound = element if element.tag == "sound" else element.find("sound")
            if sound is not None and sound.get("tempo"):
                self._tempo = min(max(float(sound.get("tempo")), 5.0), 1000.0)
        elif element.tag == "backup":
            self._move(element.findtext("duration"), -1)
        elif element.tag == "forward":
            self._move(element.findtext("duration"), 1)
        elif element.tag == "note":
            self._note(element)

    def _attributes(self, element: Any) -> None:
        if element.findtext("divisions"):
            self._divisions = max(float(element.findtext("divisions")), 1e-6)
        count, unit = element.findtext("time/beats"), element.findtext("time/beat-type")
        if count and unit and count.isdecimal() and unit.isdecimal() and int(unit) and int(count):
            many, of = int(count), int(unit)
            compound = of in (8, 16) and many % 3 == 0 and many > 3
            self._quarters_per_beat = Fraction(12, of) if compound else Fraction(4, of)
            self.beats_per_bar = many // 3 if compound else many
        for tuning in element.iterfind("staff-details/staff-tuning"):
            self._tune(tuning)

    def _tune(self, tuning: Any) -> None:
        step = (tuning.findtext("tuning-step") or "").strip()
        octave, line = tuning.findtext("tuning-octave"), tuning.get("line") or ""
        if step in LETTER_SEMITONES and octave and line.isdecimal():
            midi = LETTER_SEMITONES[step] + 12 * (int(octave) + 1)
            midi += int(float(tuning.findtext("tuning-alter") or 0))
            if 16 <= midi <= 88:
                self._tuning[int(line)] = midi

    def _quarters(self, duration: str | None) -> Fraction:
        length = float(duration or 0) / self._divisions
        if not 0.0 <= length <= 1e6:
            raise ValueError(f"a duration of {duration}")
        return Fraction(length).limit_denominator(5040)

    def _move(self, duration: str | None, sign: int) -> None:
        self._now_s += sign * self._seconds(duration)
        self._now += sign * self._quarters(duration)

    def _note(self, element: Any) -> None:
        duration = element.findtext("duration")
        length, quarters = self._seconds(duration), self._quarters(duration)
        chord = element.find("chord") is not None
        grace = element.find("grace") is not None
        start, beat = self._last_start if chord else (max(self._now_s, 0.0), self._now)
        if grace:
            start, length, quarters = max(self._now_s - 0.08, 0.0), 0.08, Fraction(0)
        pitch = element.find("pitch")
        if pitch is not None:
            self._add(element, pitch, (start, length), (beat, quarters))
        if not chord and not grace:
            self._last_start = (start, beat)
            self._now_s += length
            self._now += quarters

    def _add(
        self,
        element: Any,
        pitch: Any,
        span: tuple[float, float],
        written: tuple[Fraction, Fraction],
    ) -> None:
        start, length = span
        letter = LETTER_SEMITONES[pitch.findtext("step").strip()]
        alter = float(pitch.findtext("alter") or 0)
        midi = letter + alter + 12 * (int(pitch.findtext("octave")) + 1)
        string = _whole(element, "notations/technical/string", 1, 9)
        fret = _whole(element, "notations/technical/fret", 0, 36)
        ties = {tie.get("type") for tie in element.findall("tie")}
        key = (round(midi), string)
        onset, beats = (quarters / self._quarters_per_beat for quarters in written)
        if "stop" in ties and key in self._tied:
            row = self._rows[self._tied[key]]
            self._rows[self._tied[key]] = replace(
                row,
                duration_s=row.duration_s + length,
                duration_beats=(row.duration_beats or Fraction(0)) + beats,
                techniques=row.techniques | (_techniques(element)[0] & {"let-ring"}),
            )
        else:
            tags, bend = _techniques(element)
            tags |= {"grace"} if element.find("grace") is not None else set()
            self._tied[key] = len(self._rows)
            self._rows.append(
                NoteRow(
                    start, max(length, 0.02), midi, string, fret, frozenset(tags), bend,
                    onset_beats=onset, duration_beats=beats,
                )
            )  # fmt: skip
        if "start" not in ties:
            self._tied.pop(key, None)


def _whole(element: Any, path: str, low: int, high: int) -> int | None:
    text = element.findtext(path)
    if text is None:
        return None
    value = int(text)
    return value if low <= value <= high else None


def _techniques(element: Any) -> tuple[set[str], float]:
    """Read what stands under notations."""
    tags: set[str] = set()
    bend = 0.0
    for mark in element.iterfind("notations/technical/*"):
        if mark.tag in ("hammer-on", "pull-off") and mark.get("type") == "stop":
            tags.add(mark.tag)
        elif mark.tag == "tap":
            tags.add("tap")
        elif mark.tag == "harmonic":
            tags.add(
                "pinch-harmonic" if mark.find("artificial") is not None else "natural-harmonic"
            )
        elif mark.tag == "bend":
            amount = min(abs(float(mark.findtext("bend-alter") or 0)), 5.0)
            bend = max(bend, amount)
            if mark.find("release") is not None:
                tags.add("release")
            else:
                tags.add("pre-bend" if mark.find("pre-bend") is not None else "bend")
        elif mark.tag == "other-technical" and (mark.text or "").strip() in TECHNIQUES:
            tags.add((mark.text or "").strip())
    for tied in element.iterfind("notations/tied"):
        if tied.get("type") == "let-ring":
            tags.add("let-ring")
    for slide in element.iterfind("notations/slide"):
        if slide.get("type") == "stop":
            tags.add("slide")
    if element.find("notations/ornaments/wavy-line") is not None:
        tags.add("vibrato")
    if element.find("notations/articulations/staccato") is not None:
        tags.add("staccato")
    if (element.findtext("notehead") or "") == "x":
        tags.add("dead")
    return tags, bend

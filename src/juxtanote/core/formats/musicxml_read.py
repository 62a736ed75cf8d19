"""Reading MusicXML that people bring: notes with what their tab says, hostile files refused."""

import io
import zipfile
import zlib
from typing import Any

from juxtanote.core.errors import ImportFileError
from juxtanote.core.formats.csv_notes import NoteRow
from juxtanote.core.theory.pitch import LETTER_SEMITONES

MOST_BYTES = 60_000_000
MOST_NOTES = 100_000
_BROKEN = "The MusicXML file could not be read: it is damaged or not MusicXML. Export it again."


def read_musicxml(data: bytes) -> list[NoteRow]:
    """Read the notes of the first part, with string, fret and techniques where they stand.

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
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        raise ImportFileError(_BROKEN) from error
    if root.tag != "score-partwise":
        raise ImportFileError(
            "The file is not MusicXML by parts (score-partwise). Export it in that form."
        )
    try:
        return _Reader().read(root)
    except (ValueError, TypeError, AttributeError, KeyError, ZeroDivisionError) as error:
        raise ImportFileError(_BROKEN) from error


def _unpacked(data: bytes) -> bytes:
    """Take the score out of a compressed file (.mxl)."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = [n for n in archive.namelist() if n.endswith((".xml", ".musicxml"))]
            scores = [n for n in names if not n.startswith("META-INF")]
            with archive.open(scores[0]) as handle:
                text = handle.read(MOST_BYTES + 1)
    except (zipfile.BadZipFile, zlib.error, IndexError, OSError, RuntimeError, EOFError) as error:
        raise ImportFileError(_BROKEN) from error
    if len(text) > MOST_BYTES:
        raise ImportFileError("The MusicXML file is too large to be a lick. Export a part of it.")
    return text


class _Reader:
    """Walks through measures with a clock in quarters and a tempo."""

    def __init__(self) -> None:
        self._divisions, self._tempo = 1.0, 120.0
        self._now_s, self._rows = 0.0, []  # type: float, list[NoteRow]
        self._last_start, self._grace = 0.0, 0
        self._tied: dict[tuple[int, int | None], int] = {}

    def read(self, root: Any) -> list[NoteRow]:
        part = root.find("part")
        if part is None:
            raise ImportFileError("The MusicXML file has no part in it.")
        for measure in part.findall("measure"):
            for element in measure:
                self._element(element)
            if len(self._rows) > MOST_NOTES:
                raise ImportFileError(f"The file has more than {MOST_NOTES} notes. Split it.")
        return sorted(self._rows, key=lambda row: (row.onset_s, row.midi))

    def _seconds(self, duration: str | None) -> float:
        return float(duration or 0) / self._divisions * 60.0 / self._tempo

    def _element(self, element: Any) -> None:
        if element.tag == "attributes" and element.findtext("divisions"):
            self._divisions = max(float(element.findtext("divisions")), 1e-6)
        elif element.tag in ("direction", "sound"):
            sound = element if element.tag == "sound" else element.find("sound")
            if sound is not None and sound.get("tempo"):
                self._tempo = min(max(float(sound.get("tempo")), 5.0), 1000.0)
        elif element.tag == "backup":
            self._now_s -= self._seconds(element.findtext("duration"))
        elif element.tag == "forward":
            self._now_s += self._seconds(element.findtext("duration"))
        elif element.tag == "note":
            self._note(element)

    def _note(self, element: Any) -> None:
        length = self._seconds(element.findtext("duration"))
        chord = element.find("chord") is not None
        grace = element.find("grace") is not None
        start = self._last_start if chord else max(self._now_s, 0.0)
        if grace:
            self._grace += 1
            start, length = max(self._now_s - 0.08, 0.0), 0.08
        pitch = element.find("pitch")
        if pitch is not None:
            self._add(element, pitch, start, length, grace)
        if not chord and not grace:
            self._last_start = start
            self._now_s += length

    def _add(self, element: Any, pitch: Any, start: float, length: float, grace: bool) -> None:
        letter = LETTER_SEMITONES[pitch.findtext("step").strip()]
        alter = float(pitch.findtext("alter") or 0)
        midi = letter + alter + 12 * (int(pitch.findtext("octave")) + 1)
        string = _whole(element, "notations/technical/string", 1, 9)
        fret = _whole(element, "notations/technical/fret", 0, 36)
        ties = {tie.get("type") for tie in element.findall("tie")}
        key = (round(midi), string)
        if "stop" in ties and key in self._tied:
            index = self._tied[key]
            row = self._rows[index]
            longer = row.duration_s + length
            self._rows[index] = NoteRow(
                row.onset_s, longer, row.midi, row.string, row.fret, row.techniques,
                row.bend_semitones,
            )  # fmt: skip
        else:
            tags, bend = _techniques(element)
            if grace:
                tags |= {"grace"}
            self._tied[key] = len(self._rows)
            self._rows.append(
                NoteRow(start, max(length, 0.02), midi, string, fret, frozenset(tags), bend)
            )
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

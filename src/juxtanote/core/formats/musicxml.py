"""MusicXML 4.0: tab with string, fret, slurs, slides, bends and harmonics (W3C, 2021)."""

import re
import xml.etree.ElementTree as ET
from dataclasses import replace
from fractions import Fraction

from juxtanote import __version__
from juxtanote.core.formats.musicxml_bars import BarLines, bar_lines, write_harmony, written_onset
from juxtanote.core.score.lesson import Lesson, Part
from juxtanote.core.score.note import SLURS, Note
from juxtanote.core.score.rhythm import swing_of
from juxtanote.core.score.sections import section_letters
from juxtanote.core.score.techniques import TABLE
from juxtanote.core.score.timeline import notes_of_part
from juxtanote.core.score.values import BEAMS, Moment, Value
from juxtanote.core.score.voices import cut_by_strings, voices_of_bars
from juxtanote.core.theory.keys import known_key
from juxtanote.core.theory.scales import spell_pitch

DIVISIONS = 48  # per quarter: sixteenths, triplets, sextuplets and thirty-seconds are exact
# Techniques that the format has no sign of its own for.
OTHERS = tuple(technique.name for technique in TABLE if not technique.in_musicxml)
_MODES = frozenset(
    {"major", "minor", "dorian", "phrygian", "lydian", "mixolydian", "aeolian", "locrian"}
)
_ILLEGAL = re.compile(r"[^\t\n\r\x20-\uD7FF\uE000-\uFFFD\U00010000-\U0010FFFF]")  # XML 1.0, 2.2
_DOCTYPE = (
    '<?xml version="1.0" encoding="UTF-8"?>\n<!DOCTYPE score-partwise PUBLIC '
    '"-//Recordare//DTD MusicXML 4.0 Partwise//EN" '
    '"http://www.musicxml.org/dtds/partwise.dtd">\n'
)


def write_musicxml(lesson: Lesson) -> str:
    """Write all phrases of a lesson, one after the other on the lesson's own bars."""
    root = ET.Element("score-partwise", version="4.0")
    ET.SubElement(ET.SubElement(root, "work"), "work-title").text = lesson.title
    identification = ET.SubElement(root, "identification")
    if lesson.performer:
        ET.SubElement(identification, "creator", type="artist").text = lesson.performer
    encoding = ET.SubElement(identification, "encoding")
    ET.SubElement(encoding, "software").text = f"Juxtanote {__version__}"
    part_list = ET.SubElement(root, "part-list")
    for part in lesson.parts:
        score_part = ET.SubElement(part_list, "score-part", id=f"P{part.ident}")
        ET.SubElement(score_part, "part-name").text = part.name or "Guitar"
    each = {part.ident: _bars(lesson, part.ident) for part in lesson.parts}
    used = [bar for bars in each.values() for bar in bars]
    numbers = range(min(used), _last_bar(lesson, each) + 1) if used else range(0, 1)
    for part in lesson.parts:
        _part(root, lesson, part, each[part.ident], numbers)
    ET.indent(root)
    return _DOCTYPE + _ILLEGAL.sub("", ET.tostring(root, encoding="unicode")) + "\n"


def _part(
    root: ET.Element, lesson: Lesson, part: Part, bars: dict[int, list[Note]], numbers: range
) -> None:
    """Write one guitar over the bars that all parts share."""
    element = ET.SubElement(root, "part", id=f"P{part.ident}")
    lines, chords = bar_lines(lesson, part.ident, bars), dict(lesson.chords)
    ordered = sorted((note for notes in bars.values() for note in notes), key=_by_written)
    everything = cut_by_strings(ordered)
    slurs = _slur_pairs(everything)
    letters = _letters(lesson, part)
    pickup = _pickup_start(lesson, numbers) if numbers.start < 0 else None
    written = voices_of_bars(everything, numbers, lesson.time_map, pickup=pickup)
    for index, (bar, (upper, lower)) in enumerate(zip(numbers, written, strict=True)):
        measure = ET.SubElement(element, "measure", number=str(bar + 1))
        if bar < 0:
            measure.set("implicit", "yes")
        lines.get(bar, BarLines()).write_left(measure)
        if index == 0:
            _attributes(measure, lesson, part)
        for letter in letters.get(bar, ()):
            direction = ET.SubElement(measure, "direction", placement="above")
            kind = ET.SubElement(direction, "direction-type")
            ET.SubElement(kind, "rehearsal").text = letter
        for symbol in chords.get(bar + 1, "").split():
            write_harmony(measure, symbol)
        _fill_measure(measure, upper, lesson, slurs)
        if lower:
            back = sum((moment.length for moment in upper), Fraction(0))
            _step(measure, "backup", back * lesson.time_map.quarters_per_beat)
            _fill_measure(measure, lower, lesson, slurs, voice=2)
        lines.get(bar, BarLines()).write_right(measure)


def _letters(lesson: Lesson, part: Part) -> dict[int, list[str]]:
    """Give the sections' letters by bar, over the first part alone; none where there is one phrase."""
    if part is not lesson.parts[0] or len(lesson.phrases) < 2:
        return {}
    letters: dict[int, list[str]] = {}
    named = section_letters(lesson.phrases)
    for phrase in lesson.phrases_of(part.ident):
        if phrase.notes:
            bar = min(
                int(written_onset(n, lesson) // lesson.time_map.beats_per_bar) for n in phrase.notes
            )
            letters.setdefault(bar, []).append(named[phrase.ident])
    return letters


def _pickup_start(lesson: Lesson, numbers: range) -> Fraction:
    """Give the beat on which the first note of any part stands: the pickup begins there."""
    onsets = [n.written.onset_beats for p in lesson.phrases for n in p.notes]
    first = min((o for o in onsets if o is not None), default=Fraction(0))
    return max(Fraction(first // 1), Fraction(numbers.start * lesson.time_map.beats_per_bar))


def _last_bar(lesson: Lesson, each: dict[int, dict[int, list[Note]]]) -> int:
    """Give the bar in which the last note of all parts ends."""
    notes = [
        note
        for bars in each.values()
        for bar in (max(bars, default=None),)
        if bar is not None
        for note in bars[bar]
    ]
    ends = [_by_written(n)[0] + (n.written.duration_beats or Fraction(0)) for n in notes]
    begun = max(bar for bars in each.values() for bar in bars)
    return max(begun, -int(-max(ends) // lesson.time_map.beats_per_bar) - 1)


def _by_written(note: Note) -> tuple[Fraction, int]:
    return note.written.onset_beats or Fraction(0), -note.written.string


def _bars(lesson: Lesson, part: int) -> dict[int, list[Note]]:
    """Sort every note of a part by the bar of its written onset."""
    bars: dict[int, list[Note]] = {}
    for _, note in notes_of_part(lesson, part):
        onset = written_onset(note, lesson)
        if note.written.onset_beats is None:
            note = replace(
                note, written=replace(note.written, onset_beats=onset, duration_beats=Fraction(1))
            )
        bars.setdefault(int(onset // lesson.time_map.beats_per_bar), []).append(note)
    return bars


def _attributes(measure: ET.Element, lesson: Lesson, part: Part) -> None:
    time_map, guitar = lesson.time_map, part.guitar
    attributes = ET.SubElement(measure, "attributes")
    ET.SubElement(attributes, "divisions").text = str(DIVISIONS)
    key = ET.SubElement(attributes, "key")
    known = known_key(lesson.key)
    ET.SubElement(key, "fifths").text = str(known.fifths if known else 0)
    if known is not None:
        ET.SubElement(key, "mode").text = known.mode if known.mode in _MODES else known.family
    time = ET.SubElement(attributes, "time")
    for name, value in zip(("beats", "beat-type"), time_map.signature, strict=True):
        ET.SubElement(time, name).text = str(value)
    clef = ET.SubElement(attributes, "clef")
    ET.SubElement(clef, "sign").text = "TAB"
    ET.SubElement(clef, "line").text = str((guitar.string_count + 3) // 2)
    details = ET.SubElement(attributes, "staff-details")
    ET.SubElement(details, "staff-lines").text = str(guitar.string_count)
    for line, midi in enumerate(guitar.tuning, start=1):
        tuning = ET.SubElement(details, "staff-tuning", line=str(line))
        spelled = spell_pitch(midi, "")
        ET.SubElement(tuning, "tuning-step").text = spelled.step
        if spelled.alter:
            ET.SubElement(tuning, "tuning-alter").text = str(spelled.alter)
        ET.SubElement(tuning, "tuning-octave").text = str(spelled.octave)
    if guitar.capo:
        ET.SubElement(details, "capo").text = str(guitar.capo)
    direction = ET.SubElement(measure, "direction", placement="above")
    kind = ET.SubElement(direction, "direction-type")
    metronome = ET.SubElement(kind, "metronome")
    unit = {2: "half", 4: "quarter", 8: "eighth", 16: "16th"}[time_map.beat_unit]
    ET.SubElement(metronome, "beat-unit").text = unit
    if time_map.is_compound:
        ET.SubElement(metronome, "beat-unit-dot")
    start = lesson.phrases[0].start_s if lesson.phrases else 0.0
    tempo = time_map.tempo_at(start)
    ET.SubElement(metronome, "per-minute").text = f"{tempo:.1f}"
    sounding = tempo * float(time_map.quarters_per_beat)
    sound = ET.SubElement(direction, "sound", tempo=f"{sounding:.2f}")
    swung = [p for p in lesson.phrases if p.subdivision == "swung eighths"]
    if swung:
        share = Fraction(swing_of(swung[0], time_map)).limit_denominator(8)
        swing = ET.SubElement(sound, "swing")
        ET.SubElement(swing, "first").text = str(share.numerator)
        ET.SubElement(swing, "second").text = str(share.denominator - share.numerator)
        ET.SubElement(swing, "swing-type").text = "eighth"


def _fill_measure(
    measure: ET.Element,
    moments: list[Moment],
    lesson: Lesson,
    slurs: dict[int, list[tuple[str, str, int]]],
    *,
    voice: int = 1,
) -> None:
    """Write notes and rests of one voice; they fill the bar exactly. A second voice has no rests."""
    quarter, begun = lesson.time_map.quarters_per_beat, len(measure)
    for moment in moments:
        if moment.is_rest:
            if voice == 1:
                _rest(measure, moment, quarter)
            else:
                _step(measure, "forward", moment.length * quarter)
            continue
        ties = (moment.is_held, moment.holds_on)
        for order, note in enumerate(moment.notes):
            chord = order > 0 and moment.value is not None
            _note(measure, note, lesson, slurs, moment.value, chord=chord, ties=ties, voice=voice)
    _join_beats(measure[begun:], moments[0].onset * quarter, quarter)


def _step(measure: ET.Element, kind: str, length: Fraction) -> None:
    """Go back or forward in time without a note; `length` in quarters."""
    ET.SubElement(ET.SubElement(measure, kind), "duration").text = str(_divisions(length))


def _join_beats(written: list[ET.Element], start: Fraction, beat: Fraction) -> None:
    """Beam the short notes of each beat, and bracket its tuplets; times in quarters."""
    now = start
    beats: dict[int, list[ET.Element]] = {}
    for element in written:
        if element.find("chord") is not None or element.find("grace") is not None:
            continue
        if element.tag == "note":
            beats.setdefault(now // beat, []).append(element)
        now += Fraction(int(element.findtext("duration") or 0), DIVISIONS)
    for inside in beats.values():
        tuplets = [e for e in inside if e.find("time-modification") is not None]
        if len(tuplets) > 1:
            for element, kind in ((tuplets[0], "start"), (tuplets[-1], "stop")):
                ET.SubElement(_notations_of(element), "tuplet", type=kind)
        row: list[ET.Element] = []
        for element in inside:
            level = BEAMS.get(element.findtext("type") or "", 0)
            if level and element.find("rest") is None:
                row.append(element)
                continue
            _beam(row)
            row = []
        _beam(row)


def _beam(row: list[ET.Element]) -> None:
    """Join a row of short notes; a shorter one alone among longer ones has a hook."""
    if len(row) < 2:
        return
    levels = [BEAMS[element.findtext("type") or ""] for element in row]
    for index, element in enumerate(row):
        place = list(element).index(_notations_of(element))
        for level in range(1, levels[index] + 1):
            before = index > 0 and levels[index - 1] >= level
            after = index + 1 < len(row) and levels[index + 1] >= level
            word = (
                "continue" if before and after else "end" if before else "begin" if after
                else "backward hook" if index else "forward hook"
            )  # fmt: skip
            beam = ET.Element("beam", number=str(level))
            beam.text = word
            element.insert(place + level - 1, beam)


def _notations_of(element: ET.Element) -> ET.Element:
    found = element.find("notations")
    return ET.SubElement(element, "notations") if found is None else found


def _rest(measure: ET.Element, moment: Moment, quarter: Fraction) -> None:
    element = ET.SubElement(measure, "note")
    rest = ET.SubElement(element, "rest")
    ET.SubElement(element, "duration").text = str(_divisions(moment.length * quarter))
    ET.SubElement(element, "voice").text = "1"
    if moment.value is None:
        rest.set("measure", "yes")
    else:
        _type(element, moment.value)


def _divisions(length: Fraction) -> int:
    return int(length * DIVISIONS)


def _type(element: ET.Element, value: Value) -> None:
    ET.SubElement(element, "type").text = value.base
    for _ in range(value.dots):
        ET.SubElement(element, "dot")
    if value.tuplet:
        change = ET.SubElement(element, "time-modification")
        ET.SubElement(change, "actual-notes").text = str(value.tuplet[0])
        ET.SubElement(change, "normal-notes").text = str(value.tuplet[1])


def _note(
    measure: ET.Element,
    note: Note,
    lesson: Lesson,
    slurs: dict[int, list[tuple[str, str, int]]],
    value: Value | None,
    *,
    chord: bool,
    ties: tuple[bool, bool] = (False, False),
    voice: int = 1,
) -> None:
    element = ET.SubElement(measure, "note")
    if value is None:
        ET.SubElement(element, "grace", slash="yes")
    if chord:
        ET.SubElement(element, "chord")
    spelled = spell_pitch(round(note.heard.midi), lesson.key)
    pitch = ET.SubElement(element, "pitch")
    ET.SubElement(pitch, "step").text = spelled.step
    if spelled.alter:
        ET.SubElement(pitch, "alter").text = str(spelled.alter)
    ET.SubElement(pitch, "octave").text = str(spelled.octave)
    if value is not None:
        ET.SubElement(element, "duration").text = str(_divisions(value.quarters))
    for flag, kind in zip(ties, ("stop", "start"), strict=True):
        if flag:
            ET.SubElement(element, "tie", type=kind)
    ET.SubElement(element, "voice").text = str(voice)
    if value is None:
        ET.SubElement(element, "type").text = "16th"
    else:
        _type(element, value)
    if "dead" in note.written.techniques:
        ET.SubElement(element, "notehead").text = "x"
    notations = ET.SubElement(element, "notations")
    for flag, kind in zip(ties, ("stop", "start"), strict=True):
        if flag:
            ET.SubElement(notations, "tied", type=kind)
    if "let-ring" in note.written.techniques and not ties[1]:
        ET.SubElement(notations, "tied", type="let-ring")
    _notations(notations, note, slurs if not ties[0] else {})


def _notations(
    notations: ET.Element, note: Note, slurs: dict[int, list[tuple[str, str, int]]]
) -> None:
    """Write string, fret and techniques."""
    written = note.written
    tags = written.techniques
    marks = slurs.get(id(note), [])
    for kind, end, number in marks:
        if kind == "slide":
            line = "solid"
            ET.SubElement(notations, "slide", type=end, number=str(number)).set("line-type", line)
    technical = ET.SubElement(notations, "technical")
    if written.stroke in ("down", "up"):
        ET.SubElement(technical, f"{written.stroke}-bow")
    if tags & {"natural-harmonic", "pinch-harmonic"}:
        harmonic = ET.SubElement(technical, "harmonic")
        natural = "natural" if "natural-harmonic" in tags else "artificial"
        ET.SubElement(harmonic, natural)
    if written.finger in ("1", "2", "3", "4", "0"):
        ET.SubElement(technical, "fingering").text = written.finger
    ET.SubElement(technical, "string").text = str(written.string)
    ET.SubElement(technical, "fret").text = str(written.fret)
    for kind, end, number in marks:
        if kind in ("hammer-on", "pull-off"):
            mark = ET.SubElement(technical, kind, type=end, number=str(number))
            if end == "start":
                mark.text = "H" if kind == "hammer-on" else "P"
    if tags & {"bend", "pre-bend"} and written.bend_semitones:
        bend = ET.SubElement(technical, "bend")
        ET.SubElement(bend, "bend-alter").text = f"{written.bend_semitones:g}"
        if "pre-bend" in tags:
            ET.SubElement(bend, "pre-bend")
        if "release" in tags:
            release = ET.SubElement(technical, "bend")
            ET.SubElement(release, "bend-alter").text = f"{-written.bend_semitones:g}"
            ET.SubElement(release, "release")
    if "tap" in tags:
        ET.SubElement(technical, "tap")
    for tag in OTHERS:
        if tag in tags:
            ET.SubElement(technical, "other-technical").text = tag
    if "vibrato" in tags:
        ornaments = ET.SubElement(notations, "ornaments")
        ET.SubElement(ornaments, "wavy-line", type="start")
        ET.SubElement(ornaments, "wavy-line", type="stop")
    if "staccato" in tags:
        ET.SubElement(ET.SubElement(notations, "articulations"), "staccato")


def _slur_pairs(notes: list[Note]) -> dict[int, list[tuple[str, str, int]]]:
    """Find which note each slurred or slid one comes from; give marks by id of the note."""
    marks: dict[int, list[tuple[str, str, int]]] = {}
    ordered = sorted(notes, key=lambda note: note.onset_s)
    number = 0
    for index, note in enumerate(ordered):
        tags = note.written.techniques & (SLURS | {"slide"})
        before = next(
            (n for n in reversed(ordered[:index]) if n.written.string == note.written.string), None
        )
        if not tags or before is None:
            continue
        if "slide" in tags:
            kind = "slide"
        else:
            kind = "pull-off" if note.written.fret < before.written.fret else "hammer-on"
        number = number % 6 + 1
        marks.setdefault(id(before), []).append((kind, "start", number))
        marks.setdefault(id(note), []).insert(0, (kind, "stop", number))
    return marks

"""Text tab: strings as lines of dashes, all that the page says in 80 columns of plain text."""

from dataclasses import dataclass, field

from juxtanote.core.engrave.line import string_names
from juxtanote.core.engrave.marks import strum_kind
from juxtanote.core.score.beams import count_word
from juxtanote.core.score.form import heading_of
from juxtanote.core.score.lesson import Context, Lesson, Part, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.sections import section_letters
from juxtanote.core.score.signs import bend_name
from juxtanote.core.score.techniques import TABLE
from juxtanote.core.score.values import Moment, Value, by_onset, struck_together, written_bars
from juxtanote.core.score.voices import Ring, rings

COLUMNS = 80  # letters of a line in any mail
NAME = 4  # letters for the name of a string
PICKS = {"down": "d", "up": "u", "thumb": "p", "index": "i", "middle": "m", "ring": "a"}
LETTERS = {
    "whole": "w", "half": "h", "quarter": "q", "eighth": "e", "16th": "s", "32nd": "t", "64th": "x",
    "128th": "x",
}  # fmt: skip
# Letters that a value takes, so that bars look like their time.
ROOM = {"whole": 13, "half": 9, "quarter": 7, "eighth": 5, "16th": 4}
SPANS = tuple((t.name, t.text) for t in TABLE if t.is_span)
VALUES = "w h q e s t: whole to thirty-second; . dotted; 3 triplet; - rest"


@dataclass(slots=True)
class _Rows:
    """The rows of a bar: what stands over the strings, the strings, what stands under them."""

    counts: list[str] = field(default_factory=list)
    values: list[str] = field(default_factory=list)
    picks: list[str] = field(default_factory=list)
    fingers: list[str] = field(default_factory=list)
    spans: list[str] = field(default_factory=list)
    strings: list[list[str]] = field(default_factory=list)


def note_text(note: Note, before: Note | None = None, *, held: bool = False) -> str:
    """Write one note: its fret with its techniques; `before` is the one before on its string.

    Parameters
    ----------
    note : Note
    before : Note, optional
    held : bool
        True where it is tied to from the bar before.
    """
    written = note.written
    tags = written.techniques
    text = "x" if "dead" in tags else str(written.fret)
    if "natural-harmonic" in tags:
        text = f"<{text}>"
    if held:
        return f"({text})"
    if "pinch-harmonic" in tags:
        text += "ph"
    if "pre-bend" in tags:
        text += f"pb{bend_name(written.bend_semitones)}" + ("r" if "release" in tags else "")
    elif "bend" in tags:
        text += f"b{bend_name(written.bend_semitones)}" + ("r" if "release" in tags else "")
    text += "~" if "vibrato" in tags else ""
    text += "." if "staccato" in tags else ""
    falls = before is not None and before.written.fret > written.fret
    for word, sign in (
        ("hammer-on", "h"), ("pull-off", "p"), ("tap", "t"), ("slide", "\\" if falls else "/"),
        ("grace", "g"),
    ):  # fmt: skip
        if word in tags:
            text = sign + text
    return text.replace(" ", "+")


def write_text_tab(lesson: Lesson) -> str:
    """Write every phrase of a lesson as text tab: counts, values, picks, fingers, strings, signs."""
    time_map = lesson.time_map
    start = lesson.phrases[0].start_s if lesson.phrases else 0.0
    key = lesson.key + (f" ({lesson.scale})" if lesson.scale else "") if lesson.key else ""
    count, unit = time_map.signature
    tempo = f"{time_map.tempo_at(start):.0f} beats a minute"
    shown = [
        inside for phrase in lesson.phrases for inside in (phrase, *phrase.variants) if inside.notes
    ]
    head = [
        *_wrapped(lesson.title + (f", {lesson.performer}" if lesson.performer else "")),
        *(_tuning_line(part, len(lesson.parts) > 1) for part in lesson.parts),
        *_wrapped(", ".join(filter(None, (tempo, f"{count}/{unit}", key, lesson.feel)))),
        *_legend(shown),
    ]
    return "\n\n".join(["\n".join(head), *(_phrase_text(p, lesson) for p in shown)]) + "\n"


def _wrapped(text: str) -> list[str]:
    from textwrap import wrap

    return wrap(text, COLUMNS) or [""]


def _tuning_line(part: Part, named: bool) -> str:
    tuning = " ".join(reversed(string_names(part.guitar.tuning)))
    capo = f", capo {part.guitar.capo}" if part.guitar.capo else ""
    return (f"{part.name}: tuning " if named else "Tuning ") + tuning + capo


def _legend(phrases: list[Phrase]) -> list[str]:
    """Say what the signs mean, of those that are used."""
    notes = [note for phrase in phrases for note in phrase.notes]
    tags = {tag for note in notes for tag in note.written.techniques}
    used = [f"{t.text} {t.text_means}" for t in TABLE if t.name in tags]
    used += ["\\ slide down"] if "slide" in tags else []
    used += ["() held on"]
    used += ["= sounds on"] if any(rings(by_onset(p.notes)) for p in phrases) else []
    signs = "  ".join(used)
    picks = "d u: pick down, up; 1 to 4, T: fingers"
    struck = [full for phrase in phrases for _, full, _ in struck_together(phrase.notes)]
    picks += "; D U: strummed down, up; ~ rolled" if any(map(strum_kind, struck)) else ""
    return [*_wrapped(signs), *_wrapped(f"{VALUES}; {picks}")] if notes else []


def _phrase_text(phrase: Phrase, whole: Lesson) -> str:
    lesson = whole.context(phrase)
    name = f"{lesson.part.name}: {phrase.name}" if len(whole.parts) > 1 else phrase.name
    letter = section_letters(whole.phrases).get(phrase.ident, "") if len(whole.phrases) > 1 else ""
    named = "" if letter in ("", phrase.name) else f"[{letter}] "
    title = named + name + (f" x{phrase.repeats}" if phrase.repeats > 1 else "")
    under = heading_of(phrase, lesson)
    bars = written_bars(phrase.notes, lesson.time_map)
    going = _Going(lesson, rings(by_onset(phrase.notes)))
    room = COLUMNS - NAME - 3
    drawn = [piece for number, moments in bars for piece in _pieces(number, moments, going, room)]
    names = [f"{name:>3}" for name in string_names(lesson.guitar.tuning)]
    opens = "|:" if phrase.repeats > 1 else "|"
    closes = ":|" if phrase.repeats > 1 else "|"
    blocks = [*_wrapped(title + (f" ({under})" if under else ""))]
    lines: list[list[_Piece]] = [[]]
    for piece in drawn:
        used = sum(len(other.rows[0]) + 1 for other in lines[-1])
        if lines[-1] and used + len(piece.rows[0]) > room:
            lines.append([])
        lines[-1].append(piece)
    for index, line in enumerate(lines):
        begin = opens if index == 0 else "|"
        end = closes if index + 1 == len(lines) else "-" if line[-1].goes_on else "|"
        blocks.append(_joined([piece.rows for piece in line], names, begin, end))
    return "\n".join(blocks)


def _joined(bars: list[list[str]], names: list[str], begin: str, end: str) -> str:
    """Join the rows of bars: strings by bar lines, the others by blanks; empty rows are left out."""
    over = len(bars[0]) - len(names)
    rows = []
    for index in range(len(bars[0])):
        if index < over:
            text = " " * (NAME + len(begin) - 1) + " ".join(bar[index] for bar in bars)
            rows += [text.rstrip()] if text.strip() else []
        else:
            middle = "|".join(bar[index] for bar in bars)
            rows.append(f"{names[index - over]}{begin}{middle}{end}")
    return "\n".join(rows)


@dataclass(frozen=True, slots=True)
class _Piece:
    """A bar as rows, or a part of one that is wider than a line."""

    rows: list[str]
    goes_on: bool = False


@dataclass(slots=True)
class _Going:
    """What goes on through a phrase: the last note of each string, and what is held over others."""

    lesson: Context
    rings: list[Ring]
    last: dict[int, Note] = field(default_factory=dict)

    def rings_at(self, moment: Moment) -> set[int]:
        """Give the strings that sound on to the end of a moment."""
        end = moment.onset + moment.length
        return {r.string for r in self.rings if r.onset <= moment.onset and r.end >= end}


def _pieces(number: int, moments: list[Moment], going: _Going, room: int) -> list[_Piece]:
    """Draw a bar, in halves where it is wider than a line."""
    known = dict(going.last)
    rows = _bar(number, moments, going)
    if len(rows[0]) <= room or len(moments) < 2:
        return [_Piece(rows)]
    going.last = known
    middle = len(moments) // 2
    first = _pieces(number, moments[:middle], going, room)
    after = _pieces(number, moments[middle:], going, room)
    return [*(_Piece(piece.rows, goes_on=True) for piece in first), *after]


def _bar(number: int, moments: list[Moment], going: _Going) -> list[str]:
    """Draw one bar as rows of one width: number and chords, what stands over the strings, strings."""
    lesson = going.lesson
    rows = _Rows(strings=[[] for _ in range(lesson.guitar.string_count)])
    for moment in moments:
        _moment(rows, moment, going)
    label = "pickup" if number < 0 else str(number + 1)
    label += " " + dict(lesson.chords).get(number + 1, "") if number >= 0 else ""
    each = [rows.counts, rows.values, rows.picks, rows.fingers, rows.spans]
    over = ["".join(parts) for parts in each]
    strings = ["-" + "".join(parts) for parts in rows.strings]
    width = max(len(label) + 1, *(len(text) for text in strings))
    return [
        label.ljust(width), *((" " + text).ljust(width)[:width] for text in over),
        *(text.ljust(width, "-") for text in strings),
    ]  # fmt: skip


def _moment(rows: _Rows, moment: Moment, going: _Going) -> None:
    texts: dict[int, str] = {}
    for note in moment.notes:
        string = note.written.string
        texts[string] = note_text(note, going.last.get(string), held=moment.is_held)
        going.last[string] = note
    count = count_word(moment.onset, going.lesson.time_map)
    struck = bool(moment.notes) and not moment.is_held and moment.value is not None
    value = _value(moment.value, rest=moment.is_rest)
    fingers = "".join(n.written.finger for n in moment.notes) if struck else ""
    pick = _strum(moment) or next(
        (PICKS[n.written.stroke] for n in moment.notes if n.written.stroke), ""
    )
    least = 3 if moment.value is None else ROOM.get(moment.value.base, 3)
    width = max(
        least, *(len(t) + 1 for t in (*texts.values(), value, fingers, count if struck else ""))
    )
    rows.counts.append((count if struck else "").ljust(width))
    rows.values.append(value.ljust(width))
    rows.picks.append((pick if struck else "").ljust(width))
    rows.fingers.append(fingers.ljust(width))
    tags = {tag for n in moment.notes for tag in n.written.techniques}
    marked = next((sign for tag, sign in SPANS if tag in tags), "")
    again = marked and rows.spans and rows.spans[-1].startswith((marked, "-"))
    rows.spans.append(("-" * width) if again else marked.ljust(width, "-" if marked else " "))
    ringing = going.rings_at(moment)
    for string, cells in enumerate(rows.strings, start=1):
        cells.append(texts.get(string, "").ljust(width, "=" if string in ringing else "-"))


def _strum(moment: Moment) -> str:
    """Write how a grip is strummed: its direction as a capital, a tilde where it is rolled."""
    kind = strum_kind(moment.notes)
    if not kind:
        return ""
    ordered = sorted(moment.notes, key=lambda note: note.written.string)
    stroke = next((n.written.stroke for n in ordered if n.written.stroke in ("down", "up")), "")
    down = stroke == "down" if stroke else ordered[0].onset_s >= ordered[-1].onset_s
    return ("D" if down else "U") + ("~" if kind == "rolled" else "")


def _value(value: Value | None, *, rest: bool) -> str:
    if value is None:
        return "" if not rest else "-w"
    text = LETTERS[value.base] + "." * value.dots + ("3" if value.tuplet else "")
    return f"-{text}" if rest else text

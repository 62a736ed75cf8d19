"""Text tab: strings as lines of dashes, notes where they are counted."""

from fractions import Fraction

from juxtanote.core.score.form import heading_of
from juxtanote.core.score.lesson import Context, Lesson, Part, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.rhythm import count_word
from juxtanote.core.score.signs import bend_name
from juxtanote.core.theory.pitch import pitch_name

COLUMNS_PER_BEAT = 12
BARS_PER_LINE = 2
LEGEND = (
    "h hammer-on  p pull-off  / \\ slide  b bend (1/4, 1/2, full, 1 1/2, 2)  pb bent before  "
    "r release  ~ vibrato  t tap  x dead  <12> natural harmonic  PM palm mute"
)


def note_text(note: Note) -> str:
    """Write one note: its fret with its techniques."""
    written = note.written
    tags = written.techniques
    if "dead" in tags:
        return "x"
    text = str(written.fret)
    if "natural-harmonic" in tags:
        text = f"<{text}>"
    if "pre-bend" in tags:
        text += f"pb{bend_name(written.bend_semitones)}r"
    elif "bend" in tags:
        text += f"b{bend_name(written.bend_semitones)}" + ("r" if "release" in tags else "")
    if "vibrato" in tags:
        text += "~"
    for word, sign in (("hammer-on", "h"), ("pull-off", "p"), ("tap", "t"), ("slide", "/")):
        if word in tags:
            text = sign + text
    return text.replace(" ", "+")


def write_text_tab(lesson: Lesson) -> str:
    """Write every phrase of a lesson as text tab with counts."""
    time_map = lesson.time_map
    start = lesson.phrases[0].start_s if lesson.phrases else 0.0
    count, unit = time_map.signature
    head = [
        lesson.title + (f", {lesson.performer}" if lesson.performer else ""),
        *(_tuning_line(part, len(lesson.parts) > 1) for part in lesson.parts),
        f"{time_map.tempo_at(start):.0f} beats a minute, {count}/{unit}",
        LEGEND,
    ]
    parts = ["\n".join(head)]
    parts += [
        _phrase_text(inside, lesson)
        for phrase in lesson.phrases
        for inside in (phrase, *phrase.variants)
        if inside.notes
    ]
    return "\n\n".join(parts) + "\n"


def _tuning_line(part: Part, named: bool) -> str:
    tuning = " ".join(pitch_name(m) for m in part.guitar.tuning)
    capo = f", capo {part.guitar.capo}" if part.guitar.capo else ""
    return (f"{part.name}: tuning " if named else "Tuning ") + tuning + capo


def _phrase_text(phrase: Phrase, whole: Lesson) -> str:
    lesson = whole.context(phrase)
    time_map = lesson.time_map
    name = f"{lesson.part.name}: {phrase.name}" if len(whole.parts) > 1 else phrase.name
    title = f"{name}" + (f" ×{phrase.repeats}" if phrase.repeats > 1 else "")
    under = heading_of(phrase, lesson)
    if under:
        title += f" ({under})"
    per_bar = time_map.beats_per_bar
    bars: dict[int, list[Note]] = {}
    for note in phrase.notes:
        bars.setdefault(int(_onset(note, lesson) // per_bar), []).append(note)
    blocks = [title]
    numbers = list(range(min(bars), max(bars) + 1))
    chords = dict(lesson.chords)
    if any(bar + 1 in chords for bar in numbers):
        blocks.append("| " + " | ".join(chords.get(bar + 1, "–") for bar in numbers) + " |")
    for index in range(0, len(numbers), BARS_PER_LINE):
        chunk = numbers[index : index + BARS_PER_LINE]
        drawn = [_bar_lines(bars.get(bar, []), bar, lesson) for bar in chunk]
        blocks.append("\n".join("|".join(rows) + "|" for rows in zip(*drawn, strict=True)))
    return "\n".join(blocks)


def _onset(note: Note, lesson: Context) -> Fraction:
    if note.written.onset_beats is not None:
        return note.written.onset_beats
    return Fraction(round(float(lesson.time_map.to_beats(note.onset_s)) * 12), 12)


def _bar_lines(notes: list[Note], bar: int, lesson: Context) -> list[str]:
    """Draw one bar: a line of counts, then each string from the thinnest."""
    per_bar = lesson.time_map.beats_per_bar
    strings = lesson.guitar.string_count
    stops = sorted({_onset(note, lesson) for note in notes})
    start = Fraction(bar * per_bar)
    columns, width = {}, 0
    for stop in stops:
        column = max(round(float(stop - start) * COLUMNS_PER_BEAT / 2) + 1, width)
        columns[stop] = column
        texts = [note_text(n) for n in notes if _onset(n, lesson) == stop]
        width = column + max(len(text) for text in texts) + 1
    width = max(width, per_bar * COLUMNS_PER_BEAT // 2 + 1)
    counts = [" "] * (width + 4)
    for stop, column in columns.items():
        for offset, sign in enumerate(count_word(stop, lesson.time_map)):
            counts[column + offset] = sign
    rows = [f"{'':4}" + "".join(counts)[:width].ljust(width)]
    for string in range(1, strings + 1):
        line = ["-"] * width
        for note in notes:
            if note.written.string == string:
                column = columns[_onset(note, lesson)]
                text = note_text(note)
                line[column : column + len(text)] = list(text)
        name = pitch_name(lesson.guitar.tuning[-string])[:-1]
        rows.append(f"{name:>2} |" + "".join(line)[:width].ljust(width, "-"))
    return rows

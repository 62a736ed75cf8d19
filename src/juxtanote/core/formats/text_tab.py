"""Text tab: strings as lines of dashes, notes where they are counted."""

from fractions import Fraction

from juxtanote.core.score.form import heading_of
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.rhythm import count_word
from juxtanote.core.theory.pitch import pitch_name

COLUMNS_PER_BEAT = 12
BARS_PER_LINE = 2
LEGEND = (
    "h hammer-on  p pull-off  / \\ slide  b bend (1/4, 1/2, full, 1 1/2, 2)  pb bent before  "
    "r release  ~ vibrato  t tap  x dead  <12> natural harmonic  PM palm mute"
)
BEND_NAMES = {0.5: "1/4", 1.0: "1/2", 2.0: "full", 3.0: "1 1/2", 4.0: "2"}


def bend_name(semitones: float) -> str:
    """Name a bend by the nearest quarter tone, in whole tones.

    Examples
    --------
    >>> bend_name(1.96), bend_name(0.5), bend_name(1.5)
    ('full', '1/4', '3/4')
    """
    nearest = round(semitones * 2) / 2
    if nearest in BEND_NAMES:
        return BEND_NAMES[nearest]
    tones = Fraction(nearest / 2).limit_denominator(4)
    whole, part = divmod(tones, 1)
    return f"{whole} {part}" if whole and part else str(whole or part)


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
    guitar = lesson.guitar
    tuning = " ".join(pitch_name(m) for m in guitar.tuning)
    time_map = lesson.time_map
    start = lesson.phrases[0].start_s if lesson.phrases else 0.0
    count, unit = time_map.signature
    head = [
        lesson.title,
        f"Tuning {tuning}" + (f", capo {guitar.capo}" if guitar.capo else ""),
        f"{time_map.tempo_at(start):.0f} beats a minute, {count}/{unit}",
        LEGEND,
    ]
    parts = ["\n".join(head)]
    parts += [_phrase_text(phrase, lesson) for phrase in lesson.phrases if phrase.notes]
    return "\n\n".join(parts) + "\n"


def _phrase_text(phrase: Phrase, lesson: Lesson) -> str:
    time_map = lesson.time_map
    title = f"{phrase.name}" + (f" ×{phrase.repeats}" if phrase.repeats > 1 else "")
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


def _onset(note: Note, lesson: Lesson) -> Fraction:
    if note.written.onset_beats is not None:
        return note.written.onset_beats
    return Fraction(round(float(lesson.time_map.to_beats(note.onset_s)) * 12), 12)


def _bar_lines(notes: list[Note], bar: int, lesson: Lesson) -> list[str]:
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

"""The lesson page: one file that opens in any browser and plays, with nothing fetched from elsewhere.

Tab as drawings, sound inside, the script and its styles as they stand in ``data/page``. A content
security policy in the file allows these and nothing else; titles and breakdowns are text, never markup.
"""

import base64
import hashlib
import io
import json
import re
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from html import escape
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.engrave.line import draw_lines
from juxtanote.core.engrave.paper import Block, Measure, Paper, roughly
from juxtanote.core.engrave.svg import block_svg
from juxtanote.core.formats.breakdown import breakdown
from juxtanote.core.formats.pages import CAUTION, Choices, bars_in, frame_of
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score.form import heading_of
from juxtanote.core.score.lesson import Lesson, Phrase

RATE = 44_100  # as the program plays
QUALITY = 0.9  # of the coder: 58 kbit a second in one channel
CODERS = 2  # at work beside each other
LISTED_FROM = 6  # phrases: fewer are seen at once
CODER_DELAY = 1105  # samples that MPEG layer III begins with where a reader does not take them away
LAYOUTS = {
    "wide": Paper("wide", 200.0, 10_000.0, 10.0),
    "narrow": Paper("narrow", 108.0, 10_000.0, 10.0),
}
Render = Callable[[Phrase], NDArray[np.float32]]


@dataclass(frozen=True, slots=True)
class Sounds:
    """What gives a phrase's sound, mono at 44.1 kHz from the phrase's start: the tab, and the recording.

    The recording is None where the person has not said that it may be shared.
    """

    tab: Render
    recording: Render | None = None


@dataclass(frozen=True, slots=True)
class Chapter:
    """A lesson on the page, or some of its phrases: all that have notes and their variants, where none
    is named.
    """

    lesson: Lesson
    sounds: Sounds
    named: tuple[Phrase, ...] = ()

    @property
    def phrases(self) -> list[Phrase]:
        """What is shown of it."""
        every = (p for phrase in self.lesson.phrases for p in (phrase, *phrase.variants))
        return [phrase for phrase in self.named or every if phrase.notes]


def write_lesson_page(
    lesson: Lesson,
    sounds: Sounds,
    *,
    measure: Measure = roughly,
    choices: Choices | None = None,
    progress: Progress = no_progress,
) -> str:
    """Write the page of all phrases that have notes, each followed by its variants.

    Parameters
    ----------
    lesson : Lesson
    sounds : Sounds
        What gives them.
    measure : Measure
        Of text, in millimetres.
    choices : Choices, optional
        What is printed; the usual where None.
    progress : Progress
        Told how far it is, 0 to 1.
    """
    chapters = [Chapter(lesson, sounds)]
    return write_chapters(chapters, measure=measure, choices=choices, progress=progress)


def write_chapters(
    chapters: Sequence[Chapter],
    *,
    measure: Measure = roughly,
    choices: Choices | None = None,
    progress: Progress = no_progress,
) -> str:
    """Write one page of several lessons, in the order that is given, with a list of what is in it.

    Parameters
    ----------
    chapters : sequence of Chapter
    measure : Measure
        Of text, in millimetres.
    choices : Choices, optional
        What is printed; the usual where None.
    progress : Progress
        Told how far it is, 0 to 1.
    """
    choices = choices or Choices()
    every = [(chapter, phrase) for chapter in chapters for phrase in chapter.phrases]
    level = 3 if len(chapters) > 1 else 2
    told, sections, coding = [], [], []
    with ThreadPoolExecutor(
        CODERS
    ) as coders:  # coding needs no interpreter: it runs beside the rest
        try:
            for number, (chapter, phrase) in enumerate(every):
                progress(number / max(len(every), 1))
                sounds = chapter.sounds
                facts, section = _phrase(phrase, number, chapter.lesson, choices, measure, level)
                heard = {"tab": sounds.tab(phrase)}
                if sounds.recording is not None and not phrase.is_variant:
                    heard["recording"] = sounds.recording(phrase)
                for kind, audio in heard.items():
                    name = f"{kind}-{number}"
                    coding.append(coders.submit(_sound, name, audio, facts["length"]))
                told.append(facts)
                if level > 2 and (number == 0 or every[number - 1][0] is not chapter):
                    section = _opening(chapter.lesson) + section
                sections.append(section)
            held = [coded.result() for coded in coding]
        finally:
            coders.shutdown(cancel_futures=True)
    first = chapters[0].lesson
    data = {
        "id": _fingerprint([chapter.lesson for chapter in chapters]), "rate": RATE, "delay": CODER_DELAY,
        "speed": first.kept.plan.start,
        "recording": any(chapter.sounds.recording is not None for chapter in chapters), "phrases": told,
    }  # fmt: skip
    whole = Head(first.title, _facts_of(first), first.notes)
    if level > 2:
        whole = Head(title_of([chapter.lesson.title for chapter in chapters]))
    names = [
        (str(facts["name"]), c.lesson.title if level > 2 else heading_of(p, c.lesson.context(p)))
        for facts, (c, p) in zip(told, every, strict=True)
    ]
    listed = level > 2 or len(names) >= LISTED_FROM
    return _page(whole, data, _contents(names) if listed else "", sections, held)


def title_of(titles: Sequence[str]) -> str:
    """Give several lessons one title."""
    if len(titles) <= 2:
        return " and ".join(titles)
    return f"{titles[0]} and {len(titles) - 1} other lessons"


@dataclass(frozen=True, slots=True)
class Head:
    """What stands above everything."""

    title: str
    facts: str = ""
    notes: str = ""


def _facts_of(lesson: Lesson) -> str:
    return " · ".join(filter(None, (lesson.performer, lesson.teacher)))


def _opening(lesson: Lesson) -> str:
    """Give what stands above a lesson's first phrase, where there are several lessons."""
    return (
        f'<div class="chapter"><h2>{escape(lesson.title)}</h2>'
        f'<p class="soft">{escape(_facts_of(lesson))}</p>{_paragraphs(lesson.notes)}</div>'
    )


def _contents(names: Sequence[tuple[str, str]]) -> str:
    """List the phrases that are on the page, with what tells them apart."""
    rows = [
        f'<li><a href="#phrase-{number}">{escape(name)}</a> '
        f'<span class="soft">{escape(beside)}</span></li>'
        for number, (name, beside) in enumerate(names)
    ]
    return f'<nav aria-label="Contents"><ol>{"".join(rows)}</ol></nav>'


def _fingerprint(lessons: Sequence[Lesson]) -> str:
    told = "\n".join(f"{lesson.title}\n{lesson.recording.fingerprint}" for lesson in lessons)
    return hashlib.sha256(told.encode()).hexdigest()[:16]


def _phrase(
    phrase: Phrase, number: int, lesson: Lesson, choices: Choices, measure: Measure, level: int
) -> tuple[dict[str, object], str]:
    """Give what the script must know of a phrase, and its section."""
    context = lesson.context(phrase)
    onsets = sorted({note.onset_s for note in phrase.notes})
    numbers = {note.ident: onsets.index(note.onset_s) for note in phrase.notes}
    drawings: list[str] = []
    spots: dict[str, object] = {}
    bars = bars_in(phrase, context, measure, counts=choices.rows.counts)
    for layout, paper in LAYOUTS.items():
        lines = draw_lines(bars, context, paper, measure, choices.rows, frame_of(phrase, None))
        spots[layout] = _spots(lines, numbers, len(onsets), paper)
        drawn = "".join(_line(line, paper, numbers, k) for k, line in enumerate(lines))
        drawings.append(f'<div class="{layout}">{drawn}</div>')
    name = f"{context.part.name}: {phrase.name}" if len(lesson.parts) > 1 else phrase.name
    under = heading_of(phrase, context)
    words = breakdown(phrase, lesson)
    section = (
        f'<section id="phrase-{number}"><button type="button"><h{level}>{escape(name)}</h{level}>'
        f'<span class="soft">{escape(under)}</span></button>{"".join(drawings)}'
        f"<details open><summary>In words</summary>{_paragraphs(words)}</details></section>"
    )
    return _facts(phrase, name, lesson, onsets, spots), section


def _facts(
    phrase: Phrase, name: str, lesson: Lesson, onsets: list[float], spots: dict[str, object]
) -> dict[str, object]:
    """Give times in samples from the phrase's start."""
    time_map, start = lesson.time_map, phrase.start_s

    def at(seconds: float) -> int:
        return round((seconds - start) * RATE)

    beats = time_map.beats_between(start - 1e-6, phrase.end_s)
    length = at(phrase.end_s)
    edges = [(bar, at(s)) for s, bar, beat in beats if beat == 1]
    first_bar, _ = time_map.bar_and_beat(float(time_map.to_beats(start)))
    beat = round(60.0 * RATE / time_map.tempo_at(start))
    if edges and edges[0][1] <= beat / 2:
        edges[0] = (edges[0][0], 0)  # a phrase is cut a little before its first note
    else:
        edges.insert(0, (first_bar, 0))
    if len(edges) > 1 and length - edges[-1][1] <= beat / 2:
        edges.pop()  # and a little after its last
    ends = [begin for _, begin in edges[1:]] + [length]
    bars = [
        {"name": "pickup" if bar < 1 else f"bar {bar}", "start": begin, "end": end}
        for (bar, begin), end in zip(edges, ends, strict=True)
        if end > begin
    ]
    return {
        "name": name, "length": length, "moments": [at(s) for s in onsets], "spots": spots, "bars": bars,
        "beats": [[at(s), beat == 1] for s, _, beat in beats], "attacks": [at(s) for s in onsets],
        "beat": beat, "meter": time_map.beats_per_bar,
    }  # fmt: skip


def _spots(
    lines: list[Block], numbers: dict[int, int], count: int, paper: Paper
) -> list[list[float]]:
    """Give (line, x) of every moment, as it is seen in the drawing."""
    spots: list[list[float]] = [[0, 0.0] for _ in range(count)]
    for number, line in enumerate(lines):
        for ident, x, _, _ in line.places:
            spots[numbers[ident]] = [number, round(x - paper.margin + 8.0, 2)]
    return spots


def _line(block: Block, paper: Paper, numbers: dict[int, int], line: int) -> str:
    moments = {numbers[ident]: (numbers[ident], x, top, low) for ident, x, top, low in block.places}
    return block_svg(block, paper, list(moments.values()), line)


def _paragraphs(words: str) -> str:
    return "".join(f"<p>{escape(line)}</p>" for line in words.split("\n") if line.strip())


def _sound(name: str, audio: NDArray[np.float32], length: object) -> str:
    """Code a phrase's sound, exactly as long as the phrase."""
    import soundfile

    fitted = np.zeros(int(str(length)), dtype=np.float32)
    count = min(len(fitted), len(audio))
    fitted[:count] = np.clip(audio[:count], -1.0, 1.0)
    held = io.BytesIO()
    with soundfile.SoundFile(
        held, "w", RATE, 1, format="MP3", subtype="MPEG_LAYER_III", compression_level=QUALITY,
        bitrate_mode="CONSTANT",
    ) as target:  # fmt: skip
        target.write(fitted)
    coded = base64.b64encode(held.getvalue()).decode()
    return f'<script type="application/octet-stream" id="{name}">{coded}</script>'


BALANCE = (
    '<label>Tab <input id="balance" type="range" min="0" max="100" step="1" '
    'aria-label="Balance of tab and recording"> recording</label>'
)
POLICY = (
    "default-src 'none'; script-src 'sha256-{script}' data:; style-src 'sha256-{styles}'; "
    "font-src data:; media-src blob:; base-uri 'none'; form-action 'none'"
)
EMPTY = "<p>No phrase of this lesson has notes yet.</p>"
_TOKEN = re.compile(r"@([a-z]+)@")


def _page(
    head: Head, data: dict[str, object], contents: str, sections: list[str], sounds: list[str]
) -> str:
    """Put the file together in one pass: nothing that is put in is taken for a token."""
    styles, script = _font_styles() + _shipped("page.css"), _shipped("page.js")
    parts = {
        "policy": POLICY.format(script=_hash(script), styles=_hash(styles)),
        "title": escape(head.title),
        "facts": escape(head.facts),
        "notes": _paragraphs(head.notes),
        "contents": contents,
        "caution": escape(CAUTION),
        "sections": "".join(sections) or EMPTY,
        "balance": BALANCE if data["recording"] else "",
        "lesson": json.dumps(data, separators=(",", ":")).replace("<", "\\u003c"),
        "stretch": _shipped("stretch.js"),
        "sounds": "\n".join(sounds),
        "styles": styles,
        "script": script,
    }
    return _TOKEN.sub(lambda found: parts[found.group(1)], _shipped("page.html"))


def _shipped(name: str) -> str:
    return (resources.files("juxtanote") / "data" / "page" / name).read_text("utf-8")


def _font_styles() -> str:
    """Give the program's own font as the page's: a drawing keeps the widths that it was set with."""
    faces, folder = [], resources.files("juxtanote") / "data" / "fonts"
    for weight in (400, 600):
        font = (folder / f"ibm-plex-sans-latin-{weight}-normal.woff2").read_bytes()
        coded = base64.b64encode(font).decode()
        faces.append(
            f'@font-face{{font-family:"Plex";font-weight:{weight};'
            f'src:url(data:font/woff2;base64,{coded}) format("woff2")}}'
        )
    return "".join(faces)


def _hash(text: str) -> str:
    return base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()

"""The lesson page: one file that opens in any browser and plays, with nothing fetched from elsewhere.

Tab as drawings, sound inside, the script and its styles as they stand in ``data/page``. A content
security policy in the file allows these and nothing else; titles and breakdowns are text, never markup.
"""

import base64
import hashlib
import io
import json
import re
from collections.abc import Callable
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

RATE = 44_100
QUALITY = 0.9  # of the coder: 58 kbit a second in one channel
CODERS = 2
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


def write_lesson_page(
    lesson: Lesson,
    sounds: Sounds,
    *,
    measure: Measure = roughly,
    choices: Choices | None = None,
    progress: Progress = no_progress,
) -> str:
    """Write the page of all phrases that have notes, each followed by its variants."""
    choices = choices or Choices()
    phrases = [p for phrase in lesson.phrases for p in (phrase, *phrase.variants) if p.notes]
    told, sections, coding = [], [], []
    with ThreadPoolExecutor(
        CODERS
    ) as coders:  # coding needs no interpreter: it runs beside the rest
        try:
            for number, phrase in enumerate(phrases):
                progress(number / max(len(phrases), 1))
                facts, section = _phrase(phrase, number, lesson, choices, measure)
                heard = {"tab": sounds.tab(phrase)}
                if sounds.recording is not None and not phrase.is_variant:
                    heard["recording"] = sounds.recording(phrase)
                for kind, audio in heard.items():
                    name = f"{kind}-{number}"
                    coding.append(coders.submit(_sound, name, audio, facts["length"]))
                told.append(facts)
                sections.append(section)
            held = [coded.result() for coded in coding]
        finally:
            coders.shutdown(cancel_futures=True)
    data = {
        "id": _fingerprint(lesson), "rate": RATE, "delay": CODER_DELAY, "speed": lesson.kept.plan.start,
        "recording": sounds.recording is not None, "phrases": told,
    }  # fmt: skip
    return _page(lesson, data, sections, held)


def _fingerprint(lesson: Lesson) -> str:
    return hashlib.sha256(f"{lesson.title}\n{lesson.recording.fingerprint}".encode()).hexdigest()[
        :16
    ]


def _phrase(
    phrase: Phrase, number: int, lesson: Lesson, choices: Choices, measure: Measure
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
        f'<section id="phrase-{number}"><button type="button"><h2>{escape(name)}</h2>'
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


def _page(lesson: Lesson, data: dict[str, object], sections: list[str], sounds: list[str]) -> str:
    """Put the file together in one pass: nothing that is put in is taken for a token."""
    styles, script = _font_styles() + _shipped("page.css"), _shipped("page.js")
    parts = {
        "policy": POLICY.format(script=_hash(script), styles=_hash(styles)),
        "title": escape(lesson.title),
        "facts": escape(" · ".join(filter(None, (lesson.performer, lesson.teacher)))),
        "notes": _paragraphs(lesson.notes),
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

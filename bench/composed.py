"""Phrases composed in tab form, as players would finger them; every second one is kept aside.

A token is ``string.fret`` with marks: h hammer-on, p pull-off, / slide, bN bend by N semitones,
r release, ~ vibrato, t tap, x dead, H natural harmonic, m palm mute, l let ring, . staccato,
g grace, S with the slide bar; ``+`` joins notes struck together, ``:N`` gives a length in beats, ``^N`` the finger.
"""

import re
from dataclasses import dataclass

from juxtanote.core.theory.tuning import STANDARD, Guitar
from lab.phrases import TabNote

DROP_D = (38, 45, 50, 55, 59, 64)
DOWN_TONE = (38, 43, 48, 53, 57, 62)
OPEN_D = (38, 45, 50, 54, 57, 62)
OPEN_G = (38, 43, 50, 55, 59, 62)
SEVEN = (35, 40, 45, 50, 55, 59, 64)
_MARKS = {
    "h": "hammer-on", "p": "pull-off", "/": "slide", "r": "release", "~": "vibrato", "t": "tap",
    "x": "dead", "H": "natural-harmonic", "m": "palm-mute", "l": "let-ring", ".": "staccato",
    "g": "grace", "S": "bar",
}  # fmt: skip
_TOKEN = re.compile(r"(\d)\.(\d+)((?:b[\d.]+|[hp/r~txHml.gS])*)(?:\^(\d))?")


@dataclass(frozen=True, slots=True)
class Composed:
    """One phrase: its kind, its notes, its guitar, its tempo."""

    name: str
    kind: str
    notes: tuple[TabNote, ...]
    guitar: Guitar
    tempo: float
    aside: bool


def parse(text: str, step: float) -> tuple[TabNote, ...]:
    """Read a line of tokens; `step` is the length of a token without one of its own."""
    notes, beat = [], 0.0
    for word in text.split():
        token, _, rest = word.partition(":")
        length, _, finger = rest.partition("^")
        token += f"^{finger}" if finger else ""
        beats = float(length) if length else step
        if token != "-":
            for part in token.split("+"):
                notes.append(_note(part, beat, beats))
        beat += 0.0 if token.endswith("g") else beats
    return tuple(notes)


def _note(text: str, beat: float, beats: float) -> TabNote:
    match = _TOKEN.fullmatch(text)
    if match is None:
        raise ValueError(f"unknown token {text!r}")
    string, fret, marks, finger = match.groups()
    bend = re.search(r"b([\d.]+)", marks)
    plain = re.sub(r"b[\d.]+", "", marks)
    tags = {_MARKS[sign] for sign in plain} | ({"bend"} if bend else set())
    if "grace" in tags:
        beat, beats = beat - 0.12, 0.12
    ring = 3.0 if "let-ring" in tags else 1.0
    return TabNote(
        beat, beats * ring, int(string), int(fret), frozenset(tags), float(bend.group(1)) if bend else 0.0,
        0.8, int(finger or 0),
    )  # fmt: skip


# kind, tempo, step, tuning, tokens
_LINES: tuple[tuple[str, float, float, tuple[int, ...], str], ...] = (
    ("box", 100, 0.5, STANDARD, "4.7^3 3.5^1 3.7h^3 2.5^1 2.8^4 1.5^1 1.8^4 1.5p^1 2.8^4 2.5p^1 3.7^3 3.5p^1 4.7~:1^3"),
    ("box", 90, 0.25, STANDARD, "1.8^4 1.5p^1 2.8^4 2.5p^1 3.7^3 3.5p^1 4.7^3 4.5p^1 5.7^3 5.5p^1 6.8^4 6.5p^1"),
    ("box", 120, 0.5, STANDARD, "3.7b2:1^3 2.5^1 2.8^4 1.5^1 2.8b2:1^4 2.5^1 3.7^3 3.5p^1 4.7~:2^3"),
    ("box", 84, 0.333, STANDARD, "5.12^1 5.14h^3 4.12^1 4.14h^3 3.12^1 3.14h^3 2.12^1 2.15h^4 1.12^1 1.15h^4 1.12p^1 2.15^4"),
    ("box", 108, 0.5, STANDARD, "6.3^1 6.6h^4 5.3^1 5.5h^3 4.3^1 4.5h^3 3.3^1 3.5h^3 2.3^1 2.6h^4 1.3^1 1.6h^4"),
    ("box", 96, 0.25, STANDARD, "2.10^3 2.8^1 1.8^1 2.11^4 2.8p^1 3.10^3 3.8p^1 4.10^3 3.8^1 3.10h^3 2.8^1 2.11^4"),
    ("box", 132, 0.5, STANDARD, "3.9^3 3.7^1 4.9^3 4.7^1 3.7^1 3.9^3 2.7^1 2.10^4 1.7^1 2.10^4 2.7^1 3.9~:1^3"),
    ("box", 76, 0.5, STANDARD, "4.5^2 4.7^4 3.4^1 3.5^2 3.7^4 2.5^2 2.7^4 2.8^4 1.5^2 1.7^4 1.8^4 1.5^2"),
    ("box", 104, 0.5, STANDARD, "5.7^2 5.9^4 4.6^1 4.7^2 4.9^4 3.6^1 3.8^3 3.9^4 2.7^2 2.9^4 2.10^4 1.7^2"),
    ("box", 112, 0.25, STANDARD, "1.15^4 1.12^1 2.15^4 2.12^1 3.14^3 3.12^1 2.12^1 2.15^4 1.12^1 1.15h^4 1.12p^1 2.15^4"),
    ("box", 88, 0.5, STANDARD, "2.8b1:1^3 2.8^3 2.6^1 3.7^2 3.5^1 2.6^1 2.8~:1.5^3 1.6^1 1.8b2:1^3 1.6^1"),
    ("box", 116, 0.333, STANDARD, "1.10^3 1.8p^1 2.11^4 1.10^3 1.8p^1 2.11^4 2.11^4 2.8p^1 3.10^3 2.11^4 2.8p^1 3.10^3"),
    ("three on a string", 120, 0.25, STANDARD, "6.5^1 6.7^3 6.8^4 5.5^1 5.7^3 5.8^4 4.5^1 4.7^3 4.9^4 3.5^1 3.7^3 3.9^4 2.6^1 2.8^3 2.10^4"),
    ("three on a string", 140, 0.25, STANDARD, "6.3^1 6.5^2 6.7^4 5.3^1 5.5^2 5.7^4 4.4^1 4.5^2 4.7^4 3.4^1 3.5^2 3.7^4"),
    ("three on a string", 130, 0.167, STANDARD, "3.7^1 3.9h^2 3.11h^4 2.8^1 2.10h^2 2.12h^4 1.8^1 1.10h^2 1.12h^4 1.10p^2 1.8p^1 2.12^4 2.10p^2 2.8p^1"),
    ("three on a string", 110, 0.25, STANDARD, "1.12^4 1.10^3 1.8^1 2.12^4 2.10^3 2.8^1 3.11^4 3.9^2 3.7^1 4.10^4 4.9^3 4.7^1"),
    ("three on a string", 150, 0.333, STANDARD, "5.10^1 5.12h^3 5.13h^4 4.10^1 4.12h^3 4.14h^4 3.10^1 3.12h^3 3.14h^4 2.12^1 2.13h^2 2.15h^4"),
    ("three on a string", 100, 0.25, STANDARD, "4.2^1 4.4^3 4.5^4 3.2^1 3.4^3 3.6^4 2.3^1 2.5^3 2.7^4 1.3^1 1.5^3 1.7^4"),
    ("three on a string", 126, 0.25, STANDARD, "6.8^1 6.10^3 6.12^4 5.8^1 5.10^3 5.12^4 4.9^1 4.10^2 4.12^4 3.9^1 3.10^2 3.12^4"),
    ("one string", 92, 0.5, STANDARD, "1.5 1.7/ 1.8 1.10/ 1.12 1.10/ 1.8 1.7/ 1.5~:1"),
    ("one string", 80, 0.5, STANDARD, "3.2 3.4/ 3.5/ 3.7/ 3.9 3.7/ 3.5 3.4/ 3.2~:1"),
    ("one string", 110, 0.25, STANDARD, "2.5 2.6h 2.8h 2.6p 2.8/ 2.10h 2.12h 2.10p 2.12/ 2.13h 2.15h 2.13p"),
    ("one string", 70, 1.0, STANDARD, "2.3 2.5/ 2.6 2.8/~ 2.10 2.8/ 2.6 2.5~"),
    ("one string", 120, 0.25, STANDARD, "1.0 1.3 1.0p 1.5 1.0p 1.7 1.0p 1.8 1.0p 1.10 1.0p 1.12"),
    ("open strings", 130, 0.25, STANDARD, "6.3 6.0p 5.2 5.0p 4.2 4.0p 3.2 3.0p 2.3 2.0p 1.3 1.0p"),
    ("open strings", 110, 0.5, STANDARD, "6.0 6.3 5.0 5.2h 4.0 4.2h 3.0 3.2h 2.0 2.3h 1.0 1.3h"),
    ("open strings", 96, 0.5, STANDARD, "5.3l 4.2l 3.0l 2.1l 1.0l 2.1l 3.0l 4.2l"),
    ("open strings", 100, 0.5, STANDARD, "6.3l 4.0l 3.0l 2.3l 3.0l 4.0l 2.0l 3.0l"),
    ("open strings", 120, 0.25, STANDARD, "1.0 2.3 2.0p 3.2 3.0p 4.2 4.0p 5.2 5.0p 6.3 6.0p:0.5"),
    ("open strings", 88, 0.5, STANDARD, "4.0l 3.2l 2.3l 1.2l 2.3l 3.2l 1.0l 2.3l"),
    ("sweep", 100, 0.167, STANDARD, "5.12^4 4.10^3 3.9^2 2.10^3 1.8^1 1.12h^4 1.8p^1 2.10^3 3.9^2 4.10^3 5.12^4"),
    ("sweep", 120, 0.25, STANDARD, "3.9^3 2.8^2 1.7^1 1.10h^4 1.7p^1 2.8^2 3.9^3"),
    ("sweep", 110, 0.167, STANDARD, "5.7^3 5.10h^4 4.7^1 3.7^1 2.8^2 1.7^1 1.10h^4 1.7p^1 2.8^2 3.7^1 4.7^1"),
    ("sweep", 96, 0.25, STANDARD, "3.14^3 2.13^2 1.12^1 1.17h^4 1.12p^1 2.13^2 3.14^3"),
    ("octaves", 104, 0.5, STANDARD, "5.3+3.5 5.5+3.7 5.7+3.9 5.5+3.7 5.3+3.5 5.2+3.4 5.3+3.5:1"),
    ("octaves", 120, 0.5, STANDARD, "4.5+2.8 4.7+2.10 4.9+2.12 4.7+2.10 4.5+2.8 4.3+2.6"),
    ("octaves", 90, 0.5, STANDARD, "6.5+4.7 6.7+4.9 6.8+4.10 6.10+4.12 6.8+4.10 6.7+4.9"),
    ("double stops", 96, 0.5, STANDARD, "2.5+1.5 2.8+1.8 2.5+1.5 3.7 3.5p 4.7 3.5+2.5:1"),
    ("double stops", 88, 0.5, STANDARD, "3.4+2.5 3.5+2.6 3.7+2.8 3.9+2.10 3.7+2.8 3.5+2.6 3.4+2.5:1"),
    ("double stops", 108, 0.5, STANDARD, "3.9+1.8 3.7+1.7 3.5+1.5 3.4+1.3 3.5+1.5 3.7+1.7"),
    ("double stops", 80, 0.5, STANDARD, "3.12+2.12 3.14+2.15 3.12+2.12 2.12+1.12 2.15+1.15 2.12+1.12"),
    ("double stops", 100, 0.5, STANDARD, "5.7+4.7 5.5+4.5 5.3+4.3 5.5+4.5 5.7+4.7 5.7+4.7"),
    ("grips", 92, 1.0, STANDARD, "4.7+3.5+2.6 4.5+3.4+2.5 4.5+3.5+2.6 4.7+3.5+2.6"),
    ("grips", 100, 1.0, STANDARD, "3.5+2.5+1.5 3.7+2.8+1.7 3.9+2.8+1.8 3.7+2.8+1.7"),
    ("grips", 84, 1.0, STANDARD, "5.3+4.2+3.0+2.1 4.0+3.2+2.3+1.2 5.0+4.2+3.2+2.2 6.3+5.2+4.0+3.0"),
    ("tapping", 120, 0.333, STANDARD, "2.17t 2.5p^1 2.8h^4 2.17t 2.5p^1 2.8h^4 2.15t 2.5p^1 2.8h^4 2.15t 2.5p^1 2.8h^4"),
    ("tapping", 100, 0.167, STANDARD, "1.17t 1.12p^1 1.15h^4 1.17t 1.12p^1 1.15h^4 1.19t 1.12p^1 1.15h^4 1.19t 1.12p^1 1.15h^4"),
    ("tapping", 110, 0.333, STANDARD, "3.14t 3.7p^1 3.9h^3 3.14t 3.7p^1 3.9h^3 3.16t 3.7p^1 3.9h^3 3.14t 3.7p^1 3.9h^3"),
    ("lowered", 120, 0.25, DROP_D, "6.0m 6.0m 6.0 6.3 6.0m 6.0m 6.5 6.3 6.0m 6.0m 5.0 5.3 6.0m 6.0m 6.3:0.5"),
    ("lowered", 100, 0.5, DROP_D, "6.5+5.5+4.5 6.5+5.5+4.5 6.8+5.8+4.8 6.3+5.3+4.3 6.0+5.0+4.0 6.3+5.3+4.3"),
    ("lowered", 110, 0.5, DOWN_TONE, "4.7 3.5 3.7h 2.5 2.8b2:1 2.5 3.7 3.5p 4.7~:1"),
    ("lowered", 140, 0.25, DOWN_TONE, "6.0m 6.0m 6.1 6.0m 6.0m 6.3 6.0m 6.0m 6.5 6.0m 6.3 6.1"),
    ("seven strings", 120, 0.25, SEVEN, "7.0m 7.0m 7.3 7.0m 7.0m 7.5 7.0m 7.0m 6.0 6.3 6.0 7.3"),
    ("seven strings", 130, 0.25, SEVEN, "7.5^1 7.7^3 7.8^4 6.5^1 6.7^3 6.8^4 5.5^1 5.7^3 5.9^4 4.5^1 4.7^3 4.9^4"),
    ("seven strings", 96, 0.5, SEVEN, "7.7 6.5 6.7h 5.5 5.7h 4.5 4.7h 3.4 3.6 2.5 2.8b2:1"),
    ("bends", 72, 1.0, STANDARD, "2.8b2~:2^3 2.8b2r:1.5^3 2.5:0.5^1 3.7b1:1^3 3.5~:2^1"),
    ("bends", 84, 0.5, STANDARD, "1.15b2:1^4 1.12^1 2.15b2:1^4 2.12^1 3.14b2r:1.5^3 3.12^1 4.14~:1^3"),
    ("bends", 90, 0.5, STANDARD, "3.9b2:1^3 2.8^2 2.10b2:1^4 2.8^1 3.9b2r:1^3 3.7^1 4.9~:1^3"),
    ("bends", 66, 1.0, STANDARD, "2.15b3:2^4 2.12~:1^1 1.12b.5:1^1 2.15b2r:2^4 2.12:1^1"),
    ("chromatic", 110, 0.25, STANDARD, "6.5^1 6.6^2 6.7^3 6.8^4 5.5^1 5.6^2 5.7^3 5.8^4 4.5^1 4.6^2 4.7^3 4.8^4"),
    ("chromatic", 130, 0.25, STANDARD, "1.9^4 1.8^3 1.7^2 1.6^1 2.9^4 2.8^3 2.7^2 2.6^1 3.9^4 3.8^3 3.7^2 3.6^1"),
    ("harmonics", 80, 0.5, STANDARD, "1.12H 2.12H 3.12H 4.12H 3.7H 2.7H 3.12H:1"),
    ("harmonics", 90, 0.5, STANDARD, "6.12H 5.12H 4.12H 3.12H 2.12H 1.12H 1.7H:1"),
    ("low line", 100, 0.5, STANDARD, "6.0m 6.3m 5.0 5.2 6.3 6.0m 5.3 5.2 5.0 6.3 6.0:1"),
    ("low line", 120, 0.25, STANDARD, "6.5m 6.5m 5.7 6.5m 6.5m 5.5 6.5m 6.5m 6.8 6.5m 5.7 5.5"),
    ("box", 100, 0.5, STANDARD, "3.14b2:1^3 2.12^1 2.15^4 1.12^1 1.15^4 1.12p^1 2.15^4 2.12p^1 3.14^3 3.12p^1 4.14~:1^3"),
    ("box", 126, 0.25, STANDARD, "6.5^1 6.8h^4 5.5^1 5.7h^3 4.5^1 4.7h^3 3.5^1 3.7h^3 2.5^1 2.8h^4 1.5^1 1.8h^4"),
    ("box", 92, 0.333, STANDARD, "2.17^3 2.15p^1 3.16^2 3.14^1 2.15^1 2.17h^3 1.15^1 1.17h^3 1.15p^1 2.17^3 2.15p^1 3.16~^2"),
    ("box", 80, 0.5, STANDARD, "4.9^3 4.7p^1 5.9^3 5.7p^1 6.10^4 6.7p^1 5.9^3 4.7^1 4.9~:1^3"),
    ("box", 118, 0.25, STANDARD, "3.5^1 3.7h^3 3.5p^1 4.7^3 4.5^1 4.7h^3 4.5p^1 5.7^3 5.5^1 5.7h^3 5.5p^1 6.8^4"),
    ("box", 70, 0.5, STANDARD, "3.10/^3 2.8^1 2.10^3 1.8^1 1.10~:1^3 1.8^1 2.10^3 2.8p^1 3.9~:1^2"),
    ("box", 138, 0.5, STANDARD, "1.12^1 1.12^1 2.15b2:1^4 2.12^1 2.15^4 1.12^1 2.15^4 2.12p^1 3.14^3"),
    ("box", 112, 0.25, STANDARD, "5.5^2 5.7^4 4.4^1 4.5^2 4.7^4 3.4^1 3.5^2 3.7^4 2.5^1 2.6^2 2.8^4 1.5^1"),
    ("box", 96, 0.5, STANDARD, "4.10^1 4.12^3 3.9^1 3.11^3 3.12^4 2.10^1 2.12^3 2.13^4 1.10^1 1.12^3"),
    ("box", 104, 0.333, STANDARD, "6.12^1 6.15h^4 5.12^1 5.15h^4 5.12p^1 6.15^4 5.12^1 5.14h^3 4.12^1 4.14h^3 4.12p^1 5.14^3"),
    ("three on a string", 120, 0.25, STANDARD, "1.17^4 1.15^3 1.13^1 2.17^4 2.15^3 2.13^1 3.16^4 3.14^2 3.12^1 4.15^4 4.14^3 4.12^1"),
    ("three on a string", 144, 0.167, STANDARD, "6.5^1 6.7h^3 6.8h^4 5.5^1 5.7h^3 5.8h^4 4.5^1 4.7h^3 4.9h^4 3.5^1 3.7h^3 3.9h^4"),
    ("three on a string", 108, 0.25, STANDARD, "2.10^1 2.12h^2 2.13h^4 2.12p^2 2.10p^1 3.12^4 3.10p^2 3.9p^1 3.10h^2 3.12h^4 2.10^1 2.12h^3"),
    ("three on a string", 132, 0.25, STANDARD, "4.7^1 4.9^3 4.10^4 3.7^1 3.9^3 3.11^4 2.8^1 2.10^2 2.12^4 1.8^1 1.10^2 1.12^4"),
    ("three on a string", 100, 0.333, STANDARD, "5.3^1 5.5h^2 5.7h^4 4.3^1 4.5h^2 4.7h^4 3.4^1 3.5h^2 3.7h^4 2.5^1 2.6h^2 2.8h^4"),
    ("three on a string", 116, 0.25, STANDARD, "3.14^4 3.12^2 3.11^1 4.14^4 4.12^2 4.11^1 5.14^4 5.12^2 5.10^1 6.14^4 6.12^2 6.10^1"),
    ("one string", 100, 0.5, STANDARD, "2.1 2.3/ 2.5/ 2.6/ 2.8 2.10/ 2.12/ 2.13~:1"),
    ("one string", 84, 0.5, STANDARD, "4.2 4.4/ 4.5/ 4.7/ 4.9/ 4.7/ 4.5/ 4.4~:1"),
    ("one string", 96, 0.25, STANDARD, "3.5 3.7h 3.5p 3.7/ 3.9h 3.7p 3.9/ 3.12h 3.9p 3.12/ 3.14h 3.12p"),
    ("one string", 120, 0.25, STANDARD, "2.0 2.5h 2.8h 2.5p 2.0p 2.6h 2.10h 2.6p 2.0p 2.8h 2.12h 2.8p"),
    ("open strings", 104, 0.25, STANDARD, "2.0 2.3h 3.0 3.2h 4.0 4.2h 5.0 5.2h 6.0 6.3h 6.0p 6.3"),
    ("open strings", 92, 0.5, STANDARD, "6.0l 4.2l 3.1l 2.0l 1.0l 2.0l 3.1l 4.2l"),
    ("open strings", 76, 0.5, STANDARD, "5.0l 4.2l 3.2l 2.1l 1.0l 2.1l 3.2l 4.2l"),
    ("open strings", 112, 0.25, STANDARD, "5.0 5.2h 5.3h 4.0 4.2h 4.3h 3.0 3.2h 2.0 2.1h 2.3h 1.0"),
    ("sweep", 108, 0.167, STANDARD, "5.14^4 4.12^2 3.12^1 2.14^4 1.12^1 1.16h^4 1.12p^1 2.14^4 3.12^1 4.12^2 5.14^4"),
    ("sweep", 100, 0.25, STANDARD, "5.5^1 5.8h^4 4.7^3 3.5^1 2.5^1 1.5^1 1.8h^4 1.5p^1 2.5^1 3.5^1 4.7^3 5.8^4"),
    ("sweep", 116, 0.167, STANDARD, "4.9^2 3.9^2 2.9^2 1.7^1 1.12h^4 1.7p^1 2.9^3 3.9^3 4.9^3 3.9^3 2.9^3 1.7^1"),
    ("sweep", 92, 0.333, STANDARD, "3.12^1 2.13^2 1.12^1 1.15h^4 1.12p^1 2.13^2 3.12^1 4.14^3 3.12^1 2.13^2"),
    ("octaves", 100, 0.5, STANDARD, "6.3+4.5 6.5+4.7 6.7+4.9 6.8+4.10 6.7+4.9 6.5+4.7 6.3+4.5:1"),
    ("octaves", 112, 0.25, STANDARD, "5.7+3.9 5.7+3.9 5.9+3.11 5.10+3.12 5.10+3.12 5.9+3.11 5.7+3.9 5.5+3.7"),
    ("octaves", 92, 0.5, STANDARD, "3.7+1.10 3.9+1.12 3.10+1.13 3.9+1.12 3.7+1.10 3.5+1.8 3.7+1.10:1"),
    ("octaves", 126, 0.5, STANDARD, "4.2+2.5 4.4+2.7 4.5+2.8 4.7+2.10 4.5+2.8 4.4+2.7 4.2+2.5:1"),
    ("double stops", 100, 0.5, STANDARD, "2.12+1.12 2.15+1.15 2.12+1.12 3.14+2.15 3.12+2.12 4.14 4.12+3.12:1"),
    ("double stops", 88, 0.5, STANDARD, "2.5+1.3 2.6+1.5 2.8+1.7 2.10+1.8 2.8+1.7 2.6+1.5 2.5+1.3:1"),
    ("double stops", 108, 0.5, STANDARD, "3.7+2.8 3.5+2.6 3.4+2.5 3.2+2.3 3.4+2.5 3.5+2.6 3.7+2.8:1"),
    ("double stops", 76, 0.5, STANDARD, "4.5+3.4 4.7+3.5 4.9+3.7 4.10+3.9 4.9+3.7 4.7+3.5 4.5+3.4:1"),
    ("double stops", 120, 0.5, STANDARD, "4.7+3.7 4.5+3.5 4.7+3.7 4.9+3.9 4.7+3.7 4.5+3.5 4.5+3.5:1"),
    ("double stops", 96, 0.5, STANDARD, "4.4+2.5 4.5+2.6 4.7+2.8 4.9+2.10 4.7+2.8 4.5+2.6"),
    ("grips", 96, 1.0, STANDARD, "5.3+4.5+3.5+2.5 5.5+4.7+3.7+2.7 5.3+4.5+3.5+2.5 5.5+4.7+3.7+2.7"),
    ("grips", 104, 0.5, STANDARD, "6.5+5.7+4.7 6.5+5.7+4.7 6.8+5.10+4.10 6.10+5.12+4.12 6.8+5.10+4.10 6.3+5.5+4.5"),
    ("grips", 88, 1.0, STANDARD, "4.5+3.7+2.6 4.7+3.9+2.8 4.9+3.10+2.10 4.7+3.9+2.8"),
    ("grips", 92, 0.5, STANDARD, "5.5+4.7 5.5+4.7 5.8+4.10 5.7+4.9 5.5+4.7 5.3+4.5"),
    ("tapping", 112, 0.25, STANDARD, "1.12t 1.5p^1 1.8h^4 1.5p^1 1.13t 1.5p^1 1.8h^4 1.5p^1 1.15t 1.5p^1 1.8h^4 1.5p^1"),
    ("tapping", 96, 0.167, STANDARD, "2.15t 2.8p^3 2.6p^1 2.15t 2.8p^3 2.6p^1 2.13t 2.8p^3 2.6p^1 2.13t 2.8p^3 2.6p^1"),
    ("tapping", 104, 0.333, STANDARD, "2.12t 2.0p 2.5h^1 2.12t 2.0p 2.5h^1 2.13t 2.0p 2.5h^1 2.15t 2.0p 2.5h^1"),
    ("tapping", 120, 0.167, STANDARD, "4.16t 4.9p^1 4.12h^4 4.16t 4.9p^1 4.12h^4 3.16t 3.9p^1 3.12h^4 3.16t 3.9p^1 3.12h^4"),
    ("slide bar", 80, 0.5, STANDARD, "2.8S 2.10S/ 2.8S/ 3.9S 3.7S/ 3.9S/ 2.8S~:1"),
    ("slide bar", 72, 0.5, OPEN_D, "1.12S~:1 1.10S/ 1.12S/ 2.12S 3.12S 4.12S 4.10S/ 4.12S/~:1"),
    ("slide bar", 90, 0.5, OPEN_G, "3.5S+2.5S 3.3S/+2.3S/ 3.5S/+2.5S/ 1.5S 2.5S 3.5S 4.5S~:1"),
    ("slide bar", 84, 0.5, STANDARD, "1.12S~:1 2.12S 1.10S 1.12S/ 2.15S 2.12S/ 3.12S~:1"),
    ("slide bar", 96, 0.5, OPEN_D, "6.0 1.12S 1.10S/ 6.0 2.12S 3.12S 6.0 4.12S~"),
    ("slide bar", 76, 0.5, OPEN_G, "5.0 3.12S~ 2.12S 1.12S 1.15S/ 1.12S/ 2.12S 3.12S~"),
    ("lowered", 126, 0.25, DROP_D, "6.0m 6.0m 6.5+5.5 6.0m 6.0m 6.3+5.3 6.0m 6.0m 6.7+5.7 6.0m 6.5+5.5 6.3+5.3"),
    ("lowered", 108, 0.5, DROP_D, "6.0 6.3h 6.5 5.0 5.3h 5.5 4.0 4.3h 4.5 4.0p 5.5 5.3p"),
    ("lowered", 116, 0.25, DOWN_TONE, "6.5 6.8h 5.5 5.7h 4.5 4.7h 3.5 3.7h 2.5 2.8h 1.5 1.8h"),
    ("lowered", 92, 0.5, DOWN_TONE, "2.8b2:1 2.5 1.8 1.5p 2.8 2.5p 3.7 3.5p 4.7~:1"),
    ("seven strings", 140, 0.25, SEVEN, "7.3 7.5h 7.7h 6.3 6.5h 6.7h 5.3 5.5h 5.7h 4.4 4.5h 4.7h"),
    ("seven strings", 118, 0.25, SEVEN, "7.0m 7.0m 6.2+5.2 7.0m 7.0m 6.3+5.3 7.0m 7.0m 6.5+5.5 7.0m 6.3+5.3 6.2+5.2"),
    ("seven strings", 100, 0.5, SEVEN, "7.5 7.8h 6.5 6.7h 5.5 5.7h 4.5 4.7h 3.5 3.7h 2.5 2.8~:1"),
    ("seven strings", 110, 0.25, SEVEN, "7.0m 7.1 7.0m 7.3 7.0m 7.1 7.0m 7.5 7.0m 7.3 7.0m 7.1"),
    ("bends", 80, 0.5, STANDARD, "2.10b2:1^3 2.8^1 3.9^2 2.8^1 1.10b2:1^3 1.8^1 2.10^3 2.8p^1 3.9~:1^2"),
    ("bends", 76, 0.5, STANDARD, "3.7b2:1^3 2.5^1 1.5^1 3.7b2r:1^3 3.5^1 4.7^3 4.5p^1 5.7~:1^3"),
    ("bends", 100, 0.5, STANDARD, "1.20b2:1^4 1.17^1 2.20^4 2.17p^1 1.17^1 2.20b2:1^4 2.17^1 3.19~:1^3"),
    ("bends", 88, 0.5, STANDARD, "3.14b1:1^3 3.12^1 4.14^3 4.12p^1 5.14^3 4.12^1 4.14^3 3.12~:1^1"),
    ("chromatic", 104, 0.25, STANDARD, "5.3^1 5.4^2 5.5^3 5.6^4 4.3^1 4.4^2 4.5^3 4.6^4 3.3^1 3.4^2 3.5^3 3.6^4"),
    ("chromatic", 120, 0.25, STANDARD, "4.12^4 4.11^3 4.10^2 4.9^1 5.12^4 5.11^3 5.10^2 5.9^1 6.12^4 6.11^3 6.10^2 6.9^1"),
    ("low line", 108, 0.5, STANDARD, "6.3 6.3 5.2 5.5 6.3 5.5 5.3 5.2 6.5 6.3:1"),
    ("low line", 132, 0.25, STANDARD, "6.0m 6.0m 6.7 6.0m 6.0m 6.5 6.0m 6.0m 6.3 6.5 6.3 6.0"),
)  # fmt: skip


def phrases() -> list[Composed]:
    """Give every composed phrase."""
    made = []
    for number, (kind, tempo, step, tuning, text) in enumerate(_LINES):
        guitar = Guitar(tuning=tuning, fret_count=24)
        notes = parse(text, step)
        made.append(Composed(f"{kind} {number}", kind, notes, guitar, tempo, bool(number % 2)))
    return made

"""What can be done to a note: one table that pages, text tab, MusicXML and the sheet read.

A technique that is a word or a sign needs a row here, a name in `lesson_wire.Technique`, and a key in
the window; docs/adding-a-technique.md goes through it. Slurs, slides, bends and vibrato have drawings of
their own, in `engrave.marks` and on the sheet.
"""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Technique:
    """One technique: how it is told wherever it is not drawn.

    Parameters
    ----------
    name : str
        As lessons and CSV files have it.
    means : str
        What the legend of a page says.
    word : str
        Over the strings of a page, with a dashed line over all notes that it holds for (common practice).
    sign : str
        Over each note of a page.
    brief : str
        Over the strings of the sheet, where it begins.
    text : str
        In text tab: over the notes that it holds for, or at the note.
    text_means : str
        What the legend of text tab says.
    is_span : bool
        Whether text tab has it over the strings, for as long as it holds.
    in_musicxml : bool
        Whether that format has a sign of its own for it.
    """

    name: str
    means: str
    word: str = ""
    sign: str = ""
    brief: str = ""
    text: str = ""
    text_means: str = ""
    is_span: bool = False
    in_musicxml: bool = True


TABLE = (
    Technique("hammer-on", "slurred: hammered on or pulled off", text="h", text_means="hammered on"),
    Technique("pull-off", "slurred: hammered on or pulled off", text="p", text_means="pulled off"),
    Technique("slide", "slide", text="/", text_means="slide up"),
    Technique("bend", "bend, in whole tones", text="b", text_means="bend, by"),
    Technique("pre-bend", "bent before it is struck", text="pb", text_means="bent before, by"),
    Technique("release", "let the bend down", text="r", text_means="let down"),
    Technique("vibrato", "vibrato", text="~", text_means="vibrato"),
    Technique("tap", "tapped", sign="T", text="t", text_means="tapped"),
    Technique(
        "natural-harmonic", "natural harmonic", sign="N.H.", text="<>", text_means="natural harmonic"
    ),
    Technique(
        "pinch-harmonic", "pinch harmonic", sign="P.H.", brief="P.H.", text="ph",
        text_means="pinch harmonic", in_musicxml=False,
    ),
    Technique("dead", "dead: struck, no pitch", text="x", text_means="dead", in_musicxml=False),
    Technique(
        "palm-mute", "palm on the strings", word="P.M.", brief="P.M.", text="PM",
        text_means="palm mute", is_span=True, in_musicxml=False,
    ),
    Technique(
        "rake", "rake over damped strings", word="rake", brief="rake", text="RK", text_means="rake",
        is_span=True, in_musicxml=False,
    ),
    Technique("staccato", "short", sign="•", text=".", text_means="short"),
    Technique(
        "let-ring", "keep it sounding", word="let ring", brief="l.r.", text="LR",
        text_means="let ring", is_span=True,
    ),
    Technique("grace", "grace note, just before", text="g", text_means="grace note"),
    Technique(
        "bar", "with the slide bar", word="slide bar", text="SB", text_means="slide bar",
        is_span=True, in_musicxml=False,
    ),
)  # fmt: skip
TECHNIQUES = tuple(technique.name for technique in TABLE)
BY_NAME = {technique.name: technique for technique in TABLE}

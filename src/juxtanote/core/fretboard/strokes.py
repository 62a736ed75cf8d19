"""The picking hand: strokes by school, and string changes inside and outside."""

from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.states import TOGETHER_S

UNSTRUCK = frozenset({"hammer-on", "pull-off", "tap"})
FEWEST_STRUMMED = 3
HEARD_SPREAD_S = 0.006  # from the first string to the last: less is struck at once


def choose_strokes(
    notes: list[NoteToPlace], strings: tuple[int, ...], school: str
) -> tuple[str, ...]:
    """Give the picking hand's part of each note; slurred notes are not struck.

    Schools: ``alternate`` (down and up in turn), ``down``, ``economy`` (the stroke goes on in the
    direction of the string change), ``hybrid`` (pick, and fingers for thinner strings), ``fingers``.
    A strum whose strings are heard one after the other goes the way they sound.
    """
    strokes: list[str] = []
    last, last_string, last_onset = "", 0, -1.0
    for index, note in enumerate(notes):
        string = strings[index]
        if index and note.onset_s - last_onset < TOGETHER_S and strokes:
            strokes.append(_in_grip(school, last, string, last_string))
            last_string = min(last_string, string)
            continue
        last_onset = note.onset_s
        follows = bool(note.techniques & UNSTRUCK) or (
            "slide" in note.techniques and "grace" not in note.techniques and index > 0
            and strings[index - 1] == string
        )  # fmt: skip
        if follows:
            strokes.append("")
            last_string = string
            continue
        stroke = _stroke(school, last, string, last_string)
        if stroke in ("down", "up") and school != "down":
            stroke = _sweep_of(notes, strings, index) or stroke
        strokes.append(stroke)
        last, last_string = stroke, string
    return tuple(strokes)


def _sweep_of(notes: list[NoteToPlace], strings: tuple[int, ...], index: int) -> str:
    """Tell which way a strum of three and more strings goes from the order of its onsets."""
    last = index + 1
    while last < len(notes) and notes[last].onset_s - notes[index].onset_s < TOGETHER_S:
        last += 1
    order = strings[index:last]
    spread = notes[last - 1].onset_s - notes[index].onset_s
    if len(order) < FEWEST_STRUMMED or spread < HEARD_SPREAD_S:
        return ""
    steps = {before > after for before, after in zip(order, order[1:], strict=False)}
    return "" if len(steps) > 1 else "down" if steps == {True} else "up"


def _in_grip(school: str, stroke: str, string: int, thickest: int) -> str:
    if school in ("alternate", "down", "economy"):
        return stroke
    return _plucked(thickest - string) if school == "hybrid" else _bare(string)


def _plucked(thinner_by: int) -> str:
    return "middle" if thinner_by <= 1 else "ring"


def _bare(string: int) -> str:
    return {1: "ring", 2: "middle", 3: "index"}.get(string, "thumb")


def _stroke(school: str, last: str, string: int, last_string: int) -> str:
    turned = "up" if last == "down" else "down"
    if school == "down":
        return "down"
    if school == "fingers":
        return _bare(string)
    if school == "economy" and last_string and string != last_string:
        return "down" if string < last_string else "up"
    if school == "hybrid" and last_string and string < last_string:
        return _plucked(last_string - string)
    if school == "hybrid" and last not in ("", "down", "up"):
        return "down"
    return turned


def count_changes(strokes: tuple[str, ...], strings: tuple[int, ...]) -> tuple[int, int]:
    """Count outside and inside string changes of the pick.

    Outside: down on the thicker then up on the thinner string, or up on the thinner then down on
    the thicker; inside: the pick starts from between the strings (common practice).
    """
    outside = inside = 0
    struck = [(s, n) for s, n in zip(strokes, strings, strict=True) if s in ("down", "up")]
    for (stroke, string), (after, next_string) in zip(struck, struck[1:], strict=False):
        if string == next_string or stroke == after:
            continue
        to_thinner = next_string < string
        outward = (stroke == "down") == to_thinner
        outside, inside = outside + outward, inside + (not outward)
    return outside, inside

"""The staff over the tab: clef, signature, heads, accidentals, stems, beams, rests.

A guitar is written an octave over its sound, under a clef with an 8. Where signs stand, which way stems
go and how long accidentals hold is common practice (E. Gould, "Behind Bars", 2011, chapters 1 to 3; from
memory).
"""

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cache
from importlib import resources

from juxtanote.core.engrave.beams import (
    DOWN,
    UP,
    beamed_groups,
    dot,
    draw_flags,
    draw_joined,
    draw_rest,
)
from juxtanote.core.engrave.marks import arc
from juxtanote.core.engrave.paper import Points, Sketch
from juxtanote.core.engrave.voiced import VoiceRow
from juxtanote.core.score.note import Note
from juxtanote.core.score.sounding import sounding_midi
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.values import Moment
from juxtanote.core.theory.keys import known_key
from juxtanote.core.theory.scales import SpelledPitch, spell_pitch
from juxtanote.core.theory.tuning import Guitar

SPACE = 1.7  # between two lines of the staff
LINES = 5
OCTAVE = 12  # semitones between what is written and what sounds
TOP_PLACE, MIDDLE_PLACE, LOW_PLACE = 38, 34, 30  # F5, B4, E4
SHARPS = (38, 35, 39, 36, 33, 37, 34)  # F C G D A E B
FLATS = (34, 37, 33, 36, 32, 35, 31)  # B E A D G C F
G_PLACE = 32  # the line that the clef sits on
CLEF_ROOM, SIGN_STEP, METRE_ROOM = 6.4, 1.75, 4.4  # millimetres
STEM = 3.2 * SPACE  # three and a half spaces, as engravers have it, less for beams
HEAD = (0.62 * SPACE, 0.42 * SPACE)  # half its width, half its height
AIR = 2.2  # millimetres between staff and tab
CLEAR_PLACES = 6  # between two accidentals over each other
STEM_PLACES = 8  # a stem's length in lines and spaces, and a little air
ACCIDENTALS = {1: "sharp", -1: "flat", 0: "natural"}


@dataclass(frozen=True, slots=True)
class Head:
    """A note as it stands on the staff: its place, and the accidental that is drawn before it."""

    note: Note
    place: int
    accidental: int | None = None


Standing = tuple[Moment, float, tuple[Head, ...]]


@dataclass(frozen=True, slots=True)
class Voice:
    """What one voice has in a bar; its stems go up, or down, or (None) as its heads lie."""

    moments: tuple[Standing, ...]
    up: bool | None = None


@dataclass(frozen=True, slots=True)
class Staff:
    """A line's bars of voices, and how far it reaches over and under the five lines."""

    bars: tuple[tuple[Voice, ...], ...]
    fifths: int
    over: float
    under: float

    @property
    def height(self) -> float:
        """All of its room."""
        return self.over + (LINES - 1) * SPACE + self.under


def room_before(key: str) -> float:
    """Give the room of clef and signature at the beginning of a line.

    Parameters
    ----------
    key : str
        Such as ``"A minor"``; empty for none.
    """
    known = known_key(key)
    return CLEF_ROOM + SIGN_STEP * abs(known.fifths if known else 0)


def staff_of(bars: Iterable[Sequence[VoiceRow]], guitar: Guitar, key: str) -> Staff:
    """Put the bars of one line on a staff; an accidental holds to the end of its bar.

    Parameters
    ----------
    bars : iterable of sequence of VoiceRow
        Voices of each bar.
    guitar : Guitar
        Its tuning, capo and frets.
    key : str
        Such as ``"A minor"``; empty for none.
    """
    known = known_key(key)
    fifths = known.fifths if known else 0
    made = tuple(_on_staff(bar, guitar, key, fifths) for bar in bars)
    high, low = [TOP_PLACE + 2], [LOW_PLACE - 3]
    for voice in (voice for bar in made for voice in bar):
        places = [head.place for _, _, heads in voice.moments for head in heads]
        # Stems turn inwards, but those of two voices: else only heads reach beyond the lines.
        high += [place + (STEM_PLACES if voice.up else 0) for place in places]
        low += [place - (STEM_PLACES if voice.up is False else 0) for place in places]
    over, under = max(high) - TOP_PLACE, LOW_PLACE - min(low)
    return Staff(made, fifths, 0.5 * SPACE * over + AIR, 0.5 * SPACE * under + AIR)


def _on_staff(bar: Sequence[VoiceRow], guitar: Guitar, key: str, fifths: int) -> tuple[Voice, ...]:
    holding: dict[int, int] = {}
    voices: list[list[Standing]] = [[] for _ in bar]
    in_time = sorted(
        ((x, number, moment) for number, (row, _) in enumerate(bar) for moment, x in row),
        key=lambda placed: placed[:2],
    )
    for x, number, moment in in_time:
        heads = []
        for note in moment.notes:
            spelled = spelled_note(note, guitar, key)
            usual = holding.get(spelled.place, in_signature(spelled.step, fifths))
            shown = None if usual == spelled.alter or moment.is_held else spelled.alter
            if "dead" in note.written.techniques:
                shown = None  # a cross says where the string is struck, not a pitch
            else:
                holding[spelled.place] = spelled.alter
            heads.append(Head(note, spelled.place, shown))
        heads.sort(key=lambda head: head.place)
        voices[number].append((moment, x, tuple(heads)))
    return tuple(Voice(tuple(standing), up) for standing, (_, up) in zip(voices, bar, strict=True))


def spelled_note(note: Note, guitar: Guitar, key: str) -> SpelledPitch:
    """Give the pitch of a note as it is written for guitar, an octave over its sound.

    Parameters
    ----------
    note : Note
        With its place.
    guitar : Guitar
        Its tuning, capo and frets.
    key : str
        Such as ``"A minor"``; empty for none.
    """
    return spell_pitch(round(sounding_midi(note, guitar)) + OCTAVE, key)


def in_signature(step: str, fifths: int) -> int:
    """Give how a signature of so many sharps (flats below zero) alters a letter.

    Parameters
    ----------
    step : str
        A letter, ``"A"`` to ``"G"``.
    fifths : int
        Sharps, or flats below zero; -7 to 7.

    Examples
    --------
    >>> in_signature("F", 1), in_signature("E", -2), in_signature("A", -2)
    (1, -1, 0)
    """
    sharps = "FCGDAEB"
    if fifths >= 0:
        return int(step in sharps[:fifths])
    return -int(step in sharps[::-1][:-fifths])


@cache
def _outlines() -> dict[str, list[list[tuple[float, float]]]]:
    shipped = resources.files("juxtanote") / "data" / "engrave" / "outlines.json"
    found: dict[str, list[list[tuple[float, float]]]] = json.loads(shipped.read_text("utf-8"))
    return found


def draw_sign(sketch: Sketch, name: str, x: float, y: float) -> float:
    """Draw a clef or an accidental from `x` on, on the line or space at `y`; give its width.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    name : str
        Of the sign in the music font.
    x : float
        Where it begins, mm.
    y : float
        Of its line or space, mm.
    """
    outlines: list[Points] = [
        tuple((x + SPACE * dx, y + SPACE * dy) for dx, dy in contour)
        for contour in _outlines()[name]
    ]
    sketch.fill_all(outlines)
    return max(px for points in outlines for px, _ in points) - x


def draw_staff(
    sketch: Sketch, staff: Staff, left: float, right: float, top: float, time_map: TimeMap
) -> None:
    """Draw a staff whose highest line lies at `top`.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    staff : Staff
        What stands on it.
    left : float
        Where its lines begin, mm.
    right : float
        Where its lines end, mm.
    top : float
        Of its highest line, mm.
    time_map : TimeMap
        The beats.
    """
    for line in range(LINES):
        y = top + SPACE * line
        sketch.line((left, y), (right, y), width=0.12)
    draw_sign(sketch, "clef", left + 0.6, _y(G_PLACE, top))
    sign, order = ("sharp", SHARPS) if staff.fifths > 0 else ("flat", FLATS)
    for number in range(abs(staff.fifths)):
        draw_sign(sketch, sign, left + CLEF_ROOM - 0.9 + SIGN_STEP * number, _y(order[number], top))
    for voice in (voice for bar in staff.bars for voice in bar):
        _draw_voice(sketch, voice, top, time_map)


def draw_metre(sketch: Sketch, x: float, top: float, signature: tuple[int, int]) -> None:
    """Write a time signature on the staff.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    x : float
        Of its middle, mm.
    top : float
        Of the highest line, mm.
    signature : tuple
        Beats a bar, and their unit.
    """
    for number, y in zip(signature, (top + 1.85 * SPACE, top + 3.85 * SPACE), strict=True):
        sketch.say(x, y, str(number), 12.5, bold=True, anchor="middle")


def draw_bar_line(sketch: Sketch, x: float, top: float) -> None:
    """Draw a bar line over the staff.

    Parameters
    ----------
    sketch : Sketch
        What is drawn on; millimetres, y down.
    x : float
        Millimetres.
    top : float
        Of the highest line, mm.
    """
    sketch.line((x, top), (x, top + (LINES - 1) * SPACE), width=0.25)


def _y(place: int, top: float) -> float:
    return top + 0.5 * SPACE * (TOP_PLACE - place)


def _draw_voice(sketch: Sketch, voice: Voice, top: float, time_map: TimeMap) -> None:
    heads_at = {id(moment): (x, heads) for moment, x, heads in voice.moments}
    before: dict[int, float] = {}
    for moment, x, heads in voice.moments:
        if moment.is_rest:
            draw_rest(sketch, moment, x, _y(MIDDLE_PLACE, top), SPACE)
            continue
        small = moment.value is None
        _draw_heads(sketch, moment, x, heads, top)
        for head in heads:
            if moment.is_held and head.place in before:
                arc(sketch, before[head.place] + 1.2, x - 1.2, _y(head.place, top) - 1.0)
            before[head.place] = x
        if small:
            _draw_stem(sketch, moment, x, heads, top, up=True, end=None)
    for group in beamed_groups([(moment, x) for moment, x, _ in voice.moments]):
        _draw_group(sketch, [(m, *heads_at[id(m)]) for m, _ in group], top, voice.up)
    _draw_tuplets(sketch, voice, top, time_map)


def _draw_heads(
    sketch: Sketch, moment: Moment, x: float, heads: tuple[Head, ...], top: float
) -> None:
    size = 0.7 if moment.value is None else 1.0
    base = moment.value.base if moment.value is not None else "16th"
    last, shifted = None, False
    for head in heads:
        y = _y(head.place, top)
        # Two heads beside each other in a chord stand on both sides of the stem.
        shifted = last is not None and head.place - last == 1 and not shifted
        at = x + (2.0 * HEAD[0] * size if shifted else 0.0)
        _ledgers(sketch, at, head.place, top, size)
        if "dead" in head.note.written.techniques:
            _cross(sketch, at, y, size)
        elif "natural-harmonic" in head.note.written.techniques:
            _diamond(sketch, at, y, hollow=base in ("whole", "half"))
        else:
            _oval(sketch, at, y, size, hollow=base in ("whole", "half"))
        if moment.value is not None and moment.value.dots:
            on_line = (head.place - LOW_PLACE) % 2 == 0
            dot(sketch, at + HEAD[0] + 0.9, y - (0.5 * SPACE if on_line else 0.0), 0.3)
        last = head.place
    _accidentals(sketch, x, heads, top)


def _accidentals(sketch: Sketch, x: float, heads: tuple[Head, ...], top: float) -> None:
    """Draw accidentals before a chord, from its top; those that would touch stand farther left."""
    lowest: list[int] = []  # place of the last one in each column
    for head in reversed(heads):
        if head.accidental is None:
            continue
        free = (k for k, place in enumerate(lowest) if place - head.place >= CLEAR_PLACES)
        column = next(free, len(lowest))
        lowest[column : column + 1] = [head.place]
        _accidental(sketch, x - column * SIGN_STEP, _y(head.place, top), head.accidental)


def _accidental(sketch: Sketch, x: float, y: float, alter: int) -> None:
    left = x - HEAD[0] - 2.6
    if abs(alter) < 2:
        draw_sign(sketch, ACCIDENTALS[alter], left + (0.5 if alter == -1 else 0.0), y)
    else:
        draw_sign(sketch, ACCIDENTALS[alter // 2], left - 1.6, y)
        draw_sign(sketch, ACCIDENTALS[alter // 2], left, y)


def _ledgers(sketch: Sketch, x: float, place: int, top: float, size: float) -> None:
    half = (HEAD[0] + 0.6) * size
    lines = [*range(TOP_PLACE + 2, place + 1, 2), *range(LOW_PLACE - 2, place - 1, -2)]
    for line in lines:
        sketch.line((x - half, _y(line, top)), (x + half, _y(line, top)), width=0.18)


_ROUND = ((1, 0), (0.92, 0.38), (0.71, 0.71), (0.38, 0.92), (0, 1), (-0.38, 0.92), (-0.71, 0.71),
          (-0.92, 0.38), (-1, 0), (-0.92, -0.38), (-0.71, -0.71), (-0.38, -0.92), (0, -1),
          (0.38, -0.92), (0.71, -0.71), (0.92, -0.38))  # fmt: skip


def _oval(sketch: Sketch, x: float, y: float, size: float, *, hollow: bool) -> None:
    """Draw a head, tilted; a hollow one has a narrow hole that is tilted more."""

    def ring(wide: float, high: float, tilt: float) -> Points:
        return tuple((x + wide * dx, y + high * dy - tilt * wide * dx) for dx, dy in _ROUND)

    outer = ring(HEAD[0] * size, HEAD[1] * size, 0.22)
    if hollow:
        sketch.fill_all([outer, ring(0.72 * HEAD[0] * size, 0.42 * HEAD[1] * size, 0.42)])
    else:
        sketch.fill(*outer)


def _cross(sketch: Sketch, x: float, y: float, size: float) -> None:
    half = 0.85 * HEAD[1] * size
    sketch.line((x - half, y - half), (x + half, y + half), width=0.28)
    sketch.line((x - half, y + half), (x + half, y - half), width=0.28)


def _diamond(sketch: Sketch, x: float, y: float, *, hollow: bool) -> None:
    wide, high = HEAD[0], 1.15 * HEAD[1]
    outer = ((x - wide, y), (x, y - high), (x + wide, y), (x, y + high))
    inner = tuple((x + 0.55 * (px - x), y + 0.55 * (py - y)) for px, py in outer)
    sketch.fill_all([outer, inner] if hollow else [outer])


def _is_up(heads: Iterable[Head]) -> bool:
    """Stems go up where what lies farthest from the middle line lies under it."""
    places = [head.place for head in heads]
    return MIDDLE_PLACE - min(places) > max(places) - MIDDLE_PLACE


def _draw_group(sketch: Sketch, group: list[Standing], top: float, way_up: bool | None) -> None:
    """Draw the stems of what is beamed together, or of one moment."""
    up = _is_up(head for _, _, heads in group for head in heads) if way_up is None else way_up
    levels = [m.value.beams if m.value else 0 for m, _, _ in group]
    ends = []
    for _, _, heads in group:
        places = [head.place for head in heads]
        place = max(places) if up else min(places)
        ends.append(_y(place, top) + (-STEM if up else STEM))
    middle = _y(MIDDLE_PLACE, top)
    end = min([*ends, middle]) if up else max([*ends, middle])  # long enough to reach the middle
    for moment, x, heads in group:
        _draw_stem(sketch, moment, x, heads, top, up=up, end=end)
    way = UP if up else DOWN
    shift = HEAD[0] - 0.1 if up else -HEAD[0] + 0.1
    if len(group) > 1:
        draw_joined(sketch, [x + shift for _, x, _ in group], levels, end, way)
    elif levels[0]:
        draw_flags(sketch, group[0][1] + shift, end, levels[0], way)


def _draw_stem(
    sketch: Sketch, moment: Moment, x: float, heads: tuple[Head, ...], top: float, *, up: bool,
    end: float | None,
) -> None:  # fmt: skip
    if not heads or (moment.value is not None and moment.value.base == "whole"):
        return
    size = 0.7 if moment.value is None else 1.0
    low, high = _y(heads[0].place, top), _y(heads[-1].place, top)
    at = x + (HEAD[0] - 0.1) * size * (1.0 if up else -1.0)
    tip = end if end is not None else high - 0.7 * STEM
    sketch.line((at, low if up else high), (at, tip), width=0.2)
    if moment.value is None:
        draw_flags(sketch, at, tip, 1, UP)
        sketch.line((at - 0.9, tip + 2.0), (at + 1.5, tip + 0.4), width=0.15)


def _draw_tuplets(sketch: Sketch, voice: Voice, top: float, time_map: TimeMap) -> None:
    if time_map.is_compound:
        return
    beats: dict[int, list[Standing]] = {}
    for placed in voice.moments:
        if placed[0].value is not None and placed[0].value.tuplet:
            beats.setdefault(int(placed[0].onset // 1), []).append(placed)
    for inside in beats.values():
        xs = [x for _, x, _ in inside]
        all_heads = [head for _, _, heads in inside for head in heads]
        places = [head.place for head in all_heads]
        high = _y(max([*places, TOP_PLACE]), top)
        up = bool(places) and (voice.up if voice.up is not None else _is_up(all_heads))
        number = "6" if min(m.length for m, _, _ in inside).denominator == 6 else "3"
        y = min(high, _y(MIDDLE_PLACE, top)) - (STEM + 0.6 if up else 1.4)
        if voice.up is False:  # the upper voice has the room over the staff
            y = _y(min([*places, LOW_PLACE]), top) + STEM + 2.4
        sketch.say(0.5 * (xs[0] + xs[-1]), y, number, 5.5, anchor="middle")

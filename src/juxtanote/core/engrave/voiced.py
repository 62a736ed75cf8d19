"""Two voices on a page: what each plays in a bar, and what is held over it."""

from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction

from juxtanote.core.engrave.marks import LINE_GAP
from juxtanote.core.engrave.paper import Sketch
from juxtanote.core.engrave.spacing import Bar
from juxtanote.core.score.note import Note
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.values import Moment
from juxtanote.core.score.voices import cut_by_strings, rings, voices_of_bars

# Millimetres: how thick, from the middle of a fret to it, and half of the line at its end.
RING_WIDTH, RING_AIR, RING_FOOT = 0.45, 1.9, 0.7
GRACE_BEFORE = 3.0  # millimetres
Placed = tuple[Moment, float]
VoiceRow = tuple[list[Placed], bool | None]
"""What one voice has in a bar, and whether its stems go up (None: as they stand)."""


def with_voices(
    bars: Sequence[Bar], notes: Sequence[Note], time_map: TimeMap, pickup: Fraction | None
) -> list[Bar]:
    """Tell bars what is held over them and, where one voice does not say it all, the voices.

    Parameters
    ----------
    bars : sequence of Bar
        Of one phrase, or of several that follow each other, without a gap.
    notes : sequence of Note
        All of their notes, by written onset.
    pickup : Fraction, optional
        Where the first bar begins that is not whole, in beats.
    """
    held = rings(notes) if bars else []
    if not held:
        return list(bars)
    numbers = range(bars[0].number, bars[-1].number + 1)
    voiced = voices_of_bars(cut_by_strings(notes), numbers, time_map, pickup=pickup)
    made = []
    for bar in bars:
        upper, lower = voiced[bar.number - numbers.start]
        begin, end = span_of(bar)
        over = tuple(ring for ring in held if ring.onset < end and ring.end > begin)
        voices = (tuple(upper), tuple(lower)) if lower else ()
        made.append(replace(bar, voices=voices, rings=over))
    return made


def span_of(bar: Bar) -> tuple[Fraction, Fraction]:
    """Give where a bar begins and ends, in beats."""
    last = bar.moments[-1]
    return bar.moments[0].onset, last.onset + last.length


def voice_rows(bar: Bar, row: list[Placed], right: float) -> list[VoiceRow]:
    """Put the voices of a bar where its moments stand; `row` is what the tab has, `right` its end."""
    if not bar.voices:
        return [(row, None)]
    graces = {moment.onset: x for moment, x in row if moment.value is None and moment.notes}
    upper, lower = (
        [
            (moment, graces.get(moment.onset, x_at(bar, row, right, moment.onset) - GRACE_BEFORE))
            if moment.value is None and moment.notes
            else (moment, x_at(bar, row, right, moment.onset))
            for moment in voice
        ]
        for voice in bar.voices
    )
    sung = [placed for placed in lower if placed[0].notes]
    if not any(moment.notes for moment, _ in upper):
        return [(sung, None)]
    return [(upper, True), (sung, False)]


def x_at(bar: Bar, row: list[Placed], right: float, beats: Fraction) -> float:
    """Give where a time of a bar stands: at what is struck there, or in proportion between.

    Parameters
    ----------
    bar : Bar
        With the room of each moment.
    row : list of Placed
        What is struck in the bar, by onset.
    right : float
        Where the bar ends, mm.
    beats : Fraction
        Counted from bar 1.
    """
    known = [(moment.onset, x) for moment, x in row if moment.value is not None or moment.is_rest]
    known.append((span_of(bar)[1], right))
    before = known[0]
    for after in known:
        if after[0] == beats:
            return after[1]
        if after[0] > beats:
            part = float((beats - before[0]) / (after[0] - before[0])) if after != before else 0.0
            return before[1] + part * (after[1] - before[1])
        before = after
    return right


def draw_rings(
    sketch: Sketch, bar: Bar, row: list[Placed], edges: tuple[float, float], top: float
) -> None:
    """Draw along its string how long each note of a bar is held over what is struck after it.

    Parameters
    ----------
    row : list of Placed
        What stands in the bar.
    edges : tuple of float
        Where it begins and ends, in millimetres.
    top : float
        Where the thinnest string is.
    """
    begin, end = span_of(bar)
    left, right = edges
    for ring in bar.rings:
        y = top + LINE_GAP * (ring.string - 1)
        goes_on = ring.end > end
        start = left if ring.onset < begin else x_at(bar, row, right, ring.onset) + RING_AIR
        stop = right if goes_on else x_at(bar, row, right, ring.end) - RING_AIR
        if stop > start:
            sketch.line((start, y), (stop, y), width=RING_WIDTH)
            if not goes_on:
                sketch.line((stop, y - RING_FOOT), (stop, y + RING_FOOT), width=0.2)

"""How hard a phrase is, bar by bar, and what makes it so.

Each bar has one figure from 0 to 10, made of what it asks of both hands at the speed of the recording:
strokes a second, jumps of the hand in millimetres a second, stretches in millimetres, strings that are
skipped, and techniques. The scales are common practice: eighth notes at 100 beats a minute (3 a second)
are easy for anyone, sixteenths at 120 (8 a second) are work, sixteenths at 200 (13 a second) are for few;
four frets at the fifth (about 90 mm) lie under a hand, five (about 115 mm) are a stretch.
"""

import math
from bisect import bisect_left
from dataclasses import dataclass
from enum import Enum

from juxtanote.core.score.lesson import Context, Phrase
from juxtanote.core.score.note import SLURS, Note
from juxtanote.core.theory.tuning import Guitar

EASY_RATE, HARD_RATE = 3.0, 8.0  # strokes a second that weigh 0 and 1
EASY_MM, HARD_MM = 90.0, 120.0  # a stretch that weighs 0 and 1
JUMP_MM_S = 450.0  # a jump that weighs 1
STEEPNESS = 1.3  # twice as many strokes are more than twice as hard
LEAST_JUMP_MM = 45.0  # less is done by the fingers
TOGETHER_S, HELD_S = 0.03, 0.25  # struck as one; and held while the next is fretted
MOST = 10.0  # top of the scale that a teacher reads
GROWTH = 2.6  # how much of all demands it takes to come near the most
# What one technique in a second weighs (common practice).
ASKS = {
    "bend": 0.5, "pre-bend": 0.7, "release": 0.2, "vibrato": 0.2, "tap": 0.6, "slide": 0.2, "rake": 0.4,
    "pinch-harmonic": 0.6, "natural-harmonic": 0.2, "bar": 0.5, "grace": 0.3, "dead": 0.1,
    "hammer-on": 0.1, "pull-off": 0.15, "palm-mute": 0.1,
}  # fmt: skip


class Demand(Enum):
    """What a bar asks of the hands."""

    SPEED = "speed"
    JUMP = "jump"
    STRETCH = "stretch"
    CROSSING = "crossing"
    TECHNIQUE = "technique"


@dataclass(frozen=True, slots=True)
class Share:
    """One demand of a bar: how much it weighs, and its size.

    `size` is strokes a second, millimetres a second, millimetres, strings skipped a second, or
    techniques a second.
    """

    demand: Demand
    weight: float
    size: float


@dataclass(frozen=True, slots=True)
class BarDifficulty:
    """A bar (counted from 1) with its figure from 0 to 10, and its demands, heaviest first."""

    bar: int
    start_s: float
    end_s: float
    figure: float
    shares: tuple[Share, ...]


def difficulty_of(
    phrase: Phrase, context: Context, speed: float = 1.0
) -> tuple[BarDifficulty, ...]:
    """Tell how hard each bar of a phrase is, played at a share `speed` of the recording's tempo.

    Parameters
    ----------
    phrase : Phrase
        Read at its written places; bars without notes are left out.
    speed : float
        1.0 is the recording's own tempo.

    Returns
    -------
    tuple of BarDifficulty
        By time.
    """
    notes = phrase.notes
    if not notes:
        return ()
    time_map = context.time_map
    ups = time_map.to_beats([note.onset_s + 0.03 for note in notes]).tolist()
    bars = [math.floor(beat / time_map.beats_per_bar) for beat in ups]
    hands = _hand_positions(notes)
    made = []
    for bar in sorted(set(bars)):
        first, last = bars.index(bar), len(bars) - 1 - bars[::-1].index(bar)
        edges = [bar * time_map.beats_per_bar, (bar + 1) * time_map.beats_per_bar]
        start, end = (float(s) for s in time_map.to_seconds(edges))
        start, end = max(start, phrase.start_s), min(end, phrase.end_s)
        seconds = max(end - start, 0.25) / speed
        inside = range(first, last + 1)
        shares = (
            _speed(notes, inside, min(max(end - start, 0.25), 1.0), speed),
            _jump(notes, hands, inside, context.guitar, speed),
            _stretch(notes, inside, context.guitar),
            _crossing(notes, inside, seconds),
            _techniques(notes, inside, seconds),
        )
        heavy = sorted((s for s in shares if s.weight > 0.0), key=lambda s: -s.weight)
        total = sum(share.weight for share in heavy)
        figure = MOST * (1.0 - math.exp(-total / GROWTH))
        made.append(BarDifficulty(bar + 1, start, end, round(figure, 1), tuple(heavy)))
    return tuple(made)


def hardest(bars: tuple[BarDifficulty, ...], count: int = 3) -> tuple[BarDifficulty, ...]:
    """Give the hardest bars, hardest first; of equal ones the earlier.

    Parameters
    ----------
    bars : tuple of BarDifficulty
        Of one phrase.
    count : int
        At most so many.
    """
    return tuple(sorted(bars, key=lambda bar: (-bar.figure, bar.start_s))[:count])


def whole_difficulty(bars: tuple[BarDifficulty, ...]) -> float:
    """Give one figure for a phrase: what is hard weighs most (mean of the worst and of all).

    Parameters
    ----------
    bars : tuple of BarDifficulty
        Of one phrase.
    """
    if not bars:
        return 0.0
    figures = [bar.figure for bar in bars]
    return round(0.5 * max(figures) + 0.5 * sum(figures) / len(figures), 1)


def _hand_positions(notes: tuple[Note, ...]) -> list[int]:
    """Give the fret at which the first finger lies at each note; open strings leave the hand there."""
    positions: list[int] = []
    here = next((n.written.fret for n in notes if n.written.fret), 0)
    for note in notes:
        written = note.written
        if written.fret and "tap" not in written.techniques:
            if written.finger in ("1", "2", "3", "4"):
                here = max(written.fret - int(written.finger) + 1, 1)
            elif not here <= written.fret <= here + 3:
                here = written.fret if written.fret < here else written.fret - 3
        positions.append(here)
    return positions


def _speed(notes: tuple[Note, ...], inside: range, window_s: float, speed: float) -> Share:
    """Count strokes where they are densest: in any second of the bar."""
    struck = [
        notes[k].onset_s
        for k in inside
        if not notes[k].written.techniques & SLURS
        and (k == 0 or notes[k].onset_s - notes[k - 1].onset_s > TOGETHER_S)
    ]
    most = max((bisect_left(struck, at + window_s) - k for k, at in enumerate(struck)), default=0)
    rate = speed * most / window_s
    weight = max(rate - EASY_RATE, 0.0) / (HARD_RATE - EASY_RATE)
    return Share(Demand.SPEED, weight**STEEPNESS, round(rate, 1))


def _jump(
    notes: tuple[Note, ...], hands: list[int], inside: range, guitar: Guitar, speed: float
) -> Share:
    fastest = 0.0
    for k in inside:
        if k == 0:
            continue
        way = abs(guitar.fret_mm(hands[k]) - guitar.fret_mm(hands[k - 1]))
        free = max(notes[k].onset_s - notes[k - 1].onset_s, 0.04) / speed
        if way > LEAST_JUMP_MM:
            fastest = max(fastest, way / free)
    return Share(Demand.JUMP, fastest / JUMP_MM_S, round(fastest))


def _stretch(notes: tuple[Note, ...], inside: range, guitar: Guitar) -> Share:
    widest = 0.0
    for k in inside:
        note = notes[k].written
        if not note.fret or "tap" in note.techniques:
            continue
        near = [
            notes[j].written.fret
            for j in range(max(k - 4, 0), k)
            if notes[j].written.fret
            and "tap" not in notes[j].written.techniques
            and notes[k].onset_s - notes[j].onset_s < HELD_S
        ]
        for fret in near:
            wide = abs(guitar.fret_mm(note.fret) - guitar.fret_mm(fret))
            if wide <= 2 * EASY_MM:  # farther is a jump, not a stretch
                widest = max(widest, wide)
    weight = max(widest - EASY_MM, 0.0) / (HARD_MM - EASY_MM)
    return Share(Demand.STRETCH, weight, round(widest))


def _crossing(notes: tuple[Note, ...], inside: range, seconds: float) -> Share:
    skipped = 0
    for k in inside:
        if k and not notes[k].written.techniques & SLURS:
            apart = abs(notes[k].written.string - notes[k - 1].written.string)
            together = notes[k].onset_s - notes[k - 1].onset_s <= TOGETHER_S
            skipped += max(apart - 1, 0) if not together else 0
    return Share(Demand.CROSSING, 0.35 * skipped / seconds, round(skipped / seconds, 1))


def _techniques(notes: tuple[Note, ...], inside: range, seconds: float) -> Share:
    asked = [ASKS[t] for k in inside for t in notes[k].written.techniques if t in ASKS]
    return Share(Demand.TECHNIQUE, sum(asked) / seconds, round(len(asked) / seconds, 1))

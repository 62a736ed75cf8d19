"""Two voices: what rings on while a line moves over it, or under it, on other strings.

A guitar is read in one voice as long as that says enough: a note that the next one cuts short, and chords
that are broken and left to ring, need no second one. A bass that is held under a melody does, as do a
note that is held over a line, and a thumb that walks or alternates under one (common practice; E. Gould,
"Behind Bars", 2011, chapter on double-stemmed writing, from memory).
"""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise, takewhile
from typing import NamedTuple

from juxtanote.core.score.note import Note
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.values import Moment, bars_of, struck_together

FEWEST_MOVES = 2  # onsets of the line while a note is held
SHORTEST_HELD = 1.0  # beats
PAST = 0.25  # beats that a note sounds past an onset before it counts as held over it
APART = 0.5  # semitones
# Of a thumb that keeps time under a line: strokes at least, how many of them come evenly and how many are
# held under the line, how evenly, how much of the way to the next they sound, how many beats that is, and
# semitones from the bass to the line.
FEWEST_STROKES, EVEN_STROKES, HELD_STROKES = 4, 0.75, 0.5
EVENLY, SOUNDING, STROKE_BEATS, REGISTER = 0.1, 0.85, (0.5, 2.0), 4.5
DAMPED = frozenset({"let-ring", "palm-mute", "dead", "staccato", "rake"})


class Sounding(NamedTuple):
    """A note as the split sees it: pitch in semitones, start and end in beats."""

    midi: float
    onset: float
    end: float
    may_ring: bool = True


def lower_voice(sounding: Sequence[Sounding]) -> frozenset[int]:
    """Tell which notes make a second, lower voice; none where one voice says it all.

    A note is held where the line moves on at least twice while it sounds, and all of the line lies above
    it (then it is the lower voice) or below it (then the line is). Where most of what moves rings on as
    well it is a broken chord, which stays one voice.

    Parameters
    ----------
    sounding : sequence of Sounding
        The notes of a phrase, by onset.

    Returns
    -------
    frozenset of int
        Their places in `sounding`.

    Examples
    --------
    >>> bass = Sounding(40.0, 0.0, 4.0)
    >>> line = [Sounding(64.0 + k, 1.0 + k, 2.0 + k) for k in range(3)]
    >>> sorted(lower_voice([bass, *line])), sorted(lower_voice(line))
    ([0], [])
    """
    lower: set[int] = set()
    for index, note in enumerate(sounding):
        if not note.may_ring or note.end - note.onset < SHORTEST_HELD:
            continue
        inside = _inside(index, sounding)
        moves = [sounding[k] for k in inside]
        if len({n.onset for n in moves}) < FEWEST_MOVES or _is_broken_chord(moves):
            continue
        if all(n.midi > note.midi + APART for n in moves):
            lower.add(index)
        elif all(n.midi < note.midi - APART for n in moves):
            lower.update(inside)
    return frozenset(lower) or _thumb(sounding)


def _thumb(sounding: Sequence[Sounding]) -> frozenset[int]:
    """Find a bass of even strokes, each held under what the fingers play; none where there is none.

    The widest interval at which the notes part into such a bass and a line tells the two apart.
    """
    pitches = sorted({note.midi for note in sounding})
    edges = [pair for pair in pairwise(pitches) if pair[1] - pair[0] > REGISTER]
    for low, high in sorted(edges, key=lambda pair: pair[0] - pair[1]):
        bass = [note for note in sounding if note.midi <= low]
        line = [note for note in sounding if note.midi >= high]
        if _keeps_time(bass, line) and not _is_broken_chord(line):
            return frozenset(k for k, note in enumerate(sounding) if note.midi <= low)
    return frozenset()


def _keeps_time(bass: Sequence[Sounding], line: Sequence[Sounding]) -> bool:
    """Tell whether bass notes come evenly, nearly as long as the line goes on, and are held under it."""
    onsets = sorted({note.onset for note in bass})
    played = sorted({note.onset for note in line})
    if min(len(onsets), len(played)) < FEWEST_STROKES:
        return False
    apart = [after - before for before, after in pairwise(onsets)]
    usual = sorted(apart)[len(apart) // 2]
    even = sum(abs(gap - usual) <= EVENLY * usual for gap in apart)
    if not STROKE_BEATS[0] <= usual <= STROKE_BEATS[1] or even < EVEN_STROKES * len(apart):
        return False
    if onsets[-1] - onsets[0] < EVEN_STROKES * (played[-1] - played[0]):
        return False

    def is_held(note: Sounding) -> bool:
        after = bisect_right(played, note.onset)
        over = after < len(played) and played[after] < note.end - PAST
        return note.may_ring and note.end - note.onset >= SOUNDING * usual and over

    return sum(is_held(note) for note in bass) >= HELD_STROKES * len(bass)


def _inside(index: int, sounding: Sequence[Sounding]) -> list[int]:
    """Give the places of what is struck while a note is held."""
    note = sounding[index]
    until = note.end - PAST
    after = takewhile(lambda k: sounding[k].onset < until, range(index + 1, len(sounding)))
    return [k for k in after if sounding[k].onset > note.onset]


def _is_broken_chord(inside: Sequence[Sounding]) -> bool:
    """Tell whether most of what moves sounds on over what is struck after it."""
    last = max(note.onset for note in inside)
    moving = [note for note in inside if note.onset < last]
    on = sum(any(n.onset > m.onset and n.onset < m.end - PAST for n in inside) for m in moving)
    return 2 * on >= len(moving)


def split(notes: Sequence[Note]) -> tuple[list[Note], list[Note]]:
    """Split a phrase as it is written into its upper, or only, voice and the lower one.

    Parameters
    ----------
    notes : sequence of Note
        By written onset, none longer than its string is left alone (`cut_by_strings`).

    Returns
    -------
    upper, lower : list of Note
        Each by onset.
    """
    full = [note for note in notes if note.written.duration_beats]
    written = [_as_written(note) for note in full]
    lower = {id(full[k]) for k in lower_voice(written)}
    return (
        [note for note in notes if id(note) not in lower],
        [note for note in notes if id(note) in lower],
    )


def _as_written(note: Note) -> Sounding:
    start = float(note.written.onset_beats or 0)
    # What is written up to an onset is not held over it: the tolerance is for what is heard.
    end = start + float(note.written.duration_beats or 0) + PAST - 1e-6
    return Sounding(note.heard.midi, start, end, not note.written.techniques & DAMPED)


def cut_by_strings(notes: Sequence[Note]) -> list[Note]:
    """Write notes no longer than their string is left alone.

    Parameters
    ----------
    notes : sequence of Note
        By written onset.
    """
    cut = list(notes)
    following: dict[int, Fraction] = {}  # where a string is struck next
    for k in range(len(cut) - 1, -1, -1):
        written = cut[k].written
        onset, length = written.onset_beats, written.duration_beats
        if onset is None:
            continue
        again = following.get(written.string)
        if length and again is not None and onset < again < onset + length:
            cut[k] = replace(cut[k], written=replace(written, duration_beats=again - onset))
        following[written.string] = onset
    return cut


@dataclass(frozen=True, slots=True)
class Ring:
    """A note that is held while others are struck: its string, and from where to where, in beats."""

    string: int
    onset: Fraction
    end: Fraction


def rings(notes: Sequence[Note]) -> list[Ring]:
    """Give what is held while others are struck, where there are two voices.

    Parameters
    ----------
    notes : sequence of Note
        Of one phrase, by written onset.
    """
    notes = cut_by_strings(notes)
    voices = split(notes)
    if not voices[1]:
        return []
    onsets = [onset for onset, full, _ in struck_together(notes) if full]
    held = []
    for voice in voices:
        for note in voice:
            onset, length = note.written.onset_beats, note.written.duration_beats
            if onset is None or not length or note.written.techniques & DAMPED:
                continue
            if any(onset < other < onset + length for other in onsets):
                held.append(Ring(note.written.string, onset, onset + length))
    return held


def voices_of_bars(
    notes: Sequence[Note], bars: range, time_map: TimeMap, *, pickup: Fraction | None = None
) -> list[tuple[list[Moment], list[Moment]]]:
    """Write the notes of one part bar by bar in the voices that they need, see `values.bars_of`.

    Parameters
    ----------
    notes : sequence of Note
        By onset, none longer than its string is left alone (`cut_by_strings`).
    bars : range
        Numbers of bars, 0 is bar 1.
    time_map : TimeMap
        Beats and metre.
    pickup : Fraction, optional
        Where the first bar begins that is not whole, in beats.

    Returns
    -------
    list of (upper, lower)
        Moments of each voice; `lower` is empty where one voice says it all.
    """
    upper, lower = split(notes)
    if not lower:
        return [(moments, []) for moments in bars_of(notes, bars, time_map, pickup=pickup)]
    written = [bars_of(voice, bars, time_map, pickup=pickup) for voice in (upper, lower)]
    return [
        (above, below if any(moment.notes for moment in below) else [])
        for above, below in zip(*written, strict=True)
    ]

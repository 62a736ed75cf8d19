"""Bends that were heard as several notes: each is made one again.

A bent string is struck once. What the decoder lists besides is its top, its way down, its held pitch
when another string is struck over it, or a pitch between two strings of which one is bent to the other.
"""

from bisect import bisect_left, bisect_right
from dataclasses import replace

from juxtanote.core.analysis.confidence import calibrated
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.listener import kind_threshold

GLIDE_BELOW = 0.55  # a note surer than this is no part of a glide
BEND_SOON = (4.0, 26.0)  # frames from the stroke to the top: 50 to 300 ms
WIDEST = 4  # semitones
TOGETHER_FRAMES = 3.0  # 35 ms
WEAKLY_STRUCK = 0.6  # an onset weaker than this may be the way of a bend
SURELY_STRUCK = 0.75  # an onset from here on is no bend that is held
LET_DOWN_BELOW = 0.7  # the note that a bend falls back to is not struck, so it is less sure
LET_DOWN_WITHIN = 40.0  # frames from the stroke
CLUSTERED = 0.3  # how surely one of three neighbouring pitches is on its way


def join_glides(found: list[FoundNote]) -> list[FoundNote]:
    """Make one note of a bend that was heard as two or three: struck, its top, held, and let down.

    Parameters
    ----------
    found : list of FoundNote
        Ordered by start; times in frames.
    """
    starts = [note.start for note in found]
    joined: list[FoundNote] = []
    tops: dict[int, int] = {}  # notes of `joined` that were bent: the pitch they were bent to
    for note in found:
        first = bisect_left(starts, note.start - TOGETHER_FRAMES)
        last = bisect_right(starts, note.start + TOGETHER_FRAMES)
        together = [other for other in found[first:last] if not other.dead]
        if _between_two(note, together):
            continue
        over = {other.midi for other in together} - {note.midi}
        recent = range(len(joined) - 1, max(len(joined) - 8, -1), -1)
        source = next(
            (
                k
                for k in recent
                if (k > len(joined) - 4 and _belongs_to(note, joined[k], tops.get(k)))
                or _is_held(note, joined[k], tops.get(k), over)
                or _is_let_down(note, joined[k])
                or _is_still_on_its_way(note, joined[k])
            ),
            None,
        )
        if source is None:
            joined.append(note)
            continue
        if note.midi != joined[source].midi:
            tops[source] = note.midi
        joined[source] = replace(
            joined[source],
            end=max(joined[source].end, note.end),
            bending=max(joined[source].bending, note.bending, kind_threshold("bending") + 0.01),
            shaking=max(joined[source].shaking, note.shaking),
        )
    return joined


def _belongs_to(note: FoundNote, before: FoundNote, top: int | None) -> bool:
    """Tell whether a note is only where an earlier one has been bent, or let down, to.

    A slide leaves a note that has had its time; a bend is on its way at once. What the listener
    calls a glide soon after the stroke is therefore a bend, and a glide back to the fretted pitch
    its release.
    """
    if note.dead or before.dead or not before.end >= note.start - 4.0:
        return False
    after = note.start - before.start
    rise = note.midi - before.midi
    glides = note.slide > kind_threshold("slide") and note.slide > note.slurred
    if top is not None:
        return abs(note.midi - top) <= 4 and note.midi >= before.midi and glides
    if not 3.0 <= after <= 80.0 or not 1 <= abs(rise) <= WIDEST:
        return False
    soon = BEND_SOON[0] <= after <= BEND_SOON[1] and note.end - note.start > 1.2 * after
    if glides and rise > 0 and soon:
        return True
    return calibrated(note) < GLIDE_BELOW and note.slurred < kind_threshold("slurred")


def _is_held(note: FoundNote, before: FoundNote, top: int | None, over: set[int]) -> bool:
    """Tell whether a note that comes with others is an earlier bend, held on its top.

    It is not where the bent string is struck anew.
    """
    if not over or before.midi in over:
        return False
    if note.dead or before.dead or not before.end >= note.start - 4.0:
        return False
    if top is not None:
        reached = note.midi == top
    else:
        rise = note.midi - before.midi
        reached = before.bending > kind_threshold("bending") and 1 <= rise <= WIDEST
    glides = note.slide > 0.8 * kind_threshold("slide")
    return reached and (glides or note.onset_posterior < SURELY_STRUCK)


def _is_let_down(note: FoundNote, before: FoundNote) -> bool:
    """Tell whether a weak onset at the fretted pitch is where a quick bend comes down."""
    return (
        not note.dead
        and note.midi == before.midi
        and before.bending > kind_threshold("bending")
        and 3.0 <= note.start - before.start <= LET_DOWN_WITHIN
        and before.end >= note.start - 4.0
        and note.onset_posterior < SURELY_STRUCK
        and calibrated(note) < LET_DOWN_BELOW
    )


def _is_still_on_its_way(note: FoundNote, before: FoundNote) -> bool:
    """Tell whether a weak onset is in the middle of a slow or shaken bend, long after the stroke."""
    return (
        not note.dead
        and 1 <= note.midi - before.midi <= WIDEST
        and min(before.bending, note.bending) > kind_threshold("bending")
        and before.end >= note.start - 4.0
        and note.onset_posterior < WEAKLY_STRUCK
        and calibrated(note) < LET_DOWN_BELOW
    )


def _between_two(note: FoundNote, together: list[FoundNote]) -> bool:
    """Tell whether a note lies a semitone over one and under another, of which one is bent.

    No hand plays three neighbouring semitones at once; a bend into the pitch of the next string
    passes the one between.
    """
    beside = [other for other in together if abs(other.midi - note.midi) == 1]
    both = {other.midi - note.midi for other in beside} == {-1, 1}
    return both and max(n.bending for n in [note, *beside]) > CLUSTERED

"""A second pair of ears: what is written, held against the sound itself and not against a first hearing.

Written and heard are matched by the assignment that costs least (H. W. Kuhn, "The Hungarian method for
the assignment problem", Naval Research Logistics 2, 1955); what is left over on either side, and what
differs in a pair, is a complaint with a confidence. Every written note is asked for in the evidence as
well: a note that the listener did not write down is no complaint where its pitch sounds.
"""

from collections.abc import Sequence

import numpy as np

from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.checks.complaints import (
    BEND,
    BLEED,
    EXTRA,
    MISSING,
    QUIET,
    TECHNIQUE,
    TIME,
    WRONG_PITCH,
    Asked,
    Complaint,
    by_others,
    complaint_of,
    nothing_sounds,
)
from juxtanote.core.checks.told_techniques import (
    JOINED,
    count_kinds,
    technique_complaints,
    touch_of,
)
from juxtanote.core.theory.harmonics import difference_tones

REACH_S = 0.2  # so far apart a written and a heard note may be one
TONE = 0.6  # semitones within which two pitches are one
# Costs of pairing written with heard, and of leaving one alone.
OTHER_PITCH, LEFT_OUT, NOT_WRITTEN = 0.75, 1.0, 0.8
LATE_S = 0.047  # where 60 ms off is told and what players scatter is not
# A note that something else may explain must be surer to be missed.
SURE_MISSING, SURE_SHADOW = 0.72, 0.93
PARTIALS = frozenset({7, 12, 19, 24, 28, 31})  # semitones over a note at which its partials lie
TOGETHER_S = 0.03  # onsets so near are struck as one
FAR_BELOW, FAR_OVER = 7, 14  # semitones: what lies farther off is not of this line
AROUND_S = 4.0  # notes so near tell how loud this player plays here
REGISTER = 3  # semitones beyond what is written where a note is rather another instrument's
# Semitones from a note that sounds to what it is easily taken for: partials, an octave below.
SHADOWS = (12, 19, 24, 28, -12, 7)
BEND_APART = 0.33  # semitones
SOMETHING = 0.2  # evidence from which on a written note is there
BENT, STILL = 0.5, 0.15  # of the listener's bend probability: surely bent, surely not
COVERED = 45  # A2: under it a bass covers a note, and its octave is heard in its place
ENOUGH_PLAYED, USUALLY_CLEAR = 4, 0.97  # fewer notes do not tell how clearly it is heard here
RINGING = 0.8  # of a note's frames that sound: it rings on
# Seconds: of a note that are looked at, the noise of its attack, and as long as a bend takes at least.
LOOKED_AT_S, ATTACK_S, LEAST_BENT_S, ARRIVES_S = 0.35, 0.02, 0.1, 0.05
# What sounding counts beside beginning: where nothing is heard, and where another pitch is.
SOUNDS_TOO, SOUNDS_BESIDE = 0.9, 0.8
# A dead stroke for a note, and a note for a dead stroke: how near, how sure, and as what it is told.
SAME_STROKE_S, SURE_PITCH, NOT_DEAD, DEAD_TOLD, PITCH_TOLD = 0.04, 0.8, 0.1, 0.6, 0.7
# Evidence of the written pitch that lets another one stand: in a grip, on a partial of it, else; and how
# much the rest of it takes from what is told, and where a bass may cover the octave.
THERE_IN_GRIP, THERE_ON_PARTIAL, THERE = 0.25, 0.9, 0.5
DOUBT_ON_PARTIAL, DOUBT, COVERED_TOLD = 0.4, 0.8, 0.6
# A note that begins so near to where it is written is on time; beyond, in seconds, belief grows fast.
ON_TIME_S, BEGINS_HERE, LATE_SPREAD_S = 0.025, 0.4, 0.006
# Semitones from which on a bend is one; how belief grows with each beyond what players scatter.
LEAST_BEND, BEND_TOLD, MOST_OF_BEND = 0.45, 1.2, 0.95
# How surely a slur is too soft, with each dB more, and how surely a note bleeds, with each second.
QUIET_TOLD, A_DB, BLEED_TOLD, AT_MOST = 0.6, 0.03, 0.4, 0.9
BLEEDS = (0.5, 2.5)  # semitones between which two notes that ring together rub
NEAR_S, BEGINS_PLAINLY = 0.05, 0.5
# Picked notes that tell what usual is; how much softer and longer is told.
MIN_PICKED, QUIET_DB, RINGS_S = 3, 15.0, 0.15
LEAST_CLEAR = 0.65  # of a slurred note that is heard at all


def second_ear(asked: Sequence[Asked], evidence: Evidence) -> list[Complaint]:
    """Hold written notes against one stretch of sound: complaints by onset.

    `asked` are the notes whose onsets lie in the stretch.

    Parameters
    ----------
    asked : sequence of Asked
        Written notes, by onset.
    evidence : Evidence
        What sounds in the stretch.
    """
    heard = [n for n in evidence.notes if evidence.start_s <= n.onset_s < evidence.end_s]
    pairs = matched(asked, heard)
    found: list[Complaint] = []
    taken = set(pairs.values())
    played = [(note, heard[pairs[k]]) for k, note in enumerate(asked) if k in pairs]
    touch = touch_of([pair for pair in played if _is_at_pitch(*pair)], evidence)
    written_so = count_kinds(asked)
    for index, note in enumerate(asked):
        other = heard[pairs[index]] if index in pairs else None
        wrong = _of_note(note, other, asked, evidence)
        if not wrong and other is not None and note.row in touch:
            wrong = technique_complaints(note, asked, touch[note.row], written_so)
        found += wrong
    found += [*_quiet(played, evidence), *_bleed(played, evidence)]
    left = [heard[k] for k in range(len(heard)) if k not in taken]
    found += _missing(left, asked, evidence)
    confidences = [other.confidence for _, other in played]
    clear = float(np.mean(confidences)) if len(confidences) >= ENOUGH_PLAYED else USUALLY_CLEAR
    return sorted((by_others(c, clear) for c in found), key=lambda c: (c.onset_s, c.kind))


def matched(asked: Sequence[Asked], heard: Sequence[PerceivedNote]) -> dict[int, int]:
    """Pair written and heard notes so that all together cost least.

    Parameters
    ----------
    asked : sequence of Asked
        As they are written, by onset.
    heard : sequence of PerceivedNote
        By onset.

    Returns
    -------
    dict of int to int
        Places in `heard` by places in `asked`; what is left alone is missing.
    """
    if not asked or not heard:
        return {}
    from scipy.optimize import linear_sum_assignment

    late = np.subtract.outer([n.onset_s for n in asked], [n.onset_s for n in heard])
    apart = np.abs(np.subtract.outer([n.midi for n in asked], [n.midi for n in heard]))
    dead = np.not_equal.outer(
        ["dead" in n.techniques for n in asked], ["dead" in n.techniques for n in heard]
    )
    both = np.logical_and.outer(
        ["dead" in n.techniques for n in asked], ["dead" in n.techniques for n in heard]
    )
    confidence = np.array([n.confidence for n in heard])
    pitch = np.where(both, 0.0, np.where(apart <= TONE, 0.0, OTHER_PITCH)) + 0.3 * dead
    cost = np.abs(late) / 0.1 + pitch + 0.2 * (1.0 - confidence)[None]
    cost = np.where(np.abs(late) < REACH_S, cost, 1e3)
    n, m = cost.shape
    whole = np.full((n + m, n + m), 0.0)
    whole[:n, :m] = cost
    whole[:n, m:] = np.where(np.eye(n, dtype=bool), LEFT_OUT, 1e3)
    whole[n:, :m] = np.where(np.eye(m, dtype=bool), NOT_WRITTEN * confidence[:, None], 1e3)
    rows, columns = linear_sum_assignment(whole)
    return {int(r): int(c) for r, c in zip(rows, columns, strict=True) if r < n and c < m}


def _of_note(
    note: Asked,
    other: PerceivedNote | None,
    asked: Sequence[Asked],
    evidence: Evidence,
) -> list[Complaint]:
    """Say what is wrong with one written note, but for how it is struck."""
    until = min(note.offset_s, note.onset_s + LOOKED_AT_S)
    begins = evidence.begins(note.midi, note.onset_s)
    sounds = evidence.sounds(note.midi, note.onset_s + ATTACK_S, until)
    if note.bends:  # a pre-bend sounds where it is bent to
        reached = note.midi + note.bends
        sounds = max(sounds, evidence.sounds(reached, note.onset_s + ATTACK_S, until))
        begins = max(begins, evidence.begins(reached, note.onset_s))
    if "dead" in note.techniques:
        return _of_dead(note, other, evidence)
    if other is None or "dead" in other.techniques:
        return _nothing(note, begins, sounds, other, asked)
    if not _is_at_pitch(note, other):
        return _other_pitch(note, other, begins, sounds, asked)
    return _timing(note, other, evidence) or _bend(note, other, asked, evidence)


def _is_at_pitch(note: Asked, other: PerceivedNote) -> bool:
    return abs(other.midi - note.midi) <= TONE or _same_bent(note, other)


def _same_bent(note: Asked, other: PerceivedNote) -> bool:
    """Tell whether a bend was heard from another of its ends."""
    ends = {note.midi, note.midi + note.bends}
    heard = {other.midi, other.midi + other.bend_semitones}
    return bool(note.bends) and any(abs(a - b) <= TONE for a in ends for b in heard)


def _nothing(
    note: Asked, begins: float, sounds: float, other: PerceivedNote | None, asked: Sequence[Asked]
) -> list[Complaint]:
    """Complain where nothing sounds; a dead stroke may sound instead.

    A note that lies on a partial of one that is struck with it cannot be told from that one.
    """
    under = [n for n in asked if n is not note and abs(n.onset_s - note.onset_s) < TOGETHER_S]
    if any(round(note.midi - n.midi) in PARTIALS for n in under):
        return []
    if max(begins, SOUNDS_TOO * sounds) > SOMETHING:
        return []
    if other is not None:
        return [
            complaint_of(
                note, TECHNIQUE, "a dead stroke", DEAD_TOLD, "it sounds dead", technique="dead"
            )
        ]
    detail = "nothing of this pitch sounds here"
    return [complaint_of(note, EXTRA, "nothing", nothing_sounds(begins), detail)]


def _of_dead(note: Asked, other: PerceivedNote | None, evidence: Evidence) -> list[Complaint]:
    if other is None or "dead" in other.techniques:
        return []
    near = abs(other.onset_s - note.onset_s) < SAME_STROKE_S
    if near and other.confidence > SURE_PITCH and evidence.is_dead(note.onset_s) < NOT_DEAD:
        sure, words = PITCH_TOLD * other.confidence, "it does not sound dead"
        return [complaint_of(note, TECHNIQUE, "a note with a pitch", sure, words, technique="dead")]
    return []


def _other_pitch(
    note: Asked, other: PerceivedNote, begins: float, sounds: float, asked: Sequence[Asked]
) -> list[Complaint]:
    there = max(begins, SOUNDS_BESIDE * sounds)
    grip = [n.midi for n in asked if abs(n.onset_s - note.onset_s) < TOGETHER_S]
    together = len(grip)
    if any(abs(other.midi - tone) <= TONE for tone in difference_tones(grip)):
        return []
    # What lies on a partial of the note that sounds always has some evidence.
    on_partial = round(note.midi - other.midi) in PARTIALS
    most = THERE_IN_GRIP if together > 1 else THERE_ON_PARTIAL if on_partial else THERE
    if there > most or (together > 1 and other.confidence < SURE_MISSING):
        return []
    step = round(other.midi - note.midi)
    doubt = DOUBT_ON_PARTIAL if on_partial else DOUBT
    confidence = other.confidence * (1.0 - doubt * there)
    if step == 12 and note.midi < COVERED:
        confidence *= COVERED_TOLD
    detail = (
        f"{abs(step)} semitone{'s' if abs(step) != 1 else ''} {'higher' if step > 0 else 'lower'}"
    )
    return [
        complaint_of(note, WRONG_PITCH, f"{other.midi:.1f}", confidence, detail, midi=other.midi)
    ]


def _timing(note: Asked, other: PerceivedNote, evidence: Evidence) -> list[Complaint]:
    late = other.onset_s - note.onset_s
    begins = evidence.begins(note.midi, note.onset_s, ON_TIME_S)
    if abs(late) < LATE_S or begins > BEGINS_HERE:
        return []
    confidence = other.confidence / (1.0 + float(np.exp(-(abs(late) - LATE_S) / LATE_SPREAD_S)))
    word = "later" if late > 0 else "earlier"
    detail = f"it sounds {1000 * abs(late):.0f} ms {word} than it is written"
    return [
        complaint_of(note, TIME, f"{other.onset_s:.3f}", confidence, detail, sounds_s=other.onset_s)
    ]


def _bend(
    note: Asked, other: PerceivedNote, asked: Sequence[Asked], evidence: Evidence
) -> list[Complaint]:
    """Compare how far a note is bent with how far it goes."""
    reached = max(other.bend_semitones, 0.0)
    if not note.bends and _leads_to_next(note, other, asked):
        return []
    if not note.bends and reached < LEAST_BEND:
        return []
    if note.techniques & {"slide", "bar", "tap"} and not note.bends:
        return []
    end = max(note.offset_s, note.onset_s + LEAST_BENT_S)
    moving = evidence.moves("bending", note.midi, note.onset_s, end)
    if not note.bends and moving < BENT:
        return []
    if note.bends and not reached:
        reached = _widest(other)
        arrives = evidence.sounds(note.midi + note.bends, note.onset_s + ARRIVES_S, end)
        if max(moving, arrives) > STILL:
            return []  # it moves, but how far could not be measured
    apart = reached - note.bends
    if abs(apart) < BEND_APART:
        return []
    beyond = abs(apart) - BEND_APART
    confidence = other.confidence * min(0.5 + BEND_TOLD * beyond, MOST_OF_BEND)
    detail = f"written {note.bends:.2f}, reached {reached:.2f} semitones"
    return [
        complaint_of(
            note, BEND, f"{reached:.2f}", confidence, detail, bend_semitones=round(reached, 2)
        )
    ]


def _leads_to_next(note: Asked, other: PerceivedNote, asked: Sequence[Asked]) -> bool:
    """Tell whether what was heard as a bend is the way to the next written note: slid or slurred."""
    goal = note.midi + other.bend_semitones
    return any(
        note.onset_s + TOGETHER_S < n.onset_s < other.offset_s + TOGETHER_S
        and abs(n.midi - goal) <= TONE
        for n in asked
    )


def _widest(other: PerceivedNote) -> float:
    """Give how far a curve goes, in semitones, whether or not it was taken for a bend."""
    cents = [c for t, c in other.curve if t > ATTACK_S]
    return max(float(np.percentile(cents, 90)) / 100.0, 0.0) if len(cents) > 5 else 0.0


def _quiet(played: Sequence[tuple[Asked, PerceivedNote]], evidence: Evidence) -> list[Complaint]:
    """Complain of slurred notes that are far softer than the picked ones, by their own partials."""
    levels = [
        (note, heard, evidence.level_db(note.midi, heard.onset_s))
        for note, heard in played
        if "dead" not in note.techniques and not note.bends and abs(heard.midi - note.midi) < TONE
    ]
    known = [(note, heard, level) for note, heard, level in levels if level is not None]
    picked = [level for note, _, level in known if not note.techniques & JOINED]
    if len(picked) < MIN_PICKED:
        return []
    usual, found = float(np.median(picked)), []
    for note, heard, level in known:
        under = usual - level
        if note.techniques & {"hammer-on", "pull-off"} and under > QUIET_DB:
            # What is soft is heard with little confidence: it is too soft all the same.
            clear = max(heard.confidence, LEAST_CLEAR)
            confidence = min(QUIET_TOLD + A_DB * (under - QUIET_DB), AT_MOST) * clear
            words = f"{under:.1f} dB under the picked notes"
            found.append(complaint_of(note, QUIET, f"{level:.1f} dB", confidence, words))
    return found


def _bleed(played: Sequence[tuple[Asked, PerceivedNote]], evidence: Evidence) -> list[Complaint]:
    """Complain of notes that ring into the next one on another string, a semitone or a tone apart."""
    found = []
    for (note, heard), (after, _) in zip(played, played[1:], strict=False):
        over = heard.offset_s - after.onset_s
        apart = abs(note.midi - after.midi)
        close = BLEEDS[0] < apart < BLEEDS[1]
        if over < RINGS_S or not close or note.string == after.string:
            continue
        if (
            evidence.sounds(note.midi, after.onset_s + TOGETHER_S, after.onset_s + RINGS_S)
            < RINGING
        ):
            continue
        if "let-ring" in note.techniques or after.onset_s - note.onset_s < TOGETHER_S:
            continue
        confidence = min(BLEED_TOLD + over, AT_MOST) * heard.confidence
        interval = "a tone" if apart > 1.5 else "a semitone"
        words = f"it rings {1000 * over:.0f} ms into the next, {interval} apart"
        found.append(complaint_of(note, BLEED, f"{over:.2f} s", confidence, words))
    return found


def _missing(
    left: Sequence[PerceivedNote], asked: Sequence[Asked], evidence: Evidence
) -> list[Complaint]:
    """Complain of notes that sound inside what is written and stand nowhere."""
    if not asked:
        return []
    first, last = asked[0].onset_s - NEAR_S, max(n.offset_s for n in asked) + NEAR_S
    found = []
    for note in left:
        near = [n for n in asked if abs(n.onset_s - note.onset_s) < AROUND_S] or asked
        lowest, highest = min(n.midi for n in near), max(n.midi + n.bends for n in near)
        if not first <= note.onset_s <= last or "dead" in note.techniques:
            continue
        if not lowest - FAR_BELOW <= note.midi <= highest + FAR_OVER:
            continue
        other_register = not lowest - REGISTER <= note.midi <= highest + REGISTER
        doubtful = other_register or _is_shadow(note, asked)
        needed = SURE_SHADOW if doubtful else SURE_MISSING
        begins = evidence.begins(note.midi, note.onset_s)
        if note.confidence < needed or begins < BEGINS_PLAINLY:
            continue
        found.append(
            Complaint(
                MISSING, note.onset_s, None, None, None, "nothing", f"{note.midi:.1f}",
                round(0.8 * note.confidence, 3),
                "a note sounds that is not written", note.midi,
            )
        )  # fmt: skip
    return found


def _is_shadow(note: PerceivedNote, asked: Sequence[Asked]) -> bool:
    """Tell whether a note may be a partial, a difference tone, or a written one that comes again."""
    for other in asked:
        if not other.onset_s - 0.06 <= note.onset_s <= other.offset_s + 0.08:
            continue
        apart = note.midi - other.midi
        if any(abs(apart - step) < TONE for step in SHADOWS):
            return True
        if abs(apart) <= max(other.bends, 1.0) + TONE:
            return True
    struck = [n.midi for n in asked if abs(n.onset_s - note.onset_s) < TOGETHER_S]
    return any(abs(note.midi - tone) <= TONE for tone in difference_tones(struck))

"""From found notes to notes as a player names them: bends, vibrato, slurs, slides, lengths."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis import curves
from juxtanote.core.analysis.confidence import calibrated
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.listener import kind_threshold
from juxtanote.core.analysis.perceived import OtherReading, PerceivedNote
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.analysis.techniques import Reading, read_curve
from juxtanote.core.progress import Progress
from juxtanote.core.theory.observed import Observation, Shows
from juxtanote.core.units import amplitude_to_db

MUFFLED_AROUND_S, MUFFLED_SHARE = 3.0, 0.3
# MIDI: D3, up to where palm mutes are usual, and E4, from where they are next to none (common practice).
PALM_USUAL, PALM_REACHES = 50, 64
WORTH_SAYING = 0.4  # of how well a phase is kept: then a stroke is half as likely as without that
SAME_PITCH, WIDEST_SLUR = 0.5, 14.0  # semitones between which a slur goes
# A dead stroke, which has no pitch, length or level of its own: where it is drawn, and how far believed.
DEAD_MIDI, DEAD_S, DEAD_DB, DEAD_BELIEF = 52.0, 0.05, -24.0, 0.45
LEAST_LENGTH_S, BEFORE_NEXT_S, STRUCK_S = 0.03, 0.01, 0.08  # of a note, of its curve, of its level
IN_COMPANY = 0.2  # so much surer of a bend where several notes sound
FROM_NOWHERE = 0.6  # as sure of a slide that no note comes before
# Seconds: a note is slurred from one that is struck before it, not long ago, and has hardly stopped.
LONG_AGO_S, SAME_STROKE_S, STOPPED_S = 1.5, 0.025, 0.2
TIED_GAP_S = 0.09  # a note that ends earlier than this before the next is not slurred to it
SEEN_TOO, SURELY_SHAKEN = 0.6, 0.45  # a vibrato that its curve shows as well needs less
# The next note ends a curve where it is near enough to be measured in its place; and the least of one.
REACH_SEMITONES, SHORTEST_S = 5, 0.04
SHAKEN = frozenset({Shows.SWINGS, Shows.SHAKES})
MOVING = frozenset({"bend", "pre-bend", "release", "slide", "bar"})
OFF_PITCH_CENTS = 60.0  # beyond half a semitone, and what strings are out of tune
TOGETHER_S = 0.03  # onsets so near are one stroke, however the fingers fall
# A note is short for its own sake where it fills little of a gap that is neither a run nor a rest.
STACCATO_GAP_S, STACCATO_FILLS = (0.12, 0.9), 0.55
RINGS_S, RINGS_OVER = 0.18, 2  # a note that sounds so long into so many others is left to ring
# Strings are left to ring for a passage: where most notes around sound so long into a later one, all are.
RINGS_ON_S, RINGS_AROUND_S, MOST_RING = 0.1, 2.0, 0.5
GRACE_S = 0.11  # a note that is quicker than a thirty-second at 70 beats a minute may be crushed
GRACE_AFTER, GRACE_BEFORE = 3.0, 1.8  # times its gap: the main note's length, and the gap before it
RAKE_S = 0.2  # from a damped stroke to the note that it leads to
NO_STRETCH, WIDE_STEP = 7.0, 4.0  # semitones that one hand does not reach, and seldom reaches
WIDE_IS_TAPPED = 0.15  # less evidence will do for a tap over a wide step


def describe(
    found: list[FoundNote],
    traces: list[NDArray[np.float64] | None],
    mid: NDArray[np.float32],
    spectra: curves.ShortSpectra,
    reference_hz: float,
    progress: Progress,
) -> list[PerceivedNote]:
    """Measure the curve of each note, read its techniques, and name how each follows the one before.

    Parameters
    ----------
    found : list of FoundNote
        By onset; times in frames.
    traces : list of ndarray
        For each the pitch (MIDI) that the listener follows, frame by frame; None where it is not known.
    mid : ndarray of float32, shape (n_samples,)
        At 22 050 Hz.
    spectra : ShortSpectra
        Of `mid`.
    reference_hz : float
        Where A4 is.
    """
    hop_s = HOP_LENGTH / SAMPLE_RATE
    starts = [max(note.start * hop_s, 0.0) for note in found]
    found = _without_muffled(found)
    notes: list[PerceivedNote] = []
    for index, note in enumerate(found):
        if index % 16 == 0:
            progress(index / len(found))
        onset = starts[index]
        offset = max(note.end * hop_s, onset + LEAST_LENGTH_S)
        later = _next_start(found, starts, index)
        if note.dead:
            notes.append(_dead(note, onset, found, index))
            continue
        known = traces[index]
        # A bend that is held under other notes is followed on: what the listener hears keeps it apart.
        held_on = known is not None and note.bending > kind_threshold("bending")
        times, cents, _ = curves.pitch_curve(
            spectra, note.midi, onset, offset if held_on else min(offset, later - BEFORE_NEXT_S),
            reference_hz=reference_hz, trace=None if known is None else (known, hop_s),
        )  # fmt: skip
        slides_on = _slides_on(found, starts, index)
        reading = read_curve(times, cents, float(note.midi), glides_on=slides_on)
        reading = _shaken(_believed(reading, note, crowded=_crowded(found, index)), note)
        notes.append(_perceived(note, onset, offset, mid, times, cents, reading))
    return _tie(notes, found)


def _without_muffled(found: list[FoundNote]) -> list[FoundNote]:
    """Take muting for the guitar's own tone where the hand does not do it.

    A palm lies on low strings, and lifts now and then; where much around sounds muted and most of it lies
    higher, that is the sound of the guitar.
    """
    starts = np.array([note.start * HOP_LENGTH / SAMPLE_RATE for note in found])
    midi = np.array([note.midi for note in found])
    muted = np.array(["muted" in _kinds(note) for note in found], dtype=bool)
    cleared = list(found)
    for index in np.flatnonzero(muted):
        near = np.abs(starts - starts[index]) <= MUFFLED_AROUND_S
        is_tone = muted[near].mean() > MUFFLED_SHARE
        usual = np.median(midi[near & muted]) < PALM_USUAL
        if midi[index] >= PALM_REACHES or (is_tone and not usual):
            cleared[index] = replace(found[index], muted=0.0)
    return cleared


def _next_start(found: list[FoundNote], starts: list[float], index: int) -> float:
    here = found[index]
    for other in range(index + 1, len(found)):
        later = starts[other] > starts[index] + TOGETHER_S
        if later and abs(found[other].midi - here.midi) <= REACH_SEMITONES:
            return max(starts[other], starts[index] + SHORTEST_S)
    return float("inf")


def _slides_on(found: list[FoundNote], starts: list[float], index: int) -> bool:
    """Tell whether the next note is reached by a slide or slur from this one."""
    for other in range(index + 1, min(index + 4, len(found))):
        if starts[other] > starts[index] + TOGETHER_S:
            return found[other].slide > kind_threshold("slide")
    return False


def _crowded(found: list[FoundNote], index: int) -> bool:
    here = found[index]
    return any(
        other is not here and not other.dead and abs(other.start - here.start) < 3.0
        for other in found[max(index - 6, 0) : index + 7]
    )


def _believed(reading: Reading, note: FoundNote, *, crowded: bool) -> Reading:
    """Keep of a measured curve what the listener heard as well.

    The curve alone takes a neighbour's partial or the next note for a bend. Several notes at once
    pull it about: there the listener has to be surer.
    """
    if "harmonic" in _kinds(note):
        return Reading(start_midi=float(note.midi))
    more = IN_COMPANY if crowded else 0.0
    bends = note.bending > kind_threshold("bending") + more
    shakes = note.shaking > SEEN_TOO * kind_threshold("shaking") + more
    tags = set(reading.techniques)
    if not bends:
        tags -= {"bend", "pre-bend", "release"}
    if not shakes:
        tags -= {"vibrato"}
    if tags == reading.techniques:
        return reading
    plain = Reading(start_midi=float(note.midi))
    return replace(
        reading if bends else plain,
        techniques=frozenset(tags),
        vibrato_hz=reading.vibrato_hz if shakes else 0.0,
        vibrato_cents=reading.vibrato_cents if shakes else 0.0,
        evidence=tuple(o for o in reading.evidence if (shakes if o.of in SHAKEN else bends)),
    )


def _shaken(reading: Reading, note: FoundNote) -> Reading:
    """Believe the listener where it is sure of a vibrato that is too short to be measured."""
    if note.shaking < SURELY_SHAKEN or reading.techniques & {"vibrato", "bend", "pre-bend"}:
        return reading
    tags = reading.techniques | {"vibrato"}
    return replace(
        reading, techniques=tags, evidence=(*reading.evidence, _told(Shows.SHAKES, note.shaking))
    )


def _told(kind: Shows, *values: float) -> Observation:
    return Observation(kind, tuple(round(value, 2) for value in values))


def _kinds(note: FoundNote) -> set[str]:
    kinds = set()
    if note.harmonic > kind_threshold("harmonic"):
        kinds.add("harmonic")
    if note.muted > kind_threshold("muted"):
        kinds.add("muted")
    return kinds


def _dead(note: FoundNote, onset: float, found: list[FoundNote], index: int) -> PerceivedNote:
    pitched = [other for other in found if not other.dead]
    nearest = min(pitched, key=lambda other: abs(other.start - note.start), default=None)
    midi = float(nearest.midi) if nearest is not None else DEAD_MIDI
    return PerceivedNote(
        onset_s=onset,
        offset_s=onset + DEAD_S,
        midi=midi,
        level_db=DEAD_DB,
        confidence=DEAD_BELIEF * note.onset_posterior,
        techniques=frozenset({"dead"}),
        evidence=(Observation(Shows.CLICK),),
    )


def _perceived(
    note: FoundNote,
    onset: float,
    offset: float,
    mid: NDArray[np.float32],
    times: NDArray[np.float64],
    cents: NDArray[np.float64],
    reading: Reading,
) -> PerceivedNote:
    first = int(onset * SAMPLE_RATE)
    part = mid[first : first + int(STRUCK_S * SAMPLE_RATE)]
    level = float(amplitude_to_db(np.sqrt(np.mean(part**2)) if len(part) else 0.0))
    tags = set(reading.techniques)
    evidence = list(reading.evidence)
    if "muted" in _kinds(note):
        tags.add("palm-mute")
        evidence.append(_told(Shows.DIES_DARK, note.muted))
    if "harmonic" in _kinds(note):
        tags.add("natural-harmonic")
        evidence.append(_told(Shows.PURE, note.harmonic))
    if note.goes_on > WORTH_SAYING:
        evidence.append(_told(Shows.GOES_ON, note.goes_on))
    midi = reading.start_midi or float(note.midi)
    shift = 100.0 * (note.midi - midi)
    curve = tuple(
        (round(float(t), 4), round(float(c + shift), 1)) for t, c in zip(times, cents, strict=True)
    )
    others = tuple(OtherReading(float(m), round(p, 3)) for m, p in note.rivals)
    return PerceivedNote(
        onset_s=onset,
        offset_s=offset,
        midi=midi,
        level_db=level,
        confidence=calibrated(note),
        techniques=frozenset(tags),
        bend_semitones=round(reading.bend_semitones, 2),
        curve=curve,
        evidence=tuple(evidence),
        others=others,
        legato=round(min(max(note.slurred, 0.0), 1.0), 2),
    )


def own_curves(notes: list[PerceivedNote]) -> list[PerceivedNote]:
    """Take away curves of something else: off the pitch of the note, and nothing bends or slides.

    Of 40 such notes of foreign soundfonts the pitch that was heard was right 34 times, the curve once.

    Parameters
    ----------
    notes : list of PerceivedNote
        By onset; curves in cents from their pitch.
    """
    own = []
    for index, note in enumerate(notes):
        onto = any("slide" in n.techniques for n in notes[index + 1 : index + 4])
        moves = onto or note.techniques & MOVING
        off = float(np.median([cents for _, cents in note.curve])) if note.curve else 0.0
        is_anothers = not moves and abs(off) > OFF_PITCH_CENTS
        own.append(replace(note, curve=()) if is_anothers else note)
    return own


def _tie(notes: list[PerceivedNote], found: list[FoundNote]) -> list[PerceivedNote]:
    """Name slurs, taps, slides, short and ringing notes from what stands before and after."""
    named = list(notes)
    for index, (note, raw) in enumerate(zip(notes, found, strict=True)):
        tags, evidence = set(note.techniques), list(note.evidence)
        before = _note_before(notes, index)
        if before is not None and not raw.dead:
            step = (
                note.midi
                - before.midi
                - (
                    before.bend_semitones
                    if "bend" in before.techniques and "release" not in before.techniques
                    else 0.0
                )
            )
            joined = note.onset_s - before.offset_s < TIED_GAP_S
            if raw.slide > kind_threshold("slide") and raw.slide >= raw.slurred:
                tags.add("slide")
                evidence.append(_told(Shows.GLIDES_IN, raw.slide))
            elif (
                max(raw.slurred, raw.tap) > kind_threshold("slurred")
                and joined
                and SAME_PITCH < abs(step) <= WIDEST_SLUR
            ):
                word = "pull-off" if step < 0 else "tap" if _is_tapped(raw, step) else "hammer-on"
                tags.add(word)
                evidence.append(_told(Shows.WEAK_ATTACK, step))
        elif raw.slide > FROM_NOWHERE and not raw.dead:
            tags.add("slide")
            evidence.append(Observation(Shows.FROM_NOWHERE))
        elif raw.tap > kind_threshold("tap") and not raw.dead:
            tags.add("tap")
            evidence.append(_told(Shows.OTHER_HAND, raw.tap))
        named[index] = replace(note, techniques=frozenset(tags), evidence=tuple(evidence))
    return _lengths(named)


def _is_tapped(note: FoundNote, step: float) -> bool:
    """Tell a tap from a hammer-on: by its sound, and by a step too wide for one hand."""
    if step >= NO_STRETCH:
        return True
    return note.tap > kind_threshold("tap") - (WIDE_IS_TAPPED if step >= WIDE_STEP else 0.0)


def slur_into(notes: Sequence[PerceivedNote], index: int) -> str:
    """Give what a slur into a note would be called; empty where there is nothing that it comes from.

    Parameters
    ----------
    notes : sequence of PerceivedNote
        By onset in seconds; pitches are MIDI.
    index : int
        Which of them.
    """
    note, before = notes[index], _note_before(notes, index)
    if before is None or note.onset_s - before.offset_s >= TIED_GAP_S:
        return ""
    step = note.midi - before.midi
    if not SAME_PITCH < abs(step) <= WIDEST_SLUR:
        return ""
    return "hammer-on" if step > 0 else "pull-off"


def _note_before(notes: Sequence[PerceivedNote], index: int) -> PerceivedNote | None:
    """Find the note that this one may be slurred from: sounding until now, nearest in pitch."""
    note = notes[index]
    near = [
        other
        for other in notes[max(index - 6, 0) : index]
        if note.onset_s - LONG_AGO_S < other.onset_s < note.onset_s - SAME_STROKE_S
        and other.offset_s > note.onset_s - STOPPED_S
        and "dead" not in other.techniques
    ]
    return max(near, key=lambda o: (o.onset_s, -abs(o.midi - note.midi)), default=None)


def _lengths(notes: list[PerceivedNote]) -> list[PerceivedNote]:
    """Mark staccato, let ring, grace notes and rakes from times alone."""
    marked, passage = [], _left_to_ring(notes)
    for index, note in enumerate(notes):
        tags = set(note.techniques)
        later = [n for n in notes[index + 1 : index + 8] if n.onset_s > note.onset_s + TOGETHER_S]
        gap = later[0].onset_s - note.onset_s if later else None
        if gap is not None and "dead" not in tags and "palm-mute" not in tags:
            filled = note.offset_s - note.onset_s
            if STACCATO_GAP_S[0] < gap < STACCATO_GAP_S[1] and filled < STACCATO_FILLS * gap:
                tags.add("staccato")
            over = [n for n in later if note.offset_s - n.onset_s > RINGS_S]
            if len(over) >= RINGS_OVER:
                tags.add("let-ring")
        if passage[index] and not tags & {"dead", "palm-mute"}:
            tags.add("let-ring")
        if (
            gap is not None
            and gap < GRACE_S
            and later
            and _leads_into(note, later[0], notes, index)
        ):
            tags.add("grace")
        if "dead" in tags and any(n.onset_s - note.onset_s < RAKE_S for n in later[:3]):
            tags.add("rake")
        marked.append(replace(note, techniques=frozenset(tags)))
    return marked


def _left_to_ring(notes: list[PerceivedNote]) -> NDArray[np.bool_]:
    """Tell for each note whether it lies in a passage in which most notes ring into later ones."""
    onsets = np.array([note.onset_s for note in notes])
    rings = np.array(
        [
            any(
                n.onset_s > note.onset_s + TOGETHER_S
                and note.offset_s - n.onset_s > RINGS_ON_S
                and abs(n.midi - note.midi) > SAME_PITCH
                for n in notes[index + 1 : index + 9]
            )
            for index, note in enumerate(notes)
        ],
        dtype=bool,
    )
    shares = [rings[np.abs(onsets - at) <= RINGS_AROUND_S].mean() for at in onsets]
    return np.array(shares) > MOST_RING


def _leads_into(
    note: PerceivedNote, after: PerceivedNote, notes: list[PerceivedNote], index: int
) -> bool:
    """Tell a crushed note: slurred into a much longer one, after a much longer gap."""
    if "dead" in note.techniques or not after.techniques & {"hammer-on", "slide", "pull-off"}:
        return False
    gap = after.onset_s - note.onset_s
    long_after = after.offset_s - after.onset_s > GRACE_AFTER * gap
    before = notes[index - 1].onset_s if index else -1.0
    return long_after and note.onset_s - before > GRACE_BEFORE * gap

"""From notes as heard to notes as written: the one place where one is made of the other."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.perceived import Listening, PerceivedNote
from juxtanote.core.analysis.touch import SLURS
from juxtanote.core.fretboard.candidates import NoteToPlace, find_candidates
from juxtanote.core.fretboard.clues import CLEAR
from juxtanote.core.fretboard.costs import goes_its_way
from juxtanote.core.fretboard.fingers import choose_fingers
from juxtanote.core.fretboard.phrases import places_of
from juxtanote.core.fretboard.solver import Placement, place
from juxtanote.core.fretboard.states import group_events
from juxtanote.core.fretboard.strokes import choose_strokes
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score.note import WIDEST_BEND, Evidence, HeardNote, Note, RunnerUp, WrittenNote
from juxtanote.core.theory.observed import Otherwise, Shows
from juxtanote.core.theory.tuning import PRESETS, STANDARD, Guitar

LOWERED = {tuning[0]: tuning for name, tuning in PRESETS.items() if name.startswith("Dropped")}
STOOD_ON = 0.5  # of what lies under a standard tuning
LEAST_NOTE_S = 0.02  # the shortest note, in seconds
# What it costs to leave the string of a slur that was heard, and so much more of one that is sure. Of all
# techniques slurs are told the worst, and where a hand is tells of them, too: obeyed at any cost they put
# up to six in a hundred notes on a wrong string. Chosen on phrases of recorded guitars and of soundfonts.
HEARD_SLUR, SURE_SLUR = 0.6, 1.0


def to_place(note: PerceivedNote) -> NoteToPlace:
    """Give what the placement needs of a heard note."""
    midi = note.midi if "natural-harmonic" in note.techniques else float(round(note.midi))
    return NoteToPlace(
        onset_s=note.onset_s,
        offset_s=note.offset_s,
        midi=midi,
        techniques=note.techniques,
        bend_semitones=note.bend_semitones,
        legato=note.legato,
        slur_price=HEARD_SLUR + SURE_SLUR * note.legato if note.techniques & SLURS else 0.0,
    )


def lowest_heard(midi: Sequence[float]) -> int | None:
    """Give the lowest pitch that counts: one note in a hundred, and one at least, may be heard too low.

    Parameters
    ----------
    midi : sequence of float
        Pitches that were heard, MIDI.
    """
    low = sorted(round(m) for m in midi)
    few = max(len(low) // 100, 1)
    return low[few] if len(low) > few else None


def guess_tuning(midi: list[float]) -> tuple[int, ...]:
    """Guess the tuning from the lowest notes heard: standard unless something lies below it.

    Riffs mostly stand on the lowest open string (common practice): where much of what lies under a
    standard tuning is one pitch, that is taken for it.

    Parameters
    ----------
    midi : list of float
        Pitches that were heard, MIDI.

    Examples
    --------
    >>> guess_tuning([36.0] * 8 + [38.0] * 3 + [60.0] * 30)
    (36, 43, 48, 53, 57, 62)
    """
    lowest = lowest_heard(midi)
    if lowest is None or lowest >= 40:
        return STANDARD
    if lowest >= 39:
        return tuple(m - 1 for m in STANDARD)
    if lowest >= 38:
        return (38, *STANDARD[1:])
    under = [round(m) for m in midi if lowest - 0.5 <= m < STANDARD[0] - 0.5]
    if lowest in LOWERED and under.count(lowest) >= STOOD_ON * len(under):
        return LOWERED[lowest]
    return (35, *STANDARD) if lowest >= 35 else tuple(m - 4 for m in STANDARD)


def _keeps_pitch(note: PerceivedNote, guitar: Guitar) -> bool:
    lowest = min(guitar.open_midi(s) for s in range(1, guitar.string_count + 1))
    highest = guitar.open_midi(1) + guitar.last_fret
    return lowest - 0.5 <= note.midi <= highest + 0.5 or "natural-harmonic" in note.techniques


def _on_this_guitar(note: PerceivedNote, guitar: Guitar) -> PerceivedNote:
    """Take the name of a harmonic from a note that no node of these strings can sound."""
    if "natural-harmonic" not in note.techniques or find_candidates(guitar, to_place(note)):
        return note
    kept = tuple(seen for seen in note.evidence if seen.of is not Shows.PURE)
    return replace(note, techniques=note.techniques - {"natural-harmonic"}, evidence=kept)


def to_notes(
    heard: list[PerceivedNote],
    placement: Placement,
    places: list[NoteToPlace],
    guitar: Guitar,
    school: str,
) -> list[Note]:
    """Join what was heard with where it is placed.

    Parameters
    ----------
    heard : list of PerceivedNote
        By onset in seconds.
    placement : Placement
        A string and a fret for each.
    places : list of NoteToPlace
        What was placed, in the same order, with the techniques that are written.
    guitar : Guitar
        Its tuning, capo and frets.
    school : str
        Way of picking, one of `score.lesson.SCHOOLS`.
    """
    fingers = choose_fingers(places, placement, guitar)
    strokes = choose_strokes(places, placement.strings, school)
    notes = []
    for index, note in enumerate(heard):
        seen = HeardNote(
            onset_s=max(note.onset_s, 0.0),
            offset_s=max(note.offset_s, note.onset_s + LEAST_NOTE_S),
            midi=_within(note.midi, 0.0, 127.0),
            level_db=_within(note.level_db, -120.0, 20.0),
            confidence=_within(note.confidence, 0.0, 1.0),
            curve=note.curve,
            evidence=note.evidence,
            runner_ups=_runner_ups(note, places[index].techniques),
            stiffness=note.stiffness,
            strength=note.strength,
            legato=note.legato,
        )
        written = WrittenNote(
            string=placement.strings[index],
            fret=placement.frets[index],
            techniques=places[index].techniques,
            bend_semitones=_within(note.bend_semitones, 0.0, WIDEST_BEND),
            finger=fingers[index],
            stroke=strokes[index],
        )
        notes.append(Note(index + 1, seen, written))
    return notes


def _runner_ups(note: PerceivedNote, written: frozenset[str]) -> tuple[RunnerUp, ...]:
    """Give other readings; of a slur that is not written, because the hand says otherwise, it is one."""
    is_torn = bool(note.techniques & SLURS) and not written & SLURS
    found = []
    for other in note.others:
        differs, confidence = other.differs, _within(other.confidence, 0.0, 1.0)
        if is_torn and differs is Otherwise.PICKED:
            differs, confidence = Otherwise.SLURRED, round(1.0 - confidence, 3)
        midi, at_s = _within(other.midi, 0.0, 127.0), max(other.at_s, 0.0)
        found.append(RunnerUp(midi=midi, confidence=confidence, differs=differs, at_s=at_s))
    return tuple(found)


def _within(value: float, low: float, high: float) -> float:
    return min(max(float(value), low), high)


def place_heard(
    heard: list[PerceivedNote],
    guitar: Guitar,
    school: str,
    *,
    string: int | None = None,
    progress: Progress = no_progress,
) -> list[Note]:
    """Place heard notes on the neck; what no string can sound is left out.

    With a `string` that the person named all notes are locked there.

    Parameters
    ----------
    heard : list of PerceivedNote
        By onset in seconds.
    guitar : Guitar
        Its tuning, capo and frets.
    school : str
        Way of picking, one of `score.lesson.SCHOOLS`.
    string : int, optional
        The only one, 1 the thinnest; any where None.
    progress : Progress, optional
        Told the share that is done, 0 to 1.
    """
    heard = [_on_this_guitar(note, guitar) for note in heard]
    kept = [note for note in heard if _keeps_pitch(note, guitar)]
    places = [replace(to_place(note), string=string) for note in kept]
    placed = place(guitar, places, school=school, progress=progress)
    if string is None and any(note.strength > CLEAR for note in kept):
        told = places_of(to_notes(kept, placed, places, guitar, school), guitar)
        places = [replace(t, slur_price=p.slur_price) for t, p in zip(told, places, strict=True)]
        placed = place(guitar, places, school=school)
    for index in torn_slurs(places, placed):
        places[index] = replace(places[index], techniques=places[index].techniques - SLURS)
    notes = to_notes(kept, placed, places, guitar, school)
    return notes if string is None else [note.rewritten("place") for note in notes]


def torn_slurs(places: list[NoteToPlace], placement: Placement) -> list[int]:
    """Give which slurs leave the string of the note before, or go the wrong way on it.

    Of the first notes this is not known: they may be slurred from what comes before the phrase.

    Parameters
    ----------
    places : list of NoteToPlace
        By onset.
    placement : Placement
        A string and a fret for each.
    """
    torn: list[int] = []
    events = group_events(places)
    for before, event in zip(events, events[1:], strict=False):
        for index in event.notes:
            tags, string = places[index].techniques, placement.strings[index]
            on_it = [placement.frets[m] for m in before.notes if placement.strings[m] == string]
            led = goes_its_way(tags, np.array(on_it, dtype=np.int64), placement.frets[index])
            if tags & SLURS and not led.any():
                torn.append(index)
    return torn


def evidence_of(heard: Listening) -> Evidence:
    """Keep the frame curves of a listening, thinned to what can be drawn.

    Parameters
    ----------
    heard : Listening
        Its curves have a value every `hop_s` seconds.
    """
    step = max(len(heard.onset_curve) // 3000, 1)

    def thin(curve: NDArray[np.float64]) -> tuple[float, ...]:
        return tuple(round(float(v), 3) for v in curve[::step])

    return Evidence(
        heard.start_s, heard.hop_s * step, thin(heard.onset_curve), thin(heard.level_curve),
        thin(heard.voices_curve),
    )  # fmt: skip

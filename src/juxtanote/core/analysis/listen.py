"""Listening to a stretch of sound: evidence, notes, techniques, and how sure each of them is."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis import curves, listener, one_voice
from juxtanote.core.analysis.channels import LOWEST_MIDI, Cell
from juxtanote.core.analysis.decode import decode, trace
from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.glides import join_glides
from juxtanote.core.analysis.instruments import doubt_others, guitar_log_odds
from juxtanote.core.analysis.low_octaves import mend_low_octaves
from juxtanote.core.analysis.middle import centred
from juxtanote.core.analysis.naming import TIED_GAP_S, describe, own_curves
from juxtanote.core.analysis.partials import measure_stiffness
from juxtanote.core.analysis.perceived import Hints, Listening, OtherReading, PerceivedNote
from juxtanote.core.analysis.restruck import doubt_restrikes
from juxtanote.core.analysis.spectra import HOP_LENGTH, SAMPLE_RATE
from juxtanote.core.analysis.speech import speech_probability
from juxtanote.core.analysis.talk import without_talk
from juxtanote.core.analysis.touch import renamed
from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.theory.observed import Otherwise, Shows
from juxtanote.core.units import amplitude_to_db, cents_to_reference_hz, midi_to_hz

CONFUSED = (-2, -1, 1, 2)  # semitones
UNSURE = 0.2  # from here on another reading is offered
TOGETHER_S = 0.03  # onsets so near are one moment: their partials cannot be told apart
NO_STIFFNESS = frozenset(
    {"vibrato", "bend", "pre-bend", "slide", "palm-mute", "natural-harmonic", "dead"}
)


def listen(
    mid: NDArray[np.float32],
    side: NDArray[np.float32],
    *,
    start_s: float = 0.0,
    reference_cents: float = 0.0,
    hints: Hints | None = None,
    progress: Progress = no_progress,
    learned: bool = True,
    keep_talk: bool = False,
    is_guitar: bool = False,
    evidence: Callable[[int, Progress], listener.Posteriors] | None = None,
    unfocused: NDArray[np.float32] | None = None,
) -> Listening:
    """Hear the notes of a stretch.

    What sounds like talk while somebody speaks is left out, and where something else than a guitar plays
    by itself notes are doubted, unless a person said how many notes there are, or which.

    Parameters
    ----------
    mid, side : ndarray of float32, shape (n_samples,)
        The stretch at 22 050 Hz; times in the result are counted from `start_s`.
    learned : bool
        False uses the signal-processing road for one voice, as do missing weights.
    keep_talk : bool
        True leaves in what sounds like talk, and doubts no other instrument.
    is_guitar : bool
        True doubts no other instrument: somebody says that this is a guitar.
    evidence : callable, optional
        Gives so many frames of the listener's evidence, where somebody else makes it.
    unfocused : ndarray of float32, shape (n_samples,), optional
        The middle as it was before the guitar was brought forward, at the same rate: a band of a guitar
        does not sound like one.
    """
    hints = hints or Hints()
    mid = centred(mid)
    if len(mid) < SAMPLE_RATE // 20 or float(np.max(np.abs(mid))) < 1e-4:
        none = np.zeros(1)
        return Listening((), start_s, HOP_LENGTH / SAMPLE_RATE, none, none - 120.0, none)
    reference_hz = cents_to_reference_hz(reference_cents)
    heard: listener.Posteriors | None = None
    if learned and listener.weights_are_here():
        hearing = part_of(progress, 0.0, 0.6)
        if evidence is not None:
            heard = evidence(1 + len(mid) // HOP_LENGTH, hearing)
        else:
            heard = listener.listen(mid, side, reference_cents=reference_cents, progress=hearing)
        if hints.certain:
            heard = _made_certain(heard, hints.certain, start_s)
        doubt = partial(doubt_restrikes, mid=mid, reference_hz=reference_hz)
        found = decode(heard, hints.decoder(), list if hints.certain else doubt)
        if not hints.certain:
            found = mend_low_octaves(found, mid, reference_hz, hints.lowest)
        found = join_glides(found)
        onset_curve = heard.cells[Cell.ONSET].max(axis=0).astype(np.float64)
        voices = heard.cells[Cell.ACTIVE].sum(axis=0).astype(np.float64)
        onset_rows: NDArray[np.float32] | None = heard.cells[Cell.ONSET]
    else:
        found, onset_curve = one_voice.find_notes(mid, reference_hz=reference_hz)
        voices = (onset_curve >= 0).astype(np.float64)
        onset_rows = None
    spectra = curves.measure_spectra(mid, SAMPLE_RATE)
    traces = [None if note.dead or heard is None else trace(heard, note) for note in found]
    notes = describe(found, traces, mid, spectra, reference_hz, part_of(progress, 0.6, 0.95))
    level = _level_curve(mid, len(onset_curve))
    if not (keep_talk or hints.certain or hints.expected_notes):
        whole = mid if unfocused is None else centred(unfocused)
        notes = without_talk(notes, speech_probability(mid, SAMPLE_RATE))
        if notes and not is_guitar:
            odds = guitar_log_odds(whole, SAMPLE_RATE, part_of(progress, 0.95, 1.0))
            notes = doubt_others(notes, odds)
    notes = own_curves(notes)  # not before: talk is told by curves that keep to no pitch
    hop_s = HOP_LENGTH / SAMPLE_RATE
    length_s = len(mid) / SAMPLE_RATE
    listening = Listening(tuple(notes), 0.0, hop_s, onset_curve, level, voices, heard)
    notes = renamed(notes, Evidence(0.0, length_s, listening))
    notes = _with_strings(notes, mid, reference_hz)
    notes = [_with_other_kinds(notes, k, onset_rows) for k in range(len(notes))]
    moved = tuple(_shifted(note, start_s) for note in notes)
    return replace(listening, notes=moved, start_s=start_s)


def _made_certain(
    heard: listener.Posteriors, certain: tuple[tuple[float, float, float], ...], start_s: float
) -> listener.Posteriors:
    """Put notes that a person is sure of into the evidence, so that they steer their neighbours."""
    cells = heard.cells.copy()
    hop_s = HOP_LENGTH / SAMPLE_RATE
    for onset, offset, midi in certain:
        row = round(midi) - LOWEST_MIDI
        first, last = round((onset - start_s) / hop_s), round((offset - start_s) / hop_s)
        if not 0 <= row < cells.shape[1] or not 0 <= first < cells.shape[2]:
            continue
        near = slice(max(first - 3, 0), first + 4)
        for step in CONFUSED:  # what it may be taken for, not what is struck with it
            if 0 <= row + step < cells.shape[1]:
                cells[Cell.ONSET, row + step, near] *= 0.3
        cells[Cell.ONSET, row, first] = 0.99
        cells[Cell.ACTIVE, row, first : max(last, first + 2)] = 0.97
    return replace(heard, cells=cells)


def _with_other_kinds(
    notes: list[PerceivedNote], index: int, onset_rows: NDArray[np.float32] | None
) -> PerceivedNote:
    """Offer what else a note could be at its pitch: slurred or picked, two notes, or one with another.

    `onset_rows` are the probabilities of onsets, (N_PITCHES, n_frames).
    """
    note, hop_s = notes[index], HOP_LENGTH / SAMPLE_RATE
    if "dead" in note.techniques:
        return note
    others = list(note.others)
    slurred = bool(note.techniques & {"hammer-on", "pull-off"})
    if index and UNSURE < note.legato < 1.0 - UNSURE and not note.techniques & {"slide", "tap"}:
        share = 1.0 - note.legato if slurred else note.legato
        # What was named by the company of others is no less likely than what was not.
        share = min(share, 0.5)
        differs = Otherwise.PICKED if slurred else Otherwise.SLURRED
        others.append(OtherReading(note.midi, round(share, 3), differs))
    row = round(note.midi) - LOWEST_MIDI
    if onset_rows is not None and 0 <= row < onset_rows.shape[0]:
        first, last = int(note.onset_s / hop_s) + 8, int(note.offset_s / hop_s) - 8
        inside = onset_rows[row, first : max(last, first)]
        if len(inside) and float(inside.max()) > UNSURE:
            at = (first + int(np.argmax(inside))) * hop_s - note.onset_s
            if at > 0.06:
                share = round(float(inside.max()), 3)
                others.append(OtherReading(note.midi, share, Otherwise.TWO_NOTES, round(at, 3)))
        near = onset_rows[row, max(first - 11, 0) : first - 4]
        weak = len(near) and float(near.max()) < 0.5
        again = index and abs(notes[index - 1].midi - note.midi) < 0.6
        if weak and again and note.onset_s - notes[index - 1].offset_s < TIED_GAP_S:
            share = round(1.0 - float(near.max()), 3)
            others.append(OtherReading(note.midi, share, Otherwise.ONE_NOTE))
        elif any(seen.of is Shows.GOES_ON for seen in note.evidence):
            share = round(min(1.0 - note.confidence, 0.5), 3)
            others.append(OtherReading(note.midi, share, Otherwise.ONE_NOTE))
    others.sort(key=lambda other: -other.confidence)
    return replace(note, others=tuple(others))


def _with_strings(
    notes: list[PerceivedNote], mid: NDArray[np.float32], reference_hz: float
) -> list[PerceivedNote]:
    """Measure what the sound of each steady note tells of its string, where it sounds alone."""
    measured = []
    for index, note in enumerate(notes):
        beside = notes[max(index - 4, 0) : index] + notes[index + 1 : index + 5]
        alone = all(abs(n.onset_s - note.onset_s) >= TOGETHER_S for n in beside)
        if alone and not note.techniques & NO_STIFFNESS:
            until = min([note.offset_s, *(n.onset_s for n in notes[index + 1 : index + 4])])
            hertz = float(midi_to_hz(note.midi, reference_hz))
            found = measure_stiffness(mid, SAMPLE_RATE, note.onset_s, until, hertz)
            if found and found.b > 0.0:
                note = replace(note, stiffness=found.b, strength=round(found.strength, 3))
        measured.append(note)
    return measured


def _shifted(note: PerceivedNote, by_s: float) -> PerceivedNote:
    return replace(note, onset_s=note.onset_s + by_s, offset_s=note.offset_s + by_s)


def _level_curve(mid: NDArray[np.float32], n_frames: int) -> NDArray[np.float64]:
    padded = np.pad(mid.astype(np.float64) ** 2, (512, 1024))
    total = np.cumsum(np.concatenate([[0.0], padded]))
    centre = np.arange(n_frames) * HOP_LENGTH
    power = (total[np.minimum(centre + 1024, len(total) - 1)] - total[centre]) / 1024
    return amplitude_to_db(np.sqrt(np.maximum(power, 0.0)))

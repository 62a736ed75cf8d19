"""Listening to a stretch of sound: evidence, notes, techniques, and how sure each of them is."""

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis import curves, listener, one_voice
from juxtanote.core.analysis.channels import Cell
from juxtanote.core.analysis.confidence import calibrated
from juxtanote.core.analysis.decode import DecoderSettings, decode, trace
from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.glides import join_glides
from juxtanote.core.analysis.listener import kind_threshold
from juxtanote.core.analysis.partials import measure_stiffness
from juxtanote.core.analysis.spectra import HOP_LENGTH, LOWEST_MIDI, SAMPLE_RATE
from juxtanote.core.analysis.techniques import Reading, read_curve
from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.theory.tuning import Guitar
from juxtanote.core.units import amplitude_to_db, cents_to_reference_hz, midi_to_hz

TIED_GAP_S = 0.09
CONFUSED = (-2, -1, 1, 2)  # semitones
SEEN_TOO, SURELY_SHAKEN = 0.6, 0.45  # a vibrato that its curve shows as well needs less
UNSURE = 0.2  # from here on another reading is offered
TOGETHER_S = 0.03
NO_STIFFNESS = frozenset(
    {"vibrato", "bend", "pre-bend", "slide", "palm-mute", "natural-harmonic", "dead"}
)


@dataclass(frozen=True, slots=True)
class OtherReading:
    """What else it could have been."""

    midi: float
    confidence: float
    why: str
    at_s: float = 0.0  # where a note would be split, from its onset


@dataclass(frozen=True, slots=True)
class PerceivedNote:
    """One note as heard: `midi` at the recording's own reference pitch, before bend or vibrato.

    `curve` holds (seconds from the onset, cents above `midi`).
    """

    onset_s: float
    offset_s: float
    midi: float
    level_db: float
    confidence: float
    techniques: frozenset[str] = frozenset()
    bend_semitones: float = 0.0
    curve: tuple[tuple[float, float], ...] = ()
    evidence: tuple[str, ...] = ()
    others: tuple[OtherReading, ...] = ()
    stiffness: float = 0.0  # B of its partials; 0: not measured
    clarity: float = 0.0  # how plainly that shows
    tied: float = 0.0  # how much it sounds slurred


@dataclass(frozen=True, slots=True)
class Listening:
    """Everything one listening gave; the frame curves lie `hop_s` apart from `start_s`.

    `posteriors` is the listener's own evidence, None on the road without weights.
    """

    notes: tuple[PerceivedNote, ...]
    start_s: float
    hop_s: float
    onset_curve: NDArray[np.float64]
    level_curve: NDArray[np.float64]
    voices_curve: NDArray[np.float64]
    posteriors: listener.Posteriors | None = None


def settled() -> DecoderSettings:
    """Give the decoder's settings that were settled for the weights at hand."""
    known = listener.recipe().get("decoder", {})
    fields = known if isinstance(known, dict) else {}
    weights = {name: float(value) for name, value in fields.items()}
    return replace(DecoderSettings(), **weights)  # type: ignore[arg-type]


@dataclass(frozen=True, slots=True)
class Hints:
    """What the person knows before listening."""

    expected_notes: int | None = None
    scale: frozenset[int] | None = None
    one_voice: bool = False
    certain: tuple[tuple[float, float, float], ...] = ()  # (onset, offset, midi) that are known
    lowest: int = 0
    highest: int = 127
    settings: DecoderSettings = field(default_factory=settled)

    def decoder(self) -> DecoderSettings:
        """Give the decoder's settings with the hints in them."""
        return replace(
            self.settings,
            expected_notes=self.expected_notes,
            scale=self.scale,
            most_voices=1 if self.one_voice else self.settings.most_voices,
            lowest=self.lowest,
            highest=self.highest,
        )

    def on_guitar(self, guitar: Guitar) -> "Hints":
        """Add what the guitar can sound, harmonics up to two octaves over its thinnest string.

        Parameters
        ----------
        guitar : Guitar
            With its capo.

        Examples
        --------
        >>> Hints().on_guitar(Guitar()).lowest, Hints().on_guitar(Guitar()).highest
        (40, 88)
        """
        opens = [guitar.open_midi(s) for s in range(1, guitar.string_count + 1)]
        return replace(self, lowest=min(opens), highest=max(opens) + max(guitar.last_fret, 24))

    def on_string(self, guitar: Guitar, string: int) -> "Hints":
        """Add that all is played on one string, one note at a time.

        Parameters
        ----------
        guitar : Guitar
            With its capo.
        string : int
            1 is the thinnest.

        Examples
        --------
        >>> hints = Hints().on_string(Guitar(), 6)
        >>> hints.one_voice, hints.lowest
        (True, 40)
        """
        lowest = guitar.open_midi(string)
        return replace(self, one_voice=True, lowest=lowest, highest=lowest + guitar.last_fret)


def listen(
    mid: NDArray[np.float32],
    side: NDArray[np.float32],
    *,
    start_s: float = 0.0,
    reference_cents: float = 0.0,
    hints: Hints | None = None,
    progress: Progress = no_progress,
    learned: bool = True,
) -> Listening:
    """Hear the notes of a stretch.

    Parameters
    ----------
    mid, side : ndarray of float32, shape (n_samples,)
        The stretch at 22 050 Hz; times in the result are counted from `start_s`.
    learned : bool
        False uses the signal-processing road for one voice, as do missing weights.
    """
    hints = hints or Hints()
    mid = np.nan_to_num(mid - np.float32(np.mean(mid) if len(mid) else 0.0))
    if len(mid) < SAMPLE_RATE // 20 or float(np.max(np.abs(mid))) < 1e-4:
        none = np.zeros(1)
        return Listening((), start_s, HOP_LENGTH / SAMPLE_RATE, none, none - 120.0, none)
    reference_hz = cents_to_reference_hz(reference_cents)
    heard: listener.Posteriors | None = None
    if learned and listener.weights_are_here():
        heard = listener.listen(
            mid, side, reference_cents=reference_cents, progress=part_of(progress, 0.0, 0.6)
        )
        if hints.certain:
            heard = _made_certain(heard, hints.certain, start_s)
        found = join_glides(decode(heard, hints.decoder()))
        onset_curve = heard.cells[Cell.ONSET].max(axis=0).astype(np.float64)
        voices = heard.cells[Cell.ACTIVE].sum(axis=0).astype(np.float64)
        onset_rows: NDArray[np.float32] | None = heard.cells[Cell.ONSET]
    else:
        found, onset_curve = one_voice.find_notes(mid, reference_hz=reference_hz)
        voices = (onset_curve >= 0).astype(np.float64)
        onset_rows = None
    spectra = curves.measure_spectra(mid, SAMPLE_RATE)
    traces = [None if note.dead or heard is None else trace(heard, note) for note in found]
    notes = _describe(found, traces, mid, spectra, reference_hz, part_of(progress, 0.6, 1.0))
    level = _level_curve(mid, len(onset_curve))
    notes = _with_strings(notes, mid, reference_hz)
    notes = [_with_other_kinds(notes, k, onset_rows) for k in range(len(notes))]
    moved = tuple(_shifted(note, start_s) for note in notes)
    hop_s = HOP_LENGTH / SAMPLE_RATE
    return Listening(moved, start_s, hop_s, onset_curve, level, voices, heard)


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
    if index and UNSURE < note.tied < 1.0 - UNSURE and not note.techniques & {"slide", "tap"}:
        share = 1.0 - note.tied if slurred else note.tied
        others.append(OtherReading(note.midi, round(share, 3), "picked" if slurred else "slurred"))
    row = round(note.midi) - LOWEST_MIDI
    if onset_rows is not None and 0 <= row < onset_rows.shape[0]:
        first, last = int(note.onset_s / hop_s) + 8, int(note.offset_s / hop_s) - 8
        inside = onset_rows[row, first : max(last, first)]
        if len(inside) and float(inside.max()) > UNSURE:
            at = (first + int(np.argmax(inside))) * hop_s - note.onset_s
            if at > 0.06:
                share = round(float(inside.max()), 3)
                others.append(OtherReading(note.midi, share, "two notes", round(at, 3)))
        near = onset_rows[row, max(first - 11, 0) : first - 4]
        weak = len(near) and float(near.max()) < 0.5
        again = index and abs(notes[index - 1].midi - note.midi) < 0.6
        if weak and again and note.onset_s - notes[index - 1].offset_s < TIED_GAP_S:
            share = round(1.0 - float(near.max()), 3)
            others.append(OtherReading(note.midi, share, "one with the note before"))
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
                note = replace(note, stiffness=found.b, clarity=round(found.clarity, 3))
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


def _describe(
    found: list[FoundNote],
    traces: list[NDArray[np.float64] | None],
    mid: NDArray[np.float32],
    spectra: curves.ShortSpectra,
    reference_hz: float,
    progress: Progress,
) -> list[PerceivedNote]:
    """Measure the curve of each note and read its techniques."""
    hop_s = HOP_LENGTH / SAMPLE_RATE
    starts = [max(note.start * hop_s, 0.0) for note in found]
    notes: list[PerceivedNote] = []
    for index, note in enumerate(found):
        if index % 16 == 0:
            progress(index / len(found))
        onset = starts[index]
        offset = max(note.end * hop_s, onset + 0.03)
        later = _next_start(found, starts, index)
        if note.dead:
            notes.append(_dead(note, onset, found, index))
            continue
        known = traces[index]
        # A bend that is held under other notes is followed on: what the listener hears keeps it apart.
        held_on = known is not None and note.bending > kind_threshold("bending")
        times, cents, _ = curves.pitch_curve(
            spectra, note.midi, onset, offset if held_on else min(offset, later - 0.01),
            reference_hz=reference_hz, trace=None if known is None else (known, hop_s),
        )  # fmt: skip
        slides_on = _slides_on(found, starts, index)
        reading = read_curve(times, cents, float(note.midi), glides_on=slides_on)
        reading = _shaken(_believed(reading, note, crowded=_crowded(found, index)), note)
        notes.append(_perceived(note, onset, offset, mid, times, cents, reading))
    return _tie(notes, found)


def _next_start(found: list[FoundNote], starts: list[float], index: int) -> float:
    here = found[index]
    for other in range(index + 1, len(found)):
        if starts[other] > starts[index] + 0.03 and abs(found[other].midi - here.midi) <= 5:
            return max(starts[other], starts[index] + 0.04)
    return float("inf")


def _slides_on(found: list[FoundNote], starts: list[float], index: int) -> bool:
    """Tell whether the next note is reached by a slide or slur from this one."""
    for other in range(index + 1, min(index + 4, len(found))):
        if starts[other] > starts[index] + 0.03:
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
    more = 0.2 if crowded else 0.0
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
        evidence=tuple(line for line in reading.evidence if (shakes if " Hz" in line else bends)),
    )


def _shaken(reading: Reading, note: FoundNote) -> Reading:
    """Believe the listener where it is sure of a vibrato that is too short to be measured."""
    if note.shaking < SURELY_SHAKEN or reading.techniques & {"vibrato", "bend", "pre-bend"}:
        return reading
    told = f"the pitch shakes (sure {note.shaking:.2f})"
    tags = reading.techniques | {"vibrato"}
    return replace(reading, techniques=tags, evidence=(*reading.evidence, told))


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
    midi = float(nearest.midi) if nearest is not None else 52.0
    return PerceivedNote(
        onset, onset + 0.05, midi, -24.0, 0.45 * note.onset_posterior, frozenset({"dead"}),
        evidence=("a click with no pitch",),
    )  # fmt: skip


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
    part = mid[first : first + int(0.08 * SAMPLE_RATE)]
    level = float(amplitude_to_db(np.sqrt(np.mean(part**2)) if len(part) else 0.0))
    tags = set(reading.techniques)
    evidence = list(reading.evidence)
    if "muted" in _kinds(note):
        tags.add("palm-mute")
        evidence.append(f"dies away fast and dark (sure {note.muted:.2f})")
    if "harmonic" in _kinds(note):
        tags.add("natural-harmonic")
        evidence.append(f"a nearly pure partial (sure {note.harmonic:.2f})")
    midi = reading.start_midi or float(note.midi)
    shift = 100.0 * (note.midi - midi)
    curve = tuple(
        (round(float(t), 4), round(float(c + shift), 1)) for t, c in zip(times, cents, strict=True)
    )
    others = tuple(OtherReading(float(m), round(p, 3), _why(m - note.midi)) for m, p in note.rivals)
    return PerceivedNote(
        onset, offset, midi, level, calibrated(note), frozenset(tags),
        round(reading.bend_semitones, 2), curve, tuple(evidence), others,
        tied=round(min(max(note.slurred, 0.0), 1.0), 2),
    )  # fmt: skip


def _why(semitones: int) -> str:
    words = {12: "an octave up", -12: "an octave down", 1: "a semitone up", -1: "a semitone down"}
    return words.get(semitones, f"{semitones:+d} semitones")


def _tie(notes: list[PerceivedNote], found: list[FoundNote]) -> list[PerceivedNote]:
    """Name slurs, taps, slides, short and ringing notes from what stands before and after."""
    tied = list(notes)
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
                evidence.append(f"a glide into the pitch (sure {raw.slide:.2f})")
            elif (
                max(raw.slurred, raw.tap) > kind_threshold("slurred")
                and joined
                and 0.5 < abs(step) <= 14
            ):
                word = "pull-off" if step < 0 else "tap" if _is_tapped(raw, step) else "hammer-on"
                tags.add(word)
                evidence.append(f"{step:+.0f} semitones with a weak attack")
        elif raw.slide > 0.6 and not raw.dead:
            tags.add("slide")
            evidence.append("a glide from nowhere")
        elif raw.tap > kind_threshold("tap") and not raw.dead:
            tags.add("tap")
            evidence.append(f"struck by the other hand (sure {raw.tap:.2f})")
        tied[index] = replace(note, techniques=frozenset(tags), evidence=tuple(evidence))
    return _lengths(tied)


def _is_tapped(note: FoundNote, step: float) -> bool:
    """Tell a tap from a hammer-on: by its sound, and by a step too wide for one hand."""
    if step >= 7.0:
        return True
    return note.tap > kind_threshold("tap") - (0.15 if step >= 4.0 else 0.0)


def _note_before(notes: list[PerceivedNote], index: int) -> PerceivedNote | None:
    """Find the note that this one may be slurred from: sounding until now, nearest in pitch."""
    note = notes[index]
    near = [
        other
        for other in notes[max(index - 6, 0) : index]
        if note.onset_s - 1.5 < other.onset_s < note.onset_s - 0.025
        and other.offset_s > note.onset_s - 0.2
        and "dead" not in other.techniques
    ]
    return max(near, key=lambda o: (o.onset_s, -abs(o.midi - note.midi)), default=None)


def _lengths(notes: list[PerceivedNote]) -> list[PerceivedNote]:
    """Mark staccato, let ring, grace notes and rakes from times alone."""
    marked = []
    for index, note in enumerate(notes):
        tags = set(note.techniques)
        later = [n for n in notes[index + 1 : index + 8] if n.onset_s > note.onset_s + 0.03]
        gap = later[0].onset_s - note.onset_s if later else None
        if gap is not None and "dead" not in tags and "palm-mute" not in tags:
            if 0.12 < gap < 0.9 and note.offset_s - note.onset_s < 0.55 * gap:
                tags.add("staccato")
            over = [n for n in later if note.offset_s - n.onset_s > 0.18]
            if len(over) >= 2:
                tags.add("let-ring")
        if gap is not None and gap < 0.11 and later and _leads_into(note, later[0], notes, index):
            tags.add("grace")
        if "dead" in tags and any(n.onset_s - note.onset_s < 0.2 for n in later[:3]):
            tags.add("rake")
        marked.append(replace(note, techniques=frozenset(tags)))
    return marked


def _leads_into(
    note: PerceivedNote, after: PerceivedNote, notes: list[PerceivedNote], index: int
) -> bool:
    """Tell a crushed note: slurred into a much longer one, after a much longer gap."""
    if "dead" in note.techniques or not after.techniques & {"hammer-on", "slide", "pull-off"}:
        return False
    long_after = after.offset_s - after.onset_s > 3.0 * (after.onset_s - note.onset_s)
    before = notes[index - 1].onset_s if index else -1.0
    return long_after and note.onset_s - before > 1.8 * (after.onset_s - note.onset_s)

"""Lines and what can be done to them: frozen tones in, frozen tones out; times in beats."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from juxtanote.core.theory.degrees import move_in_scale, steps_between

LONGEST_CELL = 4  # notes of a cell that is sequenced
EIGHTH = Fraction(1, 2)


@dataclass(frozen=True, slots=True)
class Tone:
    """A note of a line: pitch as MIDI, onset and length in beats, and what the hand does.

    `place` is (string, fret) where the shape stays, None where it is to be found.
    """

    midi: int
    onset: Fraction
    length: Fraction
    techniques: frozenset[str] = frozenset()
    bend_semitones: float = 0.0
    place: tuple[int, int] | None = None

    @property
    def end(self) -> Fraction:
        """When it stops."""
        return self.onset + self.length


def plain(tone: Tone) -> Tone:
    """Give a tone without what depends on the note before it, its place to be found."""
    kept = tone.techniques & {"vibrato", "staccato", "palm-mute"}
    return replace(tone, techniques=kept, bend_semitones=0.0, place=None)


def backwards(line: Sequence[Tone]) -> list[Tone]:
    """Play a line from its end: each note keeps its length."""
    start, end = min(t.onset for t in line), max(t.end for t in line)
    turned = [replace(plain(t), onset=start + end - t.end) for t in line]
    return sorted(turned, key=lambda t: (t.onset, t.midi))


def from_beat(line: Sequence[Tone], beats: int) -> list[Tone]:
    """Begin so many beats into a line; what was before comes after its end."""
    start = min(t.onset for t in line)
    first = Fraction(start // 1) + beats
    span = Fraction(-(-(max(t.end for t in line) - start // 1) // 1))
    moved = [
        replace(t, onset=t.onset - beats + (span if t.onset < first else Fraction(0))) for t in line
    ]
    ordered = sorted(moved, key=lambda t: (t.onset, t.midi))
    slurs = {"hammer-on", "pull-off", "slide", "tap"}
    return [replace(ordered[0], techniques=ordered[0].techniques - slurs), *ordered[1:]]


def displaced(line: Sequence[Tone], by: Fraction = EIGHTH) -> list[Tone]:
    """Begin a line later (or earlier) against the beat.

    Parameters
    ----------
    line : sequence of Tone
        Tones by onset in beats; pitches are MIDI.
    by : Fraction, optional
        Beats, below zero for earlier.
    """
    return [replace(t, onset=t.onset + by) for t in line]


def stretched(line: Sequence[Tone], factor: Fraction) -> list[Tone]:
    """Write a line in longer or shorter values, from where it begins.

    Parameters
    ----------
    line : sequence of Tone
    factor : Fraction
        2 makes quarters of eighths.
    """
    start = min(t.onset for t in line)
    return [
        replace(t, onset=start + factor * (t.onset - start), length=factor * t.length) for t in line
    ]


def cell_of(line: Sequence[Tone]) -> list[Tone]:
    """Give the cell that a line begins with: its first beat, or its first notes where that holds few."""
    start = min(t.onset for t in line)
    first = [t for t in line if t.onset < start // 1 + 1]
    return first if 3 <= len(first) <= LONGEST_CELL else list(line[:LONGEST_CELL])


def sequence(line: Sequence[Tone], times: int, classes: tuple[int, ...]) -> list[Tone]:
    """Repeat a line's cell through a scale, each time a step higher, or lower with `times` below zero.

    Parameters
    ----------
    line : sequence of Tone
        Tones by onset in beats; pitches are MIDI.
    times : int
        How often the cell comes again; below zero goes down.
    classes : tuple of int
        Pitch classes of the scale, 0 to 11.
    """
    cell = [plain(t) for t in cell_of(line)]
    start = cell[0].onset
    span = max(t.end for t in cell) - start
    span = Fraction(-(-span // EIGHTH)) * EIGHTH
    way = 1 if times > 0 else -1
    made = []
    for step in range(abs(times)):
        for tone in cell:
            midi = move_in_scale(tone.midi, way * step, classes)
            made.append(replace(tone, midi=midi, onset=tone.onset + step * span))
    return made


def in_parallel(line: Sequence[Tone], steps: int, classes: tuple[int, ...]) -> list[Tone]:
    """Add a second voice so many steps of the scale over (or under) the first.

    Parameters
    ----------
    line : sequence of Tone
        Tones by onset in beats; pitches are MIDI.
    steps : int
        Of the scale, below zero for under.
    classes : tuple of int
        Pitch classes of the scale, 0 to 11.
    """
    first = [plain(t) for t in upper_voice(line)]
    second = [replace(t, midi=move_in_scale(t.midi, steps, classes)) for t in first]
    return sorted([*first, *second], key=lambda t: (t.onset, t.midi))


def upper_voice(line: Sequence[Tone]) -> list[Tone]:
    """Give the highest tone of each moment."""
    highest: dict[Fraction, Tone] = {}
    for tone in line:
        known = highest.get(tone.onset)
        if known is None or tone.midi > known.midi:
            highest[tone.onset] = tone
    return list(highest.values())


def moved(line: Sequence[Tone], steps: int, classes: tuple[int, ...]) -> list[Tone]:
    """Give a line so many steps of the scale away: a harmony for another guitar.

    Parameters
    ----------
    line : sequence of Tone
        Tones by onset in beats; pitches are MIDI.
    steps : int
        Of the scale, below zero for down.
    classes : tuple of int
        Pitch classes of the scale, 0 to 11.
    """
    return [replace(t, midi=move_in_scale(t.midi, steps, classes), place=None) for t in line]


def contrary(line: Sequence[Tone], classes: tuple[int, ...]) -> list[Tone]:
    """Turn a line over around its first note: what rose falls by as many steps of the scale.

    Parameters
    ----------
    line : sequence of Tone
    classes : tuple of int
        Of the scale: 0 to 11, 0 is C.
    """
    first = line[0].midi
    made = []
    for tone in line:
        steps = steps_between(first, tone.midi, classes)
        made.append(replace(plain(tone), midi=move_in_scale(first, -steps, classes)))
    return made


def landing_on(line: Sequence[Tone], pitch_class: int) -> list[Tone]:
    """Let a line end on another pitch class, in the octave nearest to its last note.

    Parameters
    ----------
    line : sequence of Tone
        Tones by onset in beats; pitches are MIDI.
    pitch_class : int
        From 0 (C) to 11.
    """
    last = line[-1]
    apart = (pitch_class - last.midi + 6) % 12 - 6
    return [*line[:-1], replace(plain(last), midi=last.midi + apart)]

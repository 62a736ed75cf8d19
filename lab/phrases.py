"""Lead guitar by rule: phrases in tab form in the styles that the trade teaches.

Every style is a function from a `Hand` (guitar, key, place on the neck, random generator) to cells:
(length in beats, what sounds). `random_lead` strings phrases together at one tempo.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from juxtanote.core.synth.strings import StringEvent
from juxtanote.core.theory.harmonics import PARTIAL_AT_FRET, partial_offset
from juxtanote.core.theory.scales import SCALES as ALL_SCALES
from juxtanote.core.theory.tuning import STANDARD, Guitar
from lab import curves

_TAUGHT = (
    "minor pentatonic", "blues", "major pentatonic", "major", "natural minor", "dorian", "mixolydian",
    "harmonic minor",
)  # fmt: skip
SCALES = {name: ALL_SCALES[name] for name in _TAUGHT}
TUNINGS = (
    STANDARD,
    (38, 45, 50, 55, 59, 64),
    (39, 44, 49, 54, 58, 63),
    (38, 43, 48, 53, 57, 62),
    (36, 43, 48, 53, 57, 62),
    (35, 40, 45, 50, 55, 59, 64),
)


@dataclass(frozen=True, slots=True)
class TabNote:
    """One note of a phrase in beats; `chord` notes share the onset of the one before."""

    beat: float
    beats: float
    string: int
    fret: int
    techniques: frozenset[str] = frozenset()
    bend: float = 0.0
    velocity: float = 0.8
    finger: int = 0
    rise: float = 1.0  # how slow a bend is beside a usual one


@dataclass(frozen=True, slots=True)
class Hand:
    """Where a phrase lives."""

    guitar: Guitar
    root: int  # pitch class
    scale: tuple[int, ...]
    position: int  # fret of the index finger
    rng: np.random.Generator

    def frets_on(self, string: int, low: int, high: int) -> list[int]:
        """Give the frets of the scale on a string between two frets."""
        return [
            fret
            for fret in range(max(low, 0), min(high, self.guitar.last_fret) + 1)
            if (self.guitar.midi_at(string, fret) - self.root) % 12 in self.scale
        ]

    def box(self, width: int = 3) -> list[tuple[int, int]]:
        """Give the notes of one position from the lowest to the highest."""
        low = self.position
        places = []
        for string in range(self.guitar.string_count, 0, -1):
            places += [(string, fret) for fret in self.frets_on(string, low, low + width)]
        return places


Style = Callable[[Hand, float], list[TabNote]]


def _note(beat: float, beats: float, place: tuple[int, int], *techniques: str, **more) -> TabNote:
    return TabNote(beat, beats, place[0], place[1], frozenset(techniques), **more)


def _walk(hand: Hand, places: list[tuple[int, int]], count: int) -> list[tuple[int, int]]:
    """Wander through a row of places: mostly steps, some turns, some leaps."""
    index = int(hand.rng.integers(len(places)))
    step = int(hand.rng.choice([-1, 1]))
    walked = []
    for _ in range(count):
        walked.append(places[index])
        if hand.rng.random() < 0.25:
            step = -step
        leap = step * (1 if hand.rng.random() < 0.8 else int(hand.rng.integers(2, 4)))
        if not 0 <= index + leap < len(places):
            step, leap = -step, -leap
        index = int(np.clip(index + leap, 0, len(places) - 1))
    return walked


def _slur_of(before: tuple[int, int], after: tuple[int, int]) -> str | None:
    if before[0] != after[0] or before[1] == after[1] or abs(before[1] - after[1]) > 5:
        return None
    return "hammer-on" if after[1] > before[1] else "pull-off"


def line_in_a_box(hand: Hand, beats: float) -> list[TabNote]:
    """Play a line in one position with slurs wherever the string allows."""
    rng = hand.rng
    grid = float(rng.choice([0.5, 1 / 3, 0.25, 0.25, 1 / 6]))
    slurred = rng.uniform(0.0, 0.7)
    places = _walk(hand, hand.box(int(rng.choice([3, 3, 4]))), int(beats / grid))
    notes: list[TabNote] = []
    for index, place in enumerate(places):
        slur = _slur_of(places[index - 1], place) if index else None
        use = slur is not None and rng.random() < slurred
        tags = [slur] if use and slur else []
        if not use and rng.random() < 0.03:
            tags = ["dead"]
        elif not use and rng.random() < 0.06:
            tags = ["staccato"]
        length = grid * (0.5 if "staccato" in tags else 1.0)
        notes.append(_note(index * grid, length, place, *tags, velocity=rng.uniform(0.55, 1.0)))
    return notes


def three_on_a_string(hand: Hand, beats: float) -> list[TabNote]:
    """Run up or down a scale with three notes on each string, picked or slurred."""
    rng = hand.rng
    grid = float(rng.choice([1 / 3, 0.25, 1 / 6]))
    rows = []
    for string in range(hand.guitar.string_count, 0, -1):
        frets = hand.frets_on(string, hand.position - 1, hand.position + 6)[:3]
        rows.append([(string, fret) for fret in frets])
    places = [place for row in rows for place in row]
    if rng.random() < 0.5:
        places = places[::-1]
    start = int(rng.integers(max(len(places) - int(beats / grid), 1)))
    places = places[start : start + int(beats / grid)]
    legato = rng.random() < 0.5
    notes = []
    for index, place in enumerate(places):
        slur = _slur_of(places[index - 1], place) if index and legato else None
        notes.append(_note(index * grid, grid, place, *([slur] if slur else [])))
    return notes


def along_one_string(hand: Hand, beats: float) -> list[TabNote]:
    """Travel on one string with shift and legato slides."""
    rng = hand.rng
    string = int(rng.integers(1, hand.guitar.string_count + 1))
    frets = hand.frets_on(string, 1, 17)
    if len(frets) < 3:
        return line_in_a_box(hand, beats)
    notes, beat, index = [], 0.0, int(rng.integers(len(frets)))
    while beat < beats:
        length = float(rng.choice([0.5, 0.5, 1.0, 0.25]))
        tags = ["slide"] if notes and rng.random() < 0.45 else []
        notes.append(_note(beat, length, (string, frets[index]), *tags))
        beat += length
        index = int(np.clip(index + rng.choice([-2, -1, 1, 2]), 0, len(frets) - 1))
    return [
        replace(note, techniques=note.techniques - {"slide"})
        if index and notes[index - 1].fret == note.fret
        else note
        for index, note in enumerate(notes)
    ]


def singing(hand: Hand, beats: float) -> list[TabNote]:
    """Play long notes: bends with releases, pre-bends, vibrato, slides from nowhere."""
    rng = hand.rng
    places = [p for p in hand.box(3) if p[0] <= 4 and p[1] > 2] or hand.box(3)
    notes, beat = [], 0.0
    while beat < beats:
        place = places[int(rng.integers(len(places)))]
        length = float(rng.choice([0.5, 1.0, 1.5, 2.0]))
        draw = rng.random()
        tags, amount = [], 0.0
        if draw < 0.45 and place[0] <= 4:
            tags = [str(rng.choice(["bend", "bend", "bend", "pre-bend"]))]
            amount = float(rng.choice([0.5, 1.0, 1.0, 2.0, 2.0, 2.0, 3.0, 4.0]))
            if tags[0] == "pre-bend" or rng.random() < 0.35:
                tags.append("release")
        elif draw < 0.55:
            tags = ["slide"]
        if length >= 1.0 and rng.random() < 0.5 and "release" not in tags:
            tags.append("vibrato")
        notes.append(_note(beat, length, place, *tags, bend=amount))
        beat += length + (0.5 if rng.random() < 0.2 else 0.0)
    return notes


def together(hand: Hand, beats: float) -> list[TabNote]:
    """Play double stops, octaves and grips of three and four notes."""
    rng = hand.rng
    kind = str(rng.choice(["thirds", "octaves", "fourths", "grip"]))
    strings = hand.guitar.string_count
    notes, beat = [], 0.0
    while beat < beats:
        length = float(rng.choice([0.5, 0.5, 1.0]))
        velocity = rng.uniform(0.6, 1.0)
        places = _grip(hand, kind, int(rng.integers(2, strings)))
        for place in places:
            notes.append(_note(beat, length, place, velocity=velocity))
        beat += length
    return notes


def _grip(hand: Hand, kind: str, string: int) -> list[tuple[int, int]]:
    """Give one grip around the hand's position; `string` is its thickest."""
    rng, low = hand.rng, hand.position
    frets = hand.frets_on(string, low, low + 4) or [low]
    base = (string, int(rng.choice(frets)))
    if kind == "octaves":
        above = string - 2 if string >= 3 else None
        if above is None:
            return [base]
        gap = hand.guitar.midi_at(*base) + 12 - hand.guitar.open_midi(above)
        return [base, (above, gap)] if 0 <= gap <= hand.guitar.last_fret else [base]
    if kind == "fourths":
        return [base, (string - 1, base[1])]
    count = 2 if kind == "thirds" else int(rng.integers(3, 5))
    places = [base]
    for above in range(string - 1, max(string - count, 0), -1):
        near = hand.frets_on(above, max(base[1] - 2, low - 1), base[1] + 2)
        if near:
            places.append((above, int(rng.choice(near))))
    return places


def ringing(hand: Hand, beats: float) -> list[TabNote]:
    """Let arpeggios ring over open strings and each other."""
    rng = hand.rng
    shape = [(s, int(rng.choice(hand.frets_on(s, 0, 4) or [0]))) for s in (5, 4, 3, 2, 1)]
    order = [0, 2, 3, 4, 3, 2] if rng.random() < 0.5 else [0, 1, 2, 3, 4, 3, 2, 1]
    grid = float(rng.choice([0.5, 1 / 3, 0.25]))
    notes = []
    for index in range(int(beats / grid)):
        place = shape[order[index % len(order)]]
        ring = grid * len(order)
        notes.append(_note(index * grid, ring, place, "let-ring", velocity=rng.uniform(0.5, 0.9)))
    return notes


def ringing_anywhere(hand: Hand, beats: float) -> list[TabNote]:
    """Let arpeggios of three to five strings ring, in any order and anywhere on the neck."""
    rng = hand.rng
    low = 0 if rng.random() < 0.5 else hand.position
    count = int(rng.integers(3, 6))
    thickest = int(rng.integers(count, hand.guitar.string_count + 1))
    shape = []
    for string in range(thickest, thickest - count, -1):
        open_fits = rng.random() < 0.25 and hand.frets_on(string, 0, 0)
        frets = [0] if open_fits else hand.frets_on(string, low, low + 4) or [low]
        shape.append((string, int(rng.choice(frets))))
    order = [*range(count), *range(count - 2, 0, -1)]
    if rng.random() < 0.4:
        order = [int(k) for k in rng.integers(0, count, 8)]
    grid = float(rng.choice([0.5, 1 / 3, 0.25]))
    notes = []
    for index in range(int(beats / grid)):
        place = shape[order[index % len(order)]]
        ring = grid * len(order)
        notes.append(_note(index * grid, ring, place, "let-ring", velocity=rng.uniform(0.5, 0.9)))
    return notes


def strummed(hand: Hand, beats: float) -> list[TabNote]:
    """Strum power chords and grips of three to six strings, some of them damped."""
    rng = hand.rng
    notes, beat = [], 0.0
    power = rng.random() < 0.5
    while beat < beats:
        length = float(rng.choice([0.5, 0.5, 1.0, 2.0, 0.25]))
        thick = int(
            rng.integers(max(hand.guitar.string_count - 2, 4), hand.guitar.string_count + 1)
        )
        if power:
            fret = int(rng.choice(hand.frets_on(thick, 0, 12) or [3]))
            places = [(thick, fret), (thick - 1, fret + 2), (thick - 2, fret + 2)]
            places = places[: int(rng.integers(2, 4))]
        else:
            places = []
            for string in range(thick, max(thick - int(rng.integers(3, 7)), 0), -1):
                near = hand.frets_on(string, hand.position, hand.position + 3)
                places.append((string, int(rng.choice(near or [hand.position]))))
        tags = ["palm-mute"] if power and rng.random() < 0.3 else []
        down = 1 if rng.random() < 0.7 else -1
        velocity = rng.uniform(0.6, 1.0)
        for place in places[::down]:
            notes.append(_note(beat, length, place, *tags, velocity=velocity))
        beat += length
    return notes


def octave_line(hand: Hand, beats: float) -> list[TabNote]:
    """Play a melody in octaves, some of its steps slid."""
    rng = hand.rng
    string = int(rng.integers(3, hand.guitar.string_count + 1))
    frets = hand.frets_on(string, 1, 14)
    if len(frets) < 3:
        return together(hand, beats)
    notes, beat, index = [], 0.0, int(rng.integers(len(frets)))
    while beat < beats:
        length = float(rng.choice([0.5, 0.5, 0.25, 1.0]))
        gap = hand.guitar.midi_at(string, frets[index]) + 12 - hand.guitar.open_midi(string - 2)
        for place in ((string, frets[index]), (string - 2, gap)):
            if 0 <= place[1] <= hand.guitar.last_fret:
                notes.append(_note(beat, length, place, velocity=0.85))
        beat += length
        index = int(np.clip(index + rng.choice([-2, -1, 0, 1, 2]), 0, len(frets) - 1))
    return notes


def power_line(hand: Hand, beats: float) -> list[TabNote]:
    """Move fifths, fourths and octaves about, with single low notes and palm mutes between."""
    rng = hand.rng
    strings = hand.guitar.string_count
    shapes = (((1, 2),), ((1, 2), (2, 2)), ((1, 0),), ((2, 2),), ())
    weights = np.array([3.0, 2.0, 2.0, 2.0, 2.0])
    thick = int(rng.integers(max(strings - 2, 3), strings + 1))
    frets = hand.frets_on(thick, 0, 12) or [3]
    steady = rng.random() < 0.5
    shape = shapes[int(rng.choice(len(shapes), p=weights / weights.sum()))]
    grid = float(rng.choice([0.5, 0.5, 0.25, 1.0]))
    fret, muted = int(rng.choice(frets)), rng.random() < 0.3
    notes = []
    for index in range(int(beats / grid)):
        if rng.random() < 0.6:
            fret = int(rng.choice(frets))
        if not steady:
            shape = shapes[int(rng.choice(len(shapes), p=weights / weights.sum()))]
        tags = ["palm-mute"] if muted and rng.random() < 0.5 else []
        places = [(thick, fret), *((thick - up, fret + more) for up, more in shape)]
        for place in places:
            notes.append(_note(index * grid, grid, place, *tags, velocity=rng.uniform(0.65, 1.0)))
    return notes


def double_stop_line(hand: Hand, beats: float) -> list[TabNote]:
    """Mix double stops on neighbouring strings with single notes, hammers and slides."""
    rng = hand.rng
    string = int(rng.integers(2, min(hand.guitar.string_count, 5)))
    notes, beat = [], 0.0
    while beat < beats:
        length = float(rng.choice([0.5, 0.5, 0.25, 1.0]))
        frets = hand.frets_on(string, hand.position, hand.position + 4) or [hand.position]
        fret = int(rng.choice(frets))
        above = hand.frets_on(string - 1, fret - 1, fret + 2) or [fret]
        notes.append(_note(beat, length, (string, fret)))
        if rng.random() < 0.7:
            notes.append(_note(beat, length, (string - 1, int(rng.choice(above)))))
            higher = [f for f in frets if fret < f <= fret + 2]
            if higher and length >= 0.5 and rng.random() < 0.3:
                half = length / 2
                notes[-2] = _note(beat, half, (string, fret))
                notes.append(_note(beat + half, half, (string, higher[0]), "hammer-on"))
        beat += length
    return sorted(notes, key=lambda note: note.beat)


def pedal(hand: Hand, beats: float) -> list[TabNote]:
    """Go between one repeated low note and a melody above it."""
    rng = hand.rng
    strings = hand.guitar.string_count
    low = (int(rng.integers(3, strings + 1)), 0)
    if rng.random() < 0.6:
        low = (low[0], int(rng.choice(hand.frets_on(low[0], 0, 7) or [0])))
    near = hand.frets_on(low[0] - 1, low[1], low[1] + 5) or [low[1] + 2]
    grid = float(rng.choice([0.25, 0.25, 1 / 3, 0.5]))
    muted = rng.random() < 0.5
    notes = []
    for index in range(int(beats / grid)):
        melody = rng.random() < 0.5
        place = (low[0] - 1, int(rng.choice(near))) if melody else low
        tags = ["palm-mute"] if muted and not melody else []
        notes.append(_note(index * grid, grid, place, *tags, velocity=rng.uniform(0.6, 0.95)))
    return notes


def low_line(hand: Hand, beats: float) -> list[TabNote]:
    """Play a line on the three thickest strings, picked or slurred, low on the neck."""
    rng = hand.rng
    low = replace(hand, position=int(rng.integers(0, 6)))
    strings = hand.guitar.string_count
    places = [p for p in low.box(4) if p[0] > strings - 3]
    grid = float(rng.choice([0.5, 0.25, 1 / 3]))
    slurred = rng.uniform(0.0, 0.5)
    notes: list[TabNote] = []
    walked = _walk(low, places, int(beats / grid))
    for index, place in enumerate(walked):
        slur = _slur_of(walked[index - 1], place) if index else None
        tags = [slur] if slur and rng.random() < slurred else []
        if not tags and rng.random() < 0.1:
            tags = ["palm-mute"]
        notes.append(_note(index * grid, grid, place, *tags, velocity=rng.uniform(0.6, 1.0)))
    return notes


def low_riff(hand: Hand, beats: float) -> list[TabNote]:
    """Chug on the thick strings with palm mutes."""
    rng = hand.rng
    strings = hand.guitar.string_count
    notes, beat = [], 0.0
    pedal = (strings, int(rng.choice(hand.frets_on(strings, 0, 5) or [0])))
    while beat < beats:
        length = float(rng.choice([0.5, 0.25, 0.25]))
        high = hand.frets_on(strings - 1, pedal[1], pedal[1] + 4)
        accent = rng.random() < 0.3 and high
        place = (strings - 1, int(rng.choice(high))) if accent else pedal
        tags = [] if accent and rng.random() < 0.6 else ["palm-mute"]
        notes.append(_note(beat, length, place, *tags, velocity=rng.uniform(0.7, 1.0)))
        beat += length
    return notes


def tapping(hand: Hand, beats: float) -> list[TabNote]:
    """Tap, pull off, hammer on: triplet and sextuplet cells on one string."""
    rng = hand.rng
    string = int(rng.integers(1, 4))
    low = hand.frets_on(string, hand.position, hand.position + 4)
    if len(low) < 2:
        return line_in_a_box(hand, beats)
    high = hand.frets_on(string, low[-1] + 3, low[-1] + 9) or [low[-1] + 5]
    grid = float(rng.choice([1 / 3, 1 / 6, 0.25]))
    notes = []
    cell = [("tap", None), ("pull-off", low[0]), ("hammer-on", low[1])]
    for index in range(int(beats / grid)):
        kind, fret = cell[index % 3]
        if fret is None:
            fret = int(rng.choice(high))
        notes.append(_note(index * grid, grid, (string, fret), kind, velocity=0.75))
    return notes


def wide_tapping(hand: Hand, beats: float) -> list[TabNote]:
    """Tap in cells of three and four notes, with open strings and two taps among them."""
    rng = hand.rng
    string = int(rng.integers(1, 5))
    low = hand.frets_on(string, hand.position, hand.position + 4)
    if len(low) < 2:
        return line_in_a_box(hand, beats)
    high = hand.frets_on(string, low[-1] + 3, low[-1] + 9) or [low[-1] + 5]
    grid = float(rng.choice([1 / 3, 1 / 6, 0.25]))
    cells: tuple[tuple[tuple[str, int | None], ...], ...] = (
        (("tap", None), ("pull-off", low[0]), ("hammer-on", low[1])),
        (("tap", None), ("pull-off", low[1]), ("pull-off", low[0])),
        (("tap", None), ("pull-off", 0), ("hammer-on", low[0])),
        (("tap", None), ("pull-off", low[0]), ("hammer-on", low[1]), ("pull-off", low[0])),
        (("tap", None), ("pull-off", low[0]), ("tap", None), ("pull-off", low[1])),
    )
    cell = cells[int(rng.integers(len(cells)))]
    notes = []
    for index in range(int(beats / grid)):
        kind, fret = cell[index % len(cell)]
        if fret is None:
            fret = int(rng.choice(high))
        notes.append(_note(index * grid, grid, (string, fret), kind, velocity=0.75))
    return notes


def sweep(hand: Hand, beats: float) -> list[TabNote]:
    """Sweep an arpeggio up and down."""
    rng = hand.rng
    triad = (0, 3, 7) if 3 in hand.scale else (0, 4, 7)
    chord = replace(hand, scale=triad)
    places = chord.box(4)
    places = [p for p in places if p[0] <= int(rng.integers(3, 7))] or places
    places = places + places[-2:0:-1]
    grid = float(rng.choice([0.25, 1 / 6, 1 / 3]))
    notes = []
    for index in range(int(beats / grid)):
        place = places[index % len(places)]
        before = places[(index - 1) % len(places)]
        slur = _slur_of(before, place) if index else None
        notes.append(_note(index * grid, grid, place, *([slur] if slur else [])))
    return notes


def harmonics(hand: Hand, beats: float) -> list[TabNote]:
    """Ring natural harmonics."""
    rng = hand.rng
    notes, beat = [], 0.0
    while beat < beats:
        length = float(rng.choice([0.5, 1.0, 1.0]))
        string = int(rng.integers(1, hand.guitar.string_count + 1))
        fret = int(rng.choice([12, 12, 7, 5, 19]))
        notes.append(_note(beat, length, (string, fret), "natural-harmonic"))
        beat += length
    return notes


def harmonics_between(hand: Hand, beats: float) -> list[TabNote]:
    """Let natural harmonics ring between fretted and open notes."""
    rng = hand.rng
    low = replace(hand, position=int(rng.integers(0, 8)))
    places = _walk(low, low.box(4), int(beats / 0.5) + 1)
    grid = float(rng.choice([0.5, 0.5, 1.0]))
    notes = []
    for index in range(int(beats / grid)):
        if rng.random() < 0.45:
            string = int(rng.integers(1, hand.guitar.string_count + 1))
            place = (string, int(rng.choice([12, 12, 7, 7, 5])))
            notes.append(_note(index * grid, grid, place, "natural-harmonic"))
        else:
            notes.append(_note(index * grid, grid, places[index]))
    return notes


def trill(hand: Hand, beats: float) -> list[TabNote]:
    """Strike one note, and trill from it by hammering on and pulling off."""
    rng = hand.rng
    notes, beat = [], 0.0
    while beat < beats:
        string = int(rng.integers(1, hand.guitar.string_count + 1))
        frets = hand.frets_on(string, hand.position, hand.position + 5) or [hand.position]
        low = int(rng.choice(frets))
        high = low + int(rng.choice([1, 2, 2, 3]))
        grid = float(rng.choice([0.25, 0.25, 1 / 6, 0.5]))
        for index in range(int(rng.integers(2, 9))):
            tags = [] if index == 0 else ["hammer-on" if index % 2 else "pull-off"]
            notes.append(_note(beat, grid, (string, high if index % 2 else low), *tags))
            beat += grid
    return notes


def muted_line(hand: Hand, beats: float) -> list[TabNote]:
    """Damp a line with the side of the hand, letting some notes go free."""
    rng = hand.rng
    grid = float(rng.choice([0.5, 1 / 3, 0.25]))
    free = rng.uniform(0.0, 0.4)
    notes = []
    for index, place in enumerate(_walk(hand, hand.box(3), int(beats / grid))):
        tags = [] if rng.random() < free else ["palm-mute"]
        notes.append(_note(index * grid, grid, place, *tags, velocity=rng.uniform(0.6, 1.0)))
    return notes


def chromatic(hand: Hand, beats: float) -> list[TabNote]:
    """Walk in semitones, picked."""
    grid = float(hand.rng.choice([0.25, 1 / 3, 0.5]))
    places = [
        (string, hand.position + step)
        for string in range(hand.guitar.string_count, 0, -1)
        for step in range(4)
    ]
    walked = _walk(hand, places, int(beats / grid))
    return [_note(index * grid, grid, place) for index, place in enumerate(walked)]


def tremolo(hand: Hand, beats: float) -> list[TabNote]:
    """Pick each note many times."""
    rng = hand.rng
    grid = float(rng.choice([0.25, 0.125, 1 / 6]))
    places = _walk(hand, hand.box(3), int(beats) + 1)
    return [
        _note(index * grid, grid, places[int(index * grid)], velocity=rng.uniform(0.6, 0.9))
        for index in range(int(beats / grid))
    ]


def raked(hand: Hand, beats: float) -> list[TabNote]:
    """Rake over dead strings into a held note; grace notes; muted pluck pairs."""
    rng = hand.rng
    notes, beat = [], 0.25
    while beat < beats:
        string = int(rng.integers(1, 3))
        fret = int(rng.choice(hand.frets_on(string, hand.position, hand.position + 3) or [5]))
        if rng.random() < 0.5:
            for step in (2, 1):
                place = (string + step, fret)
                notes.append(_note(beat - 0.07 * step, 0.06, place, "dead", "rake", velocity=0.6))
            notes.append(_note(beat, 1.0, (string, fret), "vibrato"))
        else:
            grace = (string, max(fret - 2, 1))
            notes.append(_note(beat - 0.12, 0.12, grace, "grace", velocity=0.7))
            notes.append(_note(beat, 1.0, (string, fret), str(rng.choice(["slide", "hammer-on"]))))
        beat += float(rng.choice([1.5, 2.0]))
    return notes


def bent_lick(hand: Hand, beats: float) -> list[TabNote]:
    """Bend as solos do: again and again, into the pitch of the next string, under a held note, slowly."""
    rng = hand.rng
    kind = str(rng.choice(["again", "unison", "under", "slow", "run", "run"]))
    string = int(rng.integers(2, 5))
    frets = [f for f in hand.frets_on(string, hand.position, hand.position + 4) if f > 2] or [7]
    fret, grid = int(rng.choice(frets)), float(rng.choice([0.5, 0.5, 0.25, 1.0]))
    amount = float(rng.choice([1.0, 2.0, 2.0, 2.0, 3.0]))
    gap = hand.guitar.open_midi(string - 1) - hand.guitar.open_midi(string)
    notes, beat = [], 0.0
    while beat < beats:
        place, above = (string, fret), (string - 1, fret + 2 - gap)
        if kind == "again":
            tags = ["bend", "release"] if rng.random() < 0.3 else ["bend"]
            notes.append(_note(beat, grid, place, *tags, bend=amount))
            beat += grid
        elif kind == "unison" and above[1] >= 0:
            notes.append(_note(beat, 2 * grid, place, "bend", bend=2.0))
            notes.append(_note(beat, 2 * grid, above))
            beat += 2 * grid
        elif kind == "under":
            notes.append(_note(beat, 4 * grid, place, "bend", bend=amount, rise=0.7))
            for step in (1, 2, 3):
                high = (string - 1, fret + int(rng.choice([0, 0, 3])))
                notes.append(_note(beat + step * grid, grid, high))
            beat += 4 * grid
        elif kind == "slow":
            length = float(rng.choice([2.0, 3.0]))
            tags = ["bend", "vibrato"] if rng.random() < 0.4 else ["bend"]
            notes.append(_note(beat, length, place, *tags, bend=amount, rise=rng.uniform(1.5, 4.0)))
            beat += length
        else:
            tags = [["bend"], ["bend", "release"], ["pre-bend", "release"], []][
                int(rng.integers(4))
            ]
            notes.append(_note(beat, grid, place, *tags, bend=amount if tags else 0.0))
            if "release" in tags and rng.random() < 0.6:
                notes.append(_note(beat + grid, grid, (string, max(fret - 2, 0)), "pull-off"))
                beat += grid
            beat += grid
            fret = int(rng.choice(frets))
    return notes


def graced_line(hand: Hand, beats: float) -> list[TabNote]:
    """Lead into the notes of a line with quick graces from one to three frets away."""
    rng = hand.rng
    grid = float(rng.choice([0.5, 0.5, 1.0]))
    notes = []
    for index, (string, fret) in enumerate(_walk(hand, hand.box(3), int(beats / grid))):
        beat = 0.25 + index * grid
        start = max(fret + int(rng.choice([-3, -2, -2, -1, 1, 2])), 0)
        if start == fret or rng.random() < 0.5:
            notes.append(_note(beat, grid, (string, fret)))
            continue
        slur = "hammer-on" if fret > start else "pull-off"
        if min(start, fret) > 0 and rng.random() < 0.5:
            slur = "slide"
        early = float(rng.uniform(0.07, 0.14))
        notes.append(_note(beat - early, early, (string, start), "grace", velocity=0.75))
        notes.append(_note(beat, grid, (string, fret), slur))
    return notes


STYLES: dict[str, tuple[Style, float]] = {
    "line in a box": (line_in_a_box, 3.0),
    "three on a string": (three_on_a_string, 2.0),
    "along one string": (along_one_string, 1.5),
    "singing": (singing, 3.0),
    "together": (together, 2.6),
    "ringing": (ringing, 0.8),
    "low riff": (low_riff, 1.8),
    "tapping": (tapping, 0.8),
    "sweep": (sweep, 0.8),
    "harmonics": (harmonics, 0.9),
    "chromatic": (chromatic, 0.6),
    "tremolo": (tremolo, 0.8),
    "raked": (raked, 0.9),
}
MORE_STYLES: dict[str, tuple[Style, float]] = {
    "wide tapping": (wide_tapping, 1.0),
    "ringing anywhere": (ringing_anywhere, 1.4),
    "strummed": (strummed, 1.2),
    "power line": (power_line, 2.0),
    "octave line": (octave_line, 1.8),
    "double-stop line": (double_stop_line, 1.8),
    "pedal": (pedal, 1.0),
    "low line": (low_line, 2.4),
    "harmonics between": (harmonics_between, 0.8),
    "trill": (trill, 1.0),
    "muted line": (muted_line, 1.0),
    "bent lick": (bent_lick, 2.6),
    "graced line": (graced_line, 1.0),
}
"""Styles for training alone: the measuring phrases are made from `STYLES`."""


def random_hand(rng: np.random.Generator, tuning: tuple[int, ...] | None = None) -> Hand:
    """Draw a guitar, a key and a place on the neck."""
    if tuning is None:
        draw = 0 if rng.random() < 0.62 else int(rng.integers(1, len(TUNINGS)))
        tuning = TUNINGS[draw]
    scale = SCALES[str(rng.choice(list(SCALES)))]
    guitar = Guitar(tuning=tuning, fret_count=24)
    return Hand(guitar, int(rng.integers(12)), scale, int(rng.integers(1, 15)), rng)


def to_events(
    notes: list[TabNote],
    hand: Hand,
    tempo: float,
    start_s: float,
    *,
    jitter_s: float = 0.008,
    spread_s: float = 0.0,
) -> list[StringEvent]:
    """Play tab at a tempo: beats become seconds, techniques become pitch curves.

    One stroke over several strings takes `spread_s` from string to string.
    """
    rng = hand.rng
    beat_s = 60.0 / tempo
    shift = {note.beat: float(rng.normal(0.0, jitter_s)) for note in notes}
    events, rank, before = [], 0, -1.0
    for index, note in enumerate(notes):
        rank = rank + 1 if note.beat == before else 0
        before = note.beat
        onset = max(start_s + note.beat * beat_s + shift[note.beat] + rank * spread_s, 0.0)
        duration = _sounding_s(notes, index, beat_s, shift)
        following = _next_on_string(notes, index)
        midi = float(hand.guitar.midi_at(note.string, note.fret))
        if "natural-harmonic" in note.techniques:
            open_midi = hand.guitar.open_midi(note.string)
            midi = open_midi + partial_offset(PARTIAL_AT_FRET[note.fret])
        curve = _curve_of(note, duration, following, rng)
        events.append(
            StringEvent(
                onset, duration, note.string, note.fret, midi, note.techniques, curve, note.velocity
            )
        )
    return sorted(events, key=lambda event: (event.onset_s, event.string))


def _sounding_s(notes: list[TabNote], index: int, beat_s: float, shift: dict) -> float:
    """Give how long a note sounds: until its end or until its string is played again."""
    note = notes[index]
    end = note.beat + note.beats
    legato = 0.97
    following = _next_on_string(notes, index)
    if following is not None and following.beat < end + 1e-6:
        gap = (following.beat - note.beat) * beat_s + shift[following.beat] - shift[note.beat]
        return max(gap, 0.02)
    return max(note.beats * beat_s * legato, 0.03)


def _next_on_string(notes: list[TabNote], index: int) -> TabNote | None:
    note = notes[index]
    for later in notes[index + 1 :]:
        if later.string == note.string and later.beat > note.beat + 1e-9:
            return later
    return None


def _curve_of(
    note: TabNote, duration_s: float, following: TabNote | None, rng: np.random.Generator
) -> curves.Curve:
    """Draw the pitch of one note."""
    tags = note.techniques
    curve: curves.Curve = ()
    if "bend" in tags:
        rise = min(note.rise * rng.uniform(0.06, 0.25), 0.5 * duration_s)
        delay = min(note.rise * rng.uniform(0.0, 0.12), 0.25 * duration_s)
        curve = curves.bend(note.bend, delay, rise, duration_s)
        if "release" in tags:
            curve = curves.release(curve, 0.6 * duration_s, min(0.2, 0.3 * duration_s))
    elif "pre-bend" in tags:
        hold = 0.4 * duration_s
        curve = curves.pre_bend(note.bend, hold, min(0.25, 0.4 * duration_s), duration_s)
    if "vibrato" in tags:
        delay = rng.uniform(0.1, 0.45) * duration_s + (0.2 if curve else 0.0)
        rate, depth = rng.uniform(4.0, 7.5), rng.uniform(0.15, 0.8)
        curve = curves.vibrato(curve, duration_s, delay, rate, depth)
    into = following is not None and "slide" in following.techniques
    if into and not curve and following.beat <= note.beat + note.beats + 1e-6:
        glide = min(rng.uniform(0.04, 0.12), 0.45 * duration_s)
        curve = curves.glide_out(following.fret - note.fret, duration_s, glide)
    elif "slide" in tags and not curve and rng.random() < 0.3:
        curve = curves.glide_in(float(rng.choice([-2.0, -1.0, 2.0])), rng.uniform(0.04, 0.09))
    return curve


SEVERAL_AT_ONCE = (
    "together", "ringing", "ringing anywhere", "strummed", "power line", "octave line",
    "double-stop line",
)  # fmt: skip


def random_phrase(
    rng: np.random.Generator, hand: Hand, tempo: float, chords: float = 1.0
) -> tuple[str, list[TabNote]]:
    """Draw one phrase of two to eight beats in a random style that is not too fast to play.

    `chords` makes styles with several notes at once so many times as likely.
    """
    styles = STYLES | MORE_STYLES
    names = list(styles)
    weights = np.array([styles[n][1] * (chords if n in SEVERAL_AT_ONCE else 1.0) for n in names])
    for _ in range(20):
        name = str(rng.choice(names, p=weights / weights.sum()))
        notes = styles[name][0](hand, float(rng.choice([2.0, 4.0, 4.0, 8.0])))
        if notes and _fastest(notes) * tempo / 60.0 <= 14.5:
            return name, notes
    return "singing", singing(hand, 4.0)


def _fastest(notes: list[TabNote]) -> float:
    """Give the largest number of notes a beat, grace notes and rakes aside."""
    beats = sorted({n.beat for n in notes if not n.techniques & {"grace", "rake"}})
    gaps = np.diff(beats)
    return 1.0 / max(float(np.min(gaps)), 1e-3) if len(gaps) else 1.0


@dataclass(frozen=True, slots=True)
class Lead:
    """A stretch of lead guitar: what the hands did, and when."""

    events: tuple[StringEvent, ...]
    hand: Hand
    tempo: float
    styles: tuple[str, ...]


def random_lead(
    rng: np.random.Generator,
    length_s: float,
    chords: float = 1.0,
    beat_times: np.ndarray | None = None,
) -> Lead:
    """String phrases together, each moved to a new place on the neck, until the time is full.

    With `beat_times` the lead plays on those beats, wherever they drift.
    """
    hand = random_hand(rng)
    tempo = float(np.exp(rng.uniform(np.log(55.0), np.log(200.0))))
    start_s, events, styles = float(rng.uniform(0.2, 0.6)), [], []
    if beat_times is not None:
        tempo, start_s = 60.0 / float(np.median(np.diff(beat_times))), 0.0
    while True:
        hand = replace(hand, position=int(rng.integers(1, 15)))
        name, notes = random_phrase(rng, hand, tempo, chords)
        jitter = float(rng.choice([0.004, 0.008, 0.02]))
        spread = float(rng.choice([0.0, 0.004, 0.012]))
        played = to_events(notes, hand, tempo, start_s, jitter_s=jitter, spread_s=spread)
        if played[-1].onset_s > length_s - 0.7:
            break
        events += played
        styles.append(name)
        end = max(note.beat + note.beats for note in notes)
        if beat_times is not None:
            end = float(np.ceil(end - 1e-6))
        start_s += (end + float(rng.choice([0.0, 0.0, 1.0, 2.0, 4.0]))) * 60.0 / tempo
    if beat_times is not None:
        events = [_on_beats(event, tempo, beat_times) for event in events]
    return Lead(tuple(one_note_per_string(events)), hand, tempo, tuple(styles))


def _on_beats(event: StringEvent, tempo: float, beat_times: np.ndarray) -> StringEvent:
    """Move an event from an even tempo to beats that drift."""
    beats = np.array([event.onset_s, event.offset_s]) * tempo / 60.0
    onset, offset = np.interp(beats, np.arange(len(beat_times)), beat_times)
    return replace(event, onset_s=float(onset), duration_s=float(max(offset - onset, 0.02)))


def one_note_per_string(events: list[StringEvent]) -> list[StringEvent]:
    """Shorten each note to where its string is played again."""
    ordered = sorted(events, key=lambda event: event.onset_s)
    upcoming: dict[int, float] = {}
    kept = []
    for event in reversed(ordered):
        limit = upcoming.get(event.string, np.inf) - event.onset_s
        if limit < 0.015:
            continue
        kept.append(replace(event, duration_s=min(event.duration_s, limit)))
        upcoming[event.string] = event.onset_s
    return kept[::-1]

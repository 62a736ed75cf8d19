"""Every reason that is printed is true of its case: checked by hand on many small phrases."""

import unittest
from collections import Counter
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.costs import EASY_MM
from juxtanote.core.fretboard.reasons import Candidate, explain
from juxtanote.core.fretboard.solver import Placement, alternatives
from juxtanote.core.fretboard.strokes import choose_strokes, count_changes
from juxtanote.core.theory.tuning import Guitar

GUITAR = Guitar()


class Case:
    """One candidate of one note beside its neighbours."""

    def __init__(
        self, notes: list[NoteToPlace], way: Placement, index: int, candidate: Candidate
    ) -> None:
        self.notes, self.way, self.index = notes, way, index
        self.note, self.string, self.fret = notes[index], candidate.string, candidate.fret
        self.tags = self.note.techniques
        near = [k for k in (index - 1, index + 1) if 0 <= k < len(notes)]
        self.near = [(notes[k], way.strings[k], way.frets[k]) for k in near]
        self.before = self.near[0] if index else None
        self.here = (way.strings[index], way.frets[index])
        self.positions = [way.positions[k] for k in near]
        self.together = [
            way.strings[k] for k, n in enumerate(notes) if k != index and n.onset_s == self.note.onset_s
        ]  # fmt: skip

    def other_string(self, least: int = 1) -> bool:
        """Tell whether a neighbour is some strings away."""
        return any(abs(string - self.string) >= least for _, string, _ in self.near)

    def far(self) -> bool:
        """Tell whether the hand cannot stay where a neighbour has it."""
        apart = len(set(self.positions)) > 1
        return apart or any(not p <= self.fret <= p + 3 for p in self.positions) or self.fret == 0

    def slides(self) -> bool:
        """Tell whether this note or one beside it slides."""
        return any("slide" in n.techniques for n, _, _ in self.near) or "slide" in self.tags


TRUTH: dict[str, Callable[[Case], bool]] = {
    "the hand has to shift": Case.far,
    "the hand has to travel": Case.far,
    "further strings apart": Case.other_string,
    "jumps over a string": lambda c: c.other_string(2),
    "leaves the string of its slide": lambda c: c.slides() and c.other_string(),
    "leaves the string of its slur or slide": lambda c: any(
        n.techniques & {"hammer-on", "pull-off", "slide", "tap"}
        for n, _, _ in [*c.near, (c.note, 0, 0)]
    ),
    "a wide stretch": lambda c: any(
        abs(GUITAR.fret_mm(c.fret) - GUITAR.fret_mm(p)) > EASY_MM
        for p in [*c.positions, c.fret - 4]
    ),
    "a thicker string": lambda c: c.string > 1,
    "a thick string to sing on": lambda c: (
        c.string > 1 and bool(c.tags & {"bend", "pre-bend", "vibrato", "slide"})
    ),
    "a thin string to mute": lambda c: "palm-mute" in c.tags,
    "open, far from the hand": lambda c: c.fret == 0,
    "open, cannot be shaped": lambda c: c.fret == 0,
    "an open string inside a grip": lambda c: c.fret == 0 and bool(c.together),
    "an open string would ring longer": lambda c: "let-ring" in c.tags and c.fret > 0,
    "high on the neck": lambda c: c.fret > 12,
    "stiff so near the nut": lambda c: 0 < c.fret < 3,
    "lower on the neck than usual": lambda c: c.fret < 9,
    "higher on the neck than usual": lambda c: c.fret > 8 or c.fret == 0,
    "far up the neck": lambda c: c.fret > 12 or c.fret == 0,
    "falls to the little finger": lambda c: c.fret >= 4,
    "hard to bend here": lambda c: bool(c.tags & {"bend", "pre-bend"}),
    "hard to shake here": lambda c: "vibrato" in c.tags,
    "low for a tap": lambda c: "tap" in c.tags and c.fret < 12,
    "the same pitch was just elsewhere": lambda c: any(
        n.midi == c.note.midi and string != c.string for n, string, _ in c.near
    ),
    "a small step over two strings": lambda c: any(
        0 < abs(n.midi - c.note.midi) <= 2.5 and string != c.string for n, string, _ in c.near
    ),
    "a leap along one string": lambda c: any(
        abs(n.midi - c.note.midi) >= 4.5 and string == c.string for n, string, _ in c.near
    ),
    "leaves the string of a note it may be slurred from": lambda c: (
        c.other_string() and (c.note.legato > 0 or any(n.legato > 0 for n, _, _ in c.near))
    ),
    "the sound speaks against it": lambda c: (
        dict(c.note.clue).get((c.string, c.fret), 0.0) > dict(c.note.clue).get(c.here, 0.0)
    ),
    "an inside change of the pick": lambda c: inside(c, c.string) > inside(c, c.here[0]),
    "as good here": lambda c: True,
    "chosen": lambda c: (c.string, c.fret) == c.here,
}


def inside(case: Case, string: int) -> int:
    """Count the inside changes of strict alternate picking with the note on some string."""
    strings = list(case.way.strings)
    strings[case.index] = string
    strokes = choose_strokes(case.notes, tuple(strings), "alternate")
    return count_changes(strokes, tuple(strings))[1]


def random_phrase(rng: np.random.Generator) -> list[NoteToPlace]:
    """Walk over the neck with all kinds of techniques."""
    midi, notes = int(rng.integers(48, 76)), []
    for k in range(7):
        step = int(rng.choice([-7, -5, -3, -2, -1, 0, 1, 2, 3, 5, 7]))
        midi = int(np.clip(midi + step, 41, 84))
        tags: set[str] = set()
        if k and step:
            tags |= set(rng.choice(["", "", "", "slur", "slide"], 1)) - {""}
            if "slur" in tags:
                tags = {"hammer-on" if step > 0 else "pull-off"}
        tags |= set(rng.choice(["", "", "", "vibrato", "bend", "palm-mute", "let-ring", "tap"], 1))
        tags -= {""}
        if tags & {"hammer-on", "pull-off", "slide"}:
            tags -= {"tap"}
        start = 0.3 * k
        notes.append(
            NoteToPlace(
                start, start + 0.28, float(midi), frozenset(tags), 2.0 if "bend" in tags else 0.0,
                legato=float(rng.choice([0.0, 0.0, 1.0])) if k and step else 0.0,
            )
        )  # fmt: skip
    return notes


class TestEveryReasonIsTrue(unittest.TestCase):
    def test_reasons_against_places(self) -> None:
        rng = np.random.default_rng(4)
        seen: Counter[str] = Counter()
        for _ in range(50):
            notes = random_phrase(rng)
            for way in alternatives(GUITAR, notes)[:3]:
                for index in range(len(notes)):
                    told = explain(GUITAR, notes, way, index, school="alternate")
                    for candidate in told.candidates:
                        case = Case(notes, way, index, candidate)
                        seen[candidate.words] += 1
                        self.assertTrue(
                            TRUTH[candidate.words](case),
                            f"{candidate.words!r} of string {candidate.string}, fret "
                            f"{candidate.fret} in {notes[index]}, near {case.near}",
                        )
        self.assertGreaterEqual(len(seen), 16)

    def test_reasons_for_places(self) -> None:
        rng = np.random.default_rng(5)
        seen: Counter[str] = Counter()
        for _ in range(30):
            notes = random_phrase(rng)
            way = alternatives(GUITAR, notes)[0]
            for index, note in enumerate(notes):
                string, fret = way.strings[index], way.frets[index]
                after = index + 1 if index + 1 < len(notes) else None
                told = explain(GUITAR, notes, way, index, school="alternate")
                for words in told.why:
                    seen[words.split(" ")[0]] += 1
                    if words.startswith("its "):
                        self.assertEqual(way.strings[index - 1], string)
                        self.assertTrue(note.techniques & {"hammer-on", "pull-off", "slide"})
                    elif " after it needs fret " in words:
                        assert after is not None
                        self.assertEqual(way.strings[after], string)
                        self.assertIn(f"fret {way.frets[after]} ", words)
                    elif words.startswith("the bend has"):
                        self.assertIn(fret - way.positions[index], (2, 3, 4))
                    elif words.startswith("the hand stays"):
                        self.assertEqual(way.positions[index], way.positions[index - 1])
                    elif words.startswith("an open string"):
                        self.assertEqual(fret, 0)
                    elif words.startswith("the note before is on"):
                        self.assertEqual(abs(way.strings[index - 1] - string), 1)
                    elif words.startswith("it stays on string"):
                        self.assertEqual(way.strings[index - 1], string)
                    elif words == "avoids an inside change":
                        here, *others = [
                            inside(Case(notes, way, index, c), c.string)
                            for c in told.candidates
                            if c.possible or c.chosen
                        ]
                        self.assertGreater(max(others), here)
                    else:
                        self.assertEqual(words, "the only place for this pitch")
        self.assertGreaterEqual(len(seen), 3)

    def test_what_the_sound_says_is_told_with_its_weight(self) -> None:
        ringing = replace(NoteToPlace(0.0, 1.0, 55.0), clue=(((3, 0), -1.2), ((4, 5), 0.0)))
        way = Placement((3, 2), (0, 1), (1, 1), 0.0)
        notes = [ringing, NoteToPlace(0.5, 0.9, 60.0)]
        why = explain(GUITAR, notes, way, 0).why
        self.assertIn("the open string can be heard ringing under the next note", why)
        stiff = replace(
            NoteToPlace(0.0, 0.4, 57.0), clue=(((3, 2), 1.4), ((4, 7), 0.0), ((5, 12), 2.0))
        )
        why = explain(GUITAR, [stiff, notes[1]], Placement((4, 3), (7, 5), (5, 5), 0.0), 0).why
        self.assertIn("its overtones sound like string 4 (weight 1.4)", why)


if __name__ == "__main__":
    unittest.main()

"""Heard slurs are a clue to the place, and no law; what a person wrote is one.

Box positions of the minor pentatonic scale, two notes a string, are common practice.
"""

import unittest
from dataclasses import replace

from juxtanote.core.analysis.perceived import OtherReading, PerceivedNote
from juxtanote.core.fretboard.phrases import note_to_place
from juxtanote.core.fretboard.solver import place
from juxtanote.core.placing import place_heard
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.readings import take_runner_up
from juxtanote.core.theory.observed import Observation, Otherwise, Shows
from juxtanote.core.theory.tuning import Guitar

# A minor pentatonic at the fifth fret, from the sixth string up.
BOX = (
    (6, 5),
    (6, 8),
    (5, 5),
    (5, 7),
    (4, 5),
    (4, 7),
    (3, 5),
    (3, 7),
    (2, 5),
    (2, 8),
    (1, 5),
    (1, 8),
)
TO_B = 8  # the first note on the second string


def played(slurred: int, name: str, legato: float = 0.5) -> list[PerceivedNote]:
    """Hear the box upwards, one note of it named as slurred."""
    guitar, notes = Guitar(), []
    for k, (string, fret) in enumerate(BOX):
        pitch, weak = float(guitar.open_midi(string) + fret), Observation(Shows.WEAK_ATTACK, (2.0,))
        note = PerceivedNote(0.25 * k, 0.25 * k + 0.24, pitch, -18.0, 0.9)
        if k == slurred:
            note = replace(note, techniques=frozenset({name}), legato=legato, evidence=(weak,))
        notes.append(note)
    return notes


class HeardSlurs(unittest.TestCase):
    def test_one_that_breaks_the_box_is_not_written_but_still_shown(self) -> None:
        notes = place_heard(played(TO_B, "hammer-on"), Guitar(), "alternate")
        self.assertEqual([(n.written.string, n.written.fret) for n in notes], list(BOX))
        self.assertEqual(notes[TO_B].written.techniques, frozenset())
        self.assertIn(Shows.WEAK_ATTACK, {seen.of for seen in notes[TO_B].heard.evidence})

    def test_one_that_is_not_written_can_be_had_by_its_other_reading(self) -> None:
        heard = played(TO_B, "hammer-on")
        picked = OtherReading(heard[TO_B].midi, 0.4, Otherwise.PICKED)
        heard[TO_B] = replace(heard[TO_B], others=(picked,))
        notes = place_heard(heard, Guitar(), "alternate")
        (offered,) = notes[TO_B].heard.runner_ups
        self.assertEqual((offered.differs, offered.confidence), (Otherwise.SLURRED, 0.6))
        lesson = Lesson(phrases=(Phrase(1, "A", 0.0, 4.0, notes=tuple(notes)),))
        taken = take_runner_up(lesson, 1, notes[TO_B].ident)
        self.assertIn("hammer-on", taken.phrases[0].notes[TO_B].written.techniques)

    def test_one_that_fits_it_is_written(self) -> None:
        notes = place_heard(played(TO_B - 1, "hammer-on"), Guitar(), "alternate")
        self.assertEqual([(n.written.string, n.written.fret) for n in notes], list(BOX))
        self.assertEqual(notes[TO_B - 1].written.techniques, frozenset({"hammer-on"}))
        self.assertEqual(notes[TO_B - 1].written.stroke, "")

    def test_one_from_before_the_phrase_is_kept(self) -> None:
        notes = place_heard(played(0, "pull-off"), Guitar(), "alternate")
        self.assertEqual(notes[0].written.techniques, frozenset({"pull-off"}))

    def test_one_that_goes_the_wrong_way_is_not_written(self) -> None:
        notes = place_heard(played(TO_B - 1, "pull-off"), Guitar(), "alternate")
        self.assertEqual(notes[TO_B - 1].written.techniques, frozenset())
        self.assertTrue(notes[TO_B - 1].written.stroke)

    def test_what_is_written_is_kept_on_its_string(self) -> None:
        """A person who writes the same slur gets it: places follow what is written."""
        notes = place_heard(played(TO_B, "hammer-on"), Guitar(), "alternate")
        notes[TO_B] = notes[TO_B].rewritten("techniques", techniques=frozenset({"hammer-on"}))
        found = place(Guitar(), [note_to_place(note) for note in notes], school="alternate")
        self.assertEqual(found.strings[TO_B], found.strings[TO_B - 1])
        self.assertFalse(found.problems)


if __name__ == "__main__":
    unittest.main()

"""Runs with as many notes on each string, against patterns as methods print them (common practice)."""

import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.costs import BASE
from juxtanote.core.fretboard.even import begins_full, even_placements, runs_of
from juxtanote.core.fretboard.solver import EVEN, _search, alternatives, place, solve
from juxtanote.core.progress import no_progress
from juxtanote.core.theory.tuning import Guitar

GUITAR = Guitar()
G_MAJOR = {6: (3, 5, 7), 5: (3, 5, 7), 4: (4, 5, 7), 3: (4, 5, 7), 2: (5, 7, 8), 1: (5, 7, 8)}
A_MINOR_PENTATONIC = {6: (5, 8), 5: (5, 7), 4: (5, 7), 3: (5, 7), 2: (5, 8), 1: (5, 8)}
CHROMATIC = {6: (5, 6, 7, 8), 5: (4, 5, 6, 7), 4: (3, 4, 5, 6)}


def played(pattern: dict[int, tuple[int, ...]]) -> tuple[list[NoteToPlace], list[tuple[int, int]]]:
    """Run up a pattern: the notes without places, and the places."""
    places = [
        (string, fret) for string in sorted(pattern, reverse=True) for fret in pattern[string]
    ]
    notes = [
        NoteToPlace(0.2 * k, 0.2 * k + 0.19, GUITAR.midi_at(*place))
        for k, place in enumerate(places)
    ]
    return notes, places


def turned(notes: list[NoteToPlace]) -> list[NoteToPlace]:
    """Play notes up, and down again."""
    down = [
        replace(n, onset_s=0.2 * (len(notes) + k), offset_s=0.2 * (len(notes) + k) + 0.19)
        for k, n in enumerate(notes[-2::-1])
    ]
    return [*notes, *down]


class TestEvenWays(unittest.TestCase):
    def test_printed_patterns_are_among_the_ways_and_begin_full(self) -> None:
        for pattern in (G_MAJOR, A_MINOR_PENTATONIC, CHROMATIC):
            notes, places = played(pattern)
            (run,) = runs_of(notes)
            wanted = dict(enumerate(places))
            self.assertIn(wanted, even_placements(GUITAR, notes, run))
            self.assertTrue(begins_full(wanted, run))

    def test_printed_patterns_are_offered_whole(self) -> None:
        for pattern in (G_MAJOR, A_MINOR_PENTATONIC):
            notes, places = played(pattern)
            self.assertEqual(alternatives(GUITAR, notes)[0].strings, place(GUITAR, notes).strings)
            offered = [
                list(zip(way.strings, way.frets, strict=True))
                for way in alternatives(GUITAR, notes)
            ]
            self.assertIn(places, offered)

    def test_a_run_that_fills_its_strings_comes_first_where_it_costs_little_more(self) -> None:
        """Three a string down four strings, as methods print scales: the search alone mixes shares."""
        down = {1: (12, 10, 8), 2: (12, 10, 8), 3: (11, 9, 7), 4: (10, 9, 7)}
        places = [(string, fret) for string, frets in down.items() for fret in frets]
        notes = [
            NoteToPlace(0.14 * k, 0.14 * k + 0.13, GUITAR.midi_at(*at))
            for k, at in enumerate(places)
        ]
        first = place(GUITAR, notes, school="alternate")
        self.assertEqual(list(zip(first.strings, first.frets, strict=True)), places)
        searched = solve(GUITAR, notes, school="alternate")
        self.assertNotEqual(searched.strings, first.strings)

    def test_ways_searched_in_one_pass_are_each_kept_and_cost_what_locks_cost(self) -> None:
        notes, _ = played(A_MINOR_PENTATONIC)
        last = [
            replace(notes[0], onset_s=4.0, offset_s=4.3),
            replace(notes[4], onset_s=4.4, offset_s=4.6),
        ]
        (run,) = runs_of(notes)
        ways = even_placements(GUITAR, notes, run)
        self.assertGreater(len(ways), 1)
        names = {str(k): BASE for k in range(len(ways))}
        paths, _ = _search(GUITAR, [*notes, *last], names, no_progress, None, ways)
        for way, path in zip(ways, paths.values(), strict=True):
            self.assertEqual({k: (path.strings[k], path.frets[k]) for k in way}, way)
            locked = [
                replace(n, string=way[k][0], fret=way[k][1]) if k in way else n
                for k, n in enumerate([*notes, *last])
            ]
            alone = solve(GUITAR, locked, weights=BASE)
            self.assertAlmostEqual(path.common_cost, alone.cost, places=6)

    def test_a_run_that_turns_is_two_runs_that_share_a_note(self) -> None:
        notes, places = played(G_MAJOR)
        up, down = runs_of(turned(notes))
        self.assertEqual((up[0], up[-1], down[0], down[-1]), (0, 17, 17, 34))
        ways = alternatives(GUITAR, turned(notes))
        both = [list(zip(w.strings, w.frets, strict=True)) for w in ways if w.favours == EVEN]
        both += [list(zip(ways[0].strings, ways[0].frets, strict=True))]
        self.assertIn([*places, *places[-2::-1]], both)

    def test_leaps_repeated_pitches_and_grips_end_a_run(self) -> None:
        notes, _ = played(G_MAJOR)
        for change in (
            replace(notes[9], midi=notes[9].midi + 7.0),
            replace(notes[9], midi=notes[8].midi),
            replace(notes[9], onset_s=notes[8].onset_s + 0.001),
        ):
            broken = [*notes[:9], change, *notes[10:]]
            self.assertTrue(all(len(run) < len(notes) for run in runs_of(broken)))

    def test_what_is_locked_stays(self) -> None:
        notes, places = played(G_MAJOR)
        elsewhere = replace(notes[3], string=6, fret=8)
        for way in even_placements(GUITAR, [*notes[:3], elsewhere, *notes[4:]], tuple(range(18))):
            self.assertEqual(way[3], (6, 8))
        self.assertNotEqual(places[3], (6, 8))

    @given(
        st.integers(40, 62),
        st.lists(st.integers(1, 4), min_size=7, max_size=14),
        st.booleans(),
    )
    def test_every_way_sounds_right_and_has_even_shares(
        self, low: int, steps: list[int], falling: bool
    ) -> None:
        pitches = [low]
        for step in steps:
            pitches.append(pitches[-1] + step)
        pitches = pitches[::-1] if falling else pitches
        notes = [NoteToPlace(0.2 * k, 0.2 * k + 0.19, float(m)) for k, m in enumerate(pitches)]
        for run in runs_of(notes):
            for way in even_placements(GUITAR, notes, run):
                self.assertTrue(all(GUITAR.midi_at(*way[k]) == notes[k].midi for k in run))
                strings = [way[k][0] for k in run]
                shares = [strings.count(s) for s in dict.fromkeys(strings)]
                self.assertEqual(len(set(shares[1:-1])) <= 1, True)
                self.assertLessEqual(max(shares[0], shares[-1]), max(shares[1:-1]))


if __name__ == "__main__":
    unittest.main()

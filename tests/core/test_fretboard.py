"""Places, hard rules, the solver, fingers and strokes, reasons."""

import itertools
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtanote.core.errors import TuningError
from juxtanote.core.fretboard.candidates import NoteToPlace, find_candidates
from juxtanote.core.fretboard.costs import (
    BASE,
    forbidden_moves,
    in_time,
    moving_features,
    standing_features,
)
from juxtanote.core.fretboard.fingers import choose_fingers, shape_fingers, supporting_fingers
from juxtanote.core.fretboard.reasons import explain, phrase_sentence
from juxtanote.core.fretboard.search import INSIDE
from juxtanote.core.fretboard.solver import Placement, alternatives, solve
from juxtanote.core.fretboard.states import group_events, hand_states
from juxtanote.core.fretboard.strokes import (
    alternate_strokes,
    choose_strokes,
    count_changes,
    is_inside,
)
from juxtanote.core.theory.tuning import Guitar

GUITAR = Guitar()


def line(*pitches: float, step_s: float = 0.25) -> list[NoteToPlace]:
    """Make a line of notes one after the other."""
    return [NoteToPlace(i * step_s, (i + 0.95) * step_s, p) for i, p in enumerate(pitches)]


def with_tags(note: NoteToPlace, *tags: str, bend: float = 0.0) -> NoteToPlace:
    """Mark a note."""
    return NoteToPlace(note.onset_s, note.offset_s, note.midi, frozenset(tags), bend)


class TestCandidates(unittest.TestCase):
    def test_every_candidate_has_the_pitch(self) -> None:
        for midi in range(40, 87):
            for string, fret in find_candidates(GUITAR, NoteToPlace(0, 1, midi)):
                self.assertEqual(GUITAR.midi_at(string, fret), midi)

    def test_a_pitch_below_the_guitar_has_no_place(self) -> None:
        self.assertEqual(find_candidates(GUITAR, NoteToPlace(0, 1, 30)), [])

    def test_harmonics_sit_at_nodes(self) -> None:
        note = NoteToPlace(0, 1, 67.0, frozenset({"natural-harmonic"}))
        self.assertIn((3, 12), find_candidates(GUITAR, note))

    def test_locks_narrow_the_choice(self) -> None:
        self.assertEqual(find_candidates(GUITAR, NoteToPlace(0, 1, 64, string=3)), [(3, 9)])
        self.assertEqual(find_candidates(GUITAR, NoteToPlace(0, 1, 64, fret=5)), [(2, 5)])


class TestSolver(unittest.TestCase):
    def test_a_box_lick_is_placed_in_its_box(self) -> None:
        notes = line(57, 60, 62, 64, 67, 69, 72, 69, 67, 64)
        placement = solve(GUITAR, notes)
        places = list(zip(placement.strings, placement.frets, strict=True))
        self.assertEqual(
            places,
            [(4, 7), (3, 5), (3, 7), (2, 5), (2, 8), (1, 5), (1, 8), (1, 5), (2, 8), (2, 5)],
        )
        self.assertEqual(set(placement.positions), {5})
        self.assertIn("one position at fret 5", phrase_sentence(placement))

    def test_slurs_stay_on_one_string(self) -> None:
        notes = line(64, 67, 64, 62, 60)
        notes[1] = with_tags(notes[1], "hammer-on")
        notes[2] = with_tags(notes[2], "pull-off")
        placement = solve(GUITAR, notes)
        self.assertEqual(len(set(placement.strings[:3])), 1)
        self.assertEqual(placement.problems, ())

    def test_notes_that_ring_together_are_on_different_strings(self) -> None:
        notes = [NoteToPlace(0.3 * i, 0.3 * i + 1.2, p) for i, p in enumerate((48, 52, 55, 60, 64))]
        placement = solve(GUITAR, notes)
        self.assertEqual(len(set(placement.strings[1:])), 4)

    def test_a_grip_uses_each_string_once(self) -> None:
        grip = [NoteToPlace(0.0, 1.0, p) for p in (48, 52, 55, 60, 64)]
        placement = solve(GUITAR, grip)
        self.assertEqual(len(set(placement.strings)), 5)
        frets = [f for f in placement.frets if f]
        self.assertLessEqual(max(frets) - min(frets), 4)

    def test_locked_places_are_kept_and_the_rest_follows(self) -> None:
        notes = line(64, 67, 69, 67)
        free = solve(GUITAR, notes)
        notes[0] = NoteToPlace(0.0, 0.2, 64, string=4, fret=14)
        locked = solve(GUITAR, notes)
        self.assertEqual((locked.strings[0], locked.frets[0]), (4, 14))
        self.assertNotEqual(free.strings[1:], locked.strings[1:])
        self.assertGreaterEqual(min(locked.frets), 10)

    def test_what_cannot_be_played_is_said_and_still_tried(self) -> None:
        too_low = solve(GUITAR, line(60, 30, 62))
        self.assertIn("outside this guitar", too_low.problems[0])
        self.assertEqual(len(too_low.strings), 3)
        clash = [NoteToPlace(0, 1, 41), NoteToPlace(0, 1, 42)]
        self.assertIn("share one", solve(GUITAR, clash).problems[0])
        torn = line(64, 41)
        torn[1] = with_tags(torn[1], "pull-off")
        self.assertTrue(solve(GUITAR, torn).problems)

    def test_a_bend_avoids_thick_strings_and_the_nut(self) -> None:
        notes = line(62, 64, 67)
        notes[2] = with_tags(notes[2], "bend", bend=2.0)
        placement = solve(GUITAR, notes)
        self.assertIn(placement.strings[2], (1, 2, 3))
        self.assertGreater(placement.frets[2], 4)

    def test_an_empty_phrase_is_placed(self) -> None:
        self.assertEqual(solve(GUITAR, []).strings, ())

    def test_alternatives_differ_and_are_named(self) -> None:
        ways = alternatives(GUITAR, line(57, 60, 62, 64, 67, 69))
        self.assertGreater(len(ways), 1)
        self.assertLessEqual(len(ways), 5)
        self.assertEqual(len({(w.strings, w.frets) for w in ways}), len(ways))
        self.assertEqual(len({w.favours for w in ways}), len(ways))

    @given(st.lists(st.integers(45, 74), min_size=1, max_size=4), st.randoms())
    @settings(max_examples=20, deadline=None)
    def test_the_search_equals_trying_everything(self, pitches: list[int], random) -> None:  # type: ignore[no-untyped-def]
        notes = line(*pitches, step_s=random.choice([0.15, 0.4]))
        placement = solve(GUITAR, notes)
        self.assertAlmostEqual(placement.cost, cheapest_of_all(notes), places=6)

    @given(st.lists(st.integers(40, 80), min_size=2, max_size=14), st.integers(0, 999))
    @settings(max_examples=40, deadline=None)
    def test_hard_rules_are_never_broken(self, pitches: list[int], seed: int) -> None:
        notes = with_slurs(line(*pitches), seed)
        placement = solve(GUITAR, notes)
        if placement.problems:
            return
        for i, note in enumerate(notes):
            sounding = GUITAR.midi_at(placement.strings[i], placement.frets[i])
            self.assertEqual(sounding, note.midi)
            if note.techniques:
                self.assertEqual(placement.strings[i], placement.strings[i - 1])


class TestStrokesAndPlaces(unittest.TestCase):
    @given(
        st.lists(st.integers(50, 72), min_size=3, max_size=4), st.integers(0, 99),
        st.sampled_from(["alternate", "economy"]),
    )  # fmt: skip
    @settings(max_examples=25, deadline=None)
    def test_strokes_and_places_are_searched_together(
        self, pitches: list[int], seed: int, school: str
    ) -> None:
        """Every choice of places, its strokes counted afterwards: none is cheaper than the search."""
        notes = with_slurs(line(*pitches), seed)
        found = solve(GUITAR, notes, school=school)
        costs = []
        for places in itertools.product(*(find_candidates(GUITAR, n) for n in notes)):
            there = [replace(n, string=s, fret=f) for n, (s, f) in zip(notes, places, strict=True)]
            way = solve(GUITAR, there)
            if not way.problems:
                strokes = choose_strokes(notes, way.strings, school)
                costs.append(way.cost + INSIDE * count_changes(strokes, way.strings)[1])
        self.assertAlmostEqual(found.cost, min(costs), places=6)

    @given(st.lists(st.integers(45, 76), min_size=2, max_size=12), st.integers(0, 99))
    @settings(max_examples=30, deadline=None)
    def test_strokes_known_before_the_places_are_those_chosen_after(
        self, pitches: list[int], seed: int
    ) -> None:
        notes = with_slurs(line(*pitches), seed)
        strings = solve(GUITAR, notes).strings
        self.assertEqual(
            tuple(alternate_strokes(notes)), choose_strokes(notes, strings, "alternate")
        )

    def test_the_direction_of_a_strum_is_heard(self) -> None:
        grip = [NoteToPlace(0.01 * k, 1.0, m) for k, m in enumerate((45.0, 52.0, 57.0))]
        self.assertEqual(alternate_strokes([*grip, NoteToPlace(1.0, 1.5, 60.0)]), ["down", "up"])
        upward = [replace(n, midi=m) for n, m in zip(grip, (57.0, 52.0, 45.0), strict=True)]
        self.assertEqual(alternate_strokes(upward), ["up"])

    def test_inside_and_outside(self) -> None:
        """Down on the thinner and up on the thicker string is inside, by the words of the trade."""
        thin, thick, down, up = 1, 2, True, False
        self.assertTrue(is_inside(down, up, thin, thick))
        self.assertTrue(is_inside(up, down, thick, thin))
        self.assertFalse(is_inside(down, up, thick, thin))
        self.assertFalse(is_inside(down, down, thin, thick))
        self.assertEqual(count_changes((), ()), (0, 0))
        self.assertEqual(count_changes(("down", "", "up", "down"), (1, 1, 2, 3)), (1, 1))


def with_slurs(notes: list[NoteToPlace], seed: int) -> list[NoteToPlace]:
    """Slur some of the steps of a line."""
    rng = np.random.default_rng(seed)
    for i in range(1, len(notes)):
        step = notes[i].midi - notes[i - 1].midi
        if step and abs(step) <= 4 and rng.random() < 0.4:
            notes[i] = with_tags(notes[i], "hammer-on" if step > 0 else "pull-off")
    return notes


def cheapest_of_all(notes: list[NoteToPlace]) -> float:
    """Cost every combination of states with the same features, one by one."""
    events = group_events(notes)
    columns = [hand_states(GUITAR, notes, event, []) for event in events]
    best = np.inf
    own = [
        BASE.standing() @ standing_features(GUITAR, states, event.traits)
        for states, event in zip(columns, events, strict=True)
    ]
    moves = []
    for k in range(len(events) - 1):
        traits = (events[k].traits, events[k + 1].traits)
        gap = events[k + 1].onset_s - events[k].onset_s
        features = moving_features(GUITAR, columns[k], columns[k + 1], *traits)
        forbidden = forbidden_moves(columns[k], columns[k + 1], *traits)
        moves.append(np.tensordot(in_time(BASE.moving(), gap), features, 1) + forbidden)
    for way in itertools.product(*(range(len(c)) for c in columns)):
        cost = sum(own[k][s] for k, s in enumerate(way))
        cost += sum(moves[k][way[k], way[k + 1]] for k in range(len(way) - 1))
        best = min(best, float(cost))
        if len(way) > 3:
            break
    if len(columns) > 3:
        # Four events have too many ways to list: add them up column by column instead.
        total = np.asarray(own[0])
        for k, matrix in enumerate(moves):
            total = np.min(total[:, None] + matrix, axis=0) + own[k + 1]
        best = float(total.min())
    return best


class TestHands(unittest.TestCase):
    def place(
        self, notes: list[NoteToPlace], strings: tuple, frets: tuple, positions: tuple
    ) -> Placement:
        return Placement(strings, frets, positions, 0.0)

    def test_one_finger_a_fret(self) -> None:
        notes = line(57, 60, 62, 67)
        placement = self.place(notes, (4, 3, 3, 2), (7, 5, 7, 8), (5, 5, 5, 5))
        self.assertEqual(choose_fingers(notes, placement), ("3", "1", "3", "4"))

    def test_a_stretched_shape_is_played_one_two_four(self) -> None:
        notes = line(60, 62, 64)
        placement = self.place(notes, (3, 3, 3), (5, 7, 9), (5, 5, 5))
        self.assertEqual(choose_fingers(notes, placement), ("1", "2", "4"))

    def test_a_slide_keeps_its_finger_and_open_strings_need_none(self) -> None:
        notes = line(62, 64, 55)
        notes[1] = with_tags(notes[1], "slide")
        placement = self.place(notes, (3, 3, 3), (7, 9, 0), (5, 7, 7))
        self.assertEqual(choose_fingers(notes, placement), ("3", "3", "0"))

    def test_grips_are_fingered_as_chord_charts_show_them(self) -> None:
        # Fingerings as beginners' chord charts print them, thickest string first (common practice).
        charts = {
            "C": (((5, 3), (4, 2), (3, 0), (2, 1), (1, 0)), "32010"),
            "G": (((6, 3), (5, 2), (4, 0), (3, 0), (2, 0), (1, 3)), "210003"),
            "E": (((6, 0), (5, 2), (4, 2), (3, 1), (2, 0), (1, 0)), "023100"),
            "F": (((6, 1), (5, 3), (4, 3), (3, 2), (2, 1), (1, 1)), "134211"),
            "Cm": (((5, 3), (4, 5), (3, 5), (2, 4), (1, 3)), "13421"),
            "A": (((5, 0), (4, 2), (3, 2), (2, 2), (1, 0)), "01230"),
            "A5": (((6, 5), (5, 7), (4, 7)), "134"),
            "D over F sharp": (((6, 2), (4, 0), (3, 2), (2, 3), (1, 2)), "T0132"),
        }
        for name, (places, wanted) in charts.items():
            with self.subTest(chord=name):
                self.assertEqual("".join(shape_fingers(places, GUITAR)), wanted)

    def test_a_thumb_that_stays_behind_the_neck_is_not_used(self) -> None:
        places = ((6, 2), (4, 0), (3, 2), (2, 3), (1, 2))
        self.assertNotIn("T", shape_fingers(places, Guitar(thumb_over=False)))

    @given(
        st.lists(st.integers(0, 5), min_size=3, max_size=6),
        st.integers(0, 8),
    )
    def test_no_finger_is_at_two_frets_and_no_barre_stops_an_open_string(
        self, shape: list[int], low: int
    ) -> None:
        places = tuple((6 - k, fret + low if fret else 0) for k, fret in enumerate(shape))
        fingers = shape_fingers(places, GUITAR)
        if sum(fret > 0 for _, fret in places) > 4:
            return  # more notes than fingers: a barre may be needed and may not be there
        for finger in "1234":
            held = [place for place, f in zip(places, fingers, strict=True) if f == finger]
            self.assertLessEqual(len({fret for _, fret in held}), 1)
            strings = [string for string, _ in held]
            inside = [f for s, f in places if strings and min(strings) < s < max(strings)]
            self.assertTrue(all(f >= held[0][1] for f in inside))

    def test_the_bar_is_on_the_chosen_finger_and_others_fret_behind_it(self) -> None:
        notes = [with_tags(n, "bar") for n in line(67, 69)]
        notes += line(62)
        notes[2] = NoteToPlace(0.5, 0.7, 62)
        for finger in (2, 3, 4):
            guitar = Guitar(bar_finger=finger)
            placement = solve(guitar, notes)
            made = choose_fingers(notes, placement, guitar)
            self.assertEqual(made[:2], (str(finger),) * 2)
            self.assertEqual(placement.positions[0], max(placement.frets[0] - finger + 1, 1))
        with self.assertRaisesRegex(TuningError, "finger 1"):
            Guitar(bar_finger=1)

    def test_the_bar_leans_where_two_strings_need_it_and_no_further(self) -> None:
        def together(*midis: int) -> list[NoteToPlace]:
            return [NoteToPlace(0.0, 0.5, m, frozenset({"bar"})) for m in midis]

        thirds = solve(GUITAR, together(68, 71))  # a minor third lies on no two strings straight
        self.assertEqual(thirds.problems, ())
        self.assertEqual(
            {abs(thirds.strings[0] - thirds.strings[1]), abs(thirds.frets[0] - thirds.frets[1])},
            {1},
        )
        fourths = solve(GUITAR, together(67, 72))
        self.assertEqual(len(set(fourths.frets)), 1)  # straight where it can be
        self.assertTrue(solve(GUITAR, together(70, 71)).problems)

    def test_tapped_cells_may_move_to_the_next_string(self) -> None:
        notes = line(78, 71, 74, 83, 76, 79, step_s=0.1)
        tags = ("tap", "pull-off", "hammer-on")
        notes = [with_tags(n, tags[k % 3]) for k, n in enumerate(notes)]
        locked = [
            NoteToPlace(n.onset_s, n.offset_s, n.midi, n.techniques, 0.0, string)
            for n, string in zip(notes, (2, 2, 2, 1, 1, 1), strict=True)
        ]
        self.assertEqual(solve(GUITAR, locked).problems, ())
        torn = [
            NoteToPlace(n.onset_s, n.offset_s, n.midi, n.techniques, 0.0, string)
            for n, string in zip(notes, (2, 1, 1, 1, 1, 1), strict=True)
        ]
        self.assertIn("pull-off", solve(GUITAR, torn).problems[0])

    def test_the_school_of_strokes_decides_between_placements(self) -> None:
        # Of placements that are ranked, the first never has more inside changes at the same ease.
        notes = line(57, 60, 62, 64, 62, 60, 57, 60, 62, 64, 67, 64)
        for school in ("alternate", "down", "economy"):
            ways = alternatives(GUITAR, notes, school=school)
            inside = [
                count_changes(choose_strokes(notes, w.strings, school), w.strings)[1] for w in ways
            ]
            plain = alternatives(GUITAR, notes)
            same = [w for w in plain if w.strings == ways[0].strings and w.frets == ways[0].frets]
            self.assertTrue(same)
            first = count_changes(choose_strokes(notes, plain[0].strings, school), plain[0].strings)
            self.assertLessEqual(inside[0], first[1])

    def test_strokes_follow_their_school(self) -> None:
        notes = line(57, 60, 62, 64, 67)
        notes[2] = with_tags(notes[2], "hammer-on")
        placement = self.place(notes, (4, 3, 3, 2, 2), (7, 5, 7, 5, 8), (5,) * 5)
        schools = {
            "alternate": ("down", "up", "", "down", "up"),
            "down": ("down", "down", "", "down", "down"),
            "economy": ("down", "down", "", "down", "up"),
            "hybrid": ("down", "middle", "", "middle", "down"),
            "fingers": ("thumb", "index", "", "middle", "middle"),
        }
        for school, strokes in schools.items():
            with self.subTest(school=school):
                self.assertEqual(choose_strokes(notes, placement.strings, school), strokes)

    def test_a_strum_goes_the_way_its_strings_are_heard(self) -> None:
        for strings, wanted in (((5, 4, 3), "down"), ((1, 2, 3), "up"), ((5, 3, 4), "down")):
            notes = [
                NoteToPlace(0.006 * k, 0.5, GUITAR.midi_at(string, 2))
                for k, string in enumerate(strings)
            ]
            with self.subTest(strings=strings):
                self.assertEqual(choose_strokes(notes, strings, "alternate"), (wanted,) * 3)
        at_once = [NoteToPlace(0.0, 0.5, GUITAR.midi_at(s, 2)) for s in (1, 2, 3)]
        self.assertEqual(choose_strokes(at_once, (1, 2, 3), "alternate")[0], "down")

    def test_a_bend_has_the_fingers_behind_it_push_along(self) -> None:
        self.assertEqual(supporting_fingers("3"), ("1", "2"))
        self.assertEqual(supporting_fingers("4"), ("2", "3"))
        self.assertEqual([supporting_fingers(f) for f in ("1", "0", "T", "")], [()] * 4)

    def test_inside_and_outside_changes_are_counted(self) -> None:
        # Down on the thicker, then up on the thinner, travels around both: outside.
        self.assertEqual(count_changes(("down", "up"), (4, 3)), (1, 0))
        self.assertEqual(count_changes(("up", "down"), (4, 3)), (0, 1))
        self.assertEqual(count_changes(("down", "up"), (3, 4)), (0, 1))
        self.assertEqual(count_changes(("down", "down"), (4, 3)), (0, 0))


class TestReasons(unittest.TestCase):
    def _explain(self, notes: list[NoteToPlace], index: int):  # type: ignore[no-untyped-def]
        placement = solve(GUITAR, notes)
        return placement, explain(GUITAR, notes, placement, index)

    def test_every_place_of_the_pitch_is_listed_once(self) -> None:
        _, reasons = self._explain(line(57, 60, 62, 64), 3)
        places = [(c.string, c.fret) for c in reasons.candidates]
        self.assertEqual(sorted(places), sorted(find_candidates(GUITAR, NoteToPlace(0, 1, 64))))
        self.assertTrue(reasons.candidates[0].chosen)
        self.assertEqual(sum(c.chosen for c in reasons.candidates), 1)

    def test_the_chosen_place_is_the_cheapest_beside_its_neighbours(self) -> None:
        _, reasons = self._explain(line(57, 60, 62, 64, 67), 2)
        self.assertEqual(min(reasons.candidates, key=lambda c: c.cost).chosen, True)

    def test_a_needed_pull_off_is_named(self) -> None:
        notes = line(60, 67, 64)
        notes[2] = with_tags(notes[2], "pull-off")
        placement, reasons = self._explain(notes, 1)
        self.assertIn(f"the pull off after it needs fret {placement.frets[2]} here", reasons.why)
        others = [c for c in reasons.candidates if not c.chosen]
        self.assertTrue(all(not c.possible for c in others))
        self.assertTrue(all("slur" in c.words for c in others))

    def test_staying_in_position_is_named_only_where_true(self) -> None:
        notes = line(57, 60, 62, 64, 67, 69)
        placement = solve(GUITAR, notes)
        for index in range(1, len(notes)):
            reasons = explain(GUITAR, notes, placement, index)
            stays = placement.positions[index] == placement.positions[index - 1]
            said = any(line.startswith("the hand stays") for line in reasons.why)
            self.assertEqual(said, stays and placement.frets[index] > 0)

    def test_fingers_behind_a_bend_are_counted(self) -> None:
        notes = line(62, 64, 67, 64)
        notes[2] = with_tags(notes[2], "bend", bend=2.0)
        placement, reasons = self._explain(notes, 2)
        behind = placement.frets[2] - placement.positions[2]
        word = {2: "two", 3: "three"}.get(behind)
        said = [w for w in reasons.why if "fingers behind" in w]
        self.assertEqual(bool(said), word is not None)
        if word:
            self.assertIn(word, said[0])

    def test_a_lock_is_told(self) -> None:
        notes = line(64, 67)
        notes[0] = NoteToPlace(0.0, 0.2, 64, string=3, fret=9)
        _, reasons = self._explain(notes, 0)
        self.assertIn("you put it here", reasons.why)

    def test_the_only_place_is_told(self) -> None:
        _, reasons = self._explain(line(40, 43), 0)
        self.assertIn("the only place for this pitch", reasons.why)


if __name__ == "__main__":
    unittest.main()

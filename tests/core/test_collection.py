"""The collection: words, facts and music; `juxtanote find`; an index that may be killed or damaged."""

import contextlib
import io
import json
import math
import os
import tempfile
import unittest
from collections import Counter
from dataclasses import replace
from datetime import date
from pathlib import Path
from unittest.mock import patch

import numpy as np

from bench.collection import a_lesson, disguised
from juxtanote.cli import main
from juxtanote.core.audio.sound import Sound
from juxtanote.core.collection import index as indexing
from juxtanote.core.collection.cards import cards_of
from juxtanote.core.collection.heard import line_of
from juxtanote.core.collection.index import Index
from juxtanote.core.collection.lists import Entry, by_lesson, moved, read_lists, write_lists
from juxtanote.core.collection.music import (
    SKIP,
    SPAN,
    Likeness,
    Profiles,
    _features_of,
    nearness_of,
    nearnesses,
    resemblances,
)
from juxtanote.core.collection.picture import small_tab
from juxtanote.core.collection.search import Hit, families, parse_query, search
from juxtanote.core.collection.shelf import Shelf
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.csv_notes import write_lesson_notes
from juxtanote.core.formats.lesson_file import save_lesson
from juxtanote.core.score.kept import Kept, LogEntry
from juxtanote.core.synth.render import render_phrase
from tests.lessons import small_lesson

LINE = (57, 60, 62, 64, 67, 64, 62, 60)
STEPS = (0.5,) * 7


def profile(pitches: tuple[int, ...]) -> Counter[tuple[int, ...]]:
    """Count rows of two and three intervals, also those over a note between, one by one."""

    def steps(reach: int) -> list[int]:
        pairs = zip(pitches, pitches[reach:], strict=False)
        return [max(min(b - a, SPAN), -SPAN) for a, b in pairs]

    one, two = steps(1), steps(2)
    counts: Counter[tuple[int, ...]] = Counter()
    for rows in (
        (one, one[1:]), (two, one[2:]), (one, two[1:]), (one, one[1:], one[2:]),
        (two, one[2:], one[3:]), (one, two[1:], one[3:]), (one, one[1:], two[2:]),
    ):  # fmt: skip
        counts.update(zip(*rows, strict=False))
    return counts


def nearness(wanted, wanted_steps, line, steps) -> float:  # type: ignore[no-untyped-def]
    return nearnesses((wanted, wanted_steps), [(line, steps)])[0]


def plainly_near(wanted, wanted_steps, line, steps) -> float:  # type: ignore[no-untyped-def]
    """Do the same cell by cell: Mongeau and Sankoff's distance (1990), in the three likeliest keys."""
    if not wanted or not line:
        return 0.0
    if len(wanted) > len(line):
        wanted, wanted_steps, line, steps = line, steps, wanted, wanted_steps

    def change(durations, k: int, count: int) -> float | None:  # type: ignore[no-untyped-def]
        known = durations[: count - 1]
        return math.log2(known[k] / known[k - 1]) if 0 < k < len(known) else None

    costs = []
    keys = Counter(b - a for b in line for a in wanted).most_common(3)
    for key, _ in keys:
        row = [0.0] * (len(line) + 1)
        for i, a in enumerate(wanted):
            after = [row[0] + 0.7]
            for j, b in enumerate(line):
                one, other = change(wanted_steps, i, len(wanted)), change(steps, j, len(line))
                known = one is not None and other is not None
                rhythm = 0.25 * min(abs(one - other), 1.0) if known else 0.0
                pair = 0.5 * min(abs(b - a - key), 2.0) + rhythm
                after.append(min(row[j] + pair, row[j + 1] + 0.7, after[j] + 0.7))
            row = after
        costs.append(min(row))
    return 1.0 - min(min(costs) / (0.7 * len(wanted)), 1.0)


class TestNearness(unittest.TestCase):
    def test_a_line_is_itself_in_any_key(self) -> None:
        moved = tuple(p + 5 for p in LINE)
        self.assertAlmostEqual(nearness(LINE, STEPS, moved, STEPS), 1.0)
        self.assertAlmostEqual(nearness(LINE, STEPS, LINE, tuple(2 * s for s in STEPS)), 1.0)

    def test_a_note_more_or_less_costs_little_and_another_line_much(self) -> None:
        less = LINE[:3] + LINE[4:]
        more = (*LINE[:4], 66, *LINE[4:])
        other = (57, 58, 70, 51, 66, 59, 73, 52)
        for line in (less, more):
            self.assertGreater(nearness(LINE, STEPS, line, STEPS), 0.75)
        self.assertLess(nearness(LINE, STEPS, other, STEPS), 0.5)

    def test_a_cell_is_found_inside_a_longer_line(self) -> None:
        longer = (50, 52, *(p + 2 for p in LINE), 71, 70)
        self.assertGreater(nearness(LINE, STEPS, longer, (0.5,) * 11), 0.95)
        self.assertGreater(nearness(longer, (0.5,) * 11, LINE, STEPS), 0.95)


class InFolder(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.lessons = self.folder / "lessons"
        self.lessons.mkdir()

    def index(self) -> Index:
        made = Index(self.folder / "index.sqlite")
        self.addCleanup(made.close)
        return made

    def found(self, made: Index, text: str, **more: object) -> list[str]:
        query = parse_query(text, date(2026, 11, 20))
        hits = search(made.cards([self.lessons], query.words), query, **more)  # type: ignore[arg-type]
        return [hit.card.phrase for hit in hits]


class TestIndex(InFolder):
    def test_many_lines_at_once_are_as_near_as_the_textbook_says(self) -> None:
        rng = np.random.default_rng(8)
        lines = []
        for _ in range(60):
            count = int(rng.integers(0, 14))
            pitches = tuple(int(p) for p in 50 + rng.integers(0, 20, count))
            lines.append((pitches, tuple(float(s) for s in rng.choice([0.25, 0.5, 1.0], count))))
        for wanted in (LINE, LINE[:3], (60,)):
            alone = [plainly_near(wanted, STEPS, *line) for line in lines]
            np.testing.assert_allclose(nearnesses((wanted, STEPS), lines), alone, atol=1e-6)

    def test_what_is_given_up_on_the_way_would_not_have_come_near(self) -> None:
        rng = np.random.default_rng(11)
        lines = [
            (tuple(int(p) for p in 50 + np.cumsum(rng.integers(-3, 4, 12))), STEPS)
            for _ in range(80)
        ]
        pairs = [(a, b) for a in range(40) for b in range(a, 80)]
        every = np.array(nearness_of(lines, pairs))
        for least in (0.4, 0.6, 0.86):
            some = np.array(nearness_of(lines, pairs, at_least=least))
            near = every >= least
            np.testing.assert_array_equal(some[near], every[near])
            self.assertLess(float(some[~near].max()), least)
            self.assertTrue(near.any() and not near.all())

    def test_intervals_are_numbered_as_they_are_counted(self) -> None:
        rng = np.random.default_rng(9)
        lines = [
            tuple(int(p) for p in rng.integers(40, 90, int(n))) for n in rng.integers(0, 9, 40)
        ]
        owners, features = _features_of([(line, ()) for line in lines], Likeness.LINE)
        counts = np.bincount(owners, minlength=len(lines)).tolist()
        self.assertEqual(counts, [len(profile(line)) for line in lines])
        shared = [
            len(set(features[owners == a]) & set(features[owners == b]))
            for a, b in zip(range(39), range(1, 40), strict=True)
        ]
        self.assertEqual(
            shared,
            [
                len(profile(a).keys() & profile(b).keys())
                for a, b in zip(lines, lines[1:], strict=False)
            ],
        )

    def test_what_lines_share_is_counted_as_often_as_it_comes(self) -> None:
        rng = np.random.default_rng(10)
        lines = [
            tuple(int(p) for p in 60 + rng.integers(0, 3, int(n))) for n in rng.integers(0, 15, 30)
        ]
        counts = [profile(line) for line in lines]
        wanted = [
            [(one & other).total() / max(one.total(), 1) for other in counts] for one in counts
        ]
        np.testing.assert_allclose(resemblances(lines), wanted, atol=1e-6)
        self.assertEqual(resemblances([]).shape, (0, 0))

    def test_it_follows_files_that_come_change_and_go(self) -> None:
        made, path = self.index(), self.lessons / "a.juxta"
        save_lesson(small_lesson(), path)
        self.assertEqual(made.follow([self.lessons]), [])
        names = {p.name for p in small_lesson().phrases}
        self.assertLessEqual(names, set(self.found(made, "")))
        save_lesson(replace(small_lesson(), title="Renamed"), path)
        os.utime(path, ns=(1, 1))
        made.follow([self.lessons])
        self.assertTrue(self.found(made, "renamed"))
        path.unlink()
        made.follow([self.lessons])
        self.assertEqual(self.found(made, ""), [])

    def test_a_folder_whose_name_begins_alike_is_another_folder(self) -> None:
        made, beside = self.index(), self.folder / "lessons of last year"
        beside.mkdir()
        save_lesson(small_lesson(), beside / "a.juxta")
        made.follow([beside])
        made.follow([self.lessons])  # forgets what is gone from there, and nothing else
        self.assertEqual(len(list(made.cards([beside]))), len(small_lesson().phrases))
        self.assertEqual(list(made.cards([self.lessons])), [])

    def test_a_damaged_lesson_is_said_and_left_out(self) -> None:
        (self.lessons / "bad.juxta").write_bytes(b"PK no zip")
        save_lesson(small_lesson(), self.lessons / "good.juxta")
        made = self.index()
        told = made.follow([self.lessons])
        self.assertEqual(len(told), 1)
        self.assertIn("bad.juxta", told[0])
        self.assertTrue(self.found(made, ""))

    def test_a_damaged_index_is_made_anew(self) -> None:
        save_lesson(small_lesson(), self.lessons / "a.juxta")
        (self.folder / "index.sqlite").write_bytes(b"SQLite format 3\0" + b"\xff" * 4000)
        made = self.index()
        made.follow([self.lessons])
        self.assertTrue(self.found(made, ""))

    def test_what_dies_on_the_way_leaves_no_half_of_a_lesson(self) -> None:
        save_lesson(a_lesson(1, 4), self.lessons / "a.juxta")
        made, count = self.index(), [0]
        whole = indexing.asdict

        def dies(card: object) -> object:
            count[0] += 1
            if count[0] == 3:
                raise KeyboardInterrupt
            return whole(card)  # type: ignore[call-overload]

        with patch.object(indexing, "asdict", dies), self.assertRaises(KeyboardInterrupt):
            made.follow([self.lessons])
        self.assertEqual(self.found(made, ""), [])
        made.follow([self.lessons])
        self.assertEqual(len(self.found(made, "")), 4)


class TestSearch(InFolder):
    def setUp(self) -> None:
        super().setUp()
        lesson = a_lesson(3, 6)
        log = (LogEntry("2026-11-19", (1,), "x", 0.5, 4), LogEntry("2026-06-01", (2,), "x", 0.5, 4))
        save_lesson(replace(lesson, kept=Kept(log=log)), self.lessons / "a.juxta")
        save_lesson(small_lesson(), self.lessons / "b.juxta")
        self.made = self.index()
        self.made.follow([self.lessons])

    def test_facts(self) -> None:
        every = set(self.found(self.made, ""))
        self.assertLess(set(self.found(self.made, "uses:hammer-on")), every)
        self.assertEqual(self.found(self.made, "tempo:<20"), [])
        self.assertEqual(len(self.found(self.made, "last:<7d")), 1)
        self.assertEqual(len(self.found(self.made, "last:>30d")), len(every) - 1)
        for text in ("tempo:fast", "string:x", "form:last", "last:long"):
            with self.assertRaises(JuxtanoteError):
                parse_query(text)

    def test_a_lick_is_found_where_it_was_moved_and_changed(self) -> None:
        import numpy as np

        rng = np.random.default_rng(1)
        for card in cards_of(a_lesson(3, 6), "x"):
            line, steps = disguised(list(card.pitches), list(card.steps), rng)
            found = self.found(self.made, "", like=line, like_steps=steps, most=3)
            self.assertIn(card.phrase, found)

    def test_the_command(self) -> None:
        like, out = self.folder / "like.csv", self.folder / "o.json"
        one = small_lesson()
        like.write_text(write_lesson_notes(replace(one, phrases=one.phrases[:1])))
        shown, errors = io.StringIO(), io.StringIO()
        with (
            patch.dict(os.environ, {"XDG_CACHE_HOME": str(self.folder)}),
            contextlib.redirect_stdout(shown),
            contextlib.redirect_stderr(errors),
        ):
            words = ["find", "", "--folder", str(self.lessons), "--like", str(like), "-o", str(out)]
            self.assertEqual(main(words), 0, errors.getvalue())
            self.assertEqual(main(["find", "zzz", "--folder", str(self.lessons)]), 0)
            self.assertEqual(main(["find"]), 2)
            self.assertEqual(main(["find", "tempo:x", "--folder", str(self.lessons)]), 1)
        told = json.loads(out.read_text())
        self.assertEqual(list(told[0]), ["lesson", "phrase", "start_s", "score", "why"])
        self.assertEqual(told[0]["phrase"], one.phrases[0].name)
        self.assertEqual(json.loads(shown.getvalue()), [])


class TestShelf(InFolder):
    def test_who_asks_first_waits_for_no_reading(self) -> None:
        save_lesson(small_lesson(), self.lessons / "a.juxta")
        shelf = Shelf(self.folder / "index.sqlite")
        shelf.follow([self.lessons])
        with patch.object(
            Index, "numbered", side_effect=AssertionError("it reads the cards again")
        ):
            self.assertTrue(shelf.find("", [self.lessons]))
        shelf.prepare_music()
        with patch.object(Profiles, "__init__", side_effect=AssertionError("made again")):
            self.assertTrue(shelf.find("", [self.lessons], like=(60, 62, 64, 67, 69)) is not None)

    def test_it_finds_while_the_files_change(self) -> None:
        save_lesson(small_lesson(), self.lessons / "a.juxta")
        shelf = Shelf(self.folder / "index.sqlite")
        self.assertEqual(shelf.follow([self.lessons]), [])
        count = len(shelf.find("", [self.lessons]))
        self.assertEqual(count, len([p for p in small_lesson().phrases if p.notes]))
        save_lesson(replace(small_lesson(), title="Another"), self.lessons / "b.juxta")
        shelf.follow([self.lessons])
        self.assertEqual(len(shelf.find("", [self.lessons])), 2 * count)
        self.assertEqual(len(shelf.find("another", [self.lessons])), count)
        self.assertEqual(shelf.find("another", [self.folder / "elsewhere"]), [])

    def test_frets_as_they_lie_on_one_string(self) -> None:
        lesson = a_lesson(3, 4)
        save_lesson(lesson, self.lessons / "a.juxta")
        shelf = Shelf(self.folder / "index.sqlite")
        shelf.follow([self.lessons])
        pitches = [round(n.heard.midi) for n in lesson.phrases[2].notes]
        frets = "-".join(str(p - min(pitches)) for p in pitches)
        self.assertEqual(
            shelf.find(f"frets:{frets}", [self.lessons])[0].card.phrase, lesson.phrases[2].name
        )
        with self.assertRaisesRegex(JuxtanoteError, "frets:5-8-5-7"):
            shelf.find("frets:x", [self.lessons])

    def test_figures_are_facts(self) -> None:
        save_lesson(a_lesson(4, 6), self.lessons / "a.juxta")
        shelf = Shelf(self.folder / "index.sqlite")
        shelf.follow([self.lessons])
        every = shelf.find("", [self.lessons])
        bars = every[0].card.bars
        self.assertTrue(
            all(h.card.bars == bars for h in shelf.find(f"bars:{bars}", [self.lessons]))
        )
        easy, hard = shelf.find("hard:<2", [self.lessons]), shelf.find("hard:>=2", [self.lessons])
        self.assertEqual(len(easy) + len(hard), len(every))

    def test_near_doubles_are_families(self) -> None:
        rng = np.random.default_rng(2)
        lesson = a_lesson(5, 5)
        cards = cards_of(lesson, "a")
        first = cards[0]
        again = [
            replace(first, ident=50 + k, pitches=tuple(p + 3 + k for p in first.pitches))
            for k in range(2)
        ]
        hits = [Hit(card, float(rng.uniform()), "") for card in (*cards, *again)]
        groups = families(hits)
        self.assertEqual(sorted(len(g) for g in groups), [1, 1, 1, 1, 3])


class TestPicture(unittest.TestCase):
    def test_every_drawn_fret_is_inside(self) -> None:
        for number in range(5):
            for card in cards_of(a_lesson(number, 4), "a"):
                block = small_tab(card, 60.0)
                self.assertTrue(block.words)
                self.assertTrue(all(0.0 <= w.x <= 60.0 for w in block.words))
                xs = [w.x for w in block.words]
                self.assertEqual(xs, sorted(xs))


class TestLikeliest(unittest.TestCase):
    def test_a_line_with_a_note_more_and_one_less_is_looked_at_among_many(self) -> None:
        rng = np.random.default_rng(6)
        lines = [
            tuple(np.cumsum(rng.integers(-4, 5, int(rng.integers(8, 17)))).tolist())
            for _ in range(1500)
        ]
        profiles, found = Profiles([(line, ()) for line in lines]), 0
        for number in range(60):
            line = [pitch + 3 for pitch in lines[number]]
            del line[int(rng.integers(1, len(line) - 1))]
            line.insert(int(rng.integers(1, len(line) - 1)), line[2] + 2)
            found += number in profiles.likely((tuple(line), ()), 15).tolist()
        self.assertGreaterEqual(found, 57)

    def test_contour_and_rhythm_are_found_among_many(self) -> None:
        rng = np.random.default_rng(12)
        lines = []
        for _ in range(1000):
            count = int(rng.integers(9, 17))
            pitches = tuple((60 + np.cumsum(rng.integers(-4, 5, count))).tolist())
            lines.append(
                (pitches, tuple(rng.choice([0.25, 0.5, 0.75, 1.0, 2.0], count - 1).tolist()))
            )
        for by in (Likeness.CONTOUR, Likeness.RHYTHM):
            profiles, found = Profiles(lines, by), 0
            for number in range(40):
                pitches, steps = lines[number]
                if by is Likeness.CONTOUR:  # other intervals, as far up and down
                    turns = np.sign(np.diff(pitches)) * rng.integers(1, 6, len(pitches) - 1)
                    wanted = (tuple((50 + np.cumsum([0, *turns])).tolist()), ())
                else:  # other pitches, twice as slow
                    wanted = (
                        tuple(rng.integers(50, 70, len(pitches)).tolist()),
                        tuple(2 * s for s in steps),
                    )
                self.assertEqual(nearnesses(wanted, [lines[number]], by=by), [1.0])
                found += number in profiles.likely(wanted, 30).tolist()
            self.assertGreaterEqual(found, 36, by)


class TestLikeness(unittest.TestCase):
    """Against edit distances laid out cell by cell (R. Wagner, M. Fischer, JACM 21, 1974)."""

    @staticmethod
    def plainly(wanted: list[float], line: list[float], cost) -> float:  # type: ignore[no-untyped-def]
        """Give the nearness of two rows, the shorter one anywhere in the longer one."""
        if not wanted or not line:
            return 0.0
        best = [0.0] * (len(line) + 1)
        for value in wanted:
            fresh = [best[0] + SKIP]
            for k, other in enumerate(line):
                fresh.append(min(best[k] + cost(value, other), best[k + 1] + SKIP, fresh[k] + SKIP))
            best = fresh
        return 1.0 - min(min(best) / (SKIP * len(wanted)), 1.0)

    def test_each_side_is_as_near_as_its_own_distance_says(self) -> None:
        rng = np.random.default_rng(13)
        for _ in range(40):
            short, long = sorted(int(n) for n in rng.integers(4, 12, 2))
            lines = [
                (
                    tuple((60 + rng.integers(-7, 8, n)).tolist()),
                    tuple(rng.choice([0.25, 0.5, 1.0], n - 1)),
                )
                for n in (short, long)
            ]
            turns = [np.sign(np.diff(pitches)).tolist() for pitches, _ in lines]
            ratios = [np.diff(np.log2(steps)).tolist() for _, steps in lines]
            said = nearnesses(lines[0], [lines[1]], by=Likeness.CONTOUR)[0]
            self.assertAlmostEqual(said, self.plainly(*turns, lambda a, b: float(a != b)), places=5)
            said = nearnesses(lines[0], [lines[1]], by=Likeness.RHYTHM)[0]
            wanted = self.plainly(*ratios, lambda a, b: min(abs(a - b), 1.0))
            self.assertAlmostEqual(said, wanted, places=5)

    def test_intervals_say_nothing_of_rhythm(self) -> None:
        even = (0.5,) * (len(LINE) - 1)
        uneven = tuple(1.0 if k % 2 else 0.25 for k in range(len(LINE) - 1))
        said = nearnesses((LINE, even), [(LINE, uneven)], by=Likeness.INTERVALS)
        self.assertEqual(said, [1.0])
        self.assertLess(nearnesses((LINE, even), [(LINE, uneven)], by=Likeness.LINE)[0], 0.9)

    def test_what_it_is_compared_by_can_be_typed(self) -> None:
        self.assertEqual(parse_query("slow by:rhythm").by, Likeness.RHYTHM)
        with self.assertRaisesRegex(JuxtanoteError, "contour"):
            parse_query("by:feeling")

    def test_what_was_found_says_how_near_each_side_is(self) -> None:
        cards = cards_of(a_lesson(1, 6), "a")
        wanted = cards[2]
        other = tuple(reversed(wanted.steps))
        for by in Likeness:
            hit = search(cards, parse_query(""), like=wanted.pitches, like_steps=other, by=by)[0]
            if by is not Likeness.RHYTHM:
                self.assertIs(hit.card, wanted)
                self.assertIn("rhythm", hit.why)
            self.assertIn(f"of the {by}", hit.why)


class TestLists(InFolder):
    def entries(self, count: int) -> tuple[Entry, ...]:
        return tuple(Entry(f"{k % 2}.juxta", k, f"phrase {k}") for k in range(count))

    def test_lists_come_back_in_their_order(self) -> None:
        path = self.folder / "state" / "lists.json"
        self.assertEqual(read_lists(path), {})
        kept = {"Monday": self.entries(4)[::-1], "workshop “öffentlich”": self.entries(2)}
        write_lists(path, kept)
        self.assertEqual(read_lists(path), kept)

    def test_a_damaged_file_is_told_and_left(self) -> None:
        path = self.folder / "lists.json"
        for text in ("{", "[1]", '{"a": 3}', '{"a": [{"lesson": "x"}]}', '{"a": [1]}', "\udcff"):
            path.write_bytes(text.encode("utf-8", "surrogateescape"))
            with self.assertRaisesRegex(JuxtanoteError, "lists"):
                read_lists(path)

    def test_moving_keeps_all_and_stops_at_the_ends(self) -> None:
        entries = self.entries(5)
        for index in range(5):
            for by in (-9, -1, 0, 1, 9):
                after = moved(entries, index, by)
                self.assertEqual(sorted(e.ident for e in after), list(range(5)))
                self.assertEqual(after.index(entries[index]), min(max(index + by, 0), 4))

    def test_a_handout_keeps_the_order_of_the_list(self) -> None:
        chosen = [("b", 2), ("a", 1), ("a", 5), ("b", 1)]
        runs = by_lesson(chosen)
        self.assertEqual([(p, k) for p, idents in runs for k in idents], chosen)
        self.assertEqual(len(runs), 3)


class TestLineOfASound(unittest.TestCase):
    def test_what_is_played_finds_its_phrase(self) -> None:
        lesson = small_lesson()
        phrase = lesson.phrases[0]
        rendered = render_phrase(phrase, lesson, 22_050)
        pitches, steps = line_of(Sound(np.stack([rendered.audio] * 2), 22_050))
        cards = cards_of(lesson, "a") + cards_of(a_lesson(3, 8), "b")
        hit = search(cards, parse_query(""), like=pitches, like_steps=steps)[0]
        self.assertEqual((hit.card.lesson, hit.card.ident), ("a", phrase.ident))
        self.assertEqual(len(steps), len(pitches) - 1)

    def test_silence_is_no_line(self) -> None:
        with self.assertRaisesRegex(JuxtanoteError, "three notes"):
            line_of(Sound(np.zeros((2, 22_050), dtype=np.float32), 22_050))

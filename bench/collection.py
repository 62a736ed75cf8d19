"""Finding licks again: a made-up collection, seeded; a lick that was moved, ornamented and shortened.

python -m bench collection [--lessons N] [--trials N]
"""

import argparse
import tempfile
import time
from pathlib import Path

import numpy as np

from juxtanote.core.collection.index import Index
from juxtanote.core.collection.music import Profiles
from juxtanote.core.collection.search import families, parse_query, search
from juxtanote.core.collection.shelf import Shelf
from juxtanote.core.formats.lesson_file import save_lesson
from juxtanote.core.score.kept import Kept
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import HeardNote, Note, WrittenNote
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timing import recounted
from juxtanote.core.theory.tuning import Guitar

SEED = 4711
SCALE = (0, 3, 5, 7, 10)
WORDS = ("slow", "bend", "answer", "turnaround", "climb", "rake", "call", "ending", "run", "double")


def a_lick(rng: np.random.Generator) -> tuple[list[int], list[float]]:
    """Walk through a scale with steps, turns and a leap now and then; beats from note to note."""
    degree, pitches, steps = int(rng.integers(0, 8)), [], []
    for _ in range(int(rng.integers(8, 17))):
        pitches.append(52 + 12 * (degree // 5) + SCALE[degree % 5])
        steps.append(float(rng.choice([0.25, 0.5, 0.5, 1.0])))
        degree = int(np.clip(degree + rng.choice([-3, -2, -1, -1, 0, 1, 1, 2, 3]), 0, 11))
    return pitches, steps[:-1]


def a_lesson(number: int, phrases: int) -> Lesson:
    """Make a lesson of so many licks in one key."""
    rng = np.random.default_rng([SEED, number])
    guitar, at, made = Guitar(), 1.0, []
    for k in range(phrases):
        pitches, steps = a_lick(rng)
        notes, now = [], at
        for index, (midi, step) in enumerate(zip(pitches, [*steps, 1.0], strict=True)):
            string = next(s for s in range(1, 7) if 0 <= midi - guitar.open_midi(s) <= 15)
            written = WrittenNote(string, midi - guitar.open_midi(string))
            notes.append(Note(index + 1, HeardNote(now, now + 0.45 * step, float(midi)), written))
            now += 0.5 * step
        name = f"{rng.choice(WORDS)} {k + 1}"
        made.append(Phrase(k + 1, name, at - 0.05, now + 0.1, tuple(notes)))
        at = now + 0.6
    beats = TimeMap(tuple(np.arange(0.0, at + 2.0, 0.5).tolist()))
    lesson = Lesson(f"Evening {number}", key="A minor", scale="minor pentatonic", time_map=beats,
                    phrases=tuple(made), kept=Kept())  # fmt: skip
    return recounted(lesson)


def disguised(
    pitches: list[int], steps: list[float], rng: np.random.Generator
) -> tuple[list[int], list[float]]:
    """Transpose a lick, add one note and leave one out."""
    shift = int(rng.integers(-6, 7))
    line, times = [p + shift for p in pitches], list(steps)
    gone = int(rng.integers(1, len(line) - 1))
    del line[gone]
    times[gone - 1] += times.pop(gone) if gone < len(times) else 0.0
    at = int(rng.integers(1, len(line) - 1))
    line.insert(at, line[at] + int(rng.choice([-2, 2])))
    times.insert(at, times[at] / 2 if at < len(times) else 0.25)
    return line, times[: len(line) - 1]


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench collection", description=__doc__)
    parser.add_argument("--lessons", type=int, default=2000)
    parser.add_argument("--trials", type=int, default=500)
    options = parser.parse_args(arguments)
    with tempfile.TemporaryDirectory() as held:
        folder = Path(held, "lessons")
        folder.mkdir()
        for number in range(options.lessons):
            save_lesson(a_lesson(number, 10), folder / f"{number:04d}.juxta")
        index = Index(Path(held, "index.sqlite"))
        began = time.perf_counter()
        index.follow([folder])
        print(
            f"{options.lessons} lessons of 10 phrases read in {time.perf_counter() - began:.1f} s"
        )
        began = time.perf_counter()
        index.follow([folder])
        print(f"followed again, nothing changed: {time.perf_counter() - began:.2f} s")
        shelf = Shelf(Path(held, "index.sqlite"))
        shelf.follow([folder])
        times = []
        for words in ("slow", "turnaround key:A", "run tempo:<130 string:1-3"):
            began = time.perf_counter()
            shelf.find(words, [folder])
            times.append(1000 * (time.perf_counter() - began))
        print("words and facts: " + ", ".join(f"{t:.0f} ms" for t in times))
        cards = list(index.cards([folder]))
        began = time.perf_counter()
        shelf.prepare_music()
        print(f"what music needs, made once in the background: {time.perf_counter() - began:.1f} s")
        times = []
        for card in cards[:40]:
            began = time.perf_counter()
            families(shelf.find("", [folder], like=card.pitches, like_steps=card.steps))
            times.append(1000 * (time.perf_counter() - began))
        print(f"by music as the window asks, families and all: median {np.median(times):.0f} ms, worst {max(times):.0f} ms")  # fmt: skip
        profiles = Profiles([(card.pitches, card.steps) for card in cards])
        rng, first, third, took = np.random.default_rng(SEED), 0, 0, []
        for _ in range(options.trials):
            card = cards[int(rng.integers(len(cards)))]
            line, steps = disguised(list(card.pitches), list(card.steps), rng)
            began = time.perf_counter()
            hits = search(
                cards, parse_query(""), like=line, like_steps=steps, most=3, profiles=profiles
            )
            took.append(time.perf_counter() - began)
            places = [hit.card is card for hit in hits]
            first, third = first + bool(places[:1] and places[0]), third + any(places)
        print(f"by music, {options.trials} trials among {len(cards)}: first {first / options.trials:.3f}, "
              f"among three {third / options.trials:.3f}; {1000 * float(np.median(took)):.0f} ms")  # fmt: skip

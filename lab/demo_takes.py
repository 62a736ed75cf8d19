"""Makes the demo's takes: one phrase over three weeks, played by our own strings with human mistakes.

    python -m lab.demo_takes

Each take is compared as any other would be, and what was heard in it is kept in the demo lesson.
"""

from dataclasses import replace

import numpy as np

from juxtanote.core.audio.read import read_sound
from juxtanote.core.audio.write import write_sound
from juxtanote.core.checks.against_sound import asked_of
from juxtanote.core.formats.lesson_file import load_lesson, save_lesson
from juxtanote.core.practice.takes import compare, entry_of
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.synth.amplifier import amplify
from juxtanote.core.synth.render import phrase_events
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events
from lab.demo import DATA, NAME

PHRASE, RATE, SEED = 2, 44_100, 77
TAKES = (
    ("2026-10-26T18:40:00", 0.6, 0.045, (4, 9), None, 0.55),
    ("2026-11-02T19:05:00", 0.75, 0.022, (7,), 5, 0.8),
    ("2026-11-09T18:55:00", 0.9, 0.010, (), None, 1.0),
)
"""When, at which part of the speed, how unsteady (s), notes left out, one at a wrong fret, bends' reach."""


def played(
    phrase: Phrase, lesson: Lesson, take: tuple, rng: np.random.Generator
) -> list[StringEvent]:
    """Play a phrase as somebody who learns it does."""
    _, speed, unsteady, left_out, wrong, reach = take
    made = []
    for index, event in enumerate(phrase_events(phrase, lesson.context(phrase).guitar)):
        if index in left_out:
            continue
        onset = max(event.onset_s / speed + 0.4 + float(rng.normal(0, unsteady)), 0.0)
        curve = tuple((t / speed, reach * v) for t, v in event.curve)
        event = replace(event, onset_s=onset, duration_s=event.duration_s / speed, curve=curve)
        if index == wrong:
            event = replace(event, fret=event.fret + 1, midi=event.midi + 1)
        made.append(event)
    return sorted(made, key=lambda e: e.onset_s)


def main() -> None:
    """Write the takes, and what was heard in them."""
    path = DATA / f"{NAME}.juxta"
    lesson = load_lesson(path)
    phrase = lesson.phrase(PHRASE)
    assert phrase is not None
    (DATA / "takes").mkdir(exist_ok=True)
    rng, entries = np.random.default_rng(SEED), []
    asked = asked_of(phrase, lesson)
    beats = lesson.time_map.to_beats([n.onset_s + 0.03 for n in asked]).tolist()
    bars = [lesson.time_map.bar_and_beat(beat)[0] for beat in beats]
    for number, take in enumerate(TAKES, start=1):
        plain = render_events(played(phrase, lesson, take, rng), RATE, StringVoice(), rng)
        sound = amplify(plain, RATE, gain=2.0, cabinet_hz=5000.0)
        sound = (0.5 / float(np.abs(sound).max()) * sound).astype(np.float32)
        target = DATA / "takes" / f"demo-take-{number}.ogg"
        write_sound(target, sound[None], RATE)
        compared = compare(asked, read_sound(target))
        print(target.name, compared.summary)
        entries.append(entry_of(compared, PHRASE, bars, take[0], target.name))
    save_lesson(replace(lesson, kept=replace(lesson.kept, takes=tuple(entries))), path)


if __name__ == "__main__":
    main()

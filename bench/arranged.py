"""Songs of others, as somebody arranged them, through the sounds of the foreign ring.

    python -m bench arranged FOLDER [--aside] [--every N] [--from K] [--worst N DIR]

FOLDER is that of `lab.arranged`. Of each song in which a guitar leads sixteen seconds are played: the lead alone,
a little over the whole arrangement, and far under it, made like a record. What is heard beside the lead is
counted by who plays it: another guitar, any other instrument, or nobody. Aside are songs that `lab.songs` never takes.
"""

import argparse
from collections import defaultdict
from pathlib import Path

import mir_eval
import numpy as np

from bench.accuracy import Tally, hear, picture, retuned, show, tally
from bench.rings import BURIED_DB, DRUMS, FONTS, KITS, Played, amplified, echoed, play, under
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.synth.strings import StringEvent
from juxtanote.core.units import midi_to_hz
from lab import instruments
from lab.arranged import (
    ASIDE,
    DRIVEN,
    GUITARS,
    LENGTH_S,
    PACKAGES,
    Passage,
    Track,
    add_track,
    as_events,
    passages,
)
from lab.instruments import SAMPLE_RATE, MidiSketch, render_sampled
from lab.mixing import code_as_mp3, fit, level, pan

SEED = 8383
TAIL_S = 0.6
OVER_DB, LIMIT = 2.0, 2.5
WIDE = 0.8


def backing(passage: Passage, font: Path, kit: Path, rng: np.random.Generator) -> np.ndarray:
    """Play all but the lead, (2, n): guitars that drive through amplifiers, as loud as their song has them."""
    length = int((LENGTH_S + TAIL_S) * SAMPLE_RATE)
    sound = np.zeros((2, length), dtype=np.float32)
    side = float(rng.choice([-WIDE, WIDE]))
    for track in passage.others:
        made = MidiSketch()
        add_track(made, track, DRUMS)
        try:
            dry = play(made.file(), kit if track.is_drum else font)
        except ValueError:  # the soundfont has no such sound
            continue
        dry = fit(dry, length)
        place = 0.0 if track.is_drum else track.pan
        if track.is_drum:
            dry = level(dry, -14.0)
        elif track.program in DRIVEN:
            dry, place, side = level(amplified(dry, rng, hot=True), -20.0), side, -side
            dry *= np.float32(track.volume)
        sound += pan(dry, place)
    return sound


def played(passage: Passage, number: int) -> dict[str, Played]:
    """Play a passage: the lead alone, over the song, and under it."""
    rng = np.random.default_rng([SEED, number])
    font, kit = FONTS[number % 2], KITS[number // 2 % 2]
    instruments.SOUNDFONT = font
    instruments.speaking_delays.cache_clear()
    lead, events = render_sampled(as_events(passage.lead), passage.lead.program, rng)
    length = int((LENGTH_S + TAIL_S) * SAMPLE_RATE)
    lead = amplified(fit(lead, length), rng, hot=passage.lead.program in DRIVEN)
    wet = echoed(lead, rng)
    rest = backing(passage, font, kit, rng)

    def over(db: float) -> np.ndarray:
        mixed = pan(level(wet, -18.0), float(rng.uniform(-0.3, 0.3))) + under(rest, db)
        mixed = np.tanh(LIMIT * mixed / float(np.abs(mixed).max()))
        return code_as_mp3(mixed.astype(np.float32), 128)

    return {
        "alone": Played(np.tanh(pan(level(lead, -18.0), 0.0)), events),
        "over the song": Played(over(OVER_DB), events),
        "under it": Played(over(BURIED_DB / 2), events),
    }


def beside(
    heard: list[PerceivedNote], events: list[StringEvent], others: tuple[Track, ...]
) -> dict[str, int]:
    """Count what is heard beside the lead, by who plays it."""
    kinds = {
        "another guitar": [t for t in others if not t.is_drum and t.program in GUITARS],
        "another instrument": [t for t in others if not t.is_drum and t.program not in GUITARS],
    }
    left, counts = list(heard), {}
    left = _unmatched(left, [(e.onset_s, e.midi) for e in events])
    for kind, tracks in kinds.items():
        theirs = [(n[0], n[2]) for t in tracks for n in t.notes]
        after = _unmatched(left, theirs)
        counts[kind], left = len(left) - len(after), after
    counts["nobody"] = len(left)
    return counts


def _unmatched(heard: list[PerceivedNote], truth: list[tuple[float, float]]) -> list[PerceivedNote]:
    if not heard or not truth:
        return heard

    def spans(onsets: list[float]) -> np.ndarray:
        return np.array([[max(at, 0.0), max(at, 0.0) + 0.1] for at in onsets])

    pairs = mir_eval.transcription.match_notes(
        spans([at for at, _ in truth]), midi_to_hz([m for _, m in truth]),
        spans([n.onset_s for n in heard]), midi_to_hz([n.midi for n in heard]),
        onset_tolerance=0.08, offset_ratio=None,
    )  # fmt: skip
    matched = {mine for _, mine in pairs}
    return [n for k, n in enumerate(heard) if k not in matched]


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench arranged", description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--aside", action="store_true")
    parser.add_argument("--every", type=int, default=1)
    parser.add_argument("--from", dest="first", type=int, default=0)
    parser.add_argument("--worst", nargs=2, metavar=("N", "DIR"), default=None)
    options = parser.parse_args(arguments)
    totals: dict[str, Tally] = defaultdict(Tally)
    counts: dict[str, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    ranking = []
    whose = ASIDE if options.aside else PACKAGES
    some = [(k, p) for k, p in enumerate(passages(options.folder)) if p.song.startswith(whose)]
    for number, passage in some[options.first :: options.every]:
        for kind, sound in played(passage, number).items():
            heard, cents = hear(sound.stereo)
            heard = [n for n in retuned(heard, 0.0) if n.onset_s < LENGTH_S]
            one = Tally()
            for into in (totals[kind], one):
                tally(into, sound.events, heard)
                into.cents.append(cents)
            for who, count in beside(heard, sound.events, passage.others).items():
                counts[kind][who] += count
            title = f"{passage.song} from {passage.start_s:.0f} s, {kind}"
            ranking.append((one.f1(one.hits), title, (sound.stereo, sound.events, heard)))
            print(
                f"{one.f1(one.hits):.2f}  {title}  {one.hits} of {one.truth}, {one.found} heard",
                flush=True,
            )
    for kind, total in totals.items():
        show(kind, total, None)
        recall, precision = total.hits / max(total.truth, 1), total.hits / max(total.found, 1)
        by = ", ".join(f"{who} {count}" for who, count in counts[kind].items())
        print(f"{'':16s} precision {precision:.3f}  recall {recall:.3f}  beside: {by}")
    if options.worst:
        folder = Path(options.worst[1])
        folder.mkdir(parents=True, exist_ok=True)
        ranking.sort(key=lambda row: row[0])
        for rank, (score, title, data) in enumerate(ranking[: int(options.worst[0])]):
            picture(folder / f"arranged-{rank}.png", f"{title}: {score:.2f}", *data)
            print(f"{score:.2f}  {title}")

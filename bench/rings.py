"""Rings two to four: what no training ever touched.

    python -m bench rings [--only foreign hostile records phrases] [--records FOLDER] [--most N] [--worst N DIR]

*foreign*: the composed phrases through the instruments of Debian's csound-soundfont and opl3-soundfont,
amplifiers and effects of guitarix-ladspa, drums of avldrums.lv2-soundfont. *hostile*: what is no guitar.
*records*: songs whose certain notes are listed in ``NAME.pairs.csv`` (onset, pitch) beside ``NAME.mix.flac`` and
``NAME.stem.flac``; where ``NAME.strokes.csv`` (onset) lists every stroke that a person charted, of which pitch ever,
how many of them are heard at all. *phrases* (only when asked for): what a person gets of the same notes in the phrases
that are proposed, taken from what was heard of the whole song, and each phrase listened to by itself.
"""

import argparse
import os
import subprocess
import tempfile
from collections import defaultdict
from dataclasses import dataclass, replace
from pathlib import Path

import mido
import numpy as np
import soundfile
from scipy import signal

from bench.accuracy import Tally, hear, picture, retuned, show, tally
from bench.composed import phrases
from bench.hands import placed_right
from bench.records import phrases as phrases_of_records
from bench.records import records
from juxtanote.core.synth.strings import StringEvent
from lab import instruments
from lab.instruments import SAMPLE_RATE, MidiSketch, render_sampled
from lab.mixing import code_as_mp3, level, loudness, pan
from lab.phrases import random_hand, to_events

FONTS = tuple(
    Path("/usr/share/sounds/sf2", name) for name in ("sf_GMbank.sf2", "OPL-3_FM_128M.sf2")
)
KITS = tuple(
    Path("/usr/share/sounds/sf2", f"{name}_4_LV2.sf2") for name in ("Black_Pearl", "Red_Zeppelin")
)
PLUGINS = os.environ.get("LADSPA_PATH", "/usr/lib/ladspa")
SEED = 7171
GUITARS = (25, 26, 27, 28, 29, 30)
DRUMS = 0  # channel: the kits' only sound is in bank 0, which the tenth channel does not reach
# The lead over all else where it is buried: the median of the three recorded songs, on which the power that goes
# with the drums lies as far under all power (over 6 kHz -24 to -16 dB, under 70 Hz -21 to -16).
BURIED_DB, BURIED_LIMIT = -8.0, 1.5
KIT_GAIN, CYMBALS_GAIN, CYMBALS_HZ = 0.8, 1.5, 6000.0


def play(midi: mido.MidiFile, font: Path) -> np.ndarray:
    """Play with one soundfont and no other: mono at 22.05 kHz."""
    if not font.is_file():  # fluidsynth would quietly take another
        raise FileNotFoundError(
            f"{font} is missing: install the Debian packages of the foreign ring"
        )
    with tempfile.TemporaryDirectory() as folder:
        source, target = Path(folder, "a.mid"), Path(folder, "a.wav")
        midi.save(str(source))
        command = ["fluidsynth", "-ni", "-q", "-R", "0", "-C", "0", "-g", "0.6", "-r"]
        command += [str(SAMPLE_RATE), "-F", str(target), str(font), str(source)]
        subprocess.run(command, check=True, capture_output=True)
        sound = soundfile.read(target, dtype="float32", always_2d=True)[0].mean(axis=1)
    if not sound.any():  # a soundfont gives silence for what it has not
        raise ValueError(f"{font.name} gave silence")
    return sound


def through(audio: np.ndarray, *effects: str) -> np.ndarray:
    """Send mono through effects of sox, LADSPA plugins among them."""
    with tempfile.TemporaryDirectory() as folder:
        dry, wet = Path(folder, "a.wav"), Path(folder, "b.wav")
        soundfile.write(dry, level(audio, -20.0), SAMPLE_RATE, subtype="FLOAT")
        command = ["sox", str(dry), "-e", "floating-point", "-b", "32", str(wet), "rate", "44100"]
        command += [*effects, "rate", str(SAMPLE_RATE)]
        where = os.environ | {"LADSPA_PATH": PLUGINS}
        subprocess.run(command, check=True, capture_output=True, env=where)
        out = soundfile.read(wet, dtype="float32")[0]
    out = np.pad(out, (0, max(len(audio) - len(out), 0)))[: len(audio)]
    return out if np.all(np.isfinite(out)) and loudness(out) > 1e-5 else audio


def amplified(audio: np.ndarray, rng: np.random.Generator, hot: bool) -> np.ndarray:
    """Send a guitar through a modelled preamplifier, distortion where it is `hot`, and a cabinet."""
    effects = []
    if hot:
        drive = [
            rng.uniform(4, 18),
            1,
            rng.uniform(0.3, 1),
            rng.uniform(0.2, 0.9),
            rng.uniform(0, 12),
        ]
        rest = [
            rng.uniform(60, 250),
            rng.uniform(4000, 8000),
            1,
            rng.uniform(4000, 8000),
            100,
            1,
            0,
            1,
        ]
        effects += ["ladspa", "guitarix_distortion", "guitarix-distortion"]
        effects += [f"{value:.3g}" for value in (*drive, *rest)]
    amp = [1, rng.uniform(-4, 8), rng.uniform(-6, 8), rng.uniform(-6, 8), 0, 0]
    effects += ["ladspa", "guitarix_amp", "guitarix_amp", *(f"{value:.3g}" for value in amp)]
    colour = [rng.uniform(40, 200), rng.uniform(300, 2000), rng.uniform(0.5, 4)]
    effects += ["ladspa", "guitarix_IR", "guitarix_IR", *(f"{value:.3g}" for value in colour)]
    if hot:
        effects += ["lowpass", f"{rng.uniform(3500, 7000):.0f}"]
    return through(audio, *effects)


@dataclass(frozen=True, slots=True)
class Backing:
    """What plays behind a lead, each (2, n): drums, bass and organ, and two guitars to the sides."""

    kit: np.ndarray
    others: np.ndarray
    guitars: np.ndarray

    @property
    def rest(self) -> np.ndarray:
        """All but the guitars."""
        return self.kit + self.others

    def fitted(self, length: int) -> "Backing":
        """Cut or fill up to so many samples."""

        def fit(audio: np.ndarray) -> np.ndarray:
            return np.pad(audio, ((0, 0), (0, max(length - audio.shape[1], 0))))[:, :length]

        return Backing(fit(self.kit), fit(self.others), fit(self.guitars))


def foreign_band(beats: np.ndarray, key: int, rng: np.random.Generator, guitars: bool) -> Backing:
    """Play drums, bass, organ and, if wished, two guitars."""
    font = FONTS[int(rng.integers(2))]
    roots = rng.permutation([0, 3, 5, 7, 8, 10])[:4]
    kit, low, keys, strum = (MidiSketch() for _ in range(4))
    kit.set_up_channel(DRUMS, 0)
    low.set_up_channel(0, int(rng.choice([33, 34, 36])))
    keys.set_up_channel(0, int(rng.choice([1, 16, 18, 50])))
    strum.set_up_channel(0, int(rng.choice([27, 29, 30])))

    def hold(track: MidiSketch, at: float, until: float, note: int, strength: int):
        track.add(at, mido.Message("note_on", channel=0, note=note, velocity=strength), 2)
        track.add(until, mido.Message("note_off", channel=0, note=note), 1)

    pattern = rng.random(8) < 0.6
    for k, (at, after) in enumerate(zip(beats[:-1], beats[1:], strict=True)):
        half = 0.5 * (at + after)
        root = (key + int(roots[k // 4 % 4])) % 12
        hold(kit, at, at + 0.1, 36 if k % 2 == 0 else 38, 110)
        hold(kit, at, at + 0.1, 42, 80)
        hold(kit, half, half + 0.1, 42, 60)
        if pattern[k % 8]:
            hold(kit, half, half + 0.1, 36, 90)
        for time in (at, half):
            hold(low, time, time + 0.45 * (after - at), 28 + (root - 4) % 12, 100)
        if k % 4 == 0:
            for step in (0, 3, 7):
                hold(
                    keys,
                    at,
                    beats[min(k + 4, len(beats) - 1)] - 0.03,
                    52 + (root - 4) % 12 + step,
                    70,
                )
        for time in (at, half) if pattern[(k + 3) % 8] else (at,):
            for step in (0, 7, 12):
                hold(strum, time, time + 0.4 * (after - at), 40 + (root - 4) % 12 + step, 95)
    length = int((beats[-1] + 0.5) * SAMPLE_RATE)

    def fitted(audio: np.ndarray) -> np.ndarray:
        return np.pad(audio, (0, max(length - len(audio), 0)))[:length]

    drums = pan(level(fitted(play(kit.file(), KITS[int(rng.integers(2))])), 0.0), 0.0)
    rest = pan(level(fitted(play(low.file(), font)), -1.0), 0.0)
    rest += pan(level(fitted(play(keys.file(), font)), -6.0), float(rng.uniform(-0.5, 0.5)))
    wide = np.zeros((2, length), dtype=np.float32)
    if guitars:
        dry = fitted(play(strum.file(), font))
        for side in (-0.9, 0.9):
            take = np.roll(dry, int(rng.uniform(0, 0.012) * SAMPLE_RATE))
            wide += pan(level(amplified(take, rng, hot=True), -2.0), side)
    return Backing(drums, rest, wide)


@dataclass(frozen=True, slots=True)
class Played:
    """One phrase in one kind of mix."""

    stereo: np.ndarray
    events: list[StringEvent]


def under(audio: np.ndarray, db: float) -> np.ndarray:
    """Bring what plays behind (2, n) so far under a lead at -18 dB."""
    return audio * np.float32(10 ** ((-18.0 - db) / 20) / loudness(audio.mean(axis=0)))


def echoed(lead: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Let mono come again twice, as a delay does."""
    lag = int(rng.uniform(0.25, 0.45) * SAMPLE_RATE)
    wet = lead.copy()
    for repeat in (1, 2):
        wet[repeat * lag :] += 0.3**repeat * lead[: -repeat * lag]
    return wet


def with_bright_cymbals(backing: Backing) -> np.ndarray:
    """Bring drums and their treble forward, (2, n), to where they are on records."""
    shelf = signal.butter(1, CYMBALS_HZ, "highpass", fs=SAMPLE_RATE, output="sos")
    bright = backing.kit + CYMBALS_GAIN * signal.sosfilt(shelf, backing.kit, axis=1)
    return KIT_GAIN * bright.astype(np.float32) + backing.others


def foreign_case(number: int, drawing: int = 0) -> tuple[str, dict[str, Played]]:
    """Render one composed phrase: alone, in a band, in a mix made like a record, and far down in one.

    Another drawing has other instruments, amplifiers, bands and hands for the same phrase.
    """
    phrase = phrases()[number]
    rng = np.random.default_rng([SEED, number, *([drawing] if drawing else [])])
    hand = replace(random_hand(rng, phrase.guitar.tuning), guitar=phrase.guitar)
    events = to_events(list(phrase.notes), hand, phrase.tempo, 0.5, jitter_s=0.012)
    instruments.SOUNDFONT = FONTS[(number + drawing) % 2]
    instruments.speaking_delays.cache_clear()
    lead, events = render_sampled(events, int(rng.choice(GUITARS)), rng)
    length = int((max(e.offset_s for e in events) + 0.6) * SAMPLE_RATE)
    lead = np.pad(lead, (0, max(length - len(lead), 0)))[:length]
    hot = rng.random() < 0.6
    lead = amplified(lead, rng, hot) if rng.random() < 0.8 else level(lead, -18.0)
    beat_s = 60.0 / phrase.tempo
    beats = np.arange(0.5 - 4 * beat_s, length / SAMPLE_RATE + 2 * beat_s, beat_s)
    backing = foreign_band(beats[beats >= 0.05], hand.root, rng, guitars=True).fitted(length)
    middle = pan(level(lead, -18.0), 0.0)
    band = np.tanh(middle + under(backing.rest, 3.0))
    wet = echoed(lead, rng)
    record = pan(level(wet, -18.0), float(rng.uniform(-0.3, 0.3))) + under(
        backing.rest + backing.guitars, 2.0
    )
    record = np.tanh(2.5 * record / float(np.abs(record).max()))
    buried = pan(level(wet, -18.0), 0.0) + under(with_bright_cymbals(backing), BURIED_DB)
    buried = np.tanh(BURIED_LIMIT * buried / float(np.abs(buried).max()))
    return phrase.name, {
        "foreign alone": Played(np.tanh(middle), events),
        "foreign band": Played(band.astype(np.float32), events),
        "record-like": Played(code_as_mp3(record.astype(np.float32), 128), events),
        "buried": Played(code_as_mp3(buried.astype(np.float32), 128), events),
    }


def foreign(most: int, worst: tuple[int, Path] | None) -> None:
    """Print ring 2."""
    totals: dict[str, Tally] = defaultdict(Tally)
    places: dict[str, np.ndarray] = defaultdict(lambda: np.zeros(2))
    ranking = []
    count = len(phrases())
    for number in range(0, count, max(count // most, 1)):
        name, mixes = foreign_case(number)
        for kind, played in mixes.items():
            heard, cents = hear(played.stereo)
            heard = retuned(heard, 0.0)
            places[kind] += placed_right(played.events, heard, phrases()[number].guitar)
            one = Tally()
            for into in (totals[kind], one):
                tally(into, played.events, heard)
                into.cents.append(cents)
            ranking.append(
                (one.f1(one.hits), f"{name}, {kind}", (played.stereo, played.events, heard))
            )
    for name, total in totals.items():
        show(name, total, None)
        recall, precision = total.hits / max(total.truth, 1), total.hits / max(total.found, 1)
        right = places[name][1] / max(places[name][0], 1)
        print(
            f"{'':16s} precision {precision:.3f}  recall {recall:.3f}  string and fret {right:.3f}"
        )
    if worst is not None:
        worst[1].mkdir(parents=True, exist_ok=True)
        ranking.sort(key=lambda row: row[0])
        for rank, (score, title, (stereo, events, heard)) in enumerate(ranking[: worst[0]]):
            picture(
                worst[1] / f"foreign-{rank}.png", f"{title}: {score:.2f}", stereo, events, heard
            )
            print(f"{score:.2f}  {title}")


def _line(program: int, rng: np.random.Generator, chords: bool) -> np.ndarray:
    track = MidiSketch()
    track.set_up_channel(0, program)
    at = 0.2
    while at < 20.0:
        held = float(rng.choice([0.25, 0.5, 1.0]))
        for _ in range(int(rng.integers(1, 4)) if chords else 1):
            note = int(rng.integers(50, 84))
            track.add(at, mido.Message("note_on", channel=0, note=note, velocity=90), 2)
            track.add(at + held, mido.Message("note_off", channel=0, note=note), 1)
        at += held
    return play(track.file(), FONTS[0])


def _speech() -> np.ndarray:
    words = "One sound follows another, and what is said is not what is sung. Count to nine, then go home."
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "a.wav")
        subprocess.run(["espeak-ng", "-w", str(path), " ".join([words] * 3)], check=True)
        audio, rate = soundfile.read(path, dtype="float32")
    at = np.arange(int(len(audio) * SAMPLE_RATE / rate)) * rate / SAMPLE_RATE
    return np.interp(at, np.arange(len(audio)), audio).astype(np.float32)


# Programs of General MIDI, and whether they play chords: nothing was set with these in sight.
OTHERS = {
    "bright piano": (1, True), "organ": (16, True), "cello": (42, False), "strings": (48, True),
    "trumpet": (56, False), "alto sax": (65, False), "clarinet": (71, False), "flute": (73, False),
}  # fmt: skip


def hostile() -> None:
    """Print ring 4: notes a second over 0.5 sure, and all that are written."""
    rng = np.random.default_rng(SEED)
    rest = foreign_band(np.arange(0.1, 20.0, 0.5), 4, rng, guitars=False).rest
    kit = MidiSketch()
    for k, at in enumerate(np.arange(0.1, 20.0, 0.25)):
        for note in (42, *((36,) if k % 4 == 0 else (38,) if k % 4 == 2 else ())):
            kit.add(float(at), mido.Message("note_on", channel=DRUMS, note=note, velocity=100), 2)
    sounds = {
        "silence with hiss": (1e-3 * rng.standard_normal(20 * SAMPLE_RATE)).astype(np.float32),
        "drums alone": play(kit.file(), KITS[0]), "speech": _speech(),
        "drums, bass, organ": rest.mean(axis=0), "piano": _line(0, rng, chords=True),
        "violin": _line(40, rng, chords=False),
    }  # fmt: skip
    sounds |= {name: _line(program, rng, chords) for name, (program, chords) in OTHERS.items()}
    for name, audio in sounds.items():
        stereo = pan(level(audio, -18.0), 0.0)
        heard, _ = hear(stereo)
        seconds = stereo.shape[1] / SAMPLE_RATE
        sure = sum(n.confidence > 0.5 for n in heard)
        print(
            f"hostile: {name:20s} {sure / seconds:.2f} notes a second over 0.5 sure, {len(heard) / seconds:.2f} in all"
        )


def beyond(most: int, folder: Path | None, worst: tuple[int, Path] | None = None) -> None:
    """Print rings two to four, or say what a ring needs."""
    missing = [font for font in (*FONTS, *KITS) if not font.is_file()]
    if missing:
        print(f"rings 2 and 4 need {', '.join(map(str, missing))}: see `./run bench`")
    else:
        foreign(most, worst)
        hostile()
    if folder is None:
        print("ring 3 needs recorded songs: --records FOLDER")
    else:
        records(folder)


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench rings", description=__doc__)
    parser.add_argument(
        "--only", nargs="*", default=[], help="foreign, hostile, records or phrases"
    )
    parser.add_argument("--records", type=Path, help="a folder of recorded songs")
    parser.add_argument("--most", type=int, default=1000)
    parser.add_argument("--worst", nargs=2, metavar=("N", "DIR"), default=None)
    options = parser.parse_args(arguments)
    worst = (int(options.worst[0]), Path(options.worst[1])) if options.worst else None
    if not options.only:
        beyond(options.most, options.records, worst)
    if "foreign" in options.only:
        foreign(options.most, worst)
    if "hostile" in options.only:
        hostile()
    if "records" in options.only and options.records:
        records(options.records)
    if "phrases" in options.only and options.records:
        phrases_of_records(options.records)


if __name__ == "__main__":
    import sys

    main(sys.argv[1:])

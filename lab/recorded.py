"""Instruments as somebody recorded them, note by note, played anew at any pitch and time.

    python -m lab.recorded FOLDER

fetches them: npm packages whose notes are CC BY 3.0, each unpacked as ``FOLDER/NAME``. Such a folder holds
the notes of one instrument, named by pitch ("Fs3.mp3"; what follows a blank tells takes apart). They are
guitars, of which only benches play the electric one, and `OTHERS`.
"""

import argparse
import re
import subprocess
import tarfile
import tempfile
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from scipy.signal import butter, sosfilt

from juxtanote.core.audio.read import read_sound, to_rate
from juxtanote.core.audio.sound import Sound
from juxtanote.core.synth.strings import SLURRED, StringEvent, pitch_offsets
from lab.instruments import SAMPLE_RATE

GUITARS = ("guitar-acoustic", "guitar-nylon")
KEPT_ASIDE = "guitar-electric"
KEYS = ("piano", "organ", "harmonium")
OTHERS = (
    *KEYS, "violin", "cello", "contrabass", "saxophone", "clarinet", "flute", "bassoon", "trumpet",
    "trombone", "french-horn",
)  # fmt: skip
PACKAGE, VERSION = "tonejs-instrument-{}-mp3@{}", "1.1.2"
EARLIER = dict.fromkeys(
    (KEPT_ASIDE, "guitar-nylon", "harmonium", "cello", "violin", "organ"), "1.1.1"
)
LOWEST, HIGHEST = 40, 88  # what a guitar reaches
MISNAMED = {("guitar-nylon", "D5")}  # sounds a semitone higher
SOUNDS = {".mp3", ".wav", ".ogg"}
NAMED = re.compile(r"([A-G])(s?)(\d)(?: .*)?")
STEPS = dict(zip("CDEFGAB", (0, 2, 4, 5, 7, 9, 11), strict=True))
OVERSAMPLED = 2  # sounds are kept at so many times the rate that they are played at
SPEAKS = 0.2  # of its largest level in the first 150 ms: from there on a note is there
BEFORE_S, RELEASE_S, FADE_S = 0.004, 0.03, 0.006
# A slurred string is not picked: its sound is taken up so long after the stroke, and softer.
PICKED_S, SLUR_GAIN, SLIDE_GAIN = 0.06, 0.6, 0.8
MUTED_S, MUTED_HZ, DEAD_S = 0.07, 1500.0, 0.012  # a palm damps so fast, and so dark


@dataclass(frozen=True, slots=True)
class Recorded:
    """The notes of an instrument: by MIDI pitch, each beginning where it speaks, at `OVERSAMPLED` rates."""

    notes: dict[int, np.ndarray]

    def played(self, events: Iterable[StringEvent], length_s: float) -> np.ndarray:
        """Play events, mono at 22.05 kHz; a string (or voice) plays one at a time."""
        sound = np.zeros(int(length_s * SAMPLE_RATE), dtype=np.float32)
        events = sorted(events, key=lambda e: e.onset_s)
        for index, event in enumerate(events):
            later = [e.onset_s for e in events[index + 1 :] if e.string == event.string]
            until = min(event.offset_s, later[0] if later else np.inf)
            part = self._note(event, max(until - event.onset_s, 0.03))
            first = int((event.onset_s - BEFORE_S) * SAMPLE_RATE)
            part = part[max(-first, 0) : max(len(sound) - first, 0)]
            sound[max(first, 0) : max(first, 0) + len(part)] += part
        return sound

    def _note(self, event: StringEvent, lasts_s: float) -> np.ndarray:
        nearest = min(self.notes, key=lambda midi: abs(midi - event.midi))
        note = self.notes[nearest]
        times = np.arange(int((BEFORE_S + lasts_s + RELEASE_S) * SAMPLE_RATE)) / SAMPLE_RATE
        semitones = event.midi - nearest + pitch_offsets(event, np.maximum(times - BEFORE_S, 0.0))
        steps = 2.0 ** (semitones / 12.0) * OVERSAMPLED
        slurred = bool(event.techniques & SLURRED)
        weak = slurred or "slide" in event.techniques
        skipped = PICKED_S * SAMPLE_RATE * OVERSAMPLED if weak else 0.0
        at = np.cumsum(steps) - steps[0] + skipped
        part = np.interp(at, np.arange(len(note)), note, right=0.0)
        gain = event.velocity * (SLUR_GAIN if slurred else SLIDE_GAIN if weak else 1.0)
        part *= gain * np.interp(times, (0.0, FADE_S if weak else 0.0005), (0.0, 1.0))
        if event.techniques & {"palm-mute", "dead"}:
            dies = DEAD_S if "dead" in event.techniques else MUTED_S
            part *= np.exp(-np.maximum(times - BEFORE_S, 0.0) / dies)
            part = sosfilt(butter(1, MUTED_HZ, fs=SAMPLE_RATE, output="sos"), part)
        part *= np.interp(times, (BEFORE_S + lasts_s, BEFORE_S + lasts_s + RELEASE_S), (1.0, 0.0))
        return part.astype(np.float32)


def line(
    instrument: Recorded, rng: np.random.Generator, length_s: float, chords: bool
) -> np.ndarray:
    """Let an instrument play any line within a guitar's reach, up to three notes at once with `chords`."""
    low, high = max(min(instrument.notes), LOWEST), min(max(instrument.notes), HIGHEST)
    events, at, midi = [], 0.2, int(rng.integers(low, high + 1))
    while at < length_s - 1.0:
        lasts = float(rng.choice([0.25, 0.5, 0.5, 1.0]))
        midi = int(np.clip(midi + rng.integers(-5, 6), low, high))
        for voice in range(int(rng.integers(1, 4)) if chords else 1):
            pitch, strength = min(midi + 4 * voice, high), float(rng.uniform(0.5, 1.0))
            events.append(StringEvent(at, 0.95 * lasts, voice, 0, float(pitch), velocity=strength))
        at += lasts
    return instrument.played(events, length_s)


def read_recorded(folder: Path) -> Recorded:
    """Read the notes of an instrument; names that tell no pitch are passed over."""
    notes: dict[int, np.ndarray] = {}
    for path in sorted(folder.glob("*.*")):
        named = NAMED.fullmatch(path.stem)
        if named is None or path.suffix not in SOUNDS:
            continue
        if (folder.name, path.stem) in MISNAMED:
            continue
        letter, sharp, octave = named.groups()
        midi = 12 * (int(octave) + 1) + STEPS[letter] + bool(sharp)
        notes.setdefault(midi, _spoken(read_sound(path)))
    if not notes:
        raise FileNotFoundError(f"{folder} holds no notes of an instrument")
    return Recorded(notes)


def _spoken(sound: Sound) -> np.ndarray:
    """Give a note from `BEFORE_S` before it speaks on, its largest level 1."""
    rate = OVERSAMPLED * SAMPLE_RATE
    mono = to_rate(sound.audio, sound.sample_rate, rate).mean(axis=0)
    level = np.abs(mono)
    begins = int(np.argmax(level > 0.02 * level.max()))
    early = level[begins : begins + int(0.15 * rate)]
    first = begins + int(np.argmax(early > SPEAKS * early.max())) - int(BEFORE_S * rate)
    return np.pad(mono, (max(-first, 0), 0))[max(first, 0) :] / max(float(level.max()), 1e-9)


def fetch(folder: Path) -> None:
    """Fetch the packages of all instruments that are not there yet; needs the program npm."""
    folder.mkdir(parents=True, exist_ok=True)
    for name in (*GUITARS, KEPT_ASIDE, *OTHERS):
        if (folder / name).exists():
            continue
        package = PACKAGE.format(name, EARLIER.get(name, VERSION))
        with tempfile.TemporaryDirectory(dir=folder) as packed:
            subprocess.run(["npm", "pack", "--silent", package], cwd=packed, check=True)
            (archive,) = Path(packed).glob("*.tgz")
            unpack(archive, folder / name)
        print(f"{name}: {len(read_recorded(folder / name).notes)} notes", flush=True)


def unpack(archive: Path, target: Path) -> None:
    """Unpack the notes of a package, and what it says of their licence, flat, whole or not at all.

    Raises
    ------
    FileNotFoundError
        If there are no notes in it.
    """
    with tempfile.TemporaryDirectory(dir=target.parent) as made, tarfile.open(archive) as packed:
        notes = Path(made, target.name)
        notes.mkdir()
        for member in packed:
            path = Path(member.name)
            is_note = path.suffix in SOUNDS and NAMED.fullmatch(path.stem)
            data = packed.extractfile(member) if is_note or path.suffix == ".md" else None
            if data is not None:  # a file
                (notes / path.name).write_bytes(data.read())
        read_recorded(notes)
        notes.rename(target)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    fetch(parser.parse_args().folder)

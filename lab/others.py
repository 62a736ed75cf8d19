"""What is no guitar, by itself: talk, pianos, strings, winds, voices. None of its notes is written.

Talk is flite's (Debian package ``flite``), so that the benches, which use another voice, measure it.
"""

import subprocess
import tempfile
from pathlib import Path

import mido
import numpy as np
import soundfile
import soxr

from lab.instruments import SAMPLE_RATE, MidiSketch, render_midi

VOICES = ("kal", "kal16", "awb", "rms", "slt")
TEXT = (
    "listen again slowly this bar is played twice with the third finger on a lower string and then we"
    " go back to where it began so keep your wrist loose let it ring do not hurry count four before you"
    " start now the second time around he leans into it almost like talking which is why people remember"
    " the sound of morning rain over open fields under seven bridges near old water never mind"
)
KINDS = {
    "piano": (0, 1, 2, 3), "organ": (16, 17, 18, 19), "strings": (40, 41, 42, 44, 48, 49, 50, 51),
    "choir": (52, 53, 54, 91), "winds": (56, 57, 58, 60, 61, 64, 65, 66, 68, 70, 71, 72, 73, 74, 75),
}  # fmt: skip
SCALE = (0, 2, 3, 5, 7, 8, 10)


def no_guitar(rng: np.random.Generator, length_s: float) -> np.ndarray:
    """Draw a sound that no guitar makes: mono at 22.05 kHz, `length_s` seconds."""
    audio = talk(rng, length_s) if rng.random() < 0.4 else line(rng, length_s)
    length = int(length_s * SAMPLE_RATE)
    return np.pad(audio, (0, max(length - len(audio), 0)))[:length].astype(np.float32)


def talk(rng: np.random.Generator, length_s: float) -> np.ndarray:
    """Let somebody talk: one voice, faster or slower, higher or lower."""
    words = " ".join(rng.choice(TEXT.split(), size=int(4.0 * length_s)))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "talk.wav")
        command = ["flite", "-voice", str(rng.choice(VOICES)), "-t", words, "-o", str(path)]
        command[3:3] = ["--setf", f"duration_stretch={rng.uniform(0.7, 1.3):.2f}"]
        subprocess.run(command, check=True, capture_output=True)
        audio, rate = soundfile.read(path, dtype="float32")
    turned = rng.uniform(0.8, 1.25)  # another throat
    return np.asarray(soxr.resample(audio, rate, SAMPLE_RATE * turned))


def line(rng: np.random.Generator, length_s: float) -> np.ndarray:
    """Play a line, or chords, on one instrument."""
    kind = str(rng.choice(list(KINDS)))
    track = MidiSketch()
    track.set_up_channel(0, int(rng.choice(KINDS[kind])))
    low, root = int(rng.integers(38, 66)), int(rng.integers(12))
    pitches = [p for p in range(low, low + 30) if (p - root) % 12 in SCALE]
    beat, many = float(rng.uniform(0.25, 0.7)), float(rng.uniform(0.0, 0.8))
    at, place = 0.1, len(pitches) // 2
    while at < length_s - 0.5:
        held = beat * float(rng.choice([0.5, 0.5, 1.0, 1.0, 2.0]))
        place = int(np.clip(place + rng.integers(-3, 4), 0, len(pitches) - 1))
        chord = [0, 2, 4, 6][: int(rng.integers(2, 5))] if rng.random() < many else [0]
        if rng.random() > 0.12:
            for rise in chord:
                note = pitches[min(place + rise, len(pitches) - 1)]
                strength = int(rng.integers(50, 120))
                track.add(at, mido.Message("note_on", note=note, velocity=strength), 2)
                track.add(at + held * rng.uniform(0.7, 1.3), mido.Message("note_off", note=note), 0)
        at += held
    if kind != "piano" and rng.random() < 0.6:
        track.add(0.0, mido.Message("control_change", control=1, value=int(rng.integers(30, 110))))
    return render_midi(track.file(), patches=bool(rng.random() < 0.3))

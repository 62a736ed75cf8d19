"""Instruments that are not ours: events through sampled guitars, one MIDI channel a string.

Needs the programs fluidsynth (with the soundfont of Debian's timgm6mb-soundfont) and timidity with
the freepats patches; the system's configuration, which timidity reads first, must name no other sound that exists. Sampled notes speak some milliseconds after their key: `speaking_delays`
measures how many, so that truth is where the sound starts.
"""

import subprocess
import tempfile
from functools import cache
from pathlib import Path

import mido
import numpy as np
import soundfile

from juxtanote.core.synth.strings import SLURRED, StringEvent, pitch_offsets

SAMPLE_RATE = 22050
SOUNDFONT = Path("/usr/share/sounds/sf2/TimGM6mb.sf2")
PATCHES = Path("/etc/timidity/freepats.cfg")
SOUND_FOLDERS = tuple(Path("/usr/share/sounds", kind) for kind in ("sf2", "sf3"))
BEND_RANGE = 24
TICKS_PER_S = 960
STRING_CHANNELS = (0, 1, 2, 3, 4, 5, 6)
MUTED_CHANNELS = (7, 8, 10, 11, 12, 13, 14)
HARMONIC_CHANNEL = 15
MUCH_SOFTER = 0.4  # of the velocity of the note before
MUTED_PROGRAM = 28


def refuse_measuring_sounds() -> None:
    """Fail where the soundfont that is kept for measuring could be reached.

    timidity's own configuration names it on Debian: it may be neither trained on nor tuned with.

    Raises
    ------
    RuntimeError
        If it is installed.
    """
    found = [path for folder in SOUND_FOLDERS for path in folder.glob("FluidR3*")]
    if found:
        raise RuntimeError(f"{found[0]} is kept for measuring: remove it before making sounds here")


def render_midi(midi: mido.MidiFile, *, patches: bool = False) -> np.ndarray:
    """Play a MIDI file to mono float32 at 22.05 kHz, dry."""
    refuse_measuring_sounds()
    with tempfile.TemporaryDirectory() as folder:
        source, target = Path(folder, "in.mid"), Path(folder, "out.wav")
        if patches:  # timidity drops what comes before the first note: give it a silent one
            silent = mido.Message("note_on", channel=9, note=27, velocity=1)
            midi.tracks[0].insert(0, silent)
        midi.save(str(source))
        if patches:
            command = ["timidity", "-c", str(PATCHES), "-Ow", "-s", str(SAMPLE_RATE)]
            command += ["-EFreverb=0", "-EFchorus=0", "-o", str(target), str(source)]
        else:
            command = ["fluidsynth", "-ni", "-q", "-R", "0", "-C", "0", "-g", "0.6"]
            command += ["-r", str(SAMPLE_RATE), "-F", str(target), str(SOUNDFONT), str(source)]
        subprocess.run(command, check=True, capture_output=True)
        audio, _ = soundfile.read(target, dtype="float32", always_2d=True)
    return audio.mean(axis=1)


class MidiSketch:
    """Messages at absolute seconds, written as one MIDI track."""

    def __init__(self) -> None:
        self._timed: list[tuple[float, int, mido.Message]] = []

    def add(self, seconds: float, message: mido.Message, rank: int = 1) -> None:
        self._timed.append((max(seconds, 0.0), rank, message))

    def set_up_channel(self, channel: int, program: int) -> None:
        """Choose the sound and open the bend range (RPN 0)."""
        self.add(0.0, mido.Message("program_change", channel=channel, program=program), 0)
        for control, value in ((101, 0), (100, 0), (6, BEND_RANGE), (38, 0)):
            message = mido.Message("control_change", channel=channel, control=control, value=value)
            self.add(0.0, message, 0)

    def file(self) -> mido.MidiFile:
        midi = mido.MidiFile(ticks_per_beat=TICKS_PER_S // 2)  # 120 beats a minute
        track = mido.MidiTrack()
        midi.tracks.append(track)
        now = 0
        for seconds, _, message in sorted(self._timed, key=lambda entry: entry[:2]):
            tick = round(seconds * TICKS_PER_S)
            track.append(message.copy(time=max(tick - now, 0)))
            now = max(tick, now)
        track.append(mido.MetaMessage("end_of_track", time=TICKS_PER_S))
        return midi


def _bend_message(channel: int, semitones: float) -> mido.Message:
    value = int(np.clip(round(8192 * semitones / BEND_RANGE), -8192, 8191))
    return mido.Message("pitchwheel", channel=channel, pitch=value)


def events_to_midi(
    events: list[StringEvent], program: int, rng: np.random.Generator, *, detune: float = 0.0
) -> mido.MidiFile:
    """Write events with true pitch-bend curves and weak attacks for slurred notes.

    Slurred notes are either struck softly anew or bent without any attack from the note before;
    one draw a file decides how often.
    """
    track = MidiSketch()
    for channel in STRING_CHANNELS:
        track.set_up_channel(channel, program)
    for channel in MUTED_CHANNELS:
        track.set_up_channel(channel, MUTED_PROGRAM)
    track.set_up_channel(HARMONIC_CHANNEL, program)
    bent_share = float(rng.choice([0.0, 0.3, 0.8]))
    for event, chain in _chains(events, bent_share, rng):
        _add_chain(track, event, chain, detune)
    return track.file()


def _chains(
    events: list[StringEvent], bent_share: float, rng: np.random.Generator
) -> list[tuple[StringEvent, list[StringEvent]]]:
    """Group notes that sound from one key stroke: the struck one and those slurred to it."""
    chains: list[tuple[StringEvent, list[StringEvent]]] = []
    open_chain: dict[int, list[StringEvent]] = {}
    for event in events:
        chain = open_chain.get(event.string)
        slurred = event.techniques & (SLURRED | {"slide"})
        joined = (
            chain is not None
            and slurred
            and event.onset_s - chain[-1].offset_s < 0.02
            and abs(event.midi - chain[0].midi) <= 12
            and not chain[-1].techniques & {"dead", "palm-mute", "natural-harmonic"}
            and rng.random() < bent_share
            # One stroke cannot give a note that is far softer than the one before.
            and event.velocity > MUCH_SOFTER * chain[-1].velocity
        )
        if joined and chain is not None:
            chain.append(event)
            continue
        chain = [event]
        open_chain[event.string] = chain
        chains.append((event, chain))
    return chains


def _add_chain(
    track: MidiSketch, first: StringEvent, chain: list[StringEvent], detune: float
) -> None:
    channel = STRING_CHANNELS[first.string - 1]
    if first.techniques & {"dead", "palm-mute"}:
        channel = MUTED_CHANNELS[first.string - 1]
    elif "natural-harmonic" in first.techniques:
        channel = HARMONIC_CHANNEL
    key = int(np.floor(first.midi + 0.5))
    velocity = first.velocity
    if first.techniques & SLURRED:
        velocity *= 0.62
    elif "slide" in first.techniques:
        velocity *= 0.7
    last = chain[-1]
    end = min(last.offset_s, first.onset_s + 0.035) if "dead" in first.techniques else last.offset_s
    for event in chain:
        if event.curve:
            step = np.arange(0.0, event.duration_s, 0.008)
        else:
            step = np.zeros(1)
        offsets = event.midi - key + detune + pitch_offsets(event, step)
        for time, offset in zip(event.onset_s + step, offsets, strict=True):
            track.add(time, _bend_message(channel, float(offset)), 1)
    strength = int(np.clip(127 * velocity, 1, 127))
    track.add(
        first.onset_s, mido.Message("note_on", channel=channel, note=key, velocity=strength), 2
    )
    track.add(end - 0.001, mido.Message("note_off", channel=channel, note=key), 0)


@cache
def speaking_delays(program: int, patches: bool = False) -> np.ndarray:
    """Measure for every MIDI key how long after its stroke the sound is there, in seconds.

    It is there when the level first passes a fifth of its largest in the first 150 ms.
    """
    track = MidiSketch()
    track.set_up_channel(0, program)
    keys = np.arange(28, 100)
    for index, key in enumerate(keys):
        start = 0.1 + 0.6 * index
        track.add(start, mido.Message("note_on", note=int(key), velocity=100), 2)
        track.add(start + 0.4, mido.Message("note_off", note=int(key)), 0)
    audio = np.abs(render_midi(track.file(), patches=patches))
    delays = np.zeros(128)
    for index, key in enumerate(keys):
        start = int((0.1 + 0.6 * index) * SAMPLE_RATE)
        window = audio[start : start + int(0.15 * SAMPLE_RATE)]
        if window.size and window.max() > 1e-4:
            delays[key] = np.argmax(window > 0.2 * window.max()) / SAMPLE_RATE
    return delays


def render_sampled(
    events: list[StringEvent],
    program: int,
    rng: np.random.Generator,
    *,
    patches: bool = False,
    detune: float = 0.0,
) -> tuple[np.ndarray, list[StringEvent]]:
    """Play events through a sampled guitar; give the audio and the events where they sound."""
    from dataclasses import replace

    audio = render_midi(events_to_midi(events, program, rng, detune=detune), patches=patches)
    delays = speaking_delays(program, patches)
    muted = speaking_delays(MUTED_PROGRAM, patches)
    heard = []
    for event in events:
        table = muted if event.techniques & {"dead", "palm-mute"} else delays
        delay = float(table[int(np.clip(event.midi + 0.5, 0, 127))])
        heard.append(replace(event, onset_s=event.onset_s + min(delay, 0.08)))
    return audio, heard

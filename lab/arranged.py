"""Songs that others arranged, as MIDI: who plays what is known of every note, and nobody here wrote it.

    python -m lab.arranged FOLDER

fetches them: Debian packages of freely licensed music of games (credits and licences stand in their copyright
files), each song unpacked as ``FOLDER/SONG.mid``. Rock, metal, blues, jazz and others, by dozens of composers.
A `Passage` is some seconds of one in which a guitar leads, and all the others play.
"""

import argparse
import hashlib
import struct
import subprocess
import tempfile
import warnings
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import mido
import numpy as np

from juxtanote.core.synth.strings import StringEvent
from lab.instruments import BEND_RANGE, MidiSketch

TAUGHT = "freedoom", "simutrans-data", "planetblupi-music-midi", "freedink-data"
ASIDE = "freedm", "openttd-openmsx"
"""Packages whose songs may be learned from, and those that are for measuring alone."""
PACKAGES = TAUGHT + ASIDE
GUITARS, DRIVEN = range(24, 32), (29, 30)  # programs of General MIDI
LENGTH_S, HOP_S = 16.0, 4.0
FEWEST, MOST_TOGETHER, LOWEST_MEAN = 16, 0.2, 50.0  # notes, share in chords, MIDI: what leads
TOGETHER_S, OVERLAP_S, SHORTEST_S, STRINGS = 0.03, 0.06, 0.04, 6
BEND_STEP_S, BENT = 0.02, 0.3  # semitones from which on a pitch is bent
HIGH_WORTH = 0.5  # notes a passage that a semitone higher is worth


@dataclass(frozen=True, slots=True)
class Track:
    """What one instrument plays: (onset_s, offset_s, MIDI, velocity) by onset, and its bends (s, semitones)."""

    program: int
    is_drum: bool
    notes: tuple[tuple[float, float, float, float], ...]
    bends: tuple[tuple[float, float], ...] = ()
    volume: float = 1.0
    pan: float = 0.0


@dataclass(frozen=True, slots=True)
class Passage:
    """Some seconds of a song: a guitar that leads, and what plays around it, from zero on."""

    song: str
    start_s: float
    lead: Track
    others: tuple[Track, ...]


def fetch(folder: Path) -> int:
    """Fetch all songs into a folder; give how many."""
    folder.mkdir(parents=True, exist_ok=True)
    known: set[str] = set()
    with tempfile.TemporaryDirectory() as scratch:
        for package in PACKAGES:
            subprocess.run(["apt-get", "-qq", "download", package], cwd=scratch, check=True)
            (deb,) = Path(scratch).glob(f"{package}_*.deb")
            subprocess.run(["dpkg", "-x", str(deb), str(Path(scratch, package))], check=True)
            for name, data in _songs(Path(scratch, package)):
                digest = hashlib.sha256(data).hexdigest()
                if digest not in known:
                    known.add(digest)
                    (folder / f"{package}-{name}.mid").write_bytes(data)
    return len(known)


def _songs(tree: Path) -> Iterator[tuple[str, bytes]]:
    for path in sorted(p for p in tree.rglob("*") if p.is_file() and not p.is_symlink()):
        if path.suffix.lower() == ".mid":
            yield path.stem.replace(" ", "_"), path.read_bytes()
        elif path.suffix.lower() == ".wad":
            yield from _lumps(path)


def _lumps(path: Path) -> Iterator[tuple[str, bytes]]:
    """Read what a WAD holds of music: a directory of (offset, size, name) at its end."""
    data = path.read_bytes()
    count, directory = struct.unpack_from("<ii", data, 4)
    for k in range(count):
        at, size, raw = struct.unpack_from("<ii8s", data, directory + 16 * k)
        name = raw.rstrip(b"\0").decode("ascii")
        if name.startswith("D_") and data[at : at + 4] == b"MThd":
            yield f"{path.stem}-{name[2:].lower()}", data[at : at + size]


def read_song(path: Path) -> list[Track]:
    """Read the tracks of a song.

    Raises
    ------
    ValueError
        If it is no MIDI file, or breaks the standard.
    """
    import pretty_midi
    from mido.midifiles.meta import KeySignatureError

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            song = pretty_midi.PrettyMIDI(str(path))
        except (OSError, ValueError, EOFError, IndexError, KeyError, KeySignatureError) as error:
            raise ValueError(f"{path.name} is not read: {error}") from error
    return [_track(instrument) for instrument in song.instruments if instrument.notes]


def _bend_range(instrument: Any) -> float:
    """Give the semitones that a file first sets for bends, else two: registered parameter 0 (MIDI 1.0)."""
    parameter = {101: -1, 100: -1}
    for control in instrument.control_changes:
        if control.number in parameter:
            parameter[control.number] = control.value
        elif control.number == 6 and not any(parameter.values()) and control.value:
            return float(control.value)
    return 2.0


def _track(instrument: Any) -> Track:
    controls = {c.number: c.value for c in reversed(instrument.control_changes)}
    reach = _bend_range(instrument)
    bends = ((0.0, 0.0), *((b.time, b.pitch / 8192.0 * reach) for b in instrument.pitch_bends))
    notes = sorted((n.start, n.end, float(n.pitch), n.velocity / 127.0) for n in instrument.notes)
    loud, place = controls.get(7, 100) / 100.0, (controls.get(10, 64) - 64) / 64.0
    return Track(
        int(instrument.program), bool(instrument.is_drum), tuple(notes), bends, loud, place
    )


def cut(track: Track, start_s: float, length_s: float = LENGTH_S) -> Track:
    """Cut what begins within some seconds, from zero on."""
    until = start_s + length_s
    notes = tuple(
        (a - start_s, min(b, until) - start_s, midi, strength)
        for a, b, midi, strength in track.notes
        if start_s <= a < until - SHORTEST_S
    )
    before = [value for at, value in track.bends if at <= start_s]
    bends = ((0.0, before[-1] if before else 0.0),)
    bends += tuple((at - start_s, value) for at, value in track.bends if start_s < at < until)
    return Track(track.program, track.is_drum, notes, bends, track.volume, track.pan)


def _leads(track: Track) -> float:
    """Tell how much a part of a track is a lead: 0 if it is none."""
    onsets = np.array([note[0] for note in track.notes])
    midi = np.array([note[2] for note in track.notes])
    if len(onsets) < FEWEST or midi.mean() < LOWEST_MEAN or len(set(midi)) < 4:
        return 0.0
    together = float(np.mean(np.diff(onsets) < TOGETHER_S))
    if together > MOST_TOGETHER:
        return 0.0
    return len(onsets) + HIGH_WORTH * float(midi.mean())


def passages(folder: Path) -> Iterator[Passage]:
    """Give of each song, by name, the passage in which a guitar leads the most."""
    for path in sorted(folder.glob("*.mid")):
        try:
            tracks = read_song(path)
        except ValueError:
            continue
        ends = max(track.notes[-1][1] for track in tracks) if tracks else 0.0
        best: tuple[float, float, int] | None = None
        for index, track in enumerate(tracks):
            if track.is_drum or track.program not in GUITARS:
                continue
            for start in np.arange(0.0, ends - LENGTH_S, HOP_S):
                worth = _leads(cut(track, float(start)))
                if worth and (best is None or worth > best[0]):
                    best = worth, float(start), index
        if best is not None:
            _, start, at = best
            others = [cut(t, start) for k, t in enumerate(tracks) if k != at]
            lead = cut(tracks[at], start)
            yield Passage(path.stem, start, lead, tuple(t for t in others if t.notes))


def add_track(made: MidiSketch, track: Track, channel: int) -> None:
    """Write a track as MIDI, its bends with it."""
    made.set_up_channel(channel, 0 if track.is_drum else track.program)
    loud = int(np.clip(100 * track.volume, 0, 127))
    made.add(0.0, mido.Message("control_change", channel=channel, control=7, value=loud), 0)
    for at, semitones in track.bends:
        value = int(np.clip(round(8192 * semitones / BEND_RANGE), -8192, 8191))
        made.add(at, mido.Message("pitchwheel", channel=channel, pitch=value), 1)
    for start, end, midi, strength in track.notes:
        velocity = int(np.clip(127 * strength, 1, 127))
        note = {"channel": channel, "note": int(np.clip(midi, 0, 127))}
        made.add(start, mido.Message("note_on", velocity=velocity, **note), 2)
        made.add(end, mido.Message("note_off", **note), 0)


def as_events(track: Track) -> list[StringEvent]:
    """Put notes on strings, one at a time on each, with their bends."""
    free_at = [0.0] * STRINGS
    struck: dict[float, float] = {}  # by pitch: doubled notes are one
    times = np.array([at for at, _ in track.bends])
    values = np.array([value for _, value in track.bends])
    events = []
    for k, (start, end, midi, strength) in enumerate(track.notes):
        if start - struck.get(midi, -1.0) < TOGETHER_S:
            continue
        struck[midi] = start
        later = [n[0] for n in track.notes[k + 1 :] if n[0] > start + TOGETHER_S]
        # A line's notes do not lie over each other, and nobody lets a driven line ring.
        if later and (track.program in DRIVEN or end - later[0] < OVERLAP_S):
            end = min(end, later[0])
        end = max(end, start + SHORTEST_S)
        string = next((s for s in range(STRINGS) if free_at[s] <= start + 1e-6), None)
        if string is None:
            string = int(np.argmin(free_at))
        free_at[string] = end
        steps = np.arange(0.0, end - start, BEND_STEP_S)
        at = np.searchsorted(times, start + steps, side="right") - 1
        bent = values[np.maximum(at, 0)] if len(values) else np.zeros(len(steps))
        first = float(bent[0])
        moves = np.any(np.abs(bent - first) > 0.01)
        curve = tuple(zip(steps.tolist(), (bent - first).tolist(), strict=True)) if moves else ()
        rises = float(np.max(bent - first)) if moves else 0.0
        names = frozenset({"bend"} if rises > BENT else ())
        events.append(
            StringEvent(start, end - start, string + 1, 0, midi + first, names, curve, strength)
        )
    return events


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    print(f"{fetch(parser.parse_args().folder)} songs")

"""A suggestion of the chord in each bar: how well the harmony fits each triad and seventh.

Template matching on a chromagram: T. Fujishima, "Realtime Chord Recognition of Musical Sound",
Proc. ICMC 1999.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.spectra import (
    BINS_PER_SEMITONE,
    HOP_LENGTH,
    LOWEST_BIN_MIDI,
    SAMPLE_RATE,
    log_spectra,
)
from juxtanote.core.theory.chords import QUALITIES
from juxtanote.core.theory.keys import known_key
from juxtanote.core.theory.scales import SCALES, spell_in_key, spell_tonic

Array = NDArray[np.float64]
FLOOR = 0.35  # of the level's scale: what is softer is room and noise
# Qualities that are suggested, and what each must fit better than a plain triad.
SUGGESTED = {"": 0.0, "m": 0.0, "7": -0.035, "m7": -0.045, "5": -0.03}
IN_KEY = 0.03  # a chord of the key may be so much less plain
BASS_BELOW, HIGHEST_MIDI = 48, 83  # C3; chords are read up to B5


@dataclass(frozen=True, slots=True)
class ChordReading:
    """A chord suggested for a bar: its symbol, and how much better it fits than the next root."""

    bar: int  # 1-based
    symbol: str
    lead: float


def suggest_chords(
    mono: NDArray[np.float32], bars: list[tuple[int, float, float]], *, key: str = ""
) -> list[ChordReading]:
    """Suggest one chord for each bar of mono audio at 22 050 Hz.

    Parameters
    ----------
    bars : list of (int, float, float)
        Number of each bar, and where it begins and ends in the audio, in seconds.
    key : str
        Spells the roots, and helps chords that lie inside it a little.
    """
    spectra = log_spectra(mono, np.zeros_like(mono))[0]
    energy = np.maximum(spectra - FLOOR, 0.0)
    rows = energy[: energy.shape[0] // BINS_PER_SEMITONE * BINS_PER_SEMITONE]
    semitones = rows.reshape(-1, BINS_PER_SEMITONE, rows.shape[1]).max(axis=1)
    frame_rate = SAMPLE_RATE / HOP_LENGTH
    found = []
    for bar, low, high in bars:
        part = semitones[:, max(int(low * frame_rate), 0) : max(int(high * frame_rate), 1)]
        if part.size:
            symbol, lead = _best_chord(part.mean(axis=1).astype(np.float64), key)
            found.append(ChordReading(bar, symbol, lead))
    return found


def _best_chord(semitones: Array, key: str) -> tuple[str, float]:
    """Give the best symbol for the mean energy of a bar by semitone, and its lead."""
    chroma, bass = np.zeros(12), np.zeros(12)
    for midi, energy in enumerate(semitones[: HIGHEST_MIDI - LOWEST_BIN_MIDI], LOWEST_BIN_MIDI):
        chroma[midi % 12] += energy
        if midi < BASS_BELOW:
            bass[midi % 12] += energy
    chroma /= float(np.linalg.norm(chroma)) + 1e-9
    bass /= float(bass.max(initial=0.0)) + 1e-9
    scores: dict[tuple[int, str], float] = {}
    for quality, price in SUGGESTED.items():
        template = np.zeros(12)
        template[list(QUALITIES[quality])] = 1.0
        template /= np.linalg.norm(template)
        for root in range(12):
            inside = IN_KEY if _is_in_key(root, quality, key) else 0.0
            fit = float(np.roll(template, root) @ chroma)
            scores[root, quality] = fit + 0.12 * bass[root] + price + inside
    (root, quality), best = max(scores.items(), key=lambda entry: entry[1])
    other = max(score for (r, _), score in scores.items() if r != root)
    return _spelled_root(root, key) + quality, best - other


def _is_in_key(root: int, quality: str, key: str) -> bool:
    known = known_key(key)
    if known is None:
        return False
    scale = SCALES["major" if known.family == "major" else "natural minor"]
    return all((root + step - known.pitch_class) % 12 in scale for step in QUALITIES[quality])


def _spelled_root(root: int, key: str) -> str:
    return spell_in_key(root, key) if known_key(key) else spell_tonic(root, "major")

"""The signal-processing road for one clean voice: used where the learned weights are missing."""

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.found import FoundNote
from juxtanote.core.analysis.onsets import onset_strength, pick_peaks
from juxtanote.core.analysis.pitch_track import PitchTrack, track_pitch
from juxtanote.core.analysis.spectra import SAMPLE_RATE

STEP_SEMITONES = 0.65  # a larger step of pitch is another note, a smaller one vibrato
STEADY_FRAMES = 4  # 46 ms: a pitch must hold so long to count
SHORTEST_FRAMES = 4  # 46 ms: shorter ones are the noise of a pick


def find_notes(
    mono: NDArray[np.float32], *, reference_hz: float = 440.0
) -> tuple[list[FoundNote], NDArray[np.float64]]:
    """Find the notes of a single line, and the onset curve they came from.

    A note begins at an onset of the spectrum, or where the pitch steps from one steady value to
    another faster than a bend moves.

    Parameters
    ----------
    mono : ndarray of float32, shape (n_samples,)
        At 22 050 Hz.
    reference_hz : float
        Of A4.

    Examples
    --------
    >>> find_notes(np.zeros(22_050, dtype=np.float32))[0]
    []
    """
    strength = onset_strength(mono)
    track = track_pitch(mono, SAMPLE_RATE, reference_hz=reference_hz)
    frames = min(len(strength), len(track.midi))
    struck = {int(frame) + 1 for frame in pick_peaks(strength) if 0 < frame < frames}
    stepped = _steps(track.midi[:frames]) if frames else []
    begins = sorted(struck | {s for s in stepped if not any(abs(s - o) < 5 for o in struck)})
    scale = float(strength.max(initial=0.0)) or 1.0
    notes = []
    for index, begin in enumerate(begins):
        end = begins[index + 1] if index + 1 < len(begins) else frames
        note = _note(track, begin, end, strength[begin : begin + 3].max(initial=0.0) / scale)
        if note is not None:
            notes.append(note)
    return notes, strength / scale


def _steps(midi: NDArray[np.float64]) -> list[int]:
    """Find frames where a steady pitch gives way to another within a few frames."""
    steps: list[int] = []
    for frame in range(STEADY_FRAMES, len(midi) - STEADY_FRAMES):
        before, after = midi[frame - STEADY_FRAMES : frame], midi[frame : frame + STEADY_FRAMES]
        if np.isnan(before).any() or np.isnan(after).any():
            continue
        jump = abs(float(np.median(after) - np.median(before)))
        steady = float(np.ptp(before)) < 0.35 and float(np.ptp(after)) < 0.35
        if steady and jump > STEP_SEMITONES and (not steps or frame - steps[-1] > 4):
            steps.append(frame)
    return steps


def _note(track: PitchTrack, begin: int, end: int, strength: float) -> FoundNote | None:
    part = track.midi[begin:end]
    voiced = np.flatnonzero(~np.isnan(part))
    if len(voiced) < SHORTEST_FRAMES:
        return None
    last = begin + int(voiced[-1]) + 1
    # The first frames still hold the note before: the window is eight frames long.
    settled = voiced[voiced >= 4] if np.any(voiced >= 6) else voiced
    first = part[settled[:8]]
    midi = int(np.clip(round(float(np.median(first))), 0, 127))
    clarity = float(np.mean(track.clarity[begin:last]))
    slurred = 0.8 if strength < 0.12 else 0.1
    return FoundNote(
        start=float(begin),
        end=last,
        midi=midi,
        onset_posterior=0.3 + 0.6 * clarity,
        active_posterior=clarity,
        slurred=slurred,
        slide=0.0,
        muted=0.0,
        harmonic=0.0,
        rivals=(),
    )

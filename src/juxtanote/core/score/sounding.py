"""What a written place sounds."""

import numpy as np

from juxtanote.core.score.note import Note
from juxtanote.core.theory.harmonics import harmonic_midi
from juxtanote.core.theory.tuning import Guitar

SETTLED_PART = 0.4  # of a note: later the bar has arrived


def cents_over_wire(note: Note, guitar: Guitar) -> float:
    """Give how far a bar rings over the pitch of its fret's wire once it has arrived, in cents.

    A bar stops the string wherever it lies: only straight over the wire is the fret's pitch true.

    Parameters
    ----------
    note : Note
        One that the bar stops; its curve is cents over its heard pitch.
    guitar : Guitar
        Tuned as it is played, capo included.
    """
    settled = [c for t, c in note.heard.curve if t >= SETTLED_PART * note.heard.duration_s]
    heard = note.heard.midi + (float(np.median(settled)) / 100.0 if settled else 0.0)
    return 100.0 * (heard - sounding_midi(note, guitar))


def sounding_midi(note: Note, guitar: Guitar) -> float:
    """Give the pitch that a written place sounds before any bend, harmonics included.

    Parameters
    ----------
    note : Note
        Its written side counts.
    guitar : Guitar
        Tuned as it is played, capo included.
    """
    written = note.written
    if "natural-harmonic" in written.techniques:
        harmonic = harmonic_midi(guitar.open_midi(written.string), written.fret)
        return harmonic if harmonic is not None else note.heard.midi
    return float(guitar.midi_at(written.string, written.fret))

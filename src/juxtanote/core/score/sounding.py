"""What a written place sounds."""

from juxtanote.core.score.note import Note
from juxtanote.core.theory.harmonics import harmonic_midi
from juxtanote.core.theory.tuning import Guitar


def sounding_midi(note: Note, guitar: Guitar) -> float:
    """Give the pitch that a written place sounds before any bend, harmonics included."""
    written = note.written
    if "natural-harmonic" in written.techniques:
        harmonic = harmonic_midi(guitar.open_midi(written.string), written.fret)
        return harmonic if harmonic is not None else note.heard.midi
    return float(guitar.midi_at(written.string, written.fret))

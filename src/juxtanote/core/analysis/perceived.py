"""What listening takes and what it gives: hints, notes as heard, and the evidence for them."""

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis import listener
from juxtanote.core.analysis.decode import DecoderSettings
from juxtanote.core.theory.observed import Observation, Otherwise
from juxtanote.core.theory.tuning import Guitar


@dataclass(frozen=True, slots=True)
class OtherReading:
    """What else it could have been."""

    midi: float
    confidence: float
    differs: Otherwise = Otherwise.PITCH
    at_s: float = 0.0  # where a note would be split, from its onset


@dataclass(frozen=True, slots=True)
class PerceivedNote:
    """One note as heard: `midi` at the recording's own reference pitch, before bend or vibrato.

    `curve` holds (seconds from the onset, cents above `midi`).
    """

    onset_s: float
    offset_s: float
    midi: float
    level_db: float
    confidence: float
    techniques: frozenset[str] = frozenset()
    bend_semitones: float = 0.0
    curve: tuple[tuple[float, float], ...] = ()
    evidence: tuple[Observation, ...] = ()
    others: tuple[OtherReading, ...] = ()
    stiffness: float = 0.0  # B of its partials; 0: not measured
    strength: float = 0.0  # how plainly that shows
    legato: float = 0.0  # the probability that it is slurred, by its sound


@dataclass(frozen=True, slots=True)
class Listening:
    """Everything one listening gave; the frame curves lie `hop_s` apart from `start_s`.

    `posteriors` is the listener's own evidence: None on the road without weights and of a whole song.
    """

    notes: tuple[PerceivedNote, ...]
    start_s: float
    hop_s: float
    onset_curve: NDArray[np.float64]
    level_curve: NDArray[np.float64]
    voices_curve: NDArray[np.float64]
    posteriors: listener.Posteriors | None = None

    @property
    def end_s(self) -> float:
        """Up to where it was listened to."""
        return self.start_s + self.hop_s * len(self.onset_curve)


def settled() -> DecoderSettings:
    """Give the decoder's settings that were settled for the weights at hand."""
    known = listener.recipe().get("decoder", {})
    fields = known if isinstance(known, dict) else {}
    weights = {name: float(value) for name, value in fields.items()}
    return replace(DecoderSettings(), **weights)  # type: ignore[arg-type]


@dataclass(frozen=True, slots=True)
class Hints:
    """What the person knows before listening."""

    expected_notes: int | None = None
    scale: frozenset[int] | None = None
    one_voice: bool = False
    certain: tuple[tuple[float, float, float], ...] = ()  # (onset, offset, midi) that are known
    lowest: int = 0
    highest: int = 127
    settings: DecoderSettings = field(default_factory=settled)

    def decoder(self) -> DecoderSettings:
        """Give the decoder's settings with the hints in them."""
        return replace(
            self.settings,
            expected_notes=self.expected_notes,
            scale=self.scale,
            most_voices=1 if self.one_voice else self.settings.most_voices,
            lowest=self.lowest,
            highest=self.highest,
        )

    def on_guitar(self, guitar: Guitar) -> "Hints":
        """Add what the guitar can sound, harmonics up to two octaves over its thinnest string.

        Parameters
        ----------
        guitar : Guitar
            With its capo.

        Examples
        --------
        >>> Hints().on_guitar(Guitar()).lowest, Hints().on_guitar(Guitar()).highest
        (40, 88)
        """
        opens = [guitar.open_midi(s) for s in range(1, guitar.string_count + 1)]
        return replace(self, lowest=min(opens), highest=max(opens) + max(guitar.last_fret, 24))

    def on_string(self, guitar: Guitar, string: int) -> "Hints":
        """Add that all is played on one string, one note at a time.

        Parameters
        ----------
        guitar : Guitar
            With its capo.
        string : int
            1 is the thinnest.

        Examples
        --------
        >>> hints = Hints().on_string(Guitar(), 6)
        >>> hints.one_voice, hints.lowest
        (True, 40)
        """
        lowest = guitar.open_midi(string)
        return replace(self, one_voice=True, lowest=lowest, highest=lowest + guitar.last_fret)

"""What a recording says of any pitch at any time: the listener's evidence, asked with a question."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.channels import CELL_KINDS, LOWEST_MIDI
from juxtanote.core.analysis.perceived import Listening, PerceivedNote
from juxtanote.core.analysis.spectra import (
    BINS_PER_SEMITONE,
    FLOOR_DB,
    LOWEST_BIN_MIDI,
    RANGE_DB,
)

NEAR_S = 0.05  # how far a written onset may lie off what sounds
LEVEL_FRAMES = 5  # 58 ms after a stroke it is loudest


@dataclass(frozen=True, slots=True)
class Evidence:
    """One stretch of a recording, listened to again; times are seconds of the recording."""

    start_s: float
    end_s: float
    heard: Listening

    @property
    def notes(self) -> tuple[PerceivedNote, ...]:
        """What the listener wrote down."""
        return self.heard.notes

    def _part(self, kind: str, midi: float, start_s: float, end_s: float) -> NDArray[np.float32]:
        """Give the probabilities of a kind at a pitch over a stretch of time."""
        known, row = self.heard.posteriors, round(midi) - LOWEST_MIDI
        if known is None or not 0 <= row < known.cells.shape[1]:
            return np.zeros(1, dtype=np.float32)
        first = max(int((start_s - self.heard.start_s) / self.heard.hop_s), 0)
        last = int(np.ceil((end_s - self.heard.start_s) / self.heard.hop_s)) + 1
        part = known.cells[CELL_KINDS.index(kind), row, first:last]
        return part if part.size else np.zeros(1, dtype=np.float32)

    def begins(self, midi: float, at_s: float, within_s: float = NEAR_S) -> float:
        """Give how likely a note of this pitch begins around a time.

        Parameters
        ----------
        midi : float
            The pitch; the nearest semitone counts.
        at_s : float
            Seconds of the recording.
        within_s : float
            How far each way, in seconds.
        """
        return float(self._part("onset", midi, at_s - within_s, at_s + within_s).max())

    def sounds(self, midi: float, start_s: float, end_s: float) -> float:
        """Give how much of a stretch a pitch sounds, 0 to 1.

        Parameters
        ----------
        midi : float
            The pitch; the nearest semitone counts.
        start_s, end_s : float
            Seconds of the recording.
        """
        return float(self._part("active", midi, start_s, max(end_s, start_s + 0.02)).mean())

    def kind(self, kind: str, midi: float, at_s: float) -> float:
        """Give how likely a note that begins here is of a kind: slurred, slide, muted, harmonic, tap.

        Parameters
        ----------
        kind : str
            One of `channels.CELL_KINDS` that is told of attacks.
        midi : float
            The pitch; the nearest semitone counts.
        at_s : float
            Seconds of the recording.
        """
        return float(self._part(kind, midi, at_s - 0.03, at_s + 0.03).max())

    def moves(self, kind: str, midi: float, start_s: float, end_s: float) -> float:
        """Give how much a note is on its way in a bend or shaken: the mean of its strongest third.

        Parameters
        ----------
        kind : str
            Whether bending or shaking.
        midi : float
            The pitch; the nearest semitone counts.
        start_s, end_s : float
            Seconds of the recording.
        """
        part = np.sort(self._part(kind, midi, start_s, end_s))
        return float(part[-max(len(part) // 3, 1) :].mean())

    def level_db(self, midi: float, at_s: float) -> float | None:
        """Give how loud the first partials of a pitch get just after a time, whatever else sounds.

        Parameters
        ----------
        midi : float
            The pitch; the nearest semitone counts.
        at_s : float
            Seconds of the recording.
        """
        return self.partials_db(midi, at_s, 1, 1 + LEVEL_FRAMES)

    def partials_db(
        self,
        midi: float,
        at_s: float,
        first: int,
        last: int,
        partials: tuple[int, ...] = (1, 2, 3),
    ) -> float | None:
        """Give how loud the loudest of some partials of a pitch is around a time, in dB.

        Parameters
        ----------
        midi : float
            The pitch; the nearest semitone counts.
        at_s : float
            Seconds of the recording.
        first, last : int
            Which frames, counted from that time; their mean is taken.
        partials : tuple of int
            1 is the fundamental.

        Returns
        -------
        float or None
            None where there is no such frame or partial.
        """
        known = self.heard.posteriors
        if known is None or known.quick is None:
            return None
        frame = int((at_s - self.heard.start_s) / self.heard.hop_s)
        base = round(BINS_PER_SEMITONE * (round(midi) - LOWEST_BIN_MIDI))
        lowest = [base + round(12 * BINS_PER_SEMITONE * np.log2(h)) for h in partials]
        rows = [row + k for row in lowest for k in range(BINS_PER_SEMITONE)]
        inside = [row for row in rows if 0 <= row < known.quick.shape[1]]
        part = known.quick[0, inside, max(frame + first, 0) : max(frame + last, 0)]
        if not part.size:
            return None
        return float(part.max(axis=0).mean() * RANGE_DB + FLOOR_DB)

    def is_dead(self, at_s: float) -> float:
        """Give how likely a stroke without pitch is here.

        Parameters
        ----------
        at_s : float
            Seconds of the recording.
        """
        known = self.heard.posteriors
        if known is None:
            return 0.0
        centre = (at_s - self.heard.start_s) / self.heard.hop_s
        part = known.dead[max(int(centre) - 4, 0) : int(centre) + 5]
        return float(part.max()) if part.size else 0.0

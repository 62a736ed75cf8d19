"""From where on a difference between written and heard is a finding: a lesson has its own."""

from dataclasses import dataclass

STRICTEST, LOOSEST = 1.0, 400.0  # cents, ms, dB or percent


@dataclass(frozen=True, slots=True)
class Limits:
    """Smaller differences pass. Cents for bends and pitches, milliseconds for onsets, dB for slurs.

    Doubts of how a note is struck that are right less often than `doubt_percent` pass as well.
    """

    bend_cents: float = 25.0
    pitch_cents: float = 40.0
    late_ms: float = 30.0
    quiet_db: float = 6.0
    doubt_percent: float = 20.0

    def __post_init__(self) -> None:
        values = (self.bend_cents, self.pitch_cents, self.late_ms, self.quiet_db)
        for value in (*values, self.doubt_percent):
            if not STRICTEST <= value <= LOOSEST:
                raise ValueError(f"a limit of {value:g}: {STRICTEST:g} to {LOOSEST:g}")

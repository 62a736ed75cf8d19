"""Partials of strings: what a touch over a fret lets through, and what distortion adds to two notes."""

import math
from collections.abc import Sequence

# Fret wire to partial; fret 4, 9 and 16 are near, not on, the node (Fletcher & Rossing).
PARTIAL_AT_FRET = {12: 2, 7: 3, 19: 3, 5: 4, 24: 4, 4: 5, 9: 5, 16: 5}
LOWEST_TONE = 2.0 ** (24.0 / 12.0)  # of MIDI 24, in the unit in which MIDI 0 is 1


def partial_offset(partial: int) -> float:
    """Give how far partial `partial` lies above the open string, in semitones.

    Examples
    --------
    >>> round(100 * (partial_offset(5) - 28), 1), round(100 * (partial_offset(3) - 19), 1)
    (-13.7, 2.0)
    """
    if partial < 1:
        raise ValueError(f"partial is {partial}; the first partial is 1")
    return 12.0 * math.log2(partial)


def stretched_partial_hz(partial: int, f0_hz: float, inharmonicity: float) -> float:
    """Give the frequency of a partial of a stiff string: n·f0·√(1 + B·n²) (Fletcher & Rossing).

    Parameters
    ----------
    partial : int
        Its number, 1 for the fundamental.
    f0_hz : float
        What the string would sound without stiffness.
    inharmonicity : float
        B, without a unit.
    """
    return partial * f0_hz * math.sqrt(1.0 + inharmonicity * partial * partial)


def harmonic_midi(open_midi: float, fret: int) -> float | None:
    """Give the sounding pitch of a natural harmonic, or None where no node is near the fret.

    Parameters
    ----------
    open_midi : float
        Pitch of the open string.
    fret : int
        Where it is touched; one of `PARTIAL_AT_FRET`.
    """
    partial = PARTIAL_AT_FRET.get(fret)
    return None if partial is None else open_midi + partial_offset(partial)


def difference_tones(midis: Sequence[float]) -> tuple[float, ...]:
    """Give the pitches that distortion adds to notes that sound together.

    Of each two notes f1 < f2 these are f2 - f1 and 2·f1 - f2 (H. von Helmholtz, On the Sensations of
    Tone, part II, chapter 7). Under a driven amplifier they are as loud as the notes themselves.

    Parameters
    ----------
    midis : sequence of float
        Pitches of the notes in semitones, each above 0.

    Returns
    -------
    tuple of float
        In semitones; those that are under the first octave of a piano are left out.

    Examples
    --------
    >>> [round(midi) for midi in difference_tones([71.0, 76.0])]
    [52, 64]
    """
    hz = sorted(2.0 ** (midi / 12.0) for midi in midis)
    tones = [
        tone
        for k, upper in enumerate(hz)
        for lower in hz[:k]
        for tone in (upper - lower, 2.0 * lower - upper)
    ]
    return tuple(12.0 * math.log2(tone) for tone in tones if tone > LOWEST_TONE)

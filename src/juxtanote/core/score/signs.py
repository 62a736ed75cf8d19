"""Signs of printed tab that pages, text and the sheet share (common practice)."""

from fractions import Fraction

STROKE_SIGNS = {"down": "⊓", "up": "∨", "thumb": "p", "index": "i", "middle": "m", "ring": "a"}
BEND_NAMES = {0.5: "1/4", 1.0: "1/2", 2.0: "full", 3.0: "1 1/2", 4.0: "2"}


def bend_name(semitones: float) -> str:
    """Name a bend by the nearest quarter tone, in whole tones.

    Parameters
    ----------
    semitones : float
        How far the string is bent.

    Examples
    --------
    >>> bend_name(1.96), bend_name(0.5), bend_name(1.5)
    ('full', '1/4', '3/4')
    """
    nearest = round(semitones * 2) / 2
    if nearest in BEND_NAMES:
        return BEND_NAMES[nearest]
    tones = Fraction(nearest / 2).limit_denominator(4)
    whole, part = divmod(tones, 1)
    return f"{whole} {part}" if whole and part else str(whole or part)

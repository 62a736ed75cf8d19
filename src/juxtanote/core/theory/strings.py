"""How stiff the strings of a guitar usually are: B in f_n = n·f0·√(1 + B·n²).

B = π³·E·d⁴ / (64·T·L²) (Fletcher & Rossing, *The Physics of Musical Instruments*, ch. 2), where d is
the steel that bends: all of a plain string, the core of a wound one. The gauges are those of usual
electric sets (common practice; cores and tensions from memory, makers differ).
"""

import math

YOUNG_PA = 2.0e11  # of steel
SCALE_M = 0.648  # the usual long scale of solid guitars, 25.5 inches
# By the pitch that a string is made for: steel that bends in millimetres, tension in newtons.
USUAL = {
    64: (0.254, 73.0),  # plain: 0.010, 0.013, 0.017 inch
    59: (0.330, 69.0),
    55: (0.432, 74.0),
    50: (0.356, 82.0),  # cores of wound strings: 0.026, 0.036, 0.046, 0.056, 0.068 inch outside
    45: (0.406, 87.0),
    40: (0.457, 78.0),
    35: (0.508, 75.0),
    30: (0.559, 75.0),
}
# Sets for acoustic guitars wind the third string too (common practice): 0.012 inch in 0.024.
THIRD, WOUND_THIRD = 55, (0.305, 85.0)


def usual_stiffness(
    open_midi: float, scale_length_mm: float = 1000.0 * SCALE_M, *, wound_third: bool = False
) -> float:
    """Give B of an open string, at the nut, as it usually is on a guitar.

    The string made for the nearest pitch is taken; tuned lower it is slacker, and its partials are
    stretched more. Stopped at a fret B grows with 1/L²: twofold every six frets.

    Parameters
    ----------
    open_midi : float
        Pitch of the open string.
    scale_length_mm : float
        From nut to bridge.
    wound_third : bool
        Whether the third string is wound, as on many acoustic guitars.

    Examples
    --------
    >>> f"{usual_stiffness(64):.1e}", f"{usual_stiffness(55):.1e}", f"{usual_stiffness(40):.1e}"
    ('1.3e-05', '1.1e-04', '1.3e-04')
    """
    made_for = min(USUAL, key=lambda midi: abs(midi - open_midi))
    steel_mm, tension = WOUND_THIRD if wound_third and made_for == THIRD else USUAL[made_for]
    length_m = scale_length_mm / 1000.0
    # T = μ·(2·L·f)²: another pitch or another length pulls another way.
    pulled = tension * math.pow(4.0, (open_midi - made_for) / 12.0) * (length_m / SCALE_M) ** 2
    return math.pi**3 * YOUNG_PA * (steel_mm * 1e-3) ** 4 / (64.0 * pulled * length_m**2)

"""Cautions: short, plain, said once, findable under Help."""

BREAK_AFTER_MINUTES = 20  # common practice; the person's own body comes first

HANDS = (
    "Bending, stretching and tapping for long can injure tendons. Warm up, take breaks, and stop at "
    "pain or numbness. If it stays, see a qualified health professional."
)
EARS = (
    "Loops are listened to for hours. Playback starts quiet and has a ceiling; keep headphones low, "
    "rest your ears, and follow the guidance on sound exposure where you live."
)
RIGHTS = (
    "Recordings and songs belong to someone. Handing out sound or whole transcriptions may need "
    "permission where you live. Exports leave the recording out unless you say that you may share it."
)
BREAK = "Twenty minutes of practice: rest your hands and ears for a few."


def needs_break(played_s: float, rested_s: float) -> bool:
    """Tell whether it is time to suggest a rest: twenty minutes of playing without five of rest.

    Parameters
    ----------
    played_s : float
        Seconds of playing since the last rest.
    rested_s : float
        Seconds without playing.
    """
    return played_s >= 60.0 * BREAK_AFTER_MINUTES and rested_s < 300.0

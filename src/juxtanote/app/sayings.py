"""What was heard of a note, as a teacher says it: words for what the core tells by kind and number."""

from juxtanote.core.score.lesson import Focus
from juxtanote.core.score.note import HeardNote, RunnerUp
from juxtanote.core.theory.observed import Chosen, Observation, Otherwise, Shows

# Values in the order of their kinds; `ms` counts seconds as milliseconds.
_OBSERVED = {
    Shows.BENDS: "glide of {0:+.2f} semitones in {ms:.0f} ms",
    Shows.LET_DOWN: "let down by {0:.2f} semitones",
    Shows.PRE_BENT: "starts {0:.2f} semitones above where it ends",
    Shows.SWINGS: "{0:.1f} Hz, {1:.0f} cents, after {2:.1f} s",
    Shows.SHAKES: "the pitch shakes (confidence {0:.2f})",
    Shows.CLICK: "a click with no pitch",
    Shows.DIES_DARK: "dies away fast and dark (confidence {0:.2f})",
    Shows.PURE: "a nearly pure partial (confidence {0:.2f})",
    Shows.GLIDES_IN: "a glide into the pitch (confidence {0:.2f})",
    Shows.FROM_NOWHERE: "a glide from nowhere",
    Shows.WEAK_ATTACK: "{0:+.0f} semitones with a weak attack",
    Shows.OTHER_HAND: "struck by the other hand (confidence {0:.2f})",
    Shows.AS_MUTED: "as dark and short as the muted notes around",
    Shows.AS_OPEN: "rings as the open notes around",
    Shows.AS_SLURRED: "as soft as the slurs around",
    Shows.AS_PICKED: "struck as the picked notes around",
    Shows.LIKE_NO_GUITAR: "what plays here does not sound like a guitar",
    Shows.GOES_ON: "in phase with the note before: {0:.2f} of 1",
    Shows.FROM_FILE: "from a file",
    Shows.BY_HAND: "added by hand",
}
_OTHERWISE = {
    Otherwise.SLURRED: "slurred", Otherwise.PICKED: "picked", Otherwise.TWO_NOTES: "two notes",
    Otherwise.ONE_NOTE: "one with the note before", Otherwise.FIRST: "the first reading",
}  # fmt: skip
_STEPS = {
    0: "the same pitch", 1: "a semitone up", -1: "a semitone down", 12: "an octave up",
    -12: "an octave down",
}  # fmt: skip
_CHOSEN = {
    Chosen.UNASKED: "",
    Chosen.BY_HAND: "chosen by hand",
    Chosen.MOST_NOTES: "{sure} sure notes against {mix} in the whole mix",
    Chosen.WHOLE_MIX: "the whole mix gives {mix} sure notes; nothing gave more",
}


def say_observation(observation: Observation) -> str:
    """Say one thing that shows of a note."""
    values = observation.values
    ms = 1000.0 * values[1] if len(values) > 1 else 0.0
    return _OBSERVED[observation.of].format(*values, 0.0, 0.0, 0.0, ms=ms)


def say_otherwise(heard: HeardNote, other: RunnerUp) -> str:
    """Say what else a note could be: another pitch, or the same one played otherwise."""
    if other.differs is not Otherwise.PITCH:
        return _OTHERWISE[other.differs]
    step = round(other.midi - heard.midi)
    return _STEPS.get(step, f"{step:+d} semitones")


def say_focus(focus: Focus) -> str:
    """Say why it is this part of the mix that is listened to; "" where nobody asked."""
    return _CHOSEN[focus.chosen].format(sure=focus.sure_notes, mix=focus.sure_in_mix)

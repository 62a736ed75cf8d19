"""What a person reads on the Hear desk."""

from juxtanote.core.score.lesson import STATUSES

PHRASES = "Phrases"
FACTS = "The recording"
DRAG = (
    "Drag over the recording to cut a phrase, or a beat mark at its foot to move it · C cuts at the "
    "playhead · [ ] move the edges of the phrase outwards, { } inwards"
)
NO_RECORDING = (
    "Begin with a recording: open it, or drop it on the window. Or open a lesson that you saved."
)
NO_PHRASES = (
    "Nothing is cut yet. Drag over the recording above, press C where a phrase begins and again where it "
    "ends, or let phrases be proposed: Ctrl+P."
)
ORDER = "Phrases in order: "
PROPOSE, REFUSE, LISTEN = "Propose phrases", "Refuse all", "Listen to all"
PROPOSED = "proposed; nobody touched it yet"
MEASURE = "Measure the recording"
COLUMNS = (
    "name", "from", "length", "bar", "place in the form", "part", "comes again", "times", "ending",
    "status",
)  # fmt: skip
REFUSED = {
    0: "A phrase needs a name.",
    3: "A bar is a whole number, such as 12.",
    5: "There is no part of that name: add it with Ctrl+Shift+G.",
    7: "A phrase is played 1 to 99 times.",
    8: "An ending is 1 or 2, or nothing.",
    9: f"A status is one of {', '.join(STATUSES)}.",
}
CHOOSE, AUDITION = "choose", "play it like this"
SOURCES = {
    "mix": "whole mix", "middle": "middle", "sides": "sides", "left": "left", "right": "right",
}  # fmt: skip

"""What a person reads on the Hear desk."""

PHRASES = "Phrases"
FACTS = "The recording"
DRAG = (
    "Drag over the recording to cut a phrase, or a beat mark at its foot to move it · "
    "[ ] move the edges of the phrase outwards, { } inwards"
)
NO_PHRASES = "Nothing is cut yet. Drag over the recording above."
ORDER = "Parts in order: "
PROPOSE = "Propose phrases"
MEASURE = "Measure the recording"
COLUMNS = (
    "name", "from", "length", "bar", "place in the form", "comes again", "times", "ending", "status",
)  # fmt: skip
CHOOSE, AUDITION = "choose", "hear it so"
SOURCES = {
    "mix": "whole mix", "middle": "middle", "sides": "sides", "left": "left", "right": "right",
}  # fmt: skip

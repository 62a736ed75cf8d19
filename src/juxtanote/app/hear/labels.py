"""What a person reads on the Hear desk."""

PHRASES = "Phrases"
FACTS = "The recording"
DRAG = "Drag over the recording to cut a phrase · [ ] move its edges outwards, { } inwards"
NO_PHRASES = "Nothing is cut yet. Drag over the recording above."
PROPOSE = "Propose phrases"
MEASURE = "Measure the recording"
COLUMNS = ("name", "from", "to", "bar", "place in the form", "repeats", "status")
CHOOSE, AUDITION = "choose", "hear it so"
SOURCES = {
    "mix": "whole mix", "middle": "middle", "sides": "sides", "left": "left", "right": "right",
}  # fmt: skip

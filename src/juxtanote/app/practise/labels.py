"""What a person reads on the Practise desk."""

STEPS = "Speed steps"
START, STEP, GOAL, REPEATS = "start", "step", "goal", "repeats a step"
BEGIN = "Begin"
NO_SOUND = "Open the recording of this lesson first (Ctrl+O)."
NO_PHRASE = "Cut a phrase first, on the Hear desk (F1)."
CHUNKS = "Learn it in joined parts"
LOG = "Log"
PLOT = "Speed over the days"
NO_LOG = "Nothing is logged yet. Every pass of the loop on this desk is counted."
CARE = "Care"
LOG_COLUMNS = ("day", "phrase", "speed", "repeats")
TAKE = "A take"
COMPARE, RECORD, END = "Compare a take…", "Record a take", "End the take"
NO_TAKE = "Play along while it loops and is recorded, or bring a take from elsewhere; at any speed."
NO_NOTES = "This phrase has no notes yet to compare a take with."
SPOTS = "What to work on"
LOOP_SPOT = "Return loops this spot a little slower than it was played"
KINDS = {
    "missing": "left out", "extra": "too many", "wrong-pitch": "another pitch", "time": "time",
    "bend": "bend", "vibrato": "vibrato", "quiet": "too soft", "bleed": "rings on",
}  # fmt: skip
RECORDING = "The phrase loops and the microphone listens: end the take when you have played it."
TOO_SHORT = "Nothing came in. Look whether the microphone is on."
TOO_LOUD = "The take is too loud: turn the microphone down, or what is heard is not sure."
GIVEN_UP = "The take was not kept: another phrase was chosen."

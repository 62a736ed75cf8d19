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
COMPARE = "Compare a take…"
NO_TAKE = "Record yourself with any recorder, at any speed, and have the take listened to."
NO_NOTES = "This phrase has no notes yet to compare a take with."
SPOTS = "What to work on"
LOOP_SPOT = "Return loops this spot a little slower than it was played"
KINDS = {
    "missing": "left out", "extra": "too many", "wrong-pitch": "another pitch", "time": "time",
    "bend": "bend", "vibrato": "vibrato", "quiet": "too soft", "bleed": "rings on",
}  # fmt: skip

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

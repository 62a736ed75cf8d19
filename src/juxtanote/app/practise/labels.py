"""What a person reads on the Practise desk."""

STEPS = "Speed steps"
START, STEP, GOAL, REPEATS = "start", "step", "goal", "repeats a step"
BEGIN = "Begin"
CHUNKS = "Learn it in joined parts"
LOG = "Log"
PLOT = "Speed over the days"
NO_LOG = "Nothing is logged yet. Every pass of the loop on this desk is counted."
CARE = "Care"
LOG_COLUMNS = ("day", "phrase", "speed", "repeats")

"""What a person reads on the Practise desk."""

from juxtanote.core.practice.plan import Parted

STEPS = "Speed steps"
START, STEP, GOAL, REPEATS = "start", "step", "goal", "repeats a step"
BEGIN = "Begin"
COUNT_EACH, BREATH, WAIT_EACH = "count before every pass", "breath", "wait for Space"
CLICK_ON = "click on"
FOLLOWS = "the speed follows takes"
DUE_TODAY = "Due today: {names}. What went well comes back after gaps that double."
WRITE_LOG = "Write the log…"
NO_SOUND = "Open the recording of this lesson first (Ctrl+O)."
NO_PHRASE = "Cut a phrase first, on the Hear desk (F1)."
CHUNKS = "Learn it in joined parts"
PARTED = "parts"
MARK = "Mark the playhead"
MARKED, UNMARKED = "Marked at {at:.2f} s of the phrase.", "The mark at {at:.2f} s is taken away."
NO_MARK = "Move the playhead into the phrase first: parts end and begin where you mark."
NO_PARTS = {
    Parted.PHRASES: "Cut a phrase first, on the Hear desk (F1).",
    Parted.BARS: "This phrase is one bar: there is nothing to join.",
    Parted.TWO_BARS: "This phrase is no longer than two bars.",
    Parted.SPOTS: "Nothing is marked: stop where a part should end, and mark it (Ctrl+M).",
}
LOOPS = "{name} loops: Space plays it."
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
GRID = "Takes, bar by bar"
NO_GRID = (
    "Each take that is compared is shown here, bar by bar: filled as far as it was played, the mark left "
    "of the middle where it was early."
)
PICKUP = "pickup"
TAKE_LINE = "{date} · {speed:.0f} % · {share:.0f} % of the notes · {spread:.0f} ms"
TAKES = "Takes of this phrase"
PLAY_TAKE, STOP_TAKE = "Play the take", "Stop"
FORGET_TAKE = "Forget it"
FORGOTTEN = "The take is forgotten, and its sound is gone from this machine."
NO_FILE = "The sound of this take is not on this machine."
MICROPHONE = "Microphone"
DEFAULT_MICROPHONE = "the desktop's own"
MEASURE, DELAY = "Measure the delay…", "delay {ms:.0f} ms"
MEASURING = "Clicks are played: hold the microphone to the speaker, or join the two with a cable."
MEASURED = "Sound takes {ms:.0f} ms out and in again: that is taken back from every take."
LOST = "{ms:.0f} ms of the take did not arrive: what is said of its times may be off."
FASTER, SLOWER = "Well played: on at {speed:.0f} %.", "Back to {speed:.0f} %, then up again."
LEVEL, CLIPPING = "Level of the microphone", "too loud"
WAYS, TRAINS = "Ways to practise", "Return begins it. It trains {words}."
CLICKS = "The click sounds on: {where}. K turns it off."
WEAK_SPOT = "Bar {bar} loops, {figure:g} of 10: Return goes to the next, then to the whole."
WHOLE_AGAIN = "The whole phrase loops again."
NO_SIDES = "Nothing lies at the sides of this recording: the lead cannot be taken out of it."
SIDES = "What lies in the middle is taken out, the lead with it. The same row brings it back."
AS_IT_IS = "The recording sounds as it is again."
ALL_KEYS = "That was every key: this is the phrase itself."
WAY_BEGUN = "“{name}” hangs under its phrase and loops: PgUp and PgDown leave it."

"""What a person reads on the Check desk."""

from juxtanote.core.checks.difficulty import BarDifficulty, Demand

FINDINGS = "Findings"
HINT = "worst first · Return loops the spot"
WAIVE, TAKE_BACK = "Let it pass (W)", "Take it back (W)"
SHOW_WAIVED = "those let pass too"
WAIVED = "let pass"
NOTHING = "Nothing to complain about in this phrase."
NO_NOTES = "This phrase has no notes yet. Listen to it on the Place desk."
IN_ORDER = "In order"
SHADED = "the gap is hatched; one line is a semitone"
LOUDNESS = "loudness"
LOUD_HINT = "each note: heard filled, the usual level of picked notes as a line"
RECORDING, TAB = "recording", "tab, rendered"
NO_PHRASE = "No phrase is cut yet. Go to the Hear desk (F1) and drag over the recording."
NONE_WAIVED = "Nothing was let pass in this phrase."
MEND = "Mend (Shift+W)"
DOUBTFUL = "No complaint, but doubtful notes ({count}): look at them on Place (F2) with D."
STRICT, WRITE = "How strict…", "Write…"
CHECKED = "Nothing is left to say of this phrase. Checked on {date}."
NO_MEND = "This finding is yours to judge: the program would change nothing."
HARD = "how hard, 0 to 10"
HARD_HINT = "each bar at the speed that is set, and what makes it so"
DEMANDS = {
    Demand.SPEED: "{:g} strokes a second", Demand.JUMP: "hand moves {:g} mm a second",
    Demand.STRETCH: "stretch of {:g} mm", Demand.CROSSING: "skips strings",
    Demand.TECHNIQUE: "techniques",
}  # fmt: skip
SHORT_DEMANDS = {
    Demand.SPEED: "fast", Demand.JUMP: "jump", Demand.STRETCH: "stretch", Demand.CROSSING: "skips",
    Demand.TECHNIQUE: "techniques",
}  # fmt: skip
NO_SPOTS = "This phrase has no bar that is hard."
AT_SPOT = "Bar {bar} loops: {figure:g} of 10, {why}. Shift+K goes to the next hard one."


def why_hard(bar: BarDifficulty) -> str:
    """Say what makes a bar hard, heaviest first."""
    return ", ".join(DEMANDS[s.demand].format(s.size) for s in bar.shares[:3]) or "nothing"

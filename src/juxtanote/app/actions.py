"""Every action once: its words, its key, what it does, and what must be there for it.

Menus, buttons and the list of keys read this table.
"""

from dataclasses import dataclass

from PyQt6.QtGui import QKeySequence


@dataclass(frozen=True, slots=True)
class ActionSpec:
    """One action; `menu` is where it stands, `keys` its shortcut in Qt's words ("" for none)."""

    name: str
    words: str
    keys: str
    help: str
    menu: str
    needs: tuple[str, ...] = ()  # keys of `WHY_NOT`

    @property
    def tip(self) -> str:
        """What it does, and its keys."""
        keys = QKeySequence(self.keys).toString(QKeySequence.SequenceFormat.NativeText)
        return f"{self.help} ({keys})" if keys else self.help


# What an action needs, and what to say where it is not there.
WHY_NOT = {
    "sound": "Open a recording first (Ctrl+O).",
    "phrase": "Cut a phrase first: on the Hear desk, drag over the recording, or press C twice.",
    "original": "A variant was not played on the recording: choose its phrase first (PgUp, PgDown).",
    "notes": "This phrase has no notes yet: press L to listen to it, or N to add one.",
    "bare": "Every phrase has notes: L listens to one of them again.",
    "selected": "Select a note first: click it, or press the right arrow.",
    "one selected": "Select one note, not several.",
    "two selected": "Select two notes or more: Shift and the right arrow.",
    "hear": "That is done on the Hear desk (F1).",
    "place": "That is done on the Place desk (F2).",
    "check": "That is done on the Check desk (F3).",
    "time": "That is done on the Hear desk (F1) or the Place desk (F2).",
    "finding": "There is no finding here to waive or take back.",
    "proposals": "There are no proposed phrases that nobody touched.",
    "readings": "Measure the recording first: there is no other reading yet.",
    "variants": "This phrase has no variants: make one with Shift+M.",
    "other reading": "This note was heard in one way only.",
    "bend": "The selected note is not bent: press B.",
    "parts": "This lesson has one part only: add others with Ctrl+Shift+G.",
    "to delete": "Nothing is selected to delete.",
    "practised": "Nothing was practised yet: every pass of the loop on the Practise desk (F5) counts.",
    "doubtful": "No note of this phrase is doubtful.",
    "any doubtful": "No note is doubtful.",
}


ACTIONS: tuple[ActionSpec, ...] = (
    ActionSpec("open_recording", "Open &recording…", "Ctrl+O", "Begin with a sound file", "File"),
    ActionSpec("open_lesson", "Open &lesson…", "Ctrl+Shift+O", "Open a lesson file", "File"),
    ActionSpec("save", "&Save", "Ctrl+S", "Save the lesson", "File"),
    ActionSpec("save_as", "Save &as…", "Ctrl+Shift+S", "Save under another name", "File"),
    ActionSpec("import_notes", "&Import notes…", "Ctrl+I", "MusicXML, MIDI, CSV", "File"),
    ActionSpec("about_lesson", "About this &lesson…", "Ctrl+D", "Title, performer, teacher, key, scale, notes", "File"),
    ActionSpec("student_copy", "A student's cop&y…", "Ctrl+Shift+E", "Chosen phrases with goals, in your order", "File", ("phrase",)),
    ActionSpec("send_log", "Send the practice &back…", "Ctrl+E", "What was practised, as a small file for the teacher", "File", ("practised",)),
    ActionSpec("bring_log", "&Bring in what a student practised…", "Ctrl+Alt+E", "The file that a student sent", "File", ("phrase",)),
    ActionSpec("collection", "&Collection…", "Ctrl+L", "Find phrases in folders of lessons", "File"),
    ActionSpec("quit", "&Quit", "Ctrl+Q", "Close the program", "File"),
    ActionSpec("select_all", "Select &all notes", "Ctrl+A", "Select every note of the phrase", "Edit", ("notes",)),
    ActionSpec("delete", "&Delete", "Del", "The selected notes; on the Hear desk the phrase", "Edit", ("to delete",)),
    ActionSpec("desk_hear", "&Hear", "F1", "What is it, and where are its phrases?", "Desk"),
    ActionSpec("desk_place", "&Place", "F2", "Which note, which string, which fret, how?", "Desk"),
    ActionSpec("desk_check", "&Check", "F3", "Does the written match the heard?", "Desk"),
    ActionSpec("desk_teach", "&Teach", "F4", "How do I hand it over?", "Desk"),
    ActionSpec("desk_practise", "P&ractise", "F5", "How does it get into the hands?", "Desk"),
    ActionSpec("play", "&Play or pause", "Space", "Play from the playhead", "Play", ("sound",)),
    ActionSpec("play_phrase", "Play from the &start", "Shift+Space", "Go to the start and play", "Play", ("sound",)),
    ActionSpec("loop", "L&oop the phrase", "O", "Turn the loop on or off", "Play", ("sound", "phrase")),
    ActionSpec("slower", "&Slower", "Ctrl+Down", "Five per cent slower", "Play"),
    ActionSpec("faster", "&Faster", "Ctrl+Up", "Five per cent faster", "Play"),
    ActionSpec("only_recording", "Hear only the &recording", "Alt+1", "Balance to the recording", "Play"),
    ActionSpec("both", "Hear &both", "Alt+2", "Balance in the middle", "Play"),
    ActionSpec("only_tab", "Hear only the &tab", "Alt+3", "Balance to the rendered tab", "Play"),
    ActionSpec("apart", "Recording left, tab ri&ght", "Alt+4", "One on each side, or both in the middle", "Play"),
    ActionSpec("hard_spot", "Next &hard spot", "Shift+K", "Loop the hardest bars of the phrase", "Play", ("sound", "phrase", "notes")),
    ActionSpec("click", "&Click", "K", "Click on every beat", "Play"),
    ActionSpec("mark_spot", "&Mark to practise from", "Ctrl+M", "Learn the phrase from mark to mark; again takes the mark away", "Play", ("sound", "phrase")),
    ActionSpec("next_phrase", "&Next phrase", "PgDown", "Go to the next phrase", "Phrase", ("phrase",)),
    ActionSpec("previous_phrase", "&Previous phrase", "PgUp", "Go to the phrase before", "Phrase", ("phrase",)),
    ActionSpec("next_variant", "Next &variant", "Shift+PgDown", "Go through what hangs under the phrase", "Phrase", ("phrase", "variants")),
    ActionSpec("previous_variant", "Previous var&iant", "Shift+PgUp", "Back towards the phrase itself", "Phrase", ("phrase", "variants")),
    ActionSpec("cut_here", "&Cut at the playhead", "C", "First where the phrase begins, then where it ends", "Phrase", ("sound",)),
    ActionSpec("start_earlier", "Begin earlier", "[", "Move the start of the phrase outwards", "Phrase", ("phrase", "original", "time")),
    ActionSpec("start_later", "Begin later", "{", "Move the start of the phrase inwards", "Phrase", ("phrase", "original", "time")),
    ActionSpec("end_later", "End later", "]", "Move the end of the phrase outwards", "Phrase", ("phrase", "original", "time")),
    ActionSpec("end_earlier", "End earlier", "}", "Move the end of the phrase inwards", "Phrase", ("phrase", "original", "time")),
    ActionSpec("beat_earlier", "Beat at the playhead earlier", "Alt+Left", "By a hundredth of a second", "Phrase", ("time",)),
    ActionSpec("beat_later", "Beat at the playhead later", "Alt+Right", "By a hundredth of a second", "Phrase", ("time",)),
    ActionSpec("listen", "&Listen to this phrase", "L", "Find its notes in the background", "Phrase", ("sound", "phrase", "original")),
    ActionSpec("listen_again", "Listen again with what you &know…", "Shift+L", "Notes, scale", "Phrase", ("sound", "phrase", "original")),
    ActionSpec("listen_to_all", "Listen to a&ll phrases", "Alt+L", "Find the notes of every phrase that has none", "Phrase", ("sound", "phrase", "bare")),
    ActionSpec("propose", "P&ropose phrases", "Ctrl+P", "Cut where the lead breathes", "Phrase", ("sound",)),
    ActionSpec("listen_opened", "Propose &when a recording is opened", "", "Listen to every recording that is opened, or only when asked", "Phrase"),
    ActionSpec("refuse", "Re&fuse all proposals", "Shift+Del", "Take proposed phrases away that nobody touched", "Phrase", ("proposals",)),
    ActionSpec("next_pulse", "Next reading of the &beat", "Ctrl+T", "Half, double or another", "Phrase", ("readings",)),
    ActionSpec("next_bars", "Next reading of the ba&rs", "Ctrl+Shift+T", "Other bar lines", "Phrase", ("readings",)),
    ActionSpec("place_again", "&Place again", "P", "Choose strings anew around what is locked", "Phrase", ("phrase", "notes")),
    ActionSpec("alternative", "&Another placement", "A", "Swap to the next whole alternative", "Phrase", ("phrase", "notes", "place")),
    ActionSpec("move_phrase", "&Make a variant…", "Shift+M", "Another key, other strings, plain, slurred", "Phrase", ("phrase", "notes")),
    ActionSpec("guitar", "The &guitar…", "Ctrl+G", "Tuning, capo, frets, scale length", "Phrase"),
    ActionSpec("parts", "Pa&rts…", "Ctrl+Shift+G", "The guitars of this recording", "Phrase"),
    ActionSpec("next_part", "To the ne&xt part", "Ctrl+Shift+M", "Give the phrase to the next guitar", "Phrase", ("phrase", "original", "parts")),
    ActionSpec("harmony", "&Harmony for another part…", "Alt+H", "The same line a third or a sixth away, for a second guitar", "Phrase", ("phrase", "original", "notes")),
    ActionSpec("split_voices", "Sort two &voices into parts", "Alt+Shift+H", "What is struck under another note gets a part of its own", "Phrase", ("phrase", "original", "notes")),
    ActionSpec("other_parts", "&Other parts behind", "Shift+P", "Show the other guitars pale on the sheet", "Phrase", ("place", "parts")),
    ActionSpec("hear_parts", "Other parts are &heard too", "Alt+P", "The tab of other guitars sounds under the phrase", "Phrase", ("phrase", "original", "parts")),
    ActionSpec("next_note", "Next note", "Right", "Select the next note", "Note", ("place", "notes")),
    ActionSpec("previous_note", "Previous note", "Left", "Select the note before", "Note", ("place", "notes")),
    ActionSpec("extend_next", "Extend to the next note", "Shift+Right", "Select one more", "Note", ("place", "notes")),
    ActionSpec("extend_previous", "Extend to the note before", "Shift+Left", "Select one more", "Note", ("place", "notes")),
    ActionSpec("thinner", "To the thinner string", "Up", "Same pitch, thinner string", "Note", ("place", "selected")),
    ActionSpec("thicker", "To the thicker string", "Down", "Same pitch, thicker string", "Note", ("place", "selected")),
    ActionSpec("octave_up", "Heard an octave &higher", "Ctrl+Shift+Up", "Correct what was heard", "Note", ("place", "selected")),
    ActionSpec("octave_down", "Heard an octave &lower", "Ctrl+Shift+Down", "Correct what was heard", "Note", ("place", "selected")),
    ActionSpec("onset_earlier", "Onset earlier", "Ctrl+Left", "By five thousandths of a second", "Note", ("place", "selected")),
    ActionSpec("onset_later", "Onset later", "Ctrl+Right", "By five thousandths of a second", "Note", ("place", "selected")),
    ActionSpec("shorter", "Shorter", "Ctrl+Shift+Left", "End the notes a hundredth of a second earlier", "Note", ("place", "selected")),
    ActionSpec("longer", "Longer", "Ctrl+Shift+Right", "End the notes a hundredth of a second later", "Note", ("place", "selected")),
    ActionSpec("value_longer", "Longer value", "Shift+Up", "Write the next longer note value", "Note", ("place", "selected")),
    ActionSpec("value_shorter", "Shorter value", "Shift+Down", "Write the next shorter note value", "Note", ("place", "selected")),
    ActionSpec("value_dotted", "Dotted, or not", "Shift+D", "Half as long again", "Note", ("place", "selected")),
    ActionSpec("value_triplet", "Triplet, or not", "Shift+T", "Three in the time of two", "Note", ("place", "selected")),
    ActionSpec("value_tied", "Hold to the next note", "Shift+J", "Tie it until the next one is struck; once more: over it", "Note", ("place", "selected")),
    ActionSpec("value_rest", "Rest before, or none", "Shift+N", "The note before ends half way", "Note", ("place", "selected")),
    ActionSpec("next_doubtful", "Next &doubtful note", "D", "Go to the next note to look at, in this phrase or the next", "Note", ("place", "any doubtful")),
    ActionSpec("select_doubtful", "Select all do&ubtful notes", "Ctrl+Shift+D", "Of the phrase: to keep (E) or to take out (Del)", "Note", ("place", "doubtful")),
    ActionSpec("take_runner_up", "Take the other &reading", "R", "Use the runner-up", "Note", ("place", "selected", "one selected", "other reading")),
    ActionSpec("keep", "&Keep as it is", "E", "Lock the selected notes", "Note", ("place", "selected")),
    ActionSpec("unlock", "&Unlock", "Shift+E", "Let the program decide again", "Note", ("place", "selected")),
    ActionSpec("add_note", "Add note at the playhead", "N", "Write a note that was not heard", "Note", ("place", "phrase")),
    ActionSpec("split", "&Split", "S", "Split at the playhead, or in the middle", "Note", ("place", "selected", "one selected")),
    ActionSpec("join", "&Join", "J", "Join the selected notes", "Note", ("place", "selected", "two selected")),
    ActionSpec("hammer", "Hammer-on", "H", "Toggle hammer-on", "Technique", ("place", "selected")),
    ActionSpec("pull", "Pull-off", "U", "Toggle pull-off", "Technique", ("place", "selected")),
    ActionSpec("slide", "Slide", "/", "Toggle slide", "Technique", ("place", "selected")),
    ActionSpec("bend", "Bend", "B", "Toggle bend", "Technique", ("place", "selected")),
    ActionSpec("wider_bend", "Wider bend", "Shift+B", "A quarter tone more", "Technique", ("place", "selected", "bend")),
    ActionSpec("narrower_bend", "Narrower bend", "Ctrl+B", "A quarter tone less", "Technique", ("place", "selected", "bend")),
    ActionSpec("release", "Release", "Shift+R", "Toggle release", "Technique", ("place", "selected")),
    ActionSpec("pre_bend", "Pre-bend", "Alt+B", "Toggle pre-bend", "Technique", ("place", "selected")),
    ActionSpec("vibrato", "Vibrato", "V", "Toggle vibrato", "Technique", ("place", "selected")),
    ActionSpec("tap", "Tap", "T", "Toggle tap", "Technique", ("place", "selected")),
    ActionSpec("dead", "Dead note", "X", "Toggle dead note", "Technique", ("place", "selected")),
    ActionSpec("harmonic", "Natural harmonic", "Y", "Toggle natural harmonic", "Technique", ("place", "selected")),
    ActionSpec("pinch", "Pinch harmonic", "Shift+Y", "Toggle pinch harmonic", "Technique", ("place", "selected")),
    ActionSpec("rake", "Rake", "Shift+X", "Toggle rake", "Technique", ("place", "selected")),
    ActionSpec("bar", "Slide bar", "Shift+/", "Held by a bar on a finger", "Technique", ("place", "selected")),
    ActionSpec("palm_mute", "Palm mute", "M", "Toggle palm mute", "Technique", ("place", "selected")),
    ActionSpec("let_ring", "Let ring", "I", "Toggle let ring", "Technique", ("place", "selected")),
    ActionSpec("staccato", "Staccato", ".", "Toggle staccato", "Technique", ("place", "selected")),
    ActionSpec("grace", "Grace note", "G", "Toggle grace note", "Technique", ("place", "selected")),
    ActionSpec("finger", "Next finger", "F", "Go through the fingers", "Technique", ("place", "selected")),
    ActionSpec("stroke", "Next stroke", "Q", "Go through the strokes", "Technique", ("place", "selected")),
    ActionSpec("zoom_in", "Zoom &in", "Ctrl++", "Zoom along time", "View"),
    ActionSpec("zoom_out", "Zoom &out", "Ctrl+-", "Zoom along time", "View"),
    ActionSpec("zoom_all", "Show &all", "Ctrl+0", "Show the whole phrase or recording", "View"),
    ActionSpec("waive", "&Waive the finding, or take it back", "W", "Let this finding pass", "View", ("check", "finding")),
    ActionSpec("mend", "&Mend as it sounds", "Shift+W", "Write what the finding says that sounds", "View", ("check", "finding")),
    ActionSpec("limits", "How &strict…", "Ctrl+Shift+L", "From where on a difference is a finding", "View"),
    ActionSpec("save_findings", "Write &findings…", "Ctrl+Shift+W", "The findings of this phrase as CSV", "View", ("phrase", "notes")),
    ActionSpec("keys", "&Keys", "F12", "Every key on one page", "Help"),
    ActionSpec("care", "&Care for hands, ears and rights", "", "The cautions once more", "Help"),
    ActionSpec("about", "&About Juxtanote", "", "Version and licence", "Help"),
)  # fmt: skip

# Keys and gestures that belong to one widget: for the list of keys.
IN_THE_HAND = (
    ("Strip of the recording", "drag", "cut; move edges and beats"),
    ("Strip of the recording", "wheel, + −", "zoom; with Shift along"),
    ("Strip of the recording", "← →", "move the playhead"),
    ("Sheet", "0 to 9", "a fret; two are one number"),
    ("Sheet", "click, drag", "select; move onset or end"),
    ("Sheet", "wheel", "along; with Ctrl zoom"),
    ("Findings", "Return", "loop the spot"),
    ("Anywhere", "Z held", "the other of recording and tab"),
    ("Anywhere", "Tab, Space, Return", "go on; press it"),
)

MENUS = ("File", "Edit", "Desk", "Play", "Phrase", "Note", "Technique", "View", "Help")
TECHNIQUE_OF = {
    "hammer": "hammer-on", "pull": "pull-off", "slide": "slide", "bend": "bend",
    "release": "release", "pre_bend": "pre-bend", "vibrato": "vibrato", "tap": "tap",
    "dead": "dead", "harmonic": "natural-harmonic", "pinch": "pinch-harmonic", "rake": "rake",
    "bar": "bar",     "palm_mute": "palm-mute",
    "let_ring": "let-ring", "staccato": "staccato", "grace": "grace",
}  # fmt: skip

BY_NAME = {spec.name: spec for spec in ACTIONS}
BY_KEYS = {QKeySequence(spec.keys).toString(): spec for spec in ACTIONS if spec.keys}

"""Every action once: its words, its key, what it does. Menus and the list of keys read this table."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class ActionSpec:
    """One action; `menu` is where it stands, `keys` its shortcut in Qt's words ("" for none)."""

    name: str
    words: str
    keys: str
    help: str
    menu: str


ACTIONS: tuple[ActionSpec, ...] = (
    ActionSpec("open_recording", "Open &recording…", "Ctrl+O", "Begin with a sound file", "File"),
    ActionSpec("open_lesson", "Open &lesson…", "Ctrl+Shift+O", "Open a lesson file", "File"),
    ActionSpec("save", "&Save", "Ctrl+S", "Save the lesson", "File"),
    ActionSpec("save_as", "Save &as…", "Ctrl+Shift+S", "Save under another name", "File"),
    ActionSpec("import_notes", "&Import notes into the phrase…", "Ctrl+I", "MusicXML, MIDI, CSV", "File"),
    ActionSpec("quit", "&Quit", "Ctrl+Q", "Close the program", "File"),
    ActionSpec("select_all", "Select &all notes", "Ctrl+A", "Select every note of the phrase", "Edit"),
    ActionSpec("delete", "&Delete", "Del", "The selected notes; on the Hear desk the phrase", "Edit"),
    ActionSpec("desk_hear", "&Hear", "F1", "What is it, and where are its phrases?", "Desk"),
    ActionSpec("desk_place", "&Place", "F2", "Which note, which string, which fret, how?", "Desk"),
    ActionSpec("desk_check", "&Check", "F3", "Does the written match the heard?", "Desk"),
    ActionSpec("desk_teach", "&Teach", "F4", "How do I hand it over?", "Desk"),
    ActionSpec("desk_practise", "P&ractise", "F5", "How does it get into the hands?", "Desk"),
    ActionSpec("play", "&Play or pause", "Space", "Play from the playhead", "Play"),
    ActionSpec("play_phrase", "Play from the &start", "Shift+Space", "Go to the start and play", "Play"),
    ActionSpec("loop", "L&oop the phrase", "O", "Turn the loop on or off", "Play"),
    ActionSpec("slower", "&Slower", "Ctrl+Down", "Five per cent slower", "Play"),
    ActionSpec("faster", "&Faster", "Ctrl+Up", "Five per cent faster", "Play"),
    ActionSpec("only_recording", "Hear only the &recording", "Alt+1", "Balance to the recording", "Play"),
    ActionSpec("both", "Hear &both", "Alt+2", "Balance in the middle", "Play"),
    ActionSpec("only_tab", "Hear only the &tab", "Alt+3", "Balance to the rendered tab", "Play"),
    ActionSpec("click", "&Click", "K", "Click on every beat", "Play"),
    ActionSpec("next_phrase", "&Next phrase", "PgDown", "Go to the next phrase", "Phrase"),
    ActionSpec("previous_phrase", "&Previous phrase", "PgUp", "Go to the phrase before", "Phrase"),
    ActionSpec("listen", "&Listen to this phrase", "L", "Find its notes in the background", "Phrase"),
    ActionSpec("listen_again", "Listen again with what you &know…", "Shift+L", "Notes, scale", "Phrase"),
    ActionSpec("propose", "P&ropose phrases", "Ctrl+P", "Cut where the lead breathes", "Phrase"),
    ActionSpec("next_pulse", "Next reading of the &beat", "Ctrl+T", "Half, double or another", "Phrase"),
    ActionSpec("next_bars", "Next reading of the ba&rs", "Ctrl+Shift+T", "Other bar lines", "Phrase"),
    ActionSpec("place_again", "&Place again", "P", "Choose strings anew around what is locked", "Phrase"),
    ActionSpec("alternative", "&Another placement", "A", "Swap to the next whole alternative", "Phrase"),
    ActionSpec("move_phrase", "&Move the phrase…", "Shift+M", "Another key, other strings", "Phrase"),
    ActionSpec("guitar", "The &guitar…", "Ctrl+G", "Tuning, capo, frets, scale length", "Phrase"),
    ActionSpec("next_note", "Next note", "Right", "Select the next note", "Note"),
    ActionSpec("previous_note", "Previous note", "Left", "Select the note before", "Note"),
    ActionSpec("extend_next", "Extend to the next note", "Shift+Right", "Select one more", "Note"),
    ActionSpec("extend_previous", "Extend to the note before", "Shift+Left", "Select one more", "Note"),
    ActionSpec("thinner", "To the thinner string", "Up", "Same pitch, thinner string", "Note"),
    ActionSpec("thicker", "To the thicker string", "Down", "Same pitch, thicker string", "Note"),
    ActionSpec("next_doubtful", "Next &doubtful note", "D", "Go to the next note to look at", "Note"),
    ActionSpec("take_runner_up", "Take the other &reading", "R", "Use the runner-up", "Note"),
    ActionSpec("keep", "&Keep as it is", "E", "Lock the selected notes", "Note"),
    ActionSpec("unlock", "&Unlock", "Shift+E", "Let the program decide again", "Note"),
    ActionSpec("add_note", "Add note at the playhead", "N", "Write a note that was not heard", "Note"),
    ActionSpec("split", "&Split", "S", "Split at the playhead, or in the middle", "Note"),
    ActionSpec("join", "&Join", "J", "Join the selected notes", "Note"),
    ActionSpec("hammer", "Hammer-on", "H", "Toggle hammer-on", "Technique"),
    ActionSpec("pull", "Pull-off", "U", "Toggle pull-off", "Technique"),
    ActionSpec("slide", "Slide", "/", "Toggle slide", "Technique"),
    ActionSpec("bend", "Bend", "B", "Toggle bend", "Technique"),
    ActionSpec("wider_bend", "Wider bend", "Shift+B", "A quarter tone more", "Technique"),
    ActionSpec("narrower_bend", "Narrower bend", "Ctrl+B", "A quarter tone less", "Technique"),
    ActionSpec("release", "Release", "Shift+R", "Toggle release", "Technique"),
    ActionSpec("pre_bend", "Pre-bend", "Alt+B", "Toggle pre-bend", "Technique"),
    ActionSpec("vibrato", "Vibrato", "V", "Toggle vibrato", "Technique"),
    ActionSpec("tap", "Tap", "T", "Toggle tap", "Technique"),
    ActionSpec("dead", "Dead note", "X", "Toggle dead note", "Technique"),
    ActionSpec("harmonic", "Natural harmonic", "Y", "Toggle natural harmonic", "Technique"),
    ActionSpec("pinch", "Pinch harmonic", "Shift+Y", "Toggle pinch harmonic", "Technique"),
    ActionSpec("rake", "Rake", "Shift+X", "Toggle rake", "Technique"),
    ActionSpec("bar", "Slide bar", "Shift+/", "Held by a bar on a finger", "Technique"),
    ActionSpec("palm_mute", "Palm mute", "M", "Toggle palm mute", "Technique"),
    ActionSpec("let_ring", "Let ring", "I", "Toggle let ring", "Technique"),
    ActionSpec("staccato", "Staccato", ".", "Toggle staccato", "Technique"),
    ActionSpec("grace", "Grace note", "G", "Toggle grace note", "Technique"),
    ActionSpec("finger", "Next finger", "F", "Go through the fingers", "Technique"),
    ActionSpec("stroke", "Next stroke", "Q", "Go through the strokes", "Technique"),
    ActionSpec("zoom_in", "Zoom &in", "Ctrl++", "Zoom along time", "View"),
    ActionSpec("zoom_out", "Zoom &out", "Ctrl+-", "Zoom along time", "View"),
    ActionSpec("zoom_all", "Show &all", "Ctrl+0", "Show the whole phrase or recording", "View"),
    ActionSpec("waive", "&Waive the finding", "W", "Let this finding pass", "View"),
    ActionSpec("keys", "&Keys", "F12", "Every key on one page", "Help"),
    ActionSpec("care", "&Care for hands, ears and rights", "", "The cautions once more", "Help"),
    ActionSpec("about", "&About Juxtanote", "", "Version and licence", "Help"),
)  # fmt: skip

MENUS = ("File", "Edit", "Desk", "Play", "Phrase", "Note", "Technique", "View", "Help")
TECHNIQUE_OF = {
    "hammer": "hammer-on", "pull": "pull-off", "slide": "slide", "bend": "bend",
    "release": "release", "pre_bend": "pre-bend", "vibrato": "vibrato", "tap": "tap",
    "dead": "dead", "harmonic": "natural-harmonic", "pinch": "pinch-harmonic", "rake": "rake",
    "bar": "bar",     "palm_mute": "palm-mute",
    "let_ring": "let-ring", "staccato": "staccato", "grace": "grace",
}  # fmt: skip

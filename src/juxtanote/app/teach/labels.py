"""What a person reads on the Teach desk."""

BREAKDOWN = "Spoken breakdown"
GENERATED = "generated from the notes; type to make it yours"
TYPED = "your own words"
AGAIN = "Generate again"
PAGES = "Pages"
PAPER = "Paper"
LARGE, COUNTS, STROKES, FINGERS = "large print", "counts", "strokes", "fingers"
WORDS = "words"
STAFF, TOGETHER, FINDINGS = "staff", "parts together", "left to say"
HELP = {
    STAFF: "A staff over the tab.", TOGETHER: "Parts that sound together stand under each other.",
    FINDINGS: "What Check has left to say of the phrases, at the end.",
}  # fmt: skip
EXPORT = "Hand out"
HAND_OUT = "Hand out…"
CHOOSE_NAME = "Choose a name…"
PDF = "Pages as PDF…"
PAGE = "Lesson page…"
PRINT = "Print…"
ONLY_PHRASE = "only this phrase"
SHARE = "I may share the recording: handouts contain it"
FORMATS = {
    ".html": "Lesson page, for any browser", ".pdf": "Pages as PDF", ".musicxml": "MusicXML",
    ".mid": "MIDI", ".txt": "Text tab", ".csv": "Notes as CSV", ".jams": "JAMS",
    ".wav": "Sound, WAV", ".flac": "Sound, FLAC", ".ogg": "Sound, Ogg Vorbis", ".mp3": "Sound, MP3",
}  # fmt: skip
ABOUT = {
    ".html": "One file that opens and plays in any browser, without a network.",
    ".pdf": "The pages as they are shown.",
    ".musicxml": "Written notes with strings, frets and techniques, for programs that set music.",
    ".mid": "Notes as they sound, on the recording's beats.",
    ".txt": "Plain text, 80 columns wide.",
    ".csv": "One note a row, heard and written.",
    ".jams": "Notes, beats and chords for research.",
    ".wav": "Sound without loss.", ".flac": "Sound without loss, smaller.",
    ".ogg": "Small sound files.", ".mp3": "Small sound files that play everywhere.",
}  # fmt: skip
SOURCES = {"tab": "the tab, played", "recording": "the recording", "both": "both"}
FORMAT, SCOPE, SPEED, COUNT_IN, SOUND = "as", "what", "speed", "count-in", "sound"
EVERYTHING = "the whole lesson"
WITH_RECORDING = "Your recording of these phrases goes into it: you said that you may share it."
WITHOUT_RECORDING = (
    "The recording is left out: have it open, and tick on this desk that you may share it."
)
ONLY_SOUND = "Only sound has it: the lesson page counts in by itself."
NOTHING = "There is nothing to hand out yet: cut a phrase on the Hear desk (F1)."
AS_GENERATED = "The words are as they were generated: change them first."

"""What a person reads on the Teach desk."""

BREAKDOWN = "Spoken breakdown"
GENERATED = "generated from the notes; type to make it yours"
TYPED = "your own words"
AGAIN = "Generate again"
EXPORT = "Hand out"
PDF = "Save pages as PDF…"
PRINT = "Print…"
ONLY_PHRASE = "only this phrase"
SHARE = "I may share the recording: put it into saved lesson files"
FORMATS = {
    ".musicxml": "MusicXML…", ".mid": "MIDI…", ".txt": "Text tab…", ".csv": "Notes as CSV…",
    ".jams": "JAMS…", ".wav": "Tab as sound…",
}  # fmt: skip
NOTHING = "There is nothing to hand out yet: cut a phrase on the Hear desk (F1)."
AS_GENERATED = "The words are as they were generated: change them first."

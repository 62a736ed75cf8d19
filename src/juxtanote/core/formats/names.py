"""Suffixes of the files that are read and written, apart from what reads and writes them."""

SUFFIX = ".juxta"
EXPORTS = {
    ".musicxml": "MusicXML 4.0", ".mid": "MIDI", ".txt": "Text tab", ".csv": "Notes as CSV",
    ".jams": "JAMS", ".json": "Lesson as JSON",
}  # fmt: skip
IMPORTS = (".csv", ".mid", ".midi", ".musicxml", ".xml", ".mxl")

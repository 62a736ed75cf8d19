"""The one family of errors whose text is shown to people as it is."""


class JuxtanoteError(Exception):
    """Something outside the program went wrong; the text says what happened and what to do."""


class SoundFileError(JuxtanoteError):
    """A recording could not be read or written."""


class LessonFileError(JuxtanoteError):
    """A lesson file could not be read or written."""


class ImportFileError(JuxtanoteError):
    """A file of notes (MusicXML, MIDI, CSV) could not be read."""


class TuningError(JuxtanoteError):
    """A tuning, capo or fret count that no guitar has."""


class SoundDeviceError(JuxtanoteError):
    """The desktop's sound system refused."""

"""The spoken breakdown: a phrase said note by note in plain words."""

from juxtanote.core.fretboard.fingers import supporting_fingers
from juxtanote.core.score.form import chord_at
from juxtanote.core.score.lesson import Context, Lesson, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.repeats import bar_repeats, repeat_words
from juxtanote.core.score.signs import bend_name
from juxtanote.core.theory.chords import known_chord
from juxtanote.core.theory.keys import known_key
from juxtanote.core.theory.pitch import pitch_name
from juxtanote.core.theory.scales import degree_name, outside_name, spell_in_key

FINGER_WORDS = {
    "1": "index", "2": "middle finger", "3": "ring finger", "4": "little finger", "T": "thumb",
}  # fmt: skip
STROKE_WORDS = {
    "down": "down", "up": "up", "thumb": "thumb", "index": "index finger",
    "middle": "middle finger", "ring": "ring finger",
}  # fmt: skip
_BENDS = {
    "1/4": "a quarter tone", "1/2": "a half step", "full": "a full tone", "1 1/2": "a tone and a half",
    "2": "two tones", "3/4": "three quarters of a tone",
}  # fmt: skip


def breakdown(phrase: Phrase, lesson: Lesson) -> str:
    """Say a phrase: what the instructor typed, or a text generated from the notes."""
    if phrase.breakdown.strip():
        return phrase.breakdown
    return generate_breakdown(phrase, lesson)


def generate_breakdown(phrase: Phrase, lesson: Lesson) -> str:
    """Say a phrase note by note, grouped by beat, with scale and target note at the end."""
    if not phrase.notes:
        return "There are no notes in this phrase yet."
    context = lesson.context(phrase)
    sentences = [_opening(phrase, context)]
    groups = _by_bar(phrase, context)
    for bar, notes in groups:
        said, index = [], 0
        while index < len(notes):
            chord = [notes[index]]
            while (
                index + len(chord) < len(notes)
                and notes[index + len(chord)].onset_s - notes[index].onset_s < 0.03
            ):
                chord.append(notes[index + len(chord)])
            said.append(
                _say_together(chord) if len(chord) > 1 else _say(notes[index], notes, index)
            )
            index += len(chord)
        where = f"Bar {bar}" if bar >= 1 else "Pickup"
        sentences.append(f"{where}: {'; '.join(said)}.")
    sentences += [
        f"Bar {later} {'has' if likeness.kind == 'motif' else 'is'} "
        f"{repeat_words(f'bar {earlier}', likeness)}."
        for later, earlier, likeness in bar_repeats(phrase, lesson)
    ]
    closing = _closing(phrase, context)
    if closing:
        sentences.append(closing)
    return "\n".join(sentences)


def _opening(phrase: Phrase, context: Context) -> str:
    frets = [n.written.fret for n in phrase.notes if n.written.fret > 0]
    strings = sorted({n.written.string for n in phrase.notes})
    words = f"{len(phrase.notes)} notes"
    if frets:
        words += f", frets {min(frets)} to {max(frets)}"
    names = ", ".join(str(s) for s in strings[:-1])
    last = strings[-1]
    words += f", on string{'s' if len(strings) > 1 else ''} " + (
        f"{names} and {last}" if names else f"{last}"
    )
    key = known_key(context.key)
    if key is not None and context.scale:
        tonic = key.tonic
        words += f". The notes come from {tonic} {context.scale}"
    return words + "."


def _by_bar(phrase: Phrase, context: Context) -> list[tuple[int, list[Note]]]:
    groups: list[tuple[int, list[Note]]] = []
    for note in phrase.notes:
        onset = note.written.onset_beats
        beats = (
            float(onset) if onset is not None else float(context.time_map.to_beats(note.onset_s))
        )
        bar, _ = context.time_map.bar_and_beat(beats)
        if not groups or groups[-1][0] != bar:
            groups.append((bar, []))
        groups[-1][1].append(note)
    return groups


def _place(note: Note) -> str:
    written = note.written
    if written.fret == 0:
        return f"open string {written.string}"
    return f"string {written.string} fret {written.fret}"


def _say(note: Note, notes: list[Note], index: int) -> str:
    """Say one note."""
    written = note.written
    tags = written.techniques
    if "dead" in tags:
        return f"a dead stroke on string {written.string}"
    before = notes[index - 1] if index else None
    if "hammer-on" in tags:
        words = f"hammer {_fret_or_place(note, before)}"
    elif "pull-off" in tags:
        words = f"pull off to {_fret_or_place(note, before)}"
    elif "tap" in tags:
        words = f"tap {_place(note)}"
    elif "slide" in tags:
        words = f"slide to {_fret_or_place(note, before)}"
    elif "natural-harmonic" in tags:
        words = f"touch string {written.string} over fret {written.fret} for the harmonic"
    else:
        words = _place(note)
        if written.stroke:
            words += f", {STROKE_WORDS[written.stroke]}"
    if written.finger in FINGER_WORDS and not tags & {"natural-harmonic"}:
        words += f" with the {FINGER_WORDS[written.finger]}"
    return words + _shape(note)


def _fret_or_place(note: Note, before: Note | None) -> str:
    if before is not None and before.written.string == note.written.string:
        return "the open string" if note.written.fret == 0 else f"fret {note.written.fret}"
    return _place(note)


def _shape(note: Note) -> str:
    written, tags = note.written, note.written.techniques
    words = ""
    amount = _BENDS.get(bend_name(written.bend_semitones), f"{written.bend_semitones:g} semitones")
    if "pre-bend" in tags:
        words += f", bent {amount} before it is struck, and let down"
    elif "bend" in tags:
        words += f", bend it {amount}"
        behind = [FINGER_WORDS[finger] for finger in supporting_fingers(written.finger)]
        words += f", the {' and '.join(behind)} behind it" if behind else ""
        words += " and let it down" if "release" in tags else ""
    if "vibrato" in tags:
        words += ", then vibrato" if words else ", with vibrato"
    if "palm-mute" in tags:
        words += ", palm muted"
    if "staccato" in tags:
        words += ", cut short"
    if "let-ring" in tags:
        words += ", let it ring"
    return words


def _say_together(notes: list[Note]) -> str:
    """Say notes that are struck together."""
    names = " and ".join(_place(n) for n in sorted(notes, key=lambda n: n.written.string))
    tags = frozenset.union(*(n.written.techniques for n in notes))
    return f"together {names}" + (", slid" if "slide" in tags else "")


def _closing(phrase: Phrase, context: Context) -> str:
    """Name the target note and what lies outside the scale."""
    key = known_key(context.key)
    if key is None:
        return ""
    tonic = key.pitch_class
    last = phrase.notes[-1]
    sounding = last.heard.midi
    if "bend" in last.written.techniques and "release" not in last.written.techniques:
        sounding += round(last.written.bend_semitones)
    words = (
        f"It lands on {spell_in_key(sounding, context.key)}, the {degree_name(sounding, tonic)} of "
        f"{context.key}{_over_chord(sounding, chord_at(context, last.onset_s))}."
    )
    outside = []
    for note in phrase.notes:
        name = outside_name(note.heard.midi, tonic, context.scale) if context.scale else None
        if name and "dead" not in note.written.techniques:
            outside.append(f"{spell_in_key(note.heard.midi, context.key)} ({name})")
    if outside:
        words += f" Outside the scale: {', '.join(dict.fromkeys(outside))}."
    return words


def _over_chord(midi: float, symbol: str) -> str:
    """Say what a note is in the chord that stands over it."""
    chord = known_chord(symbol)
    if chord is None:
        return ""
    tone = chord.tone_name(midi)
    return f", the {tone} of {symbol}" if tone else f", which is not in {symbol}"


def note_role(note: Note, context: Context) -> str:
    """Say what a note is: its degree in the key, its place in the chord or outside the scale."""
    key = known_key(context.key)
    if key is None or "dead" in note.written.techniques:
        return ""
    tonic = key.pitch_class
    midi = note.heard.midi
    words = f"{degree_name(midi, tonic)} of {context.key}"
    symbol = chord_at(context, note.onset_s)
    chord = known_chord(symbol)
    tone = chord.tone_name(midi) if chord is not None else None
    outside = outside_name(midi, tonic, context.scale) if context.scale else None
    if tone:
        words += f", {tone} of {symbol}"
    elif outside:
        words += f", outside the scale ({outside})"
    elif chord is not None:
        words += f", scale tone over {symbol}"
    return words


def note_name(note: Note, context: Context) -> str:
    """Name a note's pitch with its octave, spelled in the lesson's key where there is one."""
    midi = round(note.heard.midi)
    if known_key(context.key) is None:
        return pitch_name(midi)
    spelled = spell_in_key(midi, context.key)
    shift = spelled.count("♯") - spelled.count("♭")
    return f"{spelled}{(midi - shift) // 12 - 1}"

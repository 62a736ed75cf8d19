"""The spoken breakdown: a phrase said note by note in plain words."""

from juxtanote.core.fretboard.fingers import supporting_fingers
from juxtanote.core.score.form import chord_at
from juxtanote.core.score.lesson import Context, Lesson, Phrase
from juxtanote.core.score.note import SLURS, Note
from juxtanote.core.score.repeats import bar_repeats, repeat_words
from juxtanote.core.score.signs import bend_name
from juxtanote.core.score.values import by_onset
from juxtanote.core.score.voices import rings
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
    """Say a phrase: what the instructor typed, or a text generated from the notes.

    Parameters
    ----------
    phrase : Phrase
    lesson : Lesson
        That it is of.
    """
    if phrase.breakdown.strip():
        return phrase.breakdown
    return generate_breakdown(phrase, lesson)


def generate_breakdown(phrase: Phrase, lesson: Lesson) -> str:
    """Say a phrase as a teacher does: shape and place, what is hard, bar by bar, where it lands.

    Parameters
    ----------
    phrase : Phrase
    lesson : Lesson
        That it is of.
    """
    if not phrase.notes:
        return "There are no notes in this phrase yet."
    context = lesson.context(phrase)
    sentences = [_opening(phrase, context)]
    barred = _with_bar(phrase, context)
    sentences += [barred] if barred else []
    for more in (_held_under(phrase), _hardest(phrase, context)):
        sentences += [more] if more else []
    again = {later: (earlier, likeness) for later, earlier, likeness in bar_repeats(phrase, lesson)}
    for bar, notes in _by_bar(phrase, context):
        where = f"Bar {bar}" if bar >= 1 else "Pickup"
        if bar in again and again[bar][1].kind != "motif":
            earlier, likeness = again[bar]
            sentences.append(f"{where}: {repeat_words(f'bar {earlier}', likeness)}.")
            continue
        said = "; ".join(_said(notes, context))
        if bar in again:
            said += f"; it has {repeat_words(f'bar {again[bar][0]}', again[bar][1])}"
        sentences.append(f"{where}: {said}.")
    closing = _closing(phrase, context)
    if closing:
        sentences.append(closing)
    return "\n".join(sentences)


def _held_under(phrase: Phrase) -> str:
    """Say which strings sound on while others are played, where there are two voices."""
    strings = sorted({ring.string for ring in rings(by_onset(phrase.notes))}, reverse=True)
    if not strings:
        return ""
    *others, last = map(str, strings)
    named = f"strings {', '.join(others)} and {last}" if others else f"string {last}"
    return f"Let {named} sound on while the others move: do not damp {'them' if others else 'it'}."


def _with_bar(phrase: Phrase, context: Context) -> str:
    """Say how the slide bar is worn and held, where there is one (common practice)."""
    if not any("bar" in n.written.techniques for n in phrase.notes):
        return ""
    finger = FINGER_WORDS[str(context.guitar.bar_finger)]
    return (
        f"The slide bar is on the {finger}, straight over the fret wire and only as heavy as the string "
        "needs; the fingers behind it rest on the strings, so that nothing rings between it and the nut."
    )


def _said(notes: list[Note], context: Context) -> list[str]:
    """Say the notes of a bar, those that are struck together as one."""
    said, index = [], 0
    while index < len(notes):
        chord = [notes[index]]
        while (
            index + len(chord) < len(notes)
            and notes[index + len(chord)].onset_s - notes[index].onset_s < 0.03
        ):
            chord.append(notes[index + len(chord)])
        words = _say_together(chord) if len(chord) > 1 else _say(notes[index], notes, index)
        if index and _is_carried_on(notes[index - 1], notes[index], context):
            words += ", the same stroke carried on"
        said.append(words)
        index += len(chord)
    return said


def _is_carried_on(before: Note, note: Note, context: Context) -> bool:
    """Tell whether economy picking takes a string in the stroke of the one before."""
    written, last = note.written, before.written
    near = abs(written.string - last.string) == 1
    return context.school == "economy" and near and written.stroke == last.stroke != ""


NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
ORDINALS = (
    "open", "first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth",
    "tenth", "eleventh", "twelfth", "thirteenth", "fourteenth", "fifteenth", "sixteenth",
    "seventeenth", "eighteenth", "nineteenth", "twentieth",
)  # fmt: skip


def _opening(phrase: Phrase, context: Context) -> str:
    """Say shape and place first: how many bars, in which position, on which strings."""
    bars = [bar for bar, _ in _by_bar(phrase, context)]
    whole = [bar for bar in bars if bar >= 1]
    span = whole[-1] - whole[0] + 1 if whole else 0
    count = NUMBERS[span] if span < len(NUMBERS) else str(span)
    words = f"{count} bar{'s' if span != 1 else ''}".capitalize() if span else "A pickup"
    if span and len(whole) < len(bars):
        words += " and a pickup"
    words += _position(phrase)
    strings = sorted({n.written.string for n in phrase.notes})
    names = ", ".join(str(s) for s in strings[:-1])
    words += f", on string{'s' if len(strings) > 1 else ''} " + (
        f"{names} and {strings[-1]}" if names else f"{strings[-1]}"
    )
    if phrase.repeats > 1:
        words += ", twice" if phrase.repeats == 2 else f", {phrase.repeats} times"
    key = known_key(context.key)
    if key is not None and context.scale:
        words += f". The notes come from {key.tonic} {context.scale}"
    return words + "."


def _position(phrase: Phrase) -> str:
    """Say where the hand is: in one position, from one to another; by frets without fingers."""
    places = [
        n.written.fret - int(n.written.finger) + 1
        for n in phrase.notes
        if n.written.finger in ("1", "2", "3", "4") and n.written.fret >= int(n.written.finger)
    ]
    frets = [n.written.fret for n in phrase.notes if n.written.fret > 0]
    if not frets:
        return " of open strings"
    if len(places) < 0.5 * len(frets):
        low, high = min(frets), max(frets)
        return f" at fret {low}" if low == high else f", frets {low} to {high}"
    low, high = min(places), max(places)
    if high >= len(ORDINALS):
        return f", frets {min(frets)} to {max(frets)}"
    if high - low <= 1:
        return f" in {ORDINALS[max(set(places), key=places.count)]} position"
    return (
        f" from {ORDINALS[places[0]]} to {ORDINALS[places[-1]]} position"
        if (places[0] != places[-1])
        else f" between {ORDINALS[low]} and {ORDINALS[high]} position"
    )


# Semitones, frets, frets, seconds: from here on it is said to be hard.
WIDE_BEND, WIDE_STRETCH, LONG_SHIFT, FAST_S = 2.5, 4, 5, 0.11


def _hardest(phrase: Phrase, context: Context) -> str:
    """Say what is hard, if something is: bends, stretches, jumps, quick strokes (common practice)."""
    found: list[str] = []
    notes = phrase.notes
    widest = max(notes, key=lambda n: n.written.bend_semitones)
    if widest.written.bend_semitones >= WIDE_BEND:
        amount = _BENDS.get(bend_name(widest.written.bend_semitones), "more than two tones")
        found.append(f"the bend of {amount} in {_where(widest, context)}")
    pairs = list(zip(notes, notes[1:], strict=False))
    fretted = [(a, b) for a, b in pairs if a.written.fret and b.written.fret]
    if fretted:
        a, b = max(fretted, key=lambda pair: abs(pair[1].written.fret - pair[0].written.fret))
        far = abs(b.written.fret - a.written.fret)
        if far >= LONG_SHIFT:
            found.append(f"the jump of {far} frets to {_place(b)} in {_where(b, context)}")
        elif far >= WIDE_STRETCH and "slide" not in b.written.techniques:
            found.append(f"the stretch over {far + 1} frets in {_where(b, context)}")
    quick = [
        b for a, b in pairs
        if 0.03 < b.onset_s - a.onset_s < FAST_S and not b.written.techniques & SLURS
    ]  # fmt: skip
    if len(quick) >= 3:
        found.append(f"the quick strokes from {_where(quick[0], context)} on")
    verb = "is" if len(found) == 1 and len(quick) < 3 else "are"
    return f"Hard {verb} {', and '.join(found[:2])}: begin slowly there." if found else ""


def _where(note: Note, context: Context) -> str:
    onset = note.written.onset_beats
    beats = float(onset) if onset is not None else float(context.time_map.to_beats(note.onset_s))
    bar, beat = context.time_map.bar_and_beat(beats)
    return f"bar {bar}, beat {int(beat)}" if bar >= 1 else "the pickup"


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
    slanted = len({n.written.fret for n in notes if "bar" in n.written.techniques}) > 1
    words = f"together {names}" + (", slid" if "slide" in tags else "")
    return words + (", the bar held at an angle" if slanted else "")


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
    """Say what a note is: its degree in the key, its place in the chord or outside the scale.

    Parameters
    ----------
    note : Note
    context : Context
        Key and chords.
    """
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
    """Name a note's pitch with its octave, spelled in the lesson's key where there is one.

    Parameters
    ----------
    note : Note
    context : Context
        Key and chords.
    """
    midi = round(note.heard.midi)
    if known_key(context.key) is None:
        return pitch_name(midi)
    spelled = spell_in_key(midi, context.key)
    shift = spelled.count("♯") - spelled.count("♭")
    return f"{spelled}{(midi - shift) // 12 - 1}"

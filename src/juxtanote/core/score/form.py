"""Bars counted in a form: which bar of twelve this is, and which chord stands over it."""

from juxtanote.core.score.lesson import Context, Lesson, Phrase


def bar_at(lesson: Lesson | Context, seconds: float) -> int:
    """Give the bar (1-based) that a time belongs to; a note just before a bar line belongs to it.

    Parameters
    ----------
    lesson : Lesson or Context
        For its beats.
    seconds : float
        Time in the recording.
    """
    beats = float(lesson.time_map.to_beats(seconds))
    return lesson.time_map.bar_and_beat(beats + 0.12)[0]


def heading_of(phrase: Phrase, lesson: Lesson | Context) -> str:
    """Give what stands beside a phrase's name: place in the form, ending, swing.

    Parameters
    ----------
    phrase : Phrase
        Of that lesson.
    lesson : Lesson or Context
        For its form and beats.
    """
    words = [phrase.place_in_form or form_position(lesson, phrase.start_s + 0.1)]
    if phrase.ending:
        words.append("first ending" if phrase.ending == 1 else "second ending")
    if phrase.subdivision == "swung eighths":
        words.append("eighths are swung")
    return ", ".join(word for word in words if word)


def form_position(lesson: Lesson | Context, seconds: float) -> str:
    """Say where in the form a time is, as "bar 11 of 12"; "" without a form or in the pickup.

    Parameters
    ----------
    lesson : Lesson or Context
        For its form and beats.
    seconds : float
        Time in the recording.
    """
    bar = bar_at(lesson, seconds)
    if not lesson.form_bars or bar < 1:
        return ""
    return f"bar {(bar - 1) % lesson.form_bars + 1} of {lesson.form_bars}"


def chord_at(lesson: Lesson | Context, seconds: float) -> str:
    """Give the chord symbol that sounds at a time; chords repeat with the form. "" where none is.

    Parameters
    ----------
    lesson : Lesson or Context
        For its chords, form and beats.
    seconds : float
        Time in the recording.
    """
    time_map, known = lesson.time_map, dict(lesson.chords)
    bar, beat = time_map.bar_and_beat(float(time_map.to_beats(seconds)) + 0.12)
    symbols = known.get(bar, "")
    if not symbols and lesson.form_bars and bar >= 1:
        here = (bar - 1) % lesson.form_bars
        alike = [b for b in known if b >= 1 and (b - 1) % lesson.form_bars == here]
        symbols = known[alike[0]] if alike else ""
    parts = symbols.split()
    if not parts:
        return ""
    share = (beat - 1.0) / time_map.beats_per_bar
    return parts[min(int(share * len(parts)), len(parts) - 1)]


def set_chords(lesson: Lesson, first_bar: int, symbols: list[str]) -> tuple[tuple[int, str], ...]:
    """Give the lesson's chords with those from a bar on replaced.

    Parameters
    ----------
    lesson : Lesson
    first_bar : int
        0 is bar 1.
    symbols : list of str
        One a bar.
    """
    known = dict(lesson.chords)
    for step, symbol in enumerate(symbols):
        known.pop(first_bar + step, None)
        if symbol:
            known[first_bar + step] = symbol
    return tuple(sorted(known.items()))

"""The written phrase as sound: every note with its techniques, through an amplifier."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.progress import Progress, no_progress, part_of
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.note import Note
from juxtanote.core.score.sounding import sounding_midi
from juxtanote.core.synth.amplifier import amplify
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_event
from juxtanote.core.theory.tuning import Guitar
from juxtanote.core.units import cents_to_reference_hz

VOICE = StringVoice(brightness=0.75, pick_noise=0.2)  # between a dark and a bright guitar
RISE_S = 0.18  # a bend is on its way so long at most


@dataclass(frozen=True, slots=True)
class Rendered:
    """Mono audio from `start_s` of the recording on; what is written ends at `end_s`."""

    audio: NDArray[np.float32]
    start_s: float
    end_s: float


def written_curve(note: Note, following: Note | None) -> tuple[tuple[float, float], ...]:
    """Give the pitch that is written, in (seconds, semitones): bends on target, even vibrato.

    Parameters
    ----------
    note : Note
        The note as it is written.
    following : Note
        What comes after it: it may be slid to.
    """
    written, length = note.written, note.heard.duration_s
    tags = written.techniques
    times = np.arange(0.0, length + 0.01, 0.01)
    values = np.zeros(len(times))
    rise = min(RISE_S, 0.4 * length)
    if "pre-bend" in tags:
        part = np.clip((times - 0.45 * length) / max(0.3 * length, 0.02), 0.0, 1.0)
        values = written.bend_semitones * 0.5 * (1.0 + np.cos(np.pi * part))
    elif "bend" in tags:
        part = np.clip((times - 0.02) / rise, 0.0, 1.0)
        values = written.bend_semitones * 0.5 * (1.0 - np.cos(np.pi * part))
        if "release" in tags:
            fall = np.clip((times - 0.6 * length) / max(0.3 * length, 0.02), 0.0, 1.0)
            values *= 0.5 * (1.0 + np.cos(np.pi * fall))
    if "vibrato" in tags:
        delay = 0.25 if length > 0.5 else 0.1
        grow = np.clip((times - delay) / 0.15, 0.0, 1.0)
        swing = 0.2 * (1.0 - np.cos(2.0 * np.pi * 5.5 * (times - delay)))
        values = values + np.where(values > 0.3, -1.0, 1.0) * grow * swing
    if following is not None and "slide" in following.written.techniques and not values.any():
        if following.written.string == written.string:
            part = np.clip((times - length + 0.08) / 0.08, 0.0, 1.0)
            values = (following.written.fret - written.fret) * part
    if not values.any():
        return ()
    return tuple((float(t), float(v)) for t, v in zip(times, values, strict=True))


def phrase_events(phrase: Phrase, guitar: Guitar) -> list[StringEvent]:
    """Give what the hands do in a phrase, at its measured times, in seconds from its start.

    Parameters
    ----------
    phrase : Phrase
        What is written.
    guitar : Guitar
        Its part's, tuned as it is played.
    """
    events = []
    for index, note in enumerate(phrase.notes):
        following = next(
            (n for n in phrase.notes[index + 1 :] if n.written.string == note.written.string), None
        )
        length = note.heard.duration_s
        if following is not None:
            length = min(length, max(following.onset_s - note.onset_s, 0.03))
        velocity = float(np.clip(0.8 * 10 ** ((note.heard.level_db + 20) / 40), 0.35, 1.0))
        events.append(
            StringEvent(
                max(note.onset_s - phrase.start_s, 0.0), length, note.written.string,
                note.written.fret, sounding_midi(note, guitar), note.written.techniques,
                written_curve(note, following), velocity,
            )
        )  # fmt: skip
    return events


def render_phrase(
    phrase: Phrase, lesson: Lesson, sample_rate: int, progress: Progress = no_progress
) -> Rendered:
    """Render a phrase at the recording's reference pitch; the same phrase gives the same samples.

    Parameters
    ----------
    phrase : Phrase
        What is written.
    lesson : Lesson
        The lesson that it is of, for guitar and reference pitch.
    sample_rate : int
        In Hz.
    progress : Progress
        Told the part done, 0 to 1.
    """
    rng = np.random.default_rng(1)
    events = phrase_events(phrase, lesson.context(phrase).guitar)
    length = phrase.end_s - phrase.start_s + 0.5
    audio = np.zeros(int(length * sample_rate) + 1, dtype=np.float32)
    reference_hz = cents_to_reference_hz(lesson.reference_cents)
    for index, event in enumerate(events):
        sound = render_event(event, sample_rate, VOICE, rng, reference_hz=reference_hz)
        start = int(event.onset_s * sample_rate)
        sound = sound[: max(len(audio) - start, 0)]
        audio[start : start + len(sound)] += sound
        progress(index / len(events))
    loud = amplify(audio, sample_rate, gain=2.0, cabinet_hz=5000.0)
    peak = float(np.max(np.abs(loud), initial=0.0)) or 1.0
    return Rendered((0.5 / peak * loud).astype(np.float32), phrase.start_s, phrase.end_s)


def render_phrases(
    phrases: Sequence[Phrase], lesson: Lesson, sample_rate: int, progress: Progress = no_progress
) -> Rendered:
    """Render phrases where they lie on the recording, silence between them; one alone as it is.

    Parameters
    ----------
    phrases : sequence of Phrase
        One or more.
    lesson : Lesson
        That they are of.
    sample_rate : int
        In hertz.
    """
    each = [
        render_phrase(p, lesson, sample_rate, part_of(progress, k / len(phrases), (k + 1) / len(phrases)))
        for k, p in enumerate(phrases)
    ]  # fmt: skip
    if len(each) == 1:
        return each[0]
    start_s = min(part.start_s for part in each)
    offsets = [round((part.start_s - start_s) * sample_rate) for part in each]
    total = max(at + len(part.audio) for at, part in zip(offsets, each, strict=True))
    audio = np.zeros(total, dtype=np.float32)
    for at, part in zip(offsets, each, strict=True):
        audio[at : at + len(part.audio)] += part.audio
    return Rendered(audio, start_s, max(part.end_s for part in each))

"""The demo: an invented tune by an invented band, played by our own strings, as a finished lesson.

    python -m lab.demo

writes the recording, its lead-only stem and the lesson into the program's data, and the truth into
the tests'. Same seed, same samples.
"""

from dataclasses import replace
from pathlib import Path

import numpy as np

from juxtanote.core.analysis import curves as measuring
from juxtanote.core.analysis.stretches import hear_stretch
from juxtanote.core.analysis.techniques import read_curve
from juxtanote.core.audio.read import PLAY_RATE, Sound, to_rate
from juxtanote.core.audio.write import write_sound, write_text
from juxtanote.core.formats.csv_notes import NoteRow, write_rows
from juxtanote.core.formats.lesson_file import save_lesson
from juxtanote.core.fretboard.fingers import choose_fingers
from juxtanote.core.fretboard.phrases import note_to_place
from juxtanote.core.fretboard.solver import solve
from juxtanote.core.fretboard.strokes import choose_strokes
from juxtanote.core.placing import evidence_of
from juxtanote.core.score.kept import Kept, LogEntry
from juxtanote.core.score.lesson import Lesson, Phrase, Recording
from juxtanote.core.score.note import HeardNote, Note, WrittenNote
from juxtanote.core.score.rhythm import write_phrase
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.synth.amplifier import add_room, amplify
from juxtanote.core.synth.strings import StringEvent, StringVoice, render_events
from lab.phrases import Hand, TabNote, to_events

ROOT = Path(__file__).resolve().parents[1]
DATA = ROOT / "src" / "juxtanote" / "data" / "demo"
NAME = "brackwater-tram"
TITLE = "Brackwater Tram"
TEACHER = "Room 4, Wexmoor Guitar Evenings · as played by the Orrin Vale Quintet (all invented)"
TEMPO, BARS, SEED = 88.0, 18, 88
BEAT_S = 60.0 / TEMPO
BAR_ONE_S = 0.4 + 4 * BEAT_S
LEAD = StringVoice(pluck_position=0.14, pickup_position=0.2, brightness=0.7, decay_s=4.5)
COMP = StringVoice(pluck_position=0.2, pickup_position=0.09, brightness=0.9, decay_s=2.5)
BASS = StringVoice(pluck_position=0.25, brightness=1.3, decay_s=3.0, pick_noise=0.1)
CHORDS = ((45, "Am7"), (50, "D7"), (45, "Am7"), (43, "G"))
"""Root of each bar of the round, and its symbol."""

# Name, place in the form, bars from 0, repeats, and what sounds: beats are counted from bar 1.
#   beat, beats, string, fret, techniques, bend in semitones
PHRASES: tuple[tuple[str, str, float, float, int, tuple[tuple, ...]], ...] = (
    ("A", "first bars, with a pickup", -1.1, 7.4, 1, (
        (-1, 0.5, 3, 5, ""), (-0.5, 0.5, 3, 7, "hammer-on"), (0, 1, 2, 5, ""),
        (1, 1, 2, 8, "bend", 2.0), (2, 0.5, 2, 5, ""), (2.5, 0.5, 3, 7, ""),
        (3, 0.5, 3, 5, "pull-off"), (3.5, 0.5, 4, 7, ""), (4, 2.5, 3, 7, "vibrato"),
    )),
    ("B", "answer, up the neck", 7.9, 15.6, 1, (
        (8, 0.25, 4, 5, ""), (8.25, 0.25, 4, 7, "hammer-on"), (8.5, 0.25, 3, 5, ""),
        (8.75, 0.25, 3, 7, "hammer-on"), (9, 0.5, 2, 5, ""), (9.5, 0.5, 2, 8, "hammer-on"),
        (10, 0.5, 2, 8, ""), (10.5, 0.5, 2, 10, "slide"), (11, 1, 1, 8, ""),
        (12, 1.5, 1, 10, "bend release", 1.0), (13.5, 0.5, 1, 8, ""), (14, 1.5, 2, 10, "vibrato"),
    )),
    ("C", "low string rings, then two at once", 15.9, 23.7, 1, (
        (16, 2, 5, 0, "let-ring"), (16.5, 0.5, 3, 5, ""), (17, 0.5, 3, 7, "hammer-on"),
        (17.5, 0.5, 2, 5, ""), (18, 0.75, 2, 8, "bend", 2.0), (18.75, 0.25, 2, 5, ""),
        (19, 0.5, 2, 8, ""), (19, 0.5, 1, 8, ""), (19.5, 0.5, 3, 5, "dead"),
        (20, 0.5, 2, 5, ""), (20, 0.5, 1, 5, ""), (20.5, 0.5, 3, 7, ""),
        (21, 1, 3, 5, "bend", 0.5), (22, 1.5, 4, 7, "vibrato"),
    )),
    ("D", "three to a beat", 23.9, 31.6, 2, (
        (24, 1 / 3, 1, 8, ""), (24 + 1 / 3, 1 / 3, 1, 5, "pull-off"), (24 + 2 / 3, 1 / 3, 2, 8, ""),
        (25, 1 / 3, 1, 8, ""), (25 + 1 / 3, 1 / 3, 1, 5, "pull-off"), (25 + 2 / 3, 1 / 3, 2, 8, ""),
        (26, 1 / 3, 2, 8, ""), (26 + 1 / 3, 1 / 3, 2, 5, "pull-off"), (26 + 2 / 3, 1 / 3, 3, 7, ""),
        (27, 1, 2, 5, ""), (28, 1.5, 2, 8, "bend release", 2.0), (29.5, 0.5, 2, 5, ""),
        (30, 1.5, 3, 7, "vibrato"),
    )),
    ("E", "the top, then down one string", 31.9, 47.5, 1, (
        (32, 0.5, 1, 12, ""), (32.5, 0.5, 1, 10, ""), (33, 1, 2, 13, "bend", 2.0),
        (34, 0.5, 2, 10, ""), (34.5, 0.5, 2, 13, "hammer-on"), (35, 1, 1, 12, "vibrato"),
        (36, 0.5, 2, 12, ""), (36.5, 0.5, 2, 10, "pull-off"), (37, 0.5, 2, 8, "slide"),
        (37.5, 0.5, 2, 5, "slide"), (38, 1, 3, 7, "bend", 1.0), (39, 1, 3, 5, ""),
        (40, 0.25, 3, 4, ""), (40.25, 0.25, 3, 5, "hammer-on"), (40.5, 0.5, 4, 7, ""),
        (41, 0.5, 4, 5, ""), (41.5, 0.5, 5, 7, ""), (42, 0.5, 4, 5, "staccato"),
        (42.5, 0.5, 4, 7, "staccato"), (43, 1, 3, 5, ""), (44, 2.5, 4, 7, "vibrato"),
    )),
    ("F", "home, with harmonics", 47.9, 63.5, 1, (
        (48, 0.5, 5, 7, "palm-mute"), (48.5, 0.5, 5, 7, "palm-mute"), (49, 0.5, 4, 5, ""),
        (49.5, 0.5, 4, 7, "hammer-on"), (50, 1, 3, 5, ""), (51, 1, 3, 7, "vibrato"),
        (52, 0.5, 2, 5, ""), (52.5, 0.5, 2, 8, ""), (53, 1.5, 2, 8, "pre-bend release", 2.0),
        (54.5, 0.5, 2, 5, ""), (55, 1, 3, 7, ""), (56, 1, 3, 5, ""), (57, 0.5, 4, 7, ""),
        (57.5, 0.5, 4, 5, "pull-off"), (58, 2, 5, 7, "vibrato"),
        (60, 1, 3, 12, "natural-harmonic"), (61, 2.4, 2, 12, "natural-harmonic"),
    )),
)  # fmt: skip


def tab_notes(rows: tuple[tuple, ...]) -> list[TabNote]:
    """Read the rows of a phrase."""
    return [
        TabNote(
            float(row[0]), float(row[1]), row[2], row[3], frozenset(row[4].split()),
            row[5] if len(row) > 5 else 0.0,
        )
        for row in rows
    ]  # fmt: skip


def lead_events() -> list[list[StringEvent]]:
    """Play every phrase, a few milliseconds off the grid as people are."""
    rng = np.random.default_rng(SEED)
    hand = Hand(Lesson().guitar, 9, (0, 3, 5, 7, 10), 5, rng)
    return [
        flawed(to_events(tab_notes(rows), hand, TEMPO, BAR_ONE_S, jitter_s=0.008))
        for *_, rows in PHRASES
    ]


def flawed(events: list[StringEvent]) -> list[StringEvent]:
    """Leave in what the Check desk is for: a bend that falls short, and a note that drags."""
    changed = []
    for event in events:
        if event.fret == 13 and "bend" in event.techniques:
            event = replace(event, curve=tuple((t, 0.85 * v) for t, v in event.curve))
        elif event.fret == 12 and "vibrato" in event.techniques:
            event = replace(event, onset_s=event.onset_s + 0.045)
        changed.append(event)
    return changed


def _beat(beat: float) -> float:
    return BAR_ONE_S + beat * BEAT_S


def drum_track(length: int, rng: np.random.Generator) -> np.ndarray:
    """Play sticks for the count-in, then a plain groove, from noise and falling sines."""
    audio = np.zeros(length, dtype=np.float64)

    def hit(seconds: float, sound: np.ndarray) -> None:
        start = int((seconds + rng.normal(0.0, 0.003)) * PLAY_RATE)
        part = sound[: max(length - start, 0)]
        audio[start : start + len(part)] += part

    t = np.arange(int(0.35 * PLAY_RATE)) / PLAY_RATE
    noise = rng.standard_normal(len(t))
    bright = np.diff(noise, prepend=0.0)
    stick = 0.4 * np.sin(2 * np.pi * 2300 * t) * np.exp(-t / 0.006) + 0.1 * bright * np.exp(
        -t / 0.01
    )
    kick = np.sin(2 * np.pi * (48 * t + 9 * (1 - np.exp(-t / 0.02)))) * np.exp(-t / 0.12)
    snare = 0.35 * noise * np.exp(-t / 0.07) + 0.5 * np.sin(2 * np.pi * 190 * t) * np.exp(-t / 0.05)
    hat = 0.16 * np.diff(bright, prepend=0.0) * np.exp(-t / 0.025)
    for beat in range(-4, 0):
        hit(_beat(beat), stick)
    for beat in range(4 * BARS - 4):
        hit(_beat(beat), hat)
        hit(_beat(beat + 0.5), 0.7 * hat)
        if beat % 4 in (0, 2):
            hit(_beat(beat), kick)
        if beat % 4 == 2:
            hit(_beat(beat - 0.5), 0.6 * kick)
        if beat % 4 in (1, 3):
            hit(_beat(beat), snare)
    return audio.astype(np.float32)


def band_events(rng: np.random.Generator) -> tuple[list[StringEvent], list[StringEvent]]:
    """Play bass and rhythm guitar over the round of chords."""
    bass, comp = [], []
    for bar in range(BARS - 2):
        root = CHORDS[bar % 4][0]
        minor = bar % 4 in (0, 2)
        for beat, step in ((0, 0), (1.5, 0), (2, 7), (3, 10 if minor else 12)):
            low = root - 12 + step - (12 if root + step > 60 else 0)
            start = _beat(4 * bar + beat) + rng.normal(0, 0.004)
            bass.append(StringEvent(start, 0.85 * BEAT_S, 4, 3, float(low), velocity=0.8))
        for beat in (1, 2.5, 3):
            third = 3 if minor else 4
            for order, step in enumerate((0, 7, 10, 12 + third)):
                start = _beat(4 * bar + beat) + 0.008 * order + rng.normal(0, 0.003)
                tag = frozenset({"palm-mute"}) if beat == 2.5 else frozenset()
                pitch = float(root + step)
                comp.append(StringEvent(start, 0.6 * BEAT_S, 5 - order, 5, pitch, tag, (), 0.5))
    return bass, comp


def render() -> tuple[np.ndarray, np.ndarray, list[list[StringEvent]]]:
    """Render the mix (2, n), the lead alone (n,) and tell what was played."""
    rng = np.random.default_rng(SEED + 1)
    phrases = lead_events()
    length_s = _beat(4 * BARS - 7) + 0.5
    events = [event for phrase in phrases for event in phrase]
    lead = render_events(events, PLAY_RATE, LEAD, rng, length_s=length_s)
    lead = amplify(1.4 * lead, PLAY_RATE, gain=3.0, bias=0.15, presence=0.6)
    lead = add_room(lead, PLAY_RATE, rng, seconds=0.7, wet=0.1)
    bass_events, comp_events = band_events(rng)
    bass = render_events(bass_events, PLAY_RATE, BASS, rng, length_s=length_s)
    comp = render_events(comp_events, PLAY_RATE, COMP, rng, length_s=length_s)
    comp = amplify(comp, PLAY_RATE, gain=1.5)
    drums = drum_track(len(lead), rng)
    left = 0.62 * lead + 0.5 * bass + 0.42 * drums + 0.30 * comp
    right = 0.62 * lead + 0.5 * bass + 0.42 * drums + 0.07 * comp
    stereo = np.stack([left, right])
    stereo *= 0.8 / float(np.max(np.abs(stereo)))
    return stereo.astype(np.float32), lead, phrases


def measured_note(
    ident: int, event: StringEvent, tab: TabNote, spectra: measuring.ShortSpectra, stem: np.ndarray
) -> Note:
    """Measure a known note in the lead's stem, as the program would."""
    times, cents, _ = measuring.pitch_curve(spectra, event.midi, event.onset_s, event.offset_s)
    reading = read_curve(times, cents, event.midi)
    first = int(event.onset_s * 22_050)
    power = float(np.mean(stem[first : first + 1800] ** 2))
    curve = tuple(
        (round(float(t), 4), round(float(c), 1)) for t, c in zip(times, cents, strict=True)
    )
    if event.techniques & {"dead", "palm-mute", "natural-harmonic"}:
        curve = ()
    heard = HeardNote(
        round(event.onset_s, 4), round(event.offset_s, 4), round(event.midi, 2),
        round(10 * np.log10(power + 1e-9), 1), 0.95, curve,
        reading.evidence if tab.techniques & {"bend", "vibrato", "pre-bend"} else (),
    )  # fmt: skip
    written = WrittenNote(tab.string, tab.fret, tab.techniques, tab.bend)
    return Note(ident, heard, written)


def make_lesson(stereo: np.ndarray, lead: np.ndarray, played: list[list[StringEvent]]) -> Lesson:
    """Build the finished lesson: measured heard side, composed written side."""
    stem = to_rate(lead[None], PLAY_RATE, 22_050)[0]
    spectra = measuring.measure_spectra(stem, 22_050)
    sound = Sound(stereo, PLAY_RATE)
    beats = tuple(round(_beat(b), 6) for b in range(-4, 4 * BARS - 6))
    lesson = Lesson(
        title=TITLE, teacher=TEACHER, key="A minor", scale="minor pentatonic",
        feel="straight, one phrase in triplets",
        recording=Recording(f"{NAME}.ogg", stereo.shape[1] / PLAY_RATE),
        time_map=TimeMap(beats, first_downbeat=4),
        chords=tuple((bar + 1, CHORDS[bar % 4][1]) for bar in range(BARS - 2)),
    )  # fmt: skip
    for number, (row, events) in enumerate(zip(PHRASES, played, strict=True), start=1):
        name, place, first, last, repeats, rows = row
        tabs = {(round(t.beat, 3), t.string): t for t in tab_notes(rows)}
        ordered = sorted(tabs.values(), key=lambda t: (t.beat, t.string))
        notes = [
            measured_note(index + 1, event, tab, spectra, stem)
            for index, (event, tab) in enumerate(
                zip(
                    sorted(events, key=lambda e: (round(e.onset_s, 2), e.string)),
                    ordered,
                    strict=True,
                )
            )
        ]
        start, end = _beat(first), _beat(last)
        phrase = Phrase(
            number, name, start, end, repeats=repeats, place_in_form=place, status="taught"
        )
        phrase = write_phrase(phrase.with_notes(notes), lesson.time_map)
        phrase = _with_hands(phrase, lesson)
        heard = hear_stretch(sound, start, end)
        phrase = _with_confidence(replace(phrase, evidence=evidence_of(heard)), heard.notes)
        lesson = lesson.with_phrase(phrase)
    third = lesson.phrases[2]
    own = "Let the open A ring under the first four notes: keep the hand off string 5.\n"
    from juxtanote.core.formats.breakdown import generate_breakdown

    typed = replace(third, breakdown=own + generate_breakdown(third, lesson))
    return replace(lesson.with_phrase(typed), kept=Kept(practice_log()))


def _with_hands(phrase: Phrase, lesson: Lesson) -> Phrase:
    places = [
        replace(note_to_place(n), string=n.written.string, fret=n.written.fret)
        for n in phrase.notes
    ]
    placement = solve(lesson.context().guitar, places)
    fingers = choose_fingers(places, placement, lesson.context().guitar)
    strokes = choose_strokes(places, placement.strings, lesson.context().school)
    return phrase.with_notes(
        [
            replace(n, written=replace(n.written, finger=f, stroke=s))
            for n, f, s in zip(phrase.notes, fingers, strokes, strict=True)
        ]
    )


def _with_confidence(phrase: Phrase, heard: tuple) -> Phrase:
    """Take each note's confidence from what the listener heard in the full mix."""
    notes = []
    for note in phrase.notes:
        near = [
            h
            for h in heard
            if abs(h.onset_s - note.onset_s) < 0.06 and abs(h.midi - note.heard.midi) < 0.6
        ]
        sure = max((h.confidence for h in near), default=0.5)
        locked = frozenset({"pitch", "place"}) if not near else frozenset()
        notes.append(
            replace(
                note,
                heard=replace(note.heard, confidence=sure),
                written=replace(note.written, locked=locked),
            )
        )
    return phrase.with_notes(notes)


def practice_log() -> tuple[LogEntry, ...]:
    """Write three weeks of an invented student's practice."""
    rng = np.random.default_rng(SEED + 2)
    entries = []
    for day in range(0, 22, 2):
        date = f"2026-{10 if day < 12 else 11:02d}-{20 + day if day < 12 else day - 11:02d}"
        for order, phrase in enumerate("ABCD"):
            begun = day - 3 * order
            if begun < 0 or rng.random() < 0.25:
                continue
            speed = min(0.5 + 0.03 * begun + float(rng.normal(0, 0.015)), 1.05)
            entries.append(
                LogEntry(
                    date, (order + 1,), phrase, round(speed / 0.05) * 0.05, int(rng.integers(6, 30))
                )
            )
    return tuple(replace(e, speed=round(e.speed, 3)) for e in entries)


def truth_rows(played: list[list[StringEvent]]) -> list[NoteRow]:
    """Give what was played as rows of notes."""
    rows = []
    for events in played:
        for event in events:
            bend = max((v for _, v in event.curve), default=0.0)
            bent = event.techniques & {"bend", "pre-bend"}
            rows.append(
                NoteRow(
                    event.onset_s, event.duration_s, event.midi, event.string, event.fret,
                    event.techniques, round(bend, 2) if bent else 0.0,
                )
            )  # fmt: skip
    return rows


def main() -> None:
    """Write everything."""
    stereo, lead, played = render()
    DATA.mkdir(parents=True, exist_ok=True)
    write_sound(DATA / f"{NAME}.ogg", stereo, PLAY_RATE)
    alone = np.stack([lead, lead]) * np.float32(0.6 / np.max(np.abs(lead)))
    write_sound(DATA / f"{NAME}-lead.ogg", alone, PLAY_RATE)
    save_lesson(make_lesson(stereo, lead, played), DATA / f"{NAME}.juxta")
    write_text(ROOT / "tests" / "data" / f"{NAME}.csv", write_rows(truth_rows(played)))


if __name__ == "__main__":
    main()

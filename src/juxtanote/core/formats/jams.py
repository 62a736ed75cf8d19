"""JAMS, the JSON annotated music specification (E. J. Humphrey et al., ISMIR 2014)."""

import json

from juxtanote import __version__
from juxtanote.core.score.lesson import Lesson
from juxtanote.core.theory.keys import known_key

JAMS_MODES = frozenset(
    {"major", "minor", "dorian", "phrygian", "lydian", "mixolydian", "aeolian", "locrian"}
)


def write_jams(lesson: Lesson) -> str:
    """Write notes, beats, tempo and key as JAMS annotations."""
    duration = max(lesson.recording.duration_s, _last_end(lesson))
    beats = lesson.time_map.beats_between(0.0, duration)
    beat_rows = [_row(time, 0.0, float(beat)) for time, _, beat in beats if time >= 0.0]
    annotations = [
        *(
            _annotation("note_midi", _note_rows(lesson, part.ident), duration, f"part: {part.name}")
            for part in lesson.parts
        ),
        _annotation("beat", beat_rows, duration, "time map"),
        _annotation("tempo", [_row(0.0, duration, _tempo(lesson), 1.0)], duration, "time map"),
    ]
    key = known_key(lesson.key)
    if key is not None:
        tonic = key.tonic.replace("♭", "b").replace("♯", "#")
        value = f"{tonic}:{key.mode if key.mode in JAMS_MODES else key.family}"
        annotations.append(_annotation("key_mode", [_row(0.0, duration, value)], duration, "notes"))
    document = {
        "annotations": annotations,
        "file_metadata": {
            "title": lesson.title, "artist": lesson.performer, "release": "", "duration": duration,
            "identifiers": {}, "jams_version": "0.3.4",
        },
        "sandbox": {
            "tuning": list(lesson.parts[0].guitar.tuning), "reference_cents": lesson.reference_cents,
        },
    }  # fmt: skip
    return json.dumps(document, ensure_ascii=False, indent=1) + "\n"


def _tempo(lesson: Lesson) -> float:
    start = lesson.phrases[0].start_s if lesson.phrases else 0.0
    return round(lesson.time_map.tempo_at(start), 3)


def _last_end(lesson: Lesson) -> float:
    return max((note.offset_s for p in lesson.phrases for note in p.notes), default=0.0)


def _row(
    time: float, duration: float, value: object, confidence: float | None = None
) -> dict[str, object]:
    return {
        "time": round(time, 6), "duration": round(duration, 6), "value": value,
        "confidence": confidence,
    }  # fmt: skip


def _note_rows(lesson: Lesson, part: int) -> list[dict[str, object]]:
    notes = [note for phrase in lesson.phrases_of(part) for note in phrase.notes]
    notes.sort(key=lambda note: note.onset_s)
    return [_row(n.onset_s, n.heard.duration_s, n.heard.midi, n.heard.confidence) for n in notes]


def _annotation(
    namespace: str, rows: list[dict[str, object]], duration: float, rules: str
) -> dict[str, object]:
    return {
        "namespace": namespace,
        "data": rows,
        "time": 0.0,
        "duration": duration,
        "sandbox": {},
        "annotation_metadata": {
            "annotation_tools": f"Juxtanote {__version__}", "annotation_rules": rules,
            "curator": {"name": "", "email": ""}, "annotator": {}, "corpus": "", "data_source": "program",
            "validation": "", "version": "",
        },
    }  # fmt: skip

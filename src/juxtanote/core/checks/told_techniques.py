"""Techniques that do not sound, and such as sound and are not written."""

from collections.abc import Mapping, Sequence

import numpy as np

from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.touch import KINDS, is_of, likeness, measures, read_touch
from juxtanote.core.checks.complaints import TECHNIQUE, Asked, Complaint, complaint_of

# From which log odds on a kind is believed as much as not: that it sounds and is not written, and that it
# does not sound and is written. On leads of our own generator (`lab.touch`) one to four in a thousand
# notes pass the first where they should not, nineteen for slurs, and none to five the second. Set on both
# halves of `bench check`, so that what is told there is right as often as it says.
BELIEVED: dict[str, tuple[float, float]] = {
    "slur": (1.7, 2.0), "slide": (4.7, 6.0), "tap": (4.5, 5.8), "palm-mute": (6.8, 5.5),
    "natural-harmonic": (12.1, 7.7), "vibrato": (8.0, 1.5),
}  # fmt: skip
# How fast belief grows beyond; and the most of it: of what is told of techniques every second is right.
GAIN, MOST_BELIEVED = 0.5, 0.55
# Seconds: of a shorter note nobody hears how it is struck, or it has no room for a swing.
SHORTEST_S = {"slur": 0.08, "vibrato": 0.3}
Played = tuple[Asked, PerceivedNote]  # as it is written, and as it is heard
JOINED = frozenset({"hammer-on", "pull-off", "slide", "tap"})
LEAST_TOLD = 0.1  # what is less likely is no complaint


def touch_of(played: Sequence[Played], evidence: Evidence) -> dict[int, dict[str, float]]:
    """Tell of each written note how it is struck, in the company of the others.

    Parameters
    ----------
    played : sequence of (Asked, PerceivedNote)
        Written notes that are heard at their pitch, by onset.
    evidence : Evidence
        What sounds in the stretch.

    Returns
    -------
    dict of int to dict of str to float
        By row: for each kind of `touch.KINDS` the log odds that the note is played in it.
    """
    measured, notes = measures([heard for _, heard in played], evidence), [n for n, _ in played]
    told: dict[int, dict[str, float]] = {note.row: {} for note in notes}
    for kind in KINDS if notes else ():
        touch = read_touch(kind)
        if touch is not None:
            odds = likeness([is_of(kind, note.techniques) for note in notes], measured, touch)
            for note, value in zip(notes, odds.tolist(), strict=True):
                told[note.row][kind] = value
    return told


def technique_complaints(
    note: Asked,
    other: PerceivedNote,
    asked: Sequence[Asked],
    touch: Mapping[str, float],
) -> list[Complaint]:
    """Complain of a technique that does not sound, or one that sounds and is not written.

    Parameters
    ----------
    note : Asked
        The written note.
    other : PerceivedNote
        What the listener makes of it.
    asked : sequence of Asked
        All written notes of the phrase, by onset.
    touch : mapping of str to float
        Log odds of kinds, as `touch_of` gives them for the note.
    """
    likeliest: tuple[float, str, bool] | None = None
    for kind, odds in touch.items():
        if note.offset_s - note.onset_s < SHORTEST_S.get(kind, 0.0):
            continue
        written = is_of(kind, note.techniques)
        heard_from, unheard_from = BELIEVED[kind]
        if written:
            chance, tag = _chance(-odds - unheard_from), _written_tag(kind, note)
        else:
            chance = _chance(odds - heard_from)
            tag = "" if written is None else _could_be(kind, note, asked)
        if tag and chance > LEAST_TOLD and (likeliest is None or chance > likeliest[0]):
            likeliest = chance, tag, bool(written)
    if likeliest is None:
        return []
    chance, tag, written = likeliest
    heard, words = (f"no {tag}", f"no {tag} is heard") if written else (tag, f"{tag} is heard")
    confidence = min(chance, MOST_BELIEVED) * other.confidence**0.5
    return [complaint_of(note, TECHNIQUE, heard, confidence, words, technique=tag)]


def _chance(odds: float) -> float:
    return float(1.0 / (1.0 + np.exp(-np.clip(GAIN * odds, -30.0, 30.0))))


def _written_tag(kind: str, note: Asked) -> str:
    return min(note.techniques & KINDS[kind])


def _could_be(kind: str, note: Asked, asked: Sequence[Asked]) -> str:
    """Give the technique that a kind would be written as here; empty where it could not be played."""
    if kind in ("vibrato", "natural-harmonic", "palm-mute"):
        return kind
    before = [n for n in asked if 0.03 < note.onset_s - n.onset_s < 1.0 and n.string == note.string]
    if not before or note.techniques & JOINED:
        return ""
    step = note.midi - (before[-1].midi + before[-1].bends)
    if abs(step) < 0.5 or (kind == "tap" and step < 0):
        return ""
    return ("hammer-on" if step > 0 else "pull-off") if kind == "slur" else kind

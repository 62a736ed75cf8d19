"""Techniques that do not sound, and such as sound and are not written."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.checks.complaints import TECHNIQUE, Asked, Complaint, complaint_of
from juxtanote.core.checks.evidence import Evidence


@dataclass(frozen=True, slots=True)
class _Kind:
    """A technique, what tells of it, from where on it is believed, and how often that is right.

    `heard` and `unheard` are edges of the evidence; `heard_confidence` and `unheard_confidence` that of
    such a complaint where the note is heard surely, 0 to 1.
    """

    tag: str
    evidence: str
    heard: float
    unheard: float
    heard_confidence: float = 0.2
    unheard_confidence: float = 0.2


# The edges lie where the two networks' evidence told next to nobody a wrong thing on sounds of others
# (`bench check`; those of slides, taps and palm mutes on both its halves). Slurs overlap with strokes:
# only the plainest are told, by what the evidence of the cell and the note's company tell of them
# together; that one is not heard was wrong nearly always, and is kept under one half.
KINDS = (
    _Kind("hammer-on", "slurred", 0.85, 0.05, 0.56, 0.3),
    _Kind("pull-off", "slurred", 0.85, 0.05, 0.56, 0.3),
    _Kind("slide", "slide", 0.975, 0.1, 0.64, 0.56), _Kind("tap", "tap", 0.95, 0.0, 0.56),
    _Kind("palm-mute", "muted", 0.97, 0.04, 0.2, 0.56),
    _Kind("natural-harmonic", "harmonic", 0.8, 0.01, 0.5, 0.56),
    _Kind("vibrato", "shaking", 0.4, 0.015, 0.6, 0.6),
)  # fmt: skip
JOINED = frozenset({"hammer-on", "pull-off", "slide", "tap"})
CLIPPED_OR_PURE = frozenset({"dead", "staccato", "pinch-harmonic", "palm-mute", "natural-harmonic"})
ALL_MUTED = (
    0.35  # where more notes than these sound muted, that is the guitar's tone and no technique
)


def technique_complaints(
    note: Asked, other: PerceivedNote, asked: Sequence[Asked], evidence: Evidence, *, muffled: bool
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
    evidence : Evidence
        What sounds in the stretch.
    muffled : bool
        Whether the whole guitar sounds damped, so that no single note is.
    """
    at, until = other.onset_s, max(min(other.offset_s, note.offset_s), other.onset_s + 0.05)
    for kind in KINDS:
        if kind.evidence == "shaking":
            seen = evidence.moves(kind.evidence, other.midi, at, until)
        elif kind.evidence == "slurred":
            seen = _both(evidence.kind(kind.evidence, other.midi, at), other.tied)
        else:
            seen = evidence.kind(kind.evidence, other.midi, at)
        if kind.tag in note.techniques:
            if seen < kind.unheard:
                confidence = kind.unheard_confidence * other.confidence
                words = f"no {kind.tag} is heard"
                return [
                    complaint_of(
                        note, TECHNIQUE, f"no {kind.tag}", confidence, words, technique=kind.tag
                    )
                ]
        elif seen > kind.heard and _could_be(kind.tag, note, asked, muffled=muffled):
            confidence = kind.heard_confidence * other.confidence
            return [_of_technique(note, kind.tag, kind.tag, confidence)]
    return []


def _both(one: float, other: float) -> float:
    """Take the mean of two probabilities in log odds; neither is sure beyond 50 to 1."""
    p = np.clip([one, other], 0.02, 0.98)
    return float(1.0 / (1.0 + np.exp(-np.log(p / (1.0 - p)).mean())))


def _of_technique(note: Asked, tag: str, heard: str, confidence: float) -> Complaint:
    return complaint_of(note, TECHNIQUE, heard, confidence, f"{heard} is heard", technique=tag)


def _could_be(tag: str, note: Asked, asked: Sequence[Asked], *, muffled: bool) -> bool:
    """Tell whether a technique that is heard would be written here, with its sign and not another's."""
    if tag == "vibrato":
        return not note.techniques & {"bar", "bend", "pre-bend", "palm-mute"}
    if tag == "palm-mute" and muffled:
        return False
    if tag in ("palm-mute", "natural-harmonic"):
        return not note.techniques & CLIPPED_OR_PURE
    if note.techniques & (JOINED | {"bar", "grace", "rake"}):
        return False
    before = [n for n in asked if 0.03 < note.onset_s - n.onset_s < 1.0 and n.string == note.string]
    if not before:
        return False
    step = note.midi - (before[-1].midi + before[-1].bends)
    if tag == "slide":
        return abs(step) > 0.5
    return step < -0.5 if tag == "pull-off" else step > 0.5

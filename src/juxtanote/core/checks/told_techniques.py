"""Techniques that do not sound, and such as sound and are not written."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.touch import KINDS, is_of, likeness, measures, read_touch
from juxtanote.core.checks.complaints import TECHNIQUE, Asked, Complaint, complaint_of


@dataclass(frozen=True, slots=True)
class Belief:
    """How log odds of a kind are believed: from `told` on, as likely as not at `even`."""

    told: float
    even: float
    steepness: float = 0.6

    def chance(self, odds: float) -> float:
        """Give how likely a complaint with these log odds is right, 0 to 1."""
        return float(1.0 / (1.0 + np.exp(-np.clip(self.steepness * (odds - self.even), -30, 30))))


@dataclass(frozen=True, slots=True)
class Doubts:
    """What is believed of a kind: that it sounds unwritten, and that what is written does not sound.

    Whoever writes other notes of the kind in a phrase has forgotten one sooner than one who writes none;
    and the only one that is written is wrong sooner than one of many.
    """

    missing: Belief
    missing_first: Belief
    silent: Belief
    silent_only: Belief

    def of(self, is_written: bool, others: int) -> Belief:
        """Give the belief for a note that is written so or not, beside so many others of the kind."""
        if is_written:
            return self.silent if others else self.silent_only
        return self.missing if others else self.missing_first


# One note in a hundred of a tab is wrong in this, so at the edges of slurs, where three right ones in a
# hundred pass, one complaint in ten is right. Chances were fitted on `bench check`, drawings 0 to 2;
# where those hold no such mistake, one to three in a thousand right notes pass. Drawing 3 judges.
BELIEVED: dict[str, Doubts] = {
    "slur": Doubts(
        Belief(-0.1, 2.2, 1.2), Belief(2.2, 5.0, 1.0), Belief(1.2, 5.0, 0.7), Belief(0.8, 2.6, 0.55)
    ),
    "slide": Doubts(Belief(3.5, 5.3, 1.1), Belief(4.5, 7.0), Belief(5.5, 9.0), Belief(5.5, 9.0)),
    "tap": Doubts(Belief(6.0, 9.0), Belief(7.5, 10.5), Belief(6.0, 10.0), Belief(6.0, 10.0)),
    "palm-mute": Doubts(Belief(4.5, 8.4), Belief(7.5, 11.0), Belief(5.0, 9.0), Belief(5.0, 9.0)),
    "natural-harmonic": Doubts(
        Belief(6.0, 11.0), Belief(7.5, 12.0), Belief(8.5, 12.5), Belief(8.5, 12.5)
    ),
    "vibrato": Doubts(
        Belief(8.0, 11.0), Belief(9.5, 13.0), Belief(5.0, 10.0, 0.4), Belief(5.0, 10.0, 0.4)
    ),
}
# Seconds: of a shorter note nobody hears how it is struck, or it has no room for a swing.
SHORTEST_S = {"slur": 0.06, "vibrato": 0.25}
Played = tuple[Asked, PerceivedNote]  # as it is written, and as it is heard
MOST_BELIEVED, EVEN = 0.9, 0.5  # of a chance; from where on it is said without "perhaps"
JOINED = frozenset({"hammer-on", "pull-off", "slide", "tap"})


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


def count_kinds(asked: Sequence[Asked]) -> dict[str, int]:
    """Count the notes that are written in each kind of `touch.KINDS`.

    Parameters
    ----------
    asked : sequence of Asked
        All written notes of a phrase.
    """
    return {kind: sum(is_of(kind, n.techniques) is True for n in asked) for kind in KINDS}


def technique_complaints(
    note: Asked,
    asked: Sequence[Asked],
    touch: Mapping[str, float],
    written_so: Mapping[str, int],
) -> list[Complaint]:
    """Complain of a technique that does not sound, or one that sounds and is not written.

    Parameters
    ----------
    note : Asked
        The written note.
    asked : sequence of Asked
        All written notes of the phrase, by onset.
    touch : mapping of str to float
        Log odds of kinds, as `touch_of` gives them for the note.
    written_so : mapping of str to int
        How many notes of the phrase are written in each kind, as `count_kinds` tells it.
    """
    likeliest: tuple[float, str, bool] | None = None
    for kind, odds in touch.items():
        if note.offset_s - note.onset_s < SHORTEST_S.get(kind, 0.0):
            continue
        written = is_of(kind, note.techniques)
        if written is None:
            continue
        belief = BELIEVED[kind].of(written, written_so[kind] - written)
        apart = -odds if written else odds
        if apart < belief.told:
            continue
        tag = _written_tag(kind, note) if written else _could_be(kind, note, asked)
        chance = min(belief.chance(apart), MOST_BELIEVED)
        if tag and (likeliest is None or chance > likeliest[0]):
            likeliest = chance, tag, written
    if likeliest is None:
        return []
    chance, tag, written = likeliest
    heard = f"no {tag}" if written else tag
    words = f"{heard} is heard" if chance > EVEN else f"{heard}, perhaps"
    return [complaint_of(note, TECHNIQUE, heard, chance, words, technique=tag)]


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

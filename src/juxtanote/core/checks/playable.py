"""What no hand can play, from what is written alone (common practice)."""

from collections.abc import Sequence

from juxtanote.core.checks.complaints import Asked, Complaint
from juxtanote.core.theory.tuning import Guitar

TWICE, ACROSS, REACH = "two-on-one-string", "slur-across-strings", "reach"
TOGETHER_S = 0.03  # onsets so near are struck as one
SLURRED_WITHIN_S = 1.5  # an older note has died away: nothing can be slurred from it
WIDEST_MM = 130.0  # five frets at the fifth: few hands do more
HELD_S = 0.05  # an overlap so short is how legato is notated


def unplayable(asked: Sequence[Asked], guitar: Guitar) -> list[Complaint]:
    """Find notes at once on one string, slurs across strings, and grips that are wider than a hand.

    Parameters
    ----------
    asked : sequence of Asked
        Written notes, by onset.
    guitar : Guitar
        What they are played on.
    """
    found: list[Complaint] = []
    for index, note in enumerate(asked):
        earlier = [n for n in asked[max(index - 12, 0) : index] if n.string]
        if not note.string:
            continue
        for other in earlier:
            if other.string == note.string and note.onset_s - other.onset_s < TOGETHER_S:
                words = f"string {note.string} cannot sound twice at once"
                found.append(_told(TWICE, note, 1.0, words))
        found += _across(note, earlier)
        wide = _width_mm(note, earlier, guitar)
        if wide > WIDEST_MM:
            confidence = min(0.6 + (wide - WIDEST_MM) / 100.0, 0.99)
            found.append(_told(REACH, note, confidence, f"a grip of {wide:.0f} mm"))
    return found


def _across(note: Asked, earlier: Sequence[Asked]) -> list[Complaint]:
    tags = note.techniques & {"hammer-on", "pull-off"}
    before = [n for n in earlier if TOGETHER_S < note.onset_s - n.onset_s < SLURRED_WITHIN_S]
    if not tags or not before or any(n.string == note.string for n in before[-4:]):
        return []
    words = f"{min(tags)} from string {before[-1].string} to string {note.string}"
    return [_told(ACROSS, note, 0.95, words)]


def _width_mm(note: Asked, earlier: Sequence[Asked], guitar: Guitar) -> float:
    """Give how wide the fingers stand while notes are held together, open strings aside."""
    held = [
        n for n in earlier
        if n.fret and n.string != note.string
        and (note.onset_s - n.onset_s < TOGETHER_S or n.offset_s - note.onset_s > HELD_S + 0.15)
        and "let-ring" not in n.techniques
    ]  # fmt: skip
    together = [n for n in held if note.onset_s - n.onset_s < TOGETHER_S]
    if not note.fret or not together or note.techniques & {"tap", "natural-harmonic"}:
        return 0.0
    frets = [note.fret, *(n.fret for n in together)]
    return abs(guitar.fret_mm(max(frets)) - guitar.fret_mm(min(frets)))


def _told(kind: str, note: Asked, confidence: float, words: str) -> Complaint:
    written = f"string {note.string} fret {note.fret}"
    return Complaint(
        kind, note.onset_s, note.row, note.string, note.fret, written, "", confidence, words
    )

"""Phrases proposed of a whole listening: cut by sure notes, and wide enough for doubtful ones."""

from collections.abc import Sequence
from dataclasses import dataclass

from juxtanote.core.analysis.parts import lead_of
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.score.cuts import Cut, propose_cuts, taking_in
from juxtanote.core.score.time_map import TimeMap

SURE_ENOUGH = 0.6  # notes that phrases are cut by: doubtful ones make rests where there are none
LEAST_SURE = 0.35  # but from here on they belong to the phrase that they follow, or lead to


@dataclass(frozen=True, slots=True)
class Lead:
    """The notes of the lead: those that phrases are cut by, and those that are too doubtful for that."""

    sure: tuple[PerceivedNote, ...]
    doubtful: tuple[PerceivedNote, ...] = ()


def lead_among(notes: Sequence[PerceivedNote]) -> Lead:
    """Sort out the lead.

    Parameters
    ----------
    notes : sequence of PerceivedNote
        All that was heard, by onset in seconds.
    """
    lead = lead_of(notes)
    return Lead(
        tuple(n for n in lead if n.confidence > SURE_ENOUGH),
        tuple(n for n in lead if LEAST_SURE <= n.confidence <= SURE_ENOUGH),
    )


def propose_phrases(lead: Lead, time_map: TimeMap, from_s: float = 0.0) -> list[Cut]:
    """Cut where the lead breathes.

    Parameters
    ----------
    lead : Lead
    time_map : TimeMap
        Bars: cuts are likelier at their lines.
    from_s : float
        What begins before is cut already, in seconds.
    """
    cuts = propose_cuts(
        [n.onset_s for n in lead.sure], [n.offset_s for n in lead.sure], time_map,
        [n.midi for n in lead.sure], from_s=from_s,
    )  # fmt: skip
    doubtful = lead.doubtful
    return taking_in(cuts, [n.onset_s for n in doubtful], [n.offset_s for n in doubtful], from_s)

"""The picking hand: strokes by school, and string changes inside and outside."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from juxtanote.core.fretboard.candidates import NoteToPlace
from juxtanote.core.fretboard.states import TOGETHER_S

UNSTRUCK = frozenset({"hammer-on", "pull-off", "tap"})
WAYS, FREE = ("down", "up"), "free"
FEWEST_STRUMMED, MOST_STRINGS = 3, 9  # notes of a strum, and strings of a guitar
HEARD_SPREAD_S = 0.006  # from the first string to the last: less is struck at once


def choose_strokes(
    notes: list[NoteToPlace], strings: tuple[int, ...], school: str
) -> tuple[str, ...]:
    """Give the picking hand's part of each note; slurred notes are not struck.

    Schools: ``alternate`` (down and up in turn), ``down``, ``economy`` (the stroke goes on in the
    direction of the string change), ``hybrid`` (pick, and fingers for thinner strings), ``fingers``.
    A strum whose strings are heard one after the other goes the way they sound.

    Parameters
    ----------
    notes : list of NoteToPlace
        By onset.
    strings : tuple of int
        Where each lies.
    school : str
        One of those above.
    """
    strokes: list[str] = []
    last, last_string, last_onset = "", 0, -1.0
    for index, note in enumerate(notes):
        string = strings[index]
        if index and note.onset_s - last_onset < TOGETHER_S and strokes:
            strokes.append(_in_grip(school, last, string, last_string))
            last_string = min(last_string, string)
            continue
        last_onset = note.onset_s
        follows = bool(note.techniques & UNSTRUCK) or (
            "slide" in note.techniques and "grace" not in note.techniques and index > 0
            and strings[index - 1] == string
        )  # fmt: skip
        if follows:
            strokes.append("")
            last_string = string
            continue
        stroke = _stroke(school, last, string, last_string)
        if stroke in ("down", "up") and school != "down":
            end = _end_of_grip(notes, index)
            stroke = _sweep(notes[index:end], strings[index:end]) or stroke
        strokes.append(stroke)
        last, last_string = stroke, string
    return tuple(strokes)


@dataclass(frozen=True, slots=True)
class Picking:
    """How the strokes of a school enter the search for places.

    In strict alternate picking `strokes` are known event by event before any place is. In economy
    picking a stroke hangs on the strings (`chosen`): each way to hold an event is there twice, for a
    down stroke and an up stroke; `FREE` marks what is struck, an empty word what is not.
    """

    strokes: tuple[str, ...]
    chosen: bool

    def begin(self, number: int, count: int) -> NDArray[np.float64]:
        """Allow only the stroke that a line begins with, shape (2 * count,); later anything.

        Parameters
        ----------
        number : int
            Of the event, from 0.
        count : int
            Ways to hold it.
        """
        if number:
            return np.zeros(2 * count)
        first = {FREE: "down", "": "up"}.get(self.strokes[0], self.strokes[0])
        return np.repeat([0.0 if first == way else np.inf for way in WAYS], count)

    def inside(
        self, number: int, before: NDArray[np.int64], after: NDArray[np.int64]
    ) -> NDArray[np.float64]:
        """Tell which moves to an event are inside changes (1), outside (0) or not of the school (inf).

        Shape (n_before, n_after), twice as much each way where strokes are chosen.

        Parameters
        ----------
        number : int
            Of the event that is moved to, from 0.
        before : ndarray
            Strings of each way before, shape (n_before, n_notes), 1 the thinnest.
        after : ndarray
            Strings of each way after, shape (n_after, n_notes).
        """
        stroke = self.strokes[number]
        if not self.chosen:
            # Between two strokes all notes are slurred, on the string of the one before.
            earlier = (self.strokes[k] for k in range(number - 1, -1, -1))
            last = next((stroke for stroke in earlier if stroke), "")
            if not last or not stroke:
                return np.zeros((len(before), len(after)))
            table = _alternate_moves(last == "down", stroke == "down")
            return np.asarray(table[before[:, -1:], after[None, :, 0]])
        table = _economy_moves(stroke)[:, :, before.min(axis=1)[:, None], after[None, :, 0]]
        return np.asarray(table.transpose(0, 2, 1, 3).reshape(2 * len(before), 2 * len(after)))


@lru_cache(maxsize=4)
def _alternate_moves(down: bool, next_down: bool) -> NDArray[np.float64]:
    """Tell for every string and the next which moves are inside changes: 1 or 0."""
    strings = np.arange(MOST_STRINGS + 1)
    return is_inside(down, next_down, strings[:, None], strings).astype(float)


@lru_cache(maxsize=4)
def _economy_moves(stroke: str) -> NDArray[np.float64]:
    """Cost each move of economy picking as `Picking.inside` does: (2, 2, strings, strings).

    By the last stroke, this stroke, and the strings of both.
    """
    costs = np.full((2, 2, MOST_STRINGS + 1, MOST_STRINGS + 1), np.inf)
    for row, last in enumerate(WAYS):
        for string, following in np.ndindex(costs.shape[2:]):
            due = last if stroke == "" else stroke
            if stroke == FREE:
                due = _stroke("economy", last, following, string)
            inside = is_inside(last == "down", due == "down", string, following)
            costs[row, WAYS.index(due), string, following] = float(inside) if stroke else 0.0
    return costs


def picking_of(notes: list[NoteToPlace], school: str | None) -> Picking | None:
    """Say how a school's strokes enter the search; None where they cost nothing.

    Parameters
    ----------
    notes : list of NoteToPlace
        By onset.
    school : str, optional
        See `choose_strokes`.
    """
    if school == "alternate":
        return Picking(tuple(alternate_strokes(notes)), chosen=False)
    if school == "economy":
        return Picking(tuple(alternate_strokes(notes, known=False)), chosen=True)
    return None


def alternate_strokes(notes: list[NoteToPlace], *, known: bool = True) -> list[str]:
    """Give the stroke of each event in strict alternate picking, where no place is chosen yet.

    It hangs on the order of notes alone: slurred notes are not struck (a slide stays on its string),
    and a strum that is heard from low to high goes down. With `known` false only the strums are
    told, and `FREE` for all else that is struck.
    """
    strokes: list[str] = []
    last, first = "", 0
    for index, note in enumerate(notes):
        if index and note.onset_s - notes[first].onset_s < TOGETHER_S:
            continue
        first = index
        slid = "slide" in note.techniques and "grace" not in note.techniques and index > 0
        if slid or note.techniques & UNSTRUCK:
            strokes.append("")
            continue
        grip = notes[index : _end_of_grip(notes, index)]
        turned = _stroke("alternate", last, 0, 0) if known else FREE
        last = _sweep(grip, [-n.midi for n in grip]) or turned
        strokes.append(last)
    return strokes


def _end_of_grip(notes: list[NoteToPlace], index: int) -> int:
    end = index + 1
    while end < len(notes) and notes[end].onset_s - notes[index].onset_s < TOGETHER_S:
        end += 1
    return end


def _sweep(grip: list[NoteToPlace], order: Sequence[float]) -> str:
    """Tell which way a strum of three and more strings goes; `order` falls from thick to thin."""
    if len(grip) < FEWEST_STRUMMED or grip[-1].onset_s - grip[0].onset_s < HEARD_SPREAD_S:
        return ""
    steps = {before > after for before, after in zip(order, order[1:], strict=False)}
    return "" if len(steps) > 1 else "down" if steps == {True} else "up"


def _in_grip(school: str, stroke: str, string: int, thickest: int) -> str:
    if school in ("alternate", "down", "economy"):
        return stroke
    return _plucked(thickest - string) if school == "hybrid" else _bare(string)


def _plucked(thinner_by: int) -> str:
    return "middle" if thinner_by <= 1 else "ring"


def _bare(string: int) -> str:
    return {1: "ring", 2: "middle", 3: "index"}.get(string, "thumb")


def _stroke(school: str, last: str, string: int, last_string: int) -> str:
    turned = "up" if last == "down" else "down"
    if school == "down":
        return "down"
    if school == "fingers":
        return _bare(string)
    if school == "economy" and last_string and string != last_string:
        return "down" if string < last_string else "up"
    if school == "hybrid" and last_string and string < last_string:
        return _plucked(last_string - string)
    if school == "hybrid" and last not in ("", "down", "up"):
        return "down"
    return turned


def is_inside(
    down: ArrayLike, next_down: ArrayLike, string: ArrayLike, next_string: ArrayLike
) -> NDArray[np.bool_]:
    """Tell where the pick goes to another string from between the two (common practice).

    Outside is down on the thicker then up on the thinner string, or up on the thinner then down on
    the thicker.

    Parameters
    ----------
    down : array_like
        Whether the first stroke goes down.
    next_down : array_like
        Whether the next one does.
    string : array_like
        Of the first note, 1 the thinnest.
    next_string : array_like
        Of the next one.
    """
    to_thinner = np.less(next_string, string)
    changes = np.not_equal(next_string, string) & np.not_equal(next_down, down)
    return np.asarray(changes & (to_thinner != np.asarray(down)))


def count_changes(strokes: tuple[str, ...], strings: tuple[int, ...]) -> tuple[int, int]:
    """Count outside and inside string changes of the pick, see `is_inside`.

    Parameters
    ----------
    strokes : tuple of str
        ``"down"``, ``"up"`` or another part of the hand, for each note.
    strings : tuple of int
        A string for each note, 1 the thinnest.
    """
    struck = [(s == "down", n) for s, n in zip(strokes, strings, strict=True) if s in WAYS]
    down, on = np.array(struck, dtype=np.int64).reshape(-1, 2).T
    changes = np.count_nonzero((down[1:] != down[:-1]) & (on[1:] != on[:-1]))
    inside = np.count_nonzero(is_inside(down[:-1], down[1:], on[:-1], on[1:]))
    return int(changes - inside), int(inside)

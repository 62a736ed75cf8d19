"""Talk between the notes: a voice that speaks is voiced as strings are, but keeps to no tuning.

What it sounds glides, is short, and lies anywhere between the semitones, where notes of a guitar lie
close about one offset, that of its reference pitch (speech melody moves on no scale: common practice;
measured in `lab.talk` on synthetic voices and generated guitars). So are the notes of a fast low riff,
though: what is like talk is doubted only where somebody speaks (`speech`).
"""

import json
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.confidence import lowered
from juxtanote.core.analysis.perceived import PerceivedNote
from juxtanote.core.analysis.shipped import FOLDER
from juxtanote.core.analysis.speech import WINDOW_S

REACH_S = 2.5  # each way: what sounds around a note tells most
SEMITONE_CENTS = 100.0
SETTLED = (0.2, 0.85)  # the part of a note that tells its pitch
LONGEST_STRAY_CENTS = 60.0
# Added before the logarithm: less is as good as in tune, or as steady.
TUNED_CENTS, STEADY_CENTS = 3.0, 1.5
# From these log odds on a note is doubted where somebody speaks, so much a step; what is hardly sure then
# is left out. So notes that are surely heard stay under talk. Of 2,072 right notes of our own leads 11
# go, all under talk; of 759 syllables 37 are believed.
DOUBTED_FROM, DOUBT = -1.0, 1.5
SPEECH, NEAR_S = (
    0.5,
    0.3,
)  # the probability from which on somebody speaks, and how far around a note
LEAST_CONFIDENCE = 0.25
FEWEST = 4  # notes: of fewer nothing can be told
# Log odds. Where so much around was left out, and of so many, what is left is hardly anything else.
MOSTLY, OF_SO_MANY, DOUBT_AMONG = 0.6, 6, 3.0


@lru_cache(maxsize=1)
def talk_weights() -> NDArray[np.float64]:
    """Read the weights of the four features, and the bias: logistic regression, fitted by `lab.talk`."""
    told = json.loads((FOLDER / "talk.json").read_text("utf-8"))
    return np.array(told["weights"], dtype=np.float64)


def talk_features(notes: Sequence[PerceivedNote]) -> NDArray[np.float64]:
    """Measure what tells talk from notes.

    Parameters
    ----------
    notes : sequence of PerceivedNote
        By onset, in seconds, with their pitch curves in cents.

    Returns
    -------
    ndarray, shape (n_notes, 4)
        Logarithms of: how far a note lies from where those around it lie between the semitones (cents),
        how unsteady it is (cents), how long it is (seconds); and the mean of the first around it. One
        whose pitch was not measured is as those around it.
    """
    count = len(notes)
    onsets = np.array([note.onset_s for note in notes])
    own = np.array([_own(note) for note in notes]).reshape(count, 3)
    turn = 2.0 * np.pi / SEMITONE_CENTS
    phasors = np.where(np.isnan(own[:, 0]), 0.0, np.exp(1j * turn * np.nan_to_num(own[:, 0])))
    features = np.empty((count, 4))
    for k in range(count):
        near = slice(*np.searchsorted(onsets, (onsets[k] - REACH_S, onsets[k] + REACH_S)))
        centre = np.angle(phasors[near].sum()) / turn
        half = 0.5 * SEMITONE_CENTS
        apart = np.abs((own[near, 0] - centre + half) % SEMITONE_CENTS - half)
        strays = np.log(apart + TUNED_CENTS)
        known = strays[~np.isnan(strays)]
        around = float(known.mean()) if len(known) else float(np.log(TUNED_CENTS))
        mine = float(strays[k - near.start])
        features[k] = around if np.isnan(mine) else mine, *own[k, 1:], around
    return features


def _own(note: PerceivedNote) -> tuple[float, float, float]:
    """Give cents from the semitone, nan where no curve is, and the logarithms of spread and length."""
    length = note.offset_s - note.onset_s
    if len(note.curve) < 3:
        return float("nan"), float(np.log(10.0)), float(np.log(length))
    times, cents = np.array(note.curve).T
    inside = (times >= SETTLED[0] * length) & (times <= SETTLED[1] * length)
    settled = cents[inside] if inside.sum() > 1 else cents
    spread = min(float(np.std(settled)), LONGEST_STRAY_CENTS)
    return float(np.median(settled)), float(np.log(spread + STEADY_CENTS)), float(np.log(length))


def talk_log_odds(notes: Sequence[PerceivedNote]) -> NDArray[np.float64]:
    """Tell how likely each note is a syllable.

    Parameters
    ----------
    notes : sequence of PerceivedNote
        By onset.

    Returns
    -------
    ndarray, shape (n_notes,)
        Log odds; minus infinity for strokes without pitch, and for all where they are too few to tell.

    Examples
    --------
    >>> talk_log_odds([]).shape
    (0,)
    """
    odds = np.full(len(notes), -np.inf)
    pitched = [k for k, note in enumerate(notes) if "dead" not in note.techniques]
    if len(pitched) >= FEWEST:
        weights = talk_weights()
        odds[pitched] = talk_features([notes[k] for k in pitched]) @ weights[:-1] + weights[-1]
    return odds


def without_talk(
    notes: Sequence[PerceivedNote], speech: NDArray[np.floating]
) -> list[PerceivedNote]:
    """Doubt notes as far as they may be talk, and leave out what is hardly a note then.

    Parameters
    ----------
    notes : sequence of PerceivedNote
        By onset in seconds.
    speech : ndarray, shape (n_windows,)
        How likely somebody speaks, as `speech.speech_probability` tells it from the same moment on.
    """
    odds, onsets = talk_log_odds(notes), np.array([note.onset_s for note in notes])
    spoken = _spoken(notes, speech)
    like_talk = spoken & (odds > DOUBTED_FROM)
    doubted = [
        _less_sure(note, DOUBT * (told - DOUBTED_FROM)) if is_like else note
        for note, told, is_like in zip(notes, odds.tolist(), like_talk.tolist(), strict=True)
    ]
    faint = np.array([note.confidence < LEAST_CONFIDENCE for note in doubted], dtype=bool)
    left_out = like_talk & faint
    among = spoken & (_share_around(onsets, left_out, REACH_S, OF_SO_MANY) > MOSTLY)
    kept = []
    for note, is_out, is_among in zip(doubted, left_out, among, strict=True):
        left = _less_sure(note, DOUBT_AMONG) if is_among else note
        if not is_out and (not is_among or left.confidence >= LEAST_CONFIDENCE):
            kept.append(left)
    return kept


def _spoken(notes: Sequence[PerceivedNote], speech: NDArray[np.floating]) -> NDArray[np.bool_]:
    """Tell for each note whether somebody speaks while it sounds, in the mean."""
    total = np.concatenate([[0.0], np.cumsum(speech, dtype=np.float64)])
    spans = np.array([(n.onset_s - NEAR_S, n.offset_s + NEAR_S) for n in notes]).reshape(-1, 2)
    first, last = np.clip(np.floor(spans / WINDOW_S).astype(int), 0, len(speech)).T
    return np.asarray(total[last] - total[first] > SPEECH * np.maximum(last - first, 1))


def _share_around(
    onsets: NDArray[np.float64], which: NDArray[np.bool_], reach_s: float, fewest: int
) -> NDArray[np.float64]:
    """Give for each note the share of those around it that are some, 0 where there are too few."""
    firsts, lasts = (np.searchsorted(onsets, onsets + by) for by in (-reach_s, reach_s))
    counts = lasts - firsts
    total = np.concatenate([[0], np.cumsum(which)])
    shares = (total[lasts] - total[firsts]) / np.maximum(counts, 1)
    return np.asarray(np.where(counts >= fewest, shares, 0.0))


def _less_sure(note: PerceivedNote, by: float) -> PerceivedNote:
    return replace(note, confidence=lowered(note.confidence, by))

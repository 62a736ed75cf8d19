"""A take beside what is written: played at any speed, by somebody whose tempo wanders.

The take is listened to, its notes are laid along the written ones by dynamic time warping with skips
(H. Sakoe, S. Chiba, "Dynamic programming algorithm optimization for spoken word recognition", IEEE Trans.
ASSP 26, 1978), and the take's own tempo is fitted through what agrees (local lines, robust: W. S.
Cleveland, "Robust locally weighted regression and smoothing scatterplots", JASA 74, 1979). What is left
when that tempo is taken out is early or late; the second ear says the rest.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.evidence import Evidence
from juxtanote.core.analysis.middle import whole_middle
from juxtanote.core.analysis.reference_pitch import reference_to_hear_at
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.analysis.stretches import ALONE_FROM
from juxtanote.core.analysis.touch import SLURS
from juxtanote.core.audio.sound import Sound
from juxtanote.core.checks.complaints import EXTRA, MISSING, QUIET, Asked, Complaint, complaint_of
from juxtanote.core.checks.evidence import listen_again
from juxtanote.core.checks.second_ear import QUIET_DB, second_ear
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.progress import Progress, no_progress
from juxtanote.core.score.kept import BarOfTake, TakeEntry

Array = NDArray[np.float64]
# Of the written speed, and how many speeds are tried between.
SLOWEST, FASTEST, STEPS = 0.35, 1.6, 90
# Seconds and semitones within which a note is the one that is written.
NEAR_S, SAME_PITCH = 0.16, 0.6
FEWEST_SHARE = 0.3  # of the notes that must be found for a take to be of this phrase
# Of another pitch, of leaving out what is written or heard; seconds off.
OTHER_COST, SKIP_WRITTEN, SKIP_HEARD, FAR_S = 0.9, 0.8, 0.5, 0.35
# Over which the take's own tempo is read, and from how many notes.
SPAN_S, LEAST_NOTES, ENOUGH_FOR_CURVES = 4.0, 9, 7
# Of the evidence that a slurred note sounds: below it was not played at all, above it was too soft.
GONE, SOON_S = 6e-4, 0.2
SOFT_IS_RIGHT = 0.8  # how often one is too soft that nobody hears and that sounds all the same
# A student leaves notes out, or hits one more, oftener than a tab is wrong so, and no band covers it:
# beside what is told of a tab, from so little confidence on.
TOLD_FROM = {EXTRA: 0.0, MISSING: 0.4}
STEADY_MS, SAFE_STEP = 25.0, 0.1  # a spread that a teacher calls steady; how much slower is safe
KINDS = {EXTRA: "missing", MISSING: "extra"}  # what is written and does not sound was not played
TOLD = frozenset({"wrong-pitch", "missing", "extra", "time", "bend", "vibrato", "quiet", "bleed"})


@dataclass(frozen=True, slots=True)
class Found:
    """One thing that differs; `onset_s` in seconds of what is written, `row` None where nothing is."""

    kind: str
    onset_s: float
    row: int | None
    detail: str
    confidence: float
    take_s: float


@dataclass(frozen=True, slots=True)
class PlayedNote:
    """What became of a written note: when it was played, and how late against the take's own tempo."""

    row: int
    onset_s: float
    status: str  # played, missed, another pitch
    take_s: float | None = None
    late_ms: float | None = None


@dataclass(frozen=True, slots=True)
class Compared:
    """A take beside what is written."""

    findings: tuple[Found, ...]
    notes: tuple[PlayedNote, ...]
    summary: str
    speed: float  # part of the written tempo, on the whole
    times: tuple[tuple[float, float], ...] = field(default=())  # (written, take) along the tempo


def compare(
    asked: Sequence[Asked],
    take: Sound,
    *,
    speed: float | None = None,
    progress: Progress = no_progress,
) -> Compared:
    """Compare a take with written notes.

    Parameters
    ----------
    asked : sequence of Asked
        What is written, by onset, in seconds of its own.
    take : Sound
        What was played, alone.
    speed : float, optional
        At which part of the written tempo it was played, where that is known.

    Raises
    ------
    JuxtanoteError
        If the take is not of these notes.
    """
    if not asked:
        raise JuxtanoteError("There are no notes to compare a take with.")
    reference = reference_to_hear_at(whole_middle(take), SAMPLE_RATE)
    again = listen_again(take, 0.0, take.duration_s, reference_cents=reference, progress=progress)
    parts = list(again)
    heard = sorted(
        (n.onset_s, n.midi)
        for part in parts for n in part.notes
        if n.confidence > ALONE_FROM and "dead" not in n.techniques
    )  # fmt: skip
    written = np.array([n.onset_s for n in asked])
    pairs = _aligned(asked, heard, speed)
    tempo = _Tempo(
        np.array([written[i] for i, _ in pairs]), np.array([heard[j][0] for _, j in pairs])
    )
    moved = [_at(note, tempo) for note in asked]
    told: list[Complaint] = []
    for part in parts:
        inside = [n for n in moved if part.start_s <= n.onset_s < part.end_s]
        told += [
            c for c in second_ear(inside, part)
            if c.is_told or c.confidence >= TOLD_FROM.get(c.kind, 1.0)
        ]  # fmt: skip
    told = [*_soft_or_missed(told, moved, parts)]
    findings = tuple(_finding(c, asked, tempo) for c in told if _kind(c, asked) in TOLD)
    notes = tuple(_played(note, here, told, parts) for note, here in zip(asked, moved, strict=True))
    return Compared(
        findings, notes, _summary(findings, notes, asked, tempo.speed), tempo.speed,
        tuple(zip(written.tolist(), (n.onset_s for n in moved), strict=True)),
    )  # fmt: skip


def entry_of(
    compared: Compared, phrase: int, bars: Sequence[int], date: str, file: str = ""
) -> TakeEntry:
    """Give what is kept of a comparison; `bars` says in which bar each written note stands.

    Parameters
    ----------
    compared : Compared
        The take beside what is written.
    phrase : int
        Its number.
    bars : sequence of int
        Of each written note.
    date : str
        The day, ISO 8601.
    file : str, optional
        Name of the recorded take.
    """
    played = [n for n in compared.notes if n.status == "played"]
    late = [abs(n.late_ms) for n in played if n.late_ms is not None]
    rows = []
    for bar in sorted(set(bars)):
        here = [n for n, b in zip(compared.notes, bars, strict=True) if b == bar]
        off = [n.late_ms for n in here if n.status == "played" and n.late_ms is not None]
        rows.append(
            BarOfTake(bar, len(here), sum(n.status == "played" for n in here),
                      round(float(np.median(off)), 1) if off else 0.0)
        )  # fmt: skip
    return TakeEntry(
        phrase, date, round(float(np.clip(compared.speed, 0.05, 4.0)), 3), file,
        round(len(played) / max(len(compared.notes), 1), 3),
        round(float(np.median(late)), 1) if late else 0.0, len(compared.findings), tuple(rows),
    )  # fmt: skip


# Alignment


def _aligned(
    asked: Sequence[Asked], heard: Sequence[tuple[float, float]], speed: float | None
) -> list[tuple[int, int]]:
    """Pair written and heard notes of one pitch along the cheapest way through both."""
    if not heard:
        raise JuxtanoteError(
            "Nothing of a guitar is heard in the take. Check the microphone and its level."
        )
    start, rate, share = _first_guess(asked, heard, speed)
    if share < FEWEST_SHARE:
        raise JuxtanoteError(
            "The take does not sound like these notes: choose the phrase that was played."
        )
    expected = np.array([start + (n.onset_s - asked[0].onset_s) / rate for n in asked])
    pairs: list[tuple[int, int]] = []
    for _ in range(3):  # the tempo of one round tells where the next one looks
        pairs = _warped(asked, heard, expected)
        if len(pairs) < 3:
            break
        tempo = _Tempo(
            np.array([asked[i].onset_s for i, _ in pairs]),
            np.array([heard[j][0] for _, j in pairs]),
        )
        expected = tempo.at(np.array([n.onset_s for n in asked]))
    if len(pairs) < 2:
        raise JuxtanoteError("Too little of these notes is heard in the take.")
    return pairs


def _first_guess(
    asked: Sequence[Asked], heard: Sequence[tuple[float, float]], speed: float | None
) -> tuple[float, float, float]:
    """Find where the take begins and how fast it is: what brings most notes to their pitch."""
    at = np.array([n.onset_s for n in asked]) - asked[0].onset_s
    midi = np.array([n.midi for n in asked])
    on, pitch = np.array(heard).T
    same = np.abs(np.subtract.outer(midi, pitch)) < SAME_PITCH
    rates = np.geomspace(SLOWEST, FASTEST, STEPS)
    if speed is not None:
        rates = speed * np.geomspace(0.85, 1.18, 24)
    best = (0.0, 1.0, -1.0)
    rows, columns = np.nonzero(same)
    for rate in rates:
        starts = on[columns] - at[rows] / rate
        order = np.argsort(starts)
        ordered, who = starts[order], rows[order]
        last = np.searchsorted(ordered, ordered + NEAR_S, side="right")
        counts = last - np.arange(len(ordered))
        for first in np.argsort(-counts)[:3]:
            share = len(set(who[first : last[first]].tolist())) / len(asked)
            if share > best[2] + 1e-9:
                best = (float(np.median(ordered[first : last[first]])), float(rate), share)
    return best


def _warped(
    asked: Sequence[Asked], heard: Sequence[tuple[float, float]], expected: Array
) -> list[tuple[int, int]]:
    """Give the pairs of equal pitch on the cheapest monotone way, notes on both sides being skipped."""
    n, m = len(asked), len(heard)
    on, pitch = np.array(heard).T
    away = np.abs(np.subtract.outer(expected, on)) / FAR_S
    other = np.abs(np.subtract.outer([a.midi for a in asked], pitch)) > SAME_PITCH
    pair = np.where(away > 1.5, np.inf, away + OTHER_COST * other)
    total = np.zeros((n + 1, m + 1))
    total[1:, 0] = SKIP_WRITTEN * np.arange(1, n + 1)
    total[0, 1:] = 0.0  # what is played before the first note costs nothing
    way = np.zeros((n + 1, m + 1), dtype=np.int8)
    way[1:, 0], way[0, 1:] = 1, 2
    for i in range(1, n + 1):
        for j in range(1, m + 1):
            skip = 0.0 if i == n else SKIP_HEARD
            steps = (total[i - 1, j - 1] + pair[i - 1, j - 1], total[i - 1, j] + SKIP_WRITTEN,
                     total[i, j - 1] + skip)  # fmt: skip
            way[i, j] = int(np.argmin(steps))
            total[i, j] = steps[way[i, j]]
    pairs, i, j = [], n, m
    while i and j:
        step = way[i, j]
        if step == 0 and not other[i - 1, j - 1]:
            pairs.append((i - 1, j - 1))
        i, j = i - (step != 2), j - (step != 1)
    return pairs[::-1]


class _Tempo:
    """The take's own time: a smooth, robust way through pairs of (written, take) seconds."""

    def __init__(self, written: Array, take: Array) -> None:
        self._written, self._take = written, take
        self._weights = np.ones(len(written))
        slope = _line(written, take, np.ones(len(written)))[1]
        self.speed = float(1.0 / min(max(slope, 0.2), 5.0))
        for _ in range(4):  # bisquare weights, after Cleveland
            apart = take - self._fit(written)
            spread = max(float(np.median(np.abs(apart))), 0.008)
            self._weights = np.clip(1.0 - (apart / (6.0 * spread)) ** 2, 0.0, 1.0) ** 2 + 1e-3

    def at(self, written: Array) -> Array:
        """Give when something written would be played in this tempo."""
        return self._fit(np.asarray(written, dtype=np.float64))

    def written_at(self, take_s: float) -> float:
        """Give what place in the written is played at a time of the take."""
        grid = np.linspace(float(self._written.min()) - 2.0, float(self._written.max()) + 2.0, 400)
        return float(np.interp(take_s, np.maximum.accumulate(self.at(grid)), grid))

    def _fit(self, at: Array) -> Array:
        out = np.empty(len(at))
        ordered = np.sort(np.abs(self._written[None] - at[:, None]), axis=1)
        most = ordered[:, min(LEAST_NOTES, len(self._written)) - 1]
        for k, (place, enough) in enumerate(zip(at, most, strict=True)):
            reach = max(SPAN_S, 1.2 * float(enough))
            near = np.clip(1.0 - (np.abs(self._written - place) / reach) ** 3, 0.0, 1.0) ** 3
            out[k] = _curve(self._written - place, self._take, near * self._weights)
        return out


def _line(x: Array, y: Array, weights: Array) -> tuple[float, float]:
    """Fit y = begin + slope·x by weighted least squares."""
    total = float(weights.sum()) or 1.0
    mx, my = float(weights @ x) / total, float(weights @ y) / total
    spread = float(weights @ (x - mx) ** 2)
    slope = float(weights @ ((x - mx) * (y - my))) / spread if spread > 1e-9 else 1.0
    return my - slope * mx, slope


def _curve(x: Array, y: Array, weights: Array) -> float:
    """Fit a parabola by weighted least squares where there is enough for one, and give it at x = 0."""
    begin, _ = _line(x, y, weights)
    if np.count_nonzero(weights > 0.05) < ENOUGH_FOR_CURVES:
        return begin
    root = np.sqrt(weights)
    columns = np.stack([np.ones(len(x)), x, x * x], axis=1)
    return float(np.linalg.lstsq(columns * root[:, None], y * root, rcond=None)[0][0])


# Saying


def _soft_or_missed(
    told: Sequence[Complaint], asked: Sequence[Asked], parts: Sequence[Evidence]
) -> Iterator[Complaint]:
    """Call a slurred note that is not heard too soft, where there is something of it after all."""
    notes = {n.row: n for n in asked if "dead" not in n.techniques}
    struck = [n for n in notes.values() if not n.techniques & SLURS] or list(notes.values())
    known = [level for n in struck if (level := _level(n, parts)) is not None]
    usual = float(np.median(known)) if known else 0.0
    for complaint in told:
        note = notes.get(complaint.row) if complaint.row is not None else None
        if complaint.kind == EXTRA and note is not None and note.techniques & SLURS:
            level = _level(note, parts)
            if level is not None and _sounds(note, parts) > GONE:
                words = f"about {max(usual - level, 0.0):.0f} dB under the picked notes"
                complaint = replace(complaint, kind=QUIET, heard=f"{level:.1f} dB", detail=words)
        yield complaint
    spoken_of = {complaint.row for complaint in told}
    for note in notes.values():
        if note.row in spoken_of or not note.techniques & SLURS or _is_heard(note, parts):
            continue
        level = _level(note, parts)
        if level is not None and usual - level > QUIET_DB:
            words = f"about {usual - level:.0f} dB under the picked notes"
            yield complaint_of(note, QUIET, f"{level:.1f} dB", SOFT_IS_RIGHT, words)


def _is_heard(note: Asked, parts: Sequence[Evidence]) -> bool:
    """Tell whether the listener wrote a note of this pitch down where it is asked for."""
    here = _part_of(note, parts)
    return here is None or any(
        abs(n.onset_s - note.onset_s) < NEAR_S and abs(n.midi - note.midi) < SAME_PITCH
        for n in here.notes
    )


def _part_of(note: Asked, parts: Sequence[Evidence]) -> Evidence | None:
    return next((p for p in parts if p.start_s <= note.onset_s < p.end_s), None)


def _level(note: Asked, parts: Sequence[Evidence]) -> float | None:
    here = _part_of(note, parts)
    return here.level_db(note.midi, note.onset_s) if here is not None else None


def _sounds(note: Asked, parts: Sequence[Evidence]) -> float:
    """Give the evidence that a note sounds just after its onset, 0 to 1."""
    here = _part_of(note, parts)
    until = min(note.offset_s, note.onset_s + SOON_S)
    return here.sounds(note.midi, note.onset_s, until) if here is not None else 0.0


def _at(note: Asked, tempo: _Tempo) -> Asked:
    onset, offset = tempo.at(np.array([note.onset_s, note.offset_s]))
    onset = max(float(onset), 0.0)
    return replace(note, onset_s=onset, offset_s=max(float(offset), onset + 0.05))


def _kind(complaint: Complaint, asked: Sequence[Asked]) -> str:
    is_written = any(n.row == complaint.row and "vibrato" in n.techniques for n in asked)
    if complaint.technique == "vibrato" and is_written:
        return "vibrato"
    return KINDS.get(complaint.kind, complaint.kind)


def _finding(complaint: Complaint, asked: Sequence[Asked], tempo: _Tempo) -> Found:
    kind = _kind(complaint, asked)
    note = next((n for n in asked if n.row == complaint.row), None)
    onset = round(note.onset_s if note else tempo.written_at(complaint.onset_s), 4)
    detail = complaint.detail
    if kind == "missing":
        detail = "this note is not played"
    elif kind == "extra":
        detail = "a note is played that is not written"
    elif kind == "bend" and note is not None and complaint.bend_semitones is not None:
        short = 100.0 * (note.bends - complaint.bend_semitones)
        detail = f"the bend is {abs(short):.0f} cents too {'low' if short > 0 else 'high'}"
    return Found(
        kind, onset, complaint.row, detail, complaint.confidence, round(complaint.onset_s, 4)
    )


def _played(
    note: Asked, here: Asked, told: Sequence[Complaint], parts: Sequence[Evidence]
) -> PlayedNote:
    own = [c for c in told if c.row == note.row]
    if any(c.kind == EXTRA for c in own):
        return PlayedNote(note.row, note.onset_s, "missed")
    status = "another pitch" if any(c.kind == "wrong-pitch" for c in own) else "played"
    near = [
        n.onset_s for part in parts for n in part.notes
        if abs(n.onset_s - here.onset_s) < 0.2
        and (status != "played" or abs(n.midi - note.midi) < SAME_PITCH or note.bends)
    ]  # fmt: skip
    if not near:
        soft = any(c.kind == QUIET for c in own)  # too soft to be heard
        return PlayedNote(note.row, note.onset_s, "missed" if soft else status)
    at = min(near, key=lambda t: abs(t - here.onset_s))
    late = round(1000.0 * (at - here.onset_s), 1)
    return PlayedNote(note.row, note.onset_s, status, round(at, 4), late)


WORST = ("missing", "wrong-pitch", "time", "bend", "extra", "quiet", "vibrato", "bleed")
TO_DO = {
    "missing": "notes are left out", "wrong-pitch": "some frets are not those that are written",
    "time": "the time is not even", "bend": "the bends do not reach their pitch",
    "extra": "strings sound that should not", "quiet": "the slurred notes are too soft",
    "vibrato": "the vibrato is not heard", "bleed": "notes ring into the next ones",
}  # fmt: skip


def _summary(
    findings: Sequence[Found], notes: Sequence[PlayedNote], asked: Sequence[Asked], speed: float
) -> str:
    """Say it in three sentences: what is good, the one thing to work on, where to begin."""
    played = sum(n.status == "played" for n in notes)
    late = [abs(n.late_ms) for n in notes if n.late_ms is not None]
    usual = float(np.median(late)) if late else 0.0
    good = f"{played} of {len(notes)} notes are there at {100 * speed:.0f} % of the speed"
    good += f", mostly within {usual:.0f} ms of your own tempo." if late else "."
    if not findings:
        onward = 100 * min(speed + 0.05, 1.25)
        return f"{good} Nothing stands out to work on. Go on at {onward:.0f} %."
    kinds = [f.kind for f in findings]
    worst = max(set(kinds), key=lambda k: (kinds.count(k), -WORST.index(k)))
    often = f"{kinds.count(worst)} times" if kinds.count(worst) > 1 else "once"
    first = next(f for f in findings if f.kind == worst)
    number = 1 + next((k for k, n in enumerate(asked) if n.onset_s >= first.onset_s - 1e-6), 0)
    return (
        f"{good} Work on one thing: {TO_DO[worst]} ({often}). "
        f"Begin at note {number}, at {100 * max(speed - SAFE_STEP, 0.25):.0f} %."
    )

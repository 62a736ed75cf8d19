"""The learned listener: from spectra to what each frame and pitch carries.

The weights ship with the program (`weights/`), trained on generated sound only; `listener.json`
beside them tells how. They run in onnxruntime, or in plain NumPy with the same result.
"""

import json
from dataclasses import dataclass, fields, replace
from functools import lru_cache
from typing import NamedTuple, TypedDict

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.channels import CELL_KINDS, LOWEST_MIDI, N_PITCHES, Cell
from juxtanote.core.analysis.networks import LANES, run_first, run_second
from juxtanote.core.analysis.shipped import FOLDER
from juxtanote.core.analysis.spectra import (
    HOP_LENGTH,
    NARROW,
    SAMPLE_RATE,
    Grid,
    loud_level,
    spectra_on,
    stack_harmonics,
)
from juxtanote.core.analysis.spectra import LOWEST_MIDI as LOWEST_FIRST
from juxtanote.core.analysis.wide_spectra import WIDE
from juxtanote.core.audio.focus import keep_harmonic
from juxtanote.core.progress import Progress, no_progress, part_of

Array = NDArray[np.float32]
MOST_FRAMES, MARGIN_FRAMES = 700, 80  # of a block, 8 s, and how far the networks look
# Of sound about a block, so that its long windows are whole; even, for these are read at every other one.
AROUND_FRAMES = 18
# How much of the log odds is the second network's: from 0.3 to 0.5 it makes little difference.
SECOND_COUNTS = 0.4
ADDED_ROWS = LOWEST_FIRST - LOWEST_MIDI  # below what the first network hears
ALONE_DOUBTED = 2.0  # log odds
# The first looks at a wide mix once as it is and once without its drums: what it takes for a guitar in
# one picture and not in the other is seldom one. As it is it looks straight, on the grid that it learned
# on, or, where drums are heard, from both sides at once. 20 and 40 degrees make no difference to speak of
# but on one recorded song.
TURNED_DEG = 30.0
SIDEWAYS = replace(WIDE, across=float(np.sin(np.radians(TURNED_DEG)) ** 2))


class _Running(TypedDict):
    """How a network is run."""

    compiled: bool
    threads: int


class Counts(NamedTuple):
    """How much a look at a mix counts: for where notes begin and sound, and for their kind."""

    onsets: float
    sounding: float
    kinds: float


@dataclass(frozen=True, slots=True)
class Weighing:
    """How much each look at a wide mix counts among those of the first network."""

    straight: Counts
    sideways: Counts
    without_drums: Counts

    def towards(self, other: "Weighing", share: float) -> "Weighing":
        """Go a share, 0 to 1, of the way to another weighing."""

        def between(name: str) -> Counts:
            pairs = zip(getattr(self, name), getattr(other, name), strict=True)
            return Counts(*((1.0 - share) * ours + share * theirs for ours, theirs in pairs))

        return Weighing(*(between(field.name) for field in fields(self)))


# Of a mix without drums the first network tells kinds better than of the whole, but not where notes
# begin: strokes of the strings go with the drums.
NO_DRUMS = Weighing(Counts(1.0, 1.0, 0.5), Counts(0.0, 0.0, 0.0), Counts(0.0, 0.0, 0.5))
# Drums make strings that go on sound struck again, most of all straight on the first network's grid: then
# it does not look straight.
DRUMS = Weighing(Counts(0.0, 0.0, 0.0), Counts(0.5, 0.5, 0.5), Counts(0.5, 0.5, 0.5))
# Some of the drums stay: with none of them much is missed, with more much is invented.
STROKES_LEFT = 0.15
# Power that goes with the drums over and under these, by all power: of isolated guitars of records it is
# -40 to -27 dB and -49 to -21, of their mixes -24 to -16 and -21 to -16.
TREBLE_HZ, DEEP_HZ = 6000.0, 70.0
DRUMS_DB = -26.0, -24.0  # none, and surely some
WIDE_FROM = 1e-3  # side by middle, in power: below this the mix is mono, and the first has one view
# Of the other kinds the second network learned too little: what it tells of them makes techniques worse.
BOTH_TELL = frozenset({Cell.ONSET, Cell.ACTIVE, Cell.SLIDE, Cell.MUTED})

Told = tuple[Counts, tuple[Array, Array]]  # logits of cells and of frames, and how much they count


@dataclass(frozen=True, slots=True)
class Posteriors:
    """Probabilities for every frame: `cells` (9, N_PITCHES, n_frames), `dead` and `lead` (n_frames,).

    `quick` holds the spectra of the two short windows (2, N_BINS, n_frames), if they are known.
    """

    cells: Array
    dead: Array
    lead: Array
    quick: Array | None = None

    @property
    def hop_s(self) -> float:
        """Seconds from one frame to the next.

        Examples
        --------
        >>> empty = np.zeros(0, dtype=np.float32)
        >>> round(Posteriors(empty, empty, empty).hop_s, 4)
        0.0116
        """
        return HOP_LENGTH / SAMPLE_RATE


def weights_are_here() -> bool:
    """Tell whether the learned listener can be used."""
    return all((FOLDER / f"{name}.npz").is_file() for name in ("listener", "second"))


@lru_cache(maxsize=1)
def recipe() -> dict[str, object]:
    """Read what `listener.json` tells of the weights: calibration, thresholds, scores."""
    path = FOLDER / "listener.json"
    return dict(json.loads(path.read_text("utf-8"))) if path.is_file() else {}


def kind_threshold(kind: str) -> float:
    """Give from where on a kind of attack is believed, 0 to 1; settled with the weights.

    Parameters
    ----------
    kind : str
        One of `CELL_KINDS`, such as ``"slide"``.
    """
    known = recipe().get("kind_thresholds", {})
    return float(known.get(kind, 0.5)) if isinstance(known, dict) else 0.5


def _sigmoid(x: Array) -> Array:
    return np.asarray(1.0 / (1.0 + np.exp(-np.clip(x, -30.0, 30.0))), dtype=np.float32)


def listen(
    mid: Array,
    side: Array,
    *,
    reference_cents: float = 0.0,
    compiled: bool = True,
    threads: int = 2,
    frames: range | None = None,
    progress: Progress = no_progress,
) -> Posteriors:
    """Run the listener over a stretch of sound, block by block.

    Of a mix that is wide the first network sees two pictures, one of them without drums (where drums are
    no more than likely, three), and the mean of its log odds counts; the second sees any mix as it is and
    without drums at once.

    Parameters
    ----------
    mid, side : ndarray of float32, shape (n_samples,)
        At 22 050 Hz.
    reference_cents : float
        Where the recording's A4 is, from -50 to 50 cents off 440 Hz.
    compiled : bool
        False runs the same network in plain NumPy.
    threads : int
        That it takes: networks and transforms wait for the slowest of them.
    frames : range, optional
        Which are wanted of all; what lies before and after them is only looked at as far as need be.

    Returns
    -------
    posteriors : Posteriors
        Of each frame wanted: one is 256 samples, the first centred on sample 0.
    """
    from scipy.fft import set_workers

    looks = _looks(mid, side)
    n_frames = 1 + len(mid) // HOP_LENGTH
    wanted = range(n_frames) if frames is None else range(n_frames)[frames.start : frames.stop]
    cells = np.zeros((len(CELL_KINDS), N_PITCHES, len(wanted)), dtype=np.float32)
    whole = np.zeros((2, len(wanted)), dtype=np.float32)
    quick = np.zeros((2, NARROW.n_bins, len(wanted)), dtype=np.float32)
    count = max(-(-len(wanted) // MOST_FRAMES), 1)  # as few blocks as will do, all as long
    length = max(-(-len(wanted) // count), 1)
    length += length % 2
    for start in wanted[::length]:
        stop = min(start + length, wanted.stop)
        low, high = max(start - MARGIN_FRAMES, 0), min(stop + MARGIN_FRAMES, n_frames)
        low -= low % 2  # the second network reads frames by twos
        block = _Block(low, high, reference_cents, compiled, threads)
        here = slice(start - wanted.start, stop - wanted.start)
        done = part_of(progress, here.start / len(wanted), here.stop / len(wanted))
        with set_workers(threads):
            block_cells, block_frames, seen = block.hear(looks, done)
        inner = slice(start - low, stop - low)
        cells[:, :, here] = _sigmoid(block_cells[..., inner])
        whole[:, here] = _sigmoid(block_frames[..., inner])
        quick[..., here] = seen[..., inner]
    return Posteriors(cells, whole[0], whole[1], quick)


@dataclass(frozen=True, slots=True)
class _Look:
    """A mix as it is or without drums: the first network's grids, and how much each counts."""

    mid: Array
    side: Array
    first: tuple[tuple[Grid, Counts], ...]

    def loud(self, grid: Grid) -> float:
        """The level of its loud part."""
        return loud_level(self.mid, self.side, grid.across)


def _looks(mid: Array, side: Array) -> tuple[_Look, _Look]:
    """Lay out in what ways a mix is seen, as it is first."""
    calm = without_drums(mid, side)
    if not _is_wide(mid, side):
        return _Look(mid, side, ((NARROW, NO_DRUMS.straight),)), _Look(*calm, ())
    how = NO_DRUMS.towards(DRUMS, drums_heard(mid, calm[0]))
    seen = ((NARROW, how.straight), (SIDEWAYS, how.sideways))
    return (
        _Look(mid, side, tuple((grid, counts) for grid, counts in seen if any(counts))),
        _Look(*calm, ((WIDE, how.without_drums),)),
    )


@dataclass(frozen=True, slots=True)
class _Block:
    """A stretch that is heard at once: its first frame, the one after its last, and how it is heard."""

    low: int
    high: int
    reference_cents: float
    compiled: bool
    threads: int

    def hear(self, looks: tuple[_Look, _Look], progress: Progress) -> tuple[Array, Array, Array]:
        """Give the logits of cells and of frames, and the short windows' spectra; picture by picture."""
        told: list[Told] = []
        twice: list[Array] = []
        quick: list[Array] = []
        steps = 1 + sum(1 + len(look.first) for look in looks)
        for look in looks:
            progress((len(told) + len(twice)) / steps)
            pictures = self._pictures(look, () if quick else (NARROW,))
            twice.append(pictures[WIDE])
            quick = quick or [pictures[NARROW][1:3]]
            for grid, counts in look.first:
                progress((len(told) + len(twice)) / steps)
                seen = stack_harmonics(
                    pictures[grid][:, grid.n_bins - NARROW.n_bins :], lanes=LANES
                )
                told.append((counts, run_first(seen, **self._running)))
                del seen  # as large as the next
        progress((steps - 1) / steps)
        return *together(_mean_look(told), self._second(np.concatenate(twice))), quick[0]

    def _second(self, pictures: Array) -> tuple[Array, Array]:
        """Run the second network; an odd last frame is read twice, while pictures are small yet."""
        count = pictures.shape[2]
        if count % 2:
            pictures = np.concatenate([pictures, pictures[..., -1:]], axis=2)
        cells, frames = run_second(stack_harmonics(pictures, lanes=LANES), **self._running)
        return cells[..., :count], frames[..., :count]

    @property
    def _running(self) -> "_Running":
        return {"compiled": self.compiled, "threads": self.threads}

    def _pictures(self, look: _Look, more: tuple[Grid, ...]) -> dict[Grid, Array]:
        """Picture the block, from some more of the sound: as if all of it were pictured."""
        first = max(self.low - AROUND_FRAMES, 0)
        part = slice(first * HOP_LENGTH, (self.high + AROUND_FRAMES) * HOP_LENGTH)
        grids = tuple(dict.fromkeys((WIDE, *more, *(grid for grid, _ in look.first))))
        pictures = spectra_on(
            grids, look.mid[part], look.side[part],
            reference_cents=self.reference_cents, loud=[look.loud(grid) for grid in grids],
        )  # fmt: skip
        inner = slice(self.low - first, self.high - first)
        return {grid: picture[..., inner] for grid, picture in zip(grids, pictures, strict=True)}


def without_drums(mid: Array, side: Array) -> tuple[Array, Array]:
    """Take most of the drums out of a mix, see `audio.focus.keep_harmonic`.

    Parameters
    ----------
    mid, side : ndarray of float32, shape (n_samples,)
        At 22 050 Hz.
    """
    channels = np.stack([mid + side, mid - side])
    left, right = keep_harmonic(channels, SAMPLE_RATE, strokes_left=STROKES_LEFT)
    return np.float32(0.5) * (left + right), np.float32(0.5) * (left - right)


def drums_heard(mid: Array, calm: Array) -> float:
    """Tell whether drums play in a mix, 0 to 1: by how much goes with them at both ends of what is heard.

    Cymbals fill the treble, where a guitar's loudspeaker gives next to nothing, the bass drum what lies
    under its lowest string.

    Parameters
    ----------
    mid, calm : ndarray of float32, shape (n_samples,)
        At 22 050 Hz, as it is and without drums.

    Examples
    --------
    >>> tone = np.sin(np.arange(22_050) / 20.0).astype(np.float32)
    >>> drums_heard(tone, tone)
    0.0
    """
    from scipy.fft import next_fast_len, rfft

    whole = float(np.dot(mid, mid))
    if whole == 0.0:
        return 0.0
    size = next_fast_len(len(mid), real=True)
    gone = np.abs(rfft(mid - calm, size)) ** 2
    deep, treble = (int(hz * size / SAMPLE_RATE) for hz in (DEEP_HZ, TREBLE_HZ))
    none, some = DRUMS_DB
    shares = [2.0 * float(part.sum()) / size / whole for part in (gone[:deep], gone[treble:])]
    told = (10.0 * np.log10(min(shares) + 1e-12) - none) / (some - none)
    return float(np.clip(told, 0.0, 1.0))


def _is_wide(mid: Array, side: Array) -> bool:
    power = np.dot(mid, mid), np.dot(side, side)
    return bool(power[1] >= WIDE_FROM * power[0] and power[1] > 0.0)


def _mean_look(looks: list[Told]) -> tuple[Array, Array]:
    """Take the weighted mean of what the first network tells of cells and of frames in several looks."""
    shares = np.array([counts for counts, _ in looks], dtype=np.float32)
    shares /= shares.sum(axis=0)
    cells, frames = (np.zeros_like(told) for told in looks[0][1])
    for (onsets, sounding, kinds), (_, (told_cells, told_frames)) in zip(
        shares, looks, strict=True
    ):
        weights = np.full((len(cells), 1, 1), kinds)
        weights[Cell.ONSET], weights[Cell.ACTIVE] = onsets, sounding
        cells += weights * told_cells
        frames += kinds * told_frames
    return cells, frames


def together(first: tuple[Array, Array], second: tuple[Array, Array]) -> tuple[Array, Array]:
    """Take the weighted mean of two networks' log odds.

    A geometric mean of experts (G. Hinton, "Products of experts", ICANN 1999). What the second tells of
    any guitar is left out: beside what it tells of the lead it gains nothing.

    Parameters
    ----------
    first, second : tuple of ndarray
        Logits of cells and of frames, as `networks.run_first` and `run_second` give them.

    Returns
    -------
    cells : ndarray of float32, shape (9, N_PITCHES, n_frames)
        Where only the second hears it is doubted: most of it is the bass.
    frames : ndarray of float32, shape (2, n_frames)
        Logits of a dead stroke, and of the lead sounding.
    """
    mixed = second[0][: len(CELL_KINDS)].copy()
    for kind in Cell:
        share = SECOND_COUNTS if kind in BOTH_TELL else 0.0
        mixed[kind, ADDED_ROWS:] *= share
        mixed[kind, ADDED_ROWS:] += (1.0 - share) * first[0][kind]
    mixed[: Cell.ACTIVE + 1, :ADDED_ROWS] -= ALONE_DOUBTED
    return mixed, first[1] + SECOND_COUNTS * (second[1] - first[1])

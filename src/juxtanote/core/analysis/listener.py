"""The learned listener: from spectra to what each frame and pitch carries.

The weights ship with the program (`weights/`), trained on generated sound only; `listener.json`
beside them tells how. They run in onnxruntime, or in plain NumPy with the same result.
"""

import json
from dataclasses import dataclass, fields
from functools import lru_cache
from typing import NamedTuple, TypedDict

import numpy as np
from numpy.typing import NDArray

from juxtanote.core.analysis.channels import CELL_KINDS, LOWEST_MIDI, N_PITCHES, Cell
from juxtanote.core.analysis.networks import run_first, run_second
from juxtanote.core.analysis.shipped import FOLDER
from juxtanote.core.analysis.spectra import (
    BINS_PER_SEMITONE,
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
ADDED_BINS = BINS_PER_SEMITONE * ADDED_ROWS
ALONE_DOUBTED = 2.0  # log odds
# The first looks at a wide mix straight, from two sides, and once with the drums taken out: what it takes
# for a guitar in one picture of the mix and not in the others is seldom one. 20 to 40 degrees make no
# difference to speak of. From the sides and without drums it sees every partial as loud as it is,
# straight as it learned to: in a mix that is a few cents off, what one misses the other sees.
VIEWS_DEG = (-30.0, 30.0)


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
    from_a_side: Counts
    without_drums: Counts

    def towards(self, other: "Weighing", share: float) -> "Weighing":
        """Go a share, 0 to 1, of the way to another weighing."""

        def between(name: str) -> Counts:
            pairs = zip(getattr(self, name), getattr(other, name), strict=True)
            return Counts(*((1.0 - share) * ours + share * theirs for ours, theirs in pairs))

        return Weighing(*(between(field.name) for field in fields(self)))


# Of a mix without drums the first network tells kinds better than of the whole, but not where notes
# begin: strokes of the strings go with the drums.
NO_DRUMS = Weighing(Counts(0.5, 0.5, 0.3), Counts(0.25, 0.25, 0.15), Counts(0.0, 0.0, 0.4))
# Drums make strings that go on sound struck again, most of all straight on the first network's grid: then
# it does not look straight.
DRUMS = Weighing(Counts(0.0, 0.0, 0.0), Counts(0.25, 0.25, 0.25), Counts(0.5, 0.5, 0.5))
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
    progress: Progress = no_progress,
) -> Posteriors:
    """Run the listener over a stretch of sound, block by block.

    Of a mix that is wide the first network sees four views, or three where drums are heard, and the mean
    of its log odds counts; the second sees any mix as it is and without drums at once. Straight the first
    sees the grid that it learned on, else the second's.

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

    Returns
    -------
    posteriors : Posteriors
        One frame every 256 samples, the first centred on sample 0.
    """
    from scipy.fft import set_workers

    looks = _looks(mid, side)
    n_frames = 1 + len(mid) // HOP_LENGTH
    cells = np.zeros((len(CELL_KINDS), N_PITCHES, n_frames), dtype=np.float32)
    frames = np.zeros((2, n_frames), dtype=np.float32)
    quick = np.zeros((2, NARROW.n_bins, n_frames), dtype=np.float32)
    length = -(-n_frames // -(-n_frames // MOST_FRAMES))  # as few blocks as will do, all as long
    length += length % 2  # the second network reads frames by twos
    for start in range(0, n_frames, length):
        stop = min(start + length, n_frames)
        low, high = max(start - MARGIN_FRAMES, 0), min(stop + MARGIN_FRAMES, n_frames)
        block = _Block(low, high, reference_cents, compiled, threads)
        done = part_of(progress, start / n_frames, stop / n_frames)
        with set_workers(threads):
            block_cells, block_frames, seen = block.hear(looks, done)
        inner = slice(start - low, stop - low)
        cells[:, :, start:stop] = _sigmoid(block_cells[..., inner])
        frames[:, start:stop] = _sigmoid(block_frames[..., inner])
        quick[..., start:stop] = seen[..., inner]
    return Posteriors(cells, frames[0], frames[1], quick)


@dataclass(frozen=True, slots=True)
class _Look:
    """A mix as it is seen once: how much what the first network tells counts, and if the second looks."""

    mid: Array
    side: Array
    first: Counts | None
    second: bool

    @property
    def loud(self) -> float:
        """The level of its loud part."""
        return loud_level(self.mid)


def _looks(mid: Array, side: Array) -> list[_Look]:
    """Lay out in what ways a mix is seen, straight first."""
    calm = without_drums(mid, side)
    if not _is_wide(mid, side):
        return [
            _Look(mid, side, NO_DRUMS.straight, second=True),
            _Look(*calm, None, second=True),
        ]
    how = NO_DRUMS.towards(DRUMS, drums_heard(mid, calm[0]))
    sides = (turned(mid, side, degrees) for degrees in VIEWS_DEG)
    return [
        _Look(mid, side, how.straight, second=True),
        *(_Look(*view, how.from_a_side, second=False) for view in sides),
        _Look(*calm, how.without_drums, second=True),
    ]


@dataclass(frozen=True, slots=True)
class _Block:
    """A stretch that is heard at once: its first frame, the one after its last, and how it is heard."""

    low: int
    high: int
    reference_cents: float
    compiled: bool
    threads: int

    def hear(self, looks: list[_Look], progress: Progress) -> tuple[Array, Array, Array]:
        """Give the logits of cells and of frames, and the short windows' spectra; picture by picture."""
        told: list[Told] = []
        twice: list[Array] = []
        quick = None
        for number, look in enumerate(looks):
            progress(number / len(looks))
            if quick is None:
                narrow, wide = self._pictures(look, (NARROW, WIDE))
                quick, picture = narrow[1:3], narrow
            else:
                (wide,) = self._pictures(look, (WIDE,))
                picture = wide[:, ADDED_BINS:]
            if look.first is not None and any(look.first):
                told.append((look.first, run_first(stack_harmonics(picture), **self._running)))
            if look.second:
                twice.append(wide)
        assert quick is not None
        second = run_second(stack_harmonics(np.concatenate(twice)), **self._running)
        return *together(_mean_look(told), second), quick

    @property
    def _running(self) -> "_Running":
        return {"compiled": self.compiled, "threads": self.threads}

    def _pictures(self, look: _Look, grids: tuple[Grid, ...]) -> list[Array]:
        """Picture the block, from some more of the sound: as if all of it were pictured."""
        first = max(self.low - AROUND_FRAMES, 0)
        part = slice(first * HOP_LENGTH, (self.high + AROUND_FRAMES) * HOP_LENGTH)
        pictures = spectra_on(
            grids, look.mid[part], look.side[part],
            reference_cents=self.reference_cents, loud=look.loud,
        )  # fmt: skip
        return [picture[..., self.low - first : self.high - first] for picture in pictures]


def turned(mid: Array, side: Array, degrees: float) -> tuple[Array, Array]:
    """Turn a mix, so that what was so far to one side is in the middle.

    Parameters
    ----------
    mid, side : ndarray of float32, shape (n_samples,)
        Half sum and half difference of the channels.
    degrees : float
        From -90 to 90; 45 brings what is in the first channel alone to the middle.

    Returns
    -------
    mid, side : ndarray of float32, shape (n_samples,)

    Examples
    --------
    >>> left = np.array([1.0, -1.0], dtype=np.float32)  # of a signal that the right has not
    >>> mid, side = turned(0.5 * left, 0.5 * left, 45.0)
    >>> [round(float(np.abs(part).max()), 3) for part in (mid, side)]
    [0.707, 0.0]
    """
    along, across = np.float32(np.cos(np.radians(degrees))), np.float32(np.sin(np.radians(degrees)))
    return along * mid + across * side, along * side - across * mid


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

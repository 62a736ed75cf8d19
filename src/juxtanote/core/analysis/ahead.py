"""The evidence of a long recording, piece by piece: the next is made while what came before is named.

Networks and transforms let other threads work: two pieces are made at a time, each by one thread, so that
none waits for another. A piece is made once, wherever the stretches begin that are read from it; few are
held at a time.
"""

import os
import threading
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import TimeoutError as NotYet
from contextlib import suppress
from types import TracebackType

import numpy as np

from juxtanote.core.analysis import listener
from juxtanote.core.analysis.channels import CELL_KINDS, N_PITCHES
from juxtanote.core.analysis.listener import Posteriors
from juxtanote.core.analysis.middle import centred, mid_side
from juxtanote.core.analysis.spectra import HOP_LENGTH, N_BINS, SAMPLE_RATE
from juxtanote.core.audio.sound import Sound
from juxtanote.core.progress import Cancelled, Progress, no_progress

AROUND_FRAMES = listener.MARGIN_FRAMES + listener.AROUND_FRAMES  # of sound, for context
PIECE_FRAMES = listener.MOST_FRAMES - 2 * listener.MARGIN_FRAMES  # 700 frames are heard at once
HANDS = 2  # as many cores as a small machine has
MORE = 5  # pieces that are made before they are asked for: about a stretch
STANDS_BACK = 10  # niceness, of 19
LOOKED_S = 0.05  # how often a wait looks whether it should stop


def _stand_back() -> None:
    """Let other threads go first, the window's above all, where the system can."""
    with suppress(AttributeError, OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), STANDS_BACK)


class Ahead:
    """Makes evidence in threads of its own; to be used in a `with`, which waits for them."""

    def __init__(
        self,
        sound: Sound,
        *,
        end_s: float | None = None,
        reference_cents: float = 0.0,
        progress: Progress = no_progress,
    ) -> None:
        """Begin with the first piece when it is asked for.

        Parameters
        ----------
        sound : Sound
            The whole recording.
        end_s : float, optional
            Up to where it is wanted, in seconds; nothing is made that begins later.
        reference_cents : float
            How far its A4 is from 440 Hz.
        progress : Progress
            Told again what it was told last, so that it may stop the work or let it stand still.
        """
        self._sound, self._cents, self._progress = sound, reference_cents, progress
        self._told, self._telling = 0.0, threading.Lock()
        self._stop = threading.Event()
        self._hand = ThreadPoolExecutor(HANDS, "evidence", _stand_back)
        self._pieces: dict[int, Future[Posteriors]] = {}
        last_s = sound.duration_s if end_s is None else min(end_s, sound.duration_s)
        frames = last_s * SAMPLE_RATE / HOP_LENGTH
        self._count = int(frames) // PIECE_FRAMES + 1

    def __enter__(self) -> "Ahead":
        """Give itself."""
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        """Stop at the next report of the work under way, and wait for it."""
        self._stop.set()
        self._hand.shutdown(cancel_futures=True)

    def report(self, part_done: float) -> None:
        """Tell how far all is: what hears the stretches reports here."""
        with self._telling:
            self._told = part_done
            self._progress(part_done)

    def _tell_again(self) -> None:
        with self._telling:  # one thread at a time, and nothing that is out of date
            self._progress(self._told)

    def between(self, first: int, count: int, progress: Progress = no_progress) -> Posteriors:
        """Give the evidence of frames of the recording, made by now or waited for.

        Parameters
        ----------
        first, count : int
            The first frame, and how many: one is 256 samples at 22 050 Hz, the first centred on sample 0.
        progress : Progress
            Told how much of them is there.

        Returns
        -------
        Posteriors
            Beyond the end of the recording nothing is heard.
        """
        numbers = range(first // PIECE_FRAMES, (first + count - 1) // PIECE_FRAMES + 1)
        for number in [n for n in self._pieces if n < numbers[0]]:
            del self._pieces[number]
        for number in range(numbers[0], min(numbers[-1] + 1 + MORE, self._count)):
            if number not in self._pieces:
                self._pieces[number] = self._hand.submit(self._make, number)
        cells = np.zeros((len(CELL_KINDS), N_PITCHES, count), dtype=np.float32)
        frames = np.zeros((2, count), dtype=np.float32)
        quick = np.zeros((2, N_BINS, count), dtype=np.float32)
        for done, number in enumerate(numbers):
            progress(done / len(numbers))
            if number >= self._count:
                break
            piece = self._waited_for(self._pieces[number])
            start = number * PIECE_FRAMES
            low, high = max(first, start), min(first + count, start + piece.dead.shape[0])
            if high <= low:
                continue
            here, there = slice(low - first, high - first), slice(low - start, high - start)
            cells[..., here] = piece.cells[..., there]
            frames[0, here], frames[1, here] = piece.dead[there], piece.lead[there]
            if piece.quick is not None:
                quick[..., here] = piece.quick[..., there]
        return Posteriors(cells, frames[0], frames[1], quick)

    def _waited_for(self, piece: "Future[Posteriors]") -> Posteriors:
        while True:
            try:
                return piece.result(LOOKED_S)
            except NotYet:
                self._tell_again()

    def _make(self, number: int) -> Posteriors:
        start = number * PIECE_FRAMES
        low, high = max(start - AROUND_FRAMES, 0), start + PIECE_FRAMES + AROUND_FRAMES
        per_frame = HOP_LENGTH * self._sound.sample_rate / SAMPLE_RATE
        part = self._sound.audio[:, round(low * per_frame) : round(high * per_frame)]
        mid, side = mid_side(part, self._sound.sample_rate)
        return listener.listen(
            centred(mid), side, reference_cents=self._cents, threads=1, progress=self._still_wanted,
            frames=range(start - low, start - low + PIECE_FRAMES),
        )  # fmt: skip

    def _still_wanted(self, _: float) -> None:
        if self._stop.is_set():
            raise Cancelled
        self._tell_again()

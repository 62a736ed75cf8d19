"""How long work tells how far it is, and learns that it should stop."""

from collections.abc import Callable

# Called with the part done, 0 to 1; raises `Cancelled` when the work should stop.
Progress = Callable[[float], None]


class Cancelled(Exception):
    """The person asked the work to stop; nothing was changed."""


def no_progress(part_done: float) -> None:
    """Report to nobody: the default where nobody is waiting.

    Parameters
    ----------
    part_done : float
        From 0 to 1.
    """


def part_of(progress: Progress, start: float, end: float) -> Progress:
    """Map the 0 to 1 of one step onto a stretch of the whole.

    Parameters
    ----------
    progress : Progress
        Of the whole, 0 to 1.
    start : float
        Where the step begins in it, 0 to 1.
    end : float
        Where the step ends in it, 0 to 1.

    Examples
    --------
    >>> seen = []
    >>> part_of(seen.append, 0.5, 1.0)(0.5)
    >>> seen
    [0.75]
    """

    def report(part_done: float) -> None:
        progress(start + (end - start) * part_done)

    return report

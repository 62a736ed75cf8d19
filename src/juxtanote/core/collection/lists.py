"""Lists of phrases in order, for a student or a workshop; kept as one small JSON file."""

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from itertools import groupby
from pathlib import Path

from juxtanote.core.audio.write import write_text
from juxtanote.core.errors import JuxtanoteError

MOST_ENTRIES, LONGEST_NAME = 500, 60


@dataclass(frozen=True, slots=True)
class Entry:
    """A phrase of a lesson, and how it is called in the list."""

    lesson: str
    ident: int
    name: str


Lists = dict[str, tuple[Entry, ...]]


def read_lists(path: Path) -> Lists:
    """Read lists by name; none where there are none yet.

    Parameters
    ----------
    path : Path
        The file that `write_lists` wrote.

    Raises
    ------
    JuxtanoteError
        If the file is damaged.
    """
    try:
        text = path.read_text("utf-8")
    except FileNotFoundError:
        return {}
    except (OSError, UnicodeDecodeError) as error:
        raise JuxtanoteError(f"The lists in “{path}” could not be read: {error}.") from error
    try:
        return {
            str(name)[:LONGEST_NAME]: tuple(
                Entry(str(row["lesson"]), int(row["ident"]), str(row["name"]))
                for row in rows[:MOST_ENTRIES]
            )
            for name, rows in json.loads(text).items()
        }
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError) as error:
        raise JuxtanoteError(
            f"The lists in “{path}” are damaged. Move the file away to begin anew."
        ) from error


def write_lists(path: Path, lists: Lists) -> None:
    """Write lists, whole or not at all.

    Parameters
    ----------
    path : Path
        Where to; its folder is made.
    lists : dict
        Entries by name, in order.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    body = {name: [asdict(entry) for entry in entries] for name, entries in lists.items()}
    write_text(path, json.dumps(body, indent=1, ensure_ascii=False) + "\n")


def moved(entries: Sequence[Entry], index: int, by: int) -> tuple[Entry, ...]:
    """Move an entry up or down; at the end of the list it stays.

    Parameters
    ----------
    entries : sequence of Entry
    index : int
        Of the one that moves.
    by : int
        Places, down where positive.

    Examples
    --------
    >>> a, b, c = (Entry("l", k, str(k)) for k in range(3))
    >>> [entry.name for entry in moved((a, b, c), 0, 1)]
    ['1', '0', '2']
    """
    order = list(entries)
    order.insert(min(max(index + by, 0), len(order)), order.pop(index))
    return tuple(order)


def by_lesson(entries: Sequence[tuple[str, int]]) -> list[tuple[str, tuple[int, ...]]]:
    """Put together what follows on each other in one lesson, in the order of the list.

    Parameters
    ----------
    entries : sequence of (str, int)
        Lesson and number of a phrase.

    Examples
    --------
    >>> by_lesson([("a", 1), ("a", 3), ("b", 2), ("a", 2)])
    [('a', (1, 3)), ('b', (2,)), ('a', (2,))]
    """
    runs = groupby(entries, key=lambda entry: entry[0])
    return [(lesson, tuple(ident for _, ident in rows)) for lesson, rows in runs]

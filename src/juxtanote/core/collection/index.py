"""The index of a collection: SQLite with full text search, made from the lesson files and nothing else.

It can be thrown away at any moment: what is missing or damaged is made again. Files are followed by their
time and size; each is put in within one transaction, so that a kill leaves none half there.
"""

import json
import os
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import asdict
from pathlib import Path

from juxtanote.core.collection.cards import Card, cards_of
from juxtanote.core.errors import JuxtanoteError
from juxtanote.core.formats.lesson_file import load_lesson
from juxtanote.core.formats.names import SUFFIX
from juxtanote.core.progress import Progress, no_progress

EDITION = 2  # of the tables: an index of another edition is made anew
SCHEMA = """
create table if not exists lessons (path text primary key, stamp text not null, problem text not null);
create table if not exists cards (id integer primary key, path text not null, body text not null);
create index if not exists cards_by_path on cards (path);
create virtual table if not exists words using fts5 (text, tokenize = 'unicode61 remove_diacritics 2');
"""


class Index:
    """An open index; several programs may have it open at once, one thread at a time uses it."""

    def __init__(self, path: Path) -> None:
        self._path = path
        path.parent.mkdir(parents=True, exist_ok=True)
        self._base = self._opened()

    def _opened(self) -> sqlite3.Connection:
        """Open the file; one that is damaged or of another edition is made anew."""
        for _ in range(2):
            try:
                base = sqlite3.connect(self._path, timeout=20.0, check_same_thread=False)
                base.execute("pragma journal_mode = wal")
                found = base.execute("pragma user_version").fetchone()[0]
                if found not in (0, EDITION):
                    raise sqlite3.DatabaseError("another edition")
                base.executescript(SCHEMA + f"pragma user_version = {EDITION};")
                return base
            except sqlite3.DatabaseError:
                base.close()
                for extra in ("", "-wal", "-shm"):
                    Path(f"{self._path}{extra}").unlink(missing_ok=True)
        raise JuxtanoteError(f"The index of the collection could not be made at “{self._path}”.")

    def close(self) -> None:
        """Let go of the file."""
        self._base.close()

    def follow(self, folders: Sequence[Path], progress: Progress = no_progress) -> list[str]:
        """Read lessons that are new or changed, forget those that are gone; say what was not read."""
        files = {str(path): _stamp(path) for folder in folders for path in lessons_in(folder)}
        known = dict(self._base.execute("select path, stamp from lessons"))
        roots = roots_of(folders)
        gone = [p for p in known if p not in files and p.startswith(roots)]
        for path in gone:
            self._forget(path)
            self._base.commit()
        changed = [path for path, stamp in files.items() if known.get(path) != stamp]
        for number, path in enumerate(changed):
            progress(number / len(changed))
            self._read(path, files[path])
        rows = self._base.execute("select path, problem from lessons where problem != ''")
        return [f"{Path(path).name}: {problem}" for path, problem in rows]

    def _forget(self, path: str) -> None:
        self._base.execute(
            "delete from words where rowid in (select id from cards where path = ?)", (path,)
        )
        self._base.execute("delete from cards where path = ?", (path,))
        self._base.execute("delete from lessons where path = ?", (path,))

    def _read(self, path: str, stamp: str) -> None:
        """Put one lesson in, whole or not at all."""
        problem, cards = "", []
        try:
            cards = cards_of(load_lesson(Path(path)), path)
        except (JuxtanoteError, OSError, ValueError) as error:
            problem = str(error)
        with self._base:
            self._forget(path)
            self._base.execute("insert into lessons values (?, ?, ?)", (path, stamp, problem))
            for card in cards:
                row = self._base.execute(
                    "insert into cards (path, body) values (?, ?)", (path, json.dumps(asdict(card)))
                )
                self._base.execute(
                    "insert into words (rowid, text) values (?, ?)", (row.lastrowid, card.words)
                )

    def state(self) -> tuple[int, int]:
        """Give two numbers that differ whenever the cards do."""
        found = self._base.execute("select count(*), coalesce(max(id), 0) from cards").fetchone()
        return int(found[0]), int(found[1])

    def numbered(self) -> Iterator[tuple[int, Card]]:
        """Give every card with its number."""
        for number, body in self._base.execute("select id, body from cards order by path, id"):
            yield number, _card(body)

    def with_words(self, words: Sequence[str]) -> list[int]:
        """Give the numbers of cards that have all of these words, best first."""
        asked = " ".join('"' + word.replace('"', '""') + '"*' for word in words)
        rows = self._base.execute(
            "select rowid from words where words match ? order by rank", (asked,)
        )
        return [int(row[0]) for row in rows]

    def cards(self, folders: Sequence[Path], words: Sequence[str] = ()) -> Iterator[Card]:
        """Give the cards of lessons in some folders; with `words`, those that have all of them."""
        roots = roots_of(folders)
        known = None if not words else self.with_words(words)
        if known is None:
            rows: Iterable[tuple[str, str]] = self._base.execute(
                "select path, body from cards order by path, id"
            )
        else:
            rows = (
                self._base.execute("select path, body from cards where id = ?", (n,)).fetchone()
                for n in known
            )
        for path, body in rows:
            if path.startswith(roots):
                yield _card(body)


def roots_of(folders: Sequence[Path]) -> tuple[str, ...]:
    """Give what the paths of everything inside some folders begin with.

    Parameters
    ----------
    folders : sequence of Path
        A folder's name may begin as another one's does: what is inside one is not inside the other.

    Examples
    --------
    >>> roots_of([Path("/"), Path("/no-such-folder/blues")])
    ('/', '/no-such-folder/blues/')
    """
    return tuple(os.path.join(folder.resolve(), "") for folder in folders)


def _card(body: str) -> Card:
    fields = json.loads(body)
    for name in ("strings", "techniques", "pitches", "steps"):
        fields[name] = tuple(fields[name])
    return Card(**fields)


def lessons_in(folder: Path) -> list[Path]:
    """List the lesson files under a folder."""
    found = folder.resolve().rglob(f"*{SUFFIX}") if folder.is_dir() else iter(())
    return sorted(path for path in found if path.is_file() and not path.name.startswith("."))


def _stamp(path: Path) -> str:
    held = path.stat()
    return f"{held.st_mtime_ns} {held.st_size}"

"""The cards of an index in memory, so that a search while typing reads no more than it must."""

import sqlite3
import threading
from collections.abc import Iterable, Sequence
from pathlib import Path

from juxtanote.core.collection.cards import Card
from juxtanote.core.collection.index import Index, roots_of
from juxtanote.core.collection.music import Likeness, Profiles
from juxtanote.core.collection.search import Hit, Query, parse_query, search
from juxtanote.core.progress import Progress, no_progress


class Shelf:
    """Holds cards until the index has others. One thread may ask it while another one reads."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._state = (-1, -1)
        self._open: Index | None = None  # kept for asking; reading has its own
        self._cards: dict[int, Card] = {}
        self._profiles: dict[Likeness, Profiles] = {}  # made when music is first looked for
        self._inside: tuple[tuple[str, ...], list[Card]] | None = None  # all of some folders
        self._lock = threading.RLock()

    def follow(self, folders: Sequence[Path], progress: Progress = no_progress) -> list[str]:
        """Bring the index up to date with its folders; say what was not read."""
        index = Index(self._path)
        try:
            problems = index.follow(folders, progress)
            self._renew(index)  # here, so that the first who asks does not wait for it
        finally:
            index.close()
        return problems

    def close(self) -> None:
        """Let go of the index."""
        if self._open is not None:
            self._open.close()
            self._open = None

    def _renew(self, index: Index) -> None:
        with self._lock:
            state = index.state()
            if state != self._state:
                self._cards = dict(index.numbered())
                self._profiles, self._inside = {}, None
                self._state = state

    def __len__(self) -> int:
        return len(self._cards)

    def find(
        self,
        text: str,
        folders: Sequence[Path],
        *,
        like: Sequence[int] = (),
        like_steps: Sequence[float] = (),
        by: Likeness = Likeness.LINE,
        most: int = 200,
    ) -> list[Hit]:
        """Find phrases by a line of words and facts, by music, or by both.

        Parameters
        ----------
        text : str
            Words and facts, see `search.parse_query`.
        folders : sequence of Path
            Only lessons inside these.
        like, like_steps, by, most : optional
            As `search.search` takes them.

        Raises
        ------
        JuxtanoteError
            Where a fact cannot be read; the text says how it is written.
        """
        query = parse_query(text)
        with self._lock:
            line = (query.frets, ()) if query.frets else (tuple(like), tuple(like_steps))
            return self._found(query, folders, line, query.by or by, most)

    def _found(
        self,
        query: Query,
        folders: Sequence[Path],
        line: tuple[tuple[int, ...], tuple[float, ...]],
        by: Likeness,
        most: int,
    ) -> list[Hit]:
        try:
            numbers = self._numbers(query)
        except sqlite3.Error:  # somebody cleared the cache: the index is made anew
            self.close()
            numbers = self._numbers(query)
        inside = self._cards_in(roots_of(folders), numbers, bool(query.words))
        whole = not query.words and len(inside) == len(self._cards)
        known = self._known_profiles(by) if whole and line[0] else None
        return search(
            inside, query, like=line[0], like_steps=line[1], by=by, most=most, profiles=known
        )

    def _cards_in(
        self, roots: tuple[str, ...], numbers: Iterable[int], has_words: bool
    ) -> list[Card]:
        """Give the cards inside folders; all of them are kept for the next who asks without words."""
        if not has_words and self._inside is not None and self._inside[0] == roots:
            return self._inside[1]
        cards = [self._cards[n] for n in numbers if n in self._cards]
        inside = [card for card in cards if card.lesson.startswith(roots)]
        if not has_words:
            self._inside = (roots, inside)
        return inside

    def prepare_music(self) -> None:
        """Make what looking for music needs, so that the first who looks does not wait for it."""
        if self._cards:
            self._known_profiles(Likeness.LINE)

    def _known_profiles(self, by: Likeness) -> Profiles:
        by = Likeness.LINE if by is Likeness.INTERVALS else by  # their profiles are the same
        with self._lock:
            if by not in self._profiles:
                lines = [(card.pitches, card.steps) for card in self._cards.values()]
                self._profiles[by] = Profiles(lines, by)
            return self._profiles[by]

    def _numbers(self, query: Query) -> list[int]:
        if self._open is None:
            self._open = Index(self._path)
        self._renew(self._open)
        return self._open.with_words(query.words) if query.words else list(self._cards)

"""The cards of an index in memory, so that a search while typing reads no more than it must."""

from collections.abc import Sequence
from pathlib import Path

from juxtanote.core.collection.cards import Card
from juxtanote.core.collection.index import Index
from juxtanote.core.collection.music import Profiles
from juxtanote.core.collection.search import Hit, parse_query, search
from juxtanote.core.progress import Progress, no_progress


class Shelf:
    """Holds cards until the index has others. One thread at a time may ask it."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._state = (-1, -1)
        self._cards: dict[int, Card] = {}
        self._profiles = Profiles([])

    def follow(self, folders: Sequence[Path], progress: Progress = no_progress) -> list[str]:
        """Bring the index up to date with its folders; say what was not read."""
        index = Index(self._path)
        try:
            problems = index.follow(folders, progress)
            self._renew(index)
        finally:
            index.close()
        return problems

    def _renew(self, index: Index) -> None:
        state = index.state()
        if state != self._state:
            self._cards = dict(index.numbered())
            self._profiles = Profiles([card.pitches for card in self._cards.values()])
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
        most: int = 200,
    ) -> list[Hit]:
        """Find phrases by a line of words and facts, by music, or by both.

        Raises
        ------
        JuxtanoteError
            Where a fact cannot be read; the text says how it is written.
        """
        query = parse_query(text)
        roots = tuple(str(folder.resolve()) for folder in folders)
        index = Index(self._path)
        try:
            self._renew(index)
            numbers = index.with_words(query.words) if query.words else list(self._cards)
        finally:
            index.close()
        cards = [self._cards[n] for n in numbers if n in self._cards]
        inside = [card for card in cards if card.lesson.startswith(roots)]
        wanted, steps = (query.frets, ()) if query.frets else (tuple(like), tuple(like_steps))
        known = self._profiles if len(inside) == len(self._cards) else None
        return search(inside, query, like=wanted, like_steps=steps, most=most, profiles=known)

"""What many ask for at the same moment is made once, and sent to all as long as nothing is written."""

import threading
from collections.abc import Callable
from pathlib import Path

from yavik.store import Store

Place = tuple[Path, str, str]


class Once:
    """Answers by place, each with the moment of the database that it was made at; so many at the most."""

    def __init__(self, most: int = 100) -> None:
        self._most = most
        self._kept: dict[Place, tuple[int, bytes]] = {}
        self._turns: dict[Place, threading.Lock] = {}

    def get(self, store: Store, study_id: str, what: str, make: Callable[[], tuple[bytes, bool]]) -> bytes:
        """
        Args:
            make: gives the answer, and whether it stays true until something is written.
        """
        place = (store.folder, study_id, what)
        if (kept := self._kept.get(place)) and kept[0] == store.watch.moment():
            return kept[1]
        # Twenty people after one change: one of them makes it, the others wait for that.
        with self._turns.setdefault(place, threading.Lock()):
            moment = store.watch.moment()  # before it is made: what is written meanwhile makes it old
            if (kept := self._kept.get(place)) and kept[0] == moment:
                return kept[1]
            made, lasting = make()
            if len(self._kept) >= self._most:
                self._kept.clear()
                self._turns.clear()
            if lasting:
                self._kept[place] = moment, made
            return made

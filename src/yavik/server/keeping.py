"""What the server does by itself: a backup a day, and throwing away what nothing needs."""

import logging
import threading
import time

from sqlalchemy.exc import DatabaseError

from yavik.engine import Engine
from yavik.store import Store
from yavik.store.backups import daily
from yavik.store.tidy import Tidied, tidy
from yavik.store.troubles import FolderTrouble

log = logging.getLogger("yavik.server")
FIRST_SECONDS = 120.0
BETWEEN_SECONDS = 3600.0
TIDY_SECONDS = 24 * 3600.0
MARK = "tidied"
"""A file whose time says when the folder was tidied last."""


class Keeper:
    """
    Args:
        first, between: seconds to the first look and from one to the next.
    """

    def __init__(
        self, store: Store, engine: Engine, first: float = FIRST_SECONDS, between: float = BETWEEN_SECONDS
    ) -> None:
        self.store, self.engine, self.first, self.between = store, engine, first, between
        self._over = threading.Event()
        self._turn = threading.Lock()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        """Begins to look after the folder."""
        self._thread.start()

    def close(self) -> None:
        """Ends it; what is underway is finished first."""
        self._over.set()
        if self._thread.is_alive():
            self._thread.join(30)

    def _run(self) -> None:
        wait = self.first
        while not self._over.wait(wait):
            wait = self.between
            try:
                self.look()
            except (FolderTrouble, DatabaseError, OSError):
                log.exception("the data folder could not be looked after")

    def look(self) -> None:
        """Today's backup, and tidying once a day while nothing is being worked out."""
        daily(self.store.folder)
        mark = self.store.folder / MARK
        due = not mark.exists() or time.time() - mark.stat().st_mtime > TIDY_SECONDS
        if due and not self.engine.busy():
            log.info("%s", self.tidy().said())

    def tidy(self) -> Tidied:
        """Throws away what nothing needs, now."""
        with self._turn, self.store.items.turn:
            done = tidy(self.store)
        (self.store.folder / MARK).touch()
        return done

"""Opening the database: SQLite in WAL mode, migrated, with a backup before each migration."""

import sqlite3
import threading
from contextlib import closing
from itertools import count
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from pydantic_core import from_json
from sqlalchemy import URL, Engine, create_engine, event

from yavik.core.table.texts import as_json
from yavik.store.folder import private
from yavik.store.troubles import FolderTrouble

FILE = "yavik.sqlite"
NEWER = (
    "The data folder was written by a newer Yavik, which this one cannot read. Nothing was changed. Start the newer"
    " one, or name another folder with --data-dir."
)


def connect(folder: Path) -> Engine:
    """An engine on the folder's database. Foreign keys on; writers wait for one another instead of failing."""
    # Not as a text: a folder's name may have characters that mean something in an address.
    where = URL.create("sqlite", database=str(folder.absolute() / FILE))
    patient = {"timeout": 60, "check_same_thread": False}
    engine = create_engine(where, connect_args=patient, json_serializer=as_json, json_deserializer=from_json)

    @event.listens_for(engine, "connect")
    def settings(connection: sqlite3.Connection, _record: Any) -> None:
        for pragma in (
            "page_size=16384",  # before WAL; large pages suit large columns
            "auto_vacuum=INCREMENTAL",  # of a new file; an older one is written anew when it is tidied
            "journal_mode=WAL",
            "synchronous=NORMAL",
            "foreign_keys=ON",
            "busy_timeout=60000",
            "cache_size=-65536",
            "mmap_size=1073741824",
        ):
            connection.execute(f"PRAGMA {pragma}")

    return engine


class Watch:
    """Tells whether anything was committed since, by whatever process: a connection of its own that nothing is
    written through, so that every commit is another's."""

    def __init__(self, folder: Path) -> None:
        self._connection = sqlite3.connect(folder / FILE, timeout=60, check_same_thread=False)
        self._turn = threading.Lock()
        self._unknown = count(-1, -1)

    def moment(self) -> int:
        """A number that stays the same as long as the database does (SQLite's data_version); another each time where
        SQLite cannot tell, so that whoever asks reads the database, which says in its own words what is wrong."""
        with self._turn:
            try:
                found: int = self._connection.execute("PRAGMA data_version").fetchone()[0]
            except sqlite3.Error:
                return next(self._unknown)
            return found

    def close(self) -> None:
        """Lets go of the database."""
        with self._turn:
            self._connection.close()


def migrate(folder: Path, engine: Engine) -> None:
    """Brings the database to the newest shape; an existing one is copied first. Raises FolderTrouble for one
    that a newer version wrote."""
    config = _config()
    newest = ScriptDirectory.from_config(config).get_current_head()
    with engine.connect() as connection:
        present = MigrationContext.configure(connection).get_current_revision()
    if present == newest:
        return
    if present is not None:
        if present not in known_revisions():
            raise FolderTrouble(NEWER)
        backup(folder, present)
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def backup(folder: Path, revision: str) -> Path:
    """A copy of the database before it is changed."""
    target = folder / f"backup-before-{revision}-next.sqlite"
    with private(target):
        pass
    with closing(sqlite3.connect(folder / FILE)) as source, closing(sqlite3.connect(target)) as copy:
        source.backup(copy)
    return target


def known_revisions() -> set[str]:
    """Shapes of the database that this version can read."""
    return {s.revision for s in ScriptDirectory.from_config(_config()).walk_revisions()}


def _config() -> Config:
    config = Config()
    place = str(Path(__file__).with_name("migrations"))
    config.set_main_option("script_location", place.replace("%", "%%"))
    return config

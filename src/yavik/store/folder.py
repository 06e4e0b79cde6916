"""The data folder: its owner's alone, one server at a time."""

import contextlib
import json
import os
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from sqlalchemy.exc import DatabaseError

from yavik.store.troubles import READ_ONLY, FolderTrouble, said_of_database

LOCK = "server.lock"
OWN_FOLDER, OWN_FILE = 0o700, 0o600


def prepare(folder: Path) -> None:
    """Makes the folder, for its owner alone. Raises FolderTrouble."""
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=OWN_FOLDER)
    except FileExistsError:
        raise FolderTrouble(f"{folder} is a file. Name a folder with --data-dir.") from None
    except OSError as trouble:
        raise FolderTrouble(f"The data folder {folder} cannot be made: {trouble.strerror}.") from None
    for path, mode in [(folder, OWN_FOLDER), *((p, OWN_FILE) for p in folder.iterdir() if p.is_file())]:
        with contextlib.suppress(OSError):  # another owner's, or a file system without modes
            if path.stat().st_mode & 0o077:
                path.chmod(mode)
    if not os.access(folder, os.W_OK | os.X_OK):
        raise FolderTrouble(READ_ONLY)


@contextlib.contextmanager
def private(file: Path) -> Iterator[IO[bytes]]:
    """A file to be written that nobody else can read, from its first byte on."""
    with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, OWN_FILE), "wb") as out:
        yield out


@contextlib.contextmanager
def in_sentences() -> Iterator[None]:
    """What the database says while it is opened, as a FolderTrouble."""
    try:
        yield
    except (DatabaseError, sqlite3.DatabaseError) as trouble:
        known = trouble if isinstance(trouble, DatabaseError) else DatabaseError("", None, trouble)
        raise FolderTrouble(said_of_database(known) or f"The database cannot be opened: {known.orig}.") from trouble


class Hold:
    """The folder while one server has it; the system lets go of it however that server ends.

    Args:
        address: told to whoever comes second.

    Raises FolderTrouble.
    """

    def __init__(self, folder: Path, address: str) -> None:
        import fcntl

        prepare(folder)
        self._file = (folder / LOCK).open("a+")
        (folder / LOCK).chmod(OWN_FILE)
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._file.seek(0)
            told = self._file.read()
            self._file.close()
            raise FolderTrouble(f"Yavik already works on {folder}. It is at {_address(told)}") from None
        self._file.truncate(0)
        self._file.write(json.dumps({"address": address, "process": os.getpid()}))
        self._file.flush()

    def release(self) -> None:
        """Lets go of the folder."""
        self._file.truncate(0)
        self._file.close()


def _address(told: str) -> str:
    try:
        return str(json.loads(told)["address"])
    except (ValueError, KeyError, TypeError):
        return "an address that it printed when it started."


def address_of_server(folder: Path) -> str | None:
    """Where the server that has a folder answers; None where none has it, or where it does not say."""
    try:
        told = (folder / LOCK).read_text()
    except OSError:
        return None
    address = _address(told)
    return address if address.startswith("http://") else None


@contextlib.contextmanager
def held(folder: Path, address: str) -> Iterator[None]:
    """Holds a folder for as long as the block runs. Raises FolderTrouble."""
    hold = Hold(folder, address)
    try:
        yield
    finally:
        hold.release()

"""Copies of the whole database: made while it is in use, proved by opening them, and brought back."""

import os
import shutil
import sqlite3
from contextlib import closing, suppress
from datetime import datetime
from pathlib import Path

from sqlalchemy.exc import DatabaseError

from yavik.store.database import FILE, NEWER, known_revisions
from yavik.store.folder import OWN_FOLDER, private
from yavik.store.troubles import FolderTrouble, said_of_database

FOLDER = "backups"
KEPT = 7
"""Daily backups that are kept; YAVIK_BACKUPS sets another number, 0 makes none."""
SETTING = "YAVIK_BACKUPS"


def copy(source: Path, target: Path) -> None:
    """A consistent copy of a database that may be in use, for its owner alone. What is half made leaves nothing."""
    coming = target.with_name(f".{target.name}.coming")
    try:
        with private(coming):
            pass
        with closing(sqlite3.connect(source)) as old, closing(sqlite3.connect(coming)) as new:
            old.backup(new)
        coming.replace(target)
    finally:
        coming.unlink(missing_ok=True)


def backup(folder: Path, target: Path) -> Path:
    """A backup of a data folder's database that was opened and found whole. Raises FolderTrouble."""
    source = folder / FILE
    if not source.exists():
        raise FolderTrouble(f"{folder} holds no data yet.")
    if target.is_dir():
        raise FolderTrouble(f"{target} is a folder. Name a file for the backup.")
    try:
        copy(source, target)
    except sqlite3.DatabaseError as trouble:
        raise FolderTrouble(_said(trouble)) from trouble
    except OSError as trouble:
        raise FolderTrouble(f"The backup cannot be written to {target}: {trouble.strerror}.") from trouble
    demand_whole(target)
    return target


def demand_whole(file: Path) -> None:
    """Raises FolderTrouble for what is no whole database of ours."""
    if not file.is_file():
        raise FolderTrouble(f"There is no file {file}.")
    try:
        with closing(sqlite3.connect(f"{file.absolute().as_uri()}?mode=ro&immutable=1", uri=True)) as db:
            whole = db.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
            revision = db.execute("SELECT version_num FROM alembic_version").fetchone()
            db.execute("SELECT count(*) FROM studies").fetchone()
    except sqlite3.DatabaseError as trouble:
        raise FolderTrouble(f"{file} is no backup of Yavik, or it is damaged.") from trouble
    if not whole or revision is None:
        raise FolderTrouble(f"{file} is no backup of Yavik, or it is damaged.")
    if revision[0] not in known_revisions():
        raise FolderTrouble(NEWER)


def _said(trouble: sqlite3.DatabaseError) -> str:
    return said_of_database(DatabaseError("", None, trouble)) or f"The database cannot be copied: {trouble}."


def restore(folder: Path, source: Path | None = None) -> tuple[Path, Path | None]:
    """Puts a backup in the place of the database; what was there stays beside it. Nothing may be working on it.

    Args:
        source: None for the newest backup of the folder.

    Returns:
        The backup that was taken, and where the database before went.

    Raises FolderTrouble.
    """
    taken = source or latest(folder)
    if taken is None:
        raise FolderTrouble(f"{folder} has no backup. Name the file of one: yavik restore FILE")
    demand_whole(taken)
    place, kept = folder / FILE, None
    coming = folder / f"{FILE}.coming"
    copy(taken, coming)
    if place.exists():
        kept = folder / f"before-restore-{datetime.now():%Y-%m-%d-%H%M%S}.sqlite"
        # Its journal goes with it: a damaged one may be all that there is of the last changes.
        for end in ("", "-wal", "-shm"):
            part = folder / f"{FILE}{end}"
            if part.exists():
                part.replace(kept.with_name(kept.name + end))
    coming.replace(place)
    return taken, kept


def latest(folder: Path) -> Path | None:
    """The newest backup of a folder."""
    found = [*(folder / FOLDER).glob("yavik-*.sqlite"), *folder.glob("backup-before-*.sqlite")]
    return max(found, key=lambda p: p.stat().st_mtime, default=None)


def number_kept() -> int:
    """How many daily backups are kept."""
    with suppress(ValueError):
        return max(0, int(os.environ.get(SETTING, KEPT)))
    return KEPT


def daily(folder: Path, today: datetime | None = None) -> Path | None:
    """Today's backup, made unless it is there or there is no room; the oldest beyond the number kept go. None where
    nothing was made. Raises FolderTrouble."""
    most = number_kept()
    target = folder / FOLDER / f"yavik-{today or datetime.now():%Y-%m-%d}.sqlite"
    source = folder / FILE
    if most == 0 or target.exists() or not source.exists():
        return None
    if shutil.disk_usage(folder).free < 2 * source.stat().st_size:
        raise FolderTrouble("No daily backup was made: there is too little room on the disk.")
    target.parent.mkdir(mode=OWN_FOLDER, exist_ok=True)
    made = backup(folder, target)
    for old in sorted((folder / FOLDER).glob("yavik-*.sqlite"))[:-most]:
        old.unlink()
    return made

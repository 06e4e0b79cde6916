"""Throwing away what nothing needs: marked from what stands in the studies, their history and what they show; the rest
is swept, and the file shrinks.

What can be undone stays: files as they were brought, the first version of every table that a description anywhere in
the history begins with, and the descriptions. What can be worked out again from those (tables in between, answers to
settings that were left again, profiles) stays only where it is shown now.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from pydantic import ValidationError
from sqlalchemy import Connection, Engine, delete, exists, select, text, true, update
from sqlalchemy.orm import Session

from yavik.core.table import DataProblem
from yavik.store.bodies import TableBody
from yavik.store.models import Change, ColumnData, Item, Piece, Profile, Result, Shown, Study, Upload, Version, now
from yavik.store.profiles import profile_key
from yavik.store.store import Store
from yavik.store.tables import Tables

DELETED_DAYS = 30
"""Days for which a deleted study can be brought back."""
UPLOAD_HOURS = 24
"""Hours for which a file stays that was brought and not made into a table."""
YOUNG = timedelta(hours=1)
BATCH = 500
INCREMENTAL = 2


@dataclass
class Tidied:
    """What was thrown away, and the size of the file before and after (bytes)."""

    studies: int = 0
    files: int = 0
    versions: int = 0
    columns: int = 0
    results: int = 0
    profiles: int = 0
    before: int = 0
    after: int = 0

    def said(self) -> str:
        """In a line for the one who asked."""
        parts = [
            f"{n} {words}"
            for n, words in (
                (self.studies, "deleted studies"),
                (self.files, "files"),
                (self.versions, "tables in between"),
                (self.columns, "columns"),
                (self.results, "answers and drawings"),
                (self.profiles, "profiles"),
            )
            if n
        ]
        size = f"{self.before / 1e6:.1f} → {self.after / 1e6:.1f} MB"
        return f"Thrown away: {', '.join(parts) or 'nothing'}. The database: {size}."


@dataclass
class _Marked:
    """Keys of what stays."""

    uploads: set[str] = field(default_factory=set)
    versions: set[str] = field(default_factory=set)
    results: set[str] = field(default_factory=set)


def tidy(store: Store, *, days: int = DELETED_DAYS, young: timedelta = YOUNG) -> Tidied:
    """Throws away what nothing needs.

    Args:
        days: after which a deleted study goes for good.
        young: what was made within this time stays: a file may just be becoming a table.
    """
    done = Tidied(before=_size(store.engine))
    done.studies = _end_studies(store, days)
    marked = _mark(store)
    # Whoever writes waits meanwhile; whoever saves a table then sees that its columns are there.
    with store.engine.connect() as connection:
        connection.execute(text("BEGIN IMMEDIATE"))
        done.files = _sweep_uploads(connection, marked.uploads)
        since = now() - young
        done.versions = _sweep(connection, Version.key, marked.versions, Version.made < since)
        done.results = _sweep(connection, Result.key, marked.results, Result.made < since)
        columns, profiles = _needed(connection)
        done.columns = _sweep(connection, ColumnData.hash, columns)
        done.profiles = _sweep(connection, Profile.key, profiles)
        connection.commit()
    store.forget()
    store.cells.mapped.sweep(columns)
    _shrink(store.engine)
    done.after = _size(store.engine)
    return done


def _end_studies(store: Store, days: int) -> int:
    """Studies that were deleted long enough ago; files that a copy reads become the copy's."""
    with Session(store.engine) as s, s.begin():
        old = list(s.scalars(select(Study.id).where(Study.deleted < now() - timedelta(days=days))))
        for study_id in old:
            for upload in s.scalars(select(Upload).where(Upload.study_id == study_id)).all():
                heir = _heir(s, upload, old)
                if heir:
                    s.execute(update(Upload).where(Upload.id == upload.id).values(study_id=heir))
            s.execute(delete(Study).where(Study.id == study_id))
    return len(old)


def _heir(s: Session, upload: Upload, gone: list[str]) -> str | None:
    for study_id, body in s.execute(select(Item.study_id, Item.body).where(Item.type == "table")):
        if study_id not in gone and body.get("upload") == upload.id:
            return str(study_id)
    return None


def _mark(store: Store) -> _Marked:
    marked = _Marked()
    with Session(store.engine) as s:
        present = s.execute(select(Item.id, Item.study_id, Item.body).where(Item.type == "table")).all()
        tables = {str(row[0]) for row in present}
        for _, _, body in present:
            _mark_body(marked, body)
        for item_id, before, after in s.execute(select(Change.item_id, Change.before, Change.after)):
            if item_id in tables:
                _mark_body(marked, before.get("body", {}))
                _mark_body(marked, after.get("body", {}))
        for key, before in s.execute(select(Shown.key, Shown.before)):
            marked.results |= {key, before} if before else {key}
    for _, study_id, body in present:
        _mark_versions(marked, store.tables(study_id), body)
    return marked


def _mark_body(marked: _Marked, body: dict[str, Any]) -> None:
    """The file of a table and its first version, as far as any moment of the history goes."""
    marked.uploads.add(str(body.get("upload") or ""))
    marked.versions.add(str(body.get("root") or ""))


def _mark_versions(marked: _Marked, tables: Tables, body: dict[str, Any]) -> None:
    """What a table is now, and the steps on its way there: a change in the middle goes on from them."""
    try:
        parsed = TableBody.opened(body)
        root = tables.root(parsed)
        marked.versions |= {root, *tables.versions.keys(root, parsed.steps, tables)}
    except (ValidationError, LookupError, DataProblem):
        return  # one that cannot be read keeps its file and first version


def _sweep(connection: Connection, column: Any, kept: set[str], old: Any = true()) -> int:
    every = [str(key) for key in connection.scalars(select(column).where(old))]
    gone = [key for key in every if key not in kept]
    for part in _parts(gone):
        connection.execute(delete(column.class_).where(column.in_(part)))
    return len(gone)


def _parts(keys: list[str]) -> Iterable[list[str]]:
    return (keys[i : i + BATCH] for i in range(0, len(keys), BATCH))


def _sweep_uploads(connection: Connection, kept: set[str]) -> int:
    """Files that no description names; those of the last hours may be about to become a table."""
    old = select(Upload.id).where(Upload.created < now() - timedelta(hours=UPLOAD_HOURS))
    gone = [str(key) for key in connection.scalars(old) if key not in kept]
    for part in _parts(gone):
        connection.execute(delete(Upload).where(Upload.id.in_(part)))
    connection.execute(delete(Piece).where(~exists().where(Upload.id == Piece.upload_id)))
    return len(gone)


def _needed(connection: Connection) -> tuple[set[str], set[str]]:
    """Columns and profiles of the versions that are left."""
    columns: set[str] = set()
    profiles: set[str] = set()
    for described, rows_hash in connection.execute(select(Version.columns, Version.rows_hash)):
        columns.add(rows_hash)
        for c in described:
            columns.add(c["hash"])
            profiles.add(profile_key(c["column"], c["hash"]))
    return columns, profiles


def _shrink(engine: Engine) -> None:
    """Gives free pages back to the disk; a file from before that could not is written anew once."""
    raw = engine.raw_connection()
    try:
        cursor = raw.cursor()
        raw.driver_connection.isolation_level = None  # type: ignore[union-attr]
        if cursor.execute("PRAGMA auto_vacuum").fetchone()[0] == INCREMENTAL:
            cursor.executescript("PRAGMA incremental_vacuum")  # one page a step: only a script is run to its end
        else:
            cursor.execute(f"PRAGMA auto_vacuum={INCREMENTAL}")
            cursor.execute("VACUUM")
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
    finally:
        raw.invalidate()  # its settings are its own


def _size(engine: Engine) -> int:
    with engine.connect() as connection:
        pages, size = (connection.execute(text(f"PRAGMA {p}")).scalar() for p in ("page_count", "page_size"))
    return int(pages or 0) * int(size or 0)

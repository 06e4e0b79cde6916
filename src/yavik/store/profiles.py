"""Small distributions of columns, kept under what they depend on."""

import logging
from typing import Any

from sqlalchemy import Engine, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from yavik.core.table import Column
from yavik.core.table import profile as made
from yavik.store.columns import ColumnStore
from yavik.store.models import Profile
from yavik.store.versions import Snapshot, key_of

log = logging.getLogger("yavik.store")


def profile_key(column: dict[str, Any], cells: str) -> str:
    """The same for columns of the same cells that are described alike where it matters.

    Args:
        column: a column's description as it is stored.
        cells: the hash of its cells.
    """
    return key_of("profile", made.REVISION, cells, column["kind"], column.get("decimals"), column.get("levels", []))


class Profiles:
    def __init__(self, engine: Engine, cells: ColumnStore) -> None:
        self.engine, self.cells = engine, cells

    def get(self, snapshot: Snapshot, name: str) -> made.Profile:
        """A column's distribution, computed once per column content."""
        place = next(i for i, c in enumerate(snapshot.columns) if c.name == name)
        column: Column = snapshot.columns[place]
        key = profile_key(column.model_dump(mode="json"), snapshot.hashes[place])
        with Session(self.engine) as session:
            data = session.scalar(select(Profile.data).where(Profile.key == key))
        if data is None:
            data = made.profile(column, self.cells.get([snapshot.hashes[place]])[0]).model_dump()
            self._keep(key, data)
        return made.Profile.model_validate(data)

    def _keep(self, key: str, data: dict[str, Any]) -> None:
        """So that it is computed once. Where that cannot be, as the disk is full, looking at a table goes on."""
        try:
            with self.engine.begin() as connection:
                connection.execute(insert(Profile).on_conflict_do_nothing(), {"key": key, "data": data})
        except OperationalError as trouble:
            log.warning("the distribution of a column cannot be kept: %s", trouble.orig)

"""What the table page looks at: rows in another order, only some of them, and where the next notable cell is."""

from functools import lru_cache
from typing import Annotated, Any

import numpy as np
from fastapi import Depends, Query
from pydantic import BaseModel

from yavik.core.steps.expressions import rows_where
from yavik.core.steps.grouping import order_of
from yavik.core.table import Table
from yavik.core.table.view import containing
from yavik.store import Store
from yavik.store.versions import Snapshot


class Look(BaseModel, frozen=True):
    """How the rows are looked at; nothing of it changes the table."""

    sort: str | None = None
    falling: bool = False
    where: str | None = None
    """Only rows for which this condition holds."""
    find: str | None = None
    """Only rows that hold this text in some column."""

    @property
    def plain(self) -> bool:
        return not (self.sort or self.where or self.find)


def look_of(
    sort: str | None = None,
    falling: bool = False,
    where: Annotated[str | None, Query(max_length=4000)] = None,
    find: Annotated[str | None, Query(max_length=200)] = None,
) -> Look:
    return Look(
        sort=sort or None, falling=falling, where=(where or "").strip() or None, find=(find or "").strip() or None
    )


TheLook = Annotated[Look, Depends(look_of)]


def places_of(store: Store, snapshot: Snapshot, look: Look) -> Any | None:
    """Places of the rows shown, in their order; None for all as they stand. Raises DataProblem."""
    if look.plain:
        return None
    return _places(_Held(store, snapshot), look)


class _Held:
    """A version as a key of the cache: equal when it is the same version."""

    def __init__(self, store: Store, snapshot: Snapshot) -> None:
        self.store, self.snapshot = store, snapshot

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Held) and other.snapshot.key == self.snapshot.key

    def __hash__(self) -> int:
        return hash(self.snapshot.key)


@lru_cache(maxsize=16)
def _places(held: _Held, look: Look) -> Any:
    table: Table = held.store.versions.table(held.snapshot)
    places = np.arange(table.n_rows)
    if look.where:
        places = np.flatnonzero(rows_where(look.where, table))
    if look.find:
        places = np.intersect1d(places, containing(table, look.find), assume_unique=True)
    if look.sort:
        order = order_of(table, [look.sort], [look.sort] if look.falling else [])
        shown = np.zeros(table.n_rows, bool)
        shown[places] = True
        places = order[shown[order]]
    return places

"""Tables of a study as they are now: from their file, or from another table that they stay linked to."""

import threading
from collections.abc import Iterable

from pydantic import ValidationError

from yavik.core.methods import answer
from yavik.core.methods.registry import new_columns
from yavik.core.steps.base import Around, Effect, Other
from yavik.core.table import DataProblem
from yavik.store.bodies import TableBody
from yavik.store.items import Items
from yavik.store.models import Item
from yavik.store.versions import Snapshot, Versions, tables_of

GONE = "gone"
CIRCLE = "These tables would be made from each other in a circle."


class Tables:
    """The tables of one study, and of no other: an id of another study's table is as good as none. Gives the versions
    what lies around a step, and finds the present version of any table by its id.

    Keys of versions hold the keys of the other tables that were used: when one of them changes, so does the key,
    and what depends on it is computed anew; nothing else is.
    """

    def __init__(self, items: Items, versions: Versions, study_id: str, at: list[Item] | None = None) -> None:
        self.items, self.versions, self.study_id = items, versions, study_id
        self._walk = threading.local()
        self._at = None if at is None else {item.id: item for item in at}
        self._keys: dict[str, str] = {}

    def body(self, table_id: str) -> TableBody:
        """Raises LookupError."""
        return TableBody.opened(self.item(table_id).body)

    def item(self, table_id: str) -> Item:
        """Raises LookupError."""
        if self._at is None:
            return self.items.item(self.study_id, table_id, "table")
        item = self._at.get(table_id)
        if item is None or item.type != "table":
            raise LookupError(table_id)
        return item

    def root(self, body: TableBody) -> str:
        """The key of the version its path begins with."""
        return self.key(body.link) if body.link else body.root

    def key(self, table_id: str) -> str:
        """The key of a table's present version, without working it out. Raises LookupError, DataProblem (a
        circle)."""
        if table_id in self._keys:
            return self._keys[table_id]
        walked: list[str] = getattr(self._walk, "ids", [])
        if table_id in walked:
            raise DataProblem(CIRCLE)
        self._walk.ids = [*walked, table_id]
        try:
            key = self.last_key(self.body(table_id))
            if self._at is not None:
                self._keys[table_id] = key
            return key
        finally:
            self._walk.ids = walked

    def last_key(self, body: TableBody) -> str:
        root = self.root(body)
        keys = self.versions.keys(root, body.steps, self)
        return keys[-1] if keys else root

    def key_or_gone(self, table_id: str) -> str:
        try:
            return f"{self.key(table_id)} {self.item(table_id).name}"
        except (LookupError, DataProblem):
            return GONE

    def replay(self, body: TableBody) -> tuple[Snapshot, list[Effect]]:
        """The present version and every step's effect. Raises LookupError when the source is gone, DataProblem."""
        root = self.root(body)
        if body.link and self.versions.find(root) is None:
            self.replay(self.body(body.link))
        return self.versions.replay(root, body.steps, self)

    def prepare(self, link: str | None) -> None:
        """Works out the table that another one begins with."""
        if link:
            self.replay(self.body(link))

    def known(self, body: TableBody) -> bool:
        return self.versions.find(self.last_key(body)) is not None

    def around(self, ids: Iterable[str]) -> Around:
        found = {}
        around: list[str] = getattr(self._walk, "around", [])
        for table_id in ids:
            if table_id in around:
                continue  # a circle that was not refused in time: the step says that the table is not there
            self._walk.around = [*around, table_id]
            try:
                snapshot, _ = self.replay(self.body(table_id))
                found[table_id] = Other(self.item(table_id).name, self.versions.table(snapshot))
            except LookupError:
                continue
            finally:
                self._walk.around = around
        return Around(
            tables=found,
            columns_of_answer=new_columns,
            answer=lambda table, method, spec: answer(method, table, spec),
        )

    def refuse_circle(self, table_id: str, body: TableBody) -> None:
        """Raises DataProblem when these steps would make a table from itself, by whatever way round."""
        waiting, seen = read_by(body), set()
        while waiting:
            other = waiting.pop()
            if other == table_id:
                raise DataProblem(CIRCLE)
            if other in seen:
                continue
            seen.add(other)
            try:
                waiting += read_by(self.body(other))
            except LookupError:
                continue

    def made_from(self, table_id: str) -> list[str]:
        """Names of the tables that read this one: to be said before it is deleted."""
        return [
            i.name
            for i in self.items.items(self.study_id)
            if i.type == "table" and table_id in _read_by_stored(i.body)
        ]


def _read_by_stored(body: dict[str, object]) -> list[str]:
    """What a kept body reads; nothing where it is damaged: its own entry says so."""
    try:
        return read_by(TableBody.opened(body))
    except (ValidationError, DataProblem):
        return []


def read_by(body: TableBody) -> list[str]:
    """Ids of the tables that one is made from."""
    return ([body.link] if body.link else []) + [t for step in body.steps for t in tables_of(step)]

"""Versions of tables: replaying steps from the file, every prefix kept under the hash of (file, options, steps)."""

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, Protocol

import pyarrow as pa
from sqlalchemy import Engine, select
from sqlalchemy.dialects.sqlite import insert as sqlite_insert

from yavik.core.steps import new_step
from yavik.core.steps.base import ALONE, Around, Effect
from yavik.core.steps.path import apply_step
from yavik.core.table import About, Column, Table
from yavik.core.table.about import NOTHING
from yavik.core.table.telling import Told, silent
from yavik.store.columns import ColumnStore, build
from yavik.store.models import Version, now

KEPT = 24


def _within(told: Told, start: float, share: float, which: str, part: float, what: str) -> None:
    """Tells of a part of a part."""
    told(start + share * part, f"{which}: {what}")


def tables_of(step: dict[str, Any]) -> list[str]:
    """Ids of the other tables that a step reads."""
    return new_step(step).tables() if step.get("table") or step.get("waves") else []


def key_of(*parts: Any) -> str:
    """A key from everything that decides it."""
    text = json.dumps(parts, sort_keys=True, ensure_ascii=False, default=str)
    return hashlib.blake2b(text.encode(), digest_size=20).hexdigest()


@dataclass(frozen=True)
class Snapshot:
    """A version's description without its cells."""

    key: str
    columns: list[Column]
    hashes: list[str]
    rows_hash: str
    n_rows: int
    effect: Effect
    about: About = NOTHING

    def fingerprint(self, names: list[str]) -> list[Any]:
        """What an answer from these columns depends on: cells, their descriptions, and which rows."""
        own = [
            (c.model_dump(mode="json"), h)
            for c, h in zip(self.columns, self.hashes, strict=True)
            if c.name in set(names)
        ]
        return [own, self.rows_hash]


class Others(Protocol):
    """What steps that read other tables need to know of them."""

    def key_or_gone(self, table_id: str) -> str: ...

    def around(self, ids: Iterable[str]) -> Around: ...


class _NoOthers:
    def key_or_gone(self, table_id: str) -> str:
        return table_id

    def around(self, ids: Iterable[str]) -> Around:
        return ALONE


NO_OTHERS: Others = _NoOthers()


class Versions:
    def __init__(self, engine: Engine, cells: ColumnStore, memory: int) -> None:
        self.engine, self.cells, self.memory = engine, cells, memory
        self._tables: OrderedDict[str, Table] = OrderedDict()
        self._found: dict[str, Snapshot] = {}
        self._lock = threading.Lock()

    def find(self, key: str) -> Snapshot | None:
        """A version's description; kept in memory, as a version never changes."""
        if key not in self._found:
            snapshot = self._read(key)
            if snapshot is None:
                return None
            self._found[key] = snapshot
        return self._found[key]

    def _read(self, key: str) -> Snapshot | None:
        with self.engine.connect() as connection:
            row = connection.execute(
                select(Version.columns, Version.rows_hash, Version.n_rows, Version.effect, Version.about).where(
                    Version.key == key
                )
            ).first()
        if row is None:
            return None
        columns = [Column.model_validate(c["column"]) for c in row[0]]
        effect, about = Effect.model_validate(row[3]), About.model_validate(row[4])
        return Snapshot(key, columns, [c["hash"] for c in row[0]], row[1], row[2], effect, about)

    def save(self, key: str, table: Table, effect: Effect, before: tuple[Snapshot, Table] | None = None) -> Snapshot:
        """Stores a version; columns shared with ``before`` are not packed again."""
        known: dict[int, str] = {}
        rows_hash = None
        if before is not None:
            known = {id(a): h for a, h in zip(before[1].arrays, before[0].hashes, strict=True)}
            rows_hash = before[0].rows_hash if before[1].rows is table.rows else None
        fresh = [i for i, a in enumerate(table.arrays) if id(a) not in known]
        stored = dict(zip(fresh, self.cells.put([table.arrays[i] for i in fresh]), strict=True)) if fresh else {}
        hashes = [stored.get(i) or known[id(a)] for i, a in enumerate(table.arrays)]
        rows_hash = rows_hash or self.cells.put_rows(table.rows)
        columns = [
            {"column": c.model_dump(mode="json"), "hash": h} for c, h in zip(table.columns, hashes, strict=True)
        ]
        with self.engine.begin() as connection:
            connection.execute(
                sqlite_insert(Version).on_conflict_do_nothing(),
                {
                    "key": key,
                    "columns": columns,
                    "rows_hash": rows_hash,
                    "n_rows": table.n_rows,
                    "effect": effect.model_dump(),
                    "made": now(),
                    "about": table.about.model_dump(mode="json", exclude_none=True),
                },
            )
            # What memory knows as stored may have been thrown away since; the insert above holds the database.
            self.cells.demand(connection, [*hashes, rows_hash], [*table.arrays, pa.array(table.rows, pa.int64())])
        self._remember(key, table)
        return Snapshot(key, list(table.columns), hashes, rows_hash, table.n_rows, effect, table.about)

    def table(self, snapshot: Snapshot, names: list[str] | None = None) -> Table:
        """The cells of a version, or of some of its columns (names that are not there are passed over)."""
        whole = self._recall(snapshot.key)
        if whole is not None:
            return whole if names is None else whole.select([n for n in names if whole.has(n)])
        places = [i for i, c in enumerate(snapshot.columns) if names is None or c.name in set(names)]
        arrays = self.cells.get([snapshot.hashes[i] for i in places])
        rows = self.cells.get_rows(snapshot.rows_hash)
        table = build([snapshot.columns[i] for i in places], arrays, rows, snapshot.about)
        if names is None:
            self._remember(snapshot.key, table)
        return table

    def rest(self) -> None:
        """Holds no table any more; what is known of them stays."""
        with self._lock:
            self._tables.clear()

    def forget(self) -> None:
        """Nothing is known any more but what the database has."""
        with self._lock:
            self._tables.clear()
            self._found.clear()

    def _recall(self, key: str) -> Table | None:
        with self._lock:
            if key in self._tables:
                self._tables.move_to_end(key)
            return self._tables.get(key)

    def _remember(self, key: str, table: Table) -> None:
        with self._lock:
            self._tables[key] = table
            self._tables.move_to_end(key)
            # Of large tables only a few stay: rows that were sorted or filtered are copies of everything.
            most = max(2, min(KEPT, self.memory // max(1, sum(a.nbytes for a in table.arrays))))
            while len(self._tables) > most:
                self._tables.popitem(last=False)

    def keys(self, root: str, steps: list[dict[str, Any]], others: Others = NO_OTHERS) -> list[str]:
        """One key per step; a step's id does not count, and one that is off changes nothing."""
        found, key = [], root
        for step in steps:
            if step.get("on", True):
                read = [others.key_or_gone(t) for t in tables_of(step)]
                own = {k: v for k, v in step.items() if k not in ("id", "on")}
                key = key_of(key, own, *read)
            found.append(key)
        return found

    def replay(
        self, root: str, steps: list[dict[str, Any]], others: Others = NO_OTHERS, told: Told = silent
    ) -> tuple[Snapshot, list[Effect]]:
        """The table after the steps, from the longest prefix that is kept, and every step's effect."""
        present = self.find(root)
        if present is None:
            raise LookupError(f"version {root} is not stored")
        effects: list[Effect] = []
        for i, (key, data) in enumerate(zip(self.keys(root, steps, others), steps, strict=True)):
            step = new_step(data)
            if not step.on:
                effects.append(
                    Effect(title=step.title(), said="switched off", rows_in=present.n_rows, rows_out=present.n_rows)
                )
                continue
            found = self.find(key)
            if found is None:
                begun = (i / len(steps), 1 / len(steps), f"Step {i + 1} of {len(steps)}")
                told(begun[0], begun[2])
                table = self.table(present)
                around = replace(others.around(step.tables()), told=partial(_within, told, *begun))
                after, effect = apply_step(table, step, around)
                found = self.save(key, after, effect, (present, table))
            present = found
            effects.append(found.effect)
        return present, effects

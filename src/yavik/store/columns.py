"""Cell data: Arrow bytes, compressed, once under their hash, with the lately used ones kept in memory."""

import hashlib
import threading
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
import pyarrow as pa
from sqlalchemy import Connection, Engine, select
from sqlalchemy.dialects.sqlite import insert as sqlite_insert

from yavik.core.table import About, Column, Table
from yavik.store.mapped import Mapped
from yavik.store.models import ColumnData

HASH_BYTES = 20
BATCH_BYTES = 4 << 20
_options = pa.ipc.IpcWriteOptions(compression="lz4")


def pack(array: Any) -> tuple[str, Any]:
    """(hash, bytes) of a column: equal cells give equal bytes, whatever they were cut from."""
    sink = pa.BufferOutputStream()
    batch = pa.record_batch([array], ["c"])
    with pa.ipc.new_stream(sink, batch.schema, options=_options) as writer:
        writer.write_batch(batch)
    data = sink.getvalue()
    return hashlib.blake2b(data, digest_size=HASH_BYTES).hexdigest(), data


def unpack(data: bytes) -> Any:
    """Cells from their compressed bytes."""
    batch = pa.ipc.open_stream(pa.py_buffer(data)).read_next_batch()
    return batch.column(0)


class ColumnStore:
    """
    Args:
        mapped: where large columns are laid out for all processes.
        memory: bytes of columns that this process may keep for itself.
    """

    def __init__(self, engine: Engine, mapped: Mapped, memory: int) -> None:
        self.engine, self.mapped, self.memory = engine, mapped, memory
        self._kept: OrderedDict[str, Any] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def put(self, arrays: list[Any]) -> list[str]:
        """Stores what is not there yet; returns the hashes.

        Packing runs on all cores while what is packed is written, in short transactions of a few megabytes:
        columns are content-addressed, so one that nothing refers to yet does no harm.
        """
        hashes: list[str] = []
        waiting: dict[str, tuple[Any, Any]] = {}
        size = 0
        with ThreadPoolExecutor(4) as pool:
            for (h, data), array in zip(pool.map(pack, arrays), arrays, strict=True):
                hashes.append(h)
                if self._recall(h) is None:
                    waiting[h] = (data, array)
                    size += len(data)
                if size > BATCH_BYTES:
                    self._write(waiting)
                    waiting, size = {}, 0
        self._write(waiting)
        return hashes

    def _write(self, columns: dict[str, tuple[Any, Any]]) -> None:
        """Columns are kept in memory only once they are stored: what memory knows, the database has."""
        if not columns:
            return
        rows = [{"hash": h, "data": memoryview(data)} for h, (data, _) in columns.items()]
        with self.engine.begin() as connection:
            connection.execute(sqlite_insert(ColumnData).on_conflict_do_nothing(), rows)
        for h, (_, array) in columns.items():
            self._keep(h, array)

    def demand(self, connection: Connection, hashes: list[str], arrays: list[Any]) -> None:
        """Sees to it, within a transaction, that columns are stored."""
        there: set[str] = set()
        for i in range(0, len(hashes), 500):
            part = hashes[i : i + 500]
            there |= set(connection.scalars(select(ColumnData.hash).where(ColumnData.hash.in_(part))))
        lost = {h: a for h, a in zip(hashes, arrays, strict=True) if h not in there}
        for h, array in lost.items():
            row = {"hash": h, "data": memoryview(pack(array)[1])}
            connection.execute(sqlite_insert(ColumnData).on_conflict_do_nothing(), row)

    def get(self, hashes: list[str]) -> list[Any]:
        """Columns by their hashes, in order. Raises LookupError where one is not stored."""
        found = {h: a for h in hashes if (a := self._recall(h)) is not None}
        found |= {h: a for h in hashes if h not in found and (a := self.mapped.get(h)) is not None}
        wanted = [h for h in dict.fromkeys(hashes) if h not in found]
        if wanted:
            with self.engine.connect() as connection:
                rows = connection.execute(
                    select(ColumnData.hash, ColumnData.data).where(ColumnData.hash.in_(wanted))
                ).all()
            with ThreadPoolExecutor(4) as pool:
                for (h, _), array in zip(rows, pool.map(lambda row: unpack(row[1]), rows), strict=True):
                    found[h] = self.mapped.put(h, array)
                    self._keep(h, found[h])
        if any(h not in found for h in wanted):
            raise LookupError("columns that are no longer stored")
        return [found[h] for h in hashes]

    def _recall(self, h: str) -> Any | None:
        with self._lock:
            if h in self._kept:
                self._kept.move_to_end(h)
                return self._kept[h]
        return None

    def _keep(self, h: str, array: Any) -> None:
        with self._lock:
            if h in self._kept:
                return
            self._kept[h] = array
            self._bytes += array.nbytes
            while self._bytes > self.memory and len(self._kept) > 1:
                _, old = self._kept.popitem(last=False)
                self._bytes -= old.nbytes

    def forget(self) -> None:
        """Nothing is known any more but what the database has."""
        with self._lock:
            self._kept.clear()
            self._bytes = 0

    def packed(self, hashes: list[str]) -> dict[str, bytes]:
        """Columns as they are stored, by their hashes. Raises LookupError where one is not stored."""
        with self.engine.connect() as connection:
            own = select(ColumnData.hash, ColumnData.data).where(ColumnData.hash.in_(hashes))
            found = {h: bytes(data) for h, data in connection.execute(own)}
        if len(found) < len(set(hashes)):
            raise LookupError("columns that are no longer stored")
        return found

    def put_rows(self, rows: Any) -> str:
        """Keeps row numbers; their hash."""
        return self.put([pa.array(rows, pa.int64())])[0]

    def get_rows(self, h: str) -> Any:
        """Row numbers by their hash."""
        return self.get([h])[0].to_numpy(zero_copy_only=False)


def build(columns: list[Column], arrays: list[Any], rows: Any, about: About | None = None) -> Table:
    """A table from stored parts."""
    return Table(tuple(columns), tuple(arrays), np.asarray(rows), about or About())

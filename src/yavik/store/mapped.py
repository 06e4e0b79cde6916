"""Large columns as files that processes share: uncompressed Arrow, mapped into memory, so that five processes that look
at one table hold it once. The database stays the only place where cells are kept: these files may go at any time."""

import contextlib
import os
from pathlib import Path
from typing import Any
from uuid import uuid4

import pyarrow as pa

from yavik.store.folder import OWN_FOLDER, private

FOLDER = "cells"
LARGE = 1 << 20
"""Bytes from which a column is laid out as a file."""
MOST_DISK = 8 << 30
"""Bytes that all of them may take; the longest unused go."""


class Mapped:
    def __init__(self, folder: Path, most: int = MOST_DISK) -> None:
        self.folder, self.most = folder / FOLDER, most

    def get(self, h: str) -> Any | None:
        """A column by its hash; None where it is not laid out, or not whole."""
        try:
            with pa.memory_map(str(self.folder / h)) as source:
                column = pa.ipc.open_file(source).read_all().column(0)
        except (OSError, pa.ArrowInvalid):
            return None
        with contextlib.suppress(OSError):
            os.utime(self.folder / h)
        return column.chunk(0) if column.num_chunks == 1 else column.combine_chunks()

    def put(self, h: str, array: Any) -> Any:
        """Lays a large column out; the array to be used from now on. Where there is no room the one given stays."""
        if array.nbytes < LARGE or len(array) == 0:
            return array
        coming = self.folder / f".{h}.{uuid4().hex[:8]}"
        try:
            self.folder.mkdir(mode=OWN_FOLDER, exist_ok=True)
            batch = pa.record_batch([array], ["c"])
            with private(coming) as out, pa.ipc.new_file(out, batch.schema) as writer:
                writer.write_batch(batch)
            coming.replace(self.folder / h)
        except OSError:
            with contextlib.suppress(OSError):
                coming.unlink()
            return array
        found = self.get(h)
        return array if found is None else found

    def sweep(self, kept: set[str]) -> int:
        """Takes away columns that are not kept any more, and the longest unused beyond the room there is; how many."""
        try:
            files = [(p, p.stat()) for p in self.folder.iterdir()]
        except OSError:
            return 0
        gone = [p for p, _ in files if p.name not in kept]
        left = sorted(((s.st_mtime, s.st_size, p) for p, s in files if p.name in kept), reverse=True)
        total = 0
        for _, size, path in left:
            total += size
            if total > self.most:
                gone.append(path)
        for path in gone:
            path.unlink(missing_ok=True)
        return len(gone)

"""The function that carries each description out on a store."""

from concurrent.futures import ThreadPoolExecutor
from typing import Annotated, Any

from pydantic import Field

from yavik.core.answers.wording import counted
from yavik.core.files.formats import read
from yavik.core.methods import Run
from yavik.core.steps.base import Effect
from yavik.engine.answering import ask
from yavik.engine.descriptions import Ask, ReadFile, Replay, replayed
from yavik.engine.drawing import Draw, draw
from yavik.store import Store
from yavik.store.versions import Snapshot

LARGE_CELLS = 400_000
"""Rows × columns above which replaying a step, describing columns or drawing is work for a job."""
TWO_AT_ONCE = 5_000_000
"""Rows up to which two columns are described at the same time."""
Description = ReadFile | Replay | Ask | Draw
Described = Annotated[Description, Field(discriminator="task")]


def carry_out(store: Store, description: Description, run: Run) -> dict[str, Any]:
    """The one entry for all of them, the same in the request and in a worker. Raises DataProblem, Stopped."""
    if isinstance(description, ReadFile):
        return _read_file(store, description, run)
    if isinstance(description, Replay):
        run.progress(0.02, "Replaying the path")
        snapshot = replayed(store, description, lambda part, what: run.progress(0.02 + 0.8 * part, what))
        _profiled(store, snapshot, run)
        return {"key": snapshot.key}
    if isinstance(description, Draw):
        return draw(store, description, run)
    return ask(store, description, run)


def _profiled(store: Store, snapshot: Snapshot, run: Run) -> None:
    """The small distributions of a large table's columns, so that whoever looks at it does not wait for them."""
    if snapshot.n_rows * len(snapshot.columns) <= LARGE_CELLS:
        return
    # Sorting, which is most of it, lets threads run side by side; each holds a few copies of a column.
    pool = ThreadPoolExecutor(2 if snapshot.n_rows <= TWO_AT_ONCE else 1)
    try:
        begun = [pool.submit(store.profile, snapshot, column.name) for column in snapshot.columns]
        for place, described in enumerate(begun):
            run.progress(0.85 + 0.15 * place / len(begun), "Describing the columns")
            described.result()
    finally:
        pool.shutdown(cancel_futures=True)  # where the work is stopped, the rest is not begun


def _read_file(store: Store, d: ReadFile, run: Run) -> dict[str, Any]:
    upload = store.files.get(d.upload)
    key = d.root(upload.sha)
    run.progress(0.02, "Opening the file")
    found = store.versions.find(key)
    notices: list[Any] = []
    if found is None:
        with store.files.as_path(d.upload) as path:
            table, notices = read(path, d.options, lambda part, what: run.progress(part * 0.7, what))
        run.progress(0.75, "Storing the columns")
        size = (
            f"{counted(table.n_rows, 'row')}, {counted(len(table.columns), 'column')}"
            if table.n_rows >= 1000
            else f"{table.n_rows} rows, {len(table.columns)} columns"
        )
        effect = Effect(
            title=upload.filename,
            said=size,
            rows_in=table.n_rows,
            rows_out=table.n_rows,
            notes=[n.text for n in notices],
        )
        found = store.versions.save(key, table, effect)
        _profiled(store, found, run)
    return {
        "key": key,
        "rows": found.n_rows,
        "columns": len(found.columns),
        "notices": [n.model_dump() for n in notices],
    }

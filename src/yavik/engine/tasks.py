"""What can be run: typed descriptions, and the function that carries each out on a store."""

from typing import Annotated, Any, Literal

import pyarrow as pa
from pydantic import BaseModel, Field, ValidationError

from yavik.core.answers import Answer
from yavik.core.answers.wording import counted
from yavik.core.files.formats import read
from yavik.core.files.options import ReadOptions
from yavik.core.methods import Run, parse_spec
from yavik.core.methods import answer as compute_answer
from yavik.core.methods.registry import get
from yavik.core.steps.base import Effect
from yavik.core.table import Column, DataProblem, Table
from yavik.core.table.about import About
from yavik.engine.needs import REVISION, answer_base, answer_key, needs
from yavik.store import Store
from yavik.store.columns import build, unpack
from yavik.store.versions import Snapshot, key_of


class ReadFile(BaseModel):
    """An upload into the first version of a table."""

    task: Literal["read_file"] = "read_file"
    upload: str
    options: ReadOptions

    def root(self, sha: str) -> str:
        """The key of the table that a file makes."""
        return key_of("file", sha, self.options.model_dump(mode="json"))


class Replay(BaseModel):
    """A file's version through some steps."""

    task: Literal["replay"] = "replay"
    study: str = ""
    root: str
    steps: list[dict[str, Any]]
    link: str | None = None


class Ask(BaseModel):
    """A question on a table."""

    task: Literal["ask"] = "ask"
    study: str = ""
    root: str
    steps: list[dict[str, Any]]
    link: str | None = None
    method: str
    spec: dict[str, Any]
    item: str | None = None


Description = Annotated[ReadFile | Replay | Ask, Field(discriminator="task")]


def carry_out(store: Store, description: ReadFile | Replay | Ask, run: Run) -> dict[str, Any]:
    """The one entry for all of them, the same in the request and in a worker. Raises DataProblem, Stopped."""
    if isinstance(description, ReadFile):
        return _read_file(store, description, run)
    if isinstance(description, Replay):
        run.progress(0.1, "Replaying the path")
        snapshot = replayed(store, description)
        return {"key": snapshot.key}
    return _ask(store, description, run)


def replayed(store: Store, d: Replay | Ask) -> Snapshot:
    """The version that a description begins with or asks about. Raises LookupError, DataProblem."""
    tables = store.tables(d.study)
    tables.prepare(d.link)
    return store.versions.replay(d.root, d.steps, tables)[0]


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
    return {
        "key": key,
        "rows": found.n_rows,
        "columns": len(found.columns),
        "notices": [n.model_dump() for n in notices],
    }


def _ask(store: Store, d: Ask, run: Run) -> dict[str, Any]:
    snapshot = replayed(store, d)
    key = answer_key(snapshot, d.method, d.spec)
    data = readable(store, key)
    if data is None:
        table = store.versions.table(snapshot, needs(snapshot, d.method, d.spec).columns)
        run.progress(0.05, "Computing")
        demand_columns(snapshot, d.method, d.spec)
        data = compute_answer(d.method, table, d.spec, run).model_dump(mode="json")
    store.keep_result(key, data, d.item, answer_base(snapshot, d.method, d.spec), REVISION)
    return {"key": key}


def readable(store: Store, key: str) -> dict[str, Any] | None:
    """A stored answer; one that cannot be read, as another version wrote it, is thrown away."""
    data = store.result(key)
    try:
        if data is not None:
            Answer.model_validate(data)
        return data
    except ValidationError:
        store.drop_result(key)
        return None


def demand_columns(snapshot: Snapshot, method: str, spec: dict[str, Any]) -> None:
    """A slot whose column is gone is said with the names there are, not only those that were loaded."""
    whole = Table(tuple(snapshot.columns), (), pa.array([], pa.int64()).to_numpy())
    for name in get(method).columns(parse_spec(method, spec)):
        whole.index(name)


def ask_pure(
    method: str, spec: dict[str, Any], columns: list[dict[str, Any]], cells: list[bytes], rows: bytes,
    about: dict[str, Any] | None = None, run: Run | None = None,
) -> dict[str, Any]:  # fmt: skip
    """An answer from bytes alone: what a machine without the store runs.

    Returns:
        ``{"answer": …}`` or ``{"problem": …}``.
    """
    described = [Column.model_validate(c) for c in columns]
    known = About.model_validate(about or {})
    table = build(described, [unpack(c) for c in cells], unpack(rows).to_numpy(), known)
    try:
        return {"answer": compute_answer(method, table, spec, run).model_dump(mode="json")}
    except DataProblem as problem:
        return {"problem": problem_data(problem)}


def problem_data(problem: DataProblem) -> dict[str, Any]:
    """A problem as it travels between processes."""
    return {"message": problem.message, "column": problem.column, "rows": problem.rows, "position": problem.position}


def problem_from(data: dict[str, Any]) -> DataProblem:
    """A problem that travelled."""
    return DataProblem(data["message"], column=data["column"], rows=data["rows"], position=data["position"])

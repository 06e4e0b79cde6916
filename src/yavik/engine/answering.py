"""An answer as a description: worked out once, kept under everything it depends on."""

from typing import Any

import pyarrow as pa
from pydantic import ValidationError

from yavik.core.answers import Answer
from yavik.core.methods import Run, parse_spec
from yavik.core.methods import answer as compute_answer
from yavik.core.methods.registry import get
from yavik.core.table import Column, DataProblem, Table
from yavik.core.table.about import About
from yavik.engine.descriptions import Ask, replayed
from yavik.engine.needs import REVISION, answer_base, answer_key, needs
from yavik.engine.problems import problem_data
from yavik.store import Store
from yavik.store.columns import build, unpack
from yavik.store.versions import Snapshot


def ask(store: Store, d: Ask, run: Run) -> dict[str, Any]:
    """Answers and keeps, unless it is kept already. Raises DataProblem, LookupError, Stopped."""
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


def answered(store: Store, d: Ask, run: Run) -> Answer:
    """The answer itself. Raises DataProblem, LookupError, Stopped."""
    return Answer.model_validate(store.result(ask(store, d, run)["key"]))


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

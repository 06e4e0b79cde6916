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
    return {"key": _worked_out(store, d, run)[0]}


def answered(store: Store, d: Ask, run: Run) -> Answer:
    """The answer itself. Raises DataProblem, LookupError, Stopped."""
    return _worked_out(store, d, run)[1]


def _worked_out(store: Store, d: Ask, run: Run) -> tuple[str, Answer]:
    snapshot = replayed(store, d)
    key = answer_key(snapshot, d.method, d.spec)
    data = store.result(key)
    found = kept_answer(data)
    if data is not None and found is not None:
        if d.item:
            store.show(d.item, key)
            store.trail.note(d.item, data)
        return key, found
    if data is not None:
        store.drop_result(key)  # another version wrote it, in a shape that cannot be read
    table = store.versions.table(snapshot, needs(snapshot, d.method, d.spec).columns)
    run.progress(0.05, "Computing")
    demand_columns(snapshot, d.method, d.spec)
    found = compute_answer(d.method, table, d.spec, run)
    base = answer_base(snapshot, d.method, d.spec)
    store.keep_result(key, found.model_dump(mode="json"), d.item, base, REVISION)
    return key, found


def kept_answer(data: dict[str, Any] | None) -> Answer | None:
    """An answer from what is kept of it; None where that is nothing that can be read."""
    try:
        return Answer.model_validate(data) if data else None
    except ValidationError:
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

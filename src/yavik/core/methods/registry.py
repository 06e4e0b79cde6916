"""Finds every method: files and folders under ``core/methods/<aim>/``, and the entry points ``yavik.methods``."""

import importlib
import pkgutil
from functools import cache, lru_cache
from importlib.metadata import EntryPoints, entry_points
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from pydantic import ValidationError

from yavik.core.answers import Answer, RowsUsed
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.gate import demand_numbers
from yavik.core.answers.wording import NoNumber, among
from yavik.core.methods.base import AIMS, Method, Run
from yavik.core.methods.kit.weighing import unweighted_check
from yavik.core.methods.repeat import for_each, with_and_without
from yavik.core.steps.expressions import rows_where
from yavik.core.table import Column, DataProblem, Kind, Table
from yavik.core.table.texts import keepable

HERE = Path(__file__).parent


@lru_cache(maxsize=1)
def methods() -> dict[str, Method[Any]]:
    """All methods by id: the ``METHOD`` of each file in an aim's folder, or of ``method`` in a folder of several."""
    every = [_method(place) for place in _places().values()] + [entry.load() for entry in _brought()]
    aims = list(AIMS)
    found = {method.id: method for method in every}
    return dict(sorted(found.items(), key=lambda m: (aims.index(m[1].aim), m[1].order, m[0])))


@lru_cache(maxsize=1)
def _places() -> dict[str, str]:
    """Modules that hold a method, by the name of its file or folder."""
    return {
        module.name: f"{__package__}.{aim}.{module.name}{'.method' if module.ispkg else ''}"
        for aim in AIMS
        for module in pkgutil.iter_modules([str(HERE / aim)])
    }


def _brought() -> EntryPoints:
    return entry_points(group="yavik.methods")


def _method(place: str) -> Method[Any]:
    method: Method[Any] = importlib.import_module(place).METHOD
    return method


@cache
def get(method: str) -> Method[Any]:
    """The method of an id. Where its folder is called as its id ends (``groups`` of ``compare_groups``), nothing but
    what it needs is loaded: loading all of them takes longer than most answers. Raises DataProblem for an unknown id.
    """
    named = sorted((name for name in _places() if method.endswith(name)), key=len, reverse=True)
    for name in [] if _brought() else named:
        found = _method(_places()[name])
        if found.id == method:
            return found
    if method not in methods():
        raise DataProblem(f"There is no method '{method}'. There are: {', '.join(sorted(methods()))}.")
    return methods()[method]


def parse_spec(method: str, data: dict[str, Any]) -> Any:
    """A Spec from JSON; what is wrong with it as one sentence naming the field."""
    try:
        return get(method).Spec.model_validate(data)
    except ValidationError as trouble:
        first = trouble.errors()[0]
        field = ".".join(str(p) for p in first["loc"]) or "the question"
        raise DataProblem(f"{field}: {first['msg']}.") from None
    except (TypeError, AttributeError, OverflowError) as trouble:  # a field's own reading met what it cannot read
        raise DataProblem(f"The question cannot be read: {trouble}.") from trouble


def new_columns(table: Table, method: str, data: dict[str, Any]) -> list[tuple[Column, Any]]:
    """The columns that an answer gives back to its table, with a cell for every row. Raises DataProblem."""
    m = get(method)
    if m.new_columns is None:
        return []
    spec = _asked(m, table, data)
    if not spec.where:
        _demand_size(table, m.columns(spec))
        return m.new_columns(table, spec)
    # Rows that the question leaves out have empty cells.
    mask = rows_where(spec.where, table)
    place = pa.array(np.cumsum(mask) - 1, pa.int64(), mask=~mask)
    kept = _kept(table, mask, m, spec)
    return [(column, array.take(place)) for column, array in m.new_columns(kept, spec)]


def answer(method: str, table: Table, data: dict[str, Any], run: Run | None = None) -> Answer:
    """The answer of a method to a spec on a table.

    Raises:
        DataProblem: what about the data or the spec stops it.
    """
    m, run = get(method), run or Run()
    spec = _asked(m, table, data)
    total = table.n_rows
    left_out: list[LeftOut] = []
    if spec.where and not m.design:
        mask = rows_where(spec.where, table)
        dropped = table.rows[~mask]
        left_out.append(LeftOut(why=f"not {spec.where}", n=len(dropped), rows=dropped[:200].tolist()))
        table = _kept(table, mask, m, spec)
    else:
        _demand_size(table, m.columns(spec))
    result = _computed(m, table, spec, run)
    result.method, result.version, result.spec = m.id, m.version, spec.model_dump()
    if not reads_design(m.id, result.spec) and m.needs_rows and (check := unweighted_check(table, m.id, result.spec)):
        result.checks.append(check)
    result.rows = RowsUsed(total=total, used=result.rows.used, left_out=[*left_out, *result.rows.left_out])
    return result


def _asked(m: Method[Any], table: Table, data: dict[str, Any]) -> Any:
    """The spec of a question that can be asked of a table. Raises DataProblem."""
    spec = parse_spec(m.id, keepable(data))
    for name in m.columns(spec):
        table.index(name)
    if not m.ready(spec):
        raise DataProblem("Fill the slots of the sentence to get an answer.")
    _demand_followed(m, spec)
    if table.n_rows == 0 and m.needs_rows:
        raise DataProblem("The table has no rows. Look at its path: a step may leave none over.")
    return spec


def _kept(table: Table, mask: Any, m: Method[Any], spec: Any) -> Table:
    """The rows of a question's filter. Raises DataProblem."""
    kept = _filtered(table, mask, m.columns(spec))
    if kept.n_rows == 0:
        raise DataProblem(f"No row has {spec.where}.")
    _demand_size(kept, m.columns(spec))
    return kept


def reads_design(method: str, spec: dict[str, Any]) -> bool:
    """Whether an answer reads the survey design of its table, or one of the models in its line-up does."""
    m = get(method)
    return m.design or (m.view == "lineup" and any(get(one["method"]).design for one in spec.get("models") or []))


FIRST = 1000
SMALLEST = 1e-100
"""Below it the squares of all values of a column are taken for 0."""


def _demand_size(table: Table, columns: list[str]) -> None:
    """Raises DataProblem for a column of numbers so small that their spread cannot be told from none."""
    for name in dict.fromkeys(columns):
        if table.column(name).kind is not Kind.measure:
            continue
        values = table.numbers(name)
        if np.any(np.abs(values[:FIRST]) >= SMALLEST):
            continue  # as is nearly always seen in the first of them
        top = float(np.nanmax(np.abs(values), initial=0.0))
        if 0 < top < SMALLEST:
            raise DataProblem(
                f"The values of {name} are too small to compute with (at most {top:.3g}). Give them in another unit.",
                column=name,
            )


def _computed(m: Method[Any], table: Table, spec: Any, run: Run) -> Answer:
    """The answer; one that would print a number that is none is refused as a whole."""
    try:
        result = for_each(m, table, spec, run) if spec.by and m.repeats else m.compute(table, spec, run)
        if spec.without:
            with_and_without(m, table, spec, run, result)
        demand_numbers(result, _own_words(table, m.columns(spec)))
    except NoNumber as trouble:
        raise DataProblem(
            "These data leave a number of the answer without a value, and it would have to be said in words. "
            "Look for columns or groups without spread, or for too few rows."
        ) from trouble
    except DataProblem as problem:
        _blame_the_empty(table, m.columns(spec), problem)
        raise
    return result


def _blame_the_empty(table: Table, columns: list[str], problem: DataProblem) -> None:
    """Where rows are wanting because one column is empty throughout, that column is named. Raises DataProblem."""
    hollow = [name for name in dict.fromkeys(columns) if table.n_rows and bool(table.empty(name).all())]
    if hollow:
        raise DataProblem(f"{hollow[0]} has no filled cells {among(table.n_rows)}.", column=hollow[0]) from problem


def _own_words(table: Table, columns: list[str]) -> set[str]:
    """Names, labels and levels of the researcher's own: a level may well be called 'nan'."""
    own = set()
    for name in columns:
        column = table.column(name)
        own |= {column.name, column.title, *(level.words for level in column.levels)}
        if column.kind in (Kind.text, Kind.identifier):
            own |= set(table.codes(name).levels[:10_000])
    return own


def _filtered(table: Table, mask: Any, columns: list[str]) -> Table:
    """The rows of a question's filter, knowing which levels of its columns the filter takes out altogether."""
    kept, gone = table.keep(mask), {}
    for name in columns:
        if not table.column(name).levels:
            continue
        coded, now = table.codes(name), kept.codes(name).codes
        before = np.bincount(coded.codes[coded.codes >= 0], minlength=len(coded.levels))
        after = np.bincount(now[now >= 0], minlength=len(coded.levels))
        gone[name] = tuple(coded.levels[i] for i in np.flatnonzero((before > 0) & (after == 0)))
    return kept.knowing(table.about.model_copy(update={"filtered_out": gone}))


def _demand_followed(m: Method[Any], spec: Any) -> None:
    """An option that a method cannot follow is refused, never quietly passed over. The seed harms nobody."""
    if "alternative" not in m.uses and spec.alternative != "two_sided":
        raise DataProblem("This question has no direction to choose: it looks for differences of any kind.")
    if "missing" not in m.uses and spec.missing != "listwise":
        raise DataProblem("This question uses the rows that are filled throughout; it cannot take them pair by pair.")

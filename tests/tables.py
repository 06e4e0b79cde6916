"""The demo's tables, prepared once, and small tables from text."""

from functools import lru_cache
from typing import Any

import numpy as np
from scipy.spatial.distance import squareform

from yavik.core.files.delimited import read
from yavik.core.stats.communities.unlike import unlike
from yavik.core.steps import apply_path, new_step
from yavik.core.steps.base import Around, Other
from yavik.core.table import Table
from yavik.demo import binding_glue, branches, experiments, people, returned, room_trial, surveys


@lru_cache(maxsize=1)
def demo_tables() -> dict[str, Table]:
    found = {
        t.name: _prepared(t.as_csv(), t.steps) for m in (experiments, people, branches, returned) for t in m.TABLES
    }
    found["Room trial"] = _prepared(room_trial.as_csv(), room_trial.STEPS)
    found["Binding glue"] = _prepared(binding_glue.as_csv(), binding_glue.STEPS)
    return found


SQUARE = [f"to {k + 1}" for k in range(24)]


@lru_cache(maxsize=1)
def square_of_quarters() -> Table:
    """Dissimilarities of the quarters by their genres, a column for each row, with their sites."""
    return read(square_csv())[0]


def named(table: str) -> Table:
    """A table of the demo, of its surveys, or the square."""
    if table == "Square":
        return square_of_quarters()
    return survey_tables()[table] if table.startswith("Reader survey") else demo_tables()[table]


@lru_cache(maxsize=1)
def survey_tables() -> dict[str, Table]:
    """Both waves of the reader survey, and both in one table."""
    found = {t.name: _prepared(t.as_csv(), t.steps) for t in surveys.TABLES}
    first, second = found["Reader survey 2023"], found["Reader survey 2025"]
    around = Around({"other": Other("Reader survey 2025", second)})
    found["Reader survey, both waves"] = apply_path(first, [new_step(surveys.join_step("other"))], around).table
    return found


def square_csv() -> bytes:
    """The square as a file."""
    quarters = demo_tables()["Genre loans"]
    genres = [c.name for c in quarters.columns if c.name.startswith("genre")]
    d = squareform(unlike(np.column_stack([quarters.numbers(g) for g in genres]), "bray_curtis"))
    columns = {name: [float(v) for v in d[:, k]] for k, name in enumerate(SQUARE)}
    return csv_from(quarter=quarters.texts("quarter"), site=quarters.texts("site"), **columns)


def _prepared(data: bytes, steps: Any) -> Table:
    return apply_path(read(data)[0], [new_step(s) for s in steps]).table


def table_from(**columns: Any) -> Table:
    """A table from columns of equal length; NaN and None are empty."""
    return read(csv_from(**columns))[0]


def csv_from(**columns: Any) -> bytes:
    """The same as a file."""
    names = list(columns)
    lines = [",".join(names)]
    for row in zip(*columns.values(), strict=True):
        lines.append(",".join("" if v is None or (isinstance(v, float) and np.isnan(v)) else str(v) for v in row))
    return ("\n".join(lines) + "\n").encode()

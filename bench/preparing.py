"""Steps on 1 000 000 rows against the plain pandas equivalent, replay, storing, workbooks, and memory.

Both sides get the data as they keep them: Yavik its Table (text as codes, with the column's memory cold), pandas a frame
whose text columns are categoricals, which is the fair and the fast choice there.
"""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
from run import ROWS, best, line

from yavik.core.files import xlsx
from yavik.core.files.options import ReadOptions
from yavik.core.steps import new_step
from yavik.core.steps.base import Around, Effect, Other
from yavik.core.steps.path import apply_step
from yavik.core.table import Column, Kind, Level, Table
from yavik.core.table.table import make_table
from yavik.store import Store
from yavik.store.bodies import TableBody

TOWNS = ["Aldmere", "Brackwell", "Corrin", "Dunfold", "Eastley", "Fenwick Cross", "Garrow", "Hollin", "Isbury"]
UNITS = 50_000


def data() -> tuple[Table, pd.DataFrame]:
    rng = np.random.default_rng(11)
    unit = rng.permutation(np.repeat(np.arange(UNITS), ROWS // UNITS))
    year = rng.integers(2000, 2020, ROWS)
    town = rng.integers(0, 9, ROWS)
    x, y = rng.normal(50, 10, ROWS).round(2), rng.gamma(2, 20, ROWS).round(1)
    x[rng.random(ROWS) < 0.02] = np.nan
    items = rng.integers(1, 6, (ROWS, 5))
    levels = tuple(Level(value=t) for t in TOWNS)
    columns = [
        Column(name="unit", kind=Kind.count),
        Column(name="year", kind=Kind.count),
        Column(name="town", kind=Kind.category, levels=levels),
        Column(name="x", kind=Kind.measure, decimals=2),
        Column(name="y", kind=Kind.measure, decimals=1),
    ]
    arrays: list[Any] = [
        pa.array(unit),
        pa.array(year),
        pa.DictionaryArray.from_arrays(pa.array(town, pa.int32()), pa.array(TOWNS)),
        pa.array(x, from_pandas=True),
        pa.array(y),
    ]
    columns += [Column(name=f"q{i}", kind=Kind.count) for i in range(5)]
    arrays += [pa.array(items[:, i]) for i in range(5)]
    frame = pd.DataFrame(
        {"unit": unit, "year": year, "town": pd.Categorical.from_codes(town, TOWNS), "x": x, "y": y}
        | {f"q{i}": items[:, i] for i in range(5)}
    )
    return make_table(columns, arrays), frame


def cold(table: Table) -> Table:
    """Without what earlier steps worked out and kept with the table."""
    return Table(table.columns, table.arrays, table.rows)


def steps() -> None:
    table, frame = data()
    q = [f"q{i}" for i in range(5)]
    other = make_table(
        [Column(name="unit", kind=Kind.count), Column(name="rent", kind=Kind.measure)],
        [pa.array(np.arange(UNITS)), pa.array(np.arange(UNITS) * 1.5)],
    )
    rents = pd.DataFrame({"unit": np.arange(UNITS), "rent": np.arange(UNITS) * 1.5})
    around = Around({"o": Other("Rents", other), "t": Other("More", table)})
    wide = frame[["unit", *q]]
    small = frame.drop_duplicates(["unit", "year"])
    small_table, _ = apply_step(table, new_step({"step": "unique", "columns": ["unit", "year"]}))
    jobs: list[tuple[dict[str, Any], Callable[[], object], Table]] = [
        ({"step": "keep_rows", "where": 'x > 50 and town != "Corrin"'}, lambda: frame[(frame.x > 50) & (frame.town != "Corrin")], table),
        ({"step": "compute", "name": "z", "expression": "log(y + 1) * 2 - x"}, lambda: frame.assign(z=np.log(frame.y + 1) * 2 - frame.x), table),
        ({"step": "recode", "columns": ["town"], "rules": [{"old": "Corrin", "new": "Hollin"}]}, lambda: frame.assign(town=frame.town.astype(object).replace({"Corrin": "Hollin"}).astype("category")), table),
        ({"step": "recode", "columns": ["y"], "rules": [{"old": "..20", "new": "1"}, {"old": "20..50", "new": "2"}]}, lambda: frame.assign(y=np.select([frame.y <= 20, frame.y <= 50], [1, 2], frame.y)), table),
        ({"step": "bin", "column": "y", "way": "equal_width", "bins": 8}, lambda: frame.assign(b=pd.cut(frame.y, 8)), table),
        ({"step": "standardise", "columns": ["x", "y"]}, lambda: frame.assign(a=(frame.x - frame.x.mean()) / frame.x.std(), b=(frame.y - frame.y.mean()) / frame.y.std()), table),
        ({"step": "standardise", "columns": ["x"], "by": ["town"]}, lambda: frame.assign(a=(frame.x - (g := frame.groupby("town", observed=True).x).transform("mean")) / g.transform("std")), table),
        ({"step": "transform", "columns": ["y"], "how": "log1p"}, lambda: frame.assign(a=np.log1p(frame.y)), table),
        ({"step": "transform", "columns": ["y"], "how": "rank"}, lambda: frame.assign(a=frame.y.rank()), table),
        ({"step": "reverse", "columns": ["q0"], "low": 1, "high": 5}, lambda: frame.assign(q0=6 - frame.q0), table),
        ({"step": "score", "columns": q, "name": "s", "at_least": 4}, lambda: frame.assign(s=frame[q].mean(axis=1).where(frame[q].notna().sum(axis=1) >= 4)), table),
        ({"step": "lag", "columns": ["y"], "by": ["unit"], "order": "year"}, lambda: frame.assign(a=frame.sort_values(["unit", "year"], kind="stable").groupby("unit").y.shift(1)), table),
        ({"step": "difference", "columns": ["y"], "by": ["unit"], "order": "year"}, lambda: frame.assign(a=frame.sort_values(["unit", "year"], kind="stable").groupby("unit").y.diff()), table),
        ({"step": "cumulate", "columns": ["y"], "by": ["unit"], "order": "year"}, lambda: frame.assign(a=frame.sort_values(["unit", "year"], kind="stable").groupby("unit").y.cumsum()), table),
        ({"step": "dummies", "column": "town"}, lambda: frame.join(pd.get_dummies(frame.town)), table),
        ({"step": "empty_codes", "columns": ["q0"], "codes": ["5"]}, lambda: frame.assign(q0=frame.q0.where(frame.q0 != 5)), table),
        ({"step": "fill", "columns": ["x"], "how": "mean", "by": ["town"]}, lambda: frame.assign(x=frame.x.fillna(frame.groupby("town", observed=True).x.transform("mean"))), table),
        ({"step": "fill", "columns": ["x"], "how": "previous"}, lambda: frame.assign(x=frame.x.ffill()), table),
        ({"step": "sort", "by": ["town", "y"]}, lambda: frame.sort_values(["town", "y"], kind="stable"), table),
        ({"step": "unique", "columns": ["unit", "year"]}, lambda: frame.drop_duplicates(["unit", "year"]), table),
        ({"step": "sample", "rows": 100_000}, lambda: frame.sample(100_000, random_state=1), table),
        ({"step": "drop_empty"}, lambda: frame.dropna(how="all"), table),
        ({"step": "check_rows", "rule": "0 <= y <= 500"}, lambda: frame[~((frame.y >= 0) & (frame.y <= 500))], table),
        ({"step": "panel", "unit": "town", "time": "year"}, lambda: frame.groupby(["town", "year"], observed=True).size().unstack(), table),
        ({"step": "lengthen", "columns": q, "values_to": "v", "names_to": "item"}, lambda: wide.melt("unit", q).sort_values("unit", kind="stable"), table.select(["unit", *q])),
        ({"step": "widen", "values": ["y"], "names": "year", "rows": ["unit"]}, lambda: small.pivot(index="unit", columns="year", values="y"), small_table),
        ({"step": "summarise", "columns": ["x", "y"], "by": ["unit"], "what": ["n", "mean", "sd"]}, lambda: frame.groupby("unit")[["x", "y"]].agg(["count", "mean", "std"]), table),
        ({"step": "summarise", "columns": ["x", "y"], "by": ["town"], "what": ["median", "min", "max"]}, lambda: frame.groupby("town", observed=True)[["x", "y"]].agg(["median", "min", "max"]), table),
        ({"step": "join", "table": "o", "keys": [{"mine": "unit", "theirs": "unit"}]}, lambda: frame.merge(rents, on="unit", how="left"), table),
        ({"step": "append", "table": "t"}, lambda: pd.concat([frame, frame], ignore_index=True), table),
    ]  # fmt: skip
    for step, plain, source in jobs:
        made = new_step(step)
        _, effect = apply_step(cold(source), made, around)
        assert effect.problem is None, effect.problem
        more = ", ".join(str(step[k]) for k in ("how", "way", "by") if step.get(k))
        line(
            f"{step['step']}{f' ({more})' if more else ''}, 1 000 000 rows",
            best(plain),
            best(lambda t=source, m=made: apply_step(cold(t), m, around)),
            "≤ 2 ×",
        )


def replay(folder: Path) -> None:
    """A change in the middle of ten steps, and what storing a step adds."""
    rng = np.random.default_rng(12)
    columns = [Column(name=f"c{i}", kind=Kind.measure, decimals=2) for i in range(50)]
    table = make_table(columns, [pa.array(rng.normal(size=200_000).round(2)) for _ in range(50)])
    store = Store(folder / "replay")
    store.versions.save("root", table, Effect(title="", said="", rows_in=0, rows_out=0))
    path = [{"step": "compute", "name": f"c{i}", "expression": f"c{i} * 2"} for i in range(10)]

    def timed(steps: list[dict[str, Any]]) -> float:
        start = time.perf_counter()
        store.tables("").replay(TableBody(root="root", steps=steps))
        return time.perf_counter() - start

    whole = timed(path)

    changed = [*path[:5], {"step": "compute", "name": "c5", "expression": "c5 * 3"}, *path[6:]]
    line(
        "replay after the sixth of ten steps changed, 200 000 × 50", whole, timed(changed), "≤ 0.5 × (half the steps)"
    )
    from sqlalchemy import func, select

    from yavik.store.models import ColumnData

    with store.engine.connect() as connection:
        stored = connection.execute(select(func.count()).select_from(ColumnData)).scalar()
    print(f"columns stored: {stored} (50 as read, their rows, and one for each step that was really new)")

    store.close()


def workbooks(folder: Path) -> None:
    import openpyxl

    rng = np.random.default_rng(13)
    columns = [Column(name=f"c{i}", kind=Kind.measure, decimals=2) for i in range(15)] + [
        Column(name=f"g{i}", kind=Kind.category, levels=tuple(Level(value=t) for t in TOWNS)) for i in range(5)
    ]
    arrays: list[Any] = [pa.array(rng.normal(size=100_000).round(2)) for _ in range(15)]
    arrays += [
        pa.DictionaryArray.from_arrays(pa.array(rng.integers(0, 9, 100_000), pa.int32()), pa.array(TOWNS))
        for _ in range(5)
    ]
    path = folder / "big.xlsx"
    xlsx.write(make_table(columns, arrays), path)

    def plain() -> None:
        book = openpyxl.load_workbook(path, read_only=True, data_only=True)
        for _ in book["Data"].iter_rows(values_only=True):
            pass

    line(
        "XLSX of 100 000 × 20 into a table",
        best(plain, 1),
        best(lambda: xlsx.read(path, ReadOptions(format="xlsx")), 1),
        "≤ 1.5 × the bare reader",
    )


MEMORY = """
import sys
import numpy as np, pyarrow as pa
from yavik.core.table import Column, Kind
from yavik.core.table.table import make_table
from yavik.core.steps import apply_path, new_step
def highest():
    line = next(x for x in open("/proc/self/status") if x.startswith("VmHWM"))
    return int(line.split()[1]) * 1024
rng = np.random.default_rng(1)
base = highest()
table = make_table([Column(name=f"c{i}", kind=Kind.measure, decimals=2) for i in range(50)], [pa.array(rng.normal(size=1_000_000)) for _ in range(50)])
size = sum(a.nbytes for a in table.arrays)
steps = [{"step": "keep_rows", "where": "c0 > -1"}, {"step": "compute", "name": "d", "expression": "c1 + c2"}, {"step": "standardise", "columns": ["c3", "c4"]}, {"step": "sort", "by": ["c5"]}]
done = apply_path(table, [new_step(s) for s in steps])
assert all(e.problem is None for e in done.effects)
peak = highest()
print(size, base, peak)
"""


def memory() -> None:
    import subprocess
    import sys

    out = subprocess.run([sys.executable, "-c", MEMORY], capture_output=True, text=True, check=True).stdout.split()
    size, base, peak = map(int, out)
    print(
        f"1 000 000 × 50 through keep, compute, standardise, sort: at its highest {(peak - base) / size:.2f} × the"
        f" table's own {size / 1e6:.0f} MB (mark: < 3 ×)"
    )


def main() -> None:
    with tempfile.TemporaryDirectory(prefix="yavik-bench-") as name:
        steps()
        replay(Path(name))
        memory()
        workbooks(Path(name))


if __name__ == "__main__":
    main()

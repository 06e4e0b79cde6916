"""Every column at a glance, for each level of another, and what is empty together."""

import numpy as np
import pyarrow as pa
from pydantic import BaseModel

from yavik.core.table.column import CODED, NUMERIC, Kind
from yavik.core.table.table import Table, number_text

MOST_GROUPS = 12
MOST_PATTERNS = 25
MOST_PATTERN_COLUMNS = 40


class GroupLine(BaseModel):
    """One group's line of a column: texts, as all numbers are put into words in Python."""

    group: str
    n: int
    empty: int
    said: str
    """'41.2 ± 9.6' (mean ± SD), or the commonest levels with their shares."""
    mean: float | None = None
    sd: float | None = None


class Pattern(BaseModel):
    """Rows whose empty cells are in exactly these columns."""

    columns: list[str]
    rows: int
    share: str


class Patterns(BaseModel):
    columns: list[str]
    """Columns with empty cells, the most first."""
    patterns: list[Pattern]
    more: int
    """Further patterns that are not listed."""
    complete: int
    rows: int


def by_group(table: Table, name: str, by: str) -> list[GroupLine]:
    """A column described within each level of another; at most ``MOST_GROUPS`` levels, in their order."""
    codes = table.codes(by)
    column, empty = table.column(name), table.empty(name)
    lines = []
    for g, level in enumerate(codes.levels[:MOST_GROUPS]):
        own = codes.codes == g
        full = own & ~empty
        n = int(full.sum())
        line = GroupLine(group=level, n=n, empty=int(own.sum()) - n, said="empty" if n == 0 else "")
        if n and column.kind in NUMERIC:
            values = table.array(name).cast(pa.float64()).to_numpy(zero_copy_only=False)[full]
            values = values[np.isfinite(values)]
            places = min(6, column.decimals + 1)
            mean = float(values.mean()) if len(values) else None
            sd = float(values.std(ddof=1)) if len(values) > 1 else None
            said = (
                "empty"
                if mean is None
                else number_text(mean, places) + (f" ± {number_text(sd, places)}" if sd is not None else "")
            )
            line = line.model_copy(update={"said": said, "mean": mean, "sd": sd})
        elif n and column.kind in CODED:
            own_codes = table.codes(name)
            counts = np.bincount(own_codes.codes[full], minlength=len(own_codes.levels))
            order = np.argsort(-counts, kind="stable")[:3]
            shares = [f"{own_codes.levels[i]} {round(100 * counts[i] / n)}%" for i in order.tolist() if counts[i]]
            line = line.model_copy(update={"said": ", ".join(shares)})
        elif n:
            line = line.model_copy(update={"said": f"{n} filled"})
        lines.append(line)
    return lines


def patterns(table: Table) -> Patterns:
    """Which columns are empty together, the commonest pattern first."""
    counts = {n: int(table.empty(n).sum()) for n in table.names}
    columns = sorted((n for n in table.names if counts[n]), key=lambda n: -counts[n])[:MOST_PATTERN_COLUMNS]
    code = np.zeros(table.n_rows, np.int64)
    for i, name in enumerate(columns):
        code |= table.empty(name).astype(np.int64) << i
    found, sizes = np.unique(code, return_counts=True)
    order = np.argsort(-sizes, kind="stable")
    listed = [
        Pattern(
            columns=[n for i, n in enumerate(columns) if int(found[k]) >> i & 1],
            rows=int(sizes[k]),
            share=f"{100 * sizes[k] / max(1, table.n_rows):.1f}%",
        )
        for k in order.tolist()[:MOST_PATTERNS]
    ]
    complete = int(sizes[found == 0].sum())
    more = max(0, len(found) - MOST_PATTERNS)
    return Patterns(columns=columns, patterns=listed, more=more, complete=complete, rows=table.n_rows)


def groupable(table: Table) -> list[str]:
    """Columns by which the others can be described."""
    return [
        c.name
        for c in table.columns
        if c.kind in CODED and 2 <= len(c.levels) <= 60 and c.kind is not Kind.identifier
    ]

"""JSON: a list of records, an object of columns, or a record on each line."""

import json
import math
from pathlib import Path
from typing import Any

from yavik.core.files.cells import demand_cells, table_from_columns
from yavik.core.files.naming import unique_names
from yavik.core.files.options import Notice, ReadOptions
from yavik.core.table import CODED, NUMERIC, DataProblem, Kind, Table
from yavik.core.table.table import cell_texts

MOST_BYTES = 1 << 30
MOST_KEYS = 20_000


def read(path: Path, options: ReadOptions, most: int | None = None) -> tuple[Table, list[Notice]]:
    """Records as rows; what is nested one level down becomes ``outer.inner``, deeper things stay JSON text.

    Raises:
        DataProblem: no JSON (with the line), or no records in it.
    """
    if path.stat().st_size > MOST_BYTES:
        raise DataProblem("A JSON file is read whole, and this one has more than 1 GB. Save it as CSV or Parquet.")
    text = path.read_bytes().decode("utf-8-sig", errors="replace").strip()
    if not text:
        raise DataProblem("The file is empty: it holds no text at all.")
    records = _parsed(text)
    if isinstance(records, dict):
        names, notices = unique_names(list(records))
        height = max((len(v) for v in records.values()), default=0)
        demand_cells(height, len(records), sum(len(v) for v in records.values()))
        columns = [[*v, *[None] * (height - len(v))] for v in records.values()]
        return table_from_columns(names, [_finite(c[:most]) for c in columns], options, notices)
    rows = [_flat(r) for r in records[:most]]
    keys = list(dict.fromkeys(k for r in rows for k in r))
    if not keys:
        raise DataProblem("There are no records with names and values in this file.")
    if len(keys) > MOST_KEYS:
        raise DataProblem(f"The records have {len(keys)} different names; a table can have {MOST_KEYS} columns.")
    demand_cells(len(rows), len(keys), sum(len(r) for r in rows))
    names, notices = unique_names(keys)
    lacking = sum(len(r) < len(keys) for r in rows)
    if lacking:
        notices.append(
            Notice(text=f"{lacking} of {len(rows)} records lack some of the names; those cells are empty.")
        )
    return table_from_columns(names, [_finite([r.get(k) for r in rows]) for k in keys], options, notices)


def _parsed(text: str) -> Any:
    """A list of records, or an object of columns."""
    try:
        found = json.loads(text, parse_int=_integer)
    except RecursionError:
        raise DataProblem("This JSON is nested too deeply to be a table.") from None
    except ValueError as trouble:
        lines = _lines(text)
        if lines is not None:
            return lines
        place = getattr(trouble, "lineno", 1)
        raise DataProblem(f"This is no JSON that can be read: look at line {place}.") from None
    if isinstance(found, dict):
        if found and all(isinstance(v, list) for v in found.values()):
            if len(found) == 1 and (only := next(iter(found.values()))) and isinstance(only[0], dict):
                return _records(only)
            return found
        inner = [v for v in found.values() if isinstance(v, list) and v and isinstance(v[0], dict)]
        return _records(inner[0] if len(inner) == 1 else [found])
    if isinstance(found, list):
        return _records(found)
    raise DataProblem("This JSON holds a single value, not records.")


def _integer(digits: str) -> int | float:
    """A whole number; one of more digits than a double can tell apart is a float, one beyond them all a text's
    size."""
    return int(digits) if len(digits) < 19 else float(digits[:400])


def _records(found: list[Any]) -> list[dict[str, Any]]:
    if found and all(isinstance(r, list) for r in found):
        head = [str(v) for v in found[0]]
        return [dict(zip(head, r, strict=False)) for r in found[1:]]
    odd = next((i for i, r in enumerate(found) if not isinstance(r, dict)), None)
    if odd is not None:
        raise DataProblem(f"Entry {odd + 1} of the JSON list is no record of names and values.")
    return found


def _lines(text: str) -> list[dict[str, Any]] | None:
    records = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        try:
            record = json.loads(line, parse_int=_integer)
        except (ValueError, RecursionError):
            if number == 1:
                return None
            raise DataProblem(f"Line {number} is no JSON record.") from None
        if not isinstance(record, dict):
            return None
        records.append(record)
    return records


def _flat(record: dict[str, Any]) -> dict[str, Any]:
    if not any(isinstance(v, dict) for v in record.values()):
        return record
    out: dict[str, Any] = {}
    for key, value in record.items():
        if isinstance(value, dict):
            out |= {f"{key}.{k}": v for k, v in value.items()}
        else:
            out[key] = value
    return out


def _finite(values: Any) -> list[Any]:
    return [None if isinstance(v, float) and not math.isfinite(v) else v for v in values]


def write(table: Table, path: Path) -> None:
    """A record on each row of a list; dates as ISO, levels as their words."""
    with path.open("w", encoding="utf-8") as out:
        out.write("[")
        for start in range(0, table.n_rows, 5000):
            part = table.slice(start, 5000)
            columns = [_values(part, n) for n in part.names]
            for i, row in enumerate(zip(*columns, strict=True)):
                out.write(",\n" if start or i else "\n")
                out.write(json.dumps(dict(zip(part.names, row, strict=True)), ensure_ascii=False, allow_nan=False))
        out.write("\n]\n")


def _values(part: Table, name: str) -> list[Any]:
    column = part.column(name)
    if column.kind in NUMERIC:
        return _finite(part.array(name).to_pylist())
    if column.kind is Kind.yes_no and {lv.value for lv in column.levels} <= {"yes", "no"}:
        return [None if t is None else t == "yes" for t in part.texts(name)]
    return part.texts(name) if column.kind in CODED else cell_texts(column, part.array(name))

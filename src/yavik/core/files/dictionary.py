"""What is known of columns, carried beside their cells: written with a file and put back when it is read."""

import json
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yavik.core.files.kinds import change_kind
from yavik.core.files.options import Notice, ReadOptions
from yavik.core.table import CODED, NUMERIC, Column, DataProblem, Kind, Table
from yavik.core.table.infer import single

SHEET = "Dictionary"
HEAD = ["Column", "Label", "Kind", "Unit", "Levels", "Means empty", "Note", "Decimals"]


def dictionary_json(table: Table) -> str:
    """The dictionary of a table as JSON."""
    return json.dumps(
        [c.model_dump(mode="json", exclude_defaults=True) | {"kind": c.kind} for c in table.columns],
        ensure_ascii=False,
    )


def dictionary_rows(table: Table) -> list[list[str]]:
    """The dictionary as rows of a sheet; levels as JSON, which survives any word."""
    return [
        [
            c.name,
            c.label or "",
            c.kind.value,
            c.unit or "",
            (
                json.dumps([[lv.value, lv.label] if lv.label else [lv.value] for lv in c.levels], ensure_ascii=False)
                if c.levels
                else ""
            ),
            (
                json.dumps(
                    [[e, c.empty_meanings[e]] if e in c.empty_meanings else [e] for e in c.empty_codes],
                    ensure_ascii=False,
                )
                if c.empty_codes
                else ""
            ),
            c.note or "",
            str(c.decimals),
        ]
        for c in table.columns
    ]


def columns_from_rows(rows: list[list[Any]]) -> list[Column] | None:
    """A dictionary sheet's rows as columns; None when it is not one of ours."""
    if not rows or [str(v or "") for v in rows[0][: len(HEAD)]] != HEAD:
        return None
    found = []
    try:
        for row in rows[1:]:
            name, label, kind, unit, levels, empties, note, decimals = [
                str(v) if v not in (None, "") else None for v in [*row, *[None] * 8][:8]
            ]
            codes = json.loads(empties) if empties else []
            found.append(
                Column.model_validate(
                    {
                        "name": name,
                        "label": label,
                        "kind": kind,
                        "unit": unit,
                        "levels": [
                            dict(zip(("value", "label"), lv, strict=False))
                            for lv in (json.loads(levels) if levels else [])
                        ],
                        "empty_codes": [c[0] for c in codes],
                        "empty_meanings": {c[0]: c[1] for c in codes if len(c) > 1},
                        "note": note,
                        "decimals": int(float(decimals or 0)),
                    }
                )
            )
    except (ValueError, TypeError, KeyError, IndexError):
        return None
    return found


def as_written(options: ReadOptions, known: list[Column]) -> ReadOptions:
    """How to read the cells of our own workbook: 'NULL' is a word there, and '0E0' in a text column no number."""
    texts = [c.name for c in known if c.kind not in (*NUMERIC, Kind.date)]
    return options.model_copy(update={"empty_codes": [""], "text_columns": texts})


def restored(table: Table, known: list[Column], words: bool = False) -> tuple[Table, list[Notice]]:
    """The table with its columns described as they were; what no longer fits stays as it was read, and is said.

    Args:
        words: the cells hold the levels' words, not their values.
    """
    notices = []
    by_name = {c.name: c for c in known}
    for name in table.names:
        if name not in by_name:
            continue
        try:
            table = table.with_column(*_restored(table.column(name), table.array(name), by_name[name], words))
        except DataProblem as problem:
            notices.append(
                Notice(text=f"{problem.message} It is read as {table.column(name).kind.value}.", column=name)
            )
    return table, notices


def _restored(read: Column, array: Any, known: Column, words: bool) -> tuple[Column, Any]:
    array = single(array)
    if known.kind in CODED:
        return known, _levels(read, array, known, words)
    if read.kind is not known.kind:
        plain = read.but(kind=Kind.text, levels=()) if read.kind in CODED else read
        _, array = change_kind(plain, _plain(read, array), known.kind, [])
    return known, array


def _plain(read: Column, array: Any) -> Any:
    return pc.cast(array.dictionary_decode(), pa.large_string()) if read.kind in CODED else array


def _levels(read: Column, array: Any, known: Column, words: bool) -> Any:
    """Cells by value or by words; something else than a known level is a mistake in one of the two."""
    if read.kind in CODED:
        values = [lv.value for lv in read.levels]
        codes = array.indices.fill_null(-1).to_numpy(zero_copy_only=False)
    else:
        text = pc.cast(array, pa.large_string()).dictionary_encode()
        values, codes = text.dictionary.to_pylist(), text.indices.fill_null(-1).to_numpy(zero_copy_only=False)
    place: dict[str, int] = {}
    for i, level in enumerate(known.levels):
        place[level.words if words else level.value] = i
    for i, level in enumerate(known.levels):
        place.setdefault(level.value if words else level.words, i)
    used = set(np.unique(codes[codes >= 0]).tolist())
    move = []
    for i, value in enumerate(values):
        found = place.get(value, place.get(_number(value)))
        if found is None and i in used:
            raise DataProblem(f"{known.name} holds '{value}', which is none of its levels.", column=known.name)
        move.append(-1 if found is None else found)
    fresh = np.array([*move, -1], np.int32)[codes]
    return pa.DictionaryArray.from_arrays(
        pa.array(fresh, pa.int32(), mask=fresh < 0), pa.array([lv.value for lv in known.levels], pa.string())
    )


def _number(text: str) -> str:
    """'1.0', as some writers give whole numbers, is the level '1'; yes/no is 1/0 in some files."""
    return text[:-2] if text.endswith(".0") else {"1": "yes", "0": "no", "true": "yes", "false": "no"}.get(text, text)

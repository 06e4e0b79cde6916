"""Parquet and Arrow (Feather) files; the dictionary travels in the schema's metadata."""

import json
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from pydantic import ValidationError

from yavik.core.files.dictionary import dictionary_json, restored
from yavik.core.files.kinds import change_kind
from yavik.core.files.naming import unique_names
from yavik.core.files.options import Notice, ReadOptions
from yavik.core.table import CODED, Column, DataProblem, Table
from yavik.core.table.infer import infer
from yavik.core.table.table import make_table

KEY = b"yavik.dictionary"
MOST_CELLS = 2_000_000_000
MOST_COLUMNS = 20_000


def read(path: Path, options: ReadOptions, most: int | None = None) -> tuple[Table, list[Notice]]:
    """All columns; nested ones as JSON text. Raises DataProblem for damaged files."""
    arrow = _opened(path, options.format, most)
    try:
        # Offsets and indices of a damaged file may point anywhere: Arrow trusts them unless it is told to look.
        arrow.validate(full=True)
        given = arrow.column_names
    except (pa.ArrowException, UnicodeDecodeError) as trouble:
        raise DataProblem("This file is damaged: its cells are not where it says they are.") from trouble
    if arrow.num_columns == 0:
        raise DataProblem("The file has no columns.")
    if arrow.num_columns > MOST_COLUMNS:
        raise DataProblem(f"The file has {arrow.num_columns} columns; a table can have {MOST_COLUMNS}.")
    names, notices = unique_names(given)
    columns, arrays = [], []
    for name, chunked in zip(names, arrow.columns, strict=True):
        column, cells = infer(name, _plain(chunked))
        if name in options.kinds:
            column, cells = change_kind(column, cells, options.kinds[name], [], dates=options.dates)
        columns.append(column)
        arrays.append(cells)
    table = make_table(columns, arrays)
    known = _known(arrow.schema.metadata)
    if known and not options.kinds:
        table, more = restored(table, known)
        notices += more
    return table, notices


def _opened(path: Path, format: str, most: int | None) -> Any:
    import pyarrow.parquet as pq

    what = "a Parquet file" if format == "parquet" else "an Arrow file"
    try:
        if format == "parquet":
            file = pq.ParquetFile(path)
            meta = file.metadata
            if meta.num_rows * max(1, meta.num_columns) > MOST_CELLS:
                raise DataProblem(
                    f"This file says it has {meta.num_rows:,} rows and {meta.num_columns} columns, more than can be"
                    " opened.".replace(",", " ")
                )
            if most is not None:
                batch = next(file.iter_batches(batch_size=most), None)
                return file.schema_arrow.empty_table() if batch is None else pa.Table.from_batches([batch])
            return file.read()
        with pa.memory_map(str(path)) as source:
            reader = pa.ipc.open_file(source)
            if most is not None and reader.num_record_batches:
                return pa.Table.from_batches([reader.get_batch(0).slice(0, most)])
            return reader.read_all()
    except pa.ArrowNotImplementedError as trouble:
        raise DataProblem(f"This file holds something that cannot be read here: {trouble}.") from trouble
    except (pa.ArrowException, OSError, ValueError, KeyError, EOFError) as trouble:
        raise DataProblem(f"This file cannot be opened as {what}: it is damaged or incomplete.") from trouble


def _plain(chunked: Any) -> Any:
    """Kinds of cells that tables know; everything nested becomes JSON text."""
    kind = chunked.type
    if pa.types.is_decimal(kind):
        return chunked.cast(pa.float64())
    if pa.types.is_unsigned_integer(kind) and kind.bit_width == 64:
        return chunked.cast(pa.float64(), safe=False)
    if pa.types.is_float16(kind):
        return chunked.cast(pa.float32())
    if pa.types.is_timestamp(kind) and kind.tz is not None:
        return chunked.cast(pa.timestamp("us", tz=kind.tz)).cast(pa.timestamp("us"))
    if pa.types.is_time(kind) or pa.types.is_duration(kind):
        return (
            pc.cast(chunked.cast(pa.int64()), pa.int64())
            if pa.types.is_duration(kind)
            else pc.cast(chunked, pa.string())
        )
    if pa.types.is_binary(kind) or pa.types.is_large_binary(kind) or pa.types.is_fixed_size_binary(kind):
        texts = [None if v is None else v.decode("utf-8", errors="replace") for v in chunked.to_pylist()]
        return pa.chunked_array([pa.array(texts, pa.large_string())])
    if pa.types.is_nested(kind):
        texts = [None if v is None else json.dumps(v, default=str, ensure_ascii=False) for v in chunked.to_pylist()]
        return pa.chunked_array([pa.array(texts, pa.large_string())])
    if pa.types.is_dictionary(kind) and not _texts(kind.value_type):
        return chunked.cast(kind.value_type)
    return chunked


def _texts(kind: Any) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


def _known(metadata: Any) -> list[Column] | None:
    if not metadata or KEY not in metadata:
        return None
    try:
        return [Column.model_validate(c) for c in json.loads(metadata[KEY])]
    except (ValueError, ValidationError):
        return None


def as_arrow(table: Table) -> Any:
    """Cells with levels as their values, and the dictionary as metadata."""
    arrays = [
        a if c.kind not in CODED else a.dictionary_decode().cast(pa.string())
        for c, a in zip(table.columns, table.arrays, strict=True)
    ]
    return pa.Table.from_arrays(arrays, names=table.names).replace_schema_metadata(
        {KEY: dictionary_json(table).encode()}
    )


def write_parquet(table: Table, path: Path) -> None:
    """The table as Parquet."""
    import pyarrow.parquet as pq

    pq.write_table(as_arrow(table), path, compression="zstd")


def write_arrow(table: Table, path: Path) -> None:
    """The table as Arrow."""
    from pyarrow import feather

    feather.write_feather(as_arrow(table), str(path), compression="lz4")

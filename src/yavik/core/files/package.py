"""Data packages (Frictionless Data Package, version 2): datapackage.json and a CSV for each table, in one zip."""

import io
import json
import re
import tempfile
import zipfile
from pathlib import Path, PurePosixPath
from typing import Any

from yavik.core.files import csv_out, delimited
from yavik.core.files.archive import safe_zip
from yavik.core.files.detect import detect
from yavik.core.files.dictionary import restored
from yavik.core.files.options import Notice, ReadOptions
from yavik.core.table import Column, DataProblem, Kind, Level, Table

WHAT = "a data package"
MOST_JSON = 64 << 20
TYPES: dict[Kind, str] = {
    Kind.measure: "number",
    Kind.count: "integer",
    Kind.yes_no: "string",
    Kind.category: "string",
    Kind.ordered: "string",
    Kind.date: "datetime",
    Kind.text: "string",
    Kind.identifier: "string",
}


def field_of(column: Column) -> dict[str, Any]:
    """A field's descriptor; our own properties stand under ``yavik``."""
    field: dict[str, Any] = {"name": column.name, "type": TYPES[column.kind]}
    if column.label:
        field["title"] = column.label
    if column.note:
        field["description"] = column.note
    if column.unit:
        field["unit"] = column.unit
    if column.levels:
        field["categories"] = [
            {"value": lv.value, "label": lv.label} if lv.label else {"value": lv.value} for lv in column.levels
        ]
        field["categoriesOrdered"] = column.kind is Kind.ordered
    if column.kind is Kind.date:
        field["format"] = "any"
    own: dict[str, Any] = {"kind": column.kind.value, "decimals": column.decimals}
    if column.empty_codes:
        # In the CSV these cells are empty; the codes they had are kept for the reader.
        own["empty_codes"] = list(column.empty_codes)
        own["empty_meanings"] = column.empty_meanings
    field["yavik"] = own
    return field


def column_of(field: dict[str, Any]) -> Column | None:
    """A column from a descriptor of anyone's package; None where it says nothing usable."""
    own = field.get("yavik") if isinstance(field.get("yavik"), dict) else {}
    assert isinstance(own, dict)
    levels = _levels(field)
    kind = own.get("kind") or _kind(field, levels)
    try:
        return Column.model_validate(
            {
                "name": field["name"],
                "kind": kind,
                "label": field.get("title"),
                "unit": field.get("unit"),
                "note": field.get("description"),
                "levels": levels,
                "empty_codes": own.get("empty_codes", []),
                "empty_meanings": own.get("empty_meanings", {}),
                "decimals": own.get("decimals", 0),
            }
        )
    except (ValueError, KeyError):
        return None


def _levels(field: dict[str, Any]) -> list[Level]:
    listed = field.get("categories") or (field.get("constraints") or {}).get("enum") or []
    if not isinstance(listed, list):
        return []
    return [
        (
            Level(value=str(v["value"]), label=v.get("label"))
            if isinstance(v, dict) and "value" in v
            else Level(value=str(v))
        )
        for v in listed
    ]


def _kind(field: dict[str, Any], levels: list[Level]) -> Kind | None:
    if levels:
        return Kind.ordered if field.get("categoriesOrdered") else Kind.category
    known = {"number": Kind.measure, "integer": Kind.count, "date": Kind.date, "datetime": Kind.date}
    return known.get(str(field.get("type")))


def descriptor(name: str, tables: list[tuple[str, Table]]) -> tuple[dict[str, Any], list[str]]:
    """The package's datapackage.json and the paths of its CSV files."""
    resources, paths = [], []
    for title, table in tables:
        stem = slug(title)
        path = f"data/{stem}.csv"
        while path in paths:
            stem += "-2"
            path = f"data/{stem}.csv"
        paths.append(path)
        schema = {"fields": [field_of(c) for c in table.columns], "missingValues": [""]}
        resources.append(
            {
                "name": stem,
                "title": title,
                "path": path,
                "format": "csv",
                "mediatype": "text/csv",
                "encoding": "utf-8",
                "yavik": {"guarded": True},
                "schema": schema,
            }
        )
    return {
        "$schema": "https://datapackage.org/profiles/2.0/datapackage.json",
        "name": slug(name),
        "title": name,
        "resources": resources,
    }, paths


def slug(text: str) -> str:
    """A name as a file can have it."""
    return re.sub(r"[^a-z0-9]+", "-", text.casefold()).strip("-") or "table"


def add_tables(archive: zipfile.ZipFile, name: str, tables: list[tuple[str, Table]]) -> list[str]:
    """Puts descriptor and CSV files into an open zip; returns the paths of the CSV files."""
    found, paths = descriptor(name, tables)
    archive.writestr("datapackage.json", json.dumps(found, ensure_ascii=False, indent=1))
    for path, (_, table) in zip(paths, tables, strict=True):
        with archive.open(path, "w", force_zip64=True) as out:
            csv_out.write_to(table, out, values=True)  # type: ignore[arg-type]
    return paths


def write(table: Table, path: Path, name: str = "table") -> None:
    """The table as a Data Package."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        add_tables(archive, name, [(name, table)])


def resources_of(archive: zipfile.ZipFile) -> list[dict[str, Any]]:
    """Resources that are tables in the archive itself: paths that lead elsewhere are refused."""
    if "datapackage.json" not in archive.namelist():
        raise DataProblem(
            "This zip has no datapackage.json, so it is no data package. Unpack it and bring the files in one by one."
        )
    if archive.getinfo("datapackage.json").file_size > MOST_JSON:
        raise DataProblem("The description of this package is larger than any real one; it is not opened.")
    try:
        found = json.loads(archive.read("datapackage.json").decode("utf-8-sig"))
        listed = [r for r in found["resources"] if isinstance(r, dict)]
    except (ValueError, KeyError, TypeError, RecursionError) as trouble:
        raise DataProblem("The datapackage.json of this package cannot be read.") from trouble
    good = []
    for resource in listed:
        path = resource.get("path")
        path = path[0] if isinstance(path, list) and len(path) == 1 else path
        if (
            not isinstance(path, str)
            or "://" in path
            or PurePosixPath(path).is_absolute()
            or ".." in PurePosixPath(path).parts
        ):
            continue
        if path in archive.namelist() and path.lower().endswith((".csv", ".tsv", ".txt")):
            good.append({**resource, "path": path})
    if not good:
        raise DataProblem("This package holds no table as CSV.")
    return good


def title_of(resource: dict[str, Any]) -> str:
    """What a resource is called."""
    return str(resource.get("title") or resource.get("name") or resource["path"])


def sheet_names(path: Path) -> list[str]:
    """Titles of the resources."""
    with safe_zip(path, WHAT) as archive:
        return [title_of(r) for r in resources_of(archive)]


def read(path: Path, options: ReadOptions, most: int | None = None) -> tuple[Table, list[Notice]]:
    """One of the package's tables. Raises DataProblem."""
    with safe_zip(path, WHAT) as archive:
        listed = resources_of(archive)
        resource = next((r for r in listed if options.sheet in (None, title_of(r))), None)
        if resource is None:
            raise DataProblem(
                f"The package has no table '{options.sheet}'. It has {', '.join(map(title_of, listed))[:200]}."
            )
        with tempfile.TemporaryDirectory(prefix="yavik-") as folder:
            target = Path(folder) / "data.csv"
            with archive.open(resource["path"]) as source, target.open("wb") as out:
                while chunk := source.read(1 << 20):
                    out.write(chunk)
            return _table(target, resource, options, most)


def _table(
    path: Path, resource: dict[str, Any], options: ReadOptions, most: int | None
) -> tuple[Table, list[Notice]]:
    schema = resource.get("schema") if isinstance(resource.get("schema"), dict) else {}
    assert isinstance(schema, dict)
    fields = [f for f in schema.get("fields", []) if isinstance(f, dict)]
    known = [c for c in map(column_of, fields) if c is not None]
    head, whole = delimited.head_of(path)
    how = detect(head, whole=whole)
    dialect = resource.get("dialect") if isinstance(resource.get("dialect"), dict) else {}
    assert isinstance(dialect, dict)
    missing = [str(m) for m in schema.get("missingValues", [""]) if isinstance(m, str)]
    texts = [c.name for c in known if c.kind not in (Kind.measure, Kind.count, Kind.date)]
    own = bool((resource.get("yavik") or {}).get("guarded")) if isinstance(resource.get("yavik"), dict) else False
    update: dict[str, Any] = {
        "delimiter": str(dialect.get("delimiter") or how.delimiter)[:1],
        "empty_codes": missing or [""],
        "text_columns": texts,
        "kinds": options.kinds,
    }
    if own:
        update |= {"decimal": ".", "header": True, "delimiter": ","}
    source: Any = path
    if most is not None:
        rows = head if whole else head[: head.rfind(b"\n") + 1]
        source = io.BytesIO(rows).getvalue()
    table, notices = delimited.read(source, how.model_copy(update=update))
    if own:
        table = csv_out.unguarded(table)
    if not options.kinds:
        table, more = restored(table, known)
        notices = [*[n for n in notices if n.column not in {c.name for c in known}], *more]
    return table, notices

"""Reading cells as another kind, with a sentence that names the cells that cannot be."""

from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from yavik.core.files.options import Dates
from yavik.core.table import DataProblem, Kind, rows_in_words
from yavik.core.table.infer import recast
from yavik.core.table.table import kind_words

DATE_FORMS: dict[Dates, list[str]] = {
    "iso": [],
    "day_first": ["%d.%m.%Y", "%d/%m/%Y", "%d-%m-%Y"],
    "month_first": ["%m/%d/%Y", "%m-%d-%Y", "%m.%d.%Y"],
}


MOST_COUNT = 2.0**63
THINGS = {
    Kind.date: ("a date in this form", "dates in this form"),
    Kind.count: ("a whole number that can be counted to", "whole numbers that can be counted to"),
}


def number_mask(array: Any) -> Any:
    """Which text cells read as numbers (null stays null)."""
    return pc.match_substring_regex(pc.utf8_trim_whitespace(array), r"^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$")


def change_kind(
    column: Any, array: Any, kind: Kind, empty_codes: list[str], rows: Any = None, dates: Dates = "iso"
) -> tuple[Any, Any]:
    """Recasts; used by the readers and by the step ``kind``.

    Raises:
        DataProblem: naming the cells, by their rows, that have another form.
    """
    if kind is Kind.date and dates != "iso" and column.kind is not Kind.date:
        return _dates(column, array, rows, dates)
    try:
        return recast(column, array, kind)
    except pa.ArrowInvalid as trouble:
        text = _text(array)
        good = number_mask(text) if kind is not Kind.date else pc.match_substring_regex(text, r"^\d{4}-\d\d-\d\d")
        if kind is Kind.count:
            good = pc.and_kleene(good, _whole(pc.if_else(good, text, None)))
        bad = (~pc.fill_null(good, True).to_numpy(zero_copy_only=False)).nonzero()[0]
        raise _other_form(column, text, bad, rows, kind) from trouble


def _whole(text: Any) -> Any:
    """Which numbers are counts that a table can hold."""
    values = pc.cast(pc.utf8_trim_whitespace(text), pa.float64())
    return pc.and_(pc.equal(values, pc.round(values)), pc.less(pc.abs(values), MOST_COUNT))


def _text(array: Any) -> Any:
    return pc.cast(array.dictionary_decode() if pa.types.is_dictionary(array.type) else array, pa.large_string())


def _dates(column: Any, array: Any, rows: Any, dates: Dates) -> tuple[Any, Any]:
    text = _text(array)
    found = pa.nulls(len(text), pa.timestamp("us"))
    for form in ["%Y-%m-%d", *DATE_FORMS[dates]]:
        found = pc.coalesce(found, pc.strptime(text, format=form, unit="us", error_is_null=True))
    bad = (found.is_null().to_numpy(zero_copy_only=False) & ~text.is_null().to_numpy(zero_copy_only=False)).nonzero()[
        0
    ]
    if len(bad):
        raise _other_form(column, text, bad, rows, Kind.date)
    return column.but(kind=Kind.date, levels=(), decimals=0), found


def _other_form(column: Any, text: Any, bad: Any, rows: Any, kind: Kind) -> DataProblem:
    where = (bad + 1 if rows is None else rows[bad]).tolist()
    if not where:
        return DataProblem(
            f"{column.name} cannot be read as {kind_words(kind)}: some cells have another form.", column=column.name
        )
    words = ", ".join(f"'{w}'" for w in sorted({str(v) for v in text.take(pa.array(bad[:1000])).to_pylist()})[:5])
    thing, things = THINGS.get(kind, ("a number", "numbers"))
    count = f"1 cell is not {thing}" if len(where) == 1 else f"{len(where)} cells are not {things}"
    hint = (
        "Choose the form that dates have here, or say that these mean empty first."
        if kind is Kind.date
        else "Say that they mean empty first, or keep the column as it is."
    )
    return DataProblem(
        f"{column.name}: {count} ({words}; {rows_in_words(where)}). {hint}", column=column.name, rows=where
    )

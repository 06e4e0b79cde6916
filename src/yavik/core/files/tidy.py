"""What every reader's table goes through: characters that are none are taken out, labels that look alike are said."""

import pyarrow as pa

from yavik.core.files.options import Notice
from yavik.core.table import CODED, Column, Table
from yavik.core.table.infer import coded as make_coded
from yavik.core.table.texts import cleaned_array, cleaned_deep

MOST_ALIKE = 2000
"""Levels beyond which labels that look alike are not looked for."""


def tidied(table: Table, notices: list[Notice]) -> tuple[Table, list[Notice]]:
    """The table as it is kept, and what is to be said of it."""
    table, notices = _clean(table, notices)
    return table, [*notices, *_alike(table)]


def _clean(table: Table, notices: list[Notice]) -> tuple[Table, list[Notice]]:
    """Names, labels and cells without characters that are none; columns in which there were some are said."""
    odd = []
    for column, array in zip(table.columns, table.arrays, strict=True):
        known = column.model_dump(mode="json")
        clean = cleaned_deep(known)
        fresh_column = column if clean == known else Column.model_validate(clean)
        coded = column.kind in CODED
        fresh = cleaned_array(pa.array(array.dictionary)) if coded else cleaned_array(array)
        if fresh_column is column and (fresh is array or (coded and fresh.equals(array.dictionary))):
            continue
        odd.append(fresh_column.title)
        if coded:  # two levels may have become one
            texts = cleaned_array(array.dictionary_decode().cast(pa.large_string()))
            order = [level.value for level in fresh_column.levels]
            fresh_column, fresh = make_coded(fresh_column, texts, list(dict.fromkeys(order)))
        place = table.index(column.name)
        name = fresh_column.name or f"column {place + 1}"
        taken = {n for i, n in enumerate(table.names) if i != place}
        while name in taken:
            name += "_"
        table = table.with_column(fresh_column.but(name=name), fresh, at=place)
    if odd:
        words = ", ".join(odd[:5]) + (f" and {len(odd) - 5} more" if len(odd) > 5 else "")
        notices = [*notices, Notice(text=f"Control characters, which no text can show, were taken out of {words}.")]
    return table, notices


def _alike(table: Table) -> list[Notice]:
    """Levels of one column that differ only in capitals or in spaces: often one level, typed in two ways."""
    found = []
    for column in table.columns:
        if column.kind not in CODED or len(column.levels) > MOST_ALIKE:
            continue
        seen: dict[str, list[str]] = {}
        for level in column.levels:
            seen.setdefault(" ".join(level.value.casefold().split()), []).append(level.value)
        for same in seen.values():
            if len(same) > 1:
                quoted = [f"“{v}”" for v in same[:4]]
                words = f"{', '.join(quoted[:-1])} and {quoted[-1]}"
                found.append(
                    Notice(
                        text=(
                            f"Labels of {column.title} look alike: {words}. They count as different levels; join them"
                            " if they are one."
                        )
                    )
                )
    return found

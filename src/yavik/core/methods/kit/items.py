"""Items of a scale or test as numbers, and what they may not be."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing
from yavik.core.stats.groups import Floats
from yavik.core.steps.grouping import numbers_for
from yavik.core.table import Column, DataProblem, Kind, Table

ITEMS = ["count", "measure", "ordered", "yes_no"]
"""Kinds of columns that are items."""
MOST_ITEMS = 200


def item_values(table: Table, name: str) -> Floats:
    """An item's answers as numbers: a coded item by its values where they are numbers, else by its levels' order."""
    column = table.column(name)
    if column.kind is Kind.yes_no:
        return table.numbers(name)
    try:
        return np.asarray(numbers_for(table, name), np.float64)
    except DataProblem:
        if column.kind is not Kind.ordered:
            raise
    codes = table.codes(name).codes
    return np.where(codes < 0, np.nan, codes + 1.0)


def demand_items(
    names: Sequence[str], least: int = 2, what: str = "A scale", each: str = "items", most: int = MOST_ITEMS
) -> None:
    """Raises DataProblem for too few, too many, or an item chosen twice."""
    twice = next((x for i, x in enumerate(names) if x in names[:i]), None)
    if twice:
        raise DataProblem(f"{twice} is chosen twice.", column=twice)
    if len(names) < least:
        raise DataProblem(
            f"{what} needs {['no', 'one', 'two', 'three', 'four'][least]} {each} at least; choose more.",
            column=names[0] if names else None,
        )
    if len(names) > most:
        raise DataProblem(f"{len(names)} {each} are too many for one answer; choose up to {most}.")


def items_of(
    table: Table, names: Sequence[str], least: int = 2, what: str = "A scale"
) -> tuple[list[Column], Floats]:
    """The items' columns and answers, shape (rows, k), NaN where empty. Raises DataProblem as ``demand_items`` does."""
    demand_items(names, least, what)
    return [table.column(n) for n in names], np.column_stack([item_values(table, n) for n in names])


def filled_throughout(columns: Sequence[Column], x: Floats, least: int = 3) -> Any:
    """Which rows have every item. Raises DataProblem for fewer than ``least``, naming the emptiest item."""
    use = ~np.isnan(x).any(axis=1)
    n = int(use.sum())
    if n < least:
        emptiest = columns[int(np.isnan(x).sum(axis=0).argmax())].name
        raise DataProblem(
            f"{counted(n, 'row has', 'rows have')} all {len(columns)} items filled; {least} are needed. {emptiest} is"
            " the"
            " emptiest.",
            column=emptiest,
        )
    return use


def demand_spread(columns: Sequence[Column], x: Floats) -> None:
    """Raises DataProblem naming items whose filled answers are all the same."""
    empty = np.isnan(x)
    low, high = np.where(empty, np.inf, x).min(axis=0), np.where(empty, -np.inf, x).max(axis=0)
    flat = [c.name for c, a, b in zip(columns, low, high, strict=True) if not b > a]
    if flat:
        raise DataProblem(
            f"All answers to {listing(flat, 4)} are the same in the rows used: such an item tells nothing apart."
            " Leave it"
            " out.",
            column=flat[0],
        )


def alike(table: Table, names: Sequence[str]) -> bool:
    """Whether columns look like items of one scale: of one kind, without units, and not measures."""
    columns = [table.column(n) for n in names]
    return (
        len({c.kind for c in columns}) == 1
        and not any(c.unit for c in columns)
        and columns[0].kind is not Kind.measure
    )

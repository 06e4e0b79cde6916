"""Loadings of items, of factors and of components: the table sorted and thinned, its picture, eigenvalues with a
handle."""

from collections.abc import Sequence
from typing import Annotated, Any

import numpy as np
from pydantic import Field

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import share
from yavik.core.ask import amount, placed
from yavik.core.figures.items import MOST_SCREE, loading_dots, scree
from yavik.core.figures.plots import block
from yavik.core.methods.kit.touch import handle
from yavik.core.stats.groups import Floats
from yavik.core.table import Column

MOST_DRAWN = 40
Number = Annotated[int, Field(ge=1, le=60)]


def hide_below(default: float) -> Any:
    """The field of a Spec that thins the table and the picture of loadings."""
    return Field(
        default, ge=0, lt=1, allow_inf_nan=False,
        json_schema_extra=amount(
            "Hide loadings below", "Also by the line on the picture of loadings.", step=0.05, min=0, max=0.95, look=True
        ),
    )  # fmt: skip


def how_many(default: str, title: str, words: dict[str, str]) -> Any:
    """The field of a Spec for a number found by a rule, or chosen."""
    help_ = "Also by the line on the picture of eigenvalues."
    return Field(default, json_schema_extra=placed("choice_or_number", title, help_, words=words, min=1, step=1))


def chance_draws() -> Any:
    """The field of a Spec for draws of eigenvalues that chance gives."""
    return Field(
        500, ge=100, le=20_000,
        json_schema_extra=amount(
            "Draws of chance eigenvalues", "Of columns that have nothing in common.", step=100, min=100, max=20_000
        ),
    )  # fmt: skip


def key_of(j: int) -> str:
    """Key of a factor's column in tables and facts."""
    return f"factor_{j + 1}"


def item_cells(column: Column) -> q.Row:
    """The question as it was asked, with the item's name beside it where they differ."""
    return q.row(item=q.name(column.title, "Item"), name=q.word(column.name, "Name" if column.label else None))


def loading(value: float, title: str, below: float) -> q.Quantity:
    """A loading; a small one shows nothing but keeps its value."""
    if abs(value) < below:
        return q.texted(value, "", title)
    return q.texted(value, share(value), title)


def loading_table(
    columns: Sequence[Column], loadings: Floats, names: Sequence[str], order: Sequence[int], below: float,
    beside: Sequence[q.Row], *, id: str, title: str, note: str,
) -> TableBlock:  # fmt: skip
    """Items with their loadings, the largest of each in bold.

    Args:
        loadings: shape (k, m). order: of the items. beside: what else stands in each item's row, in the items' order.
    """
    rows = []
    for i in order:
        cells = {key_of(j): loading(float(loadings[i, j]), name, below) for j, name in enumerate(names)}
        main = key_of(int(np.argmax(np.abs(loadings[i]))))
        if cells[main].s:
            cells[main] = cells[main].bold
        rows.append(item_cells(columns[i]) | cells | beside[i])
    hidden = f"Loadings below {share(below)} are not shown. " if below > 0 else ""
    return q.table(id, title, rows, note=f"{hidden}{note}")


def loading_picture(
    columns: Sequence[Column], loadings: Floats, names: Sequence[str], order: Sequence[int], below: float, title: str
) -> FigureBlock | None:
    """Loadings as dots; the line is dragged to hide small ones. None for more items than can be drawn."""
    if len(columns) > MOST_DRAWN:
        return None
    drawn = loading_dots([columns[i].title for i in order], names, loadings[list(order)], below)
    return handle(
        block("loadings_figure", title, drawn), "hide_below", "Hide loadings below", below, (0.0, 0.9), decimals=2
    )


def scree_picture(eigenvalues: Floats, limits: Any, m: int, field: str, title: str, most: int) -> FigureBlock:
    """Eigenvalues in order; the line is dragged to choose how many."""
    made = block("scree", "How many: eigenvalues in order", scree(eigenvalues, limits, m))
    top = min(most, MOST_SCREE, len(eigenvalues))
    return handle(made, field, title, m, (1, top), decimals=0) if top > 1 else made

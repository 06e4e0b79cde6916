"""What a comparison gives back to its table: each row's fitted value and its distance from it."""

from typing import Any

import numpy as np
import pyarrow as pa

from yavik.core.methods.compare.groups.blocked_data import read_blocks
from yavik.core.methods.compare.groups.spec import CompareGroupsSpec
from yavik.core.table import Column, Kind, Table


def fitted_columns(table: Table, response: str, word: str, used: Any, fitted: Any) -> list[tuple[Column, Any]]:
    """A column of fitted values, called by ``word``, and one of residuals; empty where ``used`` is false.

    Args:
        used: shape (rows,), true for the rows of the answer.
        fitted: one value for each used row, in order.
    """
    column, y = table.column(response), table.numbers(response)
    whole = np.zeros(table.n_rows)
    whole[used] = fitted
    decimals = min(6, column.decimals + 2)

    def made(name: str, values: Any) -> tuple[Column, Any]:
        """A new column in the response's unit, empty where a row is not used."""
        label = f"{column.label}, {name}" if column.label else None
        described = Column(
            name=f"{response} {name}", kind=Kind.measure, label=label, unit=column.unit, decimals=decimals
        )
        return described, pa.array(values, pa.float64(), mask=~used)

    return [made(word, whole), made("residual", np.where(used, y, 0.0) - whole)]


def group_columns(table: Table, spec: CompareGroupsSpec) -> list[tuple[Column, Any]]:
    """Mean of the row's group, or what group and block together say, with the residual. Nothing for samples side by
    side."""
    if not spec.response or not spec.groups:
        return []
    if spec.block:
        b = read_blocks(table, spec)
        return fitted_columns(table, spec.response, "fitted", np.isin(table.rows, b.rows), b.fitted)
    y, codes = table.numbers(spec.response), table.codes(spec.groups)
    used = ~np.isnan(y) & (codes.codes >= 0)
    own = codes.codes[used]
    with np.errstate(invalid="ignore"):
        means = np.bincount(own, y[used], minlength=len(codes.levels)) / np.bincount(own, minlength=len(codes.levels))
    return fitted_columns(table, spec.response, "group mean", used, means[own])

"""What a comparison of groups gives back to its table: each row's group mean and its distance from it."""

from typing import Any

import numpy as np
import pyarrow as pa

from yavik.core.table import Column, Kind, Table


def group_columns(table: Table, response: str | None, groups: str | None) -> list[tuple[Column, Any]]:
    """Mean of the row's group, and residual; empty where the value or the group is. Nothing for samples side by side."""
    if not response or not groups:
        return []
    column, y, codes = table.column(response), table.numbers(response), table.codes(groups)
    full = ~np.isnan(y) & (codes.codes >= 0)
    own = codes.codes[full]
    n = np.bincount(own, minlength=len(codes.levels))
    with np.errstate(invalid="ignore"):
        means = np.bincount(own, y[full], minlength=len(codes.levels)) / n
    fitted = np.where(full, means[np.where(full, codes.codes, 0)], 0.0)
    decimals = min(6, column.decimals + 2)

    def made(word: str, values: Any) -> tuple[Column, Any]:
        label = f"{column.label}, {word}" if column.label else None
        described = Column(
            name=f"{response} {word}", kind=Kind.measure, label=label, unit=column.unit, decimals=decimals
        )
        return described, pa.array(values, pa.float64(), mask=~full)

    return [made("group mean", fitted), made("residual", np.where(full, y, 0.0) - fitted)]

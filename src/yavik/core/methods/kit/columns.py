"""New columns of numbers that an answer gives back to its table."""

from typing import Any

import numpy as np
import pyarrow as pa

from yavik.core.stats.groups import Floats
from yavik.core.table import Column, Kind


def measured(name: str, values: Floats, *, decimals: int = 2, **more: Any) -> tuple[Column, Any]:
    """A measure with a value for every row, empty where it is NaN.

    Args:
        more: ``label``, ``unit``, ``note`` of the column.
    """
    return Column(name=name, kind=Kind.measure, decimals=decimals, **more), pa.array(
        values, pa.float64(), mask=np.isnan(values)
    )


def at_rows(values: Floats, place: Any, rows: int) -> Floats:
    """A value for every row of the table, NaN for those that are not at one of the places."""
    out = np.full(rows, np.nan)
    out[place] = values
    return out

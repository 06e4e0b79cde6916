"""What a table of the demo is: a name, a generator, and the path that prepares it."""

import csv
import io
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

Columns = dict[str, list[str]]
TOWNS = ("Aldmere", "Brackwell", "Corrin", "Dunfold", "Eastley", "Fenwick Cross", "Garrow", "Hollin", "Isbury")


@dataclass(frozen=True)
class DemoTable:
    name: str
    filename: str
    make: Callable[[], Columns]
    steps: list[dict[str, Any]] = field(default_factory=list)

    def as_csv(self) -> bytes:
        columns = self.make()
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(columns)
        writer.writerows(zip(*columns.values(), strict=True))
        return out.getvalue().encode()


def fixed(values: Any, decimals: int) -> list[str]:
    """Numbers as an instrument would write them."""
    return [f"{v:.{decimals}f}" for v in np.asarray(values, float).tolist()]


def whole(values: Any) -> list[str]:
    return [str(round(v)) for v in np.asarray(values, float).tolist()]


def describe(
    column: str, label: str | None = None, unit: str | None = None, note: str | None = None
) -> dict[str, Any]:
    given = {"label": label, "unit": unit, "note": note}
    return {"step": "describe_column", "column": column, **{k: v for k, v in given.items() if v is not None}}


def describe_many(*lines: tuple[str, str, str | None]) -> dict[str, Any]:
    """(column, label, unit) for many columns in one step."""
    said = [{"column": c, "label": label, **({"unit": unit} if unit else {})} for c, label, unit in lines]
    return {"step": "describe_columns", "descriptions": said}


def levels(column: str, words: dict[str, str], also: list[str] | None = None) -> dict[str, Any]:
    step = {"step": "levels", "column": column, "levels": [{"value": v, "label": w} for v, w in words.items()]}
    return {**step, "also": also} if also else step

"""Short ways to make the parts of an answer, so that a method's file says what is in it and little else."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np

from yavik.core.answers.answer import Answer, Block, Cell, Check, Head, Marks, RowsUsed, Span, TableBlock
from yavik.core.answers.model_card import ModelCard, Variant
from yavik.core.answers.wording import interval, level_words, missing, num, plain, share

EMPTY = Cell(v=None, s="")
"""A cell that has nothing to say: not a number that could not be computed."""
ITALIC = {"p", "t", "F", "z", "r", "n", "U", "W", "H", "R²", "V", "d", "g", "Q", "S", "S⁺", "W⁺"}
"""Titles that are a letter standing for a number are set in italics, as in print."""


def head(key: str, title: str, *, left: bool = False, italic: bool | None = None) -> Head:
    """A column's head; letters that stand for a number are italic unless said otherwise."""
    slanted = title in ITALIC and title not in ("n", "R²") if italic is None else italic
    return Head(key=key, title=title, align="left" if left else "right", italic=slanted)


def heads(*columns: tuple[str, str]) -> list[Head]:
    """Heads from key and title; a title that ends in ``<`` stands on the left."""
    return [head(key, title.removesuffix("<"), left=title.endswith("<")) for key, title in columns]


def ci_head(alpha: float, what: str = "") -> tuple[str, str]:
    return "ci_low", f"{level_words(alpha)} CI{what}"


def ci_cells(low: float, high: float, decimals: int, why: str = "cannot be computed here") -> dict[str, Cell]:
    """An interval as two values with one printed text, kept in ``ci_low``; an open end is written as such."""
    if np.isnan(low) or np.isnan(high) or (np.isinf(low) and np.isinf(high)):
        return {"ci_low": missing(why), "ci_high": missing(why)}
    if np.isinf(high):
        return {
            "ci_low": Cell(v=float(low), s=f"above {num(low, decimals).s}"),
            "ci_high": missing("open: one-sided"),
        }
    if np.isinf(low):
        return {
            "ci_low": Cell(v=None, s=f"below {num(high, decimals).s}"),
            "ci_high": num(float(high), decimals),
        }
    return {
        "ci_low": Cell(v=float(low), s=interval(float(low), float(high), decimals)),
        "ci_high": num(float(high), decimals),
    }


def share_cell(value: float, why: str = "cannot be computed here") -> Cell:
    """A size between −1 and 1."""
    return Cell(v=float(value), s=share(float(value))) if np.isfinite(value) else missing(why)


def share_ci(low: float, high: float, why: str = "cannot be computed here") -> dict[str, Cell]:
    if not (np.isfinite(low) and np.isfinite(high)):
        return {"ci_low": missing(why), "ci_high": missing(why)}
    return {"ci_low": Cell(v=float(low), s=f"{share(low)} to {share(high)}"), "ci_high": share_cell(high)}


def grid(
    id: str,
    title: str,
    columns: Sequence[tuple[str, str]],
    rows: Sequence[Mapping[str, Cell]],
    **more: Any,
) -> TableBlock:
    """A table from ``heads`` and rows; p columns are strong unless said otherwise."""
    strong = more.pop("strong", [key for key, _ in columns if key in ("p", "p_adjusted")])
    return TableBlock(
        id=id, title=title, columns=heads(*columns), rows=[dict(r) for r in rows], strong=strong, **more
    )


def finite(facts: Mapping[str, Any]) -> dict[str, float | int | str]:
    """Facts that have a value, as plain numbers and words."""
    out: dict[str, float | int | str] = {}
    for key, value in facts.items():
        if isinstance(value, str):
            out[key] = value
        elif value is not None and np.isfinite(value):
            out[key] = int(value) if isinstance(value, int | np.integer) else float(value)
    return out


def compose(
    spans: Sequence[Span],
    *,
    short: str,
    blocks: Iterable[Block | None],
    checks: Iterable[Check | None],
    rows: RowsUsed,
    facts: Mapping[str, Any],
    settings: Sequence[str] = (),
    marks: Marks | None = None,
    seed: int | None = None,
    model: ModelCard | None = None,
    variants: Sequence[Variant] = (),
) -> Answer:
    """An answer; the registry adds which method and spec it came from."""
    return Answer(
        method="",
        version="",
        spec={},
        headline=plain(spans),
        headline_spans=list(spans),
        short=short,
        settings=list(settings),
        facts=finite(facts),
        blocks=[b for b in blocks if b is not None],
        checks=[c for c in checks if c is not None],
        rows=rows,
        marks=marks or Marks(),
        seed=seed,
        model=model,
        variants=list(variants),
    )

"""An answer from its parts."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np

from yavik.core.answers.answer import Answer, Block, Check, Marks, RowsUsed, Span
from yavik.core.answers.model_card import ModelCard, Variant
from yavik.core.answers.wording import plain


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

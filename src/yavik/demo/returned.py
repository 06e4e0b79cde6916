"""Returned books: their condition as three assistants judge it, and their weight on two scales."""

import numpy as np

from yavik.demo.table import Columns, DemoTable, describe_many, fixed

CONDITIONS = ("as new", "used", "worn", "damaged")
STRICT = (0.0, 0.15, -0.35)
"""How much worse each assistant sees a book, in steps of condition; errors have SD 0.45."""
COUNTER_ABOVE, PER_GRAM = 2.0, 0.006
"""The scale at the counter shows 2 g more, and 0.6 % more; errors have SD 2.5 g, those of the cellar's 1.5 g."""


def returned_books() -> Columns:
    """72 books: wear is uniform over the four conditions; weight about 420 g."""
    rng = np.random.default_rng(711)
    n = 72
    wear = rng.uniform(0, 4, n)
    seen = wear[:, None] + np.array(STRICT) + rng.normal(0, 0.45, (n, 3))
    steps = np.clip(np.floor(seen), 0, 3).astype(int)
    weight = np.clip(rng.normal(420, 130, n), 140, 900)
    counter = weight * (1 + PER_GRAM) + COUNTER_ABOVE + rng.normal(0, 2.5, n)
    cellar = weight + rng.normal(0, 1.5, n)
    return {
        "book": [f"R{i + 1:03d}" for i in range(n)],
        **{name: [CONDITIONS[k] for k in steps[:, j]] for j, name in enumerate(("ines", "oskar", "petra"))},
        "counter": fixed(counter, 0),
        "cellar": fixed(cellar, 0),
    }


TABLES = (
    DemoTable(
        "Returned books",
        "returned-books.csv",
        returned_books,
        [
            {
                "step": "levels", "column": "ines", "levels": [{"value": c} for c in CONDITIONS],
                "also": ["oskar", "petra"],
            },
            *({"step": "kind", "column": name, "kind": "ordered"} for name in ("ines", "oskar", "petra")),
            describe_many(
                ("ines", "Ines", None), ("oskar", "Oskar", None), ("petra", "Petra", None),
                ("counter", "Scale at the counter", "g"), ("cellar", "Scale in the cellar", "g"),
            ),
        ],
    ),
)  # fmt: skip

"""Every function of expressions, against numpy and pandas on the same columns."""

from collections.abc import Callable
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yavik.core.files.delimited import read
from yavik.core.steps import apply_path, new_step
from yavik.core.steps.expressions import evaluate
from yavik.core.steps.functions import FUNCTIONS
from yavik.core.table import Table

RNG = np.random.default_rng(11)
FRAME = pd.DataFrame(
    {
        "x": RNG.normal(0, 5, 40).round(3),
        "y": RNG.integers(-3, 9, 40),
        "unit": RNG.choice(["a", "b", "c"], 40),
        "t": RNG.permutation(40),
    }
)
FRAME.loc[[3, 17], "x"] = np.nan
TABLE = read(FRAME.to_csv(index=False).encode())[0]
X, Y = FRAME.x, FRAME.y


def result(text: str, table: Table = TABLE) -> pd.Series:
    v = evaluate(text, table)
    data, empty = np.broadcast_to(v.data, table.n_rows), np.broadcast_to(v.empty, table.n_rows)
    return pd.Series(np.where(empty, np.nan, data.astype(float)))


def guarded(f: Callable[[Any], Any], where: Any) -> pd.Series:
    with np.errstate(all="ignore"):
        return pd.Series(np.where(where, f(X), np.nan))


EXPECTED: dict[str, pd.Series] = {
    "log(x)": guarded(np.log, X > 0),
    "log2(x)": guarded(np.log2, X > 0),
    "log10(x)": guarded(np.log10, X > 0),
    "sqrt(x)": guarded(np.sqrt, X >= 0),
    "exp(x)": np.exp(X),
    "abs(x)": X.abs(),
    "floor(x)": np.floor(X),
    "ceil(x)": np.ceil(X),
    "sin(x)": np.sin(X),
    "cos(x)": np.cos(X),
    "tan(x)": np.tan(X),
    "mean(x)": pd.Series(np.full(40, X.mean())),
    "sd(x)": pd.Series(np.full(40, X.std())),
    "median(x)": pd.Series(np.full(40, X.median())),
    "sum(x)": pd.Series(np.full(40, X.sum())),
    "smallest(x, y, 0)": np.minimum(np.minimum(X, Y), 0),
    "largest(x, y)": np.maximum(X, Y),
    "empty(x)": X.isna().astype(float),
    "rank(x)": X.rank(),
    "round(x, 1)": X.round(1),
    "lag(x)": X.shift(1),
    "lag(x, 2, by=unit)": X.groupby(FRAME.unit).shift(2),
    "lag(x, 1, by=unit, order=t)": FRAME.sort_values("t").groupby("unit").x.shift(1).sort_index(),
    "x // 2": X // 2,
    "y % 4": (Y % 4).astype(float),
    "x ** 2 - y * 3": X**2 - Y * 3,
}


@pytest.mark.parametrize("text", list(EXPECTED))
def test_against_pandas(text: str) -> None:
    found, wanted = result(text), EXPECTED[text].reset_index(drop=True).astype(float)
    assert found.isna().tolist() == wanted.isna().tolist()
    assert found.dropna().tolist() == pytest.approx(wanted.dropna().tolist(), rel=1e-12)


def test_every_function_is_tested_here() -> None:
    assert {name for name in FUNCTIONS if not any(text.startswith(f"{name}(") for text in EXPECTED)} == set()


@settings(deadline=None, max_examples=40)
@given(st.integers(-20, 20), st.integers(-20, 20))
def test_keeping_and_its_opposite_part_the_filled_rows(low: int, high: int) -> None:
    """Rows for which a condition holds, rows for which it does not, and rows where it is empty are all of them."""

    def kept(where: str) -> set[int]:
        return set(apply_path(TABLE, [new_step({"step": "keep_rows", "where": where})]).table.rows.tolist())

    condition = f"{low} < x or y > {high}"
    yes, no, unknown = kept(condition), kept(f"not ({condition})"), kept(f"empty(x) and not y > {high}")
    assert yes | no | unknown == set(range(1, 41))
    assert not (yes & no) and not (yes & unknown) and not (no & unknown)


@settings(deadline=None, max_examples=30)
@given(st.lists(st.sampled_from(["y > 0", "x < 4", "unit != 'a'"]), max_size=4), st.integers(0, 3))
def test_a_step_switched_off_is_a_step_not_there(conditions: list[str], off: int) -> None:
    steps = [new_step({"step": "keep_rows", "where": c, "on": i != off}) for i, c in enumerate(conditions)]
    without = [s for i, s in enumerate(steps) if i != off]
    assert apply_path(TABLE, steps).table.rows.tolist() == apply_path(TABLE, without).table.rows.tolist()

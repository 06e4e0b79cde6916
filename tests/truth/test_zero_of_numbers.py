"""Numbers counted from their means: the same model, told of another zero; against designs moved by hand."""

from typing import Any

import numpy as np
import pytest
import statsmodels.api as sm
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.tables import table_from
from yavik.core.methods import answer
from yavik.core.table import Table

BENT: list[Any] = ["x", {"column": "x", "power": 2}, "z", "group", {"interaction": ["x", "z"]}, {"interaction": ["z", "group"]}]  # fmt: skip


def made(n: int = 120, centre: float = 50.0, seed: int = 5) -> Table:
    rng = np.random.default_rng(seed)
    x, z, g = rng.normal(centre, 4, n).round(2), rng.normal(3, 1, n).round(2), rng.integers(0, 3, n)
    eta = 0.4 * (x - centre) + 0.05 * (x - centre) ** 2 + 0.6 * (z - 3) * (g == 1) + rng.normal(0, 2, n)
    return table_from(x=x, z=z, group=[f"g{i}" for i in g], y=eta.round(3), won=["yes" if e > 0.5 else "no" for e in eta])  # fmt: skip


def by_hand(table: Table) -> Any:
    """Columns in the order of the terms, about their means."""
    x, z = (table.numbers(n) - table.numbers(n).mean() for n in ("x", "z"))
    codes = table.codes("group").codes
    g1, g2 = (codes == 1).astype(float), (codes == 2).astype(float)
    return np.column_stack([np.ones(len(x)), x, x**2, z, g1, g2, x * z, z * g1, z * g2])


def test_linear_coefficients_are_those_of_columns_moved_by_hand() -> None:
    table = made()
    found = answer("linear", table, {"response": "y", "terms": BENT, "zero": "mean"})
    known = sm.OLS(table.numbers("y"), by_hand(table)).fit()
    rows = found.block("coefficients").rows
    for field, right in (("estimate", known.params), ("se", known.bse), ("p", known.pvalues)):
        assert [r[field].v for r in rows] == pytest.approx(right, rel=1e-7)
    # The type III test of x is at the mean of z and of x: the square of its t.
    term = found.block("terms").rows[0]
    assert term["f"].v == pytest.approx(known.tvalues[1] ** 2, rel=1e-7)
    assert "Counted from their means: x (" in str(found.block("coefficients").note)
    assert found.model is not None and found.model.counted_from.startswith("Counted from their means")


@pytest.mark.parametrize("penalty", ["none", "firth"])
def test_logistic_coefficients_and_their_profiles(penalty: str) -> None:
    table = made()
    terms = ["x", {"column": "x", "power": 2}]
    spec = {"response": "won", "terms": terms, "penalty": penalty, "interval": "profile"}
    found = answer("logistic", table, {**spec, "zero": "mean"})
    plain = table_from(x=table.numbers("x") - table.numbers("x").mean(), won=table.texts("won"))
    known = answer("logistic", plain, spec)
    for mine, theirs in zip(found.block("coefficients").rows, known.block("coefficients").rows, strict=True):
        for field in ("estimate", "p"):
            assert mine[field].v == pytest.approx(theirs[field].v, rel=1e-5)
        if theirs["ci_low"].v is not None:
            assert mine["ci_low"].v == pytest.approx(theirs["ci_low"].v, rel=1e-4)


@settings(max_examples=25, deadline=None)
@given(st.floats(-1e6, 1e6), st.integers(0, 30))
def test_only_what_speaks_of_the_zero_moves(centre: float, seed: int) -> None:
    """Fit, predictions, the test of the whole and the highest powers are the same about any zero."""
    table = made(60, round(centre, 1), seed)
    spec = {"response": "y", "terms": ["x", {"column": "x", "power": 2}, "z"], "predict_at": [{"x": round(centre, 1) + 1}]}  # fmt: skip
    own, mean = (answer("linear", table, {**spec, "zero": zero}) for zero in ("own", "mean"))
    for fact in ("r2", "f", "p", "x^2.p", "z.b", "press", "aic"):
        assert mean.facts[fact] == pytest.approx(own.facts[fact], rel=1e-7)
    told = [[r["estimate"].v for r in a.block("cases").rows] for a in (own, mean)]
    assert told[0] == pytest.approx(told[1], rel=1e-9)
    # About the mean the answer does not know where the column's own zero was.
    moved = made(60, 0.0, seed)
    other = answer("linear", moved, {**spec, "predict_at": [], "zero": "mean"})
    assert mean.facts["x.t"] == pytest.approx(other.facts["x.t"], rel=2e-2, abs=2e-2)


def test_a_zero_far_from_the_data_is_a_check_with_a_remedy_that_works() -> None:
    table = made()
    asked = {"response": "y", "terms": BENT}
    check = next(c for c in answer("linear", table, asked).checks if c.id == "zero")
    assert "x (42" in check.text and check.remedies[0].spec == {"zero": "mean"}
    mended = answer("linear", table, {**asked, **check.remedies[0].spec})
    assert not [c for c in mended.checks if c.id == "zero"]
    straight = answer("linear", table, {"response": "y", "terms": ["x", "z"]})
    assert not [c for c in straight.checks if c.id == "zero"]


def test_a_model_without_the_column_of_its_square_keeps_its_zero() -> None:
    """Moving the zero would bring the column in and be another model: it is left, and nothing is said of means."""
    found = answer("linear", made(), {"response": "y", "terms": [{"column": "x", "power": 2}], "zero": "mean"})
    assert "Counted from" not in str(found.block("coefficients").note)
    assert found.facts["r2"] == answer("linear", made(), {"response": "y", "terms": [{"column": "x", "power": 2}]}).facts["r2"]  # fmt: skip

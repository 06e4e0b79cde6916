"""Telling groups apart: functions by a second route, tests by a library, rows left out one at a time by doing it."""

from typing import Any

import numpy as np
import pytest
from scipy.linalg import eigh
from scipy.stats import f_oneway
from statsmodels.multivariate.manova import MANOVA
from statsmodels.stats.multivariate import test_cov_oneway as cov_oneway

from tests.tables import demo_tables, table_from
from yavik.core.methods import answer
from yavik.core.methods.registry import new_columns
from yavik.core.stats.discriminant import (
    box,
    discriminant,
    each_alone,
    left_out,
    made_up,
    placed,
)
from yavik.core.table import DataProblem


def sample(seed: int, sizes: tuple[int, ...], columns: int, shift: float = 1.0) -> tuple[Any, Any]:
    rng = np.random.default_rng(seed)
    codes = np.repeat(np.arange(len(sizes)), sizes)
    mix = rng.normal(size=(columns, columns)) + 2 * np.eye(columns)
    x = rng.normal(size=(len(codes), columns)) @ mix + shift * rng.normal(size=(len(sizes), columns))[codes]
    return x, codes


SHAPES = [((9, 14, 11), 3), ((20, 6), 4), ((8, 8, 8, 8, 9), 2), ((30, 25), 1), ((12, 13, 14), 1)]


@pytest.mark.parametrize(("sizes", "columns"), SHAPES)
def test_functions_are_those_of_the_generalised_problem(sizes: tuple[int, ...], columns: int) -> None:
    x, codes = sample(3, sizes, columns)
    d = discriminant(x, codes, len(sizes))
    means = np.stack([x[codes == g].mean(axis=0) for g in range(len(sizes))])
    inside = x - means[codes]
    w = inside.T @ inside
    gap = means - x.mean(axis=0)
    b = (gap * np.array(sizes)[:, None]).T @ gap
    values = np.sort(eigh(b, w, eigvals_only=True))[::-1][: len(d.values)]
    assert d.values == pytest.approx(values, rel=1e-9)
    assert d.raw.T @ d.pooled @ d.raw == pytest.approx(np.eye(len(d.values)), abs=1e-9)
    assert d.raw.T @ b @ d.raw == pytest.approx(np.diag(values) * (len(x) - len(sizes)), abs=1e-7)
    # within groups the correlation of a column with a function is what it is called
    scores = d.scores - np.stack([d.scores[codes == g].mean(axis=0) for g in range(len(sizes))])[codes]
    for j in range(columns):
        for k in range(len(d.values)):
            assert d.structure[j, k] == pytest.approx(np.corrcoef(inside[:, j], scores[:, k])[0, 1], abs=1e-9)
    assert (d.standardised[np.abs(d.standardised).argmax(axis=0), np.arange(len(d.values))] > 0).all()


@pytest.mark.parametrize(("sizes", "columns"), SHAPES)
def test_wilks_and_its_f_are_those_of_a_multivariate_analysis_of_variance(
    sizes: tuple[int, ...], columns: int
) -> None:
    x, codes = sample(5, sizes, columns)
    d = discriminant(x, codes, len(sizes))
    if columns > 1:
        design = np.column_stack([np.ones(len(x)), *((codes == g).astype(float) for g in range(1, len(sizes)))])
        wanted = np.eye(len(sizes))[1:]
        row = MANOVA(x, design).mv_test([("groups", wanted)]).results["groups"]["stat"].loc["Wilks' lambda"]
        assert [d.tested.wilks, d.tested.f, d.tested.df1, d.tested.df2, d.tested.p] == pytest.approx(
            [float(row[k]) for k in ("Value", "F Value", "Num DF", "Den DF", "Pr > F")], rel=1e-7, abs=1e-12
        )
    else:
        f, p = f_oneway(*(x[codes == g, 0] for g in range(len(sizes))))
        assert (d.tested.f, d.tested.p) == pytest.approx((f, p), rel=1e-9)
    for j, alone in enumerate(each_alone(d)):
        f, p = f_oneway(*(x[codes == g, j] for g in range(len(sizes))))
        assert (alone.f, alone.p) == pytest.approx((f, p), rel=1e-8)
        assert alone.wilks == pytest.approx(1 / (1 + f * (len(sizes) - 1) / (len(x) - len(sizes))), rel=1e-9)
    assert d.remaining(0).wilks == pytest.approx(d.tested.wilks)


@pytest.mark.parametrize(("sizes", "columns"), [((14, 12, 9), 3), ((30, 40), 2)])
def test_box_is_that_of_a_library(sizes: tuple[int, ...], columns: int) -> None:
    x, codes = sample(8, sizes, columns)
    found = box(discriminant(x, codes, len(sizes)))
    theirs = cov_oneway([np.cov(x[codes == g].T) for g in range(len(sizes))], list(sizes))
    assert (found.f, found.p) == pytest.approx((theirs.statistic_f, theirs.pvalue_f), rel=1e-8)


@pytest.mark.parametrize("prior", ["equal", "observed"])
@pytest.mark.parametrize(("sizes", "columns"), [((9, 14, 11), 3), ((7, 5), 2), ((1, 12, 8), 2)])
def test_rows_left_out_one_at_a_time_by_doing_it(sizes: tuple[int, ...], columns: int, prior: str) -> None:
    x, codes = sample(11, sizes, columns)
    groups = len(sizes)
    d = discriminant(x, codes, groups)
    priors = d.sizes / d.n if prior == "observed" else np.full(groups, 1 / groups)
    found = left_out(d, priors)
    for i in range(len(x)):
        if sizes[codes[i]] < 2:
            assert found.chosen[i] == -1 and np.isnan(found.chances[i]).all()
            continue
        keep = np.arange(len(x)) != i
        again = discriminant(x[keep], codes[keep], groups)
        gap = x[i] - again.means
        squares = np.einsum("gi,ij,gj->g", gap, np.linalg.inv(again.pooled), gap)
        log = np.log(priors) - squares / 2
        wanted = np.exp(log - log.max()) / np.exp(log - log.max()).sum()
        assert found.chances[i] == pytest.approx(wanted, rel=1e-7, abs=1e-12)
        assert found.chosen[i] == wanted.argmax()
        assert found.away[i] == pytest.approx(squares[codes[i]], rel=1e-7)


def test_rows_are_placed_by_their_distances() -> None:
    x, codes = sample(2, (12, 10, 15), 4)
    d = discriminant(x, codes, 3)
    found = placed(d, np.array([0.2, 0.5, 0.3]))
    gap = x[:, None, :] - d.means[None, :, :]
    squares = np.einsum("ngi,ij,ngj->ng", gap, np.linalg.inv(d.pooled), gap)
    wanted = np.array([0.2, 0.5, 0.3]) * np.exp(-squares / 2)
    assert found.chances == pytest.approx(wanted / wanted.sum(axis=1, keepdims=True), rel=1e-8)
    assert found.away == pytest.approx(squares[np.arange(len(x)), codes], rel=1e-8)


def test_nothing_hangs_on_units_zero_or_the_order_of_rows() -> None:
    x, codes = sample(4, (15, 12, 18), 3)
    d = discriminant(x, codes, 3)
    moved = discriminant(x * [1000, 1e-3, 7] + [1e9 / 10, -4, 1e6], codes, 3)
    assert moved.values == pytest.approx(d.values, rel=1e-6)
    assert moved.standardised == pytest.approx(d.standardised, rel=1e-5, abs=1e-6)
    order = np.random.default_rng(1).permutation(len(x))
    turned = discriminant(x[order], codes[order], 3)
    assert turned.scores == pytest.approx(d.scores[order], abs=1e-9)


def test_functions_are_found_again_in_many_rows() -> None:
    """Two groups of normal columns: Λ, the share that is right and the function come out as their formulas say."""
    rng = np.random.default_rng(9)
    n, gap = 40_000, np.array([1.0, 0.5])
    cov = np.array([[1.0, 0.6], [0.6, 1.0]])
    codes = np.repeat([0, 1], n)
    x = rng.multivariate_normal([0, 0], cov, 2 * n) + gap * codes[:, None]
    d = discriminant(x, codes, 2)
    wanted = np.linalg.solve(cov, gap)
    assert d.raw[:, 0] / d.raw[0, 0] == pytest.approx(wanted / wanted[0], abs=0.03)
    square = float(gap @ wanted)
    assert d.values[0] == pytest.approx(square / 4, rel=0.03)
    from scipy.stats import norm

    right = (left_out(d, np.array([0.5, 0.5])).chosen == codes).mean()
    assert right == pytest.approx(norm.cdf(np.sqrt(square) / 2), abs=0.005)


@pytest.mark.parametrize(
    ("more", "wrong"),
    [
        ({"z": "x + y"}, "z is made up"),
        ({"z": "groups"}, "z is the same in every row of each group"),
    ],
)
def test_columns_that_cannot_tell_are_named(more: dict[str, str], wrong: str) -> None:
    x, codes = sample(6, (10, 12), 2)
    made = {"x + y": x[:, 0] + x[:, 1], "groups": codes.astype(float)}[more["z"]]
    table = table_from(x=x[:, 0], y=x[:, 1], z=made, g=[f"g{c}" for c in codes])
    with pytest.raises(DataProblem, match=wrong):
        answer("discriminant", table, {"columns": ["x", "y", "z"], "groups": "g"})
    assert made_up(np.column_stack([x, made]), codes, 2) == [2]


def test_the_answer_says_what_it_found() -> None:
    table = demo_tables()["Room trial"]
    spec = {"columns": ["lux", "minutes", "pages"], "groups": "room"}
    a = answer("discriminant", table, spec)
    assert a.headline.startswith("Lux, minutes and pages tell Alcove, Gallery and Winter garden (room) apart")
    right = a.block("left_out")
    counts = [[row[f"to_{k}"].v for k in (1, 2, 3)] for row in right.rows]
    assert np.trace(counts) / np.sum(counts) == pytest.approx(a.facts["right_left_out"])
    made = {c.name: v for c, v in new_columns(table, "discriminant", spec)}
    assert set(made) == {"function 1", "function 2", "put into", "chance of own group"}
    assert sum(v is not None for v in made["put into"].to_pylist()) == a.facts["n"]
    # chance alone: no claim
    rng = np.random.default_rng(3)
    noise = table_from(a=rng.normal(size=60), b=rng.normal(size=60), g=["u", "v"] * 30)
    none = answer("discriminant", noise, {"columns": ["a", "b"], "groups": "g"})
    assert none.headline.startswith("There is no evidence that a and b tell u and v (g) apart")

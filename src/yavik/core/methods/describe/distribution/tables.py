"""Tables of a shape: moments, tests of normality, outlying values."""

import numpy as np

from yavik.core.answers import Cell, TableBlock
from yavik.core.answers.make import grid
from yavik.core.answers.wording import (
    missing,
    num,
    number,
    p_cell,
    whole,
    word,
)
from yavik.core.figures.data import printed_decimals
from yavik.core.methods.describe.distribution.spec import DistributionSpec
from yavik.core.methods.kit.shared import far_out
from yavik.core.stats.groups import Groups
from yavik.core.stats.moments import moments
from yavik.core.stats.normality import (
    ShapeTest,
    grubbs,
    shape_errors,
)
from yavik.core.table import Column


def shape_table(g: Groups, column: Column, spec: DistributionSpec) -> TableBlock:
    d = printed_decimals(column)
    rows = []
    for i, name in enumerate(g.names):
        m = moments(g.part(i), 1 - spec.alpha, g.ordered[i])
        se_skew, se_kurt = shape_errors(m.n)
        rows.append(
            {
                "group": word(name),
                "n": whole(m.n),
                "mean": num(m.mean, d + 1),
                "sd": num(m.sd, d + 1, "one value"),
                "min": num(m.min, d),
                "q1": num(m.q1, d + (d == 0)),
                "median": num(m.median, d + (d == 0)),
                "q3": num(m.q3, d + (d == 0)),
                "max": num(m.max, d),
                "skewness": _with_se(m.skewness, se_skew),
                "kurtosis": _with_se(m.kurtosis, se_kurt),
            }
        )
    columns = [
        ("group", "<"),
        ("n", "n"),
        ("mean", "Mean"),
        ("sd", "SD"),
        ("min", "Min"),
        ("q1", "Q1"),
        ("median", "Median"),
        ("q3", "Q3"),
        ("max", "Max"),
        ("skewness", "Skewness (SE)"),
        ("kurtosis", "Kurtosis (SE)"),
    ]
    return grid("groups", column.axis_title, columns, rows)


def _with_se(value: float, se: float) -> Cell:
    if not np.isfinite(value):
        return missing("too few different values")
    return Cell(
        v=float(value),
        s=f"{number(float(value), 2)} ({number(float(se), 2)})" if np.isfinite(se) else number(float(value), 2),
    )


def tests_table(tests: list[tuple[str, list[ShapeTest]]], spec: DistributionSpec) -> TableBlock:
    rows = [
        {"group": word(name), "term": word(t.name), "statistic": num(t.statistic, 3, t.why), "p": p_cell(t.p, t.why)}
        for name, found in tests
        for t in found
    ]
    columns = [
        *([("group", "Group<")] if spec.by else []),
        ("term", "Test of normality<"),
        ("statistic", "Statistic"),
        ("p", "p"),
    ]
    return grid(
        "tests",
        "Tests of normality",
        columns,
        rows,
        note="A small p says that values depart from a normal distribution; with many rows trifles do.",
    )


def outliers_table(g: Groups, column: Column, spec: DistributionSpec) -> TableBlock:
    d, rows = printed_decimals(column), []
    for i, name in enumerate(g.names):
        y, own = g.part(i), g.part_rows(i)
        mild, far = far_out(y), far_out(y, 3.0)
        place, size, p = grubbs(y)
        listed = [f"{number(float(y[j]), d)} (row {int(own[j])})" for j in np.flatnonzero(mild)[:8]]
        rows.append(
            {
                "group": word(name),
                "mild": whole(int(mild.sum())),
                "far": whole(int(far.sum())),
                "listed": word(", ".join(listed) + (" …" if mild.sum() > 8 else "") if listed else "none"),
                "farthest": (
                    word(f"{number(float(y[place]), d)} (row {int(own[place])})")
                    if place >= 0
                    else missing("no spread")
                ),
                "statistic": num(size, 2, "needs three values and some spread"),
                "p": p_cell(p, "needs three values and some spread"),
            }
        )
    columns = [
        ("group", "<"),
        ("mild", "Beyond 1.5 IQR"),
        ("far", "beyond 3"),
        ("listed", "Which<"),
        ("farthest", "Farthest from the mean<"),
        ("statistic", "Grubbs' G"),
        ("p", "p"),
    ]
    return grid(
        "outliers",
        "Outlying values",
        columns,
        rows,
        note="Grubbs' test asks whether the farthest of normal values is too far; p is a Bonferroni bound.",
    )

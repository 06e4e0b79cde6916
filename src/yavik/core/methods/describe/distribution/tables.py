"""Tables of a shape: moments, tests of normality, outlying values."""

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import number
from yavik.core.figures.data import printed_decimals
from yavik.core.methods.describe.distribution.compute import Outlying, Shape
from yavik.core.methods.describe.distribution.spec import DistributionSpec
from yavik.core.stats.normality import ShapeTest
from yavik.core.table import Column


def shape_table(found: list[Shape], column: Column) -> TableBlock:
    """Moments and quartiles of each group."""
    d, rows = printed_decimals(column), []
    quartile = d + (d == 0)
    for s in found:
        m = s.moments
        rows.append(
            q.row(
                group=q.name(s.name), n=q.count(m.n), mean=q.num(m.mean, d + 1, "Mean"),
                sd=q.num(m.sd, d + 1, "SD", why="one value"), min=q.num(m.min, d, "Min"),
                q1=q.num(m.q1, quartile, "Q1"),
                median=q.num(m.median, quartile, "Median"), q3=q.num(m.q3, quartile, "Q3"),
                max=q.num(m.max, d, "Max"),
                skewness=_with_se(m.skewness, s.se_skewness, "Skewness (SE)"),
                kurtosis=_with_se(m.kurtosis, s.se_kurtosis, "Kurtosis (SE)"),
            )
        )  # fmt: skip
    return q.table("groups", column.axis_title, rows, unit=column.unit or "")


def _with_se(value: float, se: float, title: str) -> q.Quantity:
    if not np.isfinite(value):
        return q.gone("too few different values", title)
    error = f" ({number(float(se), 2)})" if np.isfinite(se) else ""
    return q.texted(value, f"{number(float(value), 2)}{error}", title)


def tests_table(tests: list[tuple[str, list[ShapeTest]]], spec: DistributionSpec) -> TableBlock:
    """Each test of normality of each group."""
    rows = [
        q.row(
            group=q.name(name, "Group" if spec.by else None), term=q.name(t.name, "Test of normality"),
            statistic=q.num(t.statistic, 3, "Statistic", why=t.why), p=q.p(t.p, why=t.why),
        )
        for name, found in tests
        for t in found
    ]  # fmt: skip
    note = "A small p says that values depart from a normal distribution; with many rows trifles do."
    return q.table("tests", "Tests of normality", rows, note=note)


def outliers_table(found: list[Outlying], column: Column) -> TableBlock:
    """Values beyond the quartiles, and Grubbs' test of the farthest."""
    d, rows, few = printed_decimals(column), [], "needs three values and some spread"

    def said(value: tuple[float, int]) -> str:
        """'41.2 (row 7)'."""
        return f"{number(value[0], d)} (row {value[1]})"

    for o in found:
        listed = ", ".join(said(v) for v in o.mild[:8]) + (" …" if len(o.mild) > 8 else "")
        title, farthest = "Farthest from the mean", q.gone("no spread", "Farthest from the mean", "said")
        if o.farthest is not None:
            farthest = q.said(said(o.farthest), title)
        rows.append(
            q.row(
                group=q.name(o.name), mild=q.count(len(o.mild), "Beyond 1.5 IQR"), far=q.count(o.far, "beyond 3"),
                listed=q.said(listed or "none", "Which"),
                farthest=farthest, statistic=q.num(o.g, 2, "Grubbs' G", why=few), p=q.p(o.p, why=few),
            )
        )  # fmt: skip
    note = "Grubbs' test asks whether the farthest of normal values is too far; p is a Bonferroni bound."
    return q.table("outliers", "Outlying values", rows, note=note)
